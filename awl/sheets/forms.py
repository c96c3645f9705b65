"""A form as its page shows it: sentences with blanks in them, what each blank takes and begins with; and its answers."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.questions import question
from awl.questions.inputs import Json
from awl.questions.wording import Word, sentence_pieces, vocabulary_of
from awl.sheets.document import Blank, Form, Sheet
from awl.sheets.filling import filled, slot_of
from awl.sheets.running import run_sheet
from awl.study import records, what_ifs
from awl.study.study import Study

MAPPED = ("place", "closures")
"""Words that points on the map can stand for."""
INPUTS = {"moment": "datetime-local", "number": "number", "limit": "number"}
CHOSEN = ("mode", "choice", "field")
TICKED = ("several", "measures", "costs", "fields", "what-ifs")


@dataclass(frozen=True)
class FormField:
    """A blank as a form shows it.

    Attributes:
        name: what its value is sent as.
        label, help: what it is called, and what to know when filling it in.
        kind: `points` on the map, one of some (`choice`), some of some (`ticks`), or a type of input.
        value: what it begins with: text; points as a list of lon, lat; ticks as a list.
        options: what may be chosen, with words.
        least, most: bounds of a number.
        unit: what stands beside it.
        many: whether it takes several points.
        nothing: what it says where it is left empty; None where it must be filled in.
        ink: what kind of word it is, which decides its colour.
    """

    name: str
    label: str
    help: str
    kind: str
    value: Any
    options: list[tuple[str, str]]
    least: float | None
    most: float | None
    unit: str
    many: bool
    nothing: str | None
    ink: str


@dataclass(frozen=True)
class FormSentence:
    """A question of a form: its sentence, text and blanks in turn, and the blanks that have no place in it."""

    number: int
    pieces: list[str | FormField]
    rest: list[FormField]


def form_sentences(form: Form, sheet: Sheet, study: Study) -> list[FormSentence]:
    """The questions that a form fills, with their blanks.

    Raises:
        AwlError: a blank has lost its word.
    """
    sentences, words = [], vocabulary_of(study)
    for number, block in enumerate(sheet.questions, 1):
        asked = {
            blank.input: form_field(blank, sheet, study)
            for name in form.asks
            if (blank := sheet.blank(name)) is not None and blank.question == block.id
        }
        if not asked:
            continue
        pieces: list[str | FormField] = []
        for piece in sentence_pieces(question(block.process), block.inputs, words, asked):
            shown = asked.get(piece.name, piece.text) if isinstance(piece, Word) else piece
            if isinstance(shown, str) and pieces and isinstance(pieces[-1], str):
                pieces[-1] += shown
            else:
                pieces.append(shown)
        placed = [piece.name for piece in pieces if isinstance(piece, FormField)]
        sentences.append(FormSentence(number, pieces, [field for field in asked.values() if field.name not in placed]))
    return sentences


def form_field(blank: Blank, sheet: Sheet, study: Study) -> FormField:
    """A blank as a form shows it.

    Parameters:
        blank: the blank.
        sheet: the sheet that it is of.
        study: the study it is asked of.

    Raises:
        AwlError: it has lost its word.
    """
    slot = slot_of(blank, sheet, study)
    block = sheet.question(blank.question)
    assert block is not None
    control = slot["control"]
    given = block.inputs.get(blank.input, slot["default"])
    options = _options(blank, slot, study)
    if control in MAPPED:
        kind = "points"
    elif control in CHOSEN and options:
        kind = "choice"
    elif control in TICKED and options:
        kind = "ticks"
    else:
        kind = INPUTS.get(control, "text")
    value = None if blank.empty else _value(kind, given)
    many = blank.several or control == "closures" or slot.get("points", {}).get("least", 1) > 1
    return FormField(
        blank.name, blank.called, blank.help, kind, value, options, blank.least, blank.most, _unit(slot, block.inputs), many,
        slot.get("nothing"), slot["kind"],
    )  # fmt: skip


def _options(blank: Blank, slot: Json, study: Study) -> list[tuple[str, str]]:
    words: Mapping[str, str] = slot.get("words") or {}
    if slot["control"] == "what-ifs":
        words = {idea.id: idea.title for idea in what_ifs.listed(study.reading)}
    if slot["control"] in MAPPED:
        words = {entry["id"]: entry["title"] for entry in study.layers() if entry["id"] in (blank.options or [])}
    allowed = blank.options or list(words)
    return [(option, words.get(option, option.replace("_", " "))) for option in allowed]


def _unit(slot: Json, inputs: Json) -> str:
    if slot["control"] in ("limit", "limits"):
        return "m" if inputs.get("measure") == "distance" else "min"
    return str(slot.get("unit") or "").split(" ", 1)[0] if slot["control"] == "number" else ""


def _value(kind: str, given: Any) -> Any:
    if given is None or kind == "ticks":
        return [] if given is None and kind == "ticks" else [given] if isinstance(given, str) else given
    if kind == "points":
        if isinstance(given, dict) and given.get("features"):
            shapes = [feature.get("geometry") or {} for feature in given["features"]]
            return [shape["coordinates"] for shape in shapes if shape.get("type") == "Point"]
        if isinstance(given, dict) and given.get("type") == "MultiPoint":
            return given["coordinates"]
        return given.get("layer") or given.get("name") if isinstance(given, dict) else None
    return ", ".join(f"{one:g}" for one in given) if isinstance(given, list) else given


def run_form(
    study: Study,
    sheet: Sheet,
    form: Form,
    values: Mapping[str, Any],
    progress: Progress,
    other_study: Callable[[str], Study],
) -> Json:
    """The answers that a form shows, as documents by the ids of their questions; nothing of it is kept in the study.

    Parameters:
        study: the study.
        sheet: the sheet of the form.
        form: the form.
        values: values by the names of its blanks.
        progress: is told how far the work is, and stops it.
        other_study: opens the other studies that questions may name.

    Raises:
        AwlError: a value is not allowed, or a question cannot be answered.
    """
    ready = filled(sheet, values, study, form.asks)
    shows = {shown.question: shown for shown in form.shows}
    revision = study.revision
    answered = run_sheet(study, ready, progress, list(shows), other_study)
    answers = {}
    for ident, shown in shows.items():
        if ident not in answered:
            raise AwlError("The form shows a question that is gone", remedy="Its author can mend it", status=409)
        one = answered[ident]
        wanted = one.answer.view.parts | (set(shown.tables) & set(one.answer.parts))
        answers[ident] = {"process": one.process, "inputs": one.inputs, "document": one.answer.document(wanted)}
    return {"form": form.id, "made": records.now(), "revision": revision, "values": dict(values), "answers": answers}
