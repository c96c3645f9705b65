"""Searches in a timetable: how long it takes from where one boards to all stops, at every departure of a window."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from awl.core.network.costs import check_direction
from awl.core.progress import current_token, raise_if_cancelled
from awl.core.transit.changing import Walks, changes_of
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
    scan_with_journeys,
)
from awl.core.transit.timetable import Timetable

LONGEST_MS = 24 * 3600 * 1000
"""The longest journey that is looked for where no limit is given."""
MOST_RIDES = 8


@dataclass(frozen=True)
class Ends:
    """Boarding points (k,) that one walks to before the first ride, or from after the last, and how long that takes."""

    point: NDArray[np.int32]
    walk_ms: NDArray[np.int32]


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
        labels: when one has arrived at each boarding point, and can board there.
        journeys: how each arrival came about.
    """

    timetable: Timetable
    labels: Labels
    journeys: Journeys

    def rides_to(self, point: int, nth: int, layer: int = -1) -> tuple[Ride, ...]:
        """The rides that lead to a boarding point.

        Parameters:
            point: the boarding point.
            nth: row of the departure.
            layer: the most rides; any number where -1.
        """
        rides: list[Ride] = []
        layers = len(self.labels.arrive)
        layer, fewer = layer % layers, 1 if layers > 1 else 0
        while point >= 0 and self.journeys.boarded[layer, point, nth] >= 0:
            ride = Ride(int(self.journeys.boarded[layer, point, nth]), int(self.journeys.alighted[layer, point, nth]))
            rides.append(ride)
            layer -= fewer
            point = int(self.journeys.came_from[layer, self.timetable.connections.origin[ride.boards], nth])
        return tuple(reversed(rides))


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
    def _backwards(self) -> tuple[Changes, NDArray[np.int32]]:
        """Changes from where they end, and the run as which each came."""
        origin = np.repeat(np.arange(self.timetable.points.count, dtype=np.int32), np.diff(self.changes.start))
        order = np.argsort(self.changes.target, kind="stable")
        start = np.searchsorted(self.changes.target[order], np.arange(self.timetable.points.count + 1))
        return Changes(start.astype(np.int64), origin[order], self.changes.ms[order]), self.timetable.runs.came_as

    def durations(
        self,
        ends: Ends,
        at_ms: NDArray[np.int32],
        direction: str = "from",
        limit_ms: int = LONGEST_MS,
        rides: int | None = None,
    ) -> NDArray[np.int32]:
        """Time in ms (p, d) between where one sets out and each boarding point, `NEVER` where there is no journey.

        Parameters:
            ends: where the first ride may begin, or where the last may end, and the walk between there and the place.
            at_ms: the departures (d,) or, of journeys to the place, the latest arrivals there, ascending.
            direction: `from` or `to` the place.
            limit_ms: the longest journey that counts.
            rides: the most rides, None for any number.
        """
        check_direction(direction)
        forwards = direction == "from"
        times = at_ms if forwards else -at_ms[::-1]
        connections = self.timetable.connections if forwards else self.timetable.backwards
        next_run = self.timetable.runs.goes_on_as if forwards else self._backwards[1]
        changes = self.changes if forwards else self._backwards[0]
        labels = empty_labels(
            1 if rides is None else min(rides, MOST_RIDES) + 1, self.timetable.points.count, len(times)
        )
        walk = ends.walk_ms + np.int32(self.slack_ms if forwards else 0)
        near = np.flatnonzero(walk <= limit_ms)
        times = np.ascontiguousarray(times, np.int32)
        begin(labels, ends.point[near], walk[near], times)
        rows = rows_between(connections, int(times[0]), int(times[-1]) + limit_ms)
        flat = Labels(labels.arrive.reshape(-1), labels.ready.reshape(-1))
        scratch = empty_scratch(len(labels.arrive), self.timetable.points.count, len(next_run))
        scan(connections, rows, next_run, changes, flat, scratch, times, limit_ms, current_token())
        raise_if_cancelled()
        arrive = labels.arrive[-1]
        taken = np.where(arrive == NEVER, NEVER, arrive - times)
        taken[taken > limit_ms] = NEVER
        if forwards:
            return taken
        return np.where(taken == NEVER, NEVER, taken + np.int32(self.slack_ms))[:, ::-1]

    def journeys(
        self, starts: Ends, at_ms: NDArray[np.int32], limit_ms: int = LONGEST_MS, rides: int | None = None
    ) -> WindowJourneys:
        """The journeys of earliest arrival at all stops, for every departure of a window.

        Parameters:
            starts: where the first ride may begin, and the walk to there.
            at_ms: the departures (d,), ascending.
            limit_ms: the longest journey that counts.
            rides: the most rides, None for any number.
        """
        timetable, departure_ms = self.timetable, np.ascontiguousarray(at_ms, np.int32)
        layers, points = 1 if rides is None else min(rides, MOST_RIDES) + 1, timetable.points.count
        labels = empty_labels(layers, points, len(departure_ms))
        journeys = empty_journeys(layers, points, len(departure_ms))
        walk = starts.walk_ms + np.int32(self.slack_ms)
        near = np.flatnonzero(walk <= limit_ms)
        begin(labels, starts.point[near], walk[near], departure_ms)
        rows = rows_between(timetable.connections, int(departure_ms[0]), int(departure_ms[-1]) + limit_ms)
        next_run, token = timetable.runs.goes_on_as, current_token()
        scan_with_journeys(
            timetable.connections, rows, next_run, self.changes, labels, journeys, departure_ms, limit_ms, token
        )
        raise_if_cancelled()
        return WindowJourneys(timetable, labels, journeys)

    def earliest(
        self, starts: Ends, goals: Ends, at_ms: int, limit_ms: int = LONGEST_MS, rides: int = MOST_RIDES
    ) -> list[Journey]:
        """The journeys of earliest arrival from a departure on, one for each number of rides that brings one there sooner.

        Parameters:
            starts: where the first ride may begin, and the walk to there.
            goals: where the last ride may end, and the walk from there.
            at_ms: the departure.
            limit_ms: the longest journey that counts.
            rides: the most rides.
        """
        window = self.journeys(starts, np.array([at_ms], np.int32), limit_ms, min(rides, MOST_RIDES))
        layers = len(window.labels.arrive)
        undominated: list[Journey] = []
        for layer in range(1, layers):
            arrives = window.labels.arrive[layer, goals.point, 0].astype(np.int64) + goals.walk_ms
            if len(arrives) == 0:
                break
            best = int(np.argmin(arrives))
            sooner = arrives[best] < (undominated[-1].arrives_ms if undominated else at_ms + limit_ms + 1)
            if arrives[best] >= NEVER or not sooner:
                continue
            undominated.append(Journey(window.rides_to(int(goals.point[best]), 0, layer), at_ms, int(arrives[best])))
        return undominated
