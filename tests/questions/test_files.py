"""Answers as files open in independent readers and hold what the answer holds."""

from __future__ import annotations

import io
import json
from xml.etree import ElementTree

import h5py
import pyogrio
import pytest
from pyarrow import parquet

from awl.core.errors import AwlError
from awl.questions.files import part_bytes
from awl.questions.run import ask


@pytest.fixture(scope="module")
def matrix(study):
    return ask(study, "matrix", {"from": {"layer": "zones"}, "to": {"layer": "cool_rooms"}}).document()


@pytest.fixture(scope="module")
def reach(study):
    return ask(study, "isochrone", {"places": {"layer": "cool_rooms"}, "limits": [4, 8], "merge": "bands"}).document()


def test_a_matrix_as_parquet_and_omx(matrix):
    table = parquet.read_table(io.BytesIO(part_bytes(matrix, None, "parquet", "here"))).to_pylist()
    assert table == matrix["rows"]
    with h5py.File(io.BytesIO(part_bytes(matrix, "rows", "omx", "here"))) as file:
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
    path.write_bytes(part_bytes(reach, None, "gpkg", "here"))
    layers = {name for name, _ in pyogrio.list_layers(path)}
    assert {"areas", "streets"} <= layers
    meta, _, shapes, _ = pyogrio.raw.read(path, layer="areas")
    assert len(shapes) == len(reach["areas"]["features"]) and meta["crs"] == "EPSG:4326"
    table = parquet.read_table(io.BytesIO(part_bytes(reach, "areas", "parquet", "here")))
    about = json.loads(table.schema.metadata[b"geo"])
    assert about["version"] == "1.1.0" and about["columns"]["geometry"]["encoding"] == "WKB"
    assert table["limit"].to_pylist() == [f["properties"]["limit"] for f in reach["areas"]["features"]]


def test_routes_as_gpx(study):
    answer = ask(
        study, "route", {"waypoints": [[-36.206, 41.2915], [-36.1935, 41.2905]], "measure": ["time", "distance"]}
    )
    document = answer.document()
    root = ElementTree.fromstring(part_bytes(document, None, "gpx", "here"))
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
        (None, "pdf", "does not write"),
    ],
)
def test_what_cannot_be_written_is_said(reach, part, ending, words):
    with pytest.raises(AwlError, match=words):
        part_bytes(reach, part, ending, "here")
