"""Open Matrix (OMX 0.2): matrices in one HDF5 file, with the identifiers of their rows and columns as lookups."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
from numpy.typing import NDArray

from awl.io.table import Indexed, Rows


def of_table(table: Rows) -> bytes:
    """Pairs as full matrices, one for each column of numbers; NaN where there is no pair."""
    import h5py

    origin, destination = table.columns["origin_id"], table.columns["destination_id"]
    assert isinstance(origin, Indexed) and isinstance(destination, Indexed)
    shape = len(origin.values), len(destination.values)
    out = io.BytesIO()
    with h5py.File(out, "w") as file:
        file.attrs["OMX_VERSION"] = np.bytes_("0.2")
        file.attrs["SHAPE"] = np.array(shape, np.int32)
        data, lookup = file.create_group("data"), file.create_group("lookup")
        for name, column in table.columns.items():
            if isinstance(column, Indexed):
                continue
            values = np.full(shape, np.nan)
            values[origin.rows, destination.rows] = column
            data.create_dataset(name, data=values, compression="gzip", compression_opts=1)
            data[name].attrs["NA"] = np.nan
        for name, idents, dim in (("origin", origin.values, 0), ("destination", destination.values, 1)):
            lookup.create_dataset(name, data=_lookup(idents)).attrs["DIM"] = dim
    return out.getvalue()


def of_rows(rows: list[dict[str, Any]]) -> bytes:
    """Pairs given as records."""
    columns: dict[str, Indexed | NDArray[np.float64]] = {}
    for name in ("origin_id", "destination_id"):
        idents = list(dict.fromkeys(row[name] for row in rows))
        number = {ident: i for i, ident in enumerate(idents)}
        columns[name] = Indexed(idents, np.array([number[row[name]] for row in rows]))
    for name in rows[0]:
        if name not in columns and not any(isinstance(row[name], str) for row in rows):
            columns[name] = np.array([np.nan if row[name] is None else row[name] for row in rows], np.float64)
    return of_table(Rows(columns))


def _lookup(idents: list[Any]) -> NDArray[Any]:
    """Identifiers as HDF5 keeps them: whole numbers, or text."""
    whole = all(isinstance(ident, int) and not isinstance(ident, bool) for ident in idents)
    return np.array(idents, np.int64) if whole else np.array([str(ident).encode() for ident in idents])
