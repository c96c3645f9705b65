"""GeoTIFF (OGC 19-008r4) through GDAL (rasterio): elevation and population grids, one band of numbers."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.io import crs as systems
from awl.io import gdal
from awl.io.limits import check_size

METRES_PER_DEGREE = 111_195.0
ENDINGS = (".tif", ".tiff")
MAX_CELLS = 100_000_000
MAX_FILE = 512 << 20
SMALL_CELLS = 10_000_000
"""Cells up to which a file may be packed as tightly as one likes."""
MAX_CELLS_A_BYTE = 100
"""More cells in a byte of the file than any raster has that says something."""
"""A raster is kept whole inside the study file."""


def is_raster(name: str) -> bool:
    """Whether a file name is that of a raster.

    Parameters:
        name: the file name.
    """
    return name.lower().endswith(ENDINGS)


@dataclass(frozen=True)
class Raster:
    """A grid (rows, columns) of numbers, NaN where there is none.

    The centre of cell (r, c) lies at `transform` applied to (c + 0.5, r + 0.5), in the system `crs`; `bounds` is W, S, E, N in
    degrees, `cell_m` the size of a cell in metres.
    """

    values: NDArray[np.float32]
    transform: tuple[float, float, float, float, float, float]
    crs: str
    bounds: tuple[float, float, float, float]
    cell_m: float

    @property
    def role(self) -> str:
        """`population` or `elevation`, by what such grids hold: people are counted in whole, and many cells have none."""
        known = self.values[~np.isnan(self.values)]
        counted = len(known) > 0 and known.min() >= 0 and bool((known == np.rint(known)).all())
        return "population" if counted and (known == 0).mean() > 0.2 else "elevation"

    def at(self, lon: NDArray[np.float64], lat: NDArray[np.float64]) -> NDArray[np.float64]:
        """Values at places (degrees), between cell centres by bilinear weights; NaN outside.

        Parameters:
            lon: longitudes (k,) in degrees.
            lat: latitudes (k,) in degrees.
        """
        from pyproj import Transformer

        x, y = Transformer.from_crs(4326, self.crs, always_xy=True).transform(lon, lat)
        a, _, c, _, e, f = self.transform
        column, row = (x - c) / a - 0.5, (y - f) / e - 0.5
        left, top = np.floor(column).astype(int), np.floor(row).astype(int)
        u, v = column - left, row - top
        height, width = self.values.shape
        inside = (column > -0.5) & (row > -0.5) & (column < width - 0.5) & (row < height - 0.5)
        out = np.zeros(len(lon))
        weight = np.zeros(len(lon))
        for i, j, share in ((0, 0, (1 - u) * (1 - v)), (0, 1, u * (1 - v)), (1, 0, (1 - u) * v), (1, 1, u * v)):
            value = self.values[np.clip(top + i, 0, height - 1), np.clip(left + j, 0, width - 1)]
            there = ~np.isnan(value)
            out += np.where(there, share * np.nan_to_num(value), 0.0)
            weight += np.where(there, share, 0.0)
        with np.errstate(invalid="ignore", divide="ignore"):
            return np.where(inside & (weight > 0), out / weight, np.nan)

    def centres(self) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
        """Longitude, latitude and value of every cell that has one other than zero."""
        from pyproj import Transformer

        row, column = np.nonzero(np.nan_to_num(self.values))
        a, _, c, _, e, f = self.transform
        lon, lat = Transformer.from_crs(self.crs, 4326, always_xy=True).transform(
            c + (column + 0.5) * a, f + (row + 0.5) * e
        )
        return lon, lat, self.values[row, column].astype(float)


def read(path: Path, source: str, crs: str | None = None) -> Raster:
    """The first band of a file; `crs` says what its coordinates are, in place of what it states.

    Parameters:
        path: the file.
        source: the name of the file, for messages.
        crs: EPSG code or definition of the coordinate system; None where none is stated.

    Raises:
        AwlError: the file is no GeoTIFF that can be read.
    """
    check_size(path, MAX_FILE)
    with path.open("rb") as stream:
        gdal.check_signature(stream.read(16), ".tif", source)
    import rasterio  # 0.3 s: only when a file of this kind comes in
    from rasterio.errors import RasterioError

    try:
        with gdal.raster_environment(), rasterio.open(path, driver="GTiff") as stream:
            return _read(stream, source, crs, path.stat().st_size)
    except RasterioError as error:
        raise AwlError(
            f"The file is no GeoTIFF that can be read ({gdal.message(error, path, source)})",
            where=source,
            remedy="Export it again",
        ) from error


def read_bytes(data: bytes, source: str, crs: str | None) -> Raster:
    """The same, from a file kept in a study.

    Parameters:
        data: the bytes of the file.
        source: the name of the file, for messages.
        crs: EPSG code or definition of the coordinate system; None where none is stated.
    """
    from rasterio.io import MemoryFile

    gdal.check_signature(data[:16], ".tif", source)
    with gdal.raster_environment(), MemoryFile(data) as memory, memory.open(driver="GTiff") as stream:
        return _read(stream, source, crs, len(data))


def _read(stream: Any, source: str, crs: str | None, file_bytes: int) -> Raster:
    from rasterio.warp import transform_bounds

    if stream.width * stream.height > MAX_CELLS:
        raise AwlError(
            f"{stream.width:,} x {stream.height:,} cells are more than Awl takes in",
            where=source,
            remedy="Cut the raster to the study area, or resample it",
        )
    cells = stream.width * stream.height
    if cells > SMALL_CELLS and cells > MAX_CELLS_A_BYTE * file_bytes:
        raise AwlError(
            f"A file of {file_bytes:,} bytes claims {cells:,} cells",
            where=source,
            remedy="Cut the raster to where it holds values",
        )
    if stream.transform.b or stream.transform.d:
        raise AwlError("The raster is rotated", where=source, remedy="Warp it north up")
    stated = crs or (stream.crs.to_wkt() if stream.crs else None)
    if stated is None or stream.transform.is_identity:
        raise AwlError(
            "The raster states no place on Earth"
            if stream.transform.is_identity
            else "The raster states no coordinate system",
            where=source,
            remedy="Say which it is, such as EPSG:32626",
            inputs=("crs",),
            kind="broken-geometry" if stream.transform.is_identity else "crs-missing",
        )
    system = systems.known(stated, source)
    band = stream.read(1, masked=True)
    values = np.asarray(band.data, np.float32)
    values[np.ma.getmaskarray(band)] = np.nan
    if np.isnan(values).all():
        raise AwlError("No cell of the raster holds a value", where=source, remedy="Check how it was exported")
    west, south, east, north = transform_bounds(system.to_wkt(), "EPSG:4326", *stream.bounds)
    if (
        not np.isfinite([west, south, east, north]).all()
        or max(abs(west), abs(east)) > 180
        or max(abs(south), abs(north)) > 90
    ):
        raise AwlError(
            f"The coordinates do not fit the coordinate system {stated[:60]}",
            where=source,
            remedy="Say the right one, such as EPSG:32626",
            inputs=("crs",),
            kind="crs-wrong",
        )
    unit = system.axis_info[0].unit_conversion_factor if system.axis_info else 1.0
    metres = abs(stream.transform.e) * (unit if system.is_projected else METRES_PER_DEGREE)
    return Raster(
        values,
        tuple(stream.transform)[:6],
        stated,
        (west, south, east, north),
        metres,
    )
