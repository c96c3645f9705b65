"""Files on their way into a study: an extract builds streets, layers are added, lines are asked about first.

A file whose meaning must be settled by the user (which field is the direction?) waits in a scratch folder under a token
until it is built or dismissed; what waits when the server starts is thrown away.
"""

from __future__ import annotations

import re
import secrets
import shutil
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from flask import Blueprint, Response, request
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.formats.limits import MAX_BYTES
from awl.server.web import body, catalogue, jobs, known_parameters, reply, study_of
from awl.study import intake
from awl.study.line_fields import BuildOptions
from awl.study.study import Study, slug

api = Blueprint("incoming", __name__)
BINARY = "application/octet-stream"
WAITING = ".waiting-"


def _received(name: str) -> Path:
    """The request body in a scratch file inside the studies folder, bounded in size."""
    if request.mimetype != BINARY:
        raise AwlError(f"Send the file itself as {BINARY}", status=415)
    if not request.content_length:
        raise AwlError("The file is empty", where=name, remedy="Check how it was saved")
    if request.content_length > MAX_BYTES:
        raise AwlError(f"The file is larger than the {MAX_BYTES >> 30} GB Awl takes in", where=name, status=413)
    folder = Path(tempfile.mkdtemp(prefix=".incoming-", dir=catalogue().folder))
    target = folder / re.sub(r"[^A-Za-z0-9._-]", "_", name)[-120:]
    with target.open("wb") as out:
        shutil.copyfileobj(request.stream, out, 1 << 20)
    return target


def _file_name() -> str:
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
    name = _file_name()
    if not intake.is_extract(name):
        raise AwlError(
            f"'{name}' is no map extract Awl reads",
            remedy=f"Begin a study with OSM XML or PBF ({', '.join(intake.EXTRACT_ENDINGS)}); layers are added afterwards",
        )
    title = request.args.get("title") or re.sub(r"(\.osm)?(\.gz|\.bz2|\.pbf)?$", "", name, flags=re.I)
    ident = _free_id(title)
    known = catalogue()  # the job runs outside of this request
    path, received = known.path(ident), _received(name)

    def work(progress: Progress) -> dict[str, Any]:
        try:
            report = intake.build(received, path, None, title.replace("_", " ").capitalize(), progress, name)
        finally:
            shutil.rmtree(received.parent, ignore_errors=True)
        _warm(known.study(ident))
        return {"study": ident, "report": vars(report)}

    return _started(ident, work)


@api.post("/studies/<study_id>/sources")
def add_source(study_id: str) -> Response:
    """Add the file in the request body: an extract rebuilds the streets, anything else becomes a layer. Answers with a job."""
    known_parameters("name", "id", "title")
    study, name = study_of(study_id), _file_name()
    ident, title = request.args.get("id"), request.args.get("title")
    received = _received(name)

    def work(progress: Progress) -> dict[str, Any]:
        try:
            if intake.is_extract(name):
                report = intake.build(received, study.path, None, None, progress, name)
                _warm(study)
                return {"study": study_id, "report": vars(report)}
            progress.step(0.2, f"Reading {name}")
            if ident or title:
                return {"study": study_id, "layers": [intake.add(received, study, ident, title, name)]}
            return {"study": study_id, "layers": intake.add_all(received, study, name, progress.part(0.2, 1.0))}
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


class LineBuild(BaseModel):
    """How waiting lines become streets; fields are chosen by role, "none" where there is none."""

    model_config = ConfigDict(extra="forbid")

    study: str | None = None
    layer: str | None = None
    fields: dict[str, str | None] = Field(default_factory=dict)
    tolerance: float = 0.5
    first_node: int = 1
    nodes_layer: str | None = None
    nodes_field: str | None = None


@api.post("/incoming")
def receive() -> Response:
    """Keep the file in the request body until it is decided what to do with it; says what is in it."""
    known_parameters("name")
    name = _file_name()
    received = _received(name)
    token = secrets.token_hex(12)
    try:
        layers = intake.described(received, name)
        received.parent.rename(catalogue().folder / f"{WAITING}{token}")
    except BaseException:
        shutil.rmtree(received.parent, ignore_errors=True)
        raise
    return reply({"token": token, "name": name, "layers": layers}, 201)


@api.post("/incoming/<token>/streets")
def build_lines(token: str) -> Response:
    """Build streets from waiting lines, in a new study or in place of the streets of one. Answers with a job."""
    known_parameters()
    waiting = _waiting(token)
    try:
        wanted = LineBuild.model_validate(body())
    except ValidationError as error:
        first = error.errors()[0]
        name = ".".join(str(part) for part in first["loc"])
        raise AwlError(f"'{name}': {first['msg']}", inputs=(name,)) from error
    nodes = waiting if wanted.nodes_layer else None
    options = BuildOptions(
        wanted.layer, wanted.fields, wanted.tolerance, wanted.first_node, nodes, wanted.nodes_layer, wanted.nodes_field
    )
    known, title = catalogue(), waiting.stem.replace("_", " ").capitalize()
    ident = wanted.study or _free_id(waiting.stem)
    path = study_of(ident).path if wanted.study else known.path(ident)

    def work(progress: Progress) -> dict[str, Any]:
        report = intake.build(waiting, path, None, title, progress, waiting.name, options)
        shutil.rmtree(
            waiting.parent, ignore_errors=True
        )  # kept until it has worked, to be tried again with other words
        _warm(known.study(ident))
        return {"study": ident, "report": vars(report)}

    return _started(ident, work)


@api.delete("/incoming/<token>")
def dismiss(token: str) -> Response:
    """Throw a waiting file away."""
    shutil.rmtree(_waiting(token).parent, ignore_errors=True)
    return reply({"dismissed": token})


def _waiting(token: str) -> Path:
    """The waiting file of a token."""
    folder = catalogue().folder / f"{WAITING}{token}"
    found = list(folder.iterdir()) if re.fullmatch(r"[0-9a-f]{24}", token) and folder.is_dir() else []
    if not found:
        raise AwlError(
            "There is no such file waiting", remedy="Bring the file in again", status=404, kind="no-such-file"
        )
    return found[0]


def clear_waiting(folder: Path) -> None:
    """Throw away what was left waiting by an earlier run."""
    for old in [*folder.glob(f"{WAITING}*"), *folder.glob(".incoming-*")]:
        shutil.rmtree(old, ignore_errors=True)
