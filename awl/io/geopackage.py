"""GeoPackage 1.3 (OGC 12-128r17) through plain `sqlite3`: feature tables with an R-tree index.

Everything is stored in WGS 84 (srs_id 4326). Feature tables carry the standard's R*Tree extension with its triggers, so
that other programs which edit a table keep the index true; the ST_ functions those triggers call are registered on
every connection. The R*Tree stores float32 rounded outward: searches check the exact envelope again.
"""

from __future__ import annotations

import re
import sqlite3
import tempfile
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import shapely
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.io import rtree
from awl.io.dictionary import meaning_of
from awl.io.geometry_blobs import decode, encode, envelope
from awl.io.table import Column, Table
from awl.io.value_kinds import TYPES, Kind

APPLICATION_ID = 0x47504B47  # "GPKG"
USER_VERSION = 10300
NAME = re.compile(r"[a-z][a-z0-9_]{0,62}$")

_WGS84 = (
    'GEOGCS["WGS 84",DATUM["WGS_1984",SPHEROID["WGS 84",6378137,298.257223563,AUTHORITY["EPSG","7030"]],'
    'AUTHORITY["EPSG","6326"]],PRIMEM["Greenwich",0,AUTHORITY["EPSG","8901"]],'
    'UNIT["degree",0.0174532925199433,AUTHORITY["EPSG","9122"]],AUTHORITY["EPSG","4326"]]'
)

SQL_TYPES: dict[Kind, str] = {"boolean": "BOOLEAN", "integer": "INTEGER", "number": "REAL", "text": "TEXT"}
_SCHEMA = """
CREATE TABLE gpkg_spatial_ref_sys (srs_name TEXT NOT NULL, srs_id INTEGER PRIMARY KEY, organization TEXT NOT NULL,
  organization_coordsys_id INTEGER NOT NULL, definition TEXT NOT NULL, description TEXT);
CREATE TABLE gpkg_contents (table_name TEXT NOT NULL PRIMARY KEY, data_type TEXT NOT NULL, identifier TEXT UNIQUE,
  description TEXT DEFAULT '', last_change DATETIME NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ','now')),
  min_x DOUBLE, min_y DOUBLE, max_x DOUBLE, max_y DOUBLE, srs_id INTEGER,
  CONSTRAINT fk_gc_r_srs_id FOREIGN KEY (srs_id) REFERENCES gpkg_spatial_ref_sys(srs_id));
CREATE TABLE gpkg_geometry_columns (table_name TEXT NOT NULL, column_name TEXT NOT NULL, geometry_type_name TEXT NOT NULL,
  srs_id INTEGER NOT NULL, z TINYINT NOT NULL, m TINYINT NOT NULL, CONSTRAINT pk_geom_cols PRIMARY KEY (table_name, column_name),
  CONSTRAINT uk_gc_table_name UNIQUE (table_name));
CREATE TABLE gpkg_extensions (table_name TEXT, column_name TEXT, extension_name TEXT NOT NULL, definition TEXT NOT NULL,
  scope TEXT NOT NULL, CONSTRAINT ge_tce UNIQUE (table_name, column_name, extension_name));
"""

_TRIGGERS = """
CREATE TRIGGER "rtree_{t}_geom_insert" AFTER INSERT ON "{t}" WHEN (new."geom" NOT NULL AND NOT ST_IsEmpty(NEW."geom"))
BEGIN INSERT OR REPLACE INTO "rtree_{t}_geom" VALUES (NEW."fid", ST_MinX(NEW."geom"), ST_MaxX(NEW."geom"),
ST_MinY(NEW."geom"), ST_MaxY(NEW."geom")); END;
CREATE TRIGGER "rtree_{t}_geom_update1" AFTER UPDATE OF "geom" ON "{t}" WHEN OLD."fid" = NEW."fid" AND
(NEW."geom" NOTNULL AND NOT ST_IsEmpty(NEW."geom")) BEGIN INSERT OR REPLACE INTO "rtree_{t}_geom" VALUES
(NEW."fid", ST_MinX(NEW."geom"), ST_MaxX(NEW."geom"), ST_MinY(NEW."geom"), ST_MaxY(NEW."geom")); END;
CREATE TRIGGER "rtree_{t}_geom_update2" AFTER UPDATE OF "geom" ON "{t}" WHEN OLD."fid" = NEW."fid" AND
(NEW."geom" ISNULL OR ST_IsEmpty(NEW."geom")) BEGIN DELETE FROM "rtree_{t}_geom" WHERE id = OLD."fid"; END;
CREATE TRIGGER "rtree_{t}_geom_update3" AFTER UPDATE ON "{t}" WHEN OLD."fid" != NEW."fid" AND
(NEW."geom" NOTNULL AND NOT ST_IsEmpty(NEW."geom")) BEGIN DELETE FROM "rtree_{t}_geom" WHERE id = OLD."fid";
INSERT OR REPLACE INTO "rtree_{t}_geom" VALUES
(NEW."fid", ST_MinX(NEW."geom"), ST_MaxX(NEW."geom"), ST_MinY(NEW."geom"), ST_MaxY(NEW."geom")); END;
CREATE TRIGGER "rtree_{t}_geom_update4" AFTER UPDATE ON "{t}" WHEN OLD."fid" != NEW."fid" AND
(NEW."geom" ISNULL OR ST_IsEmpty(NEW."geom")) BEGIN DELETE FROM "rtree_{t}_geom" WHERE id IN (OLD."fid", NEW."fid"); END;
CREATE TRIGGER "rtree_{t}_geom_delete" AFTER DELETE ON "{t}" WHEN old."geom" NOT NULL
BEGIN DELETE FROM "rtree_{t}_geom" WHERE id = OLD."fid"; END;
"""


