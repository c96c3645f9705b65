"""Questions by public transport, through every door: a small study, the command, the API, Python, and the scenario of Ferrow."""

from __future__ import annotations

import io
import json
import re
import shutil
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from click.testing import CliRunner

import awl
from awl.cli import main
from awl.core.errors import AwlError
from awl.core.geodesy import segment_lengths
from awl.core.modes.mode import SHIPPED
from awl.io import geojson
from awl.io.gtfs import source, specification
from awl.questions.question import Answered
from awl.questions.run import ask
from awl.server.app import create_app
from awl.study import feeds, importing, modes, street_edits, what_ifs
from awl.study.study import Study
from awl.study.transit import Asked, transit_of
from tests.io.gtfs_files import FILES, feed_zip

FAST = (
    "trip_id,arrival_time,departure_time,stop_id,stop_sequence\n"
    "t1,8:05:00,8:05:00,p1,1\nt1,8:07:00,8:07:00,p3,2\n"
    "t2,8:35:00,8:35:00,p1,1\nt2,8:37:00,8:37:00,p3,2\n"
)
STOPS = "stop_id,stop_name,stop_lat,stop_lon\n"
STOPS += "p1,West Bank,41.2921,-36.2061\np2,Mid,41.2915,-36.1970\np3,East Bank,41.2912,-36.1912\n"
BASE: dict[str, Any] = {"mode": "transit", "at": "2026-06-02T08:00", "window": 30, "places": [[-36.2062, 41.2920]]}
EAST = [[-36.1911, 41.2911]]


@pytest.fixture
def place(tmp_path: Path, study_file: Path) -> Path:
    """The cut of Ferrow with a quick tram over the river, twice an hour."""
    path = tmp_path / "cut.gpkg"
    shutil.copy(study_file, path)
    importing.add(feed_zip(tmp_path / "feed.zip", stops=STOPS, stop_times=FAST), Study(path), "tram", "Tram")
    return path


def minutes(study: Study, **more: Any) -> float:
    """The time of the one pair of a matrix over the river."""
    inputs = {"mode": "transit", "at": "2026-06-02T08:00", "from": BASE["places"], "to": EAST, "snap": 300, **more}
    return float(ask(study, "matrix", inputs).part("rows").columns["duration_s"].numbers()[0]) / 60


def test_times_over_a_window_are_those_of_its_departures(place: Path) -> None:
    study = Study(place)
    on_foot = minutes(study, mode="walk", at=None)
    each = [minutes(study, at=f"2026-06-02T08:{minute:02}", window=1) for minute in range(30)]
    assert min(each) < 10 < on_foot and max(each) <= on_foot + 1e-9
    for percentile in (0, 25, 50, 90, 100):
        rank = max(int(np.ceil(percentile / 100 * 30)) - 1, 0)
        assert minutes(study, window=30, percentile=percentile) == pytest.approx(sorted(each)[rank])
    assert minutes(study, window=30, max_walk=0.01) == pytest.approx(on_foot)
    assert minutes(study, at="2026-06-02T12:00") == pytest.approx(on_foot)


def test_who_waits_at_most_so_long_at_a_change_walks_where_it_is_longer(tmp_path: Path, study_file: Path) -> None:
    """One alights at 8:07 at the stop in the middle, where the next leaves at 8:13; before the first ride any wait is allowed."""
    calls = "trip_id,arrival_time,departure_time,stop_id,stop_sequence\n"
    calls += "t1,8:05:00,8:05:00,p1,1\nt1,8:07:00,8:07:00,p2,2\nt2,8:13:00,8:13:00,p2,1\nt2,8:14:00,8:14:00,p3,2\n"
    trips = "route_id,service_id,trip_id\nr1,week,t1\nr1,week,t2\n"
    path = tmp_path / "cut.gpkg"
    shutil.copy(study_file, path)
    feed = feed_zip(tmp_path / "feed.zip", stops=STOPS, stop_times=calls, trips=trips)
    importing.add(feed, Study(path), "tram", "Tram")
    study, at = Study(path), {"at": "2026-06-02T08:00", "window": 1, "max_walk": 5}
    on_foot, riding = minutes(study, mode="walk", at=None), minutes(study, **at)
    assert 14 < riding < on_foot
    assert minutes(study, **at, max_wait=6) == riding
    assert minutes(study, **at, max_wait=3) == pytest.approx(on_foot)
    route = {"mode": "transit", **at, "waypoints": [*BASE["places"], *EAST], "snap": 300, "window": 5}
    kinds = {wait: ask(study, "route", {**route, "max_wait": wait}) for wait in (6, 3)}
    legs = {wait: [leg["kind"] for leg in answer.part("legs").records()] for wait, answer in kinds.items()}
    assert legs[6].count("ride") == 2 and legs[3] == ["walk"]
    assert any("with a wait of 3 min at most at each" in line for line in kinds[3].method)


def test_an_area_a_zone_and_a_catchment_agree_with_the_matrix(place: Path) -> None:
    study = Study(place)
    by_tram = ask(study, "isochrone", {**BASE, "limits": [8], "percentile": 10})
    on_foot = ask(study, "isochrone", {**BASE, "limits": [8], "mode": "walk", "at": None})
    assert by_tram.summary["area_km2"][0] > on_foot.summary["area_km2"][0]
    area = by_tram.part("areas").geometry[0]
    assert area.distance(importing.shapely.Point(EAST[0])) < 1e-4
    assert "each minute from 08:00 to 08:29, 30 departures" in " ".join(by_tram.method)
    zones = {
        **BASE,
        "direction": "from",
        "zones": {"layer": "zones"},
        "fields": ["population"],
        "limits": [8],
        "percentile": 10,
    }
    people = {
        mode: ask(study, "access", {**zones, "mode": mode, "at": BASE["at"]}).summary["totals"][0]["within_8"]
        for mode in ("transit", "walk")
    }
    assert people["transit"] > people["walk"] > 0
    catchment = ask(study, "catchment", {**BASE, "direction": "from", "limit": 8, "percentile": 10})
    assert catchment.summary["street_km"] == pytest.approx(by_tram.summary["street_km"][0], rel=1e-6)
    near = ask(study, "neighbours", {**BASE, "others": EAST, "limits": [8], "percentile": 10, "snap": 300})
    assert near.summary["mean_within_last"] == 1.0


