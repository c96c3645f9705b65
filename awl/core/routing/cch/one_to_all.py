"""Searches on a hierarchy: up from where trips begin, then down to where they end.

Sources: D. Delling, A. V. Goldberg, A. Nowatzyk, R. F. Werneck, *PHAST: hardware-accelerated shortest path trees*, J. Parallel
Distrib. Comput. 73 (2013), sweeps with several sources as lanes; D. Delling, A. V. Goldberg, R. F. Werneck, *Faster batched
shortest paths in road networks*, ATMOS 2011, sweeps restricted to what lies above the targets.
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.kernels import njit_no_refcount, stopped
from awl.core.routing.cch.kernel_arguments import CarryingLaneSources, LaneSources
from awl.core.routing.cch.topology import FAR
from awl.core.routing.dijkstra.search import NO_LABEL, OWNER_BITS, UNREACHED
from awl.core.routing.simd.lanes import LANES, least_over, least_over_carrying, over_edge, over_edge_carrying
from awl.core.routing.simd.vectors import load_unchecked, store_unchecked

NOT_YET = np.int64(2**62)
"""No label. Above all that are, and the sum of it and the cost of an edge fits into 64 bits."""


@njit_no_refcount
def _turn(ranks, begin, end):
    """Turn the order of the ranks from `begin` to `end` round."""
    end -= 1
    while begin < end:
        ranks[begin], ranks[end] = ranks[end], ranks[begin]
        begin, end = begin + 1, end - 1


@njit_no_refcount
def ancestors_of(parent, ranks, place, ancestors):
    """Put all ranks from `ranks` up to their roots into `ancestors`, each before those above it; how many they are.

    `place` (c,), -1 throughout, gets the row of each in `ancestors`.

    Parameters:
        parent: the next higher rank (c,) of each in the elimination tree, -1 at a root.
        ranks: the ranks to begin with.
        place: scratch (c,), -1 throughout; gets the row of each in `ancestors`.
        ancestors: ranks, filled here, each before those above it.
    """
    size = 0
    for first in ranks:
        at = first
        while at >= 0 and place[at] < 0:
            place[at] = 0
            at = parent[at]
        # Only ranks found before lie above this path, so it goes in front of them: the list is filled from the end.
        end, at = at, first
        length = 0
        while at != end:
            ancestors[size + length] = at
            length += 1
            at = parent[at]
        _turn(ancestors, size, size + length)
        size += length
    _turn(ancestors, 0, size)
    for i in range(size):
        place[ancestors[i]] = i
    return size


def above(parent: NDArray[np.int32], ranks: NDArray[np.int32]) -> NDArray[np.int32]:
    """All ranks from `ranks` up to their roots, ascending, each once.

    Parameters:
        parent: the next higher rank (c,) of each, -1 at a root.
        ranks: the ranks to begin with.
    """
    ancestors = np.empty(len(parent), np.int32)
    size = ancestors_of(parent, ranks, np.full(len(parent), -1, np.int32), ancestors)
    return np.sort(ancestors[:size])


@njit_no_refcount
def sweep(tree, up, down, sources, most, scratch, label):
    """Fill `label` (s,) of the states at ranks: cost and owner in one number, as in a plain search; none above `most`.

    What comes from a rank has edges only to it and to what it has edges to itself: where none of those is reached and no seed
    lies below, all that is passed over.

    Parameters:
        tree: the elimination tree (a `Tree`).
        up: the upward edges searches use (`Edges`).
        down: the downward edges they use (`Edges`).
        sources: ranks at which searches begin, with their labels as costs (`SourceRanks`).
        most: the highest label that counts.
        scratch: memory of this thread (`SweepScratch`).
        label: labels (s,), filled here.
    """
    of_rank, reached, place = scratch.of_rank, scratch.reached, scratch.place
    for i in range(len(sources.rank)):
        if sources.cost[i] <= most:
            of_rank[sources.rank[i]] = min(of_rank[sources.rank[i]], sources.cost[i])
    count = ancestors_of(tree.parent, sources.rank, place, reached)
    for at in range(count):
        i = reached[at]
        here = of_rank[i]
        if here <= most:
            for e in range(up.start[i], up.start[i + 1]):
                over = here + (np.int64(up.cost[e]) << OWNER_BITS)
                if over <= most and over < of_rank[up.head[e]]:
                    of_rank[up.head[e]] = over
    size, rank, edge = 0, np.int64(len(tree.parent) - 1), np.int64(len(down.head))
    while rank >= 0:
        best, begin = load_unchecked(of_rank, rank), np.int64(load_unchecked(down.start, rank))
        while edge > begin:
            edge -= 1
            near = load_unchecked(of_rank, np.int64(load_unchecked(down.head, edge)))
            best = min(best, near + (np.int64(load_unchecked(down.cost, edge)) << OWNER_BITS))
        if best <= most:
            store_unchecked(of_rank, rank, best)
            store_unchecked(reached, size, rank)
            size += 1
        elif load_unchecked(place, rank) < 0 and _none_reached(
            tree.head,
            np.int64(load_unchecked(tree.start, rank)),
            np.int64(load_unchecked(tree.start, rank + 1)),
            of_rank,
        ):
            rank = np.int64(load_unchecked(tree.lowest, rank))
            edge = np.int64(load_unchecked(down.start, rank))
        store_unchecked(place, rank, -1)
        rank -= 1
    for at in range(size):
        rank = np.int64(load_unchecked(reached, at))
        store_unchecked(label, np.int64(load_unchecked(tree.state, rank)), load_unchecked(of_rank, rank))
        store_unchecked(of_rank, rank, NOT_YET)


@njit_no_refcount
def _none_reached(head, begin, end, of_rank):
    """Whether no edge of a rank leads to one with a label."""
    e = begin
    while e < end and load_unchecked(of_rank, np.int64(load_unchecked(head, e))) == NOT_YET:
        e += 1
    return e == end


@njit(cache=True, nogil=True)
def sweep_one(parent, up, down, sources, label):
    """Costs `label` (c,) of all ranks from the terminals of one place; `FAR` where there is no way.

    Parameters:
        parent: the next higher rank (c,) of each in the elimination tree, -1 at a root.
        up: the upward edges searches use (`Edges`).
        down: the downward edges they use (`Edges`).
        sources: ranks at which the search begins, with costs (`SourceRanks`).
        label: costs (c,), filled here.
    """
    label[:] = FAR
    for i in range(len(sources.rank)):
        label[sources.rank[i]] = min(label[sources.rank[i]], sources.cost[i])
    climb = np.empty(len(parent), np.int32)
    size = ancestors_of(parent, sources.rank, np.full(len(parent), -1, np.int32), climb)
    for at in range(size):
        i = climb[at]
        for e in range(up.start[i], up.start[i + 1]):
            label[up.head[e]] = min(label[up.head[e]], np.uint32(label[i] + up.cost[e]))
    edge = np.int64(len(down.head))
    for i in range(len(parent) - 1, -1, -1):
        best, begin = label[i], np.int64(load_unchecked(down.start, i))
        # From the last edge to the first: that leads to the parent, whose label is the latest to be known.
        while edge > begin:
            edge -= 1
            near = load_unchecked(label, np.int64(load_unchecked(down.head, edge)))
            best = min(best, np.uint32(near + load_unchecked(down.cost, edge)))
        label[i] = best


@njit_no_refcount
def label_states(state, cost, limit, owner, label):
    """Put the costs (c,) of a sweep into the labels of the states that stand at the ranks; none above `limit`.

    Parameters:
        state: the state (s,) at each rank.
        cost: costs (c,) of the ranks.
        limit: the highest cost that counts.
        owner: the place that the costs are of.
        label: labels, filled here.
    """
    for i in range(len(state)):
        label[state[i]] = (np.int64(cost[i]) << OWNER_BITS) | owner if cost[i] <= limit else NO_LABEL


@njit_no_refcount
def label_lone(lone, start, head, cost, most, label):
    """Labels of the states without a rank towards places: trips that begin there take one step first; none above `most`.

    Parameters:
        lone: states without a rank.
        start: offsets of the steps that leave each of them.
        head: the state that each step leads to.
        cost: the cost of each step.
        most: the highest cost that counts.
        label: labels (s,) of all states, completed here.
    """
    for state in lone:
        best = label[state]
        for row in range(start[state], start[state + 1]):
            onward = label[head[row]]
            if onward <= most:
                best = min(best, onward + (np.int64(cost[row]) << OWNER_BITS))
        if best <= most:
            label[state] = best


@njit(cache=True, nogil=True)
def sweep_lanes(graph, sources, scratch):
    """Costs `scratch.label` (d, LANES) from sources, each a lane, at the ranks that have a row in `graph.local`.

    Parameters:
        graph: what is swept (a `SweepGraph`).
        sources: ranks at which searches begin (`LaneSources`).
        scratch: memory of this thread (`LaneScratch`); its `label` is filled.
    """
    up, down, local, place, label = graph.up, graph.down, graph.local, scratch.place, scratch.label
    climb = np.empty(len(graph.parent), np.int32)
    size = ancestors_of(graph.parent, sources.rank, place, climb)
    top = np.full((size, LANES), FAR)
    for i in range(len(sources.rank)):
        at = place[sources.rank[i]]
        top[at, sources.lane[i]] = min(top[at, sources.lane[i]], sources.cost[i])
    own = np.zeros(len(label), np.uint8)
    for at in range(size):
        i = climb[at]
        for e in range(up.start[i], up.start[i + 1]):
            over_edge(top, np.int64(at), top, np.int64(place[up.head[e]]), up.cost[e])
        if local[i] >= 0:
            label[local[i], :] = top[at, :]
            own[local[i]] = 1
        place[i] = -1
    for i in range(len(label) - 1, -1, -1):
        least_over(
            label, np.int64(i), down.head, down.cost, np.int64(down.start[i]), np.int64(down.start[i + 1]), own[i]
        )


@njit(cache=True, nogil=True)
def sweep_lanes_carrying(graph, sources, scratch):
    """Costs as `sweep_lanes` fills them, and the accumulated costs `scratch.far` (d, LANES) of the same paths.

    Parameters:
        graph: what is swept (a `SweepGraph` of `CarryingEdges`).
        sources: ranks at which searches begin (`CarryingLaneSources`).
        scratch: memory of this thread (`LaneScratch`); its `label` and `far` are filled.
    """
    up, down, local, place, label, far = graph.up, graph.down, graph.local, scratch.place, scratch.label, scratch.far
    climb = np.empty(len(graph.parent), np.int32)
    size = ancestors_of(graph.parent, sources.rank, place, climb)
    top, further = np.full((size, LANES), FAR), np.zeros((size, LANES), np.uint32)
    for i in range(len(sources.rank)):
        at, lane = place[sources.rank[i]], sources.lane[i]
        if sources.cost[i] < top[at, lane]:
            top[at, lane], further[at, lane] = sources.cost[i], sources.far[i]
    own = np.zeros(len(label), np.uint8)
    for at in range(size):
        i = climb[at]
        for e in range(up.start[i], up.start[i + 1]):
            over_edge_carrying(
                top, further, np.int64(at), top, further, np.int64(place[up.head[e]]), up.cost[e], up.far[e]
            )
        if local[i] >= 0:
            label[local[i], :], far[local[i], :] = top[at, :], further[at, :]
            own[local[i]] = 1
        place[i] = -1
    for i in range(len(label) - 1, -1, -1):
        first, end = np.int64(down.start[i]), np.int64(down.start[i + 1])
        least_over_carrying(label, far, np.int64(i), down.head, down.cost, down.far, first, end, own[i])


@njit(cache=True, nogil=True)
def _sources_of(rows, start):
    """The terminals of these places, and the lane of each: its place in `rows`."""
    total = 0
    for row in rows:
        total += start[row + 1] - start[row]
    at, lane = np.empty(total, np.int64), np.empty(total, np.int32)
    size = 0
    for i in range(len(rows)):
        for one in range(start[rows[i]], start[rows[i] + 1]):
            at[size], lane[size] = one, i
            size += 1
    return at, lane


@njit(cache=True, nogil=True)
def fill_rows(graph, sources, goals, rows, bounds, scratch, cost, token):
    """Fill `rows` of `cost` (s, t) with path cost plus terminal time; UNREACHED where the path cost exceeds the bound.

    Parameters:
        graph: what is swept (a `SweepGraph`).
        sources: where searches begin (`Sources`).
        goals: where targets are reached (`Goals`).
        rows: rows (k,) of the sources that are searched from.
        bounds: the highest cost and the terminal time (`Bounds`).
        scratch: memory of this thread (`LaneScratch`).
        cost: costs (s, t), filled here.
        token: cancel token (3,): whether to stop, how much is done, how much there is to do.
    """
    lanes = np.empty((cost.shape[1], LANES), np.uint32)
    for first in range(0, len(rows), LANES):
        if stopped(token, first, len(rows)):
            return
        some = rows[first : first + LANES]
        at, lane = _sources_of(some, sources.start)
        sweep_lanes(graph, LaneSources(sources.rank[at], lane, sources.cost[at]), scratch)
        lanes[:] = FAR
        for i in range(len(goals.row)):
            over_edge(scratch.label, np.int64(goals.row[i]), lanes, np.int64(goals.target[i]), goals.cost[i])
        for t in range(len(lanes)):
            for i in range(len(some)):
                reached = np.int64(lanes[t, i])
                cost[some[i], t] = reached + bounds.terminal_time if reached <= bounds.most else UNREACHED


@njit(cache=True, nogil=True)
def fill_rows_carrying(graph, sources, goals, rows, bounds, scratch, cost, accumulated, token):
    """Fill rows as `fill_rows` does, and those of `accumulated` (s, t) with what the paths accumulate; 0 where there is none.

    Parameters:
        graph: what is swept (a `SweepGraph` of `CarryingEdges`).
        sources: where searches begin (`CarryingSources`).
        goals: where targets are reached (`CarryingGoals`).
        rows: rows (k,) of the sources that are searched from.
        bounds: the highest cost and the terminal times (`Bounds`).
        scratch: memory of this thread (`LaneScratch`).
        cost: costs (s, t), filled here.
        accumulated: accumulated costs (s, t), filled here.
        token: cancel token (3,): whether to stop, how much is done, how much there is to do.
    """
    lanes, further = np.empty((2, cost.shape[1], LANES), np.uint32)
    for first in range(0, len(rows), LANES):
        if stopped(token, first, len(rows)):
            return
        some = rows[first : first + LANES]
        at, lane = _sources_of(some, sources.start)
        begun = CarryingLaneSources(sources.rank[at], lane, sources.cost[at], sources.far[at])
        sweep_lanes_carrying(graph, begun, scratch)
        lanes[:] = FAR
        for i in range(len(goals.row)):
            row, target = np.int64(goals.row[i]), np.int64(goals.target[i])
            over_edge_carrying(scratch.label, scratch.far, row, lanes, further, target, goals.cost[i], goals.far[i])
        for t in range(len(lanes)):
            for i in range(len(some)):
                reached, within = np.int64(lanes[t, i]), np.int64(lanes[t, i]) <= bounds.most
                cost[some[i], t] = reached + bounds.terminal_time if within else UNREACHED
                accumulated[some[i], t] = np.int64(further[t, i]) + bounds.far_terminal_time if within else 0
