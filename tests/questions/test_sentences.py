"""A question's sentence is English in every combination of its words, and hides none that matters."""

from __future__ import annotations

import itertools
import json
import re
from pathlib import Path

import pytest

from awl.core.modes.mode import SHIPPED
from awl.questions import QUESTIONS
from awl.questions.describe import process_description
from awl.questions.wording import Vocabulary, as_text, sentence_pieces

WORDS = {
    "mode": "walker",
    "places": "14 cool rooms",
    "zones": "180 zones",
    "from": "180 zones",
    "to": "14 cool rooms",
    "waypoints": "Curl Lane and Gant Avenue",
    "limits": "5, 10, 15 minutes",
    "limit": "within 10 minutes",
    "fields": "population",
    "closures": "Heron Footbridge",
    "lines": "12 tours",
    "expected": "Star Bridge",
    "others": "248 services",
    "kind": "by kind",
    "events": "an event",
    "distance": "500 m",
    "width": "25 m",
    "layers": "parcels, then on them buildings",
    "radius": "600 metres",
    "weight": "all counted alike",
    "most": "at most 10,000 trips",
    "indices": "every index",
    "measures": "supply per head",
    "answers": "questions 1 and 4",
    "clauses": ", in free flow",
    "people": "3,000",
    "trips": "12 tours",
    "start": "between 13:00 and 14:00",
    "stay": "120 minutes",
    "half": "10 minutes",
    "weights": "by seats",
    "capacity": "as many as seats says",
}


def sentences(ident):
    """The sentence for every combination of the choice words, as the browser puts it together."""
    described = process_description(QUESTIONS[ident])
    slots = described["x-awl"]["slots"]
    choices = {
        name: list(slot["words"].items()) for name, slot in slots.items() if slot["control"] in ("choice", "costs")
    }
    for picked in itertools.product(*choices.values()):
        chosen = dict(zip(choices, picked, strict=True))
        for absent in [set()] + [
            {name} for name, entry in described["inputs"].items() if entry["schema"].get("default", "x") is None
        ]:
            values = {name: key for name, (key, _) in chosen.items()} | {name: None for name in absent}
            values = {name: entry["schema"].get("default") for name, entry in described["inputs"].items()} | values
            template = next(
                s["text"]
                for s in described["x-awl"]["sentences"]
                if all(values.get(name) == wanted for name, wanted in s["when"].items())
            )
            filled = WORDS | {name: text for name, (_, text) in chosen.items()}
            empty = {name for name, value in values.items() if value is None}
            yield template, template.format(**filled), absent | (empty & set(slots) if "zones" in empty else set())


@pytest.mark.parametrize("ident", QUESTIONS)
def test_sentences_read_as_english(ident):
    seen = set()
    for _, text, _ in sentences(ident):
        seen.add(text)
        assert text[0].isupper() and text.endswith("?"), text
        assert not re.search(r"\s\s|\s[,?]|,,|\{|\}|_", text), text
        assert not re.search(r"\b(\w+) \1\b", text), f"a word stands twice: {text}"
        assert not re.search(r"\b[aA] (?=[aeiou])", text), text
    assert seen


@pytest.mark.parametrize("ident", QUESTIONS)
def test_no_word_that_changes_the_number_is_hidden(ident):
    described = process_description(QUESTIONS[ident])
    numbers = {
        "mode",
        "places",
        "limits",
        "direction",
        "zones",
        "fields",
        "spread",
        "measure",
        "merge",
        "waypoints",
        "from",
        "to",
    }
    for template, text, absent in sentences(ident):
        shown = set(re.findall(r"\{(\w+)\}", template))
        wanted = (numbers & set(described["inputs"]) & set(described["x-awl"]["slots"])) - absent
        if "zones" in absent:
            wanted -= {"fields"}
        if "{lines}" in template:
            wanted -= {"from", "to"}  # lines stand for both
        if "{demand}" in template and "{zones}" not in template:
            wanted -= {"zones", "places", "fields", "spread"}  # people do not come from homes
        if "{ends}" in template:
            wanted -= {"places"}  # trips end anywhere
        missing = (
            wanted
            - shown
            - {name for s in described["x-awl"]["sentences"] if s["text"] == template for name in s["when"]}
        )
        assert not missing, f"{missing} not in: {text}"


ROOT = Path(__file__).resolve().parents[2]
SHARED = json.loads((ROOT / "ui/src/testing/sentences.json").read_text())
"""Questions and what they read, which the front end reads the same (`ui/src/controls/words.test.ts`)."""


@pytest.mark.parametrize("case", SHARED["sentences"], ids=lambda case: case["text"][:60])
def test_sentences_read_the_same_on_paper_as_on_the_screen(case):
    layers = {one["id"]: (one["title"], one["count"]) for one in SHARED["layers"]}
    words = Vocabulary(layers, SHARED["whatIfs"], SHARED["questions"], list(SHIPPED.values()))
    assert as_text(sentence_pieces(QUESTIONS[case["process"]], case["inputs"], words)) == case["text"]


def test_every_question_that_has_places_is_among_them():
    assert {case["process"] for case in SHARED["sentences"]} == set(QUESTIONS) - {"compare"}
