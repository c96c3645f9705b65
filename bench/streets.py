"""The health check and edits of streets, against what an analyst waits for without noticing."""

from __future__ import annotations

import tempfile
from itertools import count
from pathlib import Path

from awl.core.analysis.health.check import check
from awl.core.graph.build import build_graph
from awl.core.graph.edits.edit import Edit
from awl.core.graph.street_graph import StreetGraph
from awl.core.modes.mode import DRIVE
from awl.core.network.network import Network
from awl.demo_study import make_demo
from awl.io import osm_pbf
from awl.study import ledger, what_ifs
from awl.study.street_edits import edit_streets
from awl.study.study import Study
from bench.measure import Row, medians
from bench.reading import region

CHECK_SECONDS = {"Ferrow": 1.0, "1M-node region": 30.0}
EDIT_SECONDS = 0.1
"""From an edit until the streets are others, in memory and in the study."""


def checking(name: str, graph: StreetGraph, rounds: int) -> Row:
    """All checks of a street graph against their bound."""
    network = Network.of(graph, DRIVE)
    (ours,) = medians(lambda: check(graph, network), rounds=rounds)
    bound = CHECK_SECONDS[name]
    return Row(f"{name}: health check of {graph.link_count:,} links (bound {bound:g} s)", ours, bound, "of the bound")


def checking_a_region(nodes: int = 1_000_000) -> list[Row]:
    """The same of a region."""
    return [checking("1M-node region", build_graph(osm_pbf.read(region(nodes)))[0], 1)]


def editing() -> list[Row]:
    """A street drawn in the demo study and in a what-if of it, until both are stored and the graph is there."""
    with tempfile.TemporaryDirectory() as folder:
        study = Study(make_demo(Path(folder)))
        nodes = count(100)
        idea = what_ifs.save(study, {"title": "Bench"}).id

        def street() -> Edit:
            row = next(nodes)
            lon, lat = float(study.graph.node_lon[row]), float(study.graph.node_lat[row])
            return Edit("add", points=((lon, lat), (lon + 0.0005, lat + 0.0005)), tags={"highway": "footway"})

        def in_the_base() -> None:
            edit_streets(study, [street()], ledger.BASE)

        def in_a_what_if() -> None:
            edit_streets(study, [street()], idea)
            what_ifs.variant(study, [idea]).graph.link_count  # noqa: B018

        def until_a_network() -> None:
            in_the_base()
            study.network("walk").arc_costs("time")

        roads = iter(study.graph.link_id[study.graph.tag("highway").equals("primary")].tolist())

        def a_limit() -> None:
            edit_streets(study, [Edit("change", links=(next(roads),), tags={"maxspeed": "20"})])
            assert study.router("drive").hierarchy is not None

        base, network = medians(in_the_base, until_a_network)
        # By itself: a what-if is copied anew after an edit of what it rests on.
        (what_if,) = medians(in_a_what_if)
        study.wait_until_prepared("drive")
        (limit,) = medians(a_limit)
        named = {
            "stored, graph there": base,
            "the same in a what-if": what_if,
            "until a walker's costs are there": network,
            "another limit, until a driver's hierarchy is there": limit,
        }
        return [
            Row(f"Ferrow: a street is drawn: {what} (bound {EDIT_SECONDS:g} s)", seconds, EDIT_SECONDS, "of the bound")
            for what, seconds in named.items()
        ]


def on_streets(graph: StreetGraph, large: bool) -> list[Row]:
    """All rows about streets that are checked and mended."""
    return [checking("Ferrow", graph, 5), *editing(), *(checking_a_region() if large else [])]


if __name__ == "__main__":
    ferrow, _ = build_graph(osm_pbf.read(Path("demo/data/ferrow.osm.pbf")))
    for row in on_streets(ferrow, large=True):
        print(f"{row.what}: {row.awl_s:.3f} s, {row.ratio:.2f} {row.meaning}")
