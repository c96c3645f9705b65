"""Ids that survive rebuilding: nodes and links of a new graph take those of a former graph of the same area.

Nodes are the same where the source calls them the same, or where they stand at the same place. Links are the same where they
come from the same way and join the same nodes; else where they join the same nodes; else where they come from the same way and
lie at the same place. Whatever remains gets ids that were never given. O((n + m) log (n + m)).
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from awl.core.graph.street_graph import StreetGraph

Ints = NDArray[np.int64]
SAME_NODE_M = 0.5
"""How far a node may have moved and still be the same, where the source has no id for it."""
SAME_LINK_M = 10.0
"""How far the middle of a link may have moved where its ends are others: it was cut or joined elsewhere."""
SAME_LENGTH = 0.1
"""By which share its length may differ then."""


def with_ids_of(former: StreetGraph, graph: StreetGraph, keep_node_ids: bool = False) -> StreetGraph:
    """Give a graph the ids of a former graph of the same area.

    Parameters:
        former: the graph whose ids are known.
        graph: the graph built anew; a graph that shares no node with the former one keeps its own ids.
        keep_node_ids: leave the node ids as they are, because the user has chosen them.

    Returns:
        The same graph, in the order of its ids and places.
    """
    node = matching_nodes(former, graph)
    if (node < 0).all():
        return graph
    link = matching_links(former, graph, node)
    highest = former.next_node_id - 1, former.next_link_id - 1
    node_id = graph.node_id if keep_node_ids else _inherited(former.node_id, node, highest[0])
    link_id = _inherited(former.link_id, link, highest[1])
    return replace(graph, node_id=node_id, link_id=link_id, highest_ids=highest).in_space_order()


def _inherited(former: Ints, row: Ints, highest: int) -> Ints:
    ids = np.where(row >= 0, former[np.maximum(row, 0)], 0)
    new = np.flatnonzero(row < 0)
    ids[new] = highest + 1 + np.arange(len(new))
    return ids


def matching_nodes(former: StreetGraph, graph: StreetGraph) -> Ints:
    """Rows (n,) of the nodes of the former graph that are those of the graph; -1 where there is none. Each is taken once.

    Parameters:
        former: the graph as it was built before.
        graph: the street graph.
    """
    row = np.full(graph.node_count, -1, np.int64)
    known, ours = former.node_osm_id, graph.node_osm_id
    _, a, b = np.intersect1d(_once(known), _once(ours), return_indices=True)
    a, b = _rows_once(known)[a], _rows_once(ours)[b]
    row[b] = a
    left = np.flatnonzero(row < 0)
    taken = np.zeros(former.node_count, bool)
    taken[a] = True
    free = np.flatnonzero(~taken)
    if len(left) and len(free):
        there = np.column_stack(graph.plane.xy(former.node_lon[free], former.node_lat[free]))
        here = np.column_stack(graph.plane.xy(graph.node_lon[left], graph.node_lat[left]))
        away, nearest = cKDTree(there).query(here, distance_upper_bound=SAME_NODE_M)
        _pair(row, left, np.where(np.isfinite(away), free[np.minimum(nearest, len(free) - 1)], -1), away)
    return row


def _rows_once(ids: Ints) -> Ints:
    """Rows of the ids above 0 that stand once, in the order of the ids."""
    value, first, count = np.unique(ids, return_index=True, return_counts=True)
    return first[(count == 1) & (value > 0)]


def _once(ids: Ints) -> Ints:
    return ids[_rows_once(ids)]


def _pair(row: Ints, ours: Ints, theirs: Ints, away: NDArray[np.float64]) -> None:
    """Put rows of the former graph in for some of ours, -1 for none; of several that want the same the nearest gets it."""
    wanted = np.flatnonzero(theirs >= 0)
    order = wanted[np.lexsort((away[wanted], theirs[wanted]))]
    first = np.unique(theirs[order], return_index=True)[1]
    row[ours[order[first]]] = theirs[order[first]]


def matching_links(former: StreetGraph, graph: StreetGraph, node: Ints) -> Ints:
    """Rows (m,) of the links of the former graph that are those of the graph; -1 where there is none. Each is taken once.

    `node` (n,) are the rows of the nodes as `matching_nodes` gives them.

    Parameters:
        former: the graph as it was built before.
        graph: the street graph.
        node: rows (n,) of the nodes, as `matching_nodes` gives them.
    """
    row = np.full(graph.link_count, -1, np.int64)
    ends = np.sort(np.stack([node[graph.link_from], node[graph.link_to]]), axis=0)
    former_ends = np.sort(np.stack([former.link_from, former.link_to]).astype(np.int64), axis=0)
    ends = np.where(ends[0] >= 0, ends, -1)
    way, former_way = graph.link_way, former.link_way
    joined = ends[0] * former.node_count + ends[1]
    former_joined = former_ends[0] * former.node_count + former_ends[1]
    _match_by_keys(row, (way, joined), (former_way, former_joined), ends[0] >= 0, graph, former)
    _match_by_keys(row, (joined,), (former_joined,), ends[0] >= 0, graph, former)
    _match_by_place(row, graph, former)
    return row


def _match_by_keys(
    row: Ints,
    ours: tuple[Ints, ...],
    theirs: tuple[Ints, ...],
    usable: NDArray[np.bool_],
    graph: StreetGraph,
    former: StreetGraph,
) -> None:
    """Match the links not yet matched whose keys agree; several of the same keys in the order of their lengths."""
    taken = np.zeros(former.link_count, bool)
    taken[row[row >= 0]] = True
    left, free = np.flatnonzero((row < 0) & usable), np.flatnonzero(~taken)
    both = [np.concatenate([a[left], b[free]]) for a, b in zip(ours, theirs, strict=True)]
    group = np.unique(np.stack(both), axis=1, return_inverse=True)[1].ravel()
    group_left, group_free = group[: len(left)], group[len(left) :]
    left, group_left = _by_length(left, group_left, graph)
    free, group_free = _by_length(free, group_free, former)
    # The n-th of a group here is the n-th of the group there.
    nth_left, nth_free = (np.arange(len(g)) - np.searchsorted(g, g) for g in (group_left, group_free))
    most = max(int(nth_left.max(initial=0)), int(nth_free.max(initial=0))) + 1
    _, a, b = np.intersect1d(
        group_left * most + nth_left, group_free * most + nth_free, assume_unique=True, return_indices=True
    )
    row[left[a]] = free[b]


def _by_length(links: Ints, group: Ints, graph: StreetGraph) -> tuple[Ints, Ints]:
    order = np.lexsort((graph.link_length[links], group))
    return links[order], group[order]


def _match_by_place(row: Ints, graph: StreetGraph, former: StreetGraph) -> None:
    """Match what is left where a link of the same way and of like length lies at the same place."""
    taken = np.zeros(former.link_count, bool)
    taken[row[row >= 0]] = True
    left, free = np.flatnonzero(row < 0), np.flatnonzero(~taken)
    if len(left) == 0 or len(free) == 0:
        return
    here, there = _middles(graph, graph, left), _middles(graph, former, free)
    count = min(4, len(free))
    away, near = cKDTree(there).query(here, k=count, distance_upper_bound=SAME_LINK_M)
    away, near = away.reshape(len(left), count), near.reshape(len(left), count)
    is_near = near < len(free)
    rows = free[np.where(is_near, near, 0)]
    longer = graph.link_length[left][:, None] / np.maximum(former.link_length[rows], 1e-9)
    alike = is_near & (former.link_way[rows] == graph.link_way[left][:, None]) & (np.abs(longer - 1) <= SAME_LENGTH)
    first = np.argmax(alike, axis=1)
    nth = np.arange(len(left))
    _pair(row, left, np.where(alike[nth, first], rows[nth, first], -1), away[nth, first])


def _middles(plane_of: StreetGraph, graph: StreetGraph, links: Ints) -> NDArray[np.float64]:
    """The middle vertex of links (k, 2), in the metric plane of a graph."""
    vertex = (graph.shape_start[links] + graph.shape_start[links + 1] - 1) // 2
    return np.column_stack(plane_of.plane.xy(graph.shape_lon[vertex], graph.shape_lat[vertex]))
