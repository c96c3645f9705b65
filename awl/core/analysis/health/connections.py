"""Streets that lead nowhere: parts joined to nothing, one-way streets that trap, streets shut by turn restrictions."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy.spatial import KDTree

from awl.core.analysis.health.findings import Findings
from awl.core.analysis.health.levels import level_of, middles
from awl.core.graph.arcs import csr
from awl.core.graph.connectors import CONNECTOR
from awl.core.graph.lines import groups
from awl.core.graph.street_graph import StreetGraph
from awl.core.network.mode_streets import arc_ends
from awl.core.network.network import Network
from awl.core.network.parts import strong_parts

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]
GAP_LIMIT_M = 2_000.0
"""How far the gap to the rest is looked for."""
LEVEL_GAP_M = 150.0
"""A street of the same level that is so near is taken for the rest rather than one above or below."""
AHEAD_M, AHEAD_DEG = 200.0, 60.0
"""A street that ends leads on to others where a node lies so near ahead of it, within this angle of its course."""


def isolated(graph: StreetGraph) -> Findings:
    """Parts of the streets that no street joins to the largest, with the shortest gap to it.

    Parts that were cut off by the edge of the extract are left out.

    Parameters:
        graph: the streets.
    """
    label = groups(graph.node_count, np.column_stack([graph.link_from, graph.link_to]).astype(np.int64))
    count = int(label.max(initial=-1)) + 1
    part = label[graph.link_from]
    street = ~graph.tag("highway").equals(CONNECTOR)
    total = np.bincount(part, weights=graph.link_length, minlength=count).astype(float)
    cut = np.zeros(count, bool)
    cut[label[graph.node_border]] = True
    main = int(total.argmax())
    rows = np.flatnonzero(street & (part != main) & ~cut[part])
    lines = graph.lines_xy
    target, gap = _nearest(lines, rows, np.flatnonzero(part == main), level_of(graph))
    # The link of each part that lies nearest to the rest says where it is.
    order = np.lexsort((gap, part[rows]))
    ordered = part[rows][order]
    first = order[np.concatenate([[True], ordered[1:] != ordered[:-1]])] if len(order) else order
    rows, target = rows[first], target[first]
    xy, end = middles(graph, rows), np.full((len(rows), 2), np.nan)
    known = target >= 0
    bridge = shapely.get_coordinates(shapely.shortest_line(lines[rows[known]], lines[target[known]])).reshape(-1, 2, 2)
    xy[known], end[known] = bridge[:, 0], bridge[:, 1]
    return Findings.of("isolated", xy, np.column_stack([rows, target]), total[part[rows]], end)


def _nearest(lines: NDArray[np.object_], rows: Ints, rest: Ints, level: Floats) -> tuple[Ints, Floats]:
    """The nearest link (k,) of the rest to each of other links, of its level where there is one near, and the gap in metres."""
    target, gap = np.full(len(rows), -1, np.int64), np.full(len(rows), np.inf)
    for wanted in (*np.unique(level[rows]).tolist(), None):
        asked = np.flatnonzero(target < 0) if wanted is None else np.flatnonzero(level[rows] == wanted)
        among = rest if wanted is None else rest[level[rest] == wanted]
        nth, near = shapely.STRtree(lines[among]).query_nearest(
            lines[rows[asked]], max_distance=GAP_LIMIT_M if wanted is None else LEVEL_GAP_M, all_matches=False
        )
        target[asked[nth]] = among[near]
        gap[asked[nth]] = shapely.distance(lines[rows[asked[nth]]], lines[among[near]])
    return target, gap


def one_ways(network: Network) -> list[Findings]:
    """Streets and small nets that can be entered but not left, or left but not entered, where one-way streets are why.

    Parameters:
        network: of a mode that obeys one-way signs.
    """
    graph, use = network.graph, network.use
    start, head, _ = csr(graph.node_count, *arc_ends(graph, use.forward, use.backward))
    label = strong_parts(start, head)
    tail = np.repeat(np.arange(graph.node_count), np.diff(start))
    crossing = label[tail] != label[head]
    count = int(label.max(initial=-1)) + 1
    left, entered = np.zeros(count, bool), np.zeros(count, bool)
    left[label[tail[crossing]]] = True
    entered[label[head[crossing]]] = True
    cut = np.zeros(count, bool)
    cut[label[graph.node_border]] = True
    cut[np.bincount(label).argmax()] = True  # the largest part is what others are judged by
    usable = np.flatnonzero(use.forward | use.backward)
    nodes = np.concatenate([graph.link_from[usable], graph.link_to[usable]])
    degree = np.bincount(nodes, minlength=graph.node_count)
    size = np.bincount(label, minlength=count)
    parts = []
    for dead, part_end, link_end in ((entered & ~left, "no-way-out", True), (left & ~entered, "no-way-in", False)):
        dead &= ~cut
        link, node = _gates(graph, use, label, dead, link_end)
        # A part of one node at which several streets end: they face each other.
        facing = (size[label[node]] == 1) & (degree[node] > 1)
        xy = np.column_stack(graph.plane.xy(graph.node_lon[node], graph.node_lat[node]))
        # Ways to yards and garages end where trips end; a street that runs out of the map ends with the map.
        serves = graph.tag("highway").take(link).equals("service")
        is_trap = ~facing & ~serves & ~_runs_out(graph, link, node, xy, size[label[node]] == 1)
        parts.append(Findings.of(part_end, xy[is_trap], link[is_trap]))
        parts.append(Findings.of("facing", xy[facing], link[facing]))
    return parts


def _runs_out(graph: StreetGraph, link: Ints, node: Ints, xy: Floats, is_end: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Whether links (k,) that end at nodes (k,) lead to where there are no streets any more: out of what the extract covers.

    Extracts hold streets whole, also where their neighbours lie outside; such an end says nothing of the street.
    """
    outward = np.zeros(len(link), bool)
    ends = np.flatnonzero(is_end)
    if len(ends) == 0:
        return outward
    x, y = graph.shape_xy
    nodes = np.column_stack(graph.plane.xy(graph.node_lon, graph.node_lat))
    tree = KDTree(nodes)
    at_head = graph.link_to[link[ends]] == node[ends]
    first, last = graph.shape_start[link[ends]], graph.shape_start[link[ends] + 1] - 1
    before = np.where(at_head, last - 1, first + 1)
    course = xy[ends] - np.column_stack([x[before], y[before]])
    for row, near in zip(range(len(ends)), tree.query_ball_point(xy[ends], AHEAD_M), strict=True):
        away = nodes[near] - xy[ends[row]]
        metres = np.hypot(*away.T)
        ahead = away @ course[row] > np.cos(np.radians(AHEAD_DEG)) * metres * np.hypot(*course[row])
        outward[ends[row]] = not (ahead & (metres > 1.0)).any()
    return outward


