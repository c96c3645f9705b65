"""What of a sheet does not fit a study, in plain words, and nothing that does."""

from __future__ import annotations

import copy

import pytest

from awl.sheets.document import sheet_of
from awl.sheets.fit import misfits
from tests.sheets.sheets_made import DOCUMENT, NEAR, burst

ROOMS = {"layer": "cool_rooms"}
SORTED = {**NEAR["inputs"], "others": ROOMS, "kind": "sort"}
RESTS, FILTERED = {"answer": "gone"}, {**ROOMS, "where": "opened > 3"}
AWAY = {"type": "Point", "coordinates": [10, 50]}


def test_a_sheet_that_fits_has_no_misfits(study):
    assert misfits(study, burst()) == []


def unfit(study, change):
    document = copy.deepcopy(DOCUMENT)
    change(document)
    return [one.line() for one in misfits(study, sheet_of(document))]


def at(*path):
    """Sets the value at the end of a path."""
    *names, last, value = path

    def change(document):
        for name in names:
            document = document[name]
        document[last] = value

    return change


@pytest.mark.parametrize(
    ("change", "line"),
    [
        (at("blocks", 1, "process", "isochron"), "Question 1: 'isochron' is no question of this Awl. Is it 'isochrone'?"),
        (at("blocks", 1, "inputs", "layers", [{"layer": "zone"}]), "Question 1: The study has no layer 'zone'. Is it 'zones'?"),
        (at("blocks", 1, "inputs", "mode", "fly"), "Question 1: The study has no mode 'fly'"),
        (at("blocks", 1, "inputs", "what_if", ["bridge"]), "Question 1: The study has no what-if 'bridge'"),
        (at("blocks", 1, "inputs", "distance", -3), "Question 1: 'distance' should be greater than 0"),
        (at("blocks", 2, "inputs", "others", RESTS), "Question 2: It rests on an answer that is neither of this sheet"),
        (at("blocks", 2, "inputs", "places", FILTERED), "Question 2: The filter opened > 3 does not fit"),
        (at("blocks", 2, "inputs", SORTED), "Question 2: Layer 'cool_rooms' has no field 'sort'"),
        (at("blocks", 1, "inputs", "events", AWAY), "Question 1: Points or shapes it was given lie far"),
        (at("blanks", 0, "question", "gone"), "Blank where: The question whose word it was is gone"),
        (at("blanks", 1, "input", "colour"), "Blank reach: 'alongside' has no word 'colour'"),
        (at("blanks", 1, "input", "layers"), "Blank reach: Layers cannot be asked for"),
        (at("blanks", 2, "options", ["walk", "fly"]), "Blank who: There is no 'fly' to choose any more"),
        (at("forms", 0, "asks", ["where", "gone"]), "Form burst: It asks for 'gone'"),
        (at("forms", 0, "shows", []), "Form burst: It shows nothing"),
        (at("forms", 0, "shows", [{"question": "gone"}]), "Form burst: It shows a question that is gone"),
        (at("forms", 0, "shows", 0, "tables", ["parcels"]), "Form burst: Question 1 has no result 'parcels'"),
    ],
)  # fmt: skip
def test_each_misfit_is_named(study, change, line):
    found = unfit(study, change)
    assert any(one.startswith(line) for one in found), found


def test_questions_in_a_circle_are_told(study):
    def circle(document):
        document["blocks"][1]["inputs"]["layers"] = [{"answer": "near"}]

    assert any("in a circle" in line for line in unfit(study, circle))
