"""Plain searches between places: one to all, many to many, and the path of one trip. The reference for what is quicker."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from awl.core.network.costs import check_direction
from awl.core.network.network import Network
from awl.core.progress import Progress, current_token, raise_if_cancelled, threads_of
from awl.core.routing.access_points import along_link, expanded
from awl.core.routing.cch.many_to_many import alike, along_links, put_aside, sorted_pairs
from awl.core.routing.cch.paths import last_delays
from awl.core.routing.dijkstra.kernel_arguments import PlaceStates, SearchLabels, SourceStates, Steps
from awl.core.routing.dijkstra.search import (
    NO_LABEL,
    NO_LIMIT,
    OWNER_BITS,
    OWNER_MASK,
    UNREACHED,
    least_on_entering,
    rows_to_targets,
    search,
)
from awl.core.routing.path import StreetLeg, accumulated_with, leg_over
from awl.core.routing.snapping import Snapped
from awl.core.routing.terminals import Terminals, entering, leaving

NO_NODES = np.zeros(0, np.uint8)
SearchAll = Callable[
    [Network, tuple[Snapped, Snapped], str, int, int | None, Progress], tuple[NDArray[np.int32], NDArray[np.int64]]
]
"""Costs and accumulated costs between places that all have a street: network, ends, measure, limit, threads, progress."""


@dataclass(frozen=True)
class Arrivals:
    """Result of a search `from` or `to` places over all states (s,) of a network.

    `label` holds cost (ms, mm or 1/1000 of a given cost) and owner, the row of the place a state belongs to; NO_LABEL where
    there is no way. `entry` is the row of the step by which a state was reached. `head_start` (k,) is what had been spent at each
    place before the search began, None for nothing.
    """

    network: Network
    measure: str
    direction: str
    label: NDArray[np.int64]
    accumulated: NDArray[np.int64]
    entry: NDArray[np.int32]
    head_start: NDArray[np.int32] | None = None

    @cached_property
    def cost(self) -> NDArray[np.int32]:
        """Least cost at each node (n,) over all its states; UNREACHED where there is no path."""
        best = np.full(self.network.graph.node_count, NO_LABEL)
        np.minimum.at(best, self.network.states.node, self.label)
        return costs_of(best)

    def at_nodes(self, node: NDArray[np.integer]) -> NDArray[np.int32]:
        """The same at some nodes (k,).

        Parameters:
            node: rows (k,) of nodes.
        """
        state, nth = expanded(*self.network.states.by_node, node)
        best = np.full(len(node), NO_LABEL)
        np.minimum.at(best, nth, self.label[state])
        return costs_of(best)

    def on_arcs(self, arc: NDArray[np.integer]) -> NDArray[np.int64]:
        """Label (a,) at the near end of arcs: on entering each when searching from places, on having left it when to them.

        Parameters:
            arc: numbers (k,) of arcs.
        """
        states = self.network.states
        if self.direction == "to":
            # Towards places, the arc that lies ahead of a link's end is the one the traveller has passed to come there.
            begun = states.begun[arc]
            return np.where(begun >= 0, self.label[np.maximum(begun, 0)], NO_LABEL)
        entries = self.network.entries
        arrivals = np.empty(len(arc), np.int64)
        least_on_entering(
            arc.astype(np.int64),
            entries.start,
            entries.tail,
            entries.delay_ms,
            self.measure == "time",
            self.label,
            arrivals,
        )
        return arrivals

    def at_ends(self, link: NDArray[np.integer]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Labels at the begin and at the end of links, for going on from there along them in the sense of the search.

        Parameters:
            link: rows (k,) of links.
        """
        side = 0 if self.direction == "from" else 1
        return self.on_arcs(2 * link + side), self.on_arcs(2 * link + 1 - side)


def costs_of(label: NDArray[np.int64]) -> NDArray[np.int32]:
    """Costs of labels, UNREACHED where there is none.

    Parameters:
        label: labels (n,).
    """
    return np.where(label == NO_LABEL, UNREACHED, np.minimum(label >> OWNER_BITS, int(UNREACHED))).astype(np.int32)


def owners_of(label: NDArray[np.int64]) -> NDArray[np.int32]:
    """Owners of labels, -1 where there is none.

    Parameters:
        label: labels (n,).
    """
    return np.where(label == NO_LABEL, -1, label & OWNER_MASK).astype(np.int32)


