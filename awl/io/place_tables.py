"""Read tables with a place in each row: CSV (RFC 4180) in the variants that spreadsheets write, and XLSX (ISO 29500).

A place is two columns of coordinates or one of WKT (OGC 06-103r4), found by their usual names or named by the user.
"""

from __future__ import annotations

import csv
import datetime
import io
import re
import zlib
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from zipfile import BadZipFile

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.io.crs import WGS84, mostly, not_on_earth, off_earth, to_degrees
from awl.io.limits import MAX_FEATURES, MAX_FIELDS, archive_members, check_size
from awl.io.table import Table

LON_NAMES = ("lon", "longitude", "lng", "long", "x", "x_coord", "xcoord", "easting", "east", "e")
LAT_NAMES = ("lat", "latitude", "y", "y_coord", "ycoord", "northing", "north", "n")
WKT_NAMES = ("wkt", "geometry", "geom", "the_geom")
SUFFIXES = (r"(^|[_ .])(lon|lng|longitude)$", r"(^|[_ .])(lat|latitude)$")
"""Endings of column names such as stop_lon and stop_lat."""
ENCODINGS = ("utf-8-sig", "cp1252")
"""Tried in order: what spreadsheets write."""
DELIMITERS = ",;\t|"
NUMBER = re.compile(r"-?(0|[1-9]\d*)(\.\d+)?([eE][+-]?\d+)?$")
DECIMAL_COMMA = re.compile(r"-?(0|[1-9]\d*)(,\d+)?$")
MOST_INTEGER = 2**63 - 1
"""Larger whole numbers stay text: no database column holds them."""


@dataclass(frozen=True)
class PlaceColumns:
    """Names of the columns that hold the place of a row: two of coordinates, or one of WKT; None where they are to be found."""

    x: str | None = None
    y: str | None = None
    wkt: str | None = None


@dataclass(frozen=True)
class _Table:
    """Header and rows of text; `first` is the number of the first row, `comma` whether decimals may be written with one."""

    header: list[str]
    rows: list[list[str]]
    comma: bool
    first: int = 2


def read(
    path: Path, source: str, crs: str | None = None, place: PlaceColumns | None = None, strict: bool = False
) -> Table:
    """The rows of a table as features.

    Parameters:
        path: the file.
        source: the name of the file, for messages.
        crs: what the coordinates are where they are not degrees.
        place: the columns with the place; found by their names where they are not given.
        strict: refuse the table at the first faulty row instead of leaving such rows out.

    Raises:
        AwlError: the file is no table, names no coordinates, or all its rows are faulty.
    """
    table = _xlsx(path, source) if source.lower().endswith(".xlsx") else _csv(path, source)
    if not table.rows:
        raise AwlError("The table has no row below its header", where=source, remedy="Check how it was saved")
    if len(table.rows) > MAX_FEATURES:
        raise AwlError(f"{len(table.rows):,} rows are more than Awl takes in", where=source, remedy="Filter it first")
    x, y, wkt = _place_columns(table.header, place or PlaceColumns(), source)
    if wkt is not None:
        shapes, faults = _shapes(table, wkt)
        used = {wkt}
    else:
        shapes, faults = _points(table, x, y)
        used = {x, y}
    if len(faults) == len(table.rows):
        return Table(shapes, {}).without(faults, source)
    sound = np.array([row not in faults for row in range(len(shapes))])
    shapes[sound] = _in_degrees(shapes[sound], crs, source)
    faults = {**not_on_earth(shapes, "line", table.first), **faults}
    columns = {
        name: _values([row[i] if i < len(row) else "" for row in table.rows], table.comma)
        for i, name in enumerate(table.header)
        if i not in used and name
    }
    return Table(shapes, columns).without(faults, source, strict)


def columns_of(path: Path, source: str) -> list[str]:
    """The names of the columns of a table.

    Parameters:
        path: the file.
        source: the name of the file, for messages.
    """
    return (_xlsx(path, source) if source.lower().endswith(".xlsx") else _csv(path, source)).header


def plain_rows(path: Path, source: str) -> dict[str, list[Any]]:
    """All columns of a table, wherever its rows may lie.

    Parameters:
        path: the file.
        source: the name of the file, for messages.

    Raises:
        AwlError: the file is no table, or has too many rows.
    """
    table = _xlsx(path, source) if source.lower().endswith(".xlsx") else _csv(path, source)
    if len(table.rows) > MAX_FEATURES:
        raise AwlError(f"{len(table.rows):,} rows are more than Awl takes in", where=source, remedy="Filter it first")
    return {
        name: _values([row[i] if i < len(row) else "" for row in table.rows], table.comma)
        for i, name in enumerate(table.header)
        if name
    }


def _place_columns(header: list[str], wanted: PlaceColumns, source: str) -> tuple[int, int, int | None]:
    """Positions of the columns of coordinates, or of WKT."""
    lower = [name.lower() for name in header]

    def named(name: str) -> int:
        if name.lower() not in lower:
            raise AwlError(
                f"The table has no column '{name}'",
                where=source,
                remedy=f"It has: {', '.join(header[:12])}",
                inputs=("columns",),
                kind="no-such-field",
            )
        return lower.index(name.lower())

    def column_of(names: tuple[str, ...], suffix: str | None = None) -> int | None:
        exact = next((lower.index(name) for name in names if name in lower), None)
        if exact is not None or suffix is None:
            return exact
        return next((i for i, name in enumerate(lower) if re.search(suffix, name)), None)

    if wanted.wkt is not None:
        return -1, -1, named(wanted.wkt)
    if wanted.x is not None or wanted.y is not None:
        if wanted.x is None or wanted.y is None:
            raise AwlError("One column of coordinates is named, not two", remedy="Name x and y", inputs=("columns",))
        return named(wanted.x), named(wanted.y), None
    if (wkt := column_of(WKT_NAMES)) is not None:
        return -1, -1, wkt
    lon, lat = column_of(LON_NAMES, SUFFIXES[0]), column_of(LAT_NAMES, SUFFIXES[1])
    if lon is None or lat is None:
        raise AwlError(
            f"The header ({', '.join(header[:8])}) names no coordinates",
            where=f"{source}, line 1",
            remedy="Say which columns hold them, or name these 'lon' and 'lat', or one 'wkt'",
            inputs=("columns",),
            kind="columns-missing",
        )
    return lon, lat, None


