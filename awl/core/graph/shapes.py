"""Cut shapes of links at fractions of their length."""

from __future__ import annotations

from typing import Protocol

import numpy as np
import shapely
from numba import njit
from numpy.typing import NDArray

from awl.core.graph.street_graph import StreetGraph, ragged_lines


@njit(cache=True, nogil=True)
def _cut(shape_start, x, y, metres, link, begin, end):
    """Vertices of each cut, and the offsets at which each begins."""
    count = len(link)
    start = np.zeros(count + 1, np.int64)
    size = 0
    for i in range(count):
        size += shape_start[link[i] + 1] - shape_start[link[i]] + 2
    out = np.empty((size, 2), np.float64)
    n = 0
    for i in range(count):
        a, b = shape_start[link[i]], shape_start[link[i] + 1]
        total = metres[b - 1]
        m0, m1 = begin[i] * total, end[i] * total
        for v in range(a, b - 1):
            s0, s1 = metres[v], metres[v + 1]
            if (s1 <= m0 and v < b - 2) or (s0 >= m1 and n > start[i]):
                continue
            span = s1 - s0
            u0 = min(max((m0 - s0) / span, 0.0), 1.0) if span > 0 else 0.0
            u1 = min(max((m1 - s0) / span, 0.0), 1.0) if span > 0 else 1.0
            if n == start[i]:
                out[n, 0] = x[v] + u0 * (x[v + 1] - x[v])
                out[n, 1] = y[v] + u0 * (y[v + 1] - y[v])
                n += 1
            out[n, 0] = x[v] + u1 * (x[v + 1] - x[v])
            out[n, 1] = y[v] + u1 * (y[v + 1] - y[v])
            n += 1
        start[i + 1] = n
    return out[:n], start


def cut_lines(
    graph: StreetGraph,
    link: NDArray[np.int32],
    begin: NDArray[np.float64],
    end: NDArray[np.float64],
    in_plane: bool = False,
) -> NDArray[np.object_]:
    """LineStrings of links between two fractions of their length (`begin` <= `end`), in degrees or in the plane.

    Parameters:
        graph: the street graph.
        link: rows (k,) of links.
        begin: fractions (k,) of the length at which pieces begin.
        end: fractions (k,) of the length at which pieces end.
        in_plane: whether in metres of the plane instead of degrees.
    """
    vertices, start = cut_vertices(graph, link, begin, end, in_plane)
    return ragged_lines(vertices, start) if len(link) else np.zeros(0, object)


class Shaped(Protocol):
    """What has shapes that can be cut: streets, or lines beside them. Those of link i are `shape_start[i]` to the next."""

    @property
    def shape_start(self) -> NDArray[np.int64]:
        """Offsets (m + 1,) of the vertices."""

    @property
    def shape_lon(self) -> NDArray[np.float64]:
        """Degrees (v,)."""

    @property
    def shape_lat(self) -> NDArray[np.float64]:
        """Degrees (v,)."""

    @property
    def shape_m(self) -> NDArray[np.float64]:
        """Metres from the begin of the link (v,)."""

    @property
    def shape_xy(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """The same vertices in a metric plane."""


def cut_vertices(
    graph: Shaped,
    link: NDArray[np.int32],
    begin: NDArray[np.float64],
    end: NDArray[np.float64],
    in_plane: bool = False,
) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """The vertices (v, 2) of the same pieces one after another, and the offsets at which each begins.

    Parameters:
        graph: the street graph, or what has shapes as it has.
        link: rows (k,) of links.
        begin: fractions (k,) of the length at which pieces begin.
        end: fractions (k,) of the length at which pieces end.
        in_plane: whether in metres of the plane instead of degrees.
    """
    x, y = graph.shape_xy if in_plane else (graph.shape_lon, graph.shape_lat)
    vertices, start = _cut(graph.shape_start, x, y, graph.shape_m, link, begin, end)
    return vertices, start


def point_at(
    graph: StreetGraph, link: NDArray[np.int32], fraction: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Longitude and latitude at a fraction of each link's length.

    Parameters:
        graph: the street graph.
        link: rows (k,) of links.
        fraction: fractions (k,) of the length of each link, from its begin.
    """
    vertices, start = cut_vertices(graph, link, np.zeros(len(link)), fraction)
    last = vertices[start[1:] - 1]
    return last[:, 0], last[:, 1]


def joined_lines(
    graph: StreetGraph,
    link: NDArray[np.int32],
    enter: NDArray[np.float64],
    leave: NDArray[np.float64],
    way: NDArray[np.integer],
    ways: int,
) -> NDArray[np.object_]:
    """One LineString (ways,) in degrees for each way, from pieces of links in travel order; None where a way has no piece.

    A piece runs from fraction `enter` to `leave` of its link, backwards where that is less; `way` (k,) ascends.

    Parameters:
        graph: the street graph.
        link: rows (k,) of links.
        enter: fractions (k,) at which pieces are entered.
        leave: fractions (k,) at which they are left.
        way: the way (k,) that each piece belongs to, ascending.
        ways: how many ways there are.
    """
    lines = np.full(ways, None, object)
    if len(link) == 0:
        return lines
    xy, start = cut_vertices(graph, link, np.minimum(enter, leave), np.maximum(enter, leave))
    size = np.diff(start)
    piece = np.repeat(np.arange(len(link)), size)
    nth = np.arange(len(xy)) - start[piece]
    back = leave < enter
    xy = xy[np.where(back[piece], start[piece + 1] - 1 - nth, start[piece] + nth)]
    # A piece begins where the one before it ended: that vertex stands once.
    first = np.concatenate([[True], way[1:] != way[:-1]])
    keep = (nth > 0) | first[piece]
    xy, owner = xy[keep], way[piece[keep]]
    counts = np.bincount(owner, minlength=ways)
    single = np.flatnonzero(counts == 1)  # no length: the point stands twice
    if len(single):
        xy, owner = np.concatenate([xy, xy[np.isin(owner, single)]]), np.concatenate([owner, single])
        order = np.argsort(owner, kind="stable")
        xy, owner = xy[order], owner[order]
    shapely.linestrings(xy, indices=owner, out=lines)
    return lines
