"""The question of centrality: weights, units and doubts; in blocks it is that of the whole."""

from __future__ import annotations

import math

import numpy as np
import pytest
from pyarrow import parquet
from pyproj import Geod

from awl.core.errors import AwlError
from awl.questions import batch
from awl.questions.run import ask
from tests.oracle import times_between
from tests.questions.test_trips import scattered, snapped

INDICES = ("reach", "gravity", "closeness", "betweenness", "straightness")


def places(study, count: int) -> dict:
    """Points strewn over the city, each with seats."""
    made = scattered(study, count, 3)
    for i, feature in enumerate(made["features"]):
        feature["properties"] = {"id": f"p{i}", "seats": 1 + i % 4}
    return made


def of(document: dict, field: str) -> np.ndarray:
    return np.array([math.nan if (v := f["properties"][field]) is None else v for f in document["places"]["features"]])


def test_indices_are_those_of_the_oracles_distances(study):
    given = places(study, 16)
    asked = {"places": given, "radius": 500, "weight": "seats", "beta": 0.004}
    result = ask(study, "centrality", asked).document()
    on_street = snapped(study, "walk", given)
    found = on_street.is_snapped
    metres = times_between(study.network("walk"), on_street, "distance")
    seats = np.array([f["properties"]["seats"] for f in given["features"]], float)
    near = (metres <= 500) & ~np.eye(16, dtype=bool)
    finite = np.where(near, metres, 0.0)
    assert of(result, "reach")[found] == pytest.approx((near @ seats)[found])
    assert of(result, "gravity")[found] == pytest.approx(((near * np.exp(-0.004 * finite)) @ seats)[found], rel=1e-4)
    total = (finite @ seats)[found]
    per_km = np.divide(1000, total, out=np.zeros(len(total)), where=total > 0)
    assert of(result, "closeness")[found] == pytest.approx(per_km, rel=1e-4)
    lon, lat = on_street.lon, on_street.lat
    crow = np.array(
        [Geod(ellps="WGS84").inv(np.full(16, x), np.full(16, y), lon, lat)[2] for x, y in zip(lon, lat, strict=True)]
    )
    straight = np.where(near, np.minimum(crow / np.where(near, metres, 1), 1), 0.0) @ seats
    assert of(result, "straightness")[found] == pytest.approx(straight[found], rel=2e-3)
    assert np.isnan(of(result, "reach")[~found]).all()
    # What passes all streets is as long as all trips together.
    length = sum(f["properties"]["trips"] * f["properties"]["length_m"] for f in result["streets"]["features"])
    assert length == pytest.approx(total.sum(), rel=1e-3)
    assert result["summary"]["places_alone"] == int((near.sum(axis=1)[found] == 0).sum())


def test_half_at_half_the_radius_and_minutes_where_time_counts(study):
    result = ask(study, "centrality", {"places": places(study, 30), "measure": "time", "radius": 8}).document()
    assert result["summary"]["beta_per_min"] == pytest.approx(math.log(2) / 4)
    reached = of(result, "reach") > 0
    assert (of(result, "mean_cost_min")[reached] <= 8).all()
    assert [column["unit"] for column in result["view"]["tables"][0]["columns"]][-1] == "min"


def test_only_the_indices_asked_for_come_back(study):
    result = ask(study, "centrality", {"places": {"layer": "cool_rooms"}, "indices": ["closeness"]}).document()
    assert "streets" not in result and "gravity" not in result["places"]["features"][0]["properties"]
    assert any(doubt["code"] == "closeness-of-few" for doubt in result["doubts"])


def test_places_at_one_point_have_no_closeness_to_each_other(study):
    spot = places(study, 1)["features"][0]
    asked = {"places": {"type": "FeatureCollection", "features": [spot, spot]}, "indices": ["closeness"], "radius": 50}
    result = ask(study, "centrality", asked).document()
    assert [feature["properties"]["closeness"] for feature in result["places"]["features"]] == [None, None]
    assert result["summary"]["mean_reach"] == 1 and sum(result["view"]["charts"][0]["series"][0]["values"]) == 0


@pytest.mark.parametrize(
    ("more", "words", "name"),
    [
        ({"radius": 0}, "not above zero", "radius"),
        ({"weight": "beds"}, "no field 'beds'", "weight"),
        ({"indices": []}, "at least 1", "indices"),
        ({"indices": ["fame"]}, "'reach'", "indices"),
        ({"beta": -1}, "greater than 0", "beta"),
    ],
)
def test_faulty_inputs_are_named(study, more, words, name):
    with pytest.raises(AwlError, match=words) as caught:
        ask(study, "centrality", {"places": {"layer": "cool_rooms"}, **more})
    assert name in caught.value.inputs


def test_blocks_add_up_to_the_whole(study, tmp_path):
    inputs = {"places": places(study, 60), "radius": 700}
    done = batch.run_batch(study, "centrality", inputs, tmp_path / "out", "local:2", block_rows=16)
    rows = parquet.read_table(tmp_path / "out").to_pylist()
    whole = ask(study, "centrality", inputs).document()
    assert done.files == 4 and done.rows == len(rows) >= 60
    for i, feature in enumerate(whole["places"]["features"], 1):
        mine = [row for row in rows if row["place_row"] == i]
        for name in INDICES:
            values = [row[name] for row in mine if row[name] is not None]
            expected = feature["properties"][name]
            if name != "betweenness":
                assert len(values) == (expected is not None)
            assert (sum(values) if values else None) == (
                None if expected is None else pytest.approx(expected, rel=1e-5)
            )
