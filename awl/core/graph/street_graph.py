"""The street graph: a few named arrays, the same for every mode.

A link runs from `link_from` to `link_to` in the direction in which it was drawn. Whether and how fast it may be used
is a matter of modes, not of the graph.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.columns import Categorical
from awl.core.geodesy import LocalPlane
from awl.core.graph.turns import TurnRestrictions

NODE_ARRAYS = ("node_osm_id", "node_lon", "node_lat", "node_border", "node_id")
MAX_ID = 2**53
"""Ids lie below it: the browser and other programs hold them as floating-point numbers."""


@dataclass(frozen=True)
class StreetGraph:
    """Nodes (n,), links (m,) and the vertices (v,) of the links' shapes.

    The shape of link i is vertices `shape_start[i]` to `shape_start[i + 1]`, its ends included; `shape_m` is the
    geodesic distance in metres from the link's start to each vertex. `tags` maps an attribute to a column (m,).
    `node_border` marks nodes where a street was cut at the edge of the extract or study area. `node_osm_id` is what the source
    calls a node (0 for one that was put there); the ways of the source that link i came from (OSM ids, rows of a file) are
    `link_ways[ways_start[i]:ways_start[i + 1]]`, one unless links were merged. `node_tags` are columns (n,): barriers, signals.
    `costs` maps an attribute given for each direction to an array (m, 2): along and against the drawn direction, NaN where none
    is given.

    `node_id` (n,) and `link_id` (m,) are the numbers by which a study knows its nodes and links: whole numbers from 1 on, each
    once, in no order. They outlive reordering, merging, splitting, connectors and rebuilding; rows do not. Ids of what is taken
    out are not given again: new ones begin at `next_node_id` and `next_link_id`.

    `drawn` tells of a graph without geography: its coordinates are a drawing, its lengths given weights.
    """

    node_osm_id: NDArray[np.int64]
    node_lon: NDArray[np.float64]
    node_lat: NDArray[np.float64]
    node_border: NDArray[np.bool_]
    node_id: NDArray[np.int64]
    link_id: NDArray[np.int64]
    link_from: NDArray[np.int32]
    link_to: NDArray[np.int32]
    link_ways: NDArray[np.int64]
    ways_start: NDArray[np.int64]
    shape_start: NDArray[np.int64]
    shape_lon: NDArray[np.float64]
    shape_lat: NDArray[np.float64]
    shape_m: NDArray[np.float64]
    tags: dict[str, Categorical] = field(default_factory=dict)
    node_tags: dict[str, Categorical] = field(default_factory=dict)
    costs: dict[str, NDArray[np.float64]] = field(default_factory=dict)
    restrictions: TurnRestrictions = field(default_factory=TurnRestrictions.none)
    drawn: bool = False
    highest_ids: tuple[int, int] = (0, 0)

    @property
    def next_node_id(self) -> int:
        """The lowest node id that was never given."""
        return max(int(self.node_id.max(initial=0)), self.highest_ids[0]) + 1

    @property
    def next_link_id(self) -> int:
        """The lowest link id that was never given."""
        return max(int(self.link_id.max(initial=0)), self.highest_ids[1]) + 1

    def link_rows(self, ids: NDArray[np.integer] | Sequence[int]) -> NDArray[np.int64]:
        """Rows (k,) of links by id; -1 for an id that no link has.

        Parameters:
            ids: ids (k,).
        """
        return rows_of_ids(self.link_id, self._links_by_id, ids)

    def node_rows(self, ids: NDArray[np.integer] | Sequence[int]) -> NDArray[np.int64]:
        """Rows (k,) of nodes by id; -1 for an id that no node has.

        Parameters:
            ids: ids (k,).
        """
        return rows_of_ids(self.node_id, self._nodes_by_id, ids)

    @cached_property
    def _links_by_id(self) -> NDArray[np.int64]:
        return np.argsort(self.link_id)

    @cached_property
    def _nodes_by_id(self) -> NDArray[np.int64]:
        return np.argsort(self.node_id)

    @property
    def node_count(self) -> int:
        """Number of nodes."""
        return len(self.node_osm_id)

    @property
    def link_count(self) -> int:
        """Number of links."""
        return len(self.link_from)

    @property
    def link_way(self) -> NDArray[np.int64]:
        """The source way of each link, the first where it has several (m,)."""
        return self.link_ways[self.ways_start[:-1]]

    @property
    def _same_shapes(self) -> StreetGraph | None:
        """A graph of the same links, whose shapes in the plane serve for this one too."""
        other: StreetGraph | None = vars(self).get("_shapes_of")
        return other

    def with_other_ends(self, **columns: Any) -> StreetGraph:
        """The same links, in the same order and with the same shapes, between other nodes.

        Parameters:
            columns: the fields that are other.
        """
        graph = replace(self, **columns)
        vars(graph)["_shapes_of"] = self
        return graph

    def with_highest_ids(self, node: int, link: int) -> StreetGraph:
        """The same graph that knows of other ids given before.

        Parameters:
            node: the highest id ever given to a node.
            link: the highest id ever given to a link.
        """
        graph = replace(self, highest_ids=(node, link))
        vars(graph).update({name: value for name, value in vars(self).items() if name not in vars(graph)})
        return graph

    @cached_property
    def link_length(self) -> NDArray[np.float64]:
        """Geodesic length of each link in metres (m,)."""
        return self.shape_m[self.shape_start[1:] - 1]

    @cached_property
    def plane(self) -> LocalPlane:
        """The metric plane used for areas and nearest-street searches."""
        if self._same_shapes is not None:
            return self._same_shapes.plane
        return LocalPlane.around(self.shape_lon, self.shape_lat)

    @cached_property
    def shape_xy(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """The vertices in the metric plane, metres."""
        if self._same_shapes is not None:
            return self._same_shapes.shape_xy
        return self.plane.xy(self.shape_lon, self.shape_lat)

    @cached_property
    def lines_xy(self) -> NDArray[np.object_]:
        """Each link as a Shapely LineString in the metric plane (m,)."""
        if self._same_shapes is not None:
            return self._same_shapes.lines_xy
        return self._lines(self.shape_xy, None)

    def some_lines_xy(self, links: NDArray[np.integer]) -> NDArray[np.object_]:
        """Those of some links (k,); making those of a region takes seconds.

        Parameters:
            links: rows (k,) of the links.
        """
        if self._same_shapes is not None:
            return self._same_shapes.some_lines_xy(links)
        if "lines_xy" in vars(self):
            return self.lines_xy[links]
        return self._lines(self.shape_xy, links)

    @cached_property
    def boxes_xy(self) -> NDArray[np.float64]:
        """The box around each link in the metric plane (4, m): west, south, east, north."""
        if self._same_shapes is not None:
            return self._same_shapes.boxes_xy
        first = self.shape_start[:-1]
        return np.stack([ends.reduceat(side, first) for ends in (np.minimum, np.maximum) for side in self.shape_xy])

    def take_shapes_from(self, former: StreetGraph, changed: NDArray[np.int64]) -> None:
        """Go on with the shapes in the plane that were made of an earlier graph; nothing where it has none, or another plane.

        Parameters:
            former: the earlier graph.
            changed: ids (k,) of the links that are other than there.
        """
        if "shape_xy" not in vars(former) or self.plane != former.plane:
            return
        if self.shape_lon is former.shape_lon and self.shape_lat is former.shape_lat:
            vars(self).update({name: vars(former)[name] for name in ("shape_xy", "lines_xy") if name in vars(former)})
            return
        row = former.link_rows(self.link_id)
        row[np.isin(self.link_id, changed)] = -1
        same, new = np.flatnonzero(row >= 0), np.flatnonzero(row < 0)
        there, here = ragged_rows(former.shape_start, row[same])[0], ragged_rows(self.shape_start, same)[0]
        rest, starts = ragged_rows(self.shape_start, new)
        xy = np.empty((2, len(self.shape_lon)))
        xy[:, here] = np.stack(former.shape_xy)[:, there]
        xy[:, rest] = self.plane.xy(self.shape_lon[rest], self.shape_lat[rest])
        vars(self)["shape_xy"] = xy[0], xy[1]
        if "lines_xy" in vars(former):
            lines = np.empty(self.link_count, object)
            lines[same], lines[new] = former.lines_xy[row[same]], ragged_lines(xy[:, rest].T, starts)
            vars(self)["lines_xy"] = lines

    def tag(self, key: str) -> Categorical:
        """The column of an attribute, empty when no link carries it.

        Parameters:
            key: the key of the tag.
        """
        return self.tags.get(key) or Categorical(np.full(self.link_count, -1, np.int32), ())

    def node_tag(self, key: str) -> Categorical:
        """The column of a node attribute, empty when no node carries it.

        Parameters:
            key: the key of the tag.
        """
        return self.node_tags.get(key) or Categorical(np.full(self.node_count, -1, np.int32), ())

    def lines(self, links: NDArray[np.integer] | None = None) -> NDArray[np.object_]:
        """Each link as a Shapely LineString in degrees (m,), or those of some.

        Parameters:
            links: rows (k,) of the links; all where None.
        """
        return self._lines((self.shape_lon, self.shape_lat), links)

    def _lines(
        self, sides: tuple[NDArray[np.float64], NDArray[np.float64]], links: NDArray[np.integer] | None
    ) -> NDArray[np.object_]:
        if links is None:
            return ragged_lines(np.column_stack(sides), self.shape_start)
        rows, start = ragged_rows(self.shape_start, links)
        return ragged_lines(np.column_stack([side[rows] for side in sides]), start)

    def with_restrictions(self, restrictions: TurnRestrictions) -> StreetGraph:
        """The same graph with other turn restrictions.

        Parameters:
            restrictions: the turn restrictions.
        """
        return replace(self, restrictions=restrictions)

    def node_columns(self, rows: NDArray[np.integer] | NDArray[np.bool_]) -> dict[str, Any]:
        """All that is known of some nodes (rows or a mask), by field, for a graph made from this one.

        Parameters:
            rows: which rows: numbers (k,) or a mask.
        """
        columns: dict[str, Any] = {name: getattr(self, name)[rows] for name in NODE_ARRAYS}
        return columns | {"node_tags": {key: column.take(rows) for key, column in self.node_tags.items()}}

    def link_columns(self, rows: NDArray[np.integer]) -> dict[str, Any]:
        """All that is known of some links, by field, for a graph made from this one; restrictions aside.

        Parameters:
            rows: which rows: numbers (k,).
        """
        vertex, shape_start = ragged_rows(self.shape_start, rows)
        way, ways_start = ragged_rows(self.ways_start, rows)
        return {
            "link_id": self.link_id[rows],
            "link_from": self.link_from[rows],
            "link_to": self.link_to[rows],
            "link_ways": self.link_ways[way],
            "ways_start": ways_start,
            "shape_start": shape_start,
            "shape_lon": self.shape_lon[vertex],
            "shape_lat": self.shape_lat[vertex],
            "shape_m": self.shape_m[vertex],
            "tags": {key: column.take(rows) for key, column in self.tags.items()},
            "costs": {key: pair[rows] for key, pair in self.costs.items()},
        }

    def with_nodes(self, order: NDArray[np.int64]) -> StreetGraph:
        """The same graph with its nodes in another order (a permutation of their rows).

        Parameters:
            order: rows (n,) of the nodes in their new order.
        """
        place = np.empty(len(order), np.int32)
        place[order] = np.arange(len(order), dtype=np.int32)
        return replace(
            self,
            **self.node_columns(order),
            link_from=place[self.link_from],
            link_to=place[self.link_to],
            restrictions=self.restrictions.renumbered(np.arange(self.link_count, dtype=np.int32), place),
        )

    def in_order(self) -> StreetGraph:
        """The same graph with links in the order of their lower end, so that a search touches near memory; then by id."""
        low, high = np.minimum(self.link_from, self.link_to), np.maximum(self.link_from, self.link_to)
        order = np.lexsort([self.link_id, high, low])
        place = np.empty(len(order), np.int32)
        place[order] = np.arange(len(order), dtype=np.int32)
        turns = self.restrictions.renumbered(place, np.arange(self.node_count, dtype=np.int32))
        return replace(self, **self.link_columns(order), restrictions=turns)

    def in_space_order(self) -> StreetGraph:
        """The same graph in the one order that follows from what it holds: nodes along a Hilbert curve, links by their ends."""
        return self.with_nodes(hilbert_order(self.node_lon, self.node_lat, self.node_id)).in_order()


def rows_of_ids(
    known: NDArray[np.int64], order: NDArray[np.int64], ids: NDArray[np.integer] | Sequence[int]
) -> NDArray[np.int64]:
    """Rows (k,) of `ids` among those that are `known`, which `order` sorts; -1 for others.

    Parameters:
        known: the ids (n,) there are.
        order: the rows (n,) that sort them.
        ids: ids (k,).
    """
    wanted = np.asarray(ids, np.int64)
    if len(known) == 0:
        return np.full(len(wanted), -1)
    row = order[np.minimum(np.searchsorted(known, wanted, sorter=order), len(order) - 1)]
    return np.where(known[row] == wanted, row, -1)


def ragged_rows(start: NDArray[np.int64], order: NDArray[np.integer]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Rows of ragged groups in a new order of the groups (or of some of them), and the new offsets.

    Parameters:
        start: offsets (n + 1,) at which groups begin.
        order: rows (k,) of the groups in their new order.
    """
    size = np.diff(start)[order]
    new_start = np.concatenate([[0], np.cumsum(size)]).astype(np.int64)
    return np.arange(new_start[-1]) - np.repeat(new_start[:-1] - start[:-1][order], size), new_start


