"""Columns of text as ids, numbers and rows of other files."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray


def column_of(table: pa.Table, name: str) -> pa.Array:
    """Text (n,) of a column without spaces around it.

    Parameters:
        table: a table of text.
        name: the column.
    """
    column = table[name]
    column = column.combine_chunks() if isinstance(column, pa.ChunkedArray) else column
    return pc.utf8_trim_whitespace(column)


def rows_of(column: pa.Array, ids: pa.Array) -> NDArray[np.int32]:
    """The row (n,) that each text has among ids, -1 for none.

    Parameters:
        column: text (n,).
        ids: text, each once.
    """
    rows: NDArray[np.int32] = (
        pc.index_in(column, value_set=ids, skip_nulls=True)
        .fill_null(-1)
        .to_numpy(zero_copy_only=False)
        .astype(np.int32)
    )
    return rows


def text_of(table: pa.Table, name: str) -> NDArray[np.object_]:
    """Text (n,) of a column, empty where there is none.

    Parameters:
        table: a table of text.
        name: the column.
    """
    return np.array(column_of(table, name).fill_null("").to_pylist(), dtype=object).reshape(-1)


def number_of(table: pa.Table, name: str) -> NDArray[np.float64]:
    """Numbers (n,) of a column, NaN where there is none.

    Parameters:
        table: a table of text.
        name: the column.
    """
    column = column_of(table, name)
    try:
        cast = column.cast(pa.float64())
    except pa.ArrowInvalid:
        cast = pa.array([_number(text) for text in column.to_pylist()], pa.float64())
    numbers: NDArray[np.float64] = np.array(cast.fill_null(np.nan).to_numpy(zero_copy_only=False))
    return np.where(np.isfinite(numbers), numbers, np.nan)


def _number(text: str | None) -> float:
    try:
        return float(text or "nan")
    except ValueError:
        return float("nan")


def whole_of(table: pa.Table, name: str, allowed: range | None, missing: int) -> NDArray[np.int64]:
    """Whole numbers (n,) of a column, `missing` where there is none or none that is allowed.

    Parameters:
        table: a table of text.
        name: the column.
        allowed: the numbers that mean something, None for any from 0.
        missing: what stands for the others.
    """
    numbers = number_of(table, name)
    valid = np.isfinite(numbers) & (numbers == np.floor(numbers)) & (numbers >= 0) & (numbers < 2**31)
    if allowed is not None:
        valid &= (numbers >= allowed.start) & (numbers < allowed.stop)
    return np.where(valid, np.where(valid, numbers, 0), missing).astype(np.int64)