WRITING_BYTES = 128 << 20
"""Pages held in memory: so a country's streets are written without reading pages again."""


def connect(path: Path, cache_bytes: int = WRITING_BYTES) -> sqlite3.Connection:
    """Open a GeoPackage for reading and writing, with the standard's geometry functions registered.

    Parameters:
        path: the file.
        cache_bytes: how much of it is held in memory.
    """
    connection = sqlite3.connect(path, timeout=30, isolation_level=None, check_same_thread=False)
    connection.execute("PRAGMA foreign_keys = ON")
    connection.execute("PRAGMA trusted_schema = OFF")
    connection.execute("PRAGMA cell_size_check = ON")
    set_cache(connection, cache_bytes)
    for name, pick in (("ST_MinX", 0), ("ST_MinY", 1), ("ST_MaxX", 2), ("ST_MaxY", 3)):
        connection.create_function(name, 1, lambda blob, pick=pick: envelope(blob)[pick], deterministic=True)
    connection.create_function("ST_IsEmpty", 1, lambda blob: int(bool(blob[3] & 0x10)), deterministic=True)
    return connection


def set_cache(connection: sqlite3.Connection, size: int) -> None:
    """Hold other much of a database in memory; what is more than that is let go.

    Parameters:
        connection: the database.
        size: bytes.
    """
    connection.execute(f"PRAGMA cache_size = {-(size >> 10)}")


def create(connection: sqlite3.Connection) -> None:
    """Write the standard's tables into an empty database.

    Parameters:
        connection: the database.
    """
    connection.execute(f"PRAGMA application_id = {APPLICATION_ID}")
    connection.execute(f"PRAGMA user_version = {USER_VERSION}")
    for statement in _SCHEMA.split(";"):
        connection.execute(statement)
    connection.executemany(
        "INSERT INTO gpkg_spatial_ref_sys VALUES (?,?,?,?,?,?)",
        [
            ("Undefined Cartesian", -1, "NONE", -1, "undefined", None),
            ("Undefined geographic", 0, "NONE", 0, "undefined", None),
            ("WGS 84 geodetic", 4326, "EPSG", 4326, _WGS84, "longitude/latitude in degrees"),
        ],
    )


