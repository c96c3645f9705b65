"""Segments of links in a grid of cells: which cross, and which lie on top of each other.

Segments are cut into pieces no longer than a cell, so that each lies in at most four cells. Only pieces of one cell are compared.
A crossing counts in the cell that holds its point, an overlap in the one that holds its middle: each is told once.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.graph.street_graph import StreetGraph
from awl.core.kernels import njit_no_refcount

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
CELL_M = 40.0
JOINED_M = 0.2
"""Streets that meet this close to a node of both meet at it."""
NEAR_M = 0.5
"""Segments closer than this all along lie on top of each other."""


@dataclass(frozen=True)
class Segments:
    """The segments (s,) of links.

    Attributes:
        link: (s,) row of the link.
        begin: (s, 2) where each begins, metres.
        end: (s, 2) where it ends.
        nodes: (m, 2) end nodes of each link.
        node_xy: (n, 2) where the nodes are.
    """

    link: Ints
    begin: Floats
    end: Floats
    nodes: Ints
    node_xy: Floats


def segments_of(graph: StreetGraph) -> Segments:
    """All segments of all links, in their order.

    Parameters:
        graph: the streets.
    """
    x, y = graph.shape_xy
    vertex = np.ones(len(x), bool)
    vertex[graph.shape_start[1:] - 1] = False
    first = np.flatnonzero(vertex)
    link = np.repeat(np.arange(graph.link_count), np.diff(graph.shape_start) - 1)
    xy = np.column_stack([x, y])
    nodes = np.column_stack([graph.link_from, graph.link_to]).astype(np.int64)
    node_xy = np.column_stack(graph.plane.xy(graph.node_lon, graph.node_lat))
    return Segments(link, xy[first], xy[first + 1], nodes, node_xy)


@dataclass(frozen=True)
class Meetings:
    """Pairs of segments (k,): rows of both, where they meet (k, 2), and for how many metres they overlap, 0 where they cross."""

    a: Ints
    b: Ints
    xy: Floats
    along: Floats


def meetings(segments: Segments) -> Meetings:
    """Segments that cross, touch with an end, or lie on top of each other.

    Segments of one link that follow each other are left out, and links that meet at a node of both.

    Parameters:
        segments: all segments.
    """
    piece, place = _pieces(segments)
    cell, member = _in_cells(place)
    start = np.flatnonzero(np.concatenate([[True], cell[1:] != cell[:-1], [True]]))
    room = max(1024, len(segments.link))
    while True:
        a, b = np.empty(room, np.int64), np.empty(room, np.int64)
        xy, along = np.empty((room, 2)), np.empty(room)
        pieces = place, piece, segments.link, segments.nodes, segments.node_xy
        count = _compare(cell[start[:-1]], start, member, pieces, (a, b, xy, along))
        if count <= room:
            return Meetings(a[:count], b[:count], xy[:count], along[:count])
        room = count


def _pieces(segments: Segments) -> tuple[Ints, Floats]:
    """Pieces (p,) no longer than a cell: the segment of each, and where it begins and ends (p, 4)."""
    length = np.hypot(*(segments.end - segments.begin).T)
    number = np.maximum(np.ceil(length / CELL_M), 1).astype(np.int64)
    segment = np.repeat(np.arange(len(number)), number)
    nth = np.arange(len(segment)) - np.repeat(np.cumsum(number) - number, number)
    begin, run = segments.begin[segment], (segments.end - segments.begin)[segment]
    share = np.column_stack([nth, nth + 1]) / number[segment][:, None]
    return segment, np.hstack([begin + share[:, :1] * run, begin + share[:, 1:] * run])


def _in_cells(place: Floats) -> tuple[Ints, Ints]:
    """Cells that the boxes of pieces touch, ascending, and the piece of each row."""
    low = np.floor(np.minimum(place[:, :2], place[:, 2:] - 0.0) / CELL_M - NEAR_M / CELL_M).astype(np.int64)
    high = np.floor(np.maximum(place[:, :2], place[:, 2:]) / CELL_M + NEAR_M / CELL_M).astype(np.int64)
    cells, members = [], []
    piece = np.arange(len(place))
    for step_x in range(3):
        for step_y in range(3):
            rows = (low[:, 0] + step_x <= high[:, 0]) & (low[:, 1] + step_y <= high[:, 1])
            cells.append(key_of(low[rows, 0] + step_x, low[rows, 1] + step_y))
            members.append(piece[rows])
    cell, member = np.concatenate(cells), np.concatenate(members)
    order = np.argsort(cell, kind="stable")
    return cell[order], member[order]


def key_of(column: Any, row: Any) -> Any:
    """One number for a cell of the grid: columns and rows from -2^31 on.

    Parameters:
        column: of the cell.
        row: of the cell.
    """
    return (column + 2**31) * 2**32 + (row + 2**31)


@njit_no_refcount
def _cell_at(x: Any, y: Any) -> Any:
    return (np.int64(np.floor(x / CELL_M)) + 2**31) * 2**32 + (np.int64(np.floor(y / CELL_M)) + 2**31)


@njit(cache=True, nogil=True)
def _compare(cells, start, member, pieces, out):
    """Compare the pieces of each cell; return the number of meetings, of which as many are written as `out` has room for."""
    place, segment, link, nodes, node_xy = pieces
    a, b, xy, along = out
    count = 0
    for c in range(len(cells)):
        for i in range(start[c], start[c + 1]):
            p = member[i]
            s = segment[p]
            for j in range(start[c], i):
                q = member[j]
                t = segment[q]
                if s == t or (link[s] == link[t] and abs(s - t) == 1):
                    continue
                x, y, overlap = _meet(place, p, q)
                if overlap < 0.0 or _cell_at(x, y) != cells[c]:
                    continue
                if overlap == 0.0 and _joined(nodes, node_xy, link[s], link[t], x, y):
                    continue
                if count < len(a):
                    a[count], b[count] = min(s, t), max(s, t)
                    xy[count, 0], xy[count, 1], along[count] = x, y, overlap
                count += 1
    return count


@njit_no_refcount
def _joined(nodes, node_xy, a, b, x, y):
    """Whether two links share a node at a place; whether one link begins and ends there."""
    for i in range(2):
        for j in range(2):
            node = nodes[a, i]
            if (
                node == nodes[b, j]
                and (a != b or i != j)
                and np.hypot(node_xy[node, 0] - x, node_xy[node, 1] - y) <= JOINED_M
            ):
                return True
    return False


@njit_no_refcount
def _meet(place, p, q):
    """Where two pieces meet, and along how many metres they overlap: 0 where they cross or touch, -1 where they do neither."""
    ax, ay, bx, by = place[p, 0], place[p, 1], place[p, 2], place[p, 3]
    cx, cy, dx, dy = place[q, 0], place[q, 1], place[q, 2], place[q, 3]
    ux, uy, vx, vy = bx - ax, by - ay, dx - cx, dy - cy
    wx, wy = cx - ax, cy - ay
    cross = ux * vy - uy * vx
    u, v = np.hypot(ux, uy), np.hypot(vx, vy)
    if u == 0.0 or v == 0.0:
        return 0.0, 0.0, -1.0
    if abs(cross) <= 0.02 * u * v:
        return _overlap(ax, ay, ux / u, uy / u, u, (wx, wy, wx + vx, wy + vy))
    s, t = (wx * vy - wy * vx) / cross, (wx * uy - wy * ux) / cross
    if s < 0.0 or s > 1.0 or t < 0.0 or t > 1.0:
        return 0.0, 0.0, -1.0
    return ax + s * ux, ay + s * uy, 0.0


@njit_no_refcount
def _overlap(ax, ay, ux, uy, length, other):
    """The middle and length of what a piece from (ax, ay) along (ux, uy) shares with a nearly parallel one, given from there."""
    first, last = other[0] * ux + other[1] * uy, other[2] * ux + other[3] * uy
    off_first, off_last = other[1] * ux - other[0] * uy, other[3] * ux - other[2] * uy
    low, high = max(min(first, last), 0.0), min(max(first, last), length)
    if high - low < 0.1:
        return 0.0, 0.0, -1.0
    turn = (off_last - off_first) / (last - first)
    if abs(off_first + turn * (low - first)) > NEAR_M or abs(off_first + turn * (high - first)) > NEAR_M:
        return 0.0, 0.0, -1.0
    middle = (low + high) / 2
    return ax + middle * ux, ay + middle * uy, high - low
