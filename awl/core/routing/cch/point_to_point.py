"""Best ways of many pairs of places on a hierarchy: what they cost, the steps they take, or how many pass over each step.

From either end the search climbs to ancestors in the order of elimination only, in ascending rank, both ends at once; no queue
is needed. Source: J. Dibbelt, B. Strasser, D. Wagner, *Customizable contraction hierarchies*, ACM JEA 21 (2016), section 7.2.
"""

from __future__ import annotations

import threading
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.kernels import njit_no_refcount, stopped
from awl.core.progress import current_token, raise_if_cancelled
from awl.core.routing.cch.perfect import ReducedGraph
from awl.core.routing.cch.topology import FAR, STEP, Topology, Unpacking, edge_to
from awl.core.routing.simd.vectors import fetch, load_unchecked, store_unchecked

Ints = NDArray[np.int32]
Longs = NDArray[np.int64]
COST_BITS = np.uint64(32)
"""A label is a cost, shifted by so many bits, and the rank it came from: the least of two labels takes no branch."""
NONE = np.uint64(FAR) << COST_BITS
"""No label."""
CAME = np.uint64(2**32 - 1)
"""The part of a label that says where it came from: the row of a seed, or `RANKS` and a rank. Of equal costs the first row of a
seed is the least, then the lowest rank."""
RANKS = np.uint64(2**31)


@dataclass(frozen=True)
class Ends:
    """Where pairs (k,) begin or end: ranks and costs, those of pair i in rows `start[i]:start[i + 1]`; rank -1 counts not."""

    start: Longs
    rank: Ints
    cost: Longs


class Scratch:
    """Labels of one thread, as wide as a topology; every search leaves them as it found them."""

    def __init__(self, count: int) -> None:
        self.label = np.full(2 * count, NONE, np.uint64)
        self.climbed = np.empty(count, np.int32)


_OWN = threading.local()


def scratch_for(count: int) -> Scratch:
    """The scratch of this thread for a topology of `count` ranks, kept for the next search.

    Parameters:
        count: how many ranks there are.
    """
    scratch: Scratch | None = getattr(_OWN, "scratch", None)
    if scratch is None or len(scratch.climbed) != count:
        scratch = _OWN.scratch = Scratch(count)
    return scratch


@dataclass(frozen=True)
class PairCosts:
    """Least costs (k,) of pairs, -1 where there is no way; accumulated costs; rows of the seed and the goal that serve.

    `steps` of pair i are `steps[start[i]:start[i + 1]]`, in travel order; empty where only costs were asked for.
    """

    cost: Longs
    accumulated: Longs
    seed: Ints
    goal: Ints
    start: Longs
    steps: Ints


def ways_of_pairs(
    topology: Topology,
    reduced: ReducedGraph,
    unpacking: Unpacking,
    begins: Ends,
    ends: Ends,
    scratch: Scratch,
    listed: bool = True,
) -> PairCosts:
    """The best way of each pair; steps are listed if wanted. `reduced` are all edges, or those best ways use.

    Parameters:
        topology: the topology of the hierarchy.
        reduced: the edges that searches use.
        unpacking: what the edges stand for.
        begins: where the trips begin.
        ends: where the trips end.
        scratch: memory of this thread.
        listed: whether the steps are listed too.
    """
    sides = reduced.up.edges(), reduced.down.edges()
    graph = _Graph(topology.parent, sides, topology.start, topology.head, unpacking.via, unpacking.accumulated)
    trips = _Trips(begins.start, begins.rank, begins.cost), _Trips(ends.start, ends.rank, ends.cost)
    shortcuts = _ways_of_pairs(graph, *trips, _Memory(scratch.label, scratch.climbed), listed, current_token())
    raise_if_cancelled()
    return PairCosts(*shortcuts)


class _Graph(NamedTuple):
    """The elimination tree, the edges that searches use in both directions, all edges, and what these stand for."""

    parent: Any
    sides: Any
    start: Any
    head: Any
    via: Any
    accumulated: Any


