"""A way between two places, and the cost that is carried along one that is minimised."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


def carried_with(measure: str) -> str:
    """The cost that is carried along when one is minimised."""
    return "time" if measure == "distance" else "distance"


@dataclass(frozen=True)
class Leg:
    """The best way between two places.

    `links` in travel order, `along` True where a link is passed in its drawn direction; `start` and `end` are the
    fractions of the first and last link at which the trip begins and ends; `delay_ms` is lost before each link. Cost in ms or mm,
    carried likewise, both without what a trip costs at its ends. `passing_ms` is the time on each link where the hour matters.
    `off` is the way to the first link and from the last where these are not the nearest ones, as shares of their lengths: costs
    count it.
    """

    links: NDArray[np.int32]
    along: NDArray[np.bool_]
    delay_ms: NDArray[np.int32]
    start: float
    end: float
    cost: int
    carried: int
    passing_ms: NDArray[np.float64] | None = None
    off: tuple[float, float] = (0.0, 0.0)


@dataclass(frozen=True)
class ArcLists:
    """Arcs of several ways in travel order: those of way i are `arc[start[i]:start[i + 1]]`, with the delay in ms before each.

    `begin` and `end` (k,) are the fractions of its first and last link at which each begins and ends.
    """

    start: NDArray[np.int64]
    arc: NDArray[np.int32]
    delay_ms: NDArray[np.int32]
    begin: NDArray[np.float64]
    end: NDArray[np.float64]

    @property
    def _entry(self) -> NDArray[np.float64]:
        """The fraction at which each arc is entered."""
        entry = (self.arc & 1).astype(np.float64)
        nonempty = np.diff(self.start) > 0
        entry[self.start[:-1][nonempty]] = self.begin[nonempty]
        return entry

    @property
    def _exit(self) -> NDArray[np.float64]:
        """The fraction at which each arc is left."""
        left: NDArray[np.float64] = 1.0 - (self.arc & 1).astype(np.float64)
        nonempty = np.diff(self.start) > 0
        left[self.start[1:][nonempty] - 1] = self.end[nonempty]
        return left

    def passed(self) -> NDArray[np.bool_]:
        """Mask of the arcs of which something is passed: a way that begins or ends at a node passes nothing of that one."""
        return self._entry != self._exit

    def without_empty_ends(self) -> ArcLists:
        """The same ways without first and last links of which they pass nothing.

        A way that never leaves its place keeps the first.
        """
        passed, entry, left = self.passed(), self._entry, self._exit
        way = np.repeat(np.arange(len(self.begin)), np.diff(self.start))
        alone = np.bincount(way[passed], minlength=len(self.begin)) == 0
        first = np.zeros(len(self.arc), bool)
        first[self.start[:-1][np.diff(self.start) > 0]] = True
        stays = passed | (first & alone[way])
        start = np.concatenate([[0], np.cumsum(np.bincount(way[stays], minlength=len(self.begin)))])
        nonempty = np.diff(start) > 0
        begin, end = self.begin.copy(), self.end.copy()
        begin[nonempty], end[nonempty] = entry[stays][start[:-1][nonempty]], left[stays][start[1:][nonempty] - 1]
        return ArcLists(start, self.arc[stays], self.delay_ms[stays], begin, end)


def leg_over(
    arc: NDArray[np.int32],
    delay_ms: NDArray[np.int32],
    ends: tuple[float, float],
    cost: int,
    carried: int,
    off: tuple[float, float],
) -> Leg:
    """The way over arcs (k,) from a fraction of the first link to one of the last, as in `Leg`."""
    arcs = ArcLists(np.array([0, len(arc)]), arc, delay_ms, np.array([ends[0]]), np.array([ends[1]]))
    way = arcs.without_empty_ends()
    return Leg(
        way.arc >> 1, (way.arc & 1) == 0, way.delay_ms, float(way.begin[0]), float(way.end[0]), cost, carried, off=off
    )
