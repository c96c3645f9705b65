"""Searches in timetables against a graph of events that SciPy searches, on random feeds with every feature crossed."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, datetime

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from awl.core.errors import AwlError
from awl.core.graph.street_graph import StreetGraph
from awl.core.modes.mode import SHIPPED
from awl.core.network.network import Network
from awl.core.routing.dijkstra.plain import costs_of, owners_of
from awl.core.routing.dijkstra.search import NO_LABEL, OWNER_BITS
from awl.core.routing.router import StreetRouter
from awl.core.routing.snapping import Snapped, Snapper
from awl.core.transit.changing import ChangeLimits, Walks
from awl.core.transit.feed import ENTRANCE, STATION, Feed, Frequencies, Pathways, Stops
from awl.core.transit.router import TransitRouter
from awl.core.transit.scan import NEVER
from awl.core.transit.search import Ends, TimetableSearch
from awl.core.transit.service_day import clock_of, day_shift, seconds_into, zone_of
from awl.core.transit.stops_on_streets import StopsOnStreets
from awl.core.transit.timetable import Choice, timetable_of
from awl.core.transit.window import Bounds, Window
from awl.core.transit.windows import labels_at_ranks, labels_of_single
from tests.core.transit_oracle import DAY, EventGraph, feed_of, random_feed, random_walks
from tests.examples import examples

WAITS = st.sampled_from([None, None, 0, 2, 8])
"""Minutes that one waits at most at a change; None for any number."""
NO_WALKS = Walks(*(np.zeros(0, np.int32) for _ in range(3)))


def at_stops(search: TimetableSearch, durations: np.ndarray) -> np.ndarray:
    """The least (s, d) over the boarding points of each stop."""
    best = np.full((len(search.timetable.feed.stops), durations.shape[1]), NEVER, np.int64)
    np.minimum.at(best, search.timetable.points.stop, durations)
    return best


def limits_of(rides: int | None, wait_min: int | None) -> ChangeLimits:
    return ChangeLimits(rides, None if wait_min is None else wait_min * 60_000)


def setting(
    seed: int, wait_min: int | None = None
) -> tuple[TimetableSearch, EventGraph, dict[int, int], Ends, np.random.Generator]:
    rng = np.random.default_rng(seed)
    feed = random_feed(rng)
    walks, slack = random_walks(rng, len(feed.stops)), int(rng.integers(0, 3)) * 60
    search = TimetableSearch(timetable_of(feed, DAY), walks, slack * 1000)
    starts = {int(stop): int(rng.integers(0, 6)) * 60_000 for stop in rng.permutation(len(feed.stops))[:2]}
    points = [(p, starts[int(s)]) for p, s in enumerate(search.timetable.points.stop) if int(s) in starts]
    ends = Ends(*(np.array(column, np.int32) for column in zip(*points, strict=True)))
    wait_ms = np.inf if wait_min is None else wait_min * 60_000
    return search, EventGraph(feed, walks, slack, wait_ms), starts, ends, rng


@settings(max_examples=examples(400))
@given(st.integers(0, 10**9), st.sampled_from([None, 1, 2, 3]), WAITS)
def test_earliest_arrivals_over_a_window_equal_a_search_among_events_at_every_minute(
    seed: int, rides: int | None, wait_min: int | None
) -> None:
    search, oracle, starts, ends, rng = setting(seed, wait_min)
    window = np.arange(0, 40, 5) * 60 + int(rng.choice([0, 60, 80_000]))
    limits, at_ms = limits_of(rides, wait_min), (window * 1000).astype(np.int32)
    durations = at_stops(search, search.durations(ends, at_ms, limits=limits))
    for nth, at in enumerate(window.tolist()):
        expected = oracle.arrivals(starts, at, rides)
        for stop in range(len(durations)):
            if stop in expected and expected[stop] - at <= 86_400:
                assert durations[stop, nth] == (expected[stop] - at) * 1000, (seed, stop, at)
            else:
                assert durations[stop, nth] == NEVER, (seed, stop, at)


@settings(max_examples=examples(200))
@given(st.integers(0, 10**9), st.sampled_from([None, 1, 2]), WAITS)
def test_latest_departures_are_the_last_from_which_one_still_comes_in_time(
    seed: int, rides: int | None, wait_min: int | None
) -> None:
    search, oracle, goals, ends, rng = setting(seed, wait_min)
    deadlines = (np.arange(1, 8) * 600 + int(rng.choice([0, 80_000]))).astype(np.int64)
    limits, at_ms = limits_of(rides, wait_min), (deadlines * 1000).astype(np.int32)
    durations = at_stops(search, search.durations(ends, at_ms, "to", limits=limits))
    for stop in range(len(durations)):
        for nth, deadline in enumerate(deadlines.tolist()):
            taken = int(durations[stop, nth])

            def comes_in_time(leaves: int, stop: int = stop, deadline: int = deadline) -> bool:
                reached = oracle.arrivals({stop: 0}, leaves, rides)
                return any(at + goals[goal] / 1000 <= deadline for goal, at in reached.items() if goal in goals)

            if taken == NEVER:
                assert not comes_in_time(deadline - 86_400)
            else:
                leaves = deadline - taken // 1000
                assert comes_in_time(leaves) and not comes_in_time(leaves + 1), (seed, stop, deadline)


@settings(max_examples=examples(100))
@given(st.integers(0, 10**9), WAITS)
def test_a_limit_leaves_out_longer_journeys_and_nothing_else(seed: int, wait_min: int | None) -> None:
    search, _, _, ends, rng = setting(seed)
    limits = limits_of(None, wait_min)
    window = (np.arange(6) * 300_000).astype(np.int32)
    limit = int(rng.integers(1, 60)) * 60_000
    for direction in ("from", "to"):
        every = search.durations(ends, window, direction, limits=limits)
        within = search.durations(ends, window, direction, limit + search.slack_ms, limits)
        assert np.array_equal(np.where(every <= limit, every, NEVER), np.where(within <= limit, within, NEVER))


@settings(max_examples=examples(100))
@given(st.integers(0, 10**9), st.sampled_from(["from", "to"]), st.integers(1, 90))
def test_a_departure_alone_is_searched_as_one_of_many(seed: int, direction: str, limit_min: int) -> None:
    search, _, _, ends, rng = setting(seed)
    window = (np.arange(0, 40, 7) * 60_000 + int(rng.choice([0, 80_000_000]))).astype(np.int32)
    together = search.durations(ends, window, direction, limit_min * 60_000)
    for nth in range(len(window)):
        alone = search.durations(ends, window[nth : nth + 1], direction, limit_min * 60_000)
        assert np.array_equal(alone[:, 0], together[:, nth]), (seed, nth)


@settings(max_examples=examples(100))
@given(st.integers(0, 10**9))
def test_places_reached_at_one_departure_are_labelled_as_at_many_that_are_alike(seed: int) -> None:
    rng = np.random.default_rng(seed)
    places, stops = int(rng.integers(1, 30)), int(rng.integers(1, 8))
    start = np.concatenate([[0], np.cumsum(rng.integers(0, 4, places))])
    stop, walk_ms = rng.integers(0, stops, start[-1]).astype(np.int32), rng.integers(0, 900, start[-1]).astype(np.int32)

    def labels(count: int, share: float) -> np.ndarray:
        label = (rng.integers(0, 3000, count) << OWNER_BITS) | rng.integers(0, rng.integers(1, 5), count)
        return np.where(rng.random(count) < share, NO_LABEL, label)

    of_stop, limit, rows = labels(stops, 0.3), np.int64(rng.integers(100, 4000)), np.array([0, places])
    direct = labels(places, 0.5)
    direct[direct >> OWNER_BITS > limit] = NO_LABEL
    many, served = np.empty((1, places), np.int64), np.empty((2, places), np.int32)
    twice = np.column_stack([of_stop, of_stop])
    labels_at_ranks(rows, start, stop, walk_ms, twice, of_stop, direct, limit, np.zeros(1, np.int64), many, served[0])
    single, soonest = np.empty(places, np.int64), np.minimum(costs_of(of_stop), NEVER)
    owners = owners_of(of_stop)
    labels_of_single(rows, start, stop, walk_ms, soonest, owners, direct, limit, single, served[1])
    assert np.array_equal(single, many[0]) and np.array_equal(served[1], served[0] > 0), seed
    if stops > 1 and len(set(owners[owners >= 0].tolist())) == 1:
        labels_of_single(
            rows, start, stop, walk_ms, soonest, owners.max(keepdims=True), direct, limit, single, served[1]
        )
        assert np.array_equal(single, many[0]), seed


@settings(max_examples=examples(200))
@given(st.integers(0, 10**9), WAITS)
def test_journeys_can_be_made_and_arrive_as_early_as_any_with_as_many_rides(seed: int, wait_min: int | None) -> None:
    search, oracle, starts, ends, rng = setting(seed, wait_min)
    timetable, at = search.timetable, int(rng.integers(0, 30)) * 60
    connections, feed = timetable.connections, timetable.feed
    for goal in range(len(feed.stops)):
        points = np.flatnonzero(timetable.points.stop == goal).astype(np.int32)
        goals = Ends(points, np.zeros(len(points), np.int32))
        journeys = search.earliest(ends, goals, at * 1000, limits=limits_of(8, wait_min))
        arrivals = [oracle.arrivals(starts, at, rides).get(goal) for rides in range(1, 9)]
        better = [
            a for nth, a in enumerate(arrivals) if a is not None and all(b is None or a < b for b in arrivals[:nth])
        ]
        assert [journey.arrives_ms for journey in journeys] == [1000 * a for a in better if a - at <= 86_400], seed
        for journey in journeys:
            ready = None
            for ride in journey.rides:
                assert connections.flags[ride.boards] & 1 and connections.flags[ride.alights] & 2
                run, last = int(connections.run[ride.boards]), int(connections.run[ride.alights])
                while run != last:
                    run = int(timetable.runs.goes_on_as[run])
                    assert run >= 0
                begins, point = int(connections.departure[ride.boards]), int(connections.origin[ride.boards])
                if ready is None:
                    walk = {int(p): int(ms) for p, ms in zip(ends.point, ends.walk_ms, strict=True)}[point]
                    assert begins >= at * 1000 + walk + search.slack_ms
                else:
                    change = search.changes
                    rows = range(int(change.start[ready[0]]), int(change.start[ready[0] + 1]))
                    needed = [int(change.ms[row]) for row in rows if change.target[row] == point]
                    assert needed and begins >= ready[1] + needed[0]
                    assert wait_min is None or begins - ready[1] - needed[0] <= wait_min * 60_000
                ready = int(connections.target[ride.alights]), int(connections.arrival[ride.alights])
            assert ready is not None and ready[1] == journey.arrives_ms


def feed_in_town(rng: np.random.Generator, network: Network) -> Feed:
    """A random feed whose stops lie in the town, some of them in a station with an entrance and pathways."""
    feed = random_feed(rng)
    often = [(trip, 0, 7200, int(rng.integers(2, 9)) * 60, 1) for trip in range(len(feed.trips)) if rng.random() < 0.7]
    feed = replace(feed, frequencies=Frequencies(*np.array(often, np.int32).reshape(-1, 5).T))
    at = rng.integers(0, network.graph.node_count, len(feed.stops))
    lon = network.graph.node_lon[at] + rng.normal(0, 2e-4, len(at))
    lat = network.graph.node_lat[at] + rng.normal(0, 2e-4, len(at))
    stops = replace(feed.stops, lon=lon, lat=lat)
    kind = np.concatenate([stops.kind, [STATION, ENTRANCE]]).astype(np.int8)
    count = len(stops)
    stops = Stops(
        np.append(stops.id, ["x", "e"]), np.append(stops.name, ["X", "E"]), np.append(lon, [lon[0], lon[1]]),
        np.append(lat, [lat[0], lat[1]]), kind, np.concatenate([[count], stops.parent[1:], [-1, count]]).astype(np.int32),
        np.zeros(count + 2, np.int8),
    )  # fmt: skip
    ways = np.array([[count + 1, 0, 1, 0, 90], [0, count + 1, 2, 0, 120]], np.int32)
    return replace(feed, stops=stops, pathways=Pathways(*ways.T))


@pytest.fixture(scope="module")
def strolling(graph: StreetGraph) -> Network:
    """Streets on which one walks so slowly that rides are worth while."""
    return Network.of(graph, replace(SHIPPED["walk"], top_speed=0.8))


@pytest.mark.parametrize("direction", ["from", "to"])
@settings(max_examples=examples(40))
@given(seed=st.integers(0, 10**9))
def test_times_by_streets_and_timetable_equal_a_simulation_of_every_minute(
    strolling: Network, direction: str, seed: int
) -> None:
    """The simulation walks by the matrix of the streets, tested elsewhere, and rides by the graph of events."""
    rng, walk = np.random.default_rng(seed), strolling
    feed, street, snapper = feed_in_town(rng, walk), StreetRouter(walk), Snapper(walk)
    longest, percentile = int(rng.integers(10, 60)) * 60_000, float(rng.choice([0, 20, 50, 90, 100]))
    stops = StopsOnStreets(feed, street, snapper, 100.0)
    walks, slack = stops.walks(longest), int(rng.integers(0, 3)) * 60
    search = TimetableSearch(timetable_of(feed, DAY), walks, slack * 1000)
    minutes = np.arange(0, 30, 5) * 60 + (0 if direction == "from" else 1800)
    window = Window((minutes * 1000).astype(np.int32), percentile)
    router = TransitRouter(street, stops, search, window, Bounds(longest))
    at = rng.integers(0, walk.graph.node_count, 5)
    places = snapper.snap(walk.graph.node_lon[at], walk.graph.node_lat[at], 100.0)
    place, others = places.take(np.array([0])), places.take(np.arange(1, 5))
    got = router.between(place, others, "time", direction)[0]
    doors = {stop: stop for stop in range(len(feed.stops) - 2)} | {0: len(feed.stops) - 1}
    inward, outward = {0: 90_000}, {0: 120_000}
    door_places = snapper.snap(feed.stops.lon, feed.stops.lat, 100.0)

    def foot(a: Snapped, b: Snapped) -> np.ndarray:
        return street.matrix(a, b, "time")[0].astype(np.int64)

    to_stops = foot(place, door_places) if direction == "from" else foot(others, door_places)
    from_stops = foot(door_places, others) if direction == "from" else foot(door_places, place)
    direct = foot(place, others) if direction == "from" else foot(others, place)
    oracle = EventGraph(feed, walks, slack)

    def starts_of(row: int) -> dict[int, int]:
        cost = {stop: int(to_stops[row, door]) + inward.get(stop, 0) for stop, door in doors.items()}
        return {stop: ms for stop, ms in cost.items() if ms <= longest}

    def ends_of(column: int) -> dict[int, int]:
        cost = {stop: int(from_stops[door, column]) + outward.get(stop, 0) for stop, door in doors.items()}
        return {stop: ms for stop, ms in cost.items() if ms <= longest}

    for nth in range(4):
        starts, ends = (starts_of(0), ends_of(nth)) if direction == "from" else (starts_of(nth), ends_of(0))
        walked = int(direct[0, nth] if direction == "from" else direct[nth, 0])
        if direction == "from":
            taken = []
            for minute in minutes.tolist():
                reached = oracle.arrivals(starts, minute, None)
                rides = [(reached[stop] - minute) * 1000 + ms for stop, ms in ends.items() if stop in reached]
                taken.append(min([walked, *rides]))
            assert got[nth] == sorted(taken)[window.rank], seed
            continue

        # Setting out that long before so many of the deadlines is in time, and a millisecond later for fewer.
        def in_time(
            spare_ms: int, walked: int = walked, starts: dict[int, int] = starts, ends: dict[int, int] = ends
        ) -> int:
            late = {stop: ms - spare_ms for stop, ms in starts.items()}
            count = 0
            for minute in minutes.tolist():
                reached = oracle.arrivals(late, minute, None)
                rides = any((reached[s] - minute) * 1000 + ms <= 0 for s, ms in ends.items() if s in reached)
                count += rides or walked <= spare_ms
            return count

        assert in_time(int(got[nth])) > window.rank >= in_time(int(got[nth]) - 1), seed
    nodes = snapper.snap(walk.graph.node_lon[at[1:]], walk.graph.node_lat[at[1:]], 100.0)
    on_node = nodes.access_points.at_node
    arrivals, reach = router.reach(place, "time", direction)
    rows = nodes.access_points.nodes(walk.graph)
    assert np.array_equal(arrivals.cost[rows[on_node]], got[on_node])
    assert reach.owner_begin.max() <= 0 and reach.owner_end.max() <= 0


def test_trips_that_somebody_on_wheels_cannot_board_or_that_are_shut_are_not_used() -> None:
    feed = feed_of(
        [[(0, 0, 0, 0, 0), (1, 600, 600, 0, 0)], [(0, 0, 0, 0, 0), (1, 900, 900, 0, 0)]], 2, route=[0, 1], wheelchair=[2, 1]
    )  # fmt: skip
    ends, at = Ends(np.zeros(1, np.int32), np.zeros(1, np.int32)), np.zeros(1, np.int32)
    taken = {
        name: int(TimetableSearch(timetable_of(feed, DAY, choice), NO_WALKS).durations(ends, at)[1, 0])
        for name, choice in {
            "any": Choice(),
            "wheels": Choice(on_wheels=True),
            "route": Choice(routes=np.array([False, True])),
            "shut": Choice(shut_stops=np.array([False, True])),
            "bicycle": Choice(with_bicycle=True),
        }.items()
    }
    assert taken == {"any": 600_000, "wheels": 900_000, "route": 900_000, "shut": NEVER, "bicycle": NEVER}


@pytest.mark.parametrize(("day", "hours"), [(date(2026, 3, 29), 23), (date(2026, 10, 25), 25), (date(2026, 6, 1), 24)])
def test_days_of_changed_clocks_have_as_many_hours_as_they_have(day: date, hours: int) -> None:
    zone = "Europe/Berlin"
    noon = datetime(day.year, day.month, day.day, 12)
    assert seconds_into(noon, zone) == 12 * 3600 and clock_of(12 * 3600, day, zone) == noon
    # A trip at 26:00 of the day before leaves at two in the morning, twelve hours before noon plus two.
    assert day_shift(day, 1, zone) - day_shift(day, 0, zone) == pytest.approx(86_400, abs=3600)
    midnight = datetime(day.year, day.month, day.day)
    assert 24 * 3600 - seconds_into(midnight, zone) == (hours * 3600 if hours != 24 else 24 * 3600)


def test_an_unknown_time_zone_is_named() -> None:
    with pytest.raises(AwlError, match="'Atlantis/Ferrow' is no time zone"):
        zone_of("Atlantis/Ferrow")
