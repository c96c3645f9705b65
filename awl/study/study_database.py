"""The database of a study: its connections, its transactions, and what is derived from it and held in memory."""

from __future__ import annotations

import contextlib
import json
import sqlite3
import threading
import uuid
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import Any, Self

from awl.core.errors import AwlError
from awl.io import geopackage
from awl.study import migrations, records
from awl.study.once import Once, Value
from awl.study.query_time import LOOKS_EVERY, is_over
from awl.study.schema_check import check_schema

CONTENT = "content"
"""The fact that is another after every change of layers, rasters or feeds."""

READING_BYTES = 4 << 20
"""What a connection that reads holds in memory: every thread has one."""


class StudyDatabase:
    """An open database, and what was derived from it: by any thread, until another thread or process changes what it rests on."""

    def __init__(self, path: Path) -> None:
        """Open an existing study file; raises `AwlError` when it is none."""
        self.path = path
        self._write_lock = threading.RLock()
        self._derived_lock = threading.RLock()
        self._local = threading.local()
        self._derived: dict[Any, tuple[Any, Once[Any]]] = {}
        self._derived_of: tuple[str, str] | None = None
        self._schema_seen = -1
        if not path.is_file():
            raise AwlError("There is no such study", where=str(path), remedy="Make one with 'awl build'", status=404)
        try:
            known = self._connection.execute(
                "SELECT count(*) FROM sqlite_master WHERE name IN ('gpkg_contents', 'awl_facts')"
            ).fetchone()[0]
            if known == 2:
                check_schema(self._connection, path.name)
        except (sqlite3.DatabaseError, UnicodeDecodeError) as error:
            begins = path.open("rb").read(16)
            raise AwlError(
                f"The file is no study, or a damaged one ({error})",
                where=path.name,
                remedy="Put a copy of it in its place, or choose a .gpkg made by Awl",
                status=422,
                kind="damaged" if begins.startswith(b"SQLite format 3") else "no-study",
            ) from error
        if known != 2:
            raise AwlError("The file is no study of Awl", where=path.name, remedy="Make one with 'awl build'")
        migrations.bring_up_to_date(self._connection, path)
        self._file = _identity(path)

    @classmethod
    def create(cls, path: Path, title: str) -> Self:
        """A new, empty study; the file must not exist."""
        if path.exists():
            raise AwlError("A file of this name exists", where=path.name, remedy="Choose another name", status=409)
        connection = geopackage.connect(path)
        try:
            connection.execute("BEGIN")
            geopackage.create(connection)
            records.create(connection)
            records.set_fact(connection, "title", title)
            records.set_fact(connection, "version", migrations.VERSION)
            connection.execute("COMMIT")
        finally:
            connection.close()
        return cls(path)

    @property
    def is_in_place(self) -> bool:
        """Whether its file is still the one that was opened: somebody may have put another in its place."""
        return _identity(self.path) == self._file

    @property
    def id(self) -> str:
        """The name by which the server knows it."""
        return self.path.stem

    @property
    def _connection(self) -> sqlite3.Connection:
        connection = getattr(self._local, "connection", None)
        if connection is None:
            connection = self._local.connection = geopackage.connect(self.path, READING_BYTES)
            connection.set_progress_handler(is_over, LOOKS_EVERY)
        return connection

    @property
    def reading(self) -> sqlite3.Connection:
        """This thread's connection."""
        return self._connection

    @contextlib.contextmanager
    def writing(self) -> Iterator[sqlite3.Connection]:
        """A transaction: all of it lands, or none."""
        with self._write_lock:
            connection = self._connection
            connection.execute("BEGIN IMMEDIATE")
            geopackage.set_cache(connection, geopackage.WRITING_BYTES)
            try:
                with self._rolled_back_unless_done(connection):
                    yield connection
                connection.execute("COMMIT")
            finally:
                geopackage.set_cache(connection, READING_BYTES)

    @contextlib.contextmanager
    def _rolled_back_unless_done(self, connection: sqlite3.Connection) -> Iterator[None]:
        try:
            self._trust_schema(connection)
            yield
        except BaseException:
            # SQLite has ended it itself where the disk is full; what went wrong is what is to be told.
            if connection.in_transaction:
                connection.execute("ROLLBACK")
            raise
        finally:
            connection.execute("PRAGMA trusted_schema = OFF")

    def _trust_schema(self, connection: sqlite3.Connection) -> None:
        """Let triggers keep indexes true while something is written, having looked that they do nothing else."""
        version = connection.execute("PRAGMA schema_version").fetchone()[0]
        if version != self._schema_seen:
            check_schema(connection, self.path.name)
            self._schema_seen = version
        connection.execute("PRAGMA trusted_schema = ON")

    @contextlib.contextmanager
    def changing(self) -> Iterator[sqlite3.Connection]:
        """A transaction that changes layers, rasters or feeds: what was derived from them is dropped, in every process."""
        with self.writing() as connection:
            yield connection
            records.set_fact(connection, CONTENT, uuid.uuid4().hex[:12])
        self.forget()

    def fact(self, key: str, default: Any = None) -> Any:
        """A recorded fact of the study."""
        return records.fact(self._connection, key, default)

    @property
    def title(self) -> str:
        """The study's title."""
        return str(self.fact("title", self.id))

    @property
    def revision(self) -> str:
        """Changes whenever the streets do, or the rule by which parts are kept; empty before the first build."""
        return str(self.fact("stamp", ""))

    def forget(self) -> None:
        """Drop what was derived from layers or streets, after a change of them."""
        with self._derived_lock:
            self._derived.clear()

    def content_changed(self, former: tuple[str, str], now: tuple[str, str]) -> None:
        """Drop what was derived: this process or another has changed the file.

        Parameters:
            former: the content that things were derived from.
            now: the content as it is.
        """
        self.forget()

    def cached(self, key: Any, make: Callable[[], Value], version: Any = None) -> Value:
        """Keep a derived thing in memory until the streets or a layer change; `make()` is called when it is missing.

        Nothing is locked while it is made: whoever needs the same thing waits for it, nobody else.

        Parameters:
            key: what it is kept under.
            make: makes it.
            version: what else it rests on; it is made again where that differs.
        """
        content = self.content
        with self._derived_lock:
            if self._derived_of != content:
                former, self._derived_of = self._derived_of, content
                if former is not None:
                    self.content_changed(former, content)
            entry = self._derived.get(key)
            if entry is None or entry[0] != version:
                entry = self._derived[key] = version, Once(make)
        value: Value = entry[1].value()
        return value

    def share(self, other: StudyDatabase) -> None:
        """Go on with what was derived from a database of the same content.

        Parameters:
            other: the database this one is a copy of.
        """
        content = self.content
        with other._derived_lock:
            keys = list(other._derived) if other._derived_of == content else []
        with self._derived_lock:
            self._derived_of = content
        self._take_derived(other, keys)

    def _take_derived(self, other: StudyDatabase, keys: Sequence[Any]) -> None:
        """Hold what another derived under these keys, with what each rests on."""
        with other._derived_lock:
            there = {key: other._derived[key] for key in keys if key in other._derived}
        known = {key: (version, entry.known()) for key, (version, entry) in there.items()}
        with self._derived_lock:
            for key, (version, value) in known.items():
                if value is not None:
                    self._derived[key] = version, Once.of(value)

    @property
    def content(self) -> tuple[str, str]:
        """What streets, layers, rasters and feeds are, as the file says: other processes change it too."""
        rows = self._connection.execute("SELECT key, value FROM awl_facts WHERE key IN ('stamp', ?)", (CONTENT,))
        there = {key: json.loads(value) for key, value in rows.fetchall()}
        return there.get("stamp", ""), there.get(CONTENT, "")

    def derived(self, key: Any) -> Any:
        """What is kept under a key, None where nothing is; what was made of an earlier revision counts until another is made."""
        with self._derived_lock:
            entry = self._derived.get(key)
        return None if entry is None else entry[1].known()


def _identity(path: Path) -> tuple[int, int] | None:
    """What tells a file from another of the same name; None where there is none."""
    try:
        known = path.stat()
    except OSError:
        return None
    return known.st_dev, known.st_ino
