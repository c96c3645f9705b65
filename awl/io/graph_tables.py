"""A street graph as three tables (nodes, links, turn restrictions), and back: the form of the study file and of exports.

Field names are those of GMNS where it has one; tags keep their key with `_` for `:`. An attribute given for each direction is a
pair of fields `NAME_forward`, `NAME_backward`. What is written can be read back to the same graph.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import shapely
from numpy.typing import NDArray

from awl.core.columns import Categorical
from awl.core.errors import AwlError
from awl.core.geodesy import metres_along, segment_lengths
from awl.core.graph.build import JUNCTION_KEYS, LINK_CLASSES, STREET_KEYS
from awl.core.graph.street_graph import MAX_ID, StreetGraph
from awl.core.graph.turns import Placed, TurnRestrictions
from awl.core.network.costs import BLOCKED
from awl.core.network.network import Network
from awl.io.table import Column, Table, Values

Ints = NDArray[np.int64]
NODE_FIELDS = ("node_id",)
LINK_FIELDS = ("from_node_id", "to_node_id")
RESTRICTION_FIELDS = (
    "relation_id", "from_link_id", "via_node_id", "via_link_ids", "to_link_id", "restriction", "applies_to", "exempt",
    "condition", "delay_s",
)  # fmt: skip
DIRECTIONS = ("_forward", "_backward")
APART_M = 1.0
"""How far the end of a link may lie from the node it names."""


def field_of(key: str) -> str:
    """The table field of a tag.

    Parameters:
        key: the key of the tag.
    """
    return key.replace(":", "_")


def node_table(graph: StreetGraph) -> Table:
    """Nodes by their numbers.

    Parameters:
        graph: the street graph.
    """
    return Table(
        np.atleast_1d(shapely.points(graph.node_lon, graph.node_lat)),
        {
            "node_id": graph.node_id,
            "osm_node_id": graph.node_osm_id,
            "border": graph.node_border,
            **{field_of(key): column for key, column in graph.node_tags.items()},
        },
    )


def link_table(graph: StreetGraph, network: Network | None = None) -> Table:
    """Links by their ids; with the costs of a mode in each direction when its network is given, empty where barred.

    Parameters:
        graph: the street graph.
        network: the streets of a mode; None leaves its costs out.
    """
    columns: dict[str, Values] = {
        "link_id": graph.link_id,
        "from_node_id": graph.node_id[graph.link_from],
        "to_node_id": graph.node_id[graph.link_to],
        "osm_way_id": graph.link_way,
        "length": Column.of(np.round(graph.link_length, 3), "m"),
        **{field_of(key): column for key, column in graph.tags.items()},
    }
    if len(graph.link_ways) > graph.link_count:
        columns["osm_way_ids"] = way_lists(graph)
    pairs = dict(graph.costs)
    if network is not None:
        seconds = np.stack(network.directed("time"), axis=1).astype(float)
        pairs["duration_s"] = np.where(seconds == BLOCKED, np.nan, seconds / 1000)
        columns["free_speed"] = Column.of(np.round(network.use.speed, 2), "km/h")
    for key, pair in pairs.items():
        for side, ending in enumerate(DIRECTIONS):
            columns[key + ending] = np.ascontiguousarray(pair[:, side], np.float64)
    return Table(graph.lines(), columns)


def way_lists(graph: StreetGraph) -> list[str | None]:
    """The ids of the source ways of links that have several, `1;2`; None for all others.

    Parameters:
        graph: the street graph.
    """
    lists: list[str | None] = [None] * graph.link_count
    for i in np.flatnonzero(np.diff(graph.ways_start) > 1).tolist():
        lists[i] = ";".join(map(str, graph.link_ways[graph.ways_start[i] : graph.ways_start[i + 1]]))
    return lists


def restriction_table(graph: StreetGraph) -> Table:
    """Turn restrictions, each at its via node.

    Parameters:
        graph: the street graph.
    """
    turns = graph.restrictions
    rows = turns.rows()
    return Table(
        np.atleast_1d(shapely.points(graph.node_lon[turns.via_node], graph.node_lat[turns.via_node])),
        {
            "relation_id": [p.relation for p in rows],
            "from_link_id": graph.link_id[turns.from_link],
            "via_node_id": graph.node_id[turns.via_node],
            "via_link_ids": [";".join(map(str, graph.link_id[list(p.via_links)].tolist())) or None for p in rows],
            "to_link_id": graph.link_id[turns.to_link],
            "restriction": [p.kind for p in rows],
            "applies_to": [p.applies_to for p in rows],
            "exempt": [p.exempt for p in rows],
            "condition": [p.condition for p in rows],
            "delay_s": [p.delay_s for p in rows],
        },
    )


def is_graph(nodes: Table, links: Table) -> bool:
    """Whether two layers are the nodes and links of a graph.

    Parameters:
        nodes: the nodes.
        links: the links.
    """
    return all(name in nodes.columns for name in NODE_FIELDS) and all(name in links.columns for name in LINK_FIELDS)


def graph_of(nodes: Table, links: Table, turns: Table | None, source: str, drawn: bool = False) -> StreetGraph:
    """The graph of three tables. Raises `AwlError` naming the row where they do not fit together.

    `drawn`: lengths are those of the field `length`, not of the geometry.

    Parameters:
        nodes: the nodes.
        links: the links.
        turns: the turn restrictions; None where there are none.
        source: what the tables are called in messages.
        drawn: whether lengths are those of the field `length`, as in a drawing without geography.
    """
    number = _whole(nodes, "node_id", source)
    row_of = _rows(number, source)
    tail, head = (row_of(_whole(links, name, source), name) for name in LINK_FIELDS)
    lon, lat, start, metres = _shapes(links, source)
    node_xy = shapely.get_coordinates(shapely.centroid(nodes.geometry))
    if len(node_xy) < len(number):
        raise AwlError("A node has no place", where=source, remedy="Repair the node layer", kind="broken-graph")
    _check_ends(lon, lat, start, node_xy, tail, head, source)
    if drawn and "length" in links.columns:
        given = links.columns["length"].numbers()
        metres = metres * np.repeat(given / np.maximum(metres[start[1:] - 1], 1e-9), np.diff(start))
    ways, ways_start = _ways(links, source)
    graph = StreetGraph(
        node_osm_id=_whole(nodes, "osm_node_id", source) if "osm_node_id" in nodes.columns else np.zeros_like(number),
        node_lon=node_xy[:, 0].copy(),
        node_lat=node_xy[:, 1].copy(),
        node_border=_border(nodes),
        node_id=number,
        link_id=_link_ids(links, source),
        link_from=tail,
        link_to=head,
        link_ways=ways,
        ways_start=ways_start,
        shape_start=start,
        shape_lon=lon,
        shape_lat=lat,
        shape_m=metres,
        tags=_tags(links, STREET_KEYS),
        node_tags=_tags(nodes, JUNCTION_KEYS),
        costs=_costs(links),
        drawn=drawn,
    )
    if "highway" not in graph.tags:
        kinds = links.columns.get("facility_type", [None] * len(links))
        known = [kind if kind in LINK_CLASSES else "road" for kind in kinds]
        graph.tags["highway"] = Categorical.of(known)
    if turns is not None and len(turns):
        return _with_turns(graph, turns, links, source)
    return graph


def _whole(layer: Table, name: str, source: str) -> Ints:
    """The whole numbers (n,) of a column, 0 where there is none."""
    column = layer.columns[name]
    data = column.data.dictionary_decode() if pa.types.is_dictionary(column.data.type) else column.data
    try:
        return np.asarray(pc.cast(data, pa.int64()).fill_null(0).to_numpy(zero_copy_only=False), np.int64)
    except pa.ArrowInvalid as error:
        raise AwlError(f"Not every '{name}' is a whole number", where=source, remedy="Repair the table") from error


def _rows(number: Ints, source: str):  # type: ignore[no-untyped-def]
    """A function from node numbers to rows; raises when numbers are not one per node, or unknown."""
    order = np.argsort(number, kind="stable")
    known = number[order]
    twice = np.flatnonzero(known[1:] == known[:-1])
    if len(twice):
        raise AwlError(
            f"{len(twice)} node number(s) stand more than once, the first is {known[twice[0]]}",
            where=source,
            remedy="Give each node a number of its own",
            kind="broken-numbering",
        )

    def row_of(wanted: Ints, name: str) -> NDArray[np.int32]:
        place = np.minimum(np.searchsorted(known, wanted), max(len(known) - 1, 0))
        lost = np.flatnonzero(known[place] != wanted) if len(known) else np.arange(len(wanted))
        if len(lost):
            raise AwlError(
                f"{len(lost)} link(s) name a node that is not there; the first is {name} {wanted[lost[0]]}",
                where=f"{source}, link {lost[0] + 1}",
                remedy="Add the nodes, or let Awl make them from the lines",
                kind="broken-graph",
            )
        return order[place].astype(np.int32)

    return row_of


def _shapes(links: Table, source: str) -> tuple[NDArray[np.float64], NDArray[np.float64], Ints, NDArray[np.float64]]:
    kinds = shapely.get_type_id(links.geometry)
    wrong = np.flatnonzero(kinds != shapely.GeometryType.LINESTRING)
    if len(wrong):
        raise AwlError(
            f"{len(wrong)} link(s) are no single line",
            where=f"{source}, link {wrong[0] + 1}",
            remedy="Give each link one line",
            kind="broken-graph",
        )
    xy, line = shapely.get_coordinates(links.geometry, return_index=True)
    start = np.searchsorted(line, np.arange(len(links) + 1)).astype(np.int64)
    lon, lat = xy[:, 0].copy(), xy[:, 1].copy()
    step = np.zeros(len(lon))
    step[1:] = segment_lengths(lon[:-1], lat[:-1], lon[1:], lat[1:])
    step[start[:-1]] = 0.0
    return lon, lat, start, metres_along(step, start)


def _check_ends(
    lon: NDArray[np.float64], lat: NDArray[np.float64], start: Ints, node_xy: NDArray[np.float64],
    tail: NDArray[np.int32], head: NDArray[np.int32], source: str,
) -> None:  # fmt: skip
    for vertex, node, what in ((start[:-1], tail, "begin"), (start[1:] - 1, head, "end")):
        away = segment_lengths(lon[vertex], lat[vertex], node_xy[node, 0], node_xy[node, 1])
        far = np.flatnonzero(away > APART_M)
        if len(far):
            raise AwlError(
                f"{len(far)} link(s) do not {what} at the node they name; the first is {away[far[0]]:.0f} m off",
                where=f"{source}, link {far[0] + 1}",
                remedy="Repair the numbers, or let Awl make the nodes from the lines",
                kind="broken-graph",
            )


def _ways(links: Table, source: str) -> tuple[Ints, Ints]:
    """The source ways of all links one after another, and where those of each begin (m + 1,)."""
    count = len(links)
    own = np.arange(1, count + 1, dtype=np.int64)
    if "osm_way_id" in links.columns:
        own = _whole(links, "osm_way_id", source)
    several = links.columns.get("osm_way_ids")
    if several is None or several.gaps.all():
        return own, np.arange(count + 1, dtype=np.int64)
    lists = [
        [int(i) for i in str(many).split(";")] if many else [way]
        for way, many in zip(own.tolist(), several, strict=True)
    ]
    start = np.concatenate([[0], np.cumsum([len(ways) for ways in lists])]).astype(np.int64)
    return np.array([way for ways in lists for way in ways], np.int64), start


def _border(nodes: Table) -> NDArray[np.bool_]:
    if "border" in nodes.columns:
        return np.array([bool(v) for v in nodes.columns["border"]], bool)
    return np.array([v == "border" for v in nodes.columns.get("node_type", [None] * len(nodes))], bool)


def _tags(layer: Table, keys: tuple[str, ...]) -> dict[str, Categorical]:
    tags = {}
    for key in keys:
        values = layer.columns.get(field_of(key))
        if values is not None and not values.gaps.all():
            texts, codes = values.codes()
            tags[key] = Categorical(codes.astype(np.int32), tuple(map(str, texts)))
    return tags


def _costs(links: Table) -> dict[str, NDArray[np.float64]]:
    """Pairs of number fields, one for each direction."""
    ahead, back = DIRECTIONS
    costs = {}
    for name in links.columns:
        stem = name.removesuffix(ahead)
        if stem == name or stem + back not in links.columns or any(field_of(key) == name for key in STREET_KEYS):
            continue
        pair = [links.columns[stem + ending] for ending in DIRECTIONS]
        if all(column.is_numeric or column.gaps.all() for column in pair):
            costs[stem] = np.stack([_numbers(column) for column in pair], axis=1)
    return costs


def _numbers(column: Column) -> NDArray[np.float64]:
    """Numbers of a column, NaN throughout where it holds nothing."""
    return column.numbers() if column.is_numeric else np.full(len(column), np.nan)


def _link_ids(links: Table, source: str) -> Ints:
    """The ids a table gives its links, or 1 to m where it gives none that could be ids."""
    anew = np.arange(1, len(links) + 1, dtype=np.int64)
    if "link_id" not in links.columns:
        return anew
    try:
        ids = _whole(links, "link_id", source)
    except AwlError:
        return anew
    if links.columns["link_id"].gaps.any() or not ((ids > 0) & (ids < MAX_ID)).all():
        return anew
    if len(np.unique(ids)) < len(ids):
        raise AwlError(
            "Two links have the same id",
            where=source,
            remedy="Give each link an id of its own",
            kind="broken-numbering",
        )
    return ids


def _with_turns(graph: StreetGraph, turns: Table, links: Table, source: str) -> StreetGraph:
    link_row = {str(n): i for i, n in enumerate(links.columns.get("link_id", graph.link_id.tolist()))}
    node_row = {int(n): i for i, n in enumerate(graph.node_id)}
    placed = []
    nothing: list[Any] = [None] * len(turns)
    columns: dict[str, Sequence[Any]] = {name: turns.columns.get(name, nothing) for name in RESTRICTION_FIELDS}
    for i in range(len(turns)):
        try:
            chain = tuple(link_row[v] for v in str(columns["via_link_ids"][i] or "").split(";") if v)
            placed.append(
                Placed(
                    int(columns["relation_id"][i] or 0),
                    link_row[str(columns["from_link_id"][i])],
                    node_row[int(columns["via_node_id"][i])],
                    chain,
                    link_row[str(columns["to_link_id"][i])],
                    str(columns["restriction"][i]),
                    columns["applies_to"][i],
                    columns["exempt"][i],
                    columns["condition"][i],
                    None if columns["delay_s"][i] in (None, "") else float(columns["delay_s"][i]),
                )
            )
        except (KeyError, TypeError, ValueError) as error:
            raise AwlError(
                f"A turn restriction names a link or node that is not there ({error})",
                where=f"{source}, restriction {i + 1}",
                remedy="Repair or drop the table of restrictions",
                kind="broken-graph",
            ) from error
    return graph.with_restrictions(TurnRestrictions.of(placed))


def collection_of(graph: StreetGraph, network: Network | None = None) -> Table:
    """All three tables as one layer of mixed geometry; the field `table` says which each feature belongs to.

    Parameters:
        graph: the street graph.
        network: the streets of a mode; None leaves its costs out.
    """
    return joined(
        {"links": link_table(graph, network), "nodes": node_table(graph), "restrictions": restriction_table(graph)}
    )


def joined(tables: dict[str, Table]) -> Table:
    """Layers one after another, with the name of each in the field `table`.

    Parameters:
        tables: layers by name.
    """
    names = dict.fromkeys(name for layer in tables.values() for name in layer.columns)
    columns: dict[str, list[Any]] = {"table": [key for key, layer in tables.items() for _ in range(len(layer))]}
    for name in names:
        columns[name] = [v for layer in tables.values() for v in layer.columns.get(name, [None] * len(layer))]
    return Table(np.concatenate([layer.geometry for layer in tables.values()]), columns)


def apart(layer: Table) -> dict[str, Table]:
    """The tables of `joined`; empty when the layer is no such thing.

    Parameters:
        layer: the layer.
    """
    ids = {}
    if "table" not in layer.columns:
        return {}
    names = layer.columns["table"]
    for key in ("links", "nodes", "restrictions"):
        rows = [i for i, name in enumerate(names) if name == key]
        if rows:
            part = layer.take(rows)
            used = {name: values for name, values in part.columns.items() if name != "table" and not values.gaps.all()}
            ids[key] = Table(part.geometry, used)
    return ids if {"links", "nodes"} <= set(ids) and is_graph(ids["nodes"], ids["links"]) else {}
