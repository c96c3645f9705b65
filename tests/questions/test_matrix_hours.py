"""A matrix, and reach, through the day: at each hour what is answered when asked at that hour."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from awl.core.errors import AwlError
from awl.io.table import Table
from awl.questions.context import Context
from awl.questions.matrix import by_hour
from awl.questions.route.inputs import RouteInputs
from awl.questions.route.run import _found
from awl.questions.route.waypoints import waypoints
from awl.questions.run import ask
from awl.study import importing
from awl.study.study import Study
from tests.conftest import node, osm, way

ROOMS, ZONES = {"layer": "cool_rooms"}, {"layer": "zones"}
BASE = {"from": ZONES, "to": ROOMS, "mode": "drive", "at": "2026-06-03T08:00"}
HOURS = [3, 7, 8, 12, 17]


def closed_at(*at: float):
    point = {"type": "Point", "coordinates": at}
    return {"type": "FeatureCollection", "features": [{"type": "Feature", "properties": {}, "geometry": point}]}


SPOT, BY_GATE = closed_at(-36.2, 41.291), closed_at(-36.199, 41.302)


def times(rows, name="duration_s"):
    return {(row["origin_id"], row["destination_id"]): row[name] for row in rows}


@pytest.mark.parametrize("closed", [False, True])
def test_every_hour_is_what_is_answered_at_that_hour(study, closed):
    inputs = {**BASE, "closures": SPOT} if closed else BASE
    document = ask(study, "matrix", {**inputs, "hours": HOURS}).document()
    assert times(document["rows"]) == times(document["rows"], "duration_s_08")
    for hour in HOURS:
        alone = ask(study, "matrix", {**inputs, "at": f"2026-06-03T{hour:02}:00"}).document()
        assert times(document["rows"], f"duration_s_{hour:02}") == times(alone["rows"])
        mean = document["summary"]["mean_duration_min_by_hour"][str(hour)]
        assert mean == pytest.approx(alone["summary"]["mean_duration_min"], abs=0.006)
    chart = document["view"]["charts"][0]
    slowest = max(HOURS, key=lambda hour: document["summary"]["mean_duration_min_by_hour"][str(hour)])
    assert f"at {slowest}:00, the slowest" in document["figures"][1]["label"]
    assert chart["x"]["values"] == [f"{hour}:00" for hour in HOURS]
    assert [column["field"] for column in document["view"]["tables"][0]["columns"]].count("duration_s_17") == 1
    assert max(chart["series"][0]["values"]) > 1.1 * min(chart["series"][0]["values"])


REACH = {"places": ROOMS, "mode": "drive", "at": "2026-06-03T08:00", "limits": [1, 2]}


@pytest.mark.parametrize("direction", ["from", "to"])
def test_reach_at_every_hour_is_what_is_answered_at_that_hour(study, direction):
    document = ask(study, "isochrone", {**REACH, "direction": direction, "hours": HOURS}).document()
    rows = document["by_hour"]
    assert [row["hour"] for row in rows] == [f"{hour}:00" for hour in HOURS]
    for hour, row in zip(HOURS, rows, strict=True):
        alone = ask(study, "isochrone", {**REACH, "direction": direction, "at": f"2026-06-03T{hour:02}:00"}).document()
        assert [row["street_km_1"], row["street_km_2"]] == alone["summary"]["street_km"]
    steady = {
        name: min(row[name] for row in rows) / max(row[name] for row in rows) for name in ("street_km_1", "street_km_2")
    }
    name = min(steady, key=lambda one: steady[one])
    fewest = min(rows, key=lambda row: row[name])
    assert document["figures"][-1]["label"] == f"within {name[-1]} min at {fewest['hour']}, the least"
    assert document["figures"][-1]["value"] == pytest.approx(fewest[name], abs=0.05)
    assert document["view"]["charts"][0]["series"][0]["values"] == [row[name] for row in rows]
    assert [chart["name"] for chart in document["view"]["charts"]] == ["By hour", "By minute"]
    assert document["view"]["tables"][1]["part"] == "by_hour"


def test_reach_through_the_day_needs_a_day_and_places_alike(study):
    with pytest.raises(AwlError, match="Hours need a day"):
        ask(study, "isochrone", {**REACH, "at": None, "hours": [8]})
    with pytest.raises(AwlError, match="hours of their own"):
        ask(study, "isochrone", {**REACH, "hours": [8], "differs": [{"where": "seats > 60", "add_minutes": 3}]})


@pytest.mark.parametrize(
    ("inputs", "words"),
    [
        ({"hours": [8], "at": None}, "Hours need a day"),
        ({"hours": [8], "measure": "distance"}, "same at every hour"),
        ({"hours": [24]}, "hours"),
        ({"hours": list(range(17))}, "hours"),
    ],
)
def test_hours_that_say_nothing_are_refused(study, inputs, words):
    with pytest.raises(AwlError, match=words):
        ask(study, "matrix", {**BASE, **inputs})


def test_means_are_over_pairs_that_have_a_way_at_every_hour():
    assert by_hour.mean_minutes(np.array([[60.0, 600.0], [120.0, np.nan]])) == [1.0, 2.0]
    assert by_hour.mean_minutes(np.array([[np.nan], [60.0]])) == [None, None]


def test_reach_that_hours_do_not_change_is_said_to_be_the_same_at_all_of_them(study):
    document = ask(
        study, "isochrone", {"places": ROOMS, "mode": "walk", "at": REACH["at"], "limits": [2], "hours": [3, 8]}
    )
    figure = document.document()["figures"][-1]
    assert figure["label"] == "within 2 min at all of these hours"
    assert figure["value"] == pytest.approx(document.document()["summary"]["street_km"][0], abs=0.05)


def with_gate(tmp_path, hours):
    """A study of one footway with a gate in its middle, and a longer way round."""
    body = node(1, -36.2, 41.3) + node(2, -36.199, 41.3, barrier="gate", opening_hours=hours)
    body += node(3, -36.198, 41.3) + node(4, -36.199, 41.302)
    body += way(1, [1, 2, 3], highway="footway") + way(2, [1, 4, 3], highway="footway")
    (tmp_path / "gate.osm").write_text(osm(body))
    importing.build(tmp_path / "gate.osm", tmp_path / "gate.gpkg")
    study = Study(tmp_path / "gate.gpkg")
    ends = Table(shapely.points([-36.1998, -36.1982], 41.3), {"name": ["west", "east"]})
    study.add_layer("ends", ends, "Ends", "places", "ends.geojson")
    return study


@pytest.fixture
def gated(tmp_path):
    """A study whose gate is shut at night."""
    return with_gate(tmp_path, "Mo-Su 07:00-21:00")


@pytest.mark.parametrize(
    ("hours", "unread"), [("Mo-Su 07:00-21:00", 0), ("sunrise-sunset", 1), ("Mo-Fr 07:00-21:00; PH off", 1)]
)
def test_hours_that_are_not_understood_are_told_with_their_gate(tmp_path, hours, unread):
    study = with_gate(tmp_path, hours)
    asked = {"from": {"layer": "ends"}, "to": {"layer": "ends"}, "mode": "walk"}
    doubts = ask(study, "matrix", {**asked, "at": "2026-06-03T12:00"}).document()["doubts"]
    told = [doubt for doubt in doubts if doubt["code"] == "hours-unread"]
    assert len(told) == unread
    if unread:
        assert told[0]["count"] == 1 and "Hours of 1 gate are not understood" in told[0]["text"]
        assert told[0]["where"] == [{"name": "Gate", "note": hours, "at": [-36.199, 41.3]}]
    in_free_flow = ask(study, "matrix", asked).document()["doubts"]
    assert not [doubt for doubt in in_free_flow if doubt["code"] == "hours-unread"], "no hour, nothing that binds"


def test_a_gate_shut_at_night_is_told_and_makes_the_way_longer_at_that_hour_alone(gated):
    asked = {"from": {"layer": "ends"}, "to": {"layer": "ends"}, "mode": "walk", "at": "2026-06-03T12:00"}
    through = ask(gated, "matrix", {**asked, "hours": [6, 12, 23]}).document()
    for hour, counts in ((6, [1]), (12, []), (23, [1])):
        alone = ask(gated, "matrix", {**asked, "at": f"2026-06-03T{hour:02}:00"}).document()
        assert times(through["rows"], f"duration_s_{hour:02}") == times(alone["rows"])
        assert [doubt["count"] for doubt in alone["doubts"] if doubt["code"] == "gates-shut"] == counts
    across = {hour: times(through["rows"], f"duration_s_{hour:02}")[1, 2] for hour in (6, 12, 23)}
    assert across[6] == across[23] > 2 * across[12]


@pytest.mark.parametrize(
    ("at", "closures", "because"),
    [
        (None, None, "one-way streets or gaps cut"),
        ("2026-06-03T23:00", None, "gates shut at this hour, one-way streets or gaps cut"),
        ("2026-06-03T23:00", BY_GATE, "gates shut at this hour or the closures cut"),
        (None, BY_GATE, ": the closures cut"),
    ],
)
def test_no_way_names_what_may_cut_it(gated, at, closures, because):
    ends = [[-36.1998, 41.3], [-36.1982, 41.3]]
    context = Context(gated, RouteInputs(waypoints=ends, mode="walk", at=at, closures=closures))
    with pytest.raises(AwlError, match=f"{because} every way"):
        _found(context, waypoints(RouteInputs(waypoints=ends), context), 0, None)
