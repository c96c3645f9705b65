"""Spots on the map that a doubt is about, to be gone through one by one."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from awl.core.network.network import Network

MOST_SPOTS = 40


@dataclass(frozen=True)
class Spot:
    """A place on the map that a doubt names, in degrees, with a note beside its name."""

    name: str
    note: str
    lon: float
    lat: float

    def json(self) -> dict[str, object]:
        """The spot as an object of the results document."""
        return {"name": self.name, "note": self.note, "at": [round(self.lon, 6), round(self.lat, 6)]}


def unread_hours(network: Network) -> tuple[Spot, ...]:
    """Gates, then turn restrictions, whose hours are not understood, each with its hours; at most `MOST_SPOTS`."""
    graph = network.graph
    gates, turns = network.unread_hours
    hours, kinds, conditions = graph.node_tag("opening_hours"), graph.node_tag("barrier"), graph.restrictions.condition
    spots = [
        (node, (kinds.at(node) or "gate").replace("_", " ").capitalize(), hours.at(node)) for node in gates.tolist()
    ]
    spots += [(int(graph.restrictions.via_node[row]), "Turn restriction", conditions.at(row)) for row in turns.tolist()]
    return tuple(
        Spot(name, text or "", float(graph.node_lon[node]), float(graph.node_lat[node]))
        for node, name, text in spots[:MOST_SPOTS]
    )


def parts_left_out(network: Network) -> tuple[Spot, ...]:
    """The longest parts that a mode's streets leave out because they do not connect, each at its longest link.

    At most `MOST_SPOTS`, the longest part first.
    """
    graph, part = network.graph, network.link_part
    links = np.flatnonzero(network.in_small_part & (part >= 0))
    links = links[np.lexsort((-graph.link_length[links], part[links]))]
    first = links[np.unique(part[links], return_index=True)[1]][:MOST_SPOTS]
    middle = graph.shape_start[first] + (graph.shape_start[first + 1] - graph.shape_start[first]) // 2
    names, report = graph.tag("name"), network.parts_report
    return tuple(
        Spot(
            names.at(int(link)) or f"Link {graph.link_id[link]}",
            f"{report.length_m[part[link]] / 1000:.1f} km",
            float(graph.shape_lon[row]),
            float(graph.shape_lat[row]),
        )
        for link, row in zip(first, middle, strict=True)
    )
