"""Searches on a hierarchy: up from where trips begin, then down to where they end.

Sources: D. Delling, A. V. Goldberg, A. Nowatzyk, R. F. Werneck, *PHAST: hardware-accelerated shortest path trees*, J. Parallel
Distrib. Comput. 73 (2013), sweeps with several sources as lanes; D. Delling, A. V. Goldberg, R. F. Werneck, *Faster batched
shortest paths in road networks*, ATMOS 2011, sweeps restricted to what lies above the targets.
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.engine.dijkstra import NO_LABEL, OWNER_BITS
from awl.core.engine.hierarchy import FAR, Metric, Topology, Ways
from awl.core.engine.lanes import over_edge, over_edge_carrying

Ints = NDArray[np.int32]


@njit(cache=True, nogil=True)
def above(start, head, ranks):
    """All ranks from `ranks` up to their roots, ascending, each once."""
    n = len(start) - 1
    seen = np.zeros(n, np.uint8)
    found = np.empty(n, np.int32)
    size = 0
    for i in range(len(ranks)):
        at = ranks[i]
        while at >= 0 and not seen[at]:
            seen[at] = 1
            found[size] = at
            size += 1
            at = head[start[at]] if start[at] < start[at + 1] else -1
    return np.sort(found[:size])


@njit(cache=True, nogil=True)
def sweep(start, head, up, down, seed_rank, seed_label, most, label):
    """Labels (c,) of all ranks from seeds: cost and owner in one number, as in a plain search; none above `most`.

    `up`, `down` (m,) are the costs of the edges in the sense of the search: swapped to come to the seeds.
    """
    label[:] = NO_LABEL
    for i in range(len(seed_rank)):
        if seed_label[i] <= most:
            label[seed_rank[i]] = min(label[seed_rank[i]], seed_label[i])
    climb = above(start, head, seed_rank)
    for i in climb:
        if label[i] <= most:
            for e in range(start[i], start[i + 1]):
                over = label[i] + (np.int64(up[e]) << OWNER_BITS)
                if over < label[head[e]]:
                    label[head[e]] = over
    for i in range(len(start) - 2, -1, -1):
        best = label[i]
        for e in range(start[i], start[i + 1]):
            if label[head[e]] <= most:
                best = min(best, label[head[e]] + (np.int64(down[e]) << OWNER_BITS))
        label[i] = best if best <= most else NO_LABEL


@njit(cache=True, nogil=True)
def sweep_one(start, head, up, down, seed_rank, seed_cost, label):
    """Costs (c,) of all ranks from the seeds of one place; FAR where there is no way."""
    label[:] = FAR
    for i in range(len(seed_rank)):
        label[seed_rank[i]] = min(label[seed_rank[i]], seed_cost[i])
    for i in above(start, head, seed_rank):
        for e in range(start[i], start[i + 1]):
            label[head[e]] = min(label[head[e]], np.uint32(label[i] + up[e]))
    for i in range(len(start) - 2, -1, -1):
        best = label[i]
        for e in range(start[i], start[i + 1]):
            best = min(best, np.uint32(label[head[e]] + down[e]))
        label[i] = best


@njit(cache=True, nogil=True)
def _begin(start, head, seed_rank, seed_lane, seed_cost, closure, label):
    """Fill what a sweep will touch, and put the seeds in; returns the ranks above them."""
    climb = above(start, head, seed_rank)
    for i in climb:
        label[i, :] = FAR
    for i in closure:
        label[i, :] = FAR
    for i in range(len(seed_rank)):
        label[seed_rank[i], seed_lane[i]] = min(label[seed_rank[i], seed_lane[i]], seed_cost[i])
    return climb


@njit(cache=True, nogil=True)
def sweep_lanes(start, head, up, down, seed_rank, seed_lane, seed_cost, closure, label):
    """Costs `label` (c, LANES) from sources, each a lane, at the ranks of `closure`.

    `closure` holds with each rank all above it, ascending; rows of other ranks mean nothing.
    """
    for i in _begin(start, head, seed_rank, seed_lane, seed_cost, closure, label):
        for e in range(start[i], start[i + 1]):
            over_edge(label, np.int64(i), np.int64(head[e]), up[e])
    for at in range(len(closure) - 1, -1, -1):
        i = closure[at]
        for e in range(start[i], start[i + 1]):
            over_edge(label, np.int64(head[e]), np.int64(i), down[e])


@njit(cache=True, nogil=True)
def sweep_lanes_carrying(
    start, head, cost, carried, seed_rank, seed_lane, seed_cost, seed_carried, closure, label, extra
):
    """The same, with the carried costs `extra` (c, LANES) of the same ways."""
    up, down, up_far, down_far = cost[0], cost[1], carried[0], carried[1]
    climb = _begin(start, head, seed_rank, seed_lane, seed_cost, closure, label)
    for i in range(len(seed_rank)):
        if seed_cost[i] == label[seed_rank[i], seed_lane[i]]:
            extra[seed_rank[i], seed_lane[i]] = seed_carried[i]
    for i in climb:
        for e in range(start[i], start[i + 1]):
            over_edge_carrying(label, extra, np.int64(i), np.int64(head[e]), up[e], up_far[e])
    for at in range(len(closure) - 1, -1, -1):
        i = closure[at]
        for e in range(start[i], start[i + 1]):
            over_edge_carrying(label, extra, np.int64(head[e]), np.int64(i), down[e], down_far[e])


@njit(cache=True, nogil=True)
def to_targets(label, extra, lanes, goal_start, goal_rank, goal_cost, goal_carried, most, found, found_extra):
    """Costs (lanes, targets) from the labels of a sweep, where they are less than what is there."""
    for t in range(len(goal_start) - 1):
        for i in range(goal_start[t], goal_start[t + 1]):
            r = goal_rank[i]
            if r >= 0:
                for k in range(lanes):
                    if label[r, k] < FAR:
                        whole = np.int64(label[r, k]) + goal_cost[i]
                        if whole <= most and whole < found[k, t]:
                            found[k, t] = whole
                            found_extra[k, t] = np.int64(extra[r, k]) + goal_carried[i]


@njit(cache=True, nogil=True)
def meet(start, head, cost, from_rank, from_cost, to_rank, to_cost):
    """The least cost between seeds and goals, and the rows of edges up from the first and down to the last, in travel order.

    -1 where there is no way.
    """
    n = len(start) - 1
    none = np.int64(2**62)
    label = np.full((2, n), none)
    entry = np.full((2, n), np.int64(-1))
    for i in range(len(from_rank)):
        label[0, from_rank[i]] = min(label[0, from_rank[i]], from_cost[i])
    for i in range(len(to_rank)):
        label[1, to_rank[i]] = min(label[1, to_rank[i]], to_cost[i])
    best, where = none, -1
    for side in range(2):
        for i in above(start, head, from_rank if side == 0 else to_rank):
            if label[side, i] == none:
                continue
            if side == 1 and label[0, i] + label[1, i] < best:
                best, where = label[0, i] + label[1, i], i
            for e in range(start[i], start[i + 1]):
                c = cost[side, e]
                if c < FAR and label[side, i] + c < label[side, head[e]]:
                    label[side, head[e]] = label[side, i] + c
                    entry[side, head[e]] = 2 * e + side
    rows = np.empty(2 * n, np.int64)
    size = 0
    if where < 0:
        return np.int64(-1), rows[:0].copy()
    low = _lower_ends(start, entry, where)
    for i in range(len(low) - 1, -1, -1):
        rows[size] = low[i]
        size += 1
    at = where
    while entry[1, at] >= 0:
        rows[size] = entry[1, at]
        size += 1
        at = _low_of(start, entry[1, at] >> 1)
    return best, rows[:size].copy()


@njit(cache=True, nogil=True)
def _lower_ends(start, entry, where):
    """Rows of the edges by which a rank was climbed to, the last first."""
    rows = np.empty(len(start), np.int64)
    size = 0
    at = where
    while entry[0, at] >= 0:
        rows[size] = entry[0, at]
        size += 1
        at = _low_of(start, entry[0, at] >> 1)
    return rows[:size]


@njit(cache=True, nogil=True)
def _low_of(start, edge):
    return np.searchsorted(start, edge, side="right") - 1


@njit(cache=True, nogil=True)
def unpacked(start, head, middle, step, rows):
    """Numbers of the steps that rows of edges stand for, in travel order."""
    found = np.empty(64, np.int32)
    size = 0
    waiting = np.empty(64, np.int64)
    for first in rows:
        count = 1
        waiting[0] = first
        while count > 0:
            count -= 1
            row = waiting[count]
            if middle[row & 1, row >> 1] < 0:
                if size == len(found):
                    found = np.concatenate((found, np.empty(len(found), np.int32)))
                found[size] = step[row & 1, row >> 1]
                size += 1
                continue
            i = middle[row & 1, row >> 1]
            low, high = _low_of(start, row >> 1), head[row >> 1]
            to_low = start[i] + np.searchsorted(head[start[i] : start[i + 1]], low)
            to_high = start[i] + np.searchsorted(head[start[i] : start[i + 1]], high)
            if count + 2 > len(waiting):
                waiting = np.concatenate((waiting, np.empty(len(waiting), np.int64)))
            if row & 1:  # from the higher end down over i to the lower
                waiting[count], waiting[count + 1] = 2 * to_low, 2 * to_high + 1
            else:
                waiting[count], waiting[count + 1] = 2 * to_high, 2 * to_low + 1
            count += 2
    return found[:size].copy()


def path_between(
    topology: Topology,
    metric: Metric,
    ways: Ways,
    begin: tuple[Ints, NDArray[np.int64]],
    end: tuple[Ints, NDArray[np.int64]],
) -> tuple[int, Ints]:
    """Least cost between seeds and goals (ranks and costs), and the steps of the way; -1 where there is none."""
    cost, rows = meet(topology.start, topology.head, metric.cost, *begin, *end)
    if cost < 0:
        return -1, np.zeros(0, np.int32)
    return int(cost), unpacked(topology.start, topology.head, ways.middle, metric.step, rows)
