"""Map sheets of kept answers over HTTP: the same picture that the command draws."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, request

from awl.handout.answers import kept_content
from awl.handout.map_sheet import FORMATS, draw_map_sheet
from awl.handout.paper import MapOptions
from awl.server.web import checked, known_parameters, study_of

api = Blueprint("maps", __name__)


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
