"""Rows set side by side: values of each answer, differences with the first, and what changes most."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from awl.core.analysis.access_measures import gini
from awl.core.analysis.comparison import (
    ABSENT,
    gained_and_lost,
    matched,
    most_changed,
    occurrences,
    percent_change,
    side_by_side,
)
from awl.io.table import Column, Meaning, Table, Values
from awl.questions.compared_parts import ComparedRows

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
NO_RESULT = (
    "street_distance_m",
    "origin_street_m",
    "destination_street_m",
    "length_m",
    "straight_m",
    "limit",
    "from_limit",
)
"""Numbers that say how a row was put on the streets, not what came of it."""
LISTED = 10
"""Rows named that change most, each way."""


@dataclass(frozen=True)
class Lead:
    """The number that leads: its field, unit and digits, its values (sides, rows) and changes (sides - 1, rows)."""

    field: str
    unit: str
    digits: int
    meaning: Meaning | None
    values: Floats
    changes: Floats


@dataclass(frozen=True)
class RowDifferences:
    """Rows of several answers side by side.

    Attributes:
        spec: what is compared.
        table: a row for each key, most changed first: keys and names, for each number that all answers have its values `x`,
            `x_2`, ... and the differences `change_2_x`, ... with the first, and `standing`: in all answers, or in which.
        lead: the number that leads, its rows those of the table; None where the answers share no number.
        fields: numbers that all answers have, the one that leads first.
        names: what each row is called.
        most: the rows that change most, best first.
        only: how many rows each answer has alone.
        groups: changes of people by group and limit; None where no people are counted.
    """

    spec: ComparedRows
    table: Table
    lead: Lead | None
    fields: list[str]
    names: list[str]
    most: Table | None
    only: list[int]
    groups: Table | None


def value_field(field: str, nth: int) -> str:
    """The column with the value of the n-th answer, counted from 1."""
    return field if nth == 1 else f"{field}_{nth}"


def change_field(field: str, nth: int) -> str:
    """The column with how much more the n-th answer has than the first."""
    return f"change_{nth}_{field}"


def compare_rows(spec: ComparedRows, tables: Sequence[Table], labels: list[str]) -> RowDifferences | None:
    """Set the rows of tables side by side; None where one of them has not the keys."""
    if not all(key in table.columns for table in tables for key in spec.keys) or not any(map(len, tables)):
        return None
    if any(len({table.columns[key].unit for table in tables}) > 1 for key in spec.keys):
        return None
    rows = matched(_codes(tables, spec.keys))
    tables = [_in_minutes(table) for table in tables]
    fields = _shared_numbers(spec, tables)
    aligned = {name: side_by_side([table.columns[name].numbers() for table in tables], rows) for name in fields}
    if spec.absent_is_none:
        aligned = {name: np.where(rows == ABSENT, 0.0, values) for name, values in aligned.items()}
    order = _most_changed_first(aligned[fields[0]]) if fields else np.arange(rows.shape[1])
    rows, aligned = rows[:, order], {name: values[:, order] for name, values in aligned.items()}
    columns: dict[str, Values] = {
        name: _first_known(tables, rows, name) for name in (*spec.keys, *spec.names) if _has(tables, name)
    }
    weights = _weights(tables, rows, fields)
    columns |= {name: Column.of(values) for name, values in weights.items()}
    for name, values in aligned.items():
        columns |= _value_columns(tables[0].columns[name], name, values)
    columns["standing"] = _standing(rows, labels)
    shapes = _first_geometry(tables, rows)
    lead = _lead(tables[0], fields, aligned)
    names = _names(spec, columns, rows.shape[1])
    return RowDifferences(
        spec,
        Table(shapes, columns),
        lead,
        fields,
        names,
        None if lead is None or spec.sums_up else _most(spec, lead, names, labels),
        [0 if spec.absent_is_none else _only(rows, nth) for nth in range(len(tables))],
        _groups(tables[0], aligned, weights, len(tables)),
    )


def _in_minutes(table: Table) -> Table:
    """Times of a table in minutes, as they are read; a time that is there in minutes too is taken from there."""
    columns: dict[str, Values] = {}
    for name, column in table.columns.items():
        if column.unit != "s" or not column.is_numeric:
            columns[name] = column
        elif (in_minutes := f"{name.removesuffix('_s')}_min") not in table.columns:
            columns[in_minutes] = Column.of(column.numbers() / 60, "min", 2, column.meaning)
        else:
            kept = table.columns[in_minutes]
            columns[in_minutes] = Column.of(kept.data, kept.unit, kept.digits, column.meaning)
    return Table(table.geometry if table.has_geometry else None, columns, key=table.key)


def _codes(tables: Sequence[Table], keys: tuple[str, ...]) -> list[Ints]:
    """A number for each row of each table, the same where keys are; rows of one key are told apart by their order."""
    sizes = np.cumsum([0, *(len(table) for table in tables)])
    code = np.zeros(sizes[-1], np.int64)
    for key in keys:
        texts = pa.concat_arrays([_text_array(table.columns[key]) for table in tables])
        own = pc.dictionary_encode(texts, null_encoding="encode").indices.to_numpy(zero_copy_only=False)
        # Numbers of pairs are made dense again, so that they never grow beyond 64 bits.
        code = np.unique(code * (int(own.max(initial=0)) + 1) + own, return_inverse=True)[1].ravel().astype(np.int64)
    each = [code[begin:end] for begin, end in zip(sizes, sizes[1:], strict=False)]
    nth = [occurrences(own) for own in each]
    most = max((int(own.max(initial=0)) for own in nth), default=0) + 1
    return [own * most + repeat for own, repeat in zip(each, nth, strict=True)]


def _text_array(column: Column) -> pa.Array:
    data = column.data.dictionary_decode() if pa.types.is_dictionary(column.data.type) else column.data
    return data.cast(pa.string())


def _has(tables: Sequence[Table], name: str) -> bool:
    return any(name in table.columns for table in tables)


def _shared_numbers(spec: ComparedRows, tables: Sequence[Table]) -> list[str]:
    """Results that all tables have, the one that leads first."""

    def is_result(name: str) -> bool:
        columns = [table.columns.get(name) for table in tables]
        if name in NO_RESULT or name in spec.keys or not all(one is not None and one.is_numeric for one in columns):
            return False
        first = columns[0]
        assert first is not None
        return first.meaning is not None or bool(first.unit) or name in spec.leads

    fields = [name for name in tables[0].columns if is_result(name)]
    lead = next((field for wanted in spec.leads if (field := _leading(tables[0], fields, wanted)) is not None), None)
    return fields if lead is None else [lead, *(name for name in fields if name != lead)]


def _leading(table: Table, fields: list[str], wanted: str) -> str | None:
    """The field of a quantity: the first thing it is counted of, within the middle limit."""
    if wanted in fields:
        return wanted
    meant = [(name, meaning) for name in fields if (meaning := table.columns[name].meaning) and meaning.run == "own"]
    fits = [(name, meaning) for name, meaning in meant if meaning.quantity == wanted]
    of_first = [name for name, meaning in fits if meaning.of == fits[0][1].of]
    return of_first[len(of_first) // 2] if of_first else None


def _most_changed_first(values: Floats) -> Ints:
    """Rows in the order of their change; those that not all answers have come first, and keep their order."""
    change = np.nanmax(np.abs(values[1:] - values[0]), axis=0, initial=0.0)
    unequal = np.isfinite(values).any(axis=0) & ~np.isfinite(values).all(axis=0)
    return np.lexsort([np.arange(values.shape[1]), -np.nan_to_num(change), ~unequal])


def _first_known(tables: Sequence[Table], rows: Ints, name: str) -> Column:
    """Values of the first table that has each row."""
    parts = [table.columns[name].tolist() if name in table.columns else [None] * len(table) for table in tables]
    which = (rows != ABSENT).argmax(axis=0)
    return Column.of([parts[table][rows[table, i]] for i, table in enumerate(which.tolist())])


def _first_geometry(tables: Sequence[Table], rows: Ints) -> NDArray[np.object_] | None:
    if not all(table.has_geometry for table in tables):
        return None
    which = (rows != ABSENT).argmax(axis=0)
    shapes = np.empty(rows.shape[1], object)
    for nth, table in enumerate(tables):
        shapes[which == nth] = table.geometry[rows[nth, which == nth]]
    return shapes


def _weights(tables: Sequence[Table], rows: Ints, fields: list[str]) -> dict[str, Floats]:
    """The people of each row by group, by what the results are counted of."""
    of = dict.fromkeys(meaning.of for name in fields if (meaning := tables[0].columns[name].meaning) and meaning.of)
    known = [name for name in of if all(name in t.columns and t.columns[name].is_numeric for t in tables)]
    return {name: _first_known(tables, rows, name).numbers() for name in known}


def _value_columns(stated: Column, name: str, values: Floats) -> dict[str, Values]:
    digits = stated.digits
    columns: dict[str, Values] = {}
    for nth, own in enumerate(values, 1):
        columns[value_field(name, nth)] = Column.of(own, stated.unit, digits, stated.meaning)
    meaning = stated.meaning
    changed = None if meaning is None else Meaning(meaning.quantity, meaning.of, meaning.limit, "change", meaning.nth)
    for nth, own in enumerate(values[1:], 2):
        columns[change_field(name, nth)] = Column.of(np.round(own - values[0], 6), stated.unit, digits, changed)
    return columns


def _only(rows: Ints, nth: int) -> int:
    """How many rows a table has alone."""
    return int((rows[np.arange(len(rows)) != nth] == ABSENT).all(axis=0).sum())


def _standing(rows: Ints, labels: list[str]) -> list[str]:
    known = rows != ABSENT
    words = {tuple([True] * len(labels)): "in all"}
    for pattern in {tuple(column) for column in known.T.tolist()} - set(words):
        words[pattern] = "only in " + " and ".join(f"'{labels[i]}'" for i, there in enumerate(pattern) if there)
    return [words[tuple(column)] for column in known.T.tolist()]


def _names(spec: ComparedRows, columns: dict[str, Values], count: int) -> list[str]:
    named = [column for name in spec.names if isinstance(column := columns.get(name), Column)]
    if not named:
        named = [column for key in spec.keys if isinstance(column := columns.get(key), Column)]
    return [" to ".join(str(column[i]) for column in named if column[i] is not None) or "unnamed" for i in range(count)]


def _lead(first: Table, fields: list[str], aligned: dict[str, Floats]) -> Lead | None:
    if not fields:
        return None
    stated, values = first.columns[fields[0]], aligned[fields[0]]
    digits = 0 if stated.kind == "integer" else 2 if stated.digits is None else stated.digits
    return Lead(fields[0], stated.unit, digits, stated.meaning, values, values[1:] - values[0])


def _most(spec: ComparedRows, lead: Lead, names: list[str], labels: list[str]) -> Table:
    """What changes most: a row each, what is better first, for each of the answers that are set against the first."""
    records = []
    for label, change, own in zip(labels[1:], lead.changes, lead.values[1:], strict=True):
        rises, falls = most_changed(change, LISTED, 0.5 * 10.0**-lead.digits)
        percent = percent_change(change, lead.values[0])
        for row in [*rises.tolist(), *falls.tolist()]:
            better = change[row] > 0 if spec.more_is_better is not False else change[row] < 0
            records.append(
                {
                    "name": names[row],
                    "against": label,
                    "way": ("gains" if better else "loses") if spec.more_is_better is not None else "changes",
                    "first": round(float(lead.values[0, row]), lead.digits),
                    "second": round(float(own[row]), lead.digits),
                    "change": round(float(change[row]), lead.digits),
                    "percent": None if np.isnan(percent[row]) else round(float(percent[row]), 1),
                }
            )
    table = Table.of_records(records)
    units = {"first": lead.unit, "second": lead.unit, "change": lead.unit, "percent": "%"}
    known = {name: Column.of(table.columns[name].data, unit) for name, unit in units.items() if name in table.columns}
    return table.with_columns(known)


def _groups(first: Table, aligned: dict[str, Floats], weights: dict[str, Floats], sides: int) -> Table | None:
    """People within each limit by group: in each answer, who gains and loses, and how unequal shares are by Gini's measure."""
    records = []
    for name, values in aligned.items():
        meaning = first.columns[name].meaning
        if meaning is None or meaning.quantity != "people_within" or meaning.run != "own" or meaning.of not in weights:
            continue
        people = np.nan_to_num(weights[meaning.of])
        record = {"group": meaning.of.replace("_", " "), "limit": meaning.limit, "people": people.sum()}
        lived = people > 0
        for nth, own in enumerate(values, 1):
            share = np.nan_to_num(own[lived]) / people[lived]
            record |= {
                value_field("within", nth): np.nansum(own),
                value_field("gini", nth): gini(share, people[lived]) if share.sum() > 0 else None,
            }
        for nth, own in enumerate(values[1:], 2):
            gained, lost = gained_and_lost(own - values[0])
            record |= {change_field("within", nth): np.nansum(own) - np.nansum(values[0])}
            record |= {value_field("gained", nth - 1): gained, value_field("lost", nth - 1): lost}
        records.append(record)
    if not records:
        return None
    # The group that is counted first leads, and limits ascend.
    groups = list(dict.fromkeys(record["group"] for record in records))
    records.sort(key=lambda record: (groups.index(record["group"]), record["limit"]))
    table = Table.of_records(records)
    units = {"people": "people", "limit": "min"}
    for nth in range(1, sides + 1):
        units[value_field("within", nth)] = "people"
    for nth in range(2, sides + 1):
        units |= dict.fromkeys(
            (change_field("within", nth), value_field("gained", nth - 1), value_field("lost", nth - 1)), "people"
        )
    counts = {name: Column.of(table.columns[name].data, unit, 1) for name, unit in units.items()}
    ginis = {name: Column.of(column.data, "", 4) for name, column in table.columns.items() if name.startswith("gini")}
    return table.with_columns({**counts, **ginis})
