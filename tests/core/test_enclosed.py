"""Whoever is put on a street can go to, and be reached from, everybody else who is: turns and private streets counted."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings

from awl.core.graph.build import build_graph
from awl.core.modes.mode import SHIPPED
from awl.core.network.components import KeepParts
from awl.core.network.network import Network
from awl.core.routing.snapping import ON_STREET, Snapper
from tests.conftest import node, way
from tests.core.test_search import networks
from tests.examples import examples
from tests.oracle import times_between


def middles(network):
    """The middle of every link, as coordinates."""
    graph = network.graph
    half = [(a + b) // 2 for a, b in zip(graph.shape_start[:-1], graph.shape_start[1:], strict=True)]
    step = np.maximum(np.array(half), graph.shape_start[:-1] + 1)
    lon = (graph.shape_lon[step] + graph.shape_lon[step - 1]) / 2
    return lon, (graph.shape_lat[step] + graph.shape_lat[step - 1]) / 2


@settings(max_examples=examples(80), deadline=None)
@given(networks())
def test_every_pair_of_places_on_streets_has_a_path(network):
    places = Snapper(network).snap(*middles(network), 2000.0)
    rows = np.flatnonzero(places.status == ON_STREET)[:12]
    times = times_between(network, places.take(rows))
    assert np.isfinite(times).all(), network.enclosed.sum()


@pytest.mark.parametrize("mode", SHIPPED)
def test_little_of_a_town_is_enclosed(graph, mode):
    network = Network.of(graph, SHIPPED[mode])
    length = network.graph.link_length
    assert length[network.enclosed].sum() < 0.01 * length[network.usable].sum()


def test_with_all_parts_used_nothing_is_enclosed(graph):
    assert not Network.of(graph, SHIPPED["drive"], KeepParts("all")).enclosed.any()


def test_a_public_street_behind_private_ones_is_named(read_osm):
    body = "".join(node(i, -36.2 + i * 0.001, 41.3) for i in range(1, 7)) + node(9, -36.2, 41.301)
    body += way(1, [1, 2, 3], highway="residential") + way(2, [3, 4], highway="residential", access="private")
    body += way(3, [4, 5], highway="residential") + way(4, [5, 6], highway="residential", access="private")
    body += way(5, [1, 9], highway="residential")
    graph = build_graph(read_osm(body), merge=False)[0]
    network = Network.of(graph, SHIPPED["drive"])
    names = graph.link_way[network.enclosed].tolist()
    assert set(names) == {3, 4}, (
        "from behind one private street nobody gets out; the private one itself serves the end of a trip"
    )
