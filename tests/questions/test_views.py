"""The view of every answer names only what its result holds, and every row of its legend is known by one id."""

from __future__ import annotations

import json

import jsonschema
import pytest

from awl.io import geojson
from awl.questions import QUESTIONS, question
from awl.questions.compare.run import compare
from awl.questions.compare.sides import side_of
from awl.questions.compare.view import view_compare
from awl.questions.results import Answer
from awl.questions.run import ask
from awl.server.openapi import openapi_document

ROOMS, ZONES = {"layer": "cool_rooms"}, {"layer": "zones"}
WEST, EAST = [-36.2032, 41.2933], [-36.1935, 41.2905]
ASKED = {
    "isochrone": {"places": ROOMS, "limits": [3, 6]},
    "isochrone of places that differ": {"places": ROOMS, "limits": [3, 6], "differs": [{"where": "seats > 60", "mode": "cycle"}]},
    "isochrone through the day": {"mode": "drive", "places": ROOMS, "limits": [3], "at": "2026-06-03T08:00", "hours": [3, 17]},
    "access": {"zones": ZONES, "places": ROOMS, "limits": [3, 6]},
    "access with all there is": {
        "zones": ZONES, "places": ROOMS, "limits": [3, 6], "measures": ["gravity", "two_step", "kth"], "weights": "seats",
        "kind": "kind", "candidates": ROOMS, "choose": 1, "against": {"mode": "cycle"},
    },
    "route": {
        "waypoints": [WEST, EAST], "measure": ["time", "distance"], "expected": [[-36.1988, 41.292]], "carry": ["distance"],
    },
    "trips": {"from": ZONES, "to": ROOMS},
    "matrix": {"from": ROOMS, "to": ROOMS, "at": "2026-06-03T08:00", "hours": [17], "mode": "drive"},
    "catchment": {"places": ROOMS, "zones": ZONES},
    "alongside": {"events": {"type": "Point", "coordinates": WEST}, "layers": [ZONES, ROOMS]},
    "neighbours": {"places": ROOMS, "others": ROOMS, "kind": "kind", "limits": [5, 10]},
    "centrality": {"places": ROOMS},
    "simulate": {"places": ROOMS, "zones": ZONES, "people": 60, "capacity": "seats"},
    "simulate with all there is": {
        "places": ROOMS, "zones": ZONES, "people": 60, "capacity": 3, "runs": 3, "modes": {"cycle": 20}, "meet": 5, "pass_on": 50,
        "sweep": {"more_seats": [0, 5, 90]}, "when_full": "wait", "at_home": 10, "recovery": 5,
    },
    "simulate over two words": {
        "places": ROOMS, "zones": ZONES, "people": 40, "capacity": 3, "sweep": {"within": [3, 6], "stay": [10, 60]},
    },
    "simulate trips at random": {"demand": "random", "people": 30, "start": "08:00/08:10"},
}  # fmt: skip


AGAINST = {
    "isochrone": {"mode": "cycle"}, "access": {"mode": "cycle"}, "route": {"mode": "cycle"}, "trips": {"mode": "cycle"},
    "matrix": {"mode": "cycle"}, "catchment": {"mode": "cycle"}, "neighbours": {"mode": "cycle"}, "centrality": {"radius": 300},
    "alongside": {"distance": 200}, "simulate": {"speed": 70},
}  # fmt: skip
"""What else is asked where an answer is compared."""
COMPARED = [f"compare {name}" for name in ASKED]


def answered(study, name):
    """An answer; `compare NAME` compares that question with another of its kind."""
    process, _, asked = name.partition(" ")
    if process != "compare":
        return ask(study, process, ASKED[name])
    process = asked.split()[0]
    each = [ASKED[asked], {**ASKED[asked], **AGAINST[process]}]
    result = compare(question(process), [side_of(ask(study, process, inputs), study, inputs) for inputs in each])
    return Answer(result, view_compare(result))


def test_every_question_is_asked_here():
    assert {name.split()[0] for name in [*ASKED, *COMPARED]} == set(QUESTIONS)


@pytest.fixture(scope="module")
def schemas():
    return openapi_document("")["components"]["schemas"]


@pytest.mark.parametrize("name", [*ASKED, *COMPARED])
def test_a_view_names_what_there_is(study, schemas, name):
    answer = answered(study, name)
    document = json.loads(geojson.dumps(answer.document()))
    jsonschema.validate(document, {"$ref": "#/components/schemas/Results", "components": {"schemas": schemas}})
    view = document["view"]
    assert answer.view.parts <= set(answer.parts)
    fields = {part: {column["name"] for column in columns} for part, columns in document["schema"].items()}
    for table in view["tables"]:
        shown = {column["field"] for column in table["columns"]} | {table[key] for key in ("key",) if key in table}
        assert shown <= fields[table["part"]]
        if "pivot" in table:
            assert {table["pivot"][key] for key in ("rows", "columns", "cells")} <= fields[table["part"]]
    if "card" in view:
        card = view["card"]
        told = {card["key"], card["total"], card["within"], *(field for row in card["rows"] for field in row["fields"])}
        assert told <= fields[card["part"]] and {card["key"], "place", "share", "minutes"} <= fields[card["list_part"]]
    rows = [row["id"] for group in view["map"].get("legend", []) for row in group["rows"]]
    assert len(set(rows)) == len(rows)
    for layer in view["map"].get("layers", []):
        check_layer(layer, document, fields, rows)
    assert {file["part"] for file in view["files"]} <= {"all", *answer.parts}


def check_layer(layer, document, fields, rows):
    known = fields[layer["part"]]
    assert len({"classes", "grades", "widths"} & set(layer)) == 1
    assert {layer[key] for key in ("key", "sort") if key in layer} <= known
    if "grades" in layer:
        graded = layer["grades"]
        assert graded["fields"] and {one["field"] for one in graded["fields"]} <= known
        if "frames" in graded:
            assert graded["frames"]["key"] in fields[graded["frames"]["part"]] & known
    elif "widths" in layer:
        assert layer["widths"]["field"] in known
    else:
        assert {paint["row"] for paint in layer["classes"]["of"].values()} <= set(rows)
        if layer["classes"].get("field"):
            found = {shown(one["properties"][layer["classes"]["field"]]) for one in document[layer["part"]]["features"]}
            assert "*" in layer["classes"]["of"] or found <= set(layer["classes"]["of"])


def shown(value):
    """A value as the browser writes it as a key."""
    if isinstance(value, bool):
        return str(value).lower()
    return f"{value:g}" if isinstance(value, float) else str(value)


def test_meaning_is_in_the_schema_and_nobody_has_to_take_names_apart(study):
    schema = ask(study, "access", ASKED["access"]).document()["schema"]
    within = {column["name"]: column for column in schema["zones"]}
    assert within["share_within_6"] == {
        "name": "share_within_6",
        "type": "number",
        "unit": "%",
        "quantity": "share_within",
        "limit": 6.0,
    }
    people = within["population_within_3"]
    assert (people["quantity"], people["of"], people["limit"], people["unit"]) == (
        "people_within",
        "population",
        3.0,
        "people",
    )
