"""Answers that are played on the map: everybody's way with times, as arrays."""

from __future__ import annotations

from flask import Blueprint, Response

from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.questions.inputs import Json
from awl.questions.kept_answers import is_current
from awl.questions.results import Answer
from awl.questions.run import ask
from awl.questions.simulate.playback import Playback
from awl.questions.simulate.run import SimulateResult
from awl.server.last_played import LastPlayed
from awl.server.web import BINARY, done, known_parameters, packed_bytes, study_of
from awl.server.workroom import File, Workroom, task
from awl.study import records
from awl.study.study import Study

api = Blueprint("playing", __name__)


def answer_again(study: Study, document: Json, held: LastPlayed) -> Answer:
    """A kept answer with all its parts: as it is held, or asked again.

    Raises:
        AwlError: asking again would give another answer.
    """
    process, inputs = document["process"], document["inputs"]
    answer = held.find(study, process, inputs) if is_current(study, document) else None
    if answer is not None:
        return answer
    if not is_current(study, document):
        raise AwlError(
            "Streets, layers or modes have changed since this was answered",
            remedy="Ask the question again",
            status=409,
            kind="stale",
        )
    answer = ask(study, process, inputs, Progress())
    held.keep(study, process, inputs, answer)
    return answer


def check_moves(study: Study, question_id: str) -> Json:
    """A kept answer in which something moves.

    Raises:
        AwlError: there is none, or nothing of it moves.
    """
    document = records.answer(study.reading, question_id)
    if document is None:
        raise AwlError("The question has no answer yet", remedy="Ask it first", status=404, kind="no-answer")
    if document["process"] != "simulate":
        raise AwlError(
            "Nothing moves in this answer", remedy="Play answers of 'simulate'", status=404, kind="no-playback"
        )
    return document


def playback_of(study: Study, question_id: str, held: LastPlayed) -> Playback:
    """What is played of a kept answer.

    Raises:
        AwlError: there is none, or nothing of it moves.
    """
    result = answer_again(study, check_moves(study, question_id), held).result
    assert isinstance(result, SimulateResult)
    return result.playback()


@api.get("/studies/<study_id>/answers/<question_id>/playback")
def playback(study_id: str, question_id: str) -> Response:
    """Everybody's way with times, and how full places are, as arrays."""
    known_parameters()
    check_moves(study_of(study_id), question_id)
    return done("play", study_id, task(played, study_id=study_id, question_id=question_id), question_id)


def played(room: Workroom, progress: Progress, study_id: str, question_id: str) -> File:
    """What is played of an answer, as arrays: the work of a request."""
    shown = playback_of(room.studies.study(study_id), question_id, room.played)
    return File(packed_bytes(shown.head(), *shown.arrays()), BINARY)
