"""Streets over water: an area leaves water out, but never a street that is reached.

Bridges cross water, and water of a base map may cover streets it should not (an island whose outline is missing, a quay). Where a
reached street lies in water, a strip along it belongs to the area.
"""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.graph.nearest_links import NearestLinks
from awl.core.graph.shapes import cut_lines
from awl.core.graph.street_graph import StreetGraph
from awl.core.routing.reach import Reach, reached_parts

STRIP_M = 6.0
"""Half the width of the strip along a street over water."""


class Water:
    """The water of a study: an area needs to know of that around it alone.

    Parameters:
        polygons: all water in the metric plane.
    """

    def __init__(self, polygons: shapely.Geometry) -> None:
        self.parts: NDArray[np.object_] = shapely.get_parts(polygons)
        self._tree = shapely.STRtree(self.parts)

    @property
    def is_empty(self) -> bool:
        """Whether there is none."""
        return len(self.parts) == 0

    def around(self, shapes: NDArray[np.object_]) -> shapely.Geometry:
        """The parts whose boxes meet that around some shapes.

        Parameters:
            shapes: shapes (k,) in the metric plane.
        """
        bounds = shapely.total_bounds(shapes)
        rows = self._tree.query(shapely.box(*bounds)) if np.isfinite(bounds).all() else []
        return shapely.multipolygons(self.parts[np.sort(rows)]) if len(rows) else shapely.MultiPolygon()

    def links_over(self, graph: StreetGraph) -> NDArray[np.bool_]:
        """Which links (m,) touch it.

        Parameters:
            graph: the street graph.
        """
        is_over = np.zeros(graph.link_count, bool)
        if self.is_empty:
            return is_over
        by_place = NearestLinks.of(graph, np.arange(graph.link_count))
        part, link = by_place.in_boxes(shapely.bounds(self.parts))
        shapely.prepare(self.parts)
        is_over[link[shapely.intersects(self.parts[part], graph.some_lines_xy(link))]] = True
        return is_over


def without_water(
    area: shapely.Geometry,
    water: Water,
    graph: StreetGraph,
    over_water: NDArray[np.bool_],
    reach: Reach,
    limit: float,
    owner: int | None = None,
) -> shapely.Geometry:
    """An area without water, but with strips along the reached streets that lie in it.

    Parameters:
        area: the area in the metric plane.
        water: all water.
        graph: the street graph.
        over_water: links (m,) that touch water.
        reach: arrivals along all streets.
        limit: what counts as reached, in the unit of `reach`.
        owner: the place that streets must belong to; None for any.
    """
    if water.is_empty:
        return area
    dry = shapely.difference(area, water.around(np.array([area])))
    parts = reached_parts(reach.take(over_water[reach.link]), limit)
    rows = np.arange(len(parts.link)) if owner is None else np.flatnonzero(parts.owner == owner)
    if len(rows) == 0:
        return dry
    lines = cut_lines(graph, parts.link[rows], parts.begin[rows], parts.end[rows], in_plane=True)
    wet = shapely.intersection(shapely.union_all(lines), water.around(lines))
    return dry if wet.is_empty else shapely.union(dry, shapely.buffer(wet, STRIP_M, quad_segs=4))
