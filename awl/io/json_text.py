"""Tables as JSON text, written column by column: no object is made for a row."""

from __future__ import annotations

import orjson

from awl.io.table import Column, Table


def records(table: Table) -> bytes:
    """The rows as a JSON list of objects.

    Parameters:
        table: the table; its geometry is left out.
    """
    return b"[" + b",".join(record_texts(table)) + b"]"


def record_texts(table: Table) -> list[bytes]:
    """Each row (n) as a JSON object.

    Parameters:
        table: the table; its geometry is left out.
    """
    if not table.columns:
        return [b"{}"] * len(table)
    members = [orjson.dumps(name).replace(b"%", b"%%") + b":%b" for name in table.columns]
    template = b"{" + b",".join(members) + b"}"
    return [template % row for row in zip(*map(_value_texts, table.columns.values()), strict=True)]


def _value_texts(column: Column) -> list[bytes]:
    """Each value of a column as JSON."""
    if column.nested:
        return [orjson.dumps(value) for value in column.shown()]
    if column.kind == "text":
        values, codes = column.codes()
        texts = [*map(orjson.dumps, values), b"null"]
        return [texts[code] for code in codes.tolist()]
    return orjson.dumps(column.shown())[1:-1].split(b",") if len(column) else []
