"""A customizable hierarchy: shortcuts that depend on how streets hang together, with costs that can be changed at once.

The states of a network are put in the order in which nested dissection takes them out. Taking one out joins those of its
neighbours that are left by shortcuts; which shortcuts there are does not depend on costs, so costs are put in afterwards, in one
pass over all pairs of neighbours (customization). Every best way then leads up in the order first and down afterwards. Source:
J. Dibbelt, B. Strasser, D. Wagner, *Customizable contraction hierarchies*, ACM JEA 21 (2016).
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.branches import Branch
from awl.core.kernels import njit_no_refcount, stopped
from awl.core.network.states import States
from awl.core.progress import Progress, cores, current_token, raise_if_cancelled
from awl.core.routing.cch.order import dissection, neighbours
from awl.core.routing.cch.shares import Shares, shares_of
from awl.core.routing.simd.vectors import load_unchecked

Ints = NDArray[np.int32]
Costs = NDArray[np.uint32]
FAR = np.uint32(2**31 - 1)
"""No way. The sum of two costs up to this one fits into 32 bits."""

STEP = -2


@dataclass(frozen=True)
class Topology:
    """Which shortcuts there are, in ranks: `state` (c,) stands at each rank, `rank` (s,) is that of each state.

    States no step leads to have no rank (-1): trips only begin there. The neighbours of rank i that rank above it are
    `head[start[i]:start[i + 1]]`, ascending; the first is its parent. Ranks are in post-order of the tree of parents: those that
    come from a rank stand right before it. `edge` (r,) is, for each step between states, twice the row of its edge, plus one
    where the step leads down; -1 for steps from states without a rank.
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
    def parent(self) -> Ints:
        """The parent of each rank (s,), -1 at a root."""
        top = self.start[:-1] < self.start[1:]
        parents = np.full(self.count, -1, np.int32)
        parents[top] = self.head[self.start[:-1][top]]
        return parents

    @cached_property
    def lone(self) -> Ints:
        """The states without a rank, ascending."""
        return np.flatnonzero(self.rank < 0).astype(np.int32)

    @cached_property
    def shares(self) -> Shares:
        """The ranks, dealt out to as many threads as there are cores."""
        return shares_of(self.start, self.head, self.parent, self.lowest, cores())

    @cached_property
    def widest(self) -> int:
        """The most edges of a rank, one at least."""
        return int(np.diff(self.start).max(initial=1))

    @cached_property
    def lowest(self) -> Ints:
        """The lowest of the ranks from which parents lead up to each (c,), itself counted."""
        return _lowest(self.parent)


@dataclass(frozen=True)
class Metric:
    """Costs of the edges (2, m) of a topology: row 0 upwards, row 1 downwards."""

    cost: Costs
    branch: Branch = field(default_factory=Branch, repr=False, compare=False)


@dataclass(frozen=True)
class Unpacking:
    """What the edges (2, m) stand for, and a accumulated cost.

    A shortcut leads over a rank below its ends; `via` is the edge from that rank to the lower end, and further on in the same row
    stands the one to the higher. Where the edge is step i, `via` is `STEP - i`; -1 where there is no way.
    """

    via: Ints
    accumulated: Costs
    branch: Branch = field(default_factory=Branch, repr=False, compare=False)


def topology_of(
    states: States, x: NDArray[np.float64], y: NDArray[np.float64], progress: Progress | None = None
) -> Topology:
    """The topology of the states of a network whose nodes lie at `x`, `y` in metres.

    Parameters:
        states: the search states of the network.
        x: metres (k,) to the east in the plane.
        y: metres (k,) to the north in the plane.
        progress: is told how far the work is, and stops it.
    """
    steps, progress = states.steps, progress or Progress()
    core, inner, tail, head = _core_of(states)
    # A state is placed at the midpoint between the node it was reached from and its own, so that a cut passes between the
    # states of one node.
    here, before = states.node[steps.head], states.node[steps.tail]
    at_x, at_y = x[states.node].copy(), y[states.node].copy()
    at_x[steps.head], at_y[steps.head] = (x[here] + x[before]) / 2, (y[here] + y[before]) / 2
    order = dissection(int(core.sum()), tail, head, at_x[core], at_y[core], progress.part(0.0, 0.9))
    return _joined(states, (core, inner, tail, head), order, progress.part(0.9, 1.0))


def topology_in_order(states: States, place: NDArray[np.integer], progress: Progress | None = None) -> Topology:
    """The topology of states that are taken out in ascending order of their place.

    Parameters:
        states: the search states of the network.
        place: the place (s,) of each.
        progress: is told how far the work is, and stops it.
    """
    core = _core_of(states)
    order = np.argsort(place[core[0]], kind="stable").astype(np.int32)
    return _joined(states, core, order, progress or Progress())


