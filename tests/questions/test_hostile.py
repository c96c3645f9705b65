"""What nobody should ask, of every question: nothing, all outside, far too much, no numbers, shapes that cross themselves."""

from __future__ import annotations

import math

import numpy as np
import pytest

from awl.core.errors import AwlError
from awl.questions import QUESTIONS
from awl.questions.run import ask

ROOMS, ZONES = {"layer": "cool_rooms"}, {"layer": "zones"}
WEST, EAST = [-36.206, 41.2915], [-36.1935, 41.2905]


def points(*positions: list[float]) -> dict:
    features = [
        {"type": "Feature", "properties": {}, "geometry": {"type": "Point", "coordinates": list(at)}}
        for at in positions
    ]
    return {"type": "FeatureCollection", "features": features}


SOUND = {
    "isochrone": ("places", {"places": ROOMS, "limits": [4]}),
    "access": ("places", {"places": ROOMS, "zones": ZONES, "limits": [4]}),
    "route": ("waypoints", {"waypoints": [WEST, EAST]}),
    "trips": ("from", {"from": ZONES, "to": ROOMS}),
    "catchment": ("places", {"places": ROOMS}),
    "alongside": ("events", {"events": points(WEST), "layers": [ZONES]}),
    "neighbours": ("places", {"places": ROOMS, "others": ROOMS, "limits": [4]}),
    "centrality": ("places", {"places": ROOMS}),
    "matrix": ("from", {"from": ZONES, "to": ROOMS}),
    "simulate": ("places", {"places": ROOMS, "zones": ZONES, "people": 40}),
}
EVERY = sorted(SOUND)


def test_no_question_is_left_out():
    # A comparison takes no places: what nobody should ask of it is below.
    assert {*SOUND, "compare"} == set(QUESTIONS)


@pytest.mark.parametrize(
    "answers",
    [None, [], {}, 5, "x", ["x"], ["a", "a"], [1, 2], [None, None], ["a", {"answer": ""}], ["a", {"answer": "x" * 300}],
     ["a", {"answer": "b", "study": "../../etc/passwd"}], ["a", {"answer": "'; DROP TABLE awl_answers; --"}],
     ["a", {"answer": "b", "part": "areas"}], ["a"] * 2000],
)  # fmt: skip
def test_no_comparison_of_what_is_no_answer(study, answers):
    with pytest.raises(AwlError) as caught:
        ask(study, "compare", {"answers": answers})
    assert caught.value.inputs == ("answers",) and study.reading.execute("SELECT count(*) FROM awl_answers").fetchone()


def refused(study, question: str, more: dict, words: str) -> AwlError:
    with pytest.raises(AwlError, match=words) as caught:
        ask(study, question, {**SOUND[question][1], **more})
    assert caught.value.detail or str(caught.value)
    return caught.value


@pytest.mark.parametrize("question", EVERY)
def test_nothing_to_start_from(study, question):
    name = SOUND[question][0]
    error = refused(study, question, {name: points()}, "no feature|at least|two points|fewer")
    assert name in error.inputs


@pytest.mark.parametrize("question", EVERY)
def test_everything_outside(study, question):
    name = SOUND[question][0]
    error = refused(study, question, {name: points([-36.5, 41.3], [-36.51, 41.31])}, "outside")
    assert name in error.inputs


@pytest.mark.parametrize("question", EVERY)
def test_far_too_many(study, question):
    rng = np.random.default_rng(1)
    many = points(*rng.uniform([-36.2085, 41.2856], [-36.1895, 41.2968], (50_001, 2)).tolist())
    error = refused(study, question, {SOUND[question][0]: many}, "more than|at most")
    assert SOUND[question][0] in error.inputs


@pytest.mark.parametrize("question", EVERY)
@pytest.mark.parametrize("value", [math.nan, math.inf, 1e9])
def test_coordinates_that_are_none(study, question, value):
    name = SOUND[question][0]
    refused(study, question, {name: points([value, 41.29], [-36.2, 41.29])}, "number|degrees|finite|coordinate")


@pytest.mark.parametrize("question", ["isochrone", "access", "neighbours"])
@pytest.mark.parametrize(
    ("limits", "words"),
    [
        ([8, 4], "do not ascend"),
        ([4, 4], "do not ascend"),
        ([math.nan], "not above zero"),
        ([-1], "not above zero"),
        ([], "limits"),
        ([1e7], "more than"),
        (list(range(1, 20)), "limits"),
    ],
)
def test_limits_that_cannot_be(study, question, limits, words):
    assert "limits" in refused(study, question, {"limits": limits}, words).inputs


BOW = [[-36.2000, 41.2905], [-36.1975, 41.2922], [-36.1975, 41.2905], [-36.2000, 41.2922], [-36.2000, 41.2905]]


@pytest.mark.parametrize("question", EVERY)
def test_a_closure_that_crosses_itself_closes_both_its_halves_and_says_so(study, question):
    bow = {"type": "Polygon", "coordinates": [BOW]}
    answer = ask(study, question, {**SOUND[question][1], "closures": bow})
    texts = [doubt.text for doubt in answer.doubts]
    assert any("closed for this question" in text for text in texts)
    assert any("crosses itself" in text for text in texts), texts


@pytest.mark.parametrize("question", EVERY)
@pytest.mark.parametrize(
    ("more", "words"),
    [
        ({"closures": points([-36.5, 41.3])}, "No usable street lies at the closures"),
        ({"closures": {"type": "Polygon", "coordinates": []}}, "closures|geometry|empty"),
        ({"closures": {"type": "Point", "coordinates": ["a", "b"]}}, "closures|number|geometry"),
        ({"mode": "fly"}, "no mode 'fly'"),
        ({"at": "soon"}, "no date and time"),
        ({"snap": -1}, "snap"),
        ({"snap": math.nan}, "snap"),
        ({"what_if": "x"}, "no what-if"),
        ({"colour": "red"}, "not an input"),
    ],
)
def test_shared_words_that_cannot_be(study, question, more, words):
    refused(study, question, more, words)


@pytest.mark.parametrize("question", EVERY)
def test_layers_that_are_not_there_or_hold_nothing(study, question):
    name = SOUND[question][0]
    refused(study, question, {name: {"layer": "nowhere"}}, "no layer 'nowhere'")
    refused(study, question, {name: {"layer": "zones", "where": "population < 0"}}, "No feature|fewer|at least")
    refused(study, question, {name: {"layer": "zones", "where": "popul > 1"}}, "no field")
    refused(study, question, {name: {"layer": "zones", "where": "population >"}}, "filter|expression|CQL2")
