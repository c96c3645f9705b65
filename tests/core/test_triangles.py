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


def area_of(points, corners):
    a, b, c = (points[corners[:, i]] for i in range(3))
    return ((b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])) / 2


@settings(max_examples=examples(30), deadline=None)
@given(
    kind=st.sampled_from(["grid", "strewn"]), seed=st.integers(0, 10**6), tile=st.sampled_from([40, 90, 200, 100_000])
)
def test_tiles_cover_all_of_the_outline_once(kind, seed, tile):
    points = spread(kind, seed)
    corners = triangulated(points, WIDE, tile)
    areas = area_of(points, corners)
    assert (areas > -SHIFT_M * 400).all(), "anticlockwise"
    assert areas.sum() == pytest.approx(1440 * 840, rel=1e-4)
    assert len(np.unique(np.sort(corners, axis=1), axis=0)) == len(corners)


@pytest.mark.parametrize("tile", [60, 250])
def test_strewn_points_get_the_triangles_of_the_whole(tile):
    points = spread("strewn", 7) + np.random.default_rng(1).normal(0, 3, (675, 2))
    whole = {tuple(sorted(row)) for row in Delaunay(points).simplices}
    made = {tuple(sorted(row)) for row in triangulated(points, WIDE, tile)}
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
)
def test_what_is_triangulated_again_after_a_change_is_what_all_points_give(kind, seed, gone, come, near):
    rng = np.random.default_rng(seed)
    former = spread(kind, seed)
    by_distance = np.argsort(np.hypot(*(former - near).T))
    stays = np.sort(by_distance[gone:])
    points = rng.permutation(np.concatenate([former[stays], np.array(near) + rng.uniform(-80, 80, (come, 2))]))
    again = triangulated_again(points, WIDE, former, triangulated(former, WIDE))
    assert again is not None
    whole = triangulated(points, WIDE, 200)
    assert len(again) == len(whole) and triangles_of(points, again) == triangles_of(points, whole)
    assert (area_of(points, again) > -SHIFT_M * 400).all(), "anticlockwise"


def test_too_much_change_is_left_to_the_whole():
    former = spread("strewn", 3)
    assert triangulated_again(former + 0.5, WIDE, former, triangulated(former, WIDE)) is None
