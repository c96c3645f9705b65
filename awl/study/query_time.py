"""How long a query on a study may take: until the request it serves has had its time, or the work it belongs to is stopped."""

from __future__ import annotations

import time
from contextvars import ContextVar

from awl.core.progress import is_stopped

_UNTIL: ContextVar[float | None] = ContextVar("until", default=None)
LOOKS_EVERY = 50_000
"""Steps of the database's machine between two looks at the clock: some milliseconds."""


def limit_queries(seconds: float | None) -> None:
    """Have queries of this thread end after some seconds from now; None for as long as they take.

    Parameters:
        seconds: how long.
    """
    _UNTIL.set(None if seconds is None else time.monotonic() + seconds)


def is_over() -> bool:
    """Whether a query that runs in this thread is to end."""
    until = _UNTIL.get()
    return is_stopped() or (until is not None and time.monotonic() > until)
