"""Layers and rasters as they come: keys, faults, places far away, rasters that do not cover the streets."""

from __future__ import annotations

import json

import numpy as np
import pytest
import rasterio
from rasterio.transform import from_origin

from awl.core.errors import AwlError
from awl.questions.run import ask
from awl.study import importing
from awl.study.importing import ReadOptions


def collection(path, *features):
    path.write_text(json.dumps({"type": "FeatureCollection", "features": list(features)}))
    return path


def square(x, y, size=0.002, **properties):
    ring = [[x, y], [x + size, y], [x + size, y + size], [x, y + size], [x, y]]
    return {"type": "Feature", "properties": properties, "geometry": {"type": "Polygon", "coordinates": [ring]}}


def bow_tie(x, y, **properties):
    ring = [[x, y], [x + 0.004, y], [x, y + 0.002], [x + 0.003, y + 0.003], [x, y]]
    return {"type": "Feature", "properties": properties, "geometry": {"type": "Polygon", "coordinates": [ring]}}


def entry(study, ident):
    return next(layer for layer in study.layers() if layer["id"] == ident)


def test_the_key_of_zones_reaches_tables_and_matrices(own_study, tmp_path):
    path = collection(
        tmp_path / "w.geojson", square(-36.2, 41.29, ward="N7", people=5), square(-36.197, 41.29, ward="S2", people=9)
    )
    importing.add(path, own_study, how=ReadOptions(key="ward"))
    assert entry(own_study, "w")["key"] == "ward"
    rows = ask(own_study, "matrix", {"from": "w", "to": "cool_rooms"}).part("rows").records()
    assert {row["origin_id"] for row in rows} == {"N7", "S2"}
    inputs = {"zones": "w", "places": "cool_rooms", "fields": "people", "limits": 5}
    zones = ask(own_study, "access", inputs).document()["zones"]["features"]
    assert [zone["properties"]["zone_id"] for zone in zones] == ["N7", "S2"]
    own_study.set_layer_key("w", "people")
    assert own_study.read_layer("w").ids == [5, 9]
    with pytest.raises(AwlError, match="no field 'wrad'"):
        own_study.set_layer_key("w", "wrad")
    own_study.set_layer_title("w", "Wards")
    assert entry(own_study, "w")["title"] == "Wards" and entry(own_study, "w")["key"] == "people"


def test_repaired_polygons_and_faulty_features_are_said(own_study, tmp_path):
    beyond = square(-36.2, 141.29)
    path = collection(tmp_path / "z.geojson", square(-36.2, 41.29, name="a"), bow_tie(-36.2, 41.292, name="b"), beyond)
    importing.add(path, own_study)
    notes = entry(own_study, "z")["notes"]
    assert notes["left_out"] == 1 and notes["left_out_named"][0].startswith("feature 3: Its coordinates lie nowhere")
    assert notes["repaired"] == 1 and notes["repaired_named"][0].startswith("feature 2: its area is")
    assert own_study.read_layer("z").kind == "polygon"
    with pytest.raises(AwlError, match="feature 3"):
        importing.add(path, own_study, how=ReadOptions(strict=True))


def test_a_layer_far_away_is_asked_about(own_study, tmp_path):
    path = collection(tmp_path / "far.geojson", square(7.4, 43.7, name="a"))
    with pytest.raises(AwlError, match=r"lies 3,\d\d\d km from the streets.*--anywhere") as raised:
        importing.add(path, own_study)
    assert raised.value.kind == "far-away" and all(layer["id"] != "far" for layer in own_study.layers())
    assert importing.add(path, own_study, how=ReadOptions(anywhere=True)) == "far"


def heights(path, west, north, columns=60, rows=60, cell=0.0002):
    with rasterio.open(
        path, "w", driver="GTiff", width=columns, height=rows, count=1, dtype="float32", crs="EPSG:4326",
        transform=from_origin(west, north, cell, cell),
    ) as out:  # fmt: skip
        out.write(np.linspace(0, 80, rows * columns, dtype=np.float32).reshape(1, rows, columns))
    return path


def test_elevation_says_what_it_covers(own_study, tmp_path):
    inputs = {"places": "cool_rooms", "limits": [3]}
    importing.add(heights(tmp_path / "elevation.tif", -20, 41.3), own_study)
    assert own_study.raster_notes("elevation") == ["It covers no street."] and own_study.heights is None
    assert any(
        "Slope does not count: the elevation 'elevation' covers no street" in line
        for line in ask(own_study, "isochrone", inputs).method
    )
    own_study.drop_layer("elevation")
    importing.add(heights(tmp_path / "part_dem.tif", -36.2085, 41.2968), own_study)
    answer = ask(own_study, "isochrone", inputs)
    assert (
        "elevation-partial" in {doubt.code for doubt in answer.doubts}
        and "% of the street nodes" in own_study.raster_notes("part_dem")[0]
    )
    importing.add(heights(tmp_path / "other_dem.tif", -36.3, 41.4, 400, 900), own_study)
    assert own_study.raster_notes("other_dem")[-1].startswith("It is not used: heights come from 'part_dem'")


def test_a_raster_of_slopes_is_no_elevation(own_study, tmp_path):
    path = heights(tmp_path / "slope_percent.tif", -36.3, 41.4)
    with pytest.raises(AwlError, match="derived from elevation"):
        importing.add(path, own_study)
    assert importing.add(path, own_study, role="elevation") == "slope_percent"
