"""Downloads of the handout: layers, answers and the street graph in open formats."""

from __future__ import annotations

import io
import zipfile

from flask import Blueprint, Response, request

from awl.core.errors import AwlError
from awl.io.dictionary import data_dictionary
from awl.questions.files import answer_bytes, checked_part, kept_bytes, table_bytes
from awl.questions.inputs import moment
from awl.questions.kept_answers import kept_without, part_of
from awl.server.playing import answer_again, last_played
from awl.server.web import download, known_parameters, study_of
from awl.study import records
from awl.study.export import gmns_tables, graph_bytes, layer_bytes

api = Blueprint("downloads", __name__)


@api.get("/studies/<study_id>/export/streets")
def streets(study_id: str) -> Response:
    """The street graph of a mode: GMNS tables, zipped, or GeoPackage or GeoJSON."""
    known_parameters("mode", "format", "at")
    study, mode = study_of(study_id), request.args.get("mode", "walk")
    ending, when = request.args.get("format", "gmns"), moment(request.args.get("at"))
    if ending != "gmns":
        return download(graph_bytes(study, mode, ending, when), f"{study_id}-{mode}-streets.{ending}")
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, text in gmns_tables(study, mode, when).items():
            archive.writestr(name, text)
    return download(out.getvalue(), f"{study_id}-{mode}-gmns.zip")


@api.get("/studies/<study_id>/export/layers/<layer_id>")
def layer(study_id: str, layer_id: str) -> Response:
    """A layer."""
    known_parameters("format")
    ending = request.args.get("format", "geojson")
    data = layer_bytes(study_of(study_id).read_layer(layer_id), layer_id, ending)
    return download(data, f"{layer_id}.{ending}")


@api.get("/studies/<study_id>/export/answers/<question_id>/<part>")
def answer_part(study_id: str, question_id: str, part: str) -> Response:
    """One result of a kept answer, or `all` of them where the format holds several."""
    known_parameters("format", "fields")
    ending = request.args.get("format", "geojson")
    study = study_of(study_id)
    answer = records.answer(study.reading, question_id)
    if answer is None:
        raise AwlError("The question has no answer yet", remedy="Ask it first", status=404, kind="no-answer")
    if part in kept_without(answer["result"], {part}):
        # A part that is too large to be kept is made again.
        data = answer_bytes(answer_again(study, answer, last_played()), part, ending, "format")
        return download(data, f"{answer['process']}-{part}.{ending}")
    if request.args.get("fields") == "true":
        fields = data_dictionary(part_of(answer["result"], checked_part(answer["result"], part)))
        return download(table_bytes(fields, ending, "format"), f"{answer['process']}-{part}-fields.{ending}")
    data = kept_bytes(answer["result"], None if part == "all" else part, ending, "format")
    return download(data, f"{answer['process']}-{part}.{ending}")
