"""Columns, the local plane, connected parts: small things everything rests on."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from pyproj import Geod
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import connected_components

from awl.core import geodesy
from awl.core.columns import Categorical, CategoricalBuilder, set_rows
from awl.core.errors import AwlError, Cancelled
from awl.core.geodesy import LocalPlane, segment_lengths
from awl.core.network.parts import strong_parts
from awl.core.progress import Progress
from tests.examples import examples

texts = st.lists(st.one_of(st.none(), st.sampled_from(["road", "lane", "row", ""])), max_size=40)


@given(st.integers(0, 400), st.floats(0, 1), st.integers(1, 3), st.integers(0, 2**32 - 1))
def test_rows_of_a_mask_are_those_that_are_set(size, share, apart, seed):
    mask = (np.random.default_rng(seed).random(size * apart) < share**4)[::apart]
    rows = set_rows(mask)
    assert rows.tolist() == [row for row in range(size) if mask[row]] and rows.dtype == np.int64


@given(texts)
def test_a_column_gives_back_its_texts(values):
    column = Categorical.of(values)
    assert column.decode() == values and len(column) == len(values)
    assert [column.at(i) for i in range(len(values))] == values
    assert column.present().tolist() == [v is not None for v in values]


@given(texts, st.sets(st.sampled_from(["road", "row", "street"])))
def test_membership_is_that_of_the_texts(values, wanted):
    column = Categorical.of(values)
    assert column.isin(wanted).tolist() == [v in wanted for v in values]
    rows = np.flatnonzero(column.equals("road"))
    assert set(column.take(rows).decode()) <= {"road"}


def test_a_table_of_numbers_by_text():
    column = Categorical.of(["a", None, "b", "a"])
    assert column.lookup([1.5, 2.5], missing=-9).tolist() == [1.5, -9, 2.5, 1.5]


def test_a_sparse_column_fills_the_gaps():
    builder = CategoricalBuilder()
    builder.set(2, "lane")
    builder.set(5, "row")
    assert builder.finish(7).decode() == [None, None, "lane", None, None, "row", None]


@settings(deadline=None)
@given(st.floats(-170, 170), st.floats(-75, 75), st.floats(-0.3, 0.3), st.floats(-0.3, 0.3))
def test_the_plane_goes_there_and_back_and_measures_true(lon, lat, dx, dy):
    plane = LocalPlane(lon, lat)
    there = np.array([lon + dx]), np.array([lat + dy])
    x, y = plane.xy(*there)
    back = plane.lonlat(x, y)
    assert back[0] == pytest.approx(there[0], abs=1e-9) and back[1] == pytest.approx(there[1], abs=1e-9)
    # A short step is as long in the plane as on the ellipsoid, to 0.01 % within some 30 km of the middle.
    x2, y2 = plane.xy(there[0] + 1e-4, there[1] + 1e-4)
    flat = float(np.hypot(x2 - x, y2 - y)[0])
    true = float(segment_lengths(there[0], there[1], there[0] + 1e-4, there[1] + 1e-4)[0])
    assert flat == pytest.approx(true, rel=1e-4)


def test_many_lengths_are_those_of_each(monkeypatch):
    lon, lat = np.random.default_rng(3).uniform((-180, -85), (180, 85), (1000, 2)).T
    ends = lon[:-1], lat[:-1], lon[1:], lat[1:]
    together = segment_lengths(*ends)
    monkeypatch.setattr(geodesy, "WORTH_A_THREAD", 64)
    assert (segment_lengths(*ends) == together).all()
    geod = Geod(ellps="WGS84")
    assert together[::50] == pytest.approx(
        [geod.line_length(lon[i : i + 2], lat[i : i + 2]) for i in range(0, 999, 50)]
    )


def test_shapes_move_to_the_plane_and_back():
    plane = LocalPlane.around(np.array([-36.3, -36.1]), np.array([41.2, 41.4]))
    assert (plane.lon, plane.lat) == (-36.2, 41.3)
    square = np.array([shapely.box(-36.2, 41.3, -36.19, 41.31)], dtype=object)
    assert shapely.area(plane.project(square))[0] == pytest.approx(837.5 * 1110.7, rel=0.01)
    assert shapely.equals_exact(plane.unproject(plane.project(square)), square, 1e-9).all()


@settings(deadline=None, max_examples=examples(60))
@given(st.integers(1, 30), st.integers(0, 90), st.integers(0, 1000))
def test_parts_are_the_strongly_connected_components(nodes, arcs, seed):
    rng = np.random.default_rng(seed)
    tail, head = np.sort(rng.integers(0, nodes, arcs)), rng.integers(0, nodes, arcs).astype(np.int32)
    start = np.searchsorted(tail, np.arange(nodes + 1)).astype(np.int64)
    ours = strong_parts(start, head)
    count, theirs = connected_components(
        csr_matrix((np.ones(arcs), (tail, head)), shape=(nodes, nodes)), connection="strong"
    )
    assert ours.max() + 1 == count
    assert (np.equal.outer(ours, ours) == np.equal.outer(theirs, theirs)).all()


def test_progress_of_parts_and_stopping():
    seen: list[tuple[float, str]] = []
    progress = Progress(lambda share, text: seen.append((round(share, 3), text)))
    progress.part(0.5, 0.7).step(0.5, "half of a fifth")
    progress.step(7.0, "too far")
    assert seen == [(0.6, "half of a fifth"), (1.0, "too far")]
    progress.stop()
    with pytest.raises(Cancelled):
        progress.part(0.0, 1.0).step(0.1, "after the stop")


def test_an_error_is_one_line_with_what_where_and_remedy():
    error = AwlError("It is broken.", where="a.osm, line 3", remedy="Mend it.", inputs=("file",))
    assert error.detail == "a.osm, line 3: It is broken. Mend it."
    assert AwlError("Alone").detail == "Alone."
