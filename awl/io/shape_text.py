"""Geometries as GeoJSON text, written from their coordinates: seven decimals, and no more digits than that takes."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise
from typing import Any

import numpy as np
import orjson
import shapely
from numpy.typing import NDArray

Shapes = NDArray[np.object_]
DIGITS = 7
"""Decimals of a degree: about a centimetre."""
POLYGON, OTHER = 3, 7
"""The last type that is no group, and the type of what the library writes: collections, heights, parts that are empty."""


def shape_texts(shapes: Shapes) -> list[bytes]:
    """Each geometry as a GeoJSON object, `null` where there is none or it is empty.

    Parameters:
        shapes: geometries (n,) in degrees.
    """
    kinds = np.where(shapely.is_empty(shapes), -1, shapely.get_type_id(shapes))
    kinds[shapely.has_z(shapes) | _has_empty_parts(shapes)] = OTHER
    texts = [b"null"] * len(shapes)
    for kind in set(kinds.tolist()) - {-1}:
        rows = np.flatnonzero(kinds == kind)
        if kind in WRITERS:
            name, written = WRITERS[kind]
            head = b'{"type":"' + name + b'","coordinates":'
            objects = [head + text + b"}" for text in written(shapes[rows])]
        else:
            objects = _others(shapes[rows])
        for row, text in zip(rows.tolist(), objects, strict=True):
            texts[row] = text
    return texts


def _has_empty_parts(shapes: Shapes) -> NDArray[np.bool_]:
    has = np.zeros(len(shapes), bool)
    groups = np.flatnonzero(shapely.get_type_id(shapes) > POLYGON)
    if len(groups):  # single ones have no parts; taking all apart would make an object of each
        parts, owners = shapely.get_parts(shapes[groups], return_index=True)
        has[groups[owners[shapely.is_empty(parts)]]] = True
    return has & ~shapely.is_empty(shapes)


def _others(shapes: Shapes) -> list[bytes]:
    rounded = shapely.transform(shapes, lambda xyz: np.round(xyz, DIGITS), include_z=True)
    return [orjson.dumps(orjson.loads(text)) for text in shapely.to_geojson(rounded)]


def _pairs(shapes: Shapes) -> list[bytes]:
    """Each coordinate of all geometries as `x,y`."""
    coordinates = np.round(shapely.get_coordinates(shapes), DIGITS)
    return orjson.dumps(coordinates, option=orjson.OPT_SERIALIZE_NUMPY)[2:-2].split(b"],[")


def _points(shapes: Shapes) -> list[bytes]:
    return [b"[" + pair + b"]" for pair in _pairs(shapes)]


def _lines(shapes: Shapes) -> list[bytes]:
    """The coordinates of each line, ring or group of points."""
    pairs, ends = _pairs(shapes), np.cumsum(shapely.get_num_coordinates(shapes)).tolist()
    return [b"[[" + b"],[".join(pairs[begin:end]) + b"]]" for begin, end in pairwise([0, *ends])]


def _polygons(shapes: Shapes) -> list[bytes]:
    rings, owners = shapely.get_rings(shapes, return_index=True)
    return _grouped(_lines(rings), owners)


def _line_groups(shapes: Shapes) -> list[bytes]:
    parts, owners = shapely.get_parts(shapes, return_index=True)
    return _grouped(_lines(parts), owners)


def _polygon_groups(shapes: Shapes) -> list[bytes]:
    parts, owners = shapely.get_parts(shapes, return_index=True)
    return _grouped(_polygons(parts), owners)


def _grouped(texts: list[bytes], owners: NDArray[np.intp]) -> list[bytes]:
    """Lists of what belongs together; `owners` ascends from 0, none is left out."""
    starts = [0, *(np.flatnonzero(np.diff(owners)) + 1).tolist(), len(texts)]
    return [b"[" + b",".join(texts[begin:end]) + b"]" for begin, end in pairwise(starts)]


WRITERS: dict[int, tuple[bytes, Callable[[Any], list[bytes]]]] = {
    0: (b"Point", _points),
    1: (b"LineString", _lines),
    2: (b"LineString", _lines),
    3: (b"Polygon", _polygons),
    4: (b"MultiPoint", _lines),
    5: (b"MultiLineString", _line_groups),
    6: (b"MultiPolygon", _polygon_groups),
}
"""Name and writer of coordinates by type of geometry; types that are not here are written by the library."""
