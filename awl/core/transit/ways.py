"""How trips are made at every departure of a window: the rides of each, and on foot where that is quicker."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.progress import Progress, raise_if_cancelled, threads_of
from awl.core.routing.dijkstra.search import UNREACHED
from awl.core.routing.snapping import Snapped
from awl.core.transit.router import TransitRouter
from awl.core.transit.scan import NEVER
from awl.core.transit.search import LONGEST_MS, Ends, WindowJourneys
from awl.core.transit.stops_on_streets import Near
from awl.core.transit.trail import rides_back

MOST_RIDES_OF_A_WAY = 32


@dataclass(frozen=True)
class Ways:
    """Ways (w,) in which trips (k,) are made, those of a trip one after another in the order of its departures.

    Rides of way i are rows `start[i]` to `start[i + 1]` of `boards` and `alights`, connections of the timetable; a way without
    any is on foot.

    Attributes:
        trip: the trip of each.
        departures: how many departures of the window it is the quickest at.
        from_stop, to_stop: the first stop that is walked to and the last that is walked from, -1 where one goes on foot.
        start: offsets (w + 1,) of the rides.
        boards, alights: the connections (r,) with which rides begin and end.
        duration_ms: time (k, d) of each trip at each departure, `UNREACHED` where there is no way.
        of_departure: the way (k, d) of each trip at each departure, -1 for none.
    """

    trip: NDArray[np.int64]
    departures: NDArray[np.int64]
    from_stop: NDArray[np.int32]
    to_stop: NDArray[np.int32]
    start: NDArray[np.int64]
    boards: NDArray[np.int64]
    alights: NDArray[np.int64]
    duration_ms: NDArray[np.int32]
    of_departure: NDArray[np.int64]

    def at_rank(self, rank: int) -> tuple[NDArray[np.int32], NDArray[np.int64], NDArray[np.int64]]:
        """Time (k,) of each trip at a rank among its departures, the first departure that keeps it, and the way of that.

        Parameters:
            rank: which of the departures in ascending order of time.
        """
        order = np.argsort(self.duration_ms, axis=1, kind="stable")[:, rank]
        rows = np.arange(len(order))
        return self.duration_ms[rows, order], order, self.of_departure[rows, order]


def ways_of_trips(
    router: TransitRouter,
    sources: Snapped,
    targets: Snapped,
    pairs: tuple[NDArray[np.integer], NDArray[np.integer]],
    on_foot_ms: NDArray[np.integer],
    progress: Progress | None = None,
) -> Ways:
    """The ways of trips at all departures of the router's window.

    Parameters:
        router: the router of the question.
        sources: places put on streets.
        targets: others.
        pairs: rows of the source and of the target (k,) of each trip.
        on_foot_ms: time (k,) of each on foot all the way, below 0 where there is no way.
        progress: is told how far the work is, and stops it.
    """
    progress = progress or Progress()
    source, target = pairs
    begins, row_of_source = np.unique(source, return_inverse=True)
    ends, row_of_target = np.unique(target, return_inverse=True)
    near_source = router.near(sources.take(begins), "from")
    near_target = router.near(targets.take(ends), "to")
    direct = np.where(on_foot_ms < 0, np.int64(UNREACHED), on_foot_ms)
    order = np.argsort(row_of_source, kind="stable")
    first = np.searchsorted(row_of_source[order], np.arange(len(begins) + 1))
    departure_ms = router.window.at_ms

    def of_source(row: int) -> list[_Traced]:
        """The ways of all trips that begin at one place."""
        window = router.search.journeys(
            router.ends_of(near_source, row), departure_ms, LONGEST_MS, router.bounds.changes
        )
        trips = order[first[row] : first[row + 1]]
        return [
            _traced(window, router.ends_of(near_target, int(row_of_target[trip])), departure_ms, int(direct[trip]))
            for trip in trips.tolist()
        ]

    traced: list[_Traced] = []
    with threads_of(None) as pool:
        for done, of_place in enumerate(pool.map(of_source, range(len(begins))), 1):
            raise_if_cancelled()
            progress.step(done / len(begins), f"{done} of {len(begins)} places")
            traced += of_place
    return _joined(router, [traced[i] for i in np.argsort(order).tolist()], near_target, row_of_target)


@dataclass(frozen=True)
class _Traced:
    """Ways of one trip: its time and way at each departure, and the rides of its ways."""

    duration_ms: NDArray[np.int32]
    way: NDArray[np.int64]
    start: NDArray[np.int64]
    boards: NDArray[np.int64]
    alights: NDArray[np.int64]


def _traced(window: WindowJourneys, goals: Ends, departure_ms: NDArray[np.int32], direct_ms: int) -> _Traced:
    departures = len(departure_ms)
    duration, way = np.empty(departures, np.int32), np.full(departures, -1, np.int64)
    start = np.zeros(departures + 1, np.int64)
    rides = np.empty((departures * MOST_RIDES_OF_A_WAY, 2), np.int64)
    journeys, connections = window.journeys, window.timetable.connections
    count = _trace(
        window.arrive[-1], journeys, window.first_row, connections.origin, goals.point, goals.walk_ms, departure_ms, direct_ms,
        duration, way, start, rides,
    )  # fmt: skip
    used = rides[: start[count]].copy()
    return _Traced(duration, way, start[: count + 1], used[:, 0], used[:, 1])


@njit(cache=True, nogil=True)
def _trace(arrive, journeys, first_row, origin, goals, goal_ms, departure_ms, direct_ms, duration, way, start, rides):
    """Fill time and way of each departure, and the rides of the ways; returns how many ways there are.

    Parameters:
        arrive: when one has arrived at each boarding point (p, d).
        journeys: how arrivals came about, as `rides_back` reads it.
        first_row: whether that is by connection, likewise.
        origin: where each connection begins.
        goals: the boarding points (g,) at which the last ride may end.
        goal_ms: the walk (g,) from each.
        departure_ms: the departures (d,).
        direct_ms: the time on foot all the way.
        duration: what is filled (d,).
        way: what is filled (d,), -1 before.
        start: what is filled (d + 1,): offsets of the rides of each way.
        rides: what is filled (r, 2): connections with which rides begin and end.
    """
    layer, ways = journeys.alighted.shape[0] - 1, 0
    for nth in range(len(departure_ms)):
        best, goal = np.int64(direct_ms), -1
        for i in range(len(goals)):
            at = np.int64(arrive[goals[i], nth])
            if at < NEVER and at + goal_ms[i] - departure_ms[nth] < best:
                best, goal = at + goal_ms[i] - departure_ms[nth], i
        duration[nth] = min(best, UNREACHED)
        if best >= UNREACHED:
            continue
        first, end = start[ways], start[ways]
        if goal >= 0:
            room = rides[: first + MOST_RIDES_OF_A_WAY]
            end = rides_back(journeys, first_row, origin, layer, goals[goal], nth, room, first)
        same = ways > 0 and way[nth - 1] == ways - 1 and end - first == first - start[ways - 1]
        if same:
            before = start[ways - 1]
            for i in range(end - first):
                same = (
                    same and rides[first + i, 0] == rides[before + i, 0] and rides[first + i, 1] == rides[before + i, 1]
                )
        if not same:
            ways += 1
            start[ways] = end
        way[nth] = ways - 1
    return ways


def _joined(
    router: TransitRouter, traced: Sequence[_Traced], near_target: Near, row_of_target: NDArray[np.int64]
) -> Ways:
    """The ways of all trips in one set of arrays."""
    departures = len(router.window.at_ms)
    counts = np.array([len(one.start) - 1 for one in traced], np.int64)
    before = np.concatenate([[0], np.cumsum(counts)])
    trip = np.repeat(np.arange(len(traced)), counts)
    rides = [np.diff(one.start) for one in traced]
    start = np.concatenate([[0], np.cumsum(np.concatenate([np.zeros(0, np.int64), *rides]))]).astype(np.int64)
    boards = np.concatenate([np.zeros(0, np.int64), *(one.boards for one in traced)])
    alights = np.concatenate([np.zeros(0, np.int64), *(one.alights for one in traced)])
    duration = np.array([one.duration_ms for one in traced], np.int32).reshape(-1, departures)
    of_departure = np.array(
        [np.where(one.way < 0, -1, one.way + begin) for one, begin in zip(traced, before[:-1], strict=True)], np.int64
    ).reshape(-1, departures)
    used = of_departure[of_departure >= 0]
    stop_of, connections = router.search.timetable.points.stop, router.search.timetable.connections
    rides_at = np.diff(start) > 0
    from_stop, to_stop = np.full(len(trip), -1, np.int32), np.full(len(trip), -1, np.int32)
    from_stop[rides_at] = stop_of[connections.origin[boards[start[:-1][rides_at]]]]
    to_stop[rides_at] = stop_of[connections.target[alights[start[1:][rides_at] - 1]]]
    departures_of = np.bincount(used, minlength=len(trip)).astype(np.int64)
    return Ways(trip, departures_of, from_stop, to_stop, start, boards, alights, duration, of_departure)
