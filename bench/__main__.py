"""Print the benchmark table, and write it as JSON to `.cache/bench.json`.

The peer is `scipy.sparse.csgraph.dijkstra` on the same graph in the same (Hilbert) node order; times are medians of
interleaved runs, single thread. Graphs: the shipped city, and a lattice with missing links and random speeds.
"""

from __future__ import annotations

import gzip
import json
import platform
import statistics
import tempfile
import time
from collections.abc import Callable
from datetime import date
from pathlib import Path
from xml.parsers import expat

import numpy as np
from rich.console import Console
from rich.table import Table
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import dijkstra

from awl.cli import DEMO, make_demo
from awl.core.columns import Categorical
from awl.core.engine.places import Snapper
from awl.core.engine.query import arrivals, matrix
from awl.core.modes.mode import DRIVE, WALK
from awl.core.modes.network import Network
from awl.core.streets.build import build_graph
from awl.core.streets.raw import RawExtract
from awl.formats import osm_xml
from awl.questions.run import ask
from awl.study.study import Study

ROUNDS = 7


def medians(*calls: Callable[[], object]) -> list[float]:
    """Median seconds of each call, interleaved after one unmeasured round."""
    times: list[list[float]] = [[] for _ in calls]
    for turn in range(ROUNDS + 1):
        for row, call in zip(times, calls, strict=True):
            began = time.perf_counter()
            call()
            if turn:
                row.append(time.perf_counter() - began)
    return [statistics.median(row) for row in times]


def lattice(side: int, seed: int = 3) -> RawExtract:
    """A side x side lattice of streets with a fifth of the links missing and limits from 20 to 90 km/h."""
    rng = np.random.default_rng(seed)
    x, y = np.meshgrid(np.arange(side), np.arange(side))
    ident = (y * side + x).astype(np.int64) + 1
    pairs = np.concatenate(
        [
            np.column_stack([ident[:, :-1].ravel(), ident[:, 1:].ravel()]),
            np.column_stack([ident[:-1].ravel(), ident[1:].ravel()]),
        ]
    )
    pairs = pairs[rng.random(len(pairs)) > 0.2]
    speeds = rng.choice([20, 30, 50, 70, 90], len(pairs))
    return RawExtract(
        node_id=ident.ravel(),
        node_lon=-36.2 + (x.ravel() + rng.uniform(-0.3, 0.3, side * side)) * 1e-3,
        node_lat=41.3 + (y.ravel() + rng.uniform(-0.3, 0.3, side * side)) * 1e-3,
        tagged_nodes=np.zeros(0, np.int64),
        node_tags={},
        way_id=np.arange(len(pairs)),
        way_start=np.arange(0, 2 * len(pairs) + 1, 2),
        way_refs=pairs.ravel(),
        way_tags={
            "highway": Categorical.of(["residential"] * len(pairs)),
            "maxspeed": Categorical.of([str(speed) for speed in speeds]),
        },
        relations=(),
    )


def searches(name: str, network: Network) -> list[tuple[str, float, float, str]]:
    """One to all, and a matrix, against the peer."""
    arcs = network.out_arcs
    weight = arcs.weights(*network.directed("time")).astype(float)
    n = network.graph.node_count
    peer = csr_matrix((weight, arcs.head, arcs.start), shape=(n, n))
    link = int(np.flatnonzero(network.usable)[network.usable.sum() // 2])
    middle = network.graph.link_from[link]
    place = Snapper(network).snap(network.graph.node_lon[[middle]], network.graph.node_lat[[middle]], 500.0)
    ours, theirs = medians(
        lambda: arrivals(network, place, "time"), lambda: dijkstra(peer, indices=int(middle), min_only=False)
    )
    rows = [(f"{name}: one to all, peer SciPy", ours, theirs, "x")]
    picks = np.random.default_rng(1).choice(network.graph.node_count, 100, replace=False)
    places = Snapper(network).snap(network.graph.node_lon[picks], network.graph.node_lat[picks], 500.0)
    ours, theirs = medians(
        lambda: matrix(network, places, places, "time", threads=1), lambda: dijkstra(peer, indices=picks)[:, picks]
    )
    return [*rows, (f"{name}: 100 x 100 matrix, peer SciPy", ours, theirs, "x")]


def reading() -> list[tuple[str, float, float, str]]:
    """Reading the extract against parsing the same XML and doing nothing."""
    path = DEMO / "data" / "ferrow.osm.gz"

    def bare() -> None:
        parser = expat.ParserCreate()
        parser.StartElementHandler = lambda name, attributes: None
        parser.EndElementHandler = lambda name: None
        parser.Parse(gzip.decompress(path.read_bytes()), True)

    raw = osm_xml.read(path)
    ours, theirs, built = medians(lambda: osm_xml.read(path), bare, lambda: build_graph(raw))
    return [
        ("Ferrow: read OSM XML, bound: bare XML parse", ours, theirs, "of the bound's speed"),
        ("Ferrow: streets to graph, bound: reading them", built, ours, "x faster"),
    ]


def questions() -> list[tuple[str, float, float, str]]:
    """Answers on the demo study against one plain search over it."""
    with tempfile.TemporaryDirectory() as folder:
        study = Study(make_demo(Path(folder)))
        network = study.network("walk")
        rooms = {"layer": "cool_rooms"}
        place = study.snapper("walk").snap(np.array([-36.2]), np.array([41.297]), 500.0)
        calls = {
            "isochrone, 14 places, 3 limits, areas": lambda: ask(study, "isochrone", {"places": rooms}),
            "access, 32 zones, 3 limits, 3 groups": lambda: ask(
                study, "access", {"places": rooms, "zones": {"layer": "zones"}}
            ),
            "matrix, 32 x 14": lambda: ask(study, "matrix", {"from": {"layer": "zones"}, "to": rooms}),
        }
        base, *times = medians(lambda: arrivals(network, place, "time"), *calls.values())
        return [
            (f"Ferrow: {name}; bound: one search", seconds, base, "of the bound's speed")
            for name, seconds in zip(calls, times, strict=True)
        ]


def main() -> None:
    rows = reading()
    graph, _ = build_graph(osm_xml.read(DEMO / "data" / "ferrow.osm.gz"))
    rows += searches("Ferrow on foot", Network.of(graph, WALK))
    big, _ = build_graph(lattice(316))
    rows += searches("100k-node lattice", Network.of(big, DRIVE))
    rows += questions()
    table = Table(title=f"Awl, {date.today()}, {platform.machine()}, Python {platform.python_version()}")
    for heading in ("what", "Awl, ms", "peer or bound, ms", "ratio"):
        table.add_column(heading, justify="left" if heading == "what" else "right")
    for name, ours, theirs, unit in rows:
        table.add_row(name, f"{ours * 1e3:.2f}", f"{theirs * 1e3:.2f}", f"{theirs / ours:.2f} {unit}")
    Console(width=120).print(table)
    out = Path(".cache")
    out.mkdir(exist_ok=True)
    record = [{"what": n, "awl_s": a, "other_s": b, "ratio": b / a} for n, a, b, _ in rows]
    (out / "bench.json").write_text(json.dumps(record, indent=1))


if __name__ == "__main__":
    main()
