"""Best ways of many pairs of places on a hierarchy: what they cost, the steps they take, or how many pass over each step.

From either end the search climbs to ancestors in the order of elimination only, in ascending rank, both ends at once; no queue
is needed. Source: J. Dibbelt, B. Strasser, D. Wagner, *Customizable contraction hierarchies*, ACM JEA 21 (2016), section 7.2.
"""

from __future__ import annotations

import threading
from dataclasses import dataclass
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.engine.topology import FAR, STEP, Topology, Ways, edge_to
from awl.core.engine.trimmed import Sides
from awl.core.kernels import borrowing

Ints = NDArray[np.int32]
Longs = NDArray[np.int64]
NONE = 2**61
"""No label. The sum of two fits into 64 bits."""
SEED = -2
"""The entry of a rank at which a search begins is this less the row of its seed."""


@dataclass(frozen=True)
class Ends:
    """Where pairs (k,) begin or end: ranks and costs, those of pair i in rows `start[i]:start[i + 1]`; rank -1 counts not."""

    start: Longs
    rank: Ints
    cost: Longs


class Scratch:
    """Labels of one thread, as wide as a topology; every search leaves them as it found them."""

    def __init__(self, count: int) -> None:
        self.label = np.full((count, 2), NONE, np.int64)
        self.entry = np.full((count, 2), -1, np.int32)
        self.came = np.empty((count, 2), np.int32)
        self.climbed = np.empty(count, np.int32)


_OWN = threading.local()


def scratch_for(count: int) -> Scratch:
    """The scratch of this thread for a topology of `count` ranks, kept for the next search."""
    kept: Scratch | None = getattr(_OWN, "scratch", None)
    if kept is None or len(kept.label) != count:
        kept = _OWN.scratch = Scratch(count)
    return kept


@dataclass(frozen=True)
class Found:
    """Least costs (k,) of pairs, -1 where there is no way; carried costs; rows of the seed and the goal that serve.

    `steps` of pair i are `steps[start[i]:start[i + 1]]`, in travel order; empty where only costs were asked for.
    """

    cost: Longs
    carried: Longs
    seed: Ints
    goal: Ints
    start: Longs
    steps: Ints


def ways_of_pairs(
    topology: Topology,
    sides: Sides,
    ways: Ways,
    begins: Ends,
    ends: Ends,
    scratch: Scratch,
    listed: bool = True,
) -> Found:
    """The best way of each pair; steps are listed if wanted. `sides` are all edges, or those best ways use."""
    return Found(
        *_ways_of_pairs(
            topology.parent, _edges(sides), topology.start, topology.head, ways.via, ways.carried,
            begins.start, begins.rank, begins.cost, ends.start, ends.rank, ends.cost,
            scratch.label, scratch.entry, scratch.came, scratch.climbed, listed,
        )
    )  # fmt: skip


def load_of_pairs(
    topology: Topology,
    sides: Sides,
    ways: Ways,
    begins: Ends,
    ends: Ends,
    weight: Longs,
    scratch: Scratch,
    on_edge: Longs,
) -> Found:
    """The best way of each pair, counted with its `weight` (k,) on the edges `on_edge` (2, m) it climbs; no steps listed."""
    cost, extra, seed, goal = _load_of_pairs(
        topology.parent, _edges(sides), ways.carried,
        begins.start, begins.rank, begins.cost, ends.start, ends.rank, ends.cost,
        scratch.label, scratch.entry, scratch.came, scratch.climbed, weight, on_edge,
    )  # fmt: skip
    return Found(cost, extra, seed, goal, np.zeros(1, np.int64), np.zeros(0, np.int32))


def load_of_steps(topology: Topology, ways: Ways, on_edge: Longs) -> Longs:
    """What lies on each step (r,), handed down from the edges (2, m), which are used up: a shortcut gives to its halves."""
    on_step = np.zeros(len(topology.edge), np.int64)
    _hand_down(topology.start, topology.head, ways.via, on_edge, on_step)
    return on_step


def _edges(sides: Sides) -> tuple[tuple[NDArray[Any], ...], ...]:
    return tuple((side.start, side.head, side.cost, side.edge) for side in (sides.up, sides.down))


@borrowing
def _climb(side, edges, at, label, entry, came):
    """Hand the label of a rank on to those above it; `side` 0 from where the trip begins, 1 from where it ends.

    `entry` is the edge a rank's label came over, `came` the rank it came from.
    """
    start, head, cost, edge = edges
    here = label[at, side]
    for e in range(start[at], start[at + 1]):
        over, above = here + cost[e], head[e]
        if cost[e] < FAR and over < label[above, side]:
            label[above, side], entry[above, side], came[above, side] = over, edge[e], at


@njit(cache=True, nogil=True)
def _meet(parent, sides, from_rank, from_cost, to_rank, to_cost, label, entry, came, climbed):
    """Least cost, the rank where both searches meet, -1 for none, and how many ranks of `climbed` were touched."""
    cursor = np.empty(len(from_rank) + len(to_rank), np.int32)
    waiting = 0
    for side in range(2):
        ranks, costs = (from_rank, from_cost) if side == 0 else (to_rank, to_cost)
        for i in range(len(ranks)):
            r = ranks[i]
            if r >= 0:
                if costs[i] < label[r, side]:
                    label[r, side], entry[r, side] = costs[i], SEED - i
                cursor[waiting] = r
                waiting += 1
    best, where, size = NONE, -1, 0
    while waiting > 0:
        at = cursor[0]
        for i in range(1, waiting):
            at = min(at, cursor[i])
        kept = 0
        for i in range(waiting):
            if cursor[i] != at:
                cursor[kept] = cursor[i]
                kept += 1
        waiting = kept
        if parent[at] >= 0:
            cursor[waiting] = parent[at]
            waiting += 1
        climbed[size] = at
        size += 1
        up, down = label[at, 0], label[at, 1]
        if up + down < best:
            best, where = up + down, at
        if up < best:
            _climb(0, sides[0], at, label, entry, came)
        if down < best:
            _climb(1, sides[1], at, label, entry, came)
    return best, where, size


