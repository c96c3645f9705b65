"""Access of zones: people add up whatever the spread, and the further measures are those of a table of times."""

from __future__ import annotations

import json
import shutil

import numpy as np
import pytest
import rasterio
import shapely
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from awl.core.errors import AwlError
from awl.io import geojson, raster
from awl.io.table import Table
from awl.questions.run import ask
from awl.study import importing
from awl.study.study import Study
from tests.examples import examples
from tests.io.gtfs_files import feed_zip
from tests.oracle import homes_along_streets, sampled_homes
from tests.questions.test_nearby import boxes
from tests.questions.test_transit import FAST, STOPS

ROOMS, ZONES = {"layer": "cool_rooms"}, {"layer": "zones"}
BASE = {"places": ROOMS, "zones": ZONES, "fields": ["population", "age_65_plus"], "limits": [4, 8]}


@pytest.fixture(scope="module")
def houses(study):
    """Small boxes over the middle of the study, some of them not lived in."""
    rng = np.random.default_rng(5)
    centres = rng.uniform([-36.212, 41.284], [-36.19, 41.3], (600, 2)).tolist()
    uses = ["residential" if i % 4 else "industrial" for i in range(600)]
    return boxes(centres, 5e-5, use=uses, floors=[1 + i % 3 for i in range(600)])


@pytest.mark.parametrize("spread", ["streets", "area", "buildings"])
def test_people_add_up_to_the_last(study, houses, spread):
    more = {"buildings": houses} if spread == "buildings" else {}
    result = ask(study, "access", {**BASE, "spread": spread, **more}).document()
    people = geojson.from_document(result["zones"], "zones").columns
    for row in result["totals"]:
        assert row["within_8"] + row["beyond"] + row["not_placed"] == pytest.approx(row["total"], abs=0.2)
        assert row["total"] == pytest.approx(sum(people[row["field"]]), abs=0.2)
        assert row["within_8"] == pytest.approx(sum(people[f"{row['field']}_within_8"]), abs=1)
        assert 0 <= row["within_4"] <= row["within_8"] and row["beyond"] >= -0.2
    text = " ".join(result["method"])
    assert {"streets": "residential frontage", "area": "over the area", "buildings": "residential buildings"}[
        spread
    ] in text


@settings(max_examples=examples(25), deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.integers(0, 2**32 - 1), st.integers(1, 12), st.sampled_from(["streets", "area"]),
    st.sampled_from(["walk", "cycle", "drive"]), st.lists(st.integers(1, 30), min_size=1, max_size=4, unique=True),
)  # fmt: skip
def test_zones_are_parts_outside_and_unreachable_to_the_person(study, seed, count, spread, mode, limits):
    rng = np.random.default_rng(seed)
    # Zones anywhere: over one another, beyond the study area, without a street.
    corners = rng.uniform([-36.215, 41.28], [-36.185, 41.30], (count, 2))
    sizes = rng.uniform(1e-4, 8e-3, (count, 2))
    shapes = np.atleast_1d(shapely.box(*corners.T, *(corners + sizes).T))
    people = {"all": rng.integers(0, 3000, count).tolist(), "old": rng.uniform(0, 400, count).tolist()}
    asked = {
        "places": ROOMS,
        "zones": geojson.collection(Table(shapes, people)),
        "limits": sorted(limits),
        "mode": mode,
    }
    result = ask(study, "access", {**asked, "spread": spread, "snap": 200}).document()
    zones = [feature["properties"] for feature in result["zones"]["features"]]
    last = f"{max(limits)}"
    for row in result["totals"]:
        assert row["total"] == pytest.approx(sum(people[row["field"]]), abs=0.06)
        assert row[f"within_{last}"] + row["beyond"] + row["not_placed"] == pytest.approx(row["total"], abs=0.2)
        assert row["beyond"] >= -0.2 and row["not_placed"] >= -0.2
        for limit in limits:
            held = sum(zone[f"{row['field']}_within_{limit}"] for zone in zones)
            assert held == pytest.approx(row[f"within_{limit}"], abs=0.01 * count + 0.1)


