"""What people wait for: the command, a server that begins, a crowd on it, large answers and regions in the browser."""

from __future__ import annotations

import json
import shutil
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Callable
from itertools import count
from pathlib import Path
from typing import Any

import numpy as np
import shapely
from scipy.sparse import csr_array
from scipy.sparse.csgraph import dijkstra

from awl.core.modes.mode import WALK
from awl.core.network.network import Network
from awl.questions.run import ask
from awl.study import importing, sheet_records
from awl.study.study import Study
from bench.measure import Row, medians
from bench.reading import region
from tests.browser.chromium import Page, browser, server
from tests.load.__main__ import waited

ROUNDS = 3
REGION_NODES = 236_000
"""A region of some 300,000 links."""
OPENED_S = 3.0
"""Seconds after which somebody who opened the page asks."""
PEOPLE, CROWD_S, JOBS = 50, 60.0, 10
LIVE_S, LIGHT_S = 0.25, 0.1
ORDER_S, ORDER_GB = 150.0, 7.0
FRAMES = """
const done = arguments[arguments.length - 1], { map } = window.awlMap, { gl } = map.painter.context;
const times = [], pixel = new Uint8Array(4);
const step = () => {
  if (times.length === 25) return done(times.sort((a, b) => a - b)[12] / 1000);
  const { lng, lat } = map.getCenter(), began = performance.now();
  map.jumpTo({ center: [lng + 2e-4, lat] });
  map._render(performance.now());
  gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, pixel);
  times.push(performance.now() - began);
  setTimeout(step, 30);
};
step();
"""
"""The median second of a frame: the map is moved and drawn, and the drawing waited for."""


def commands() -> list[Row]:
    """The command where it has nothing to compute, against Python importing what computes."""

    def run(*words: str) -> Callable[[], object]:
        return lambda: subprocess.run([sys.executable, *words], capture_output=True)

    helped, mistyped, peer = medians(
        run("-m", "awl.cli", "--help"), run("-m", "awl.cli", "isocrone"), run("-c", "import numpy"), rounds=5
    )
    return [
        Row("awl --help; peer: Python importing NumPy", helped, peer, "x faster"),
        Row("awl with a typo; peer: Python importing NumPy", mistyped, peer, "x faster"),
    ]


def beginnings(study: Study) -> list[Row]:
    """A server that begins, and its first answer, against importing its libraries and the same answer again."""
    libraries = [
        sys.executable,
        "-c",
        "import flask, numba, numpy, pyarrow, pyproj, rasterio, scipy.sparse.csgraph, shapely",
    ]
    begun: list[float] = []
    first: list[float] = []
    at_once: list[float] = []
    again: list[float] = []
    bare: list[float] = []
    _prepared(study)
    with tempfile.TemporaryDirectory() as folder:
        _copied(study, Path(folder))
        for wait_s, times in [(OPENED_S, first), (0.0, at_once)] * ROUNDS:
            bare.append(_seconds(lambda: subprocess.run(libraries, check=True)))
            began = time.perf_counter()
            with server(Path(folder)) as address:
                begun.append(time.perf_counter() - began)
                time.sleep(wait_s)
                times.append(_seconds(lambda address=address: _ask(address, study.path.stem)))  # type: ignore[misc]
                again.append(_seconds(lambda address=address: _ask(address, study.path.stem)))  # type: ignore[misc]
    peer, same = float(np.median(bare)), float(np.median(again))
    after = f"Ferrow: first answer {OPENED_S:g} s after the server began; peer: asked again"
    return [
        Row(
            "Ferrow: a server that begins; peer: Python importing its libraries",
            float(np.median(begun)),
            peer,
            "x faster",
        ),
        Row(after, float(np.median(first)), same, "of its speed"),
        Row("Ferrow: first answer at once; peer: asked again", float(np.median(at_once)), same, "of its speed"),
    ]


def _prepared(study: Study) -> None:
    """Have all modes prepared and kept beside the study."""
    thread = study.prepare()
    if thread is not None:
        thread.join()


