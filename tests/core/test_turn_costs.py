"""What turns, signals and streets open at trip ends do to a way: small cases worked by hand."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from awl.core.graph.build import build_graph
from awl.core.modes.mode import DRIVE, Delays
from awl.core.network.components import KeepParts
from awl.core.network.network import Network
from awl.core.routing.dijkstra.plain import arrivals, best_leg, matrix
from awl.core.routing.dijkstra.search import UNREACHED
from awl.core.routing.reach import reach_of, reached_parts
from awl.core.routing.snapping import Snapper
from tests.conftest import node, way

WEST, MIDDLE, EAST, NORTH, SOUTH = (-36.2, 41.3), (-36.199, 41.3), (-36.198, 41.3), (-36.199, 41.301), (-36.199, 41.299)
SPOTS = {1: WEST, 2: MIDDLE, 3: EAST, 4: NORTH, 5: SOUTH}


def crossing(read_osm, delays, middle=None, **more):
    """Four streets of one name each that meet at a node; `more` are tags of the street to the east."""
    body = "".join(node(i, *spot, **(middle or {} if i == 2 else {})) for i, spot in SPOTS.items())
    for number, (name, end) in enumerate({"west": 1, "east": 3, "north": 4, "south": 5}.items(), 1):
        tags = more if name == "east" else {}
        body += way(number, [2, end], name=name, **{"highway": "residential", **tags})
    graph, _ = build_graph(read_osm(body))
    return Network.of(graph, replace(DRIVE, delays=delays), KeepParts("all"))


def lost(network, a, b):
    """Seconds between the outer ends of two streets beyond the time along them."""
    places = Snapper(network).snap(*np.array([a, b]).T, 20)
    cost, _ = matrix(network, places, places, "time")
    along = network.duration_ms[places.link, 0].sum()
    return (int(cost[0, 1]) - int(along)) / 1000


def test_left_right_and_straight_cost_what_the_mode_says(read_osm):
    network = crossing(read_osm, Delays(left_s=7, right_s=3, back_s=20))
    assert lost(network, WEST, NORTH) == pytest.approx(7, abs=0.01)
    assert lost(network, WEST, SOUTH) == pytest.approx(3, abs=0.01)
    assert lost(network, WEST, EAST) == pytest.approx(0, abs=0.01)
    assert lost(network, NORTH, EAST) == pytest.approx(7, abs=0.01)


def test_who_comes_from_a_minor_street_gives_way_unless_signals_stand(read_osm):
    delays = Delays(give_way_s=5, signals_s=11)
    network = crossing(read_osm, delays, highway="primary")
    assert lost(network, WEST, EAST) == pytest.approx(5, abs=0.01)
    assert lost(network, EAST, WEST) == pytest.approx(0, abs=0.01)
    signals = crossing(read_osm, delays, {"highway": "traffic_signals"}, highway="primary")
    assert lost(signals, WEST, EAST) == lost(signals, EAST, WEST) == pytest.approx(11, abs=0.01)


def test_the_way_says_where_it_lost_time_and_trips_cost_their_ends(read_osm):
    network = crossing(read_osm, Delays(left_s=7, start_s=30, end_s=60))
    places = Snapper(network).snap(*np.array([WEST, NORTH]).T, 20)
    leg = best_leg(network, places, 0, 1, "time")
    assert leg.delay_ms.tolist() == [0, 7000] and network.terminal_time("time") == 90_000
    cost, metres = matrix(network, places, places, "time")
    assert cost[0, 1] == leg.cost + 90_000 and cost[0, 0] == 90_000
    assert metres[0, 1] == pytest.approx(network.length_mm.sum() / 2, rel=0.3)
    assert matrix(network, places, places, "time", limit=90_000)[0].tolist() == [
        [90_000, UNREACHED],
        [UNREACHED, 90_000],
    ]
    found = arrivals(network, places.take(np.array([0])), "time")
    reach = reach_of(network, places.take(np.array([0])), found)
    assert len(reached_parts(reach, 89_999).link) == 0, "nobody is anywhere before the trip has begun"
    assert len(reached_parts(reach, 95_000).link) > 0


def ring(read_osm, **tags):
    """A short street between two corners, and a long way round; both ends go on."""
    body = node(1, -36.2, 41.3) + node(2, -36.199, 41.3) + node(3, -36.197, 41.3) + node(4, -36.196, 41.3)
    body += (
        node(5, -36.198, 41.304)
        + way(1, [1, 2], highway="tertiary", name="in")
        + way(3, [3, 4], highway="tertiary", name="out")
    )
    body += way(2, [2, 3], name="short", **tags) + way(4, [2, 5, 3], highway="tertiary", name="round")
    graph, _ = build_graph(read_osm(body))
    return Network.of(graph, replace(DRIVE, delays=Delays()), KeepParts("all"))


def names(network, a, b):
    places = Snapper(network).snap(*np.array([a, b]).T, 20)
    leg = best_leg(network, places, 0, 1, "time")
    return [network.graph.tag("name").at(link) for link in leg.links]


def test_a_destination_only_street_is_used_at_ends_and_never_passed_through(read_osm):
    network = ring(read_osm, highway="residential", motor_vehicle="destination")
    first, last, inside = (-36.1995, 41.3), (-36.1965, 41.3), (-36.198, 41.3)
    assert names(network, first, last) == ["in", "round", "out"]
    assert names(network, first, inside) == ["in", "short"] and names(network, inside, last) == ["short", "out"]
    open_street = ring(read_osm, highway="residential")
    assert names(open_street, first, last) == ["in", "short", "out"]
    # Reach says the same: at its far end the street gives nobody a shorter way on.
    spots = Snapper(network).snap(*np.array([first, last]).T, 20)
    found = reach_of(network, spots.take(np.array([0])), arrivals(network, spots.take(np.array([0])), "time"))
    row = np.flatnonzero(found.link == spots.link[1])
    assert found.at(row, spots.fraction[1:])[0] == pytest.approx(matrix(network, spots, spots, "time")[0][0, 1], abs=2)
