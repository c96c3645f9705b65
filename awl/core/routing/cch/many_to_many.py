"""One to all and many to many on a hierarchy."""

from __future__ import annotations

import threading
from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import NDArray

from awl.core.network.network import Network
from awl.core.progress import Progress, current_token, raise_if_cancelled, threads_of
from awl.core.routing.access_points import along_link
from awl.core.routing.cch.hierarchy import Hierarchy
from awl.core.routing.cch.kernel_arguments import (
    Bounds,
    CarryingEdges,
    CarryingGoals,
    CarryingSources,
    Goals,
    LaneScratch,
    SourceRanks,
    Sources,
    SweepGraph,
    SweepScratch,
    Tree,
)
from awl.core.routing.cch.one_to_all import (
    NOT_YET,
    above,
    fill_rows,
    fill_rows_carrying,
    label_lone,
    label_states,
    sweep,
    sweep_one,
)
from awl.core.routing.cch.topology import FAR, Topology
from awl.core.routing.dijkstra.search import NO_LABEL, NO_LIMIT, OWNER_BITS, OWNER_MASK, UNREACHED
from awl.core.routing.path import accumulated_with
from awl.core.routing.simd.lanes import LANES
from awl.core.routing.snapping import Snapped
from awl.core.routing.terminals import Terminals, entering, leaving

Ints = NDArray[np.int32]
WORTH_TRIMMING = 1024
"""Places or trips from which on a second pass over the edges pays."""
AT_ONCE = 4 * LANES
"""Places in one call of a kernel."""


def ranked(hierarchy: Hierarchy, network: Network, terminals: Terminals, measure: str) -> tuple[Terminals, Ints, Ints]:
    """Terminals on states with a rank, the ranks, and the step each took from a state without one, or -1.

    Parameters:
        hierarchy: the contraction hierarchy of the network's states.
        network: the streets of a mode, at a time and with closures.
        terminals: the states where a search begins or ends, with costs.
        measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
    """
    rank = hierarchy.topology.rank[terminals.state]
    lone = np.flatnonzero(rank < 0)
    if len(lone) == 0:
        return terminals, rank, np.full(len(rank), -1, np.int32)
    start, head, number = network.rows("from")
    counts = start[terminals.state[lone] + 1] - start[terminals.state[lone]]
    nth = np.repeat(lone, counts)
    row = np.arange(len(nth)) - np.repeat(np.cumsum(counts) - counts - start[terminals.state[lone]], counts)
    step = number[row]
    cost, accumulated = (network.step_costs(one, step) for one in (measure, accumulated_with(measure)))
    rest = np.flatnonzero(rank >= 0)
    owner = np.concatenate([terminals.owner[rest], terminals.owner[nth]])
    order = np.argsort(owner, kind="stable")
    state = np.concatenate([terminals.state[rest], head[row]])[order]
    merged = Terminals(
        state,
        np.concatenate([terminals.cost[rest], np.minimum(terminals.cost[nth].astype(np.int64) + cost, UNREACHED)])[
            order
        ].astype(np.int32),
        np.concatenate([terminals.accumulated[rest], terminals.accumulated[nth] + accumulated])[order],
        owner[order],
        np.concatenate([terminals.arc[rest], terminals.arc[nth]])[order],
        np.concatenate([terminals.access_row[rest], terminals.access_row[nth]])[order],
    )
    first = np.concatenate([np.full(len(rest), -1, np.int32), step])[order].astype(np.int32)
    return merged, hierarchy.topology.rank[state], first


