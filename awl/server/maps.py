"""Map sheets and reports over HTTP: the same that the commands write."""

from __future__ import annotations

import base64
from typing import Any

import orjson
from flask import Blueprint, Response, request
from pydantic import BaseModel, ConfigDict, Field

from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.handout.animation import AnimationOptions, animation_gif
from awl.handout.answers import kept_content
from awl.handout.map_sheet import FORMATS, SheetContent, draw_map_sheet
from awl.handout.moving import with_people
from awl.handout.paper import MapOptions
from awl.handout.report import report_html
from awl.questions.inputs import Json
from awl.server.playing import last_played, playback_of
from awl.server.web import base_of, body, checked, jobs, known_parameters, reply, study_of
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
    data = draw_map_sheet(study, _content(study, answer_id), options, ending)
    name = f"{study_id}-{answer_id}.{ending}"
    return Response(data, content_type=FORMATS[ending], headers={"Content-Disposition": f'inline; filename="{name}"'})


def _content(study: Study, answer_id: str) -> SheetContent:
    """A kept answer as it is drawn, with those who move in it."""
    held = last_played()
    return with_people(kept_content(study, answer_id), lambda: playback_of(study, answer_id, held))


class AnimationWanted(AnimationOptions):
    """Which answer an animation is of."""

    answer: str


@api.post("/studies/<study_id>/animations")
def make_animation(study_id: str) -> Response:
    """Animate an answer in which people move, as a job."""
    study, wanted = study_of(study_id), checked(AnimationWanted, body())
    content = _content(study, wanted.answer)
    options = AnimationOptions(**wanted.model_dump(exclude={"answer"}))

    def work(progress: Progress) -> Json:
        data = animation_gif(study, content, options, progress)
        return {"answer": wanted.answer, "gif": base64.b64encode(data).decode()}

    job = jobs().start(ANIMATION, study_id, work)
    base = base_of(study_id)
    return reply(job.info(base), 201, Location=f"{base}/animations/{job.id}")


@api.get("/studies/<study_id>/animations/<job_id>")
def made_animation(study_id: str, job_id: str) -> Response:
    """An animation that was made, as GIF."""
    job = jobs().get(job_id, study_id)
    if job.process != ANIMATION:
        raise AwlError(f"There is no animation '{job_id[:80]}'", remedy="Make one", status=404, kind="no-such-job")
    if job.error is not None:
        raise job.error
    result = orjson.loads(job.result_json())
    name = f"{study_id}-{result['answer'][:40]}.gif"
    headers = {"Content-Disposition": f'inline; filename="{name}"'}
    return Response(base64.b64decode(result["gif"]), content_type="image/gif", headers=headers)


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
    sheet = request.args.get("sheet", FIRST)
    return _page(study_id, sheet, report_html(study_of(study_id), sheet, left_out))


@api.post("/studies/<study_id>/reports")
def make_report(study_id: str) -> Response:
    """Make a report as a job: questions whose answer is stale are asked again, which can take a while."""
    study, wanted = study_of(study_id), checked(ReportWanted, body())
    stored_body(study, wanted.sheet)

    def work(progress: Progress) -> Json:
        return {"sheet": wanted.sheet, "html": report_html(study, wanted.sheet, wanted.without, progress=progress)}

    job = jobs().start(REPORT, study_id, work)
    base = base_of(study_id)
    return reply(job.info(base), 201, Location=f"{base}/reports/{job.id}")


@api.get("/studies/<study_id>/reports/<job_id>")
def made_report(study_id: str, job_id: str) -> Response:
    """A report that was made as a job."""
    job = jobs().get(job_id, study_id)
    if job.process != REPORT:
        raise AwlError(f"There is no report '{job_id[:80]}'", remedy="Make one", status=404, kind="no-such-job")
    if job.error is not None:
        raise job.error
    result = orjson.loads(job.result_json())
    return _page(study_id, result["sheet"], result["html"])


def _page(study_id: str, sheet: str, text: str) -> Response:
    name = f"{study_id}-report.html" if sheet == FIRST else f"{study_id}-{sheet[:40]}-report.html"
    page = Response(
        text, content_type="text/html; charset=utf-8", headers={"Content-Disposition": f'inline; filename="{name}"'}
    )
    # A page of its own, that loads nothing and runs nothing.
    page.headers["Content-Security-Policy"] = REPORT_POLICY
    return page
