"""Open Matrix (OMX 0.2): matrices in one HDF5 file, with the identifiers of their rows and columns as lookups."""

from __future__ import annotations

import io
from typing import Any

import h5py
import numpy as np
from numpy.typing import NDArray

from awl.io.dictionary import meaning_of
from awl.io.table import Table

ENDS = ("origin_id", "destination_id")
"""The columns that name the row and the column of a pair."""


def of_table(table: Table) -> bytes:
    """Pairs (with `ENDS`) as full matrices, one for each column of numbers; NaN where there is no pair.

    Parameters:
        table: the table.
    """
    (origins, origin), (destinations, destination) = (table.columns[name].codes() for name in ENDS)
    shape = len(origins), len(destinations)
    out = io.BytesIO()
    with h5py.File(out, "w") as file:
        file.attrs["OMX_VERSION"] = np.bytes_("0.2")
        file.attrs["SHAPE"] = np.array(shape, np.int32)
        data, lookup = file.create_group("data"), file.create_group("lookup")
        for name, column in table.columns.items():
            if name in ENDS or not column.is_numeric:
                continue
            values = np.full(shape, np.nan)
            values[origin, destination] = column.numbers()
            data.create_dataset(name, data=values, compression="gzip", compression_opts=1)
            data[name].attrs["NA"] = np.nan
            # What it holds, for readers who look at attributes.
            data[name].attrs["unit"], data[name].attrs["description"] = column.unit, meaning_of(column)
        for name, idents, dim in (("origin", origins, 0), ("destination", destinations, 1)):
            lookup.create_dataset(name, data=_lookup(idents)).attrs["DIM"] = dim
    return out.getvalue()


def _lookup(idents: list[Any]) -> NDArray[Any]:
    """Identifiers as HDF5 keeps them: whole numbers, or text."""
    integral = all(isinstance(ident, int) and not isinstance(ident, bool) for ident in idents)
    return np.array(idents, np.int64) if integral else np.array([str(ident).encode() for ident in idents])
