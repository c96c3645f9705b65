"""GMNS, the General Modeling Network Specification (Zephyr Foundation, version 0.96): node and link tables.

Links are written directed, one row per direction in which the mode may pass. `length` is in metres, `free_speed` in
km/h; Awl adds `duration_s`, the cost it computes with.
"""

from __future__ import annotations

import numpy as np
import shapely

from awl.core.modes.network import Network
from awl.formats import csv_table

NODE_FIELDS = ("node_id", "x_coord", "y_coord", "node_type", "osm_node_id")
LINK_FIELDS = (
    "link_id", "from_node_id", "to_node_id", "directed", "geometry", "name", "facility_type", "length", "free_speed",
    "allowed_uses", "duration_s", "street_link_id", "osm_way_id",
)  # fmt: skip


def nodes(network: Network) -> str:
    """`node.csv`: every node that a usable link touches; `node_type` is `border` where a street was cut."""
    graph = network.graph
    used = np.unique(np.concatenate([graph.link_from[network.usable], graph.link_to[network.usable]]))
    rows = (
        (graph.node_number[i], round(graph.node_lon[i], 8), round(graph.node_lat[i], 8), "border" if graph.node_border[i] else "",
         graph.node_id[i] or None)
        for i in used.tolist()
    )  # fmt: skip
    return csv_table.write(NODE_FIELDS, rows)


def links(network: Network) -> str:
    """`link.csv`: one row per usable direction; row numbers are 2 * link + 1 along the drawn direction, + 2 against."""
    graph = network.graph
    name, highway = graph.tag("name").decode(), graph.tag("highway").decode()
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
                 round(float(network.use.speed[i]), 2), network.mode.id, network.duration_ms[i] / 1000, i + 1,
                 graph.link_way[i])
            )  # fmt: skip
    rows.sort(key=lambda row: row[0])
    return csv_table.write(LINK_FIELDS, rows)
