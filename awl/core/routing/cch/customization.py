"""Putting costs into a topology, supernode by supernode.

A supernode is a run of ranks of which each is the parent of the one before and has its neighbours but one; most work is on the
large ones, on cuts. All ways over its ranks are looked at together before any edge above is touched. Ranks stand in post-order of
the tree of their parents, so the edges above a rank were looked at shortly before. Source of supernodes: J. W. H. Liu, E. G. Ng,
B. W. Peyton, *On finding supernodes for sparse matrix computations*, SIAM J. Matrix Anal. Appl. 14 (1993).
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.kernels import njit_no_refcount, stopped
from awl.core.progress import current_token, raise_if_cancelled
from awl.core.routing.cch.shares import OWN
from awl.core.routing.cch.supernodes import ranks_in, rows_between, widest
from awl.core.routing.cch.topology import FAR, STEP, Metric, Topology, Unpacking
from awl.core.routing.simd.blocks import RUN, least_through, lower_one, lower_run
from awl.core.routing.simd.lanes import least_through_four, least_through_lanes
from awl.core.routing.simd.vectors import load_unchecked, store_unchecked

OFTEN = 4096
"""Ranks between two looks at the token."""


def customized(topology: Topology, cost: NDArray[np.integer]) -> Metric:
    """Put the costs of steps (r,) into a topology.

    Parameters:
        topology: the topology of the hierarchy.
        cost: costs (r,) of the steps.
    """
    metric = Metric(np.empty((2, len(topology.head)), np.uint32))
    up, down = metric.cost
    shares, token = topology.shares, current_token()

    def put(*ways: int) -> None:
        for way in ways:
            metric.cost[way] = FAR
        _put_steps(topology.edge, cost, metric.cost, 0 in ways, 1 in ways)

    shares.each_way(put)
    apart = shares.shift(topology.start)
    copies = np.full((len(shares.threads), 2, len(shares.rows)), FAR)

    def share(thread: int, runs: NDArray[np.int64]) -> None:
        copy = copies[thread]
        _customize(
            topology.start, topology.head, runs, up, down, apart if thread else apart[:0], copy[0], copy[1], token
        )

    shares.each(share)
    for of_edges, copy in zip(metric.cost, copies[1:].min(axis=0, initial=FAR), strict=True):
        of_edges[shares.rows] = np.minimum(of_edges[shares.rows], copy)
    share(0, shares.top)
    raise_if_cancelled()
    return metric


def unpacking_of(
    topology: Topology, metric: Metric, cost: NDArray[np.integer], accumulated: NDArray[np.integer]
) -> Unpacking:
    """What the edges of a metric stand for; `cost`, `accumulated` are those of the steps (r,).

    Parameters:
        topology: the topology of the hierarchy.
        metric: costs of its edges in one measure.
        cost: costs (r,) of the steps.
        accumulated: accumulated costs (r,) of the steps.
    """
    size = len(topology.head)
    unpacking = Unpacking(np.full((2, size), -1, np.int32), np.zeros((2, size), np.uint32))
    _find_steps(topology.edge, metric.cost, cost, accumulated, unpacking.via, unpacking.accumulated)
    _find_ways(topology.start, topology.head, metric.cost, unpacking.via, unpacking.accumulated, current_token())
    raise_if_cancelled()
    return unpacking


@njit_no_refcount
def _put_steps(edge, step_cost, cost, up, down):
    """Lower the costs (2, m) of edges to those of the steps (r,) along them: of those that lead up, down or both."""
    rows = np.int64(cost.shape[1])
    for i in range(len(edge)):
        row = np.int64(load_unchecked(edge, i))
        # Almost always true where both are put in: then the direction of a step, which cannot be predicted, takes no branch.
        if row >= 0 and ((up and down) or (down if row & 1 else up)):
            at = (row & 1) * rows + (row >> 1)
            store_unchecked(cost, at, min(load_unchecked(cost, at), np.uint32(load_unchecked(step_cost, i))))


@njit_no_refcount
def _find_steps(edge, cost, step_cost, step_carried, via, accumulated):
    """The first step that costs what its edge costs."""
    for i in range(len(edge)):
        way, e = edge[i] & 1, edge[i] >> 1
        if e >= 0 and via[way, e] == -1 and step_cost[i] == cost[way, e] and step_cost[i] < FAR:
            via[way, e], accumulated[way, e] = STEP - i, step_carried[i]


@njit(cache=True, nogil=True)
def _customize(start, head, runs, up, down, shift, copy_up, copy_down, token):
    """Lower the costs (m,) of edges, which come with those of their steps, to those of the best ways over the ranks of some runs.

    Edges of ranks that have a `shift` (c,) are lowered in a copy; where there is none (0,), all where they stand.
    """
    wide = widest(start)
    over_up, over_down = np.empty(wide, np.uint32), np.empty(wide, np.uint32)
    look, count, apart = np.int64(0), np.int64(len(start) - 1), len(shift) > 0
    for run in range(len(runs)):
        x, last = runs[run, 0], runs[run, 1]
        while x <= last:
            if x >= look:
                if stopped(token, x, count):
                    return
                look = x + OFTEN
            size = ranks_in(start, head, x)
            begin, end = np.int64(load_unchecked(start, x + size - 1)), np.int64(load_unchecked(start, x + size))
            if size == 1:
                if apart:
                    _over_one_apart(start, head, up, down, begin, end, shift, copy_up, copy_down)
                else:
                    _over_one(start, head, up, down, begin, end)
                x += 1
                continue
            first = np.int64(load_unchecked(start, x))
            step = np.int64(load_unchecked(start, x + 1)) - first - 1
            for i in range(1, size):
                least_through(up, down, up, down, np.int64(start[x + i]), first + i - 1, step, i, step + 1 - i)
            for e in range(begin, end - 1):
                more = end - 1 - e
                for b in range(more):
                    over_up[b], over_down[b] = FAR, FAR
                least_through(up, down, over_up, over_down, 0, first + size - 1 + e - begin, step, size, more)
                if apart and shift[head[e]] != OWN:
                    _lower_above(start, head, e, more, over_up, over_down, copy_up, copy_down, shift[head[e]])
                else:
                    _lower_above(start, head, e, more, over_up, over_down, up, down, 0)
            x += size


@njit_no_refcount
def _lower_above(start, head, e, count, by_up, by_down, up, down, shift):
    """Lower the edges between the higher end of `e` and those of the `count` edges behind it, which stand `shift` further on."""
    j = np.int64(load_unchecked(head, e))
    t, last, b = np.int64(load_unchecked(start, j)), np.int64(load_unchecked(start, j + 1)) - RUN, np.int64(0)
    while b < count:
        high = load_unchecked(head, e + 1 + b)
        while load_unchecked(head, t) != high:
            t += 1
        if b + RUN <= count and t <= last and load_unchecked(head, t + RUN - 1) == load_unchecked(head, e + b + RUN):
            lower_run(up, down, t + shift, by_up, by_down, b)
            t, b = t + RUN, b + RUN
        else:
            lower_one(up, down, t + shift, load_unchecked(by_up, b), load_unchecked(by_down, b))
            t, b = t + 1, b + 1


@njit_no_refcount
def _over_one(start, head, up, down, begin, end):
    """Ways over one rank, whose edges are `begin` to `end`."""
    for e in range(begin, end - 1):
        _over_edge(start, head, up, down, e, end, up, down, 0)


@njit_no_refcount
def _over_one_apart(start, head, up, down, begin, end, shift, copy_up, copy_down):
    """The same, where edges of ranks that have a `shift` (c,) are lowered in a copy."""
    for e in range(begin, end - 1):
        moved = shift[head[e]]
        if moved == OWN:
            _over_edge(start, head, up, down, e, end, up, down, 0)
        else:
            _over_edge(start, head, up, down, e, end, copy_up, copy_down, moved)


@njit_no_refcount
def _over_edge(start, head, up, down, e, end, to_up, to_down, shift):
    """Ways from the higher end of edge `e` over its rank to those of the edges behind it; what they lower stands `shift` on."""
    t = np.int64(load_unchecked(start, np.int64(load_unchecked(head, e))))
    up_e, down_e = load_unchecked(up, e), load_unchecked(down, e)
    for f in range(e + 1, end):
        high = load_unchecked(head, f)
        while load_unchecked(head, t) != high:
            t += 1
        over_up, over_down = np.uint32(down_e + load_unchecked(up, f)), np.uint32(load_unchecked(down, f) + up_e)
        lower_one(to_up, to_down, t + shift, over_up, over_down)
        t += 1


@njit(cache=True, nogil=True)
def customize_lanes(start, head, runs, up, down, shift, copy, token):
    """The same for costs (m, LANES).

    Parameters:
        start: offsets (c + 1,) of the edges of each rank.
        head: the higher rank (e,) of each edge.
        runs: runs (k, 2) of ranks, first and last.
        up: costs of the edges upwards, the copies behind them.
        down: costs of the edges downwards, the copies behind them.
        shift: how far (c,) the edges of ranks stand on in a copy, `OWN` where they are lowered where they stand; (0,) for all.
        copy: where the copy begins.
        token: cancel token (3,): whether to stop, how much is done, how much there is to do.
    """
    row = np.empty(widest(start), np.int64)
    look, count, apart = np.int64(0), np.int64(len(start) - 1), len(shift) > 0
    for run in range(len(runs)):
        x, last = runs[run, 0], runs[run, 1]
        while x <= last:
            if x >= look:
                if stopped(token, x, count):
                    return
                look = x + OFTEN
            size = ranks_in(start, head, x)
            begin, end = np.int64(load_unchecked(start, x + size - 1)), np.int64(load_unchecked(start, x + size))
            first = np.int64(load_unchecked(start, x))
            step = np.int64(load_unchecked(start, x + 1)) - first - 1
            for i in range(1, size):
                at = np.int64(load_unchecked(start, x + i))
                for b in range(step + 1 - i):
                    row[b] = at + b
                _lower_lanes(up, down, row, step + 1 - i, first + i - 1, step, np.int64(i))
            for e in range(begin, end - 1):
                more = end - 1 - e
                rows_between(start, head, e, end, row)
                if apart and shift[head[e]] != OWN:
                    for b in range(more):
                        row[b] += copy + shift[head[e]]
                _lower_lanes(up, down, row, more, first + size - 1 + e - begin, step, size)
            x += size


@njit_no_refcount
def _lower_lanes(up, down, row, count, first, step, rows):
    """Lower the edges `row` by ways over a supernode, four at a time."""
    for b in range(0, count - 3, 4):
        least_through_four(up, down, row, np.int64(b), first, step, rows)
    for b in range(count - count % 4, count):
        least_through_lanes(up, down, row, np.int64(b), first, step, rows)


@njit(cache=True, nogil=True)
def _find_ways(start, head, cost, via, accumulated, token):
    """The lowest rank over which a way costs what an edge costs, where no step does; and what that way carries."""
    wide = widest(start)
    over, row = np.empty((2, wide), np.uint32), np.empty(wide, np.int64)
    x, count, look = np.int64(0), np.int64(len(start) - 1), np.int64(0)
    while x < count:
        if x >= look:
            if stopped(token, x, count):
                return
            look = x + OFTEN
        size = ranks_in(start, head, x)
        begin, end = np.int64(load_unchecked(start, x + size - 1)), np.int64(load_unchecked(start, x + size))
        if size == 1:
            _name_over_one(start, head, cost, via, accumulated, begin, end)
            x += 1
            continue
        first = np.int64(load_unchecked(start, x))
        step = np.int64(load_unchecked(start, x + 1)) - first - 1
        for i in range(1, size):
            more = step + 1 - i
            row[:more] = np.arange(start[x + i], start[x + i] + more)
            _name(cost, via, accumulated, over, row, more, first + i - 1, step, i)
        for e in range(begin, end - 1):
            rows_between(start, head, e, end, row)
            _name(cost, via, accumulated, over, row, end - 1 - e, first + size - 1 + e - begin, step, size)
        x += size


@njit_no_refcount
def _name(cost, via, accumulated, over, row, count, first, step, rows):
    """Name the way of the edges `row` if it leads over one of `rows` ranks, whose edges to the lower end begin with `first`."""
    over[:, :count] = FAR
    least_through(cost[0], cost[1], over[0], over[1], 0, first, step, rows, count)
    for b in range(count):
        k = row[b]
        for way in range(2):
            if via[way, k] != -1 or over[way, b] != cost[way, k] or over[way, b] == FAR:
                continue
            e = first
            for i in range(rows):
                f = e + 1 + b
                into, out = (e, f) if way == 0 else (f, e)
                if cost[1, into] + cost[0, out] == cost[way, k]:
                    via[way, k], accumulated[way, k] = e, accumulated[1, into] + accumulated[0, out]
                    break
                e += step - i


@njit_no_refcount
def _name_over_one(start, head, cost, via, accumulated, begin, end):
    """Name the ways over one rank, whose edges are `begin` to `end`."""
    up, down = cost[0], cost[1]
    for e in range(begin, end - 1):
        t = np.int64(load_unchecked(start, np.int64(load_unchecked(head, e))))
        up_e, down_e = load_unchecked(up, e), load_unchecked(down, e)
        for f in range(e + 1, end):
            high = load_unchecked(head, f)
            while load_unchecked(head, t) != high:
                t += 1
            over_up, over_down = np.uint32(down_e + load_unchecked(up, f)), np.uint32(load_unchecked(down, f) + up_e)
            if over_up == load_unchecked(up, t) and over_up < FAR and via[0, t] == -1:
                via[0, t], accumulated[0, t] = e, accumulated[1, e] + accumulated[0, f]
            if over_down == load_unchecked(down, t) and over_down < FAR and via[1, t] == -1:
                via[1, t], accumulated[1, t] = e, accumulated[1, f] + accumulated[0, e]
            t += 1
