"""Long work in the background: a bounded queue, progress, results, and a stop that really stops.

Workers take jobs from one queue, the oldest first; one of them takes brief jobs alone, so that a question never waits for a
simulation. A job that fails leaves the server and the study as they were. Results lie on disk, in a folder that goes with the
server: one may be as large as all the rest.
"""

from __future__ import annotations

import logging
import os
import threading
import time
import uuid
from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import orjson

from awl.core.errors import AwlError, Cancelled
from awl.core.progress import Progress, cores
from awl.server.worker import Worker
from awl.server.workroom import File, Outcome, Task
from awl.study import litter
from awl.study.records import now

log = logging.getLogger(__name__)
MOST_FINISHED = 200
"""Finished jobs remembered."""
MOST_WAITING = 100
"""Jobs that may wait; more are refused."""
RETRY_AFTER_S = 10
MOST_OPENING = max(1, cores() // 2)
"""Workers that do at once what all are to do, such as opening a study: the first is ready sooner where the others wait for it."""


@dataclass
class Job:
    """One piece of work. `status` is one of OGC's: accepted, running, successful, failed, dismissed."""

    id: str
    process: str
    study: str
    question: str | None
    task: Task
    is_brief: bool = False
    limit_s: float | None = None
    """Seconds after which it is ended; None for as long as it takes."""
    then: Callable[[bool], None] | None = None
    """Called when it has ended, with whether it did well."""
    worker: int | None = None
    """The one worker that does it; any where None."""
    is_listed: bool = True
    """Whether it is one of the jobs of its study; a request that waits for its result lists none."""
    status: str = "accepted"
    message: str = "Waiting"
    fraction: float = 0.0
    created: str = field(default_factory=now)
    started: str | None = None
    finished: str | None = None
    seconds_left: float | None = None
    result: Path | None = None
    """The file that holds its result."""
    media: str = ""
    headers: dict[str, str] = field(default_factory=dict)
    error: AwlError | None = None
    progress: Progress = field(default_factory=Progress)
    over: threading.Event = field(default_factory=threading.Event)
    """Set when nothing of it runs any more."""

    def result_bytes(self) -> bytes:
        """Its result, JSON text if it is no other file; raises `AwlError` (404) where it has none."""
        if self.error is not None:
            raise self.error
        if self.result is None:
            raise AwlError(f"The job is {self.status}, it has no results", status=404, kind="result-not-ready")
        try:
            return self.result.read_bytes()
        except FileNotFoundError as error:
            raise AwlError("The results of the job were removed", status=404, kind="result-not-ready") from error

    def result_json(self) -> Any:
        """Its result as a value."""
        return orjson.loads(self.result_bytes())

    def info(self, base: str) -> dict[str, Any]:
        """OGC API Processes `statusInfo`."""
        links = [{"rel": "self", "type": "application/json", "href": f"{base}/jobs/{self.id}"}]
        if self.status == "successful":
            links.append(
                {
                    "rel": "http://www.opengis.net/def/rel/ogc/1.0/results",
                    "type": self.media,
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

    def __init__(self, workers: Sequence[Worker], brief_only: int = 0) -> None:
        """The first `brief_only` of the workers take brief jobs alone."""
        litter.sweep_results()
        self._folder = TemporaryDirectory(prefix=f"{litter.RESULTS}{os.getpid()}-")
        self._jobs: dict[str, Job] = {}
        self._waiting: deque[Job] = deque()
        self._changed = threading.Condition()
        self._workers, self._brief_only = list(workers), brief_only
        self._done_everywhere: dict[tuple[str, Callable[..., Any]], Any] = {}
        self._is_closed = False
        # Which study a worker did last: it has that one open and prepared.
        self._idle: dict[int, str] = {}
        # How many do what all are to do.
        self._opening = 0
        # Who worked at a question last: it may still hold the answer.
        self._homes: dict[tuple[str, str | None], int] = {}
        for number, worker in enumerate(self._workers):
            threading.Thread(target=self._serve, args=(number, worker), name=f"job-{number}", daemon=True).start()

    def start(
        self,
        process: str,
        study: str,
        task: Task,
        question: str | None = None,
        *,
        is_brief: bool = False,
        is_listed: bool = True,
        limit_s: float | None = None,
        then: Callable[[bool], None] | None = None,
    ) -> Job:
        """Queue a task of a study; what it returns becomes the result.

        Parameters:
            process: what is done, as the list of jobs calls it.
            study: the study.
            task: the work.
            question: the question it answers.
            is_brief: whether somebody waits for it who waits for little.
            is_listed: whether it is one of the jobs of its study.
            limit_s: seconds after which it is ended.
            then: is called when it has ended or was refused, with whether it did well.

        Raises:
            AwlError: too many wait already (503).
        """
        job = Job(
            uuid.uuid4().hex,
            process,
            study,
            question,
            task,
            is_brief=is_brief,
            limit_s=limit_s,
            then=then,
            is_listed=is_listed,
        )
        job.progress = Progress(_listener(job))
        with self._changed:
            is_refused = len(self._waiting) >= MOST_WAITING
            if not is_refused:
                self._queue(job)
        if is_refused:
            if then is not None:
                then(False)
            raise AwlError(
                f"The server has {MOST_WAITING} questions waiting already",
                remedy=f"Try again in {RETRY_AFTER_S} seconds",
                status=503,
                kind="too-busy",
            )
        return job

    def _queue(self, job: Job) -> None:
        self._jobs[job.id] = job
        done = [key for key, old in self._jobs.items() if old.over.is_set()]
        for key in done[:-MOST_FINISHED]:
            self._forget(key)
        self._waiting.append(job)
        self._changed.notify_all()

    def do_everywhere(self, study: str, version: Any, task: Task) -> None:
        """Have every worker of its own process do something with a study, once for each version; brief questions go first.

        Parameters:
            study: the study.
            version: what it is like now.
            task: what is to be done.
        """
        with self._changed:
            if self._done_everywhere.get((study, task.function)) == version:
                return
            self._done_everywhere[study, task.function] = version
            for number in (number for number, worker in enumerate(self._workers) if worker.is_apart):
                job = Job(uuid.uuid4().hex, "open", study, None, task, worker=number, is_listed=False)
                self._jobs[job.id] = job
                self._waiting.append(job)
            self._changed.notify_all()

    def of(self, study: str | None = None) -> list[Job]:
        """Listed jobs, newest first."""
        with self._changed:
            return [job for job in reversed(self._jobs.values()) if job.is_listed and study in (None, job.study)]

    def get(self, ident: str, study: str | None = None) -> Job:
        """A job; raises `AwlError` (404)."""
        job = self._jobs.get(ident)
        if job is None or (study is not None and job.study != study):
            raise AwlError(f"There is no job '{ident[:80]}'", remedy="See /jobs", status=404, kind="no-such-job")
        return job

    def stop(self, job: Job) -> bool:
        """Stop a job that runs or waits; one that has ended stays. Gives whether there was anything to stop."""
        with self._changed:
            if job in self._waiting:
                self._waiting.remove(job)
                _end(job, Cancelled())
                return True
            is_running = job.status == "running"
            if is_running:
                job.status, job.message, job.finished = "dismissed", "Stopped", now()
        if is_running:
            job.progress.stop()
        return is_running

    def dismiss(self, job: Job) -> None:
        """Stop a job that runs or waits; forget one that has ended."""
        if not self.stop(job):
            self.forget(job)
            job.status = "dismissed"

    def forget(self, job: Job) -> None:
        """Forget a job that has ended, and its result."""
        with self._changed:
            self._forget(job.id)

    def close(self) -> None:
        """End all work."""
        with self._changed:
            self._is_closed = True
            self._waiting.clear()
            self._changed.notify_all()
        for worker in self._workers:
            worker.close()
        self._folder.cleanup()

    def _forget(self, ident: str) -> None:
        job = self._jobs.pop(ident, None)
        if job is not None and job.result is not None:
            job.result.unlink(missing_ok=True)
            job.result = None

    def _serve(self, number: int, worker: Worker) -> None:
        """What the thread of a worker does: one job after the other."""
        study = ""
        worker.begin()
        while True:
            with self._changed:
                self._idle[number] = study
                self._changed.notify_all()  # whose a waiting job is rests on who is idle
                while (job := self._next(number)) is None:
                    if self._is_closed:
                        return
                    self._changed.wait()
                del self._idle[number]
                self._changed.notify_all()
                if job.question is not None:
                    self._homes[job.study, job.question] = number
                self._opening += job.worker is not None
                job.status, job.started = "running", now()
            study = job.study
            outcome = worker.do(job.task, job.progress, job.limit_s)
            if isinstance(outcome, File):
                outcome = self._stored(job, outcome)
            _end(job, outcome)
            if job.worker is not None:
                self.forget(job)
                with self._changed:
                    self._opening -= 1
                    self._changed.notify_all()

    def _next(self, number: int) -> Job | None:
        """The oldest job that is this worker's to take: of the idle ones it knows the question, or the study, or is the first."""
        # All workers but the last prefer what is brief; the last keeps to the order, so that nothing waits for ever.
        by_age = list(self._waiting)
        if number < len(self._workers) - 1:
            by_age.sort(key=lambda job: not job.is_brief)
        for job in by_age:
            able = [other for other in sorted(self._idle) if self._may(other, job)]
            last_worker = self._homes.get((job.study, job.question))
            has_open = [other for other in able if self._idle[other] == job.study]
            if number == (last_worker if last_worker in able else next(iter(has_open or able), None)):
                self._waiting.remove(job)
                return job
        return None

    def _may(self, number: int, job: Job) -> bool:
        if job.worker is not None:
            return number == job.worker and self._opening < MOST_OPENING
        return job.is_brief or number >= self._brief_only

    def _stored(self, job: Job, result: File) -> Outcome:
        path = Path(self._folder.name) / job.id
        try:
            path.write_bytes(result.data)
        except OSError as error:
            path.unlink(missing_ok=True)
            return AwlError(f"The result cannot be stored ({error.strerror})", remedy="Free some space", status=507)
        job.result, job.media, job.headers = path, result.media, result.headers
        return result


def _listener(job: Job) -> Callable[[float, str], None]:
    began = [0.0]

    def listen(fraction: float, message: str) -> None:
        if job.status != "running":
            return
        began[0] = began[0] or time.monotonic()
        job.fraction, job.message = fraction, message
        if fraction > 0.02:
            job.seconds_left = (time.monotonic() - began[0]) * (1 - fraction) / fraction

    return listen


def _end(job: Job, outcome: Outcome) -> None:
    """Let a job say how it ended, and wake who waits for it."""
    try:
        if isinstance(outcome, Cancelled) or job.status == "dismissed":
            job.status, job.message = "dismissed", "Stopped"
        elif isinstance(outcome, AwlError):
            job.error, job.status, job.message = outcome, "failed", outcome.detail
        else:
            job.fraction, job.message, job.status = 1.0, "Done", "successful"
        job.finished = job.finished or now()
        if job.then is not None:
            job.then(job.status == "successful")
    except Exception:
        log.exception("what follows job %s failed", job.id)
    finally:
        job.over.set()
