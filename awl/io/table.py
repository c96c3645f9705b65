"""The one tabular type: typed columns (Apache Arrow) with units and meaning, and a geometry where rows lie on the ground.

What kind of values a column holds is decided once, where the table is made: by the schema of a file that has one, by the arrays
of a computation, or by `kind_of` for formats that have none. Nobody guesses it again from the values.
"""

from __future__ import annotations

import json
import math
import re
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Literal, NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import shapely
from numpy.typing import NDArray

from awl.core.columns import Categorical
from awl.core.errors import AwlError
from awl.io.value_kinds import TYPES, Kind, as_text, values_as_arrow

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


class Indexed(NamedTuple):
    """A column that repeats few values: `values[rows[i]]` is that of row i."""

    values: Sequence[Any]
    rows: NDArray[np.integer]


@dataclass(frozen=True)
class Meaning:
    """What a column measures, so that nobody has to take its name apart.

    Attributes:
        quantity: what is counted or measured, such as `people_within` or `share_within`.
        of: the field or layer it is counted of, such as `population`.
        limit: the limit it holds for, in the unit of the question's limits.
        run: `other` where it is that of a second run, `change` where it is the second less the first.
        nth: which nearest, for times to the k-th nearest.
    """

    quantity: str
    of: str | None = None
    limit: float | None = None
    run: Literal["own", "other", "change"] = "own"
    nth: int | None = None

    def json(self) -> dict[str, Any]:
        """As schemas hold it: what is not said is left out."""
        document: dict[str, Any] = {"quantity": self.quantity, "of": self.of, "limit": self.limit, "nth": self.nth}
        document["run"] = None if self.run == "own" else self.run
        return {key: value for key, value in document.items() if value is not None}


