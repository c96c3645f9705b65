"""Barriers shut streets for the modes that cannot pass them, and for nobody else; both sides stay usable up to the barrier."""

from __future__ import annotations

import numpy as np
import pytest

from awl.core.graph.build import build_graph
from awl.core.modes.barriers import parted, shut_nodes
from awl.core.modes.mode import CYCLE, DRIVE, LORRY, WALK, WHEELS
from awl.core.network.components import KeepParts
from awl.core.network.network import Network
from awl.core.routing.dijkstra.plain import best_leg
from awl.core.routing.snapping import Snapper
from tests.conftest import node, way

ENDS = "".join(node(i, -36.2 + i * 0.001, 41.3) for i in (1, 3)) + node(4, -36.198, 41.301)


def street(read_osm, **tags):
    """A residential street with a node in its middle, and a side street that keeps each half alive."""
    body = ENDS + node(2, -36.198, 41.3, **tags) + way(1, [1, 2, 3], highway="residential")
    return build_graph(read_osm(body))[0]


CASES = [
    ({"barrier": "bollard"}, {"walk", "wheels", "cycle"}),
    ({"barrier": "gate"}, {"walk", "wheels", "cycle", "drive", "lorry"}),
    ({"barrier": "gate", "access": "private"}, set()),
    ({"barrier": "gate", "access": "private", "foot": "yes"}, {"walk", "wheels"}),
    ({"barrier": "bollard", "motor_vehicle": "yes"}, {"walk", "wheels", "cycle", "drive", "lorry"}),
    ({"barrier": "lift_gate", "motor_vehicle": "no"}, {"walk", "wheels", "cycle"}),
    ({"barrier": "kissing_gate"}, {"walk"}),
    ({"barrier": "cycle_barrier"}, {"walk", "cycle"}),
    ({"barrier": "cycle_barrier", "wheelchair": "yes"}, {"walk", "wheels", "cycle"}),
    ({"barrier": "stile", "bicycle": "yes"}, {"walk", "cycle"}),
    ({"barrier": "wall"}, set()),
    ({"barrier": "lift_gate", "hgv": "no"}, {"walk", "wheels", "cycle", "drive"}),
]


@pytest.mark.parametrize(("tags", "passing"), CASES)
def test_who_passes(read_osm, tags, passing):
    graph = street(read_osm, **tags)
    found = {mode.id for mode in (WALK, WHEELS, CYCLE, DRIVE, LORRY) if len(shut_nodes(mode, graph)) == 0}
    assert found == passing


def test_both_halves_stay_usable_and_no_way_leads_through(read_osm):
    graph = street(read_osm, barrier="bollard")
    drive = Network.of(graph, DRIVE, KeepParts("all"))
    assert drive.usable.all() and drive.graph.node_count == graph.node_count + 1
    assert np.array_equal(np.sort(drive.graph.node_id), [1, 2, 3, 4])
    places = Snapper(drive).snap(np.array([-36.1988, -36.1972]), np.array([41.3, 41.3]), 50)
    assert best_leg(drive, places, 0, 1, "time") is None
    walk = Network.of(graph, WALK)
    assert (
        best_leg(walk, Snapper(walk).snap(np.array([-36.1988, -36.1972]), np.array([41.3, 41.3]), 50), 0, 1, "time")
        is not None
    )


def test_a_barrier_where_streets_meet_stands_beside_them(read_osm):
    body = (
        ENDS
        + node(2, -36.198, 41.3, barrier="bollard")
        + way(1, [1, 2, 3], highway="road")
        + way(2, [2, 4], highway="road")
    )
    graph = build_graph(read_osm(body))[0]
    assert len(shut_nodes(DRIVE, graph)) == 0 and parted(DRIVE, graph) is graph


def test_only_ends_at_barriers_change(graph):
    apart = parted(DRIVE, graph)
    twins = np.arange(graph.node_count, apart.node_count)
    for before, after in ((graph.link_from, apart.link_from), (graph.link_to, apart.link_to)):
        changed = before != after
        assert np.isin(after[changed], twins).all() and not np.isin(before, twins).any()
    shut = shut_nodes(DRIVE, graph)
    assert len(twins) == len(shut)
    degree = np.bincount(np.concatenate([apart.link_from, apart.link_to]), minlength=apart.node_count)
    assert (degree[shut] == 1).all() and (degree[twins] == 1).all()
