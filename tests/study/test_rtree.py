"""The packed spatial index is what SQLite itself would have made, as far as anyone can ask it."""

from __future__ import annotations

import sqlite3

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from awl.io import rtree
from tests.examples import examples


def filled(bounds: np.ndarray) -> sqlite3.Connection:
    connection = sqlite3.connect(":memory:")
    connection.execute("CREATE VIRTUAL TABLE r USING rtree(id, minx, maxx, miny, maxy)")
    rtree.fill(connection, "r", np.arange(1, len(bounds) + 1), bounds)
    return connection


def boxes(count: int, seed: int) -> np.ndarray:
    rng = np.random.default_rng(seed)
    corner = rng.uniform(-170, 80, (count, 2))
    return np.column_stack([corner, corner + rng.exponential(0.01, (count, 2))])


@pytest.mark.parametrize("count", [0, 1, 46, 47, 2116, 2117, 5000])
def test_sqlite_finds_it_sound(count):
    connection = filled(boxes(count, count))
    assert connection.execute("SELECT rtreecheck('r')").fetchone() == ("ok",)
    assert connection.execute("SELECT count(*) FROM r").fetchone() == (count,)


@settings(deadline=None, max_examples=examples(40))
@given(st.integers(1, 400), st.integers(0, 99), st.tuples(*[st.floats(-180, 90)] * 2), st.floats(0, 120))
def test_it_finds_every_box_that_touches(count, seed, corner, size):
    bounds = boxes(count, seed)
    west, south, east, north = corner[0], corner[1], corner[0] + size, corner[1] + size
    rows = filled(bounds).execute(
        "SELECT id FROM r WHERE maxx >= ? AND minx <= ? AND maxy >= ? AND miny <= ?", (west, east, south, north)
    )
    found = {row[0] for row in rows}
    touching = (bounds[:, 2] >= west) & (bounds[:, 0] <= east) & (bounds[:, 3] >= south) & (bounds[:, 1] <= north)
    assert set((np.flatnonzero(touching) + 1).tolist()) <= found
    slack = 1e-4
    near = (bounds[:, 2] >= west - slack) & (bounds[:, 0] <= east + slack)
    near &= (bounds[:, 3] >= south - slack) & (bounds[:, 1] <= north + slack)
    assert found <= set((np.flatnonzero(near) + 1).tolist()), "rounding outward adds no more than a hair"


def test_it_can_be_changed_like_any_other():
    connection = filled(boxes(3000, 1))
    connection.execute("DELETE FROM r WHERE id % 3 = 0")
    connection.executemany(
        "INSERT INTO r VALUES (?, ?, ?, ?, ?)", [(10_000 + i, i, i + 1, i, i + 1) for i in range(80)]
    )
    assert connection.execute("SELECT rtreecheck('r')").fetchone() == ("ok",)
    assert connection.execute("SELECT count(*) FROM r").fetchone() == (2080,)
