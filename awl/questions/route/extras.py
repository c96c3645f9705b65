"""What a route says beside its ways: the best order of its points, the analyst's own way, and the heights along it."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.geodesy import segment_lengths
from awl.core.routing.dijkstra.search import UNREACHED
from awl.core.routing.snapping import Snapped
from awl.core.routing.tour import EXACT, best_order
from awl.questions.context import Context, Places
from awl.questions.inputs import Json
from awl.views.charts import Axis, Chart, Series

SAMPLE_M = 20.0
"""Heights are read at least this often along a way."""
LEAST_CLIMB_M = 1.0
"""Ups and downs smaller than this are noise of the raster, not climbs."""


def in_best_order(
    context: Context, places: Places, snapped: Snapped, measure: str
) -> tuple[Places, Snapped, NDArray[np.int64], str]:
    """Points reordered between the first and the last, the order taken, and how it was found."""
    cost, _ = context.router.matrix(snapped, snapped, measure, carrying=False)
    order = best_order(np.where(cost == UNREACHED, np.inf, cost.astype(np.float64)))
    exact = len(places) - 2 <= EXACT
    note = "The order is the best of all." if exact else "The order was improved step by step; a better one may exist."
    return places.take(order), snapped.take(order), order, note


def profile(context: Context, way: shapely.LineString) -> Json | None:
    """Heights along a way: distance in m and height in m, climb and descent; None where the study knows no heights."""
    ident = next((entry["id"] for entry in context.study.rasters() if entry["role"] == "elevation"), None)
    if ident is None:
        return None
    xy = shapely.get_coordinates(way)
    length = segment_lengths(xy[:-1, 0], xy[:-1, 1], xy[1:, 0], xy[1:, 1])
    at = np.concatenate([[0.0], np.cumsum(length)])
    wanted = np.union1d(at, np.arange(0.0, at[-1], SAMPLE_M))
    lon, lat = np.interp(wanted, at, xy[:, 0]), np.interp(wanted, at, xy[:, 1])
    height = np.asarray(context.study.raster(ident).at(lon, lat), np.float64)
    known = np.isfinite(height)
    if known.sum() < 2:
        return None
    wanted, height = wanted[known], height[known]
    climb, descent = climbs(height)
    return {
        "distance_m": np.round(wanted, 1).tolist(),
        "height_m": np.round(height, 1).tolist(),
        "climb_m": round(climb, 1),
        "descent_m": round(descent, 1),
    }


def climbs(height: NDArray[np.float64]) -> tuple[float, float]:
    """Sum of ups and of downs, each from one turning point to the next; swings below `LEAST_CLIMB_M` do not count."""
    smoothed = [float(height[0])]
    rising = 0
    for value in height[1:].tolist():
        step = value - smoothed[-1]
        if rising and step * rising > 0:
            smoothed[-1] = value
        elif abs(step) >= LEAST_CLIMB_M:
            smoothed.append(value)
            rising = 1 if step > 0 else -1
    steps = np.diff(smoothed)
    return float(steps[steps > 0].sum()), float(-steps[steps < 0].sum())


def profile_chart(heights: Json | None) -> Chart | None:
    """The heights as a small curve."""
    if heights is None:
        return None
    return Chart(
        "curve",
        f"Height, m: {heights['climb_m']:.0f} m up, {heights['descent_m']:.0f} m down",
        Axis("metres along the way", heights["distance_m"]),
        [Series("Height, m", heights["height_m"])],
        from_least=True,
    )
