"""Slope: uphill takes longer by the published functions, and only where the ground says so."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from awl.core.graph.build import build_graph
from awl.core.modes.mode import CYCLE, WALK, WHEELS, Slope
from awl.core.modes.rules import BY_SLOPE
from awl.core.modes.slope import PUSHING, heights_of, riding_speed, step_pace
from awl.core.network.components import KeepParts
from awl.core.network.network import Network
from tests.conftest import node, way

LAT = 41.3
METRES_EAST = 111_320 * math.cos(math.radians(LAT))
"""Metres of a degree of longitude, near enough."""


def hill(read_osm, grade, **tags):
    """A street of about 400 m that climbs evenly eastwards, and its heights."""
    body = node(1, -36.2, LAT) + node(2, -36.1976, LAT + 0.0004) + node(3, -36.1952, LAT)
    graph, _ = build_graph(read_osm(body + way(1, [1, 2, 3], highway="residential", **tags)))
    return graph, heights_of(graph, lambda lon, lat: grade * (lon + 36.2) * METRES_EAST)


def test_walking_uphill_takes_longer_than_downhill_by_the_hiking_function(read_osm):
    graph, heights = hill(read_osm, 0.10)
    walk = Network.of(graph, WALK, KeepParts("all"), heights=heights)
    up, down = (int(column[0]) / 1000 for column in walk.directed("time"))
    steep = 0.10 * 0.0048 * METRES_EAST / graph.link_length[0]
    flat = graph.link_length[0] / (4.8 / 3.6)
    # Tobler: 6 exp(-3.5 |grade + 0.05|) km/h, held against its value on the flat.
    expected = [flat * math.exp(3.5 * (abs(way * steep + 0.05) - 0.05)) for way in (1, -1)]
    assert up == pytest.approx(expected[0], rel=0.005) and down == pytest.approx(expected[1], rel=0.005)
    assert up > 1.3 * flat > down


def test_a_hill_between_level_ends_costs_time_though_the_ends_lie_level(read_osm):
    graph, _ = hill(read_osm, 0)
    bump = heights_of(graph, lambda lon, lat: 15 * np.sin((lon + 36.2) / 0.0048 * math.pi))
    assert bump.climb()[0] == pytest.approx([15, 15], abs=0.5)
    over = Network.of(graph, WALK, KeepParts("all"), heights=bump).duration_ms[0]
    assert (over > 1.1 * Network.of(graph, WALK, KeepParts("all")).duration_ms[0]).all()


@pytest.mark.parametrize("key", ["bridge", "tunnel"])
def test_the_ground_under_a_bridge_or_over_a_tunnel_does_not_count(read_osm, key):
    graph, _ = hill(read_osm, 0, **{key: "yes"})
    valley = heights_of(graph, lambda lon, lat: -20 * np.sin((lon + 36.2) / 0.0048 * math.pi))
    assert valley.climb()[0] == pytest.approx([0, 0], abs=1e-6)


def test_where_no_height_is_known_nothing_changes(read_osm):
    graph, _ = hill(read_osm, 0)
    nothing = heights_of(graph, lambda lon, lat: np.full(len(lon), np.nan))
    assert (nothing.grade == 0).all()
    blind = Network.of(graph, WALK, KeepParts("all"), heights=nothing)
    assert np.array_equal(blind.duration_ms, Network.of(graph, WALK, KeepParts("all")).duration_ms)


def test_wheels_do_not_take_slopes_above_their_limit(read_osm):
    graph, gentle = hill(read_osm, 0.05)
    assert Network.of(graph, WHEELS, KeepParts("all"), heights=gentle).usable.all()
    graph, steep = hill(read_osm, 0.10)
    with pytest.raises(Exception, match="no connected street"):
        Network.of(graph, WHEELS, KeepParts("all"), heights=steep)
    body = node(1, -36.2, LAT) + node(2, -36.198, LAT) + node(3, -36.196, LAT)
    ways = way(1, [1, 2], highway="residential", name="a") + way(2, [2, 3], highway="residential", name="b")
    graph, _ = build_graph(read_osm(body + ways))
    heights = heights_of(graph, lambda lon, lat: np.maximum(lon + 36.198, 0) * METRES_EAST * 0.12)
    use = Network.of(graph, WHEELS, KeepParts("all"), heights=heights).use
    assert dict(zip(graph.tag("name").decode(), use.reason.tolist(), strict=True)) == {"a": 0, "b": BY_SLOPE}


@given(st.floats(-0.15, 0.15), st.floats(60, 300), st.floats(60, 140))
def test_a_rider_spends_the_power_he_has(grade, power, mass):
    speed = float(riding_speed(np.array([grade]), power, mass)[0])
    if speed <= PUSHING * 1.001 or speed > 39:
        return
    angle = math.atan(grade)
    spent = (mass * 9.81 * (0.008 * math.cos(angle) + math.sin(angle)) + 0.5 * 1.2 * 0.6 * speed**2) * speed
    assert spent == pytest.approx(power, rel=1e-3)


def test_cycling_downhill_is_capped_by_the_top_speed(read_osm):
    graph, heights = hill(read_osm, -0.08)
    ride = Network.of(graph, CYCLE, KeepParts("all"), heights=heights)
    down, up = (graph.link_length[0] / int(column[0]) * 3600 for column in ride.directed("time"))
    assert down == pytest.approx(CYCLE.top_speed, rel=0.01) and up < 8


def test_the_pace_on_the_flat_is_one():
    for slope in (Slope(), Slope("hiking"), Slope("power")):
        assert step_pace(slope, np.zeros(3)) == pytest.approx(1.0)
