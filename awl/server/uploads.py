"""Files on their way into a study: what is in one is shown before anything is built or added.

A file whose meaning must be settled by the user (which streets are wanted? which field is the direction?) waits in a scratch
folder under a token until it is built, added or dismissed; what waits when the server starts is thrown away.
"""

from __future__ import annotations

import json
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
from awl.io import geojson, osm
from awl.io.limits import MAX_BYTES
from awl.io.place_tables import PlaceColumns
from awl.io.table import Table
from awl.io.units import Units
from awl.server.layers import polygon
from awl.server.web import body, catalogue, checked, jobs, known_parameters, reply, study_of
from awl.study import areas, importing, inspect
from awl.study.importing import ReadOptions
from awl.study.line_fields import BuildOptions
from awl.study.study import Study, slug
from awl.study.trip_layers import TripEnds, add_trips

api = Blueprint("upload", __name__)
BINARY = "application/octet-stream"
STAGED = ".waiting-"
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
    folder = Path(tempfile.mkdtemp(prefix=".upload-", dir=catalogue().folder))
    target = folder / re.sub(r"[^A-Za-z0-9._-]", "_", name)[-120:]
    with target.open("wb") as out:
        shutil.copyfileobj(request.stream, out, 1 << 20)
    return target


def file_name() -> str:
    """The name the request gives to the file in its body."""
    name = Path(request.args.get("name", "").replace("\\", "/")).name
    if not name:
        raise AwlError("The file has no name", remedy="Give ?name=ferrow.osm.gz", inputs=("name",))
    return name


def _free_id(title: str) -> str:
    """A study id from a title that no study has yet."""
    ident, taken, number = slug(title), set(catalogue().ids()), 2
    while ident in taken:
        ident, number = f"{slug(title)}_{number}", number + 1
    return ident


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
    ident = _free_id(title)
    known = catalogue()  # the job runs outside of this request
    path, received = known.path(ident), received_file(name)

    def work(progress: Progress) -> dict[str, Any]:
        try:
            report = importing.build(received, path, None, title.replace("_", " ").capitalize(), progress, name)
        finally:
            shutil.rmtree(received.parent, ignore_errors=True)
        _warm(known.study(ident))
        return {"study": ident, "report": vars(report)}

    return _started(ident, work)


@api.post("/studies/<study_id>/sources")
def add_source(study_id: str) -> Response:
    """Add the file in the request body: an extract rebuilds the streets, anything else becomes a layer. Answers with a job."""
    known_parameters("name", "id", "title")
    study, name = study_of(study_id), file_name()
    ident, title = request.args.get("id"), request.args.get("title")
    received = received_file(name)

    def work(progress: Progress) -> dict[str, Any]:
        try:
            if importing.is_extract(name):
                report = importing.build(received, study.path, None, None, progress, name)
                _warm(study)
                return {"study": study_id, "report": vars(report)}
            progress.step(0.2, f"Reading {name}")
            if ident or title:
                return {"study": study_id, "layers": [importing.add(received, study, ident, title, name)]}
            return {"study": study_id, "layers": importing.add_all(received, study, name, progress.part(0.2, 1.0))}
        finally:
            shutil.rmtree(received.parent, ignore_errors=True)

    return _started(study_id, work)


def _started(study_id: str, work: Callable[[Progress], dict[str, Any]]) -> Response:
    """Start the work as a job of a study, and say where it can be followed."""
    job = jobs().start("build", study_id, work)
    return reply(job.info(f"/studies/{study_id}"), 201, Location=f"/jobs/{job.id}")


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
    try:
        what = inspect.described(received, name, None, near)
        received.parent.rename(catalogue().folder / f"{STAGED}{token}")
    except BaseException:
        shutil.rmtree(received.parent, ignore_errors=True)
        raise
    return reply({"token": token, "name": name, **what}, 201)


@api.post("/uploads/area")
def area_of_file() -> Response:
    """The polygons of the file in the request body as one area, GeoJSON; nothing is kept."""
    known_parameters("name")
    name = file_name()
    received = received_file(name)
    try:
        return reply(json.loads(shapely.to_geojson(areas.area_from(None, received))))
    finally:
        shutil.rmtree(received.parent, ignore_errors=True)


