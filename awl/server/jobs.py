"""Long work in the background: progress, results, and a stop that really stops.

Jobs run in a few threads; the kernels release the interpreter lock. A job that fails leaves the server and the study as
they were. Results lie on disk, in a folder that goes with the server: one may be as large as all the rest.
"""

from __future__ import annotations

import logging
import threading
import time
import uuid
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from awl.core.errors import AwlError, Cancelled
from awl.core.progress import Progress
from awl.io.geojson import dumps
from awl.study.records import now

log = logging.getLogger(__name__)
KEPT = 200
"""Finished jobs remembered."""


@dataclass
class Job:
    """One piece of work. `status` is one of OGC's: accepted, running, successful, failed, dismissed."""

    id: str
    process: str
    study: str
    question: str | None
    status: str = "accepted"
    message: str = "Waiting"
    fraction: float = 0.0
    created: str = field(default_factory=now)
    started: str | None = None
    finished: str | None = None
    seconds_left: float | None = None
    result: Path | None = None
    """The file that holds its result as JSON."""
    error: AwlError | None = None
    progress: Progress = field(default_factory=Progress)
    over: threading.Event = field(default_factory=threading.Event)
    """Set when nothing of it runs any more."""

    def result_json(self) -> bytes:
        """Its result as JSON text; raises `AwlError` (404) where it has none."""
        if self.result is None:
            raise AwlError(f"The job is {self.status}, it has no results", status=404, kind="result-not-ready")
        return self.result.read_bytes()

    def info(self, base: str) -> dict[str, Any]:
        """OGC API Processes `statusInfo`."""
        links = [{"rel": "self", "type": "application/json", "href": f"{base}/jobs/{self.id}"}]
        if self.status == "successful":
            links.append(
                {
                    "rel": "http://www.opengis.net/def/rel/ogc/1.0/results",
                    "type": "application/json",
                    "href": f"{base}/jobs/{self.id}/results",
                }
            )
        info: dict[str, Any] = {
            "jobID": self.id,
            "processID": self.process,
            "type": "process",
            "status": self.status,
            "message": self.message,
            "progress": int(self.fraction * 100),
            "created": self.created,
            "started": self.started,
            "finished": self.finished,
            "links": links,
        }
        if self.question:
            info["question"] = self.question
        if self.seconds_left is not None and self.status == "running":
            info["secondsLeft"] = round(self.seconds_left, 1)
        return {key: value for key, value in info.items() if value is not None}


class Jobs:
    """All jobs of a server."""

    def __init__(self, threads: int = 3) -> None:
        self._folder = TemporaryDirectory(prefix="awl-results-")
        self._pool = ThreadPoolExecutor(threads, thread_name_prefix="job")
        self._jobs: dict[str, Job] = {}
        self._lock = threading.Lock()

    def start(self, process: str, study: str, work: Callable[[Progress], Any], question: str | None = None) -> Job:
        """Queue `work(progress)`; what it returns, as JSON, becomes the result."""
        job = Job(uuid.uuid4().hex, process, study, question)
        began = [0.0]

        def listen(fraction: float, message: str) -> None:
            job.fraction, job.message = fraction, message
            if fraction > 0.02:
                job.seconds_left = (time.monotonic() - began[0]) * (1 - fraction) / fraction

        job.progress = Progress(listen)

        def run() -> None:
            if job.status == "dismissed":
                job.over.set()
                return
            job.status, job.started, began[0] = "running", now(), time.monotonic()
            try:
                with job.progress.running():
                    result = work(job.progress)
                if job.status == "running":
                    path = Path(self._folder.name) / f"{job.id}.json"
                    path.write_bytes(dumps(result))
                    job.result, job.status, job.fraction, job.message = path, "successful", 1.0, "Done"
            except Cancelled:
                job.status, job.message = "dismissed", "Stopped"
            except AwlError as error:
                job.error, job.status, job.message = error, "failed", error.detail
            except Exception:
                log.exception("job %s (%s) failed", job.id, process)
                job.error = AwlError("Awl failed at this; the fault is logged", status=500, kind="internal")
                job.status, job.message = "failed", job.error.detail
            job.finished = now()
            job.over.set()

        with self._lock:
            self._jobs[job.id] = job
            done = [key for key, old in self._jobs.items() if old.finished]
            for key in done[:-KEPT]:
                self._forget(key)
        self._pool.submit(run)
        return job

    def of(self, study: str | None = None) -> list[Job]:
        """Jobs, newest first."""
        with self._lock:
            return [job for job in reversed(self._jobs.values()) if study is None or job.study == study]

    def get(self, ident: str, study: str | None = None) -> Job:
        """A job; raises `AwlError` (404)."""
        job = self._jobs.get(ident)
        if job is None or (study is not None and job.study != study):
            raise AwlError(f"There is no job '{ident[:80]}'", remedy="See /jobs", status=404, kind="no-such-job")
        return job

    def dismiss(self, job: Job) -> None:
        """Stop a job that runs or waits; forget one that has ended."""
        if job.status in ("accepted", "running"):
            job.status, job.message, job.finished = "dismissed", "Stopped", now()
            job.progress.stop()
        else:
            with self._lock:
                self._forget(job.id)
            job.status = "dismissed"

    def _forget(self, ident: str) -> None:
        job = self._jobs.pop(ident, None)
        if job is not None and job.result is not None:
            job.result.unlink(missing_ok=True)
            job.result = None