@pytest.mark.parametrize("percentile", [0, 50, 100])
def test_latest_departures_are_those_of_the_timetable(place: Path, percentile: float) -> None:
    """Who must be there by 8:10, 8:11 ... takes the tram at 8:05; before it comes nobody does."""
    study = Study(place)
    asked = {**BASE, "others": BASE["places"], "places": EAST, "direction": "to", "percentile": percentile, "snap": 300}
    late = ask(study, "neighbours", {**asked, "at": "2026-06-02T08:12", "window": 1, "limits": [15]})
    early = ask(study, "neighbours", {**asked, "at": "2026-06-02T08:04", "window": 1, "limits": [15]})
    assert late.summary["mean_within_last"] == 1.0 and early.summary["mean_within_last"] == 0.0


def test_what_cannot_be_asked_says_so(place: Path, tmp_path: Path, study_file: Path) -> None:
    study = Study(place)
    for inputs, said in (
        ({**BASE, "at": None}, "needs a day and an hour"),
        ({**BASE, "at": "2026-06-03T08:00"}, "Nothing runs on Wednesday 3 June 2026"),
        ({**BASE, "measure": "distance", "limits": [500]}, "only time is counted"),
        ({**BASE, "hours": [9], "measure": "distance", "limits": [500]}, "the same at every hour"),
    ):
        with pytest.raises(AwlError, match=said):
            ask(study, "isochrone", inputs)
    with pytest.raises(AwlError, match="What stands along streets cannot be asked of public transport"):
        ask(
            study, "alongside", {"mode": "transit", "at": BASE["at"], "events": BASE["places"], "layers": ["buildings"]}
        )
    bent = {"type": "LineString", "coordinates": [BASE["places"][0], [-36.197, 41.2915], EAST[0]]}
    with pytest.raises(AwlError, match="a trip leads from one place to another"):
        ask(study, "trips", {"mode": "transit", "at": BASE["at"], "lines": bent, "snap": 300})
    with pytest.raises(AwlError, match="there is no betweenness and no straightness"):
        inputs = {"places": "zones", "measure": "time", "radius": 10, "indices": ["betweenness", "straightness"]}
        ask(study, "centrality", {"mode": "transit", "at": BASE["at"], **inputs})
    with pytest.raises(AwlError, match="from one point to another"):
        ask(
            study,
            "route",
            {"mode": "transit", "at": BASE["at"], "waypoints": [*BASE["places"], *EAST, *BASE["places"]]},
        )
    bare = tmp_path / "bare.gpkg"
    shutil.copy(study_file, bare)
    with pytest.raises(AwlError, match="The study has no timetable"):
        ask(Study(bare), "isochrone", BASE)


def test_a_mode_of_ones_own_uses_some_routes_alone(place: Path) -> None:
    study = Study(place)
    document = modes.document(SHIPPED["transit"])
    buses = {**document, "id": "buses", "title": "Buses", "transit": {**document["transit"], "routes": "kind = 'bus'"}}
    study.save_mode(modes.parsed(buses))
    trams = {**buses, "id": "trams", "transit": {**document["transit"], "routes": "kind = 'tram' AND name = '1'"}}
    study.save_mode(modes.parsed(trams))
    on_foot = minutes(study, mode="walk", at=None)
    assert minutes(study, mode="buses", percentile=0) == pytest.approx(on_foot)
    assert minutes(study, mode="trams", percentile=0) < on_foot
    closed = {**document, "id": "closed", "transit": {**document["transit"], "stops": "name <> 'East Bank'"}}
    study.save_mode(modes.parsed(closed))
    assert minutes(study, mode="closed", percentile=0) == pytest.approx(on_foot)
    broken = {**trams, "id": "odd", "transit": {**document["transit"], "routes": "kind = "}}
    study.save_mode(modes.parsed(broken))
    with pytest.raises(AwlError):
        minutes(study, mode="odd")


def seconds(clock: str) -> int:
    return sum(int(part) * unit for part, unit in zip(clock.split(":"), (3600, 60, 1), strict=True))