Core = tuple[NDArray[np.bool_], NDArray[np.bool_], NDArray[np.int64], NDArray[np.int64]]
"""States (s,) that steps lead to, steps (r,) from such states, and the ends of these as numbers among those states."""


def _core_of(states: States) -> Core:
    steps = states.steps
    core = np.zeros(states.count, bool)
    core[steps.head] = True
    number = np.full(states.count, -1, np.int64)
    number[core] = np.arange(core.sum())
    inner = core[steps.tail]
    return core, inner, number[steps.tail[inner]], number[steps.head[inner]]


def _joined(states: States, of: Core, order: Ints, progress: Progress) -> Topology:
    """The topology of an order in which states are taken out."""
    core, inner, tail, head = of
    order = order[_postorder(_parents(*neighbours(len(order), *(_turned(order)[end] for end in (tail, head)))))]
    place = _turned(order)
    rank = np.full(states.count, -1, np.int32)
    rank[core] = place
    with progress.inside("joining streets by shortcuts"):
        start, up = _eliminated(*neighbours(len(order), place[tail], place[head]), current_token())
        raise_if_cancelled()
    edge = np.full(len(states.steps), -1, np.int32)
    edge[inner] = _edges_of(start, up, place[tail], place[head])
    return Topology(np.flatnonzero(core).astype(np.int32)[order], rank, start.astype(np.int32), up, edge)


def _turned(order: Ints) -> Ints:
    """The place of each in an order (c,)."""
    place = np.empty(len(order), np.int32)
    place[order] = np.arange(len(order), dtype=np.int32)
    return place


@njit(cache=True, nogil=True)
def _parents(around_start, around):
    """The first neighbour of each rank that is left when it is taken out, -1 at a root.

    Source: J. W. H. Liu, *The role of elimination trees in sparse factorization*, SIAM J. Matrix Anal. Appl. 11 (1990).
    """
    count = len(around_start) - 1
    parent, root = np.full(count, -1, np.int32), np.full(count, -1, np.int32)
    for i in range(count):
        for at in range(around_start[i], around_start[i + 1]):
            j = around[at]
            while j < i:
                above, root[j] = root[j], i
                if above == -1:
                    parent[j] = i
                    break
                j = above
    return parent


@njit(cache=True, nogil=True)
def _postorder(parent):
    """Ranks such that those that come from a rank stand right before it."""
    count = len(parent)
    child, sibling = np.full(count + 1, -1, np.int32), np.full(count, -1, np.int32)
    for i in range(count - 1, -1, -1):
        above = parent[i] if parent[i] >= 0 else count
        sibling[i], child[above] = child[above], i
    order, stack = np.empty(count, np.int32), np.empty(count + 1, np.int32)
    stack[0], size, done = count, 1, 0
    while size > 0:
        at = stack[size - 1]
        if child[at] >= 0:
            stack[size], child[at] = child[at], sibling[child[at]]
            size += 1
        else:
            size -= 1
            if at < count:
                order[done] = at
                done += 1
    return order


@njit(cache=True, nogil=True)
def _lowest(parent):
    lowest = np.arange(len(parent)).astype(np.int32)
    for i in range(len(parent)):
        if parent[i] >= 0:
            lowest[parent[i]] = min(lowest[parent[i]], lowest[i])
    return lowest


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
def _eliminated(around_start, around, token):
    """Higher neighbours of each rank once all below it have been taken out, ascending."""
    n = len(around_start) - 1
    start = np.zeros(n + 1, np.int64)
    head = np.empty(4 * len(around) + 16, np.int32)
    child, sibling = np.full(n, -1, np.int32), np.full(n, -1, np.int32)
    seen = np.full(n, -1, np.int32)
    size = 0
    for i in range(n):
        if i & 4095 == 0 and stopped(token, i, n):
            break
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


@njit_no_refcount
def edge_to(head, begin, end, high):
    """The edge to rank `high` among those from `begin` to `end`, -1 where there is none.

    Parameters:
        head: the higher rank (e,) of each edge.
        begin: the first edge to look at.
        end: the edge before which it ends.
        high: the higher rank.
    """
    at, size = np.int64(begin), np.int64(end) - np.int64(begin)
    if size <= 0:
        return np.int64(-1)
    while size > 1:  # halves without a branch that could be guessed wrong
        half = size >> 1
        at += half * np.int64(load_unchecked(head, at + half) <= high)
        size -= half
    return at if load_unchecked(head, at) == high else np.int64(-1)


@njit(cache=True, nogil=True)
def _edges_of(start, head, tail, tip):
    """For each step, twice the row of its edge, plus one where it leads down; -1 for a step that stays where it is."""
    edges = np.empty(len(tail), np.int32)
    for i in range(len(tail)):
        low, high = min(tail[i], tip[i]), max(tail[i], tip[i])
        if low == high:
            edges[i] = -1
            continue
        edges[i] = 2 * edge_to(head, start[low], start[low + 1], high) + (1 if tail[i] > tip[i] else 0)
    return edges
