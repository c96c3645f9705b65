"""Ways of trips at every departure of a window, and what they load: against single searches and a count by hand."""

from __future__ import annotations

from collections import Counter
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from awl.core.errors import AwlError
from awl.core.graph.street_graph import StreetGraph
from awl.core.network.network import Network
from awl.core.routing.dijkstra.search import UNREACHED
from awl.core.routing.router import StreetRouter
from awl.core.routing.snapping import Snapper
from awl.core.transit.changing import ChangeLimits
from awl.core.transit.itineraries import ride_leg
from awl.core.transit.loads import segment_loads, stop_loads
from awl.core.transit.router import TransitRouter
from awl.core.transit.scan import NEVER
from awl.core.transit.search import Ride, TimetableSearch
from awl.core.transit.stops_on_streets import StopsOnStreets
from awl.core.transit.timetable import timetable_of
from awl.core.transit.walk_paths import at_places, at_stops, walk_paths
from awl.core.transit.ways import ways_of_trips
from awl.core.transit.window import Bounds, Window
from tests.core.test_transit import WAITS, feed_in_town, limits_of, setting, strolling  # noqa: F401
from tests.core.transit_oracle import DAY
from tests.examples import examples


@settings(max_examples=examples(150))
@given(st.integers(0, 10**9), st.sampled_from([None, 1, 3]), WAITS)
def test_journeys_of_a_window_arrive_when_a_search_of_each_departure_says(
    seed: int, rides: int | None, wait_min: int | None
) -> None:
    search, oracle, starts, ends, rng = setting(seed, wait_min)
    window = (np.arange(0, 40, 4) * 60 + int(rng.choice([0, 80_000]))).astype(np.int64)
    found = search.journeys(ends, (window * 1000).astype(np.int32), limits=limits_of(rides, wait_min))
    arrive, connections = found.arrive[-1], search.timetable.connections
    for nth, at in enumerate(window.tolist()):
        expected, reached = oracle.arrivals(starts, at, rides), set[int]()
        for point, stop in enumerate(search.timetable.points.stop.tolist()):
            if arrive[point, nth] == NEVER:
                continue
            assert arrive[point, nth] >= expected[stop] * 1000
            reached.add(stop)
            journey = found.rides_to(point, nth)
            assert journey and connections.arrival[journey[-1].alights] == arrive[point, nth]
            assert rides is None or len(journey) <= rides
            for before, after in zip(journey, journey[1:], strict=False):
                changes = search.changes
                left, boards = int(connections.target[before.alights]), int(connections.origin[after.boards])
                rows = slice(int(changes.start[left]), int(changes.start[left + 1]))
                needed = changes.ms[rows][changes.target[rows] == boards]
                waits = connections.departure[after.boards] - connections.arrival[before.alights] - needed[0]
                assert 0 <= waits <= (np.inf if wait_min is None else wait_min * 60_000), seed
        assert reached >= {stop for stop, when in expected.items() if when - at <= 86_400}


def test_ways_with_limited_waits_that_need_too_much_memory_are_refused(monkeypatch: pytest.MonkeyPatch) -> None:
    search, _, _, ends, _ = setting(1)
    window = np.arange(3, dtype=np.int32) * 60_000
    monkeypatch.setattr("awl.core.transit.search.MOST_REMEMBERED", 2)
    with pytest.raises(AwlError, match="need too much memory") as refused:
        search.journeys(ends, window, limits=limits_of(None, 5))
    assert "max_wait" in refused.value.inputs
    search.journeys(ends, window)


def town(network: Network, seed: int) -> tuple[TransitRouter, StopsOnStreets, Snapper, np.random.Generator]:
    rng = np.random.default_rng(seed)
    feed, street, snapper = feed_in_town(rng, network), StreetRouter(network), Snapper(network)
    street.prepared()
    longest = int(rng.integers(10, 60)) * 60_000
    stops = StopsOnStreets(feed, street, snapper, 100.0)
    search = TimetableSearch(timetable_of(feed, DAY), stops.walks(longest), 60_000)
    window = Window((np.arange(12) * 180_000).astype(np.int32), 50.0)
    rides = None if rng.random() < 0.5 else int(rng.integers(1, 4))
    wait_ms = None if rng.random() < 0.5 else int(rng.integers(0, 10)) * 60_000
    bounds = Bounds(longest, ChangeLimits(rides, wait_ms))
    return TransitRouter(street, stops, search, window, bounds), stops, snapper, rng


