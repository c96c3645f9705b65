"""Answers as files open in independent readers and hold what the answer holds."""

from __future__ import annotations

import csv
import io
import json
import sqlite3
from xml.etree import ElementTree

import h5py
import openpyxl
import pyogrio
import pytest
from pyarrow import parquet

from awl.core.errors import AwlError
from awl.io.dictionary import data_dictionary
from awl.questions.files import kept_bytes, table_bytes
from awl.questions.run import ask


@pytest.fixture(scope="module")
def matrix(study):
    return ask(study, "matrix", {"from": {"layer": "zones"}, "to": {"layer": "cool_rooms"}}).document()


@pytest.fixture(scope="module")
def reach(study):
    return ask(study, "isochrone", {"places": {"layer": "cool_rooms"}, "limits": [4, 8], "merge": "bands"}).document()


def test_a_matrix_as_parquet_and_omx(matrix):
    table = parquet.read_table(io.BytesIO(kept_bytes(matrix, None, "parquet", "here"))).to_pylist()
    assert table == matrix["rows"]
    with h5py.File(io.BytesIO(kept_bytes(matrix, "rows", "omx", "here"))) as file:
        assert file.attrs["OMX_VERSION"] == b"0.2"
        rows, columns = (list(file["lookup"][name][:]) for name in ("origin", "destination"))
        assert tuple(file.attrs["SHAPE"]) == file["data/duration_s"].shape == (len(rows), len(columns))

        def named(ident):
            return ident if isinstance(ident, int) else str(ident).encode()

        for row in matrix["rows"]:
            at = rows.index(named(row["origin_id"])), columns.index(named(row["destination_id"]))
            assert file["data/duration_s"][at] == row["duration_s"]
            assert file["data/distance_m"][at] == row["distance_m"]
        assert {name: data.attrs["unit"] for name, data in file["data"].items()} == {
            "distance_m": "m",
            "duration_s": "s",
        }


def test_areas_as_geopackage_and_geoparquet(reach, tmp_path):
    path = tmp_path / "answer.gpkg"
    path.write_bytes(kept_bytes(reach, None, "gpkg", "here"))
    layers = {name for name, _ in pyogrio.list_layers(path)}
    assert {"areas", "streets"} <= layers
    meta, _, shapes, _ = pyogrio.raw.read(path, layer="areas")
    assert len(shapes) == len(reach["areas"]["features"]) and meta["crs"] == "EPSG:4326"
    table = parquet.read_table(io.BytesIO(kept_bytes(reach, "areas", "parquet", "here")))
    about = json.loads(table.schema.metadata[b"geo"])
    assert about["version"] == "1.1.0" and about["columns"]["geometry"]["encoding"] == "WKB"
    assert table["limit"].to_pylist() == [f["properties"]["limit"] for f in reach["areas"]["features"]]


def test_access_opens_in_independent_readers_and_holds_what_the_answer_holds(study, tmp_path, other_reader):
    asked = {"places": {"layer": "cool_rooms"}, "zones": {"layer": "zones"}, "fields": ["population"], "limits": [4, 8]}
    document = ask(study, "access", {**asked, "measures": ["kth"], "against": {"mode": "cycle"}}).document()
    zones = [feature["properties"] for feature in document["zones"]["features"]]
    rows = list(csv.DictReader(io.StringIO(kept_bytes(document, "zones", "csv", "here").decode("utf-8-sig"))))
    assert [row["zone"] for row in rows] == [zone["zone"] for zone in zones]
    assert [float(row["population_within_4"]) for row in rows] == [zone["population_within_4"] for zone in zones]
    totals = list(csv.DictReader(io.StringIO(kept_bytes(document, "totals", "csv", "here").decode("utf-8-sig"))))
    assert float(totals[0]["change_within_8"]) == document["totals"][0]["change_within_8"]
    table = parquet.read_table(io.BytesIO(kept_bytes(document, "zones", "parquet", "here")))
    assert table["share_within_8"].to_pylist() == [zone["share_within_8"] for zone in zones]
    assert json.loads(table.schema.metadata[b"geo"])["columns"]["geometry"]["geometry_types"]
    shares = parquet.read_table(io.BytesIO(kept_bytes(document, "curves", "parquet", "here"))).to_pylist()
    assert shares == document["curves"]
    path = tmp_path / "access.gpkg"
    path.write_bytes(kept_bytes(document, None, "gpkg", "here"))
    assert {"zones", "places", "unserved"} <= {name for name, _ in pyogrio.list_layers(path)}
    meta, _, _, columns = pyogrio.raw.read(path, layer="zones")
    assert columns[list(meta["fields"]).index("zone")].tolist() == [zone["zone"] for zone in zones]
    (tmp_path / "dots.geojson").write_bytes(kept_bytes(document, "unserved", "geojson", "here"))
    assert other_reader().read_info(tmp_path / "dots.geojson")["features"] == len(document["unserved"]["features"])


