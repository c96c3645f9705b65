"""The rides of which a journey is made, read back from its end, compiled."""

from __future__ import annotations

from numba import njit

BY_POINT = -1
"""Stands for the first connection scanned where rides are remembered by boarding point."""


@njit(cache=True, nogil=True)
def rides_back(journeys, first_row, origin, layer, point, nth, rides, begin):
    """Write the rides that lead to a boarding point, the first of them first, and return the row after the last.

    Parameters:
        journeys: how arrivals came about (`Journeys`), by point or by connection (`empty_trail`).
        first_row: the first connection scanned where it is by connection, `BY_POINT` where it is by point.
        origin: where each connection begins.
        layer: the most rides, or 0 where their number has no limit.
        point: the boarding point.
        nth: row of the departure.
        rides: what is filled (r, 2): the connections with which each ride begins and ends; no more than it has room for.
        begin: the first row to fill.
    """
    boarded, alighted, came_from = journeys
    shift, end = min(alighted.shape[0] - 1, 1), begin
    last = alighted[layer, point, nth]
    while last >= 0 and end < len(rides):
        if first_row == BY_POINT:
            rides[end, 0], rides[end, 1] = boarded[layer, point, nth], last
            layer -= shift
            point = came_from[layer, origin[rides[end, 0]], nth]
            last = alighted[layer, point, nth] if point >= 0 else -1
        else:
            layer -= shift
            rides[end, 0], rides[end, 1] = boarded[layer, last - first_row, nth], last
            last = came_from[layer, rides[end, 0] - first_row, nth]
        end += 1
    for i in range((end - begin) // 2):
        for side in range(2):
            one, other = rides[begin + i, side], rides[end - 1 - i, side]
            rides[begin + i, side], rides[end - 1 - i, side] = other, one
    return end
