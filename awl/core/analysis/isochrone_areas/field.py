"""A field of points over the streets, triangulated once per network, on which areas are drawn.

Streets are sampled at an even spacing; the samples carry arrivals that are exact on the street. Where no street is near,
blank points are strewn, so that an area ends a short way off the last street instead of leaping over empty land or
water. The triangulation (Delaunay) does not depend on arrivals: a new question only gives the points new values.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from awl.core.analysis.isochrone_areas.triangles import triangulated, triangulated_again
from awl.core.graph.shapes import cut_vertices
from awl.core.network.network import Network

SPACING_M = 20.0
"""Distance between samples along a street."""
OFF_STREET_M = 90.0
"""Points farther from any street than this are blank: no area extends to them."""
CALM_MS = 60_000.0
"""Arrivals this far below or above a limit count alike when a contour is placed off the street."""


@dataclass(frozen=True)
class Field:
    """Points (q,) in the metric plane; the first `samples` lie on `link` at `fraction`, the others are blank.

    `triangles` (t, 3) are rows of the points.
    """

    x: NDArray[np.float64]
    y: NDArray[np.float64]
    link: NDArray[np.int32]
    fraction: NDArray[np.float64]
    triangles: NDArray[np.int32]

    @property
    def samples(self) -> int:
        """Number of points that lie on streets."""
        return len(self.link)


def field_of(network: Network, former: Field | None = None) -> Field:
    """The field of a network.

    Parameters:
        network: the streets of a mode, at a time and with closures.
        former: the field before some of the streets were edited; the same comes out, sooner.
    """
    graph = network.graph
    links = np.flatnonzero(network.usable).astype(np.int32)
    steps = np.maximum(np.ceil(graph.link_length[links] / SPACING_M).astype(np.int64), 2)
    link = np.repeat(links, steps)
    nth = np.arange(len(link)) - np.repeat(np.cumsum(steps) - steps, steps)
    fraction = (nth + 0.5) / np.repeat(steps, steps)
    # Nodes are sampled too, once each, through the links that end there.
    _, first = np.unique(np.concatenate([graph.link_from[links], graph.link_to[links]]), return_index=True)
    at_end = first >= len(links)
    link = np.concatenate([link, links[first % len(links)]])
    fraction = np.concatenate([fraction, at_end.astype(float)])
    vertices, start = cut_vertices(graph, link, np.zeros(len(link)), fraction, in_plane=True)
    xy = vertices[start[1:] - 1]
    centimetres = np.rint(xy * 100).astype(np.int64) + (1 << 30)
    _, distinct = np.unique((centimetres[:, 0] << 31) | centimetres[:, 1], return_index=True)
    xy, link, fraction = xy[distinct], link[distinct], fraction[distinct]
    everything = np.concatenate([xy, _blank_points(xy)])
    # No circle of twice that width is free of points: lattice points left out lie near a sample.
    triangles, widest = None, 2 * OFF_STREET_M
    if former is not None:
        triangles = triangulated_again(everything, widest, np.column_stack([former.x, former.y]), former.triangles)
    if triangles is None:
        triangles = triangulated(everything, widest)
    return Field(everything[:, 0].copy(), everything[:, 1].copy(), link, fraction, triangles)


def _blank_points(samples: NDArray[np.float64]) -> NDArray[np.float64]:
    """A hexagonal lattice of points away from all streets."""
    low, high = samples.min(axis=0) - 3 * OFF_STREET_M, samples.max(axis=0) + 3 * OFF_STREET_M
    lattice = _lattice(low, high, OFF_STREET_M)
    return lattice[cKDTree(samples).query(lattice, workers=-1)[0] > OFF_STREET_M]


def _lattice(low: NDArray[np.float64], high: NDArray[np.float64], step: float) -> NDArray[np.float64]:
    """Points of the one lattice of the plane that lie between `low` and `high`."""
    column = np.arange(np.floor(low[0] / step), np.ceil(high[0] / step) + 1)
    row = np.arange(np.floor(low[1] / (step * 0.866)), np.ceil(high[1] / (step * 0.866)) + 1)
    grid_x, grid_y = np.meshgrid(column * step, row * step * 0.866)
    grid_x[row % 2 == 1] += step / 2
    return np.column_stack([grid_x.ravel(), grid_y.ravel()])
