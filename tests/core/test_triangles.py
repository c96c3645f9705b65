"""Triangles made tile by tile are those of the whole, and fit together without gaps."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import Delaunay

from awl.core.analysis.isochrone_areas.triangles import SHIFT_M, triangulated, triangulated_again
from tests.examples import examples

WIDE = 100.0


def spread(kind, seed):
    """Points nowhere farther apart than a circle of radius `WIDE`: strewn, or a plain grid, where four lie on each circle."""
    rng = np.random.default_rng(seed)
    grid = np.stack(np.meshgrid(np.arange(0, 1500, 60.0), np.arange(0, 900, 60.0)), -1).reshape(-1, 2)
    return grid if kind == "grid" else np.concatenate([grid, rng.uniform(60, [1380, 780], (300, 2))])


EVERYWHERE = np.full(2, -np.inf), np.full(2, np.inf)


def by_tiles(points, side):
    """The triangles of all boxes of a grid over the points, one after another; 50 m of land lie around."""
    low, high = np.floor((points.min(axis=0) - 50) / side), np.floor((points.max(axis=0) + 50) / side)
    corners = np.stack(np.meshgrid(*(np.arange(a, b + 1) for a, b in zip(low, high, strict=True))), -1).reshape(-1, 2)
    return np.concatenate([triangulated(points, (at * side, (at + 1) * side), WIDE) for at in corners])


def area_of(points, corners):
    a, b, c = (points[corners[:, i]] for i in range(3))
    return ((b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])) / 2


@settings(max_examples=examples(30), deadline=None)
@given(
    kind=st.sampled_from(["grid", "strewn"]),
    seed=st.integers(0, 10**6),
    side=st.sampled_from([130.0, 240.0, 700.0, 9000.0]),
)
def test_tiles_cover_all_of_the_outline_once(kind, seed, side):
    points = spread(kind, seed)
    corners = by_tiles(points, side)
    areas = area_of(points, corners)
    assert (areas > -SHIFT_M * 400).all(), "anticlockwise"
    assert areas.sum() == pytest.approx(1440 * 840, rel=1e-4)
    assert len(np.unique(np.sort(corners, axis=1), axis=0)) == len(corners)


@pytest.mark.parametrize("side", [120.0, 500.0])
def test_strewn_points_get_the_triangles_of_the_whole(side):
    points = spread("strewn", 7) + np.random.default_rng(1).normal(0, 3, (675, 2))
    whole = {tuple(sorted(row)) for row in Delaunay(points).simplices}
    made = {tuple(sorted(row)) for row in by_tiles(points, side)}
    # Outside, along the outline, wide circles are left out.
    inner = {row for row in whole if (points[list(row)] > 80).all() and (points[list(row)] < [1350, 750]).all()}
    assert inner <= made and made <= whole


def triangles_of(points, corners):
    """Triangles as sets of places."""
    return {frozenset(map(tuple, points[row])) for row in corners}


@settings(max_examples=examples(60), deadline=None)
@given(
    kind=st.sampled_from(["grid", "strewn"]),
    seed=st.integers(0, 10**6),
    gone=st.integers(0, 30),
    come=st.integers(0, 30),
    near=st.tuples(st.floats(0, 1400), st.floats(0, 800)),
    box=st.sampled_from([EVERYWHERE, (np.array([300.0, 200.0]), np.array([1000.0, 700.0]))]),
)
def test_what_is_triangulated_again_after_a_change_is_what_all_points_give(kind, seed, gone, come, near, box):
    rng = np.random.default_rng(seed)
    former = spread(kind, seed)
    by_distance = np.argsort(np.hypot(*(former - near).T))
    stays = np.sort(by_distance[gone:])
    points = rng.permutation(np.concatenate([former[stays], np.array(near) + rng.uniform(-80, 80, (come, 2))]))
    again = triangulated_again(points, box, WIDE, former, triangulated(former, box, WIDE))
    whole = triangulated(points, box, WIDE)
    assert len(again) == len(whole) and triangles_of(points, again) == triangles_of(points, whole)
    assert (area_of(points, again) > -SHIFT_M * 400).all(), "anticlockwise"


def test_where_all_has_changed_all_is_triangulated_again():
    former = spread("strewn", 3)
    again = triangulated_again(former + 0.5, EVERYWHERE, WIDE, former, triangulated(former, EVERYWHERE, WIDE))
    assert np.array_equal(again, triangulated(former + 0.5, EVERYWHERE, WIDE))