def terminals_of(
    network: Network, places: Snapped, measure: str, direction: str, head_start: NDArray[np.int32] | None = None
) -> Terminals:
    """Where a search `from` or `to` places begins, each with its `head_start` (k,) already spent.

    Parameters:
        network: the streets of a mode, at a time and with closures.
        places: places put on streets (k,).
        measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
        direction: `from` or `to`: trips leave the places or lead to them.
        head_start: what is spent already (k,) at each place, in ms or mm; nothing where None.
    """
    check_direction(direction)
    terminals = (leaving if direction == "from" else entering)(places, network, measure, accumulated_with(measure))
    return terminals if head_start is None else replace(terminals, cost=terminals.cost + head_start[terminals.owner])


def arrivals(
    network: Network,
    places: Snapped,
    measure: str,
    direction: str = "from",
    limit: int = int(NO_LIMIT),
    wanted: NDArray[np.uint8] = NO_NODES,
    with_path: bool = False,
    head_start: NDArray[np.int32] | None = None,
) -> Arrivals:
    """One to all (or all to one) from the nearest of the places; `limit` and `head_start` (k,) in ms or mm.

    What a trip costs at its ends is counted. Carried costs and entries are filled only `with_path`; else they come back empty.

    Parameters:
        network: the streets of a mode, at a time and with closures.
        places: places put on streets (k,).
        measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
        direction: `from` or `to`: trips leave the places or lead to them.
        limit: the highest cost that counts, in ms or mm.
        wanted: mask (s,) of the states that must be settled; empty for all.
        with_path: whether accumulated costs and entries are filled too.
        head_start: what is spent already (k,) at each place, in ms or mm; nothing where None.
    """
    accumulated = accumulated_with(measure)
    terminals = terminals_of(network, places, measure, direction, head_start)
    count = network.states.count
    label = np.full(count, NO_LABEL)
    path_size = count if with_path else 0
    summed, entry = np.zeros(path_size, np.int64), np.full(path_size, -1, np.int32)
    cost = terminals.cost + np.int32(network.terminal_time(measure))
    search(
        Steps(*network.search_rows(measure, accumulated, direction)),
        SourceStates(terminals.state, cost, terminals.accumulated, terminals.owner),
        np.int32(min(limit, int(NO_LIMIT))),
        wanted,
        SearchLabels(label, summed, entry),
        current_token(),
    )
    raise_if_cancelled()
    return Arrivals(network, measure, direction, label, summed, entry, head_start)


def matrix(
    network: Network,
    sources: Snapped,
    targets: Snapped,
    measure: str,
    limit: int = int(NO_LIMIT),
    threads: int | None = None,
    progress: Progress | None = None,
    carrying: bool = True,
    search_all: SearchAll | None = None,
) -> tuple[NDArray[np.int32], NDArray[np.int64]]:
    """Cost and accumulated cost from every source to every target (s, t); UNREACHED where there is no way.

    Carried costs are left out, and the second array empty, unless `carrying`. `search_all` searches between places that all have
    a street; by one plain search from each where it is left out.

    Parameters:
        network: the streets of a mode, at a time and with closures.
        sources: starts put on streets (s,).
        targets: ends put on streets (t,).
        measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
        limit: the highest cost that counts, in ms or mm.
        threads: how many threads; as many as there are cores where None.
        progress: is told how far the work is, and stops it.
        carrying: whether to sum up the accumulated cost as well.
        search_all: searches between places that all have a street; plain searches where None.
    """
    cost = np.full((len(sources.link), len(targets.link)), UNREACHED, np.int32)
    extra = np.zeros(cost.shape if carrying else (0, 0), np.int64)
    source_rows, target_rows = np.flatnonzero(sources.link >= 0), np.flatnonzero(targets.link >= 0)
    if len(source_rows) == 0 or len(target_rows) == 0:
        return cost, extra
    source, target = sources.take(source_rows), targets.take(target_rows)
    within = max(min(limit, int(NO_LIMIT)) - network.terminal_time(measure), -1)
    search_all = search_all or _searched
    rows = search_all(network, (source, target), measure, within, threads, progress or Progress())
    if len(source_rows) == len(sources.link) and len(target_rows) == len(targets.link):
        return rows[0], rows[1] if carrying else extra
    at = np.ix_(source_rows, target_rows)
    cost[at] = rows[0]
    if carrying:
        extra[at] = rows[1]
    return cost, extra


