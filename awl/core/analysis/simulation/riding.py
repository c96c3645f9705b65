"""Riding: how long many take by timetable, each from its own minute on, and where each is: on foot, waiting, or on a line."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.simulation.moving import Passages, passages_of, stretches, timed_paths
from awl.core.graph.street_graph import StreetGraph
from awl.core.progress import Progress, raise_if_cancelled, threads_of
from awl.core.routing.dijkstra.search import UNREACHED
from awl.core.routing.snapping import Snapped
from awl.core.transit.feed import Feed
from awl.core.transit.router import TransitRouter
from awl.core.transit.scan import NEVER
from awl.core.transit.search import LONGEST_MS
from awl.core.transit.tracks import track
from awl.core.transit.walk_paths import WalkEnds, at_places, at_stops, walk_paths
from awl.core.transit.ways import Ways, ways_of_trips
from awl.core.transit.window import Window

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]


@dataclass
class Lines:
    """Lines of public transport between two stops each: streets of their own, numbered on from those of the graph.

    Attributes:
        first: the number of the first.
        xy: the vertices of each, in degrees.
    """

    first: int
    xy: list[Floats] = field(default_factory=list)
    _known: dict[tuple[int, int, int], int] = field(default_factory=dict)

    def number(self, key: tuple[int, int, int], feed: Feed, trip: int) -> int:
        """The number of a line, which is made where it is not known yet.

        Parameters:
            key: its shape, and the two stops between which it runs.
            feed: the feed.
            trip: row of a trip that runs there.
        """
        if key not in self._known:
            self._known[key] = self.first + len(self.xy)
            self.xy.append(np.asarray(track(feed, trip, np.array(key[1:])).coords)[:, :2])
        return self._known[key]


@dataclass(frozen=True)
class Shapes:
    """Shapes of streets and of lines beside them, as `awl.core.graph.shapes` cuts them."""

    shape_start: Ints
    shape_lon: Floats
    shape_lat: Floats
    shape_m: Floats

    @property
    def shape_xy(self) -> tuple[Floats, Floats]:
        """Degrees: lines have no plane."""
        return self.shape_lon, self.shape_lat


def shapes_with(graph: StreetGraph, lines: Lines) -> StreetGraph | Shapes:
    """The shapes of streets and of lines.

    Parameters:
        graph: the streets.
        lines: the lines.
    """
    if not lines.xy:
        return graph
    xy = np.concatenate(lines.xy)
    sizes = [len(one) for one in lines.xy]
    metres = []
    for one in lines.xy:
        flat = np.column_stack(graph.plane.xy(one[:, 0], one[:, 1]))
        metres.append(np.concatenate([[0.0], np.cumsum(np.hypot(*(flat[1:] - flat[:-1]).T))]))
    start = graph.shape_start[-1] + np.cumsum(sizes)
    return Shapes(
        np.concatenate([graph.shape_start, start]),
        np.concatenate([graph.shape_lon, xy[:, 0]]),
        np.concatenate([graph.shape_lat, xy[:, 1]]),
        np.concatenate([graph.shape_m, *metres]),
    )


def ridden_times(
    router: TransitRouter, sources: Snapped, targets: Snapped, departs_ms: Ints, progress: Progress | None = None
) -> Ints:
    """Time in ms (n, t) from each place to each of others, setting out at a time of its own; `UNREACHED` where there is no way.

    Parameters:
        router: the router by public transport.
        sources: where each sets out (n,).
        targets: where they may go (t,).
        departs_ms: when each sets out (n,), ms of the service day.
        progress: is told how far the work is, and stops it.
    """
    progress = progress or Progress()
    near, near_targets = router.near(sources, "from"), router.near_others(targets, "from")
    times = router.street.matrix(sources, targets, "time", carrying=False)[0].astype(np.int64)
    first = router.search.timetable.points.first
    target = np.repeat(np.arange(len(targets.link)), np.diff(near_targets.start))

    def one(row: int) -> None:
        ends = router.ends_of(near, row)
        if len(ends.point) == 0:
            return
        when = np.array([departs_ms[row]], np.int32)
        points = router.search.durations(ends, when, "from", LONGEST_MS, router.bounds.changes)[:, 0]
        of_stop = np.minimum.reduceat(points, first[:-1]) if len(points) != len(first) - 1 else points
        ridden = of_stop[near_targets.stop].astype(np.int64)
        total = np.where(ridden == NEVER, UNREACHED, ridden + near_targets.ms)
        np.minimum.at(times[row], target, total)

    if len(router.search.timetable.connections.run) == 0:
        return times
    with threads_of(None) as pool:
        for done, _ in enumerate(pool.map(one, range(len(departs_ms))), 1):
            raise_if_cancelled()
            progress.step(done / len(departs_ms), f"{done} of {len(departs_ms)} people")
    return times


class Riding:
    """Where those are who go by timetable.

    Parameters:
        router: the router by public transport.
        lines: the lines they ride along, added to here.
    """

    def __init__(self, router: TransitRouter, lines: Lines) -> None:
        self._router, self._lines = router, lines
        connections = router.search.timetable.connections
        self._by_run = np.argsort(connections.run, kind="stable")
        self._place = np.empty(len(self._by_run), np.int64)
        self._place[self._by_run] = np.arange(len(self._by_run))

    def passages(
        self, sources: Snapped, targets: Snapped, person: Ints, departs_ms: Ints, progress: Progress | None = None
    ) -> tuple[Passages, Ints]:
        """Who is where when, and when each arrives (n,), -1 for those with no way.

        Parameters:
            sources: where each sets out (n,).
            targets: where each goes (n,).
            person: the number of each (n,).
            departs_ms: when each sets out (n,), ms of the service day.
            progress: is told how far the work is, and stops it.
        """
        progress = progress or Progress()
        parts: list[Passages] = []
        arrives = np.full(len(person), -1, np.int64)
        moments = np.unique(departs_ms)
        for nth, moment in enumerate(moments.tolist()):
            rows = np.flatnonzero(departs_ms == moment)
            some, own = self._at(sources.take(rows), targets.take(rows), person[rows], moment)
            parts += some
            arrives[rows] = own
            progress.step((nth + 1) / len(moments), "finding ways by timetable")
        return (Passages.joined(parts) if parts else _nobody()), arrives

    def _at(self, sources: Snapped, targets: Snapped, person: Ints, moment: int) -> tuple[list[Passages], Ints]:
        """Those who set out at one moment."""
        router = self._router.at(Window(np.array([moment], np.int32)))
        count = len(person)
        on_foot = router.street.trips(sources, targets, "time")
        direct = np.where(on_foot.cost < 0, -1, on_foot.cost + router.network.terminal_time("time"))
        rows = np.arange(count)
        ways = ways_of_trips(router, sources, targets, (rows, rows), direct)
        duration = ways.duration_ms[:, 0].astype(np.int64)
        arrives = np.where(duration >= UNREACHED, -1, moment + duration)
        rides = np.diff(ways.start)
        walking, riding = np.flatnonzero(rides == 0), np.flatnonzero(rides > 0)
        walked = ways.trip[walking]
        parts = [
            passages_of(timed_paths(router.network, on_foot), walked, person[walked], np.full(len(walked), moment))
        ]
        if len(riding):
            parts += self._ridden(router, ways, riding, sources, targets, person, moment)
        return parts, arrives

    def _ridden(
        self,
        router: TransitRouter,
        ways: Ways,
        riding: Ints,
        sources: Snapped,
        targets: Snapped,
        person: Ints,
        moment: int,
    ) -> list[Passages]:
        """Walks and rides of ways that ride."""
        connections, points = router.search.timetable.connections, router.search.timetable.points
        trip = ways.trip[riding]
        who, stops = person[trip], router.stops
        last = ways.start[1:][riding] - 1
        row, of = stretches(ways.start, riding)
        boards, alights = ways.boards[row], ways.alights[row]
        parts = [
            self._walks(router, at_places(sources, trip), at_stops(stops, ways.from_stop[riding], True), who, moment),
            self._walks(
                router, at_stops(stops, ways.to_stop[riding], False), at_places(targets, trip), who,
                connections.arrival[ways.alights[last]].astype(np.int64),
            ),
        ]  # fmt: skip
        onward = np.flatnonzero(of[1:] == of[:-1])
        left, taken = (
            points.stop[connections.target[alights[onward]]],
            points.stop[connections.origin[boards[onward + 1]]],
        )
        changes = onward[left != taken]
        if len(changes):
            begin = at_stops(stops, points.stop[connections.target[alights[changes]]], False)
            end = at_stops(stops, points.stop[connections.origin[boards[changes + 1]]], True)
            since = connections.arrival[alights[changes]].astype(np.int64)
            parts.append(self._walks(router, begin, end, who[of[changes]], since))
        return [*parts, self._along_lines(boards, alights, who[of])]

    def _walks(self, router: TransitRouter, begin: WalkEnds, end: WalkEnds, who: Ints, since: Ints | int) -> Passages:
        """Walks to, between and from stops; who begins at a stop is inside the station at first."""
        paths, takes = walk_paths(router, begin, end)
        inside = np.maximum(takes - paths.cost, 0) if np.ndim(since) else np.zeros(len(who), np.int64)
        departs = np.broadcast_to(np.asarray(since, np.int64), who.shape) + inside
        return passages_of(timed_paths(router.network, paths), np.arange(len(who)), who, departs)

    def _along_lines(self, boards: Ints, alights: Ints, who: Ints) -> Passages:
        """Rides, from stop to stop."""
        timetable = self._router.search.timetable
        feed, runs, connections = timetable.feed, timetable.runs, timetable.connections
        rows: list[Ints] = []
        for begin, end in zip(boards.tolist(), alights.tolist(), strict=True):
            at = int(begin)
            pieces: list[Ints] = []
            while connections.run[at] != connections.run[end]:
                run = connections.run[at]
                own = self._by_run[self._place[at] :]
                own = own[: int(np.searchsorted(connections.run[own], run, side="right"))]
                pieces.append(own)
                following = np.searchsorted(connections.run[self._by_run], runs.goes_on_as[run])
                at = int(self._by_run[following])
            pieces.append(self._by_run[self._place[at] : self._place[end] + 1])
            rows.append(np.concatenate(pieces))
        ridden = np.concatenate(rows)
        of = np.repeat(np.arange(len(rows)), [len(one) for one in rows])
        stop = timetable.points.stop
        a, b, trips = (
            stop[connections.origin[ridden]],
            stop[connections.target[ridden]],
            runs.trip[connections.run[ridden]],
        )
        link = np.empty(len(ridden), np.int32)
        for i, (trip, left, reached) in enumerate(zip(trips.tolist(), a.tolist(), b.tolist(), strict=True)):
            shape = int(feed.trips.shape[trip])
            link[i] = self._lines.number((shape, left, reached), feed, trip)
        return Passages(
            who[of], link, np.zeros(len(link)), np.ones(len(link)), connections.departure[ridden].astype(np.int64),
            connections.arrival[ridden].astype(np.int64),
        )  # fmt: skip


def _nobody() -> Passages:
    none = np.zeros(0, np.int64)
    return Passages(none, none.astype(np.int32), none.astype(float), none.astype(float), none, none)
