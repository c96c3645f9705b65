"""Rasters of a study: the GeoTIFF itself is kept in the study file, so that one file holds the whole job."""

from __future__ import annotations

import sqlite3
from typing import Any

import numpy as np

from awl.io.raster import Raster, read_bytes
from awl.study.records import now

SCHEMA = """
CREATE TABLE IF NOT EXISTS awl_rasters (id TEXT PRIMARY KEY, title TEXT NOT NULL, role TEXT NOT NULL, source TEXT NOT NULL,
  added TEXT NOT NULL, crs TEXT NOT NULL, west REAL NOT NULL, south REAL NOT NULL, east REAL NOT NULL, north REAL NOT NULL,
  columns INTEGER NOT NULL, rows INTEGER NOT NULL, cell_m REAL NOT NULL, least REAL NOT NULL, most REAL NOT NULL,
  total REAL NOT NULL, file BLOB NOT NULL) STRICT
"""
ROLES = ("elevation", "population")
SHOWN = (
    "id", "title", "role", "source", "added", "west", "south", "east", "north", "columns", "rows", "cell_m", "least", "most",
    "total",
)  # fmt: skip


def listed(connection: sqlite3.Connection) -> list[dict[str, Any]]:
    """The rasters without their cells."""
    if not _there(connection):
        return []
    rows = connection.execute(f"SELECT {', '.join(SHOWN)} FROM awl_rasters ORDER BY rowid").fetchall()
    return [dict(zip(SHOWN, row, strict=True)) for row in rows]


def put(
    connection: sqlite3.Connection, ident: str, title: str, role: str, source: str, raster: Raster, data: bytes
) -> None:
    """Add or replace one. Runs inside the caller's transaction."""
    connection.execute(SCHEMA)
    known = raster.values[~np.isnan(raster.values)].astype(float)
    height, width = raster.values.shape
    connection.execute(
        "INSERT OR REPLACE INTO awl_rasters VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?)",
        (ident, title, role, source, now(), raster.crs, *raster.bounds, width, height, raster.cell_m, known.min(), known.max(),
         known.sum(), data),
    )  # fmt: skip


def read(connection: sqlite3.Connection, ident: str) -> Raster | None:
    """One with its cells."""
    if not _there(connection):
        return None
    row = connection.execute("SELECT file, source, crs FROM awl_rasters WHERE id = ?", (ident,)).fetchone()
    return None if row is None else read_bytes(*row)


def set_role(connection: sqlite3.Connection, ident: str, role: str) -> None:
    """Use it as something else."""
    connection.execute("UPDATE awl_rasters SET role = ? WHERE id = ?", (role, ident))


def drop(connection: sqlite3.Connection, ident: str) -> None:
    """Remove it."""
    connection.execute("DELETE FROM awl_rasters WHERE id = ?", (ident,))


def _there(connection: sqlite3.Connection) -> bool:
    return connection.execute("SELECT 1 FROM sqlite_master WHERE name = 'awl_rasters'").fetchone() is not None
