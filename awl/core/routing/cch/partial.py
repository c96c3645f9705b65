"""Partial customization: where few steps have another cost, only the edges over which they are felt are looked at again.

Edges are done in ascending order of their lower rank, so those an edge depends on are done before it. Source: J. Dibbelt,
B. Strasser, D. Wagner, *Customizable contraction hierarchies*, ACM JEA 21 (2016), section 6.3.
"""

from __future__ import annotations

from heapq import heappop, heappush

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.kernels import njit_no_refcount
from awl.core.network.costs import BLOCKED, NO_WAY, StepCosts
from awl.core.routing.cch.supernodes import follows, rows_between
from awl.core.routing.cch.topology import FAR, STEP, Metric, Topology, Unpacking, edge_to

Ints = NDArray[np.int32]


def steps_by_edge(topology: Topology) -> NDArray[np.int32]:
    """Steps (r,) in the order of their edges; made once per topology.

    Parameters:
        topology: the topology of the hierarchy.
    """
    return np.argsort(topology.edge, kind="stable").astype(np.int32)


def customized_again(
    topology: Topology, by_edge: Ints, metric: Metric, cost: StepCosts, changed: NDArray[np.integer]
) -> tuple[Metric, Ints]:
    """The metric of steps that cost `cost` where that of `metric` holds for all steps but the `changed` ones.

    Returns it with the edges that were looked at again.

    Parameters:
        topology: the topology of the hierarchy.
        by_edge: steps (r,) in the order of their edges.
        metric: costs of its edges in one measure.
        cost: what steps cost now.
        changed: steps (k,) that cost another amount than before.
    """
    (edge_cost,) = metric.branch.copies(metric.cost)
    rows = topology.edge[changed]
    looked_at = _again(
        topology.start, topology.head, topology.lowest, topology.widest, by_edge, topology.edge,
        _columns(cost), np.unique(rows[rows >= 0] >> 1), edge_cost,
    )  # fmt: skip
    return Metric(edge_cost, metric.branch.grown(looked_at, len(topology.head))), looked_at


def ways_again(
    topology: Topology,
    by_edge: Ints,
    metric: Metric,
    unpacking: Unpacking,
    costs: tuple[StepCosts, StepCosts],
    looked_at: Ints,
) -> Unpacking:
    """What the edges of a metric that was customized again stand for; `costs` are cost and accumulated cost of the steps.

    Parameters:
        topology: the topology of the hierarchy.
        by_edge: steps (r,) in the order of their edges.
        metric: costs of its edges in one measure.
        unpacking: what the edges stand for.
        costs: cost and accumulated cost of the steps.
        looked_at: the edges that were looked at again.
    """
    via, accumulated = unpacking.branch.copies(unpacking.via, unpacking.accumulated)
    again = _ways_again(
        topology.start, topology.head, topology.lowest, topology.widest, by_edge, topology.edge, metric.cost,
        _columns(costs[0]), _columns(costs[1]), looked_at, via, accumulated,
    )  # fmt: skip
    return Unpacking(via, accumulated, unpacking.branch.grown(again, len(topology.head)))


def _columns(cost: StepCosts) -> tuple[Ints, Ints, Ints, NDArray[np.bool_]]:
    return cost.arc, cost.arc_cost, cost.delay, cost.barred


@njit_no_refcount
def _set(bits, e):
    bits[e >> 3] |= np.uint8(1 << (e & 7))


@njit_no_refcount
def _is_set(bits, e):
    """Whether the bit of an edge is set. Bits touch less memory than bytes, which is cleared page by page at first use."""
    return bits[e >> 3] >> (e & 7) & 1 == 1


@njit_no_refcount
def _cost_of(costs, step):
    """What a step costs; worked out for the few that are looked at, as there are many."""
    arc, arc_cost, delay, barred = costs
    cost = arc_cost[arc[step]]
    if cost == BLOCKED or barred[step]:
        return np.uint32(NO_WAY)
    return np.uint32(cost + delay[step]) if len(delay) > 0 else np.uint32(cost)


@njit_no_refcount
def _first_on(by_edge, edge_of, e):
    """The first place in `by_edge` of a step on edge `e`, or of the next edge that has one."""
    low, high = 0, len(by_edge)
    while low < high:
        middle = (low + high) // 2
        if edge_of[by_edge[middle]] >> 1 < e:
            low = middle + 1
        else:
            high = middle
    return low


@njit_no_refcount
def _edges_beside(start, head, low, e, row):
    """Put into `row`, for each edge of rank `low` but `e`, the edge between its higher end and that of `e`."""
    begin, high = np.int64(start[low]), np.int64(head[e])
    before, over = np.int64(-1), np.int64(-1)
    for f in range(begin, e):
        at = np.int64(head[f])
        if (
            at == before + 1 and before >= 0 and follows(start, head, before)
        ):  # what is beyond stands at the same places
            over += start[at] - start[before] - 1
        else:
            over = edge_to(head, np.int64(start[at]), np.int64(start[at + 1]), high)
        before = at
        row[f - begin] = over
    rows_between(start, head, e, np.int64(start[low + 1]), row[e - begin + 1 :])


