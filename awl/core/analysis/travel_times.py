"""Times between homes and places, kept for those pairs alone that lie within a limit.

A city has few places and everything may be within reach of each; a region has hundreds, each within reach of few homes. Pairs
hold both without a table of all homes by all places.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.population_points import PopulationPoints, minutes_to_place
from awl.core.graph.street_graph import StreetGraph
from awl.core.progress import threads_of
from awl.core.routing.access_points import expanded
from awl.core.routing.dijkstra.plain import Arrivals
from awl.core.routing.dijkstra.search import NO_LABEL, UNREACHED
from awl.core.routing.router import Router
from awl.core.routing.snapping import Snapped
from awl.core.transit.router import TransitRouter
from awl.core.transit.stops_on_streets import Near

Floats = NDArray[np.float64]
Longs = NDArray[np.int64]
TIME_BITS, PER_MINUTE = 33, 2.0**20
"""Minutes as whole numbers of 33 bits: a ten-thousandth of a second counts, and five days are the most."""
PLACES_AT_ONCE = 32
"""By public transport so many places are looked at together."""
WIDE = 0.3
"""Share of the states from which on all homes are looked at: finding out which is no quicker."""


@dataclass(frozen=True)
class Times:
    """Pairs (q,) of a home and a place with the `minutes` between them, ordered by place.

    `population_points` and `places` are how many there are in all.
    """

    home: Longs
    place: Longs
    minutes: Floats
    population_points: int
    places: int

    @classmethod
    def of_table(cls, table: Floats) -> Times:
        """From a table (homes, places), infinity where there is no way.

        Parameters:
            table: minutes (homes, places).
        """
        place, home = np.nonzero(np.isfinite(table.T))
        return cls(home, place, table[home, place], *table.shape)

    def within(self, limit: float) -> Times:
        """The pairs within a limit in minutes.

        Parameters:
            limit: the limit in minutes.
        """
        near = self.minutes <= limit
        return Times(self.home[near], self.place[near], self.minutes[near], self.population_points, self.places)

    def of_places(self, wanted: NDArray[np.bool_]) -> Times:
        """The pairs of some of the places (k,).

        Parameters:
            wanted: mask (k,) of the places.
        """
        selected = wanted[self.place]
        return Times(
            self.home[selected], self.place[selected], self.minutes[selected], self.population_points, self.places
        )

    def per_home(self, value: Floats) -> Floats:
        """Values (q,) of pairs, summed for each home (p,).

        Parameters:
            value: values (q,) of the pairs.
        """
        summed: Floats = np.bincount(self.home, value, self.population_points).astype(np.float64)
        return summed

    def per_place(self, value: Floats) -> Floats:
        """Values (q,) of pairs, summed for each place (k,).

        Parameters:
            value: values (q,) of the pairs.
        """
        summed: Floats = np.bincount(self.place, value, self.places).astype(np.float64)
        return summed

    @cached_property
    def nth(self) -> Longs:
        """Which nearest place of its home each pair is, from 0."""
        # Home and time in one number sort faster than two; pairs are in the order of places, and stay so between equals.
        sort_key = (self.home << TIME_BITS) + np.minimum(self.minutes * PER_MINUTE, 2**TIME_BITS - 1).astype(np.int64)
        order = np.argsort(sort_key, kind="stable")
        counts = np.bincount(self.home, minlength=self.population_points)
        ranks = np.empty(len(order), np.int64)
        ranks[order] = np.arange(len(order)) - np.repeat(np.cumsum(counts) - counts, counts)
        return ranks


def times_between(
    router: Router | TransitRouter,
    places: Snapped,
    population_points: PopulationPoints,
    direction: str,
    limit: int,
    threads: int | None = None,
    report: Callable[[int], None] | None = None,
    near_homes: Near | None = None,
) -> Times:
    """Minutes between homes and places within `limit` ms; `direction` is that of trips as seen from the places.

    Runs one search per place; homes on streets that the search did not reach are skipped. Calls `report` with the number of
    places done.

    Parameters:
        router: what finds shortest paths.
        places: places put on streets (k,).
        population_points: the homes.
        direction: `from` or `to`: trips leave the places or lead to them.
        limit: the limit in ms.
        threads: how many threads; as many as there are cores where None.
        report: called with the number of places done.
        near_homes: by public transport, the stops near the homes where they are known.
    """
    if isinstance(router, TransitRouter):
        return _by_transit(router, places, population_points, direction, limit, report, near_homes)
    access_points, network = population_points.access_points, router.network
    order = np.argsort(access_points.link, kind="stable")
    by_link = np.searchsorted(access_points.link[order], np.arange(network.graph.link_count + 1))
    home = access_points.place[order].astype(np.int64)
    at_nodes = _links_at_nodes(network.graph)

    def of_place(row: int) -> tuple[Longs, Floats]:
        place = places.take(np.array([row]))
        arrivals = router.arrivals(place, "time", direction, limit)
        rows = _homes_near(arrivals, place, at_nodes, by_link, home)
        near = population_points if rows is None else population_points.take(rows)
        minutes = minutes_to_place(near, network, place, arrivals)
        within = np.flatnonzero(minutes * 60_000 <= limit)
        return (within if rows is None else rows[within]), minutes[within]

    rows = np.flatnonzero(places.is_snapped)
    parts = []
    with threads_of(threads) as pool:
        for part in pool.map(of_place, rows.tolist()):
            parts.append(part)
            if report is not None:
                report(len(parts))
    count = [len(home) for home, _ in parts]
    none = np.zeros(0)
    return Times(
        np.concatenate([none.astype(np.int64), *(home for home, _ in parts)]),
        np.repeat(rows, count),
        np.concatenate([none, *(minutes for _, minutes in parts)]),
        len(population_points.zone),
        len(places.link),
    )


def _by_transit(
    router: TransitRouter,
    places: Snapped,
    population_points: PopulationPoints,
    direction: str,
    limit: int,
    report: Callable[[int], None] | None,
    near_homes: Near | None,
) -> Times:
    """The same by public transport: at each home all departures count, and the time that a share of them keeps."""
    homes = population_points.as_places
    near = near_homes or router.near_others(homes, direction)
    rows, parts = np.flatnonzero(places.is_snapped), []
    for begin in range(0, len(rows), PLACES_AT_ONCE):
        some = places.take(rows[begin : begin + PLACES_AT_ONCE])
        cost = router.between(some, homes, "time", direction, limit, near_others=near)
        for of_place in cost:
            home = np.flatnonzero((of_place != UNREACHED) & (of_place <= limit))
            parts.append((home, of_place[home] / 60_000))
        if report is not None:
            report(len(parts))
    none = np.zeros(0)
    return Times(
        np.concatenate([none.astype(np.int64), *(home for home, _ in parts)]),
        np.repeat(rows, [len(home) for home, _ in parts]),
        np.concatenate([none, *(minutes for _, minutes in parts)]),
        len(population_points.zone),
        len(places.link),
    )


def _links_at_nodes(graph: StreetGraph) -> tuple[Longs, NDArray[np.int64]]:
    """Links in the order of their nodes, each at both: offsets by node, and links."""
    node = np.concatenate([graph.link_from, graph.link_to])
    order = np.argsort(node, kind="stable")
    return np.searchsorted(node[order], np.arange(graph.node_count + 1)), order % graph.link_count


def _homes_near(
    arrivals: Arrivals, place: Snapped, at_nodes: tuple[Longs, NDArray[np.int64]], by_link: Longs, home: Longs
) -> Longs | None:
    """Rows of the homes on links that a search came to, or None for all of them."""
    reached = np.flatnonzero(arrivals.label != NO_LABEL)
    if len(reached) > WIDE * len(arrivals.label):
        return None
    link, _ = expanded(*at_nodes, np.unique(arrivals.network.states.node[reached]))
    link = np.unique(np.concatenate([link, place.access_points.link]))
    return np.unique(expanded(by_link, home, link)[0])
