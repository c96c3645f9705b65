"""Descriptions of questions for machines and for the sheet, read from their pydantic models."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cache
from typing import Any

from pydantic import BaseModel

from awl.core.modes.mode import SHIPPED, Mode
from awl.questions.from_answers import AREAS
from awl.questions.inputs import Json
from awl.questions.question import Question
from awl.questions.slots import SLOT

CLAUSES = "{clauses}"
"""Where in a sentence the clauses stand."""


def process_summary(question: type[Question]) -> Json:
    """OGC API Processes `processSummary`."""
    return {
        "id": question.id,
        "title": question.title,
        "description": question.description,
        "version": "1.0.0",
        "jobControlOptions": ["sync-execute", "async-execute", "dismiss"],
        "outputTransmission": ["value"],
    }


def process_description(question: type[Question], modes: Iterable[Mode] = SHIPPED.values()) -> Json:
    """The whole process: inputs, outputs, and under `x-awl` the sentence with its words; `modes` are those of the study."""
    outputs = {
        name: {"title": name, "description": text, "schema": {"type": ["object", "array"]}}
        for name, text in question.outputs.items()
    }
    outputs |= {
        "summary": {"title": "summary", "description": "Key figures", "schema": {"type": "object"}},
        "doubts": {"title": "doubts", "description": "What to know before trusting it", "schema": {"type": "array"}},
    }
    described = {"inputs": _inputs(question.Inputs), "outputs": outputs, "x-awl": sentence(question, modes)}
    return {**process_summary(question), **described}


@cache
def _inputs(inputs: type[BaseModel]) -> Json:
    """The inputs of a question with their schemas; made once, to be read alone."""
    schema = inputs.model_json_schema(by_alias=True, ref_template="#/components/schemas/{model}")
    required = set(schema.get("required", []))
    definitions = schema.get("$defs", {})
    return {
        name: {
            "title": name.replace("_", " "),
            "description": prop.get("description", ""),
            "minOccurs": 1 if name in required else 0,
            "schema": _inlined({k: v for k, v in prop.items() if k != SLOT}, definitions),
        }
        for name, prop in schema["properties"].items()
    }


def sentence(question: type[Question], modes: Iterable[Mode] = SHIPPED.values()) -> Json:
    """Opening words, templates and slots of a question's sentence.

    `live` says whether its streets follow a place that is dragged, `covers` whether its answer has areas others can lie inside.
    """
    slots = {}
    for name, info in question.Inputs.model_fields.items():
        extra = info.json_schema_extra
        if isinstance(extra, dict) and SLOT in extra:
            key = info.alias or name
            default: Any = info.get_default(call_default_factory=True)
            slots[key] = {**extra[SLOT], "default": None if info.is_required() else default}  # type: ignore[dict-item]
    if "mode" in slots:
        slots["mode"]["words"] = {mode.id: mode.traveller for mode in modes}
    return {
        "opening": question.opening,
        "sentences": [
            {"when": when, "text": f"{text.removesuffix('?')}{CLAUSES}?"} for when, text in question.sentences
        ],
        "slots": slots,
        "live": question.is_live,
        "covers": any(part in question.outputs for part in AREAS),
    }


def _inlined(schema: Any, definitions: Json) -> Any:
    """A schema with its references replaced by what they refer to."""
    if isinstance(schema, list):
        return [_inlined(item, definitions) for item in schema]
    if not isinstance(schema, dict):
        return schema
    if "$ref" in schema:
        return _inlined(definitions[schema["$ref"].rsplit("/", 1)[1]], definitions)
    return {key: _inlined(value, definitions) for key, value in schema.items()}
