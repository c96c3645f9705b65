"""The data dictionary of a table: what each of its fields holds, in which unit, and what it measures."""

from __future__ import annotations

from awl.io.table import Column, Table

KINDS = {"integer": "whole number", "number": "number", "boolean": "true or false", "text": "text"}
RUNS = {"own": "", "other": "in the other run", "change": "how much more than in the first"}


def data_dictionary(table: Table) -> Table:
    """A row for each field: `field`, `type`, `unit` and `meaning`; the geometry last, where there is one.

    Parameters:
        table: the table.
    """
    records = [
        {
            "field": name,
            "type": "list or mapping, as JSON" if column.nested else KINDS[column.kind],
            "unit": column.unit,
            "meaning": meaning_of(column),
        }
        for name, column in table.columns.items()
    ]
    if table.has_geometry:
        where = "longitude and latitude in WGS 84"
        records.append({"field": "geometry", "type": table.kind, "unit": "degrees", "meaning": where})
    return Table.of_records(records)


def meaning_of(column: Column) -> str:
    """What a column measures, in words; empty where nothing is stated.

    Parameters:
        column: the column.
    """
    meaning = column.meaning
    if meaning is None:
        return ""
    parts = [meaning.quantity.replace("_", " ")]
    if meaning.of:
        parts.append(f"of {meaning.of.replace('_', ' ')}")
    if meaning.limit is not None:
        parts.append(f"at a limit of {meaning.limit:g}")
    if meaning.nth is not None:
        parts.append(f"number {meaning.nth} from the nearest")
    return ", ".join(part for part in (*parts, RUNS[meaning.run]) if part)
