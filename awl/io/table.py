"""A layer in memory: geometries and columns, the common ground of all vector formats."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.errors import AwlError

NAMED = 20
"""Faulty rows named one by one; the others are counted."""


@dataclass(frozen=True)
class LayerNotes:
    """What a reader left out of a layer, and what it repaired.

    Attributes:
        left_out: rows that could not be used.
        left_out_named: where and why, for the first of them.
        repaired: polygons that crossed themselves.
        repaired_named: which, and what became of their area, for those that changed most.
    """

    left_out: int = 0
    left_out_named: tuple[str, ...] = ()
    repaired: int = 0
    repaired_named: tuple[str, ...] = ()


KEY_NAMES = ("id", "zone", "zone_id", "code")
"""Names of a field that identifies features, best first."""
KEY_ENDING = re.compile(r"(id|code|key|no|nr|num|number)$", re.I)
LABEL_NAMES = ("name", "title", "label")


@dataclass(frozen=True)
class Layer:
    """Features in WGS 84. `geometry` (n,) Shapely objects, each column a list of n plain values or None.

    `key` names the field that identifies features, where it was said which one does.
    """

    geometry: NDArray[np.object_]
    columns: dict[str, list[Any]]
    notes: LayerNotes = LayerNotes()
    key: str | None = None

    def __len__(self) -> int:
        return len(self.geometry)

    def take(self, rows: Sequence[int]) -> Layer:
        """Some of the features."""
        columns = {k: [v[i] for i in rows] for k, v in self.columns.items()}
        return Layer(self.geometry[list(rows)], columns, key=self.key)

    @property
    def key_field(self) -> str | None:
        """The field that identifies features: the one that was said, or else the likeliest."""
        return self.key if self.key in self.columns else guessed_key(self.columns)

    @property
    def ids(self) -> list[Any]:
        """What identifies each feature: its value of the key field, or its number where there is none."""
        field = self.key_field
        return list(self.columns[field]) if field is not None else list(range(1, len(self) + 1))

    @property
    def label_field(self) -> str | None:
        """The field with the names of features."""
        return next((key for name in LABEL_NAMES for key in self.columns if key.lower() == name), None)

    def names(self, one: str) -> list[str]:
        """The name of each feature, or `one` with its id where it has none."""
        labels = self.columns[self.label_field] if self.label_field is not None else [None] * len(self)
        ids = self.ids
        return [str(label) if label else f"{one} {ids[i]}" for i, label in enumerate(labels)]

    def without(self, faults: Mapping[int, str], source: str, strict: bool = False) -> Layer:
        """The layer without faulty rows.

        Parameters:
            faults: where and why, by row.
            source: the file, for the message.
            strict: refuse the layer at the first fault instead.

        Raises:
            AwlError: every row is faulty, or one is and `strict` is set.
        """
        if not faults:
            return self
        if strict or len(faults) == len(self):
            first = faults[min(faults)]
            more = f" and {len(faults) - 1:,} more" if len(faults) > 1 else ""
            raise AwlError(
                f"{first}{more}",
                where=source,
                remedy="Repair it, or leave such rows out by reading without --strict" if strict else "Check the file",
                kind="faulty-rows",
            )
        named = tuple(faults[row] for row in sorted(faults)[:NAMED])
        usable = self.take([row for row in range(len(self)) if row not in faults])
        return replace(usable, notes=replace(self.notes, left_out=len(faults), left_out_named=named))

    @staticmethod
    def kinds(geometry: NDArray[np.object_]) -> dict[str, int]:
        """How many features are `point`, `line`, `polygon` or `mixed` (a collection); those without geometry not counted."""
        names = {0: "point", 4: "point", 1: "line", 2: "line", 5: "line", 3: "polygon", 6: "polygon"}
        found: dict[str, int] = {}
        for number, count in zip(*np.unique(shapely.get_type_id(geometry), return_counts=True), strict=True):
            if number >= 0:
                name = names.get(int(number), "mixed")
                found[name] = found.get(name, 0) + int(count)
        return found

    @property
    def kind(self) -> str:
        """`point`, `line`, `polygon`, `mixed` or `empty`."""
        kinds = list(self.kinds(self.geometry))
        return "empty" if not kinds else kinds[0] if len(kinds) == 1 else "mixed"


def guessed_key(columns: Mapping[str, list[Any]]) -> str | None:
    """The field that most likely identifies features.

    One of the usual names wins; else a field whose name ends like one (`GEOID`, `parcel_no`) and that has a different value for
    every feature; else the row id of a database.
    """
    lower = {name.lower(): name for name in columns}
    for name in KEY_NAMES:
        if name in lower:
            return lower[name]
    for name, values in columns.items():
        if KEY_ENDING.search(name) and name.lower() != "fid" and is_key(values):
            return name
    return lower.get("fid")


def is_key(values: list[Any]) -> bool:
    """Whether values are all there and all different."""
    return None not in values and len({*map(str, values)}) == len(values)


class Indexed(NamedTuple):
    """A column that repeats few values: `values[rows[i]]` is that of row i."""

    values: list[Any]
    rows: NDArray[np.integer]


@dataclass(frozen=True)
class Rows:
    """A table without geometry whose columns are arrays; a matrix of millions of pairs is one."""

    columns: dict[str, Indexed | NDArray[np.float64]]

    def __len__(self) -> int:
        first = next(iter(self.columns.values()))
        return len(first.rows if isinstance(first, Indexed) else first)

    def records(self) -> list[dict[str, Any]]:
        """Each row as a mapping; absent numbers are None."""
        names = list(self.columns)
        lists = [_plain_list(column) for column in self.columns.values()]
        return [dict(zip(names, row, strict=True)) for row in zip(*lists, strict=True)]


def _plain_list(column: Indexed | NDArray[np.float64]) -> list[Any]:
    if isinstance(column, Indexed):
        return [column.values[i] for i in column.rows.tolist()]
    if not np.isnan(column).any():
        return column.tolist()
    return [None if value != value else value for value in column.tolist()]


def check_key(key: str, fields: Collection[str], source: str) -> None:
    """Refuse a key that is none of the fields of a layer; `source` names the layer or its file for the message."""
    if key not in fields:
        raise AwlError(
            f"The layer has no field '{key}'",
            where=source,
            remedy=f"Fields are: {', '.join(fields) or 'none'}",
            inputs=("key",),
            kind="no-such-field",
        )
