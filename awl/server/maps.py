"""Map sheets and reports over HTTP: the same that the commands write.

What draws is loaded when something is drawn, by the process that draws it: a third of the time a server takes to begin.
"""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, request
from pydantic import BaseModel, ConfigDict, Field

from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.handout.animation_options import AnimationOptions
from awl.handout.answers import kept_content
from awl.handout.content import SheetContent
from awl.handout.moving import with_people
from awl.handout.paper import MapOptions
from awl.server.playing import check_moves, playback_of
from awl.server.web import (
    base_of,
    body,
    checked,
    done,
    jobs,
    known_parameters,
    named_file,
    of_job,
    started,
    study_of,
)
from awl.server.workroom import File, Task, Workroom, task
from awl.sheets.document import MOST_BLOCKS
from awl.sheets.shelf import stored_body
from awl.study.sheet_records import FIRST
from awl.study.study import Study

api = Blueprint("maps", __name__)
REPORT = "report"
ANIMATION = "animation"
REPORT_POLICY = (
    "default-src 'none'; style-src 'unsafe-inline'; img-src data:; font-src data:; frame-ancestors 'self'; sandbox"
)


@api.get("/studies/<study_id>/maps/<answer_id>")
def map_sheet(study_id: str, answer_id: str) -> Response:
    """The map sheet of an answer, as PNG, SVG or PDF."""
    known_parameters("format", *MapOptions.model_fields)
    study = study_of(study_id)
    given: dict[str, Any] = {name: value for name, value in request.args.items() if name not in ("f", "format")}
    if "centre" in given:
        given["centre"] = given["centre"].split(",")
    options, ending = checked(MapOptions, given), request.args.get("format", "png")
    work = task(drawn, study_id=study.id, answer_id=answer_id, options=options, ending=ending)
    return done("map", study_id, work, answer_id, is_brief=True)


def drawn(room: Workroom, progress: Progress, study_id: str, answer_id: str, options: MapOptions, ending: str) -> File:
    """Draw the map sheet of an answer: the work of a request."""
    from awl.handout.map_sheet import draw_map_sheet

    study = room.studies.study(study_id)
    data = draw_map_sheet(study, _content(room, study, answer_id), options, ending)
    return named_file(data, f"{study_id}-{answer_id}.{ending}", shown=True)


def _content(room: Workroom, study: Study, answer_id: str) -> SheetContent:
    """A kept answer as it is drawn, with those who move in it."""
    return with_people(kept_content(study, answer_id), lambda: playback_of(study, answer_id, room.played))


class AnimationWanted(AnimationOptions):
    """Which answer an animation is of."""

    answer: str


@api.post("/studies/<study_id>/animations")
def make_animation(study_id: str) -> Response:
    """Animate an answer in which people move, as a job."""
    study, wanted = study_of(study_id), checked(AnimationWanted, body())
    check_moves(study, wanted.answer)
    return _followed(ANIMATION, study_id, task(animated, study_id=study_id, wanted=wanted), wanted.answer)


def animated(room: Workroom, progress: Progress, study_id: str, wanted: AnimationWanted) -> File:
    """Draw the animation of an answer: the work of a job."""
    study = room.studies.study(study_id)
    from awl.handout.animation import animation_gif

    options = AnimationOptions(**wanted.model_dump(exclude={"answer"}))
    data = animation_gif(study, _content(room, study, wanted.answer), options, progress)
    return named_file(data, f"{study_id}-{wanted.answer[:40]}.gif", shown=True)


@api.get("/studies/<study_id>/animations/<job_id>")
def made_animation(study_id: str, job_id: str) -> Response:
    """An animation that was made, as GIF."""
    return _response_of(ANIMATION, study_id, job_id)


class ReportWanted(BaseModel):
    """Which sheet a report is of, and which of its blocks are left out."""

    model_config = ConfigDict(extra="forbid")

    sheet: str = FIRST
    without: list[str] = Field(default=[], max_length=MOST_BLOCKS)


@api.get("/studies/<study_id>/report")
def report(study_id: str) -> Response:
    """A sheet as one page that opens offline; `without` names blocks that are left out, commas between."""
    known_parameters("sheet", "without")
    left_out = [part for part in request.args.get("without", "").split(",") if part]
    wanted = checked(ReportWanted, {"sheet": request.args.get("sheet", FIRST), "without": left_out})
    stored_body(study_of(study_id), wanted.sheet)
    return done(REPORT, study_id, task(written, study_id=study_id, wanted=wanted), wanted.sheet)


@api.post("/studies/<study_id>/reports")
def make_report(study_id: str) -> Response:
    """Make a report as a job: questions whose answer is stale are asked again, which can take a while."""
    study, wanted = study_of(study_id), checked(ReportWanted, body())
    stored_body(study, wanted.sheet)
    return _followed(REPORT, study_id, task(written, study_id=study_id, wanted=wanted), wanted.sheet)


def written(room: Workroom, progress: Progress, study_id: str, wanted: ReportWanted) -> File:
    """Write a report: the work of a job."""
    from awl.handout.report import report_html

    text = report_html(room.studies.study(study_id), wanted.sheet, wanted.without, progress=progress)
    name = f"{study_id}-report.html" if wanted.sheet == FIRST else f"{study_id}-{wanted.sheet[:40]}-report.html"
    file = named_file(text.encode(), name, shown=True)
    # A page of its own, that loads nothing and runs nothing.
    file.headers["Content-Security-Policy"] = REPORT_POLICY
    return file


@api.get("/studies/<study_id>/reports/<job_id>")
def made_report(study_id: str, job_id: str) -> Response:
    """A report that was made as a job."""
    return _response_of(REPORT, study_id, job_id)


def _followed(process: str, study_id: str, work: Task, of: str) -> Response:
    """Start making an `animation` or a `report`, and say where it will be."""
    job = jobs().start(process, study_id, work, of)
    return started(job, f"{base_of(study_id)}/{process}s/{job.id}")


def _response_of(process: str, study_id: str, job_id: str) -> Response:
    """An `animation` or a `report` that a job made."""
    job = jobs().get(job_id, study_id)
    if job.process != process:
        raise AwlError(f"There is no {process} '{job_id[:80]}'", remedy="Make one", status=404, kind="no-such-job")
    return of_job(job)
