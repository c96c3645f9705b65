"""Versions of the study file: what each one changed, and how a file of a former version becomes one of this version.

A study is brought up to date when it is opened, in one transaction. Each migration is tested on a study of the version before it
(`tests/data`).
"""

from __future__ import annotations

import sqlite3
from collections import Counter
from collections.abc import Callable
from pathlib import Path

import shapely

from awl.core.errors import AwlError
from awl.core.graph.build import CONNECTOR
from awl.io.table import Table
from awl.study import records, streets

Migration = Callable[[sqlite3.Connection], None]


def _ids_of_nodes_and_links(connection: sqlite3.Connection) -> None:
    """Version 1: features of `nodes` and `streets` are found by the ids of nodes and links, which outlive their order."""
    if not records.fact(connection, "stamp"):
        return
    nodes, links, turns = streets.read_tables(connection)
    nodes, links = _told_apart(nodes, links)
    drawn = bool(records.fact(connection, "drawn", False))
    streets.write_graph(connection, streets.graph_of_tables(connection, nodes, links, turns, drawn))


def _told_apart(nodes: Table, links: Table) -> tuple[Table, Table]:
    """Nodes and links with a number of its own for each node.

    Centroids of zones could have the numbers of places where streets were broken for them. The number stays with the centroid,
    where a connector begins.
    """
    number = nodes.columns["node_id"].tolist()
    times = Counter(number)
    if len(times) == len(number):
        return nodes, links
    spots = list(map(tuple, shapely.get_coordinates(nodes.geometry).tolist()))
    starts = [tuple(line.coords[0]) for line in links.geometry]
    ends = [tuple(line.coords[-1]) for line in links.geometry]
    is_connector = [value == CONNECTOR for value in links.columns["highway"]]
    centroids = {spot for spot, connector in zip(starts, is_connector, strict=True) if connector}
    highest, id_at = max(number), {}
    for row, (ident, spot) in enumerate(zip(number, spots, strict=True)):
        if times[ident] > 1:
            if spot not in centroids:
                highest += 1
                number[row] = highest
            id_at[ident, spot] = number[row]
    named = {
        name: [id_at.get(key, key[0]) for key in zip(links.columns[name], at, strict=True)]
        for name, at in (("from_node_id", starts), ("to_node_id", ends))
    }
    return nodes.with_columns({"node_id": number}), links.with_columns(named)


MIGRATIONS: tuple[Migration, ...] = (_ids_of_nodes_and_links,)
"""The n-th turns a file of version n into one of version n + 1."""
VERSION = len(MIGRATIONS)
"""The version that this program writes."""


def version_of(connection: sqlite3.Connection) -> int:
    """The version of an open study; 0 for those written before there were versions."""
    return int(records.fact(connection, "version", 0))


def bring_up_to_date(connection: sqlite3.Connection, path: Path) -> None:
    """Turn the file of an open study into one of this version, wholly or not at all.

    Parameters
    ----------
    connection : sqlite3.Connection
        An open study, outside any transaction.
    path : Path
        Its file, named in messages.

    Raises:
    ------
    AwlError
        If a newer program wrote the study, or the file must be changed and cannot be.
    """
    if version_of(connection) == VERSION:
        return
    if version_of(connection) > VERSION:
        raise AwlError(
            f"The study was written by a newer Awl (its version is {version_of(connection)}, this one reads up to {VERSION})",
            where=path.name,
            remedy="Open it with that program, or update this one",
            status=409,
            kind="newer-study",
        )
    try:
        connection.execute("BEGIN IMMEDIATE")
        # Somebody else may have done it in the meantime.
        for migrate in MIGRATIONS[version_of(connection) :]:
            migrate(connection)
        records.set_fact(connection, "version", VERSION)
        connection.execute("COMMIT")
    except BaseException as error:
        if connection.in_transaction:
            connection.execute("ROLLBACK")
        if not isinstance(error, sqlite3.OperationalError):
            raise
        raise AwlError(
            f"The study was written by an earlier Awl and cannot be brought up to date ({error})",
            where=path.name,
            remedy="Make the file and its folder writable, or open a copy",
            status=409,
            kind="older-study",
        ) from error
