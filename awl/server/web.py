"""Small things every route uses: JSON responses, problems, links, checked query parameters."""

from __future__ import annotations

import json
import math
import threading
import time
from typing import Any, TypeVar

import numpy as np
from flask import Response, current_app, request
from pydantic import BaseModel, ValidationError

from awl.core.errors import AwlError
from awl.io.geojson import dumps
from awl.server.catalogue import Catalogue
from awl.server.jobs import RETRY_AFTER_S, Job, Jobs
from awl.server.json_bodies import read_object
from awl.server.workroom import File, Task
from awl.study import what_ifs
from awl.study.study import Study

Model = TypeVar("Model", bound=BaseModel)
WAITS_S = 60.0
"""Seconds for which a request waits for the result of its work."""
MOST_WAIT = 64
"""Requests that wait at a time: the other threads of the server are there for what is answered at once."""
LOOKS_EVERY_S = 0.5
"""Seconds between two looks whether a waiting client is still there."""
BINARY = "application/octet-stream"
TYPES = "https://awl.invalid/problems/"
"""Problem types are names, not addresses; `.invalid` never resolves (RFC 2606)."""


def catalogue() -> Catalogue:
    """The server's studies."""
    registered: Catalogue = current_app.extensions["awl-catalogue"]
    return registered


def jobs() -> Jobs:
    """The server's jobs."""
    registered: Jobs = current_app.extensions["awl-jobs"]
    return registered


def study_of(ident: str) -> Study:
    """A study by id."""
    return catalogue().study(ident)


def asked_study(ident: str) -> Study:
    """A study as it would be with the what-ifs that the address names, `what_if=a,b`; as it is where it names none."""
    named = [part for part in request.args.get("what_if", "").split(",") if part]
    return what_ifs.variant(study_of(ident), named)


def reply(document: Any, status: int = 200, media: str = "application/json", **headers: str) -> Response:
    """A JSON response."""
    response = Response(dumps(document), status, mimetype=media)
    for name, value in headers.items():
        response.headers[name.replace("_", "-")] = value
    return response


def problem(error: AwlError) -> Response:
    """An RFC 9457 problem."""
    body: dict[str, Any] = {
        "type": TYPES + error.kind,
        "title": error.what,
        "status": error.status,
        "detail": error.detail,
    }
    if error.inputs:
        body["inputs"] = list(error.inputs)
    headers = {"Retry_After": str(RETRY_AFTER_S)} if error.status == 503 else {}
    return reply(body, error.status, "application/problem+json", **headers)


def started(job: Job, address: str = "") -> Response:
    """Where a job that was started can be followed: at its own address, or another."""
    base = base_of(job.study)
    return reply(job.info(base), 201, Location=address or f"{base}/jobs/{job.id}")


def started_build(study: str, task: Task, **how: Any) -> Response:
    """Start work that changes a study, or makes one; it is followed at an address outside of the study, with its result.

    Parameters:
        study: the study.
        task: the work.
        how: options of `Jobs.start`.
    """
    job = jobs().start("build", study, task, **how)
    return reply(job.info(f"/studies/{study}"), 201, Location=f"/jobs/{job.id}")


def done(process: str, study: str, task: Task, question: str | None = None, **how: Any) -> Response:
    """The result of work that the request waits for.

    Where it takes longer than `WAITS_S`, or too many wait already, the answer is 202 with the address of the job; where the
    client goes, the work ends.

    Parameters:
        process: what is done, as the list of jobs calls it.
        study: the study.
        task: the work.
        question: the question it answers.
        how: options of `Jobs.start`.
    """
    job = jobs().start(process, study, task, question, is_listed=False, **how)
    room: threading.BoundedSemaphore = current_app.extensions["awl-waiting-room"]
    if not room.acquire(blocking=False):
        return _later(job)
    try:
        is_gone = request.environ.get("waitress.client_disconnected", lambda: False)
        until = time.monotonic() + WAITS_S
        while not job.over.wait(LOOKS_EVERY_S):
            if is_gone():
                jobs().dismiss(job)
                raise AwlError("Nobody waits for this any more", status=499, kind="client-gone")
            if time.monotonic() > until:
                return _later(job)
    finally:
        room.release()
    if job.status == "dismissed":
        raise AwlError("This was stopped", status=409, kind="dismissed")
    try:
        return of_job(job)
    finally:
        jobs().forget(job)


def of_job(job: Job) -> Response:
    """What a job gave; raises the problem of one that failed."""
    response = Response(job.result_bytes(), content_type=job.media)
    response.headers.update(job.headers)
    return response


def _later(job: Job) -> Response:
    job.is_listed = True
    base = base_of(job.study)
    return reply(job.info(base), 202, Location=f"{base}/jobs/{job.id}")


def check_version(current: str, what: str) -> None:
    """Refuse a change that was made from another version than the `current` one, where the request names one (`If-Match`).

    Raises `AwlError` with status 412.
    """
    wanted = expected_version()
    if wanted is not None and wanted != current:
        raise AwlError(
            f"The {what} was changed elsewhere in the meantime",
            remedy="Look at it again, then change that",
            status=412,
            kind="changed-meanwhile",
        )


