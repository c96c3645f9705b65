"""Where places stand on streets: on the nearest one and, where that is one-way, on those beside it as well.

Who lives on a one-way street may turn out into a street behind or beside the house. The way to a street beside, as far as it is
longer than that to the nearest, counts as if it were a piece of that street.
"""

from __future__ import annotations

from dataclasses import dataclass, fields
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from awl.core.graph.street_graph import StreetGraph
from awl.core.network.costs import BLOCKED, MILLI, MOST_COST
from awl.core.network.network import Network
from awl.core.routing.dijkstra.search import UNREACHED
from awl.core.routing.path import accumulated_with

Row = TypeVar("Row", bound=np.integer[Any])
LONGEST_WAY = int(MOST_COST * MILLI) // 10
"""Cost above which an access point is not used: sums stay below 2^31."""
NO_STAND = -1
"""Cost of the way to an access point that cannot be used."""


@dataclass(frozen=True)
class AccessPoints:
    """Points (q,) on links, ordered by the row of the `place` that stands there, its nearest one first.

    `access_share` is the extra distance to this point compared with the nearest one, as a share of the length of its link. A
    point with an `access_share` above 0 lies between the ends of its link.
    """

    place: NDArray[np.int32]
    link: NDArray[np.int32]
    fraction: NDArray[np.float64]
    access_share: NDArray[np.float64]

    @classmethod
    def none(cls) -> AccessPoints:
        """No access points."""
        return cls(np.zeros(0, np.int32), np.zeros(0, np.int32), np.zeros(0), np.zeros(0))

    @classmethod
    def of(cls, link: NDArray[np.int32], fraction: NDArray[np.float64], alternatives: AccessPoints) -> AccessPoints:
        """Those of places (k,) on their nearest links, -1 for none, together with those `alternatives`.

        Parameters:
            link: rows (k,) of links.
            fraction: fractions (k,) of the length of each link, from its begin.
            alternatives: further access points of the same places.
        """
        rows = np.flatnonzero(link >= 0).astype(np.int32)
        nearest = cls(rows, link[rows], fraction[rows], np.zeros(len(rows)))
        return cls.joined([nearest, alternatives])._ordered() if len(alternatives.place) else nearest

    @classmethod
    def joined(cls, parts: list[AccessPoints]) -> AccessPoints:
        """Several, one after another, of the same places.

        Parameters:
            parts: access points of the same places.
        """
        return cls(*(np.concatenate([getattr(part, item.name) for part in parts]) for item in fields(cls)))

    @property
    def at_node(self) -> NDArray[np.bool_]:
        """Which access points (q,) are at a node; it does not matter then which of its streets they are on."""
        return (self.fraction == 0.0) | (self.fraction == 1.0)

    def nodes(self, graph: StreetGraph) -> NDArray[np.int32]:
        """The node (q,) each access point is at; for one between nodes, that at the end of its link.

        Parameters:
            graph: the street graph.
        """
        node: NDArray[np.int32] = np.where(self.fraction == 0.0, graph.link_from[self.link], graph.link_to[self.link])
        return node

    def _ordered(self) -> AccessPoints:
        return self.take(np.argsort(self.place, kind="stable"))

    def take(self, rows: NDArray[np.integer] | NDArray[np.bool_]) -> AccessPoints:
        """Some of the access points.

        Parameters:
            rows: which rows: numbers (k,) or a mask.
        """
        return AccessPoints(self.place[rows], self.link[rows], self.fraction[rows], self.access_share[rows])

    def of_places(self, rows: NDArray[np.integer] | NDArray[np.bool_]) -> AccessPoints:
        """The access points of some of the places, which are numbered anew.

        Parameters:
            rows: which rows: numbers (k,) or a mask.
        """
        if len(self.place) == 0:
            return self
        rows = np.flatnonzero(rows) if rows.dtype == bool else rows
        begin, end = np.searchsorted(self.place, rows), np.searchsorted(self.place, rows, side="right")
        counts = end - begin
        place = np.repeat(np.arange(len(rows), dtype=np.int32), counts)
        row = np.arange(len(place)) - np.repeat(np.cumsum(counts) - counts - begin, counts)
        return AccessPoints(place, self.link[row], self.fraction[row], self.access_share[row])

    def moved(self, by: int) -> AccessPoints:
        """The same of places whose rows are so much higher.

        Parameters:
            by: how much higher the rows of the places are.
        """
        return AccessPoints(self.place + np.int32(by), self.link, self.fraction, self.access_share)

    def access_costs(self, network: Network, measure: str) -> NDArray[np.int64]:
        """Cost (q,) of the way to each, at the lower cost of its link; `NO_STAND` where that is barred or costs too much.

        Parameters:
            network: the streets of a mode, at a time and with closures.
            measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
        """
        costs = network.arc_costs(measure)
        if not self.access_share.any():
            return np.zeros(len(self.link), np.int64)
        pair = np.stack([costs[2 * self.link], costs[2 * self.link + 1]]).astype(np.int64)
        least = np.where(pair == BLOCKED, np.iinfo(np.int64).max, pair).min(axis=0)
        open_ = (pair != BLOCKED).any(axis=0)
        way = np.rint(self.access_share * np.where(open_, least, 0)).astype(np.int64)
        usable = (self.access_share == 0.0) | (open_ & (way <= LONGEST_WAY))
        return np.where(usable, way, NO_STAND)


def along_link(
    network: Network, ends: tuple[AccessPoints, AccessPoints], measure: str
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]:
    """Arc, cost and accumulated cost (q,) of trips between two access points on one link without leaving it.

    Costs are UNREACHED where that is barred, and where the first is at a node: searches find trips from there.

    Parameters:
        network: the streets of a mode, at a time and with closures.
        ends: access points (q,) where trips begin and where they end, on the same links.
        measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
    """
    first, last = ends
    f, g = first.fraction, last.fraction
    arc = 2 * first.link.astype(np.int64) + (g < f)
    costs, further = network.arc_costs(measure)[arc], network.arc_costs(accumulated_with(measure))[arc]
    share = np.abs(g - f)
    ways = [access_points.access_costs(network, measure) for access_points in ends]
    more = [np.maximum(access_points.access_costs(network, accumulated_with(measure)), 0) for access_points in ends]
    usable = np.where(f == g, True, (costs != BLOCKED) & ~first.at_node) & (ways[0] != NO_STAND) & (ways[1] != NO_STAND)
    cost = np.rint(share * np.maximum(costs, 0)).astype(np.int64) + ways[0] + ways[1]
    accumulated = np.rint(share * np.maximum(further, 0)).astype(np.int64) + more[0] + more[1]
    return arc, np.where(usable, cost, int(UNREACHED)), accumulated


def expanded(
    start: NDArray[np.int64], rows: NDArray[Row], keys: NDArray[np.integer]
) -> tuple[NDArray[Row], NDArray[np.int64]]:
    """All rows of each key, and the number of the key that each belongs to.

    Parameters:
        start: offsets (n + 1,) at which the rows of each key begin.
        rows: rows by key.
        keys: the keys (k,).
    """
    counts = start[keys + 1] - start[keys]
    nth = np.repeat(np.arange(len(keys)), counts)
    at = np.arange(len(nth)) - np.repeat(np.cumsum(counts) - counts, counts)
    return rows[start[keys][nth] + at], nth
