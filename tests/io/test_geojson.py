"""GeoJSON both ways: what is written is read again, by us and by another reader."""

from __future__ import annotations

import json

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from awl.core.errors import AwlError
from awl.io import geojson, json_text
from awl.io.table import Column, Table

degrees = st.tuples(st.floats(-179, 179), st.floats(-89, 89))


@settings(deadline=None)
@given(
    st.lists(degrees, min_size=2, max_size=9),
    st.one_of(st.none(), st.text(max_size=9), st.integers(-(2**50), 2**50), st.booleans()),
)
def test_a_layer_survives_to_seven_decimals(points, value):
    shapes = np.array([shapely.Point(points[0]), shapely.LineString(points), None], dtype=object)
    layer = Table(shapes, {"v": [value] * 3})
    back = geojson.from_document(json.loads(geojson.dumps(geojson.collection(layer))), "made")
    assert back.columns == layer.columns and back.geometry[2] is None
    ours, theirs = (shapely.get_coordinates(shape) for shape in (back.geometry[:2], shapes[:2]))
    assert np.abs(ours - theirs).max() <= 5.1e-8


def test_another_reader_reads_it(tmp_path, other_reader):
    layer = Table(
        np.array([shapely.box(-36.2, 41.2, -36.1, 41.3)], dtype=object), {"name": ["Lorren"], "people": [812]}
    )
    (tmp_path / "z.geojson").write_bytes(geojson.dumps(geojson.collection(layer)))
    meta, _, wkb, fields = other_reader().raw.read(tmp_path / "z.geojson")
    assert meta["crs"] == "EPSG:4326" and shapely.from_wkb(wkb[0]).equals(layer.geometry[0])
    assert [column.tolist() for column in fields] == [["Lorren"], [812]]


@pytest.mark.parametrize(
    ("document", "count"),
    [
        ({"type": "Point", "coordinates": [1, 2]}, 1),
        ({"type": "Feature", "properties": None, "geometry": {"type": "Point", "coordinates": [1, 2]}}, 1),
        ({"type": "FeatureCollection", "features": []}, 0),
        (
            {
                "type": "FeatureCollection",
                "features": [{"type": "Feature", "id": 9, "properties": {}, "geometry": None}],
            },
            1,
        ),
    ],
)
def test_every_form_of_geojson(document, count):
    assert len(geojson.from_document(document, "made")) == count


def test_ids_and_nested_values_are_kept():
    feature = {
        "type": "Feature",
        "id": "R01",
        "properties": {"hours": {"mo": "8-20"}, "tags": [1, 2]},
        "geometry": None,
    }
    layer = geojson.from_document({"type": "FeatureCollection", "features": [feature]}, "made")
    assert layer.columns["id"] == ["R01"]
    assert json.loads(layer.columns["hours"][0]) == {"mo": "8-20"} and layer.columns["tags"] == ["[1, 2]"]


BAD = [
    ([1, 2], "not GeoJSON"),
    ({"type": "Topology"}, "not GeoJSON"),
    ({"type": "FeatureCollection", "features": [3]}, "feature 1.*not a GeoJSON feature"),
    (
        {"type": "FeatureCollection", "features": [{"type": "Feature", "geometry": {"type": "Point"}}]},
        "feature 1.*broken",
    ),
    ({"type": "Point", "coordinates": [512000.0, 4571000.0]}, "not degrees"),
    (
        {"type": "FeatureCollection", "crs": {"properties": {"name": "EPSG:99999"}}, "features": []},
        "'EPSG:99999' is not known",
    ),
]


@pytest.mark.parametrize(("document", "expected"), BAD)
def test_what_is_none_is_refused(document, expected):
    with pytest.raises(AwlError, match=f"(?s)made.*{expected}"):
        geojson.from_document(document, "made")


def test_numbers_of_numpy_and_absent_ones_become_json():
    text = geojson.dumps({"a": np.float64(1.5), "b": np.int32(3), "c": float("nan"), 4: np.array([1, 2])})
    assert json.loads(text) == {"a": 1.5, "b": 3, "c": None, "4": [1, 2]}


def ring(places):
    """A closed ring around its middle, however the places lie."""
    spread = [(place[0], place[1]) for place in places]
    return [*spread, spread[0]]


lines = st.lists(degrees, min_size=2, max_size=6)
rings = st.lists(degrees, min_size=3, max_size=6).map(ring)
polygons = st.builds(shapely.Polygon, rings, st.lists(rings, max_size=2))
shapes = st.one_of(
    st.none(),
    degrees.map(shapely.Point),
    lines.map(shapely.LineString),
    rings.map(shapely.LinearRing),
    polygons,
    st.lists(degrees, min_size=1, max_size=4).map(shapely.MultiPoint),
    st.lists(lines, min_size=1, max_size=3).map(shapely.MultiLineString),
    st.lists(polygons, min_size=1, max_size=3).map(shapely.MultiPolygon),
    st.builds(lambda line, point: shapely.GeometryCollection([shapely.LineString(line), shapely.Point(point)]), lines, degrees),
    degrees.map(lambda place: shapely.Point(*place, 12.5)),
    st.sampled_from(
        ("MULTIPOINT (EMPTY, (1 2))", "MULTILINESTRING (EMPTY, (1 2, 3 4))", "MULTIPOLYGON (EMPTY, ((1 2, 3 4, 5 2, 1 2)))")
    ).map(shapely.from_wkt),
    st.sampled_from([shapely.Polygon(), shapely.MultiPoint()]),
)  # fmt: skip


@settings(deadline=None, max_examples=200)
@given(st.lists(shapes, max_size=8))
def test_shapes_are_written_as_the_library_writes_them(given_shapes):
    table = Table(np.array([*given_shapes, None], dtype=object), {})
    written = json.loads(geojson.encoded(table))["features"]
    for feature, shape in zip(written, table.geometry, strict=True):
        if shape is None or shape.is_empty:
            assert feature["geometry"] is None
            continue
        rounded = shapely.transform(shape, lambda xyz: np.round(xyz, 7), include_z=shape.has_z)
        assert feature["geometry"] == json.loads(shapely.to_geojson(rounded))


values = st.one_of(
    st.lists(st.one_of(st.none(), st.text(max_size=6)), min_size=3, max_size=3),
    st.lists(st.one_of(st.none(), st.integers(-(2**53), 2**53)), min_size=3, max_size=3),
    st.lists(st.one_of(st.none(), st.floats()), min_size=3, max_size=3),
    st.lists(st.one_of(st.none(), st.booleans()), min_size=3, max_size=3),
    st.just([{"a": [1, "x,y"]}, None, [2, 3]]).map(Column.of_nested),
)


@settings(deadline=None, max_examples=200)
@given(st.dictionaries(st.text(max_size=5), values, min_size=1, max_size=4))
def test_rows_are_written_as_their_values_are(columns):
    table = Table(np.array([None] * 3, dtype=object), columns)
    assert json.loads(json_text.records(table)) == json.loads(geojson.dumps(table.records()))
    assert geojson.collection(table)["features"][1]["properties"] == json.loads(geojson.dumps(table.records()))[1]