@njit_no_refcount
def _next_below(start, head, lowest, at, one, two, low, high):
    """The next rank below `at` with edges to `low` and `high`, and these; -1 where there is none left.

    `one`, `two` are those of `at`, if it has them. A rank has the neighbours of the one before in its supernode, so its edges
    stand at the same places. A rank between two others on the way to the root has an edge where the lower one has, so what lies
    below a rank without one is passed over.
    """
    bottom = lowest[low]
    while at > bottom:
        at -= 1
        if at + 1 < low and follows(start, head, at):
            shift = np.int64(start[at]) + 1 - start[at + 1]
            return at, one + shift, two + shift
        one = edge_to(head, start[at], start[at + 1], low)
        two = -1 if one < 0 else edge_to(head, one + 1, start[at + 1], high)
        if two >= 0:
            return at, one, two
        at = lowest[at]
    return -1, -1, -1


@njit(cache=True, nogil=True)
def _waiting(start, edges):
    """Edges with their lower ends before them, as numbers in a heap: `edges` ascend, so they are one."""
    return [(np.int64(np.searchsorted(start, e, side="right") - 1) << 32) | e for e in edges]


@njit(cache=True, nogil=True)
def _again(start, head, lowest, widest, by_edge, edge_of, step_cost, first, cost):
    queue = _waiting(start, first)
    queued, row = np.zeros((len(head) >> 3) + 1, np.uint8), np.empty(widest, np.int64)
    for e in first:
        _set(queued, e)
    done = np.empty(max(len(first), 16), np.int32)
    size = 0
    while len(queue) > 0:
        next_one = heappop(queue)
        low, e = next_one >> 32, next_one & 0xFFFFFFFF
        if size == len(done):
            done = np.concatenate((done, np.empty(len(done), np.int32)))
        done[size] = e
        size += 1
        high = np.int64(head[e])
        up, down = FAR, FAR
        at = _first_on(by_edge, edge_of, e)
        while at < len(by_edge) and edge_of[by_edge[at]] >> 1 == e:
            one = by_edge[at]
            if edge_of[one] & 1:
                down = min(down, _cost_of(step_cost, one))
            else:
                up = min(up, _cost_of(step_cost, one))
            at += 1
        below, one, two = _next_below(start, head, lowest, low, -1, -1, low, high)
        while below >= 0:
            up = min(up, np.uint32(cost[1, one] + cost[0, two]))
            down = min(down, np.uint32(cost[1, two] + cost[0, one]))
            below, one, two = _next_below(start, head, lowest, below, one, two, low, high)
        was_up, was_down = cost[0, e], cost[1, e]
        if up == was_up and down == was_down:
            continue
        cost[0, e], cost[1, e] = up, down
        begin = np.int64(start[low])
        _edges_beside(start, head, low, e, row)
        for f in range(begin, np.int64(start[low + 1])):
            if f == e:
                continue
            over, back = row[f - begin], 1 if head[f] < high else 0
            ahead, behind = cost[back, over], cost[1 - back, over]
            felt = (
                was_down + cost[0, f] == ahead or down + cost[0, f] <= ahead
                or cost[1, f] + was_up == behind or cost[1, f] + up <= behind
            )  # fmt: skip
            if felt and not _is_set(queued, over):
                _set(queued, over)
                heappush(queue, (np.int64(min(high, head[f])) << 32) | over)
    return done[:size].copy()


@njit(cache=True, nogil=True)
def _ways_again(
    start, head, lowest, widest, by_edge, edge_of, cost, step_cost, step_carried, looked_at, via, accumulated
):  # fmt: skip
    queue = _waiting(start, looked_at)
    queued, row = np.zeros((len(head) >> 3) + 1, np.uint8), np.empty(widest, np.int64)
    for e in looked_at:
        _set(queued, e)
    done = np.empty(max(len(looked_at), 16), np.int32)
    size = 0
    while len(queue) > 0:
        next_one = heappop(queue)
        low, e = next_one >> 32, next_one & 0xFFFFFFFF
        if size == len(done):
            done = np.concatenate((done, np.empty(len(done), np.int32)))
        done[size] = e
        size += 1
        high = np.int64(head[e])
        over, far = np.full(2, -1, np.int64), np.zeros(2, np.uint32)
        below, one, two = _next_below(start, head, lowest, low, -1, -1, low, high)
        while below >= 0:  # descending: the lowest rank is found last
            for way in range(2):
                into, out = (one, two) if way == 0 else (two, one)
                if cost[1, into] + cost[0, out] == cost[way, e] and cost[way, e] < FAR:
                    over[way], far[way] = one, accumulated[1, into] + accumulated[0, out]
            below, one, two = _next_below(start, head, lowest, below, one, two, low, high)
        at = _first_on(by_edge, edge_of, e)
        changes = np.zeros(2, np.uint8)
        while at < len(by_edge) and edge_of[by_edge[at]] >> 1 == e:
            step = by_edge[at]
            way = edge_of[step] & 1
            if changes[way] == 0 and _cost_of(step_cost, step) == cost[way, e] and cost[way, e] < FAR:
                over[way], far[way], changes[way] = STEP - step, _cost_of(step_carried, step), 1
            at += 1
        changed = False
        for way in range(2):
            if over[way] != via[way, e] or far[way] != accumulated[way, e]:
                via[way, e], accumulated[way, e] = over[way], far[way]
                changed = True
        if not changed:
            continue
        begin = np.int64(start[low])
        _edges_beside(start, head, low, e, row)
        for f in range(begin, np.int64(start[low + 1])):
            if f == e:
                continue
            other, back = row[f - begin], 1 if head[f] < high else 0
            if not _is_set(queued, other) and (
                cost[1, e] + cost[0, f] == cost[back, other] or cost[1, f] + cost[0, e] == cost[1 - back, other]
            ):
                _set(queued, other)
                heappush(queue, (np.int64(min(high, head[f])) << 32) | other)
    return done[:size].copy()
