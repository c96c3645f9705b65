"""What trips put on a timetable: on each segment of a route between two stops, and at stops."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.transit.timetable import Timetable


@dataclass(frozen=True)
class SegmentLoads:
    """Trips on segments (g,) of routes, each from a stop to the next one.

    Attributes:
        route, from_stop, to_stop: rows.
        trips: how many trips ride there.
        sample_trip: row of a trip of the timetable that runs there.
    """

    route: NDArray[np.int32]
    from_stop: NDArray[np.int32]
    to_stop: NDArray[np.int32]
    trips: NDArray[np.float64]
    sample_trip: NDArray[np.int32]


@dataclass(frozen=True)
class StopLoads:
    """Trips (s,) that board and alight at each stop; who changes there does both."""

    boarding: NDArray[np.float64]
    alighting: NDArray[np.float64]


def segment_loads(
    timetable: Timetable, boards: NDArray[np.int64], alights: NDArray[np.int64], weight: NDArray[np.float64]
) -> SegmentLoads:
    """Trips on the segments that rides pass.

    Parameters:
        timetable: what runs.
        boards, alights: the connections (r,) with which rides begin and end.
        weight: how many trips make each ride (r,).
    """
    connections, runs = timetable.connections, timetable.runs
    order = np.argsort(connections.run, kind="stable")
    place = np.empty(len(order), np.int64)
    place[order] = np.arange(len(order))
    start = np.searchsorted(connections.run[order], np.arange(len(runs.trip) + 1))
    load = np.zeros(len(order))
    _add_rides(order, place, start, connections.run, runs.goes_on_as, boards, alights, weight, load)
    used = np.flatnonzero(load > 0)
    trip = runs.trip[connections.run[used]]
    stop_of, feed = timetable.points.stop, timetable.feed
    keys = np.column_stack(
        [feed.trips.route[trip], stop_of[connections.origin[used]], stop_of[connections.target[used]]]
    )
    segments, sample, row = np.unique(keys, axis=0, return_index=True, return_inverse=True)
    trips = np.zeros(len(segments))
    np.add.at(trips, row.reshape(-1), load[used])
    route, from_stop, to_stop = segments.astype(np.int32).T
    return SegmentLoads(route, from_stop, to_stop, trips, trip[sample])


@njit(cache=True, nogil=True)
def _add_rides(order, place, start, run, next_run, boards, alights, weight, load):
    """Add the weight of each ride to all connections it passes, those of vehicles that go on as another run among them.

    Parameters:
        order: the connections (c,) ordered by run, and along each.
        place: the place (c,) of each in that order.
        start: offsets (n + 1,) at which the connections of each run begin.
        run: the run (c,) of each connection.
        next_run: the run (n,) as which the vehicle of each goes on, -1 for none.
        boards: the connection (r,) with which each ride begins.
        alights: the connection (r,) with which it ends.
        weight: what is added (r,).
        load: what is filled (c,).
    """
    for i in range(len(boards)):
        of_run, at = run[boards[i]], place[boards[i]]
        while True:
            load[order[at]] += weight[i]
            if order[at] == alights[i]:
                break
            at += 1
            if at == start[of_run + 1]:
                of_run = next_run[of_run]
                if of_run < 0:
                    break
                at = start[of_run]


def stop_loads(
    timetable: Timetable, boards: NDArray[np.int64], alights: NDArray[np.int64], weight: NDArray[np.float64]
) -> StopLoads:
    """Trips that board and alight at stops.

    Parameters:
        timetable: what runs.
        boards, alights: the connections (r,) with which rides begin and end.
        weight: how many trips make each ride (r,).
    """
    stop_of, connections, stops = timetable.points.stop, timetable.connections, len(timetable.feed.stops)
    boarding, alighting = np.zeros(stops), np.zeros(stops)
    np.add.at(boarding, stop_of[connections.origin[boards]], weight)
    np.add.at(alighting, stop_of[connections.target[alights]], weight)
    return StopLoads(boarding, alighting)