@api.post("/uploads/<token>/look")
def look(token: str) -> Response:
    """Say again what is in a waiting file, taken to be in another coordinate system."""
    upload, wanted = staged_file(token), checked(Look, body())
    what = inspect.described(upload, upload.name, wanted.options(), _bounds(wanted.study))
    return reply({"token": token, "name": upload.name, **what})


@api.get("/uploads/<token>/preview")
def preview(token: str) -> Response:
    """The streets of a waiting extract, a multi-line feature per class, or the shapes of waiting layers, to be looked at."""
    known_parameters("crs", "x", "y")
    upload = staged_file(token)
    if not importing.is_extract(upload.name):
        how = checked(Reading, request.args.to_dict()).options()
        layers = inspect.preview_layers(upload, upload.name, how)
        return reply(geojson.collection(Table(layers, {})))
    streets = inspect.preview(inspect.read_extract(upload, upload.name))
    shapes = np.array(list(streets.values()), dtype=object)
    return reply(geojson.collection(Table(shapes, {"class": list(streets)})))


@api.post("/uploads/<token>/streets")
def build_streets(token: str) -> Response:
    """Build streets from a waiting file, in a new study or in place of the streets of one. Answers with a job."""
    known_parameters()
    upload, wanted = staged_file(token), checked(StreetBuild, body())
    nodes = upload if wanted.nodes_layer else None
    options = BuildOptions(
        layer=wanted.layer,
        choices=wanted.fields,
        tolerance_m=wanted.tolerance,
        first_node=wanted.first_node,
        nodes=nodes,
        nodes_layer=wanted.nodes_layer,
        nodes_field=wanted.nodes_field,
        crs=wanted.crs,
        without=tuple(wanted.without),
        weight=wanted.weight,
        units=Units(wanted.speed_unit, wanted.length_unit),
        break_crossings=wanted.break_crossings,
    )
    area = _area(wanted)
    known, stem = catalogue(), EXTRACT_ENDING.sub("", upload.name)
    title = wanted.title or stem.replace("_", " ").capitalize()
    ident = wanted.study or _free_id(wanted.title or stem)
    path = study_of(ident).path if wanted.study else known.path(ident)

    def work(progress: Progress) -> dict[str, Any]:
        report = importing.build(upload, path, area, title, progress, upload.name, options)
        # Kept until it has worked, to be tried again with other words.
        shutil.rmtree(upload.parent, ignore_errors=True)
        _warm(known.study(ident))
        return {"study": ident, "report": vars(report)}

    return _started(ident, work)


@api.post("/uploads/<token>/layers")
def add_layers(token: str) -> Response:
    """Add layers of a waiting file to a study, all or none. Answers with a job."""
    known_parameters()
    upload, wanted = staged_file(token), checked(LayersAdd, body())
    study = study_of(wanted.study)

    def work(progress: Progress) -> dict[str, Any]:
        progress.step(0.1, f"Reading {upload.name}")
        chosen = [(one.name, one.role, one.title, one.options(one.key)) for one in wanted.layers]
        added = importing.add_chosen(upload, study, chosen, upload.name, progress)
        shutil.rmtree(upload.parent, ignore_errors=True)
        return {"study": wanted.study, "layers": added}

    return _started(wanted.study, work)


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
    study = study_of(wanted.study)
    ends = TripEnds(wanted.origins, wanted.destinations, wanted.origin, wanted.destination)

    def work(progress: Progress) -> dict[str, Any]:
        progress.step(0.1, f"Reading {upload.name}")
        added = add_trips(upload, study, ends, None, wanted.title, upload.name)
        shutil.rmtree(upload.parent, ignore_errors=True)
        return {"study": wanted.study, "layers": [added]}

    return _started(wanted.study, work)


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


def clear_staged(folder: Path) -> None:
    """Throw away what was left waiting by an earlier run."""
    for old in [*folder.glob(f"{STAGED}*"), *folder.glob(".upload-*")]:
        shutil.rmtree(old, ignore_errors=True)
