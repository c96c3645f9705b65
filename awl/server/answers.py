"""Answers that a study keeps: those of its sheet, and copies that stand whatever becomes of their question."""

from __future__ import annotations

from typing import Any

import orjson
from flask import Blueprint, Response

from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.io import geojson
from awl.questions import question
from awl.questions.compared_parts import parts_compared
from awl.questions.inputs import Json
from awl.questions.kept_answers import is_current, kept_without, part_names
from awl.questions.run import ask
from awl.server.web import body, jobs, reply, started, study_of
from awl.server.workroom import Workroom, task
from awl.study import records, sheet_records
from awl.study.study import Study, slug

api = Blueprint("answers", __name__)
MOST_COPIES = 100
LONGEST_TITLE = 200


@api.get("/studies/<study_id>/answers")
def answers(study_id: str) -> Response:
    """Answers that were kept as they stood, the oldest first; and those that questions of its sheets have."""
    reading = study_of(study_id).reading
    answered = {ident for (ident,) in reading.execute("SELECT question FROM awl_answers")}
    asked = [
        {"id": block["id"], "process": block["process"], "title": block.get("title") or f"answer {number}",
         "sheet": sheet["id"], "sheet_title": sheet.get("title", "")}
        for sheet in sheet_records.listed(reading)
        for number, block in enumerate(sheet_records.questions(reading, sheet["id"]), 1)
        if block["id"] in answered
    ]  # fmt: skip
    return reply({"answers": records.kept_copies(reading), "asked": asked})


@api.get("/studies/<study_id>/answers/<question_id>")
def answer(study_id: str, question_id: str) -> Response:
    """The kept answer of a question, null when there is none; `fresh`: streets and layers are still those it was computed on.

    Answers of earlier versions, which do not say how they are shown, are none: the sheet asks again.
    """
    study = study_of(study_id)
    known = records.answer_as_text(study.reading, question_id)
    if known is None or b'"view":{"' not in known[1]:
        return reply(None)
    head, result = known
    return reply({**head, "result": orjson.Fragment(result), "fresh": is_current(study, head)})


def _kept(study: Study, question_id: str) -> Json:
    document = records.answer(study.reading, question_id)
    if document is None:
        raise AwlError("The question has no answer yet", remedy="Ask it first", status=404, kind="no-answer")
    return document


@api.post("/studies/<study_id>/answers/<question_id>/copies")
def keep_copy(study_id: str, question_id: str) -> Response:
    """Keep the answer of a question as it stands, to be compared with later ones; answers with a job."""
    study, given = study_of(study_id), body()
    title = given.get("title", "")
    if not isinstance(title, str) or len(title) > LONGEST_TITLE:
        raise AwlError(f"A title is text of at most {LONGEST_TITLE} characters", inputs=("title",))
    document = _kept(study, question_id)
    if len(records.kept_copies(study.reading)) >= MOST_COPIES:
        raise AwlError(f"{MOST_COPIES} answers are kept already", remedy="Remove one of them", status=409)
    work = task(kept_copy, study_id=study_id, document=document, title=title)
    return started(jobs().start("keep", study_id, work))


def kept_copy(room: Workroom, progress: Progress, study_id: str, document: Json, title: str) -> Json:
    """Keep an answer as it stands: the work of a job."""
    study = room.studies.study(study_id)
    result = _with_parts(study, document, progress)
    with study.writing() as connection:
        return dict(records.keep_copy(connection, document, title or result["title"], geojson.dumps(result)))


def _with_parts(study: Study, document: Json, progress: Progress) -> Json:
    """The results document of an answer with all that a comparison needs, where asking again would give the same."""
    result: Json = document["result"]
    needed = kept_without(result, parts_compared(question(document["process"]).compared))
    if not needed or not is_current(study, document):
        return result
    again = ask(study, document["process"], document["inputs"], progress)
    return again.document((needed & set(again.parts)) | set(part_names(result)))


@api.delete("/studies/<study_id>/answers/<answer_id>")
def forget_copy(study_id: str, answer_id: str) -> Response:
    """Forget an answer that was kept as it stood."""
    study = study_of(study_id)
    with study.writing() as connection:
        if not records.forget_copy(connection, answer_id):
            raise AwlError(
                f"No answer '{answer_id[:80]}' was kept", remedy="See /answers", status=404, kind="no-answer"
            )
    return reply({})


@api.post("/studies/<study_id>/answers/<question_id>/keep")
def keep_answer(study_id: str, question_id: str) -> Response:
    """Keep the collections of an answer as layers of the study, which any reader of GeoPackage opens."""
    study = study_of(study_id)
    body()
    document = _kept(study, question_id)
    layers = []
    value: Any
    for part, value in document["result"].items():
        if isinstance(value, dict) and value.get("type") == "FeatureCollection" and value["features"]:
            ident = slug(f"answer_{question_id}_{part}")
            title = f"{document['result']['title']}: {part}"
            study.add_layer(ident, geojson.from_document(value, part), title, "answer", f"question {question_id}")
            layers.append(ident)
    return reply({"layers": layers})
