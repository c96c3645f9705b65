"""Workers: who does the long work. Processes of their own, begun once, or the thread that asks, for tests and small machines.

A process that ends on its own, because memory ran out or a library failed, is one failed job: another takes its place.
"""

from __future__ import annotations

import contextlib
import logging
import multiprocessing
import os
import queue
import signal
import threading
import time
import weakref
from collections.abc import Callable
from multiprocessing.connection import Connection
from multiprocessing.context import ForkServerContext
from pathlib import Path
from typing import Any, Protocol

from awl.core.errors import AwlError, Cancelled
from awl.core.progress import Progress
from awl.server.catalogue import Catalogue
from awl.server.workroom import Outcome, Task, Workroom
from awl.study.storage_faults import storage_fault

log = logging.getLogger(__name__)
NICE, NICE_IF_BRIEF = 12, 2
"""How far long work, and work somebody waits for, stand back behind the server, which answers while somebody drags."""
REPORT_S = 0.1
"""Seconds between two reports of a process."""
STOPS_WITHIN_S = 5.0
"""A process that was told to stop and has not by then is ended."""
CLOSES_WITHIN_S = 0.5
"""How long closing waits for a process that is beginning."""
Listener = Callable[[float, str], None]


class Worker(Protocol):
    """Does one task at a time; `is_apart` where it has studies of its own."""

    is_apart: bool

    def begin(self) -> None:
        """Be ready for the first task."""
        ...

    def do(self, task: Task, progress: Progress, limit_s: float | None) -> Outcome:
        """How a task ended; it is stopped with `progress`, or after `limit_s` seconds."""
        ...

    def close(self) -> None:
        """End it."""
        ...


def outcome_of(task: Task, room: Workroom, progress: Progress) -> Outcome:
    """How a task ends that is done here and now; what was not foreseen is logged."""
    try:
        return task.done(room, progress)
    except (AwlError, Cancelled) as outcome:
        return outcome
    except MemoryError:
        return AwlError("There is not enough memory for this", remedy="Ask for less at once", status=507, kind="memory")
    except Exception as error:
        log.exception("%s failed", task.function.__qualname__)
        fault = storage_fault(error)
        return fault or AwlError("Awl failed at this; the fault is logged", status=500, kind="internal")


class InThread:
    """Does tasks in the thread that asks, with the server's own studies."""

    is_apart = False

    def __init__(self, room: Workroom) -> None:
        self._room = room

    def begin(self) -> None:
        """Nothing is to be begun."""

    def do(self, task: Task, progress: Progress, limit_s: float | None) -> Outcome:
        """How a task ended."""
        return outcome_of(task, self._room, progress)

    def close(self) -> None:
        """Nothing is to be ended."""


