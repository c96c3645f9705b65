"""Map sheets and reports over HTTP: the same that the commands write."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, request

from awl.handout.answers import kept_content
from awl.handout.map_sheet import FORMATS, draw_map_sheet
from awl.handout.paper import MapOptions
from awl.handout.report import report_html
from awl.server.web import checked, known_parameters, study_of
from awl.study.sheet_records import FIRST

api = Blueprint("maps", __name__)
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
    data = draw_map_sheet(study, kept_content(study, answer_id), options, ending)
    name = f"{study_id}-{answer_id}.{ending}"
    return Response(data, content_type=FORMATS[ending], headers={"Content-Disposition": f'inline; filename="{name}"'})


@api.get("/studies/<study_id>/report")
def report(study_id: str) -> Response:
    """A sheet as one page that opens offline; `without` names blocks that are left out, commas between."""
    known_parameters("sheet", "without")
    left_out = [part for part in request.args.get("without", "").split(",") if part]
    sheet = request.args.get("sheet", FIRST)
    page = report_html(study_of(study_id), sheet, left_out)
    name = f"{study_id}-report.html" if sheet == FIRST else f"{study_id}-{sheet[:40]}-report.html"
    reply = Response(
        page, content_type="text/html; charset=utf-8", headers={"Content-Disposition": f'inline; filename="{name}"'}
    )
    # A page of its own, that loads nothing and runs nothing.
    reply.headers["Content-Security-Policy"] = REPORT_POLICY
    return reply
