"""What a map sheet is of: an answer that is kept, or one that was computed a moment ago."""

from __future__ import annotations

from awl.handout.map_sheet import SheetContent
from awl.io.table import Table
from awl.questions import QUESTIONS
from awl.questions.inputs import Json
from awl.questions.kept_answers import kept_answer
from awl.questions.results import Answer
from awl.questions.wording import sentence_of
from awl.study import records
from awl.study.study import Study
from awl.views.view import VIEW

GRADES = ("error", "warning", "note")


def kept_content(study: Study, question: str) -> SheetContent:
    """A kept answer with the name and the looks that the sheet gives it.

    Raises:
        AwlError: there is no such answer.
    """
    kept = kept_answer(study, question, "answer")
    document, block = kept.document, _block(study, question)
    named = {
        "title": block.get("title") or document["title"],
        "figures": document["figures"],
        "method": document["method"],
    }
    if "answers" in kept.inputs:
        # What differs between the questions stands in place of one.
        asked, named["method"] = named["method"][0], named["method"][1:]
    else:
        asked = _asked(study, kept.process, kept.inputs)
    view = VIEW.validate_python({**document["view"], **named})
    parts = set(kept.parts)

    def part(name: str) -> Table | None:
        return kept.part(name) if name in parts else None

    return SheetContent(
        view, part, asked, _mode(kept.inputs), _doubts(document["doubts"]), kept.made,
        block.get("look") or {},
    )  # fmt: skip


def fresh_content(study: Study, process: str, inputs: Json, answer: Answer) -> SheetContent:
    """An answer that was computed a moment ago."""

    def part(name: str) -> Table | None:
        return answer.part(name) if name in answer.parts else None

    doubts = _doubts([doubt.json() for doubt in answer.doubts])
    return SheetContent(answer.view, part, _asked(study, process, inputs), _mode(inputs), doubts, records.now())


def _block(study: Study, question: str) -> Json:
    sheet = records.sheet(study.reading, "main") or {}
    return next((block for block in sheet.get("blocks", []) if block.get("id") == question), {})


def _asked(study: Study, process: str, inputs: Json) -> str:
    """The question as a sentence; of a comparison none, its title and method say it."""
    asked = QUESTIONS.get(process)
    return "" if asked is None or "answers" in inputs else sentence_of(asked, inputs, study)


def _mode(inputs: Json) -> str | None:
    return None if "answers" in inputs else str(inputs.get("mode", "walk"))


def _doubts(doubts: list[Json]) -> list[str]:
    """Texts of doubts, the gravest first."""
    return [doubt["text"] for doubt in sorted(doubts, key=lambda doubt: GRADES.index(doubt["grade"]))]
