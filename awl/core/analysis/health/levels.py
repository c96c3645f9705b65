"""Which streets lie over one another: the level of each link, and where level tags contradict."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.health.findings import Findings
from awl.core.graph.connectors import CONNECTOR
from awl.core.graph.street_graph import StreetGraph

Ints = NDArray[np.int64]
Mask = NDArray[np.bool_]
STRAIGHT_DEGREES = 35.0
"""A street goes on across a node where it turns by less."""
HIGHEST = 5
"""Levels are written from -5 to 5."""
ON_FOOT = ("footway", "path", "steps", "pedestrian", "cycleway", "corridor", "bridleway")
"""Ways that go from level to level inside and around buildings: a node of two levels is none of their faults."""
NO_TUNNEL = ("no", "building_passage", "culvert", "covered")


def is_street(graph: StreetGraph) -> Mask:
    """Mask (m,) of the links that are streets on the ground: no ferries, no connectors.

    Parameters:
        graph: the streets.
    """
    return ~graph.tag("highway").isin(("ferry", CONNECTOR))


def is_bridge(graph: StreetGraph) -> Mask:
    """Mask (m,) of the links on a bridge.

    Parameters:
        graph: the streets.
    """
    return graph.tag("bridge").present() & ~graph.tag("bridge").equals("no")


def is_tunnel(graph: StreetGraph) -> Mask:
    """Mask (m,) of the links under the ground.

    Parameters:
        graph: the streets.
    """
    return graph.tag("tunnel").present() & ~graph.tag("tunnel").isin(NO_TUNNEL)


def stated_level(graph: StreetGraph) -> NDArray[np.float64]:
    """Levels (m,) as stated by the `layer` tag, NaN where there is none or it is no number.

    Parameters:
        graph: the streets.
    """
    layer = graph.tag("layer")
    return layer.lookup([_number(text) for text in layer.values], np.nan)


def level_of(graph: StreetGraph) -> NDArray[np.float64]:
    """Levels (m,): as stated, else 1 for a bridge, -1 for a tunnel, 0 for the ground.

    Parameters:
        graph: the streets.
    """
    usual = is_bridge(graph).astype(float) - is_tunnel(graph)
    stated = stated_level(graph)
    return np.where(np.isnan(stated), usual, stated)


def odd_levels(graph: StreetGraph) -> Findings:
    """Bridges below the ground, tunnels above it, and levels that are none.

    Parameters:
        graph: the streets.
    """
    stated, bridge, tunnel = stated_level(graph), is_bridge(graph), is_tunnel(graph)
    unread = graph.tag("layer").present() & np.isnan(stated)
    odd = (bridge & (stated < 0)) | (tunnel & (stated > 0)) | (bridge & tunnel) | (np.abs(stated) > HIGHEST) | unread
    rows = np.flatnonzero(odd & is_street(graph))
    return Findings.of("odd-level", middles(graph, rows), rows)


def unlike_neighbours(graph: StreetGraph) -> Findings:
    """Roads on a level of their own, neither bridge nor tunnel, though they go on at both ends on the ground.

    A bridge or tunnel says why it leaves the ground; a level alone, between two links of one street on another, is a slip.

    Parameters:
        graph: the streets.
    """
    stated = stated_level(graph)
    odd = is_street(graph) & ~np.isnan(stated) & (stated != 0) & ~graph.tag("highway").isin(ON_FOOT)
    odd &= ~graph.tag("bridge").present() & ~graph.tag("tunnel").present()
    rows = np.flatnonzero(odd)
    ends = np.concatenate([graph.link_from, graph.link_to]).astype(np.int64)
    at_ground = np.concatenate(
        [~graph.tag("layer").present() & is_street(graph) & ~is_bridge(graph) & ~is_tunnel(graph)] * 2
    )
    ground = np.bincount(ends[at_ground], minlength=graph.node_count)
    degree = np.bincount(ends, minlength=graph.node_count)
    alone = [
        (ground[node] == degree[node] - 1) & (ground[node] > 0) for node in (graph.link_from[rows], graph.link_to[rows])
    ]
    rows = rows[alone[0] & alone[1]]
    return Findings.of("odd-level", middles(graph, rows), rows, stated[rows])


def joined_levels(graph: StreetGraph, level: NDArray[np.float64]) -> Findings:
    """Nodes at which two streets of different levels go straight on across each other, one of them a road.

    Parameters:
        graph: the streets.
        level: of each link (m,).
    """
    links = np.flatnonzero(is_street(graph))
    node = np.concatenate([graph.link_from[links], graph.link_to[links]]).astype(np.int64)
    bearing = np.concatenate([_bearings(graph, links, first=True), _bearings(graph, links, first=False)])
    link = np.concatenate([links, links])
    order = np.lexsort((level[link], node))
    node, link, bearing = node[order], link[order], bearing[order]
    # Pairs of arms of one level that go straight on across a node.
    through_node, through_level, through_link = [], [], []
    for step in (1, 2, 3):
        a, b = np.arange(len(node) - step), np.arange(step, len(node))
        same = (node[a] == node[b]) & (level[link[a]] == level[link[b]])
        turn = np.abs((bearing[a] - bearing[b] + 360) % 360 - 180)
        a = a[same & (turn < STRAIGHT_DEGREES)]
        through_node.append(node[a])
        through_level.append(level[link[a]])
        through_link.append(link[a])
    nodes, levels, rows = (np.concatenate(parts) for parts in (through_node, through_level, through_link))
    order = np.lexsort((levels, nodes))
    nodes, levels, rows = nodes[order], levels[order], rows[order]
    differ = np.flatnonzero((nodes[1:] == nodes[:-1]) & (levels[1:] != levels[:-1]))
    on_foot = graph.tag("highway").isin(ON_FOOT)
    differ = differ[~(on_foot[rows[differ]] & on_foot[rows[differ + 1]])]
    at, first = np.unique(nodes[differ], return_index=True)
    xy = np.column_stack(graph.plane.xy(graph.node_lon[at], graph.node_lat[at]))
    return Findings.of("joined-levels", xy, np.column_stack([rows[differ], rows[differ + 1]])[first])


def middles(graph: StreetGraph, rows: NDArray[np.integer]) -> NDArray[np.float64]:
    """A vertex (k, 2) in the middle of each link, metres; halfway along a link of two vertices.

    Parameters:
        graph: the streets.
        rows: of links (k,).
    """
    x, y = graph.shape_xy
    first, last = graph.shape_start[rows], graph.shape_start[rows + 1] - 1
    low, high = (first + last) // 2, (first + last + 1) // 2
    return np.column_stack([(x[low] + x[high]) / 2, (y[low] + y[high]) / 2])


def _bearings(graph: StreetGraph, links: Ints, first: bool) -> NDArray[np.float64]:
    """Degrees in which links leave their first or last node."""
    x, y = graph.shape_xy
    at = graph.shape_start[links] if first else graph.shape_start[links + 1] - 1
    on = at + 1 if first else at - 1
    return np.degrees(np.arctan2(x[on] - x[at], y[on] - y[at])) % 360


def _number(text: str) -> float:
    try:
        return float(text)
    except ValueError:
        return float("nan")