def test_the_next_departures_arrive_when_the_matrix_says_and_their_legs_follow_each_other(place: Path) -> None:
    study = Study(place)
    asked = {"mode": "transit", "at": "2026-06-02T08:00", "waypoints": [*BASE["places"], *EAST], "snap": 300}
    answer = ask(study, "route", {**asked, "window": 45})
    rows, legs = answer.part("itineraries").records(), answer.part("legs").records()
    assert [row["by"] for row in rows] == ["tram 1", "tram 1"] and answer.summary["itineraries"][0]["changes"] == 0
    for row in rows:
        own = [leg for leg in legs if leg["itinerary"] == row["itinerary"]]
        assert [leg["kind"] for leg in own] == ["walk", "ride", "walk"]
        assert (own[0]["departs"], own[-1]["arrives"]) == (row["departs"], row["arrives"])
        assert own[0]["to"] == own[1]["from"] == "West Bank" and own[1]["to"] == own[2]["from"] == "East Bank"
        assert own[1]["text"] == "Tram 1 to Hill, 1 stop" and own[1]["departs"] in ("08:05:00", "08:35:00")
        # A minute to spare at the stop, and not more.
        assert seconds(own[1]["departs"]) - seconds(own[0]["arrives"]) == 60
        minute = seconds(row["departs"]) // 60
        there = minutes(study, at=f"2026-06-02T{minute // 60:02}:{minute % 60:02}", window=1)
        assert abs(minute * 60 + there * 60 - seconds(row["arrives"])) < 2
    assert answer.summary["on_foot_min"] == pytest.approx(minutes(study, mode="walk", at=None), abs=0.1)
    told = " ".join(answer.method)
    assert "what leaves from 08:00 to 08:44" in told and "median" not in told
    assert not [doubt for doubt in answer.doubts if doubt.code == "time-alone"]
    both = ask(study, "route", {**asked, "measure": ["time", "distance"]})
    (doubt,) = [doubt for doubt in both.doubts if doubt.code == "time-alone"]
    assert doubt.text.endswith("of the least distance.")
    with pytest.raises(AwlError, match="only time is counted"):
        ask(study, "route", {**asked, "measure": "distance"})
    late = ask(study, "route", {**asked, "at": "2026-06-02T12:00"})
    assert [row["by"] for row in late.part("itineraries").records()] == ["on foot"]
    assert [leg["kind"] for leg in late.part("legs").records()] == ["walk"]


def test_the_first_departure_is_set_against_the_first_and_the_next_against_the_next(place: Path) -> None:
    study = Study(place)
    asked = {
        "mode": "transit",
        "at": "2026-06-02T08:00",
        "waypoints": [*BASE["places"], *EAST],
        "snap": 300,
        "window": 45,
    }
    other = {**asked, "max_walk": 4}
    answers = {}
    for name, inputs in (("a", asked), ("b", other)):
        answers[name] = Answered("route", inputs, ask(study, "route", inputs))
    rows = ask(study, "compare", {"answers": ["a", "b"]}, answered=answers).part("itineraries").records()
    each = [{row["itinerary"]: row for row in one.answer.part("itineraries").records()} for one in answers.values()]
    assert {row["itinerary"] for row in rows} == set(each[0]) | set(each[1])
    for row in rows:
        first, second = (one.get(row["itinerary"]) for one in each)
        if first and second:
            assert row["change_2_duration_min"] == pytest.approx(
                second["duration_min"] - first["duration_min"], abs=0.05
            )
            assert row["change_2_walk_min"] == pytest.approx(second["walk_min"] - first["walk_min"], abs=0.05)
        else:
            assert row["change_2_duration_min"] is None and row["standing"].startswith("only in")


def test_what_a_window_comes_to_is_told_side_by_side(place: Path) -> None:
    """The best, the median and the worst are those of single minutes, and so is how many of them are in time."""
    study = Study(place)
    asked = {"mode": "transit", "at": "2026-06-02T08:00", "window": 30, "from": BASE["places"], "to": EAST, "snap": 300}
    each = sorted(minutes(study, at=f"2026-06-02T08:{minute:02}", window=1) for minute in range(30))
    row = ask(study, "matrix", {**asked, "percentile": 90}).part("rows").records()[0]
    told = [row[name] / 60 for name in ("best_s", "median_s", "duration_s", "worst_s")]
    assert told == pytest.approx([each[0], each[14], each[26], each[29]], abs=1e-3)
    within = (each[0] + each[29]) / 2
    row = ask(study, "matrix", {**asked, "percentile": 0, "limit": within}).part("rows").records()[0]
    assert row["departures_percent"] == pytest.approx(100 * sum(one <= within for one in each) / 30, abs=0.05)
    assert row["worst_s"] is None

    single = {
        percentile: ask(study, "isochrone", {**BASE, "limits": [8], "percentile": percentile}).summary["street_km"]
        for percentile in (0, 50, 100)
    }
    summary = ask(study, "isochrone", {**BASE, "limits": [8], "percentile": 20}).summary
    assert [summary[f"street_km_{name}"] for name in ("best", "median", "worst")] == list(single.values())
    streets = ask(study, "isochrone", {**BASE, "limits": [8], "percentile": 0}).part("streets").columns
    often = streets["departures_percent"].numbers()
    assert often.min() > 0 and often.max() == 100 and (often < 50).any()

    zones = {**BASE, "zones": {"layer": "zones"}, "fields": ["population"], "limits": [8]}
    people = {
        percentile: ask(study, "access", {**zones, "percentile": percentile}).summary["totals"][0]
        for percentile in (0, 50, 100)
    }
    total = people[0]
    ends = {0: "best", 50: "median", 100: "worst"}
    assert all(total[f"{name}_within_8"] == people[of]["within_8"] for of, name in ends.items())
    minute = [
        ask(study, "access", {**zones, "at": f"2026-06-02T08:{m:02}", "window": 1}).summary["totals"][0]["within_8"]
        for m in range(30)
    ]
    assert total["departures_percent"] == pytest.approx(100 * sum(minute) / 30 / total["total"], rel=2e-3)


def test_further_hours_are_windows_of_their_own(place: Path) -> None:
    study = Study(place)
    hours = ask(study, "isochrone", {**BASE, "limits": [8], "percentile": 10, "hours": [8, 12]}).part("by_hour")
    at_noon = ask(study, "isochrone", {**BASE, "limits": [8], "percentile": 10, "at": "2026-06-02T12:00"})
    now = ask(study, "isochrone", {**BASE, "limits": [8], "percentile": 10}).summary["street_km"][0]
    assert hours.columns["street_km_8"].numbers() == pytest.approx([now, at_noon.summary["street_km"][0]], abs=2e-3)
    asked = {"mode": "transit", "at": "2026-06-02T08:00", "window": 30, "from": BASE["places"], "to": EAST, "snap": 300}
    row = ask(study, "matrix", {**asked, "percentile": 10, "hours": [8, 12]}).part("rows").records()[0]
    assert row["duration_s_08"] == row["duration_s"] < row["duration_s_12"]
    assert row["duration_s_12"] / 60 == pytest.approx(minutes(study, at="2026-06-02T12:00", window=30), abs=1e-3)


