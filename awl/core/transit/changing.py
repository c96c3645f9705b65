"""How long it takes to change: walks between stops, and the rules of a feed that go before them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from awl.core.transit.boarding_points import BoardingPoints
from awl.core.transit.feed import FORBIDDEN, LEAST_TIME_NEEDED, NO_TIME, STAY_SEATED, TIMED, Feed
from awl.core.transit.scan import Changes

LEAST_MS = 1
"""No change takes no time at all: a scan needs to know which of two connections at the same minute comes first."""


@dataclass(frozen=True)
class Walks:
    """Walks (w,) from stop to stop that take `ms`; those from a stop to itself need not be among them."""

    origin: NDArray[np.int32]
    target: NDArray[np.int32]
    ms: NDArray[np.int32]


@dataclass(frozen=True)
class ChangeLimits:
    """The most rides, and the longest wait at a change in ms, beyond what getting there and boarding need; None for any."""

    rides: int | None = None
    wait_ms: int | None = None


ANY_CHANGES = ChangeLimits()


def changes_of(feed: Feed, points: BoardingPoints, walks: Walks, slack_ms: int = 0) -> Changes:
    """Least times between alighting and boarding, for all pairs of boarding points between which one can change.

    A rule of the feed goes before the walk, the one that names most of route and trip before others: a least time takes the place
    of the walk, a forbidden change is none, a timed one waits for whoever comes. Changes that no rule names take `slack_ms` more.

    Parameters:
        feed: the feed.
        points: its boarding points.
        walks: walks between stops.
        slack_ms: what is allowed for at boarding.
    """
    stay = np.arange(len(feed.stops), dtype=np.int32)
    from_stop, to_stop = np.concatenate([stay, walks.origin]), np.concatenate([stay, walks.target])
    ms = np.concatenate([np.zeros(len(stay), np.int64), walks.ms.astype(np.int64)]) + slack_ms
    many = np.diff(points.first)[from_stop], np.diff(points.first)[to_stop]
    row = np.repeat(np.arange(len(ms)), many[0] * many[1])
    nth = np.arange(len(row)) - np.repeat(np.cumsum(many[0] * many[1]) - many[0] * many[1], many[0] * many[1])
    origin = points.first[from_stop[row]] + nth // many[1][row]
    target = points.first[to_stop[row]] + nth % many[1][row]
    ms = ms[row]
    ruled = _ruled(feed, points)
    if ruled:
        pairs = np.array(list(ruled), np.int64)
        given = np.array(list(ruled.values()), np.int64)
        count = points.count
        free = ~np.isin(origin * count + target, pairs[:, 0] * count + pairs[:, 1])
        open_ = given >= 0
        origin = np.concatenate([origin[free], pairs[open_, 0]])
        target = np.concatenate([target[free], pairs[open_, 1]])
        ms = np.concatenate([ms[free], given[open_]])
    # The shortest of several between the same two counts; it is the first, for the scan to find.
    order = np.lexsort((ms, target, origin))
    origin, target, ms = origin[order], target[order], ms[order]
    first = np.ones(len(ms), bool)
    first[1:] = (origin[1:] != origin[:-1]) | (target[1:] != target[:-1])
    origin, target, ms = origin[first], target[first], np.maximum(ms[first], LEAST_MS)
    start = np.searchsorted(origin, np.arange(points.count + 1))
    return Changes(start.astype(np.int64), target.astype(np.int32), ms.astype(np.int32))


def _ruled(feed: Feed, points: BoardingPoints) -> dict[tuple[int, int], int]:
    """Time in ms between boarding points that a rule of the feed gives, -1 where it forbids to change."""
    rules = feed.transfers
    ranked: dict[tuple[int, int], tuple[tuple[int, int], int]] = {}
    for row in range(len(rules)):
        kind, least = int(rules.kind[row]), int(rules.least_s[row])
        if kind >= STAY_SEATED or kind not in (FORBIDDEN, TIMED, LEAST_TIME_NEEDED):
            continue
        if kind == LEAST_TIME_NEEDED and least == NO_TIME:
            continue
        first = int(rules.from_stop[row]), int(rules.from_route[row]), int(rules.from_trip[row])
        second = int(rules.to_stop[row]), int(rules.to_route[row]), int(rules.to_trip[row])
        rank = _rank(first, second)
        value = {FORBIDDEN: -1, TIMED: LEAST_MS}.get(kind, max(least * 1000, LEAST_MS))
        for origin in points.meant(feed, *first):
            for target in points.meant(feed, *second):
                if rank >= ranked.get((origin, target), ((-1, 0), 0))[0]:
                    ranked[origin, target] = (rank, value)
    return {pair: value for pair, (_, value) in ranked.items()}


def _rank(first: tuple[int, int, int], second: tuple[int, int, int]) -> tuple[int, int]:
    """How much a rule names: trips before routes, both sides before one."""
    trips, routes = (first[2] >= 0) + (second[2] >= 0), (first[1] >= 0) + (second[1] >= 0)
    return trips, routes
