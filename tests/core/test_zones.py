"""People along streets: against dense sampling that shares nothing with the exact splitting."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from awl.core.analysis.zones import LIVED_ON, ZONE_EDGE_M, StraightShare, ZoneReach, length_by_owner, zone_streets
from awl.core.routing.dijkstra.plain import arrivals
from awl.core.routing.reach import reach_of, reached_parts
from tests.conftest import inside_cut
from tests.examples import examples
from tests.oracle import random_places


@pytest.fixture(scope="module")
def zones(walk):
    return walk.graph.plane.project(inside_cut("zones").geometry)


@pytest.fixture(scope="module")
def served(walk, zones):
    places = random_places(walk, 6, 33, alternatives=False)
    found = arrivals(walk, places, "time", "to")
    return places, reach_of(walk, places, found), zone_streets(walk, zones)


def sampled(walk, zones):
    """Points every half metre of residential frontage, with link and fraction, and the zones each lies in or by."""
    graph = walk.graph
    links = np.flatnonzero(walk.usable & np.isin(graph.tag("highway").decode(), LIVED_ON))
    counts = np.maximum((graph.link_length[links] * 2).astype(int), 1)
    link = np.repeat(links, counts)
    nth = np.arange(len(link)) - np.repeat(np.cumsum(counts) - counts, counts)
    fraction = (nth + 0.5) / np.repeat(counts, counts)
    points = shapely.line_interpolate_point(graph.lines_xy[link], fraction, normalized=True)
    weight = np.repeat(graph.link_length[links] / counts, counts)
    inside = np.array([shapely.contains(shapely.buffer(z, ZONE_EDGE_M, join_style="mitre"), points) for z in zones])
    return link, fraction, weight, inside


def arrival_at(reach, link, fraction):
    """Arrival at points by a plain loop over the pieces of each link."""
    by_link = {}
    for row, name in enumerate(reach.link.tolist()):
        by_link.setdefault(name, []).append(row)
    out = np.full(len(link), np.inf)
    for i, (name, at) in enumerate(zip(link.tolist(), fraction.tolist(), strict=True)):
        for row in by_link[name]:
            if reach.begin[row] <= at <= reach.end[row]:
                ahead = reach.at_begin[row] + (at - reach.begin[row]) * reach.up[row]
                behind = reach.at_end[row] + (reach.end[row] - at) * reach.down[row]
                out[i] = min(out[i], ahead, behind)
    return out


def test_lengths_and_shares_equal_dense_sampling(walk, zones, served):
    _, reach, streets = served
    link, fraction, weight, inside = sampled(walk, zones)
    length = np.array([weight[mask].sum() for mask in inside])
    assert streets.zone_length_m == pytest.approx(length, rel=0.01, abs=5)
    arrival = arrival_at(reach, link, fraction)
    for minutes in (2, 5, 9):
        share = ZoneReach(streets, reach).share_within(minutes * 60_000)
        expected = np.array([weight[mask & (arrival <= minutes * 60_000)].sum() for mask in inside]) / np.maximum(
            length, 1e-9
        )
        real = length > 50
        assert share[real] == pytest.approx(expected[real], abs=0.01)
    mean = ZoneReach(streets, reach).mean_arrival()
    expected = np.array([np.average(arrival[mask], weights=weight[mask]) if mask.any() else np.nan for mask in inside])
    assert mean[length > 50] == pytest.approx(expected[length > 50], rel=0.02)


def test_the_nearest_place_of_a_zone_serves_most_of_it(walk, zones, served):
    places, reach, streets = served
    by_owner = length_by_owner(streets, reached_parts(reach, 2**31), len(places.link))
    nearest = ZoneReach(streets, reach).nearest_owner(len(places.link))
    top = np.sort(by_owner, axis=1)
    clear = top[:, -1] > 1.1 * top[:, -2] + 10
    assert (nearest[clear] == by_owner.argmax(axis=1)[clear]).all()


@settings(max_examples=examples(25), deadline=None)
@given(st.integers(0, 10_000), st.floats(0.2, 20))
def test_shares_by_place_add_up_to_the_share_within(walk, zones, seed, minutes):
    places = random_places(walk, 4, seed)
    found = arrivals(walk, places, "time", "to")
    reach = reach_of(walk, places, found)
    streets = zone_streets(walk, zones)
    limit = minutes * 60_000
    share = np.nan_to_num(ZoneReach(streets, reach).share_within(limit)) * streets.zone_length_m
    by_owner = length_by_owner(streets, reached_parts(reach, limit), 4).sum(axis=1)
    assert by_owner == pytest.approx(share, abs=1e-3 * max(streets.zone_length_m.max(), 1))
    assert (share <= streets.zone_length_m + 1e-6).all()


def test_the_straight_line_never_reaches_less_than_the_streets(walk, zones, served):
    places, reach, streets = served
    x, y = walk.graph.plane.xy(walk.graph.node_lon[:1], walk.graph.node_lat[:1])
    whole = StraightShare(walk, streets).within(x, y, 1e5)
    assert whole[streets.zone_length_m > 0] == pytest.approx(1.0)
    assert np.nan_to_num(StraightShare(walk, streets).within(x, y, 0.5)).max() < 0.1
    points = shapely.line_interpolate_point(walk.graph.lines_xy[places.link], places.fraction, normalized=True)
    xy = shapely.get_coordinates(points)
    metres = 5 * 60 * 4.8 / 3.6
    straight = StraightShare(walk, streets).within(xy[:, 0], xy[:, 1], metres + 1)
    network = ZoneReach(streets, reach).share_within(5 * 60_000)
    real = streets.zone_length_m > 0
    assert (straight[real] >= network[real] - 1e-3).all()


def test_a_zone_without_streets_is_known_as_such(walk):
    far = shapely.box(1e6, 1e6, 1e6 + 100, 1e6 + 100)
    streets = zone_streets(walk, np.array([far]))
    assert streets.zone_length_m.tolist() == [0.0]
