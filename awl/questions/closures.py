"""Streets that a question closes or slows, by the shapes it was given."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.graph.nearest_links import NearestLinks
from awl.core.network.network import Network
from awl.core.polygons import repaired
from awl.io import geojson
from awl.questions.inputs import GeoJson


@dataclass(frozen=True)
class Closures:
    """What is closed.

    Attributes:
        closed: whether each link is closed.
        slower: how many times longer each link takes.
        crossed: shapes that cross themselves.
    """

    closed: NDArray[np.bool_]
    slower: NDArray[np.float64]
    crossed: int = 0


def closures_of(given: GeoJson | None, network: Network, snap_m: float) -> Closures:
    """Closed and slowed links: the one nearest to a point, and those that a line or polygon touches.

    Parameters:
        given: the shapes.
        network: whose usable links are meant.
        snap_m: how far a point may lie from its link, in metres.

    Raises:
        AwlError: no usable street lies there, or a `factor` is no share of the speed.
    """
    graph = network.graph
    closed, slower = np.zeros(graph.link_count, bool), np.ones(graph.link_count)
    if given is None:
        return Closures(closed, slower)
    layer = geojson.from_document(given.model_dump(), "closures")
    factors = layer.columns["factor"] if "factor" in layer.columns else [None] * len(layer)
    share = np.array([_share_left(value, i) for i, value in enumerate(factors)])
    crossed = int((~shapely.is_valid(layer.geometry)).sum())
    shapes = graph.plane.project(repaired(layer.geometry).shapes)
    by_place = NearestLinks.of(graph, np.flatnonzero(network.usable))
    is_point = (shapely.get_type_id(shapes) == 0) & ~shapely.is_empty(shapes)
    points, others = np.flatnonzero(is_point), np.flatnonzero(~is_point)
    nearest, _ = by_place.nearest(shapely.get_x(shapes[points]), shapely.get_y(shapes[points]), snap_m)
    row, beneath = by_place.in_boxes(shapely.bounds(shapes[others]))
    shapely.prepare(shapes[others])
    touched = shapely.intersects(shapes[others[row]], graph.some_lines_xy(beneath))
    feature = np.concatenate([points[nearest >= 0], others[row[touched]]])
    link = np.concatenate([nearest[nearest >= 0], beneath[touched]])
    if len(link) == 0:
        raise AwlError(
            "No usable street lies at the closures",
            remedy="Move them onto the streets they close",
            inputs=("closures",),
        )
    closed[link[share[feature] == 0]] = True
    slows = share[feature] > 0
    np.maximum.at(slower, link[slows], 1.0 / share[feature][slows])
    return Closures(closed, slower, crossed)


def _share_left(value: Any, row: int) -> float:
    """Share of the speed that a closure leaves, 0 where it closes."""
    if value is None:
        return 0.0
    if isinstance(value, bool) or not isinstance(value, int | float) or not 0 <= value <= 1:
        raise AwlError(
            f"'{value}' is no share of the speed",
            where=f"closures, feature {row + 1}",
            remedy="Let 'factor' lie between 0 (closed) and 1",
            inputs=("closures",),
        )
    return float(value)