def _copied(study: Study, folder: Path) -> None:
    """Copy a study with what is prepared."""
    shutil.copy(study.path, folder / study.path.name)
    shutil.copytree(study.path.with_suffix(".awl"), folder / study.path.with_suffix(".awl").name)


def _seconds(call: Callable[[], object]) -> float:
    began = time.perf_counter()
    call()
    return time.perf_counter() - began


def _ask(address: str, study: str) -> bytes:
    body = json.dumps({"inputs": {"places": {"layer": "cool_rooms"}, "limits": [5, 10]}}).encode()
    where = f"{address}/studies/{study}/processes/isochrone/execution"
    request = urllib.request.Request(where, body, {"Content-Type": "application/json"})
    with urllib.request.urlopen(request, timeout=100) as reply:
        answer: bytes = reply.read()
    return answer


def crowd() -> list[Row]:
    """Fifty people on one server with heavy jobs behind, against how long they may wait."""
    times, faults = waited(PEOPLE, CROWD_S, JOBS)
    rows = []
    for kind, bound in (("live", LIVE_S), ("light", LIGHT_S)):
        p95 = float(np.percentile(times[kind], 95))
        what = f"{PEOPLE} people and {JOBS} heavy jobs, {len(faults)} failed: {kind} answers, p95 (bound {bound:g} s)"
        rows.append(Row(what, p95, bound, "of the bound"))
    return rows


def in_the_browser(study: Study) -> list[Row]:
    """Buildings with their answer on the map, and a region of streets, without a graphics card; peers are Ferrow's own pages."""
    question: dict[str, Any] = {"places": {"layer": "building"}, "radius": 600}
    with tempfile.TemporaryDirectory() as place:
        folder, name = Path(place), study.path.stem
        _prepared(study)
        _copied(study, folder)
        city = Study(folder / study.path.name)
        with city.writing() as connection:
            block = {"id": "b1", "kind": "question", "process": "centrality", "inputs": question}
            sheet_records.save(connection, "buildings", {"title": "Buildings", "blocks": [block]})
            sheet_records.save(connection, "bare", {"title": "Bare", "blocks": []})
        importing.build(region(REGION_NODES), folder / "region.gpkg")
        links = Study(folder / "region.gpkg").graph.link_count
        with server(folder) as address, browser(address, sharp=True) as page:
            page.driver.set_script_timeout(300)
            for study_id in (name, "region"):
                _wait_until_prepared(address, study_id)
            page.open(f"{name}/sheet/buildings")
            page.click("[data-question=b1] .number")
            page.find("[data-question=b1]", "answered")
            pages = [f"{name}/sheet/buildings", f"{name}/sheet/bare", "region/streets", f"{name}/streets"]
            for path in pages:  # tiles and what is prepared are there for the next
                _up(page, path)
            buildings, bare, far, near = medians(*(lambda path=path: _up(page, path) for path in pages), rounds=ROUNDS)
            frames = []
            for path in pages[2:]:
                _up(page, path)
                frames.append(float(page.driver.execute_async_script(FRAMES)))
    what = f"map of {links:,} links"
    return [
        Row("Ferrow: every building with its centrality in the sheet; peer: the sheet without", buildings, bare, "of its speed"),
        Row(f"{what}, up; peer: that of Ferrow", far, near, "of its speed"),
        Row(f"{what}, a frame; peer: that of Ferrow", frames[0], frames[1], "of its speed"),
    ]  # fmt: skip


