"""The street graph as feature tables `nodes`, `streets` and `restrictions`, from which it can be had again exactly."""

from __future__ import annotations

import sqlite3

from awl.core.streets.graph import StreetGraph
from awl.formats import graph_tables
from awl.study import geopackage

TABLES = {"streets": "Streets", "nodes": "Nodes", "restrictions": "Turn restrictions"}
"""Tables and their titles."""


def write_graph(connection: sqlite3.Connection, graph: StreetGraph) -> None:
    """Write the tables; nodes by their numbers, links numbered from 1."""
    geopackage.write_table(connection, "nodes", graph_tables.node_table(graph), "Nodes", "Nodes of the street graph")
    links = graph_tables.link_table(graph)
    geopackage.write_table(connection, "streets", links, "Streets", "Links of the street graph; length in metres")
    if len(graph.restrictions) == 0:
        geopackage.drop_table(connection, "restrictions")
        return
    turns = graph_tables.restriction_table(graph)
    geopackage.write_table(
        connection, "restrictions", turns, "Turn restrictions", "Turns that are forbidden or demanded"
    )


def read_graph(connection: sqlite3.Connection, drawn: bool = False) -> StreetGraph:
    """The graph from its tables."""
    has_turns = connection.execute("SELECT 1 FROM gpkg_contents WHERE table_name = 'restrictions'").fetchone()
    return graph_tables.graph_of(
        geopackage.read_table(connection, "nodes"),
        geopackage.read_table(connection, "streets"),
        geopackage.read_table(connection, "restrictions") if has_turns else None,
        "the study",
        drawn,
    )
