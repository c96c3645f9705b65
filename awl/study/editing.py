"""Work on the user's own layers: select features, compute a field, change a value, keep a selection; all of it undoable.

The streets are no such layer: what is changed there has consequences, and is a matter of the street graph.
"""

from __future__ import annotations

import json
import sqlite3
import zlib
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely

from awl.core.errors import AwlError
from awl.cql2.sql import to_sql, value_to_sql
from awl.io import geopackage
from awl.io.table import Table
from awl.study import records
from awl.study.study import CHANGEABLE, NewLayer, Study, slug

SCHEMA = """
CREATE TABLE IF NOT EXISTS awl_layer_edits (number INTEGER PRIMARY KEY, layer TEXT NOT NULL, what TEXT NOT NULL,
  field TEXT NOT NULL, existed INTEGER NOT NULL, former BLOB NOT NULL) STRICT
"""
KEPT_EDITS = 100
MAX_FIELD_NAME = 60


@dataclass(frozen=True)
class Selection:
    """Features by what they are and where they lie; everything that is given must hold.

    `where` is CQL2 text, `within` a polygon in degrees the features must meet, `fids` their numbers.
    """

    where: str | None = None
    within: shapely.Geometry | None = None
    fids: Sequence[int] | None = None


def select(study: Study, ident: str, wanted: Selection) -> list[int]:
    """Numbers (`fid`) of the features of a layer that are selected, ascending."""
    study.require_layer(ident)
    connection = study.reading
    condition: tuple[str, list[Any]] = ("", [])
    if wanted.where and wanted.where.strip():
        condition = to_sql(wanted.where, geopackage.field_names(connection, ident))
    box = None
    if wanted.within is not None:
        west, south, east, north = shapely.bounds(wanted.within).tolist()
        box = (west, south, east, north)
    rows = geopackage.read_table(connection, ident, condition, box, fields=())
    mask = np.ones(len(rows), bool)
    if wanted.within is not None:
        shapely.prepare(wanted.within)
        mask &= shapely.intersects(wanted.within, rows.geometry)
    fid = rows.columns["fid"].numbers().astype(np.int64)
    if wanted.fids is not None:
        mask &= np.isin(fid, np.array(wanted.fids, np.int64))
    return [int(v) for v in fid[mask]]


def keep_selection(study: Study, ident: str, wanted: Selection, new: str, title: str) -> int:
    """Keep the selected features as a layer of their own; returns how many they are."""
    entry = study.require_layer(ident)
    chosen = set(select(study, ident, wanted))
    if not chosen:
        raise AwlError(
            "Nothing is selected",
            remedy="Select features first, by clicking, a box or a filter",
            kind="nothing-selected",
        )
    if any(layer["id"] == new for layer in study.layers()):
        raise AwlError(f"There is a layer '{new}' already", remedy="Choose another name", inputs=("id",), status=409)
    layer = study.read_layer(ident)
    rows = [row for row, fid in enumerate(layer.columns["fid"]) if fid in chosen]
    selection = layer.take(rows)
    own = {"from_" + key if key == "fid" else key: values for key, values in selection.columns.items()}
    role = entry["role"] if entry["role"] in CHANGEABLE else _role_of(selection)
    study.add_layers([NewLayer(new, Table(selection.geometry, own), title, role, f"{len(rows)} of {entry['title']}")])
    return len(rows)


def _role_of(layer: Table) -> str:
    return {"point": "places", "line": "lines"}.get(layer.kind, "zones")


def compute_field(
    study: Study, ident: str, name: str, expression: str, where: str | None = None, expected: str | None = None
) -> dict[str, int]:
    """Give a field the value of a CQL2 expression in every feature, or in those of a filter; the field may be new.

    Returns how many features got a value and how many none, as where a number is divided by zero or a field is empty.
    """
    _editable(study, ident)
    connection = study.reading
    known = geopackage.field_names(connection, ident)
    text, parameters = value_to_sql(expression, known)
    clause, more = to_sql(where, known) if where and where.strip() else ("1", [])
    field = next((one for one in known if one.lower() == name.lower()), None)
    if field is None:
        _check_new_name(name)
    with study.changing() as writing:
        _check_version(writing, ident, expected)
        column = field or name
        _remember(writing, ident, f"{column} = {expression}", column, field is not None)
        if field is None:
            kind = writing.execute(
                f'SELECT typeof({text}) FROM "{ident}" WHERE ({clause}) AND ({text}) IS NOT NULL LIMIT 1',
                [*parameters, *more, *parameters],
            ).fetchone()
            sql_type = {"integer": "INTEGER", "real": "REAL"}.get(kind[0] if kind else "real", "TEXT")
            writing.execute(f'ALTER TABLE "{ident}" ADD COLUMN "{column}" {sql_type}')
        writing.execute(f'UPDATE "{ident}" SET "{column}" = {text} WHERE {clause}', [*parameters, *more])
        filled, empty = writing.execute(
            f'SELECT count("{column}"), count(*) - count("{column}") FROM "{ident}" WHERE {clause}', more
        ).fetchone()
        _touched(writing, ident)
    return {"filled": int(filled), "empty": int(empty)}


