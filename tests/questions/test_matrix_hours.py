"""A matrix, and reach, through the day: at each hour what is answered when asked at that hour."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from awl.core.errors import AwlError
from awl.questions import matrix_hours
from awl.questions.run import ask

ROOMS, ZONES = {"layer": "cool_rooms"}, {"layer": "zones"}
BASE = {"from": ZONES, "to": ROOMS, "mode": "drive", "at": "2026-06-03T08:00"}
HOURS = [3, 7, 8, 12, 17]


def times(rows, name="duration_s"):
    return {(row["origin_id"], row["destination_id"]): row[name] for row in rows}


@pytest.mark.parametrize("closed", [False, True])
def test_every_hour_is_what_is_answered_at_that_hour(study, closed):
    spot = {"type": "Feature", "properties": {}, "geometry": {"type": "Point", "coordinates": [-36.2, 41.291]}}
    inputs = {**BASE, "closures": {"type": "FeatureCollection", "features": [spot]}} if closed else BASE
    document = ask(study, "matrix", {**inputs, "hours": HOURS}).document()
    assert times(document["rows"]) == times(document["rows"], "duration_s_08")
    for hour in HOURS:
        alone = ask(study, "matrix", {**inputs, "at": f"2026-06-03T{hour:02}:00"}).document()
        assert times(document["rows"], f"duration_s_{hour:02}") == times(alone["rows"])
        mean = document["summary"]["mean_duration_min_by_hour"][str(hour)]
        assert mean == pytest.approx(alone["summary"]["mean_duration_min"], abs=0.006)
    chart = document["chart"]
    slowest = max(HOURS, key=lambda hour: document["summary"]["mean_duration_min_by_hour"][str(hour)])
    assert f"at {slowest}:00, the slowest" in document["figures"][1]["label"]
    assert chart["x"]["values"] == [f"{hour}:00" for hour in HOURS]
    assert [column["field"] for column in document["table"]["columns"]].count("duration_s_17") == 1
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
    assert document["chart"]["series"][0]["values"] == [row[name] for row in rows]
    assert [chart["name"] for chart in (document["chart"], *document["charts"])] == ["By hour", "By minute"]
    assert document["tables"][0]["part"] == "by_hour"


def test_reach_through_the_day_needs_a_day_and_places_alike(study):
    with pytest.raises(AwlError, match="Hours need a day"):
        ask(study, "isochrone", {**REACH, "at": None, "hours": [8]})
    with pytest.raises(AwlError, match="hours of their own"):
        ask(study, "isochrone", {**REACH, "hours": [8], "differs": [{"where": "seats > 60", "add_minutes": 3}]})


def test_hours_whose_states_differ_are_searched_by_themselves(study, monkeypatch):
    wanted = times(ask(study, "matrix", {**BASE, "hours": [7]}).document()["rows"], "duration_s_07")
    asked = []

    plain = matrix_hours.matrix

    def alone(network, *places, **options):
        asked.append(network.when.hour)
        return plain(network, *places, **options)

    monkeypatch.setattr(matrix_hours, "matrix", alone)
    free, states = study.network("drive"), study.network("drive").states
    try:
        # As if another network stood for free flow: no hour shares its states.
        free.states = replace(states)
        rows = ask(study, "matrix", {**BASE, "hours": [7]}).document()["rows"]
    finally:
        free.states = states
    assert asked == [7] and times(rows, "duration_s_07") == wanted


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
    assert matrix_hours.mean_minutes(np.array([[60.0, 600.0], [120.0, np.nan]])) == [1.0, 2.0]
    assert matrix_hours.mean_minutes(np.array([[np.nan], [60.0]])) == [None, None]
