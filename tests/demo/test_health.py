"""The health check against what was spoilt on purpose: it finds all of it, and little else."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from awl.core.analysis.health.check import check
from awl.core.analysis.health.findings import NAMES, Findings
from awl.core.graph.base_map import base_layers
from awl.core.graph.build import build_graph
from awl.core.graph.street_graph import StreetGraph
from awl.core.modes.mode import SHIPPED
from awl.core.network.network import Network
from awl.io import osm_pbf

DATA = Path("demo/data")
MEANS = {
    "near_miss": {"near-miss"},
    "unjoined_crossing": {"unjoined-crossing"},
    "duplicate": {"duplicate"},
    "zero_length": {"no-length"},
    "island": {"isolated"},
    "locked_oneway": {"no-way-out"},
    "odd_speed": {"absurd-speed", "odd-speed"},
    "missing_speed": {"missing-speed"},
    "self_crossing": {"self-crossing"},
    "cut_bridge": {"near-miss"},
    "outside": {"isolated", "covered-by-water"},
}
NEAR_M = 100.0
"""A street far out at sea is told at its middle, a link that lies on another anywhere along it."""


@pytest.fixture(scope="module")
def ferrow() -> tuple[StreetGraph, Findings]:
    raw = osm_pbf.read(DATA / "ferrow.osm.pbf")
    graph, report = build_graph(raw)
    water = graph.plane.project(np.asarray(base_layers(raw)["water"].geometry, object))
    return graph, check(graph, Network.of(graph, SHIPPED["drive"]), water, report=report)


def ways_of(graph: StreetGraph, findings: Findings, row: int) -> set[int]:
    """The ways of the source that a finding is about."""
    links = [link for link in findings.links[row].tolist() if link >= 0]
    ways = {int(way) for link in links for way in graph.link_ways[graph.ways_start[link] : graph.ways_start[link + 1]]}
    return ways | ({int(findings.source[row])} - {0})


def test_every_fault_is_found_and_little_else(ferrow):
    graph, findings = ferrow
    faults = json.loads((DATA / "faults.geojson").read_text())["features"]
    ways = [ways_of(graph, findings, row) for row in range(len(findings))]
    explained = np.zeros(len(findings), bool)
    for fault in faults:
        told = fault["properties"]
        x, y = graph.plane.xy(*np.array(fault["geometry"]["coordinates"]))
        rows = np.array([bool(set(told["ways"]) & of) for of in ways])
        explained |= rows
        rows &= np.array([NAMES[code] in MEANS[told["kind"]] for code in findings.kind])
        if "speed" not in told["kind"] and told["kind"] != "duplicate":  # those are told once for a way, anywhere on it
            rows &= np.hypot(findings.x - x, findings.y - y) < NEAR_M
        assert rows.any(), f"{told['kind']} of ways {told['ways']}: {told['note']}"
    other = [NAMES[code] for code in findings.kind[~explained]]
    assert len(other) <= 0.05 * len(findings), other
