"""Large CSV tables (RFC 4180) as columns of text, read by a compiled reader (Apache Arrow).

Text becomes numbers where a caller asks for them, and only there.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray
from pyarrow import csv as arrow_csv

from awl.core.errors import AwlError
from awl.io.limits import MAX_FIELDS, MAX_ROWS, check_size

MOST_UNEVEN = 100_000
"""Rows with too many or too few cells; a file with more of them is no table."""
ENCODINGS = ("utf-8", "cp1252")
"""Tried in order: what spreadsheets write."""
DELIMITERS = ",;\t|"
BLOCK_BYTES = 16 << 20
"""What is read at once; no row may be longer."""


@dataclass(frozen=True)
class TextTable:
    """The rows of a table as text.

    Attributes:
        source: the name of the file, for messages.
        columns: an Arrow array of text (n,) for each name of the header; null where a cell is empty.
        lines: number (n,) of each row in the file, counted from 1, where no line is blank and no cell holds a line break.
        uneven: numbers of the rows left out because they have more or fewer cells than the header.
    """

    source: str
    columns: dict[str, pa.Array]
    lines: NDArray[np.int64]
    uneven: tuple[int, ...] = ()

    def __len__(self) -> int:
        return len(self.lines)

    @cached_property
    def _nothing(self) -> pa.Array:
        return pa.nulls(len(self), pa.string())

    def text(self, *names: str) -> pa.Array:
        """Text (n,) of the first of the columns that has a value in the row; columns that are not there hold none."""
        candidates = [self.columns[name] for name in names if name in self.columns]
        return pc.coalesce(*candidates) if candidates else self._nothing

    def holds(self, name: str) -> bool:
        """Whether a column is there and has a value in some row.

        Parameters:
            name: the name of the column.
        """
        return name in self.columns and self.columns[name].null_count < len(self)

    def take(self, rows: NDArray[np.integer] | NDArray[np.bool_]) -> TextTable:
        """Some of the rows, by number or mask.

        Parameters:
            rows: which rows: numbers (k,) or a mask.
        """
        chosen = np.flatnonzero(rows) if rows.dtype == bool else rows
        index = pa.array(chosen)
        columns = {name: column.take(index) for name, column in self.columns.items()}
        return TextTable(self.source, columns, self.lines[chosen], self.uneven)

    def whole(self, name: str) -> NDArray[np.int64]:
        """The whole numbers (n,) of a column.

        Parameters:
            name: the name of the column.

        Raises:
            AwlError: a cell is empty or holds anything else; its line is named.
        """
        return np.asarray(self._all(name, pa.int64(), _whole, "whole number"))

    def numbers(self, name: str) -> NDArray[np.float64]:
        """The numbers (n,) of a column, infinite ones and NaN among them.

        Parameters:
            name: the name of the column.

        Raises:
            AwlError: a cell is empty or holds anything else; its line is named.
        """
        return np.asarray(self._all(name, pa.float64(), float, "number"))

    def _all(self, name: str, kind: pa.DataType, parse: Callable[[str], float], what: str) -> NDArray[np.generic]:
        column = self.columns[name]
        if column.null_count == 0 and (converted := _cast(column, kind)) is not None:
            return np.asarray(converted.to_numpy(zero_copy_only=False))
        values = []
        for line, text in zip(self.lines.tolist(), column.to_pylist(), strict=True):
            try:
                values.append(parse(text or ""))
            except (ValueError, OverflowError) as error:
                raise AwlError(
                    f"'{text or ''}' is no {what} for {name}", where=f"{self.source}, line {line}"
                ) from error
        return np.array(values, kind.to_pandas_dtype())

    def finite(self, name: str) -> NDArray[np.float64] | None:
        """The numbers (n,) of a column, NaN where a cell is empty; None if a cell holds anything but a finite number.

        Parameters:
            name: the name of the column.
        """
        numbers = _cast(self.columns[name], pa.float64())
        if numbers is None:
            return None
        empty = np.asarray(numbers.is_null())
        values = np.asarray(numbers.to_numpy(zero_copy_only=False), np.float64)
        return values if np.isfinite(values[~empty]).all() else None

    def numbers_or_nan(self, name: str) -> NDArray[np.float64]:
        """The numbers (n,) of a column, NaN where it is not there or a cell holds none.

        Parameters:
            name: the name of the column.
        """
        column = self.text(name)
        numbers = _cast(column, pa.float64())
        if numbers is not None:
            return np.asarray(numbers.to_numpy(zero_copy_only=False), np.float64)
        return np.array([_number_or_nan(text) for text in column.to_pylist()], np.float64)

    def needs(self, *names: str) -> TextTable:
        """The table itself.

        Raises:
            AwlError: it has no row, or lacks one of the columns.
        """
        if not len(self):
            which = "with as many cells as its header" if self.uneven else "below its header"
            raise AwlError(f"The table has no row {which}", where=self.source, remedy="Check the export")
        missing = next((name for name in names if name not in self.columns), None)
        if missing is not None:
            raise AwlError(f"The table has no column '{missing}'", where=f"{self.source}, line 1", remedy="Add it")
        return self


def read(path: Path, source: str | None = None, delimiter: str | None = ",", most: int = 1 << 31) -> TextTable:
    """Read a CSV file.

    Parameters:
        path: the file.
        source: its name in messages; that of the path where none is given.
        delimiter: what separates cells; None for the one of `,`, `;`, tab and `|` that the header holds most of.
        most: bytes it may have.

    Raises:
        AwlError: it is empty or too large, no text, or no table.
    """
    source = source or path.name
    check_size(path, most)
    uneven: list[int] = []

    def skip(row: arrow_csv.InvalidRow) -> str:
        uneven.append(row.number)
        return "skip" if len(uneven) <= MOST_UNEVEN else "error"

    parsing = arrow_csv.ParseOptions(
        delimiter=delimiter or delimiter_of(path), newlines_in_values=True, invalid_row_handler=skip
    )
    converting = arrow_csv.ConvertOptions(
        column_types={f"f{i}": pa.string() for i in range(MAX_FIELDS + 1)}, null_values=[""], strings_can_be_null=True
    )
    for encoding in ENCODINGS:
        uneven.clear()
        reading = arrow_csv.ReadOptions(
            use_threads=False, block_size=BLOCK_BYTES, autogenerate_column_names=True, encoding=encoding
        )
        try:
            cells = arrow_csv.read_csv(path, reading, parsing, converting)
            break
        except UnicodeDecodeError:
            continue
        except pa.ArrowInvalid as error:
            if "UTF8" in str(error):
                continue
            raise AwlError(f"The file is no CSV ({error})", where=source, remedy="Save it as CSV, UTF-8") from error
    else:
        raise AwlError("The file is no text in UTF-8", where=source, remedy="Save it as CSV, UTF-8")
    if cells.num_columns > MAX_FIELDS:
        raise AwlError(
            f"{cells.num_columns:,} fields are more than the {MAX_FIELDS} Awl takes in",
            where=source,
            remedy="Drop some",
        )
    if cells.num_rows > MAX_ROWS:
        raise AwlError(f"More than {MAX_ROWS:,} rows", where=source, remedy="Cut the table to the study area")
    columns = {
        (column[0].as_py() or "").strip(): pc.utf8_trim_whitespace(column[1:].combine_chunks())
        for column in cells.columns
    }
    numbers = np.arange(2, cells.num_rows + len(uneven) + 1)
    return TextTable(source, columns, numbers[~np.isin(numbers, uneven)], tuple(uneven))


def delimiter_of(path: Path) -> str:
    """The separator of the cells of a table, judged by its first line.

    Parameters:
        path: the file.
    """
    return _header(path)[1]


def first_line(path: Path) -> Sequence[str]:
    """The names in the header of a table, in small letters.

    Parameters:
        path: the file.
    """
    header, delimiter = _header(path)
    return [name.strip().strip('"').lower() for name in header.split(delimiter)]


def _header(path: Path) -> tuple[str, str]:
    """The first line of a table, and the separator it holds most of."""
    with path.open(encoding="utf-8-sig", errors="replace") as stream:
        line = stream.readline(1 << 20)
    return line, max(DELIMITERS, key=line.count)


def _cast(column: pa.Array, kind: pa.DataType) -> pa.Array | None:
    """A column as numbers, null where it is; None if a cell holds anything else."""
    try:
        return pc.cast(column, kind)
    except pa.ArrowInvalid:
        return None


def _whole(text: str) -> int:
    """A whole number, also when written with a decimal point, as `7.0`."""
    try:
        return int(text)
    except ValueError:
        value = float(text)
        if not value.is_integer():
            raise
        return int(value)


def _number_or_nan(text: str | None) -> float:
    try:
        return float(text or "nan")
    except ValueError:
        return float("nan")
