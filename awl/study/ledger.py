"""The ledger of a study: every change of its streets in order, by hand or by a fix, each of which can be taken back.

A step is what one act of the user changed, however many edits it took. Steps of the base have changed the tables of the study
already, and hold what takes them back; steps of a what-if are applied to a copy. What is undone stays until something else is
done.
"""

from __future__ import annotations

import json
import sqlite3
import zlib
from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any

import orjson

from awl.core.errors import AwlError
from awl.core.graph.edits.apply import apply
from awl.core.graph.edits.edit import Edit
from awl.core.graph.edits.patch import Patch, patched
from awl.core.graph.edits.records import LinkRecord, NodeRecord, TurnRecord
from awl.core.graph.street_graph import StreetGraph
from awl.io import edit_documents
from awl.study import records, streets

BASE = ""
"""The what-if that is none: the streets of the study themselves."""
SCHEMA = """
CREATE TABLE IF NOT EXISTS awl_edits (step INTEGER PRIMARY KEY AUTOINCREMENT, what_if TEXT NOT NULL, body TEXT NOT NULL,
  patch BLOB, made TEXT NOT NULL, undone INTEGER NOT NULL DEFAULT 0, misfits TEXT NOT NULL DEFAULT '[]') STRICT
"""


@dataclass(frozen=True)
class Step:
    """One act: its number, the what-if it belongs to, its edits, when it was done, whether it is undone, and what did not fit.

    Attributes:
        number: ascending in the order in which steps were taken.
        what_if: id of the what-if, `BASE` for the streets of the study.
        edits: in their order.
        made: when, as RFC 3339 text.
        undone: whether it is taken back for now.
        misfits: why some of its edits do not apply to the streets as they were built last.
    """

    number: int
    what_if: str
    edits: tuple[Edit, ...]
    made: str
    undone: bool
    misfits: tuple[str, ...]


def create(connection: sqlite3.Connection) -> None:
    """Make the table where it is missing. Runs inside the caller's transaction."""
    connection.execute(SCHEMA)


def steps(connection: sqlite3.Connection, what_if: str = BASE) -> list[Step]:
    """All steps of the base or of a what-if, the first first, undone ones at the end."""
    if not _there(connection):
        return []
    rows = connection.execute(
        "SELECT step, what_if, body, made, undone, misfits FROM awl_edits WHERE what_if = ? ORDER BY step", (what_if,)
    ).fetchall()
    return [
        Step(
            number,
            owner,
            tuple(edit_documents.parsed(json.loads(body), settled=True)),
            made,
            bool(undone),
            tuple(json.loads(misfits)),
        )
        for number, owner, body, made, undone, misfits in rows
    ]


def edits_of(connection: sqlite3.Connection, what_if: str = BASE) -> list[Edit]:
    """The edits that hold, in their order."""
    return [edit for step in steps(connection, what_if) if not step.undone for edit in step.edits]


def version(connection: sqlite3.Connection, what_if: str = BASE) -> str:
    """Changes with every step, undo and redo: a version for those who change it."""
    if not _there(connection):
        return "0"
    query = "SELECT count(*), coalesce(max(step), 0), coalesce(sum(undone), 0) FROM awl_edits WHERE what_if = ?"
    return "-".join(str(figure) for figure in connection.execute(query, (what_if,)).fetchone())


def add_step(
    connection: sqlite3.Connection, edits: Sequence[Edit], what_if: str = BASE, patch: Patch | None = None
) -> int:
    """Write a step; steps that were undone before are gone now. Runs inside the caller's transaction."""
    create(connection)
    connection.execute("DELETE FROM awl_edits WHERE what_if = ? AND undone", (what_if,))
    cursor = connection.execute(
        "INSERT INTO awl_edits (what_if, body, patch, made) VALUES (?, ?, ?, ?)",
        (what_if, _body(edits), None if patch is None else packed(patch), records.now()),
    )
    return int(cursor.lastrowid or 0)


def step_to_undo(connection: sqlite3.Connection, what_if: str = BASE) -> Step:
    """The last step that holds; raises `AwlError` where there is none."""
    holding = [step for step in steps(connection, what_if) if not step.undone]
    if not holding:
        raise AwlError("There is nothing to undo", status=409, kind="nothing-to-undo")
    return holding[-1]


def step_to_redo(connection: sqlite3.Connection, what_if: str = BASE) -> Step:
    """The first step that is undone; raises `AwlError` where there is none."""
    undone = [step for step in steps(connection, what_if) if step.undone]
    if not undone:
        raise AwlError("There is nothing to redo", status=409, kind="nothing-to-redo")
    return undone[0]


def mark(connection: sqlite3.Connection, step: int, undone: bool) -> None:
    """Note that a step is undone, or holds again. Runs inside the caller's transaction."""
    connection.execute("UPDATE awl_edits SET undone = ? WHERE step = ?", (int(undone), step))