def _csv(path: Path, source: str) -> _Table:
    """A table of text, whichever of the usual separators and encodings was used."""
    check_size(path, 1 << 30)
    data = path.read_bytes()
    for encoding in ENCODINGS:
        try:
            text = data.decode(encoding)
            break
        except UnicodeDecodeError:
            continue
    else:
        raise AwlError("The file is no text in UTF-8", where=source, remedy="Save it as CSV, UTF-8")
    first = text.partition("\n")[0]
    delimiter = max(DELIMITERS, key=first.count)
    try:
        rows = [row for row in csv.reader(io.StringIO(text, newline=""), delimiter=delimiter) if row]
    except csv.Error as error:
        raise AwlError(f"The file is no CSV ({error})", where=source, remedy="Save it as CSV, UTF-8") from error
    return _table_of(rows, delimiter != ",", source)


def _xlsx(path: Path, source: str) -> _Table:
    """The first sheet of a workbook, as text."""
    from openpyxl import load_workbook  # 0.2 s: only when a workbook comes in
    from openpyxl.utils.exceptions import InvalidFileException

    check_size(path, 256 << 20)
    archive_members(path, source)
    try:
        book = load_workbook(path, read_only=True, data_only=True, keep_links=False)
        sheet = book.worksheets[0]
        rows = [[_cell(value) for value in row] for row in sheet.iter_rows(max_row=MAX_FEATURES, values_only=True)]
        book.close()
    except (InvalidFileException, BadZipFile, zlib.error, KeyError, IndexError, ValueError, TypeError, OSError, EOFError,
            SyntaxError) as error:  # fmt: skip
        raise AwlError("The file is no workbook that can be read", where=source, remedy="Save it as CSV") from error
    return _table_of([row for row in rows if any(row)], False, source)


def _cell(value: Any) -> str:
    """A cell of a workbook as text."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, datetime.datetime | datetime.date):
        return value.isoformat()
    return repr(value) if isinstance(value, float) else str(value)


def _table_of(rows: list[list[str]], comma: bool, source: str) -> _Table:
    if not rows:
        raise AwlError("The file holds no row", where=source, remedy="Check how it was saved")
    header = [name.strip() for name in rows[0]]
    if len(header) > MAX_FIELDS:
        raise AwlError(
            f"{len(header):,} fields are more than the {MAX_FIELDS} Awl takes in", where=source, remedy="Drop some"
        )
    return _Table(header, rows[1:], comma)


def _points(table: _Table, x: int, y: int) -> tuple[NDArray[np.object_], dict[int, str]]:
    xy = np.full((len(table.rows), 2), np.nan)
    faults = {}
    for number, row in enumerate(table.rows):
        try:
            xy[number] = _coordinate(row[x], table.comma), _coordinate(row[y], table.comma)
        except (ValueError, IndexError):
            faults[number] = f"line {number + table.first}: The coordinates are not numbers"
    return np.atleast_1d(shapely.points(xy)).astype(object), faults


def _coordinate(text: str, comma: bool) -> float:
    return float(text.replace(",", ".") if comma else text)


def _shapes(table: _Table, wkt: int) -> tuple[NDArray[np.object_], dict[int, str]]:
    shapes = np.full(len(table.rows), None, object)
    faults = {}
    for number, row in enumerate(table.rows):
        text = row[wkt] if wkt < len(row) else ""
        try:
            shapes[number] = shapely.from_wkt(text) if text.strip() else None
        except shapely.errors.GEOSException:
            faults[number] = f"line {number + table.first}: '{text[:40]}' is no WKT"
    return shapes, faults


def _in_degrees(shapes: Any, crs: str | None, source: str) -> Any:
    if crs is None and mostly(off_earth(shapes)):
        finite = bool(np.isfinite(shapely.get_coordinates(shapes)).any())
        raise AwlError(
            "Coordinates are not degrees",
            where=source,
            remedy="Say which coordinate system they are in, or give longitude and latitude in WGS 84",
            inputs=("crs",),
            kind="crs-missing" if finite else "broken-geometry",
        )
    return to_degrees(shapes, crs or WGS84, source)


def _values(texts: list[str], comma: bool) -> list[Any]:
    """A column: numbers where all its texts are numbers, else text as it stands; leading zeros, as in '00123', make it text."""
    if comma and any("," in text for text in texts) and all(DECIMAL_COMMA.match(text) for text in texts if text):
        texts = [text.replace(",", ".") for text in texts]
    numbers = [_number(text) for text in texts if text]
    if None in numbers:
        return [text or None for text in texts]
    left = iter(numbers)
    return [next(left) if text else None for text in texts]


def _number(text: str) -> int | float | None:
    """The number a text is, None where it is none."""
    if not NUMBER.match(text):
        return None
    if re.search("[.eE]", text):
        value = float(text)
        return value if np.isfinite(value) else None
    return int(text) if abs(int(text)) <= MOST_INTEGER else None
