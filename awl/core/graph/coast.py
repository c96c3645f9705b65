"""The sea of an extract, from its coastlines, decided by weight of evidence.

A coastline has land on its left and water on its right. Coastlines and the outline of the ground enclose faces; every metre of
coast around a face says whether it is land or sea, and every metre of street on it says that it is land. A face is sea where
nearly all of its coast says so and hardly a street contradicts; where the evidence disagrees no sea is drawn, and the
length of coast for which that holds is reported.

Coasts that stop are closed first: two ends that face each other across a gap are joined, any other end is led to the outline
by the straight line that crosses no street and no coast and stays inside the data for the shortest distance.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.geodesy import LocalPlane

MARGIN = 0.3
"""How far the sea is drawn beyond the data, as a share of its larger side."""
AGREEMENT = 0.9
"""Share of the coast around a face that must call it sea."""
MAX_STREET_SHARE = 0.01
"""Share of the length of all streets that may lie in the sea together, such as piers without a bridge tag."""
RAYS = 72
"""Directions tried to lead the end of a coast to the outline."""
RAY_PIECES = 32
"""Pieces a direction is tested in: their boxes hold fewer streets than the box of the whole."""
HEADING_SHARE = 0.1
"""How far back the heading of a coast is taken, as a share of the size of the data."""
TURN_WEIGHT = 0.25
"""What turning square off the heading counts, in sizes of the data crossed."""
SIDE_M = 0.25
"""Distance from the coast at which its sides are looked at, at most."""

Segments = NDArray[np.float64]
"""Segments (s, 2, 2): from, to; x, y."""


@dataclass(frozen=True)
class Sea:
    """Polygons in degrees, the length of all coast, and of the coast beside which no sea is drawn as the evidence disagrees."""

    polygons: NDArray[np.object_]
    coast_m: float = 0.0
    disputed_m: float = 0.0


def sea_of(coast: Segments, streets: Segments) -> Sea:
    """The sea beside coastlines.

    Parameters:
        coast: segments of coastlines in degrees, land on their left.
        streets: segments of streets that lie on land, in degrees: no bridges, tunnels or ferries.

    Returns:
        The sea, out to a margin around coast and streets.
    """
    if len(coast) == 0:
        return Sea(np.zeros(0, object))
    vertices = np.concatenate([coast, streets]).reshape(-1, 2)
    plane = LocalPlane.around(vertices[:, 0], vertices[:, 1])
    projected = np.column_stack(plane.xy(*vertices.T)).reshape(-1, 2, 2)
    shore, roads = projected[: len(coast)], projected[len(coast) :]
    data = shapely.multipoints(projected.reshape(-1, 2))
    outline = _with_margin(data)
    merged = shapely.get_parts(shapely.line_merge(shapely.multilinestrings(shapely.linestrings(shore)), directed=True))
    closing = _closing_lines(merged, shore, roads, data.convex_hull, outline)
    faces = shapely.get_parts(shapely.polygonize([shapely.union_all([outline.exterior, *merged, *closing])]))
    tree = shapely.STRtree(faces)
    sea_m, land_m = _votes(tree, shore, len(faces))
    street_m = _lengths_on(tree, roads, len(faces))
    wet = _wet(sea_m, land_m, street_m)
    # Coast whose right side came out as land counts as disputed.
    disputed_m = float(sea_m[~wet].sum())
    polygons = shapely.get_parts(shapely.union_all(faces[wet])) if wet.any() else np.zeros(0, object)
    return Sea(plane.unproject(polygons), float(_lengths(shore).sum()), disputed_m)


def _wet(sea_m: NDArray[np.float64], land_m: NDArray[np.float64], street_m: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Which faces are sea, by the metres of coast (f,) that say sea or land and the metres of street on each."""
    called_sea = (sea_m > 0) & (sea_m >= AGREEMENT * (sea_m + land_m))
    rows = np.flatnonzero(called_sea)
    rows = rows[np.argsort(street_m[rows], kind="stable")]
    spared = np.cumsum(street_m[rows]) <= MAX_STREET_SHARE * street_m.sum()
    wet = np.zeros(len(sea_m), bool)
    wet[rows[spared]] = True
    return wet


def _with_margin(data: shapely.Geometry) -> shapely.Polygon:
    west, south, east, north = data.bounds
    margin = max(MARGIN * max(east - west, north - south), 1.0)
    outline: shapely.Polygon = shapely.box(west - margin, south - margin, east + margin, north + margin)
    return outline


def _lengths(segment: Segments) -> NDArray[np.float64]:
    return np.asarray(np.hypot(*(segment[:, 1] - segment[:, 0]).T))