def test_trips_are_spread_over_all_departures_and_load_lines_and_stops(place: Path) -> None:
    study = Study(place)
    asked = {"mode": "transit", "at": "2026-06-02T08:00", "window": 30, "from": BASE["places"], "to": EAST, "snap": 300}
    answer = ask(study, "trips", asked)
    trip, each = (
        answer.part("trips").records()[0],
        sorted(minutes(study, at=f"2026-06-02T08:{minute:02}", window=1) for minute in range(30)),
    )
    told = [trip[name] for name in ("best_min", "duration_min", "worst_min")]
    assert told == pytest.approx([each[0], each[14], each[29]], abs=2e-3)
    on_foot = minutes(study, mode="walk", at=None)
    riding = sum(one < on_foot - 1e-6 for one in each) / 30
    assert 0 < riding < 1 and answer.summary["share_riding_percent"] == pytest.approx(100 * riding, abs=0.01)
    (segment,) = answer.part("segments").records()
    assert (segment["title"], segment["trips"]) == ("tram 1, West Bank to East Bank", pytest.approx(riding, abs=0.01))
    stops = {row["name"]: row for row in answer.part("stops").records()}
    assert stops["West Bank"]["boarding"] == stops["East Bank"]["alighting"] == pytest.approx(riding, abs=0.01)
    assert stops["West Bank"]["alighting"] == stops["East Bank"]["boarding"] == 0
    parts = trip["walk_min"] + trip["wait_min"] + trip["ride_min"]
    assert parts == pytest.approx(trip["duration_min"], abs=0.02)
    line = answer.part("paths").geometry[0]
    assert line.distance(importing.shapely.Point(BASE["places"][0])) < 1e-3
    assert line.distance(importing.shapely.Point(EAST[0])) < 1e-3
    # Who walks is on the streets: all of them near the start, whether they ride or not.
    assert answer.part("load").columns["trips"].numbers().max() == pytest.approx(1.0, abs=0.01)
    with pytest.raises(AwlError, match="only time is counted"):
        ask(study, "trips", {**asked, "pairing": "each", "measure": "distance"})
    noon = ask(study, "trips", {**asked, "at": "2026-06-02T12:00", "most": 1})
    assert (
        noon.part("trips").records()[0]["by"] == "on foot"
        and len(noon.part("segments")) == len(noon.part("stops")) == 0
    )
    assert "trips-sampled" in [doubt.code for doubt in noon.doubts]
    everyone = ask(study, "trips", {**asked, "from": "zones", "to": "zones", "pairing": "each", "most": 60})
    matrix = ask(study, "matrix", {**asked, "from": "zones", "to": "zones"}).part("rows").records()
    times = {(row["origin_id"], row["destination_id"]): row["duration_s"] for row in matrix}
    rows = everyone.part("trips").records()
    assert len(rows) > 5 and all(
        row["duration_s"] == pytest.approx(times[row["origin_id"], row["destination_id"]], abs=1e-3) for row in rows
    )


def test_some_places_go_by_car_and_others_by_public_transport(place: Path) -> None:
    study = Study(place)
    spots = [("West", BASE["places"][0]), ("East", EAST[0])]
    features = [
        {"type": "Feature", "properties": {"name": name}, "geometry": {"type": "Point", "coordinates": at}}
        for name, at in spots
    ]
    both = {"type": "FeatureCollection", "features": features}
    asked = {
        "mode": "drive",
        "at": BASE["at"],
        "window": 30,
        "percentile": 10,
        "limits": [8],
        "snap": 300,
        "places": both,
    }
    rule = [{"where": "name = 'West'", "mode": "transit"}]
    mixed = ask(study, "isochrone", {**asked, "differs": rule})
    alone = [
        ask(study, "isochrone", {**asked, "places": [at], "mode": mode}).part("areas").geometry[0]
        for mode, (_, at) in zip(("transit", "drive"), spots, strict=True)
    ]
    area = mixed.part("areas").geometry[0]
    assert area.symmetric_difference(alone[0].union(alone[1])).area < 1e-3 * area.area
    modes = mixed.part("places").columns["mode"].tolist()
    assert sorted(modes) == ["drive", "transit"] and any("By the timetable of" in note for note in mixed.method)


def test_centrality_by_time_equals_sums_over_a_matrix(place: Path) -> None:
    study = Study(place)
    asked = {"mode": "transit", "at": "2026-06-02T08:00", "window": 30, "percentile": 10}
    answer = ask(study, "centrality", {**asked, "places": "zones", "measure": "time", "radius": 12})
    rows = ask(study, "matrix", {**asked, "from": "zones", "to": "zones", "limit": 12}).part("rows").records()
    near = [row for row in rows if row["origin_id"] != row["destination_id"]]
    zones = answer.part("places").records()
    assert near and any(zone["reach"] for zone in zones)
    for zone in zones:
        own = [row["duration_s"] / 60 for row in near if row["origin_id"] == zone["id"]]
        assert zone["reach"] == len(own)
        if own:
            assert zone["mean_cost_min"] == pytest.approx(np.mean(own), rel=1e-4)
            assert zone["gravity"] == pytest.approx(np.exp(-np.log(2) / 6 * np.array(own)).sum(), rel=1e-4)
    (left_out,) = [doubt for doubt in answer.doubts if doubt.code == "indices-left-out"]
    assert "betweenness and straightness" in left_out.text


