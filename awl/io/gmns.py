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

from awl.core.graph.street_graph import StreetGraph
from awl.core.network.movements import movements as turns_of
from awl.core.network.network import Network
from awl.io import csv_table, gmns_fields, graph_tables

NODE_FIELDS = ("node_id", "x_coord", "y_coord", "node_type", "osm_node_id")
LINK_FIELDS = (
    "link_id", "from_node_id", "to_node_id", "directed", "geometry", "name", "facility_type", "length", "free_speed",
    "allowed_uses", "duration_s", "street_link_id", "street_direction", "osm_way_id",
)  # fmt: skip
MOVEMENT_FIELDS = ("mvmt_id", "node_id", "ib_link_id", "ob_link_id", "type", "penalty", "allowed_uses")
RESTRICTION_FIELDS = (
    "relation_id", "from_street_link_id", "via_node_id", "via_street_link_ids", "to_street_link_id", "restriction", "applies_to",
    "exempt", "condition", "delay_s",
)  # fmt: skip


STREET_DIRECTIONS = ("forward", "backward")
"""Whether a row runs as its street is drawn."""
NO_USES = "none"
"""What may use a movement that is barred."""
MAX_ID = 2**62


def tables(network: Network) -> dict[str, str]:
    """All tables by file name, with what their fields hold; those of turns only where there are any.

    Parameters:
        network: the streets of a mode, at a time and with closures.
    """
    turns = {"movement.csv": movements(network), "restriction.csv": restrictions(network)}
    written = {
        "node.csv": nodes(network),
        "link.csv": links(network),
        **{name: text for name, text in turns.items() if text},
    }
    return {**written, gmns_fields.FILE: gmns_fields.fields_of(written)}


def nodes(network: Network) -> str:
    """`node.csv`: every node that a usable link touches; `node_type` is `border` where a street was cut.

    A node that the mode cannot pass stands twice, once for each street that ends at it; `node_type` is `barrier`.

    Parameters:
        network: the streets of a mode, at a time and with closures.
    """
    graph = network.graph
    used = np.unique(np.concatenate([graph.link_from[network.usable], graph.link_to[network.usable]]))
    shut = np.isin(graph.node_lon + 1j * graph.node_lat, _twins(network))
    kinds = np.where(graph.node_border, "border", np.where(shut, "barrier", ""))
    osm_ids = [ident or None for ident in graph.node_osm_id[used].tolist()]
    own = (graph.node_id[used], graph.node_lon[used].round(8), graph.node_lat[used].round(8), kinds[used], osm_ids)
    tags = {graph_tables.field_of(key): column.take(used).decode() for key, column in graph.node_tags.items()}
    return csv_table.write_columns(dict(zip(NODE_FIELDS, own, strict=True)) | tags)


def _twins(network: Network) -> NDArray[np.complex128]:
    """Places of the nodes that stand twice."""
    graph = network.graph
    spot = graph.node_lon + 1j * graph.node_lat
    distinct, times = np.unique(spot[graph.node_tag("barrier").present()], return_counts=True)
    return np.asarray(distinct[times > 1])


def links(network: Network) -> str:
    """`link.csv`: one row per usable direction, with the id it had in the tables it came from, if it came from such.

    Parameters:
        network: the streets of a mode, at a time and with closures.
    """
    graph = network.graph
    arcs = np.concatenate([2 * np.flatnonzero(network.forward), 2 * np.flatnonzero(network.backward) + 1])
    ident = np.array(link_ids(graph))
    arcs = arcs[np.argsort(ident[arcs], kind="stable")]
    of, side = arcs >> 1, arcs & 1
    lines = graph.lines()[of]
    lines = np.where(side == 1, shapely.reverse(lines), lines)
    tail = np.where(side == 1, graph.link_to[of], graph.link_from[of])
    head = np.where(side == 1, graph.link_from[of], graph.link_to[of])
    several, count = graph_tables.way_lists(graph), len(arcs)
    own = (
        ident[arcs], graph.node_id[tail], graph.node_id[head], ["true"] * count,
        shapely.to_wkt(lines, rounding_precision=7), graph.tag("name").take(of).decode(), graph.tag("highway").take(of).decode(),
        network.length_mm[of] / 1000, network.use.speed[of].astype(float).round(2), [network.mode.id] * count,
        network.duration_ms[of, side] / 1000, graph.link_id[of], np.array(STREET_DIRECTIONS)[side], graph.link_way[of],
    )  # fmt: skip
    more = {
        "osm_way_ids": [several[i] for i in of.tolist()],
        "ends_only": np.where(network.use.at_ends[of], "true", "false"),
    }
    tags = {
        graph_tables.field_of(key): column.take(of).decode()
        for key, column in graph.tags.items()
        if key not in ("name", "highway", "gmns_link_id")
    }
    costs = {key: pair[of, side].astype(float) for key, pair in graph.costs.items()}
    return csv_table.write_columns(dict(zip(LINK_FIELDS, own, strict=True)) | more | tags | costs)


def link_ids(graph: StreetGraph) -> list[int]:
    """The id of each arc (2m,): along the drawn direction of a link, then against it.

    Those of the tables a link came from stay; others are twice the link's id less one, and twice the id, above them.

    Parameters:
        graph: the street graph.
    """
    given: dict[int, int] = {}
    for i, text in enumerate(graph.tag("gmns_link_id").decode()):
        for side, ident in enumerate((text or "").split(";")[:2]):
            if ident.isdigit() and int(ident) <= MAX_ID:
                given[2 * i + side] = int(ident)
    # Links that were split share the ids of the one they came from: only the first keeps them.
    first = {ident: arc for arc, ident in reversed(given.items())}
    above = max(first, default=0)
    return [
        given[arc] if arc in given and first[given[arc]] == arc else above + ident
        for arc, ident in enumerate(np.stack([2 * graph.link_id - 1, 2 * graph.link_id], axis=1).ravel().tolist())
    ]


def movements(network: Network) -> str:
    """`movement.csv`: the turns that are allowed at nodes where others are not; empty text where every turn is.

    At a node where none is allowed they are all listed, with `allowed_uses` none: a node without rows allows every turn.

    Parameters:
        network: the streets of a mode, at a time and with closures.
    """
    number, ident = network.graph.node_id, link_ids(network.graph)
    turns = list(turns_of(network))
    passable = {turn.node for turn in turns if turn.allowed}
    listed = [turn for turn in turns if turn.allowed or turn.node not in passable]
    rows = [
        (count, number[m.node], ident[m.arc_in], ident[m.arc_out], m.kind, round(m.delay_s, 3),
         network.mode.id if m.allowed else NO_USES)
        for count, m in enumerate(listed, 1)
    ]  # fmt: skip
    return csv_table.write(MOVEMENT_FIELDS, rows) if rows else ""


def restrictions(network: Network) -> str:
    """`restriction.csv`: turn restrictions as the source states them, by `street_link_id`; those on streets of the mode.

    Parameters:
        network: the streets of a mode, at a time and with closures.
    """
    turns = network.graph.restrictions
    usable = [all(network.usable[[p.from_link, *p.via_links, p.to_link]]) for p in turns.rows()]
    table = graph_tables.restriction_table(network.graph).take(np.flatnonzero(usable).tolist())
    rows: Iterator[tuple[Any, ...]] = zip(*table.columns.values(), strict=True)
    return csv_table.write(RESTRICTION_FIELDS, rows) if len(table) else ""