def patch_of(connection: sqlite3.Connection, step: int) -> Patch:
    """What a step of the base changed; raises `AwlError` where it cannot be taken back any more."""
    row = connection.execute("SELECT patch FROM awl_edits WHERE step = ?", (step,)).fetchone()
    if row is None or row[0] is None:
        raise AwlError(
            "This step cannot be taken back any more: the streets were numbered or joined to zones since",
            remedy="Build the streets anew; edits that still fit are kept",
            status=409,
            kind="settled",
        )
    return unpacked(row[0])


def patches(connection: sqlite3.Connection) -> list[Patch]:
    """What each step of the base that holds changed, the first first; steps that can no longer be taken back are left out."""
    if not _there(connection):
        return []
    query = "SELECT patch FROM awl_edits WHERE what_if = ? AND NOT undone AND patch IS NOT NULL ORDER BY step"
    return [unpacked(row[0]) for row in connection.execute(query, (BASE,))]


def forget_patches(connection: sqlite3.Connection) -> None:
    """From now on the streets are what they are: steps before cannot be taken back. Runs inside the caller's transaction."""
    if _there(connection):
        connection.execute("UPDATE awl_edits SET patch = NULL WHERE what_if = ?", (BASE,))


def unedited(connection: sqlite3.Connection, graph: StreetGraph) -> StreetGraph:
    """The streets as they were built, before any step of the base that can be taken back; ids given since stay given."""
    known = streets.next_ids(connection)
    highest = max(graph.next_node_id, known[0]) - 1, max(graph.next_link_id, known[1]) - 1
    for step in reversed([step for step in steps(connection) if not step.undone]):
        row = connection.execute("SELECT patch FROM awl_edits WHERE step = ?", (step.number,)).fetchone()
        if row[0] is None:
            break
        graph = patched(graph, unpacked(row[0]).inverse())
    return replace(graph, highest_ids=highest)


@dataclass(frozen=True)
class Replayed:
    """Streets built anew with the steps of the base: their graph, and what each step changes and what of it does not fit."""

    graph: StreetGraph
    outcome: tuple[tuple[int, Patch, tuple[str, ...]], ...]


def replayed(connection: sqlite3.Connection, graph: StreetGraph) -> Replayed:
    """Apply the steps of the base that hold to streets that were built anew; what does not fit is told."""
    outcome = []
    for step in steps(connection):
        if step.undone:
            continue
        applied = apply(graph, step.edits, strict=False)
        graph = applied.graph
        outcome.append((step.number, applied.patch, tuple(misfit.why for misfit in applied.misfits)))
    return Replayed(graph, tuple(outcome))


def keep_replayed(connection: sqlite3.Connection, replay: Replayed) -> None:
    """Write what steps changed of streets that were built anew; undone steps go. Runs inside the caller's transaction."""
    if not _there(connection):
        return
    connection.execute("DELETE FROM awl_edits WHERE what_if = ? AND undone", (BASE,))
    for number, patch, misfits in replay.outcome:
        connection.execute(
            "UPDATE awl_edits SET patch = ?, misfits = ? WHERE step = ?",
            (packed(patch), orjson.dumps(list(misfits)).decode(), number),
        )


def packed(patch: Patch) -> bytes:
    """A patch as bytes."""
    return zlib.compress(orjson.dumps(asdict(patch)), 3)


def unpacked(blob: bytes) -> Patch:
    """The patch of such bytes, to the last bit."""
    document: dict[str, Any] = orjson.loads(zlib.decompress(blob))

    def links(rows: list[dict[str, Any]]) -> tuple[LinkRecord, ...]:
        return tuple(
            LinkRecord(
                **row
                | {
                    "ways": tuple(row["ways"]),
                    "line": tuple((lon, lat) for lon, lat in row["line"]),
                    "metres": tuple(row["metres"]),
                    "costs": {key: (_number(a), _number(b)) for key, (a, b) in row["costs"].items()},
                }
            )
            for row in rows
        )

    def turns(rows: list[dict[str, Any]] | None) -> tuple[TurnRecord, ...] | None:
        if rows is None:
            return None
        return tuple(TurnRecord(**row | {"via_links": tuple(row["via_links"])}) for row in rows)

    return Patch(
        tuple(NodeRecord(**row) for row in document["nodes_before"]),
        tuple(NodeRecord(**row) for row in document["nodes_after"]),
        links(document["links_before"]),
        links(document["links_after"]),
        turns(document["turns_before"]),
        turns(document["turns_after"]),
    )


def _number(value: float | None) -> float:
    """JSON has no NaN: where no cost is given it says null."""
    return float("nan") if value is None else float(value)


def _body(edits: Sequence[Edit]) -> str:
    return orjson.dumps(edit_documents.collection(edits)).decode()


def _there(connection: sqlite3.Connection) -> bool:
    return connection.execute("SELECT 1 FROM sqlite_master WHERE name = 'awl_edits'").fetchone() is not None
