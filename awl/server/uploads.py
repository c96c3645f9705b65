"""Files on their way into a study: what is in one is shown before anything is built or added.

A file whose meaning must be settled by the user (which streets are wanted? which field is the direction?) waits in a scratch
folder under a token until it is built, added or dismissed; what waits when the server starts is thrown away.
"""

from __future__ import annotations

import json
import os
import re
import secrets
import shutil
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import shapely
from flask import Blueprint, Response, request
from pydantic import BaseModel, ConfigDict, Field

from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.io import geojson, gtfs, osm
from awl.io.limits import MAX_BYTES
from awl.io.place_tables import PlaceColumns
from awl.io.table import Table
from awl.io.units import Units
from awl.questions.inputs import Json
from awl.server.layers import polygon
from awl.server.web import (
    BINARY,
    body,
    catalogue,
    checked,
    done,
    known_parameters,
    reply,
    started_build,
    study_of,
)
from awl.server.workroom import Task, Workroom, task
from awl.study import areas, importing, inspect, litter
from awl.study.importing import ReadOptions
from awl.study.joined_stops import joined_stops
from awl.study.line_fields import BuildOptions
from awl.study.litter import RECEIVED, STAGED
from awl.study.study import Study, slug
from awl.study.trip_layers import TripEnds, add_trips

api = Blueprint("upload", __name__)
LOOKED_AT_S = 120.0
"""Seconds for which a file that was received is looked at."""
EXTRACT_ENDING = re.compile(
    r"(\.osm)?(\.gz|\.bz2|\.pbf)?$|\.(gpkg|fgb|zip|geojson|json|csv|shp|kml|kmz|gpx|xlsx|parquet|omx)$", re.I
)


def received_file(name: str) -> Path:
    """The request body in a scratch file inside the studies folder, bounded in size."""
    if request.mimetype != BINARY:
        raise AwlError(f"Send the file itself as {BINARY}", status=415)
    if not request.content_length:
        raise AwlError("The file is empty", where=name, remedy="Check how it was saved")
    if request.content_length > MAX_BYTES:
        raise AwlError(f"The file is larger than the {MAX_BYTES >> 30} GB Awl takes in", where=name, status=413)
    folder = Path(tempfile.mkdtemp(prefix=f"{RECEIVED}{os.getpid()}-", dir=catalogue().folder))
    target = folder / re.sub(r"[^A-Za-z0-9._-]", "_", name)[-120:]
    try:
        with target.open("wb") as out:
            shutil.copyfileobj(request.stream, out, 1 << 20)
    except BaseException:
        discard(target)
        raise
    return target


def file_name() -> str:
    """The name the request gives to the file in its body."""
    name = Path(request.args.get("name", "").replace("\\", "/")).name
    if not name:
        raise AwlError("The file has no name", remedy="Give ?name=ferrow.osm.gz", inputs=("name",))
    return name


def _reserved_id(title: str) -> str:
    """A study id from a title that no study has yet, nor will get meanwhile."""
    return catalogue().reserve(slug(title))


@api.post("/studies")
def new_study() -> Response:
    """Build a new study from the map extract in the request body; answers with a job."""
    known_parameters("name", "title")
    name = file_name()
    if not importing.is_extract(name):
        raise AwlError(
            f"'{name}' is no map extract Awl reads",
            remedy=f"Begin a study with OSM XML or PBF ({', '.join(osm.ENDINGS)}); layers are added afterwards",
        )
    title = request.args.get("title") or EXTRACT_ENDING.sub("", name)
    received = received_file(name)
    wanted = StreetBuild.model_validate({"title": title.replace("_", " ").capitalize()})
    return _building(received, name, _reserved_id(title), None, wanted, lambda _: discard(received))


@api.post("/studies/<study_id>/sources")
def add_source(study_id: str) -> Response:
    """Add the file in the request body: an extract rebuilds the streets, anything else becomes a layer. Answers with a job."""
    known_parameters("name", "id", "title")
    study_of(study_id)
    name = file_name()
    ident, title = request.args.get("id"), request.args.get("title")
    received = received_file(name)
    if importing.is_extract(name):
        return _building(
            received,
            name,
            study_id,
            None,
            StreetBuild.model_validate({"study": study_id}),
            lambda _: discard(received),
        )
    work = task(source_added, study_id=study_id, path=received, name=name, ident=ident, title=title)
    return started_build(study_id, work, then=lambda _: discard(received))


