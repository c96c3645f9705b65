"""Streets over water: an area leaves water out, but never a street that is reached.

Bridges cross water, and water of a base map may cover streets it should not (an island whose outline is missing, a quay). Where a
reached street lies in water, a strip along it belongs to the area.
"""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.graph.shapes import cut_lines
from awl.core.graph.street_graph import StreetGraph
from awl.core.routing.reach import Reach, reached_parts

STRIP_M = 6.0
"""Half the width of the strip along a street over water."""


def links_over_water(graph: StreetGraph, water: shapely.Geometry) -> NDArray[np.bool_]:
    """Which links (m,) touch water, a polygon in the metric plane.

    Parameters:
        graph: the street graph.
        water: the water, in the metric plane.
    """
    if water.is_empty:
        return np.zeros(graph.link_count, bool)
    shapely.prepare(water)
    return np.asarray(shapely.intersects(water, graph.lines_xy))


def without_water(
    area: shapely.Geometry,
    water: shapely.Geometry,
    graph: StreetGraph,
    over_water: NDArray[np.bool_],
    reach: Reach,
    limit: float,
    owner: int | None = None,
) -> shapely.Geometry:
    """An area without water, but with strips along the reached streets that lie in it.

    Parameters:
        area: the area in the metric plane.
        water: all water in the metric plane.
        graph: the street graph.
        over_water: links (m,) that touch water.
        reach: arrivals along all streets.
        limit: what counts as reached, in the unit of `reach`.
        owner: the place that streets must belong to; None for any.
    """
    if water.is_empty:
        return area
    dry = shapely.difference(area, water)
    parts = reached_parts(reach.take(over_water[reach.link]), limit)
    rows = np.arange(len(parts.link)) if owner is None else np.flatnonzero(parts.owner == owner)
    if len(rows) == 0:
        return dry
    lines = cut_lines(graph, parts.link[rows], parts.begin[rows], parts.end[rows], in_plane=True)
    wet = shapely.intersection(shapely.union_all(lines), water)
    return dry if wet.is_empty else shapely.union(dry, shapely.buffer(wet, STRIP_M, quad_segs=4))
