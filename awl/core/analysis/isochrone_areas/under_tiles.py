"""Which links lie in or near which tile of a square grid over the plane."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from awl.core.graph.shapes import cut_vertices
from awl.core.graph.street_graph import StreetGraph
from awl.core.network.network import Network

LONG_M = 500.0
"""Longer links are looked at point by point: the box around a ferry's way holds much land it never comes near."""


@dataclass(frozen=True)
class LinksUnderTiles:
    """Tiles with a link near them, and the links.

    Attributes:
        column: the column (t,) of each tile; tiles stand in order of row and column.
        row: its row (t,).
        low: the lowest coordinates (2,) of the links.
        high: the highest ones (2,).
        start: offsets (t + 1,) of the links of each tile.
        link: rows (p,) of links, in ascending order for each tile.
    """

    column: NDArray[np.int64]
    row: NDArray[np.int64]
    low: NDArray[np.float64]
    high: NDArray[np.float64]
    start: NDArray[np.int64]
    link: NDArray[np.int32]

    @classmethod
    def of(cls, network: Network, side: float, near: float) -> LinksUnderTiles:
        """Of the usable links of a network.

        Parameters:
            network: the streets of a mode, at a time and with closures.
            side: the side of a tile in metres.
            near: metres from a tile up to which a link counts as near.
        """
        graph = network.graph
        links = np.flatnonzero(network.usable).astype(np.int32)
        if len(links) == 0:
            none = np.zeros(0, np.int64)
            return cls(none, none, np.zeros(2), np.zeros(2), np.zeros(1, np.int64), links)
        low, high, link = _boxes(graph, links)
        first = np.floor((low - near) / side).astype(np.int64)
        wide, tall = (np.floor((high + near) / side).astype(np.int64) - first + 1).T
        box = np.repeat(np.arange(len(link)), wide * tall)
        nth = np.arange(len(box)) - np.repeat(np.cumsum(wide * tall) - wide * tall, wide * tall)
        column, row = first[box, 0] + nth % wide[box], first[box, 1] + nth // wide[box]
        left, lowest = column.min(), row.min()
        columns = int(column.max() - left) + 1
        number = (row - lowest) * columns + column - left
        order = np.lexsort((link[box], number))
        number, link = number[order], link[box][order]
        is_first = np.append(True, (number[1:] != number[:-1]) | (link[1:] != link[:-1]))
        number, link = number[is_first], link[is_first]
        tile, start = np.unique(number, return_index=True)
        return cls(
            tile % columns + left,
            tile // columns + lowest,
            low.min(axis=0),
            high.max(axis=0),
            np.append(start, len(number)),
            link,
        )

    def links_of(self, column: int, row: int) -> NDArray[np.int32]:
        """The links near a tile.

        Parameters:
            column: its column.
            row: its row.
        """
        (tile,) = np.flatnonzero((self.column == column) & (self.row == row))
        return self.link[self.start[tile] : self.start[tile + 1]]

    def tiles_of(self, links: NDArray[np.integer]) -> NDArray[np.int64]:
        """The tiles near some links.

        Parameters:
            links: rows (k,) of the links.
        """
        wanted = np.zeros(int(max(self.link.max(initial=-1), links.max(initial=-1))) + 1, bool)
        wanted[links] = True
        if len(self.link) == 0:
            return np.zeros(0, np.int64)
        return np.flatnonzero(np.logical_or.reduceat(wanted[self.link], self.start[:-1]))


def _boxes(
    graph: StreetGraph, links: NDArray[np.int32]
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.int32]]:
    """Boxes that hold links: lowest and highest coordinates (b, 2), and the link (b,) of each."""
    is_long = graph.link_length[links] > LONG_M
    short, long = links[~is_long], links[is_long]
    box = graph.boxes_xy[:, short]
    steps = np.ceil(graph.link_length[long] / LONG_M).astype(np.int64)
    link = np.repeat(long, steps)
    nth = np.arange(len(link)) - np.repeat(np.cumsum(steps) - steps, steps)
    middle = (nth + 0.5) / np.repeat(steps, steps)
    vertices, start = cut_vertices(graph, link, np.zeros(len(link)), middle, in_plane=True)
    xy = vertices[start[1:] - 1]
    return (
        np.concatenate([box[:2].T, xy - LONG_M / 2]),
        np.concatenate([box[2:].T, xy + LONG_M / 2]),
        np.concatenate([short, link]),
    )
