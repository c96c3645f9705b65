"""Progress and cancellation of long work, also from within a compiled kernel.

Kernels do not call back. They are given the `token` of the work they belong to, three numbers in memory: now and then they write
how far they are, and look whether they should stop. What belongs to which work is told by the context, so that it need not be
handed down through every function.
"""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, nullcontext
from contextvars import ContextVar

import numpy as np
from numpy.typing import NDArray

from awl.core.errors import Cancelled

CancelToken = NDArray[np.int64]
STOPPED, DONE, WHOLE = 0, 1, 2
"""Places in a watch: whether to stop, how much is done, how much there is to do."""
REPORT_S = 0.25
"""Seconds between two reports of the progress of a kernel."""


class Progress:
    """Passed down into long work. `step` reports, and raises `Cancelled` once `stop` was called.

    `listener(fraction, message)` receives every report; `fraction` runs from 0 to 1.
    """

    def __init__(self, listener: Callable[[float, str], None] | None = None) -> None:
        self._listener = listener
        self._stopped = threading.Event()
        self.token: CancelToken = np.zeros(3, np.int64)

    def step(self, fraction: float, message: str) -> None:
        """Report that `fraction` of the work is done and `message` comes next.

        Parameters:
            fraction: how much of the work is done, from 0 to 1.
            message: what is done next, for the reader.

        Raises:
            Cancelled: somebody has stopped the work.
        """
        if self._stopped.is_set():
            raise Cancelled
        self.tell(fraction, message)

    def tell(self, fraction: float, message: str) -> None:
        """Report without stopping.

        Parameters:
            fraction: how much of the work is done, from 0 to 1.
            message: what is done next, for the reader.
        """
        if self._listener is not None:
            self._listener(min(max(fraction, 0.0), 1.0), message)

    def stop(self) -> None:
        """Ask the work to end at its next step, or at the next look of a kernel that belongs to it."""
        self._stopped.set()
        self.token[STOPPED] = 1

    @property
    def is_stopped(self) -> bool:
        """Whether somebody has asked the work to end."""
        return self._stopped.is_set()

    def part(self, start: float, end: float) -> Progress:
        """A view of this progress for a sub-task that takes it from `start` to `end`.

        Parameters:
            start: how much of the whole is done before.
            end: how much is done after.
        """
        return _Part(self, start, end)

    @contextmanager
    def running(self) -> Iterator[None]:
        """Have kernels within belong to this work."""
        before = _RUNNING.set(self)
        try:
            yield
        finally:
            _RUNNING.reset(before)

    @contextmanager
    def inside(self, message: str) -> Iterator[None]:
        """Report from a thread how far the one kernel within is, which is all of this progress.

        Parameters:
            message: what is done next, for the reader.
        """
        self.step(0.0, message)
        belongs = _RUNNING.get() is not None
        token = current_token() if belongs else self.token
        token[DONE:] = 0
        over = threading.Event()

        def tell() -> None:
            while not over.wait(REPORT_S):
                done, total = token[DONE:].tolist()
                if total > 0:
                    self.tell(done / total, message)

        teller = threading.Thread(target=tell, daemon=True)
        teller.start()
        try:
            with nullcontext() if belongs else self.running():
                yield
        finally:
            over.set()
            teller.join()


class _Part(Progress):
    def __init__(self, parent: Progress, start: float, end: float) -> None:
        self._whole, self._start, self._end = parent, start, end
        self.token = parent.token

    def step(self, fraction: float, message: str) -> None:
        self._whole.step(self._at(fraction), message)

    def tell(self, fraction: float, message: str) -> None:
        self._whole.tell(self._at(fraction), message)

    def stop(self) -> None:
        self._whole.stop()

    @property
    def is_stopped(self) -> bool:
        return self._whole.is_stopped

    def _at(self, fraction: float) -> float:
        return self._start + (self._end - self._start) * fraction


_RUNNING: ContextVar[Progress | None] = ContextVar("running", default=None)
_NONE: CancelToken = np.zeros(3, np.int64)


def current_token() -> CancelToken:
    """The watch of the work that is running here."""
    running = _RUNNING.get()
    return _NONE if running is None else running.token


def is_stopped() -> bool:
    """Whether the work running here was stopped."""
    return bool(current_token()[STOPPED])


def raise_if_cancelled() -> None:
    """Raise `Cancelled` where the work running here was stopped: what its last kernel gave is not all."""
    if current_token()[STOPPED]:
        raise Cancelled


def cores() -> int:
    """How many cores this process may use."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


def threads_of(count: int | None) -> ThreadPoolExecutor:
    """Threads in which kernels belong to the work that is running here; as many as there are cores where nothing is said.

    Parameters:
        count: how many; as many as there are cores where None.
    """
    return ThreadPoolExecutor(count or cores(), initializer=_RUNNING.set, initargs=(_RUNNING.get(),))
