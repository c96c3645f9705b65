"""Faults of the drawing: streets that just miss or cross each other, lie on each other, or have lengths that cannot be."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.analysis.health.findings import Findings
from awl.core.analysis.health.levels import ON_FOOT, is_bridge, is_street, is_tunnel, middles
from awl.core.analysis.health.segments import Meetings, Segments
from awl.core.graph.street_graph import StreetGraph

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
GAP_M = 5.0
"""The gap at the end of a street that may be a slip of the hand."""
BRIDGE_GAP_M = 30.0
"""The same of a bridge or tunnel, which leads nowhere if it does not lead to a street."""
MEANT_TO_END = ("driveway", "parking_aisle", "emergency_access", "drive-through")
"""Services that end at a house or a wall, whatever street is behind it."""
TOUCH_M = 1.0
"""An end this near touches, whichever way its street points."""
AHEAD_DEGREES = 60.0
"""How far beside its direction an end may have the street it misses."""
SHARED = 0.5
"""The share of the shorter of two streets that must lie on the other."""
LEAST_SHARED_M = 3.0
NO_LENGTH_M = 0.05
TOO_LONG_M = 30_000.0
DISAGREES = 0.1
"""Share by which a stated length may differ from that of the line, and by 10 m."""


def crossings(graph: StreetGraph, segments: Segments, meet: Meetings, level: Floats) -> list[Findings]:
    """Streets that cross or touch without a node: crossings of one level, ends on a street, links that cross themselves.

    Parameters:
        graph: the streets.
        segments: of all links.
        meet: where they meet.
        level: of each link (m,).
    """
    rows = np.flatnonzero(meet.along == 0)
    a, b, xy = segments.link[meet.a[rows]], segments.link[meet.b[rows]], meet.xy[rows]
    street = is_street(graph)
    alike = street[a] & street[b] & (level[a] == level[b])
    order = np.lexsort((xy[:, 1], xy[:, 0], b, a))
    order = order[alike[order]]
    a, b, xy = a[order], b[order], xy[order]
    # A crossing at a vertex is told for each segment that has it.
    again = np.zeros(len(a), bool)
    again[1:] = (a[1:] == a[:-1]) & (b[1:] == b[:-1]) & (np.hypot(*(xy[1:] - xy[:-1]).T) < TOUCH_M)
    a, b, xy = a[~again], b[~again], xy[~again]
    itself = a == b
    at_end = np.zeros(len(a), bool)
    for link in (a, b):
        for nodes in (segments.nodes[link, 0], segments.nodes[link, 1]):
            at_end |= np.hypot(*(segments.node_xy[nodes] - xy).T) < TOUCH_M / 10
    pairs = np.column_stack([a, b])
    between = ~itself & ~at_end
    return [
        Findings.of("unjoined-crossing", xy[between], pairs[between]),
        Findings.of(
            "near-miss", xy[~itself & at_end], pairs[~itself & at_end], np.zeros(int((~itself & at_end).sum()))
        ),
        Findings.of("self-crossing", xy[itself], a[itself]),
    ]


def near_misses(graph: StreetGraph, tree: shapely.STRtree, touching: Findings, level: Floats) -> Findings:
    """Ends of streets that stop a little short of another street.

    Parameters:
        graph: the streets.
        tree: of the lines of all links.
        touching: ends already known to touch a street.
        level: of each link (m,).
    """
    street = is_street(graph)
    end, link, xy, ahead = _loose_ends(graph, street)
    over = (is_bridge(graph) | is_tunnel(graph))[link]
    reach = np.where(over, BRIDGE_GAP_M, GAP_M)
    points = shapely.points(xy)
    nth, other = tree.query(points, predicate="dwithin", distance=reach)
    nodes = np.column_stack([graph.link_from, graph.link_to])
    near = street[other] & (over[nth] | (level[other] == level[link[nth]]))
    # Nobody on foot is meant to go on along a road that bars them, nor a road that ends in a tunnel or on a bridge along a path.
    walked, class_of = graph.tag("highway").isin(ON_FOOT), graph.tag("highway")
    barred = graph.tag("foot").equals("no") | class_of.isin(("motorway", "motorway_link"))
    near &= ~(walked[link[nth]] & barred[other]) & ~(over[nth] & ~walked[link[nth]] & walked[other])
    for k in (0, 1):
        for j in (0, 1):
            near &= nodes[other, k] != nodes[link[nth], j]
    nth, other = nth[near], other[near]
    lines = graph.lines_xy
    along = shapely.line_locate_point(lines[other], points[nth])
    foot = shapely.get_coordinates(shapely.line_interpolate_point(lines[other], along))
    gap = foot - xy[nth]
    length = np.hypot(*gap.T)
    forward = (gap * ahead[nth]).sum(axis=1)
    straight = forward >= length * np.cos(np.radians(AHEAD_DEGREES))
    known = np.isin(end[nth], _nodes_at(graph, touching))
    chosen = (straight | (length <= TOUCH_M)) & ~known
    nth, other, foot, length = nth[chosen], other[chosen], foot[chosen], length[chosen]
    order = np.lexsort((length, nth))
    first = order[np.concatenate([[True], nth[order][1:] != nth[order][:-1]])] if len(order) else order
    nth, other = nth[first], other[first]
    return Findings.of("near-miss", xy[nth], np.column_stack([link[nth], other]), length[first], foot[first])


def _loose_ends(graph: StreetGraph, street: NDArray[np.bool_]) -> tuple[Ints, Ints, Floats, Floats]:
    """Nodes (e,) at which one street ends alone, that street, where it is (e, 2), and its direction there (e, 2)."""
    ends = np.concatenate([graph.link_from, graph.link_to]).astype(np.int64)
    degree = np.bincount(ends, minlength=graph.node_count)
    meant = graph.tag("service").isin(MEANT_TO_END)
    loose = (degree[ends] == 1) & ~graph.node_border[ends] & np.tile(street & ~meant, 2)
    place = np.flatnonzero(loose)
    link, at_start = place % graph.link_count, place < graph.link_count
    x, y = graph.shape_xy
    last = np.where(at_start, graph.shape_start[link], graph.shape_start[link + 1] - 1)
    before = np.where(at_start, last + 1, last - 1)
    xy = np.column_stack([x[last], y[last]])
    run = xy - np.column_stack([x[before], y[before]])
    return ends[place], link, xy, run / np.maximum(np.hypot(*run.T), 1e-9)[:, None]


def _nodes_at(graph: StreetGraph, touching: Findings) -> Ints:
    """End nodes of the links of findings."""
    links = touching.links[touching.links >= 0]
    return np.concatenate([graph.link_from[links], graph.link_to[links]]).astype(np.int64)


def duplicates(graph: StreetGraph, segments: Segments, meet: Meetings, level: Floats) -> Findings:
    """Streets of one level that lie on top of each other for most of the shorter one.

    Parameters:
        graph: the streets.
        segments: of all links.
        meet: where they meet.
        level: of each link (m,).
    """
    rows = np.flatnonzero(meet.along > 0)
    a, b = segments.link[meet.a[rows]], segments.link[meet.b[rows]]
    street = is_street(graph)
    alike = street[a] & street[b] & (level[a] == level[b]) & (a != b)
    rows, a, b = rows[alike], a[alike], b[alike]
    low, high = np.minimum(a, b), np.maximum(a, b)
    pair, first, of = np.unique(low * graph.link_count + high, return_index=True, return_inverse=True)
    shared = np.bincount(of, weights=meet.along[rows], minlength=len(pair))
    low, high = pair // max(graph.link_count, 1), pair % max(graph.link_count, 1)
    shorter = np.minimum(graph.link_length[low], graph.link_length[high])
    chosen = (shared >= SHARED * shorter) & (shared >= LEAST_SHARED_M)
    xy = meet.xy[rows[first]]
    return Findings.of("duplicate", xy[chosen], np.column_stack([low, high])[chosen], shared[chosen])


def lengths(graph: StreetGraph) -> list[Findings]:
    """Links of no length, of absurd length, and with a stated length that is not that of their line.

    Parameters:
        graph: the streets.
    """
    street, length = is_street(graph), graph.link_length
    none = np.flatnonzero(street & (length < NO_LENGTH_M))
    long = np.flatnonzero(street & (length > TOO_LONG_M))
    x, y = graph.shape_xy
    vertex = np.zeros(len(x))
    vertex[1:] = np.hypot(np.diff(x), np.diff(y))
    vertex[graph.shape_start[:-1]] = 0.0
    drawn = np.add.reduceat(vertex, graph.shape_start[:-1]) if graph.link_count else vertex
    off = np.abs(length - drawn)
    disagree = np.flatnonzero(street & (off > DISAGREES * np.maximum(drawn, length)) & (off > 10.0))
    return [
        Findings.of("no-length", middles(graph, none), none, length[none]),
        Findings.of("too-long", middles(graph, long), long, length[long]),
        Findings.of("length-disagrees", middles(graph, disagree), disagree, off[disagree]),
    ]
