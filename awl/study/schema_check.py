"""What a study file may hold that acts by itself: the triggers that keep its own indexes true, and nothing else.

A trigger runs when something is written, a view when something is read, a virtual table whenever it likes. A study that came from
somebody else may bring all three.
"""

from __future__ import annotations

import re
import sqlite3
from dataclasses import dataclass

from awl.core.errors import AwlError
from awl.io import geopackage


@dataclass(frozen=True)
class FileFinding:
    """What is wrong with a file: `grade` is error, warning or note."""

    grade: str
    text: str


def acting_by_itself(connection: sqlite3.Connection) -> list[FileFinding]:
    """Triggers, views and virtual tables that Awl did not make.

    Parameters:
        connection: a study, or what is said to be one.
    """
    findings = []
    objects = connection.execute("SELECT type, name, tbl_name, coalesce(sql, '') FROM sqlite_master")
    for kind, name, table, sql in objects:
        if kind == "view":
            findings.append(
                FileFinding("error", f"View '{name}': studies have none, and a view can run what it likes.")
            )
        elif kind == "trigger" and _plain(sql) not in {_plain(own) for own in geopackage.index_triggers(table)}:
            findings.append(FileFinding("error", f"Trigger '{name}' on '{table}' is none that keeps an index true."))
        elif kind == "table" and "VIRTUAL" in sql.upper().split()[:2] and "USING RTREE" not in _plain(sql):
            findings.append(FileFinding("error", f"Table '{name}' is of a kind studies have none of."))
    return findings


def check_schema(connection: sqlite3.Connection, name: str) -> None:
    """Refuse a study that acts by itself.

    Parameters:
        connection: the study.
        name: the name of its file, for the message.

    Raises:
        AwlError: it holds triggers, views or virtual tables that Awl did not make.
    """
    findings = acting_by_itself(connection)
    if findings:
        more = f" and {len(findings) - 1} more" if len(findings) > 1 else ""
        raise AwlError(
            f"The study holds what would run by itself: {findings[0].text[0].lower()}{findings[0].text[1:].rstrip('.')}{more}",
            where=name,
            remedy=f"See 'awl check --file {name}'; remove them with a database program if you know what they do",
            status=422,
            kind="acts-by-itself",
        )


def _plain(sql: str) -> str:
    return re.sub(r"\s+", " ", sql).strip(" ;").upper()
