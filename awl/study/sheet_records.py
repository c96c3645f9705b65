"""The sheets of a study with their history, as they are recorded: a body of JSON each, whose meaning `awl.sheets` knows."""

from __future__ import annotations

import json
import sqlite3
from typing import Any

import orjson

from awl.study.records import now

FIRST = "main"
"""The sheet that every study has."""
HISTORY_KEPT = 200


def listed(connection: sqlite3.Connection) -> list[dict[str, Any]]:
    """Every sheet with its body, the one that every study has first, the others by when they were made."""
    rows = connection.execute("SELECT id FROM awl_sheets ORDER BY id <> ?, rowid", (FIRST,)).fetchall()
    return [known for (ident,) in rows if (known := read(connection, ident)) is not None]


def read(connection: sqlite3.Connection, ident: str) -> dict[str, Any] | None:
    """The body of a sheet with `id`, `changed` and how many changes can be undone; None where there is no such sheet."""
    row = connection.execute("SELECT body, changed FROM awl_sheets WHERE id = ?", (ident,)).fetchone()
    if row is None:
        return None
    undo = connection.execute("SELECT count(*) FROM awl_sheet_history WHERE sheet = ?", (ident,)).fetchone()[0]
    return {**json.loads(row[0]), "id": ident, "changed": row[1], "undo": undo}


def block(connection: sqlite3.Connection, ident: str) -> dict[str, Any] | None:
    """The block with an id, whichever sheet it stands in."""
    blocks = (block for known in listed(connection) for block in known.get("blocks", []))
    return next((block for block in blocks if block.get("id") == ident), None)


def questions(connection: sqlite3.Connection, ident: str) -> list[dict[str, Any]]:
    """The questions of a sheet in their order, none where there is no such sheet."""
    blocks = (read(connection, ident) or {}).get("blocks", [])
    return [block for block in blocks if block.get("kind") == "question"]


def save(connection: sqlite3.Connection, ident: str, body: dict[str, Any]) -> None:
    """Save a sheet; the former body goes to the history. Runs inside the caller's transaction."""
    text = orjson.dumps(body).decode()
    row = connection.execute("SELECT body, changed FROM awl_sheets WHERE id = ?", (ident,)).fetchone()
    if row is None:
        connection.execute("INSERT INTO awl_sheets VALUES (?, ?, ?)", (ident, text, now()))
    elif row[0] != text:
        connection.execute("INSERT INTO awl_sheet_history (sheet, body, changed) VALUES (?, ?, ?)", (ident, *row))
        connection.execute(
            "DELETE FROM awl_sheet_history WHERE sheet = ? AND number <= (SELECT max(number) FROM awl_sheet_history) - ?",
            (ident, HISTORY_KEPT),
        )
        connection.execute("UPDATE awl_sheets SET body = ?, changed = ? WHERE id = ?", (text, now(), ident))


def undo(connection: sqlite3.Connection, ident: str) -> bool:
    """Bring back the former body of a sheet; False when there is none. Runs inside the caller's transaction."""
    row = connection.execute(
        "SELECT number, body FROM awl_sheet_history WHERE sheet = ? ORDER BY number DESC LIMIT 1", (ident,)
    ).fetchone()
    if row is None:
        return False
    connection.execute("DELETE FROM awl_sheet_history WHERE number = ?", (row[0],))
    connection.execute("UPDATE awl_sheets SET body = ?, changed = ? WHERE id = ?", (row[1], now(), ident))
    return True


def drop(connection: sqlite3.Connection, ident: str) -> bool:
    """Forget a sheet with its history and the answers of its questions; False where there is none.

    Runs inside the caller's transaction.
    """
    known = questions(connection, ident)
    if not connection.execute("DELETE FROM awl_sheets WHERE id = ?", (ident,)).rowcount:
        return False
    connection.execute("DELETE FROM awl_sheet_history WHERE sheet = ?", (ident,))
    connection.executemany("DELETE FROM awl_answers WHERE question = ?", [(block["id"],) for block in known])
    return True


def copy_answers(connection: sqlite3.Connection, renamed: dict[str, str]) -> None:
    """Give questions the kept answers of others, by the ids of both. Runs inside the caller's transaction."""
    for former, ident in renamed.items():
        connection.execute(
            "INSERT INTO awl_answers SELECT ?, process, inputs, stamp, made, seconds, result FROM awl_answers WHERE question = ?",
            (ident, former),
        )
