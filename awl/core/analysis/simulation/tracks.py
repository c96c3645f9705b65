"""Tracks of many who move: where each is at any moment, and how many are on each street from one quarter of an hour to the next.

A track is a run of points with a time each, one after another in arrays; between two points one moves evenly.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class Tracks:
    """Tracks of n people with p points in all.

    Attributes:
        begins: the first point of each and, last, p (n + 1,).
        time_ms: when each point is passed (p,), ascending along a track; equal where one waits no time.
        xy: the points (p, 2), in metres of a plane or degrees.
    """

    begins: Ints
    time_ms: Ints
    xy: Floats

    def __len__(self) -> int:
        return len(self.begins) - 1

    def positions_at(self, time_ms: int) -> Floats:
        """Where each is at a moment (n, 2); nan before a track begins, after it ends, and for an empty one.

        Parameters:
            time_ms: the moment.
        """
        place = np.full((len(self), 2), np.nan)
        counts = np.diff(self.begins)
        rows = np.flatnonzero(counts > 0)
        first, last = self.begins[rows], self.begins[rows + 1] - 1
        under_way = (self.time_ms[first] <= time_ms) & (time_ms <= self.time_ms[last])
        rows, first, last = rows[under_way], first[under_way], last[under_way]
        before = self._point_before(rows, first, time_ms)
        after = np.minimum(before + 1, last)
        span = self.time_ms[after] - self.time_ms[before]
        share = np.divide(time_ms - self.time_ms[before], span, out=np.zeros(len(rows)), where=span > 0)
        place[rows] = self.xy[before] + share[:, None] * (self.xy[after] - self.xy[before])
        return place

    def _point_before(self, rows: Ints, first: Ints, time_ms: int) -> Ints:
        """The last point of some tracks that is passed at a moment; each has one."""
        passed = np.concatenate([[0], np.cumsum(self.time_ms <= time_ms)])
        return first + (passed[self.begins[rows + 1]] - passed[first]) - 1

    def arrivals(self) -> Ints:
        """When each arrives (n,); -1 for an empty track."""
        counts = np.diff(self.begins)
        return (
            np.where(counts > 0, self.time_ms[np.maximum(self.begins[1:] - 1, 0)], -1)
            if len(self.time_ms)
            else counts - 1
        )


def load_by_time(link: Ints, enters_ms: Ints, leaves_ms: Ints, links: int, edges_ms: Ints) -> tuple[Ints, Floats]:
    """Who is on each street in each span of time: how many enter it, and how many are on it at a time on the mean.

    Parameters:
        link: the street of each passage (q,).
        enters_ms, leaves_ms: when it is entered and left (q,).
        links: how many streets there are.
        edges_ms: ends of the spans (t + 1,), ascending.

    Returns:
        Entries (links, t), and the mean number of those on it (links, t).
    """
    spans = len(edges_ms) - 1
    first = np.searchsorted(edges_ms, enters_ms, side="right") - 1
    last = np.searchsorted(edges_ms, leaves_ms, side="right") - 1
    inside = (first >= 0) & (first < spans)
    # One cell more holds what begins in none of the spans.
    cell = np.where(inside, link * spans + first, links * spans)
    entries = np.bincount(cell, minlength=links * spans + 1)[:-1].reshape(links, spans)
    # Most passages lie within one span; the others are shared out span by span.
    in_one = inside & (first == last)
    lasts = np.where(in_one, leaves_ms - enters_ms, 0).astype(np.float64)
    stay = np.bincount(cell, weights=lasts, minlength=links * spans + 1)[:-1].reshape(links, spans)
    over = np.flatnonzero(~in_one & (last >= 0) & (first < spans))
    for nth in range(spans):
        begin, end = edges_ms[nth], edges_ms[nth + 1]
        shared = np.minimum(leaves_ms[over], end) - np.maximum(enters_ms[over], begin)
        stay[:, nth] += np.bincount(link[over], weights=np.maximum(shared, 0), minlength=links)
    return entries.astype(np.int64), stay / np.diff(edges_ms)