def test_routes_as_gpx(study):
    answer = ask(
        study, "route", {"waypoints": [[-36.206, 41.2915], [-36.1935, 41.2905]], "measure": ["time", "distance"]}
    )
    document = answer.document()
    root = ElementTree.fromstring(kept_bytes(document, None, "gpx", "here"))
    space = {"g": "http://www.topografix.com/GPX/1/1"}
    tracks = root.findall("g:trk", space)
    assert root.get("version") == "1.1" and len(tracks) == 2
    points = [[float(p.get("lon")), float(p.get("lat"))] for p in tracks[0].iterfind(".//g:trkpt", space)]
    assert points == [
        [round(x, 7), round(y, 7)] for x, y in document["routes"]["features"][0]["geometry"]["coordinates"]
    ]


@pytest.mark.parametrize(
    ("part", "ending", "words"),
    [
        ("areas", "omx", "'areas' is no matrix"),
        ("areas", "gpx", "GPX holds lines"),
        ("none", "csv", "has no result 'none'"),
        ("view", "csv", "has no result 'view'"),
        ("schema", "csv", "has no result 'schema'"),
        (None, "pdf", "does not write"),
        (None, "", "has no ending"),
    ],
)
def test_what_cannot_be_written_is_said(reach, part, ending, words):
    with pytest.raises(AwlError, match=words):
        kept_bytes(reach, part, ending, "here")


# -- data dictionaries -----------------------------------------------------------------------------------------------------


@pytest.fixture(scope="module")
def people(study):
    inputs = {
        "zones": {"layer": "zones"},
        "places": {"layer": "cool_rooms"},
        "fields": ["population"],
        "limits": [4, 8],
    }
    return ask(study, "access", inputs)


def test_the_dictionary_says_of_each_field_what_it_holds(study, people):
    told = {row["field"]: row for row in data_dictionary(people.part("zones")).records()}
    assert set(told) == {*people.part("zones").columns, "geometry"}
    meaning = "people within, of population, at a limit of 8"
    assert told["population_within_8"] == {
        "field": "population_within_8", "type": "number", "unit": "people", "meaning": meaning,
    }  # fmt: skip
    assert told["zone"]["type"] == "text" and told["geometry"]["unit"] == "degrees"
    routes = data_dictionary(
        ask(study, "route", {"waypoints": [[-36.206, 41.2915], [-36.1935, 41.2905]]}).part("routes")
    )
    assert {row["field"]: row["type"] for row in routes.records()}["link_ids"] == "list or mapping, as JSON"


def test_files_carry_their_dictionary(people, tmp_path, other_reader):
    document = people.document()
    book = openpyxl.load_workbook(io.BytesIO(kept_bytes(document, "zones", "xlsx", "here")))
    assert book.sheetnames == ["Awl", "Fields"]
    rows = list(book["Fields"].values)
    assert rows[0] == ("field", "type", "unit", "meaning")
    assert [row[0] for row in rows[1:-1]] == list(document["zones"]["features"][0]["properties"])
    table = parquet.read_table(io.BytesIO(kept_bytes(document, "zones", "parquet", "here")))
    told = json.loads(table.schema.metadata[b"fields"])
    assert {row["field"]: row["unit"] for row in told}["mean_min"] == "min"
    path = tmp_path / "zones.gpkg"
    path.write_bytes(kept_bytes(document, "zones", "gpkg", "here"))
    with sqlite3.connect(path) as connection:
        described = dict(connection.execute("SELECT column_name, description FROM gpkg_data_columns"))
        extensions = connection.execute(
            "SELECT table_name FROM gpkg_extensions WHERE extension_name = 'gpkg_schema'"
        ).fetchall()
    assert described["population_within_8"] == "people within, of population, at a limit of 8, people"
    assert {name for (name,) in extensions} == {"gpkg_data_columns", "gpkg_data_column_constraints"}
    frame = other_reader().read_dataframe(path)
    assert len(frame) == len(people.part("zones"))


def test_a_dictionary_is_a_file_of_its_own(people):
    fields = data_dictionary(people.part("totals"))
    rows = list(csv.DictReader(io.StringIO(table_bytes(fields, "csv", "here").decode())))
    assert [row["field"] for row in rows] == list(people.part("totals").columns)
    assert json.loads(table_bytes(fields, "json", "here"))[0]["field"] == "field"
    with pytest.raises(AwlError, match="not written as gpkg"):
        table_bytes(fields, "gpkg", "here")
