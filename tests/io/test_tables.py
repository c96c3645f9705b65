"""GeoJSON and CSV in and out."""

from __future__ import annotations

import csv
import io
import json
import math

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st

from awl.core.columns import Categorical
from awl.core.errors import AwlError
from awl.io import csv_table, geojson
from awl.io.place_tables import read as read_points
from awl.io.table import Table


def feature(geometry, **properties):
    return {"type": "Feature", "properties": properties, "geometry": geometry}


POINT = {"type": "Point", "coordinates": [-36.2, 41.3]}


def test_geojson_comes_back_as_it_was():
    document = {
        "type": "FeatureCollection",
        "features": [
            feature(POINT, name="Heron Baths", seats=60, open=True, share=0.25, none=None),
            feature({"type": "Point", "coordinates": [-36.19, 41.31]}, name="Star House", seats=70),
        ],
    }
    layer = geojson.from_document(document, "rooms")
    assert layer.kind == "point"
    again = geojson.collection(layer)
    assert again["features"][0] == document["features"][0]
    assert again["features"][1]["properties"]["share"] is None


BROKEN = {
    "list": ([1, 2], "not GeoJSON"),
    "other type": ({"type": "Topology"}, "not GeoJSON"),
    "no feature": ({"type": "FeatureCollection", "features": [{"type": "Point"}]}, "feature 1"),
    "bad coordinates": (
        {"type": "FeatureCollection", "features": [feature({"type": "Point", "coordinates": "x"})]},
        "broken",
    ),
    "short ring": (feature({"type": "Polygon", "coordinates": [[[0, 0], [1, 1]]]}), "broken"),
    "metres": (feature({"type": "Point", "coordinates": [512000, 4571000]}), "not degrees"),
    "stated metres": (
        {"type": "FeatureCollection", "features": [], "crs": {"properties": {"name": "Ferrow Grid"}}},
        "Ferrow Grid",
    ),
}


@pytest.mark.parametrize("kind", BROKEN)
def test_broken_geojson_is_told(kind):
    document, expected = BROKEN[kind]
    with pytest.raises(AwlError, match=expected):
        geojson.from_document(document, "zones.geojson")


def test_ten_thousand_fields_are_refused():
    document = {"type": "FeatureCollection", "features": [feature(POINT, **{f"f{i}": i for i in range(10_000)})]}
    with pytest.raises(AwlError, match="10,000 fields"):
        geojson.from_document(document, "wide.geojson")


def test_a_file_that_is_no_json(tmp_path):
    path = tmp_path / "zones.geojson"
    path.write_text('{"type": "FeatureCollection",\n "features": [}')
    with pytest.raises(AwlError, match=r"zones.geojson.*line 2"):
        geojson.read(path)


@given(
    st.lists(
        st.dictionaries(
            st.sampled_from(["a", "b", "c"]),
            st.one_of(st.none(), st.integers(), st.text(alphabet="xyz,\"'\n ")),
            min_size=1,
        ),
        max_size=12,
    )
)
def test_csv_reads_back(rows):
    read = list(csv.reader(io.StringIO(csv_table.of_table(Table.of_records(rows)).decode(), newline="")))
    assert len(read) == len(rows) + 1
    for row, cells in zip(rows, read[1:], strict=True):
        for name, cell in zip(read[0], cells, strict=True):
            assert cell == ("" if row.get(name) is None else str(row[name]))


def test_csv_never_hands_a_formula_to_a_spreadsheet():
    row = {"name": "=1+1", "x": -3, "y": math.nan, "oneway": "-1", "z": "-2+cmd"}
    assert csv_table.of_table(Table.of_records([row])).decode().splitlines()[1] == "'=1+1,-3,,-1,'-2+cmd"


def test_a_layer_as_csv_carries_wkt():
    layer = Table(np.array([shapely.Point(1, 2)]), {"name": ["Quay"]})
    assert csv_table.of_table(layer).decode().splitlines() == ["name,wkt", "Quay,POINT (1 2)"]


def test_points_from_csv(tmp_path):
    path = tmp_path / "rooms.csv"
    path.write_text(
        "name,Lon,LAT,code,seats\nStar House,-36.19,41.31,007,70\nHeron Baths,-36.2,41.3,008,\n", encoding="utf-8-sig"
    )
    layer = read_points(path, "rooms.csv")
    assert layer.columns == {"name": ["Star House", "Heron Baths"], "code": ["007", "008"], "seats": [70, None]}
    assert shapely.get_x(layer.geometry).tolist() == [-36.19, -36.2]


@pytest.mark.parametrize(
    ("text", "expected"),
    [("name,east\na,1\n", "names no coordinates"), ("lon,lat\n1,x\n", "line 2"), ("lon,lat\n1\n", "line 2"),
     ("lon,lat\n500000,4571000\n", "not degrees"), ("lon,lat\nnan,1\n", "not degrees")],
)  # fmt: skip
def test_bad_csv(tmp_path, text, expected):
    path = tmp_path / "rooms.csv"
    path.write_text(text)
    with pytest.raises(AwlError, match=expected):
        read_points(path, "rooms.csv")


@given(st.lists(st.one_of(st.none(), st.sampled_from(["road", "path", "steps"]))))
def test_a_text_column_is_its_texts(texts):
    column = Categorical.of(texts)
    assert column.decode() == texts
    assert column.isin(("road", "nowhere")).tolist() == [text == "road" for text in texts]
    assert column.present().tolist() == [text is not None for text in texts]
    assert column.lookup(range(len(column.values)), -5).tolist() == [
        -5 if t is None else column.values.index(t) for t in texts
    ]


def test_documents_hold_no_nan():
    assert json.loads(geojson.dumps({"a": np.float64(math.nan), "b": np.arange(2)})) == {"a": None, "b": [0, 1]}


def test_cells_of_a_csv_are_written_as_they_are_however_often_they_recur():
    columns = {"mixed": [1, True, 1.0, None], "text": ["=1", "a", "=1", "-2"], "gap": np.array([0.5, np.nan, 0.5, 2.0])}
    lines = csv_table.write_columns(columns | {"nested": [[1], None, [1], {"a": 1}]}).splitlines()
    assert lines == ["mixed,text,gap,nested", "1,'=1,0.5,[1]", "True,a,,", "1.0,'=1,0.5,[1]", ",-2,2.0,{'a': 1}"]
