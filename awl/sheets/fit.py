"""What of a sheet does not fit a study: what it names and the study has not, blanks and forms that lost what they stood on."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely

from awl.core.errors import AwlError, nearest
from awl.cql2.sql import to_sql
from awl.io import geojson
from awl.questions import QUESTIONS
from awl.questions.describe import sentence
from awl.questions.inputs import Json
from awl.questions.question import Question
from awl.sheets.document import Blank, Form, QuestionBlock, Sheet
from awl.sheets.references import in_order, rests_on
from awl.study import records, what_ifs
from awl.study.importing import apart, street_bounds
from awl.study.study import Study

NEVER_BLANK = ("answers", "chain", "rules", "comparison")
"""Words that are too much for one input of a form."""


@dataclass(frozen=True)
class Misfit:
    """Something of a sheet that does not fit its study.

    Attributes:
        text: what it is, and what to do.
        question: the number of the question it is about; None where it is about none.
        block: the id of that question.
        form: the id of the form it is about.
        blank: the name of the blank it is about.
    """

    text: str
    question: int | None = None
    block: str | None = None
    form: str | None = None
    blank: str | None = None

    def json(self) -> Json:
        """As an object, without what it is not about."""
        return {key: value for key, value in vars(self).items() if value is not None}

    def line(self) -> str:
        """In one line, with what it is about."""
        about = {"Question": self.question, "Form": self.form, "Blank": self.blank}
        head = next((f"{what} {name}: " for what, name in about.items() if name is not None), "")
        return head + self.text


def misfits(study: Study, sheet: Sheet) -> list[Misfit]:
    """All that does not fit, questions first.

    Parameters:
        study: the study that it is to run in.
        sheet: the sheet.
    """
    there = _There.of(study, sheet)
    unfit = [
        Misfit(text, number, block.id)
        for number, block in enumerate(sheet.questions, 1)
        for text in _of_question(block, there)
    ]
    try:
        in_order(sheet)
    except AwlError as error:
        unfit.append(Misfit(error.detail))
    unfit += [Misfit(text, blank=blank.name) for blank in sheet.blanks for text in _of_blank(blank, sheet, there)]
    return unfit + [Misfit(text, form=form.id) for form in sheet.forms for text in _of_form(form, sheet)]


@dataclass(frozen=True)
class _There:
    """What a study has that a sheet may name."""

    layers: dict[str, dict[str, str]]
    modes: dict[str, str]
    what_ifs: set[str]
    answers: set[str]
    bounds: list[float] | None
    slots: dict[str, dict[str, Json]]

    @classmethod
    def of(cls, study: Study, sheet: Sheet) -> _There:
        modes = study.modes()
        kept = study.reading.execute("SELECT question FROM awl_answers").fetchall()
        copies = {copy["id"] for copy in records.kept_copies(study.reading)}
        own = {block.id for block in sheet.questions}
        has_streets = bool(study.revision) and not study.graph.drawn
        return cls(
            {entry["id"]: entry.get("fields", {}) for entry in study.layers()},
            {ident: mode.title for ident, (mode, _) in modes.items()},
            {idea.id for idea in what_ifs.listed(study.reading)},
            own | copies | {ident for (ident,) in kept},
            street_bounds(study) if has_streets else None,
            {
                ident: sentence(QUESTIONS[ident], [mode for mode, _ in modes.values()])["slots"]
                for ident in {block.process for block in sheet.questions} & set(QUESTIONS)
            },
        )


def _of_question(block: QuestionBlock, there: _There) -> list[str]:
    if block.process not in QUESTIONS:
        return [f"'{block.process}' is no question of this Awl.{nearest(block.process, QUESTIONS)}"]
    asked: type[Question] = QUESTIONS[block.process]
    try:
        inputs = asked.parse(block.inputs).model_dump(mode="json", by_alias=True)
    except AwlError as error:
        return [error.detail]
    texts = list(dict.fromkeys(_lacking(inputs, there)))
    for name, slot in there.slots[block.process].items():
        if slot["control"] in ("field", "fields"):
            texts += _fields_lacking(inputs, name, slot.get("of", ""), there)
    texts += [
        "It rests on an answer that is neither of this sheet nor kept in the study"
        for ident in rests_on(inputs)
        if ident not in there.answers
    ]
    return texts


def _lacking(value: Any, there: _There) -> Iterator[str]:
    """Layers, fields of filters, modes and what-ifs that inputs name and that are not there; features that lie elsewhere."""
    if isinstance(value, list):
        for inner in value:
            yield from _lacking(inner, there)
        return
    if not isinstance(value, dict):
        return
    if value.get("type") == "FeatureCollection" or "coordinates" in value:
        yield from _elsewhere(value, there)
        return
    if isinstance(value.get("layer"), str):
        yield from _layer_lacking(value, there)
    if isinstance(value.get("mode"), str) and value["mode"] not in there.modes:
        known = ", ".join(there.modes)
        yield f"The study has no mode '{value['mode']}'; modes are: {known}"
    for ident in value.get("what_if") or []:
        if ident not in there.what_ifs:
            yield f"The study has no what-if '{ident}'"
    for inner in value.values():
        yield from _lacking(inner, there)


def _layer_lacking(value: Json, there: _There) -> Iterator[str]:
    fields = there.layers.get(value["layer"])
    if fields is None:
        yield f"The study has no layer '{value['layer']}'.{nearest(value['layer'], there.layers)}".rstrip(".")
    elif value.get("where"):
        try:
            to_sql(value["where"], list(fields))
        except AwlError as error:
            yield f"The filter {value['where']} does not fit layer '{value['layer']}': {error.what}"


def _elsewhere(value: Json, there: _There) -> Iterator[str]:
    if there.bounds is None:
        return
    try:
        shapes = [shape for shape in geojson.from_document(value, "features").geometry if shape is not None]
    except AwlError as error:
        yield error.detail
        return
    if not shapes:
        return
    if apart(there.bounds, shapely.total_bounds(np.array(shapes, dtype=object)).tolist()):
        yield "Points or shapes it was given lie far outside of the streets of this study"


def _fields_lacking(inputs: Json, name: str, of: str, there: _There) -> list[str]:
    given, layer = inputs.get(name), inputs.get(of)
    if not given or not isinstance(layer, dict) or layer.get("layer") not in there.layers:
        return []
    fields = there.layers[layer["layer"]]
    missing = [field for field in (given if isinstance(given, list) else [given]) if field not in fields]
    return [
        f"Layer '{layer['layer']}' has no field '{field}'.{nearest(str(field), fields)}".rstrip(".")
        for field in missing
    ]


def _of_blank(blank: Blank, sheet: Sheet, there: _There) -> list[str]:
    block = sheet.question(blank.question)
    if block is None:
        return ["The question whose word it was is gone; remove it, or mark a word again"]
    slots = there.slots.get(block.process)
    if slots is None:
        return []
    slot = slots.get(blank.input)
    if slot is None:
        return [f"'{block.process}' has no word '{blank.input}'; remove it, or mark another word"]
    if slot["control"] in NEVER_BLANK:
        return [f"{slot['label']} cannot be asked for in a form"]
    choices = {"mode": there.modes, "what-ifs": there.what_ifs, "place": there.layers}
    words = choices.get(slot["control"], slot.get("words"))
    gone = [option for option in blank.options or [] if words is not None and option not in words]
    return [f"There is no '{option}' to choose any more" for option in gone]


def _of_form(form: Form, sheet: Sheet) -> list[str]:
    texts = [f"It asks for '{name}', which is no blank any more" for name in form.asks if sheet.blank(name) is None]
    if not form.shows:
        texts.append("It shows nothing; choose what of the answers it shows")
    numbers = {block.id: number for number, block in enumerate(sheet.questions, 1)}
    for shown in form.shows:
        block = sheet.question(shown.question)
        if block is None:
            texts.append("It shows a question that is gone")
            continue
        asked = QUESTIONS.get(block.process)
        if asked is None:
            continue
        try:
            parts = asked.outputs_for(asked.parse(block.inputs))
        except AwlError:
            continue
        lacking = [part for part in shown.tables if part not in parts]
        texts += [f"Question {numbers[block.id]} has no result '{part}'" for part in lacking]
    return texts
