"""Print the benchmark table beside the former one, `bench/former.json`, and write it as JSON to `.cache/bench.json`.

    python -m bench [--large] [--keep]

The peer of searches is `scipy.sparse.csgraph.dijkstra` on the same graph in the same (Hilbert) node order; times are medians
of interleaved runs, single thread. Graphs: the shipped city, and made regions of 100,000 and a million nodes, for the hierarchy
also with rivers and railways that few streets cross (kept in `.cache/`); `--large` adds one of five million, and a crowd on the
server, which takes half an hour and 8 GB. Ratios are compared, for seconds depend on the machine; `--keep` makes those that are
better the former ones.
"""

from __future__ import annotations

import json
import platform
import re
import sys
import tempfile
from collections.abc import Sequence
from datetime import date, datetime
from pathlib import Path

import numpy as np
from rich.console import Console
from rich.table import Table
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import dijkstra

from awl.core.graph.build import build_graph
from awl.core.graph.street_graph import StreetGraph
from awl.core.modes.mode import DRIVE, SHIPPED, WALK, Mode
from awl.core.modes.slope import heights_of
from awl.core.network.network import Network
from awl.core.routing.dijkstra.plain import arrivals, matrix
from awl.core.routing.snapping import Snapper
from awl.demo_study import make_demo
from awl.io import osm_pbf
from awl.questions.run import ask
from awl.shipped import SOURCE
from awl.study.study import Study
from bench.access import among_buildings, in_a_region, in_the_city
from bench.documents import followed, in_blocks, written
from bench.felt import beginnings, commands, crowd, in_the_browser, ordering, walking
from bench.handout import handed_out
from bench.heights import by_the_clock, on_the_hierarchy
from bench.measure import Row, medians
from bench.reading import CACHE, joining, reading_pbf, reading_xml, region, storing
from bench.simulation import many_at_once
from bench.streets import on_streets
from bench.transit import in_ferrow


