"""Questions of the engine answered on a hierarchy: one to all, and many to many."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from awl.core.engine.climbing import above, sweep, sweep_lanes_carrying, sweep_one, to_targets
from awl.core.engine.dijkstra import NO_LABEL, OWNER_BITS, OWNER_MASK, UNREACHED
from awl.core.engine.hierarchy import Hierarchy
from awl.core.engine.lanes import LANES
from awl.core.engine.leg import carried_with
from awl.core.engine.places import Seeds, Snapped, leaving
from awl.core.engine.topology import FAR
from awl.core.modes.network import Network

Ints = NDArray[np.int32]


def ranked(hierarchy: Hierarchy, network: Network, seeds: Seeds, measure: str) -> tuple[Seeds, Ints, Ints]:
    """Seeds on states with a rank, the ranks, and the step each took from a state without one, or -1."""
    rank = hierarchy.topology.rank[seeds.state]
    lone = np.flatnonzero(rank < 0)
    if len(lone) == 0:
        return seeds, rank, np.full(len(rank), -1, np.int32)
    start, head, number = network.rows("from")
    counts = start[seeds.state[lone] + 1] - start[seeds.state[lone]]
    nth = np.repeat(lone, counts)
    row = np.arange(len(nth)) - np.repeat(np.cumsum(counts) - counts - start[seeds.state[lone]], counts)
    step = number[row]
    cost, carried = network.step_costs(measure)[step], network.step_costs(carried_with(measure))[step]
    rest = np.flatnonzero(rank >= 0)
    owner = np.concatenate([seeds.owner[rest], seeds.owner[nth]])
    order = np.argsort(owner, kind="stable")
    state = np.concatenate([seeds.state[rest], head[row]])[order]
    made = Seeds(
        state,
        np.concatenate([seeds.cost[rest], np.minimum(seeds.cost[nth].astype(np.int64) + cost, UNREACHED)])[
            order
        ].astype(np.int32),
        np.concatenate([seeds.carried[rest], seeds.carried[nth] + carried])[order],
        owner[order],
        np.concatenate([seeds.arc[rest], seeds.arc[nth]])[order],
    )
    first = np.concatenate([np.full(len(rest), -1, np.int32), step])[order].astype(np.int32)
    return made, hierarchy.topology.rank[state], first


def swept(
    hierarchy: Hierarchy, network: Network, seeds: Seeds, measure: str, direction: str, limit: int
) -> NDArray[np.int64]:
    """Labels (s,) of all states as a search `from` or `to` places gives them."""
    topology, metric = hierarchy.topology, hierarchy.metric(network, measure)
    overhead = np.int64(network.overhead(measure))
    most = (np.int64(limit) << OWNER_BITS) | OWNER_MASK
    label = np.full(network.states.count, NO_LABEL)
    own = ((seeds.cost.astype(np.int64) + overhead) << OWNER_BITS) | seeds.owner
    on_way, rank = seeds, topology.rank[seeds.state]
    if direction == "from":
        on_way, rank, _ = ranked(hierarchy, network, seeds, measure)
    begin = ((on_way.cost.astype(np.int64) + overhead) << OWNER_BITS) | on_way.owner
    here = rank >= 0
    up, down = (metric.cost[0], metric.cost[1]) if direction == "from" else (metric.cost[1], metric.cost[0])
    of_rank = np.empty(topology.count, np.int64)
    if len(on_way.owner) and (on_way.owner == on_way.owner[0]).all():
        cost = np.empty(topology.count, np.uint32)
        seconds = np.minimum(begin[here] >> OWNER_BITS, int(FAR)).astype(np.uint32)
        sweep_one(topology.start, topology.head, up, down, rank[here], seconds, cost)
        of_rank = np.where(cost <= limit, (cost.astype(np.int64) << OWNER_BITS) | on_way.owner[0], NO_LABEL)
    else:
        sweep(topology.start, topology.head, up, down, rank[here], begin[here], most, of_rank)
    label[topology.state] = of_rank
    within = own <= most
    np.minimum.at(label, seeds.state[within], own[within])
    if direction == "to":
        _from_lone_states(topology.rank, network, measure, most, label)
    hierarchy.note_far(measure, label)
    return label


def _from_lone_states(rank: Ints, network: Network, measure: str, most: np.int64, label: NDArray[np.int64]) -> None:
    """Labels of the states without a rank: trips that begin there take one step first."""
    start, head, number = network.rows("from")
    lone = np.flatnonzero((rank < 0) & (np.diff(start) > 0))
    if len(lone) == 0:
        return
    counts = np.diff(start)[lone]
    first = np.cumsum(counts) - counts
    row = np.arange(counts.sum()) - np.repeat(first - start[lone], counts)
    onward = label[head[row]]
    cost = network.step_costs(measure)[number[row]].astype(np.int64) << OWNER_BITS
    over = np.where(onward == NO_LABEL, NO_LABEL, np.where(onward > most, NO_LABEL, onward + cost))
    best = np.minimum.reduceat(over, first)
    label[lone] = np.minimum(label[lone], np.where(best <= most, best, NO_LABEL))


class Ladder:
    """Costs from many places to fixed targets, sixteen places at a time."""

    def __init__(self, hierarchy: Hierarchy, network: Network, targets: Snapped, goals: Seeds, measure: str) -> None:
        self._hierarchy, self._network, self._targets, self._goals, self._measure = (
            hierarchy,
            network,
            targets,
            goals,
            measure,
        )
        self._goal_rank = hierarchy.topology.rank[goals.state]
        topology = hierarchy.topology
        self._closure = above(topology.start, topology.head, np.unique(self._goal_rank[self._goal_rank >= 0]))
        self._metric = hierarchy.metric(network, measure)
        self._ways = hierarchy.ways(network, measure, carried_with(measure))

    def costs_from(self, sources: Snapped, most: int) -> tuple[Ints, NDArray[np.int64]]:
        """Cost and carried cost (k, t) from at most `LANES` places; UNREACHED above `most`."""
        network, topology, metric = self._network, self._hierarchy.topology, self._metric
        carried = carried_with(self._measure)
        found = np.full((len(sources.link), len(self._targets.link)), UNREACHED, np.int32)
        extra = np.zeros(found.shape, np.int64)
        self._along_links(sources, most, found, extra)
        first = leaving(sources, network, self._measure, carried)
        self._at_once(first, most, found, extra)
        seeds, rank, _ = ranked(self._hierarchy, network, first, self._measure)
        label, further = np.empty((topology.count, LANES), np.uint32), np.empty((topology.count, LANES), np.uint32)
        sweep_lanes_carrying(
            topology.start, topology.head, metric.cost, self._ways.carried, rank, seeds.owner, seeds.cost.astype(np.uint32),
            seeds.carried.astype(np.uint32), self._closure, label, further,
        )  # fmt: skip
        goals = self._goals
        to_targets(
            label, further, len(sources.link), goals.starts(len(self._targets.link)), self._goal_rank, goals.cost, goals.carried,
            np.int64(most), found, extra,
        )  # fmt: skip
        return found, extra

    def _at_once(self, first: Seeds, most: int, found: Ints, extra: NDArray[np.int64]) -> None:
        """Trips from a node onto a link that begins there, where no step leads to the state they begin in."""
        goals = self._goals
        a, b = at_once(self._hierarchy.topology.rank, first, goals)
        whole = first.cost[a].astype(np.int64) + goals.cost[b]
        order = np.argsort(-whole, kind="stable")  # the least is written last
        for i in order[whole[order] <= most].tolist():
            k, t = first.owner[a[i]], goals.owner[b[i]]
            if whole[i] < found[k, t]:
                found[k, t], extra[k, t] = whole[i], first.carried[a[i]] + goals.carried[b[i]]

    def _along_links(self, sources: Snapped, most: int, found: Ints, extra: NDArray[np.int64]) -> None:
        """Trips along one link without leaving it."""
        network, carried = self._network, carried_with(self._measure)
        cost, further = network.arc_costs(self._measure), network.arc_costs(carried)
        a, b = np.nonzero(sources.link[:, None] == self._targets.link[None, :])
        f, g = sources.fraction[a], self._targets.fraction[b]
        arc = 2 * sources.link[a] + (g < f)
        whole = np.where((cost[arc] >= 0) | (f == g), np.rint(np.abs(g - f) * cost[arc]), UNREACHED)
        near = whole <= most
        found[a[near], b[near]] = whole[near]
        extra[a[near], b[near]] = np.rint(np.abs(g - f) * further[arc])[near]


def at_once(rank: Ints, seeds: Seeds, goals: Seeds) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Pairs of seeds and goals at one state to which no step leads."""
    here, there = np.flatnonzero(rank[seeds.state] < 0), np.flatnonzero(rank[goals.state] < 0)
    a, b = np.nonzero(seeds.state[here][:, None] == goals.state[there][None, :])
    return here[a], there[b]
