"""The street graph as feature tables `nodes`, `streets` and `restrictions`, from which it can be had again exactly."""

from __future__ import annotations

import sqlite3
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from awl.core.graph.edits.patch import Patch
from awl.core.graph.street_graph import StreetGraph
from awl.io import geopackage, graph_tables
from awl.io.table import Table
from awl.study import records

HIGHEST_IDS = "highest_ids"
"""The fact that holds the highest ids ever given to a node and to a link."""
TABLES = {"streets": "Streets", "nodes": "Nodes", "restrictions": "Turn restrictions"}
"""Tables and their titles."""


def next_ids(connection: sqlite3.Connection) -> tuple[int, int]:
    """The lowest ids of a node and a link that were never given, to the streets or in any what-if."""
    highest = records.fact(connection, HIGHEST_IDS) or (0, 0)
    return int(highest[0]) + 1, int(highest[1]) + 1


def settle_ids(connection: sqlite3.Connection, graph: StreetGraph) -> None:
    """Never give again the ids that a graph has, or had. Runs inside the caller's transaction."""
    known = next_ids(connection)
    highest = max(known[0], graph.next_node_id) - 1, max(known[1], graph.next_link_id) - 1
    records.set_fact(connection, HIGHEST_IDS, highest)


def write_graph(connection: sqlite3.Connection, graph: StreetGraph) -> None:
    """Write the tables; the ids of nodes and links are those of the features too."""
    settle_ids(connection, graph)
    # One table at a time: a region's nodes take as much memory as its links.
    _write(connection, "nodes", graph_tables.node_table(graph), "Nodes of the street graph", graph.node_id)
    about = "Links of the street graph; length in metres"
    _write(connection, "streets", graph_tables.link_table(graph), about, graph.link_id)
    _write_turns(connection, graph)


def write_changes(connection: sqlite3.Connection, patch: Patch, graph: StreetGraph) -> None:
    """Bring the tables of a graph to what a patch made of it: the rows that differ alone.

    Runs inside the caller's transaction.
    """
    settle_ids(connection, graph)
    nodes = graph.node_rows([node.id for node in patch.nodes_after])
    links = graph.link_rows([link.id for link in patch.links_after])
    changed_nodes = graph_tables.node_table(replace(graph, **graph.node_columns(nodes)))
    changed_links = graph_tables.link_table(replace(graph, **graph.link_columns(links)))
    for table, before, rows, ids in (
        ("nodes", patch.nodes_before, changed_nodes, graph.node_id[nodes]),
        ("streets", patch.links_before, changed_links, graph.link_id[links]),
    ):
        geopackage.replace_rows(connection, table, [record.id for record in before], rows, ids.tolist())
    if patch.turns_after is not None:
        _write_turns(connection, graph)


def _write_turns(connection: sqlite3.Connection, graph: StreetGraph) -> None:
    if len(graph.restrictions) == 0:
        geopackage.drop_table(connection, "restrictions")
        return
    turns = graph_tables.restriction_table(graph)
    geopackage.write_table(
        connection, "restrictions", turns, "Turn restrictions", "Turns that are forbidden or demanded"
    )


def _write(connection: sqlite3.Connection, table: str, layer: Table, about: str, ids: NDArray[np.int64]) -> None:
    geopackage.write_table(connection, table, layer, TABLES[table], about, ids)


def read_graph(connection: sqlite3.Connection, drawn: bool = False) -> StreetGraph:
    """The graph from its tables."""
    return graph_of_tables(connection, *read_tables(connection), drawn)


def read_tables(connection: sqlite3.Connection) -> tuple[Table, Table, Table | None]:
    """Nodes, links and, where there are any, turn restrictions."""
    has_turns = connection.execute("SELECT 1 FROM gpkg_contents WHERE table_name = 'restrictions'").fetchone()
    return (
        geopackage.read_table(connection, "nodes"),
        geopackage.read_table(connection, "streets"),
        geopackage.read_table(connection, "restrictions") if has_turns else None,
    )


def graph_of_tables(
    connection: sqlite3.Connection, nodes: Table, links: Table, turns: Table | None, drawn: bool
) -> StreetGraph:
    """The graph of tables of a study, which knows the highest ids it ever gave."""
    graph = graph_tables.graph_of(nodes, links, turns, "the study", drawn)
    highest = records.fact(connection, HIGHEST_IDS) or (0, 0)
    return replace(graph, highest_ids=(int(highest[0]), int(highest[1]))).in_space_order()