def _gates(graph: StreetGraph, use, label, dead, into: bool) -> tuple[Ints, Ints]:  # type: ignore[no-untyped-def]
    """A one-way link (k,) that leads into (or out of) each dead part, and its node there."""
    both = use.forward & use.backward
    head = np.where(use.forward, graph.link_to, graph.link_from)
    tail = np.where(use.forward, graph.link_from, graph.link_to)
    inner, outer = (head, tail) if into else (tail, head)
    gate = (use.forward | use.backward) & ~both & dead[label[inner]] & (label[outer] != label[inner])
    links = np.flatnonzero(gate)
    _, first = np.unique(label[inner[links]], return_index=True)
    links = links[first]
    return links, inner[links].astype(np.int64)


def shut_by_restrictions(network: Network) -> Findings:
    """Streets on which one can come to a node but not go on, because turn restrictions bar every other street there.

    Parameters:
        network: of a mode that turn restrictions bind.
    """
    graph, arcs = network.graph, network.out_arcs
    barred: dict[int, set[int]] = {}
    for sequence in network.forbidden:
        if len(sequence) == 2:
            barred.setdefault(sequence[0], set()).add(sequence[1])
    link, node = [], []
    for arc, turns in barred.items():
        at = int(graph.link_from[arc // 2] if arc % 2 else graph.link_to[arc // 2])
        onward = {int(other) for other in arcs.arc[arcs.start[at] : arcs.start[at + 1]]} - {arc ^ 1}
        if onward and onward <= turns:
            link.append(arc // 2)
            node.append(at)
    at_node = np.array(node, np.int64)
    xy = np.column_stack(graph.plane.xy(graph.node_lon[at_node], graph.node_lat[at_node]))
    return Findings.of("shut-by-restrictions", xy, np.array(link, np.int64))
