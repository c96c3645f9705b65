"""Downloads of the handout: layers, answers and the street graph in open formats."""

from __future__ import annotations

import io
import zipfile
from datetime import datetime
from pathlib import Path

from flask import Blueprint, Response, request

from awl.core.errors import AwlError
from awl.formats import csv_table, geojson, gmns, graph_tables
from awl.formats.table import Layer
from awl.questions.base import SharedInputs
from awl.questions.files import part_bytes
from awl.server.web import known_parameters, study_of
from awl.study import geopackage, records
from awl.study.study import Study

api = Blueprint("downloads", __name__)


def moment(text: str | None) -> datetime | None:
    """A local date and time, None for free flow."""
    try:
        return SharedInputs.model_validate({"at": text}).when
    except ValueError as error:
        raise AwlError("'at' is no local date and time", remedy="Write 2026-06-05T08:00", inputs=("at",)) from error


def gmns_tables(study: Study, mode: str, at: str | None = None) -> dict[str, str]:
    """The GMNS files of a mode, by name; in free flow or at an hour."""
    return gmns.tables(study.network(mode, moment(at)))


def graph_bytes(study: Study, mode: str, ending: str, at: str | None = None) -> bytes:
    """The street graph with the costs of a mode in each direction, as GeoPackage or GeoJSON; in free flow or at an hour."""
    graph, network = study.graph, study.network(mode, moment(at))
    if ending == "geojson":
        return geojson.dumps(geojson.collection(graph_tables.collection_of(graph, network)))
    if ending != "gpkg":
        raise AwlError(f"'{ending}' is not a format of the street graph", remedy="Choose gmns, gpkg or geojson")
    tables = {
        "nodes": graph_tables.node_table(graph),
        "streets": graph_tables.link_table(graph, network),
        "restrictions": graph_tables.restriction_table(graph),
    }
    return geopackage.bytes_of({name: layer for name, layer in tables.items() if len(layer)})


def layer_text(layer: Layer, ending: str) -> bytes:
    """A layer as GeoJSON or CSV."""
    if ending == "geojson":
        return geojson.dumps(geojson.collection(layer))
    if ending == "csv":
        return csv_table.from_layer(layer).encode()
    raise AwlError(f"'{ending}' is not a format Awl writes here", remedy="Choose geojson or csv", inputs=("format",))


def _download(data: bytes, name: str) -> Response:
    media = {
        "csv": "text/csv; charset=utf-8",
        "geojson": "application/geo+json",
        "json": "application/json",
        "zip": "application/zip",
        "parquet": "application/vnd.apache.parquet",
        "omx": "application/x-hdf5",
        "gpx": "application/gpx+xml",
        "gpkg": "application/geopackage+sqlite3",
    }[Path(name).suffix[1:]]
    return Response(data, content_type=media, headers={"Content-Disposition": f'attachment; filename="{name}"'})


@api.get("/studies/<study_id>/export/streets")
def streets(study_id: str) -> Response:
    """The street graph of a mode: GMNS tables, zipped, or GeoPackage or GeoJSON."""
    known_parameters("mode", "format", "at")
    study, mode = study_of(study_id), request.args.get("mode", "walk")
    ending, at = request.args.get("format", "gmns"), request.args.get("at")
    if ending != "gmns":
        return _download(graph_bytes(study, mode, ending, at), f"{study_id}-{mode}-streets.{ending}")
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, text in gmns_tables(study, mode, at).items():
            archive.writestr(name, text)
    return _download(out.getvalue(), f"{study_id}-{mode}-gmns.zip")


@api.get("/studies/<study_id>/export/layers/<layer_id>")
def layer(study_id: str, layer_id: str) -> Response:
    """A layer."""
    known_parameters("format")
    ending = request.args.get("format", "geojson")
    return _download(layer_text(study_of(study_id).read_layer(layer_id), ending), f"{layer_id}.{ending}")


@api.get("/studies/<study_id>/export/answers/<question_id>/<part>")
def answer_part(study_id: str, question_id: str, part: str) -> Response:
    """One result of a kept answer, or `all` of them where the format holds several."""
    known_parameters("format")
    ending = request.args.get("format", "geojson")
    found = records.answer(study_of(study_id).reading, question_id)
    if found is None:
        raise AwlError("The question has no answer yet", remedy="Ask it first", status=404, kind="no-answer")
    data = part_bytes(found["result"], None if part == "all" else part, ending, "format")
    return _download(data, f"{found['process']}-{part}.{ending}")
