"""What work that was cut short left is removed, and nothing of work that goes on."""

from __future__ import annotations

import os
import subprocess
import sys
import time

from awl.study import litter


def ended_process():
    """The number of a process that is no more."""
    process = subprocess.Popen([sys.executable, "-c", ""])
    process.wait()
    return process.pid


def test_what_belongs_to_nobody_goes_and_what_belongs_to_somebody_stays(tmp_path):
    gone, here = ended_process(), os.getpid()
    # A study of the user's stays, whatever number its name begins with.
    files = [f".new-{here}-town.gpkg", "town.gpkg", "2024-plan.gpkg", f"{gone}-plan.gpkg", "12-b"]
    folders = [f".upload-{here}-x", f".new-{here}-abc", "town.awl"]
    goes = [f".new-{gone}-town.gpkg", f".new-{gone}-town.gpkg-journal"]
    for name in (*files, *goes):
        (tmp_path / name).write_text("x")
    for name in (*folders, f".new-{gone}-abc", f".upload-{gone}-x", f".new-{gone}-town.awl"):
        (tmp_path / name).mkdir()
    litter.sweep(tmp_path)
    assert {path.name for path in tmp_path.iterdir()} == {*files, *folders}


def test_what_waits_is_aged_out_and_capped(tmp_path, monkeypatch):
    now = time.time()
    for number in range(6):
        folder = tmp_path / f".waiting-{number}"
        folder.mkdir()
        os.utime(folder, (now - number * 3600 * 5.5,) * 2)
    litter.sweep(tmp_path)
    assert {path.name for path in tmp_path.iterdir()} == {f".waiting-{number}" for number in range(5)}
    monkeypatch.setattr(litter, "MOST_STAGED", 2)
    litter.cap_staged(tmp_path)
    assert {path.name for path in tmp_path.iterdir()} == {".waiting-0", ".waiting-1"}