def write_table(
    connection: sqlite3.Connection,
    table: str,
    layer: Table,
    title: str,
    description: str = "",
    fids: NDArray[np.int64] | None = None,
) -> None:
    """Create or replace a feature table, with its `fids` from 1 on where none are given.

    Runs inside the caller's transaction.

    Parameters:
        connection: the database.
        table: the name of the feature table.
        layer: its features.
        title: what it is called.
        description: what it holds.
        fids: row ids (n,); from 1 on where None.

    Raises:
        AwlError: the name is none a layer can have.
    """
    if not NAME.match(table):
        raise AwlError(
            f"'{table}' cannot name a layer",
            remedy="Use small letters, digits and underscores, beginning with a letter",
            inputs=("id",),
        )
    drop_table(connection, table)
    fields = list(_field_names(layer.columns))
    types = [SQL_TYPES[column.kind] for column in layer.columns.values()]
    columns = "".join(f', "{field}" {kind}' for field, kind in zip(fields, types, strict=True))
    connection.execute(f'CREATE TABLE "{table}" (fid INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL, geom BLOB{columns})')
    marks = ",".join("?" * (len(fields) + 2))
    blobs = encode(layer.geometry)
    fids = np.arange(1, len(blobs) + 1) if fids is None else fids
    connection.executemany(
        f'INSERT INTO "{table}" VALUES ({marks})',
        zip(_plain(fids), blobs, *(column.tolist() for column in layer.columns.values()), strict=True),
    )
    bounds = shapely.bounds(layer.geometry)
    there = np.flatnonzero(~np.isnan(bounds[:, 0]))
    extent = [*bounds[there, :2].min(axis=0), *bounds[there, 2:].max(axis=0)] if len(there) else [None] * 4
    connection.execute(
        "INSERT INTO gpkg_contents (table_name, data_type, identifier, description, min_x, min_y, max_x, max_y, srs_id)"
        " VALUES (?, 'features', ?, ?, ?, ?, ?, ?, 4326)",
        (table, _free_identifier(connection, title), description, *extent),
    )
    connection.execute(
        "INSERT INTO gpkg_geometry_columns VALUES (?, 'geom', ?, 4326, 0, 0)", (table, _type_name(layer.geometry))
    )
    _write_index(connection, table, fids[there], bounds[there])


def replace_rows(
    connection: sqlite3.Connection, table: str, gone: Sequence[int], layer: Table, fids: Sequence[int]
) -> None:
    """Take rows out of a feature table and put others in; fields that are new to it are added.

    Runs inside the caller's transaction; the table's index follows by its triggers.

    Parameters:
        connection: the database.
        table: the name of the feature table.
        gone: ids of rows that go.
        layer: features that come.
        fids: their ids (n,).
    """
    connection.executemany(f'DELETE FROM "{table}" WHERE fid = ?', ((fid,) for fid in gone))
    if len(layer) == 0:
        return
    known = {name.lower() for name in field_names(connection, table)}
    fields = list(_field_names(layer.columns))
    for name, column in zip(fields, layer.columns.values(), strict=True):
        if name.lower() not in known:
            connection.execute(f'ALTER TABLE "{table}" ADD COLUMN "{name}" {SQL_TYPES[column.kind]}')
    listing = "".join(f', "{name}"' for name in fields)
    marks = ",".join("?" * (len(fields) + 2))
    connection.executemany(
        f'INSERT INTO "{table}" (fid, geom{listing}) VALUES ({marks})',
        zip(fids, encode(layer.geometry), *(column.tolist() for column in layer.columns.values()), strict=True),
    )
    west, south, east, north = shapely.total_bounds(layer.geometry).tolist()
    connection.execute(
        "UPDATE gpkg_contents SET min_x = min(min_x, ?), min_y = min(min_y, ?), max_x = max(max_x, ?), max_y = max(max_y, ?),"
        " last_change = strftime('%Y-%m-%dT%H:%M:%fZ','now') WHERE table_name = ?",
        (west, south, east, north, table),
    )


def _plain(ids: NDArray[np.int64]) -> Iterator[int]:
    """Ids as SQLite takes them, never all at once."""
    for begin in range(0, len(ids), 8192):
        yield from ids[begin : begin + 8192].tolist()


def _free_identifier(connection: sqlite3.Connection, title: str) -> str:
    taken = {row[0] for row in connection.execute("SELECT identifier FROM gpkg_contents")}
    name, count = title, 2
    while name in taken:
        name, count = f"{title} ({count})", count + 1
    return name


def _write_index(
    connection: sqlite3.Connection, table: str, fid: NDArray[np.int64], bounds: NDArray[np.float64]
) -> None:
    connection.execute(f'CREATE VIRTUAL TABLE "rtree_{table}_geom" USING rtree(id, minx, maxx, miny, maxy)')
    rtree.fill(connection, f"rtree_{table}_geom", fid, bounds)
    for trigger in index_triggers(table):
        connection.execute(trigger)
    connection.execute(
        "INSERT INTO gpkg_extensions VALUES (?, 'geom', 'gpkg_rtree_index',"
        " 'http://www.geopackage.org/spec121/#extension_rtree', 'write-only')",
        (table,),
    )


def index_triggers(table: str) -> list[str]:
    """The statements that make the triggers which keep the index of a feature table true.

    Parameters:
        table: the name of the feature table.
    """
    return [f"{text.strip()} END" for text in _TRIGGERS.format(t=table).split("END;\n") if text.strip()]


