"""Times between places at up to sixteen hours at once: each hour is a lane, over edges that have a cost in each lane.

The hours share states, order and topology: turns with hours only bar steps. One pass puts all their costs in; from each place one
climb and one sweep, restricted to what lies above the targets, serve all of them. Source of customizing several metrics
as lanes: J. Dibbelt, B. Strasser, D. Wagner, *Customizable contraction hierarchies*, ACM JEA 21 (2016), section 6.
"""

from __future__ import annotations

import threading
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from functools import partial
from typing import Any, NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.kernels import njit_no_refcount, stopped
from awl.core.network.network import Network
from awl.core.progress import Progress, current_token, raise_if_cancelled, threads_of
from awl.core.routing.cch.customization import customize_lanes
from awl.core.routing.cch.hierarchy import Hierarchy
from awl.core.routing.cch.many_to_many import along_links, onto_links, ranked
from awl.core.routing.cch.one_to_all import above, ancestors_of
from awl.core.routing.cch.topology import FAR, Topology
from awl.core.routing.dijkstra.search import NO_LIMIT, UNREACHED
from awl.core.routing.simd.lanes import LANES, lower_by_columns, over_triangle
from awl.core.routing.simd.vectors import load_unchecked
from awl.core.routing.snapping import Snapped
from awl.core.routing.terminals import Terminals, entering, leaving

Ints = NDArray[np.int32]
Costs = NDArray[np.uint32]
AT_ONCE = 64
"""Places in one call of the kernel."""
MOST_KEPT = 2**28
"""Bytes of memory kept from one question to the next: enough for a large town."""


class Spare:
    """Memory of the last lanes, kept for the next: to get fresh memory takes longer than to fill it."""

    def __init__(self) -> None:
        self._kept = np.empty(0, np.uint32)
        self._lock = threading.Lock()

    @contextmanager
    def memory(self, size: int) -> Iterator[NDArray[np.uint32]]:
        """Lend uninitialised memory (size,); a concurrent caller gets memory of its own.

        Parameters:
            size: how many numbers.
        """
        with self._lock:
            taken, self._kept = self._kept, np.empty(0, np.uint32)
        if len(taken) < size:
            taken = np.empty(size, np.uint32)
        try:
            yield taken[:size]
        finally:
            if taken.nbytes <= MOST_KEPT:
                self._kept = taken


_SPARE = Spare()


@contextmanager
def customized_lanes(
    topology: Topology, costs: Sequence[NDArray[np.integer]], progress: Progress | None = None
) -> Iterator[tuple[Costs, Costs]]:
    """Costs (m, LANES) of the edges up and down, lane i for the i-th of at most `LANES` costs (r,) of the steps.

    They are there as long as the context.

    Parameters:
        topology: the topology of the hierarchy.
        costs: costs (r,) of the steps in each lane, at most `LANES`.
        progress: is told how far the work is, and stops it.
    """
    shares, count, steps = topology.shares, len(topology.head), len(topology.edge)
    # Copies of the edges of the top stand behind all edges.
    copied = count + (len(shares.threads) - 1) * len(shares.rows)
    edges = 2 * copied * LANES
    with _SPARE.memory(edges + LANES * steps) as memory:
        edge_cost = memory[:edges].reshape(2, -1, LANES)
        step_cost = memory[edges:].reshape(LANES, steps)
        step_cost[len(costs) :] = FAR
        for lane, cost in enumerate(costs):
            step_cost[lane] = cost

        def put(*ways: int) -> None:
            for way in ways:
                edge_cost[way] = FAR
            _put_lanes(topology.edge, step_cost, edge_cost, 0 in ways, 1 in ways)

        shares.each_way(put)
        up, down = edge_cost
        with (progress or Progress()).inside("putting in the speeds of the hours"):
            apart, token = shares.shift(topology.start), current_token()

            def share(thread: int, runs: NDArray[np.int64]) -> None:
                of, copy = apart if thread else apart[:0], count + (thread - 1) * len(shares.rows)
                customize_lanes(topology.start, topology.head, runs, up, down, of, copy, token)

            shares.each(share)
            for cost in (up, down):
                for begin in range(count, copied, max(len(shares.rows), 1)):
                    cost[shares.rows] = np.minimum(cost[shares.rows], cost[begin : begin + len(shares.rows)])
            share(0, shares.top)
            raise_if_cancelled()
        yield up[:count], down[:count]


