"""Feature tables: what goes in comes out, here and in another reader, whatever it is."""

from __future__ import annotations

import math
import sqlite3
import struct

import numpy as np
import pyogrio
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from awl.core.errors import AwlError
from awl.io import geopackage
from awl.io.geometry_blobs import decode, encode
from awl.io.table import Table
from tests.examples import examples

SHAPES = {
    "point": shapely.Point(-36.2, 41.3),
    "line": shapely.LineString([(-36.2, 41.3), (-36.1, 41.31), (-36.0, 41.2)]),
    "polygon": shapely.Polygon([(0, 0), (3, 0), (3, 3), (0, 0)], [[(1.5, 0.5), (2.5, 0.5), (2.5, 1.5), (1.5, 0.5)]]),
    "multipoint": shapely.MultiPoint([(0, 0), (1, 2)]),
    "multiline": shapely.MultiLineString([[(0, 0), (1, 1)], [(2, 2), (3, 2)]]),
    "multipolygon": shapely.MultiPolygon([shapely.box(0, 0, 1, 1), shapely.box(2, 2, 3, 3)]),
}


@pytest.fixture
def package(tmp_path):
    connection = geopackage.connect(tmp_path / "a.gpkg")
    geopackage.create(connection)
    yield connection
    connection.close()


def written(connection: sqlite3.Connection, layer: Table, name: str = "things") -> Table:
    geopackage.write_table(connection, name, layer, "Things")
    return geopackage.read_table(connection, name)


@pytest.mark.parametrize("kind", SHAPES)
def test_geometry_survives_here_and_elsewhere(package, tmp_path, kind):
    shapes = np.array([SHAPES[kind], None, SHAPES[kind]], dtype=object)
    back = written(package, Table(shapes, {"n": [1, 2, 3]}))
    assert shapely.equals_exact(back.geometry[[0, 2]], shapes[[0, 2]], 0).all() and back.geometry[1] is None
    package.close()
    info, _, wkb, fields = pyogrio.raw.read(tmp_path / "a.gpkg", layer="things")
    assert shapely.equals_exact(shapely.from_wkb(wkb[0]), SHAPES[kind], 0)
    assert info["geometry_type"].lower().replace("string", "") == kind.replace("line", "line")
    assert fields[0].tolist() == [1, 2, 3]


coordinate = st.floats(-180, 180, allow_nan=False)
position = st.tuples(coordinate, coordinate)
point = position.map(shapely.Point)
line = st.lists(position, min_size=2, max_size=5).map(shapely.LineString)
ANY_SHAPE = st.one_of(point, line, st.sampled_from([*SHAPES.values(), None, shapely.Point(), shapely.Point(1, 2, 3)]))


@settings(deadline=None, max_examples=examples(60))
@given(st.one_of(st.lists(point, max_size=6), st.lists(line, max_size=6), st.lists(ANY_SHAPE, max_size=6)))
def test_blobs_are_an_envelope_before_the_binary_of_the_shape(shapes):
    blobs = encode(np.array(shapes, dtype=object))
    assert len(blobs) == len(shapes)
    for shape, blob in zip(shapes, blobs, strict=True):
        if shape is None or shape.is_empty:
            assert blob is None
            continue
        west, south, east, north = shape.bounds
        head = struct.pack("<2sBBi4d", b"GP", 0, 3, 4326, west, east, south, north)
        assert blob == head + shapely.to_wkb(shape, byte_order=1, output_dimension=2)
    there = [blob is not None for blob in blobs]
    assert shapely.equals_exact(decode(blobs)[there], shapely.force_2d(np.array(shapes, dtype=object)[there]), 0).all()


values = st.one_of(
    st.none(),
    st.booleans(),
    st.integers(-(2**53), 2**53),
    st.floats(allow_nan=False, allow_infinity=False),
    st.text(max_size=20),
)


