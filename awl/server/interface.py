"""What the browser uses beyond the OGC APIs: arrays for live work, facts and jobs. Awl's own."""

from __future__ import annotations

import contextlib
import shutil
import tempfile
import threading
from pathlib import Path
from typing import Any, Literal

import numpy as np
from flask import Blueprint, Response, request, send_file
from pydantic import BaseModel, ConfigDict, Field

from awl.core.errors import AwlError
from awl.core.network.components import KeepParts
from awl.core.progress import Progress
from awl.io import geojson, geopackage
from awl.io.table import Table
from awl.questions import QUESTIONS
from awl.questions.context import Context
from awl.questions.describe import process_description
from awl.questions.inputs import LayerSet, SharedInputs
from awl.questions.run import ask
from awl.server.explain import mode_info
from awl.server.web import (
    asked_study,
    body,
    catalogue,
    checked,
    done,
    jobs,
    known_parameters,
    number,
    packed,
    reply,
    started_build,
    study_of,
)
from awl.server.workroom import Workroom, task
from awl.study import centroids, feeds, modes, what_ifs
from awl.study.card import card_of
from awl.study.importing import street_bounds
from awl.study.joined_stops import joined_stops
from awl.study.study import Study

api = Blueprint("own", __name__)
MAX_PART_LINKS = 50_000


@api.get("/studies/<study_id>/card")
def card(study_id: str) -> Response:
    """What the shelf shows of a study: a picture of its streets, and a few figures."""
    return reply(vars(card_of(study_of(study_id))))


def open_only() -> None:
    """Prepare the study there is, where there is but one."""
    study = catalogue().only()
    if study is not None:
        _prepare(study)


def _prepare(study: Study) -> None:
    """Prepare a study behind, and have the workers open it at once and prepare it when what is prepared can be read."""
    thread, known = study.prepare(), jobs()
    version = study.prepared
    if version is not None:
        known.do_everywhere(study.id, version, task(opened, study_id=study.id))

    def prepare_it() -> None:
        if thread is not None:
            thread.join()
        known.do_everywhere(study.id, version, task(prepared, study_id=study.id))

    if thread is not None:
        threading.Thread(target=prepare_it, daemon=True).start()
    elif not (study.is_preparing or study.is_being_edited):
        prepare_it()


