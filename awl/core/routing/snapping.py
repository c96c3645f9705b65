"""Put places on the nearest usable street, at a fraction along it, and say which ones cannot be put there.

A place whose nearest street is one-way stands on those beside it as well: it may well have its door or its drive there.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, fields
from functools import cached_property

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.graph.nearest_links import NearestLinks
from awl.core.network.network import Network
from awl.core.routing.access_points import AccessPoints

ON_STREET, TOO_FAR, OUTSIDE, SEPARATE_PART = 0, 1, 2, 3
AT_NODE_M = 0.01
"""A place this close to the end of a link is at its node."""
BESIDE_M = 30.0
"""A street beside may be so much farther off than the nearest."""
MOST_BESIDE = 3
STATUS = ("on street", "too far from a usable street", "outside the study area", "on a separate part")


@dataclass(frozen=True)
class Snapped:
    """Places (k,) on links. `link` is -1 where `status` is not ON_STREET; `fraction` runs from the link's start.

    `distance_m` is the distance between the place and the nearest usable street, NaN for places outside. `lon`, `lat`
    is the point on the street in degrees. `alternatives` are the points on further streets at which trips may begin and end as
    well.
    """

    link: NDArray[np.int32]
    fraction: NDArray[np.float64]
    distance_m: NDArray[np.float64]
    status: NDArray[np.int8]
    lon: NDArray[np.float64]
    lat: NDArray[np.float64]
    alternatives: AccessPoints = field(default_factory=AccessPoints.none)

    @cached_property
    def access_points(self) -> AccessPoints:
        """All points at which trips from or to the places may begin or end; of places without a street none."""
        return AccessPoints.of(self.link, self.fraction, self.alternatives)

    @property
    def is_snapped(self) -> NDArray[np.bool_]:
        """Mask of the places that stand on a street."""
        return self.status == ON_STREET

    def take(self, rows: NDArray[np.integer] | NDArray[np.bool_]) -> Snapped:
        """Some of the places.

        Parameters:
            rows: which rows: numbers (k,) or a mask.
        """
        return Snapped(
            self.link[rows],
            self.fraction[rows],
            self.distance_m[rows],
            self.status[rows],
            self.lon[rows],
            self.lat[rows],
            self.alternatives.of_places(rows),
        )

    @classmethod
    def joined(cls, parts: Sequence[Snapped]) -> Snapped:
        """The places of several, one after another.

        Parameters:
            parts: places put on streets.
        """
        before = np.cumsum([0, *(len(part.link) for part in parts)])[:-1].tolist()
        link, fraction, distance_m, status, lon, lat = (
            np.concatenate([getattr(part, one.name) for part in parts])
            for one in fields(cls)
            if one.name != "alternatives"
        )
        alternatives = AccessPoints.joined(
            [part.alternatives.moved(by) for part, by in zip(parts, before, strict=True)]
        )
        return cls(link, fraction, distance_m, status, lon, lat, alternatives)


class Snapper:
    """Nearest-street search for one network. Building it costs O(m log m), a search O(log m) per place."""

    def __init__(self, network: Network, area: shapely.Geometry | None = None) -> None:
        self._network = network
        # A decimetre of grace: border nodes lie on the very edge, give or take rounding.
        self._area = None if area is None else shapely.buffer(area, 1e-6)
        if self._area is not None:
            shapely.prepare(self._area)

    @cached_property
    def _main(self) -> NearestLinks:
        if self._network.closed is None:
            return self._network.streets.findable
        return NearestLinks.of(self._network.graph, np.flatnonzero(self._network.usable & ~self._network.enclosed))

    @cached_property
    def _cut_off(self) -> NearestLinks:
        return NearestLinks.of(
            self._network.graph, np.flatnonzero(self._network.in_small_part | self._network.enclosed)
        )

    def snap(self, lon: NDArray[np.float64], lat: NDArray[np.float64], within_m: float) -> Snapped:
        """Put each place (degrees) on the nearest street that lies within `within_m` metres.

        Parameters:
            lon: longitudes (k,) in degrees.
            lat: latitudes (k,) in degrees.
            within_m: how far a street may lie, in metres.
        """
        graph = self._network.graph
        count = len(lon)
        x, y = graph.plane.xy(lon, lat)
        link = np.full(count, -1, np.int32)
        distance = np.full(count, np.nan)
        inside = self._inside(lon, lat, within_m)
        rows = np.flatnonzero(inside)
        link[rows], distance[rows] = self._main.nearest(x[rows], y[rows])
        distance[link < 0] = np.nan
        status = np.where(inside, np.where(distance <= within_m, ON_STREET, TOO_FAR), OUTSIDE).astype(np.int8)
        self._mark_separate(x, y, status, within_m)
        link[status != ON_STREET] = -1
        fraction, on_lon, on_lat = self._locate(x, y, link)
        alternatives = self._beside(x, y, link, fraction, distance, within_m)
        return Snapped(link, fraction, distance, status, on_lon, on_lat, alternatives)

    def _beside(
        self,
        x: NDArray[np.float64],
        y: NDArray[np.float64],
        link: NDArray[np.int32],
        fraction: NDArray[np.float64],
        distance: NDArray[np.float64],
        within_m: float,
    ) -> AccessPoints:
        """Points on streets beside places between the ends of a one-way street.

        Outwards from the place up to the first street that is passed both ways: those it lies alongside, so that none is a mere
        corner farther on, and that belong to the same part.
        """
        network, graph = self._network, self._network.graph
        one_way = network.forward != network.backward
        rows = np.flatnonzero((link >= 0) & one_way[link] & (fraction > 0.0) & (fraction < 1.0))
        if len(rows) == 0:
            return AccessPoints.none()
        farthest = np.minimum(distance[rows] + BESIDE_M, within_m)
        nth, found, away = self._main.around(x[rows], y[rows], farthest)
        place, other = rows[nth], found.astype(np.int32)
        at = self._locate(x[place], y[place], other)[0]
        part = network.link_part
        valid = (other != link[place]) & (at > 0.0) & (at < 1.0) & (part[other] == part[link[place]])
        place, other, at, away = place[valid], other[valid], at[valid], away[valid]
        order = np.lexsort((other, away, place))
        place, other, at, away = place[order], other[order], at[order], away[order]
        first = np.searchsorted(place, place)
        both_ways = np.cumsum(~one_way[other])
        before = both_ways - ~one_way[other] - (both_ways - ~one_way[other])[first]
        valid = (before == 0) & (np.arange(len(place)) - first < MOST_BESIDE)
        access_share = np.maximum(away - distance[place], 0.0) / np.maximum(graph.link_length[other], AT_NODE_M)
        return AccessPoints(place[valid].astype(np.int32), other[valid], at[valid], access_share[valid])

    def _inside(self, lon: NDArray[np.float64], lat: NDArray[np.float64], within_m: float) -> NDArray[np.bool_]:
        if self._area is not None:
            return np.asarray(shapely.contains_xy(self._area, lon, lat))
        west, south, east, north = self._extent
        x, y = self._network.graph.plane.xy(lon, lat)
        across = (x >= west - within_m) & (x <= east + within_m)
        return np.asarray(across & (y >= south - within_m) & (y <= north + within_m))

    @cached_property
    def _extent(self) -> tuple[float, float, float, float]:
        x, y = self._network.graph.shape_xy
        return float(x.min()), float(y.min()), float(x.max()), float(y.max())

    def _mark_separate(
        self, x: NDArray[np.float64], y: NDArray[np.float64], status: NDArray[np.int8], within_m: float
    ) -> None:
        """Of the places too far from the main part, mark those that stand on a street cut off from it."""
        rows = np.flatnonzero(status == TOO_FAR)
        if len(rows):
            found, _ = self._cut_off.nearest(x[rows], y[rows], within_m)
            status[rows[found >= 0]] = SEPARATE_PART

    def _locate(
        self, x: NDArray[np.float64], y: NDArray[np.float64], link: NDArray[np.int32]
    ) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
        """Fraction of the geodesic length, and the point on the street, for places with a link."""
        graph = self._network.graph
        fraction = np.zeros(len(link))
        lon, lat = np.full(len(link), np.nan), np.full(len(link), np.nan)
        snapped = np.flatnonzero(link >= 0)
        if len(snapped):
            lines = graph.some_lines_xy(link[snapped])
            along = shapely.line_locate_point(lines, shapely.points(x[snapped], y[snapped]), normalized=True)
            fraction[snapped] = np.clip(along, 0.0, 1.0)
            # A place at the very end of a link stands at the node, and may leave it by any street there.
            near_end = AT_NODE_M / np.maximum(graph.link_length[link[snapped]], AT_NODE_M)
            fraction[snapped[along <= near_end]] = 0.0
            fraction[snapped[along >= 1.0 - near_end]] = 1.0
            on_street = shapely.get_coordinates(shapely.line_interpolate_point(lines, along, normalized=True))
            lon[snapped], lat[snapped] = graph.plane.lonlat(on_street[:, 0], on_street[:, 1])
        return fraction, lon, lat