def source_added(
    room: Workroom, progress: Progress, study_id: str, path: Path, name: str, ident: str | None, title: str | None
) -> Json:
    """Add a file to a study: the work of a job."""
    study = room.studies.study(study_id)
    progress.step(0.2, f"Reading {name}")
    if ident or title:
        return {"study": study_id, "layers": [importing.add(path, study, ident, title, name)]}
    return {"study": study_id, "layers": importing.add_all(path, study, name, progress.part(0.2, 1.0))}


def _building(
    path: Path, name: str, ident: str, area: shapely.Geometry | None, wanted: StreetBuild, then: Callable[[bool], None]
) -> Response:
    """Start building the streets of a study, that is or is not there yet, and say where that can be followed."""
    known = catalogue()

    def built(well: bool) -> None:
        known.release(ident)
        then(well)
        if well:
            _warm(known.study(ident))

    work = task(streets_built, study_id=ident, path=path, name=name, area=area, wanted=wanted)
    return started_build(ident, work, then=built)


def streets_built(
    room: Workroom, progress: Progress, study_id: str, path: Path, name: str, area: shapely.Geometry | None,
    wanted: StreetBuild,
) -> Json:  # fmt: skip
    """Build the streets of a study: the work of a job."""
    report = importing.build(
        path, room.studies.path(study_id), area, wanted.title, progress, name, wanted.options(path)
    )
    return {"study": study_id, "report": vars(report)}


def discard(received: Path) -> None:
    """Throw a file away that was received, with its folder."""
    shutil.rmtree(received.parent, ignore_errors=True)


def _warm(study: Study) -> None:
    """Derive what the first answer needs, so that it comes at once."""
    study.snapper("walk").snap(np.zeros(1), np.zeros(1), 1.0)


class StreetBuild(BaseModel):
    """How a waiting file becomes streets; fields of lines are chosen by role, "none" where there is none.

    `area` is a polygon in GeoJSON, `area_layer` a layer of the study whose polygons are the study area; `without` names classes
    to leave out. `weight` is the length of links in a drawing without geography,
    `speed_unit` and `length_unit` say what numbers of tables are in.
    """

    model_config = ConfigDict(extra="forbid")

    study: str | None = None
    title: str | None = Field(None, max_length=200)
    layer: str | None = None
    crs: str | None = Field(None, max_length=4000)
    area: dict[str, Any] | None = None
    area_layer: str | None = None
    without: list[str] = Field(default_factory=list)
    weight: str | None = None
    speed_unit: str | None = Field(None, max_length=20)
    length_unit: str | None = Field(None, max_length=20)
    fields: dict[str, str | None] = Field(default_factory=dict)
    tolerance: float = 0.5
    break_crossings: bool = True
    first_node: int = 1
    nodes_layer: str | None = None
    nodes_field: str | None = None

    def options(self, path: Path) -> BuildOptions:
        """As the builder takes it, for a file."""
        return BuildOptions(
            layer=self.layer,
            choices=self.fields,
            tolerance_m=self.tolerance,
            first_node=self.first_node,
            nodes=path if self.nodes_layer else None,
            nodes_layer=self.nodes_layer,
            nodes_field=self.nodes_field,
            crs=self.crs,
            without=tuple(self.without),
            weight=self.weight,
            units=Units(self.speed_unit, self.length_unit),
            break_crossings=self.break_crossings,
        )


class Reading(BaseModel):
    """How a layer is read: its coordinate system, and the columns of a table that hold the place of a row."""

    model_config = ConfigDict(extra="forbid")

    crs: str | None = Field(None, max_length=4000)
    x: str | None = Field(None, max_length=200)
    y: str | None = Field(None, max_length=200)

    def options(self, key: str | None = None) -> ReadOptions:
        """As the readers take it; far away or not has been looked at by the user."""
        place = PlaceColumns(self.x, self.y) if self.x and self.y else None
        return ReadOptions(self.crs or None, place, key=key, anywhere=True)


class LayerChoice(Reading):
    """One layer of a waiting file, what it is used as, and the field that identifies its features."""

    name: str | None = None
    role: str | None = None
    title: str | None = Field(None, max_length=200)
    key: str | None = Field(None, max_length=200)


