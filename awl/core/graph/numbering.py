"""Numbers of nodes: anew from a chosen start, or those of an existing node layer.

A numbering is sound when every node of the graph has exactly one number and no number stands for two nodes. What is not is
reported with its place, and nothing is built on it.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from awl.core.errors import AwlError
from awl.core.graph.street_graph import MAX_ID, StreetGraph

SHOWN = 3
"""Places named in a message; the count tells the rest."""
MATCH_M = 0.5
"""How far a node of the layer may lie from the end of a street it numbers."""


@dataclass(frozen=True)
class NumberingFaults:
    """Nodes without a number, nodes with two, numbers given twice: places in degrees (k, 2)."""

    uncovered: NDArray[np.float64]
    doubled: NDArray[np.float64]
    repeated: NDArray[np.float64]
    unused: int

    @property
    def sound(self) -> bool:
        """Whether the numbering can be used."""
        return not (len(self.uncovered) or len(self.doubled) or len(self.repeated))

    def error(self) -> AwlError:
        """The faults as one message."""
        parts = []
        for places, what in (
            (self.uncovered, "node(s) of the streets have no number"),
            (self.doubled, "node(s) have two numbers"),
            (self.repeated, "node(s) share a number with another"),
        ):
            if len(places):
                at = "; ".join(f"{lon:.6f} {lat:.6f}" for lon, lat in places[:SHOWN])
                parts.append(f"{len(places)} {what} (at {at}{' and elsewhere' if len(places) > SHOWN else ''})")
        return AwlError(
            f"The node layer does not number these streets: {', '.join(parts)}",
            remedy="Mend the node layer, or let Awl number the nodes anew",
            inputs=("nodes",),
            status=422,
            kind="broken-numbering",
        )


def numbered_anew(graph: StreetGraph) -> StreetGraph:
    """The graph with nodes and links numbered from 1 on, in their order: for one that nobody knows yet.

    Parameters:
        graph: the street graph.
    """
    return replace(
        graph,
        node_id=np.arange(1, graph.node_count + 1, dtype=np.int64),
        link_id=np.arange(1, graph.link_count + 1, dtype=np.int64),
        highest_ids=(0, 0),
    )


def numbered_from(graph: StreetGraph, first: int) -> StreetGraph:
    """The graph with nodes numbered from `first` on; numbers below it stay free, for zone centroids say.

    Parameters:
        graph: the street graph.
        first: the number of the first node.

    Raises:
        AwlError: the number is none from 1 on, or too large.
    """
    if not 1 <= first <= MAX_ID - graph.node_count:
        raise AwlError(
            f"Nodes cannot be numbered from {first}", remedy="Give a whole number from 1 on", inputs=("first_node",)
        )
    return replace(graph, node_id=np.arange(first, first + graph.node_count, dtype=np.int64))


def numbered_by(
    graph: StreetGraph, lon: NDArray[np.float64], lat: NDArray[np.float64], number: NDArray[np.int64]
) -> tuple[StreetGraph | None, NumberingFaults]:
    """The graph with the numbers of the nearest points (degrees), or None when that is no sound numbering.

    Parameters:
        graph: the street graph.
        lon: longitudes (k,) in degrees.
        lat: latitudes (k,) in degrees.
        number: the number (k,) of each point.
    """
    points = np.column_stack(graph.plane.xy(lon, lat))
    nodes = np.column_stack(graph.plane.xy(graph.node_lon, graph.node_lat))
    here = np.column_stack([graph.node_lon, graph.node_lat])
    _, owner = cKDTree(nodes).query(points, distance_upper_bound=MATCH_M)
    used = owner < graph.node_count
    count = np.bincount(owner[used], minlength=graph.node_count)
    # Two points at one node are one numbering as long as they say the same number.
    pairs = np.unique(np.column_stack([owner[used], number[used]]), axis=0)
    distinct = np.bincount(pairs[:, 0], minlength=graph.node_count)
    _, row, times = np.unique(pairs[:, 1], return_inverse=True, return_counts=True)
    faults = NumberingFaults(
        uncovered=here[count == 0],
        doubled=here[distinct > 1],
        repeated=here[np.unique(pairs[times[row] > 1, 0])],
        unused=int((~used).sum()),
    )
    if not faults.sound:
        return None, faults
    numbers = np.zeros(graph.node_count, np.int64)
    numbers[pairs[:, 0]] = pairs[:, 1]
    return replace(graph, node_id=numbers), faults
