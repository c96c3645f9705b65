"""The connection scan where waits at changes have a limit, compiled.

Who comes first is then not always better off: whoever comes later may still be in time for what the first would wait too long
for. So no arrival at a stop goes before another. Everybody who alights opens, at each stop within a walk, the first connection
that is still caught there; from it on the latest that anybody has been ready is known for every later one, and boarding is
possible where that is not too long ago. One departure of the window is searched at a time.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import njit

from awl.core.kernels import stopped
from awl.core.transit.scan import LOOK_EVERY, NEVER, Journeys
from awl.core.transit.timetable import ALIGHT, BOARD, LAST, Connections

NOBODY = np.int32(-(2**30))
"""When the latest was ready where nobody has been: before all times, so that any wait from then on is too long."""


class Boardings(NamedTuple):
    """The connections that one may board, by where they begin: those of point p are `start[p]` to `start[p + 1]` of `row`.

    They are rows of the connections, ascending as the scan meets them.
    """

    start: Any
    row: Any


def boardings_of(connections: Connections, points: int) -> Boardings:
    """The connections that one may board, by boarding point.

    Parameters:
        connections: the connections, by departure.
        points: how many boarding points there are.
    """
    rows = np.flatnonzero(connections.flags & BOARD)
    rows = rows[np.argsort(connections.origin[rows], kind="stable")]
    start = np.searchsorted(connections.origin[rows], np.arange(points + 1))
    return Boardings(start.astype(np.int64), rows.astype(np.int32))


def empty_trail(layers: int, points: int, rows: int, departures: int) -> Journeys:
    """How arrivals come about, by connection, of a search that has not begun; -1 for none.

    Arrivals at one stop do not stand for one another, so that rides are remembered by the connections themselves: `alighted` by
    point, `boarded` by the connection with which one alights; `came_from`, by the connection with which one boards, is that with
    which one alighted before. Connections count from the first that is scanned.

    Parameters:
        layers: 1, or the most rides and one.
        points: how many boarding points there are.
        rows: how many connections are scanned.
        departures: for how many departures they are remembered.
    """
    shapes = ((layers, rows, departures), (layers, points, departures), (layers, rows, departures))
    return Journeys(*(np.full(shape, -1, np.int32) for shape in shapes))


@njit(cache=True, nogil=True)
def scan_waiting(
    connections, rows, next_run, changes, boardings, arrive, begins, trail, departure_ms, limits_ms, token
):
    """Scan connections for each departure and fill `arrive`, (layers, points, departures), and the trail.

    When the work of which `token` is was stopped it ends, with arrivals that say nothing.

    Parameters:
        connections: the connections (`Connections`), by departure.
        rows: the first row to scan and the one after the last.
        next_run: the run (n,) as which the vehicle of each goes on, -1 for none.
        changes: walks between boarding points (`Changes`).
        boardings: the connections that one may board (`Boardings`).
        arrive: what is filled: when one has alighted at each point.
        begins: the walk (p,) before a first ride that begins at each point, `NEVER` where none does.
        trail: what is filled (`empty_trail`), for each departure; where it has room for one, for the last.
        departure_ms: the departures (d,).
        limits_ms: the longest journey that counts, and the longest wait at a change.
        token: cancel token (3,).
    """
    layers, points, departures = arrive.shape
    shift, count = min(layers - 1, 1), rows[1] - rows[0]
    remembered = trail.boarded.shape[2]
    boarded = np.empty((layers, len(next_run)), np.int32)
    opened, opened_by = np.empty((layers, count), np.int32), np.empty((layers, count), np.int32)
    ready, ready_by = np.empty((layers, points), np.int32), np.empty((layers, points), np.int32)
    for nth in range(departures):
        at, slot = departure_ms[nth], nth % remembered
        boarded[:], opened[:], ready[:] = -1, NOBODY, NOBODY
        for row in range(rows[0], rows[1]):
            if (row - rows[0]) % LOOK_EVERY == 0 and stopped(token, nth * count + row - rows[0], departures * count):
                return
            scanned, run, flags = row - rows[0], connections.run[row], connections.flags[row]
            origin, departs = connections.origin[row], connections.departure[row]
            for layer in range(layers - shift):
                if flags & BOARD:
                    if opened[layer, scanned] > ready[layer, origin]:
                        ready[layer, origin] = opened[layer, scanned]
                        ready_by[layer, origin] = opened_by[layer, scanned]
                    if boarded[layer, run] < 0:
                        if begins[origin] < NEVER and at + begins[origin] <= departs:
                            boarded[layer, run] = row
                            trail.came_from[layer, scanned, slot] = -1
                        elif departs - ready[layer, origin] <= limits_ms[1]:
                            boarded[layer, run] = row
                            trail.came_from[layer, scanned, slot] = ready_by[layer, origin]
                if boarded[layer, run] < 0:
                    continue
                if flags & LAST and next_run[run] >= 0 and boarded[layer, next_run[run]] < 0:
                    boarded[layer, next_run[run]] = boarded[layer, run]
                arrives, target = connections.arrival[row], connections.target[row]
                if not flags & ALIGHT or arrives - at > limits_ms[0]:
                    continue
                trail.boarded[layer, scanned, slot] = boarded[layer, run]
                if arrives < arrive[layer + shift, target, nth]:
                    arrive[layer + shift, target, nth] = arrives
                    trail.alighted[layer + shift, target, slot] = row
                for walk in range(changes.start[target], changes.start[target + 1]):
                    when = arrives + changes.ms[walk]
                    first = _first_caught(connections.departure, boardings, changes.target[walk], when)
                    if rows[0] <= first < rows[1] and when > opened[layer + shift, first - rows[0]]:
                        opened[layer + shift, first - rows[0]] = when
                        opened_by[layer + shift, first - rows[0]] = row


@njit(cache=True, nogil=True)
def _first_caught(departure, boardings, point, when):
    """The row of the first connection that one catches at a point who is ready at a time; -1 for none."""
    low, high = boardings.start[point], boardings.start[point + 1]
    end = high
    while low < high:
        middle = (low + high) // 2
        if departure[boardings.row[middle]] < when:
            low = middle + 1
        else:
            high = middle
    return boardings.row[low] if low < end else -1
