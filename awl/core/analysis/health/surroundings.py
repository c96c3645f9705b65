"""Streets and what lies about them: water they run through, places far from them."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.analysis.health.findings import Findings
from awl.core.analysis.health.levels import is_bridge, is_street, is_tunnel
from awl.core.graph.street_graph import StreetGraph

SAMPLE_M = 5.0
"""Distance between the points of a street that are looked at."""
LEAST_COVERED_M = 15.0
FAR_M = 400.0
"""A place this far from every street is left out of answers."""


def covered_by_water(graph: StreetGraph, water: NDArray[np.object_]) -> Findings:
    """Streets that run through water without bridge, tunnel or ford.

    Parameters:
        graph: the streets.
        water: polygons in the metric plane of the graph.
    """
    dry = is_street(graph) & ~is_bridge(graph) & ~is_tunnel(graph) & ~graph.tag("ford").present()
    rows = np.flatnonzero(dry)
    lines = graph.lines_xy[rows]
    polygon, nth = shapely.STRtree(lines).query(water)
    covered = np.zeros(len(rows))
    place = np.zeros((len(rows), 2))
    for part in np.unique(polygon):
        touched = nth[polygon == part]
        length = shapely.length(lines[touched])
        number = np.maximum(np.ceil(length / SAMPLE_M), 1).astype(np.int64)
        owner = np.repeat(np.arange(len(touched)), number)
        at = (np.arange(len(owner)) - np.repeat(np.cumsum(number) - number, number) + 0.5) * (length / number)[owner]
        points = shapely.get_coordinates(shapely.line_interpolate_point(lines[touched][owner], at))
        shapely.prepare(water[part])
        inside = shapely.contains_xy(water[part], points[:, 0], points[:, 1])
        covered[touched] += np.bincount(owner[inside], weights=(length / number)[owner[inside]], minlength=len(touched))
        place[touched[owner[inside]]] = points[inside]
    wet = np.flatnonzero(covered >= LEAST_COVERED_M)
    return Findings.of("covered-by-water", place[wet], rows[wet], covered[wet])


def far_places(graph: StreetGraph, xy: NDArray[np.float64]) -> Findings:
    """Places that lie far from every street.

    Parameters:
        graph: the streets.
        xy: of the places (k, 2) in the metric plane of the graph.
    """
    rows = np.flatnonzero(is_street(graph))
    points = shapely.points(xy)
    lines = graph.lines_xy[rows]
    nth, near = shapely.STRtree(lines).query_nearest(points, all_matches=False)
    distance = shapely.distance(points[nth], lines[near])
    far = distance > FAR_M
    foot = shapely.line_interpolate_point(
        lines[near[far]], shapely.line_locate_point(lines[near[far]], points[nth[far]])
    )
    return Findings.of("far-from-streets", xy[nth[far]], rows[near[far]], distance[far], shapely.get_coordinates(foot))