@dataclass(frozen=True, eq=False)
class Column(Sequence[Any]):
    """Values of one kind, null where there is none.

    Attributes:
        data: an Arrow array of int64, float64, bool, string, or a dictionary of one of these.
        unit: the unit of numbers, such as `min` or `km²`; empty where they have none.
        digits: decimals that mean something, used where numbers are written as text; None for all.
        meaning: what the column measures.
        nested: whether its text is JSON, which documents hold as the lists and mappings it stands for.
    """

    data: pa.Array
    unit: str = ""
    digits: int | None = None
    meaning: Meaning | None = None
    nested: bool = False

    @classmethod
    def of(cls, values: Any, unit: str = "", digits: int | None = None, meaning: Meaning | None = None) -> Column:
        """A column of a list, an array (masked values and NaN are null), `Indexed`, a `Categorical` or an Arrow array.

        Parameters:
            values: the values.
            unit: the unit of numbers; empty where they have none.
            digits: decimals that mean something; None for all.
            meaning: what it measures.
        """
        return values if isinstance(values, Column) else cls(_arrow(values), unit, digits, meaning)

    @classmethod
    def of_nested(cls, values: Sequence[Any]) -> Column:
        """A column of lists and mappings.

        Parameters:
            values: lists and mappings, None where there is none.
        """
        return cls(
            pa.array([None if value is None else json.dumps(value) for value in values], pa.string()), nested=True
        )

    @cached_property
    def kind(self) -> Kind:
        """What its values are."""
        return next(kind for kind, known in TYPES.items() if known == _plain_type(self.data.type))

    @property
    def is_numeric(self) -> bool:
        """Whether it holds numbers."""
        return self.kind in ("integer", "number")

    @property
    def is_key(self) -> bool:
        """Whether values are all there and all different."""
        return self.data.null_count == 0 and len(pc.unique(self.data)) == len(self.data)

    @property
    def gaps(self) -> NDArray[np.bool_]:
        """Rows (n,) without a value."""
        return np.asarray(self.data.is_null().to_numpy(zero_copy_only=False))

    def numbers(self) -> NDArray[np.float64]:
        """Values (n,) of numbers and truth values, NaN for null.

        Raises:
            TypeError: the column holds text.
        """
        if self.kind == "text":
            raise TypeError("a column of text holds no numbers")
        data = self.data.dictionary_decode() if pa.types.is_dictionary(self.data.type) else self.data
        return np.asarray(data.cast(pa.float64()).to_numpy(zero_copy_only=False), np.float64)

    def texts(self) -> list[str | None]:
        """Values as text, None for null."""
        return [None if value is None else as_text(value) for value in self.tolist()]

    def tolist(self) -> list[Any]:
        """Values as plain Python ones, None for null."""
        return list(self._list)

    @cached_property
    def _list(self) -> list[Any]:
        data = self.data
        if pa.types.is_dictionary(data.type):
            values: list[Any] = [*Column(data.dictionary).tolist(), None]
            codes = data.indices.fill_null(len(values) - 1).to_numpy(zero_copy_only=False)
            return [values[code] for code in codes.tolist()]
        if pa.types.is_string(data.type) or data.null_count:
            return list(data.to_pylist())
        return list(data.to_numpy(zero_copy_only=False).tolist())

    def shown(self) -> list[Any]:
        """Values for documents: numbers with their digits, None where there is none or it is not finite."""
        if self.nested:
            return [None if value is None else json.loads(value) for value in self]
        if self.kind != "number":
            return self.tolist()
        numbers = self.numbers()
        rounded = numbers if self.digits is None else np.round(numbers, self.digits)
        if np.isfinite(rounded).all():
            return list(rounded.tolist())
        return [value if math.isfinite(value) else None for value in rounded.tolist()]

    def take(self, rows: NDArray[np.integer] | Sequence[int]) -> Column:
        """Some of the rows.

        Parameters:
            rows: which rows: numbers (k,).
        """
        return replace(self, data=self.data.take(pa.array(np.asarray(rows, np.int64))))

    def codes(self) -> tuple[list[Any], NDArray[np.int64]]:
        """The distinct values in order of appearance, and which of them each row has, -1 for null."""
        data = self.data if pa.types.is_dictionary(self.data.type) else self.data.dictionary_encode()
        return Column(data.dictionary).tolist(), data.indices.fill_null(-1).to_numpy(zero_copy_only=False).astype(
            np.int64
        )

    def schema(self, name: str) -> dict[str, Any]:
        """What documents say of the column.

        Parameters:
            name: the name of the column.
        """
        schema: dict[str, Any] = {"name": name, "type": self.kind, **({"unit": self.unit} if self.unit else {})}
        return schema | (self.meaning.json() if self.meaning is not None else {})

    def __len__(self) -> int:
        return len(self.data)

    def __iter__(self) -> Iterator[Any]:
        return iter(self._list)

    def __getitem__(self, row: Any) -> Any:
        return self._list[row]

    def __eq__(self, other: object) -> bool:
        """Whether another column, or a list, holds the same values."""
        if isinstance(other, Column | list):
            return self.tolist() == list(other)
        return NotImplemented

    __hash__ = None  # type: ignore[assignment]

    def __repr__(self) -> str:
        return f"Column({self.kind}, {len(self)} values{', ' + self.unit if self.unit else ''})"


def _arrow(values: Any) -> pa.Array:
    """Values as an Arrow array of one of the kinds."""
    if isinstance(values, pa.ChunkedArray):
        values = values.combine_chunks()
    if isinstance(values, pa.Array):
        return _normal(values)
    if isinstance(values, Indexed):
        return pa.DictionaryArray.from_arrays(pa.array(values.rows), _arrow(values.values))
    if isinstance(values, Categorical):
        missing = values.codes < 0
        codes = pa.array(np.where(missing, 0, values.codes), mask=missing) if missing.any() else pa.array(values.codes)
        return pa.DictionaryArray.from_arrays(codes, pa.array(list(values.values), pa.string()))
    if isinstance(values, np.ma.MaskedArray):
        return _normal(pa.array(values.data, mask=np.ma.getmaskarray(values)))
    if isinstance(values, np.ndarray) and values.dtype != object:
        # Without absent numbers nothing is copied.
        return _normal(pa.array(values, from_pandas=values.dtype.kind == "f" and bool(np.isnan(values).any())))
    return values_as_arrow(values.tolist() if isinstance(values, np.ndarray) else list(values))


