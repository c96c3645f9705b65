"""CQL2 filters over a layer in memory, wherever it came from: the same translation, run on a table that lives for one filter."""

from __future__ import annotations

import sqlite3

import numpy as np
from numpy.typing import NDArray

from awl.cql2.sql import to_sql
from awl.io.geopackage import SQL_TYPES
from awl.io.table import Table


def matching(layer: Table, where: str) -> NDArray[np.bool_]:
    """Features (n,) that meet a condition on their columns; raises `AwlError` for a condition that cannot be read."""
    fields = [name for name in layer.columns if name.isidentifier()]
    types = {name: SQL_TYPES[layer.columns[name].kind] for name in fields}
    condition, parameters = to_sql(where, fields, types)
    connection = sqlite3.connect(":memory:")
    try:
        own = [f'"{name}" {types[name]}' for name in fields if name.lower() != "fid"]
        columns = ", ".join(["fid INTEGER PRIMARY KEY", *own])
        connection.execute(f"CREATE TABLE features ({columns})")
        known = [layer.columns[name] for name in fields if name.lower() != "fid"]
        # Features of a layer are known by their number there, others by their place in the list.
        numbers = layer.columns["fid"].tolist() if "fid" in layer.columns else list(range(1, len(layer) + 1))
        connection.executemany(
            f"INSERT INTO features VALUES ({', '.join('?' * len(columns.split(', ')))})",
            zip(numbers, *known, strict=True),
        )
        row_of = {number: row for row, number in enumerate(numbers)}
        rows = connection.execute(f"SELECT fid FROM features WHERE {condition}", parameters)
        mask = np.zeros(len(layer), bool)
        mask[[row_of[number] for (number,) in rows]] = True
        return mask
    finally:
        connection.close()
