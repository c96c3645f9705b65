"""Coordinate reference systems of the API (OGC API Features, Part 2): which are offered, and coordinates in them."""

from __future__ import annotations

import re
from functools import cache
from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray
from pyproj import CRS, Transformer

from awl.core.errors import AwlError
from awl.study.study import Study

CRS84 = "http://www.opengis.net/def/crs/OGC/1.3/CRS84"
EPSG = "http://www.opengis.net/def/crs/EPSG/0/"
KNOWN_EPSG = re.compile(re.escape(EPSG) + r"(\d{4,6})$")
SAFE_CURIE = re.compile(r"\[?EPSG:(\d{4,6})\]?$", re.I)


class ReferenceSystem(NamedTuple):
    """A system by its URI, and its EPSG code; 0 is CRS84."""

    uri: str
    code: int


def offered(study: Study) -> list[str]:
    """URIs of the systems a study's features are given in: CRS84, WGS 84, web Mercator, and the UTM zone it lies in."""
    codes = [4326, 3857, *([_utm(study)] if study.revision else [])]
    return [CRS84, *(f"{EPSG}{code}" for code in codes)]


def _utm(study: Study) -> int:
    plane = study.graph.plane
    zone = min(max(int((plane.lon + 180) // 6) + 1, 1), 60)
    return (32600 if plane.lat >= 0 else 32700) + zone


def system_of(text: str | None, study: Study, name: str) -> ReferenceSystem:
    """The system a parameter names; CRS84 where it names none.

    Raises:
        AwlError: the study's features are not given in it.
    """
    if text is None or text == CRS84:
        return ReferenceSystem(CRS84, 0)
    match = KNOWN_EPSG.match(text) or SAFE_CURIE.match(text)
    uri = f"{EPSG}{match[1]}" if match else text
    if uri not in offered(study):
        raise AwlError(
            f"'{text[:100]}' is no coordinate reference system of this study",
            remedy=f"Choose one of: {', '.join(offered(study))}",
            inputs=(name,),
        )
    return ReferenceSystem(uri, int(uri.rsplit("/", 1)[1]))


def moved(shapes: NDArray[np.object_], system: ReferenceSystem) -> NDArray[np.object_]:
    """Shapes in longitude and latitude, moved to a system in the order of its axes."""
    if system.code == 0:
        return shapes
    transformer, swapped = _transformer(system.code)

    def move(xy: NDArray[np.float64]) -> NDArray[np.float64]:
        x, y = transformer.transform(xy[:, 0], xy[:, 1])
        return np.column_stack([y, x] if swapped else [x, y])

    return np.asarray(shapely.transform(shapes, move), dtype=object)


def box_in_degrees(
    box: tuple[float, float, float, float], system: ReferenceSystem
) -> tuple[float, float, float, float]:
    """West, south, east, north of a box given in a system, in the order of its axes."""
    if system.code == 0:
        return box
    transformer, swapped = _transformer(system.code)
    low_x, low_y, high_x, high_y = (box[1], box[0], box[3], box[2]) if swapped else box
    west, south, east, north = transformer.transform_bounds(low_x, low_y, high_x, high_y, direction="INVERSE")
    return float(west), float(south), float(east), float(north)


@cache
def _transformer(code: int) -> tuple[Transformer, bool]:
    """Degrees to a system with x first, and whether its own first axis runs north."""
    system = CRS.from_epsg(code)
    return Transformer.from_crs(4326, code, always_xy=True), system.axis_info[0].direction == "north"