def expected_version() -> str | None:
    """The version a change was made from, where the request names one (`If-Match`)."""
    wanted = request.headers.get("If-Match", "*").strip()
    return None if wanted == "*" else wanted.removeprefix("W/").strip('"')


def base_of(study: str) -> str:
    """Address of a study's API."""
    return f"{request.host_url.rstrip('/')}/studies/{study}"


def link(href: str, rel: str, media: str = "application/json", title: str = "") -> dict[str, str]:
    """A web link."""
    return {"href": href, "rel": rel, "type": media} | ({"title": title} if title else {})


def known_parameters(*names: str) -> None:
    """Refuse query parameters other than these, as OGC API asks."""
    for name in request.args:
        if name not in names and name != "f":
            raise AwlError(
                f"There is no query parameter '{name[:60]}'",
                remedy=f"Known are: {', '.join(names) or 'none'}",
                inputs=(name,),
            )


def whole(name: str, default: int, low: int, high: int) -> int:
    """A whole-number query parameter between bounds."""
    text = request.args.get(name)
    if text is None:
        return default
    try:
        value = int(text)
    except ValueError:
        value = low - 1
    if not low <= value <= high:
        raise AwlError(
            f"'{name}' is '{text[:40]}'", remedy=f"Give a whole number from {low} to {high:,}", inputs=(name,)
        )
    return value


def number(name: str) -> float:
    """A required finite number among the query parameters."""
    text = request.args.get(name, "")
    try:
        value = float(text)
    except ValueError:
        value = math.nan
    if not math.isfinite(value):
        raise AwlError(f"'{name}' is '{text[:40]}', not a number", remedy="Give a number", inputs=(name,))
    return value


def bbox() -> tuple[float, float, float, float] | None:
    """The `bbox` query parameter: west,south,east,north in degrees."""
    text = request.args.get("bbox")
    if text is None:
        return None
    try:
        values = [float(part) for part in text.split(",")]
    except ValueError:
        values = []
    if len(values) == 6:
        values = [values[0], values[1], values[3], values[4]]
    if len(values) != 4 or not all(map(math.isfinite, values)) or values[1] > values[3] or values[0] > values[2]:
        raise AwlError(
            f"'{text[:80]}' is no bounding box", remedy="Give bbox=west,south,east,north in degrees", inputs=("bbox",)
        )
    return values[0], values[1], values[2], values[3]


def checked(model: type[Model], document: dict[str, Any]) -> Model:
    """The document as a model; raises naming the field that is wrong."""
    try:
        return model.model_validate(document)
    except ValidationError as error:
        first = error.errors()[0]
        name = ".".join(str(part) for part in first["loc"])
        raise AwlError(f"'{name}': {first['msg']}", inputs=(name,)) from error


def body(most: int = 64 << 20) -> dict[str, Any]:
    """The JSON object sent with the request."""
    if request.mimetype != "application/json":
        raise AwlError("The request body is not JSON", remedy="Send Content-Type: application/json", status=415)
    if (request.content_length or 0) > most:
        raise AwlError(
            f"The request is larger than {most >> 20} MB", remedy="Put the features into a layer", status=413
        )
    return read_object(request.get_data())


MEDIA = {
    "csv": "text/csv; charset=utf-8",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "geojson": "application/geo+json",
    "json": "application/json",
    "zip": "application/zip",
    "osc": "application/xml",
    "parquet": "application/vnd.apache.parquet",
    "omx": "application/x-hdf5",
    "gpx": "application/gpx+xml",
    "gpkg": "application/geopackage+sqlite3",
    "png": "image/png",
    "svg": "image/svg+xml",
    "pdf": "application/pdf",
    "gif": "image/gif",
    "html": "text/html; charset=utf-8",
}
"""Media types of files by their ending."""


def named_file(data: bytes, name: str, shown: bool = False) -> File:
    """A file that is saved under a name, or `shown` in the browser."""
    how = "inline" if shown else "attachment"
    return File(data, MEDIA[name.rpartition(".")[2]], {"Content-Disposition": f'{how}; filename="{name}"'})


def download(data: bytes, name: str) -> Response:
    """A response that is saved under a name."""
    file = named_file(data, name)
    return Response(file.data, content_type=file.media, headers=file.headers)


def packed(head: dict[str, Any], *arrays: np.ndarray[Any, Any]) -> Response:
    """A response of a head and arrays, as `packed_bytes` writes them."""
    return Response(packed_bytes(head, *arrays), mimetype=BINARY)


def packed_bytes(head: dict[str, Any], *arrays: np.ndarray[Any, Any]) -> bytes:
    """A JSON head and raw little-endian arrays: head length (uint32), head, padding to 8 bytes, arrays each padded to 8."""
    described = [{"dtype": array.dtype.str, "length": array.size} for array in arrays]
    text = json.dumps({**head, "arrays": described}).encode()
    chunks = [len(text).to_bytes(4, "little"), text, b" " * (-(len(text) + 4) % 8)]
    for array in arrays:
        data = np.ascontiguousarray(array).tobytes()
        chunks += [data, b"\0" * (-len(data) % 8)]
    return b"".join(chunks)