def swept(
    hierarchy: Hierarchy, network: Network, terminals: Terminals, measure: str, direction: str, limit: int
) -> NDArray[np.int64]:
    """Labels (s,) of all states as a search `from` or `to` places gives them.

    Parameters:
        hierarchy: the contraction hierarchy of the network's states.
        network: the streets of a mode, at a time and with closures.
        terminals: the states where a search begins or ends, with costs.
        measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
        direction: `from` or `to`: trips leave the places or lead to them.
        limit: the highest cost that counts.
    """
    topology = hierarchy.topology
    terminal_time = np.int64(network.terminal_time(measure))
    most = (np.int64(limit) << OWNER_BITS) | OWNER_MASK
    label = np.full(network.states.count, NO_LABEL)
    own = ((terminals.cost.astype(np.int64) + terminal_time) << OWNER_BITS) | terminals.owner
    on_way, rank = terminals, topology.rank[terminals.state]
    if direction == "from":
        on_way, rank, _ = ranked(hierarchy, network, terminals, measure)
    begin = ((on_way.cost.astype(np.int64) + terminal_time) << OWNER_BITS) | on_way.owner
    here = rank >= 0
    reduced = hierarchy.reduced(network, measure)
    reduced = reduced if direction == "from" else reduced.reverse()
    up, down = reduced.up.edges(), reduced.down.edges()
    if limit == NO_LIMIT and len(on_way.owner) and (on_way.owner == on_way.owner[0]).all():
        cost = np.empty(topology.count, np.uint32)
        begun = np.minimum(begin[here] >> OWNER_BITS, int(FAR)).astype(np.uint32)
        sweep_one(topology.parent, up, down, SourceRanks(rank[here], begun), cost)
        label_states(topology.state, cost, np.int64(limit), np.int64(on_way.owner[0]), label)
    else:
        tree = Tree(topology.parent, topology.lowest, topology.start, topology.head, topology.state)
        scratch = SweepScratch(*_climb_scratch(topology.count))
        sweep(tree, up, down, SourceRanks(rank[here], begin[here]), most, scratch, label)
    with_ends(topology, network, measure, direction, terminals.state, own, most, label)
    return label


def with_ends(
    topology: Topology, network: Network, measure: str, direction: str, state: Ints, own: NDArray[np.int64], most: np.int64,
    label: NDArray[np.int64],
) -> None:  # fmt: skip
    """Complete labels (s,) of ranked states by those of the ends, `own` at each `state`, and of states without a rank.

    Parameters:
        topology: the topology of the hierarchy.
        network: the streets of a mode, at a time and with closures.
        measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
        direction: `from` or `to`: trips leave the places or lead to them.
        state: states (q,) of the terminals.
        own: their labels (q,).
        most: the highest cost that counts.
        label: labels (s,) of all states, completed here.
    """
    within = own <= most
    np.minimum.at(label, state[within], own[within])
    if direction == "to":
        start, head, cost, _ = network.search_rows(measure, measure, "from")
        label_lone(topology.lone, start, head, cost, most, label)


@dataclass(frozen=True)
class Pairs:
    """Single pairs (p,) of a source and a target, with cost and accumulated cost."""

    source: NDArray[np.integer]
    target: NDArray[np.integer]
    cost: NDArray[np.int64]
    accumulated: NDArray[np.int64]