class _Trips(NamedTuple):
    """Ranks at which trips begin or end, by trip, with their costs."""

    start: Any
    rank: Any
    cost: Any


class _Memory(NamedTuple):
    """Labels (2c,) of both searches, `NONE` between them, and the ranks (c,) that were touched."""

    label: Any
    climbed: Any


@njit_no_refcount
def _begin(side, rank, cost, begin, end, label, cursor, pending):
    """Label the ranks of the rows `begin` to `end`, and put them into `cursor` behind the first `pending`; their number then."""
    for i in range(begin, end):
        at = np.int64(rank[i])
        if at >= 0 and cost[i] < FAR:
            own = (np.uint64(cost[i]) << COST_BITS) | np.uint64(i)
            label[2 * at + side] = min(label[2 * at + side], own)
            cursor[pending] = at
            pending += 1
    return pending


@njit_no_refcount
def _fetch_above(side, edges, parent, rank, label):
    """Have what a climb from `rank` looks at brought near at once, rather than piece by piece as it goes."""
    start, head, cost = edges.start, edges.head, edges.cost
    at = rank
    while at >= 0:
        fetch(start, at)
        fetch(label, 2 * at + side)
        at = np.int64(load_unchecked(parent, at))
    at = rank
    while at >= 0:
        e = np.int64(load_unchecked(start, at))
        fetch(head, e)
        fetch(cost, e)
        at = np.int64(load_unchecked(parent, at))


@njit_no_refcount
def _climb(side, edges, at, label):
    """Hand the label of a rank on to those above it; `side` 0 from where the trip begins, 1 from where it ends."""
    start, head, cost = edges.start, edges.head, edges.cost
    here = (load_unchecked(label, 2 * at + side) >> COST_BITS << COST_BITS) | RANKS | np.uint64(at)
    for e in range(np.int64(load_unchecked(start, at)), np.int64(load_unchecked(start, at + 1))):
        above = 2 * np.int64(load_unchecked(head, e)) + side
        store_unchecked(
            label, above, min(load_unchecked(label, above), here + (np.uint64(load_unchecked(cost, e)) << COST_BITS))
        )


@njit_no_refcount
def _next_rank(parent, cursor, pending):
    """The lowest rank that waits, and how many wait once its parent does in its place."""
    at = cursor[0]
    for i in range(1, pending):
        at = min(at, cursor[i])
    remaining = 0
    for i in range(pending):  # no branch: it would be guessed wrong every other time
        one = cursor[i]
        cursor[remaining] = one
        remaining += int(one != at)
    if parent[at] >= 0:
        cursor[remaining] = parent[at]
        remaining += 1
    return np.int64(at), remaining


@njit_no_refcount
def _meet(graph, begins, ends, p, memory, cursor):
    """Least cost of trip p, the rank where both searches meet, -1 for none, and how many ranks were touched."""
    parent, sides, label = graph.parent, graph.sides, memory.label
    from_begin, from_end, to_begin, to_end = begins.start[p], begins.start[p + 1], ends.start[p], ends.start[p + 1]
    pending = _begin(0, begins.rank, begins.cost, from_begin, from_end, label, cursor, 0)
    pending = _begin(1, ends.rank, ends.cost, to_begin, to_end, label, cursor, pending)
    if to_end > to_begin and from_end > from_begin:
        _fetch_above(0, sides[0], parent, np.int64(begins.rank[from_begin]), label)
        _fetch_above(1, sides[1], parent, np.int64(ends.rank[to_begin]), label)
    best, where, size = np.int64(FAR), np.int64(-1), 0
    while pending > 0:
        at, pending = _next_rank(parent, cursor, pending)
        memory.climbed[size] = at
        size += 1
        up, down = np.int64(label[2 * at] >> COST_BITS), np.int64(label[2 * at + 1] >> COST_BITS)
        if up + down < best:
            best, where = up + down, at
        if up < best:
            _climb(0, sides[0], at, label)
        if down < best:
            _climb(1, sides[1], at, label)
    return best, where, size


