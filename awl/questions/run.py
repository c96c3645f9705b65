"""Run a question on a study: the one way in for the command, the server and saved sheets."""

from __future__ import annotations

from awl.core.progress import Progress
from awl.questions import question
from awl.questions.context import Context
from awl.questions.inputs import Json
from awl.questions.results import Answer
from awl.study import what_ifs
from awl.study.study import Study


def ask(study: Study, ident: str, inputs: Json, progress: Progress | None = None) -> Answer:
    """The answer of question `ident`; raises `AwlError` for faulty inputs."""
    asked, progress = question(ident), progress or Progress()
    parsed = asked.parse(inputs)
    with progress.running():
        if asked.needs_hierarchy:
            what_ifs.variant(study, parsed.what_ifs).wait_until_prepared(parsed.mode)
        return asked.answer(parsed, Context(study, parsed, progress))