def test_trips_begin_by_bicycle_or_by_car_up_to_a_place_to_park(place: Path) -> None:
    """Too far from the tram to walk there in eight minutes, but not to ride."""
    study = Study(place)
    far, at = [[-36.2030, 41.2865]], {"at": "2026-06-02T08:00", "window": 40, "snap": 300, "max_walk": 8}
    spot = {"type": "Point", "coordinates": [-36.2050, 41.2915]}
    parking = {"type": "Feature", "properties": {"name": "Quay Lot"}, "geometry": spot}
    study.add_layer("lots", geojson.from_document(parking, "lots"), "Lots", "places", "test")
    rules = {"first_by": "cycle", "first_min": 15}
    what_ifs.save(study, {"title": "Bikes", "modes": {"transit": {"transit": rules}}})
    what_ifs.save(study, {"title": "Cars", "modes": {"transit": {"transit": {"first_by": "drive", "park_at": "lots"}}}})
    asked = {"mode": "transit", **at, "waypoints": [*far, *EAST]}
    assert {row["by"] for row in ask(study, "route", asked).part("itineraries").records()} == {"on foot"}
    for what_if, kinds, text in (
        ("bikes", ["first", "ride", "walk"], "Cycle to West Bank"),
        ("cars", ["first", "walk", "ride", "walk"], "Drive to Quay Lot"),
    ):
        answer = ask(study, "route", {**asked, "what_if": what_if})
        legs = [leg for leg in answer.part("legs").records() if leg["itinerary"] == 1]
        assert [leg["kind"] for leg in legs] == kinds and legs[0]["text"] == text
        for before, after in zip(legs, legs[1:], strict=False):
            assert before["to"] == after["from"] and before["arrives"] <= after["departs"]
        assert any("Trips may begin by the mode" in note for note in answer.method)
        near = {"mode": "transit", **at, "percentile": 10, "places": EAST, "others": far, "direction": "to"}
        took = answer.summary["itineraries"][0]["duration_min"]
        within = ask(study, "neighbours", {**near, "limits": [took + 1, 60], "what_if": what_if}).summary
        assert within["mean_within_last"] == 1.0
        from_east = {**at, "mode": "transit", "places": EAST, "direction": "to", "limits": [14], "percentile": 0}
        plain, wider = (ask(study, "isochrone", {**from_east, "what_if": one}) for one in (None, what_if))
        assert wider.summary["street_km"][0] > plain.summary["street_km"][0]
        trips = ask(
            study, "trips", {"mode": "transit", **at, "from": far, "to": EAST, "what_if": what_if, "percentile": 0}
        )
        (trip,) = trips.part("trips").records()
        assert trip["first_min"] > 0 and trip["by"] == "tram 1"
        parts = sum(trip[name] for name in ("first_min", "walk_min", "wait_min", "ride_min"))
        assert parts == pytest.approx(trip["duration_min"], abs=0.02)
        first = next(leg for leg in legs if leg["kind"] == "first")
        assert trip["first_min"] >= first["duration_min"] - 0.06
    what_ifs.save(study, {"title": "Round", "modes": {"transit": {"transit": {"first_by": "transit"}}}})
    with pytest.raises(AwlError, match="'transit' cannot lead to the first stop"):
        ask(study, "route", {**asked, "what_if": "round"})
    what_ifs.save(study, {"title": "Nowhere", "modes": {"transit": {"transit": {**rules, "park_at": "garages"}}}})
    with pytest.raises(AwlError, match="garages"):
        ask(study, "route", {**asked, "what_if": "nowhere"})


def test_a_line_is_closed_by_a_what_if(place: Path) -> None:
    study = Study(place)
    what_ifs.save(study, {"title": "No tram", "modes": {"transit": {"transit": {"routes": "kind <> 'tram'"}}}})
    asked = {**BASE, "others": EAST, "limits": [8], "percentile": 10, "snap": 300}
    assert ask(study, "neighbours", asked).summary["mean_within_last"] == 1.0
    assert ask(study, "neighbours", {**asked, "what_if": "no_tram"}).summary["mean_within_last"] == 0.0


NEW_LINE: dict[str, Any] = {
    "name": "9", "kind": "tram", "stops": [BASE["places"][0], EAST[0]], "every_min": 10, "first": "06:00", "last": "23:00",
    "kmh": 30,
}  # fmt: skip


def test_a_line_is_added_by_a_what_if_with_and_without_a_timetable(
    place: Path, tmp_path: Path, study_file: Path
) -> None:
    """From one place to another in the time that the drawn line takes, at its departures; conditions on the others still hold."""
    bare = tmp_path / "bare.gpkg"
    shutil.copy(study_file, bare)
    for study, more in (
        (Study(place), {"modes": {"transit": {"transit": {"routes": "kind = 'tram'"}}}}),
        (Study(bare), {}),
    ):
        what_ifs.save(study, {"title": "New tram", "lines": [NEW_LINE], **more})
        noon = {"at": "2026-06-02T12:00", "window": 30, "percentile": 0, "what_if": "new_tram", "mode": "transit"}
        answer = ask(study, "route", {**noon, "waypoints": [*BASE["places"], *EAST], "snap": 300})
        rows, legs = answer.part("itineraries").records(), answer.part("legs").records()
        assert {row["by"] for row in rows} == {"tram 9"} and len(rows) == 3
        rides = [leg for leg in legs if leg["kind"] == "ride"]
        assert all(leg["departs"][3:] in ("00:00", "10:00", "20:00", "30:00") for leg in rides)
        metres = metres_between(BASE["places"][0], EAST[0])
        assert rides[0]["duration_min"] == pytest.approx(metres / 30 * 3.6 / 60, abs=0.06)
        assert any("With tram 9 as drawn: 2 stops, every 10 min" in note for note in answer.method)
        back = ask(study, "route", {**noon, "waypoints": [*EAST, *BASE["places"]], "snap": 300})
        assert back.part("itineraries").records()[0]["by"] == "tram 9"
    study = Study(place)
    by = {
        row["by"]
        for row in ask(study, "route", {**asked_at("08:00"), "what_if": "new_tram"}).part("itineraries").records()
    }
    assert by == {"tram 1", "tram 9"}
    with pytest.raises(AwlError, match="Only edits of streets can be merged"):
        street_edits.merge(study, "new_tram")
    copied = what_ifs.copy(study, "new_tram", "Another tram")
    assert len(copied.lines) == 1 and copied.lines == what_ifs.what_if(study, "new_tram").lines
    one_way = {"title": "One way", "lines": [{**NEW_LINE, "both_ways": False, "days": "weekend"}]}
    what_ifs.save(study, one_way)
    for when, ends, told in (
        ("2026-06-02T12:00", [*BASE["places"], *EAST], "on foot"),
        ("2026-06-06T12:00", [*BASE["places"], *EAST], "tram 9"),
        ("2026-06-06T12:00", [*EAST, *BASE["places"]], "on foot"),
    ):
        inputs = {"mode": "transit", "at": when, "what_if": "one_way", "waypoints": ends, "snap": 300}
        assert ask(study, "route", inputs).part("itineraries").records()[0]["by"] == told


