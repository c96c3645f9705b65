"""The application: blueprints, problem responses, the built front end, and the production server."""

from __future__ import annotations

import logging
import mimetypes
import signal
import threading
from pathlib import Path

from flask import Flask, Response, request, send_from_directory
from werkzeug.exceptions import HTTPException

from awl.core.errors import AwlError
from awl.io.limits import MAX_BYTES
from awl.server import (
    answers,
    downloads,
    edits,
    explain,
    features,
    forms,
    health,
    interface,
    layers,
    live,
    maps,
    modes,
    playing,
    processes,
    search,
    sheets,
    uploads,
)
from awl.server.catalogue import Catalogue
from awl.server.compression import compressed
from awl.server.guard import Guard
from awl.server.http_server import http_server
from awl.server.jobs import Jobs
from awl.server.tokens import Tokens
from awl.server.web import MOST_WAIT, problem
from awl.server.worker import NICE, NICE_IF_BRIEF, InProcess, InThread
from awl.server.workroom import Workroom
from awl.shipped import front_end
from awl.study import litter
from awl.study.query_time import limit_queries
from awl.study.storage_faults import storage_fault

log = logging.getLogger(__name__)
FRONT_END = front_end()
QUERIES_S = 20.0
"""Seconds for the queries of a request that is answered at once; long work has no such limit, it can be stopped."""
THREADS = 3
"""Threads that do the long work where no processes do."""
POLICY = (
    "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; worker-src 'self' blob:;"
    " connect-src 'self'; frame-ancestors 'none'; base-uri 'none'; form-action 'none'"
)


def create_app(root: Path, host: str = "127.0.0.1", workers: int = 0, tokens: Tokens | None = None) -> Flask:
    """The server of a folder of studies, or of one study file, to be bound to `host`.

    Parameters:
        root: the folder or study file.
        host: the name or address it is bound to.
        workers: how many processes do the long work; threads of the server do where 0.
        tokens: who may do what; everybody everything where None.
    """
    app = Flask("awl", static_folder=None, template_folder=str(Path(__file__).parent / "templates"))
    app.config["MAX_CONTENT_LENGTH"] = MAX_BYTES
    app.json.sort_keys = False  # type: ignore[attr-defined]
    studies = app.extensions["awl-catalogue"] = Catalogue(root)
    room = app.extensions["awl-workroom"] = Workroom(studies)
    app.extensions["awl-jobs"] = _jobs(room, root, workers)
    app.extensions["awl-waiting-room"] = threading.BoundedSemaphore(MOST_WAIT)
    litter.sweep(studies.folder)
    for module in (
        features,
        processes,
        interface,
        answers,
        maps,
        forms,
        health,
        edits,
        explain,
        layers,
        live,
        modes,
        playing,
        uploads,
        downloads,
        search,
        sheets,
    ):
        app.register_blueprint(module.api)
    app.register_error_handler(AwlError, problem)
    app.register_error_handler(HTTPException, _http_problem)
    app.register_error_handler(Exception, _internal_problem)
    app.extensions["awl-tokens"] = tokens
    app.before_request(Guard(host, tokens).check)
    app.before_request(lambda: limit_queries(QUERIES_S))
    app.teardown_request(lambda _: limit_queries(None))
    app.after_request(_headers)
    app.after_request(compressed)
    app.add_url_rule("/", "front", lambda: _front("index.html"))
    app.add_url_rule("/assets/<path:name>", "assets", lambda name: _front(f"assets/{name}"))
    return app


def _jobs(room: Workroom, root: Path, workers: int) -> Jobs:
    if workers == 0:
        return Jobs([InThread(room) for _ in range(THREADS)])
    brief = max(1, workers // 2)
    kinds = [NICE_IF_BRIEF] * brief + [NICE] * workers
    processes = [InProcess(root, nice) for nice in kinds]
    for process in processes:
        process.begin()  # before there are threads
    return Jobs(processes, brief_only=brief)


def _front(name: str) -> Response:
    if not (FRONT_END / "index.html").is_file():
        raise AwlError("The front end is not built", remedy="Run 'make setup'", status=503)
    age = 86400 if name.startswith("assets/") else 0
    # The build holds scripts and styles compressed too.
    is_packed = "gzip" in request.accept_encodings and (FRONT_END / f"{name}.gz").is_file()
    media = mimetypes.guess_type(name)[0]
    response = send_from_directory(FRONT_END, f"{name}.gz" if is_packed else name, max_age=age, mimetype=media)
    if is_packed:
        response.headers["Content-Encoding"] = "gzip"
    response.headers["Vary"] = "Accept-Encoding"
    return response


def _headers(response: Response) -> Response:
    response.headers.setdefault("X-Content-Type-Options", "nosniff")
    response.headers.setdefault("Referrer-Policy", "same-origin")
    response.headers.setdefault("Content-Security-Policy", POLICY)
    response.headers.setdefault("Cache-Control", "no-cache")
    return response


def _http_problem(error: HTTPException) -> Response:
    kind = (error.name or "error").lower().replace(" ", "-")
    if error.code == 404:
        remedy = "Addresses start at /studies"
        return problem(AwlError(f"There is nothing at {request.path[:200]}", remedy=remedy, status=404, kind=kind))
    return problem(AwlError(error.description or error.name, status=error.code or 500, kind=kind))


def _internal_problem(error: Exception) -> Response:
    log.exception("%s %s failed", request.method, request.path, exc_info=error)
    fault = storage_fault(error)
    return problem(
        fault or AwlError("Awl failed at this; the fault is logged on the server", status=500, kind="internal")
    )


def serve(root: Path, host: str, port: int, workers: int, tokens: Tokens | None) -> None:
    """Serve until interrupted, on a production server.

    Parameters:
        root: the folder or study file.
        host: the name or address to bind to.
        port: the port; any free one where 0.
        workers: how many processes do the long work.
        tokens: who may do what; everybody everything where None.
    """
    app = create_app(root, host, workers, tokens)
    try:
        server = http_server(app, host, port)
        with app.app_context():
            interface.open_only()
        signal.signal(signal.SIGTERM, signal.default_int_handler)  # ended in good order too
        for line in _greeting(root, f"http://{host}:{server.effective_port}", tokens):
            print(line, flush=True)
        server.run()
        server.close()
    except KeyboardInterrupt:
        log.info("interrupted")
    finally:
        app.extensions["awl-catalogue"].close()
        app.extensions["awl-jobs"].close()


def _greeting(root: Path, address: str, tokens: Tokens | None) -> list[str]:
    """What is said when a server begins."""
    if tokens is None:
        return [f"Awl serves {root} on {address}"]
    return [
        f"Awl serves {root} on {address}/?token={tokens.write}",
        f"Who may only look and ask opens {address}/?token={tokens.read}",
        "Whoever has one of these addresses is let in, and what goes over a network is not encrypted.",
    ]
