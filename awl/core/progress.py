"""How long work reports its progress and learns that it should stop."""

from __future__ import annotations

import threading
from collections.abc import Callable

from awl.core.errors import Cancelled


class Progress:
    """Passed down into long work. `step` reports, and raises `Cancelled` once `stop` was called.

    `listener(fraction, message)` receives every report; `fraction` runs from 0 to 1.
    """

    def __init__(self, listener: Callable[[float, str], None] | None = None) -> None:
        self._listener = listener
        self._stopped = threading.Event()

    def step(self, fraction: float, message: str) -> None:
        """Report that `fraction` of the work is done and `message` comes next."""
        if self._stopped.is_set():
            raise Cancelled
        if self._listener is not None:
            self._listener(min(max(fraction, 0.0), 1.0), message)

    def stop(self) -> None:
        """Ask the work to end at its next step."""
        self._stopped.set()

    def part(self, start: float, end: float) -> Progress:
        """A view of this progress for a sub-task that takes it from `start` to `end`."""
        whole = self

        class Part(Progress):
            def step(self, fraction: float, message: str) -> None:
                whole.step(start + (end - start) * fraction, message)

        return Part()
