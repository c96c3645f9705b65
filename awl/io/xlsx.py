"""XLSX (ISO 29500): a table as the first sheet of a workbook, its data dictionary as the second.

Text is written as text, never as a formula.
"""

from __future__ import annotations

import io
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import shapely

from awl.core.errors import AwlError
from awl.io.dictionary import data_dictionary
from awl.io.table import Table

MAX_ROWS = 1_048_575
"""Rows below the header that a sheet holds."""


def of_table(table: Table) -> bytes:
    """A table's columns, then `lon` and `lat` of points or `wkt` of other shapes.

    Parameters:
        table: the table.
    """
    columns = {name: column.shown() for name, column in table.columns.items()}
    if not table.has_geometry:
        place = {}
    elif table.kind == "point" and (shapely.get_type_id(table.geometry) <= 0).all():
        lon, lat = shapely.get_x(table.geometry), shapely.get_y(table.geometry)
        place = {"lon": lon.tolist(), "lat": lat.tolist()}
    else:
        place = {"wkt": shapely.to_wkt(table.geometry, rounding_precision=7).tolist()}
    columns |= place
    sheets = {"Awl": (list(columns), zip(*columns.values(), strict=True), len(table))}
    if any(column.unit or column.meaning for column in table.columns.values()):
        fields = data_dictionary(table)
        sheets["Fields"] = (list(fields.columns), zip(*fields.lists().values(), strict=True), len(fields))
    return write(sheets)


Sheet = tuple[Sequence[str], Iterable[Sequence[Any]], int]
"""Names of the columns, the rows, and how many there are."""


def write(sheets: Mapping[str, Sheet]) -> bytes:
    """A workbook.

    Parameters:
        sheets: sheets by name, the first is shown.

    Raises:
        AwlError: there are more rows than a sheet holds.
    """
    from openpyxl import Workbook
    from openpyxl.cell import WriteOnlyCell

    book = Workbook(write_only=True)
    for name, (header, rows, count) in sheets.items():
        if count > MAX_ROWS:
            raise AwlError(
                f"A sheet holds {MAX_ROWS:,} rows, not {count:,}", remedy="Choose csv or parquet", inputs=("format",)
            )
        sheet = book.create_sheet(name)

        def cell(value: Any, sheet: Any = sheet) -> Any:
            if value is None or value != value:
                return None
            if isinstance(value, bool | int | float):
                return value
            cell = WriteOnlyCell(sheet, value=_printable(str(value)))
            cell.data_type = "s"
            return cell

        sheet.append([cell(title) for title in header])
        for row in rows:
            sheet.append([cell(value) for value in row])
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def _printable(text: str) -> str:
    """Text without the control characters that XML cannot hold, and no longer than a cell."""
    return "".join(c for c in text if c >= " " or c in "\n\t")[:32_000]
