"""How central places are among each other by public transport: indices over the times that a share of the departures keeps."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.centrality import Floats, Rows, Sums
from awl.core.progress import Progress
from awl.core.routing.dijkstra.search import UNREACHED
from awl.core.routing.snapping import Snapped
from awl.core.transit.router import TransitRouter

CELLS = 4_000_000
"""So many times are looked at once."""
MINUTE_MS = 60_000


class TransitCentrality:
    """Places, ready to be asked how central they are by public transport; see `Centrality`.

    What passes between others is not among the indices: trips of one pair go many ways in a window.

    Parameters:
        router: the router of the question.
        places: places put on streets (k,).
        radius_ms: others up to so long a trip count.
        weight: what each place counts for (k,).
        beta: a place t minutes away counts exp(-`beta` t) of its weight for gravity.
    """

    def __init__(self, router: TransitRouter, places: Snapped, radius_ms: int, weight: Floats, beta: float) -> None:
        self._router, self._places, self._radius, self._beta = router, places, radius_ms, beta
        self._weight = np.asarray(weight, np.float64)

    def sums(self, rows: Rows | None = None, threads: int | None = None, progress: Progress | None = None) -> Sums:
        """The sums for some places (all when left out); `straight`, `passing` and `on_link` are NaN or 0.

        Parameters:
            rows: rows (k,) of the places; all where None.
            threads: how many threads; as many as there are cores where None.
            progress: is told how far the work is, and stops it.
        """
        count, progress = len(self._places.link), progress or Progress()
        rows = np.arange(count) if rows is None else rows
        rows = rows[self._places.is_snapped[rows]]
        reached, cost, gravity = (np.full(count, np.nan) for _ in range(3))
        others = self._router.near_others(self._places, "from")
        size = max(1, CELLS // max(count, 1))
        for begin in range(0, len(rows), size):
            block = rows[begin : begin + size]
            part = progress.part(begin / len(rows), min(begin + size, len(rows)) / len(rows))
            ms = self._router.between(
                self._places.take(block), self._places, "time", "from", self._radius, threads, part, near_others=others
            )
            near = self._near(ms, block)
            minutes = np.where(near, ms, 0) / MINUTE_MS
            reached[block] = near @ self._weight
            cost[block] = minutes @ self._weight
            gravity[block] = np.where(near, np.exp(-self._beta * minutes), 0.0) @ self._weight
        nothing = np.full(count, np.nan)
        return Sums(reached, cost, gravity, nothing, nothing, np.zeros(self._router.network.graph.link_count))

    def _near(self, ms: NDArray[np.int32], rows: Rows) -> NDArray[np.bool_]:
        """Which places (r, k) lie within the radius of each; a place does not count for itself."""
        near = (ms != UNREACHED) & (ms <= self._radius)
        near[np.arange(len(rows)), rows] = False
        return near
