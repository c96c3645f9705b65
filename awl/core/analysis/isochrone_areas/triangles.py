"""Delaunay triangles of many points that lie nowhere far apart, tile by tile and on all cores.

A triangle is part of the triangulation where no point lies in the circle through its corners. Where such circles are small, a
tile knows its own triangles by the points in it and a margin around it; each triangle is kept by the tile in which the centre of
its circle lies.
Source: B. Delaunay, *Sur la sphère vide* (1934); the tiles themselves are triangulated by SciPy's Qhull.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import Delaunay

from awl.core.progress import cores

Points = NDArray[np.float64]
TILE = 75_000
"""Points of a tile at most, its margin not counted."""
SHIFT_M = 1e-3
"""Points are moved by less than this: on a plain grid four lie on one circle, and two tiles could part them differently."""
MOST_AGAIN = 0.5
"""Share of the points near changed ones above which all are triangulated again."""
Box = tuple[Points, Points]


def triangulated(points: Points, widest: float, tile: int = TILE) -> NDArray[np.int32]:
    """Rows of `points` (q, 2) at the corners (t, 3) of each triangle, anticlockwise.

    Triangles in a circle wider than the radius `widest`, in metres, are left out. No triangle inside the outline is lost where
    every circle of that radius holds a point.

    Parameters:
        points: the points (q, 2) in metres.
        widest: the largest radius of a circle around a triangle, in metres.
        tile: how many points are triangulated at once.
    """
    shifted = _shifted(points)
    boxes = _boxes(shifted, tile)
    with ThreadPoolExecutor(cores()) as pool:
        return np.concatenate(list(pool.map(lambda box: _of_tile(shifted, box, widest), boxes)))


def triangulated_again(
    points: Points, widest: float, former: Points, triangles: NDArray[np.int32]
) -> NDArray[np.int32] | None:
    """What `triangulated` gives for points most of which were triangulated before; None where too many were not.

    Where a circle holds no point that came or went, its triangle stays. All others have their centres near such points.

    Parameters:
        points: the points (q, 2) in metres.
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
    near = ((points >= low - widest - SHIFT_M) & (points <= high + widest + SHIFT_M)).all(axis=1)
    if near.mean() > MOST_AGAIN:
        return None
    shifted, corners = _shifted(points), row[triangles].astype(np.int32)
    corners = corners[(corners >= 0).all(axis=1)]
    at_box = np.flatnonzero(near[corners].any(axis=1))
    centre, _ = _circles(shifted[np.sort(corners[at_box], axis=1)])
    stays = np.ones(len(corners), bool)
    stays[at_box] = ~((centre >= low) & (centre < high)).all(axis=1)
    return np.concatenate([corners[stays], _of_tile(shifted, (low, high), widest)])


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


def _boxes(points: Points, tile: int) -> list[Box]:
    """Boxes without gaps, the outer ones without end, that hold at most `tile` points each."""
    done: list[Box] = []
    pending = [(points, (np.full(2, -np.inf), np.full(2, np.inf)))]
    while pending:
        inside, (low, high) = pending.pop()
        if len(inside) <= tile:
            done.append((low, high))
            continue
        axis = int(np.argmax(np.ptp(inside, axis=0)))
        middle = np.median(inside[:, axis])
        first = inside[:, axis] < middle
        upper, lower = high.copy(), low.copy()
        upper[axis] = lower[axis] = middle
        pending += [(inside[first], (low, upper)), (inside[~first], (lower, high))]
    return done


def _of_tile(points: Points, box: Box, widest: float) -> NDArray[np.int32]:
    low, high = box
    near = np.flatnonzero(((points >= low - widest) & (points <= high + widest)).all(axis=1)).astype(np.int32)
    if len(near) < 3:
        return np.zeros((0, 3), np.int32)
    corners: NDArray[np.int32] = near[Delaunay(points[near]).simplices]
    # In ascending order, so that every tile finds the same centre to the last bit.
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
