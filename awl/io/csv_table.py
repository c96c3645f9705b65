"""CSV (RFC 4180): tables out, with the geometry as WKT when there is one."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Sequence
from typing import Any

import shapely

from awl.io import parquet
from awl.io.table import Indexed, Layer, Rows

_MINUS_FORMULA = re.compile(r"-(?![\d.]+$)")
"""Text that begins with a minus and is no number."""


def from_rows(rows: Sequence[dict[str, Any]]) -> bytes:
    """A table from records; the header is the union of their keys in order of appearance."""
    header = list(dict.fromkeys(key for row in rows for key in row))
    return write(header, ([row.get(key) for key in header] for row in rows)).encode()


def from_table(table: Rows) -> bytes:
    """A table of columns, millions of rows in seconds; text is quoted."""
    import pyarrow as pa
    from pyarrow import csv as arrow_csv

    columns = {
        name: Indexed([_safe(value) for value in column.values], column.rows) if isinstance(column, Indexed) else column
        for name, column in table.columns.items()
    }
    out = pa.BufferOutputStream()
    arrow_csv.write_csv(parquet.arrow_table(columns), out)
    return bytes(out.getvalue())


def from_layer(layer: Layer) -> bytes:
    """A table from a layer: its columns, then `wkt`."""
    wkt = shapely.to_wkt(layer.geometry, rounding_precision=7)
    rows = zip(*layer.columns.values(), wkt, strict=True)
    return write([*layer.columns, "wkt"], rows).encode()


def write(header: Sequence[str], rows: Iterable[Sequence[Any]]) -> str:
    """CSV text; None and absent numbers are empty cells.

    Text that a spreadsheet would run as a formula is kept from doing so by a leading apostrophe.
    """
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow([_safe(name) for name in header])
    for row in rows:
        writer.writerow([_safe(value) for value in row])
    return out.getvalue()


def _safe(value: Any) -> Any:
    if value is None or value != value:
        return ""
    if isinstance(value, str) and (value[:1] in ("=", "+", "@", "\t", "\r") or _MINUS_FORMULA.match(value)):
        return "'" + value
    return value