@borrowing
def _clear(label, entry, climbed, size):
    for i in range(size):
        at = climbed[i]
        label[at, 0], label[at, 1], entry[at, 0], entry[at, 1] = NONE, NONE, -1, -1


@njit(cache=True, nogil=True)
def _ways_of_pairs(
    parent, sides, start, head, via, carried, from_start, from_rank, from_cost, to_start, to_rank, to_cost,
    label, entry, came, climbed, listed,
):  # fmt: skip
    pairs = len(from_start) - 1
    least, extra = np.full(pairs, -1, np.int64), np.zeros(pairs, np.int64)
    seed, goal = np.full(pairs, -1, np.int32), np.full(pairs, -1, np.int32)
    offset = np.zeros(pairs + 1, np.int64)
    found = np.empty(64 * pairs if listed else 0, np.int32)
    rows = np.empty((256, 2), np.int64)
    size = 0
    for p in range(pairs):
        a, b = from_start[p], to_start[p]
        best, where, touched = _meet(
            parent, sides, from_rank[a : from_start[p + 1]], from_cost[a : from_start[p + 1]],
            to_rank[b : to_start[p + 1]], to_cost[b : to_start[p + 1]], label, entry, came, climbed,
        )  # fmt: skip
        if where >= 0:
            least[p] = best
            # Edges of the way up come last first, so they are put in from the end of those of the way down.
            count = 0
            for side in (1, 0):
                at = where
                while entry[at, side] >= 0:
                    edge = entry[at, side]
                    at = np.int64(came[at, side])
                    extra[p] += carried[side, edge]
                    if count == len(rows):
                        rows = np.concatenate((rows, rows))
                    rows[count, 0], rows[count, 1] = 2 * np.int64(edge) + side, at
                    count += 1
                end = SEED - entry[at, side]
                if side == 1:
                    goal[p] = b + end
                    rows[:count] = rows[:count][::-1].copy()
                else:
                    seed[p] = a + end
            # What waits is a stack: its last edge is travelled first.
            while listed and count > 0:
                count -= 1
                row, low = rows[count, 0], rows[count, 1]
                below = np.int64(via[row & 1, row >> 1])
                if below < 0:
                    if size == len(found):
                        found = np.concatenate((found, np.empty(max(64, len(found)), np.int32)))
                    found[size] = STEP - below
                    size += 1
                    continue
                to_low, to_high = _halves(start, head, below, low, head[row >> 1])
                if count + 2 > len(rows):
                    rows = np.concatenate((rows, rows))
                # Downwards from the higher end to the rank between, then up to the lower; upwards the other way.
                first, then = (2 * to_high + 1, 2 * to_low) if row & 1 else (2 * to_low + 1, 2 * to_high)
                rows[count, 0], rows[count, 1], rows[count + 1, 0], rows[count + 1, 1] = then, below, first, below
                count += 2
        offset[p + 1] = size
        _clear(label, entry, climbed, touched)
    return least, extra, seed, goal, offset, found[:size].copy()


@borrowing
def _halves(start, head, below, low, high):
    """The edges from rank `below` to the ranks `low` and `high` above it."""
    to_low = edge_to(head, start[below], start[below + 1], low)
    return to_low, edge_to(head, to_low + 1, start[below + 1], high)


@njit(cache=True, nogil=True)
def _load_of_pairs(
    parent, sides, carried, from_start, from_rank, from_cost, to_start, to_rank, to_cost,
    label, entry, came, climbed, weight, on_edge,
):  # fmt: skip
    pairs = len(from_start) - 1
    least, extra = np.full(pairs, -1, np.int64), np.zeros(pairs, np.int64)
    ends = np.full((2, pairs), -1, np.int32)
    for p in range(pairs):
        a, b = from_start[p], to_start[p]
        best, where, touched = _meet(
            parent, sides, from_rank[a : from_start[p + 1]], from_cost[a : from_start[p + 1]],
            to_rank[b : to_start[p + 1]], to_cost[b : to_start[p + 1]], label, entry, came, climbed,
        )  # fmt: skip
        if where >= 0:
            least[p] = best
            for side in range(2):
                at = where
                while entry[at, side] >= 0:
                    edge = entry[at, side]
                    on_edge[side, edge] += weight[p]
                    extra[p] += carried[side, edge]
                    at = np.int64(came[at, side])
                ends[side, p] = (a if side == 0 else b) + SEED - entry[at, side]
        _clear(label, entry, climbed, touched)
    return least, extra, ends[0], ends[1]


@borrowing
def _hand_down(start, head, via, on_edge, on_step):
    for low in range(len(start) - 2, -1, -1):
        for e in range(start[low], start[low + 1]):
            for way in range(2):
                passing = on_edge[way, e]
                if passing == 0:
                    continue
                below = np.int64(via[way, e])
                if below < 0:
                    on_step[STEP - below] += passing
                else:  # upwards: down to the rank between and up to the higher end; downwards: down from it and up
                    to_low, to_high = _halves(start, head, below, low, head[e])
                    on_edge[1, to_low if way == 0 else to_high] += passing
                    on_edge[0, to_high if way == 0 else to_low] += passing
