"""A study file from somebody else, looked at before it is opened: damage, what acts by itself in it, what is missing.

The file is opened for reading alone, with its own triggers and views switched off as far as SQLite can, and for a bounded time.
"""

from __future__ import annotations

import sqlite3
import time
from pathlib import Path
from urllib.parse import quote

from awl.core.errors import AwlError
from awl.io.limits import check_size
from awl.study import migrations, records, streets
from awl.study.schema_check import FileFinding, acting_by_itself

SECONDS = 120.0
"""So long a file may be looked at."""
MOST_FAULTS = 20
NEEDED = ("gpkg_contents", "gpkg_geometry_columns", "awl_facts", "awl_layers")


def check_file(path: Path) -> list[FileFinding]:
    """What speaks against opening a study file.

    Parameters:
        path: the file; nothing is written to it.

    Raises:
        AwlError: there is no such file, or it is absurdly large.
    """
    check_size(path)
    until = time.monotonic() + SECONDS
    connection = sqlite3.connect(f"file:{quote(str(path.resolve()))}?mode=ro&immutable=1", uri=True)
    connection.set_progress_handler(lambda: int(time.monotonic() > until), 100_000)
    try:
        connection.execute("PRAGMA trusted_schema = OFF")
        connection.execute("PRAGMA cell_size_check = ON")
        return _faults(connection)
    except sqlite3.OperationalError as error:
        if "interrupted" in str(error):
            return [
                FileFinding(
                    "error", f"It takes more than {SECONDS:.0f} s to look at: it is damaged, or built to be slow."
                )
            ]
        return [FileFinding("error", f"The file cannot be read: {error}.")]
    except (sqlite3.DatabaseError, UnicodeDecodeError) as error:
        return [FileFinding("error", f"The file is no study, or a damaged one: {error}.")]
    finally:
        connection.close()


def _faults(connection: sqlite3.Connection) -> list[FileFinding]:
    tables = connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'").fetchall()
    damage = [row[0] for row in connection.execute(f"PRAGMA quick_check({MOST_FAULTS})") if row[0] != "ok"]
    found = [FileFinding("error", f"The database is damaged: {text}.") for text in damage]
    names = {name for (name,) in tables}
    missing = [name for name in NEEDED if name not in names]
    if missing:
        return [*found, FileFinding("error", f"It is no study of Awl: it has no table '{missing[0]}'.")]
    found += acting_by_itself(connection)
    version = migrations.version_of(connection)
    if version > migrations.VERSION:
        found.append(
            FileFinding("error", f"A newer Awl wrote it (version {version}, this one reads {migrations.VERSION}).")
        )
    elif version < migrations.VERSION:
        found.append(
            FileFinding("note", f"An older Awl wrote it (version {version}); it is brought up to date when opened.")
        )
    listed = [row[0] for row in connection.execute("SELECT table_name FROM gpkg_contents")]
    found += [FileFinding("error", f"Table '{name}' is listed and not there.") for name in listed if name not in names]
    if not found and records.fact(connection, "stamp"):
        try:
            streets.read_graph(connection, bool(records.fact(connection, "drawn", False)))
        except (AwlError, KeyError, ValueError, IndexError, TypeError) as error:
            found.append(FileFinding("error", f"Its streets cannot be read: {error}."))
    return found
