"""How much street a drawn area puts on the wrong side, estimated on a sample."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.graph.shapes import point_at
from awl.core.graph.street_graph import StreetGraph
from awl.core.network.network import Network
from awl.core.routing.reach import Reach

SAMPLES = 2000
"""Points looked at along the reached streets, evenly spaced."""
TOLERATED = 0.01
"""Share of reached street that areas may put on the wrong side without a word."""
SHORTEST_M = 1e-6
"""Nothing is divided by less."""
EDGE_M = 0.5
"""A point this near to the edge of an area lies on the right side."""


class AreaError(NamedTuple):
    """Street on the wrong side, as shares of the length of reached street.

    Attributes:
        lost: reached, but outside the area.
        enclosed: inside the area, but not reached.
    """

    lost: float
    enclosed: float


def area_error(
    network: Network, reach: Reach, limit: float, areas: NDArray[np.object_], by_owner: bool = False
) -> AreaError:
    """The share of street length on the wrong side of areas.

    Parameters:
        network: the streets of a mode, at a time and with closures.
        reach: arrivals along the streets that are reached.
        limit: what counts as reached, in the unit of `reach`.
        areas: one area in the metric plane, or one for each owner of `reach` with `by_owner` (None where none is drawn).
        by_owner: whether areas are those of single places.

    Returns:
        Shares with a standard error of at most about a hundredth, without `enclosed` where areas belong to owners.
    """
    graph = network.graph
    to, fro = reach.within(limit)
    metres = graph.link_length[reach.link]
    span = (reach.end - reach.begin) * metres
    ahead = np.minimum((to - reach.begin) * metres, span)
    behind = np.minimum((reach.end - fro) * metres, span - ahead)
    total = float((ahead + behind).sum())
    if total <= 0:
        return AreaError(0.0, 0.0)
    spacing = total / SAMPLES
    row, at = _evenly(ahead + behind, spacing)
    # Positions beyond what is reached from the begin lie in what is reached from the end.
    at = np.where(at <= ahead[row], at, span[row] - (ahead + behind)[row] + at)
    x, y, fraction = _points(graph, reach.link[row], reach.begin[row], at)
    if by_owner:
        first = reach.at_begin[row] + (fraction - reach.begin[row]) * reach.up[row]
        second = reach.at_end[row] + (reach.end[row] - fraction) * reach.down[row]
        owner = np.where(first <= second, reach.owner_begin[row], reach.owner_end[row])
        near = shapely.buffer(areas, EDGE_M)
        shapely.prepare(near)
        lost = ~shapely.contains_xy(near[owner], x, y) & ~shapely.is_missing(areas[owner])
        return AreaError(float(lost.mean()), 0.0)
    near, core = shapely.buffer(areas[0], EDGE_M), shapely.buffer(areas[0], -EDGE_M)
    shapely.prepare([near, core])
    lost = ~shapely.contains_xy(near, x, y)
    is_near = _nearby(graph, areas[0])
    absent = np.flatnonzero(is_near & network.usable).astype(np.int32)
    absent = absent[~np.isin(absent, reach.link)]
    link = np.concatenate([reach.link, absent])
    begin = np.concatenate([reach.begin + ahead / np.maximum(metres, SHORTEST_M), np.zeros(len(absent))])
    beyond = np.concatenate([is_near[reach.link] * (span - ahead - behind), graph.link_length[absent]])
    by_link = np.argsort(link, kind="stable")
    row, at = _evenly(beyond[by_link], spacing)
    x, y, _ = _points(graph, link[by_link][row], begin[by_link][row], at)
    return AreaError(float(lost.mean()), float(shapely.contains_xy(core, x, y).sum() * spacing / total))


def _evenly(length: NDArray[np.float64], spacing: float) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Points at even spacing along pieces laid end to end: the piece of each, and the metres along it."""
    end = np.cumsum(length)
    position = (np.arange(int(end[-1] / spacing)) + 0.5) * spacing if len(end) else np.zeros(0)
    row = np.searchsorted(end, position, side="right")
    return row, position - (end[row] - length[row])


def _points(
    graph: StreetGraph, link: NDArray[np.int32], begin: NDArray[np.float64], metres: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Plane coordinates of points so many metres beyond a fraction of links, and their fraction of the link."""
    fraction = np.clip(begin + metres / graph.link_length[link], 0.0, 1.0)
    x, y = graph.plane.xy(*point_at(graph, link, fraction))
    return x, y, fraction


def _nearby(graph: StreetGraph, area: shapely.Geometry) -> NDArray[np.bool_]:
    """Links (m,) whose boxes overlap the box around an area."""
    if area.is_empty:
        return np.zeros(graph.link_count, bool)
    west, south, east, north = area.bounds
    left, bottom, right, top = graph.boxes_xy
    near: NDArray[np.bool_] = (right >= west) & (left <= east) & (top >= south) & (bottom <= north)
    return near
