"""PopulationPoints: points on streets that stand for the people of zones, and how long it takes from them.

Where in a zone people live is an assumption, so it is a word of the question: evenly along its streets, over its area, in its
buildings, or as a population grid says.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.analysis.zones import ZoneStreets, sampled_points
from awl.core.geodesy import LocalPlane
from awl.core.network.costs import BLOCKED
from awl.core.network.network import Network
from awl.core.routing.access_points import NO_STAND, AccessPoints
from awl.core.routing.dijkstra.plain import Arrivals, costs_of
from awl.core.routing.dijkstra.search import UNREACHED
from awl.core.routing.reach import Reach
from awl.core.routing.snapping import ON_STREET, TOO_FAR, Snapped, Snapper

SPACING_M = 40.0
"""Points of an area stand on a square grid this fine, finer in small zones."""
LEAST_POINTS = 16


@dataclass(frozen=True)
class PopulationPoints:
    """Points (p,) on streets, ordered by zone: `share` is that of the people of their `zone`; link -1 where none is near.

    `x`, `y` is where the point itself lies, in metres of the plane; `off_m` how far from its street. `alternatives` are the
    points on further streets at which trips of a home may begin and end as well.
    """

    zone: NDArray[np.int64]
    share: NDArray[np.float64]
    link: NDArray[np.int32]
    fraction: NDArray[np.float64]
    x: NDArray[np.float64]
    y: NDArray[np.float64]
    off_m: NDArray[np.float64]
    zones: int
    alternatives: AccessPoints = field(default_factory=AccessPoints.none)

    @cached_property
    def access_points(self) -> AccessPoints:
        """All points at which trips from or to the homes may begin or end."""
        return AccessPoints.of(self.link, self.fraction, self.alternatives)

    @property
    def as_places(self) -> Snapped:
        """The same as places on streets; where on the ground each stands is not said."""
        status = np.where(self.link >= 0, ON_STREET, TOO_FAR).astype(np.int8)
        nowhere = np.full(len(self.link), np.nan)
        return Snapped(self.link, self.fraction, self.off_m, status, nowhere, nowhere, self.alternatives)

    def take(self, rows: NDArray[np.integer]) -> PopulationPoints:
        """Some of the homes.

        Parameters:
            rows: which rows: numbers (k,).
        """
        return PopulationPoints(
            self.zone[rows], self.share[rows], self.link[rows], self.fraction[rows], self.x[rows], self.y[rows],
            self.off_m[rows], self.zones, self.alternatives.of_places(rows),
        )  # fmt: skip

    @property
    def placed_share(self) -> NDArray[np.float64]:
        """Share (z,) of each zone's people that have a home on a street."""
        return self.per_zone((self.link >= 0).astype(np.float64))

    def minutes(self, reach: Reach) -> NDArray[np.float64]:
        """Arrival (p,) in minutes at each home; infinity where it is not reached or stands on no street.

        Parameters:
            reach: arrivals along all links.
        """
        return self.least(self.arrivals(reach)[1]) / 60_000

    def arrivals(self, reach: Reach) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
        """Piece of the reach, and arrival (q,) in ms, of each stand of the homes.

        Parameters:
            reach: arrivals along all links.
        """
        access_points = self.access_points
        key = reach.link + np.minimum(reach.begin, 1.0 - 1e-12)
        at = np.searchsorted(key, access_points.link + np.minimum(access_points.fraction, 1 - 1e-9), side="right") - 1
        row = np.maximum(at, 0)
        known = (at >= 0) & (reach.link[row] == access_points.link)
        arrival = reach.at(row, access_points.fraction)
        if len(self.alternatives.place):
            aside = access_points.access_share > 0.0
            arrival[aside] += np.rint(access_points.access_share[aside] * np.minimum(reach.up, reach.down)[row[aside]])
        return row, np.where(known, arrival, np.inf)

    def least(self, value: NDArray[np.float64]) -> NDArray[np.float64]:
        """The least (p,) of the values (q,) of the access points of each home, infinity where it has none.

        Parameters:
            value: values (q,) at the access points.
        """
        minutes = np.full(len(self.link), np.inf)
        if len(self.alternatives.place) == 0:
            minutes[self.access_points.place] = value
        else:
            np.minimum.at(minutes, self.access_points.place, value)
        return minutes

    def per_zone(self, value: NDArray[np.float64]) -> NDArray[np.float64]:
        """Mean (z,) of a value over the people of each zone.

        Parameters:
            value: values (p,) at the homes.
        """
        summed: NDArray[np.float64] = np.bincount(self.zone, self.share * value, self.zones).astype(np.float64)
        return summed