def test_people_of_a_place_are_those_who_have_it_and_no_other(study):
    result = ask(study, "access", BASE).document()
    served = result["totals"][0]["within_8"]
    places = [feature["properties"] for feature in result["places"]["features"]]
    alone = sum(place["population_only_this"] for place in places)
    either = sum(place["population_within_8"] for place in places)
    for place in places:
        assert place["population_only_this"] + place["population_with_others"] == pytest.approx(
            place["population_within_8"], abs=0.2
        )
    # Everybody served is counted at least once, those with one place alone exactly once.
    assert alone <= served * 1.02 and either >= served * 0.98


def test_further_measures_rest_on_what_places_offer(study):
    asked = {**BASE, "weights": "seats", "measures": ["gravity", "two_step", "kth"], "k": 1}
    result = ask(study, "access", asked).document()
    zones = [feature["properties"] for feature in result["zones"]["features"]]
    plain = ask(study, "access", BASE).document()["zones"]["features"]
    for zone, former in zip(zones, plain, strict=True):
        assert zone["gravity"] >= 0 and zone["supply_per_1000"] >= 0
        mean, first = former["properties"]["mean_min"], zone["min_to_1_nearest"]
        assert (mean is None) == (first is None)
        if mean is not None:
            assert first == pytest.approx(mean, rel=0.02, abs=0.1)
    double = ask(study, "access", {**asked, "half": 20}).document()["zones"]["features"]
    assert all(b["properties"]["gravity"] >= a["gravity"] for a, b in zip(zones, double, strict=True))
    curves = {row["measure"]: row["gini"] for row in result["lorenz"]}
    assert set(curves) == {"gravity", "supply_per_1000"} and all(0 <= value <= 1 for value in curves.values())


@pytest.fixture(scope="module")
def sampled(study):
    """Minutes (spots, rooms) of an independent search, people at each spot, and the spots of each zone."""
    seconds, inside = sampled_homes(study)
    people = np.zeros(seconds.shape[1])
    for count, rows in zip(study.read_layer("zones").columns["population"], inside, strict=True):
        people[rows] += count / max(len(rows), 1)
    return seconds.T / 60, people, inside


def mean_over_people(result, sampled, name, value):
    """A measure's mean over all people: the answer's, from its zones, and that of an independent count at spots."""
    zones = [feature["properties"] for feature in result["zones"]["features"]]
    pairs = [(zone, rows) for zone, rows in zip(zones, sampled[2], strict=True) if len(rows) > 30]
    heads = np.array([zone["population"] for zone, _ in pairs])
    ours = np.array([zone[name] for zone, _ in pairs], float)
    theirs = np.array([value[rows].mean() for _, rows in pairs])
    assert np.corrcoef(ours, theirs)[0, 1] > 0.99
    return float(heads @ ours), float(heads @ theirs)


