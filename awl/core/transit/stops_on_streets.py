"""Where stops meet the streets: at their own place, or at the entrances of their station and the pathways behind them."""

from __future__ import annotations

import heapq
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.progress import Progress, threads_of
from awl.core.routing.access_points import expanded
from awl.core.routing.dijkstra import plain
from awl.core.routing.dijkstra.search import NO_LABEL, OWNER_BITS, UNREACHED
from awl.core.routing.router import StreetRouter
from awl.core.routing.snapping import Snapped, Snapper
from awl.core.transit.changing import Walks
from awl.core.transit.feed import ENTRANCE, ESCALATOR, PLATFORM, STAIRS, Feed

CELLS = 4_000_000
"""So many walks are made at once."""
MANY_PLACES = 1000
"""For more places than this a hierarchy is worth its making."""
MOST_PAIRS = 150_000_000
"""So many crossings near stops are kept, 8 bytes each; sorting them takes four times as much."""
INSIDE_S = 1800
"""The longest way inside a station."""


@dataclass(frozen=True)
class Doors:
    """Pairs (a,) of a platform and a `door`: the stop at which one leaves the street for it, the platform itself or an entrance.

    `inward_ms` and `outward_ms` are how long it takes from the door to the platform and back, -1 where there is no such way.
    """

    platform: NDArray[np.int32]
    door: NDArray[np.int32]
    inward_ms: NDArray[np.int32]
    outward_ms: NDArray[np.int32]


@dataclass(frozen=True)
class Near:
    """Pairs of places (n,) and stops: `stop[start[i]:start[i + 1]]` are those near place i, `ms` how long the walk takes."""

    start: NDArray[np.int64]
    stop: NDArray[np.int32]
    ms: NDArray[np.int32]

    @classmethod
    def of(cls, place: NDArray[np.integer], stop: NDArray[np.int32], ms: NDArray[np.int32], places: int) -> Near:
        """From pairs in any order; of those that are there more than once the shortest counts.

        Parameters:
            place, stop: rows (w,) of the pairs.
            ms: the walk (w,) of each.
            places: how many places there are.
        """
        stops = int(stop.max(initial=0)) + 1
        pair = place.astype(np.int64) * stops + stop
        order = np.argsort(pair, kind="stable")
        pair, ms = pair[order], ms[order]
        first = np.flatnonzero(np.concatenate([[True], pair[1:] != pair[:-1]])) if len(pair) else np.zeros(0, np.int64)
        least = np.minimum.reduceat(ms, first) if len(first) else ms
        which, stop = np.divmod(pair[first], stops)
        start = np.searchsorted(which, np.arange(places + 1)).astype(np.int64)
        return cls(start, stop.astype(np.int32), least.astype(np.int32))


