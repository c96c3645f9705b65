"""How far times at the speeds of one hour are from times by the clock, on a few trips: what an answer owes its reader."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from awl.core.network.network import Network
from awl.core.routing.dijkstra.plain import Arrivals
from awl.core.routing.dijkstra.search import OWNER_BITS, OWNER_MASK, UNREACHED
from awl.core.routing.dijkstra.time_dependent import curves_on
from awl.core.routing.router import StreetRouter
from awl.core.routing.snapping import ON_STREET, Snapped

SHORTEST_MS = 60_000
"""Shorter trips say nothing of how speeds change on the way."""


def changes_over_the_day(network: Network) -> bool:
    """Whether speeds of a network at an hour change on the day of that hour.

    Parameters:
        network: the streets of a mode, at a time and with closures.
    """
    return network.when is not None and len(curves_on(network)[0]) > 1


def off_by_the_clock(router: StreetRouter, sources: Snapped, targets: Snapped, depart_ms: float) -> NDArray[np.float64]:
    """For trips (k,) that set out at `depart_ms` since midnight: time at frozen speeds over time by the clock, less one.

    NaN for trips without a way and for very short ones.

    Parameters:
        router: what finds shortest paths.
        sources: starts put on streets (s,).
        targets: ends put on streets (t,).
        depart_ms: time of departure, in ms since midnight.
    """
    relative_error = np.full(len(sources.link), np.nan)
    for i in range(len(relative_error)):
        pair = Snapped.joined([sources.take(np.array([i])), targets.take(np.array([i]))])
        frozen = router.path(pair, 0, 1, "time")
        exact = router.departing(depart_ms).path(pair, 0, 1, "time") if frozen is not None else None
        if frozen is not None and exact is not None and exact.cost >= SHORTEST_MS:
            relative_error[i] = frozen.cost / exact.cost - 1.0
    return relative_error


def some_reached(arrivals: Arrivals, limit: int, count: int) -> tuple[Snapped, NDArray[np.int64]]:
    """At most `count` points within a limit, each at the end of a link, and the row of the place each belongs to.

    They are spread evenly over the later half of the arrivals, since it is there that frozen speeds go wrong.

    Parameters:
        arrivals: what a search found.
        limit: the highest cost that counts.
        count: how many points.
    """
    network = arrivals.network
    cost = arrivals.label >> OWNER_BITS
    within = np.flatnonzero(cost <= min(limit, int(UNREACHED) - 1))
    by_cost = within[np.argsort(cost[within], kind="stable")]
    picked = (
        by_cost[np.unique(np.linspace(len(by_cost) // 2, len(by_cost) - 1, count).astype(int))]
        if len(by_cost)
        else by_cost
    )
    owner = (arrivals.label[picked] & OWNER_MASK).astype(np.int64)
    # Any usable link that ends or begins at the node stands for it.
    graph, node = network.graph, network.states.node[picked]
    usable = np.flatnonzero(network.usable).astype(np.int32)
    order = usable[np.argsort(graph.link_to[usable], kind="stable")]
    at = np.searchsorted(graph.link_to[order], node)
    there = at < len(order)
    there[there] = graph.link_to[order[at[there]]] == node[there]
    link = order[at[there]]
    ones = np.ones(len(link))
    end = graph.link_to[link]
    sample = Snapped(
        link,
        ones,
        np.zeros(len(link)),
        np.full(len(link), ON_STREET, np.int8),
        graph.node_lon[end],
        graph.node_lat[end],
    )
    return sample, owner[there]