def set_value(study: Study, ident: str, fid: int, field: str, value: Any, expected: str | None = None) -> None:
    """Change one value of one feature; it must be of the field's type."""
    _editable(study, ident)
    types = geopackage.field_types(study.reading, ident)
    if field not in types:
        raise AwlError(f"There is no field '{field}'", remedy=f"Fields are: {', '.join(types)}", inputs=("field",))
    stored = _fitting(value, types[field], field)
    with study.changing() as writing:
        _check_version(writing, ident, expected)
        if writing.execute(f'SELECT 1 FROM "{ident}" WHERE fid = ?', (fid,)).fetchone() is None:
            raise AwlError(f"'{ident}' has no feature {fid}", status=404, kind="no-such-feature")
        _remember(writing, ident, f"{field} of feature {fid}", field, True, fid)
        writing.execute(f'UPDATE "{ident}" SET "{field}" = ? WHERE fid = ?', (stored, fid))
        _touched(writing, ident)


def undo(study: Study, ident: str, expected: str | None = None) -> str:
    """Take the last change of a layer back; returns what it was."""
    _editable(study, ident)
    with study.changing() as writing:
        _check_version(writing, ident, expected)
        writing.execute(SCHEMA)
        row = writing.execute(
            "SELECT number, what, field, existed, former FROM awl_layer_edits WHERE layer = ? ORDER BY number DESC LIMIT 1",
            (ident,),
        ).fetchone()
        if row is None:
            raise AwlError("There is nothing to undo", status=409, kind="nothing-to-undo")
        number, what, field, existed, former = row
        if existed:
            values = json.loads(zlib.decompress(former))
            writing.executemany(f'UPDATE "{ident}" SET "{field}" = ? WHERE fid = ?', values)
        else:
            writing.execute(f'ALTER TABLE "{ident}" DROP COLUMN "{field}"')
        writing.execute("DELETE FROM awl_layer_edits WHERE number = ?", (number,))
        _touched(writing, ident)
    return str(what)


def undoable(study: Study, ident: str) -> int:
    """How many changes of a layer can be taken back."""
    there = study.reading.execute("SELECT 1 FROM sqlite_master WHERE name = 'awl_layer_edits'").fetchone()
    if there is None:
        return 0
    return int(study.reading.execute("SELECT count(*) FROM awl_layer_edits WHERE layer = ?", (ident,)).fetchone()[0])


def _editable(study: Study, ident: str) -> None:
    entry = study.require_layer(ident)
    if entry["role"] not in CHANGEABLE:
        raise AwlError(
            f"The values of '{ident}' are not changed here",
            remedy="Keep a selection of it as a layer of your own, and change that",
            status=409,
            kind="not-editable",
        )


def _check_new_name(name: str) -> None:
    fit = (
        name
        and len(name) <= MAX_FIELD_NAME
        and not any(c in '":\x00' for c in name)
        and name.lower() not in ("fid", "geom")
    )
    if not fit or not slug(name).replace("_", "") or not (name[0].isalpha() or name[0] == "_"):
        raise AwlError(
            f"'{name[:60]}' cannot name a field",
            remedy="Begin with a letter, and leave out quotes and colons",
            inputs=("name",),
        )


def _fitting(value: Any, kind: str, field: str) -> Any:
    """The value as the column stores it; raises when it is of another type."""
    if value is None or (value == "" and kind != "TEXT"):
        return None
    try:
        if kind == "INTEGER":
            if float(value) != int(float(value)):
                raise ValueError
            return int(float(value))
        if kind == "REAL":
            if not np.isfinite(float(value)):
                raise ValueError
            return float(value)
        if kind == "BOOLEAN":
            return {"true": True, "false": False, "1": True, "0": False}[str(value).lower()]
    except (KeyError, TypeError, ValueError) as error:
        words = {"INTEGER": "a whole number", "REAL": "a number", "BOOLEAN": "true or false"}
        raise AwlError(
            f"'{value}' is no value for '{field}'", remedy=f"Give {words[kind]}", inputs=("value",)
        ) from error
    return str(value)


def _remember(
    writing: sqlite3.Connection, ident: str, what: str, field: str, existed: bool, fid: int | None = None
) -> None:
    """Keep the values a change is about to replace."""
    writing.execute(SCHEMA)
    former: list[Any] = []
    if existed:
        clause, parameters = ("WHERE fid = ?", [fid]) if fid is not None else ("", [])
        former = writing.execute(f'SELECT "{field}", fid FROM "{ident}" {clause}', parameters).fetchall()
    writing.execute(
        "INSERT INTO awl_layer_edits (layer, what, field, existed, former) VALUES (?, ?, ?, ?, ?)",
        (ident, what[:300], field, int(existed), zlib.compress(json.dumps(former).encode(), 3)),
    )
    writing.execute(
        "DELETE FROM awl_layer_edits WHERE layer = ? AND number <= (SELECT max(number) FROM awl_layer_edits) - ?",
        (ident, KEPT_EDITS),
    )


def _check_version(writing: sqlite3.Connection, ident: str, expected: str | None) -> None:
    """Refuse a change that was made from another version of a layer than the present one."""
    row = writing.execute("SELECT added FROM awl_layers WHERE id = ?", (ident,)).fetchone()
    if expected is not None and (row is None or row[0] != expected):
        raise AwlError(
            "The layer was changed elsewhere in the meantime",
            remedy="Look at it again, then change that",
            status=412,
            kind="changed-meanwhile",
        )


def _touched(writing: sqlite3.Connection, ident: str) -> None:
    """The layer is another one now: tiles and answers made from the former are out of date."""
    writing.execute("UPDATE awl_layers SET added = ? WHERE id = ?", (records.now(), ident))
