"""Delaunay triangles of many points that lie nowhere far apart, tile by tile.

A triangle is part of the triangulation where no point lies in the circle through its corners. Where such circles are small, a
tile knows its own triangles by the points in it and a margin around it; each triangle is kept by the tile in which the centre of
its circle lies.
Source: B. Delaunay, *Sur la sphère vide* (1934); the tiles themselves are triangulated by SciPy's Qhull.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import Delaunay

Points = NDArray[np.float64]
SHIFT_M = 1e-3
"""Points are moved by less than this: on a plain grid four lie on one circle, and two tiles could part them differently."""
MOST_AGAIN = 0.5
"""Share of the points near changed ones above which all are triangulated again."""
Box = tuple[Points, Points]


def triangulated(points: Points, box: Box, widest: float) -> NDArray[np.int32]:
    """Rows of `points` (q, 2) at the corners (t, 3) of each triangle whose circle has its centre in a box, anticlockwise.

    Triangles in a circle wider than the radius `widest`, in metres, are left out. No triangle inside the outline is lost where
    every circle of that radius holds a point.

    Parameters:
        points: the points (q, 2) in metres, at least those up to `widest` from the box.
        box: the lowest and the highest coordinates, the highest not being part of it.
        widest: the largest radius of a circle around a triangle, in metres.
    """
    return _in_box(_shifted(points), box, widest)


def triangulated_again(
    points: Points, box: Box, widest: float, former: Points, triangles: NDArray[np.int32]
) -> NDArray[np.int32]:
    """What `triangulated` gives for points most of which were triangulated before.

    Where a circle holds no point that came or went, its triangle stays. All others have their centres near such points.

    Parameters:
        points: the points (q, 2) in metres, at least those up to `widest` from the box.
        box: the lowest and the highest coordinates, the highest not being part of it.
        widest: the largest radius of a circle around a triangle, in metres.
        former: the points (p, 2) before.
        triangles: their triangles (t, 3).
    """
    row = _rows_in(former, points)
    came = np.ones(len(points), bool)
    came[row[row >= 0]] = False
    changed = np.concatenate([points[came], former[row < 0]])
    if len(changed) == 0:
        return row[triangles].astype(np.int32)
    low, high = changed.min(axis=0) - widest - 2 * SHIFT_M, changed.max(axis=0) + widest + 2 * SHIFT_M
    low, high = np.maximum(low, box[0]), np.minimum(high, box[1])
    near = ((points >= low - widest - SHIFT_M) & (points <= high + widest + SHIFT_M)).all(axis=1)
    if near.mean() > MOST_AGAIN:
        return triangulated(points, box, widest)
    shifted, corners = _shifted(points), row[triangles].astype(np.int32)
    corners = corners[(corners >= 0).all(axis=1)]
    at_box = np.flatnonzero(near[corners].any(axis=1))
    centre, _ = _circles(shifted[np.sort(corners[at_box], axis=1)])
    stays = np.ones(len(corners), bool)
    stays[at_box] = ~((centre >= low) & (centre < high)).all(axis=1)
    return np.concatenate([corners[stays], _in_box(shifted, (low, high), widest)])


def _shifted(points: Points) -> Points:
    """Points moved by less than `SHIFT_M`, each by what its own place says: the same whatever other points there are."""
    with np.errstate(over="ignore"):
        place = np.rint(points * 100).astype(np.int64).view(np.uint64)
        mixed = place[:, 0] * np.uint64(0x9E3779B97F4A7C15) ^ place[:, 1] * np.uint64(0xC2B2AE3D27D4EB4F)
        mixed = (mixed ^ (mixed >> np.uint64(29))) * np.uint64(0xBF58476D1CE4E5B9)
    halves = np.column_stack([mixed >> np.uint64(32), mixed & np.uint64(0xFFFFFFFF)])
    return points + SHIFT_M * (halves / 2.0**32)


def _rows_in(points: Points, others: Points) -> NDArray[np.int64]:
    """The row (p,) of each point among the others, -1 where it is not there."""
    mine, theirs = (np.ascontiguousarray(some).view(np.complex128).ravel() for some in (points, others))
    order = np.argsort(theirs)
    place = order[np.minimum(np.searchsorted(theirs, mine, sorter=order), len(order) - 1)]
    return np.where(theirs[place] == mine, place, -1)


def _in_box(points: Points, box: Box, widest: float) -> NDArray[np.int32]:
    low, high = box
    near = np.flatnonzero(((points >= low - widest) & (points <= high + widest)).all(axis=1)).astype(np.int32)
    if len(near) < 3:
        return np.zeros((0, 3), np.int32)
    corners: NDArray[np.int32] = near[Delaunay(points[near]).simplices]
    # In ascending order, so that every box finds the same centre to the last bit.
    centre, radius = _circles(points[np.sort(corners, axis=1)])
    own = ((centre >= low) & (centre < high)).all(axis=1) & (radius <= widest)
    return corners[own]


def _circles(corner: Points) -> tuple[Points, Points]:
    """Centres (t, 2) and radii (t,) of the circles through the corners (t, 3, 2)."""
    a, b = corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]
    with np.errstate(divide="ignore", invalid="ignore"):
        twice = 2 * (a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])
        aa, bb = (a**2).sum(axis=1), (b**2).sum(axis=1)
        from_corner = np.stack([b[:, 1] * aa - a[:, 1] * bb, a[:, 0] * bb - b[:, 0] * aa], axis=1) / twice[:, None]
        return corner[:, 0] + from_corner, np.hypot(from_corner[:, 0], from_corner[:, 1])
