"""Searches on a hierarchy: up from where trips begin, then down to where they end.

Sources: D. Delling, A. V. Goldberg, A. Nowatzyk, R. F. Werneck, *PHAST: hardware-accelerated shortest path trees*, J. Parallel
Distrib. Comput. 73 (2013), sweeps with several sources as lanes; D. Delling, A. V. Goldberg, R. F. Werneck, *Faster batched
shortest paths in road networks*, ATMOS 2011, sweeps restricted to what lies above the targets.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from awl.core.engine.dijkstra import NO_LABEL, OWNER_BITS
from awl.core.engine.lanes import over_edge, over_edge_carrying
from awl.core.engine.topology import FAR


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
