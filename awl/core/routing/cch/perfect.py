"""The edges of a metric that best ways use, up and down apart: about a third of them, so sweeps and climbs have less to look at.

A second pass from the highest rank down gives each edge the least cost between its ends by any way (perfect customization); an
edge that costs more than that lies on no best way. Source: J. Dibbelt, B. Strasser, D. Wagner, *Customizable contraction
hierarchies*, ACM JEA 21 (2016), section 6.2.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.kernels import njit_no_refcount, stopped
from awl.core.progress import current_token, raise_if_cancelled
from awl.core.routing.cch.customization import OFTEN
from awl.core.routing.cch.kernel_arguments import CarryingEdges, Edges
from awl.core.routing.cch.supernodes import follows, rows_between, widest
from awl.core.routing.cch.topology import FAR, Costs, Ints, Metric, Topology
from awl.core.routing.simd.blocks import settle
from awl.core.routing.simd.vectors import load_unchecked, store_unchecked


@dataclass(frozen=True)
class Side:
    """Edges in one direction: of rank i those to the ranks `head[start[i]:start[i + 1]]` above it, with their `cost`."""

    start: Ints
    head: Ints
    cost: Costs

    def edges(self) -> Edges:
        """The edges as kernels take them."""
        return Edges(self.start, self.head, self.cost)

    def edges_with(self, topology: Topology, accumulated: NDArray[np.integer], ranks: Ints) -> CarryingEdges:
        """The edges as kernels take them, those of some ranks with their accumulated costs; those of others have none.

        Parameters:
            topology: the topology of the hierarchy.
            accumulated: accumulated costs of all its edges in this direction.
            ranks: the ranks searches climb.
        """
        if self.start is topology.start:
            return CarryingEdges(*self.edges(), accumulated)
        return CarryingEdges(*self.edges(), _of_ranks(self.edges(), topology.start, topology.head, accumulated, ranks))

    def within(self, closure: Ints, local: Ints, topology: Topology) -> tuple[Side, Ints]:
        """The edges of some ranks, and the row (e,) of each in the topology.

        Parameters:
            closure: ranks, with all above each.
            local: the row (c,) of each rank among them.
            topology: the topology of the hierarchy.
        """
        *side, rows = _within(self.start, self.head, self.cost, topology.start, topology.head, closure, local)
        return Side(*side), rows


@dataclass(frozen=True)
class ReducedGraph:
    """Both directions."""

    up: Side
    down: Side

    def reverse(self) -> ReducedGraph:
        """For coming to places rather than from them."""
        return ReducedGraph(self.down, self.up)


def whole_graph(topology: Topology, metric: Metric) -> ReducedGraph:
    """All edges, for searches too few to be worth a second pass.

    Parameters:
        topology: the topology of the hierarchy.
        metric: costs of its edges in one measure.
    """
    up, down = (Side(topology.start, topology.head, cost) for cost in metric.cost)
    return ReducedGraph(up, down)


def reduced_graph(topology: Topology, metric: Metric) -> ReducedGraph:
    """Only the edges whose cost is the least between their ends.

    Parameters:
        topology: the topology of the hierarchy.
        metric: costs of its edges in one measure.
    """
    least = metric.cost.copy()
    token = current_token()

    def share(_: int, runs: NDArray[np.int64]) -> None:
        _perfect(topology.start, topology.head, runs, least[0], least[1], token)

    share(0, topology.shares.top)
    topology.shares.each(share)
    raise_if_cancelled()
    return ReducedGraph(
        *(_side(topology, cost, (cost == low) & (cost < FAR)) for cost, low in zip(metric.cost, least, strict=True))
    )


def _side(topology: Topology, cost: Costs, needed: NDArray[np.bool_]) -> Side:
    start = np.concatenate([np.zeros(1, np.int32), np.cumsum(needed, dtype=np.int32)])[topology.start]
    return Side(start, topology.head[needed], cost[needed])


@njit(cache=True, nogil=True)
def _of_ranks(edges, start, head, accumulated, ranks):
    """Accumulated costs (e,) of the edges of some ranks, which are ascending as all edges are; nothing is put in elsewhere."""
    far = np.empty(len(edges.head), accumulated.dtype)
    for i in ranks:
        row = start[i]
        for e in range(edges.start[i], edges.start[i + 1]):
            while head[row] != edges.head[e]:
                row += 1
            far[e] = accumulated[row]
    return far


@njit(cache=True, nogil=True)
def _within(start, head, cost, all_start, all_head, closure, local):
    offsets = np.zeros(len(closure) + 1, np.int32)
    for i in range(len(closure)):
        offsets[i + 1] = offsets[i] + start[closure[i] + 1] - start[closure[i]]
    heads, costs, rows = (
        np.empty(offsets[-1], np.int32),
        np.empty(offsets[-1], np.uint32),
        np.empty(offsets[-1], np.int32),
    )
    for i in range(len(closure)):
        at, row = offsets[i], all_start[closure[i]]
        for e in range(start[closure[i]], start[closure[i] + 1]):
            while all_head[row] != head[e]:
                row += 1
            heads[at], costs[at], rows[at] = local[head[e]], cost[e], row
            at += 1
    return offsets, heads, costs, rows


@njit(cache=True, nogil=True)
def _perfect(start, head, runs, up, down, token):
    """Edges of a supernode are final when it is its turn: the pairs above it have been looked at before."""
    wide = widest(start)
    between_up, between_down, row = np.empty(wide, np.uint32), np.empty(wide, np.uint32), np.empty(wide, np.int64)
    count = len(start) - 1
    for run in range(len(runs) - 1, -1, -1):
        lowest, last = runs[run]
        look = last
        while last >= lowest:
            if last <= look:
                if stopped(token, count - last, count):
                    return
                look = last - OFTEN
            x = last
            while x > 0 and follows(start, head, x - 1):
                x -= 1
            begin, end, size = np.int64(start[last]), np.int64(start[last + 1]), last - x + 1
            if size == 1:
                _settle_over_one(start, head, up, down, begin, end)
                last -= 1
                continue
            for e in range(begin, end - 1):
                more = end - 1 - e
                rows_between(start, head, e, end, row)
                for b in range(more):
                    between_up[b], between_down[b] = load_unchecked(up, row[b]), load_unchecked(down, row[b])
                for i in range(size):
                    settle(up, down, start[x + i] + size - 1 - i + e - begin, between_up, between_down, 0, more)
            for i in range(size - 2, -1, -1):
                for other in range(i + 1, size):
                    at = np.int64(start[x + other])
                    settle(up, down, start[x + i] + other - i - 1, up, down, at, start[x + other + 1] - at)
            last = x - 1


@njit_no_refcount
def _settle_over_one(start, head, up, down, begin, end):
    """Settle the edges `begin` to `end` of a rank that is a supernode by itself."""
    for e in range(begin, end - 1):
        t = np.int64(load_unchecked(start, np.int64(load_unchecked(head, e))))
        up_e, down_e = load_unchecked(up, e), load_unchecked(down, e)
        for f in range(e + 1, end):
            high = load_unchecked(head, f)
            while load_unchecked(head, t) != high:
                t += 1
            up_f, down_f, up_k, down_k = (
                load_unchecked(up, f),
                load_unchecked(down, f),
                load_unchecked(up, t),
                load_unchecked(down, t),
            )
            up_e = min(up_e, np.uint32(up_f + down_k))
            down_e = min(down_e, np.uint32(up_k + down_f))
            store_unchecked(up, f, min(up_f, np.uint32(up_e + up_k)))
            store_unchecked(down, f, min(down_f, np.uint32(down_k + down_e)))
            t += 1
        store_unchecked(up, e, up_e)
        store_unchecked(down, e, down_e)