def drop_table(connection: sqlite3.Connection, table: str) -> None:
    """Remove a feature table with its index and its rows in the standard's tables.

    Parameters:
        connection: the database.
        table: the name of the feature table.
    """
    connection.execute(f'DROP TABLE IF EXISTS "rtree_{table}_geom"')
    connection.execute(f'DROP TABLE IF EXISTS "{table}"')
    for catalogue in ("gpkg_extensions", "gpkg_geometry_columns", "gpkg_contents"):
        connection.execute(f"DELETE FROM {catalogue} WHERE table_name = ?", (table,))


def read_table(
    connection: sqlite3.Connection,
    table: str,
    where: tuple[str, Sequence[Any]] = ("", ()),
    bbox: tuple[float, float, float, float] | None = None,
    limit: int | None = None,
    offset: int = 0,
    fields: Sequence[str] | None = None,
    order: Sequence[tuple[str, bool]] = (),
) -> Table:
    """Features of a table with `fid` as a column. `where` is SQL with its parameters.

    They come in the `order` of fields, each with whether it descends, then of `fid`.

    Parameters:
        connection: the database.
        table: the name of the feature table.
        where: SQL and its parameters; an empty text for all.
        bbox: west, south, east and north that features must meet; None for everywhere.
        limit: how many at most; all where None.
        offset: how many are passed over.
        fields: the attribute fields to read; all where None.
        order: fields, each with whether it descends.
    """
    chosen = list(fields) if fields is not None else field_names(connection, table)
    clause, parameters = _conditions(table, where, bbox)
    listing = "".join(f', "{name}"' for name in chosen)
    tail = "" if limit is None else f" LIMIT {int(limit)} OFFSET {int(offset)}"
    sorting = "".join(f'"{name}" {"DESC" if down else "ASC"}, ' for name, down in order)
    rows = connection.execute(
        f'SELECT geom, fid{listing} FROM "{table}"{clause} ORDER BY {sorting}fid{tail}', parameters
    ).fetchall()
    values = list(zip(*rows, strict=True)) if rows else [()] * (len(chosen) + 2)
    types = {"fid": "INTEGER", **field_types(connection, table)}
    columns = {name: _column(cells, types[name]) for name, cells in zip(["fid", *chosen], values[1:], strict=True)}
    return Table(decode(values[0]), columns)


def _column(cells: Sequence[Any], declared: str) -> Column:
    """A column of the kind a table declares; of the kind of its values where these are others, as SQLite lets them be."""
    try:
        return Column(pa.array(cells, TYPES[_kind_of_sql(declared)]))
    except (pa.ArrowInvalid, pa.ArrowTypeError, pa.ArrowNotImplementedError, OverflowError):
        return Column.of([None if isinstance(cell, bytes) else cell for cell in cells])


def _kind_of_sql(declared: str) -> Kind:
    """The kind of a declared type (GeoPackage 1.3, table 1)."""
    name = declared.upper().split("(")[0].strip()
    if name == "BOOLEAN":
        return "boolean"
    if name in ("TINYINT", "SMALLINT", "MEDIUMINT", "INT", "INTEGER", "BIGINT"):
        return "integer"
    return "number" if name in ("REAL", "DOUBLE", "FLOAT", "DOUBLE PRECISION") else "text"


def count(
    connection: sqlite3.Connection,
    table: str,
    where: tuple[str, Sequence[Any]] = ("", ()),
    bbox: tuple[float, float, float, float] | None = None,
) -> int:
    """Number of features that match.

    Parameters:
        connection: the database.
        table: the name of the feature table.
        where: SQL and its parameters; an empty text for all.
        bbox: west, south, east and north that features must meet; None for everywhere.
    """
    clause, parameters = _conditions(table, where, bbox)
    return int(connection.execute(f'SELECT count(*) FROM "{table}"{clause}', parameters).fetchone()[0])


def _conditions(
    table: str, where: tuple[str, Sequence[Any]], bbox: tuple[float, float, float, float] | None
) -> tuple[str, list[Any]]:
    terms: list[str] = []
    parameters: list[Any] = []
    if where[0]:
        terms.append(f"({where[0]})")
        parameters += where[1]
    if bbox is not None:
        west, south, east, north = bbox
        terms.append(
            f'fid IN (SELECT id FROM "rtree_{table}_geom" WHERE maxx >= ? AND minx <= ? AND maxy >= ? AND miny <= ?)'
            " AND ST_MaxX(geom) >= ? AND ST_MinX(geom) <= ? AND ST_MaxY(geom) >= ? AND ST_MinY(geom) <= ?"
        )
        parameters += [west, east, south, north] * 2
    return (" WHERE " + " AND ".join(terms) if terms else ""), parameters


