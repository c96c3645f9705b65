"""Downloads of the handout: layers, answers and the street graph in open formats."""

from __future__ import annotations

import io
import zipfile
from datetime import datetime

from flask import Blueprint, Response, request

from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.io.dictionary import data_dictionary
from awl.questions.files import answer_bytes, checked_part, kept_bytes, table_bytes
from awl.questions.inputs import moment
from awl.questions.kept_answers import kept_without, part_of
from awl.server.playing import answer_again
from awl.server.web import done, known_parameters, named_file, study_of
from awl.server.workroom import File, Workroom, task
from awl.study import records
from awl.study.export import gmns_tables, graph_bytes, layer_bytes

api = Blueprint("downloads", __name__)


@api.get("/studies/<study_id>/export/streets")
def streets(study_id: str) -> Response:
    """The street graph of a mode: GMNS tables, zipped, or GeoPackage or GeoJSON."""
    known_parameters("mode", "format", "at")
    study, mode = study_of(study_id), request.args.get("mode", "walk")
    ending, when = request.args.get("format", "gmns"), moment(request.args.get("at"))
    study.mode(mode)
    return done("export", study_id, task(street_file, study_id=study_id, mode=mode, ending=ending, when=when))


def street_file(
    room: Workroom, progress: Progress, study_id: str, mode: str, ending: str, when: datetime | None
) -> File:
    """Write the street graph of a mode: the work of a request."""
    study = room.studies.study(study_id)
    if ending != "gmns":
        return named_file(graph_bytes(study, mode, ending, when), f"{study_id}-{mode}-streets.{ending}")
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, text in gmns_tables(study, mode, when).items():
            progress.step(0.5, f"Packing {name}")
            archive.writestr(name, text)
    return named_file(out.getvalue(), f"{study_id}-{mode}-gmns.zip")


@api.get("/studies/<study_id>/export/layers/<layer_id>")
def layer(study_id: str, layer_id: str) -> Response:
    """A layer."""
    known_parameters("format")
    study_of(study_id).require_layer(layer_id)
    ending = request.args.get("format", "geojson")
    return done("export", study_id, task(layer_file, study_id=study_id, layer_id=layer_id, ending=ending))


def layer_file(room: Workroom, progress: Progress, study_id: str, layer_id: str, ending: str) -> File:
    """Write a layer: the work of a request."""
    data = layer_bytes(room.studies.study(study_id).read_layer(layer_id), layer_id, ending)
    return named_file(data, f"{layer_id}.{ending}")


@api.get("/studies/<study_id>/export/answers/<question_id>/<part>")
def answer_part(study_id: str, question_id: str, part: str) -> Response:
    """One result of a kept answer, or `all` of them where the format holds several."""
    known_parameters("format", "fields")
    ending, fields = request.args.get("format", "geojson"), request.args.get("fields") == "true"
    study_of(study_id)
    work = task(answer_file, study_id=study_id, question_id=question_id, part=part, ending=ending, fields=fields)
    return done("export", study_id, work, question_id)


def answer_file(
    room: Workroom, progress: Progress, study_id: str, question_id: str, part: str, ending: str, fields: bool
) -> File:
    """Write a result of a kept answer, or a description of its fields: the work of a request."""
    study = room.studies.study(study_id)
    answer = records.answer(study.reading, question_id)
    if answer is None:
        raise AwlError("The question has no answer yet", remedy="Ask it first", status=404, kind="no-answer")
    if part in kept_without(answer["result"], {part}):
        # A part that is too large to be kept is made again.
        data = answer_bytes(answer_again(study, answer, room.played), part, ending, "format")
        return named_file(data, f"{answer['process']}-{part}.{ending}")
    if fields:
        described = data_dictionary(part_of(answer["result"], checked_part(answer["result"], part)))
        return named_file(table_bytes(described, ending, "format"), f"{answer['process']}-{part}-fields.{ending}")
    data = kept_bytes(answer["result"], None if part == "all" else part, ending, "format")
    return named_file(data, f"{answer['process']}-{part}.{ending}")
