"""Regions to measure on look like road networks: degrees, hierarchy, one connected net."""

from __future__ import annotations

import numpy as np
import pytest

from awl.core.graph.build import build_graph
from awl.core.modes.mode import DRIVE, WALK
from awl.core.network.network import Network
from awl.core.routing.cch.hierarchy import Hierarchy
from awl.io import osm_pbf
from demo.regions import make_region


@pytest.fixture(scope="module")
def region(tmp_path_factory):
    path = tmp_path_factory.mktemp("region") / "r.osm.pbf"
    osm_pbf.write(path, make_region(40_000))
    return osm_pbf.read(path)


def test_the_size_and_the_shape_of_a_road_network(region):
    graph, report = build_graph(region)
    assert 30_000 < graph.node_count < 50_000 and report.references_missing == 0
    degree = np.bincount(np.concatenate([graph.link_from, graph.link_to]))
    share = np.bincount(degree, minlength=6) / len(degree)
    assert 2.3 < degree.mean() < 3.2
    assert 0.02 < share[1] < 0.2 and share[3] > 0.25 and share[5:].sum() < 0.05
    assert len(region.node_id) > 2 * graph.node_count, "streets have bends"


def test_the_hierarchy(region):
    graph, _ = build_graph(region)
    kinds = graph.tag("highway")
    metres = {kind: graph.link_length[kinds.equals(kind)].sum() for kind in kinds.values}
    assert metres["residential"] > metres["tertiary"] > metres["primary"] > 0
    parts = Network.of(graph, DRIVE).parts_report
    assert parts.left_out_m < 0.15 * parts.kept_m


def test_the_same_seed_gives_the_same_region():
    a, b, c = make_region(3000), make_region(3000), make_region(3000, seed=6)
    assert np.array_equal(a.node_lon, b.node_lon) and np.array_equal(a.way_refs, b.way_refs)
    assert not np.array_equal(a.node_lon, c.node_lon)


def test_barriers_leave_one_net_that_is_easier_to_cut_in_two(region, tmp_path):
    path = tmp_path / "barriers.osm.pbf"
    osm_pbf.write(path, make_region(40_000, barriers=True))
    pairs = []
    for extract in (region, osm_pbf.read(path)):
        network = Network.of(build_graph(extract)[0], WALK)
        higher = np.diff(Hierarchy.of(network).topology.start).astype(np.int64)
        pairs.append((higher * (higher - 1) // 2).sum())
    assert pairs[1] < pairs[0] / 2
    assert 2.4 < len(network.states.steps.tail) / network.states.count < 2.75
    assert network.parts_report.left_out_m < 0.15 * network.parts_report.kept_m