def walking(nodes: int) -> list[Row]:
    """A walk of 15 minutes with its areas in a region: the first, and those after it elsewhere and at the same place.

    The peers are what others need before it and for it: Shapely's lines and tree of the streets, SciPy's search with a limit.
    """
    with tempfile.TemporaryDirectory() as name:
        path = Path(name) / "region.gpkg"
        importing.build(region(nodes), path)
        graph = Study(path).graph
        order = np.argsort(np.hypot(graph.node_lon - graph.node_lon.mean(), graph.node_lat - graph.node_lat.mean()))
        # Far enough apart that one walk needs other parts of the field than the next.
        places = count(0, len(order) // 40)

        def walk(study: Study, node: int) -> object:
            where = [[float(graph.node_lon[node]), float(graph.node_lat[node])]]
            return ask(study, "isochrone", {"places": where, "limits": [15], "mode": "walk"})

        begun = (lambda: walk(Study(path), order[next(places)]), lambda: shapely.STRtree(graph.lines()).geometries)
        first, tree = medians(*begun, rounds=ROUNDS)
        network = Network.of(graph, WALK)
        steps = network.states.steps
        cost = np.maximum(network.step_costs("time"), 1)
        peer = csr_array((cost, (steps.tail, steps.head)), shape=2 * (network.states.count,))
        study, limit_ms = Study(path), 15 * 60_000
        walk(study, order[0])
        elsewhere, again, searched = medians(
            lambda: walk(study, order[next(places)]),
            lambda: walk(study, order[0]),
            lambda: dijkstra(peer, indices=order[0], limit=limit_ms),
            rounds=ROUNDS,
        )
    what = f"{nodes:,}-node region: a 15 min walk with its area"
    return [
        Row(f"{what}, the first; peer: Shapely's lines and tree of its streets", first, tree, "of its speed"),
        Row(f"{what}, elsewhere; peer: SciPy's search", elsewhere, searched, "of its speed"),
        Row(f"{what}, once more; peer: SciPy's search", again, searched, "of its speed"),
    ]


def _wait_until_prepared(address: str, study_id: str) -> None:
    """Have a server open a study and prepare it, that nothing runs behind what is measured."""
    urllib.request.urlopen(f"{address}/studies/{study_id}/overview").read()
    while not json.loads(urllib.request.urlopen(f"{address}/studies/{study_id}/preparation").read())["done"]:
        time.sleep(0.5)


def _up(page: Page, place: str) -> None:
    """Have a page anew, its map at rest."""
    page.open_afresh(place)
    page.settled()


def ordering(nodes: int) -> list[Row]:
    """Order and topology of a large region in a process of its own, with its peak of memory until one mode is prepared."""
    code = (
        "import json, sys, time\n"
        "from pathlib import Path\n"
        "from awl.core.graph.build import build_graph\n"
        "from awl.core.modes.mode import WALK\n"
        "from awl.core.network.network import Network\n"
        "from awl.core.routing.cch.hierarchy import Hierarchy\n"
        "from awl.io import osm_pbf\n"
        "from bench.measure import peak_gb\n"
        "network = Network.of(build_graph(osm_pbf.read(Path(sys.argv[1])))[0], WALK)\n"
        "network.step_costs('time')\n"
        "began = time.perf_counter()\n"
        "high = Hierarchy.of(network)\n"
        "took = time.perf_counter() - began\n"
        "high.unpacking(network, 'time', 'distance')\n"
        "high.trim(network, 'time')\n"
        "print(json.dumps([took, peak_gb()]))\n"
    )
    words = [sys.executable, "-c", code, str(region(nodes))]
    seconds, peak = json.loads(subprocess.run(words, capture_output=True, text=True, check=True).stdout)
    name = f"{nodes / 1e6:g}M-node region"
    return [
        Row(f"{name}: order and topology on foot (bound {ORDER_S:g} s)", seconds, ORDER_S, "of the bound"),
        Row(
            f"{name}: memory until a mode is prepared, GB / 1000 (bound {ORDER_GB:g})",
            peak / 1e3,
            ORDER_GB / 1e3,
            "of the bound",
        ),
    ]


if __name__ == "__main__":
    from awl.demo_study import make_demo

    with tempfile.TemporaryDirectory() as home:
        ferrow = Study(make_demo(Path(home)))
        for row in [*commands(), *beginnings(ferrow), *in_the_browser(ferrow), *walking(REGION_NODES)]:
            print(f"{row.what}: {row.awl_s:.3f} s, {row.other_s:.3f} s, {row.ratio:.2f} {row.meaning}")