class StopsOnStreets:
    """The stops of a feed on the streets of a mode on foot or on wheels.

    Parameters:
        feed: the feed.
        router: finds walks.
        snapper: puts places on streets.
        within_m: how far a stop may lie from a street, in metres.
        on_wheels: whether stairs and escalators inside stations bar the way.
    """

    def __init__(
        self, feed: Feed, router: StreetRouter, snapper: Snapper, within_m: float, on_wheels: bool = False
    ) -> None:
        self.feed, self.router = feed, router
        self._walks: dict[int, Walks] = {}
        self._near_states: dict[tuple[str, int], Near] = {}
        inside = _Inside(feed, on_wheels)
        self.doors = inside.doors
        self._inside = inside.walks
        known = np.isin(np.arange(len(feed.stops)), self.doors.door) & np.isfinite(feed.stops.lon)
        rows = np.flatnonzero(known)
        self._row = np.full(len(feed.stops), -1)
        self._row[rows] = np.arange(len(rows))
        self.door_stops = rows
        self.snapped: Snapped = snapper.snap(feed.stops.lon[rows], feed.stops.lat[rows], within_m)

    @cached_property
    def is_joined(self) -> NDArray[np.bool_]:
        """Which platforms (s,) one can walk to from a street."""
        joined = np.zeros(len(self.feed.stops), bool)
        row = self.row_of_door
        usable = (row >= 0) & self.snapped.is_snapped[np.maximum(row, 0)]
        joined[self.doors.platform[usable]] = True
        return joined

    @property
    def row_of_door(self) -> NDArray[np.int64]:
        """The row (a,) of each door among those put on streets, -1 for none."""
        return self._row[self.doors.door]

    def near(self, places: Snapped, direction: str, limit_ms: int) -> Near:
        """The stops within a walk of each place, and how long it takes: to the stop for trips `from` the places, else from it.

        Parameters:
            places: places put on streets (k,).
            direction: `from` or `to`: trips leave the places or lead to them.
            limit_ms: the longest walk.
        """
        doors, none = self.snapped, np.zeros(0, np.int32)
        if len(places.link) > MANY_PLACES:
            self.router.prepared()
        parts: list[tuple[NDArray[np.integer], NDArray[np.int32], NDArray[np.int32]]] = [(none, none, none)]
        size = max(1, CELLS // max(len(self.door_stops), 1))
        for begin in range(0, len(places.link), size):
            some = places.take(np.arange(begin, min(begin + size, len(places.link))))
            if direction == "from":
                cost = self.router.matrix(some, doors, "time", limit_ms, carrying=False)[0]
            else:
                cost = self.router.matrix(doors, some, "time", limit_ms, carrying=False)[0].T
            place, door = np.nonzero(cost != UNREACHED)
            parts.append((place + begin, self.door_stops[door].astype(np.int32), cost[place, door]))
        place, door, ms = (np.concatenate(column) for column in zip(*parts, strict=True))
        row, platform, more = self._through(door, inward=direction == "from")
        total = ms[row] + more
        within = total <= limit_ms
        return Near.of(place[row][within], platform[within], total[within], len(places.link))

    def _through(
        self, door: NDArray[np.integer], inward: bool
    ) -> tuple[NDArray[np.integer], NDArray[np.int32], NDArray[np.int32]]:
        """Rows of doors (w,) with each platform behind them, and how long the way between them takes."""
        doors = self.doors
        ms = doors.inward_ms if inward else doors.outward_ms
        open_ = np.flatnonzero(ms >= 0)
        order = open_[np.argsort(doors.door[open_], kind="stable")]
        start = np.searchsorted(doors.door[order], np.arange(len(self.feed.stops) + 1))
        pair, row = expanded(start, order, door)
        return row, doors.platform[pair], ms[pair]

    def walks(self, limit_ms: int, progress: Progress | None = None) -> Walks:
        """Walks between platforms over the streets and inside stations, to others and to themselves.

        What was found once is kept.

        Parameters:
            limit_ms: the longest walk.
            progress: is told how far the work is, and stops it.
        """
        if limit_ms not in self._walks:
            self._walks[limit_ms] = self._walks_within(limit_ms, progress or Progress())
        return self._walks[limit_ms]

    def _walks_within(self, limit_ms: int, progress: Progress) -> Walks:
        doors, parts = self.snapped, []
        size = max(1, CELLS // max(len(self.door_stops), 1))
        for begin in range(0, len(self.door_stops), size):
            progress.step(begin / max(len(self.door_stops), 1), "Walks between stops")
            rows = np.arange(begin, min(begin + size, len(self.door_stops)))
            cost = self.router.matrix(doors.take(rows), doors, "time", limit_ms, carrying=False)[0]
            first, second = np.nonzero(cost != UNREACHED)
            parts.append((self.door_stops[first + begin], self.door_stops[second], cost[first, second]))
        none = np.zeros(0, np.int32)
        first, second, ms = (
            np.concatenate([none, *column]) for column in (zip(*parts, strict=True) if parts else [[]] * 3)
        )
        row, origin, out_ms = self._through(first, inward=False)
        again, target, in_ms = self._through(second[row], inward=True)
        total = ms[row][again] + out_ms[again] + in_ms
        within = (total <= limit_ms) & (origin[again] != target)
        inside = self._inside
        return Walks(
            np.concatenate([origin[again][within], inside.origin]).astype(np.int32),
            np.concatenate([target[within], inside.target]).astype(np.int32),
            np.concatenate([total[within], inside.ms]).astype(np.int32),
        )

    def states_near(self, direction: str, limit_ms: int, progress: Progress | None = None) -> Near:
        """The stops within a walk of each state of the network: a trip `from` somewhere ends with a walk from the stop.

        What was found once is kept.

        Parameters:
            direction: `from` or `to`, that of the trips, as seen from where they were asked for.
            limit_ms: the longest walk.
            progress: is told how far the work is, and stops it.
        """
        if (direction, limit_ms) not in self._near_states:
            self._near_states[direction, limit_ms] = self._states_near(direction, limit_ms, progress or Progress())
        return self._near_states[direction, limit_ms]

    def _states_near(self, direction: str, limit_ms: int, progress: Progress) -> Near:
        doors = self.doors
        ms = doors.outward_ms if direction == "from" else doors.inward_ms
        platforms = np.unique(doors.platform)
        order = np.argsort(doors.platform, kind="stable")
        start = np.searchsorted(doors.platform[order], platforms)
        end = np.searchsorted(doors.platform[order], platforms, side="right")
        network = self.router.network

        def around(nth: int) -> tuple[NDArray[np.int64], NDArray[np.int32]]:
            """States near a platform, and how long the walk takes. Searched plainly: a walk comes to few of all states."""
            pairs = order[start[nth] : end[nth]]
            pairs = pairs[(ms[pairs] >= 0) & (ms[pairs] <= limit_ms) & (self._row[doors.door[pairs]] >= 0)]
            places = self.snapped.take(self._row[doors.door[pairs]])
            if not places.is_snapped.any():
                return np.zeros(0, np.int64), np.zeros(0, np.int32)
            spent = ms[pairs].astype(np.int32)
            label = plain.arrivals(network, places, "time", direction, limit_ms, head_start=spent).label
            reached = np.flatnonzero(label != NO_LABEL)
            return reached, (label[reached] >> OWNER_BITS).astype(np.int32)

        around_platforms: list[tuple[NDArray[np.int64], NDArray[np.int32]]] = []
        pairs = 0
        with threads_of(None) as pool:
            for states, costs in pool.map(around, range(len(platforms))):
                progress.step(len(around_platforms) / len(platforms), "Walks from stops")
                around_platforms.append((states, costs))
                pairs += len(states)
                if pairs > MOST_PAIRS:
                    pool.shutdown(cancel_futures=True)
                    raise AwlError(
                        f"Walks of {limit_ms / 60_000:g} min from {len(platforms):,} stops are more than can be kept",
                        remedy="Allow shorter walks",
                        inputs=("max_walk",),
                    )
        counts = [len(states) for states, _ in around_platforms]
        if not around_platforms:
            return Near.of(np.zeros(0, np.int64), np.zeros(0, np.int32), np.zeros(0, np.int32), network.states.count)
        state, cost = (np.concatenate(column) for column in zip(*around_platforms, strict=True))
        return Near.of(state, np.repeat(platforms, counts).astype(np.int32), cost, network.states.count)


class _Inside:
    """Ways inside stations: between platforms and the entrances, and from platform to platform."""

    def __init__(self, feed: Feed, on_wheels: bool) -> None:
        self._feed = feed
        self._ways: dict[int, list[tuple[int, int]]] = {}
        self._back: dict[int, list[tuple[int, int]]] = {}
        paths = feed.pathways
        for row in range(len(paths)):
            if on_wheels and paths.kind[row] in (STAIRS, ESCALATOR):
                continue
            first, last, seconds = int(paths.from_stop[row]), int(paths.to_stop[row]), int(paths.seconds[row])
            for a, b in ((first, last), (last, first)) if paths.both_ways[row] else ((first, last),):
                self._ways.setdefault(a, []).append((b, seconds))
                self._back.setdefault(b, []).append((a, seconds))
        self.doors, self.walks = self._pairs()

    def _pairs(self) -> tuple[Doors, Walks]:
        kind = self._feed.stops.kind
        platforms = np.flatnonzero(kind == PLATFORM)
        behind = np.zeros(len(kind), bool)
        rows: list[tuple[int, int, int, int]] = []
        walks: list[tuple[int, int, int]] = []
        for platform in platforms.tolist():
            if platform not in self._ways and platform not in self._back:
                continue
            out, in_ = _seconds_from(self._ways, platform), _seconds_from(self._back, platform)
            entrances = sorted(stop for stop in {*out, *in_} if kind[stop] == ENTRANCE)
            rows += [(platform, stop, _ms(in_.get(stop)), _ms(out.get(stop))) for stop in entrances]
            behind[platform] = bool(entrances)
            walks += [(platform, stop, seconds * 1000) for stop, seconds in out.items() if kind[stop] == PLATFORM]
        at_once = platforms[~behind[platforms]]
        rows += [(stop, stop, 0, 0) for stop in at_once.tolist()]
        columns = np.array(rows, np.int32).reshape(-1, 4).T
        pairs = np.array([walk for walk in walks if walk[0] != walk[1]], np.int32).reshape(-1, 3).T
        return Doors(*columns), Walks(*pairs)


def _ms(seconds: int | None) -> int:
    return -1 if seconds is None else seconds * 1000


def _seconds_from(ways: dict[int, list[tuple[int, int]]], first: int) -> dict[int, int]:
    """Seconds from a stop to all others inside its station."""
    known: dict[int, int] = {}
    queue = [(0, first)]
    while queue:
        seconds, stop = heapq.heappop(queue)
        if stop in known or seconds > INSIDE_S:
            continue
        known[stop] = seconds
        for other, more in ways.get(stop, []):
            heapq.heappush(queue, (seconds + more, other))
    return known