def _normal(data: pa.Array) -> pa.Array:
    """An Arrow array of one of the kinds from any other."""
    kind, types = data.type, pa.types
    if types.is_dictionary(kind) or kind in TYPES.values():
        return data
    if types.is_integer(kind):
        fits = not types.is_uint64(kind) or len(data) == 0 or (pc.max(data).as_py() or 0) < 2**63
        return data.cast(pa.int64() if fits else pa.string())
    if types.is_floating(kind) or types.is_decimal(kind):
        return data.cast(pa.float64())
    if types.is_nested(kind) or types.is_binary(kind) or types.is_large_binary(kind):
        return values_as_arrow(data.to_pylist())
    return data.cast(pa.string())


def _plain_type(kind: pa.DataType) -> pa.DataType:
    return kind.value_type if pa.types.is_dictionary(kind) else kind


Values = Column | Indexed | Categorical | NDArray[Any] | Sequence[Any]


class Table:
    """Rows with typed columns and, where they lie on the ground, a geometry each in WGS 84.

    Attributes:
        has_geometry: whether rows lie on the ground.
        columns: the columns by name.
        notes: what its reader left out and repaired.
        key: the field that identifies rows, where it was said which one does.
    """

    def __init__(
        self,
        geometry: NDArray[np.object_] | None,
        columns: Mapping[str, Values],
        notes: LayerNotes | None = None,
        key: str | None = None,
    ) -> None:
        self._geometry = geometry
        self.columns = {name: Column.of(values) for name, values in columns.items()}
        self.notes, self.key = notes or LayerNotes(), key

    @classmethod
    def of_records(cls, records: Sequence[Mapping[str, Any]]) -> Table:
        """Rows without geometry from mappings; the columns are the union of their keys in order of appearance.

        Parameters:
            records: a mapping per row.
        """
        names = dict.fromkeys(key for record in records for key in record)
        return cls(None, {name: [record.get(name) for record in records] for name in names})

    @classmethod
    def joined(cls, tables: Sequence[Table]) -> Table:
        """Tables one after another; the columns are the union of theirs in order of appearance.

        Parameters:
            tables: the tables.
        """
        if len(tables) == 1:
            return tables[0]
        names = dict.fromkeys(name for table in tables for name in table.columns)
        columns: dict[str, Values] = {}
        for name in names:
            parts = [table.columns.get(name, [None] * len(table)) for table in tables]
            first = next(part for part in parts if isinstance(part, Column))
            columns[name] = replace(first, data=_arrow([value for part in parts for value in part]))
        located = all(table.has_geometry for table in tables)
        return cls(np.concatenate([table.geometry for table in tables]) if located else None, columns)

    def __len__(self) -> int:
        if self.has_geometry:
            return len(self.geometry)
        return len(next(iter(self.columns.values()), ()))

    @property
    def has_geometry(self) -> bool:
        """Whether rows lie on the ground."""
        return self._geometry is not None

    @property
    def geometry(self) -> NDArray[np.object_]:
        """Shapely objects (n,); raises where rows lie nowhere."""
        if self._geometry is None:
            raise TypeError("the table has no geometry")
        return self._geometry

    def lists(self) -> dict[str, list[Any]]:
        """The columns as lists of plain values."""
        return {name: column.tolist() for name, column in self.columns.items()}

    def records(self) -> list[dict[str, Any]]:
        """Each row as a mapping, as documents hold it."""
        names = list(self.columns)
        return [dict(zip(names, row, strict=True)) for row in zip(*self._shown(), strict=True)]

    def _shown(self) -> list[list[Any]]:
        return [column.shown() for column in self.columns.values()]

    def take(self, rows: NDArray[np.integer] | Sequence[int]) -> Table:
        """Some of the rows.

        Parameters:
            rows: which rows: numbers (k,).
        """
        geometry = self.geometry[np.asarray(rows, np.int64)] if self.has_geometry else None
        return Table(geometry, {name: column.take(rows) for name, column in self.columns.items()}, key=self.key)

    def with_columns(self, columns: Mapping[str, Values]) -> Table:
        """The table with further columns, or others of these names.

        Parameters:
            columns: values by column name.
        """
        return Table(self._geometry, {**self.columns, **columns}, self.notes, self.key)

    def with_geometry(self, geometry: NDArray[np.object_]) -> Table:
        """The rows with another geometry each.

        Parameters:
            geometry: geometries (n,).
        """
        return Table(geometry, self.columns, self.notes, self.key)

    def with_key(self, key: str | None) -> Table:
        """The table with another field that identifies rows.

        Parameters:
            key: the name of the field; None for none.
        """
        return Table(self._geometry, self.columns, self.notes, key)

    def with_notes(self, notes: LayerNotes) -> Table:
        """The table with other notes of its reader.

        Parameters:
            notes: what a reader left out and repaired.
        """
        return Table(self._geometry, self.columns, notes, self.key)

    def only(self, names: Collection[str]) -> Table:
        """The table with some of its columns.

        Parameters:
            names: the columns to keep.
        """
        return Table(self._geometry, {k: v for k, v in self.columns.items() if k in names}, self.notes, self.key)

    def arrow(self) -> pa.Table:
        """The columns as an Arrow table, units and meaning as metadata of its fields."""
        fields = [
            pa.field(name, column.data.type, metadata={"about": json.dumps(column.schema(name))})
            for name, column in self.columns.items()
        ]
        return pa.table([column.data for column in self.columns.values()], schema=pa.schema(fields))

    def schema(self) -> list[dict[str, Any]]:
        """What documents say of the columns."""
        return [column.schema(name) for name, column in self.columns.items()]

    @property
    def numeric(self) -> list[str]:
        """Fields with numbers, the row id of a database left out."""
        return [name for name, column in self.columns.items() if name != "fid" and column.is_numeric]

    @property
    def fields(self) -> list[str]:
        """Its fields, the row id of a database left out."""
        return [name for name in self.columns if name != "fid"]

    @property
    def key_field(self) -> str | None:
        """The field that identifies features: the one that was said, or else the likeliest."""
        return self.key if self.key in self.columns else guessed_key(self.columns)

    @property
    def ids(self) -> list[Any]:
        """What identifies each feature: its value of the key field, or its number where there is none."""
        field = self.key_field
        return self.columns[field].tolist() if field is not None else list(range(1, len(self) + 1))

    @property
    def label_field(self) -> str | None:
        """The field with the names of features."""
        return next((key for name in LABEL_NAMES for key in self.columns if key.lower() == name), None)

    def names(self, one: str) -> list[str]:
        """The name of each feature, or `one` with its id where it has none.

        Parameters:
            one: what a feature without a name is called.
        """
        labels = self.columns[self.label_field] if self.label_field is not None else [None] * len(self)
        ids = self.ids
        return [str(label) if label else f"{one} {ids[i]}" for i, label in enumerate(labels)]

    def without(self, faults: Mapping[int, str], source: str, strict: bool = False) -> Table:
        """The table without faulty rows.

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
        return usable.with_notes(replace(self.notes, left_out=len(faults), left_out_named=named))

    @staticmethod
    def kinds(geometry: NDArray[np.object_]) -> dict[str, int]:
        """How many features are `point`, `line`, `polygon` or `mixed` (a collection); those without geometry not counted.

        Parameters:
            geometry: geometries (n,).
        """
        names = {0: "point", 4: "point", 1: "line", 2: "line", 5: "line", 3: "polygon", 6: "polygon"}
        counts: dict[str, int] = {}
        for number, count in zip(*np.unique(shapely.get_type_id(geometry), return_counts=True), strict=True):
            if number >= 0:
                name = names.get(int(number), "mixed")
                counts[name] = counts.get(name, 0) + int(count)
        return counts

    @property
    def kind(self) -> str:
        """`point`, `line`, `polygon`, `mixed` or `empty`."""
        kinds = list(self.kinds(self.geometry))
        return "empty" if not kinds else kinds[0] if len(kinds) == 1 else "mixed"


def guessed_key(columns: Mapping[str, Column]) -> str | None:
    """The field that most likely identifies features.

    One of the usual names wins; else a field whose name ends like one (`GEOID`, `parcel_no`) and that has a different value for
    every feature; else the row id of a database.

    Parameters:
        columns: the columns by name.
    """
    lower = {name.lower(): name for name in columns}
    for name in KEY_NAMES:
        if name in lower:
            return lower[name]
    for name, values in columns.items():
        if KEY_ENDING.search(name) and name.lower() != "fid" and values.is_key:
            return name
    return lower.get("fid")
