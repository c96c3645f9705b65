"""GMNS, the General Modeling Network Specification (Zephyr Foundation, version 0.96): tables of nodes, links and movements.

Links are written directed, one row per direction in which the mode may pass. `length` is in metres, `free_speed` in km/h. Awl
adds `duration_s` (the cost it computes with), further given costs, the tags of the source, and what is needed to have the same
streets again: `street_link_id` and a table of restrictions, which GMNS has no place for where they lead over several links.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.modes.network import Network
from awl.core.modes.turning import movements as turns_of
from awl.formats import csv_table, graph_tables

NODE_FIELDS = ("node_id", "x_coord", "y_coord", "node_type", "osm_node_id")
LINK_FIELDS = (
    "link_id", "from_node_id", "to_node_id", "directed", "geometry", "name", "facility_type", "length", "free_speed",
    "allowed_uses", "duration_s", "street_link_id", "osm_way_id",
)  # fmt: skip
MOVEMENT_FIELDS = ("mvmt_id", "node_id", "ib_link_id", "ob_link_id", "type", "penalty", "allowed_uses")
RESTRICTION_FIELDS = (
    "relation_id", "from_street_link_id", "via_node_id", "via_street_link_ids", "to_street_link_id", "restriction", "applies_to",
    "exempt", "condition",
)  # fmt: skip


def tables(network: Network) -> dict[str, str]:
    """All tables by file name; those of turns only where there are any."""
    turns = {"movement.csv": movements(network), "restriction.csv": restrictions(network)}
    return {
        "node.csv": nodes(network),
        "link.csv": links(network),
        **{name: text for name, text in turns.items() if text},
    }


def nodes(network: Network) -> str:
    """`node.csv`: every node that a usable link touches; `node_type` is `border` where a street was cut.

    A node that the mode cannot pass stands twice, once for each street that ends at it; `node_type` is `barrier`.
    """
    graph = network.graph
    used = np.unique(np.concatenate([graph.link_from[network.usable], graph.link_to[network.usable]])).tolist()
    shut = np.isin(graph.node_lon + 1j * graph.node_lat, _twins(network))
    kinds = np.where(graph.node_border, "border", np.where(shut, "barrier", "")).tolist()
    tags = {graph_tables.field_of(key): column.decode() for key, column in graph.node_tags.items()}
    rows = (
        (graph.node_number[i], round(graph.node_lon[i], 8), round(graph.node_lat[i], 8), kinds[i],
         graph.node_id[i] or None, *(values[i] for values in tags.values()))
        for i in used
    )  # fmt: skip
    return csv_table.write((*NODE_FIELDS, *tags), rows)


def _twins(network: Network) -> NDArray[np.complex128]:
    """Places of the nodes that stand twice."""
    graph = network.graph
    spot = graph.node_lon + 1j * graph.node_lat
    distinct, times = np.unique(spot[graph.node_tag("barrier").present()], return_counts=True)
    return np.asarray(distinct[times > 1])


def links(network: Network) -> str:
    """`link.csv`: one row per usable direction; row numbers are 2 * link + 1 along the drawn direction, + 2 against."""
    graph = network.graph
    name, highway = graph.tag("name").decode(), graph.tag("highway").decode()
    more = {
        graph_tables.field_of(key): column.decode()
        for key, column in graph.tags.items()
        if key not in ("name", "highway")
    }
    at_ends = np.where(network.use.at_ends, "true", "false").tolist()
    several = graph_tables.way_lists(graph)
    lines = graph.lines()
    wkt = shapely.to_wkt(lines, rounding_precision=7)
    reverse = shapely.to_wkt(shapely.reverse(lines), rounding_precision=7)
    rows = []
    for usable, step in ((network.forward, 1), (network.backward, 2)):
        for i in np.flatnonzero(usable).tolist():
            tail, head = graph.link_from[i], graph.link_to[i]
            if step == 2:
                tail, head = head, tail
            rows.append(
                (2 * i + step, graph.node_number[tail], graph.node_number[head], "true",
                 (wkt if step == 1 else reverse)[i], name[i], highway[i], network.length_mm[i] / 1000,
                 round(float(network.use.speed[i]), 2), network.mode.id, network.duration_ms[i, step - 1] / 1000, i + 1,
                 graph.link_way[i], several[i], at_ends[i], *(values[i] for values in more.values()),
                 *(_number(pair[i, step - 1]) for pair in graph.costs.values()))
            )  # fmt: skip
    rows.sort(key=lambda row: row[0])
    return csv_table.write((*LINK_FIELDS, "osm_way_ids", "ends_only", *more, *graph.costs), rows)


def _number(value: float) -> float | None:
    return None if value != value else float(value)


def movements(network: Network) -> str:
    """`movement.csv`: the turns that are allowed at nodes where others are not; empty text where every turn is."""
    number = network.graph.node_number
    rows = [
        (count, number[m.node], m.arc_in + 1, m.arc_out + 1, m.kind, round(m.delay_s, 3), network.mode.id)
        for count, m in enumerate((m for m in turns_of(network) if m.allowed), 1)
    ]
    return csv_table.write(MOVEMENT_FIELDS, rows) if rows else ""


def restrictions(network: Network) -> str:
    """`restriction.csv`: turn restrictions as the source states them, by `street_link_id`; those on streets of the mode."""
    turns = network.graph.restrictions
    whole = [all(network.usable[[p.from_link, *p.via_links, p.to_link]]) for p in turns.rows()]
    table = graph_tables.restriction_table(network.graph).take(np.flatnonzero(whole).tolist())
    rows: Iterator[tuple[Any, ...]] = zip(*table.columns.values(), strict=True)
    return csv_table.write(RESTRICTION_FIELDS, rows) if len(table) else ""
