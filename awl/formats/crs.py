"""Coordinate systems: everything comes in as WGS 84 degrees, from whatever system a file states or the user says."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from pyproj import CRS, Transformer
from pyproj.exceptions import ProjError

from awl.core.errors import AwlError

WGS84 = "EPSG:4326"


def known(crs: str, source: str = "") -> CRS:
    """The system of a code or definition; raises when there is no such."""
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
    """A system as a person writes it: its code and name."""
    if crs is None:
        return None
    system = known(crs)
    code = system.to_authority()
    return f"{':'.join(code)}, {system.name}" if code else system.name


def to_degrees(shapes: Any, crs: str | None, source: str) -> Any:
    """Shapes moved from a coordinate system to WGS 84.

    Raises `AwlError` of kind `crs-missing` when none is given and the numbers cannot be degrees, of kind `crs-wrong` when they
    do not fit the one given. Numbers that can be degrees, without a stated system, are left to the caller to ask about.
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
    xy = shapely.get_coordinates(shapes)
    if not np.isfinite(xy).all() or (len(xy) and (np.abs(xy[:, 0]).max() > 180 or np.abs(xy[:, 1]).max() > 90)):
        raise AwlError(
            f"The coordinates do not fit the coordinate system {crs[:60]}",
            where=source,
            remedy="Say the right one, such as EPSG:32626",
            inputs=("crs",),
            kind="crs-wrong",
        )
    return shapes