class ManyToMany:
    """Costs between many places, sixteen of those trips begin at in a sweep, and the costs their ways carry if wanted."""

    def __init__(
        self, hierarchy: Hierarchy, network: Network, ends: tuple[Snapped, Snapped], measure: str, carrying: bool
    ) -> None:
        self._network, self._measure = network, measure
        self._accumulated = accumulated_with(measure) if carrying else None
        self._ends = ends
        topology = hierarchy.topology
        sources, targets = ends
        if len(sources.link) >= WORTH_TRIMMING:
            hierarchy.trim(network, measure)
        reduced = hierarchy.reduced(network, measure)
        self._first = leaving(sources, network, measure, accumulated_with(measure))
        self._goals = entering(targets, network, measure, accumulated_with(measure))
        self._terminals, self._rank, _ = ranked(hierarchy, network, self._first, measure)
        goal_rank = topology.rank[self._goals.state]
        closure = above(topology.parent, np.unique(goal_rank[goal_rank >= 0]))
        self._local = np.full(topology.count, -1, np.int32)
        self._local[closure] = np.arange(len(closure), dtype=np.int32)
        # In the order of their labels, so that these are read one behind the other.
        here = np.flatnonzero(goal_rank >= 0)
        here = here[np.argsort(goal_rank[here], kind="stable")]
        goals = self._goals
        goal_row, goal_cost = self._local[goal_rank[here]], goals.cost[here].astype(np.uint32)
        self._parent, self._size = topology.parent, len(closure)
        up, (down, down_rows) = reduced.up, reduced.down.within(closure, self._local, topology)
        starts, cost = self._terminals.starts(len(sources.link)), self._terminals.cost.astype(np.uint32)
        if carrying:
            far = hierarchy.unpacking(network, measure, accumulated_with(measure)).accumulated
            down_far = CarryingEdges(*down.edges(), far[1][down_rows])
            ancestors = above(topology.parent, np.unique(self._rank[self._rank >= 0]))
            self._graph = SweepGraph(self._parent, up.edges_with(topology, far[0], ancestors), self._local, down_far)
            self._sources: Sources | CarryingSources = CarryingSources(
                starts, self._rank, cost, self._terminals.accumulated.astype(np.uint32)
            )
            goal_far = goals.accumulated[here].astype(np.uint32)
            self._targets: Goals | CarryingGoals = CarryingGoals(goal_row, goals.owner[here], goal_cost, goal_far)
        else:
            self._graph = SweepGraph(self._parent, up.edges(), self._local, down.edges())
            self._sources = Sources(starts, self._rank, cost)
            self._targets = Goals(goal_row, goals.owner[here], goal_cost)
        self._aside = sorted_pairs(
            along_links(network, ends, measure), onto_links(topology.rank, self._first, self._goals)
        )

    def costs(self, most: int, threads: int | None, progress: Progress) -> tuple[Ints, NDArray[np.int64]]:
        """Cost and accumulated cost (s, t) from all places, terminal times included; UNREACHED above `most`.

        Without an accumulated cost the second is empty.

        Parameters:
            most: the highest cost that counts.
            threads: how many threads; as many as there are cores where None.
            progress: is told how far the work is, and stops it.
        """
        network = self._network
        shape = len(self._ends[0].link), len(self._ends[1].link)
        cost, accumulated = np.empty(shape, np.int32), np.empty(shape if self._accumulated else (0, 0), np.int64)
        further = network.terminal_time(self._accumulated) if self._accumulated else 0
        bounds, token = Bounds(most, network.terminal_time(self._measure), further), current_token()

        def fill(rows: NDArray[np.int64]) -> None:
            label, far, place = _scratch(len(self._parent), self._size)
            scratch = LaneScratch(place, label, far)
            where = self._graph, self._sources, self._targets, rows, bounds, scratch, cost
            if self._accumulated is None:
                fill_rows(*where, token)
            else:
                fill_rows_carrying(*where, accumulated, token)

        order = self._order
        blocks = np.split(order, np.arange(AT_ONCE, len(order), AT_ONCE))
        with threads_of(threads) as pool:
            for done, _ in enumerate(pool.map(fill, blocks), 1):
                raise_if_cancelled()
                progress.step(done / len(blocks), f"{done * len(order) // len(blocks)} of {len(order)} starts")
        put_aside(network, self._measure, self._aside, most, cost, accumulated if self._accumulated else None)
        return cost, accumulated

    @property
    def _order(self) -> NDArray[np.int64]:
        """Places in an order in which those that follow each other climb the same ranks."""
        first = np.full(len(self._ends[0].link), np.iinfo(np.int32).max, np.int64)
        np.minimum.at(first, self._terminals.owner, self._rank)
        return np.argsort(first, kind="stable")


def put_aside(
    network: Network, measure: str, aside: Pairs, most: int, cost: Ints, accumulated: NDArray[np.int64] | None
) -> None:
    """Put in trips, as `sorted_pairs` gives them, that go another way than by a search, where that is no longer.

    Parameters:
        network: the streets of a mode, at a time and with closures.
        measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
        aside: the trips, as `sorted_pairs` gives them.
        most: the highest cost that counts.
        cost: costs (s, t), lowered here.
        accumulated: accumulated costs (s, t), or None.
    """
    total = aside.cost + network.terminal_time(measure)
    nearer = (aside.cost <= most) & (total <= cost[aside.source, aside.target])
    at = aside.source[nearer], aside.target[nearer]
    cost[at] = total[nearer]
    if accumulated is not None:
        accumulated[at] = aside.accumulated[nearer] + network.terminal_time(accumulated_with(measure))


