"""Send random requests to a server of a copy of the test study, and tell what it did not stand."""

from __future__ import annotations

import argparse
import resource
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

from awl.server import web
from awl.server.app import create_app
from awl.study import importing
from awl.study.study import Study
from tests.conftest import CUT, EXTRACT, inside_cut
from tests.fuzz.check import LONGEST_S, Fault, sent
from tests.fuzz.requests import random_requests


def main() -> int:
    """The number of faults, as exit status; long work is done in processes, as it is where Awl serves."""
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--count", type=int, default=100_000)
    options.add_argument("--seed", type=int, default=1)
    chosen = options.parse_args()
    faults: list[Fault] = []
    with tempfile.TemporaryDirectory(prefix="awl-fuzz-") as folder:
        importing.build(EXTRACT, Path(folder) / "ferrow.gpkg", CUT, "Ferrow, a cut")
        study = Study(Path(folder) / "ferrow.gpkg")
        for name, role in (("zones", "zones"), ("cool_rooms", "places")):
            study.add_layer(name, inside_cut(name), name, role, f"{name}.geojson")
        app = create_app(Path(folder), workers=2)
        web.WAITS_S = LONGEST_S - 2  # what is heavy becomes a job
        client, statuses, began = app.test_client(), Counter[int](), time.monotonic()
        for number, request in enumerate(random_requests(app, chosen.seed), 1):
            status, fault = sent(client, request)
            statuses[status] += 1
            if fault is not None:
                faults.append(fault)
                print(f"{number}: {fault.what}\n    {request}", flush=True)
            if number % 1000 == 0:
                seen = dict(sorted(statuses.items()))
                memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss >> 10
                print(
                    f"{number:,} requests in {time.monotonic() - began:.0f} s, {len(faults)} faults, {memory} MB, {seen}",
                    flush=True,
                )
            if number >= chosen.count:
                break
        app.extensions["awl-jobs"].close()
    return min(len(faults), 99)


if __name__ == "__main__":
    sys.exit(main())