def searches(name: str, network: Network) -> list[Row]:
    """One to all, and a matrix, against the peer."""
    start, head, weight, _ = network.search_rows("time", "distance", "from")
    size = network.states.count
    peer = csr_matrix((weight.astype(float), head, start), shape=(size, size))
    link = int(np.flatnonzero(network.usable)[network.usable.sum() // 2])
    middle = network.graph.link_from[link]
    place = Snapper(network).snap(network.graph.node_lon[[middle]], network.graph.node_lat[[middle]], 500.0)
    begin = int(network.states.free[middle])
    ours, theirs = medians(
        lambda: arrivals(network, place, "time"), lambda: dijkstra(peer, indices=begin, min_only=False)
    )
    rows = [Row(f"{name}, {size:,} states: one to all; peer SciPy", ours, theirs, "x faster")]
    picks = np.random.default_rng(1).choice(network.graph.node_count, 100, replace=False)
    places = Snapper(network).snap(network.graph.node_lon[picks], network.graph.node_lat[picks], 500.0)
    states = network.states.free[picks]
    ours, theirs = medians(
        lambda: matrix(network, places, places, "time", threads=1), lambda: dijkstra(peer, indices=states)[:, states],
        rounds=3,
    )  # fmt: skip
    return [*rows, Row(f"{name}: 100 x 100 matrix; peer SciPy", ours, theirs, "x faster")]


FORMER = Path(__file__).with_name("former.json")
NOISE = 1.25
"""Medians of seven rounds differ by up to this between runs of the same code on one machine."""
MORNING = datetime(2026, 6, 3, 8)
TURN_ROUNDS = 3


def costing(name: str, graph: StreetGraph, bound: float, modes: Sequence[Mode] = (DRIVE,)) -> list[Row]:
    """Rules, slope and hour turned into a cost for each arc, connected parts included, against a bound in seconds."""
    heights = heights_of(graph, lambda lon, lat: 40 * np.sin(lon * 300) * np.cos(lat * 300))
    rows = []
    for mode in modes:

        def costed(mode: Mode = mode) -> object:
            return Network.of(graph, mode, heights=heights, when=MORNING).directed("time")

        (ours,) = medians(costed, rounds=3)
        rows.append(Row(f"{name}: mode to costs, {mode.id} (bound {bound:g} s)", ours, bound, "of the bound"))
    # A network of its own each time, for what follows from the streets is kept with them.
    fresh = iter([Network.of(graph, DRIVE) for _ in range(TURN_ROUNDS + 1)])
    (ours,) = medians(lambda: next(fresh).step_delay, rounds=TURN_ROUNDS)
    return [
        *rows,
        Row(f"{name}: turns of drive, once per mode (bound {2 * bound:g} s)", ours, 2 * bound, "of the bound"),
    ]


def questions() -> list[Row]:
    """Answers on the demo study against one plain search over it."""
    with tempfile.TemporaryDirectory() as folder:
        study = Study(make_demo(Path(folder)))
        network = study.network("walk")
        rooms = {"layer": "cool_rooms"}
        place = study.snapper("walk").snap(np.array([-36.2]), np.array([41.297]), 500.0)
        calls = {
            "isochrone, 14 places, 3 limits, areas": lambda: ask(study, "isochrone", {"places": rooms}),
            "matrix, 187 x 14": lambda: ask(study, "matrix", {"from": {"layer": "zones"}, "to": rooms}),
        }
        base, *times = medians(lambda: arrivals(network, place, "time"), *calls.values())
        rows = [
            Row(f"Ferrow: {name}; bound: one search", seconds, base, "of the bound's speed")
            for name, seconds in zip(calls, times, strict=True)
        ]
        return [
            *rows,
            *in_the_city(study),
            *among_buildings(study),
            *in_ferrow(study),
            *handed_out(study),
            *many_at_once(study),
            *written(study),
            *in_blocks(study),
            *followed(),
            *beginnings(study),
            *in_the_browser(study),
        ]


def main(large: bool, keep: bool) -> None:
    """Measure and print; `keep` the ratios that are better than the former ones for the next time."""
    rows = [
        *reading_xml(),
        *reading_pbf(0, 5),
        *reading_pbf(1_000_000, 3),
        *storing(0),
        *storing(1_000_000),
        *joining(300_000),
    ]
    if large:
        rows += [*reading_pbf(5_000_000, 1), *storing(5_000_000)]
    graph, _ = build_graph(osm_pbf.read(SOURCE / "demo" / "data" / "ferrow.osm.pbf"))
    rows += costing("Ferrow", graph, 0.05, tuple(SHIPPED.values()))
    rows += costing("1M-node region", build_graph(osm_pbf.read(region(1_000_000)))[0], 1.0)
    rows += searches("Ferrow on foot", Network.of(graph, WALK))
    big, _ = build_graph(osm_pbf.read(region(100_000)))
    rows += searches("100k-node region", Network.of(big, DRIVE))
    rows += on_the_hierarchy("Ferrow on foot", Network.of(graph, WALK), 4)
    rows += on_the_hierarchy("Ferrow by car", Network.of(graph, DRIVE), 4)
    rows += by_the_clock("Ferrow by car", Network.of(graph, DRIVE))
    for nodes, bound in ((100_000, 4), (1_000_000, 40)) if large else ((100_000, 4),):
        for kind, barriers in (("region", False), ("region with barriers", True)):
            network = Network.of(build_graph(osm_pbf.read(region(nodes, barriers)))[0], WALK)
            rows += on_the_hierarchy(f"{nodes // 1000:,}k-node {kind} on foot", network, bound)
    rows += on_streets(graph, large)
    rows += questions()
    rows += [*commands(), *walking(236_000)]
    if large:
        rows += [*walking(1_000_000), *in_a_region(), *ordering(5_000_000), *crowd()]
    table = Table(title=f"Awl, {date.today()}, {platform.machine()}, Python {platform.python_version()}")
    for heading in ("what", "Awl, ms", "peer or bound, ms", "ratio", "former ratio"):
        table.add_column(heading, justify="left" if heading == "what" else "right")
    former = json.loads(FORMER.read_text())
    for row in rows:
        ours, theirs = (f"{seconds * 1e3:.2f}" for seconds in (row.awl_s, row.other_s))
        table.add_row(row.what, ours, theirs, f"{row.ratio:.2f} {row.meaning}", beside(row, former))
    Console(width=165).print(table)
    CACHE.mkdir(exist_ok=True)
    record = [{"what": row.what, "awl_s": row.awl_s, "other_s": row.other_s, "ratio": row.ratio} for row in rows]
    (CACHE / "bench.json").write_text(json.dumps(record, indent=1))
    if keep:
        for row in rows:
            former[keyed(row.what)] = max(round(row.ratio, 3), former.get(keyed(row.what), 0.0))
        FORMER.write_text(json.dumps(dict(sorted(former.items())), indent=1) + "\n")


def keyed(what: str) -> str:
    """The name of a row without its counts, which change with the data."""
    return re.sub(r"[\d,.]*\d ?(MB|states|pairs)", r"# \1", what)


def beside(row: Row, former: dict[str, float]) -> str:
    """The former ratio, and what became of it where that is more than noise."""
    ratio = former.get(keyed(row.what))
    if ratio is None:
        return "new"
    change = row.ratio / ratio
    word = "" if 1 / NOISE < change < NOISE else " better" if change > 1 else " WORSE"
    return f"{ratio:.2f}{word}"


if __name__ == "__main__":
    main("--large" in sys.argv[1:], "--keep" in sys.argv[1:])
