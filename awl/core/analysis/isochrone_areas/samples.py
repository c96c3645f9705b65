"""Points along streets at an even spacing, and at their nodes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from awl.core.graph.shapes import cut_vertices
from awl.core.graph.street_graph import StreetGraph

SPACING_M = 20.0
"""Distance between samples along a street."""


@dataclass(frozen=True)
class Samples:
    """Points `xy` (k, 2) in the metric plane, on `link` at `fraction`; `place` numbers them upwards, a centimetre apart."""

    xy: NDArray[np.float64]
    link: NDArray[np.int32]
    fraction: NDArray[np.float64]
    place: NDArray[np.int64]


def samples_along(graph: StreetGraph, links: NDArray[np.int32]) -> Samples:
    """Samples of some links, of several at one place that of the first link.

    Parameters:
        graph: the street graph.
        links: rows (m,) of the links in ascending order.
    """
    steps = np.maximum(np.ceil(graph.link_length[links] / SPACING_M).astype(np.int64), 2)
    link = np.repeat(links, steps)
    nth = np.arange(len(link)) - np.repeat(np.cumsum(steps) - steps, steps)
    fraction = (nth + 0.5) / np.repeat(steps, steps)
    # Nodes are sampled too, once each, through the links that end there.
    _, first = np.unique(np.concatenate([graph.link_from[links], graph.link_to[links]]), return_index=True)
    link = np.concatenate([link, links[first % max(len(links), 1)]])
    fraction = np.concatenate([fraction, (first >= len(links)).astype(float)])
    vertices, start = cut_vertices(graph, link, np.zeros(len(link)), fraction, in_plane=True)
    xy = vertices[start[1:] - 1]
    place, distinct = np.unique(key_of_place(*np.rint(xy * 100).T), return_index=True)
    return Samples(xy[distinct], link[distinct], fraction[distinct], place)


def key_of_place(column: NDArray[np.float64], row: NDArray[np.float64]) -> NDArray[np.int64]:
    """A number for each pair of whole numbers between -2^30 and 2^30.

    Parameters:
        column: the first ones (k,).
        row: the second ones (k,).
    """
    return ((column.astype(np.int64) + (1 << 30)) << 31) | (row.astype(np.int64) + (1 << 30))