@settings(deadline=None, max_examples=examples(40))
@given(st.lists(values, min_size=1, max_size=8))
def test_values_survive(column):
    connection = sqlite3.connect(":memory:", isolation_level=None)
    geopackage.create(connection)
    layer = Table(np.array([SHAPES["point"]] * len(column), dtype=object), {"v": column})
    geopackage.write_table(connection, "things", layer, "Things")
    back = geopackage.read_table(connection, "things").columns["v"]
    for before, after in zip(column, back, strict=True):
        if isinstance(before, float | int) and isinstance(after, float | int):
            assert math.isclose(before, after, rel_tol=1e-12)
        elif before is None:
            assert after is None
        else:
            words = str(before).lower() if isinstance(before, bool) else str(before)
            same_number = isinstance(before, float) and isinstance(after, str) and float(after) == before
            assert str(after) == words or same_number


def test_field_names_are_made_fit_and_told_apart(package):
    columns = {"Name": ["a"], "name": ["b"], "fid": [7], "geom": ["x"], 'a"b:c': [1], "": [2]}
    back = written(package, Table(np.array([SHAPES["point"]], dtype=object), columns))
    assert [back.columns[key] for key in back.columns][1:] == [["a"], ["b"], [7], ["x"], [1], [2]]
    assert len({key.lower() for key in back.columns}) == 7


@pytest.mark.parametrize("name", ["Robert'); DROP TABLE things", "1st", "with space", "UPPER", "", "x" * 80])
def test_names_that_cannot_be_tables_are_refused(package, name):
    with pytest.raises(AwlError, match="cannot name a layer"):
        geopackage.write_table(package, name, Table(np.array([SHAPES["point"]], dtype=object), {}), "Things")


def test_a_table_is_replaced_whole_with_its_index(package):
    many = Table(shapely.points(np.arange(50.0), np.zeros(50)), {"n": list(range(50))})
    written(package, many)
    back = written(package, many.take([3, 4]))
    assert back.columns["n"] == [3, 4]
    assert package.execute('SELECT count(*) FROM "rtree_things_geom"').fetchone() == (2,)
    assert package.execute("SELECT count(*) FROM gpkg_contents").fetchone() == (1,)
    geopackage.drop_table(package, "things")
    names = {row[0] for row in package.execute("SELECT name FROM sqlite_master")}
    assert not {name for name in names if "things" in name}


def test_boxes_and_pages(package):
    layer = Table(shapely.points(np.arange(20.0), np.zeros(20)), {"n": list(range(20))})
    written(package, layer)
    assert geopackage.read_table(package, "things", bbox=(4.5, -1, 9, 1)).columns["n"] == [5, 6, 7, 8, 9]
    assert geopackage.count(package, "things", bbox=(4.5, -1, 9, 1)) == 5
    page = geopackage.read_table(package, "things", limit=3, offset=18)
    assert page.columns["n"] == [18, 19] and page.columns["fid"] == [19, 20]
    assert geopackage.read_table(package, "things", ("n > ?", [17])).columns["n"] == [18, 19]
    assert geopackage.read_table(package, "things", bbox=(100, 0, 101, 1), fields=["n"]).columns == {"fid": [], "n": []}


def test_the_index_follows_changes_made_by_other_programs(package):
    written(package, Table(shapely.points([0.0, 1.0], [0.0, 0.0]), {"n": [1, 2]}))
    moved = encode(np.array([shapely.Point(9, 9)], dtype=object))[0]
    package.execute("PRAGMA trusted_schema = ON")
    package.execute("UPDATE things SET geom = ? WHERE fid = 1", (moved,))
    package.execute("DELETE FROM things WHERE fid = 2")
    package.execute("INSERT INTO things (fid, geom, n) VALUES (7, ?, 3)", (moved,))
    assert sorted(row[0] for row in package.execute('SELECT id FROM "rtree_things_geom" WHERE maxx > 8')) == [1, 7]
    assert package.execute("SELECT rtreecheck('rtree_things_geom')").fetchone() == ("ok",)
