"""Searches in a timetable: how long it takes from where one boards to all stops, at every departure of a window."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.network.costs import check_direction
from awl.core.progress import current_token, raise_if_cancelled
from awl.core.transit.changing import ANY_CHANGES, ChangeLimits, Walks, changes_of
from awl.core.transit.scan import (
    NEVER,
    Changes,
    Journeys,
    Labels,
    begin,
    empty_journeys,
    empty_labels,
    empty_scratch,
    rows_between,
    scan,
    scan_single,
    scan_with_journeys,
)
from awl.core.transit.scan_waiting import Boardings, boardings_of, empty_trail, scan_waiting
from awl.core.transit.timetable import Connections, Timetable
from awl.core.transit.trail import BY_POINT, rides_back

LONGEST_MS = 24 * 3600 * 1000
"""The longest journey that is looked for where no limit is given."""
MOST_RIDES = 8
MOST_REMEMBERED = 1 << 28
"""Connections, times departures and layers, by which rides are remembered where waits have a limit: 2 GB."""
MANY_CHANGES = ChangeLimits(MOST_RIDES)
MOST_RIDES_OF_A_JOURNEY = 32
"""More are not told where their number has no limit."""


@dataclass(frozen=True)
class Ends:
    """Boarding points (k,) that one walks to before the first ride, or from after the last, and how long that takes."""

    point: NDArray[np.int32]
    walk_ms: NDArray[np.int32]

    def within(self, limit_ms: int, more_ms: int) -> Ends:
        """Those whose walk, and so much more, takes no longer than a limit, with both in one.

        Parameters:
            limit_ms: the limit.
            more_ms: what boarding needs.
        """
        walk = self.walk_ms + np.int32(more_ms)
        near = np.flatnonzero(walk <= limit_ms)
        return Ends(self.point[near], walk[near])


@dataclass(frozen=True)
class Ride:
    """A ride of a journey: rows of the connections with which it begins and ends."""

    boards: int
    alights: int


@dataclass(frozen=True)
class Journey:
    """Rides one after another; times are ms of the service day.

    Attributes:
        rides: the rides.
        sets_out_ms, arrives_ms: when one sets out and arrives, walks at both ends counted.
    """

    rides: tuple[Ride, ...]
    sets_out_ms: int
    arrives_ms: int


@dataclass(frozen=True)
class WindowJourneys:
    """What a search with journeys has found, of one layer or of one for each number of rides.

    Attributes:
        timetable: what runs.
        arrive: when one has arrived (layers, points, departures) at each boarding point.
        journeys: how each arrival came about.
        first_row: the first connection scanned where that is by connection, `BY_POINT` where it is by boarding point.
    """

    timetable: Timetable
    arrive: NDArray[np.int32]
    journeys: Journeys
    first_row: int = BY_POINT

    def rides_to(self, point: int, nth: int, layer: int = -1) -> tuple[Ride, ...]:
        """The rides that lead to a boarding point.

        Parameters:
            point: the boarding point.
            nth: row of the departure.
            layer: the most rides; any number where -1.
        """
        rides = np.empty((MOST_RIDES_OF_A_JOURNEY, 2), np.int64)
        origin = self.timetable.connections.origin
        count = rides_back(self.journeys, self.first_row, origin, layer % len(self.arrive), point, nth, rides, 0)
        return tuple(Ride(int(boards), int(alights)) for boards, alights in rides[:count])


@dataclass(frozen=True)
class _Readings:
    """What a scan reads, with time running forwards or backwards: connections, the run as which each goes on, and changes."""

    connections: Connections
    next_run: NDArray[np.int32]
    changes: Changes

    @cached_property
    def boardings(self) -> Boardings:
        return boardings_of(self.connections, len(self.changes.start) - 1)

    def arrays(self, rows: NDArray[np.int64]) -> tuple[Connections, NDArray[np.int64], NDArray[np.int32], Changes]:
        """The same as kernels take it, with the rows to scan."""
        return self.connections, rows, self.next_run, self.changes


class TimetableSearch:
    """Searches in one timetable, with one set of walks between its stops.

    Parameters:
        timetable: what runs.
        walks: walks between stops.
        slack_ms: what is allowed for at each boarding.
    """

    def __init__(self, timetable: Timetable, walks: Walks, slack_ms: int = 0) -> None:
        self.timetable, self.slack_ms = timetable, slack_ms
        self.changes = changes_of(timetable.feed, timetable.points, walks, slack_ms)

    @cached_property
    def _forwards(self) -> _Readings:
        return _Readings(self.timetable.connections, self.timetable.runs.goes_on_as, self.changes)

    @cached_property
    def _backwards(self) -> _Readings:
        """The same with time running backwards: changes from where they end, and the run as which each came."""
        origin = np.repeat(np.arange(self.timetable.points.count, dtype=np.int32), np.diff(self.changes.start))
        order = np.argsort(self.changes.target, kind="stable")
        start = np.searchsorted(self.changes.target[order], np.arange(self.timetable.points.count + 1))
        changes = Changes(start.astype(np.int64), origin[order], self.changes.ms[order])
        return _Readings(self.timetable.backwards, self.timetable.runs.came_as, changes)

    def durations(
        self,
        ends: Ends,
        at_ms: NDArray[np.int32],
        direction: str = "from",
        limit_ms: int = LONGEST_MS,
        limits: ChangeLimits = ANY_CHANGES,
    ) -> NDArray[np.int32]:
        """Time in ms (p, d) between where one sets out and each boarding point, `NEVER` where there is no journey.

        Parameters:
            ends: where the first ride may begin, or where the last may end, and the walk between there and the place.
            at_ms: the departures (d,) or, of journeys to the place, the latest arrivals there, ascending.
            direction: `from` or `to` the place.
            limit_ms: the longest journey that counts.
            limits: limits of changes.
        """
        check_direction(direction)
        forwards = direction == "from"
        times = at_ms if forwards else -at_ms[::-1]
        read = self._forwards if forwards else self._backwards
        starts = ends.within(limit_ms, self.slack_ms if forwards else 0)
        times = np.ascontiguousarray(times, np.int32)
        rows = rows_between(read.connections, int(times[0]), int(times[-1]) + limit_ms)
        layers, points = _layers(limits), self.timetable.points.count
        if limits.wait_ms is not None:
            trail = empty_trail(layers, points, int(rows[1] - rows[0]), 1)
            arrive = _with_limited_waits(read, rows, starts, trail, times, (limit_ms, limits.wait_ms))[-1]
        else:
            labels = empty_labels(layers, points, len(times))
            begin(labels, starts.point, starts.walk_ms, times)
            flat = Labels(labels.arrive.reshape(-1), labels.ready.reshape(-1))
            if layers == len(times) == 1:
                aboard, at = np.zeros(len(read.next_run), np.uint8), int(times[0])
                scan_single(*read.arrays(rows), flat, aboard, at, limit_ms, current_token())
            else:
                scratch = empty_scratch(layers, points, len(read.next_run))
                scan(*read.arrays(rows), flat, scratch, times, limit_ms, current_token())
            arrive = labels.arrive[-1]
        raise_if_cancelled()
        taken = np.where(arrive == NEVER, NEVER, arrive - times)
        taken[taken > limit_ms] = NEVER
        if forwards:
            return taken
        return np.where(taken == NEVER, NEVER, taken + np.int32(self.slack_ms))[:, ::-1]

    def journeys(
        self, starts: Ends, at_ms: NDArray[np.int32], limit_ms: int = LONGEST_MS, limits: ChangeLimits = ANY_CHANGES
    ) -> WindowJourneys:
        """The journeys of earliest arrival at all stops, for every departure of a window.

        Parameters:
            starts: where the first ride may begin, and the walk to there.
            at_ms: the departures (d,), ascending.
            limit_ms: the longest journey that counts.
            limits: limits of changes.

        Raises:
            AwlError: with a limit of waits it would need too much memory.
        """
        timetable, departure_ms = self.timetable, np.ascontiguousarray(at_ms, np.int32)
        layers, points, read = _layers(limits), timetable.points.count, self._forwards
        starts = starts.within(limit_ms, self.slack_ms)
        rows = rows_between(read.connections, int(departure_ms[0]), int(departure_ms[-1]) + limit_ms)
        if limits.wait_ms is not None:
            count = int(rows[1] - rows[0])
            if layers * count * len(departure_ms) > MOST_REMEMBERED:
                raise AwlError(
                    "Ways with limited waits, at so many departures of so large a timetable, need too much memory",
                    remedy="Ask for a shorter window, or leave out the limit of waits",
                    inputs=("max_wait", "window"),
                )
            trail = empty_trail(layers, points, count, len(departure_ms))
            arrive = _with_limited_waits(read, rows, starts, trail, departure_ms, (limit_ms, limits.wait_ms))
            raise_if_cancelled()
            return WindowJourneys(timetable, arrive, trail, int(rows[0]))
        labels = empty_labels(layers, points, len(departure_ms))
        journeys = empty_journeys(layers, points, len(departure_ms))
        begin(labels, starts.point, starts.walk_ms, departure_ms)
        scan_with_journeys(*read.arrays(rows), labels, journeys, departure_ms, limit_ms, current_token())
        raise_if_cancelled()
        return WindowJourneys(timetable, labels.arrive, journeys)

    def earliest(
        self,
        starts: Ends,
        goals: Ends,
        at_ms: int,
        limit_ms: int = LONGEST_MS,
        limits: ChangeLimits = MANY_CHANGES,
    ) -> list[Journey]:
        """The journeys of earliest arrival from a departure on, one for each number of rides that brings one there sooner.

        Parameters:
            starts: where the first ride may begin, and the walk to there.
            goals: where the last ride may end, and the walk from there.
            at_ms: the departure.
            limit_ms: the longest journey that counts.
            limits: limits of changes, the most rides among them.
        """
        window = self.journeys(starts, np.array([at_ms], np.int32), limit_ms, limits)
        layers = len(window.arrive)
        undominated: list[Journey] = []
        for layer in range(1, layers):
            arrives = window.arrive[layer, goals.point, 0].astype(np.int64) + goals.walk_ms
            if len(arrives) == 0:
                break
            best = int(np.argmin(arrives))
            sooner = arrives[best] < (undominated[-1].arrives_ms if undominated else at_ms + limit_ms + 1)
            if arrives[best] >= NEVER or not sooner:
                continue
            undominated.append(Journey(window.rides_to(int(goals.point[best]), 0, layer), at_ms, int(arrives[best])))
        return undominated


def _layers(limits: ChangeLimits) -> int:
    """One where rides are without number, else the most of them and one."""
    return 1 if limits.rides is None else min(limits.rides, MOST_RIDES) + 1


def _with_limited_waits(
    read: _Readings,
    rows: NDArray[np.int64],
    starts: Ends,
    trail: Journeys,
    at_ms: NDArray[np.int32],
    limits_ms: tuple[int, int],
) -> NDArray[np.int32]:
    """When one has arrived (layers, points, departures), with limits of the journey and of waits; fills the trail."""
    points = len(read.changes.start) - 1
    arrive = np.full((trail.alighted.shape[0], points, len(at_ms)), NEVER, np.int32)
    begins = np.full(points, NEVER, np.int32)
    np.minimum.at(begins, starts.point, starts.walk_ms)
    limits = np.array(limits_ms, np.int64)
    scan_waiting(*read.arrays(rows), read.boardings, arrive, begins, trail, at_ms, limits, current_token())
    return arrive
