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

from awl.core.engine.runs import ONE, RUN, WIDE, settle_run
from awl.core.engine.topology import FAR, Costs, Ints, Metric, Topology


@dataclass(frozen=True)
class Side:
    """Edges in one direction: of rank i those to the ranks `head[start[i]:start[i + 1]]` above it, with their `cost`.

    `edge` is the row of each in the topology.
    """

    start: Ints
    head: Ints
    cost: Costs
    edge: Ints

    def within(self, closure: Ints) -> Side:
        """The edges of the ranks `closure`, which holds all above each, with rows of `closure` for ranks."""
        local = np.full(len(self.start) - 1, -1, np.int32)
        local[closure] = np.arange(len(closure), dtype=np.int32)
        counts = np.diff(self.start)[closure]
        start = np.concatenate([np.zeros(1, np.int32), np.cumsum(counts, dtype=np.int32)])
        rows = np.arange(start[-1]) + np.repeat(self.start[closure] - start[:-1], counts)
        return Side(start, local[self.head[rows]], self.cost[rows], self.edge[rows])


@dataclass(frozen=True)
class Sides:
    """Both directions."""

    up: Side
    down: Side

    def turned(self) -> Sides:
        """For coming to places rather than from them."""
        return Sides(self.down, self.up)


def untrimmed(topology: Topology, metric: Metric) -> Sides:
    """All edges, for searches too few to be worth a second pass."""
    every = np.arange(len(topology.head), dtype=np.int32)
    up, down = (Side(topology.start, topology.head, cost, every) for cost in metric.cost)
    return Sides(up, down)


def trimmed(topology: Topology, metric: Metric) -> Sides:
    """Only the edges whose cost is the least between their ends."""
    least = metric.cost.copy()
    _perfect(topology.start, topology.head, *topology.below, topology.low, least[0], least[1])
    return Sides(
        *(_side(topology, cost, (cost == low) & (cost < FAR)) for cost, low in zip(metric.cost, least, strict=True))
    )


def _side(topology: Topology, cost: Costs, kept: NDArray[np.bool_]) -> Side:
    edge = np.flatnonzero(kept).astype(np.int32)
    start = np.concatenate([np.zeros(1, np.int32), np.cumsum(kept, dtype=np.int32)])[topology.start]
    return Side(start, topology.head[edge], cost[edge], edge)


@njit(cache=True, nogil=True)
def _perfect(start, head, below_start, below_edge, low, up, down):
    """Edges of a rank are final when it is its turn: the pairs above them have been looked at before."""
    place = np.empty(len(start) - 1, np.uint32)
    for j in range(len(start) - 2, -1, -1):
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
                    up_e, down_e = settle_run(up, down, np.int64(k), np.int64(f), up_e, down_e)
                    f = last
                    continue
                while f < min(last, end):
                    k = place[head[f]]
                    up_f, down_f, up_k, down_k = up[f], down[f], up[k], down[k]
                    up_e = min(up_e, np.uint32(up_f + down_k))
                    down_e = min(down_e, np.uint32(up_k + down_f))
                    up[f] = min(up_f, np.uint32(up_e + up_k))
                    down[f] = min(down_f, np.uint32(down_k + down_e))
                    f += ONE
            up[e], down[e] = up_e, down_e
