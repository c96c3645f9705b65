"""A customizable hierarchy: shortcuts that depend on how streets hang together, with costs that can be changed at once.

The states of a network are put in the order in which nested dissection takes them out. Taking one out joins those of its
neighbours that are left by shortcuts; which shortcuts there are does not depend on costs, so costs are put in afterwards, in one
pass over all pairs of neighbours (customization). Every best way then leads up in the order first and down afterwards. Source:
J. Dibbelt, B. Strasser, D. Wagner, *Customizable contraction hierarchies*, ACM JEA 21 (2016).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.engine.dissection import dissection, neighbours
from awl.core.engine.runs import ONE, RUN, WIDE, lower_run
from awl.core.modes.states import States

Ints = NDArray[np.int32]
Costs = NDArray[np.uint32]
FAR = np.uint32(2**31 - 1)
"""No way. The sum of two costs up to this one fits into 32 bits."""

STEP = -2


@dataclass(frozen=True)
class Topology:
    """Which shortcuts there are, in ranks: `state` (c,) stands at each rank, `rank` (s,) is that of each state.

    States no step leads to have no rank (-1): trips only begin there. The neighbours of rank i that rank above it are
    `head[start[i]:start[i + 1]]`, ascending; the first is its parent. `edge` (r,) is, for each step between states, twice the row
    of its edge, plus one where the step leads down; -1 for steps from states without a rank.
    """

    state: Ints
    rank: Ints
    start: Ints
    head: Ints
    edge: Ints

    @property
    def count(self) -> int:
        """How many ranks there are."""
        return len(self.state)

    @cached_property
    def low(self) -> Ints:
        """The lower end of each edge."""
        return np.repeat(np.arange(self.count, dtype=np.int32), np.diff(self.start))

    @cached_property
    def below(self) -> tuple[Ints, Ints]:
        """Edges by their higher end: offsets by rank, and edges in ascending order of their lower end."""
        edge = np.argsort(self.head, kind="stable").astype(np.int32)
        return np.searchsorted(self.head[edge], np.arange(self.count + 1)).astype(np.int32), edge

    @cached_property
    def parent(self) -> Ints:
        """The parent of each rank (s,), -1 at a root."""
        top = self.start[:-1] < self.start[1:]
        made = np.full(self.count, -1, np.int32)
        made[top] = self.head[self.start[:-1][top]]
        return made


@dataclass(frozen=True)
class Metric:
    """Costs of the edges (2, m) of a topology: row 0 upwards, row 1 downwards."""

    cost: Costs


@dataclass(frozen=True)
class Ways:
    """What the edges (2, m) stand for, and a carried cost.

    A shortcut leads over a rank below its ends: `via` is the edge from there to its lower end, and the edge to its higher end
    stands behind that in the same row. Where the edge is step i, `via` is `STEP - i`; -1 where there is no way.
    """

    via: Ints
    carried: Costs


def topology_of(states: States, x: NDArray[np.float64], y: NDArray[np.float64]) -> Topology:
    """The topology of the states of a network whose nodes lie at `x`, `y` in metres."""
    steps = states.steps
    core = np.zeros(states.count, bool)
    core[steps.head] = True
    number = np.full(states.count, -1, np.int64)
    number[core] = np.arange(core.sum())
    inner = core[steps.tail]
    tail, head = number[steps.tail[inner]], number[steps.head[inner]]
    # A state stands between the node it was come from and its own, so that a cut passes between the states of one node.
    here, before = states.node[steps.head], states.node[steps.tail]
    at_x, at_y = x[states.node].copy(), y[states.node].copy()
    at_x[steps.head], at_y[steps.head] = (x[here] + x[before]) / 2, (y[here] + y[before]) / 2
    order = dissection(int(core.sum()), tail, head, at_x[core], at_y[core])
    place = np.empty(len(order), np.int32)
    place[order] = np.arange(len(order), dtype=np.int32)
    rank = np.full(states.count, -1, np.int32)
    rank[core] = place
    start, up = _eliminated(*neighbours(len(order), place[tail], place[head]))
    edge = np.full(len(steps), -1, np.int32)
    edge[inner] = _edges_of(start, up, place[tail], place[head])
    return Topology(np.flatnonzero(core).astype(np.int32)[order], rank, start.astype(np.int32), up, edge)


@njit(cache=True, nogil=True)
def _gathered(source, begin, end, i, seen, head, size):
    """Put the ranks above `i` in `source[begin:end]` at the end of `head`, each once; that list, which may grow, and its size."""
    for e in range(begin, end):
        j = source[e]
        if j > i and seen[j] != i:
            seen[j] = i
            if size == len(head):
                head = np.concatenate((head, np.empty(len(head), np.int32)))
            head[size] = j
            size += 1
    return head, size


@njit(cache=True, nogil=True)
def _eliminated(around_start, around):
    """Higher neighbours of each rank once all below it have been taken out, ascending."""
    n = len(around_start) - 1
    start = np.zeros(n + 1, np.int64)
    head = np.empty(4 * len(around) + 16, np.int32)
    child, sibling = np.full(n, -1, np.int32), np.full(n, -1, np.int32)
    seen = np.full(n, -1, np.int32)
    size = 0
    for i in range(n):
        begin = size
        seen[i] = i
        head, size = _gathered(around, around_start[i], around_start[i + 1], i, seen, head, size)
        c = child[i]
        while c >= 0:
            head, size = _gathered(head, start[c], start[c + 1], i, seen, head, size)
            c = sibling[c]
        head[begin:size].sort()
        start[i + 1] = size
        if size > begin:
            p = head[begin]
            sibling[i] = child[p]
            child[p] = i
    return start, head[:size].copy()


@njit(cache=True, nogil=True)
def _edges_of(start, head, tail, tip):
    """For each step, twice the row of its edge, plus one where it leads down; -1 for a step that stays where it is."""
    made = np.empty(len(tail), np.int32)
    for i in range(len(tail)):
        low, high = min(tail[i], tip[i]), max(tail[i], tip[i])
        if low == high:
            made[i] = -1
            continue
        a = start[low] + np.searchsorted(head[start[low] : start[low + 1]], high)
        made[i] = 2 * a + (1 if tail[i] > tip[i] else 0)
    return made


def customized(topology: Topology, cost: NDArray[np.integer]) -> Metric:
    """Put the costs of steps (r,) into a topology."""
    metric = Metric(np.full((2, len(topology.head)), FAR))
    put_steps(topology.edge, cost.astype(np.uint32), metric.cost[0], metric.cost[1])
    _customize(topology.start, topology.head, *topology.below, topology.low, metric.cost[0], metric.cost[1])
    return metric


def ways_of(topology: Topology, metric: Metric, cost: NDArray[np.integer], carried: NDArray[np.integer]) -> Ways:
    """What the edges of a metric stand for; `cost`, `carried` are those of the steps (r,)."""
    size = len(topology.head)
    ways = Ways(np.full((2, size), -1, np.int32), np.zeros((2, size), np.uint32))
    _find_steps(topology.edge, metric.cost, cost.astype(np.uint32), carried.astype(np.uint32), ways.via, ways.carried)
    _find_ways(topology.start, topology.head, *topology.below, topology.low, metric.cost, ways.via, ways.carried)
    return ways


@njit(cache=True, nogil=True)
def put_steps(edge, step_cost, up, down):
    """Lower the costs (m,) of edges to those of the steps (r,) along them."""
    for i in range(len(edge)):
        e = edge[i] >> 1
        if edge[i] < 0:
            continue
        if edge[i] & 1:
            down[e] = min(down[e], step_cost[i])
        else:
            up[e] = min(up[e], step_cost[i])


@njit(cache=True, nogil=True)
def _customize(start, head, below_start, below_edge, low, up, down):
    """Each rank draws, for its own edges, on those of the ranks below it, whose costs are final by then."""
    place = np.empty(len(start) - 1, np.uint32)
    for j in range(len(start) - 1):
        for k in range(start[j], start[j + 1]):
            place[head[k]] = k
        for at in range(below_start[j], below_start[j + 1]):
            e = below_edge[at]
            up_e, down_e = up[e], down[e]
            f, end = np.uint64(e + 1), np.uint64(start[low[e] + 1])
            while f < end:
                k = place[head[f]]
                last = f + WIDE
                if last <= end and place[head[last - ONE]] - k == RUN - 1:
                    lower_run(up, down, np.int64(k), np.int64(f), up_e, down_e)
                    f = last
                    continue
                while f < min(last, end):
                    k = place[head[f]]
                    up[k] = min(up[k], np.uint32(down_e + up[f]))
                    down[k] = min(down[k], np.uint32(down[f] + up_e))
                    f += ONE


@njit(cache=True, nogil=True)
def _find_steps(edge, cost, step_cost, step_carried, via, carried):
    """The first step that costs what its edge costs."""
    for i in range(len(edge)):
        way, e = edge[i] & 1, edge[i] >> 1
        if e >= 0 and via[way, e] == -1 and step_cost[i] == cost[way, e] and step_cost[i] < FAR:
            via[way, e], carried[way, e] = STEP - i, step_carried[i]


@njit(cache=True, nogil=True)
def _find_ways(start, head, below_start, below_edge, low, cost, via, carried):
    """The first way found that costs what an edge costs; edges below it are done before."""
    place = np.empty(len(start) - 1, np.uint32)
    for j in range(len(start) - 1):
        for k in range(start[j], start[j + 1]):
            place[head[k]] = k
        for at in range(below_start[j], below_start[j + 1]):
            e = below_edge[at]
            for f in range(np.uint32(e + 1), np.uint32(start[low[e] + 1])):
                k = place[head[f]]
                up, down = cost[1, e] + cost[0, f], cost[1, f] + cost[0, e]
                if via[0, k] == -1 and up == cost[0, k] and up < FAR:
                    via[0, k], carried[0, k] = e, carried[1, e] + carried[0, f]
                if via[1, k] == -1 and down == cost[1, k] and down < FAR:
                    via[1, k], carried[1, k] = e, carried[1, f] + carried[0, e]
