"""After `python -m awl.warm`, which `make setup` runs, no question has a kernel compiled while someone waits for its answer."""

from __future__ import annotations

import os
import pickle
import subprocess
import sys
from pathlib import Path

from awl.shipped import SOURCE
from awl.warm import drop_unreadable

ASKED = """
import importlib, pkgutil, sys
from pathlib import Path
from numba.core.dispatcher import Dispatcher
import awl
from awl.questions.run import ask
from awl.study import importing
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
importing.add(Path(sys.argv[2]), study, "transit")
riding = {"mode": "transit", "at": "2026-06-03T08:00"}
for extra in ({}, {"direction": "to"}, {"max_changes": 1}, {"max_wait": 5}, {"closures": closed}):
    ask(study, "isochrone", {"places": rooms, **riding, **extra})
ask(study, "access", {"places": rooms, "zones": zones, **riding})
ask(study, "matrix", {"from": zones, "to": rooms, "hours": [9], **riding})
ask(study, "route", {"waypoints": [[-36.2062, 41.2920], [-36.1911, 41.2911]], "snap": 300, **riding})
ask(study, "centrality", {"places": rooms, "measure": "time", "radius": 15, **riding})
for extra in ({}, {"max_changes": 1}, {"max_wait": 5}):
    trips = ask(study, "trips", {"from": zones, "to": rooms, "pairing": "each", "most": 50, **riding, **extra})
    trips.part("paths")
ask(study, "centrality", {"places": rooms})
ask(study, "centrality", {"places": rooms, "weight": "seats"})
for module in pkgutil.walk_packages(awl.__path__, "awl."):
    if not module.name.endswith("__main__"):
        for name, value in vars(importlib.import_module(module.name)).items():
            if isinstance(value, Dispatcher) and value.__module__ == module.name and value.stats.cache_misses:
                print(module.name, name, dict(value.stats.cache_misses))
"""


def test_no_question_compiles_a_kernel(own_study):
    done = subprocess.run(
        [sys.executable, "-c", ASKED, str(own_study.path), str(SOURCE / "demo" / "data" / "transit.zip")],
        cwd=Path(__file__).parents[1], env=os.environ, capture_output=True, text=True, timeout=300, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr[-2000:]
    assert done.stdout == "", "compiled while asked; is the cache warm (make setup)?"


def test_kernels_of_a_module_that_is_gone_are_dropped_and_others_stay(tmp_path):
    stamp = pickle.dumps("0.0")
    (tmp_path / "sound.nbi").write_bytes(stamp + pickle.dumps(((0.0, 1), {})))
    (tmp_path / "gone.nbi").write_bytes(stamp + b"cawl.no_such_module\nBundle\n.")
    (tmp_path / "cut.nbi").write_bytes(stamp)
    assert drop_unreadable(tmp_path) == 2
    assert [path.name for path in tmp_path.iterdir()] == ["sound.nbi"]
