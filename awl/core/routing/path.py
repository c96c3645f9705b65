"""A way between two places, and the cost that is carried along one that is minimised."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


def accumulated_with(measure: str) -> str:
    """The cost that is carried along when one is minimised.

    Parameters:
        measure: the cost that is minimised.
    """
    return "time" if measure == "distance" else "distance"


@dataclass(frozen=True)
class StreetLeg:
    """The part of a path that one mode covers on streets.

    Attributes:
        mode: who covers it: the id of a mode.
        links: (k,) rows of the links in travel order.
        along: (k,) whether a link is passed in its drawn direction.
        delay_ms: (k,) time lost before each link.
        start, end: fractions of the first and the last link at which the leg begins and ends.
        cost, accumulated: in ms, mm or 1/1000 of a given cost, both without what a trip costs at its ends.
        passing_ms: (k,) time on each link, where speeds change on the way.
        access_share: the way to the first link and from the last where these are not the nearest ones, as shares of their
            lengths; costs count it.
    """

    mode: str
    links: NDArray[np.int32]
    along: NDArray[np.bool_]
    delay_ms: NDArray[np.int32]
    start: float
    end: float
    cost: int
    accumulated: int
    passing_ms: NDArray[np.float64] | None = None
    access_share: tuple[float, float] = (0.0, 0.0)


@dataclass(frozen=True)
class Path:
    """How one gets from a place to another: legs one after another, each by one mode."""

    legs: tuple[StreetLeg, ...]

    @property
    def cost(self) -> int:
        """What was minimised, in ms, mm or 1/1000 of a given cost."""
        return sum(leg.cost for leg in self.legs)

    @property
    def accumulated(self) -> int:
        """What was summed up along it: mm where time was minimised, ms where distance was."""
        return sum(leg.accumulated for leg in self.legs)


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
    mode: str,
    arc: NDArray[np.int32],
    delay_ms: NDArray[np.int32],
    ends: tuple[float, float],
    cost: int,
    accumulated: int,
    access_share: tuple[float, float],
) -> StreetLeg:
    """The leg over arcs (k,) from a fraction of the first link to one of the last, as in `StreetLeg`.

    Parameters:
        mode: the id of the mode.
        arc: numbers (k,) of arcs.
        delay_ms: delay (k,) before each arc, in ms.
        ends: fractions of the first and the last link at which it begins and ends.
        cost: its cost, in ms, mm or 1/1000.
        accumulated: its accumulated cost.
        access_share: the ways to the first link and from the last, as shares of their lengths.
    """
    arcs = ArcLists(np.array([0, len(arc)]), arc, delay_ms, np.array([ends[0]]), np.array([ends[1]]))
    way = arcs.without_empty_ends()
    return StreetLeg(
        mode, way.arc >> 1, (way.arc & 1) == 0, way.delay_ms, float(way.begin[0]), float(way.end[0]), cost, accumulated,
        access_share=access_share
    )  # fmt: skip
