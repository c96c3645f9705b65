"""What work that was cut short leaves in a folder of studies: found by its name, and removed when nobody is at it any more."""

from __future__ import annotations

import os
import re
import shutil
import tempfile
import time
from pathlib import Path

SCRATCH = ".new-"
"""How files and folders begin that are being written; the number of the process that writes them follows."""
RECEIVED = ".upload-"
"""How folders of files begin that are being received; the number of the process follows."""
STAGED = ".waiting-"
"""How folders of files begin that wait for the user's decision; a token follows."""
RESULTS = "awl-results-"
"""How folders of results begin; the number of the server's process follows."""
OLDEST_S = 24 * 3600.0
"""Seconds for which a file waits."""
MOST_STAGED = 40
"""Files that wait at a time; of more the oldest go."""
OWNED = re.compile(r"(?:\.new-|\.upload-)(\d+)-")


def sweep(folder: Path) -> None:
    """Remove what processes left that are no more, and files that have waited for a day.

    Parameters:
        folder: a folder of studies, an array folder of one, or the folder of its what-ifs.
    """
    for path in [*folder.glob(f"{SCRATCH}*"), *folder.glob(f"{RECEIVED}*")]:
        owner = OWNED.match(path.name)
        if owner is not None and not is_running(int(owner[1])):
            remove(path)
    for path in folder.glob(f"{STAGED}*"):
        if _age_s(path) > OLDEST_S:
            remove(path)


def sweep_results() -> None:
    """Remove the results of servers that are no more, where the system keeps what is temporary."""
    for path in Path(tempfile.gettempdir()).glob(f"{RESULTS}*"):
        owner = path.name.removeprefix(RESULTS).partition("-")[0]
        if owner.isdigit() and not is_running(int(owner)):
            shutil.rmtree(path, ignore_errors=True)


def cap_staged(folder: Path) -> None:
    """Remove the files that have waited longest, where too many do.

    Parameters:
        folder: a folder of studies.
    """
    for path in sorted(folder.glob(f"{STAGED}*"), key=_age_s)[MOST_STAGED:]:
        remove(path)


def remove(path: Path) -> None:
    """Remove a file with its journal and array folder, or a folder.

    Parameters:
        path: the file or folder; it may be gone already.
    """
    if path.is_dir():
        shutil.rmtree(path, ignore_errors=True)
        return
    for one in (path, path.with_name(f"{path.name}-journal")):
        one.unlink(missing_ok=True)
    if path.suffix == ".gpkg":
        shutil.rmtree(path.with_suffix(".awl"), ignore_errors=True)


def is_running(process: int) -> bool:
    """Whether a process of this number runs.

    Parameters:
        process: its number.
    """
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except (PermissionError, OverflowError):
        return True
    return True


def _age_s(path: Path) -> float:
    try:
        return time.time() - path.stat().st_mtime
    except FileNotFoundError:
        return 0.0
