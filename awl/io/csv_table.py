"""CSV (RFC 4180): tables out, with the geometry as WKT when there is one."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import numpy as np
import pyarrow as pa
import shapely
from numpy.typing import NDArray
from pyarrow import csv as arrow_csv

from awl.io.table import Column, Indexed, Table

_MINUS_FORMULA = re.compile(r"-(?![\d.]+$)")
"""Text that begins with a minus and is no number."""
MANY_ROWS = 10_000
"""Tables with more rows are written by Arrow: millions of rows in seconds, text quoted."""


def of_table(table: Table) -> bytes:
    """A table: its columns, then `wkt` where it has a geometry.

    Parameters:
        table: the table.
    """
    if len(table) > MANY_ROWS and not table.has_geometry:
        return _by_arrow(table)
    columns = {name: column.shown() for name, column in table.columns.items()}
    if table.has_geometry:
        columns["wkt"] = shapely.to_wkt(table.geometry, rounding_precision=7).tolist()
    return write_columns(columns).encode()


def _by_arrow(table: Table) -> bytes:
    columns = {}
    for name, column in table.columns.items():
        if column.kind == "text":
            values, rows = column.codes()
            safe = Column.of(Indexed([*map(_safe, values), None], rows % (len(values) + 1)))
            columns[name] = safe.data
        else:
            columns[name] = column.data
    out = pa.BufferOutputStream()
    arrow_csv.write_csv(pa.table(columns), out)
    return bytes(out.getvalue())


def write_columns(columns: Mapping[str, Sequence[Any] | NDArray[Any]]) -> str:
    """The same, of columns by name.

    Parameters:
        columns: the columns, all of one length.
    """
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow([_safe(name) for name in columns])
    writer.writerows(zip(*map(_safe_column, columns.values()), strict=True))
    return out.getvalue()


def _safe_column(values: Sequence[Any] | NDArray[Any]) -> Sequence[Any]:
    """The values of a column as they are written: each that recurs is looked at once."""
    if isinstance(values, np.ndarray):
        values = values.tolist()
    kinds = set(map(type, values)) - {type(None)}
    # Of different types 1, 1.0 and True are one key; lists and mappings are none.
    if len(kinds) > 1 or kinds & {list, dict}:
        return [_safe(value) for value in values]
    known = {value: _safe(value) for value in set(values)}
    return [known[value] for value in values]


def write(header: Sequence[str], rows: Iterable[Sequence[Any]]) -> str:
    """CSV text; None and absent numbers are empty cells.

    Text that a spreadsheet would run as a formula is kept from doing so by a leading apostrophe.

    Parameters:
        header: names of the columns.
        rows: the rows.
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
