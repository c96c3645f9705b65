"""What a window of departures comes to at each place: the time that a share of the departures keeps, compiled."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from awl.core.kernels import njit_no_refcount
from awl.core.routing.dijkstra.search import NO_LABEL, OWNER_BITS, OWNER_MASK, UNREACHED
from awl.core.routing.simd.vectors import load_unchecked
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
def labels_at_ranks(rows, start, stop, walk_ms, of_stop, least, direct, limit, ranks, labels, served):
    """Labels of some places: those of the departures at some ranks, by whichever stop they are least, or on foot all the way.

    Parameters:
        rows: the first of the places and the one after the last.
        start: offsets (n + 1,) of the stops near each place.
        stop: the stops (w,) near places.
        walk_ms: the walk (w,) between each and the place.
        of_stop: label (s, d) of each stop at each departure, `NO_LABEL` for none.
        least: the least (s,) of them: a stop that is too far even then is passed over.
        direct: label (n,) of each place on foot.
        limit: the highest cost that counts, in ms.
        ranks: which of the departures in ascending order (r,).
        labels: what is filled (r, n).
        served: what is filled (n,): at how many departures the place is reached within the limit.
    """
    departures = of_stop.shape[1]
    best = np.empty(departures, np.int64)
    highest = ((np.int64(limit) + 1) << OWNER_BITS) - 1
    for place in range(rows[0], rows[1]):
        labels[:, place] = direct[place]
        served[place] = departures if direct[place] <= highest else 0
        if start[place] == start[place + 1]:
            continue
        best[:] = direct[place]
        improved = False
        for i in range(start[place], start[place + 1]):
            walk = np.int64(walk_ms[i]) << OWNER_BITS
            soonest = least[stop[i]]
            if soonest == NO_LABEL or soonest + walk >= direct[place] or soonest + walk > highest:
                continue
            times = of_stop[stop[i]]
            for nth in range(departures):
                if times[nth] != NO_LABEL and times[nth] + walk < best[nth]:
                    best[nth] = times[nth] + walk
                    improved = True
        if improved:
            best.sort()
            for i in range(len(ranks)):
                labels[i, place] = best[ranks[i]] if best[ranks[i]] <= highest else NO_LABEL
            served[place] = np.searchsorted(best, highest + 1)


@njit_no_refcount
def labels_of_single(rows, start, stop, walk_ms, soonest_ms, owner, direct, limit, labels, served):
    """The same for a window of one departure: costs are compared, and whose they are is looked up for the least alone.

    Parameters:
        rows: the first of the places and the one after the last.
        start: offsets (n + 1,) of the stops near each place.
        stop: the stops (w,) near places.
        walk_ms: the walk (w,) between each and the place.
        soonest_ms: time (s,) of each stop, `NEVER` for none.
        owner: whose it is (s,), or one for all stops.
        direct: label (n,) of each place on foot.
        limit: the highest cost that counts, in ms.
        labels: what is filled (n,).
        served: what is filled (n,): whether the place is reached within the limit.
    """
    end = np.int64(start[rows[0]])
    for place in range(rows[0], rows[1]):
        best, begin, end = NEVER, end, np.int64(start[place + 1])
        i = begin
        while i < end:
            soonest = load_unchecked(soonest_ms, np.int64(load_unchecked(stop, i)))
            best = min(best, np.int32(soonest + load_unchecked(walk_ms, i)))
            i += 1
        label = direct[place]
        if best <= limit:
            whose = np.int64(owner[0])
            if len(owner) > 1:
                whose = np.int64(OWNER_MASK)
                for near in range(begin, end):
                    if np.int32(soonest_ms[stop[near]] + walk_ms[near]) == best and owner[stop[near]] < whose:
                        whose = np.int64(owner[stop[near]])
            label = min(label, (np.int64(best) << OWNER_BITS) | whose)
        labels[place] = label
        served[place] = label != NO_LABEL and label >> OWNER_BITS <= limit


@njit(cache=True, nogil=True)
def costs_at_ranks(start, stop, walk_ms, of_stop, least, direct, limit, ranks, costs, served):
    """The same as `labels_at_ranks` for costs in ms of one place to all others.

    Parameters:
        start: offsets (n + 1,) of the stops near each place.
        stop: the stops (w,) near places.
        walk_ms: the walk (w,) between each and the place.
        of_stop: time (s, d) of each stop at each departure, `NEVER` for none.
        least: the least (s,) of them.
        direct: cost (n,) of each place on foot, `UNREACHED` for none.
        limit: the highest cost that counts, in ms.
        ranks: which of the departures in ascending order (r,).
        costs: what is filled (r, n), `UNREACHED` where there is no way within the limit.
        served: what is filled (n,): at how many departures there is one.
    """
    departures = of_stop.shape[1]
    best = np.empty(departures, np.int32)
    for place in range(len(start) - 1):
        best[:] = direct[place]
        improved = False
        for i in range(start[place], start[place + 1]):
            soonest = least[stop[i]]
            if soonest == NEVER or soonest + walk_ms[i] >= direct[place] or soonest + walk_ms[i] > limit:
                continue
            times = of_stop[stop[i]]
            for nth in range(departures):
                if times[nth] != NEVER and times[nth] + walk_ms[i] < best[nth]:
                    best[nth] = times[nth] + walk_ms[i]
                    improved = True
        if improved:
            best.sort()
        for i in range(len(ranks)):
            costs[i, place] = best[ranks[i]] if best[ranks[i]] <= limit else UNREACHED
        served[place] = np.searchsorted(best, np.int32(limit), side="right")
