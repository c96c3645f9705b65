"""Kill two servers and a command at random moments while they write to one folder; what was acknowledged must be there after."""

from __future__ import annotations

import argparse
import http.client
import json
import random
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
from contextlib import suppress
from pathlib import Path
from typing import Any

from awl.core.errors import AwlError
from awl.study import litter, records
from awl.study.file_check import check_file
from awl.study.study import Study
from tests.conftest import CUT, DATA, EXTRACT, inside_cut

STUDY = "/studies/ferrow"
LONGEST_S = 6.0


def served(folder: Path) -> tuple[subprocess.Popen[str], int]:
    """A server of a folder, and its port."""
    command = [sys.executable, "-m", "awl.cli", "serve", str(folder), "--port", "0", "--workers", "1"]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
    assert process.stdout is not None
    return process, int(process.stdout.readline().strip().rpartition(":")[2])


class Writer(threading.Thread):
    """Somebody who writes to a server without pause, and remembers what it acknowledged."""

    def __init__(self, port: int, seed: int, kind: str) -> None:
        super().__init__(daemon=True)
        self._port, self._random, self.kind = port, random.Random(seed), kind
        self.acknowledged: list[str] = []
        self.is_over = False

    def run(self) -> None:
        """Write until the server is gone."""
        connection = http.client.HTTPConnection("127.0.0.1", self._port, timeout=30)
        with suppress(OSError, http.client.HTTPException, ValueError):
            while not self.is_over:
                mark = f"m{self._random.randrange(10**9)}"
                if self._written(connection, mark):
                    self.acknowledged.append(mark)

    def _written(self, connection: http.client.HTTPConnection, mark: str) -> bool:
        if self.kind == "sheet":
            body = {"title": mark, "blocks": [{"id": "b1", "kind": "prose", "text": mark}]}
            return self._sent(connection, "PUT", f"{STUDY}/sheets/{self._sheet}", body) < 300
        if self.kind == "value":
            body = {"fid": 1, "field": "name", "value": mark}
            return self._sent(connection, "PUT", f"{STUDY}/layers/cool_rooms/values", body) < 300
        if self.kind == "answer":
            body = {"inputs": {"places": [[-36.2, 41.29]], "limits": [3]}, "question": mark}
            return self._sent(connection, "POST", f"{STUDY}/processes/isochrone/execution", body) == 200
        data = (DATA / "cool_rooms.geojson").read_bytes()
        connection.request(
            "POST", f"{STUDY}/sources?name=r.geojson&id={mark}&title={mark}", data, {"Content-Type": "application/octet-stream"}
        )  # fmt: skip
        job: dict[str, Any] = json.loads(connection.getresponse().read())
        while True:
            connection.request("GET", f"/jobs/{job['jobID']}")
            state = json.loads(connection.getresponse().read())["status"]
            if state not in ("accepted", "running"):
                return bool(state == "successful")
            time.sleep(0.02)

    @property
    def _sheet(self) -> str:
        return "main"

    def _sent(self, connection: http.client.HTTPConnection, method: str, path: str, body: Any) -> int:
        connection.request(method, path, json.dumps(body), {"Content-Type": "application/json"})
        reply = connection.getresponse()
        reply.read()
        return reply.status


def lost(path: Path, writers: list[Writer]) -> list[str]:
    """What is not there after a kill though it was acknowledged, or is half there."""
    faults = [f"{finding.text}" for finding in check_file(path) if finding.grade == "error"]
    study = Study(path)
    layers = {layer["id"] for layer in study.layers()}
    answers = {row[0] for row in study.reading.execute("SELECT question FROM awl_answers")}
    sheets = study.reading.execute("SELECT body FROM awl_sheets").fetchall()
    bodies = [*sheets, *study.reading.execute("SELECT body FROM awl_sheet_history")]
    known = json.dumps([row[0] for row in bodies])
    for writer in writers:
        marks = writer.acknowledged
        if writer.kind == "layer":
            faults += [f"layer {mark} is lost" for mark in marks if mark not in layers]
        if writer.kind == "answer":
            faults += [f"answer {mark} is lost" for mark in marks if mark not in answers]
        if writer.kind == "sheet" and marks and marks[-1] not in known:
            faults.append(f"sheet {marks[-1]} is lost")
    for ident in layers:
        study.read_layer(ident)
    for ident in answers:
        records.answer(study.reading, ident)
    return faults


def one_round(folder: Path, sound: Path, number: int) -> tuple[int, list[str]]:
    """Begin all that writes, kill it, and look; how much was acknowledged, and what is wrong."""
    random_ = random.Random(number)
    path = folder / "ferrow.gpkg"
    shutil.copy(sound, path)
    servers = [served(folder) for _ in range(2)]
    kinds = ("sheet", "layer", "value", "answer")
    writers = [Writer(port, number * 10 + n, kinds[(n + number) % 4]) for n, (_, port) in enumerate(servers)]
    writers.append(Writer(servers[0][1], number * 10 + 9, kinds[(number + 2) % 4]))
    extract = [sys.executable, "-m", "awl.cli", "build", str(EXTRACT), "--study", str(folder / f"new{number}.gpkg")]
    command = subprocess.Popen(extract, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    for writer in writers:
        writer.start()
    time.sleep(random_.uniform(0.2, LONGEST_S))
    for process, _ in servers:
        process.send_signal(signal.SIGKILL)
    command.send_signal(signal.SIGKILL)
    for writer in writers:
        writer.is_over = True
    for process, _ in servers:
        process.wait()
    command.wait()
    for writer in writers:
        writer.join(40)
    time.sleep(0.3)  # processes of work notice that their server is gone
    litter.sweep(folder)
    faults = lost(path, writers)
    new = folder / f"new{number}.gpkg"
    if new.exists():
        with suppress(AwlError):
            Study(new).graph.link_count  # noqa: B018 - a study that is there can be read
        faults += [finding.text for finding in check_file(new) if finding.grade == "error"]
        litter.remove(new)
    left = [path.name for path in folder.iterdir() if path.name.startswith((".new-", ".upload-"))]
    faults += [f"litter: {name}" for name in left]
    with sqlite3.connect(path) as connection:
        if connection.execute("PRAGMA integrity_check").fetchone() != ("ok",):
            faults.append("the database is damaged")
    litter.remove(path)
    return sum(len(writer.acknowledged) for writer in writers), faults


def main() -> int:
    """The number of faults, as exit status."""
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--count", type=int, default=200, help="kills; each round has three")
    chosen = options.parse_args()
    with tempfile.TemporaryDirectory(prefix="awl-kill-") as name:
        from awl.study import importing

        sound, folder = Path(name) / "sound.gpkg", Path(name) / "served"
        folder.mkdir()
        importing.build(EXTRACT, sound, CUT, "Ferrow, a cut")
        study = Study(sound)
        for layer, role in (("zones", "zones"), ("cool_rooms", "places")):
            study.add_layer(layer, inside_cut(layer), layer, role, f"{layer}.geojson")
        study.reading.close()
        faults, written = 0, 0
        for number in range(-(-chosen.count // 3)):
            acknowledged, wrong = one_round(folder, sound, number)
            faults, written = faults + len(wrong), written + acknowledged
            print(
                f"{(number + 1) * 3} kills, {written:,} writes acknowledged, {faults} faults",
                *wrong,
                sep="\n    ",
                flush=True,
            )
    return min(faults, 99)


if __name__ == "__main__":
    sys.exit(main())
