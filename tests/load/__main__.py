"""Fifty people drag origins, ask and look around on the demo study, with ten heavy jobs behind; how long they wait is printed."""

from __future__ import annotations

import argparse
import http.client
import json
import random
import subprocess
import sys
import tempfile
import threading
import time
from collections import defaultdict
from pathlib import Path

import numpy as np

STUDY = "/studies/ferrow"
LIGHT = [f"{STUDY}/overview", f"{STUDY}/sheets/main", f"{STUDY}/layers/zones/table", f"{STUDY}/collections", "/studies"]
HEAVY = [
    ("centrality", {"places": {"layer": "cool_rooms"}}),
    ("matrix", {"from": {"layer": "zones"}, "to": {"layer": "zones"}}),
    ("isochrone", {"places": {"layer": "cool_rooms"}, "merge": "each", "limits": [5, 10, 15, 20]}),
]
STEPS, EVERY_S = 10, 0.15
"""Places of a drag, and the seconds between two of them."""
WEST, SOUTH, EAST, NORTH = -36.225, 41.275, -36.18, 41.305


class Person(threading.Thread):
    """Somebody at work: drags an origin for a second or two, asks, reads, switches the view."""

    def __init__(self, port: int, seed: int, until: float, times: dict[str, list[float]], faults: list[str]) -> None:
        super().__init__(daemon=True)
        self._random, self._until, self._times, self._faults = random.Random(seed), until, times, faults
        self._connection = http.client.HTTPConnection("127.0.0.1", port, timeout=60)

    def run(self) -> None:
        """Work until the time is over."""
        random_ = self._random
        time.sleep(random_.random() * 8)
        while time.monotonic() < self._until:
            at = [random_.uniform(WEST, EAST), random_.uniform(SOUTH, NORTH)]
            for _ in range(STEPS):
                began = time.monotonic()
                at = [at[0] + random_.gauss(0, 2e-4), at[1] + random_.gauss(0, 2e-4)]
                self._send("live", "POST", f"{STUDY}/live/reach", {"inputs": {"places": [at], "snap": 1000}})
                time.sleep(max(0.0, EVERY_S - (time.monotonic() - began)))
            self._send(
                "asked", "POST", f"{STUDY}/processes/isochrone/execution", {"inputs": {"places": [at], "snap": 1000}}
            )
            for _ in range(3):
                time.sleep(random_.uniform(1, 3))
                self._send("light", "GET", random_.choice(LIGHT))

    def _send(self, kind: str, method: str, path: str, body: object = None) -> None:
        began = time.monotonic()
        try:
            data = None if body is None else json.dumps(body)
            self._connection.request(method, path, data, {"Content-Type": "application/json"})
            reply = self._connection.getresponse()
            reply.read()
        except (OSError, http.client.HTTPException) as error:
            self._faults.append(f"{kind}: {error!r}")
            self._connection.close()
            return
        self._times[kind].append(time.monotonic() - began)
        if reply.status == 202:
            self._times["became a job"].append(0.0)
        # Where no street is near, that is the answer.
        if reply.status >= 400 and reply.status not in (400, 422):
            self._faults.append(f"{kind}: {reply.status}")


def started(folder: Path) -> tuple[subprocess.Popen[str], int]:
    """A server of the demo study, and its port."""
    command = [sys.executable, "-m", "awl.cli", "demo", "--folder", str(folder), "--port", "0"]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    line = process.stdout.readline()
    return process, int(line.strip().rpartition(":")[2])


def waited(people: int, seconds: float, jobs: int) -> tuple[dict[str, list[float]], list[str]]:
    """Seconds that requests of each kind took, and what failed.

    Parameters:
        people: how many work at once.
        seconds: how long they do.
        jobs: heavy jobs that run or wait all the time.
    """
    times: dict[str, list[float]] = defaultdict(list)
    faults: list[str] = []
    with tempfile.TemporaryDirectory(prefix="awl-load-") as folder:
        process, port = started(Path(folder))
        try:
            _prepared(port)
            until = time.monotonic() + seconds
            behind = threading.Thread(target=_keep_busy, args=(port, jobs, until, times), daemon=True)
            crowd = [Person(port, seed, until, times, faults) for seed in range(people)]
            for thread in (behind, *crowd):
                thread.start()
            for person in crowd:
                person.join()
        finally:
            process.terminate()
            process.wait()
    return times, faults


def main() -> int:
    """The number of requests that failed, as exit status."""
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--people", type=int, default=50)
    options.add_argument("--seconds", type=float, default=300)
    options.add_argument("--jobs", type=int, default=10, help="heavy jobs that run or wait all the time")
    chosen = options.parse_args()
    times, faults = waited(chosen.people, chosen.seconds, chosen.jobs)
    for kind in ("live", "light", "asked", "heavy job"):
        milliseconds = np.array(times[kind] or [np.nan]) * 1000
        p50, p95, p99 = np.percentile(milliseconds, [50, 95, 99])
        print(f"{kind}: {len(times[kind]):,} in {chosen.seconds:.0f} s, p50 {p50:.0f}, p95 {p95:.0f}, p99 {p99:.0f} ms")
    print(f"{len(times['became a job'])} became jobs, {len(faults)} failed", *sorted(set(faults))[:5], sep="\n    ")
    return min(len(faults), 99)


def _request(port: int, method: str, path: str, body: object = None, prefer: str = "") -> dict[str, object]:
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
    headers = {"Content-Type": "application/json"} | ({"Prefer": prefer} if prefer else {})
    connection.request(method, path, None if body is None else json.dumps(body), headers)
    document: dict[str, object] = json.loads(connection.getresponse().read())
    connection.close()
    return document


def _prepared(port: int) -> None:
    """Wait until searches are prepared, and the workers have the study open."""
    while not _request(port, "GET", f"{STUDY}/preparation")["done"]:
        time.sleep(0.5)
    for _ in range(6):
        _request(port, "POST", f"{STUDY}/processes/isochrone/execution", {"inputs": {"places": [[-36.2, 41.29]]}})


def _keep_busy(port: int, count: int, until: float, times: dict[str, list[float]]) -> None:
    """Have so many heavy jobs running or waiting."""
    jobs: dict[str, float] = {}
    number = 0
    while time.monotonic() < until:
        while len(jobs) < count:
            process, inputs = HEAVY[number % len(HEAVY)]
            number += 1
            job = _request(port, "POST", f"{STUDY}/processes/{process}/execution", {"inputs": inputs}, "respond-async")
            if "jobID" not in job:
                break  # the queue is full
            jobs[str(job["jobID"])] = time.monotonic()
        for ident in list(jobs):
            if _request(port, "GET", f"/jobs/{ident}")["status"] not in ("accepted", "running"):
                times["heavy job"].append(time.monotonic() - jobs.pop(ident))
        time.sleep(0.5)


if __name__ == "__main__":
    sys.exit(main())