def opened(room: Workroom, progress: Progress, study_id: str) -> None:
    """Open a study and ask a little of it, so that the first question finds streets and kernels in memory."""
    study = room.studies.study(study_id)
    mode = next(iter(study.modes()))
    with contextlib.suppress(AwlError):
        network = study.network(mode)
        links = np.flatnonzero(network.usable)
        if len(links) == 0:
            return
        node = network.graph.link_from[links[len(links) // 2]]
        place = [float(network.graph.node_lon[node]), float(network.graph.node_lat[node])]
        ask(study, "isochrone", {"places": [place], "limits": [1], "mode": mode}).encoded()


def prepared(room: Workroom, progress: Progress, study_id: str) -> None:
    """Prepare all modes of a study: what every worker does once."""
    study = room.studies.study(study_id)
    for mode in study.modes():
        with contextlib.suppress(AwlError):
            study.snapper(mode).snap(np.zeros(1), np.zeros(1), 1.0)
    thread = study.prepare()
    if thread is not None:
        thread.join()


@api.get("/studies/<study_id>/overview")
def overview(study_id: str) -> Response:
    """What the browser needs to open a study: facts, layers, modes."""
    study = study_of(study_id)
    revision = study.revision
    _prepare(study)
    return reply(
        {
            "id": study_id,
            "title": study.title,
            "revision": revision,
            "build": study.fact("build"),
            "formerBuild": study.fact("former_build"),
            "layers": study.layers(),
            "rasters": [raster | {"notes": study.raster_notes(raster["id"])} for raster in study.rasters()],
            "timetables": [_timetable(entry) for entry in feeds.listed(study.reading)],
            "keepParts": vars(study.keep_parts),
            "drawn": bool(study.fact("drawn", False)),
            "costs": list(study.graph.costs) if revision else [],
            "streetFields": _street_fields(study) if revision else [],
            "modes": [mode_info(study, ident) for ident in study.modes()] if revision else [],
            "whatIfs": [
                {"id": told.id, "title": told.title, "version": what_ifs.version(study, told.id)}
                for told in what_ifs.listed(study.reading)
            ],
            "modeUndo": modes.undoable(study.reading),
            "bounds": street_bounds(study),
        }
    )


def _timetable(entry: feeds.Entry) -> dict[str, Any]:
    """A timetable as it is listed, with a usual day of each kind."""
    typical = feeds.typical_days(entry.summary["trips_by_day"], entry.summary["first_day"])
    known = {"id": entry.id, "title": entry.title, "source": entry.source, "added": entry.added}
    return {**known, "summary": entry.summary | {"typical_days": typical}}


@api.get("/studies/<study_id>/questions")
def questions(study_id: str) -> Response:
    """All questions with their inputs and sentences, as the process of each describes it, in one answer."""
    known_parameters()
    known = [mode for mode, _ in study_of(study_id).modes().values()]
    return reply({"questions": [process_description(asked, known) for asked in QUESTIONS.values()]})


@api.get("/studies/<study_id>/timetables/stops")
def timetable_stops(study_id: str) -> Response:
    """How the stops of all timetables are joined to the streets by a mode that rides or walks, and which are too far from any."""
    known_parameters("mode")
    return reply(joined_stops(study_of(study_id), request.args.get("mode", "transit")).document())


@api.get("/studies/<study_id>/preparation")
def preparation(study_id: str) -> Response:
    """How far the searches of the study are prepared; until a mode is ready its questions are searched plainly."""
    study = study_of(study_id)
    _prepare(study)
    done, state = not (study.is_preparing or study.is_being_edited), study.preparation
    mode = None if state is None else {**vars(state), "title": study.mode(state.mode).title}
    return reply({"done": done, "now": mode})


def _street_fields(study: Study) -> list[str]:
    """Attributes of links that can be lettered on the map."""
    known = geopackage.field_names(study.reading, "streets")
    return [name for name in known if name not in ("osm_way_ids",)]


class KeepBody(BaseModel):
    """Which connected parts the modes use."""

    model_config = ConfigDict(extra="forbid")

    rule: Literal["largest", "above", "all"]
    above_m: float = Field(0.0, ge=0)


@api.put("/studies/<study_id>/parts")
def keep_parts(study_id: str) -> Response:
    """Use other connected parts from now on; answers made before are stale."""
    study, wanted = study_of(study_id), checked(KeepBody, body())
    study.set_keep_parts(KeepParts(wanted.rule, wanted.above_m))
    return reply(vars(study.keep_parts))


class ConnectBody(BaseModel):
    """Which zones are joined to the streets, and how."""

    model_config = ConfigDict(extra="forbid")

    zones: str
    nearest: int = 1
    number: str | None = None
    people: str | None = None
    people_field: str | None = None


@api.put("/studies/<study_id>/connectors")
def connect(study_id: str) -> Response:
    """Join zone centroids to the streets; answers with a job."""
    study_of(study_id)
    return started_build(study_id, task(connected, study_id=study_id, wanted=checked(ConnectBody, body())))


def connected(room: Workroom, progress: Progress, study_id: str, wanted: ConnectBody) -> dict[str, Any]:
    """Join zone centroids to the streets: the work of a job."""
    progress.step(0.1, "Joining zones to streets")
    study = room.studies.study(study_id)
    report, empty = centroids.connect(
        study, wanted.zones, wanted.nearest, wanted.number, wanted.people, wanted.people_field
    )
    return {"study": study_id, "report": {**vars(report), "too_far": len(report.too_far), "without_people": empty}}


@api.delete("/studies/<study_id>/connectors")
def disconnect(study_id: str) -> Response:
    """Take the connectors out again."""
    centroids.disconnect(study_of(study_id))
    return reply({"study": study_id})


@api.get("/studies/<study_id>/parts/<mode_id>")
def parts(study_id: str, mode_id: str) -> Response:
    """Links that lie outside the largest connected part of a mode, with the rank of their part and whether it is used."""
    network = asked_study(study_id).network(mode_id)
    graph = network.graph
    usable = network.use.forward | network.use.backward
    rows = np.flatnonzero(usable & (network.link_part != 0))[:MAX_PART_LINKS]
    layer = Table(
        graph.lines(rows),
        {
            "part": network.link_part[rows].tolist(),
            "used": network.usable[rows].tolist(),
            "name": [graph.tag("name").at(i) for i in rows],
        },
    )
    return reply(geojson.collection(layer))


@api.get("/studies/<study_id>/arrays/streets")
def street_arrays(study_id: str) -> Response:
    """Shapes and ends of all links."""
    graph = asked_study(study_id).graph
    highway = graph.tag("highway")
    return packed(
        {"classes": highway.values, "nodes": graph.node_count},
        np.asarray(graph.shape_lon),
        np.asarray(graph.shape_lat),
        np.asarray(graph.shape_m),
        graph.shape_start.astype(np.uint32),
        np.asarray(graph.link_from),
        np.asarray(graph.link_to),
        highway.codes.astype(np.int32),
        graph.node_border.astype(np.uint8),
        np.asarray(graph.node_lon),
        np.asarray(graph.node_lat),
        graph.node_id.astype(np.float64),  # whole numbers below 2**53, which the browser has no other type for
    )


@api.get("/studies/<study_id>/nodes/<int(max=9007199254740991):number_>")
def node(study_id: str, number_: int) -> Response:
    """Where the node of that number lies."""
    graph = study_of(study_id).graph
    row = int(graph.node_rows([number_])[0])
    if row < 0:
        raise AwlError(
            f"The street graph has no node {number_}",
            remedy=f"Numbers run from {graph.node_id.min()} to {graph.node_id.max()}",
            status=404,
            kind="no-such-node",
        )
    return reply({"node_id": number_, "lon": float(graph.node_lon[row]), "lat": float(graph.node_lat[row])})


# -- jobs ------------------------------------------------------------------------------------------------------------------


@api.get("/jobs/<job_id>")
def any_job(job_id: str) -> Response:
    """How a job stands, whatever study it belongs to; with its result or problem when it has ended."""
    job = jobs().get(job_id)
    info = job.info(f"/studies/{job.study}")
    if job.error is not None:
        info["problem"] = {"title": job.error.what, "detail": job.error.detail}
    if job.process == "build" and job.status == "successful":
        info["result"] = job.result_json()
    return reply(info)


@api.delete("/jobs/<job_id>")
def stop_job(job_id: str) -> Response:
    """Stop any job. One that has ended stays, for whoever follows it is about to ask how it ended."""
    job = jobs().get(job_id)
    jobs().stop(job)
    return reply(job.info(f"/studies/{job.study}"))


@api.get("/studies/<study_id>/places/check")
def check_places(study_id: str) -> Response:
    """How the features of a layer lie to the streets of a mode, before anything runs."""
    known_parameters("layer", "mode", "snap")
    study_of(study_id)
    inputs = checked(
        SharedInputs,
        {"mode": request.args.get("mode", "walk"), "snap": number("snap") if "snap" in request.args else 100.0},
    )
    work = task(places_snapped, study_id=study_id, inputs=inputs, layer=request.args.get("layer", ""))
    return done("look", study_id, work, is_brief=True)


def places_snapped(
    room: Workroom, progress: Progress, study_id: str, inputs: SharedInputs, layer: str
) -> dict[str, Any]:
    """How the features of a layer lie to the streets: the work of a request."""
    context = Context(room.studies.study(study_id), inputs)
    places = context.places(LayerSet.model_validate({"layer": layer}))
    return geojson.collection(context.place_table(places, context.snap(places)))


@api.get("/studies/<study_id>/file")
def study_file(study_id: str) -> Response:
    """The study itself, as a GeoPackage."""
    study = study_of(study_id)
    with study.writing():  # no write may pass while the file is copied
        copy = Path(tempfile.mkdtemp(prefix="awl-")) / f"{study_id}.gpkg"
        shutil.copyfile(study.path, copy)
    stream = copy.open("rb")
    shutil.rmtree(copy.parent)  # the open file stays readable
    return send_file(stream, "application/geopackage+sqlite3", as_attachment=True, download_name=f"{study_id}.gpkg")
