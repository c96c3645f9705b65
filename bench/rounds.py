"""A search of a timetable by rounds, as a peer for the scan of connections: one departure, earliest arrivals at all stops.

Source: D. Delling, T. Pajor, R. Werneck, *Round-Based Public Transit Routing* (2012). Each round goes along every line that a
stop improved in the round before lies on, boarding the earliest trip that is caught, and walks from where that led.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.transit.scan import NEVER, Changes
from awl.core.transit.search import Ends
from awl.core.transit.timetable import Timetable


class Lines(NamedTuple):
    """Runs with the same stops one after another, and none overtaking, are one line; its runs are in the order of departure.

    Line l calls at `stops[first_stop[l] : first_stop[l + 1]]`; calls of its run t lie from `first_call[l] + t * stops` on in
    `arrival` and `departure`. At stop s call `at[of_stop[s] : of_stop[s + 1]]` of the lines in `line`, alike.
    """

    first_stop: Any
    stops: Any
    first_call: Any
    runs: Any
    arrival: Any
    departure: Any
    of_stop: Any
    line: Any
    at: Any


def lines_of(timetable: Timetable) -> Lines:
    """The lines of a timetable all of whose calls one may board and alight at."""
    connections = timetable.connections
    order = np.lexsort((connections.departure, connections.run))
    run = connections.run[order]
    begins = np.flatnonzero(np.append(True, run[1:] != run[:-1]))
    ends = np.append(begins[1:], len(run))
    of_pattern: dict[bytes, list[int]] = {}
    for nth, (begin, end) in enumerate(zip(begins.tolist(), ends.tolist(), strict=True)):
        stops = np.append(connections.origin[order[begin:end]], connections.target[order[end - 1]])
        of_pattern.setdefault(stops.tobytes(), []).append(nth)
    first_stop, stops_of, first_call, runs, arrivals, departures = [0], [], [0], [], [], []
    for key, members in of_pattern.items():
        stops = np.frombuffer(key, connections.origin.dtype)
        rows = np.array([order[begins[nth] : ends[nth]] for nth in members])
        rows = rows[np.argsort(connections.departure[rows[:, 0]], kind="stable")]
        leaves = np.column_stack([connections.departure[rows], np.full(len(rows), NEVER)])
        comes = np.column_stack([np.full(len(rows), NEVER), connections.arrival[rows]])
        if (np.diff(comes[:, 1:], axis=0) < 0).any() or (np.diff(leaves[:, :-1], axis=0) < 0).any():
            raise ValueError("A run overtakes another of its line")
        first_stop.append(first_stop[-1] + len(stops))
        first_call.append(first_call[-1] + comes.size)
        stops_of.append(stops)
        runs.append(len(rows))
        arrivals.append(comes.ravel())
        departures.append(leaves.ravel())
    stops = np.concatenate(stops_of)
    line = np.repeat(np.arange(len(runs), dtype=np.int32), np.diff(first_stop))
    at = np.concatenate([np.arange(len(one), dtype=np.int32) for one in stops_of])
    by_stop = np.argsort(stops, kind="stable")
    of_stop = np.searchsorted(stops[by_stop], np.arange(timetable.points.count + 1))
    return Lines(
        np.array(first_stop), stops, np.array(first_call), np.array(runs), np.concatenate(arrivals).astype(np.int32),
        np.concatenate(departures).astype(np.int32), of_stop, line[by_stop], at[by_stop],
    )  # fmt: skip


def arrivals_by_rounds(lines: Lines, changes: Changes, starts: Ends, at_ms: int, limit_ms: int) -> NDArray[np.int32]:
    """When one arrives (p,) at each stop at the earliest, `NEVER` for never; `starts` with what boarding needs counted in."""
    count = len(changes.start) - 1
    arrive, ready = np.full(count, NEVER, np.int32), np.full(count, NEVER, np.int32)
    np.minimum.at(ready, starts.point, starts.walk_ms + np.int32(at_ms))
    _rounds(lines, changes, np.unique(starts.point).astype(np.int32), arrive, ready, np.int32(at_ms + limit_ms))
    return arrive


@njit(cache=True, nogil=True)
def _rounds(lines, changes, begin, arrive, ready, latest):
    """Fill when one arrives, and is ready to board, at each stop, round by round until nothing improves."""
    count = len(arrive)
    marked, marks = np.empty(count, np.int32), len(begin)
    marked[:marks] = begin
    is_marked, improved, is_improved = np.zeros(count, np.uint8), np.empty(count, np.int32), np.zeros(count, np.uint8)
    queued, from_stop = np.empty(len(lines.runs), np.int32), np.full(len(lines.runs), 1 << 30, np.int32)
    while marks:
        lines_queued = 0
        for i in range(marks):
            is_marked[marked[i]] = 0
            for j in range(lines.of_stop[marked[i]], lines.of_stop[marked[i] + 1]):
                line = lines.line[j]
                if from_stop[line] == 1 << 30:
                    queued[lines_queued] = line
                    lines_queued += 1
                from_stop[line] = min(from_stop[line], lines.at[j])
        improvements = 0
        for i in range(lines_queued):
            line = queued[i]
            first, stops, trip = lines.first_stop[line], lines.first_stop[line + 1] - lines.first_stop[line], -1
            for nth in range(from_stop[line], stops):
                stop = lines.stops[first + nth]
                if trip >= 0:
                    at = lines.arrival[lines.first_call[line] + trip * stops + nth]
                    if at < arrive[stop] and at <= latest:
                        arrive[stop] = at
                        if not is_improved[stop]:
                            is_improved[stop] = 1
                            improved[improvements] = stop
                            improvements += 1
                if ready[stop] < NEVER and nth < stops - 1:
                    low, high = 0, trip if trip >= 0 else lines.runs[line]
                    while low < high:
                        middle = (low + high) // 2
                        if lines.departure[lines.first_call[line] + middle * stops + nth] < ready[stop]:
                            low = middle + 1
                        else:
                            high = middle
                    if low < lines.runs[line]:
                        trip = low
            from_stop[line] = 1 << 30
        marks = 0
        for i in range(improvements):
            stop = improved[i]
            is_improved[stop] = 0
            for walk in range(changes.start[stop], changes.start[stop + 1]):
                to, when = changes.target[walk], arrive[stop] + changes.ms[walk]
                if when < ready[to]:
                    ready[to] = when
                    if not is_marked[to]:
                        is_marked[to] = 1
                        marked[marks] = to
                        marks += 1