class InProcess:
    """Does tasks in a process of its own.

    Processes are forked off a process without threads that has imported everything, so they share what it holds. While the server
    has no threads either, that is the server itself, and they begin at once; later it is one that is there for nothing else.
    """

    is_apart = True

    def __init__(self, root: Path, nice: int = NICE) -> None:
        """`root` is the folder of studies, `nice` how far the process stands back."""
        self._root, self._nice = root, nice
        self._lock = threading.Lock()
        self._is_ended = False
        self._process: multiprocessing.process.BaseProcess | None = None
        self._pipe: Connection | None = None

    def begin(self) -> None:
        """Have the process running."""
        with contextlib.suppress(OSError):
            self._begun()

    def do(self, task: Task, progress: Progress, limit_s: float | None) -> Outcome:
        """How a task ended."""
        try:
            pipe = self._begun()
        except OSError:
            return Cancelled()
        until = None if limit_s is None else time.monotonic() + limit_s
        stop_sent_at: float | None = None
        try:
            pipe.send(task)
            while True:
                if pipe.poll(REPORT_S):
                    message = pipe.recv()
                    if not isinstance(message, tuple):
                        return AwlError(**message) if isinstance(message, dict) else message
                    progress.tell(*message)
                now = time.monotonic()
                too_long = until is not None and now > until
                if stop_sent_at is None and (progress.is_stopped or too_long):
                    pipe.send(None)
                    stop_sent_at = now
                if stop_sent_at is not None and now - stop_sent_at > STOPS_WITHIN_S:
                    with self._lock:
                        self._end()
                    return _too_long(limit_s) if too_long and not progress.is_stopped else Cancelled()
        except (EOFError, OSError):
            return self._lost(progress)

    def _lost(self, progress: Progress) -> Outcome:
        with self._lock:
            process = self._process
            if process is not None and not self._is_ended:
                process.join(1.0)
                log.error("a process of work ended by itself (exit code %s)", process.exitcode)
            self._end()
        if progress.is_stopped or self._is_ended:
            return Cancelled()
        return AwlError(
            "The process that worked at this ended by itself, most likely because memory ran out",
            remedy="Ask for less at once, or on a machine with more memory",
            status=500,
            kind="worker-lost",
        )

    def _begun(self) -> Connection:
        with self._lock:
            if self._is_ended:
                raise OSError("the server is ending")
            return self._running()

    def _running(self) -> Connection:
        if self._pipe is None or self._process is None or not self._process.is_alive():
            self._end()
            context: Any = multiprocessing.get_context("fork" if _may_fork() else "forkserver")
            if isinstance(context, ForkServerContext):
                context.set_forkserver_preload([__name__, "awl.server.app"])
            self._pipe, theirs = context.Pipe()
            self._process = context.Process(
                target=_work, args=(theirs, self._root, self._nice), name="awl-work", daemon=True
            )
            _OURS.add(self._pipe)
            self._process.start()
            theirs.close()
            if self._is_ended:
                self._end()
                raise OSError("the server is ending")
        return self._pipe

    def close(self) -> None:
        """End the process, whatever it does, for good; one that is beginning ends as soon as it has begun."""
        self._is_ended = True
        if self._lock.acquire(timeout=CLOSES_WITHIN_S):
            try:
                self._end()
            finally:
                self._lock.release()

    def _end(self) -> None:
        process, pipe, self._process, self._pipe = self._process, self._pipe, None, None
        if pipe is not None:
            pipe.close()
        if process is not None:
            process.kill()
            process.join()


def _too_long(limit_s: float | None) -> AwlError:
    return AwlError(
        f"This took more than {limit_s:.0f} s and was ended",
        remedy="Check the file, or give less at once",
        status=422,
        kind="too-long",
    )


_OURS: weakref.WeakSet[Connection] = weakref.WeakSet()
"""The server's ends of the pipes to its processes."""


def _may_fork() -> bool:
    """Whether this process can be forked as it stands: without threads, and without a database, which no two may share."""
    if threading.active_count() > 1:
        return False
    files = Path("/proc/self/fd")
    if not files.is_dir():
        return False
    names = []
    for file in files.iterdir():
        with contextlib.suppress(FileNotFoundError):  # that of the listing itself is gone
            names.append(file.readlink().name)
    return not any(".gpkg" in name for name in names)


def _work(pipe: Connection, root: Path, nice: int) -> None:
    """What a process of work does: one task after the other, until the server is gone."""
    for end in list(_OURS):
        end.close()  # a fork has them too, and while anybody has them nobody notices that the server is gone
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # the server ends it
    with contextlib.suppress(OSError):
        os.nice(nice)
    logging.basicConfig(level=logging.INFO)
    room = Workroom(Catalogue(root))
    tasks: queue.SimpleQueue[tuple[Task, Progress]] = queue.SimpleQueue()
    sending = threading.Lock()

    def send(message: Any) -> None:
        with sending:
            pipe.send(message)

    threading.Thread(target=_listen, args=(pipe, tasks, send), daemon=True).start()
    while True:
        task, progress = tasks.get()
        outcome = outcome_of(task, room, progress)
        send(outcome.fields() if isinstance(outcome, AwlError) else outcome)


def _listen(pipe: Connection, tasks: queue.SimpleQueue[tuple[Task, Progress]], send: Callable[[Any], None]) -> None:
    """Take what the server sends: tasks, and None for the one in work to stop."""
    progress = Progress()
    last_sent = [0.0]

    def tell(fraction: float, text: str) -> None:
        now = time.monotonic()
        if now - last_sent[0] >= REPORT_S:
            last_sent[0] = now
            with contextlib.suppress(OSError):
                send((fraction, text))

    while True:
        try:
            message = pipe.recv()
        except (EOFError, OSError):
            os._exit(0)  # the server is gone
        if message is None:
            progress.stop()
        else:
            progress = Progress(tell)
            tasks.put((message, progress))