def _searched(
    network: Network,
    ends: tuple[Snapped, Snapped],
    measure: str,
    within: int,
    threads: int | None,
    progress: Progress,
) -> tuple[NDArray[np.int32], NDArray[np.int64]]:
    """Cost and accumulated cost (s, t) between places that all have a street, by one plain search from each."""
    accumulated = accumulated_with(measure)
    source, target = ends
    steps = Steps(*network.search_rows(measure, accumulated, "from"))
    goals = entering(target, network, measure, accumulated)
    targets = PlaceStates(goals.starts(len(target.link)), goals.state, goals.cost, goals.accumulated)
    cost = np.full((len(source.link), len(target.link)), UNREACHED, np.int32)
    extra = np.zeros(cost.shape, np.int64)

    def block(rows: NDArray[np.int64]) -> None:
        first = leaving(source.take(rows), network, measure, accumulated)
        sources = PlaceStates(first.starts(len(rows)), first.state, first.cost, first.accumulated)
        here = slice(rows[0], rows[-1] + 1)
        rows_to_targets(steps, sources, targets, within, cost[here], extra[here], token)

    count, token = len(source.link), current_token()
    size = max(1, count // 64)
    blocks = np.split(np.arange(count), np.arange(size, count, size))
    with threads_of(threads) as pool:
        for done, _ in enumerate(pool.map(block, blocks), 1):
            raise_if_cancelled()
            progress.step(done / len(blocks), f"{done * count // len(blocks)} of {count} starts")
    reached = cost != UNREACHED
    cost[reached] += network.terminal_time(measure)
    extra[reached] += network.terminal_time(accumulated)
    put_aside(network, measure, sorted_pairs(along_links(network, ends, measure)), within, cost, extra)
    return cost, extra


def best_leg(network: Network, places: Snapped, source: int, target: int, measure: str) -> StreetLeg | None:
    """The path of least cost from one place to another, or None where there is none.

    Parameters:
        network: the streets of a mode, at a time and with closures.
        places: places put on streets (k,).
        source: row of the place where it begins.
        target: row of the place where it ends.
        measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
    """
    accumulated = accumulated_with(measure)
    a, b = places.take(np.array([source])), places.take(np.array([target]))
    goals = entering(b, network, measure, accumulated)
    wanted = np.zeros(network.states.count, np.uint8)
    wanted[goals.state] = 1
    arrival = arrivals(network, a, measure, wanted=wanted, with_path=True)
    at_goal = costs_of(arrival.label[goals.state]).astype(np.int64) + goals.cost - network.terminal_time(measure)
    at_goal[arrival.label[goals.state] == NO_LABEL] = np.iinfo(np.int64).max
    direct = _direct(network, a, b, measure)
    best = int(np.argmin(at_goal)) if len(at_goal) else -1
    if best < 0 or at_goal[best] == np.iinfo(np.int64).max:
        return direct
    if direct is not None and direct.cost <= at_goal[best]:
        return direct
    state, steps, start = (
        int(goals.state[best]),
        network.states.steps,
        network.search_rows(measure, accumulated, "from")[0],
    )
    arcs, delays = [int(goals.arc[best])], last_delays(network, goals, np.array([best])).tolist()
    end_state = state
    while arrival.entry[state] >= 0:
        step = network.step_at(int(arrival.entry[state]))
        arcs.append(int(steps.arc[step]))
        delays.append(int(network.step_delay[step]))
        state = int(np.searchsorted(start, arrival.entry[state], side="right")) - 1
    terminals = leaving(a, network, measure, accumulated)
    used = _used(terminals, state)
    arcs.append(int(terminals.arc[used]))
    delays.append(0)
    first, last = a.access_points.take(terminals.access_row[[used]]), b.access_points.take(goals.access_row[[best]])
    return leg_over(
        network.mode.id, np.array(arcs[::-1], np.int32), np.array(delays[::-1], np.int32),
        (float(first.fraction[0]), float(last.fraction[0])),
        int(at_goal[best]), int(arrival.accumulated[end_state] + goals.accumulated[best]), (float(first.access_share[0]),
        float(last.access_share[0])),
    )  # fmt: skip


def _direct(network: Network, a: Snapped, b: Snapped, measure: str) -> StreetLeg | None:
    """The way along one link without leaving it."""
    i, j = alike(a.access_points.link, b.access_points.link)
    first, last = a.access_points.take(i), b.access_points.take(j)
    arc, cost, accumulated = along_link(network, (first, last), measure)
    if len(arc) == 0 or cost.min() == UNREACHED:
        return None
    best = int(np.argmin(cost))
    one, nothing = arc[best : best + 1].astype(np.int32), np.zeros(1, np.int32)
    return StreetLeg(
        network.mode.id, one >> 1, (one & 1) == 0, nothing,
        float(first.fraction[best]), float(last.fraction[best]), int(cost[best]),
        int(accumulated[best]), access_share=(float(first.access_share[best]), float(last.access_share[best])),
    )  # fmt: skip


def _used(terminals: Terminals, state: int) -> int:
    """The cheapest seed at a state: the one from which the way goes on."""
    rows = np.flatnonzero(terminals.state == state)
    return int(rows[np.argmin(terminals.cost[rows])])
