"""Polygons that cross themselves are made sound and stay polygons; what became of them is measured."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from awl.core.errors import AwlError
from awl.core.polygons import repaired
from tests.examples import examples


@settings(max_examples=examples(60), deadline=None)
@given(st.integers(0, 2**32 - 1), st.integers(4, 40))
def test_any_polygon_comes_out_valid_and_a_polygon(seed, corners):
    drawn = shapely.Polygon(np.random.default_rng(seed).random((corners, 2)))
    repair = repaired(np.array([drawn, shapely.Point(0, 0), None], object))
    assert shapely.is_valid(repair.shapes[0]) and repair.shapes[0].geom_type in ("Polygon", "MultiPolygon")
    assert repair.shapes[1:].tolist() == [shapely.Point(0, 0), None]
    assert repair.shapes[0].area <= shapely.convex_hull(drawn).area + 1e-9
    assert len(repair.rows) == (0 if shapely.is_valid(drawn) else 1)


def test_the_change_of_the_area_is_told():
    spike = shapely.Polygon([(0, 0), (2, 0), (2, 2), (0, 2), (0, 0), (-1, 0), (0, 0)])
    overlap = shapely.Polygon([(0, 0), (2, 0), (2, 2), (1, 2), (1, 1), (3, 1), (3, 3), (0, 3)])
    flat = shapely.Polygon([(0, 0), (1, 1), (2, 2)])
    repair = repaired(np.array([spike, overlap, flat, shapely.box(0, 0, 1, 1)], object))
    assert repair.rows.tolist() == [0, 1, 2]
    assert repair.change[0] == pytest.approx(0) and repair.change[1] != 0
    assert repair.shapes[2] is None and repair.shapes[3].equals(shapely.box(0, 0, 1, 1))


def test_a_scribble_is_refused_at_once():
    scribble = shapely.Polygon(np.random.default_rng(0).random((5000, 2)))
    with pytest.raises(AwlError, match="feature 1: It crosses itself more than 20,000 times"):
        repaired(np.array([scribble], object))