def field_names(connection: sqlite3.Connection, table: str) -> list[str]:
    """The attribute fields of a feature table.

    Parameters:
        connection: the database.
        table: the name of the feature table.
    """
    return [row[1] for row in connection.execute(f'PRAGMA table_info("{table}")') if row[1] not in ("fid", "geom")]


def field_types(connection: sqlite3.Connection, table: str) -> dict[str, str]:
    """SQL type of each attribute field.

    Parameters:
        connection: the database.
        table: the name of the feature table.
    """
    rows = connection.execute(f'PRAGMA table_info("{table}")')
    return {row[1]: row[2] for row in rows if row[1] not in ("fid", "geom")}


def _field_names(columns: dict[str, Any]) -> Iterator[str]:
    """Names fit for a table: no quotes, none of the table's own, none twice in SQLite's case-blind sense."""
    taken = {"fid", "geom"}
    for key in columns:
        name = re.sub(r'[":\x00]', "_", str(key))[:60] or "field"
        base, number = name, 2
        while name.lower() in taken:
            name, number = f"{base}_{number}", number + 1
        taken.add(name.lower())
        yield name


def _type_name(geometry: NDArray[np.object_]) -> str:
    names = ("POINT", "LINESTRING", "LINESTRING", "POLYGON", "MULTIPOINT", "MULTILINESTRING", "MULTIPOLYGON")
    kinds = {int(kind) for kind in np.unique(shapely.get_type_id(geometry)) if kind >= 0}
    return names[kinds.pop()] if len(kinds) == 1 and max(kinds) < 7 else "GEOMETRY"


def bytes_of(tables: dict[str, Table]) -> bytes:
    """A GeoPackage of its own with some layers, by table name.

    Parameters:
        tables: layers by table name.
    """
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "made.gpkg"
        connection = connect(path)
        try:
            connection.execute("BEGIN")
            create(connection)
            for name, layer in tables.items():
                write_table(connection, name, layer, name.replace("_", " ").capitalize(), "")
                _describe(connection, name, layer)
            connection.execute("COMMIT")
        finally:
            connection.close()
        return path.read_bytes()


_DATA_COLUMNS = """
CREATE TABLE IF NOT EXISTS gpkg_data_columns (table_name TEXT NOT NULL, column_name TEXT NOT NULL, name TEXT, title TEXT,
  description TEXT, mime_type TEXT, constraint_name TEXT, CONSTRAINT pk_gdc PRIMARY KEY (table_name, column_name),
  CONSTRAINT gdc_tn UNIQUE (table_name, name));
CREATE TABLE IF NOT EXISTS gpkg_data_column_constraints (constraint_name TEXT NOT NULL, constraint_type TEXT NOT NULL,
  value TEXT, min NUMERIC, min_is_inclusive BOOLEAN, max NUMERIC, max_is_inclusive BOOLEAN, description TEXT,
  CONSTRAINT gdcc_ntv UNIQUE (constraint_name, constraint_type, value));
"""


def _describe(connection: sqlite3.Connection, table: str, layer: Table) -> None:
    """Unit and meaning of fields, by the schema extension of the standard."""
    descriptions = [
        (table, field, ", ".join(part for part in (meaning_of(column), column.unit) if part))
        for field, column in zip(_field_names(layer.columns), layer.columns.values(), strict=True)
    ]
    descriptions = [row for row in descriptions if row[2]]
    if not descriptions:
        return
    for statement in _DATA_COLUMNS.split(";"):
        if statement.strip():
            connection.execute(statement)
    for name in ("gpkg_data_columns", "gpkg_data_column_constraints"):
        connection.execute(
            "INSERT OR IGNORE INTO gpkg_extensions SELECT ?, NULL, 'gpkg_schema', 'http://www.geopackage.org/spec/#extension_schema',"
            " 'read-write' WHERE NOT EXISTS (SELECT 1 FROM gpkg_extensions WHERE table_name = ?)",
            (name, name),
        )
    connection.executemany(
        "INSERT INTO gpkg_data_columns (table_name, column_name, description) VALUES (?, ?, ?)", descriptions
    )