def minutes_to_place(
    population_points: PopulationPoints, network: Network, place: Snapped, arrivals: Arrivals
) -> NDArray[np.float64]:
    """Minutes (p,) between each home and one place, from a search from or to it alone; infinity where there is no way.

    The same as by way of a reach, without cutting all streets into pieces.

    Parameters:
        population_points: the homes.
        network: the streets of a mode, at a time and with closures.
        place: the place, put on streets.
        arrivals: what a search found.
    """
    access_points, costs = population_points.access_points, network.link_costs(arrivals.measure, arrivals.direction)
    link, fraction = access_points.link, access_points.fraction
    arrival = np.full(len(link), np.inf)
    for label, share, cost in zip(
        arrivals.at_ends(link), (fraction, 1.0 - fraction), (costs.up[link], costs.down[link]), strict=True
    ):
        at = costs_of(label)
        open_ = (at != UNREACHED) & ((cost != BLOCKED) | (share == 0))
        arrival = np.where(open_, np.minimum(arrival, at + np.where(share > 0, share * cost, 0.0)), arrival)
    # On a link the place stands on between its nodes the way need not pass either of them.
    at_once = place.access_points.access_costs(network, arrivals.measure) + network.terminal_time(arrivals.measure)
    for row in np.flatnonzero(
        (at_once >= network.terminal_time(arrivals.measure)) & ~place.access_points.at_node
    ).tolist():
        ahead = fraction - place.access_points.fraction[row]
        cost = np.where(ahead >= 0, costs.up[link], costs.down[link])
        along = (link == place.access_points.link[row]) & ((cost != BLOCKED) | (ahead == 0))
        own = np.where(along, at_once[row] + np.abs(ahead) * np.maximum(cost, 0), np.inf)
        arrival = np.minimum(arrival, own)
    # Who is at a node does not begin on a link.
    at_node = np.flatnonzero(access_points.at_node)
    node_cost = arrivals.at_nodes(access_points.take(at_node).nodes(network.graph))
    arrival[at_node] = np.where(node_cost == UNREACHED, np.inf, node_cost)
    way = access_points.access_costs(network, arrivals.measure)
    return population_points.least(np.where(way == NO_STAND, np.inf, arrival + way)) / 60_000


class PopulationReach:
    """The people of homes against one reach: what `ZoneReach` says of streets, for points."""

    def __init__(self, population_points: PopulationPoints, reach: Reach) -> None:
        self._homes, self._reach = population_points, reach
        self._minutes = population_points.minutes(reach)

    def near(self, limit: float) -> PopulationReach:
        """The same for limits up to `limit`.

        Parameters:
            limit: the limit, in the unit of the arrivals.
        """
        return self

    def share_within(self, limit: float) -> NDArray[np.float64]:
        """Share (z,) of each zone's people within `limit` ms; NaN for a zone without a home on a street.

        Parameters:
            limit: the limit, in the unit of the arrivals.
        """
        share = self._homes.per_zone((self._minutes * 60_000 <= limit).astype(np.float64))
        return np.where(self._homes.placed_share > 0, share, np.nan)

    def mean_arrival(self) -> NDArray[np.float64]:
        """Mean arrival (z,) in ms over the people that are reached at all."""
        known = np.isfinite(self._minutes)
        heads = self._homes.per_zone(known.astype(np.float64))
        total = self._homes.per_zone(np.where(known, self._minutes, 0.0)) * 60_000
        return np.divide(total, heads, out=np.full(self._homes.zones, np.nan), where=heads > 0)

    def nearest_owner(self, places: int) -> NDArray[np.int32]:
        """The place (z,) that is nearest for most of each zone's people; -1 where none is reached.

        Parameters:
            places: how many places there are.
        """
        population_points, reach, access_points = self._homes, self._reach, self._homes.access_points
        row, arrival = population_points.arrivals(reach)
        behind = access_points.fraction > reach.meeting()[row]
        of_stand = np.where(behind, reach.owner_end[row], reach.owner_begin[row])
        best = np.flatnonzero(arrival <= population_points.least(arrival)[access_points.place])[
            ::-1
        ]  # the first of several counts
        owner = np.full(len(population_points.link), -1)
        owner[access_points.place[best]] = of_stand[best]
        known = np.isfinite(self._minutes) & (owner >= 0)
        flat = population_points.zone[known] * places + owner[known]
        share = np.bincount(
            flat, weights=population_points.share[known], minlength=population_points.zones * places
        ).reshape(-1, places)
        return np.where(share.max(axis=1, initial=0.0) > 0, share.argmax(axis=1), -1).astype(np.int32)


