"""From plain lines, as a street register holds them, to ways that share nodes.

Lines have no nodes: two streets meet where they cross at the same level, where one ends on the other, or where two ends
come within a tolerance. Vertices are put there, so that what comes out is a `RawExtract` like that of a map extract, and
the same steps follow. The drawn direction stays: a line runs from its first vertex to its last.

Rules. Ends meet ends whatever their level, for that is how a bridge joins the road. A crossing, or an end on the middle of a
line, joins only where both have the same level. All steps are searches in trees: O(n log n) in the number of vertices.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from awl.core.columns import Categorical
from awl.core.errors import AwlError
from awl.core.geodesy import LocalPlane
from awl.core.graph.raw import RawExtract
from awl.core.progress import Progress

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
SAME_M = 0.001
"""Points this close are one node."""
MAX_TOLERANCE_M = 50.0


@dataclass(frozen=True)
class LineStreets:
    """Lines (m,) as Shapely LineStrings in degrees, with attributes in the words of OSM and a level each.

    `tags` maps keys such as `highway`, `name`, `oneway`, `maxspeed` to columns (m,). `source_row` is the number of the
    feature each line came from, counted from 1.
    """

    geometry: NDArray[np.object_]
    tags: dict[str, Categorical]
    level: Ints
    source_row: Ints


@dataclass
class JoinReport:
    """What was done to make the lines meet."""

    crossings_broken: int = 0
    ends_on_lines: int = 0
    ends_joined: int = 0
    most_moved_m: float = 0.0
    kept_apart: int = 0
    zero_length: int = 0


def raw_of_lines(
    streets: LineStreets, tolerance_m: float = 0.0, progress: Progress | None = None, break_crossings: bool = True
) -> tuple[RawExtract, JoinReport]:
    """Ways that share a node wherever the lines meet.

    Parameters:
        streets: the lines, with their attributes.
        tolerance_m: gaps at ends up to that distance are closed.
        progress: is told how far the work is, and stops it.
        break_crossings: break lines where they cross or where one ends on another; otherwise only end points meet.

    Raises `AwlError` when no line has a length.
    """
    if not 0.0 <= tolerance_m <= MAX_TOLERANCE_M:
        raise AwlError(
            f"A tolerance of {tolerance_m:g} m is not sensible",
            remedy=f"Give 0 to {MAX_TOLERANCE_M:g} m; ends farther apart are not the same place",
            inputs=("tolerance",),
        )
    progress = progress or Progress()
    solid = np.flatnonzero(shapely.length(streets.geometry) > 0)
    if len(solid) == 0:
        raise AwlError("No line has a length", remedy="Check the layer", kind="no-streets")
    lines = streets.geometry[solid]
    box = shapely.total_bounds(lines)
    plane = LocalPlane.around(box[[0, 2]], box[[1, 3]])
    flat = plane.project(shapely.force_2d(lines))
    report = JoinReport(zero_length=len(streets.geometry) - len(solid))
    progress.step(0.1, "Joining ends")
    flat = _ends_together(flat, tolerance_m, report)
    progress.step(0.3, "Looking for crossings")
    if break_crossings:
        line, along, spot = _meetings(flat, shapely.STRtree(flat), streets.level[solid], tolerance_m, report)
        progress.step(0.7, "Breaking lines")
        xy, start = _with_vertices(flat, line, along, spot)
        ident, first = _node_ids(xy)
    else:
        xy, row = shapely.get_coordinates(flat, return_index=True)
        start = np.searchsorted(row, np.arange(len(flat) + 1)).astype(np.int64)
        ident, first = _ends_as_nodes(xy, start)
    lon, lat = plane.lonlat(xy[first, 0], xy[first, 1])
    progress.step(1.0, "Lines joined")
    take = {key: column.take(solid) for key, column in streets.tags.items()}
    raw = RawExtract(
        node_id=np.arange(1, len(first) + 1, dtype=np.int64),
        node_lon=lon,
        node_lat=lat,
        tagged_nodes=np.zeros(0, np.int64),
        node_tags={},
        way_id=streets.source_row[solid],
        way_start=start,
        way_refs=ident + 1,
        way_tags=take,
        relations=(),
    )
    return raw, report


def _ends_together(flat: NDArray[np.object_], tolerance_m: float, report: JoinReport) -> NDArray[np.object_]:
    """Move ends that lie within the tolerance of each other to one place, the mean of the group."""
    ends = np.concatenate([shapely.get_coordinates(shapely.get_point(flat, k)) for k in (0, -1)])
    pairs = cKDTree(ends).query_pairs(max(tolerance_m, SAME_M), output_type="ndarray")
    if len(pairs) == 0:
        return flat
    group = groups(len(ends), pairs)
    count = np.bincount(group)
    middle = np.column_stack([np.bincount(group, weights=ends[:, k]) / count for k in (0, 1)])[group]
    moved = np.hypot(*(middle - ends).T)
    apart = moved > SAME_M / 2
    report.ends_joined += int(apart.sum())
    report.most_moved_m = max(report.most_moved_m, float(moved.max(initial=0.0)))
    xy, row = shapely.get_coordinates(flat, return_index=True)
    start = np.searchsorted(row, np.arange(len(flat) + 1))
    xy[start[:-1]], xy[start[1:] - 1] = middle[: len(flat)], middle[len(flat) :]
    return shapely.linestrings(xy, indices=row)


def groups(count: int, pairs: Ints) -> Ints:
    """Number of the connected group of each of `count` items; the least member spreads until nothing changes.

    Parameters:
        count: how many items there are.
        pairs: pairs (q, 2) of items that belong together.
    """
    label = np.arange(count)
    while True:
        least = np.minimum(label[pairs[:, 0]], label[pairs[:, 1]])
        before = label.copy()
        np.minimum.at(label, pairs[:, 0], least)
        np.minimum.at(label, pairs[:, 1], least)
        label = label[label]  # jump: a chain of k items settles in about log k rounds
        if (label == before).all():
            return np.unique(label, return_inverse=True)[1]


def _meetings(
    flat: NDArray[np.object_], tree: shapely.STRtree, level: Ints, tolerance_m: float, report: JoinReport
) -> tuple[Ints, Floats, Floats]:
    """Where vertices must be put: row of the line, distance along it, and the place (k, 2)."""
    ends = _ends_of(flat)
    a, b = tree.query(flat, predicate="intersects")
    once = a < b
    a, b = a[once], b[once]
    plain = _meet_at_ends_alone(flat, ends, a, b)
    a, b = a[~plain], b[~plain]
    points, pair = _points_of(_intersections(flat, a, b))
    a, b = a[pair], b[pair]
    # A crossing within the tolerance of an end is that end: a line drawn a little too far leaves no spur.
    points, end_a = _drawn_to_end(ends[a], points, tolerance_m)
    points, end_b = _drawn_to_end(ends[b], points, tolerance_m)
    same = level[a] == level[b]
    joins = (end_a & end_b) | same
    report.kept_apart = int((~joins).sum())
    report.crossings_broken = int((joins & ~end_a & ~end_b).sum())
    report.ends_on_lines = int((joins & (end_a ^ end_b)).sum())
    at_ends = points[joins & (end_a | end_b)]
    loose, loose_spot = _loose_ends(flat, tree, level, max(tolerance_m, SAME_M), at_ends, report)
    own, own_spot = _self_crossings(flat)
    line = np.concatenate([a[joins], b[joins], loose, own])
    spot = np.concatenate([points[joins], points[joins], loose_spot, own_spot])
    along = shapely.line_locate_point(flat[line], shapely.points(spot)) if len(line) else np.zeros(0)
    return line, along, spot


def _ends_of(flat: NDArray[np.object_]) -> Floats:
    """First and last vertex of each line (m, 2, 2)."""
    return np.stack([shapely.get_coordinates(shapely.get_point(flat, k)) for k in (0, -1)], axis=1)


def _intersections(flat: NDArray[np.object_], a: Ints, b: Ints) -> NDArray[np.object_]:
    """Where pairs of lines meet, in threads: GEOS releases the interpreter lock."""
    with ThreadPoolExecutor(2) as pool:
        blocks = np.array_split(np.arange(len(a)), max(1, len(a) // 20_000))
        parts = list(pool.map(lambda rows: shapely.intersection(flat[a[rows]], flat[b[rows]]), blocks))
    return np.concatenate(parts)


def _meet_at_ends_alone(flat: NDArray[np.object_], ends: Floats, a: Ints, b: Ints) -> NDArray[np.bool_]:
    """Pairs of straight lines that share an end and are not in line: there is nothing else where they could meet.

    Most pairs are of this kind, and need no intersection computed: the vertex is there.
    """
    straight = shapely.get_num_points(flat) == 2
    run = ends[:, 1] - ends[:, 0]
    across = run[a, 0] * run[b, 1] - run[a, 1] * run[b, 0]
    apart = np.abs(across) > 1e-6 * np.hypot(*run[a].T) * np.hypot(*run[b].T)
    shared = np.zeros(len(a), bool)
    for i in (0, 1):
        for k in (0, 1):
            shared |= (ends[a, i] == ends[b, k]).all(axis=1)
    return straight[a] & straight[b] & apart & shared


def _points_of(shapes: NDArray[np.object_]) -> tuple[Floats, Ints]:
    """Single points of intersections, and the row of the pair: crossings, and both ends of stretches that overlap."""
    parts, row = shapely.get_parts(shapes, return_index=True)
    kind = shapely.get_type_id(parts)
    points = [shapely.get_coordinates(parts[kind == 0])]
    rows = [row[kind == 0]]
    for k in (0, -1):
        points.append(shapely.get_coordinates(shapely.get_point(parts[kind == 1], k)))
        rows.append(row[kind == 1])
    return np.concatenate(points), np.concatenate(rows)


def _drawn_to_end(own_ends: Floats, points: Floats, tolerance_m: float) -> tuple[Floats, NDArray[np.bool_]]:
    """Points (k, 2) moved to the near one of the ends (k, 2, 2) of their line, and which of them are at an end."""
    ends = np.moveaxis(own_ends, 1, 0)
    away = np.hypot(*np.moveaxis(ends - points, -1, 0))
    nearest = away.argmin(axis=0)
    near = away.min(axis=0, initial=np.inf) <= max(tolerance_m, SAME_M)
    return np.where(near[:, None], ends[nearest, np.arange(len(points))], points), near


def _loose_ends(
    flat: NDArray[np.object_],
    tree: shapely.STRtree,
    level: Ints,
    tolerance_m: float,
    at_ends: Floats,
    report: JoinReport,
) -> tuple[Ints, Floats]:
    """Ends that meet nothing but come within the tolerance of the middle of a line of their level.

    The other line gets a vertex at the end itself: it is bent by less than the tolerance, and the end stays where it is.
    `at_ends` (k, 2) are ends at which lines were found to meet already.
    """
    count = len(flat)
    ends = np.concatenate([shapely.get_point(flat, k) for k in (0, -1)])
    owner = np.tile(np.arange(count), 2)
    # An end that another end of its level shares is met already.
    place = np.column_stack([shapely.get_coordinates(ends), level[owner]])
    order = np.lexsort(place.T)
    same = (place[order[1:]] == place[order[:-1]]).all(axis=1) & (owner[order[1:]] != owner[order[:-1]])
    lone = np.ones(2 * count, bool)
    lone[order[1:][same]] = lone[order[:-1][same]] = False
    alone = np.flatnonzero(lone)
    end, other = tree.query(ends[alone], predicate="dwithin", distance=tolerance_m)
    end = alone[end]
    foreign = (other != owner[end]) & (level[other] == level[owner[end]])
    end, other = end[foreign], other[foreign]
    gap = shapely.distance(ends[end], flat[other])
    met = np.isin(shapely.get_coordinates(ends).view(complex).ravel(), at_ends.view(complex).ravel())
    met[end[gap == 0]] = True
    order = np.lexsort((gap, end))
    end, other, gap = end[order], other[order], gap[order]
    first = np.ones(len(end), bool)
    first[1:] = end[1:] != end[:-1]
    chosen = first & ~met[end]
    report.ends_on_lines += int(chosen.sum())
    report.ends_joined += int((chosen & (gap > SAME_M)).sum())
    report.most_moved_m = max(report.most_moved_m, float(gap[chosen].max(initial=0.0)))
    return other[chosen], shapely.get_coordinates(ends[end[chosen]])


def _self_crossings(flat: NDArray[np.object_]) -> tuple[Ints, Floats]:
    """Places where a line crosses itself; both passes get a vertex there."""
    rows = np.flatnonzero(~shapely.is_simple(flat))
    lines: list[int] = []
    spots: list[Floats] = []
    for row in rows.tolist():  # few: a line that crosses itself is a rarity
        pieces = shapely.get_parts(shapely.node(flat[row]))
        ends = np.concatenate([shapely.get_coordinates(shapely.get_point(pieces, k)) for k in (0, -1)])
        spots.append(np.unique(ends, axis=0))
        lines += [row] * len(spots[-1])
    return np.array(lines, np.int64), np.concatenate(spots) if spots else np.zeros((0, 2))


def _with_vertices(flat: NDArray[np.object_], line: Ints, along: Floats, spot: Floats) -> tuple[Floats, Ints]:
    """Vertices (v, 2) of all lines with the new ones in their place, and the offsets at which each line begins.

    A line that passes a new place more than once (it crosses itself there) gets a vertex at every pass.
    """
    xy, row = shapely.get_coordinates(flat, return_index=True)
    step = np.zeros(len(xy))
    step[1:] = np.hypot(*np.diff(xy, axis=0).T)
    start = np.searchsorted(row, np.arange(len(flat) + 1))
    step[start[:-1]] = 0.0
    running = np.cumsum(step)
    at = running - running[start[:-1]][row]
    line, along, spot = _every_pass(flat, line, along, spot)
    all_line = np.concatenate([row, line])
    all_at = np.concatenate([at, along])
    all_xy = np.concatenate([xy, spot])
    order = np.lexsort((all_at, all_line))
    all_line, all_xy = all_line[order], all_xy[order]
    # A new vertex where one stands already is the same vertex; the new place wins over what rounding makes of the old.
    double = np.zeros(len(all_line), bool)
    double[1:] = (all_line[1:] == all_line[:-1]) & (np.hypot(*np.diff(all_xy, axis=0).T) <= SAME_M)
    all_line, all_xy = all_line[~double], all_xy[~double]
    return all_xy, np.searchsorted(all_line, np.arange(len(flat) + 1)).astype(np.int64)


def _every_pass(flat: NDArray[np.object_], line: Ints, along: Floats, spot: Floats) -> tuple[Ints, Floats, Floats]:
    """For lines that cross themselves, the further distances at which they pass the same place."""
    crossing = np.flatnonzero(~shapely.is_simple(flat)[line])
    more: list[tuple[int, float, Floats]] = []
    for k in crossing.tolist():
        xy = shapely.get_coordinates(flat[line[k]])
        a, b = xy[:-1], xy[1:]
        run = np.hypot(*(b - a).T)
        share = np.clip(((spot[k] - a) * (b - a)).sum(axis=1) / np.maximum(run**2, 1e-12), 0, 1)
        near = np.hypot(*(a + share[:, None] * (b - a) - spot[k]).T) <= SAME_M
        passed = np.concatenate([[0], np.cumsum(run)])[:-1] + share * run
        more += [(int(line[k]), float(d), spot[k]) for d in passed[near] if abs(d - along[k]) > SAME_M]
    if not more:
        return line, along, spot
    return (
        np.concatenate([line, [m[0] for m in more]]),
        np.concatenate([along, [m[1] for m in more]]),
        np.concatenate([spot, [m[2] for m in more]]),
    )


def _node_ids(xy: Floats) -> tuple[Ints, Ints]:
    """The node (counted from 0) of each vertex, and the row of the first vertex of each node."""
    # Rounding alone would part two points on either side of a limit: neighbours within SAME_M are joined first.
    pairs = cKDTree(xy).query_pairs(SAME_M, output_type="ndarray")
    group = groups(len(xy), pairs) if len(pairs) else np.arange(len(xy))
    _, first, ident = np.unique(group, return_index=True, return_inverse=True)
    return ident.astype(np.int64), first.astype(np.int64)


def _ends_as_nodes(xy: Floats, start: Ints) -> tuple[Ints, Ints]:
    """The same where only ends of lines meet: each vertex between them is a node of its own."""
    at_end = np.zeros(len(xy), bool)
    at_end[start[:-1]] = at_end[start[1:] - 1] = True
    rows = np.flatnonzero(at_end)
    end_ident, end_first = _node_ids(xy[rows])
    between = np.flatnonzero(~at_end)
    ident = np.empty(len(xy), np.int64)
    ident[rows] = end_ident
    ident[between] = len(end_first) + np.arange(len(between))
    return ident, np.concatenate([rows[end_first], between])
