"""Areas around reached streets, by contouring a triangulated field.

A point of the field is inside where it is reached within the limit. Along a street the contour falls exactly where the
limit does, because samples stand on the street at known arrivals and the arrival is linear between them. Off the street
it runs between reached and unreached streets; towards blank land it keeps at most `OFF_STREET_M` from the street, and
less as the time left runs out.
Source of the triangle cases: marching triangles, the two-dimensional form of B. Lee Lorensen and H. Cline,
*Marching cubes*, SIGGRAPH 1987.
"""

from __future__ import annotations

import numpy as np
import shapely
from numba import njit
from numpy.typing import NDArray

from awl.core.analysis.isochrone_areas.field import CALM_MS, Field
from awl.core.routing.reach import Reach

SMALLEST_M2 = 400.0
"""Specks and holes below this size are left out of an area."""


def field_values(
    field: Field, reach: Reach, limit: float, calm: float = CALM_MS, owner: int | None = None
) -> NDArray[np.float64]:
    """Signed value (q,) of each point, from 1 well inside the limit to -1 well beyond it or on blank land.

    With `owner`, points reached first from another place are outside, and the boundary runs midway between places.

    Parameters:
        field: the points at which the field is known.
        reach: arrivals along all links.
        limit: the limit, in the unit of the arrivals.
        calm: how far from the limit a value reaches 1 or -1, in the unit of the arrivals.
        owner: the place whose area is wanted; None for that of all.
    """
    arrival, holder = arrivals_at(field, reach)
    inside = np.clip((limit - arrival) / calm, -1.0, 1.0)
    # Exactly on the limit counts as reached; a zero would make the contour pass through the point twice.
    inside = np.where(inside == 0, 1e-9, inside)
    if owner is not None:
        inside = np.where(holder == owner, inside, -np.abs(inside))
    return np.concatenate([inside, np.full(len(field.x) - field.samples, -1.0)])


def arrivals_at(field: Field, reach: Reach) -> tuple[NDArray[np.float64], NDArray[np.int32]]:
    """Arrival at every sample and the place it belongs to.

    Parameters:
        field: the points at which the field is known.
        reach: arrivals along all links.
    """
    if len(reach.link) == 0:
        return np.full(field.samples, np.inf), np.full(field.samples, -1, np.int32)
    # Pieces stand in order of link and begin: the piece of a sample is the last one that begins at or before it.
    key = reach.link + np.minimum(reach.begin, 1.0 - 1e-12)
    row = np.searchsorted(key, field.link + np.minimum(field.fraction, 1.0 - 1e-9), side="right") - 1
    known = (row >= 0) & (reach.link[row] == field.link)
    arrival = np.where(known, reach.at(row, field.fraction), np.inf)
    ahead = field.fraction <= reach.meeting()[row]
    holder = np.where(ahead, reach.owner_begin[row], reach.owner_end[row])
    return arrival, np.where(known, holder, -1).astype(np.int32)


def contour_area(field: Field, value: NDArray[np.float64]) -> shapely.Geometry:
    """The polygon(s) in the metric plane where `value` (q,), interpolated over the triangles, is positive.

    The rim of the field must be blank (negative), so that every contour closes.

    Parameters:
        field: the points at which the field is known.
        value: values (q,) at the points.
    """
    corner = value[field.triangles]
    positive = corner > 0
    count = positive.sum(axis=1)
    mixed = (count == 1) | (count == 2)
    if not mixed.any():
        return shapely.MultiPolygon()
    triangles, corner, positive = field.triangles[mixed], corner[mixed], positive[mixed]
    odd_inside = count[mixed] == 1
    # Turn each triangle so that the odd corner out comes first.
    odd = np.where(odd_inside, np.argmax(positive, axis=1), np.argmin(positive, axis=1))
    turn = (odd[:, None] + np.arange(3)) % 3
    rows = np.arange(len(triangles))[:, None]
    triangles, corner = triangles[rows, turn], corner[rows, turn]
    (first, first_edge), (second, second_edge) = (_crossing(field, triangles, corner, other) for other in (1, 2))
    # Triangles run anticlockwise: from edge (0,1) to edge (0,2) corner 0 is on the left. The inside stays on the left.
    begin = np.where(odd_inside, first_edge, second_edge)
    end = np.where(odd_inside, second_edge, first_edge)
    point = np.where(odd_inside[:, None], first, second)
    order = np.argsort(begin)
    follows = order[np.searchsorted(begin[order], end)]
    chain, start = _chains(follows)
    return _area_of_rings([point[chain[a:b]] for a, b in zip(start[:-1], start[1:], strict=True)])


def _crossing(
    field: Field, triangles: NDArray[np.int32], corner: NDArray[np.float64], other: int
) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """Where the contour crosses the edge from corner 0 to `other`, and a number that names the edge."""
    # Computed from the lower point row to the higher, so that both triangles of an edge give the same point.
    a, b = triangles[:, 0].astype(np.int64), triangles[:, other].astype(np.int64)
    value_a, value_b = corner[:, 0], corner[:, other]
    swap = a > b
    a, b = np.where(swap, b, a), np.where(swap, a, b)
    value_a, value_b = np.where(swap, value_b, value_a), np.where(swap, value_a, value_b)
    share = value_a / (value_a - value_b)
    x = field.x[a] + share * (field.x[b] - field.x[a])
    y = field.y[a] + share * (field.y[b] - field.y[a])
    return np.column_stack([x, y]), a * len(field.x) + b


@njit(cache=True, nogil=True)
def _chains(follows: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Cycles of a permutation: members in order, and the offsets at which each cycle begins."""
    count = len(follows)
    chain = np.empty(count, np.int64)
    start = np.zeros(count + 1, np.int64)
    used = np.zeros(count, np.bool_)
    size, cycles = 0, 0
    for seed in range(count):
        if used[seed]:
            continue
        at = seed
        while not used[at]:
            used[at] = True
            chain[size] = at
            size += 1
            at = follows[at]
        cycles += 1
        start[cycles] = size
    return chain, start[: cycles + 1]


def _area_of_rings(rings: list[NDArray[np.float64]]) -> shapely.Geometry:
    """Anticlockwise rings are shells, clockwise ones holes of the smallest shell around them."""
    size = np.array([_signed_area(ring) for ring in rings])
    shells = [ring for ring, area in zip(rings, size, strict=True) if area >= SMALLEST_M2]
    holes = [ring for ring, area in zip(rings, size, strict=True) if area <= -SMALLEST_M2]
    if not shells:
        return shapely.MultiPolygon()
    solid = shapely.polygons([shapely.linearrings(ring) for ring in shells])
    inner: list[list[NDArray[np.float64]]] = [[] for _ in shells]
    if holes:
        hole, shell = shapely.STRtree(solid).query(shapely.points([ring[0] for ring in holes]), predicate="within")
        area = shapely.area(solid)[shell]
        for h in np.unique(hole):
            of_hole = hole == h
            inner[int(shell[of_hole][np.argmin(area[of_hole])])].append(holes[int(h)])
    return shapely.multipolygons([shapely.Polygon(ring, cut) for ring, cut in zip(shells, inner, strict=True)])


def _signed_area(ring: NDArray[np.float64]) -> float:
    x, y = ring[:, 0] - ring[0, 0], ring[:, 1] - ring[0, 1]
    return float(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y) / 2)
