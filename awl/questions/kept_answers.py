"""Answers that a study keeps: their parts as typed tables again, with the units and meanings their document states."""

from __future__ import annotations

import re
from collections.abc import Collection
from dataclasses import dataclass, replace
from typing import Any

import pyarrow as pa

from awl.core.errors import AwlError
from awl.io import geojson
from awl.io.table import Column, Meaning, Table
from awl.io.value_kinds import TYPES
from awl.questions.compared_parts import parts_compared
from awl.questions.inputs import Json
from awl.questions.question import Question
from awl.questions.results import Answer
from awl.study import records, what_ifs
from awl.study.study import Study
from awl.views.view import FRAME

NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9_-]{0,63}$")
"""What answers can be kept as."""


@dataclass(frozen=True)
class KeptAnswer:
    """An answer as it was kept.

    Attributes:
        question: the name it is kept under.
        process: which question it answers.
        inputs: what was asked.
        made: when.
        revision: of the streets it was computed on.
        document: its results document.
    """

    question: str
    process: str
    inputs: Json
    made: str
    revision: str
    document: Json

    @property
    def parts(self) -> list[str]:
        """Names of the parts that were kept."""
        return part_names(self.document)

    def lacks(self, wanted: Collection[str]) -> set[str]:
        """Which of some parts the answer had and was kept without."""
        return kept_without(self.document, wanted)

    def part(self, name: str) -> Table:
        """A part that was kept."""
        return part_of(self.document, name)

    def is_current(self, study: Study) -> bool:
        """Whether asking again would give the same: streets, layers, mode and what-ifs are those it was computed with."""
        head = {"inputs": self.inputs, "made": self.made, "stamp": self.revision}
        return is_current(study, head)


def keep_under(study: Study, name: str, asked: type[Question], inputs: Json, answer: Answer, seconds: float) -> None:
    """Keep an answer under a name, with all that it shows and that a comparison needs.

    Raises:
        AwlError: the name cannot be one.
    """
    if not NAME.match(name):
        raise AwlError(
            f"An answer cannot be kept as '{name[:80]}'", remedy="Use letters, digits, - and _", inputs=("keep",)
        )
    wanted = answer.view.parts | (set(parts_compared(asked.compared)) & set(answer.parts))
    head = {
        "process": asked.id,
        "inputs": inputs,
        "stamp": study.revision,
        "made": records.now(),
        "seconds": round(seconds, 3),
    }
    with study.writing() as connection:
        records.keep_copy(connection, head, answer.title, answer.encoded(wanted), name)


def is_current(study: Study, answer: Json) -> bool:
    """Whether a kept answer, as `records.answer` gives it, is what asking again would give."""
    inputs = answer["inputs"]
    changed = [""]
    if "answers" not in inputs:
        known = study.modes().get(str(inputs.get("mode", "walk")))
        wanted = inputs.get("what_if") or []
        changed.append("9" if known is None else known[1])
        changed.append(what_ifs.changed_last(study, [wanted] if isinstance(wanted, str) else wanted))
    return records.is_fresh(study.reading, answer, study.revision, max(changed))


def kept_answer(study: Study, question: str, name: str = "answers") -> KeptAnswer:
    """The answer that is kept under a name.

    Raises:
        AwlError: there is none, or it was kept by a version that did not say how it is shown; `name` is the input it is for.
    """
    answer = records.answer(study.reading, question)
    if answer is None or "view" not in answer["result"]:
        raise AwlError(
            f"'{question}' has no answer",
            remedy="Ask it first, or name a question of the sheet that has one",
            inputs=(name,),
            kind="no-answer",
        )
    head = {key: answer[key] for key in ("process", "inputs", "made")}
    return KeptAnswer(question, revision=answer["stamp"], document=answer["result"], **head)


def kept_without(document: Json, wanted: Collection[str]) -> set[str]:
    """Which of some parts an answer had that its document does not hold; those of earlier versions do not say what they had."""
    had = document.get("parts")
    return (set(wanted) if had is None else set(wanted) & set(had)) - set(part_names(document))


def part_names(document: Json) -> list[str]:
    """Names of the parts of a results document."""
    return [key for key, value in document.items() if isinstance(value, list | dict) and key not in FRAME]


def part_of(document: Json, name: str) -> Table:
    """A part of a results document as a table."""
    value = document[name]
    table = geojson.from_document(value, name) if isinstance(value, dict) else Table.of_records(value)
    stated = document.get("schema", {}).get(name, [])
    if not stated and not len(table):
        return table
    rows = [feature["properties"] for feature in value["features"]] if isinstance(value, dict) else value
    columns = {
        entry["name"]: _column(table.columns.get(entry["name"], [None] * len(table)), entry, rows)
        for entry in stated
        if entry["name"] in table.columns or len(table) == 0
    }
    return table.with_columns(columns)


def _column(values: Any, stated: Json, rows: list[Json]) -> Column:
    """A column with the type, unit and meaning that a schema states; lists and mappings among its values stay what they are."""
    own = [row.get(stated["name"]) for row in rows]
    if any(isinstance(value, list | dict) for value in own):
        return Column.of_nested(own)
    column = Column.of(values)
    wanted = TYPES[stated["type"]]
    if column.data.type != wanted and column.data.null_count == len(column):
        column = replace(column, data=pa.nulls(len(column), wanted))
    elif stated["type"] == "number" and column.kind == "integer":
        column = replace(column, data=column.data.cast(wanted))
    meaning = None
    if "quantity" in stated:
        named = {key: stated[key] for key in ("quantity", "of", "limit", "nth", "run") if key in stated}
        meaning = Meaning(**named)
    return replace(column, unit=stated.get("unit", ""), meaning=meaning)
