"""The way to the first stop by another mode: against searches of each way by itself."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from awl.core.graph.street_graph import StreetGraph
from awl.core.modes.mode import SHIPPED
from awl.core.network.network import Network
from awl.core.routing.dijkstra.search import UNREACHED
from awl.core.routing.router import StreetRouter
from awl.core.routing.snapping import Snapped, Snapper
from awl.core.transit.first_mile import NEAR_M, FirstMile, Parking
from awl.core.transit.itineraries import PARKED, ItineraryFinder, WalkLeg
from awl.core.transit.router import TransitRouter
from awl.core.transit.search import TimetableSearch
from awl.core.transit.stops_on_streets import StopsOnStreets
from awl.core.transit.timetable import timetable_of
from awl.core.transit.window import Bounds, Window
from tests.core.test_transit import feed_in_town
from tests.core.transit_oracle import DAY
from tests.examples import examples

NEVER = np.iinfo(np.int64).max // 4


@pytest.fixture(scope="module")
def strolling(graph: StreetGraph) -> Network:
    return Network.of(graph, replace(SHIPPED["walk"], top_speed=0.8))


@pytest.fixture(scope="module")
def riding(graph: StreetGraph) -> Network:
    return Network.of(graph, SHIPPED["cycle"])


def far(cost: np.ndarray) -> np.ndarray:
    return np.where(cost == UNREACHED, NEVER, cost.astype(np.int64))


@pytest.mark.parametrize("parks", [False, True])
@settings(max_examples=examples(30))
@given(seed=st.integers(0, 10**9))
def test_the_first_stop_is_reached_in_the_least_of_walking_and_riding(
    strolling: Network, riding: Network, parks: bool, seed: int
) -> None:
    """Each way by itself: the matrix of the other mode to where the vehicle is left, and from there on foot."""
    rng, graph = np.random.default_rng(seed), strolling.graph
    feed, street, walking = feed_in_town(rng, strolling), StreetRouter(strolling), Snapper(strolling)
    other, snapper = StreetRouter(riding), Snapper(riding)
    stops = StopsOnStreets(feed, street, walking, 100.0)
    walk_ms, limit_ms = int(rng.integers(5, 20)) * 60_000, int(rng.integers(2, 20)) * 60_000
    at = rng.integers(0, graph.node_count, 9)
    lon, lat = graph.node_lon[at], graph.node_lat[at]
    parking = Parking(lon[5:], lat[5:], list("abcd")) if parks else None
    first = FirstMile(other, snapper, stops, walking, limit_ms, walk_ms, parking)
    places = walking.snap(lon[:5], lat[:5], 100.0)
    near, on_foot = first.near(places), stops.near(places, "from", walk_ms)
    begin = snapper.snap(places.lon, places.lat, NEAR_M)
    gap = np.where(begin.is_snapped, np.rint(begin.distance_m / 0.8 * 3600), 0).astype(np.int64)
    if parking is None:
        left = snapper.snap(feed.stops.lon[stops.door_stops], feed.stops.lat[stops.door_stops], NEAR_M)
        behind = np.full((len(left.link), len(feed.stops)), NEVER)
        for platform, row, ms in zip(stops.doors.platform, stops.row_of_door, stops.doors.inward_ms, strict=True):
            behind[row, platform] = min(behind[row, platform], ms)
    else:
        left = snapper.snap(parking.lon, parking.lat, NEAR_M)
        behind = dense(stops.near(walking.snap(parking.lon, parking.lat, NEAR_M), "from", walk_ms), 4, len(feed.stops))
    ride = far(other.matrix(begin, left, "time", carrying=False)[0]) + gap[:, None]
    ride[ride > limit_ms] = NEVER
    by_ride = (ride[:, :, None] + behind[None]).min(axis=1)
    expected = np.minimum(by_ride, dense(on_foot, 5, len(feed.stops)))
    expected[expected >= NEVER] = NEVER
    assert np.array_equal(dense(near, 5, len(feed.stops)), expected), seed
    for stop in range(len(feed.stops) - 2):
        leg = first.leg(places.take(np.array([0])), stop)
        told = NEVER if leg is None else leg.takes_ms + leg.then_ms
        assert told == by_ride[0, stop] or (by_ride[0, stop] >= NEVER and told > limit_ms), seed


def dense(near, places: int, stops: int) -> np.ndarray:
    table = np.full((places, stops), NEVER)
    for place in range(places):
        rows = slice(int(near.start[place]), int(near.start[place + 1]))
        table[place, near.stop[rows]] = near.ms[rows]
    return table


@settings(max_examples=examples(20))
@given(seed=st.integers(0, 10**9))
def test_reach_at_crossings_is_what_trips_from_there_take(strolling: Network, riding: Network, seed: int) -> None:
    rng, graph = np.random.default_rng(seed), strolling.graph
    feed, street, walking = feed_in_town(rng, strolling), StreetRouter(strolling), Snapper(strolling)
    stops = StopsOnStreets(feed, street, walking, 100.0)
    walk_ms = int(rng.integers(5, 20)) * 60_000
    first = FirstMile(StreetRouter(riding), Snapper(riding), stops, walking, 12 * 60_000, walk_ms)
    search = TimetableSearch(timetable_of(feed, DAY), stops.walks(walk_ms), 0)
    window = Window((1_800_000 + np.arange(8) * 180_000).astype(np.int32), 50.0)
    router = TransitRouter(street, stops, search, window, Bounds(walk_ms), first)
    at = rng.integers(0, graph.node_count, 9)
    places = walking.snap(graph.node_lon[at], graph.node_lat[at], 100.0)
    place, homes = places.take(np.array([0])), places.take(np.arange(1, 9))
    times = router.between(place, homes, "time", "to")[0]
    cost = router.arrivals(place, "time", "to").cost
    moved = first._snapper.snap(homes.lon, homes.lat, NEAR_M)
    same = homes.access_points.at_node & moved.is_snapped & (moved.distance_m == 0)
    same &= np.isin(np.arange(len(homes.link)), moved.access_points.place[moved.access_points.at_node])
    rows = homes.access_points.nodes(graph)
    assert np.array_equal(cost[rows[same]], times[same]), seed
    assert (cost[rows] >= times).all(), seed


@settings(max_examples=examples(15))
@given(seed=st.integers(0, 10**9))
def test_itineraries_that_begin_by_another_mode_take_what_the_matrix_says(
    strolling: Network, riding: Network, seed: int
) -> None:
    rng, graph = np.random.default_rng(seed), strolling.graph
    feed, street, walking = feed_in_town(rng, strolling), StreetRouter(strolling), Snapper(strolling)
    stops = StopsOnStreets(feed, street, walking, 100.0)
    at = rng.integers(0, graph.node_count, 6)
    lon, lat = graph.node_lon[at], graph.node_lat[at]
    parking = Parking(lon[2:], lat[2:], list("abcd")) if rng.random() < 0.5 else None
    first = FirstMile(StreetRouter(riding), Snapper(riding), stops, walking, 900_000, 900_000, parking)
    search = TimetableSearch(timetable_of(feed, DAY), stops.walks(900_000), 60_000)
    window = Window((np.arange(20) * 60_000).astype(np.int32), 50.0)
    router = TransitRouter(street, stops, search, window, Bounds(900_000), first)
    places: Snapped = walking.snap(lon[:2], lat[:2], 300.0)
    for one in ItineraryFinder(router, places).departures(4):
        begin = one.legs[0]
        assert isinstance(begin, WalkLeg)
        alone = router.at(Window(np.array([one.departs_ms], np.int32), 0.0))
        took = alone.between(places.take(np.array([0])), places.take(np.array([1])), "time", "from")[0, 0]
        assert took <= one.arrives_ms - one.departs_ms, seed
        ends = [leg.begins_ms + leg.takes_ms for leg in one.legs if isinstance(leg, WalkLeg)]
        assert one.arrives_ms == ends[-1]
        if begin.by and parking is not None:
            second = one.legs[1]
            assert isinstance(second, WalkLeg) and begin.to_stop == second.from_stop == PARKED and not second.by