def metres_between(a: list[float], b: list[float]) -> float:
    ends = (np.array([value]) for value in (a[0], a[1], b[0], b[1]))
    return float(segment_lengths(*ends)[0])


def asked_at(clock: str) -> dict[str, Any]:
    return {
        "mode": "transit",
        "at": f"2026-06-02T{clock}",
        "waypoints": [*BASE["places"], *EAST],
        "snap": 300,
        "window": 40,
    }


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ({"stops": [[0, 0]]}, "2 to 200 stops"),
        ({"stops": [[0, 0], [0, 0]]}, "at the same place"),
        ({"stops": [[0, 91], [0, 0]]}, "nowhere on earth"),
        ({"stops": [["a", 0], [0, 0]]}, "pair of numbers"),
        ({"every_min": 0}, "'every_min' is no number"),
        ({"kmh": float("nan")}, "'kmh' is no number"),
        ({"kind": "rocket"}, "'rocket' is no kind of line"),
        ({"first": "25:99"}, "no time of day"),
        ({"first": "20:00", "last": "06:00"}, "before the first"),
        ({"days": "mondays"}, "'days' one word"),
        ({"colour": "red"}, "'colour' is no member"),
    ],
)
def test_a_bad_line_is_refused_and_nothing_kept(place: Path, line: dict[str, Any], said: str) -> None:
    study = Study(place)
    with pytest.raises(AwlError, match=said):
        what_ifs.save(study, {"title": "Bad", "lines": [{**NEW_LINE, **line}]})
    assert what_ifs.listed(study.reading) == []


def test_a_feed_is_kept_whole_and_its_arrays_can_go(place: Path) -> None:
    study = Study(place)
    known = feeds.feed_of(study)
    assert known is not None
    folder = place.with_suffix(".awl")
    (kept,) = folder.glob("feed-*")
    for again in ("mapped", "damaged", "gone"):
        if again == "damaged":
            (kept / "stop_times.arrival.npy").unlink()
            (kept / "stop_times.arrival.npy").write_bytes(b"nothing")
        if again == "gone":
            shutil.rmtree(kept)
        feed = feeds.feed_of(Study(place))
        assert feed is not None and feed.stops.name.tolist() == known.stops.name.tolist()
        assert np.array_equal(feed.stop_times.arrival, known.stop_times.arrival) and feed.first_day == known.first_day
        assert feed.timezone == known.timezone and feed.trips.id.tolist() == known.trips.id.tolist()
    feeds.drop(study, "tram")
    assert feeds.feed_of(study) is None and not [layer for layer in study.layers() if layer["role"] == "transit"]


def test_departures_by_hour_are_those_of_the_busier_direction(place: Path, tmp_path: Path) -> None:
    trips = FILES["trips.txt"] + "r1,week,t3,Quay,1,,1,1\n"
    times = FAST + "t3,9:00:00,9:00:00,p3,1\nt3,9:02:00,9:02:00,p1,2\n"
    often = "trip_id,start_time,end_time,headway_secs,exact_times\nt3,9:00:00,10:00:00,600,1\n"
    path = feed_zip(tmp_path / "often.zip", stops=STOPS, stop_times=times, trips=trips, frequencies=often)
    importing.add(path, Study(place), "often", "Often")
    (summary,) = [entry.summary for entry in feeds.listed(Study(place).reading) if entry.id == "often"]
    (counts,) = summary["departures"]["weekday"]
    assert {hour: count for hour, count in enumerate(counts) if count} == {8: 2, 9: 6}
    assert summary["lines"] == [{"route_id": "r1", "name": "1", "kind": "tram"}]


def test_a_bad_feed_leaves_the_study_as_it_was(place: Path, tmp_path: Path) -> None:
    study = Study(place)
    before = study.revision, [layer["id"] for layer in study.layers()]
    far = FILES["stops.txt"].replace("41.", "51.")
    for number, changed in enumerate(
        ({"stops": None}, {"trips": "route_id\n"}, {"stops": far, "stop_times": FILES["stop_times.txt"]})
    ):
        with pytest.raises(AwlError):
            importing.add(feed_zip(tmp_path / f"bad{number}.zip", **changed), study, "bad")
    assert (study.revision, [layer["id"] for layer in study.layers()]) == before


