"""Searches between places: one to all, many to many, and the path of one trip."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from awl.core.engine.dijkstra import NO_LABEL, NO_LIMIT, OWNER_BITS, OWNER_MASK, UNREACHED, rows_to_targets, search
from awl.core.engine.places import Snapped, seeds_of
from awl.core.modes.network import BLOCKED, Network
from awl.core.progress import Progress

NO_NODES = np.zeros(0, np.uint8)


def carried_with(measure: str) -> str:
    """The cost that is carried along when one is minimised."""
    return "time" if measure == "distance" else "distance"


@dataclass(frozen=True)
class Arrivals:
    """Result of a search over all nodes (n,): arrival in ms or mm (UNREACHED where none), carried cost, owner, entry.

    `owner` is the row of the place a node belongs to; `entry` the CSR row of the arc by which it was reached.
    """

    cost: NDArray[np.int32]
    carried: NDArray[np.int64]
    owner: NDArray[np.int32]
    entry: NDArray[np.int32]


def arrivals(
    network: Network,
    places: Snapped,
    measure: str,
    direction: str = "from",
    limit: int = int(NO_LIMIT),
    wanted: NDArray[np.uint8] = NO_NODES,
    with_path: bool = False,
) -> Arrivals:
    """One to all (or all to one) from the nearest of the places; `limit` in ms or mm.

    Carried costs and entries are filled only `with_path`; otherwise they come back empty.
    """
    costs = network.link_costs(measure, direction)
    carried = network.link_costs(carried_with(measure), direction)
    seeds = seeds_of(places, network, costs, carried)
    n = network.graph.node_count
    label = np.full(n, NO_LABEL)
    kept = n if with_path else 0
    summed, entry = np.zeros(kept, np.int64), np.full(kept, -1, np.int32)
    search(
        *network.arc_weights(measure, carried_with(measure), direction),
        seeds.node,
        seeds.cost,
        seeds.carried,
        seeds.owner,
        np.int32(min(limit, int(NO_LIMIT))),
        wanted,
        label,
        summed,
        entry,
    )
    reached = label != NO_LABEL
    cost = np.where(reached, label >> OWNER_BITS, UNREACHED).astype(np.int32)
    owner = np.where(reached, label & OWNER_MASK, -1).astype(np.int32)
    return Arrivals(cost, summed, owner, entry)


def matrix(
    network: Network,
    sources: Snapped,
    targets: Snapped,
    measure: str,
    limit: int = int(NO_LIMIT),
    threads: int = 2,
    progress: Progress | None = None,
) -> tuple[NDArray[np.int32], NDArray[np.int64]]:
    """Cost and carried cost from every source to every target (s, t); UNREACHED where there is no way."""
    costs, carried = network.link_costs(measure, "from"), network.link_costs(carried_with(measure), "from")
    weights = network.arc_weights(measure, carried_with(measure), "from")
    cost = np.full((len(sources.link), len(targets.link)), UNREACHED, np.int32)
    extra = np.zeros(cost.shape, np.int64)
    source_rows, target_rows = np.flatnonzero(sources.link >= 0), np.flatnonzero(targets.link >= 0)
    if len(source_rows) == 0 or len(target_rows) == 0:
        return cost, extra
    graph = network.graph
    target = targets.take(target_rows)

    def block(rows: NDArray[np.int64]) -> None:
        part = sources.take(rows)
        seeds = seeds_of(part, network, costs, carried)
        start = np.searchsorted(seeds.owner, np.arange(len(rows) + 1))
        found = np.full((len(rows), len(target_rows)), UNREACHED, np.int32)
        found_extra = np.zeros(found.shape, np.int64)
        rows_to_targets(
            *weights,
            start,
            seeds.node,
            seeds.cost,
            seeds.carried,
            part.link,
            part.fraction,
            target.link,
            target.fraction,
            graph.link_from,
            graph.link_to,
            costs.up,
            costs.down,
            carried.up,
            carried.down,
            np.int32(min(limit, int(NO_LIMIT))),
            found,
            found_extra,
        )
        cost[np.ix_(rows, target_rows)] = found
        extra[np.ix_(rows, target_rows)] = found_extra

    progress = progress or Progress()
    blocks = np.array_split(source_rows, max(1, min(len(source_rows), 64)))
    with ThreadPoolExecutor(threads) as pool:
        for done, _ in enumerate(pool.map(block, blocks), 1):
            progress.step(done / len(blocks), f"{done * len(source_rows) // len(blocks)} of {len(source_rows)} starts")
    return cost, extra


@dataclass(frozen=True)
class Leg:
    """The best way between two places.

    `links` in travel order, `along` True where a link is passed in its drawn direction; `start` and `end` are the
    fractions of the first and last link at which the trip begins and ends. Cost in ms or mm, carried likewise.
    """

    links: NDArray[np.int32]
    along: NDArray[np.bool_]
    start: float
    end: float
    cost: int
    carried: int


def best_leg(network: Network, places: Snapped, source: int, target: int, measure: str) -> Leg | None:
    """The path of least cost from one place to another, or None where there is none."""
    graph = network.graph
    costs, carried = network.link_costs(measure, "from"), network.link_costs(carried_with(measure), "from")
    a, b = places.take(np.array([source])), places.take(np.array([target]))
    link, g, f = int(b.link[0]), float(b.fraction[0]), float(a.fraction[0])
    wanted = np.zeros(graph.node_count, np.uint8)
    wanted[[graph.link_from[link], graph.link_to[link]]] = 1
    found = arrivals(network, a, measure, wanted=wanted, with_path=True)
    options: list[tuple[int, int, int]] = []  # cost, carried, how the target link is entered
    for node, share, column, how in (
        (int(graph.link_from[link]), g, 0, 1),
        (int(graph.link_to[link]), 1 - g, 1, 2),
    ):
        whole = (costs.up, costs.down)[column][link]
        if (whole != BLOCKED or share == 0) and found.cost[node] != UNREACHED:
            extra = (carried.up, carried.down)[column][link]
            options.append(
                (int(found.cost[node]) + round(share * whole), int(found.carried[node]) + round(share * extra), how)
            )
    if int(a.link[0]) == link:
        along = g >= f
        whole = (costs.up if along else costs.down)[link]
        if whole != BLOCKED:
            extra = (carried.up if along else carried.down)[link]
            options.append((round(abs(g - f) * whole), round(abs(g - f) * extra), 0))
    if not options:
        return None
    cost, extra_cost, how = min(options)
    if how == 0:
        return Leg(np.array([link], np.int32), np.array([g >= f]), f, g, cost, extra_cost)
    node = int(graph.link_from[link] if how == 1 else graph.link_to[link])
    arcs = network.out_arcs
    trail: list[int] = []
    while found.entry[node] >= 0:
        arc = int(arcs.arc[found.entry[node]])
        trail.append(arc)
        node = int(graph.link_to[arc >> 1] if arc & 1 else graph.link_from[arc >> 1])
    first = int(a.link[0])
    # The seed that was used ends at `node`; on a link that starts and ends there, the cheaper way round was taken.
    leaves_along = node == int(graph.link_to[first]) and (costs.up[first] != BLOCKED or f == 1)
    if leaves_along and node == int(graph.link_from[first]) and (costs.down[first] != BLOCKED or f == 0):
        leaves_along = (1 - f) * max(costs.up[first], 0) <= f * max(costs.down[first], 0)
    links = [first, *(arc >> 1 for arc in reversed(trail)), link]
    along_list = [bool(leaves_along), *(not arc & 1 for arc in reversed(trail)), how == 1]
    return Leg(np.array(links, np.int32), np.array(along_list), f, g, cost, extra_cost)