def ragged_lines(xy: NDArray[np.float64], start: NDArray[np.int64]) -> NDArray[np.object_]:
    """LineStrings from vertices (v, 2) and the offsets (m + 1,) at which each line begins.

    Parameters:
        xy: vertices (v, 2).
        start: offsets (m + 1,) at which lines begin.
    """
    counts = np.diff(start)
    return shapely.linestrings(xy, indices=np.repeat(np.arange(len(counts)), counts))


def hilbert_order(
    lon: NDArray[np.float64], lat: NDArray[np.float64], ids: NDArray[np.int64] | None = None
) -> NDArray[np.int64]:
    """Order of points along a Hilbert curve, so that neighbours in space are neighbours in memory.

    Points too near to be told apart stand in the order of their `ids`, or as they came.
    Source: J. Skilling, *Programming the Hilbert curve*, AIP Conf. Proc. 707 (2004); 16 levels.

    Parameters:
        lon: longitudes (k,) in degrees.
        lat: latitudes (k,) in degrees.
        ids: ids (k,) that decide between points that cannot be told apart.
    """
    if len(lon) == 0:
        return np.zeros(0, np.int64)
    span = max(np.ptp(lon), np.ptp(lat), 1e-12)
    x = ((lon - lon.min()) / span * 65535).astype(np.int32)
    y = ((lat - lat.min()) / span * 65535).astype(np.int32)
    distance = np.zeros(len(x), np.int64)
    side = 1 << 15
    while side:
        right = (x & side) > 0
        upper = (y & side) > 0
        distance += ((right * np.int32(3)) ^ upper) * np.int64(side * side)
        flip = ~upper
        mirror = flip & right
        # The whole range less a number, and the swap of two, by their bits.
        mirrored, swapped = mirror * np.int32(65535), flip * (x ^ y)
        x, y = x ^ mirrored ^ swapped, y ^ mirrored ^ swapped
        side >>= 1
    return np.argsort(distance, kind="stable") if ids is None else np.lexsort([ids, distance])
