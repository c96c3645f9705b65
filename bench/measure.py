"""How things are timed: medians of interleaved runs, and the row of the table that comes of it."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

ROUNDS = 7


@dataclass(frozen=True)
class Row:
    """One line of the table: seconds of Awl and of the peer or bound, and what the ratio means."""

    what: str
    awl_s: float
    other_s: float
    meaning: str

    @property
    def ratio(self) -> float:
        """The other's time over Awl's."""
        return self.other_s / self.awl_s


def peak_gb() -> float:
    """The most memory this process has held, in GB; that of the process it was forked off is not counted."""
    lines = Path("/proc/self/status").read_text().splitlines()
    return int(next(line for line in lines if line.startswith("VmHWM")).split()[1]) / 2**20


def medians(*calls: Callable[[], object], rounds: int = ROUNDS) -> list[float]:
    """Median seconds of each call, interleaved after one unmeasured round."""
    times: list[list[float]] = [[] for _ in calls]
    for turn in range(rounds + 1):
        for row, call in zip(times, calls, strict=True):
            began = time.perf_counter()
            call()
            if turn:
                row.append(time.perf_counter() - began)
    return [statistics.median(row) for row in times]