@njit_no_refcount
def _came_over(side, graph, at, label):
    """The rank from which the label of `at` came, and the edge of the topology between; -1 and the row of the seed for none."""
    came = label[2 * at + side] & CAME
    if came < RANKS:
        return np.int64(-1), np.int64(came)
    before = np.int64(came - RANKS)
    return before, edge_to(graph.head, graph.start[before], graph.start[before + 1], at)


@njit_no_refcount
def _clear(label, climbed, size):
    for i in range(size):
        at = np.int64(climbed[i])
        label[2 * at], label[2 * at + 1] = NONE, NONE


@njit_no_refcount
def _most_ends(from_start, to_start):
    """The most ranks at which one pair begins and ends."""
    most = np.int64(0)
    for p in range(len(from_start) - 1):
        most = max(most, from_start[p + 1] - from_start[p] + to_start[p + 1] - to_start[p])
    return most


@njit(cache=True, nogil=True)
def _ways_of_pairs(graph, begins, ends, memory, listed, token):
    pairs, label = len(begins.start) - 1, memory.label
    least, extra = np.full(pairs, -1, np.int64), np.zeros(pairs, np.int64)
    seed, goal = np.full(pairs, -1, np.int32), np.full(pairs, -1, np.int32)
    offset = np.zeros(pairs + 1, np.int64)
    listing = np.empty(64 * pairs if listed else 0, np.int32)
    rows, cursor = np.empty(256, np.int64), np.empty(_most_ends(begins.start, ends.start), np.int32)
    size = 0
    for p in range(pairs):
        if p & 15 == 0 and stopped(token, p, pairs):
            break
        best, where, touched = _meet(graph, begins, ends, p, memory, cursor)
        if where >= 0:
            least[p] = best
            # Edges of the way up come last first, so they are put in from the end of those of the way down.
            count = 0
            for side in (1, 0):
                at, edge = _came_over(side, graph, where, label)
                while at >= 0:
                    extra[p] += graph.accumulated[side, edge]
                    if count == len(rows):
                        rows = np.concatenate((rows, rows))
                    rows[count] = 2 * edge + side
                    count += 1
                    at, edge = _came_over(side, graph, at, label)
                if side == 1:
                    goal[p] = edge
                    rows[:count] = rows[:count][::-1].copy()
                else:
                    seed[p] = edge
            # What waits is a stack: its last edge is travelled first.
            while listed and count > 0:
                if count + 1 >= len(rows):
                    rows = np.concatenate((rows, rows))
                if size == len(listing):
                    listing = np.concatenate((listing, np.empty(max(64, len(listing)), np.int32)))
                count, size = _unpack(graph.head, graph.via, rows, count, listing, size)
        offset[p + 1] = size
        _clear(label, memory.climbed, touched)
    return least, extra, seed, goal, offset, listing[:size].copy()


@njit_no_refcount
def _unpack(head, via, rows, count, listing, size):
    """Put the steps of the `count` edges in `rows`, of which the last is travelled first, into `listing` while there is room."""
    while count > 0 and count + 1 < len(rows) and size < len(listing):
        row = load_unchecked(rows, count - 1)
        way, edge = row & 1, row >> 1
        to_low = np.int64(via[way, edge])
        if to_low < 0:
            store_unchecked(listing, size, STEP - to_low)
            size, count = size + 1, count - 1
            continue
        to_high = _to_high(head, to_low, head[edge])
        # Downwards from the higher end to the rank between, then up to the lower; upwards the other way.
        store_unchecked(rows, count - 1, 2 * (to_low if way else to_high))
        store_unchecked(rows, count, 2 * (to_high if way else to_low) + 1)
        count += 1
    return count, size


@njit_no_refcount
def _to_high(head, to_low, high):
    """The edge to rank `high` further on in the row of the edge `to_low`."""
    e = to_low + 1
    while load_unchecked(head, e) != high:
        e += 1
    return e
