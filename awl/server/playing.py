"""Answers that are played on the map: everybody's way with times, as arrays. The last are held, so that none is run twice."""

from __future__ import annotations

import threading
from collections import OrderedDict

from flask import Blueprint, Response, current_app

from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.questions.inputs import Json
from awl.questions.kept_answers import is_current
from awl.questions.results import Answer
from awl.questions.run import ask
from awl.questions.simulate.playback import Playback
from awl.questions.simulate.run import SimulateResult
from awl.server.web import known_parameters, packed, study_of
from awl.study import records
from awl.study.records import canonical
from awl.study.study import Study

api = Blueprint("playing", __name__)
MOST_HELD = 3


class LastPlayed:
    """The last answers that can be played, by what was asked of which streets."""

    def __init__(self) -> None:
        self._held: OrderedDict[tuple[str, str, str], Answer] = OrderedDict()
        self._lock = threading.Lock()

    def keep(self, study: Study, process: str, inputs: Json, answer: Answer) -> None:
        """Hold an answer if it can be played."""
        if isinstance(answer.result, SimulateResult):
            with self._lock:
                self._held[self._key(study, process, inputs)] = answer
                while len(self._held) > MOST_HELD:
                    self._held.popitem(last=False)

    def find(self, study: Study, process: str, inputs: Json) -> Answer | None:
        """The answer to a question if it is held."""
        with self._lock:
            return self._held.get(self._key(study, process, inputs))

    @staticmethod
    def _key(study: Study, process: str, inputs: Json) -> tuple[str, str, str]:
        return f"{study.path} {study.revision}", process, canonical(inputs)


def last_played() -> LastPlayed:
    """Those of the application."""
    held: LastPlayed = current_app.extensions["awl-last-played"]
    return held


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


def playback_of(study: Study, question_id: str, held: LastPlayed) -> Playback:
    """What is played of a kept answer.

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
    result = answer_again(study, document, held).result
    assert isinstance(result, SimulateResult)
    return result.playback()


@api.get("/studies/<study_id>/answers/<question_id>/playback")
def playback(study_id: str, question_id: str) -> Response:
    """Everybody's way with times, and how full places are, as arrays."""
    known_parameters()
    played = playback_of(study_of(study_id), question_id, last_played())
    return packed(played.head(), *played.arrays())
