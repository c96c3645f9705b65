"""Areas around the streets reached, as several questions draw them."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.analysis.isochrone_areas.contours import contour_area, field_values
from awl.core.analysis.isochrone_areas.error import TOLERATED, AreaError
from awl.core.analysis.isochrone_areas.field import Field
from awl.core.analysis.isochrone_areas.nearby import field_near
from awl.core.analysis.isochrone_areas.over_water import without_water
from awl.core.progress import Progress
from awl.core.routing.reach import Parts, Reach
from awl.io.table import Column, Table
from awl.questions.context import Context, Places
from awl.questions.results import Doubt

CALM_MM = 80_000.0
BANK_M = 3.0
"""Edges of areas are left out so close to water."""


def straight_areas(context: Context, places: Places, limits: list[float], measure: str) -> Table:
    """Discs around the places within each limit measured straight, at the mean speed of the mode, merged."""
    plane = context.network.graph.plane
    points = shapely.points(*plane.xy(places.lon, places.lat))
    radius = [limit if measure == "distance" else limit / 60 * context.mean_speed_kmh * 1000 for limit in limits]
    shapes = np.array([shapely.union_all(shapely.buffer(points, metres, quad_segs=32)) for metres in radius])
    columns = {
        "limit": Column.of(limits, limit_unit(measure)),
        "radius_m": Column.of(np.array(radius), "m", 1),
        "area_km2": Column.of(shapely.area(shapes) / 1e6, "km²", 5),
    }
    return Table(plane.unproject(shapes), columns)


def limit_unit(measure: str) -> str:
    """The unit limits are in."""
    return "min" if measure == "time" else "m"


def contours_of(context: Context, shapes: list[shapely.Geometry], limits: list[float], unit: str) -> Table:
    """Edges of areas, broken at the bank."""
    lines = shapely.boundary(np.array(shapes, dtype=object))
    water = context.study.water.around(lines)
    if not water.is_empty:
        lines = shapely.difference(lines, shapely.buffer(water, BANK_M))
    merged = shapely.line_merge(lines)
    parts, owner = shapely.get_parts(merged, return_index=True)
    limit = Column.of([float(limits[i]) for i in owner], unit)
    return Table(context.network.graph.plane.unproject(parts), {"limit": limit})


class AreaDrawer:
    """Draws areas on the field of a context, without water; `progress` is told how far that is."""

    def __init__(self, context: Context, calm: float, progress: Progress | None = None) -> None:
        self._field, self._calm, self._progress = context.field, calm, progress
        self._water, self._over_water = context.study.water, context.study.links_over_water
        self._graph = context.network.graph
        self._near: tuple[Reach, Field] | None = None

    def area(self, reach: Reach, unit: int, owner: int | None = None) -> shapely.Geometry:
        """The area within `unit`, of one owner or of all, in the metric plane."""
        if self._near is None or self._near[0] is not reach:
            self._near = reach, field_near(self._field.around(reach.link[reach.is_reached], self._progress), reach)
        field = self._near[1]
        shape = contour_area(field, field_values(field, reach, unit, self._calm, owner))
        if not shapely.is_valid(shape):
            shape = shapely.make_valid(shape)
        return without_water(shape, self._water, self._graph, self._over_water, reach, unit, owner)


def error_doubts(error: AreaError) -> list[Doubt]:
    """What to say of areas that put more street on the wrong side than is tolerated."""
    doubts = []
    if error.lost > TOLERATED:
        text = f"{error.lost:.1%} of the street within reach lies outside the areas drawn; the streets themselves are exact."
        doubts.append(Doubt("areas-lose-street", "warning", 1, text))
    if error.enclosed > TOLERATED:
        text = (
            f"Street that is not reached lies inside the areas drawn, as long as {error.enclosed:.1%} of what is reached:"
            " such as tunnels and streets at another level. The streets themselves are exact."
        )
        doubts.append(Doubt("areas-enclose-street", "note", 1, text))
    return doubts


def split_at_limits(
    parts: Parts, units: list[int]
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float64], NDArray[np.float64]]:
    """Parts cut where their arrival passes a limit: rows of the parts, index of the limit, fractions begin and end."""
    rows, bands, begins, ends = [], [], [], []
    low = -1.0
    span = parts.arrival_end - parts.arrival_begin
    for index, high in enumerate(units):
        with np.errstate(invalid="ignore", divide="ignore"):
            at_low = np.where(span != 0, (low - parts.arrival_begin) / span, np.nan)
            at_high = np.where(span != 0, (high - parts.arrival_begin) / span, np.nan)
        first, last = np.minimum(at_low, at_high), np.maximum(at_low, at_high)
        flat = (span == 0) & (parts.arrival_begin > low) & (parts.arrival_begin <= high)
        first = np.where(span == 0, np.where(flat, 0.0, 2.0), first)
        last = np.where(span == 0, np.where(flat, 1.0, -1.0), last)
        first, last = np.clip(first, 0, 1), np.clip(last, 0, 1)
        keep = np.flatnonzero(last > first)
        width = parts.end[keep] - parts.begin[keep]
        rows.append(keep)
        bands.append(np.full(len(keep), index))
        begins.append(parts.begin[keep] + first[keep] * width)
        ends.append(parts.begin[keep] + last[keep] * width)
        low = high
    return np.concatenate(rows), np.concatenate(bands), np.concatenate(begins), np.concatenate(ends)
