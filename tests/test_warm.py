"""After `python -m awl.warm`, which `make setup` runs, no question has a kernel compiled while someone waits for its answer."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

ASKED = """
import importlib, pkgutil, sys
from pathlib import Path
from numba.core.dispatcher import Dispatcher
import awl
from awl.questions.run import ask
from awl.study.study import Study

study = Study(Path(sys.argv[1]))
study.prepare().join()
rooms, zones = {"layer": "cool_rooms"}, {"layer": "zones"}
morning = {"at": "2026-06-03T08:00", "hours": [8, 12]}
closed = {"type": "Feature", "properties": {}, "geometry": {"type": "Point", "coordinates": [-36.19872, 41.29135]}}
ends = [[-36.206, 41.2915], [-36.1935, 41.2905]]
for mode in ("walk", "drive"):
    for extra in ({}, {"direction": "from"}, {"measure": "distance", "limits": [500]}, morning, {"closures": closed}):
        ask(study, "isochrone", {"places": rooms, "mode": mode, **extra})
    for extra in ({}, morning, {"closures": closed}):
        ask(study, "matrix", {"from": zones, "to": rooms, "mode": mode, **extra})
    for extra in ({}, {"at": "2026-06-03T08:00"}):
        ask(study, "route", {"waypoints": ends, "mode": mode, **extra})
    ask(study, "access", {"places": rooms, "zones": zones, "mode": mode})
    ask(study, "trips", {"from": zones, "to": rooms, "mode": mode})
    ask(study, "catchment", {"places": rooms, "mode": mode})
ask(study, "centrality", {"places": rooms})
for module in pkgutil.walk_packages(awl.__path__, "awl."):
    if not module.name.endswith("__main__"):
        for name, value in vars(importlib.import_module(module.name)).items():
            if isinstance(value, Dispatcher) and value.__module__ == module.name and value.stats.cache_misses:
                print(module.name, name, dict(value.stats.cache_misses))
"""


def test_no_question_compiles_a_kernel(own_study):
    done = subprocess.run(
        [sys.executable, "-c", ASKED, str(own_study.path)],
        cwd=Path(__file__).parents[1], env=os.environ, capture_output=True, text=True, timeout=300, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr[-2000:]
    assert done.stdout == "", "compiled while asked; is the cache warm (make setup)?"