def test_command_and_api_and_python_give_one_answer(place: Path, tmp_path: Path) -> None:
    inputs = {**BASE, "limits": [8], "percentile": 10}
    expected = ask(Study(place), "isochrone", inputs).summary["area_km2"]
    file = tmp_path / "inputs.json"
    file.write_text(json.dumps(inputs))
    done = CliRunner().invoke(main, ["ask", "isochrone", "--study", str(place), "--inputs", str(file)])
    assert done.exit_code == 0, done.output
    assert json.loads(done.output)["summary"]["area_km2"] == expected
    api = create_app(place.parent).test_client()
    got = api.post("/studies/cut/processes/isochrone/execution", json={"inputs": inputs})
    assert got.status_code == 200 and got.get_json()["summary"]["area_km2"] == expected
    streets = awl.open_study(place).network("transit", at=BASE["at"])
    result = streets.isochrone(BASE["places"], minutes=[8], percentile=10, window=30)
    assert result.summary["area_km2"] == expected
    added = CliRunner().invoke(
        main, ["add", str(feed_zip(tmp_path / "again.zip")), "--study", str(place), "--as", "second"]
    )
    assert added.exit_code == 0 and "timetable, 1 routes (1 tram)" in added.output
    told = CliRunner().invoke(main, ["info", "--study", str(place)])
    assert "timetable  1 routes, 2 trips until 2026-06-14, from feed.zip" in told.output
    told = CliRunner().invoke(main, ["info", "--study", str(place), "--json"])
    assert [feed["id"] for feed in json.loads(told.output)["timetables"]] == ["tram", "second"]
    overview = api.get("/studies/cut/overview").get_json()
    assert [entry["id"] for entry in overview["timetables"]] == ["tram", "second"]
    assert overview["timetables"][0]["summary"]["typical_days"]["weekday"] == "2026-06-01"
    assert api.delete("/studies/cut/layers/second").status_code == 200
    assert [entry["id"] for entry in api.get("/studies/cut/overview").get_json()["timetables"]] == ["tram"]


def test_a_feed_is_looked_at_before_it_is_taken_in(place: Path, tmp_path: Path) -> None:
    api = create_app(place.parent).test_client()
    content = feed_zip(tmp_path / "seen.zip").read_bytes()
    seen = api.post(
        "/uploads?name=seen.zip&study=cut", data=content, content_type="application/octet-stream"
    ).get_json()
    assert (
        seen["kind"] == "timetable"
        and seen["timetable"]["trips"] == 2
        and seen["timetable"]["kinds"][0]["kind"] == "tram"
    )
    wanted = {"study": "cut", "layers": [{"name": None, "role": "transit"}]}
    job = api.post(f"/uploads/{seen['token']}/layers", json=wanted)
    assert job.status_code == 201


def _bomb() -> bytes:
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive, archive.open("stops.txt", "w") as out:
        for _ in range(80):
            out.write(b"0" * (1 << 20))
    return stream.getvalue()