def _votes(tree: shapely.STRtree, segment: Segments, count: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Metres of coast that call each face (count,) sea, and land."""
    segment = segment[_lengths(segment) > 0]
    step, length = segment[:, 1] - segment[:, 0], _lengths(segment)
    right = np.column_stack([step[:, 1], -step[:, 0]]) / length[:, None]
    offset = right * np.minimum(length * 1e-2, SIDE_M)[:, None]
    middle = segment.mean(axis=1)

    def metres(points: NDArray[np.float64]) -> NDArray[np.float64]:
        row, face = tree.query(shapely.points(points), predicate="within")
        return np.bincount(face, weights=length[row], minlength=count).astype(float)

    return metres(middle + offset), metres(middle - offset)


def _lengths_on(tree: shapely.STRtree, roads: Segments, count: int) -> NDArray[np.float64]:
    """Metres of street on each face (count,); a segment counts where its middle lies."""
    if len(roads) == 0:
        return np.zeros(count)
    row, face = tree.query(shapely.points(roads.mean(axis=1)), predicate="within")
    length = _lengths(roads)
    return np.bincount(face, weights=length[row], minlength=count).astype(float)


def _closing_lines(
    merged: NDArray[np.object_],
    shore: Segments,
    roads: Segments,
    hull: shapely.Geometry,
    outline: shapely.Polygon,
) -> list[shapely.Geometry]:
    """Lines that close open coasts: across gaps, and from other ends to the outline."""
    open_lines = merged[~shapely.is_closed(merged)]
    begins = shapely.get_coordinates(shapely.get_point(open_lines, 0))
    ends = shapely.get_coordinates(shapely.get_point(open_lines, -1))
    to_edge = [shapely.distance(shapely.boundary(hull), shapely.points(points)) for points in (ends, begins)]
    joined_end, joined_begin = _gaps(ends, begins, to_edge[0], to_edge[1])
    closing = [shapely.LineString([ends[i], begins[j]]) for i, j in zip(joined_end, joined_begin, strict=True)]
    back = HEADING_SHARE * np.sqrt(hull.area)
    heading = ends - shapely.get_coordinates(shapely.line_interpolate_point(open_lines, -back))
    heading_begin = begins - shapely.get_coordinates(shapely.line_interpolate_point(open_lines, back))
    loose_end, loose_begin = (np.setdiff1d(np.arange(len(ends)), joined) for joined in (joined_end, joined_begin))
    spots = np.concatenate([ends[loose_end], begins[loose_begin]])
    headings = np.concatenate([heading[loose_end], heading_begin[loose_begin]])
    if len(spots):
        obstacles = np.concatenate([roads, shore])
        tree = shapely.STRtree(shapely.linestrings(obstacles))
        for spot, on in zip(spots, headings, strict=True):
            closing.append(_led_out(spot, on, obstacles, tree, hull, outline))
    return closing


def _gaps(
    ends: NDArray[np.float64],
    begins: NDArray[np.float64],
    end_to_edge: NDArray[np.float64],
    begin_to_edge: NDArray[np.float64],
) -> tuple[list[int], list[int]]:
    """Pairs of an end and a begin that lie nearer to each other than either does to the edge of the data, nearest first."""
    if len(ends) == 0:
        return [], []
    tree = shapely.STRtree(shapely.points(begins))
    end, begin = tree.query(shapely.buffer(shapely.points(ends), np.maximum(end_to_edge, 1e-9)), predicate="intersects")
    gap = np.hypot(*(ends[end] - begins[begin]).T)
    near = (gap < end_to_edge[end]) & (gap < begin_to_edge[begin])
    pairs_end: list[int] = []
    pairs_begin: list[int] = []
    for row in np.argsort(gap, kind="stable"):
        i, j = int(end[row]), int(begin[row])
        if near[row] and i not in pairs_end and j not in pairs_begin:
            pairs_end.append(i)
            pairs_begin.append(j)
    return pairs_end, pairs_begin


def _led_out(
    spot: NDArray[np.float64],
    heading: NDArray[np.float64],
    obstacles: Segments,
    tree: shapely.STRtree,
    hull: shapely.Geometry,
    outline: shapely.Polygon,
) -> shapely.Geometry:
    """The straight line from the end of a coast to the outline that crosses fewest streets and coasts.

    Among those it stays inside the data for a short distance and goes on as the coast was heading.
    """
    angle = np.arange(RAYS) * (2 * np.pi / RAYS)
    direction = np.column_stack([np.cos(angle), np.sin(angle)])
    ahead = heading / max(float(np.hypot(*heading)), 1e-9)
    direction = np.vstack([ahead, direction]) if ahead.any() else direction
    goal = _to_box(spot, direction, outline)
    rays = shapely.linestrings(np.stack([np.broadcast_to(spot, goal.shape), goal], axis=1))
    share = np.linspace(0, 1, RAY_PIECES + 1)[None, :, None]
    along = spot + share * (goal - spot)[:, None, :]
    pieces = shapely.linestrings(np.stack([along[:, :-1], along[:, 1:]], axis=2).reshape(-1, 2, 2))
    piece, segment = tree.query(pieces, predicate="intersects")
    own = (np.abs(obstacles[segment] - spot).max(axis=2) == 0).any(axis=1)
    crossed = np.bincount(piece[~own] // RAY_PIECES, minlength=len(rays))
    inside = shapely.length(shapely.intersection(rays, hull)) / np.sqrt(hull.area)
    turned = 1 - direction @ ahead
    best: shapely.Geometry = rays[np.lexsort([inside + TURN_WEIGHT * turned, crossed])[0]]
    return best


def _to_box(spot: NDArray[np.float64], direction: NDArray[np.float64], outline: shapely.Polygon) -> NDArray[np.float64]:
    """Where rays (r, 2) from a spot inside a box leave it, and a hair beyond."""
    west, south, east, north = outline.bounds
    with np.errstate(divide="ignore", invalid="ignore"):
        x = np.where(direction[:, 0] > 0, east - spot[0], west - spot[0]) / direction[:, 0]
        y = np.where(direction[:, 1] > 0, north - spot[1], south - spot[1]) / direction[:, 1]
    reach = np.fmin(np.where(np.isfinite(x), x, np.inf), np.where(np.isfinite(y), y, np.inf))
    return spot + direction * (reach * (1 + 1e-9))[:, None]
