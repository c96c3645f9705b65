"""Which links lie near a place: boxes within boxes, over the links in the order in which they stand.

Links that follow one another lie close together, for nodes are stored along a Hilbert curve. So the boxes of so many in a row are
small, and those of as many such groups again. A search goes into the nearest boxes first and leaves out all that are farther off
than the nearest link it knows.
Sources: A. Guttman, *R-trees*, SIGMOD 1984; I. Kamel, C. Faloutsos, *Hilbert R-tree*, VLDB 1994; N. Roussopoulos, S. Kelley,
F. Vincent, *Nearest neighbor queries*, SIGMOD 1995.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.graph.street_graph import StreetGraph

Metres = NDArray[np.float64]
GROUP = 8
"""Boxes of a group."""


@dataclass(frozen=True)
class NearestLinks:
    """Some links of a graph, found by where they lie in the metric plane.

    Attributes:
        links: their rows (k,).
        boxes: west, south, east, north (b, 4) of the links, then of groups of them, then of groups of those, up to a single one.
        begins: where each level of boxes begins, and where the last one ends.
        shape_start: offsets (m + 1,) of the vertices of each link of the graph.
        shape_xy: the vertices in metres.
    """

    links: NDArray[np.int64]
    boxes: Metres
    begins: NDArray[np.int64]
    shape_start: NDArray[np.int64]
    shape_xy: tuple[Metres, Metres]

    @classmethod
    def of(cls, graph: StreetGraph, links: NDArray[np.int64]) -> NearestLinks:
        """Of some links of a graph.

        Parameters:
            graph: the street graph.
            links: rows (k,) of the links.
        """
        levels = [graph.boxes_xy[:, links]]
        while levels[-1].shape[1] > 1:
            first = np.arange(0, levels[-1].shape[1], GROUP)
            west, south, east, north = levels[-1]
            low, high = (np.minimum.reduceat, np.maximum.reduceat)
            levels.append(np.stack([low(west, first), low(south, first), high(east, first), high(north, first)]))
        begins = np.cumsum([0, *(level.shape[1] for level in levels)])
        boxes = np.ascontiguousarray(np.concatenate(levels, axis=1).T)
        return cls(np.asarray(links, np.int64), boxes, begins, graph.shape_start, graph.shape_xy)

    def __len__(self) -> int:
        return len(self.links)

    def nearest(self, x: Metres, y: Metres, within: float = np.inf) -> tuple[NDArray[np.int64], Metres]:
        """The nearest link to each place, of several at one distance the first; -1 where none is near.

        Parameters:
            x: metres (p,) to the east in the plane.
            y: metres (p,) to the north in the plane.
            within: how far a link may lie, in metres.

        Returns:
            Rows (p,) of links of the graph, and how far they are, infinity where none is near.
        """
        hits, distance = np.full(len(x), -1, np.int64), np.full(len(x), np.inf)
        if len(self.links):
            _nearest(
                self.boxes,
                self.begins,
                self.links,
                self.shape_start,
                *self.shape_xy,
                x,
                y,
                float(within),
                hits,
                distance,
            )
        return hits, distance

    def around(self, x: Metres, y: Metres, within: Metres) -> tuple[NDArray[np.int64], NDArray[np.int64], Metres]:
        """All links near each place.

        Parameters:
            x: metres (p,) to the east in the plane.
            y: metres (p,) to the north in the plane.
            within: how far (p,) links may lie, in metres.

        Returns:
            Rows of places, rows of links of the graph, and how far they are (q,), by place.
        """
        if len(self.links) == 0:
            none = np.zeros(0, np.int64)
            return none, none, np.zeros(0)
        return _around(self.boxes, self.begins, self.links, self.shape_start, *self.shape_xy, x, y, within)

    def in_boxes(self, boxes: Metres) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """All links whose own boxes meet some boxes.

        Parameters:
            boxes: west, south, east, north (p, 4) in metres of the plane.

        Returns:
            Rows of the boxes and rows of links of the graph (q,), by box.
        """
        if len(self.links) == 0:
            none = np.zeros(0, np.int64)
            return none, none
        rows, hits = _in_boxes(self.boxes, self.begins, np.ascontiguousarray(boxes))
        return rows, self.links[hits]


@njit(cache=True, nogil=True)
def _nearest(boxes, begins, links, shape_start, xs, ys, x, y, within, hits, distance):
    """The nearest link of each place and its distance, into `hits` and `distance`."""
    top = len(begins) - 2
    # A group is left with all its boxes on the way at most, on each level.
    far, box, level = (
        np.empty(GROUP * (top + 2)),
        np.empty(GROUP * (top + 2), np.int64),
        np.empty(GROUP * (top + 2), np.int64),
    )
    for place in range(len(x)):
        least, nearest = within * within, -1
        far[0], box[0], level[0] = _to_box(boxes[begins[top]], x[place], y[place]), 0, top
        size = 1
        while size > 0:
            size -= 1
            index, at = box[size], level[size]
            if far[size] > least:
                continue
            if at == 0:
                square = _to_link(shape_start, xs, ys, links[index], x[place], y[place])
                if square < least or (square == least and (nearest < 0 or links[index] < nearest)):
                    least, nearest = square, links[index]
                continue
            below, last = begins[at - 1], min((index + 1) * GROUP, begins[at] - begins[at - 1])
            bottom = size
            for child in range(index * GROUP, last):
                square = _to_box(boxes[below + child], x[place], y[place])
                if square > least:
                    continue
                # The nearest stands on top.
                i = size
                while i > bottom and far[i - 1] < square:
                    far[i], box[i], level[i] = far[i - 1], box[i - 1], level[i - 1]
                    i -= 1
                far[i], box[i], level[i] = square, child, at - 1
                size += 1
        if nearest >= 0:
            hits[place], distance[place] = nearest, np.sqrt(least)


@njit(cache=True, nogil=True)
def _around(boxes, begins, links, shape_start, xs, ys, x, y, within):
    """All links of each place that lie near enough: rows of places, of links, and distances."""
    top, count = len(begins) - 2, 0
    places, hits, distance = np.empty(256, np.int64), np.empty(256, np.int64), np.empty(256)
    box, level = np.empty(GROUP * (top + 2), np.int64), np.empty(GROUP * (top + 2), np.int64)
    for place in range(len(x)):
        most = within[place] * within[place]
        box[0], level[0], size = 0, top, 1
        while size > 0:
            size -= 1
            index, at = box[size], level[size]
            if _to_box(boxes[begins[at] + index], x[place], y[place]) > most:
                continue
            if at > 0:
                for child in range(index * GROUP, min((index + 1) * GROUP, begins[at] - begins[at - 1])):
                    box[size], level[size] = child, at - 1
                    size += 1
                continue
            square = _to_link(shape_start, xs, ys, links[index], x[place], y[place])
            if square > most:
                continue
            if count == len(places):
                places, hits = np.append(places, places), np.append(hits, hits)
                distance = np.append(distance, distance)
            places[count], hits[count], distance[count] = place, links[index], np.sqrt(square)
            count += 1
    return places[:count].copy(), hits[:count].copy(), distance[:count].copy()


@njit(cache=True, nogil=True)
def _in_boxes(boxes, begins, wanted):
    """Rows of the wanted boxes, and of the boxes of links that meet them."""
    top, count = len(begins) - 2, 0
    rows, hits = np.empty(256, np.int64), np.empty(256, np.int64)
    box, level = np.empty(GROUP * (top + 2), np.int64), np.empty(GROUP * (top + 2), np.int64)
    for row in range(len(wanted)):
        west, south, east, north = wanted[row]
        box[0], level[0], size = 0, top, 1
        while size > 0:
            size -= 1
            index, at = box[size], level[size]
            sides = boxes[begins[at] + index]
            if not (sides[0] <= east and sides[1] <= north and sides[2] >= west and sides[3] >= south):
                continue
            if at > 0:
                for child in range(index * GROUP, min((index + 1) * GROUP, begins[at] - begins[at - 1])):
                    box[size], level[size] = child, at - 1
                    size += 1
                continue
            if count == len(rows):
                rows, hits = np.append(rows, rows), np.append(hits, hits)
            rows[count], hits[count] = row, index
            count += 1
    return rows[:count].copy(), hits[:count].copy()


@njit(cache=True, nogil=True, inline="always")
def _to_box(box, x, y):
    """The square of how far a place is from a box."""
    across = max(box[0] - x, 0.0, x - box[2])
    up = max(box[1] - y, 0.0, y - box[3])
    return across * across + up * up


@njit(cache=True, nogil=True)
def _to_link(shape_start, xs, ys, link, x, y):
    """The square of how far a place is from a link; at a vertex the same from each link that has it."""
    least = np.inf
    for i in range(shape_start[link], shape_start[link + 1] - 1):
        across, up = xs[i + 1] - xs[i], ys[i + 1] - ys[i]
        length = across * across + up * up
        share = 0.0 if length == 0.0 else ((x - xs[i]) * across + (y - ys[i]) * up) / length
        if share <= 0.0:
            away_x, away_y = x - xs[i], y - ys[i]
        elif share >= 1.0:
            away_x, away_y = x - xs[i + 1], y - ys[i + 1]
        else:
            away_x, away_y = x - (xs[i] + share * across), y - (ys[i] + share * up)
        least = min(least, away_x * away_x + away_y * away_y)
    return least