def test_every_measure_agrees_with_an_independent_search(study, sampled):
    minutes, people, _ = sampled
    seats = np.array(study.read_layer("cool_rooms").columns["seats"], float)
    asked = {**BASE, "fields": ["population"], "limits": [4, 6], "weights": "seats", "kind": "kind"}
    result = ask(study, "access", {**asked, "measures": ["gravity", "two_step", "kth"], "half": 5, "k": 2}).document()
    near = minutes <= 6
    kinds = np.array(study.read_layer("cool_rooms").columns["kind"])
    demand = people @ near
    supply = near @ np.where(demand > 0, seats / np.maximum(demand, 1e-9), 0)
    expected = {
        "places_within_6": near.sum(axis=1),
        "seats_within_6": near @ seats,
        f"places_{kinds[0]}_within_6": near[:, kinds == kinds[0]].sum(axis=1),
        "gravity": 0.5 ** (minutes / 5) @ seats,
        "supply_per_1000": 1000 * supply,
        "min_to_2_nearest": np.sort(minutes, axis=1)[:, 1],
        "mean_min": minutes.min(axis=1),
    }
    for name, value in expected.items():
        ours, theirs = mean_over_people(result, sampled, name, value)
        assert ours == pytest.approx(theirs, rel=0.03), name
    # A decay changes supply: the enhanced form.
    enhanced = ask(study, "access", {**asked, "measures": ["two_step"], "decay": "gaussian", "half": 5}).document()
    share = near * np.exp(-np.log(2) * (minutes / 5) ** 2)
    demand = people @ share
    supply = 1000 * share @ np.where(demand > 0, seats / np.maximum(demand, 1e-9), 0)
    ours, theirs = mean_over_people(enhanced, sampled, "supply_per_1000", supply)
    assert ours == pytest.approx(theirs, rel=0.03)


NAMES = ("origin_id", "destination_id", "duration_s")


def test_every_measure_by_public_transport_is_that_of_a_matrix(study_file, tmp_path):
    """A quick tram over the river, twice an hour: times of the matrix, which tests compare with searches among events."""
    path = tmp_path / "cut.gpkg"
    shutil.copy(study_file, path)
    study = Study(path)
    importing.add(feed_zip(tmp_path / "feed.zip", stops=STOPS, stop_times=FAST), study, "tram", "Tram")
    lon, lat, inside = homes_along_streets(study, 1000)
    homes, west = list(zip(lon.tolist(), lat.tolist(), strict=True)), [(-36.2062, 41.2920), (-36.2050, 41.2935)]
    riding = {"mode": "transit", "at": "2026-06-02T08:00", "window": 10, "percentile": 30}

    def minutes(**how):
        rows = ask(study, "matrix", {"from": west, "to": homes, **how}).part("rows").columns
        times = np.full((len(homes), len(west)), np.inf)
        for place, home, seconds in zip(*(rows[name].tolist() for name in NAMES), strict=True):
            times[home - 1, place - 1] = seconds / 60
        return times

    by_tram = minutes(**riding)
    assert (by_tram < minutes() - 0.1).mean() > 0.2, "many ride"
    further = {"measures": ["gravity", "kth"], "half": 5, "k": 2}
    asked = {"places": west, "zones": ZONES, "direction": "from", "fields": ["population"], "limits": [5, 10]}
    result = ask(study, "access", {**asked, **riding, **further}).document()
    expected = {
        "places_within_5": (by_tram <= 5).sum(axis=1),
        "places_within_10": (by_tram <= 10).sum(axis=1),
        "gravity": (0.5 ** (by_tram / 5)).sum(axis=1),
        "min_to_2_nearest": by_tram.max(axis=1),
        "mean_min": by_tram.min(axis=1),
    }
    for name, value in expected.items():
        ours, theirs = mean_over_people(result, (None, None, inside), name, value)
        assert ours == pytest.approx(theirs, rel=0.03), name


BRIDGE = {"type": "FeatureCollection", "features": [
    {"type": "Feature", "properties": {"name": "Footbridge"}, "geometry": {"type": "Point", "coordinates": [-36.19872, 41.29135]}}
]}  # fmt: skip


def test_a_run_set_against_another_holds_what_both_hold_alone(study):
    both = ask(study, "access", {**BASE, "against": {"closures": BRIDGE}}).document()
    alone = ask(study, "access", {**BASE, "closures": BRIDGE}).document()
    for row, closed in zip(both["totals"], alone["totals"], strict=True):
        assert row["other_within_8"] == pytest.approx(closed["within_8"], abs=1)
        assert row["change_within_8"] == pytest.approx(closed["within_8"] - row["within_8"], abs=1)
        assert row["change_within_8"] <= 0
    for zone, closed in zip(both["zones"]["features"], alone["zones"]["features"], strict=True):
        mine, theirs = zone["properties"], closed["properties"]
        assert mine["other_share_within_4"] == pytest.approx(theirs["share_within_4"], abs=0.2)
        assert mine["change_mean_min"] is None or mine["change_mean_min"] >= -0.01
    assert (
        both["title"].endswith("against the same with Footbridge closed")
        and "Footbridge closed" in both["figures"][1]["label"]
    )
    assert any("1 street link closed" in doubt["text"] for doubt in both["doubts"])
    assert both["view"]["charts"][0]["series"][-1]["label"] == "population, other run"