class LayersAdd(BaseModel):
    """Which layers of a waiting file are added to a study."""

    model_config = ConfigDict(extra="forbid")

    study: str
    layers: list[LayerChoice] = Field(min_length=1, max_length=200)


class Look(Reading):
    """The study a file is for, and how it is read."""

    study: str | None = None


@api.post("/uploads")
def receive() -> Response:
    """Keep the file in the request body until it is decided what to do with it; says what is in it."""
    known_parameters("name", "study")
    name, study = file_name(), request.args.get("study")
    near = _bounds(study)
    received = received_file(name)
    token = secrets.token_hex(12)
    staged = received.parent.rename(catalogue().folder / f"{STAGED}{token}") / received.name
    litter.cap_staged(catalogue().folder)
    work = task(described, path=staged, name=name, reading=None, near=near, token=token)
    # A file that cannot be read is thrown away.
    response = _looked(study, work, then=lambda well: None if well else discard(staged))
    if response.status_code == 200:
        response.status_code = 201
    return response


def _looked(study_id: str | None, work: Task, then: Callable[[bool], None] | None = None) -> Response:
    """What a file holds, that is looked at for a bounded time; `then` as for `Jobs.start`."""
    return done("look", study_id or "", work, is_brief=True, limit_s=LOOKED_AT_S, then=then)


def described(
    room: Workroom, progress: Progress, path: Path, name: str, reading: Reading | None, near: list[float] | None,
    token: str,
) -> Json:  # fmt: skip
    """What is in a file: the work of a request."""
    what = inspect.described(path, name, None if reading is None else reading.options(), near)
    return {"token": token, "name": name, **what}


@api.post("/uploads/area")
def area_of_file() -> Response:
    """The polygons of the file in the request body as one area, GeoJSON; nothing is kept."""
    known_parameters("name")
    name = file_name()
    received = received_file(name)
    return _looked(None, task(area_read, path=received), then=lambda _: discard(received))


def area_read(room: Workroom, progress: Progress, path: Path) -> Json:
    """The polygons of a file as one area: the work of a request."""
    area: Json = json.loads(shapely.to_geojson(areas.area_from(None, path)))
    return area


@api.post("/uploads/<token>/look")
def look(token: str) -> Response:
    """Say again what is in a waiting file, taken to be in another coordinate system."""
    upload, wanted = staged_file(token), checked(Look, body())
    near = _bounds(wanted.study)
    return _looked(wanted.study, task(described, path=upload, name=upload.name, reading=wanted, near=near, token=token))


@api.get("/uploads/<token>/preview")
def preview(token: str) -> Response:
    """The streets of a waiting extract, a multi-line feature per class, or the shapes of waiting layers, to be looked at."""
    known_parameters("crs", "x", "y")
    upload = staged_file(token)
    return _looked(None, task(previewed, path=upload, reading=checked(Reading, request.args.to_dict())))


def previewed(room: Workroom, progress: Progress, path: Path, reading: Reading) -> Json:
    """The shapes of a file: the work of a request."""
    if not importing.is_extract(path.name):
        layers = inspect.preview_layers(path, path.name, reading.options())
        return geojson.collection(Table(layers, {}))
    streets = inspect.preview(inspect.read_extract(path, path.name))
    shapes = np.array(list(streets.values()), dtype=object)
    return geojson.collection(Table(shapes, {"class": list(streets)}))


@api.get("/uploads/<token>/stops")
def stops_of_upload(token: str) -> Response:
    """How the stops of a waiting timetable would be joined to the streets of a study by a mode that rides or walks."""
    known_parameters("study", "mode")
    upload, study_id, mode = staged_file(token), request.args.get("study", ""), request.args.get("mode", "transit")
    study_of(study_id)
    return _looked(study_id, task(stops_joined, path=upload, study_id=study_id, mode=mode))


def stops_joined(room: Workroom, progress: Progress, path: Path, study_id: str, mode: str) -> Json:
    """How the stops of a timetable would be joined: the work of a request."""
    feed = gtfs.read(path, progress).feed
    return joined_stops(room.studies.study(study_id), mode, feed).document()