@njit_no_refcount
def _put_lanes(edge, step_cost, cost, up, down):
    """Lower the costs (2, m, LANES) of edges to those of the steps (LANES, r) along them: of those that lead up, down or both."""
    rows, size = np.int64(cost.shape[1]), np.int64(len(edge))
    for i in range(size):
        row = np.int64(load_unchecked(edge, i))
        if row >= 0 and ((up and down) or (down if row & 1 else up)):
            lower_by_columns(cost, (row & 1) * rows + (row >> 1), step_cost, i, size)


@dataclass(frozen=True)
class Ends:
    """Where trips begin or end: those of place i are rows `start[i]:start[i + 1]`, with `rank` and a `cost` (k, LANES)."""

    start: NDArray[np.int64]
    rank: Ints
    cost: Costs

    @classmethod
    def of(cls, parts: Sequence[tuple[Terminals, Ints]], places: int, count: int) -> Ends:
        """The ends of all hours together; one that an hour does not have costs `FAR` in its lane.

        Parameters:
            parts: terminals of each hour with their ranks.
            places: how many places there are.
            count: how many ranks there are.
        """
        keys = [terminals.owner.astype(np.int64) * count + rank for terminals, rank in parts]
        known = np.unique(np.concatenate([key[rank >= 0] for key, (_, rank) in zip(keys, parts, strict=True)]))
        cost = np.full((len(known), LANES), FAR)
        for lane, (key, (terminals, rank)) in enumerate(zip(keys, parts, strict=True)):
            here = rank >= 0
            np.minimum.at(cost[:, lane], np.searchsorted(known, key[here]), terminals.cost[here].astype(np.uint32))
        start = np.searchsorted(known // count, np.arange(places + 1))
        return cls(start, (known % count).astype(np.int32), cost)


def check_alike(networks: Sequence[Network]) -> None:
    """Raises `ValueError` where these are too many for the lanes of a sweep, or do not share their states.

    Parameters:
        networks: networks of the same streets, one for each hour.
    """
    if len(networks) > LANES:
        raise ValueError(f"At most {LANES} hours at once")
    if any(network.states is not networks[0].states for network in networks):
        raise ValueError("The hours do not share their states")


def matrix_by_hour(
    hierarchy: Hierarchy,
    networks: Sequence[Network],
    sources: Snapped,
    targets: Snapped,
    threads: int | None = None,
    progress: Progress | None = None,
) -> NDArray[np.int32]:
    """Times in ms (h, s, t) at each of at most `LANES` hours; UNREACHED where there is no way.

    `networks` are those of the hours, which share the states of the `hierarchy`.

    Parameters:
        hierarchy: the contraction hierarchy of the network's states.
        networks: networks of the same streets, one for each hour.
        sources: starts put on streets (s,).
        targets: ends put on streets (t,).
        threads: how many threads; as many as there are cores where None.
        progress: is told how far the work is, and stops it.
    """
    check_alike(networks)
    topology, count = hierarchy.topology, hierarchy.topology.count
    cost = np.full((len(networks), len(sources.link), len(targets.link)), UNREACHED, np.int32)
    first = [leaving(sources, network, "time", "distance") for network in networks]
    last = [entering(targets, network, "time", "distance") for network in networks]
    terminals = [ranked(hierarchy, network, one, "time")[:2] for network, one in zip(networks, first, strict=True)]
    begins = Ends.of(terminals, len(sources.link), count)
    ends = Ends.of([(one, topology.rank[one.state]) for one in last], len(targets.link), count)
    closure = above(topology.parent, np.unique(ends.rank))
    local = np.full(count, -1, np.int32)
    local[closure] = np.arange(len(closure), dtype=np.int32)

    def block(edges: tuple[Costs, Costs], begin: int) -> None:
        rows = np.arange(begin, min(begin + AT_ONCE, len(sources.link)))
        costs = np.full((len(rows), len(targets.link), LANES), FAR)
        graph = _Graph(topology.parent, topology.start, topology.head, *edges, closure, local)
        starts = Ends(begins.start[rows[0] : rows[-1] + 2], begins.rank, begins.cost)
        _rows_by_hour(graph, _kernel(starts), _kernel(Ends(ends.start, local[ends.rank], ends.cost)), costs, token)
        for lane in range(len(networks)):
            cost[lane, rows] = np.where(costs[:, :, lane] < FAR, costs[:, :, lane], UNREACHED)

    progress, token = progress or Progress(), current_token()
    blocks = range(0, len(sources.link), AT_ONCE)
    costs = [network.step_costs("time") for network in networks]
    with customized_lanes(topology, costs, progress.part(0.0, 0.3)) as edges, threads_of(threads) as pool:
        for done, _ in enumerate(pool.map(partial(block, edges), blocks), 1):
            raise_if_cancelled()
            progress.step(
                0.3 + 0.7 * done / len(blocks),
                f"{min(done * AT_ONCE, len(sources.link))} of {len(sources.link)} starts",
            )
    for lane, network in enumerate(networks):
        for pairs in (
            along_links(network, (sources, targets), "time"),
            onto_links(topology.rank, first[lane], last[lane]),
        ):
            np.minimum.at(cost[lane], (pairs.source, pairs.target), np.minimum(pairs.cost, UNREACHED).astype(np.int32))
        terminal_time = network.terminal_time("time")
        reached = cost[lane] <= int(NO_LIMIT) - terminal_time
        cost[lane] = np.where(reached, cost[lane] + terminal_time, UNREACHED)
    return cost


class _Graph(NamedTuple):
    """The elimination tree, all edges with their costs up and down in each lane, and the ranks above targets.

    `closure` are these ranks, ascending; `local` (c,) gives the row of each among them, -1 for others.
    """

    parent: Any
    start: Any
    head: Any
    up: Any
    down: Any
    closure: Any
    local: Any


class _Ends(NamedTuple):
    """`Ends` as the kernel takes them; for targets, `rank` are rows of the closure."""

    start: Any
    rank: Any
    cost: Any


def _kernel(ends: Ends) -> _Ends:
    return _Ends(ends.start, ends.rank, ends.cost)


@njit(cache=True, nogil=True)
def _rows_by_hour(graph, sources, goals, rows, token):
    """Fill `rows` (s, t, LANES)."""
    start, head, closure, local = graph.start, graph.head, graph.closure, graph.local
    place, climb = np.full(len(graph.parent), -1, np.int32), np.empty(len(graph.parent), np.int32)
    label = np.empty((len(closure), LANES), np.uint32)
    for s in range(len(sources.start) - 1):
        if stopped(token, s, len(sources.start) - 1):
            return
        a, b = sources.start[s], sources.start[s + 1]
        size = ancestors_of(graph.parent, sources.rank[a:b], place, climb)
        top = np.full((size, LANES), FAR)
        for i in range(a, b):
            at = place[sources.rank[i]]
            for lane in range(LANES):
                top[at, lane] = min(top[at, lane], sources.cost[i, lane])
        label[:] = FAR
        for at in range(size):
            i = climb[at]
            for e in range(start[i], start[i + 1]):
                over_triangle(top, np.int64(place[head[e]]), np.int64(at), np.int64(e), top, graph.up)
            if local[i] >= 0:
                label[local[i], :] = top[at, :]
            place[i] = -1
        for row in range(len(closure) - 1, -1, -1):
            for e in range(start[closure[row]], start[closure[row] + 1]):
                over_triangle(label, np.int64(row), np.int64(local[head[e]]), np.int64(e), label, graph.down)
        for t in range(len(goals.start) - 1):
            for i in range(goals.start[t], goals.start[t + 1]):
                over_triangle(rows[s], np.int64(t), np.int64(goals.rank[i]), np.int64(i), label, goals.cost)
