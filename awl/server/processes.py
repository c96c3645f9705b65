"""OGC API Processes: every question is a process, run at once or as a job."""

from __future__ import annotations

import time
from collections.abc import Collection
from typing import Any

from flask import Blueprint, Response, request

from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.questions import QUESTIONS, question
from awl.questions.brief import is_brief
from awl.questions.describe import process_description, process_summary
from awl.questions.inputs import Json
from awl.questions.results import Answer
from awl.questions.run import ask
from awl.server import health
from awl.server.web import base_of, body, done, jobs, known_parameters, link, of_job, reply, started, study_of
from awl.server.workroom import JSON, File, Task, Workroom, task
from awl.study import records
from awl.study.study import Study

api = Blueprint("processes", __name__)


@api.get("/studies/<study_id>/processes")
def processes(study_id: str) -> Response:
    """All processes."""
    study_of(study_id)
    base = base_of(study_id)
    every = [*(process_summary(asked) for asked in QUESTIONS.values()), health.PROCESS]
    listed = [{**one, "links": [link(f"{base}/processes/{one['id']}", "self")]} for one in every]
    return reply({"processes": listed, "links": [link(f"{base}/processes", "self")]})


@api.get("/studies/<study_id>/processes/<process_id>")
def process(study_id: str, process_id: str) -> Response:
    """One process with its inputs and outputs."""
    study_of(study_id)
    if process_id == health.PROCESS["id"]:
        described = health.described()
    else:
        modes = [mode for mode, _ in study_of(study_id).modes().values()]
        described = process_description(question(process_id), modes)
    execute = link(
        f"{base_of(study_id)}/processes/{process_id}/execution", "http://www.opengis.net/def/rel/ogc/1.0/execute"
    )
    return reply({**described, "links": [execute]})


@api.post("/studies/<study_id>/processes/<process_id>/execution")
def execution(study_id: str, process_id: str) -> Response:
    """Run a process. `Prefer: respond-async` makes it a job; `question` keeps the answer under that name."""
    known_parameters()
    study, document = study_of(study_id), body()
    inputs = document.get("inputs", {})
    if not isinstance(inputs, dict):
        raise AwlError("'inputs' is not a JSON object", remedy='Send {"inputs": {...}}', inputs=("inputs",))
    unknown = set(document) - {"inputs", "outputs", "response", "question", "subscriber"}
    if unknown:
        raise AwlError(
            f"'{sorted(unknown)[0]}' is not a member of an execute request", remedy="Members: inputs, outputs"
        )
    name = document.get("question")
    if name is not None and not isinstance(name, str):
        raise AwlError("'question' is not text", inputs=("question",))
    # Faulty inputs are refused at once, also for jobs.
    is_check = process_id == health.PROCESS["id"]
    work, brief = (_checking if is_check else _asking)(study, process_id, inputs, document, name)
    if "respond-async" in request.headers.get("Prefer", ""):
        response = started(jobs().start(process_id, study_id, work, name, is_brief=brief))
        response.headers["Preference-Applied"] = "respond-async"
        return response
    return done(process_id, study_id, work, name, is_brief=brief)


def _asking(study: Study, process_id: str, inputs: Json, document: Json, name: str | None) -> tuple[Task, bool]:
    """Asking a question, and whether it is brief."""
    asked = question(process_id)
    parsed = asked.parse(inputs)
    wanted = _wanted(document.get("outputs"), asked.outputs_for(parsed))
    work = task(answered, study_id=study.id, process_id=process_id, inputs=inputs, wanted=wanted, name=name)
    return work, is_brief(asked, parsed, study)


def answered(
    room: Workroom, progress: Progress, study_id: str, process_id: str, inputs: Json, wanted: set[str] | None,
    name: str | None,
) -> File:  # fmt: skip
    """The results document of a question: the work of a job."""
    study = room.studies.study(study_id)
    began, revision = time.monotonic(), study.revision
    answer = ask(study, process_id, inputs, progress, room.studies.study)
    room.played.keep(study, process_id, inputs, answer)
    return File(_kept(study, process_id, inputs, answer, wanted, name, (began, revision), progress), JSON)


def _checking(study: Study, process_id: str, inputs: Json, document: Json, name: str | None) -> tuple[Task, bool]:
    """Checking the streets, which is never brief."""
    if inputs or name is not None:
        raise AwlError(
            f"'{process_id}' takes no inputs and is kept under no name", remedy="Send {}", inputs=tuple(inputs)
        )
    wanted = _wanted(document.get("outputs"), health.OUTPUTS)
    return task(health.checked, study_id=study.id, wanted=wanted), False


def _wanted(outputs: Any, known: Collection[str]) -> set[str] | None:
    """Names of the results asked for; None for all."""
    if outputs is None:
        return None
    if not isinstance(outputs, dict):
        raise AwlError("'outputs' is not a JSON object", remedy='Send {"outputs": {"areas": {}}}', inputs=("outputs",))
    for name in outputs:
        if name not in known and name not in ("summary", "doubts"):
            raise AwlError(
                f"There is no output '{name}'", remedy=f"Outputs are: {', '.join(known)}", inputs=("outputs",)
            )
    return set(outputs)


def _kept(
    study: Study, process_id: str, inputs: Json, answer: Answer, wanted: set[str] | None, name: str | None,
    begun: tuple[float, str], progress: Progress,
) -> bytes:  # fmt: skip
    """The results document of an answer, kept under a name where there is one; `begun` is when, and on which streets."""
    began, revision = begun
    if wanted is not None:
        # What is kept for the sheet holds all that its view shows; others get the table that leads besides what they want.
        wanted |= answer.view.parts if name is not None else {table.part for table in answer.view.tables[:1]}
    document = answer.encoded(wanted)
    if name is not None:
        progress.step(0.99, "Keeping the answer")
        with study.writing() as connection:
            seconds = round(time.monotonic() - began, 3)
            records.save_answer(connection, name, process_id, inputs, revision, seconds, document)
    return document


@api.get("/studies/<study_id>/jobs")
def job_list(study_id: str) -> Response:
    """Jobs of a study, newest first."""
    study_of(study_id)
    base = base_of(study_id)
    return reply({"jobs": [job.info(base) for job in jobs().of(study_id)], "links": [link(f"{base}/jobs", "self")]})


@api.get("/studies/<study_id>/jobs/<job_id>")
def job_status(study_id: str, job_id: str) -> Response:
    """How a job stands."""
    return reply(jobs().get(job_id, study_id).info(base_of(study_id)))


@api.get("/studies/<study_id>/jobs/<job_id>/results")
def job_results(study_id: str, job_id: str) -> Response:
    """The results document of a job that has ended well; the problem of one that failed."""
    return of_job(jobs().get(job_id, study_id))


@api.delete("/studies/<study_id>/jobs/<job_id>")
def job_dismiss(study_id: str, job_id: str) -> Response:
    """Stop a job, or forget one that has ended."""
    job = jobs().get(job_id, study_id)
    jobs().dismiss(job)
    return reply(job.info(base_of(study_id)))
