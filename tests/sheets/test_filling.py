"""Blanks filled in, by text and by JSON, within what their author allows; sheets run as a whole."""

from __future__ import annotations

import math

import pytest

from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.questions.run import ask, no_other_study
from awl.sheets.document import sheet_of
from awl.sheets.filling import filled
from awl.sheets.forms import form_sentences, run_form
from awl.sheets.running import run_sheet
from tests.sheets.sheets_made import DOCUMENT, WEST, burst

HERE = {"where": f"{WEST[0]},{WEST[1]}"}
POINT = {
    "type": "FeatureCollection",
    "features": [{"type": "Feature", "properties": {}, "geometry": {"type": "Point", "coordinates": WEST}}],
}


def value(study, name, text):
    """What a question is asked with where a blank is filled in."""
    sheet = filled(burst(), {**HERE, name: text}, study)
    blank = sheet.blank(name)
    return sheet.question(blank.question).inputs.get(blank.input)


@pytest.mark.parametrize(
    ("name", "text", "read"),
    [
        ("where", f"[{WEST[0]}, {WEST[1]}]", WEST),
        ("where", POINT, POINT),
        ("where", "Heron Lane", {"name": "Heron Lane"}),
        ("reach", " 250 ", 250),
        ("reach", "250.5", 250.5),
        ("who", "cycle", "cycle"),
        ("who", "Cyclist", "cycle"),
        ("when", "2026-06-05T08:00", "2026-06-05T08:00"),
        ("when", "", None),
        ("within", "5, 10;15", [5, 10, 15]),
        ("within", [4], [4]),
        ("shut", f"{WEST[0]},{WEST[1]}", {"type": "MultiPoint", "coordinates": [WEST]}),
    ],
)
def test_values_are_read_by_what_their_word_is(study, name, text, read):
    assert value(study, name, text) == read


@pytest.mark.parametrize(
    ("values", "words", "inputs"),
    [
        ({}, "'Where is it?' is not filled in", ("where",)),
        ({"where": "  "}, "'Where is it?' is not filled in", ("where",)),
        ({**HERE, "reach": "99"}, "'Reach': 99 is less than 100. From 100 to 400", ("reach",)),
        ({**HERE, "reach": "1e9"}, "is more than 400", ("reach",)),
        ({**HERE, "reach": "nan"}, "'nan' is no number", ("reach",)),
        ({**HERE, "reach": math.inf}, "is no number", ("reach",)),
        ({**HERE, "reach": True}, "is no number", ("reach",)),
        ({**HERE, "reach": {"a": 1}}, "is no number", ("reach",)),
        ({**HERE, "who": "drive"}, "'drive' cannot be chosen", ("who",)),
        ({**HERE, "when": "yesterday"}, "no date and time", ("when",)),
        ({**HERE, "within": "5, x"}, "'x' is no number", ("within",)),
        ({"where": "[" * 50_000}, "'Where is it?'", ("where",)),
        ({**HERE, "wher": "1"}, "There is no blank 'wher'. Is it 'where'?", ("wher",)),
        ({"where": {"layer": "a", "script": 1}}, "'Where is it?'", ("where",)),
        ({"where": "", "reach": "5"}, "is not filled in; 'Reach': 5 is less than 100", ("where", "reach")),
    ],
)
def test_what_is_not_allowed_is_refused_by_the_name_of_the_blank(study, values, words, inputs):
    with pytest.raises(AwlError) as refused:
        filled(burst(), values, study)
    assert words in refused.value.detail and refused.value.inputs == inputs


def test_a_form_fills_its_own_blanks_alone(study):
    sheet = burst()
    with pytest.raises(AwlError, match="There is no blank 'who'"):
        filled(sheet, {**HERE, "who": "cycle"}, study, sheet.forms[0].asks)
    assert sheet == burst(), "filling in changes no sheet"


def test_a_question_rests_on_the_answer_of_this_run(study):
    """The second question counts zones of the first one's answer; the study keeps none of either."""
    for reach in (120, 300):
        sheet = filled(burst(), {**HERE, "reach": reach}, study)
        answered = run_sheet(study, sheet)
        assert list(answered) == ["along", "near"]
        along = ask(study, "alongside", sheet.questions[0].inputs)
        zones = along.part("zones")
        direct = ask(study, "neighbours", {**sheet.questions[1].inputs, "others": along.document({"zones"})["zones"]})
        assert answered["near"].answer.summary == direct.summary
        assert len(answered["along"].answer.part("zones")) == len(zones)
    assert list(run_sheet(study, sheet, wanted=["along"])) == ["along"]


def test_a_fault_says_which_question_it_is_in(study):
    sheet = filled(burst(), {"where": "10,50"}, study)
    with pytest.raises(AwlError) as refused:
        run_sheet(study, sheet)
    assert refused.value.detail.startswith("question 1: ")


def test_a_comparison_in_a_sheet_compares_the_answers_of_this_run(study):
    inputs = {"mode": "walk", "places": [WEST], "limits": [4]}
    blocks = [
        {"id": "c", "kind": "question", "process": "compare", "inputs": {"answers": ["a", {"answer": "b"}]}},
        {"id": "a", "kind": "question", "process": "isochrone", "inputs": inputs},
        {"id": "b", "kind": "question", "process": "isochrone", "inputs": {**inputs, "mode": "cycle"}},
    ]
    answered = run_sheet(study, sheet_of({"blocks": blocks}))
    assert list(answered) == ["c", "a", "b"]
    rows = answered["c"].answer.document({"key_figures"})["key_figures"]
    areas = [answered[one].answer.view.figures[0].value for one in "ab"]
    assert [rows[0]["value"], rows[0]["value_2"]] == pytest.approx(areas)


def test_a_form_shows_sentences_with_its_blanks_in_them(study):
    sheet = burst()
    (sentence,) = form_sentences(sheet.forms[0], sheet, study)
    fields = [piece for piece in sentence.pieces if not isinstance(piece, str)]
    assert [(field.name, field.kind, field.value, field.least, field.most) for field in fields] == [
        ("reach", "number", 150, 100, 400), ("where", "points", None, None, None),
    ]  # fmt: skip
    assert isinstance(sentence.pieces[0], str) and sentence.pieces[0].startswith(
        "What stands along the streets that a walker"
    )
    form = sheet.forms[0].model_copy(update={"asks": ["who", "when", "within", "shut"]})
    first, second = form_sentences(form, sheet, study)
    kinds = {piece.name: piece for piece in (*first.pieces, *first.rest) if not isinstance(piece, str)}
    assert {name: field.kind for name, field in kinds.items()} == {
        "who": "choice",
        "when": "datetime-local",
        "shut": "points",
    }
    assert [value for value, _ in kinds["who"].options] == ["walk", "cycle"] and kinds["when"].nothing == "in free flow"
    (within,) = [piece for piece in second.pieces if not isinstance(piece, str)]
    assert (within.kind, within.value, within.unit) == ("text", "6", "min")


def test_a_form_gives_what_it_shows_alone(study):
    sheet = burst()
    outcome = run_form(study, sheet, sheet.forms[0], {**HERE, "reach": "200"}, Progress(), no_other_study)
    assert list(outcome["answers"]) == ["along"], "what the other question gives stays unseen"
    document = outcome["answers"]["along"]["document"]
    direct = ask(study, "alongside", {**DOCUMENT["blocks"][1]["inputs"], "distance": 200})
    assert document["summary"] == direct.summary
    assert len(document["zones"]["features"]) == len(direct.part("zones"))
