"""The part of a field round the streets that are reached: of a region that is little where a limit is short."""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.analysis.isochrone_areas.field import Field
from awl.core.routing.reach import Reach

MOST_SHARE = 0.5
"""Where more of the samples lie on streets that are reached, the whole field is as good."""


def field_near(field: Field, reach: Reach) -> Field:
    """The triangles with a corner on a street that is reached, on which an area is drawn as on the whole field.

    Parameters:
        field: the points at which the field is known.
        reach: arrivals along all links, or along those that are reached.
    """
    links = reach.link[reach.is_reached]
    is_near = np.zeros(int(max(field.link.max(initial=-1), links.max(initial=-1))) + 1, bool)
    is_near[links] = True
    near = np.zeros(len(field.x), bool)
    near[: field.samples] = is_near[field.link]
    if np.count_nonzero(near) > MOST_SHARE * field.samples:
        return field
    triangles = field.triangles[_touching(field.triangles, near)]
    rows = np.unique(triangles)
    on_streets = rows[: np.searchsorted(rows, field.samples)]
    return Field(
        field.x[rows],
        field.y[rows],
        field.link[on_streets],
        field.fraction[on_streets],
        np.searchsorted(rows, triangles).astype(np.int32),
    )


@njit(cache=True, nogil=True)
def _touching(triangles: NDArray[np.int32], near: NDArray[np.bool_]) -> NDArray[np.int64]:
    """Rows of the triangles (t, 3) of which a corner is near."""
    rows = np.empty(len(triangles), np.int64)
    count = 0
    for i in range(len(triangles)):
        rows[count] = i
        count += near[triangles[i, 0]] | near[triangles[i, 1]] | near[triangles[i, 2]]
    return rows[:count].copy()
