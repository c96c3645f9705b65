"""Moving: when each of many is on which stretch of which street, and where at any moment.

Who sets out at a moment follows a path; a path tells when its streets are entered and left. Between the two one moves evenly.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.simulation import moving_kernel as kernel
from awl.core.analysis.simulation.tracks import Tracks
from awl.core.graph.shapes import Shaped, cut_vertices
from awl.core.network.costs import BLOCKED
from awl.core.network.network import Network
from awl.core.routing.cch.paths import PathBatch

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


class Stretch(NamedTuple):
    """Rows of arrays that follow each other: `first` is that of each of the wanted, `row` and `of` are all of them."""

    row: Ints
    of: Ints


def stretches(start: Ints, wanted: Ints) -> Stretch:
    """All rows of some lists that stand one after another in arrays, and which of the wanted lists each is of.

    Parameters:
        start: offsets (n + 1,) of the lists.
        wanted: which lists (k,).
    """
    counts = start[wanted + 1] - start[wanted]
    of = np.repeat(np.arange(len(wanted)), counts)
    begin = np.cumsum(counts) - counts
    return Stretch(np.arange(int(counts.sum())) + (start[wanted] - begin)[of], of)


@dataclass(frozen=True)
class TimedPaths:
    """Paths (k,) with the time at which each of their streets is entered and left, from setting out on.

    Attributes:
        start: offsets (k + 1,) of their streets.
        link: rows of links (a,).
        begin, end: fractions of the link (a,) at which it is entered and left; backwards where that is less.
        enters_ms, leaves_ms: ms since setting out (a,).
        takes_ms: time of each path (k,), with what it takes at its ends; -1 where there is none.
    """

    start: Ints
    link: NDArray[np.int32]
    begin: Floats
    end: Floats
    enters_ms: Ints
    leaves_ms: Ints
    takes_ms: Ints

    def __len__(self) -> int:
        return len(self.takes_ms)

    @classmethod
    def joined(cls, parts: list[TimedPaths]) -> TimedPaths:
        """Several together, one after another.

        Parameters:
            parts: one or more.
        """
        start = np.concatenate([[0], np.cumsum(np.concatenate([np.diff(part.start) for part in parts]))])
        names = ("link", "begin", "end", "enters_ms", "leaves_ms", "takes_ms")
        return cls(start, **{name: np.concatenate([getattr(part, name) for part in parts]) for name in names})

    def take(self, rows: Ints) -> TimedPaths:
        """Some of them, in this order.

        Parameters:
            rows: which.
        """
        row, _ = stretches(self.start, rows)
        start = np.concatenate([[0], np.cumsum(self.start[rows + 1] - self.start[rows])])
        return TimedPaths(
            start, self.link[row], self.begin[row], self.end[row], self.enters_ms[row], self.leaves_ms[row],
            self.takes_ms[rows],
        )  # fmt: skip

    def at_speed(self, share: float) -> TimedPaths:
        """The same paths at another speed.

        Parameters:
            share: of the usual speed, 1 for as it is.
        """
        if share == 1.0:
            return self
        enters, leaves, takes = (
            np.where(ms < 0, ms, np.rint(ms / share).astype(np.int64))
            for ms in (self.enters_ms, self.leaves_ms, self.takes_ms)
        )
        return replace(self, enters_ms=enters, leaves_ms=leaves, takes_ms=takes)


def timed_paths(network: Network, paths: PathBatch) -> TimedPaths:
    """When the streets of paths are entered and left. The last is left when the router says that one arrives.

    Parameters:
        network: the streets of a mode, at a time and with closures.
        paths: paths of least time on them.
    """
    access_ms = np.zeros((2, len(paths.cost)))
    full = np.diff(paths.start) > 0
    for side, rows in enumerate((paths.start[:-1][full], paths.start[1:][full] - 1)):
        access_ms[side, full] = paths.access_share[side, full] * _quicker(network, paths.arc[rows] >> 1)
    count = len(paths.arc)
    link, fractions, times = np.empty(count, np.int32), np.empty((2, count)), np.empty((2, count), np.int64)
    kernel.time_paths(
        paths.start, paths.arc, paths.delay_ms, np.stack([paths.begin, paths.end]), paths.cost, access_ms,
        1000.0 * network.mode.delays.start_s, network.duration_ms, link, fractions, times,
    )  # fmt: skip
    takes = np.where(paths.cost < 0, -1, paths.cost + network.terminal_time("time")).astype(np.int64)
    return TimedPaths(paths.start, link, fractions[0], fractions[1], times[0], times[1], takes)


def _quicker(network: Network, link: NDArray[np.int32]) -> Floats:
    """Time in ms along links (k,), in the quicker of the open directions: the time of people who stand next to a link."""
    pair = np.stack(network.directed("time"), axis=1)[link].astype(np.float64)
    pair[pair == BLOCKED] = np.inf
    least: Floats = pair.min(axis=1)
    return np.where(np.isfinite(least), least, 0.0)


TIME_BITS = 40
"""Times are below 2 to this power: person and time fit one number."""
COLUMNS = ("person", "link", "begin", "end", "enters_ms", "leaves_ms")


@dataclass(frozen=True)
class Passages:
    """Who is on which stretch of a street from when to when; ordered by person, then time.

    Attributes:
        person: who (q,).
        link: the row of the link (q,).
        begin, end: fractions of the link (q,), the same where one stands.
        enters_ms, leaves_ms: from when to when (q,).
    """

    person: Ints
    link: NDArray[np.int32]
    begin: Floats
    end: Floats
    enters_ms: Ints
    leaves_ms: Ints

    def __len__(self) -> int:
        return len(self.person)

    def take(self, rows: NDArray[np.integer] | NDArray[np.bool_]) -> Passages:
        """Some of them, in this order.

        Parameters:
            rows: which.
        """
        return Passages(**{name: getattr(self, name)[rows] for name in COLUMNS})

    @classmethod
    def joined(cls, parts: list[Passages]) -> Passages:
        """Several together, by person and time again; of one moment in the order of the parts.

        Parameters:
            parts: the parts.
        """
        together = cls(**{name: np.concatenate([getattr(part, name) for part in parts]) for name in COLUMNS})
        return together.take(np.argsort(together.person << TIME_BITS | together.enters_ms, kind="stable"))

    def with_standing(self) -> Passages:
        """The same, and where one stands between two stretches: where the first of them ended."""
        gap = np.flatnonzero((self.person[1:] == self.person[:-1]) & (self.enters_ms[1:] > self.leaves_ms[:-1]))
        if len(gap) == 0:
            return self
        columns = {name: np.insert(getattr(self, name), gap + 1, getattr(self, name)[gap]) for name in COLUMNS}
        standing = gap + 1 + np.arange(len(gap))
        columns["begin"][standing] = self.end[gap]
        columns["enters_ms"][standing], columns["leaves_ms"][standing] = self.leaves_ms[gap], self.enters_ms[gap + 1]
        return Passages(**columns)

    def tracks(self, graph: Shaped, people: int, in_plane: bool = False) -> Tracks:
        """The same as points with times. Between two stretches one stays where the first ended.

        Parameters:
            graph: the shapes of the streets.
            people: how many there are.
            in_plane: whether in metres of the plane instead of degrees.
        """
        low, high = np.minimum(self.begin, self.end), np.maximum(self.begin, self.end)
        xy, start = cut_vertices(graph, self.link, low, high, in_plane)
        sizes = np.diff(start)
        of = np.repeat(np.arange(len(self)), sizes)
        nth = np.arange(len(xy)) - start[of]
        back = (self.end < self.begin)[of]
        xy = xy[np.where(back, start[of + 1] - 1 - nth, start[of] + nth)]
        flat = xy if in_plane else xy * np.array([np.cos(np.radians(np.mean(xy[:, 1]) if len(xy) else 0.0)), 1.0])
        step = np.zeros(len(xy))
        step[1:] = np.where(nth[1:] > 0, np.hypot(*(flat[1:] - flat[:-1]).T), 0.0)
        along = np.cumsum(step)
        first, last = start[:-1], start[1:] - 1
        length = (along[last] - along[first])[of] if len(xy) else along
        share = np.divide(along - along[first][of], length, out=np.zeros(len(xy)), where=length > 0)
        # A stretch that is a point is entered and left there.
        share[last[sizes > 1]] = 1.0
        spent = (self.leaves_ms - self.enters_ms)[of]
        time = self.enters_ms[of] + np.rint(share * spent).astype(np.int64)
        begins = np.searchsorted(self.person[of], np.arange(people + 1)) if len(xy) else np.zeros(people + 1, np.int64)
        return Tracks(begins.astype(np.int64), time, xy)


def passages_of(timed: TimedPaths, path: Ints, person: Ints, departs_ms: Ints) -> Passages:
    """Who is where when, of some who follow paths.

    Parameters:
        timed: the paths.
        path: the path of each leg (l,), -1 for none; legs without a way are left out.
        person: who makes it (l,); legs of a person follow each other.
        departs_ms: when it begins (l,).
    """
    known = (path >= 0) & (timed.takes_ms[path] >= 0) if len(timed) else np.zeros(len(path), bool)
    path, person, departs_ms = path[known], person[known], departs_ms[known]
    row, of = stretches(timed.start, path)
    begins = departs_ms[of]
    return Passages(
        person[of], timed.link[row], timed.begin[row], timed.end[row], begins + timed.enters_ms[row],
        begins + timed.leaves_ms[row],
    )  # fmt: skip