def straight_share_of_homes(
    population_points: PopulationPoints, x: NDArray[np.float64], y: NDArray[np.float64], radius_m: float
) -> NDArray[np.float64]:
    """Share (z,) of each zone's people whose home lies within a straight-line `radius_m` of the places at (x, y).

    Parameters:
        population_points: the homes.
        x: metres (k,) to the east in the plane.
        y: metres (k,) to the north in the plane.
        radius_m: the radius, in metres.
    """
    near = shapely.STRtree(shapely.points(x, y)).query_nearest(
        shapely.points(population_points.x, population_points.y), max_distance=radius_m, all_matches=False
    )[0]
    inside = np.zeros(len(population_points.zone))
    inside[near] = 1.0
    return population_points.per_zone(np.where(population_points.link >= 0, inside, 0.0))


def homes_on_streets(streets: ZoneStreets, step_m: float = 20.0) -> PopulationPoints:
    """Points every `step_m` along the residential frontage of each zone; their positions in the plane stay NaN.

    Parameters:
        streets: the pieces of street with residential frontage, by zone.
        step_m: the distance between points along a street, in metres.
    """
    zone, link, fraction, metres = sampled_points(streets, step_m)
    order = np.argsort(zone, kind="stable")
    zone, link, fraction = zone[order], link[order], fraction[order]
    share = metres[order] / np.maximum(streets.zone_length_m[zone], 1e-9)
    nowhere = np.full(len(zone), np.nan)
    return PopulationPoints(
        zone, share, link, fraction, nowhere, nowhere, np.zeros(len(zone)), len(streets.zone_length_m)
    )


def homes_at_points(
    zones: int,
    zone: NDArray[np.int64],
    weight: NDArray[np.float64],
    xy: tuple[NDArray[np.float64], NDArray[np.float64]],
    plane: LocalPlane,
    snapper: Snapper,
    within_m: float,
) -> PopulationPoints:
    """Weighted points in the plane put on the nearest street; a zone's weights become shares of its people.

    Parameters:
        zones: how many zones there are.
        zone: the zone (p,) of each point.
        weight: the weight (p,) of each point.
        xy: x and y (p,) of the points in the plane.
        plane: the metric plane.
        snapper: puts places on streets.
        within_m: how far a street may lie, in metres.
    """
    order = np.argsort(zone, kind="stable")
    zone, weight, x, y = zone[order], weight[order], xy[0][order], xy[1][order]
    total = np.bincount(zone, weights=weight, minlength=zones)
    share = np.divide(weight, total[zone], out=np.zeros(len(zone)), where=total[zone] > 0)
    snapped: Snapped = snapper.snap(*plane.lonlat(x, y), within_m)
    off_m = np.nan_to_num(snapped.distance_m)
    return PopulationPoints(zone, share, snapped.link, snapped.fraction, x, y, off_m, zones, snapped.alternatives)


def points_over_areas(
    zones: NDArray[np.object_],
) -> tuple[NDArray[np.int64], NDArray[np.float64], NDArray[np.float64]]:
    """Zone, x and y of points on a square grid inside zones (polygons in the plane); the middle where none falls inside.

    Parameters:
        zones: polygons (z,) in the metric plane.
    """
    owner, xs, ys = [], [], []
    for number, zone in enumerate(zones):
        step = min(SPACING_M, np.sqrt(max(zone.area, 1e-9) / LEAST_POINTS))
        west, south, east, north = zone.bounds
        gx, gy = np.meshgrid(np.arange(west + step / 2, east, step), np.arange(south + step / 2, north, step))
        inside = shapely.contains_xy(zone, gx.ravel(), gy.ravel())
        x, y = gx.ravel()[inside], gy.ravel()[inside]
        if len(x) == 0:
            middle = zone.point_on_surface()
            x, y = np.array([middle.x]), np.array([middle.y])
        owner.append(np.full(len(x), number, np.int64))
        xs.append(x)
        ys.append(y)
    return np.concatenate(owner), np.concatenate(xs), np.concatenate(ys)


def points_in_zones(
    zones: NDArray[np.object_], x: NDArray[np.float64], y: NDArray[np.float64]
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Pairs (zone, row of the point) of given points and the zone each lies in, the first of several.

    Parameters:
        zones: polygons (z,) in the metric plane.
        x: metres (k,) to the east in the plane.
        y: metres (k,) to the north in the plane.
    """
    zone, point = shapely.STRtree(shapely.points(x, y)).query(zones, predicate="intersects")
    order = np.lexsort((zone, point))
    first = np.concatenate([[True], point[order][1:] != point[order][:-1]]) if len(point) else np.zeros(0, bool)
    return zone[order][first], point[order][first]
