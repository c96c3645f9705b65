"""What is asked of public transport, and what a window of departures comes to."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from awl.core.routing.dijkstra.plain import Arrivals
from awl.core.routing.reach import Reach
from awl.core.transit.changing import ANY_CHANGES, ChangeLimits
from awl.core.transit.windows import rank_of


@dataclass(frozen=True)
class Window:
    """When trips begin, or for trips `to` places when they must have ended: `at_ms` (d,) of the service day, ascending.

    `percentile` is the share of departures, in percent, that keeps the time which counts: 0 the best, 50 the median.
    """

    at_ms: NDArray[np.int32]
    percentile: float = 50.0

    @property
    def rank(self) -> int:
        """Which of the times of a window in ascending order counts."""
        return rank_of(self.percentile, len(self.at_ms))

    @property
    def ranks(self) -> NDArray[np.int64]:
        """The ranks of the time that counts, the best, the median and the worst."""
        last = len(self.at_ms) - 1
        return np.array([self.rank, 0, rank_of(50.0, last + 1), last])


@dataclass(frozen=True)
class Spread:
    """Times (k, o) between places and others over a window, in ms, `UNREACHED` where there is no way within the limit.

    Attributes:
        asked: what the share of the departures keeps.
        best, median, worst: at the best of the departures, in the middle, at the worst.
        served: at which share of the departures there is a way within the limit.
    """

    asked: NDArray[np.int32]
    best: NDArray[np.int32]
    median: NDArray[np.int32]
    worst: NDArray[np.int32]
    served: NDArray[np.float64]


@dataclass(frozen=True)
class ReachSpread:
    """What is reached over a window.

    Attributes:
        arrivals: the search, at the share of the departures that counts.
        asked: what it reaches of every street.
        best, median, worst: the same at the best of the departures, in the middle, at the worst.
        served: at which share (n,) of the departures each state of the network is reached within the limit.
        of_stop: label (s, d) of each stop at each departure.
    """

    arrivals: Arrivals
    asked: Reach
    best: Reach
    median: Reach
    worst: Reach
    served: NDArray[np.float64]
    of_stop: NDArray[np.int64]


@dataclass(frozen=True)
class Bounds:
    """How far one walks and how one changes.

    Attributes:
        walk_ms: the longest walk to, between and from stops.
        changes: limits of changes.
    """

    walk_ms: int = 15 * 60_000
    changes: ChangeLimits = ANY_CHANGES

    @property
    def rides(self) -> int | None:
        """The most rides, None for any number."""
        return self.changes.rides
