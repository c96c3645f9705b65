"""Awl's own records in a study: facts, layers, answers."""

from __future__ import annotations

import json
import sqlite3
import zlib
from datetime import UTC, datetime
from typing import Any

import orjson

SCHEMA = """
CREATE TABLE IF NOT EXISTS awl_facts (key TEXT PRIMARY KEY, value TEXT NOT NULL) STRICT;
CREATE TABLE IF NOT EXISTS awl_layers (id TEXT PRIMARY KEY, title TEXT NOT NULL, role TEXT NOT NULL, source TEXT NOT NULL,
  added TEXT NOT NULL) STRICT;
CREATE TABLE IF NOT EXISTS awl_sheets (id TEXT PRIMARY KEY, body TEXT NOT NULL, changed TEXT NOT NULL) STRICT;
CREATE TABLE IF NOT EXISTS awl_sheet_history (number INTEGER PRIMARY KEY, sheet TEXT NOT NULL, body TEXT NOT NULL,
  changed TEXT NOT NULL) STRICT;
CREATE TABLE IF NOT EXISTS awl_answers (question TEXT PRIMARY KEY, process TEXT NOT NULL, inputs TEXT NOT NULL,
  stamp TEXT NOT NULL, made TEXT NOT NULL, seconds REAL NOT NULL, result BLOB NOT NULL) STRICT;
"""


def now() -> str:
    """The time as RFC 3339 text, UTC."""
    return datetime.now(UTC).isoformat(timespec="microseconds").replace("+00:00", "Z")


def create(connection: sqlite3.Connection) -> None:
    """Make the tables where they are missing."""
    for statement in SCHEMA.split(";"):
        if statement.strip():
            connection.execute(statement)


def fact(connection: sqlite3.Connection, key: str, default: Any = None) -> Any:
    """A recorded fact."""
    row = connection.execute("SELECT value FROM awl_facts WHERE key = ?", (key,)).fetchone()
    return default if row is None else json.loads(row[0])


def set_fact(connection: sqlite3.Connection, key: str, value: Any) -> None:
    """Record a fact (any JSON value)."""
    connection.execute("INSERT OR REPLACE INTO awl_facts VALUES (?, ?)", (key, orjson.dumps(value).decode()))


def layers(connection: sqlite3.Connection) -> list[dict[str, str]]:
    """Layers in the order in which they came."""
    rows = connection.execute("SELECT id, title, role, source, added FROM awl_layers ORDER BY rowid").fetchall()
    return [dict(zip(("id", "title", "role", "source", "added"), row, strict=True)) for row in rows]


def set_layer(connection: sqlite3.Connection, ident: str, title: str, role: str, source: str) -> None:
    """Record a layer."""
    connection.execute("INSERT OR REPLACE INTO awl_layers VALUES (?, ?, ?, ?, ?)", (ident, title, role, source, now()))


def save_answer(
    connection: sqlite3.Connection,
    question: str,
    process: str,
    inputs: dict[str, Any],
    revision: str,
    seconds: float,
    result: bytes,
) -> None:
    """Keep the answer of a question; it stands until a newer run succeeds."""
    connection.execute(
        "INSERT OR REPLACE INTO awl_answers VALUES (?, ?, ?, ?, ?, ?, ?)",
        (question, process, canonical(inputs), revision, now(), seconds, zlib.compress(result, 3)),
    )


def has_answer(connection: sqlite3.Connection, question: str) -> bool:
    """Whether an answer is kept under a name."""
    return connection.execute("SELECT 1 FROM awl_answers WHERE question = ?", (question,)).fetchone() is not None


def answer(connection: sqlite3.Connection, question: str) -> dict[str, Any] | None:
    """The kept answer: process, inputs, revision of the streets it was computed on, when, how long, and the result."""
    known = answer_as_text(connection, question)
    return None if known is None else {**known[0], "result": orjson.loads(known[1])}


