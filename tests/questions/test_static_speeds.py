"""Answers at an hour say that its speeds are frozen, and by how much; a route, which is timed by the clock, does not."""

from __future__ import annotations

import re

import pytest

from awl.questions.run import ask

ROOMS, ZONES = {"layer": "cool_rooms"}, {"layer": "zones"}
AT = "2026-06-03T08:00"
ASKED = [
    ("isochrone", {"places": ROOMS, "limits": [2, 4]}),
    ("isochrone", {"places": ROOMS, "limits": [2, 4], "direction": "to"}),
    ("catchment", {"places": ROOMS}),
    ("access", {"places": ROOMS, "zones": ZONES, "limits": [2, 4]}),
    ("matrix", {"from": ZONES, "to": ROOMS}),
    ("trips", {"from": ZONES, "to": ROOMS}),
]


ENDS = [-36.206, 41.291], [-36.193, 41.293]


def points(*spots: list[float]) -> dict:
    features = [{"type": "Feature", "properties": {}, "geometry": {"type": "Point", "coordinates": at}} for at in spots]
    return {"type": "FeatureCollection", "features": features}


def said(study, question, inputs) -> list[str]:
    return [line for line in ask(study, question, inputs).document()["method"] if "hold for the whole trip" in line]


@pytest.mark.parametrize(("question", "inputs"), ASKED)
def test_how_far_frozen_speeds_are_from_the_clock_is_said(study, question, inputs):
    (line,) = said(study, question, {**inputs, "mode": "drive", "at": AT})
    found = re.search(
        r"Speeds of 08:00 .* (\d+) sampled trips differ by ([\d.]+) % in the mean and ([\d.]+) % at most", line
    )
    assert found is not None and int(found[1]) > 3
    assert float(found[2]) <= float(found[3]) < 10.0


def test_nothing_is_said_where_nothing_changes(study):
    for question, inputs in ASKED:
        assert said(study, question, {**inputs, "mode": "drive"}) == []
        assert said(study, question, {**inputs, "mode": "walk", "at": AT}) == []
    assert said(study, "matrix", {**ASKED[4][1], "mode": "drive", "at": AT, "measure": "distance"}) == []
    assert said(study, "route", {"waypoints": points(*ENDS), "mode": "drive", "at": AT}) == []


def test_a_route_at_an_hour_keeps_off_closed_streets(study):
    inputs = {"waypoints": points(*ENDS), "mode": "drive", "at": AT}
    (before,) = ask(study, "route", inputs).document()["routes"]["features"]
    passed = before["properties"]["link_ids"]
    line = before["geometry"]["coordinates"]
    (after,) = ask(study, "route", {**inputs, "closures": points(line[len(line) // 2][:2])}).document()["routes"][
        "features"
    ]
    assert set(passed) - set(after["properties"]["link_ids"])
    assert after["properties"]["duration_s"] >= before["properties"]["duration_s"]
