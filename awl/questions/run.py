"""Run a question on a study: the one way in for the command, the server and saved sheets."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.questions import QUESTIONS, question
from awl.questions.inputs import Json
from awl.questions.question import Answered, Around
from awl.questions.results import Answer
from awl.study.study import Study


def no_other_study(ident: str) -> Study:
    """Other studies, where there are none to be had."""
    raise AwlError(
        f"No other study can be looked at from here, '{ident[:80]}' neither",
        remedy="Leave 'study' out, or compare with 'awl compare' and the file's path",
        inputs=("answers",),
    )


def ask(
    study: Study,
    ident: str,
    inputs: Json,
    progress: Progress | None = None,
    other_study: Callable[[str], Study] = no_other_study,
    answered: Mapping[str, Answered] | None = None,
) -> Answer:
    """The answer of question `ident`.

    Parameters:
        study: the study.
        ident: id of the question.
        inputs: its inputs.
        progress: is told how far the work is, and stops it.
        other_study: opens the other studies that inputs may name.
        answered: answers that stand for those the study keeps, by the ids of their questions.

    Raises:
        AwlError: an input is wrong.
    """
    asked, progress = question(ident), progress or Progress()
    parsed = asked.parse(inputs)
    with progress.running():
        return asked.asked_of(study, parsed, progress, Around(QUESTIONS, other_study, answered or {}))