def test_other_modes_hours_and_places_can_be_set_against(study):
    faster = ask(study, "access", {**BASE, "against": {"mode": "cycle"}}).document()["totals"][0]
    assert faster["change_within_4"] > 0
    fewer = ask(study, "access", {**BASE, "against": {"places": {**ROOMS, "where": "seats > 60"}}}).document()
    assert fewer["totals"][0]["change_within_8"] < 0
    same = ask(study, "access", {**BASE, "at": "2026-06-03T08:00", "against": {"at": None}}).document()
    assert "in free flow" in same["title"] and same["totals"][0]["change_within_8"] == pytest.approx(0, abs=1)


def test_the_best_candidates_gain_what_adding_them_gains(study):
    rooms = study.read_layer("cool_rooms")
    points = [[x, y] for x, y in shapely.get_coordinates(rooms.geometry).tolist()]
    named = [
        {"type": "Feature", "properties": {"name": f"R{i}"}, "geometry": {"type": "Point", "coordinates": at}}
        for i, at in enumerate(points)
    ]
    given, hopes = ({"type": "FeatureCollection", "features": part} for part in (named[:1], named[1:]))
    asked = {**BASE, "fields": ["population"], "places": given}
    result = ask(study, "access", {**asked, "candidates": hopes, "choose": 1}).document()
    best = result["choices"][0]
    chosen = best["candidates"].split(", ")
    assert chosen == [f["properties"]["name"] for f in result["candidates"]["features"] if f["properties"]["chosen"]]
    added = {
        "type": "FeatureCollection",
        "features": [*named[:1], *(f for f in named if f["properties"]["name"] in chosen)],
    }
    more = ask(study, "access", {**asked, "places": added}).document()
    # The middle limit of two is the second. Gains are counted at homes, totals along streets.
    gained = more["totals"][0]["within_8"] - result["totals"][0]["within_8"]
    assert best["gained"] == pytest.approx(gained, rel=0.03, abs=20)
    assert result["summary"]["best_candidates"] == best["candidates"] and "best 1 of 2" in result["figures"][1]["label"]
    alone = [f["properties"]["gained_alone"] for f in result["candidates"]["features"]]
    assert max(alone) <= best["gained"] + 1


def test_what_zones_have_near_and_what_they_lack(study):
    result = ask(study, "access", BASE).document()
    zones = {f["properties"]["zone"]: f["properties"] for f in result["zones"]["features"]}
    for row in result["near"]:
        assert 0 < row["minutes"] <= 8 and 0 < row["share"] <= 100.1
    named = [row["zone"] for row in result["near"]]
    assert all(named.count(zone) <= 3 for zone in zones)
    for row in result["curves"]:
        shares = [value for key, value in row.items() if key != "zone"]
        assert shares == sorted(shares) and len(shares) == 31
        assert row["within_8"] == pytest.approx(zones[row["zone"]]["share_within_8"] or 0, abs=0.11)
    dots = result["unserved"]["features"]
    beyond = result["totals"][0]["beyond"]
    assert sum(dot["properties"]["people"] for dot in dots) == pytest.approx(beyond, rel=0.05, abs=10)
    over = result["totals"][0]
    assert over["overstated_8"] == pytest.approx(over["straight_8"] - over["within_8"], abs=0.11)
    assert sum(zone["overstated_8"] for zone in zones.values()) == pytest.approx(over["overstated_8"], abs=1)
    assert over["between_4_8"] == pytest.approx(over["within_8"] - over["within_4"], abs=0.11)
    assert over["ratio_within_4"] == 1 and result["view"]["charts"][1]["x"]["values"] == ["population", "age 65 plus"]
    nearest = sum(f["properties"]["population_nearest"] for f in result["places"]["features"])
    assert nearest == pytest.approx(over["within_8"], rel=0.03)


