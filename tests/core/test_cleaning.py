"""Impossible coordinates and repeated objects do no harm, and several extracts become one."""

from __future__ import annotations

import numpy as np
import pytest

from awl.core.graph.build import build_graph
from awl.core.graph.cleaning import combined
from tests.conftest import node, way


def test_faulty_nodes_are_left_out_counted_and_named(read_osm):
    body = node(1, 0, 0) + node(2, 999, 0) + node(3, 0.01, 0) + node(4, 0, "nan") + node(5, 0, -91)
    raw = read_osm(
        body + way(1, [1, 2, 3], highway="path") + way(2, [4, 1], highway="path") + way(3, [5], highway="path")
    )
    assert raw.node_id.tolist() == [1, 3] and raw.faults.off_earth == 3
    assert raw.faults.off_earth_nodes[0] == (2, 999.0, 0.0)
    graph, report = build_graph(raw)
    assert graph.link_count == 1 and report.nodes_off_earth == 3 and report.border_nodes == 0
    assert report.length_m == pytest.approx(1113.2, abs=0.1)


def test_of_objects_told_twice_the_last_holds(read_osm):
    body = node(1, 0, 0) + node(2, 0.01, 0) + node(1, 0.005, 0) + node(3, 0, 1, barrier="gate") + node(3, 0, 1)
    body += way(1, [1, 2], highway="path") + way(1, [2, 1], highway="steps")
    raw = read_osm(body)
    assert raw.faults.repeated == 3 and len(raw.way_id) == 1
    assert raw.way_refs.tolist() == [2, 1] and raw.way_column("highway").at(0) == "steps"
    assert raw.node_lon[raw.node_id == 1].tolist() == [0.005]


def test_neighbouring_extracts_become_one_graph(read_osm):
    shared = node(2, 0.01, 0, barrier="gate")
    left = read_osm(node(1, 0, 0) + shared + way(1, [1, 2, 3], highway="path", name="Heron Lane"))
    right = read_osm(
        shared
        + node(3, 0.02, 0)
        + way(1, [1, 2, 3], highway="path", name="Heron Lane")
        + way(2, [3, 2], highway="steps")
    )
    raw = combined([left, right])
    assert sorted(raw.node_id.tolist()) == [1, 2, 3] and raw.way_id.tolist() == [1, 2]
    assert raw.way_column("name").decode() == ["Heron Lane", None]
    graph, report = build_graph(raw, merge=False)
    assert report.references_missing == 0 and graph.link_count == 3
    assert graph.node_tag("barrier").present().sum() == 1
    assert combined([left]) is left


def test_extracts_without_anything_in_common_keep_all_they_have(read_osm):
    parts = [
        read_osm(node(2 * i + 1, i, 0) + node(2 * i + 2, i, 0.01) + way(i, [2 * i + 1, 2 * i + 2], highway="path"))
        for i in range(3)
    ]
    raw = combined(parts)
    assert raw.ways_seen == 3 and len(np.unique(raw.vertex_row)) == 6