def answer_as_text(connection: sqlite3.Connection, question: str) -> tuple[dict[str, Any], bytes] | None:
    """The same without the result, and that as JSON text: a long one takes longer to read than to send."""
    row = connection.execute(
        "SELECT process, inputs, stamp, made, seconds, result FROM awl_answers WHERE question = ?", (question,)
    ).fetchone()
    if row is None:
        return None
    head = dict(zip(("process", "inputs", "stamp", "made", "seconds"), row[:5], strict=True))
    return {**head, "inputs": json.loads(row[1])}, zlib.decompress(row[5])


COPIES = "kept_answers"
"""The fact that lists answers kept beside those of the sheet: id, process, title and when each was made."""


def kept_copies(connection: sqlite3.Connection) -> list[dict[str, str]]:
    """Answers that were kept as they stood, the oldest first: id, process, title, made."""
    return list(fact(connection, COPIES, []))


def keep_copy(
    connection: sqlite3.Connection, answer: dict[str, Any], title: str, result: bytes, ident: str | None = None
) -> dict[str, str]:
    """Keep an answer as it stands, whatever becomes of its question. Runs inside the caller's transaction.

    Parameters:
        connection: the study's.
        answer: process, inputs, stamp, made and seconds, as `answer` gives them.
        title: what it is called.
        result: its results document.
        ident: the name it is kept under, over one of that name; a new one where None.
    """
    known = [one for one in kept_copies(connection) if one["id"] != ident]
    used = {one["id"] for one in known}
    ident = ident or next(name for number in range(1, len(used) + 2) if (name := f"kept_{number}") not in used)
    head = {"id": ident, "process": answer["process"], "title": title, "made": answer["made"]}
    connection.execute(
        "INSERT OR REPLACE INTO awl_answers VALUES (?, ?, ?, ?, ?, ?, ?)",
        (head["id"], answer["process"], canonical(answer["inputs"]), answer["stamp"], answer["made"], answer["seconds"],
         zlib.compress(result, 3)),
    )  # fmt: skip
    set_fact(connection, COPIES, [*known, head])
    return head


def forget_copy(connection: sqlite3.Connection, ident: str) -> bool:
    """Forget an answer that was kept as it stood; False where there is none. Runs inside the caller's transaction."""
    known = kept_copies(connection)
    rest = [one for one in known if one["id"] != ident]
    if len(rest) == len(known):
        return False
    connection.execute("DELETE FROM awl_answers WHERE question = ?", (ident,))
    set_fact(connection, COPIES, rest)
    return True


def is_fresh(connection: sqlite3.Connection, answer: dict[str, Any], revision: str, changed_last: str = "") -> bool:
    """Whether streets, layers, mode and what-ifs (changed last at `changed_last`) are those on which an answer was computed."""
    used = _named(answer["inputs"], "layer")
    changed = [entry["added"] for entry in layers(connection) if entry["id"] in used]
    same_layers = len(changed) == len(used) and all(added <= answer["made"] for added in changed)
    rests_on = _named(answer["inputs"], "answer") | _named(answer["inputs"], "inside")
    answered = dict(connection.execute("SELECT question, made FROM awl_answers"))
    same_answers = all(answered.get(ident, "9") <= answer["made"] for ident in rests_on)
    return bool(answer["stamp"] == revision and same_layers and same_answers and changed_last <= answer["made"])


def _named(inputs: Any, key: str) -> set[str]:
    """Ids of the layers or answers of this study that inputs name under a key, however deep."""
    if isinstance(inputs, list):
        return {name for value in inputs for name in _named(value, key)}
    if not isinstance(inputs, dict) or inputs.get("study"):
        return set()
    here = {inputs[key]} if isinstance(inputs.get(key), str) else set()
    return here | {name for value in inputs.values() for name in _named(value, key)}


def canonical(inputs: dict[str, Any]) -> str:
    """Inputs as JSON with sorted keys, so that equal questions have equal text."""
    return orjson.dumps(inputs, option=orjson.OPT_SORT_KEYS).decode()
