"""Text attributes as arrays: one small integer per row and one list of the distinct values."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

MISSING = -1


@dataclass(frozen=True)
class Categorical:
    """A text column. `codes[i]` indexes `values`; -1 means the row has no value.

    >>> column = Categorical.of(["road", None, "road"])
    >>> column.equals("road")
    array([ True, False,  True])
    """

    codes: NDArray[np.int32]
    values: tuple[str, ...]

    @classmethod
    def of(cls, texts: Iterable[str | None]) -> Categorical:
        """Encode texts in order of first appearance.

        Parameters:
            texts: the texts, None where there is none.
        """
        builder = CategoricalBuilder()
        for row, text in enumerate(texts):
            if text is not None:
                builder.set(row, text)
            else:
                builder.rows = row + 1
        return builder.finish(builder.rows)

    def __len__(self) -> int:
        return len(self.codes)

    def take(self, rows: NDArray[np.integer] | NDArray[np.bool_]) -> Categorical:
        """The column restricted to `rows` (indices or a mask).

        Parameters:
            rows: which rows: numbers (k,) or a mask.
        """
        return Categorical(self.codes[rows], self.values)

    def compact(self) -> Categorical:
        """The same column without values that no row has."""
        used, codes = np.unique(self.codes, return_inverse=True)
        first = int(used[0] < 0) if len(used) else 0
        return Categorical((codes - first).astype(np.int32), tuple(self.values[code] for code in used[first:]))

    def isin(self, wanted: Iterable[str]) -> NDArray[np.bool_]:
        """Mask of the rows whose value is one of `wanted`.

        Parameters:
            wanted: the values that are looked for.
        """
        lookup = np.zeros(len(self.values) + 1, bool)  # last entry answers code -1
        index = {value: code for code, value in enumerate(self.values)}
        for value in wanted:
            if value in index:
                lookup[index[value]] = True
        return lookup[self.codes]

    def equals(self, value: str) -> NDArray[np.bool_]:
        """Mask of the rows whose value is `value`.

        Parameters:
            value: the value that is looked for.
        """
        return self.isin((value,))

    def present(self) -> NDArray[np.bool_]:
        """Mask of the rows that have a value."""
        return self.codes >= 0

    def lookup(self, table: Sequence[float], missing: float) -> NDArray[np.float64]:
        """Replace each value by the number at its place in `table`, absent ones by `missing`.

        Parameters:
            table: a number for each distinct value.
            missing: the number for rows without a value.
        """
        return np.append(np.asarray(table, float), missing)[self.codes]

    def decode(self) -> list[str | None]:
        """The texts themselves."""
        values: list[str | None] = [*self.values, None]
        return [values[code] for code in self.codes]

    def at(self, row: int) -> str | None:
        """The text of one row.

        Parameters:
            row: the row.
        """
        code = self.codes[row]
        return None if code < 0 else self.values[code]


class CategoricalBuilder:
    """Collects a sparse text column row by row while a file streams past."""

    def __init__(self) -> None:
        self.rows = 0
        self._filled: list[int] = []
        self._codes: list[int] = []
        self._index: dict[str, int] = {}

    def set(self, row: int, text: str) -> None:
        """Give `row` the value `text`; rows arrive in ascending order.

        Parameters:
            row: the row.
            text: its value.
        """
        self._filled.append(row)
        self._codes.append(self._index.setdefault(text, len(self._index)))
        self.rows = row + 1

    def finish(self, rows: int) -> Categorical:
        """The column, `rows` long.

        Parameters:
            rows: how many rows the column has.
        """
        codes = np.full(rows, MISSING, np.int32)
        codes[self._filled] = self._codes
        return Categorical(codes, tuple(self._index))


def set_rows(mask: NDArray[np.bool_]) -> NDArray[np.int64]:
    """The rows of a mask that are set, ascending. Where few are, eight are looked at together.

    Parameters:
        mask: which rows (n,).
    """
    groups = len(mask) >> 3
    if not mask.flags.c_contiguous or groups == 0:
        return np.flatnonzero(mask)
    aligned = mask[: groups << 3]
    hit = np.flatnonzero(aligned.view(np.uint64) != 0)
    if 8 * len(hit) > groups:
        return np.flatnonzero(mask)
    inside, bit = np.nonzero(aligned.reshape(-1, 8)[hit])
    return np.concatenate([(hit[inside] << 3) | bit, np.flatnonzero(mask[groups << 3 :]) + (groups << 3)])