@pytest.mark.parametrize(
    "spoilt",
    ["empty", "truncated", "bomb", "encoding", "no calendar", "no stops", "far away", "many rows"],
)
def test_a_hostile_feed_is_refused_at_the_door_and_nothing_lands(
    place: Path, tmp_path: Path, spoilt: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    whole = feed_zip(tmp_path / "whole.zip").read_bytes()
    latin = FILES["routes.txt"].replace("Quay", "Qu\u00e9y").encode("latin-1")
    wrong = io.BytesIO(feed_zip(tmp_path / "latin.zip", routes=None).read_bytes())
    with zipfile.ZipFile(wrong, "a") as archive:
        archive.writestr("routes.txt", latin)
    far = FILES["stops.txt"].replace("41.", "51.")
    content, said = {
        "empty": (b"", "empty|no file"),
        "truncated": (whole[: len(whole) // 2], "zip|archive|damaged|cannot be read"),
        "bomb": (_bomb(), "unpacks to more"),
        "encoding": (wrong.getvalue(), "not text in UTF-8"),
        "no calendar": (feed_zip(tmp_path / "a.zip", calendar=None, calendar_dates=None).read_bytes(), "calendar"),
        "no stops": (feed_zip(tmp_path / "b.zip", stops=None).read_bytes(), "stops.txt"),
        "far away": (feed_zip(tmp_path / "c.zip", stops=far).read_bytes(), "None of its stops"),
        "many rows": (whole, "more than 1 rows"),
    }[spoilt]
    if spoilt == "many rows":
        few = specification.FileFields(("stop_id",), specification.FILES["stops.txt"].optional, most_rows=1)
        monkeypatch.setitem(source.FILES, "stops.txt", few)
    before = place.read_bytes()
    api = create_app(place.parent).test_client()
    sent = api.post(f"/uploads?name=seen.zip&study={place.stem}", data=content, content_type="application/octet-stream")
    if sent.status_code == 201:
        # What only the study can tell is told when it is to be taken in.
        wanted = {"study": place.stem, "layers": [{"name": None, "role": "transit"}]}
        job = api.post(f"/uploads/{sent.get_json()['token']}/layers", json=wanted).get_json()
        while (status := api.get(f"/jobs/{job['jobID']}").get_json())["status"] in ("accepted", "running"):
            pass
        problem = status["problem"]["detail"]
        assert status["status"] == "failed"
    else:
        assert 400 <= sent.status_code < 500
        problem = sent.get_json()["detail"]
    assert re.search(said, problem), problem
    assert feeds.listed(Study(place).reading)[0].id == "tram" and place.read_bytes() == before


def test_stations_in_a_circle_are_told_and_the_feed_is_used(place: Path, tmp_path: Path) -> None:
    stops = "stop_id,stop_name,stop_lat,stop_lon,location_type,parent_station\n"
    stops += "p1,West Bank,41.2921,-36.2061,0,x\np3,East Bank,41.2912,-36.1912,0,\n"
    stops += "x,X,41.2921,-36.2061,1,y\ny,Y,41.2921,-36.2061,1,x\n"
    importing.add(feed_zip(tmp_path / "round.zip", stops=stops, stop_times=FAST), Study(place), "tram", "Tram")
    (entry,) = feeds.listed(Study(place).reading)
    assert [fault["code"] for fault in entry.summary["faults"] if fault["grade"] == "error"]
    assert minutes(Study(place), percentile=0, window=30) < 10


def test_stops_are_told_that_join_the_streets_and_that_are_too_far(place: Path, tmp_path: Path) -> None:
    client = create_app(place.parent).test_client()
    body = client.get(f"/studies/{place.stem}/timetables/stops").json
    assert (body["stops"], body["joined"], body["too_far"]["features"]) == (3, 3, [])
    assert 0 <= body["median_m"] <= body["most_m"] <= body["within_m"] == 100
    far = STOPS + "p4,Out at Sea,41.2700,-36.2000\n"
    importing.add(feed_zip(tmp_path / "far.zip", stops=far, stop_times=FAST), Study(place), "tram", "Tram")
    body = client.get(f"/studies/{place.stem}/timetables/stops?mode=transit").json
    (stop,) = body["too_far"]["features"]
    assert (body["joined"], stop["properties"]["name"]) == (3, "Out at Sea")
    on_wheels = client.get(f"/studies/{place.stem}/timetables/stops?mode=wheels").json
    assert (on_wheels["mode"], on_wheels["stops"]) == ("Walk with wheels", 4) and on_wheels["joined"] <= 3
    refused = client.get(f"/studies/{place.stem}/timetables/stops?mode=drive")
    assert refused.status_code == 400 and "neither walks nor rides" in refused.json["detail"]


def test_a_timetable_that_waits_tells_its_stops_before_it_is_used(place: Path, tmp_path: Path) -> None:
    client = create_app(place.parent).test_client()
    waiting = feed_zip(tmp_path / "far.zip", stops=STOPS + "p4,Out at Sea,41.2700,-36.2000\n", stop_times=FAST)
    octets = {"data": waiting.read_bytes(), "content_type": "application/octet-stream"}
    sent = client.post(f"/uploads?name=far.zip&study={place.stem}", **octets).json
    assert sent["timetable"]["bounds"] == [-36.2061, 41.27, -36.1912, 41.2921]
    drawn = client.get(f"/uploads/{sent['token']}/preview").json["features"]
    assert [one["geometry"]["type"] for one in drawn] == ["LineString", "Point", "Point", "Point", "Point"]
    body = client.get(f"/uploads/{sent['token']}/stops?study={place.stem}&mode=transit").json
    (stop,) = body["too_far"]["features"]
    assert (body["stops"], body["joined"], stop["properties"]["name"]) == (4, 3, "Out at Sea")
    assert client.get(f"/uploads/{sent['token']}/stops?study={place.stem}&mode=walk").json["joined"] == 3
    refused = client.get(f"/uploads/{sent['token']}/stops?study={place.stem}&mode=cycle")
    assert refused.status_code == 400 and "neither walks nor rides" in refused.json["detail"]
    assert client.get(f"/uploads/{sent['token']}/stops?study=nowhere").status_code == 404
    assert client.get(f"/studies/{place.stem}/timetables/stops").json["stops"] == 3


def test_a_check_tells_the_faults_of_timetables(place: Path, tmp_path: Path) -> None:
    backwards = FAST + "t3,8:10:00,8:10:00,p1,1\nt3,8:01:00,8:01:00,p3,2\n"
    trips = FILES["trips.txt"] + "r1,week,t3,Hill,0,b,1,1\n"
    stops = STOPS + "p4,Out There,41.3120,-36.2300\n"
    importing.add(
        feed_zip(tmp_path / "odd.zip", stops=stops, stop_times=backwards, trips=trips), Study(place), "tram", "Tram"
    )
    told = CliRunner().invoke(main, ["check", "--study", str(place)])
    assert told.exit_code == 1 and "Tram:" in told.output and "Travel backwards in time" in told.output
    assert "1  warning  Stop too far from any street" in told.output
    listed = json.loads(CliRunner().invoke(main, ["check", "--study", str(place), "--json"]).stdout)["features"]
    (fault,) = [one["properties"] for one in listed if one["properties"]["kind"] == "backwards"]
    assert fault["grade"] == "error" and fault["text"].startswith("stop_times.txt, line ")
    (far,) = [one for one in listed if one["properties"]["kind"] == "stop-far-from-street"]
    assert far["geometry"]["coordinates"] == [-36.23, 41.312] and "Out There lies" in far["properties"]["text"]


def test_walks_follow_closures_and_stops_too_far_from_streets_are_told(place: Path, tmp_path: Path) -> None:
    study = Study(place)
    lost = STOPS + "p4,Out There,41.3120,-36.2300\n"
    calls = FAST + "t1,8:20:00,8:20:00,p4,3\n"
    importing.add(feed_zip(tmp_path / "lost.zip", stops=lost, stop_times=calls), study, "tram", "Tram")
    answer = ask(study, "isochrone", {**BASE, "limits": [8], "percentile": 10})
    (doubt,) = [doubt for doubt in answer.doubts if doubt.code == "stops-far-from-street"]
    assert doubt.count == 1 and "Out There" in doubt.text
    transit = transit_of(study, "transit")
    asked = Asked(importing.np.datetime64("2026-06-02T08:00").astype(object), 1)
    router = study.router("transit", asked.when)
    assert transit.stops_on(router) is transit.stops_on(study.router("transit"))
    closed = np.zeros(router.network.graph.link_count, bool)
    closed[:100] = True
    assert transit.stops_on(router.on(router.network.with_closed(closed))) is not transit.stops_on(router)
