"""XLSX (ISO 29500): a table as the one sheet of a workbook. Text is written as text, never as a formula."""

from __future__ import annotations

import io
from collections.abc import Iterable, Sequence
from typing import Any

import shapely

from awl.core.errors import AwlError
from awl.io.table import Layer

MAX_ROWS = 1_048_575
"""Rows below the header that a sheet holds."""


def from_layer(layer: Layer) -> bytes:
    """A layer's columns, then `lon` and `lat` of points or `wkt` of other shapes."""
    if layer.kind == "point" and (shapely.get_type_id(layer.geometry) <= 0).all():
        lon, lat = shapely.get_x(layer.geometry), shapely.get_y(layer.geometry)
        place = {"lon": lon.tolist(), "lat": lat.tolist()}
    else:
        place = {"wkt": shapely.to_wkt(layer.geometry, rounding_precision=7).tolist()}
    columns = {**layer.columns, **place}
    return write(list(columns), zip(*columns.values(), strict=True), len(layer))


def from_rows(rows: Sequence[dict[str, Any]]) -> bytes:
    """A table from records; the header is the union of their keys in order of appearance."""
    header = list(dict.fromkeys(key for row in rows for key in row))
    return write(header, ([row.get(key) for key in header] for row in rows), len(rows))


def write(header: Sequence[str], rows: Iterable[Sequence[Any]], count: int) -> bytes:
    """A workbook of one sheet.

    Raises:
        AwlError: there are more rows than a sheet holds.
    """
    from openpyxl import Workbook
    from openpyxl.cell import WriteOnlyCell

    if count > MAX_ROWS:
        raise AwlError(
            f"A sheet holds {MAX_ROWS:,} rows, not {count:,}", remedy="Choose csv or parquet", inputs=("format",)
        )
    book = Workbook(write_only=True)
    sheet = book.create_sheet("Awl")

    def cell(value: Any) -> Any:
        if value is None or value != value:
            return None
        if isinstance(value, bool | int | float):
            return value
        cell = WriteOnlyCell(sheet, value=_printable(str(value)))
        cell.data_type = "s"
        return cell

    sheet.append([cell(name) for name in header])
    for row in rows:
        sheet.append([cell(value) for value in row])
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def _printable(text: str) -> str:
    """Text without the control characters that XML cannot hold, and no longer than a cell."""
    return "".join(c for c in text if c >= " " or c in "\n\t")[:32_000]
