"""Coordinate systems: everything comes in as WGS 84 degrees, from whatever system a file states or the user says."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from pyproj import CRS, Transformer
from pyproj.exceptions import ProjError

from awl.core.errors import AwlError

WGS84 = "EPSG:4326"


def known(crs: str, source: str = "") -> CRS:
    """The system of a code or definition; raises when there is no such.

    Parameters:
        crs: EPSG code or definition.
        source: the name of the file, for messages.
    """
    try:
        return CRS.from_user_input(crs)
    except ProjError as error:
        raise AwlError(
            f"The coordinate system '{crs[:60]}' is not known",
            where=source,
            remedy="Give an EPSG code such as EPSG:32626",
            inputs=("crs",),
            kind="crs-unknown",
        ) from error


def named(crs: str | None) -> str | None:
    """A system as a person writes it: its code and name.

    Parameters:
        crs: EPSG code or definition of the coordinate system; None where none is stated.
    """
    if crs is None:
        return None
    system = known(crs)
    code = system.to_authority()
    return f"{':'.join(code)}, {system.name}" if code else system.name


def off_earth(shapes: Any) -> NDArray[np.bool_]:
    """Which shapes (n,) have a coordinate in degrees that is not finite or lies beyond the poles or the date line.

    Parameters:
        shapes: geometries (n,).
    """
    xy, row = shapely.get_coordinates(shapes, return_index=True)
    off = ~((np.abs(xy[:, 0]) <= 180) & (np.abs(xy[:, 1]) <= 90))
    return np.bincount(row[off], minlength=len(shapes)).astype(bool)


def mostly(faulty: NDArray[np.bool_]) -> bool:
    """Whether faults are so many that what is said of all rows must be wrong, and not the rows.

    Parameters:
        faulty: mask (n,) of the faulty rows.
    """
    return bool(faulty.sum() * 2 >= len(faulty)) and bool(faulty.any())


def not_on_earth(shapes: Any, label: str, first: int = 1) -> dict[int, str]:
    """Where and why shapes in degrees cannot be used, by row; rows are named `label` and counted from `first`.

    Parameters:
        shapes: geometries (n,).
        label: what a row is called, such as `line`.
        first: the number of the first row.
    """
    return {
        int(row): f"{label} {row + first}: Its coordinates lie nowhere on Earth"
        for row in np.flatnonzero(off_earth(shapes))
    }


def to_degrees(shapes: Any, crs: str | None, source: str) -> Any:
    """Shapes moved from a coordinate system to WGS 84.

    Raises `AwlError` of kind `crs-missing` when none is given and the numbers cannot be degrees, of kind `crs-wrong` when they
    do not fit the one given: half of them or more lie nowhere on Earth. Fewer are single faults, to be found by `off_earth`.
    Numbers that can be degrees, without a stated system, are left to the caller to ask about.

    Parameters:
        shapes: geometries (n,).
        crs: EPSG code or definition of the coordinate system; None where none is stated.
        source: the name of the file, for messages.
    """
    if crs is None:
        raise AwlError(
            "The file states no coordinate system",
            where=source,
            remedy="Say which it is, such as EPSG:32626",
            inputs=("crs",),
            kind="crs-missing",
        )
    stated = known(crs, source)
    if stated != CRS.from_epsg(4326):
        transformer = Transformer.from_crs(stated, 4326, always_xy=True)
        shapes = shapely.transform(shapes, lambda xy: np.column_stack(transformer.transform(xy[:, 0], xy[:, 1])))
    if mostly(off_earth(shapes)):
        raise AwlError(
            f"The coordinates do not fit the coordinate system {crs[:60]}",
            where=source,
            remedy="Say the right one, such as EPSG:32626",
            inputs=("crs",),
            kind="crs-wrong",
        )
    return shapes