@settings(max_examples=examples(30))
@given(seed=st.integers(0, 10**9))
def test_trips_take_what_a_matrix_of_each_departure_says_and_can_be_made(
    strolling: Network,  # noqa: F811
    graph: StreetGraph,
    seed: int,
) -> None:
    router, stops, snapper, rng = town(strolling, seed)
    at = rng.integers(0, graph.node_count, 5)
    places = snapper.snap(graph.node_lon[at], graph.node_lat[at], 300.0)
    pairs = np.array([0, 0, 1, 3, 2, 4]), np.array([1, 2, 3, 0, 4, 4])
    direct = router.street.trips(places.take(pairs[0]), places.take(pairs[1]), "time").cost
    ways = ways_of_trips(router, places, places, pairs, direct)
    for nth, leaves in enumerate(router.window.at_ms):
        alone = router.at(Window(np.array([leaves]), 0.0)).between(places, places, "time", "from")
        assert np.array_equal(ways.duration_ms[:, nth], alone[pairs]), seed
    assert np.array_equal(np.bincount(ways.trip, ways.departures, minlength=6), (ways.of_departure >= 0).sum(axis=1))
    connections = router.search.timetable.connections
    near = stops.near(places, "from", router.bounds.walk_ms), stops.near(places, "to", router.bounds.walk_ms)

    def walk(row: int, stop: int, end: int) -> int:
        of_place = slice(int(near[end].start[row]), int(near[end].start[row + 1]))
        return int(near[end].ms[of_place][near[end].stop[of_place] == stop][0])

    riding = np.flatnonzero(np.diff(ways.start) > 0)
    first_walks = walk_paths(
        router, at_places(places, pairs[0][ways.trip[riding]]), at_stops(stops, ways.from_stop[riding], True)
    )
    for way, (begin, end) in enumerate(zip(ways.start[:-1].tolist(), ways.start[1:].tolist(), strict=True)):
        nth = int(np.flatnonzero((ways.of_departure == way).any(axis=0))[0])
        trip = int(ways.trip[way])
        if begin == end:
            assert ways.duration_ms[trip, nth] == direct[trip] < UNREACHED
            continue
        source, target = int(pairs[0][trip]), int(pairs[1][trip])
        out, back = walk(source, int(ways.from_stop[way]), 0), walk(target, int(ways.to_stop[way]), 1)
        assert first_walks[1][np.searchsorted(riding, way)] == out, seed
        ready = int(router.window.at_ms[nth]) + out + router.search.slack_ms
        assert connections.departure[ways.boards[begin]] >= ready
        arrives = int(connections.arrival[ways.alights[end - 1]]) + back
        assert arrives - int(router.window.at_ms[nth]) == ways.duration_ms[trip, nth], seed


@settings(max_examples=examples(60))
@given(st.integers(0, 10**9))
@example(33575).via("one stays seated from a trip to one that begins elsewhere")
def test_loads_are_those_of_a_count_by_hand(seed: int) -> None:
    search, _, _, ends, rng = setting(seed)
    found, timetable = search.journeys(ends, np.array([0, 600_000], np.int32)), search.timetable
    rides = [
        (ride, float(rng.integers(1, 5)))
        for point in range(timetable.points.count)
        for nth in (0, 1)
        for ride in found.rides_to(point, nth)
    ]
    boards, alights = (np.array([getattr(ride, end) for ride, _ in rides], np.int64) for end in ("boards", "alights"))
    weight = np.array([share for _, share in rides])
    segments, feed = segment_loads(timetable, boards, alights, weight), timetable.feed
    by_hand: Counter[tuple[int, int]] = Counter()
    boarding: Counter[int] = Counter()
    alighting: Counter[int] = Counter()
    for ride, share in rides:
        leg = ride_leg(timetable, Ride(ride.boards, ride.alights))
        ends_at = feed.stop_times.stop[feed.trip_start[1:] - 1]
        begins_at = feed.stop_times.stop[feed.trip_start[:-1]]
        # What is driven between two trips on which one stays seated is no segment of a line.
        between = Counter(
            (int(ends_at[a]), int(begins_at[b])) for a, b in pairwise(leg.trips) if ends_at[a] != begins_at[b]
        )
        for a, b in pairwise(leg.stops.tolist()):
            between[a, b] -= 1
            if between[a, b] < 0:
                by_hand[a, b] += share  # type: ignore[assignment]
        boarding[int(leg.stops[0])] += share  # type: ignore[assignment]
        alighting[int(leg.stops[-1])] += share  # type: ignore[assignment]
    over_lines: Counter[tuple[int, int]] = Counter()
    for a, b, share in zip(
        segments.from_stop.tolist(), segments.to_stop.tolist(), segments.trips.tolist(), strict=True
    ):
        over_lines[a, b] += share
    assert {key: round(value, 6) for key, value in over_lines.items()} == dict(by_hand), seed
    assert np.array_equal(feed.trips.route[segments.sample_trip], segments.route)
    stops = stop_loads(timetable, boards, alights, weight)
    assert {i: v for i, v in enumerate(stops.boarding.tolist()) if v} == dict(boarding)
    assert {i: v for i, v in enumerate(stops.alighting.tolist()) if v} == dict(alighting)
