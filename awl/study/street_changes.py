"""The last changes of a study's streets by editing: a process that has the streets open follows them, without reading them again.

A change leads from one revision of the streets to the next. Streets that are built anew begin a new row of revisions.
"""

from __future__ import annotations

import sqlite3

from awl.core.graph.edits.patch import Patch, patched
from awl.core.graph.street_graph import StreetGraph
from awl.study import ledger

SCHEMA = """
CREATE TABLE IF NOT EXISTS awl_street_changes (number INTEGER PRIMARY KEY AUTOINCREMENT, before TEXT NOT NULL,
  after TEXT NOT NULL, patch BLOB NOT NULL) STRICT
"""
MOST = 50
"""Changes that are kept; who is further behind reads the streets again."""


def keep(connection: sqlite3.Connection, before: str, after: str, patch: Patch) -> None:
    """Note what led from one revision to another. Runs inside the caller's transaction.

    Parameters:
        connection: the study.
        before: the revision of the streets until now.
        after: the revision from now on.
        patch: what changed.
    """
    connection.execute(SCHEMA)
    values = before, after, ledger.packed(patch)
    cursor = connection.execute("INSERT INTO awl_street_changes (before, after, patch) VALUES (?, ?, ?)", values)
    connection.execute("DELETE FROM awl_street_changes WHERE number <= ?", ((cursor.lastrowid or 0) - MOST,))


def lead(connection: sqlite3.Connection, before: str, after: str) -> list[int] | None:
    """The numbers of the changes that lead from one revision to another, None where they are not known.

    Parameters:
        connection: the study.
        before: the revision that is left.
        after: the revision that is wanted.
    """
    if not connection.execute("SELECT 1 FROM sqlite_master WHERE name = 'awl_street_changes'").fetchone():
        return None
    rows = connection.execute("SELECT number, before, after FROM awl_street_changes ORDER BY number DESC").fetchall()
    numbers: list[int] = []
    wanted = after
    for number, left, reached in rows:
        if wanted == before:
            break
        if reached == wanted:
            numbers.append(number)
            wanted = left
    return numbers[::-1] if wanted == before else None


def followed(connection: sqlite3.Connection, graph: StreetGraph, before: str, after: str) -> StreetGraph | None:
    """The streets of a revision, made of those of an earlier one; None where it is not known how.

    Parameters:
        connection: the study.
        graph: the streets at the revision `before`.
        before: the revision that is left.
        after: the revision that is wanted.
    """
    numbers = lead(connection, before, after)
    if numbers is None:
        return None
    for number in numbers:
        row = connection.execute("SELECT patch FROM awl_street_changes WHERE number = ?", (number,)).fetchone()
        if row is None:
            return None
        graph = patched(graph, ledger.unpacked(row[0]))
    return graph
