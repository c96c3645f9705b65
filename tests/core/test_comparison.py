"""Comparison against counts by hand, dictionaries and a raster."""

from __future__ import annotations

from collections import Counter, defaultdict

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st

from awl.core.analysis.comparison import (
    ABSENT,
    cumulative_shares,
    gained_and_lost,
    matched,
    most_changed,
    moved_between,
    occurrences,
    overlaid,
    percent_change,
    reached_streets,
    side_by_side,
)

CODES = st.lists(st.integers(-5, 20), max_size=30, unique=True)


@given(st.lists(st.integers(0, 4), max_size=40))
def test_occurrences_count_the_rows_before(codes):
    seen: Counter[int] = Counter()
    expected = []
    for code in codes:
        expected.append(seen[code])
        seen[code] += 1
    assert occurrences(np.array(codes, np.int64)).tolist() == expected


@given(st.lists(CODES, min_size=2, max_size=4))
def test_rows_are_matched_as_dictionaries_match_them(tables):
    order = list(dict.fromkeys(code for table in tables for code in table))
    expected = [[table.index(key) if key in table else ABSENT for key in order] for table in tables]
    rows = matched([np.array(table, np.int64) for table in tables])
    assert rows.tolist() == expected
    values = [np.array(table, np.float64) * 10 for table in tables]
    aligned = side_by_side(values, rows)
    for table, line in zip(tables, aligned, strict=True):
        for key, value in zip(order, line, strict=True):
            assert (value == key * 10) if key in table else np.isnan(value)


def test_gains_and_losses_are_summed_apart_and_unknown_ones_count_as_none():
    assert gained_and_lost(np.array([3.0, -1.0, np.nan, 0.5, -2.5])) == (3.5, 3.5)
    assert gained_and_lost(np.zeros(0)) == (0.0, 0.0)
    assert percent_change(np.array([5.0, 5.0, -1.0]), np.array([10.0, 0.0, -4.0])).tolist()[::2] == [50.0, -25.0]
    assert np.isnan(percent_change(np.array([5.0]), np.array([0.0]))[0])


def test_the_greatest_changes_come_first_and_small_ones_are_none():
    change = np.array([0.1, -7.0, 5.0, np.nan, 9.0, -0.2, -8.0])
    rises, falls = most_changed(change, 2, least=0.3)
    assert rises.tolist() == [4, 2]
    assert falls.tolist() == [6, 1]
    rises, falls = most_changed(change, 9, least=0.15)
    assert rises.tolist() == [4, 2]
    assert falls.tolist() == [6, 1, 5]


@given(
    st.lists(st.tuples(st.one_of(st.just(np.nan), st.floats(-50, 50)), st.floats(0.1, 9)), min_size=1, max_size=30),
    st.lists(st.floats(-60, 60), max_size=6),
)
def test_cumulative_shares_are_those_of_a_count(pairs, at):
    value, weight = (np.array(column) for column in zip(*pairs, strict=True))
    shares = cumulative_shares(value, weight, np.array(at, np.float64))
    for limit, share in zip(at, shares, strict=True):
        assert share == pytest.approx(sum(w for v, w in pairs if v <= limit) / weight.sum())


BOXES = st.tuples(st.integers(0, 8), st.integers(0, 8), st.integers(1, 6), st.integers(1, 6))


@given(st.lists(BOXES, max_size=4), st.lists(BOXES, max_size=4))
def test_areas_laid_over_each_other_hold_the_cells_of_a_raster(first, second):
    def shape(boxes):
        return shapely.union_all([shapely.box(x, y, x + w, y + h) for x, y, w, h in boxes])

    def cells(boxes):
        return {(i, j) for x, y, w, h in boxes for i in range(x, x + w) for j in range(y, y + h)}

    laid, a, b = overlaid(shape(first), shape(second)), cells(first), cells(second)
    assert laid.both.area == pytest.approx(len(a & b))
    assert laid.only_first.area == pytest.approx(len(a - b))
    assert laid.only_second.area == pytest.approx(len(b - a))


def test_areas_that_only_touch_share_no_ground():
    laid = overlaid(shapely.box(0, 0, 1, 1), shapely.box(1, 0, 2, 1))
    assert laid.both.is_empty
    assert laid.both.geom_type == "MultiPolygon"
    assert laid.only_first.area == laid.only_second.area == pytest.approx(1)


def test_areas_with_nearly_the_same_edge_leave_no_slivers():
    laid = overlaid(shapely.box(0, 0, 100, 100), shapely.box(0.001, 0, 100, 100.002))
    assert laid.only_first.is_empty
    assert laid.only_second.is_empty


def test_areas_that_cross_themselves_are_repaired_first():
    bow = shapely.Polygon([(0, 0), (2, 2), (2, 0), (0, 2)])
    assert overlaid(bow, shapely.box(0, 0, 2, 2)).both.area == pytest.approx(2)


def test_pieces_of_a_street_are_put_together():
    reached = reached_streets(
        np.array([2, 0, 2]), 3, np.array([5.0, 1.0, 9.0]), np.array([4.0, 3.0, 5.0]), np.array([10.0, 7.0, 2.5])
    )
    assert reached.first.tolist() == [1.0, np.inf, 4.0]
    assert reached.length.tolist() == [7.0, 0.0, 12.5]


PIECES = st.lists(st.tuples(st.integers(0, 3), st.integers(0, 3), st.integers(1, 9)), max_size=12)


@given(PIECES, PIECES)
def test_what_owners_lose_goes_to_those_who_gain(first, second):
    def columns(pieces):
        return [np.array(column) for column in zip(*pieces, strict=True)] if pieces else [np.zeros(0, int)] * 3

    moved = moved_between(columns(first), columns(second))
    # By owner: what it has afterwards is what it had, and what came, less what went.
    held: defaultdict[int, float] = defaultdict(float)
    for sign, pieces in ((1, first), (-1, second)):
        for _, owner, length in pieces:
            held[owner] += sign * length
    for source, target, length in zip(moved.source, moved.target, moved.length, strict=True):
        assert source != target
        assert length > 0
        held[int(source)] -= length
        held[int(target)] += length
    assert all(abs(rest) < 1e-6 for owner, rest in held.items() if owner != ABSENT)


def test_a_street_that_changes_its_owner_is_told_with_both():
    moved = moved_between(([1, 1], [7, 8], [60.0, 40.0]), ([1], [8], [100.0]))
    assert (moved.source.tolist(), moved.target.tolist(), moved.length.tolist()) == ([7], [8], [60.0])
    moved = moved_between(([1], [7], [60.0]), ([1], [7], [25.0]))
    assert (moved.source.tolist(), moved.target.tolist(), moved.length.tolist()) == ([7], [ABSENT], [35.0])
