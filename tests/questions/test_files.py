"""Answers as files open in independent readers and hold what the answer holds."""

from __future__ import annotations

import csv
import io
import json
from xml.etree import ElementTree

import h5py
import pyogrio
import pytest
from pyarrow import parquet

from awl.core.errors import AwlError
from awl.questions.files import kept_bytes
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
