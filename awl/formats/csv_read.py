"""Read CSV (RFC 4180) with a place in each row: two columns of coordinates, or one of WKT (OGC 06-103r4)."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path
from typing import Any

import numpy as np
import shapely

from awl.core.errors import AwlError
from awl.formats.crs import WGS84, to_degrees
from awl.formats.limits import MAX_FIELDS, check_size
from awl.formats.table import Layer

LON_NAMES = ("lon", "longitude", "lng", "x", "x_coord", "easting")
LAT_NAMES = ("lat", "latitude", "y", "y_coord", "northing")
WKT_NAMES = ("wkt", "geometry", "geom", "the_geom")
ENCODINGS = ("utf-8-sig", "cp1252")
"""Tried in order: what spreadsheets write."""
DELIMITERS = ",;\t|"


def read(path: Path, source: str, crs: str | None = None) -> Layer:
    """The rows as features; `crs` says what the coordinates are where they are not degrees."""
    header, rows = _table(path, source)
    lower = [name.lower() for name in header]

    def column(names: tuple[str, ...]) -> int | None:
        return next((lower.index(name) for name in names if name in lower), None)

    lon, lat, wkt = column(LON_NAMES), column(LAT_NAMES), column(WKT_NAMES)
    if wkt is not None:
        shapes, used = _shapes(rows, wkt, source), [wkt]
    elif lon is not None and lat is not None:
        shapes, used = _points(rows, lon, lat, source), [lon, lat]
    else:
        raise AwlError(
            f"The header ({', '.join(header[:8])}) names no coordinates",
            where=f"{source}, line 1",
            remedy="Name the columns 'lon' and 'lat', or one 'wkt'",
        )
    columns = {
        name: [_number(row[i]) if i < len(row) else None for row in rows]
        for i, name in enumerate(header)
        if i not in used
    }
    return Layer(_in_degrees(shapes, crs, source), columns)


def _table(path: Path, source: str) -> tuple[list[str], list[list[str]]]:
    """Header and rows, whichever of the usual separators and encodings was used."""
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
    if not rows:
        raise AwlError("The file holds no row", where=source, remedy="Check how it was saved")
    header = [name.strip() for name in rows[0]]
    if len(header) > MAX_FIELDS:
        raise AwlError(
            f"{len(header):,} fields are more than the {MAX_FIELDS} Awl takes in", where=source, remedy="Drop some"
        )
    return header, rows[1:]


def _points(rows: list[list[str]], lon: int, lat: int, source: str) -> Any:
    xy = np.empty((len(rows), 2))
    for number, row in enumerate(rows):
        try:
            xy[number] = float(row[lon]), float(row[lat])
        except (ValueError, IndexError) as error:
            raise AwlError(
                "The coordinates are not numbers", where=f"{source}, line {number + 2}", remedy="Repair or drop the row"
            ) from error
    return np.atleast_1d(shapely.points(xy)) if len(xy) else np.zeros(0, object)


def _shapes(rows: list[list[str]], wkt: int, source: str) -> Any:
    shapes = np.full(len(rows), None, object)
    for number, row in enumerate(rows):
        text = row[wkt] if wkt < len(row) else ""
        try:
            shapes[number] = shapely.from_wkt(text) if text.strip() else None
        except shapely.errors.GEOSException as error:
            raise AwlError(
                f"'{text[:40]}' is no WKT", where=f"{source}, line {number + 2}", remedy="Write it as POINT (x y)"
            ) from error
    return shapes


def _in_degrees(shapes: Any, crs: str | None, source: str) -> Any:
    xy = shapely.get_coordinates(shapes)
    finite = bool(np.isfinite(xy).all())
    if crs is None and (not finite or (len(xy) and (np.abs(xy[:, 0]).max() > 180 or np.abs(xy[:, 1]).max() > 90))):
        raise AwlError(
            "Coordinates are not degrees",
            where=source,
            remedy="Say which coordinate system they are in, or give longitude and latitude in WGS 84",
            inputs=("crs",),
            kind="crs-missing" if finite else "broken-geometry",
        )
    return to_degrees(shapes, crs or WGS84, source)


def _number(text: str) -> str | int | float | None:
    """A number where the text is one exactly; leading zeros stay text, as in '00123'."""
    if text == "":
        return None
    try:
        value = json.loads(text)
    except ValueError:
        return text
    return value if isinstance(value, int | float) and not isinstance(value, bool) else text
