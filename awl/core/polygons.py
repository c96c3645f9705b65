"""Polygons that cross themselves, made sound."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.errors import AwlError

POLYGON, MULTIPOLYGON = 3, 6
MAX_CROSSINGS = 20_000
"""A polygon that crosses itself more often is no drawing of anything, and repairing it takes minutes."""
CHUNK = 64
"""Segments whose crossings are looked for at once."""


class Repair(NamedTuple):
    """Polygons made sound.

    Attributes:
        shapes: all shapes (n,); polygons stay polygons, and one of which nothing is left becomes None.
        rows: which of them were repaired (r,).
        change: how much smaller or larger each of these became (r,), as a share of its area as drawn; infinite where that was 0.
    """

    shapes: NDArray[np.object_]
    rows: NDArray[np.int64]
    change: NDArray[np.float64]


def repaired(shapes: NDArray[np.object_]) -> Repair:
    """Make the polygons among shapes valid; other shapes are left as they are.

    Parameters:
        shapes: geometries (n,).

    Raises:
        AwlError: a polygon crosses itself more than `MAX_CROSSINGS` times.
    """
    shapes = np.array(shapes, dtype=object)
    kind = shapely.get_type_id(shapes)
    rows = np.flatnonzero(((kind == POLYGON) | (kind == MULTIPOLYGON)) & ~shapely.is_valid(shapes))
    for row in rows.tolist():
        if _crosses_often(shapes[row]):
            raise AwlError(
                f"It crosses itself more than {MAX_CROSSINGS:,} times",
                where=f"feature {row + 1}",
                remedy="Draw it again",
            )
    before = shapely.area(shapes[rows])
    sound = shapely.make_valid(shapes[rows], method="structure", keep_collapsed=False)
    sound = np.array([_polygonal(shape) for shape in sound], dtype=object)
    after = np.nan_to_num(shapely.area(sound))
    with np.errstate(divide="ignore", invalid="ignore"):
        change = np.where(before > 0, after / before - 1, np.inf)
    shapes[rows] = sound
    return Repair(shapes, rows, change)


def _polygonal(shape: shapely.Geometry) -> shapely.Geometry | None:
    """The polygons of a shape as one; None where it has none."""
    if shapely.get_type_id(shape) in (POLYGON, MULTIPOLYGON):
        return None if shape.is_empty else shape
    parts = shapely.get_parts(shape)
    parts = parts[shapely.get_type_id(parts) == POLYGON]
    return shapely.union_all(parts) if len(parts) else None


def _crosses_often(shape: shapely.Geometry) -> bool:
    parts = shapely.get_parts(shapely.boundary(shape))
    xy, ring = shapely.get_coordinates(parts, return_index=True)
    same = ring[1:] == ring[:-1]
    segments = shapely.linestrings(np.stack([xy[:-1][same], xy[1:][same]], axis=1))
    if len(segments) ** 2 < MAX_CROSSINGS:
        return False
    tree, count = shapely.STRtree(segments), 0
    for begin in range(0, len(segments), CHUNK):
        count += len(tree.query(segments[begin : begin + CHUNK], predicate="crosses")[0])
        if count > 2 * MAX_CROSSINGS:  # each crossing is found from both sides
            return True
    return False
