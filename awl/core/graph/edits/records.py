"""Single nodes, links and turn restrictions of a graph with all that is known of them, by id: what edits work on.

A graph is arrays; an edit concerns a few rows. They are taken out as records, changed, and put back in one go.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from awl.core.geodesy import segment_lengths
from awl.core.graph.street_graph import StreetGraph
from awl.core.graph.turns import Placed

Floats = NDArray[np.float64]
Tags = dict[str, str]


@dataclass(frozen=True)
class NodeRecord:
    """A node: its id, the source's id for it, where it is in degrees, whether a street was cut there, and its tags."""

    id: int
    osm_id: int
    lon: float
    lat: float
    border: bool
    tags: Tags


@dataclass(frozen=True)
class LinkRecord:
    """A link: its id, its end nodes by id, its source ways, its line in degrees (v, 2), metres along it (v,), tags and costs."""

    id: int
    tail: int
    head: int
    ways: tuple[int, ...]
    line: tuple[tuple[float, float], ...]
    metres: tuple[float, ...]
    tags: Tags
    costs: dict[str, tuple[float, float]]

    @property
    def length(self) -> float:
        """Metres from end to end."""
        return self.metres[-1]

    def along(self, line: tuple[tuple[float, float], ...]) -> LinkRecord:
        """The link on another line; costs that were given stay as they were given.

        Parameters:
            line: places in degrees.
        """
        return replace(self, line=line, metres=measured(line))

    def reversed(self) -> LinkRecord:
        """The link drawn the other way round."""
        total = self.length
        return replace(
            self,
            tail=self.head,
            head=self.tail,
            line=self.line[::-1],
            metres=tuple(total - m for m in self.metres[::-1]),
        )


@dataclass(frozen=True)
class TurnRecord(Placed):
    """A turn restriction whose links and node are named by id, not by row; see `TurnRestrictions`."""


def measured(line: tuple[tuple[float, float], ...]) -> tuple[float, ...]:
    """Geodesic metres from the first place of a line to each.

    Parameters:
        line: places in degrees.
    """
    xy = np.array(line, float)
    steps = segment_lengths(xy[:-1, 0], xy[:-1, 1], xy[1:, 0], xy[1:, 1])
    return (0.0, *np.cumsum(steps).tolist())


def node_record(graph: StreetGraph, row: int) -> NodeRecord:
    """A node.

    Parameters:
        graph: the streets.
        row: of the node.
    """
    tags = {key: text for key, column in graph.node_tags.items() if (text := column.at(row)) is not None}
    place = float(graph.node_lon[row]), float(graph.node_lat[row])
    return NodeRecord(int(graph.node_id[row]), int(graph.node_osm_id[row]), *place, bool(graph.node_border[row]), tags)


def link_record(graph: StreetGraph, row: int) -> LinkRecord:
    """A link.

    Parameters:
        graph: the streets.
        row: of the link.
    """
    at = slice(graph.shape_start[row], graph.shape_start[row + 1])
    return LinkRecord(
        int(graph.link_id[row]),
        int(graph.node_id[graph.link_from[row]]),
        int(graph.node_id[graph.link_to[row]]),
        tuple(graph.link_ways[graph.ways_start[row] : graph.ways_start[row + 1]].tolist()),
        tuple(zip(graph.shape_lon[at].tolist(), graph.shape_lat[at].tolist(), strict=True)),
        tuple(graph.shape_m[at].tolist()),
        {key: text for key, column in graph.tags.items() if (text := column.at(row)) is not None},
        {key: (float(pair[row, 0]), float(pair[row, 1])) for key, pair in graph.costs.items()},
    )


def turn_records(graph: StreetGraph) -> list[TurnRecord]:
    """All turn restrictions.

    Parameters:
        graph: the streets.
    """
    link, node = graph.link_id, graph.node_id
    return [
        TurnRecord(
            p.relation, int(link[p.from_link]), int(node[p.via_node]), tuple(int(link[i]) for i in p.via_links),
            int(link[p.to_link]), p.kind, p.applies_to, p.exempt, p.condition, p.delay_s,
        )
        for p in graph.restrictions.rows()
    ]  # fmt: skip