def onto_links(rank: Ints, first: Terminals, goals: Terminals) -> Pairs:
    """Trips from a node onto a link that begins there, where no step leads to the state they begin in.

    Parameters:
        rank: the rank (s,) of each state, -1 for none.
        first: the states where trips begin.
        goals: the states where trips end, with the cost of the rest of the way.
    """
    a, b = at_once(rank, first, goals)
    total = first.cost[a].astype(np.int64) + goals.cost[b]
    return Pairs(first.owner[a], goals.owner[b], total, first.accumulated[a] + goals.accumulated[b])


def along_links(network: Network, ends: tuple[Snapped, Snapped], measure: str) -> Pairs:
    """Trips along one link without leaving it.

    Parameters:
        network: the streets of a mode, at a time and with closures.
        ends: starts and ends, put on streets.
        measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
    """
    sources, targets = ends
    a, b = alike(sources.access_points.link, targets.access_points.link)
    _, cost, accumulated = along_link(network, (sources.access_points.take(a), targets.access_points.take(b)), measure)
    return Pairs(sources.access_points.place[a], targets.access_points.place[b], cost, accumulated)


def sorted_pairs(*parts: Pairs) -> Pairs:
    """All pairs by source; of the same pair the least is last, so that it is what stays where all are written."""
    source, target, cost, accumulated = (
        np.concatenate([getattr(part, item.name) for part in parts]) for item in fields(Pairs)
    )
    order = np.lexsort((-cost, source))
    return Pairs(source[order], target[order], cost[order], accumulated[order])


def _matched(source: NDArray[np.integer], rows: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """For each of `rows` the pairs whose source it is: the number of the row, and of the pair."""
    begin, end = np.searchsorted(source, rows), np.searchsorted(source, rows, side="right")
    lane = np.repeat(np.arange(len(rows)), end - begin)
    return lane, np.arange(len(lane)) + np.repeat(begin - (np.cumsum(end - begin) - (end - begin)), end - begin)


def alike(keys: NDArray[np.integer], others: NDArray[np.integer]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """All pairs of one key and an equal other.

    Parameters:
        keys: keys (k,).
        others: keys (q,).
    """
    order = np.argsort(others, kind="stable")
    row, nth = _matched(others[order], keys.astype(np.int64))
    return row, order[nth]


_OWN = threading.local()


def _scratch(count: int, size: int) -> tuple[NDArray[np.uint32], NDArray[np.uint32], Ints]:
    """Labels (size, LANES) and carried costs of a sweep, and places of `count` ranks: of this thread, kept for the next."""
    scratch = getattr(_OWN, "scratch", None)
    if scratch is None or len(scratch[2]) != count or len(scratch[0]) < size:
        wide = np.empty((2, size, LANES), np.uint32)
        scratch = _OWN.scratch = wide[0], wide[1], np.full(count, -1, np.int32)
    return scratch[0][:size], scratch[1][:size], scratch[2]


def _climb_scratch(count: int) -> tuple[Ints, Ints, NDArray[np.int64]]:
    """Places, a list, and labels of `count` ranks, likewise: each sweep leaves the first and the last as they were."""
    scratch: tuple[Ints, Ints, NDArray[np.int64]] | None = getattr(_OWN, "climb", None)
    if scratch is None or len(scratch[0]) != count:
        scratch = _OWN.climb = np.full(count, -1, np.int32), np.empty(count, np.int32), np.full(count, NOT_YET)
    return scratch


def at_once(rank: Ints, terminals: Terminals, goals: Terminals) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Pairs of terminals and goals at one state to which no step leads.

    Parameters:
        rank: the rank (s,) of each state, -1 for none.
        terminals: the states where a search begins or ends, with costs.
        goals: the states where trips end, with the cost of the rest of the way.
    """
    here, there = np.flatnonzero(rank[terminals.state] < 0), np.flatnonzero(rank[goals.state] < 0)
    a, b = alike(terminals.state[here], goals.state[there])
    return here[a], there[b]
