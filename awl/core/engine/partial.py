"""Partial customization: where few steps have another cost, only the edges over which they are felt are looked at again.

Edges are done in ascending order of their lower rank, so those an edge depends on are done before it. Source: J. Dibbelt,
B. Strasser, D. Wagner, *Customizable contraction hierarchies*, ACM JEA 21 (2016), section 6.3.
"""

from __future__ import annotations

from dataclasses import dataclass
from heapq import heappop, heappush

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.engine.topology import FAR, Metric, Topology, Ways

Longs = NDArray[np.int64]


@dataclass(frozen=True)
class StepsOfEdges:
    """The steps on edge e are `step[start[e]:start[e + 1]]`."""

    start: Longs
    step: NDArray[np.int32]

    @classmethod
    def of(cls, topology: Topology) -> StepsOfEdges:
        """Made once per topology."""
        by_edge = np.argsort(topology.edge, kind="stable").astype(np.int32)
        return cls(np.searchsorted(topology.edge[by_edge], 2 * np.arange(len(topology.head) + 1)), by_edge)


def customized_again(
    topology: Topology, steps: StepsOfEdges, metric: Metric, cost: NDArray[np.integer], changed: NDArray[np.integer]
) -> tuple[Metric, NDArray[np.int32]]:
    """The metric of steps that cost `cost` (r,) where that of `metric` holds for all steps but the `changed` ones.

    Returns it with the edges that were looked at again.
    """
    made = Metric(metric.cost.copy(), metric.step.copy())
    rows = topology.edge[changed]
    looked_at = _again(
        topology.start, topology.head, *topology.below, topology.low, steps.start, steps.step, topology.edge,
        cost.astype(np.uint32), np.unique(rows[rows >= 0] >> 1), made.cost, made.step,
    )  # fmt: skip
    return made, looked_at


def ways_again(
    topology: Topology,
    metric: Metric,
    ways: Ways,
    costs: tuple[NDArray[np.integer], NDArray[np.integer]],
    looked_at: NDArray[np.int32],
) -> Ways:
    """What the edges of a metric that was customized again stand for; `costs` are cost and carried cost of the steps (r,)."""
    made = Ways(ways.middle.copy(), ways.carried.copy())
    _ways_again(
        topology.start, topology.head, *topology.below, topology.low, metric.cost, metric.step,
        costs[0].astype(np.uint32), costs[1].astype(np.uint32), looked_at, made.middle, made.carried,
    )  # fmt: skip
    return made


@njit(cache=True, nogil=True)
def _across(start, head, here, there):
    """The edge between two ranks, and the row of costs that leads from `here` to `there`: 0 upwards, 1 downwards."""
    low, high = min(here, there), max(here, there)
    return start[low] + np.searchsorted(head[start[low] : start[low + 1]], high), 1 if there < here else 0


@njit(cache=True, nogil=True)
def _again(
    start, head, below_start, below_edge, low_of, step_start, step_of, edge_of, step_cost, first, cost, step
):  # fmt: skip
    waiting = [np.int32(e) for e in first]  # ascending, so already a heap
    queued = np.zeros(len(head), np.uint8)
    for e in first:
        queued[e] = 1
    done = np.empty(max(len(first), 16), np.int32)
    size = 0
    while len(waiting) > 0:
        e = heappop(waiting)
        if size == len(done):
            done = np.concatenate((done, np.empty(len(done), np.int32)))
        done[size] = e
        size += 1
        low, high = low_of[e], head[e]
        up, down = FAR, FAR
        step[0, e], step[1, e] = -1, -1
        for row in range(step_start[e], step_start[e + 1]):
            one = step_of[row]
            if edge_of[one] & 1:
                if step_cost[one] < down:
                    down, step[1, e] = step_cost[one], one
            elif step_cost[one] < up:
                up, step[0, e] = step_cost[one], one
        a, b = below_start[low], below_start[high]
        while a < below_start[low + 1] and b < below_start[high + 1]:
            one, two = below_edge[a], below_edge[b]
            if low_of[one] == low_of[two]:
                up = min(up, np.uint32(cost[1, one] + cost[0, two]))
                down = min(down, np.uint32(cost[1, two] + cost[0, one]))
                a, b = a + 1, b + 1
            elif low_of[one] < low_of[two]:
                a += 1
            else:
                b += 1
        was_up, was_down = cost[0, e], cost[1, e]
        if up == was_up and down == was_down:
            continue
        cost[0, e], cost[1, e] = up, down
        for f in range(start[low], start[low + 1]):
            if f == e:
                continue
            over, back = _across(start, head, high, head[f])
            ahead, behind = cost[back, over], cost[1 - back, over]
            felt = (
                was_down + cost[0, f] == ahead or down + cost[0, f] <= ahead
                or cost[1, f] + was_up == behind or cost[1, f] + up <= behind
            )  # fmt: skip
            if felt and queued[over] == 0:
                queued[over] = 1
                heappush(waiting, np.int32(over))
    return done[:size].copy()


@njit(cache=True, nogil=True)
def _ways_again(
    start, head, below_start, below_edge, low_of, cost, step, step_cost, step_carried, looked_at, middle, carried
):  # fmt: skip
    waiting = [np.int32(e) for e in looked_at]
    queued = np.zeros(len(head), np.uint8)
    for e in looked_at:
        queued[e] = 1
    while len(waiting) > 0:
        e = heappop(waiting)
        low, high = low_of[e], head[e]
        changed = False
        for way in range(2):
            over, far = -1, np.uint32(0)
            one = step[way, e]
            if one >= 0 and step_cost[one] == cost[way, e]:
                far = step_carried[one]
            elif cost[way, e] < FAR:
                a, b = below_start[low], below_start[high]
                while over < 0 and a < below_start[low + 1] and b < below_start[high + 1]:
                    into, out = below_edge[a], below_edge[b]
                    if low_of[into] == low_of[out]:
                        if way == 1:
                            into, out = out, into
                        if cost[1, into] + cost[0, out] == cost[way, e]:
                            over, far = low_of[into], np.uint32(carried[1, into] + carried[0, out])
                        a, b = a + 1, b + 1
                    elif low_of[into] < low_of[out]:
                        a += 1
                    else:
                        b += 1
            if over != middle[way, e] or far != carried[way, e]:
                middle[way, e], carried[way, e] = over, far
                changed = True
        if not changed:
            continue
        for f in range(start[low], start[low + 1]):
            if f == e:
                continue
            over, back = _across(start, head, high, head[f])
            if queued[over] == 0 and (
                cost[1, e] + cost[0, f] == cost[back, over] or cost[1, f] + cost[0, e] == cost[1 - back, over]
            ):
                queued[over] = 1
                heappush(waiting, np.int32(over))