def test_squares_of_a_population_raster_stand_for_zones(own_study, tmp_path):
    path, side = tmp_path / "people.tif", 0.001
    values = np.zeros((12, 20), np.float32)
    values[2:10, 2:18] = np.random.default_rng(3).integers(0, 40, (8, 16))
    with rasterio.open(
        path, "w", driver="GTiff", width=20, height=12, count=1, dtype="float32", crs="EPSG:4326",
        transform=rasterio.transform.from_origin(-36.2085, 41.2968, side, side),
    ) as file:  # fmt: skip
        file.write(values, 1)
    own_study.add_raster("people", "People", "population", path.name, raster.read(path, path.name), path)
    result = ask(own_study, "access", {"places": ROOMS, "limits": [4, 8]}).document()
    row = result["totals"][0]
    assert row["field"] == "population" and row["total"] == pytest.approx(values.sum(), rel=1e-3)
    assert row["within_8"] + row["beyond"] + row["not_placed"] == pytest.approx(row["total"], abs=0.3)
    assert 0 < row["within_4"] < row["within_8"]
    assert all(f["properties"]["zone"].startswith("square ") for f in result["zones"]["features"])


@pytest.mark.parametrize(
    ("more", "words"),
    [
        ({"zones": None}, "no population raster.*Give zones"),
        ({"kind": "colour"}, "no field 'colour'"),
        ({"against": {"mode": "fly"}}, "no mode 'fly'"),
        ({"against": {"speed": 3}}, "against"),
        ({"candidates": {"layer": "nowhere"}}, "no layer 'nowhere'"),
        ({"choose": 0}, "choose"),
        ({"spread": "grid"}, "no population raster"),
        ({"spread": "buildings"}, "no layer of buildings"),
        ({"weights": "colour"}, "no field 'colour'"),
        ({"weights": "name"}, "no number"),
        ({"measures": ["kth"], "k": 0}, "k"),
        ({"half": -1}, "half"),
    ],
)
def test_what_cannot_be_is_said(study, more, words):
    with pytest.raises(AwlError, match=words):
        ask(study, "access", {**BASE, **more})


@pytest.mark.parametrize("question", ["access", "catchment"])
def test_zones_without_a_value_are_named_and_count_as_none(study, question):
    layer = study.read_layer("zones")
    shapes = [json.loads(shapely.to_geojson(shape)) for shape in layer.geometry[:3]]

    def total(values):
        features = [
            {"type": "Feature", "properties": {"name": f"Z{i}", "pop": value}, "geometry": shape}
            for i, (value, shape) in enumerate(zip(values, shapes, strict=True))
        ]
        zones = {"type": "FeatureCollection", "features": features}
        limits = {"limits": [10]} if question == "access" else {}
        given = {"zones": zones, "fields": ["pop"], "places": {"layer": "cool_rooms"}}
        answer = ask(study, question, given | limits)
        texts = [doubt.text for doubt in answer.doubts if doubt.code == "zones-without-value"]
        people = answer.summary["totals"][0]["total"] if question == "access" else answer.summary["pop_total"]
        return people, texts

    assert total([100, None, 50]) == (150, ["1 zone has no value in 'pop' and counts as 0: Z1."])
    assert total([100, 0, 50]) == (150, [])
    assert total([100, None, None])[1] == ["2 zones have no value in 'pop' and count as 0: Z1, Z2."]
