"""Lengths on the ellipsoid and a local metric plane.

Lengths are geodesic metres on WGS 84 (Karney, *Algorithms for geodesics*, J. Geodesy 87, 2013, as in PROJ).
Areas and nearest-street searches use a transverse Mercator plane centred on the study, whose scale error
within 50 km of the centre stays below 0.004 %.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import shapely
from numba import njit
from numpy.typing import NDArray
from pyproj import CRS, Geod, Transformer

from awl.core.progress import threads_of

_ELLIPSOID = Geod(ellps="WGS84")
WORTH_A_THREAD = 65_536
"""Segments that are measured at once."""


def segment_lengths(
    lon1: NDArray[np.float64], lat1: NDArray[np.float64], lon2: NDArray[np.float64], lat2: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Geodesic length in metres of each segment (lon1, lat1)-(lon2, lat2), degrees in; many are measured in threads.

    Parameters:
        lon1: longitudes (k,) where segments begin, in degrees.
        lat1: latitudes (k,) where segments begin, in degrees.
        lon2: longitudes (k,) where segments end, in degrees.
        lat2: latitudes (k,) where segments end, in degrees.
    """
    if np.size(lon1) < 2 * WORTH_A_THREAD:
        return np.asarray(_ELLIPSOID.inv(lon1, lat1, lon2, lat2)[2], float).reshape(np.shape(lon1))

    def measured(begin: int) -> NDArray[np.float64]:
        part = slice(begin, begin + WORTH_A_THREAD)
        return np.asarray(_ELLIPSOID.inv(lon1[part], lat1[part], lon2[part], lat2[part])[2], float)

    with threads_of(None) as pool:
        return np.concatenate(list(pool.map(measured, range(0, len(lon1), WORTH_A_THREAD))))


@njit(cache=True, nogil=True)
def metres_along(step: NDArray[np.float64], start: NDArray[np.int64]) -> NDArray[np.float64]:
    """Metres (v,) from the beginning of each line to its vertices; each is summed by itself, so that it is alike in any company.

    Parameters:
        step: metres (v,) from the vertex before; those of the first vertices do not count.
        start: offsets (m + 1,) at which lines begin.
    """
    metres = np.empty(len(step), np.float64)
    for line in range(len(start) - 1):
        total = 0.0
        for vertex in range(start[line], start[line + 1]):
            if vertex > start[line]:
                total += step[vertex]
            metres[vertex] = total
    return metres


@lru_cache(maxsize=128)
def _system_of(plane: LocalPlane) -> tuple[CRS, Transformer]:
    """The reference system of a plane, and what leads into it from degrees: made once, though each edit makes a plane anew."""
    crs = CRS.from_proj4(f"+proj=tmerc +lat_0={plane.lat} +lon_0={plane.lon} +k=1 +datum=WGS84 +units=m")
    return crs, Transformer.from_crs(4326, crs, always_xy=True)


@dataclass(frozen=True)
class LocalPlane:
    """Metric plane (x east, y north, metres) around `lon`, `lat` in degrees."""

    lon: float
    lat: float

    @classmethod
    def around(cls, lon: NDArray[np.float64], lat: NDArray[np.float64]) -> LocalPlane:
        """The plane centred on the middle of the given points.

        Parameters:
            lon: longitudes (k,) in degrees.
            lat: latitudes (k,) in degrees.
        """
        return cls(round(float(lon.min() + lon.max()) / 2, 4), round(float(lat.min() + lat.max()) / 2, 4))

    @property
    def crs(self) -> CRS:
        """The plane's coordinate reference system."""
        return _system_of(self)[0]

    @property
    def _forward(self) -> Transformer:
        return _system_of(self)[1]

    def xy(self, lon: NDArray[np.float64], lat: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Degrees to metres in the plane.

        Parameters:
            lon: longitudes (k,) in degrees.
            lat: latitudes (k,) in degrees.
        """
        x, y = self._forward.transform(lon, lat)
        return np.asarray(x, float), np.asarray(y, float)

    def lonlat(self, x: NDArray[np.float64], y: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Metres in the plane to degrees.

        Parameters:
            x: metres (k,) to the east in the plane.
            y: metres (k,) to the north in the plane.
        """
        lon, lat = self._forward.transform(x, y, direction="INVERSE")
        return np.asarray(lon, float), np.asarray(lat, float)

    def project(self, geometries: NDArray[np.object_]) -> NDArray[np.object_]:
        """Shapely geometries in degrees, moved to the plane.

        Parameters:
            geometries: geometries (n,).
        """
        return shapely.transform(geometries, lambda c: np.column_stack(self.xy(c[:, 0], c[:, 1])))

    def unproject(self, geometries: NDArray[np.object_]) -> NDArray[np.object_]:
        """Shapely geometries in the plane, moved to degrees.

        Parameters:
            geometries: geometries (n,).
        """
        return shapely.transform(geometries, lambda c: np.column_stack(self.lonlat(c[:, 0], c[:, 1])))
