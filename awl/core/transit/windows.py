"""What a window of departures comes to at each place: the time that a share of the departures keeps, compiled."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from awl.core.routing.dijkstra.search import NO_LABEL, OWNER_BITS, UNREACHED
from awl.core.transit.scan import NEVER


def rank_of(percentile: float, departures: int) -> int:
    """Which of the times of a window in ascending order is kept by so many percent of the departures.

    Parameters:
        percentile: from 0, the best, to 100, the worst.
        departures: how many departures the window has.

    >>> rank_of(50, 60), rank_of(0, 60), rank_of(100, 60)
    (29, 0, 59)
    """
    return min(max(math.ceil(percentile / 100 * departures) - 1, 0), departures - 1)


@njit(cache=True, nogil=True)
def labels_at_rank(rows, start, stop, walk_ms, of_stop, direct, limit, rank, labels):
    """Labels of some places: that of the departure at a rank, by whichever stop it is least, or on foot all the way.

    Parameters:
        rows: the first of the places and the one after the last.
        start: offsets (n + 1,) of the stops near each place.
        stop: the stops (w,) near places.
        walk_ms: the walk (w,) between each and the place.
        of_stop: label (s, d) of each stop at each departure, `NO_LABEL` for none.
        direct: label (n,) of each place on foot.
        limit: the highest cost that counts, in ms.
        rank: which of the departures in ascending order.
        labels: what is filled (n,).
    """
    departures = of_stop.shape[1]
    best = np.empty(departures, np.int64)
    highest = ((np.int64(limit) + 1) << OWNER_BITS) - 1
    for place in range(rows[0], rows[1]):
        labels[place] = direct[place]
        if start[place] == start[place + 1]:
            continue
        best[:] = direct[place]
        improved = False
        for i in range(start[place], start[place + 1]):
            walk = np.int64(walk_ms[i]) << OWNER_BITS
            times = of_stop[stop[i]]
            for nth in range(departures):
                if times[nth] != NO_LABEL and times[nth] + walk < best[nth]:
                    best[nth] = times[nth] + walk
                    improved = True
        if improved:
            best.sort()
            labels[place] = best[rank] if best[rank] <= highest else NO_LABEL


@njit(cache=True, nogil=True)
def costs_at_rank(start, stop, walk_ms, of_stop, direct, limit, rank, costs):
    """The same as `labels_at_rank` for costs in ms of one place to all others.

    Parameters:
        start: offsets (n + 1,) of the stops near each place.
        stop: the stops (w,) near places.
        walk_ms: the walk (w,) between each and the place.
        of_stop: time (s, d) of each stop at each departure, `NEVER` for none.
        direct: cost (n,) of each place on foot, `UNREACHED` for none.
        limit: the highest cost that counts, in ms.
        rank: which of the departures in ascending order.
        costs: what is filled (n,), `UNREACHED` where there is no way within the limit.
    """
    departures = of_stop.shape[1]
    best = np.empty(departures, np.int32)
    for place in range(len(start) - 1):
        best[:] = direct[place]
        improved = False
        for i in range(start[place], start[place + 1]):
            times = of_stop[stop[i]]
            for nth in range(departures):
                if times[nth] != NEVER and times[nth] + walk_ms[i] < best[nth]:
                    best[nth] = times[nth] + walk_ms[i]
                    improved = True
        if improved:
            best.sort()
        costs[place] = best[rank] if best[rank] <= limit else UNREACHED
