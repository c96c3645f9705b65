"""The street graph as feature tables `nodes` and `streets`, from which it can be had again exactly."""

from __future__ import annotations

import sqlite3

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.columns import Categorical
from awl.core.geodesy import segment_lengths
from awl.core.streets.build import STREET_KEYS
from awl.core.streets.graph import StreetGraph
from awl.formats.table import Layer
from awl.study import geopackage


def field_of(key: str) -> str:
    """The table field of a tag."""
    return key.replace(":", "_")


def write_graph(connection: sqlite3.Connection, graph: StreetGraph) -> None:
    """Write both tables; nodes by their numbers, links numbered from 1."""
    nodes = Layer(
        np.atleast_1d(shapely.points(graph.node_lon, graph.node_lat)),
        {
            "node_id": graph.node_number.tolist(),
            "osm_node_id": graph.node_id.tolist(),
            "border": graph.node_border.tolist(),
        },
    )
    geopackage.write_table(connection, "nodes", nodes, "Nodes", "Nodes of the street graph")
    links = Layer(
        graph.lines(),
        {
            "link_id": list(range(1, graph.link_count + 1)),
            "from_node_id": graph.node_number[graph.link_from].tolist(),
            "to_node_id": graph.node_number[graph.link_to].tolist(),
            "osm_way_id": graph.link_way.tolist(),
            "length": np.round(graph.link_length, 3).tolist(),
            **{field_of(key): column.decode() for key, column in graph.tags.items()},
        },
    )
    geopackage.write_table(connection, "streets", links, "Streets", "Links of the street graph; length in metres")


def read_graph(connection: sqlite3.Connection) -> StreetGraph:
    """The graph from its tables."""
    nodes = geopackage.read_table(connection, "nodes")
    links = geopackage.read_table(connection, "streets")
    node_xy = shapely.get_coordinates(nodes.geometry)
    xy, line = shapely.get_coordinates(links.geometry, return_index=True)
    start = np.searchsorted(line, np.arange(len(links) + 1)).astype(np.int64)
    lon, lat = xy[:, 0].copy(), xy[:, 1].copy()
    step = np.zeros(len(lon))
    step[1:] = segment_lengths(lon[:-1], lat[:-1], lon[1:], lat[1:])
    step[start[:-1]] = 0.0
    running = np.cumsum(step)
    number = np.array(nodes.columns["node_id"], np.int64)
    order = np.argsort(number)

    def row_of(column: str) -> NDArray[np.int32]:
        wanted = np.array(links.columns[column], np.int64)
        return order[np.searchsorted(number, wanted, sorter=order)].astype(np.int32)

    tags = {key: Categorical.of(links.columns[field_of(key)]) for key in STREET_KEYS if field_of(key) in links.columns}
    return StreetGraph(
        node_id=np.array(nodes.columns["osm_node_id"], np.int64),
        node_lon=node_xy[:, 0].copy(),
        node_lat=node_xy[:, 1].copy(),
        node_border=np.array(nodes.columns["border"], bool),
        node_number=number,
        link_from=row_of("from_node_id"),
        link_to=row_of("to_node_id"),
        link_way=np.array(links.columns["osm_way_id"], np.int64),
        shape_start=start,
        shape_lon=lon,
        shape_lat=lat,
        shape_m=running - np.repeat(running[start[:-1]], np.diff(start)),
        tags=tags,
    )
