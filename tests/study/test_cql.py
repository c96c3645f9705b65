"""CQL2 filters against a plain evaluation in Python, on random rows and random filters."""

from __future__ import annotations

import sqlite3
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from awl.core.errors import AwlError
from awl.cql2.sql import MAX_LENGTH, to_sql

Row = dict[str, Any]
numbers = st.one_of(st.none(), st.integers(-9, 9))
words = st.one_of(st.none(), st.sampled_from(["bath", "hall", "o'clock", "50% off", ""]))
rows = st.lists(st.fixed_dictionaries({"seats": numbers, "cost": numbers, "kind": words}), min_size=1, max_size=12)
Truth = bool | None
"""SQL's three values: None is unknown, and an unknown row is not selected."""


def compare(name: str, sign: str, value: Any):
    text = f"{name} {sign} {quoted(value)}"

    def holds(row: Row) -> Truth:
        here = row[name]
        if here is None:
            return None
        return {"=": here == value, "<>": here != value, "<": here < value, ">=": here >= value}[sign]

    return text, holds


def quoted(value: Any) -> str:
    return "'" + value.replace("'", "''") + "'" if isinstance(value, str) else str(value)


def one_of(name: str, values: list[Any]):
    text = f"{name} IN ({', '.join(map(quoted, values))})"
    return text, lambda row: None if row[name] is None else row[name] in values


def between(name: str, low: int, high: int):
    return f"{name} BETWEEN {low} AND {high}", lambda row: None if row[name] is None else low <= row[name] <= high


def absent(name: str):
    return f"({name} IS NULL)", lambda row: row[name] is None


def both(a, b):
    def holds(row: Row) -> Truth:
        found = a[1](row), b[1](row)
        return False if False in found else None if None in found else True

    return f"({a[0]} AND {b[0]})", holds


def either(a, b):
    def holds(row: Row) -> Truth:
        found = a[1](row), b[1](row)
        return True if True in found else None if None in found else False

    return f"({a[0]} OR {b[0]})", holds


def inverse(a):
    return f"NOT {a[0]}", lambda row: None if a[1](row) is None else not a[1](row)


simple = st.one_of(
    st.builds(compare, st.sampled_from(["seats", "cost"]), st.sampled_from(["=", "<>", "<", ">="]), st.integers(-9, 9)),
    st.builds(compare, st.just("kind"), st.sampled_from(["=", "<>"]), st.sampled_from(["bath", "o'clock", "50% off"])),
    st.builds(one_of, st.just("kind"), st.lists(st.sampled_from(["bath", "hall", "o'clock"]), min_size=1, max_size=3)),
    st.builds(one_of, st.just("seats"), st.lists(st.integers(-9, 9), min_size=1, max_size=3)),
    st.builds(between, st.just("cost"), st.integers(-9, 0), st.integers(0, 9)),
    st.builds(absent, st.sampled_from(["seats", "kind"])),
)
filters = st.recursive(
    simple,
    lambda inner: st.one_of(st.builds(both, inner, inner), st.builds(either, inner, inner), st.builds(inverse, inner)),
    max_leaves=5,
)


def selected(table: list[Row], text: str) -> list[int]:
    connection = sqlite3.connect(":memory:")
    connection.execute("CREATE TABLE t (n INTEGER, seats INTEGER, cost INTEGER, kind TEXT)")
    connection.executemany(
        "INSERT INTO t VALUES (?, :seats, :cost, :kind)".replace("?", ":n"),
        [{"n": i, **row} for i, row in enumerate(table)],
    )
    sql, parameters = to_sql(text, ["seats", "cost", "kind"])
    return [row[0] for row in connection.execute(f"SELECT n FROM t WHERE {sql} ORDER BY n", parameters)]


@settings(deadline=None)
@given(rows, filters)
def test_a_filter_selects_what_it_says(table, made):
    text, holds = made
    assert selected(table, text) == [i for i, row in enumerate(table) if holds(row) is True]


def test_and_binds_more_tightly_than_or_and_not_takes_any_condition():
    table = [{"seats": s, "cost": c, "kind": k} for s in (1, 2) for c in (1, 2) for k in ("a", "b")]
    assert selected(table, "seats = 1 OR cost = 1 AND kind = 'a'") == [0, 1, 2, 3, 4]
    assert selected(table, "kind = 'a' AND cost = 1 OR seats = 1") == [0, 1, 2, 3, 4]
    assert selected(table, "NOT (seats = 1 OR kind = 'a')") == [5, 7]
    assert selected(table, "NOT seats = 1 AND kind = 'a'") == [4, 6]


@settings(deadline=None)
@given(rows, st.integers(1, 9), st.integers(-9, 9))
def test_arithmetic_is_that_of_real_numbers(table, divisor, limit):
    expected = [
        i
        for i, row in enumerate(table)
        if None not in (row["seats"], row["cost"]) and row["seats"] / divisor + row["cost"] > limit
    ]
    assert selected(table, f"seats / {divisor} + cost > {limit}") == expected


