"""What a map sheet is of: an answer that is kept, or one that was computed a moment ago."""

from __future__ import annotations

from dataclasses import replace

from pydantic import ValidationError

from awl.core.errors import AwlError
from awl.handout.content import SheetContent
from awl.handout.moving import with_people
from awl.io.table import Table
from awl.questions import QUESTIONS
from awl.questions.inputs import Json
from awl.questions.kept_answers import KeptAnswer, kept_answer
from awl.questions.results import Answer
from awl.questions.simulate.run import SimulateResult
from awl.questions.wording import sentence_of
from awl.study import records, sheet_records
from awl.study.study import Study
from awl.views.view import VIEW, View

GRADES = ("error", "warning", "note")


def kept_content(study: Study, question: str) -> SheetContent:
    """A kept answer with the name and the looks that the sheet gives it.

    Raises:
        AwlError: there is no such answer.
    """
    kept = kept_answer(study, question, "answer")
    return document_content(study, kept, sheet_records.block(study.reading, question) or {})


def document_content(study: Study, kept: KeptAnswer, block: Json) -> SheetContent:
    """An answer that was kept as its document.

    Parameters:
        study: the study that it is of.
        kept: the answer.
        block: its question in the sheet, with the name and the looks it was given.

    Raises:
        AwlError: another version of Awl has answered it.
    """
    document = kept.document
    named = {
        "title": block.get("title") or document["title"],
        "figures": document["figures"],
        "method": document["method"],
    }
    try:
        view = VIEW.validate_python({**document["view"], **named})
    except ValidationError as error:
        raise AwlError(
            f"'{kept.question}' was answered by another version of Awl", remedy="Ask it again", inputs=("answer",)
        ) from error
    parts = set(kept.parts)

    def part(name: str) -> Table | None:
        return kept.part(name) if name in parts else None

    view, asked = _worded(study, kept.process, kept.inputs, view)
    return SheetContent(
        view, part, asked, _mode(kept.inputs), _doubts(document["doubts"]), kept.made, block.get("look") or {},
    )  # fmt: skip


def fresh_content(study: Study, process: str, inputs: Json, answer: Answer) -> SheetContent:
    """An answer that was computed a moment ago."""

    def part(name: str) -> Table | None:
        return answer.part(name) if name in answer.parts else None

    doubts = _doubts([doubt.json() for doubt in answer.doubts])
    view, asked = _worded(study, process, inputs, answer.view)
    content = SheetContent(view, part, asked, _mode(inputs), doubts, records.now())
    result = answer.result
    return with_people(content, result.playback) if isinstance(result, SimulateResult) else content


def _worded(study: Study, process: str, inputs: Json, view: View) -> tuple[View, str]:
    """The view, and its question as a sentence; of a comparison what differs between the questions, which leads its method."""
    asked = QUESTIONS.get(process)
    if "answers" in inputs:
        return replace(view, method=view.method[1:]), view.method[0]
    return view, "" if asked is None else sentence_of(asked, inputs, study)


def _mode(inputs: Json) -> str | None:
    return None if "answers" in inputs else str(inputs.get("mode", "walk"))


def _doubts(doubts: list[Json]) -> list[dict[str, str]]:
    """Doubts with their grades, the gravest first."""
    return [
        {"grade": doubt["grade"], "text": doubt["text"]}
        for doubt in sorted(doubts, key=lambda doubt: GRADES.index(doubt["grade"]))
    ]
