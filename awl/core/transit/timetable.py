"""The timetable of a day: connections from one stop to the next, in the order in which a scan reads them.

Trips of the day before that still run after midnight and those of the day after are among them, so that a search may cross
midnight.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from awl.core.transit.boarding_points import BoardingPoints, boarding_points
from awl.core.transit.feed import IMPOSSIBLE, MUST_ALIGHT, STAY_SEATED, Feed
from awl.core.transit.service_day import day_shift

BOARD, ALIGHT, LAST, FIRST = 1, 2, 4, 8
"""Flags of a connection: one may board where it begins, alight where it ends; it is the last or the first of its run."""
NO_CALL, BY_TELEPHONE = 1, 2
"""Values of `pickup_type` and `drop_off_type` that shut a call: without booking nobody boards there."""
SECOND_MS = 1000


class Connections(NamedTuple):
    """Connections (c,), ordered by departure, those of one trip in their order.

    `origin` and `target` are boarding points, `departure` and `arrival` are ms of the service day, `run` is the row of the run it
    belongs to, `flags` are those above.
    """

    origin: Any
    target: Any
    departure: Any
    arrival: Any
    run: Any
    flags: Any

    def backwards(self) -> Connections:
        """The same with time running backwards: who departs last comes first, and boarding is alighting."""
        flags = np.zeros(len(self.flags), np.uint8)
        for one, other in ((BOARD, ALIGHT), (ALIGHT, BOARD), (FIRST, LAST), (LAST, FIRST)):
            flags[(self.flags & one) > 0] |= other
        order = np.argsort(-self.arrival[::-1], kind="stable")
        rows = np.arange(len(self.arrival))[::-1][order]
        return Connections(
            self.target[rows], self.origin[rows], -self.arrival[rows], -self.departure[rows], self.run[rows],
            flags[rows],
        )  # fmt: skip


@dataclass(frozen=True)
class Runs:
    """Runs (n,): each a trip on one day at one time.

    Attributes:
        trip: row of the trip.
        shift_s: what is added to the times of the trip, for the day and for repeats.
        goes_on_as: row of the run as which the vehicle goes on with whoever stays seated, -1 for none.
    """

    trip: NDArray[np.int32]
    shift_s: NDArray[np.int32]
    goes_on_as: NDArray[np.int32]

    @property
    def came_as(self) -> NDArray[np.int32]:
        """Row of the run as which the vehicle came, -1 for none."""
        came = np.full(len(self.trip), -1, np.int32)
        rows = np.flatnonzero(self.goes_on_as >= 0)
        came[self.goes_on_as[rows]] = rows
        return came


@dataclass(frozen=True)
class Timetable:
    """All that runs on a service day, and from the day before and after it.

    Attributes:
        feed: what it was made of.
        day: the service day from which times count.
        points: the boarding points.
        runs, connections: what runs.
    """

    feed: Feed
    day: date
    points: BoardingPoints
    runs: Runs
    connections: Connections

    @cached_property
    def backwards(self) -> Connections:
        """The connections with time running backwards."""
        return self.connections.backwards()

    @property
    def calls_used(self) -> NDArray[np.bool_]:
        """Which stops (s,) some run calls at."""
        used = np.zeros(len(self.feed.stops), bool)
        used[self.points.stop[self.connections.origin]] = True
        used[self.points.stop[self.connections.target]] = True
        return used


@dataclass(frozen=True)
class Choice:
    """Which trips a passenger uses.

    Attributes:
        routes: mask (r,) of the routes, None for all.
        shut_stops: mask (s,) of the stops at which nobody boards or alights, None for none.
        on_wheels: leaves out trips and stops that somebody in a wheelchair cannot board.
        with_bicycle: leaves out trips that take no bicycles, or do not say so.
    """

    routes: NDArray[np.bool_] | None = None
    shut_stops: NDArray[np.bool_] | None = None
    on_wheels: bool = False
    with_bicycle: bool = False


ANY_TRIP = Choice()


def timetable_of(feed: Feed, day: date, choice: Choice = ANY_TRIP) -> Timetable:
    """The timetable of a service day.

    Parameters:
        feed: the feed.
        day: the service day.
        choice: which trips count.
    """
    runs = _in_order(feed, _runs_around(feed, day, _usable_trips(feed, choice)))
    points = boarding_points(feed)
    return Timetable(feed, day, points, runs, _connections(feed, runs, points.of_calls(feed), choice))


def _usable_trips(feed: Feed, choice: Choice) -> NDArray[np.bool_]:
    trips = feed.trips
    usable = np.diff(feed.trip_start) >= 2
    if choice.routes is not None:
        usable &= choice.routes[trips.route]
    if choice.on_wheels:
        usable &= trips.wheelchair != IMPOSSIBLE
    if choice.with_bicycle:
        usable &= trips.bikes == 1
    return usable


def _runs_around(feed: Feed, day: date, usable: NDArray[np.bool_]) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    """Trip and shift in seconds of the runs of a day and of those beside it."""
    trips, shifts = [], []
    repeats = np.zeros(len(feed.trips), bool)
    repeats[feed.frequencies.trip] = True
    first_departure = feed.stop_times.departure[np.minimum(feed.trip_start[:-1], max(len(feed.stop_times) - 1, 0))]
    for by in (-1, 0, 1):
        services = feed.runs_on(np.datetime64(day) + by)
        running = usable & services[feed.trips.service]
        shift = day_shift(day, by, feed.timezone)
        single = np.flatnonzero(running & ~repeats).astype(np.int32)
        rows = np.flatnonzero(running[feed.frequencies.trip])
        repeating = feed.frequencies.take(rows)
        headway = np.maximum(repeating.headway, 1)
        count = np.maximum(-(-(repeating.end - repeating.start) // headway), 0)
        row = np.repeat(np.arange(len(rows)), count)
        nth = np.arange(len(row)) - np.repeat(np.cumsum(count) - count, count)
        often = repeating.trip[row]
        trips += [single, often]
        shifts += [
            np.full(len(single), shift),
            shift + (repeating.start - first_departure[repeating.trip])[row] + nth * headway[row],
        ]
    return np.concatenate(trips).astype(np.int32), np.concatenate(shifts).astype(np.int32)


def _in_order(feed: Feed, running: tuple[NDArray[np.int32], NDArray[np.int32]]) -> Runs:
    """Runs ordered by block and time, each with the one as which its vehicle goes on."""
    trip, shift = running
    begin = feed.stop_times.departure[feed.trip_start[trip]] + shift
    end = feed.stop_times.arrival[feed.trip_start[trip + 1] - 1] + shift
    block = feed.trips.block[trip]
    order = np.lexsort((trip, begin, block))
    trip, shift, begin, end, block = trip[order], shift[order], begin[order], end[order], block[order]
    goes_on_as = np.full(len(trip), -1, np.int32)
    if len(trip) > 1:
        last_stop = feed.stop_times.stop[feed.trip_start[trip + 1] - 1]
        first_stop = feed.stop_times.stop[feed.trip_start[trip]]
        follows = (block[1:] == block[:-1]) & (block[1:] >= 0) & (begin[1:] >= end[:-1]) & (begin[1:] - end[:-1] < 3600)
        follows &= (first_stop[1:] == last_stop[:-1]) & ~_among(feed, MUST_ALIGHT, trip[:-1], trip[1:])
        goes_on_as[:-1][follows] = np.flatnonzero(follows) + 1
    goes_on_as = _named_continuations(feed, trip, begin, end, goes_on_as)
    return Runs(trip, shift, goes_on_as)


def _among(feed: Feed, kind: int, first: NDArray[np.int32], second: NDArray[np.int32]) -> NDArray[np.bool_]:
    """Which pairs (n,) of trips a rule of a kind names."""
    rules = feed.transfers.take(feed.transfers.kind == kind)
    named = set(zip(rules.from_trip.tolist(), rules.to_trip.tolist(), strict=True))
    if not named:
        return np.zeros(len(first), bool)
    return np.array([pair in named for pair in zip(first.tolist(), second.tolist(), strict=True)], bool)


def _named_continuations(
    feed: Feed, trip: NDArray[np.int32], begin: NDArray[np.int32], end: NDArray[np.int32], goes_on_as: NDArray[np.int32]
) -> NDArray[np.int32]:
    """Add those that a rule of the feed names: the first run of the second trip that begins when one of the first has ended."""
    rules = feed.transfers.take(feed.transfers.kind == STAY_SEATED)
    for first, second in zip(rules.from_trip.tolist(), rules.to_trip.tolist(), strict=True):
        if first < 0 or second < 0:
            continue
        later = np.flatnonzero(trip == second)
        for row in np.flatnonzero(trip == first).tolist():
            # A vehicle goes on within the hour; a run that came before in the order cannot follow in the scan.
            ready = later[(begin[later] >= end[row]) & (begin[later] - end[row] < 3600) & (later > row)]
            if len(ready):
                goes_on_as[row] = ready[np.argmin(begin[ready])]
    return goes_on_as


def _connections(feed: Feed, runs: Runs, point: NDArray[np.int32], choice: Choice) -> Connections:
    """The connections of runs; `point` (c,) is the boarding point of each call."""
    times = feed.stop_times
    length = np.diff(feed.trip_start)[runs.trip] - 1
    run = np.repeat(np.arange(len(runs.trip), dtype=np.int32), length)
    nth = np.arange(len(run)) - np.repeat(np.cumsum(length) - length, length)
    call = feed.trip_start[runs.trip[run]] + nth
    shift = runs.shift_s[run]
    open_stop = np.ones(len(feed.stops), bool)
    if choice.shut_stops is not None:
        open_stop &= ~choice.shut_stops
    if choice.on_wheels:
        open_stop &= feed.stops.wheelchair != IMPOSSIBLE
    boards = (times.pickup != NO_CALL) & (times.pickup != BY_TELEPHONE) & open_stop[times.stop]
    alights = (times.drop_off != NO_CALL) & (times.drop_off != BY_TELEPHONE) & open_stop[times.stop]
    flags = (
        np.where(boards[call], BOARD, 0)
        | np.where(alights[call + 1], ALIGHT, 0)
        | np.where(nth == np.repeat(length, length) - 1, LAST, 0)
        | np.where(nth == 0, FIRST, 0)
    )
    departure = (times.departure[call] + shift) * SECOND_MS
    arrival = (times.arrival[call + 1] + shift) * SECOND_MS
    order = np.argsort(departure, kind="stable")
    rows = call[order]
    return Connections(
        point[rows], point[rows + 1], departure[order].astype(np.int32), arrival[order].astype(np.int32), run[order],
        flags[order].astype(np.uint8),
    )  # fmt: skip
