"""Many trips at once against the oracle, one by one, and what becomes of those that cannot be made."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from awl.core.errors import AwlError
from awl.questions.run import ask
from tests.oracle import times_between
from tests.questions.test_questions import points

ROOMS, ZONES = {"layer": "cool_rooms"}, {"layer": "zones"}
FAR_OFF = [-36.9, 41.9]


def document(study, **inputs):
    return ask(study, "trips", inputs).document()


def snapped(study, mode, collection):
    xy = np.array([f["geometry"]["coordinates"] for f in collection["features"]])
    return study.snapper(mode).snap(xy[:, 0], xy[:, 1], 100)


def scattered(study, count, seed, **more):
    """Points near streets of the study, with ids."""
    graph, rng = study.graph, np.random.default_rng(seed)
    nodes = rng.choice(graph.node_count, count, replace=False)
    made = points(*np.column_stack([graph.node_lon[nodes], graph.node_lat[nodes]]).round(6).tolist())
    for i, feature in enumerate(made["features"]):
        feature["properties"] = {"id": f"p{i}", **more}
    return made


@pytest.mark.parametrize("mode", ["walk", "drive"])
@pytest.mark.parametrize("measure", ["time", "distance"])
def test_each_trip_costs_what_the_oracle_says(study, mode, measure):
    a, b = scattered(study, 9, 1), scattered(study, 7, 2)
    result = document(study, **{"from": a, "to": b}, pairing="each", mode=mode, measure=measure)
    both = {"type": "FeatureCollection", "features": a["features"] + b["features"]}
    network = study.network(mode)
    oracle = times_between(network, snapped(study, mode, both), measure)[:9, 9:]
    field = "duration_s" if measure == "time" else "distance_m"
    found = np.full(oracle.shape, np.inf)
    for row in result["trips"]:
        found[int(row["origin_id"][1:]), int(row["destination_id"][1:])] = row[field]
    reached = np.isfinite(oracle)
    assert np.allclose(found[reached], oracle[reached], atol=0.06) and np.isinf(found[~reached]).all()
    assert len(result["trips"]) + len(result["unreachable"]["features"]) == 63


def test_each_goes_to_the_nearest(study):
    result = document(study, **{"from": ZONES, "to": ROOMS})
    every = ask(study, "matrix", {"from": ZONES, "to": ROOMS}).document()["rows"]
    for row in result["trips"]:
        mine = [pair["duration_s"] for pair in every if pair["origin_id"] == row["origin_id"]]
        assert row["duration_s"] == pytest.approx(min(mine), abs=0.002)


def test_load_is_the_sum_of_the_single_routes(study):
    a, b = scattered(study, 6, 3), scattered(study, 6, 4)
    result = document(study, **{"from": a, "to": b}, pairing="id", mode="cycle")
    summed: dict[int, int] = {}
    length = 0.0
    for one, other in zip(a["features"], b["features"], strict=True):
        ends = [one["geometry"]["coordinates"], other["geometry"]["coordinates"]]
        route = ask(study, "route", {"waypoints": ends, "mode": "cycle"}).document()["routes"]["features"][0][
            "properties"
        ]
        length += route["distance_m"]
        for link in route["link_ids"]:
            summed[link] = summed.get(link, 0) + 1
    load = {f["properties"]["link_id"]: f["properties"]["trips"] for f in result["load"]["features"]}
    assert load == summed
    for feature in result["load"]["features"]:
        own = feature["properties"]
        assert own["trips"] == own["trips_along"] + own["trips_against"]
    assert sum(row["distance_m"] for row in result["trips"]) == pytest.approx(length, abs=0.6)
    usable = int(study.network("cycle").usable.sum())
    assert len(result["untouched"]["features"]) + len(load) == usable
    for path, row in zip(result["paths"]["features"], result["trips"], strict=True):
        assert path["properties"]["trip"] == row["trip"]
        line = np.array(path["geometry"]["coordinates"])
        start = snapped(study, "cycle", points(a["features"][row["origin_row"]]["geometry"]["coordinates"]))
        assert np.allclose(line[0], [start.lon[0], start.lat[0]], atol=1e-5)


def test_a_line_is_a_trip_over_its_vertices(study):
    stops = [f["geometry"]["coordinates"] for f in scattered(study, 3, 8)["features"]]
    line = {"type": "Feature", "properties": {"id": "tour"}, "geometry": {"type": "LineString", "coordinates": stops}}
    result = document(study, lines=line)
    route = ask(study, "route", {"waypoints": stops}).document()["routes"]["features"][0]
    (row,) = result["trips"]
    assert row["origin_id"] == "tour"
    assert row["duration_s"] == pytest.approx(route["properties"]["duration_s"], abs=0.06)
    assert len(result["paths"]["features"]) == 1


def test_trips_that_cannot_be_made_keep_their_attributes_and_say_why(study):
    far = scattered(study, 3, 5, house="Blue")
    far["features"][1]["geometry"]["coordinates"] = FAR_OFF
    far["features"].append({"type": "Feature", "properties": {"id": "none"}, "geometry": None})
    result = document(study, **{"from": far, "to": ROOMS})
    (lost,) = result["unreachable"]["features"]
    assert lost["geometry"] is None and lost["properties"]["house"] == "Blue"
    assert "outside the study area" in lost["properties"]["reason"]
    (bad,) = result["invalid"]
    assert bad["reason"] == "it has no geometry" and bad["feature"] == 4
    assert {"trips-unreachable", "features-invalid"} <= {doubt["code"] for doubt in result["doubts"]}


def test_closures_are_a_reason(study):
    a, b = scattered(study, 1, 11), scattered(study, 1, 12)
    home = a["features"][0]["geometry"]["coordinates"]
    ring = shapely.geometry.mapping(shapely.box(home[0] - 1e-3, home[1] - 1e-3, home[0] + 1e-3, home[1] + 1e-3))
    result = document(study, **{"from": a, "to": b}, closures=ring, snap=500)
    reasons = [feature["properties"]["reason"] for feature in result["unreachable"]["features"]]
    assert result["trips"] or any("closures" in reason or "street" in reason for reason in reasons)


def test_a_sample_is_spread_evenly(study):
    result = document(study, **{"from": ZONES, "to": ROOMS}, pairing="each", most=20)
    assert result["summary"]["trips"] == 20 and "trips-sampled" in {doubt["code"] for doubt in result["doubts"]}
    assert len({row["origin_id"] for row in result["trips"]}) > 5


@pytest.mark.parametrize(
    ("inputs", "words"),
    [
        ({}, "'from' and 'to', or 'lines'"),
        ({"from": ZONES}, "'from' and 'to', or 'lines'"),
        ({"from": ZONES, "to": ROOMS, "most": 0}, "most"),
        ({"from": ZONES, "to": ROOMS, "pairing": "id"}, "same id"),
        ({"lines": ROOMS}, "no line between two points"),
    ],
)
def test_bad_orders_are_refused(study, inputs, words):
    with pytest.raises(AwlError, match=words):
        ask(study, "trips", inputs)