@api.post("/uploads/<token>/streets")
def build_streets(token: str) -> Response:
    """Build streets from a waiting file, in a new study or in place of the streets of one. Answers with a job."""
    known_parameters()
    upload, wanted = staged_file(token), checked(StreetBuild, body())
    area, stem = _area(wanted), EXTRACT_ENDING.sub("", upload.name)
    if wanted.study:
        study_of(wanted.study)
    ident = wanted.study or _reserved_id(wanted.title or stem)
    named = wanted.model_copy(update={"title": wanted.title or stem.replace("_", " ").capitalize(), "area": None})

    def then(well: bool) -> None:
        if well:  # kept until it has worked, to be tried again with other words
            discard(upload)

    return _building(upload, upload.name, ident, area, named, then)


@api.post("/uploads/<token>/layers")
def add_layers(token: str) -> Response:
    """Add layers of a waiting file to a study, all or none. Answers with a job."""
    known_parameters()
    upload, wanted = staged_file(token), checked(LayersAdd, body())
    return _adding(upload, wanted.study, task(layers_added, path=upload, wanted=wanted))


def _adding(upload: Path, study_id: str, work: Task) -> Response:
    """Start adding what a waiting file holds to a study; the file goes when it has worked."""
    study_of(study_id)

    def then(well: bool) -> None:
        if well:
            discard(upload)

    return started_build(study_id, work, then=then)


def layers_added(room: Workroom, progress: Progress, path: Path, wanted: LayersAdd) -> Json:
    """Add layers of a file: the work of a job."""
    progress.step(0.1, f"Reading {path.name}")
    chosen = [(one.name, one.role, one.title, one.options(one.key)) for one in wanted.layers]
    study = room.studies.study(wanted.study)
    return {"study": wanted.study, "layers": importing.add_chosen(path, study, chosen, path.name, progress)}


class TripsAdd(BaseModel):
    """Between which layers the trips of a waiting table lead, and which columns hold the ids of their ends."""

    model_config = ConfigDict(extra="forbid")

    study: str
    origins: str
    destinations: str
    origin: str | None = Field(None, max_length=200)
    destination: str | None = Field(None, max_length=200)
    title: str | None = Field(None, max_length=200)


@api.post("/uploads/<token>/trips")
def add_trip_table(token: str) -> Response:
    """Add a waiting table of trips to a study as a layer of lines. Answers with a job."""
    known_parameters()
    upload, wanted = staged_file(token), checked(TripsAdd, body())
    return _adding(upload, wanted.study, task(trips_added, path=upload, wanted=wanted))


def trips_added(room: Workroom, progress: Progress, path: Path, wanted: TripsAdd) -> Json:
    """Add a table of trips: the work of a job."""
    progress.step(0.1, f"Reading {path.name}")
    ends = TripEnds(wanted.origins, wanted.destinations, wanted.origin, wanted.destination)
    added = add_trips(path, room.studies.study(wanted.study), ends, None, wanted.title, path.name)
    return {"study": wanted.study, "layers": [added]}


def _area(wanted: StreetBuild) -> shapely.Geometry | None:
    """The study area a build asks for."""
    if wanted.area is not None:
        return polygon(wanted.area)
    if wanted.area_layer is None:
        return None
    if wanted.study is None:
        raise AwlError("A new study has no layer yet that could be its area", inputs=("area_layer",))
    layer = study_of(wanted.study).read_layer(wanted.area_layer, name="area_layer")
    if layer.kind != "polygon":
        raise AwlError(f"'{wanted.area_layer}' holds no polygons", remedy="Choose zones", inputs=("area_layer",))
    return areas.area_of(layer)


def _bounds(study_id: str | None) -> list[float] | None:
    """West, south, east, north of the streets of a study that has some."""
    return importing.street_bounds(study_of(study_id)) if study_id else None


@api.delete("/uploads/<token>")
def dismiss(token: str) -> Response:
    """Throw a waiting file away."""
    shutil.rmtree(staged_file(token).parent, ignore_errors=True)
    return reply({"dismissed": token})


def staged_file(token: str) -> Path:
    """The waiting file of a token."""
    folder = catalogue().folder / f"{STAGED}{token}"
    known = re.fullmatch(r"[0-9a-f]{24}", token) and folder.is_dir()
    files = [path for path in folder.iterdir() if path.is_file()] if known else []
    if not files:
        raise AwlError(
            "There is no such file waiting", remedy="Bring the file in again", status=404, kind="no-such-file"
        )
    return files[0]
