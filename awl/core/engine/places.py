"""Put places on the nearest usable street, at a fraction along it, and say which ones cannot be put there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields
from functools import cached_property
from typing import Any, TypeVar

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.modes.network import Network

ON_STREET, TOO_FAR, OUTSIDE, SEPARATE_PART = 0, 1, 2, 3
AT_NODE_M = 0.01
"""A place this close to the end of a link is at its node."""
STATUS = ("on street", "too far from a usable street", "outside the study area", "on a separate part")


@dataclass(frozen=True)
class Snapped:
    """Places (k,) on links. `link` is -1 where `status` is not ON_STREET; `fraction` runs from the link's start.

    `distance_m` is the distance between the place and the nearest usable street, NaN for places outside. `lon`, `lat`
    is the point on the street in degrees.
    """

    link: NDArray[np.int32]
    fraction: NDArray[np.float64]
    distance_m: NDArray[np.float64]
    status: NDArray[np.int8]
    lon: NDArray[np.float64]
    lat: NDArray[np.float64]

    @property
    def found(self) -> NDArray[np.bool_]:
        """Mask of the places that stand on a street."""
        return self.status == ON_STREET

    def take(self, rows: NDArray[np.integer] | NDArray[np.bool_]) -> Snapped:
        """Some of the places."""
        return Snapped(
            self.link[rows],
            self.fraction[rows],
            self.distance_m[rows],
            self.status[rows],
            self.lon[rows],
            self.lat[rows],
        )

    @classmethod
    def joined(cls, parts: Sequence[Snapped]) -> Snapped:
        """The places of several, one after another."""
        return cls(*(np.concatenate([getattr(part, item.name) for part in parts]) for item in fields(cls)))


class Snapper:
    """Nearest-street search for one network. Building it costs O(m log m), a search O(log m) per place."""

    def __init__(self, network: Network, area: shapely.Geometry | None = None) -> None:
        self._network = network
        # A decimetre of grace: border nodes lie on the very edge, give or take rounding.
        self._area = None if area is None else shapely.buffer(area, 1e-6)
        if self._area is not None:
            shapely.prepare(self._area)

    @cached_property
    def _main(self) -> tuple[NDArray[np.int64], shapely.STRtree]:
        links = np.flatnonzero(self._network.usable)
        return links, shapely.STRtree(self._network.graph.lines_xy[links])

    @cached_property
    def _cut_off(self) -> tuple[NDArray[np.int64], shapely.STRtree]:
        links = np.flatnonzero(self._network.in_small_part)
        return links, shapely.STRtree(self._network.graph.lines_xy[links])

    def snap(self, lon: NDArray[np.float64], lat: NDArray[np.float64], within_m: float) -> Snapped:
        """Put each place (degrees) on the nearest street of the main part that lies within `within_m` metres."""
        graph = self._network.graph
        count = len(lon)
        points = shapely.points(*graph.plane.xy(lon, lat))
        link = np.full(count, -1, np.int32)
        distance = np.full(count, np.nan)
        links, tree = self._main
        inside = self._inside(lon, lat, within_m)
        rows = np.flatnonzero(inside)
        if len(rows) and len(links):
            (hit, nearest), away = tree.query_nearest(points[rows], all_matches=False, return_distance=True)
            link[rows[hit]] = links[nearest]
            distance[rows[hit]] = away
        status = np.where(inside, np.where(distance <= within_m, ON_STREET, TOO_FAR), OUTSIDE).astype(np.int8)
        self._mark_separate(points, status, within_m)
        link[status != ON_STREET] = -1
        fraction, on_lon, on_lat = self._locate(points, link)
        return Snapped(link, fraction, distance, status, on_lon, on_lat)

    def _inside(self, lon: NDArray[np.float64], lat: NDArray[np.float64], within_m: float) -> NDArray[np.bool_]:
        if self._area is not None:
            return np.asarray(shapely.contains_xy(self._area, lon, lat))
        graph = self._network.graph
        x, y = graph.plane.xy(lon, lat)
        sx, sy = graph.shape_xy
        near_x = (x >= sx.min() - within_m) & (x <= sx.max() + within_m)
        return np.asarray(near_x & (y >= sy.min() - within_m) & (y <= sy.max() + within_m))

    def _mark_separate(self, points: NDArray[np.object_], status: NDArray[np.int8], within_m: float) -> None:
        """Of the places too far from the main part, mark those that stand on a street cut off from it."""
        rows = np.flatnonzero(status == TOO_FAR)
        links, tree = self._cut_off
        if len(rows) and len(links):
            hit, _ = tree.query_nearest(points[rows], max_distance=within_m, all_matches=False)
            status[rows[hit]] = SEPARATE_PART

    def _locate(
        self, points: NDArray[np.object_], link: NDArray[np.int32]
    ) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
        """Fraction of the geodesic length, and the point on the street, for places with a link."""
        graph = self._network.graph
        fraction = np.zeros(len(link))
        lon, lat = np.full(len(link), np.nan), np.full(len(link), np.nan)
        found = np.flatnonzero(link >= 0)
        if len(found):
            lines = graph.lines_xy[link[found]]
            along = shapely.line_locate_point(lines, points[found], normalized=True)
            fraction[found] = np.clip(along, 0.0, 1.0)
            # A place at the very end of a link stands at the node, and may leave it by any street there.
            near_end = AT_NODE_M / np.maximum(graph.link_length[link[found]], AT_NODE_M)
            fraction[found[along <= near_end]] = 0.0
            fraction[found[along >= 1.0 - near_end]] = 1.0
            on_street = shapely.get_coordinates(shapely.line_interpolate_point(lines, along, normalized=True))
            lon[found], lat[found] = graph.plane.lonlat(on_street[:, 0], on_street[:, 1])
        return fraction, lon, lat


Row = TypeVar("Row", bound=np.integer[Any])


def expanded(
    start: NDArray[np.int64], rows: NDArray[Row], keys: NDArray[np.integer]
) -> tuple[NDArray[Row], NDArray[np.int64]]:
    """All rows of each key, and the number of the key that each belongs to."""
    counts = start[keys + 1] - start[keys]
    nth = np.repeat(np.arange(len(keys)), counts)
    at = np.arange(len(nth)) - np.repeat(np.cumsum(counts) - counts, counts)
    return rows[start[keys][nth] + at], nth