@pytest.mark.parametrize(
    "text",
    [
        "1 = 1; DROP TABLE t",
        "kind = 'a' --",
        "seats > (SELECT 1)",
        'kind = "hall" OR 1',
        "load_extension('x') = 1",
        "x" * (MAX_LENGTH + 1),
    ],
)
def test_nothing_but_a_filter_gets_through(text):
    with pytest.raises(AwlError) as caught:
        to_sql(text, ["kind", "seats"])
    assert caught.value.status == 400


@pytest.mark.parametrize(
    ("text", "field", "value", "found"),
    [
        ("inside = 1", "inside", 1, True),
        ("NOT notes = 1", "notes", 1, False),
        ("island IS NOT NULL", "island", None, False),
        ('"a ""b""" = 2', 'a "b"', 2, True),
        ("straße LIKE 'Gr%ne_'", "straße", "Grüner", True),
        ("share < 2.5e-3", "share", 0.002, True),
        ("-share = .5", "share", -0.5, True),
        ("day >= DATE('2026-06-01')", "day", "2026-06-03", True),
        ("open = TRUE", "open", 1, True),
        ("name NOT IN ('x', 'y')", "name", "z", True),
    ],
)
def test_names_and_values_in_all_their_forms(text, field, value, found):
    connection = sqlite3.connect(":memory:")
    column = '"' + field.replace('"', '""') + '"'
    connection.execute(f"CREATE TABLE t ({column})")
    connection.execute("INSERT INTO t VALUES (?)", [value])
    sql, parameters = to_sql(text, [field])
    assert bool(connection.execute(f"SELECT 1 FROM t WHERE {sql}", parameters).fetchall()) == found


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("CASEI(kind) = 'a'", "the function CASEI at character 1"),
        ("NOT " * 950 + "seats = 1", "nested too deep"),
        ("seats = 1 OR", "cannot be read at character"),
        ("kind = 'open", "cannot be read at character 8"),
        ("-kind = 3", "is text and cannot be reckoned with"),
    ],
)
def test_what_is_not_known_or_not_whole_is_said(text, words):
    with pytest.raises(AwlError, match=words):
        to_sql(text, ["seats", "kind"], {"seats": "INTEGER", "kind": "TEXT"})


NUMBERS = st.integers(-9, 9).map(str) | st.sampled_from(["a", "b"])
SUMS = st.recursive(
    NUMBERS, lambda inner: st.tuples(inner, st.sampled_from("+-*"), inner).map(lambda p: f"({p[0]}) {p[1]} ({p[2]})")
)
COMPARED = st.tuples(SUMS, st.sampled_from(["<", "<=", "=", "<>"]), SUMS).map(" ".join)


def _chained(texts: list[str]) -> st.SearchStrategy[str]:
    """Conditions with AND or OR between each two."""
    words = st.lists(st.sampled_from(["AND", "OR"]), min_size=len(texts) - 1, max_size=len(texts) - 1)
    return words.map(
        lambda between: " ".join(f"({text}) {word}" for text, word in zip(texts, [*between, ""], strict=True))
    )


CONDITIONS = st.recursive(
    COMPARED,
    lambda inner: inner.map(lambda text: f"NOT ({text})") | st.lists(inner, min_size=2, max_size=5).flatmap(_chained),
    max_leaves=12,
)


@given(CONDITIONS, st.integers(-9, 9), st.integers(-9, 9))
@settings(max_examples=150)
def test_a_condition_means_in_sql_what_it_says(text, a, b):
    said = text.replace("<>", "!=").replace(" = ", " == ")
    said = said.replace("AND", "and").replace("OR", "or").replace("NOT", "not")
    expected = bool(eval(said, {"a": a, "b": b}))
    connection = sqlite3.connect(":memory:")
    connection.execute("CREATE TABLE t (a, b)")
    connection.execute("INSERT INTO t VALUES (?, ?)", [a, b])
    sql, parameters = to_sql(text, ["a", "b"])
    assert bool(connection.execute(f"SELECT 1 FROM t WHERE {sql}", parameters).fetchall()) == expected


@pytest.mark.parametrize(
    "text",
    [
        "NOT " * 150 + "a = 1",
        "a = 1" + " OR a = 1" * 400,
        "a = 1" + " AND a = 1" * 390,
        "a = 0" + "+ 0" * 250,
        "a > 9223372036854775808",
        "a < -9223372036854775809",
        "(" * 20 + "a = 1" + ")" * 20,
        "1" + " * 1" * 250 + " = a",
        "16" + "/ 1" * 250 + " > a",
        "NOT (a = 2 OR " * 10 + "a = 1" + ")" * 10,
    ],
)
def test_what_is_long_is_asked_of_the_database_as_it_stands(text):
    connection = sqlite3.connect(":memory:")
    connection.execute("CREATE TABLE t (a)")
    sql, parameters = to_sql(text, ["a"])
    connection.execute(f"SELECT 1 FROM t WHERE {sql}", parameters).fetchall()


@pytest.mark.parametrize(
    "text", ["(1 + " * 60 + "a" + ")" * 60 + " = 1", "a = 0" + "+0" * 1900, "NOT (a = 1 OR " * 40 + "a = 1" + ")" * 40]
)
def test_what_the_database_could_not_hold_is_refused(text):
    with pytest.raises(AwlError, match=r"nested too deep|longer than"):
        to_sql(text, ["a"])
