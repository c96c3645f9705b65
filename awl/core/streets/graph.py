"""The street graph: a few named arrays, the same for every mode.

A link runs from `link_from` to `link_to` in the direction in which it was drawn. Whether and how fast it may be used
is a matter of modes, not of the graph.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.columns import Categorical
from awl.core.geodesy import LocalPlane


@dataclass(frozen=True)
class StreetGraph:
    """Nodes (n,), links (m,) and the vertices (v,) of the links' shapes.

    The shape of link i is vertices `shape_start[i]` to `shape_start[i + 1]`, its ends included; `shape_m` is the
    geodesic distance in metres from the link's start to each vertex. `tags` maps an attribute to a column (m,).
    `node_border` marks nodes where a street was cut at the edge of the extract or study area. `node_id` and `link_way` are
    what the source calls them (OSM ids, rows of a file; 0 for a node that was put there); `node_number` is the number by
    which the study knows a node, each once.
    """

    node_id: NDArray[np.int64]
    node_lon: NDArray[np.float64]
    node_lat: NDArray[np.float64]
    node_border: NDArray[np.bool_]
    node_number: NDArray[np.int64]
    link_from: NDArray[np.int32]
    link_to: NDArray[np.int32]
    link_way: NDArray[np.int64]
    shape_start: NDArray[np.int64]
    shape_lon: NDArray[np.float64]
    shape_lat: NDArray[np.float64]
    shape_m: NDArray[np.float64]
    tags: dict[str, Categorical] = field(default_factory=dict)

    @property
    def node_count(self) -> int:
        """Number of nodes."""
        return len(self.node_id)

    @property
    def link_count(self) -> int:
        """Number of links."""
        return len(self.link_from)

    @cached_property
    def link_length(self) -> NDArray[np.float64]:
        """Geodesic length of each link in metres (m,)."""
        return self.shape_m[self.shape_start[1:] - 1]

    @cached_property
    def plane(self) -> LocalPlane:
        """The metric plane used for areas and nearest-street searches."""
        return LocalPlane.around(self.shape_lon, self.shape_lat)

    @cached_property
    def shape_xy(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """The vertices in the metric plane, metres."""
        return self.plane.xy(self.shape_lon, self.shape_lat)

    @cached_property
    def lines_xy(self) -> NDArray[np.object_]:
        """Each link as a Shapely LineString in the metric plane (m,)."""
        x, y = self.shape_xy
        return ragged_lines(np.column_stack([x, y]), self.shape_start)

    def tag(self, key: str) -> Categorical:
        """The column of an attribute, empty when no link carries it."""
        return self.tags.get(key) or Categorical(np.full(self.link_count, -1, np.int32), ())

    def lines(self) -> NDArray[np.object_]:
        """Each link as a Shapely LineString in degrees (m,)."""
        return ragged_lines(np.column_stack([self.shape_lon, self.shape_lat]), self.shape_start)


def ragged_lines(xy: NDArray[np.float64], start: NDArray[np.int64]) -> NDArray[np.object_]:
    """LineStrings from vertices (v, 2) and the offsets (m + 1,) at which each line begins."""
    counts = np.diff(start)
    return shapely.linestrings(xy, indices=np.repeat(np.arange(len(counts)), counts))


def hilbert_order(lon: NDArray[np.float64], lat: NDArray[np.float64]) -> NDArray[np.int64]:
    """Order of points along a Hilbert curve, so that neighbours in space are neighbours in memory.

    Source: J. Skilling, *Programming the Hilbert curve*, AIP Conf. Proc. 707 (2004); 16 levels.
    """
    if len(lon) == 0:
        return np.zeros(0, np.int64)
    span = max(np.ptp(lon), np.ptp(lat), 1e-12)
    x = ((lon - lon.min()) / span * 65535).astype(np.int64)
    y = ((lat - lat.min()) / span * 65535).astype(np.int64)
    distance = np.zeros(len(x), np.int64)
    side = 1 << 15
    while side:
        right = (x & side) > 0
        upper = (y & side) > 0
        distance += side * side * ((3 * right) ^ upper)
        flip = ~upper
        mirror = flip & right
        x, y = np.where(mirror, 65535 - x, x), np.where(mirror, 65535 - y, y)
        x, y = np.where(flip, y, x), np.where(flip, x, y)
        side >>= 1
    return np.argsort(distance, kind="stable")
