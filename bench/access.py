"""Accessibility at the scale of a city and of a region, against bounds in seconds and memory."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import dijkstra

from awl.questions.run import ask
from awl.study import importing
from awl.study.study import Study
from bench.measure import Row, medians, peak_gb
from bench.reading import region

CITY_SECONDS, REGION_SECONDS, REGION_GB = 1.0, 30.0, 4.0
ZONES_A_SIDE, PLACES = 71, 500
RADIUS_M = 600


def in_the_city(study: Study) -> list[Row]:
    """All measures for all zones and places of the demo study, three limits, two groups."""
    asked = {
        "places": {"layer": "cool_rooms"}, "zones": {"layer": "zones"}, "fields": ["population", "age_65_plus"],
        "limits": [5, 10, 15], "weights": "seats", "measures": ["gravity", "two_step", "kth"], "kind": "kind",
    }  # fmt: skip
    plain, more = medians(
        lambda: ask(study, "access", asked).document(),
        lambda: ask(study, "access", {**asked, "candidates": {"layer": "candidate_rooms"}}).document(),
        rounds=5,
    )
    return [
        Row("Ferrow: access, 187 zones, 14 places, all measures (bound 1 s)", plain, CITY_SECONDS, "of the bound"),
        Row("Ferrow: the same with the best 3 of 9 candidates (bound 1 s)", more, CITY_SECONDS, "of the bound"),
    ]


def among_buildings(study: Study, sample: int = 100) -> list[Row]:
    """Centrality of all buildings, against SciPy's Dijkstra with the same limit: of a sample, and no trips counted."""
    network = study.network("walk")
    start, head, _, weight = network.search_rows("time", "distance", "from")
    peer = csr_matrix((weight.astype(float), head, start), shape=(network.states.count,) * 2)
    count = len(study.read_layer("buildings", fields=[]))
    begins = np.random.default_rng(2).choice(network.graph.node_count, sample, replace=False)
    ours, theirs = medians(
        lambda: ask(study, "centrality", {"places": {"layer": "buildings"}, "radius": RADIUS_M}),
        lambda: [dijkstra(peer, indices=begin, limit=RADIUS_M * 1000) for begin in begins],
        rounds=3,
    )
    what = f"Ferrow: centrality of {count:,} buildings, {RADIUS_M} m, two threads; peer: their searches alone"
    return [Row(what, ours, theirs / sample * count, "x faster")]


def in_a_region(nodes: int = 1_000_000) -> list[Row]:
    """Some 5,000 zones and 500 places on a region, asked in a process of its own that has the street graph stored."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "region.gpkg"
        importing.build(region(nodes), path)
        done = subprocess.run(
            [sys.executable, "-m", "bench.access", str(path)], capture_output=True, text=True, check=True
        )
    seconds, peak, zones = json.loads(done.stdout.splitlines()[-1])
    what = (
        f"{nodes / 1e6:g}M-node region: access, {zones:,} zones, {PLACES} places, peak {peak:.1f} GB (bound 30 s, 4 GB)"
    )
    return [Row(what, seconds, REGION_SECONDS, "of the bound")]


def regional_inputs(study: Study) -> dict[str, Any]:
    """Square zones over the region with people of two groups, and places strewn over its nodes."""
    graph, rng = study.graph, np.random.default_rng(1)
    lon = np.linspace(graph.node_lon.min(), graph.node_lon.max(), ZONES_A_SIDE + 1).tolist()
    lat = np.linspace(graph.node_lat.min(), graph.node_lat.max(), ZONES_A_SIDE + 1).tolist()

    def feature(geometry: dict[str, Any], **properties: Any) -> dict[str, Any]:
        return {"type": "Feature", "properties": properties, "geometry": geometry}

    zones = []
    for i in range(ZONES_A_SIDE):
        for j in range(ZONES_A_SIDE):
            west, south, east, north = lon[i], lat[j], lon[i + 1], lat[j + 1]
            ring = [[west, south], [east, south], [east, north], [west, north], [west, south]]
            people, old = int(rng.integers(50, 900)), int(rng.integers(5, 100))
            zones.append(
                feature({"type": "Polygon", "coordinates": [ring]}, name=f"{i}/{j}", population=people, old=old)
            )
    places = [
        feature({"type": "Point", "coordinates": [float(graph.node_lon[n]), float(graph.node_lat[n])]}, name=f"p{n}")
        for n in rng.choice(graph.node_count, PLACES, replace=False)
    ]
    whole = {"type": "FeatureCollection"}
    return {
        "zones": {**whole, "features": zones}, "places": {**whole, "features": places}, "fields": ["population", "old"],
        "limits": [5, 10, 15],
    }  # fmt: skip


def _ask_in_a_region(path: Path) -> None:
    import time

    study = Study(path)
    inputs = regional_inputs(study)
    began = time.perf_counter()
    answer = ask(study, "access", inputs).document()
    seconds = time.perf_counter() - began
    print(json.dumps([seconds, peak_gb(), len(answer["zones"]["features"])]))


if __name__ == "__main__":
    _ask_in_a_region(Path(sys.argv[1]))
