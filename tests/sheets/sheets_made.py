"""Sheets that tests share: a burst water main on the cut, with a question that rests on its answer, blanks and a form."""

from __future__ import annotations

from awl.sheets.document import Sheet, sheet_of

WEST = [-36.2060, 41.2915]
ALONG = {
    "id": "along",
    "kind": "question",
    "process": "alongside",
    "inputs": {
        "mode": "walk",
        "events": {"type": "MultiPoint", "coordinates": [WEST]},
        "distance": 150,
        "layers": [{"layer": "zones"}],
    },
}
NEAR = {
    "id": "near",
    "kind": "question",
    "process": "neighbours",
    "inputs": {
        "mode": "walk",
        "places": {"layer": "cool_rooms"},
        "others": {"answer": "along", "part": "zones"},
        "limits": [6],
    },
}
BLANKS = [
    {"name": "where", "question": "along", "input": "events", "label": "Where is it?", "empty": True},
    {"name": "reach", "question": "along", "input": "distance", "least": 100, "most": 400},
    {"name": "who", "question": "along", "input": "mode", "options": ["walk", "cycle"]},
    {"name": "when", "question": "along", "input": "at"},
    {"name": "within", "question": "near", "input": "limits"},
    {"name": "shut", "question": "along", "input": "closures"},
]
FORM = {
    "id": "burst",
    "title": "Who is hit?",
    "author": "Network planning",
    "assumes": "The strip is 25 m wide.",
    "asks": ["where", "reach"],
    "shows": [{"question": "along", "tables": ["zones"], "files": ["xlsx"], "maps": ["pdf"]}],
}
DOCUMENT = {
    "title": "A burst main",
    "blocks": [{"id": "p", "kind": "prose", "text": "Why."}, ALONG, NEAR],
    "blanks": BLANKS,
    "forms": [FORM],
}


def burst() -> Sheet:
    """The sheet of the burst main."""
    return sheet_of(DOCUMENT)
