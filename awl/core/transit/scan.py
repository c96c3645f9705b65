"""The connection scan, compiled: from some stops to all, for all departures of a window at once.

Source: J. Dibbelt, T. Pajor, B. Strasser, D. Wagner, *Intriguingly Simple and Fast Transit Routing* (2013). Theirs scans all
connections of a day in the order of departure and keeps one arrival at each stop. Here each stop has an arrival for each
departure of a window, the earliest first. Who departs later never arrives earlier, so arrivals ascend, and those who can board
a connection are always the first few of them: it is enough to know how many. This number never falls while the scan goes on. A
connection costs the same whether the window has one departure or a hundred, but for the arrivals that it improves.

Layers count rides: layer k holds what is reached with at most k of them. Where the number of changes has no limit one layer
suffices, which feeds itself.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.kernels import njit_no_refcount, stopped
from awl.core.transit.timetable import ALIGHT, BOARD, LAST, Connections

NEVER = np.int32(2**30)
"""A time at which nobody arrives; sums of it and a walk stay below 2^31."""
LOOK_EVERY = 1 << 16


class Changes(NamedTuple):
    """Walks from one boarding point to another, to itself among them: those from point p are rows `start[p]` to `start[p + 1]`.

    `ms` is the least time between alighting at the one and boarding at the other.
    """

    start: Any
    target: Any
    ms: Any


class Labels(NamedTuple):
    """What a scan fills, in ms of the service day.

    `arrive` (layers, points, departures) is when one has alighted there, `ready` when one can board there; `NEVER` for never.
    """

    arrive: Any
    ready: Any


class Scratch(NamedTuple):
    """What a scan works with, zeros at its begin.

    `aboard` (layers, runs) is how many of the departures are aboard a run, `can_board` (layers, points) how many are ready.
    """

    aboard: Any
    can_board: Any


def empty_scratch(layers: int, points: int, runs: int) -> Scratch:
    """Room for a scan.

    Parameters:
        layers: 1, or the most rides and one.
        points: how many boarding points there are.
        runs: how many runs there are.
    """
    return Scratch(np.zeros(layers * runs, np.int32), np.zeros(layers * points, np.int32))


def empty_labels(layers: int, points: int, departures: int) -> Labels:
    """Labels of a search that has not begun.

    Parameters:
        layers: 1, or the most rides and one.
        points: how many boarding points there are.
        departures: how many departures the window has.
    """
    shape = layers, points, departures
    return Labels(np.full(shape, NEVER, np.int32), np.full(shape, NEVER, np.int32))


@njit(cache=True, nogil=True)
def begin(labels, points, walk_ms, departure_ms):
    """Put those who set out at each departure at the boarding points (k,) they walk to in `walk_ms` (k,).

    Parameters:
        labels: what is filled (`Labels`).
        points: boarding points (k,).
        walk_ms: how long the walk to each takes (k,), and what boarding needs.
        departure_ms: the departures (d,), ascending.
    """
    ready = labels.ready
    for layer in range(ready.shape[0]):
        for i in range(len(points)):
            of_point = ready[layer, points[i]]
            for nth in range(len(departure_ms)):
                at = departure_ms[nth] + walk_ms[i]
                if at < of_point[nth]:
                    of_point[nth] = at


@njit_no_refcount
def scan(connections, rows, next_run, changes, labels, scratch, departure_ms, limit_ms, token):
    """Scan connections and fill `labels`, which hold where and when a search begins.

    When the work of which `token` is was stopped it ends, with labels that say nothing.

    Parameters:
        connections: the connections (`Connections`), by departure.
        rows: the first row to scan and the one after the last.
        next_run: the run (n,) as which the vehicle of each goes on, -1 for none.
        changes: walks between boarding points (`Changes`).
        labels: what is filled (`Labels`), flat.
        scratch: zeros to work with (`Scratch`).
        departure_ms: the departures (d,), ascending.
        limit_ms: the longest journey that counts.
        token: cancel token (3,).
    """
    arrive, ready = labels.arrive, labels.ready
    departures, runs = len(departure_ms), len(next_run)
    points = len(changes.start) - 1
    layers = len(arrive) // (points * departures)
    shift = min(layers - 1, 1)
    for row in range(rows[0], rows[1]):
        if (row - rows[0]) % LOOK_EVERY == 0 and stopped(token, row - rows[0], rows[1] - rows[0]):
            return
        run, flags = connections.run[row], connections.flags[row]
        origin, departs = connections.origin[row], connections.departure[row]
        for layer in range(layers - shift):
            seat = layer * runs + run
            count = scratch.aboard[seat]
            if flags & BOARD:
                point = layer * points + origin
                here, first = scratch.can_board[point], point * departures
                while here < departures and ready[first + here] <= departs:
                    here += 1
                scratch.can_board[point] = here
                count = max(count, here)
            if count == 0:
                continue
            scratch.aboard[seat] = count
            if flags & LAST and next_run[run] >= 0:
                seat = layer * runs + next_run[run]
                scratch.aboard[seat] = max(scratch.aboard[seat], count)
            if flags & ALIGHT:
                arrives, target = connections.arrival[row], connections.target[row]
                first = ((layer + shift) * points + target) * departures
                if arrives - departure_ms[count - 1] <= limit_ms and arrive[first + count - 1] > arrives:
                    _lower(arrive, first, count, arrives)
                    for walk in range(changes.start[target], changes.start[target + 1]):
                        first = ((layer + shift) * points + changes.target[walk]) * departures
                        _lower(ready, first, count, arrives + changes.ms[walk])


@njit_no_refcount
def _lower(times, first, count, to):
    """Lower the last of the `count` times from `first` on that are later; they ascend, and go on to do so."""
    nth = first + count - 1
    while nth >= first and times[nth] > to:
        times[nth] = to
        nth -= 1


@njit_no_refcount
def scan_single(connections, rows, next_run, changes, labels, aboard, at_ms, limit_ms, token):
    """The same for a single departure and rides without number: what is said there of many is here either so or not.

    Parameters:
        connections: the connections (`Connections`), by departure.
        rows: the first row to scan and the one after the last.
        next_run: the run (n,) as which the vehicle of each goes on, -1 for none.
        changes: walks between boarding points (`Changes`).
        labels: what is filled (`Labels`), flat.
        aboard: zeros (n,) to work with.
        at_ms: the departure.
        limit_ms: the longest journey that counts.
        token: cancel token (3,).
    """
    arrive, ready, latest = labels.arrive, labels.ready, at_ms + limit_ms
    for row in range(rows[0], rows[1]):
        if (row - rows[0]) % LOOK_EVERY == 0 and stopped(token, row - rows[0], rows[1] - rows[0]):
            return
        run, flags = connections.run[row], connections.flags[row]
        if not aboard[run]:
            if not flags & BOARD or ready[connections.origin[row]] > connections.departure[row]:
                continue
            aboard[run] = 1
        if flags & LAST and next_run[run] >= 0:
            aboard[next_run[run]] = 1
        if flags & ALIGHT:
            arrives, target = connections.arrival[row], connections.target[row]
            if arrives < arrive[target] and arrives <= latest:
                arrive[target] = arrives
                for walk in range(changes.start[target], changes.start[target + 1]):
                    to, when = changes.target[walk], arrives + changes.ms[walk]
                    ready[to] = min(ready[to], when)


@njit(cache=True, nogil=True)
def scan_with_journeys(connections, rows, next_run, changes, labels, journeys, departure_ms, limit_ms, token):
    """The same, remembering how each arrival came about; with one layer it feeds itself, and rides are without number.

    Parameters:
        connections: the connections (`Connections`), by departure.
        rows: the first row to scan and the one after the last.
        next_run: the run (n,) as which the vehicle of each goes on, -1 for none.
        changes: walks between boarding points (`Changes`).
        labels: what is filled (`Labels`).
        journeys: what is filled (`Journeys`).
        departure_ms: the departures (d,), ascending.
        limit_ms: the longest journey that counts.
        token: cancel token (3,).
    """
    arrive, ready = labels.arrive, labels.ready
    layers, points, departures = arrive.shape
    shift = min(layers - 1, 1)
    aboard = np.zeros((layers, len(next_run)), np.int32)
    boarded = np.full((layers, len(next_run), departures), -1, np.int32)
    can_board = np.zeros((layers, points), np.int32)
    for row in range(rows[0], rows[1]):
        if (row - rows[0]) % LOOK_EVERY == 0 and stopped(token, row - rows[0], rows[1] - rows[0]):
            return
        run, flags = connections.run[row], connections.flags[row]
        origin, departs = connections.origin[row], connections.departure[row]
        for layer in range(layers - shift):
            count = aboard[layer, run]
            if flags & BOARD:
                here = can_board[layer, origin]
                while here < departures and ready[layer, origin, here] <= departs:
                    here += 1
                can_board[layer, origin] = here
                if here > count:
                    boarded[layer, run, count:here] = row
                    count = here
            if count == 0:
                continue
            aboard[layer, run] = count
            follows = next_run[run]
            if flags & LAST and follows >= 0 and aboard[layer, follows] < count:
                boarded[layer, follows, aboard[layer, follows] : count] = boarded[
                    layer, run, aboard[layer, follows] : count
                ]
                aboard[layer, follows] = count
            if not flags & ALIGHT:
                continue
            arrives, target, to_layer = connections.arrival[row], connections.target[row], layer + shift
            if arrives - departure_ms[count - 1] > limit_ms or arrive[to_layer, target, count - 1] <= arrives:
                continue
            nth = count - 1
            while nth >= 0 and arrive[to_layer, target, nth] > arrives:
                arrive[to_layer, target, nth] = arrives
                journeys.boarded[to_layer, target, nth] = boarded[layer, run, nth]
                journeys.alighted[to_layer, target, nth] = row
                nth -= 1
            for walk in range(changes.start[target], changes.start[target + 1]):
                to, at = changes.target[walk], arrives + changes.ms[walk]
                nth = count - 1
                while nth >= 0 and ready[to_layer, to, nth] > at:
                    ready[to_layer, to, nth] = at
                    journeys.came_from[to_layer, to, nth] = target
                    nth -= 1


class Journeys(NamedTuple):
    """How arrivals came about, by layer, boarding point and departure, -1 for none.

    `boarded` and `alighted` are the connections with which the last ride of an arrival begins and ends; `came_from` is the point
    at which one alighted before walking to where one is ready to board, -1 where one came from the beginning.
    """

    boarded: Any
    alighted: Any
    came_from: Any


def empty_journeys(layers: int, points: int, departures: int) -> Journeys:
    """Journeys of a search that has not begun.

    Parameters:
        layers: the most rides and one.
        points: how many boarding points there are.
        departures: how many departures the window has.
    """
    return Journeys(*(np.full((layers, points, departures), -1, np.int32) for _ in range(3)))


def rows_between(connections: Connections, first_ms: int, last_ms: int) -> NDArray[np.int64]:
    """The first row of the connections that depart at `first_ms` or later, and the one after those up to `last_ms`.

    Parameters:
        connections: the connections, by departure.
        first_ms, last_ms: times in ms of the service day.
    """
    # A whole number of another size would have the column copied.
    begins = np.searchsorted(connections.departure, np.int32(first_ms))
    ends = np.searchsorted(connections.departure, np.int32(min(last_ms, int(NEVER))), side="right")
    return np.array([begins, max(begins, ends)], np.int64)
