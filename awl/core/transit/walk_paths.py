"""Walks to, between and from stops as ways along the streets, many at once, by whichever door of a station is best."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from awl.core.progress import Progress
from awl.core.routing.access_points import expanded
from awl.core.routing.cch.paths import PathBatch
from awl.core.routing.snapping import Snapped
from awl.core.transit.router import TransitRouter
from awl.core.transit.stops_on_streets import StopsOnStreets


@dataclass(frozen=True)
class WalkEnds:
    """Where walks (n,) begin or end: end i may be any of the rows `start[i]` to `start[i + 1]` of places on streets.

    `more_ms` is what each takes beside, for the way inside the station.
    """

    start: NDArray[np.int64]
    places: Snapped
    more_ms: NDArray[np.int64]


def at_places(places: Snapped, rows: NDArray[np.integer]) -> WalkEnds:
    """Ends of walks at places.

    Parameters:
        places: places put on streets.
        rows: which of them (n,).
    """
    return WalkEnds(np.arange(len(rows) + 1), places.take(rows), np.zeros(len(rows), np.int64))


def at_stops(stops: StopsOnStreets, platform: NDArray[np.integer], inward: bool) -> WalkEnds:
    """Ends of walks at the doors of platforms.

    Parameters:
        stops: the stops on the streets.
        platform: the stops (n,).
        inward: whether one walks to them, not from them.
    """
    doors = stops.doors
    ms = doors.inward_ms if inward else doors.outward_ms
    usable = np.flatnonzero((ms >= 0) & (stops.row_of_door >= 0))
    usable = usable[np.argsort(doors.platform[usable], kind="stable")]
    first = np.searchsorted(doors.platform[usable], np.arange(len(stops.feed.stops) + 1))
    door, nth = expanded(first, usable, platform)
    start = np.searchsorted(nth, np.arange(len(platform) + 1))
    return WalkEnds(start, stops.snapped.take(stops.row_of_door[door]), ms[door].astype(np.int64))


def walk_paths(
    router: TransitRouter, begin: WalkEnds, end: WalkEnds, progress: Progress | None = None
) -> tuple[PathBatch, NDArray[np.int64]]:
    """The quickest walks between ends of the same row, and how long each takes in ms with the ways inside stations.

    Parameters:
        router: the router of the question.
        begin: where walks begin (n,).
        end: where they end (n,).
        progress: is told how far the work is, and stops it.
    """
    count = len(begin.start) - 1
    many = np.diff(begin.start), np.diff(end.start)
    pair = np.repeat(np.arange(count), many[0] * many[1])
    nth = np.arange(len(pair)) - np.repeat(np.cumsum(many[0] * many[1]) - many[0] * many[1], many[0] * many[1])
    first = begin.start[pair] + nth // many[1][pair]
    last = end.start[pair] + nth % many[1][pair]
    paths = router.street.trips(begin.places.take(first), end.places.take(last), "time", progress=progress)
    never = np.iinfo(np.int64).max
    total = np.where(paths.cost < 0, never, paths.cost + begin.more_ms[first] + end.more_ms[last])
    order = np.lexsort((total, pair))
    best = np.full(count, -1, np.int64)
    best[pair[order][::-1]] = order[::-1]
    known = best >= 0
    takes = np.full(count, -1, np.int64)
    takes[known] = np.where(total[best[known]] == never, -1, total[best[known]])
    return paths.take(best), takes
