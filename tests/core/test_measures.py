"""Accessibility measures against small cases worked by hand, and homes against the exact streets of zones."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from awl.core.analysis.access_measures import cumulative, decayed, gini, gravity, kth_time, lorenz, two_step
from awl.core.analysis.population_points import (
    PopulationPoints,
    PopulationReach,
    homes_at_points,
    homes_on_streets,
    minutes_to_place,
    points_in_zones,
    points_over_areas,
    straight_share_of_homes,
)
from awl.core.analysis.travel_times import Times, times_between
from awl.core.analysis.zones import ZoneReach, zone_streets
from awl.core.routing.dijkstra.plain import arrivals, matrix
from awl.core.routing.reach import reach_of
from awl.core.routing.router import StreetRouter
from awl.core.routing.snapping import Snapper
from tests.conftest import inside_cut
from tests.examples import examples
from tests.oracle import random_places

INF = np.inf
TABLE = np.array([[5.0, 10.0, INF], [10.0, 0.0, 30.0], [INF, INF, INF]])
TIME = Times.of_table(TABLE)
SEATS = np.array([40.0, 10.0, 100.0])


def test_what_is_within_a_limit():
    assert cumulative(TIME.within(10), SEATS).tolist() == [50, 50, 0]
    assert cumulative(TIME.within(30), np.ones(3)).tolist() == [2, 3, 0]
    assert cumulative(TIME.within(4.99), SEATS).tolist() == [0, 10, 0]


@pytest.mark.parametrize("kind", ["exponential", "power", "gaussian"])
def test_decay_is_one_at_once_and_a_half_at_half(kind):
    share = decayed(np.array([0.0, 10.0, 20.0, INF]), kind, 10.0)
    assert share[0] == 1 and share[1] == pytest.approx(0.5) and share[3] == 0
    assert share[2] == pytest.approx({"exponential": 1 / 4, "power": 1 / 3, "gaussian": 1 / 16}[kind])


def test_potential_by_hand():
    # 40 seats at half their worth and 10 at a quarter; 40 at a quarter, 10 in full, 100 at 1/64.
    assert gravity(TIME, SEATS, "exponential", 5.0) == pytest.approx([22.5, 10 + 10 + 100 / 64, 0])


def test_the_kth_nearest():
    assert kth_time(TIME, 1).tolist() == [5, 0, INF]
    assert kth_time(TIME, 2).tolist() == [10, 10, INF]
    assert kth_time(TIME, 4).tolist() == [INF] * 3


def test_two_steps_by_hand():
    people = np.array([100.0, 300.0, 50.0])
    # Within 10 min both first homes reach both first places: 40 / 400 + 10 / 400 each; nobody reaches the third.
    assert two_step(TIME, SEATS, people, 10) == pytest.approx([0.125, 0.125, 0])
    # With decay, half at 10 min: demand at place 1 is 100 * 0.7071 + 300 * 0.5, at place 2 it is 100 * 0.5 + 300.
    first, second = 40 / (100 * 0.5**0.5 + 150), 10 / 350
    assert two_step(TIME, SEATS, people, 10, ("exponential", 10.0)) == pytest.approx(
        [first * 0.5**0.5 + second * 0.5, first * 0.5 + second, 0]
    )


@settings(max_examples=examples(60), deadline=None)
@given(st.integers(1, 30), st.integers(1, 8), st.integers(0, 2**32 - 1))
def test_all_that_is_offered_to_somebody_is_handed_out(population_points, places, seed):
    rng = np.random.default_rng(seed)
    time = np.where(rng.random((population_points, places)) < 0.3, INF, rng.uniform(0, 40, (population_points, places)))
    people, offer = rng.uniform(0, 50, population_points), rng.uniform(0, 9, places)
    supply = two_step(Times.of_table(time), offer, people, 20)
    reached = people @ (time <= 20) > 0
    assert people @ supply == pytest.approx(offer[reached].sum())


def test_inequality_by_hand():
    ones = np.ones(4)
    assert gini(np.full(4, 7.0), ones) == pytest.approx(0)
    assert gini(np.array([0.0, 0, 0, 8]), ones) == pytest.approx(0.75)
    assert gini(np.array([1.0, 3.0]), np.array([3.0, 1.0])) == pytest.approx(0.25)
    heads, held = lorenz(np.array([3.0, 1.0]), np.array([1.0, 3.0]))
    assert heads.tolist() == [0, 0.75, 1] and held.tolist() == [0, 0.5, 1]
    assert gini(np.zeros(3), np.ones(3)) == pytest.approx(0)


@pytest.fixture(scope="module")
def zones(walk):
    return walk.graph.plane.project(inside_cut("zones").geometry)


@pytest.mark.parametrize("direction", ["from", "to"])
@pytest.mark.parametrize("which", ["walk", "drive"])
def test_minutes_to_one_place_are_those_of_its_reach(study, zones, which, direction):
    network = study.network(which)
    population_points = homes_on_streets(zone_streets(network, zones))
    for row in range(4):
        place = random_places(network, 4, 9).take(np.array([row]))
        found = arrivals(network, place, "time", direction)
        minutes = minutes_to_place(population_points, network, place, found)
        assert np.allclose(minutes, population_points.minutes(reach_of(network, place, found)), atol=1e-6)


@pytest.mark.parametrize("direction", ["from", "to"])
def test_a_home_is_as_near_as_it_would_be_as_a_place(study, direction):
    network = study.network("drive")
    places, there = random_places(network, 5, 8), random_places(network, 62, 9)
    there = there.take(
        (there.fraction > 0) & (there.fraction < 1)
    )  # a home at the end of a street is on that street alone
    assert len(there.alternatives.place) > 20
    nothing = np.zeros(60)
    population_points = PopulationPoints(
        np.arange(60), nothing + 1, there.link, there.fraction, nothing, nothing, nothing, 60, there.alternatives
    )
    ends = (places, there) if direction == "from" else (there, places)
    cost = matrix(network, *ends, "time")[0]
    cost = (cost if direction == "from" else cost.T) / 60_000
    times = times_between(StreetRouter(network), places, population_points, direction, 10_000_000)
    table = np.full((60, 5), INF)
    table[times.home, times.place] = times.minutes
    assert np.allclose(table.T, cost, atol=0.001)
    reach = reach_of(network, places, arrivals(network, places, "time", direction))
    assert population_points.minutes(reach) == pytest.approx(cost.min(axis=0), abs=0.001)
    nearest = PopulationReach(population_points, reach).nearest_owner(5)
    assert cost[nearest, np.arange(60)] == pytest.approx(cost.min(axis=0), abs=0.001)


@pytest.mark.parametrize("limit", [2, 5, 60])
@pytest.mark.parametrize("direction", ["from", "to"])
@pytest.mark.parametrize("which", ["walk", "drive"])
def test_times_within_a_limit_are_those_of_every_single_search(study, zones, which, direction, limit):
    network = study.network(which)
    population_points = homes_on_streets(zone_streets(network, zones))
    places = random_places(network, 6, 3)
    times = times_between(StreetRouter(network), places, population_points, direction, limit * 60_000)
    table = np.full((len(population_points.zone), 6), INF)
    table[times.home, times.place] = times.minutes
    assert (np.diff(times.place) >= 0).all() and times.minutes.max(initial=0) <= limit
    for row in range(6):
        place = places.take(np.array([row]))
        whole = minutes_to_place(population_points, network, place, arrivals(network, place, "time", direction))
        assert np.allclose(table[:, row], np.where(whole <= limit, whole, INF), atol=1e-6)
    nearest = np.argsort(table, axis=1, kind="stable")
    rank = np.argsort(nearest, axis=1)
    assert np.array_equal(times.nth, rank[times.home, times.place])


def test_homes_along_streets_agree_with_exact_splitting(walk, zones):
    streets = zone_streets(walk, zones)
    population_points = homes_on_streets(streets, 2.0)
    places = random_places(walk, 5, 4)
    reach = reach_of(walk, places, arrivals(walk, places, "time", "to"))
    exact, sampled = ZoneReach(streets, reach), PopulationReach(population_points, reach)
    lived_in = streets.zone_length_m > 100
    for minutes in (3, 7):
        one, two = exact.share_within(minutes * 60_000), sampled.share_within(minutes * 60_000)
        assert one[lived_in] == pytest.approx(two[lived_in], abs=0.02)
    assert exact.mean_arrival()[lived_in] == pytest.approx(sampled.mean_arrival()[lived_in], rel=0.02)
    assert (exact.nearest_owner(5)[lived_in] == sampled.nearest_owner(5)[lived_in]).mean() > 0.9


def test_points_over_areas_lie_inside_and_share_the_people_out(walk, zones):
    zone, x, y = points_over_areas(zones)
    assert set(zone) == set(range(len(zones)))
    assert all(zones[z].covers(shapely.Point(a, b)) for z, a, b in zip(zone[::7], x[::7], y[::7], strict=True))
    population_points = homes_at_points(
        len(zones), zone, np.ones(len(zone)), (x, y), walk.graph.plane, Snapper(walk), 400.0
    )
    assert np.bincount(population_points.zone, population_points.share) == pytest.approx(np.ones(len(zones)))
    assert (population_points.placed_share <= 1 + 1e-9).all() and population_points.placed_share.max() == pytest.approx(
        1
    )
    # A straight line: brute force over all pairs.
    px, py = x[::900], y[::900]
    near = (np.hypot(x[:, None] - px, y[:, None] - py) <= 250).any(axis=1) & (
        population_points.link[np.argsort(zone, kind="stable")] >= 0
    )
    expected = np.array([near[zone == z].mean() for z in range(len(zones))])
    assert straight_share_of_homes(population_points, px, py, 250.0) == pytest.approx(expected)


def test_a_point_belongs_to_one_zone():
    zones = np.array([shapely.box(0, 0, 10, 10), shapely.box(10, 0, 20, 10)])
    zone, row = points_in_zones(zones, np.array([5.0, 10.0, 15.0, 99.0]), np.array([5.0, 5.0, 5.0, 5.0]))
    assert list(zip(zone.tolist(), row.tolist(), strict=True)) == [(0, 0), (0, 1), (1, 2)]
