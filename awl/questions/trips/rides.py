"""How many trips by public transport are made: each over all departures of the window, and what they load together."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.graph.shapes import cut_lines, joined_lines
from awl.core.routing.cch.paths import PathBatch
from awl.core.routing.dijkstra.search import UNREACHED
from awl.core.transit.itineraries import RideLeg, ride_leg
from awl.core.transit.loads import segment_loads, stop_loads
from awl.core.transit.router import TransitRouter
from awl.core.transit.search import Ride
from awl.core.transit.service_day import clock_of
from awl.core.transit.tracks import track
from awl.core.transit.walk_paths import WalkEnds, at_places, at_stops, walk_paths
from awl.core.transit.ways import Ways, ways_of_trips
from awl.io.table import Column, Meaning, Table, Values
from awl.questions.context import Context
from awl.questions.on_the_way import findings_on
from awl.questions.results import Result
from awl.questions.trips.ends import Asked
from awl.questions.trips.inputs import TripsInputs
from awl.questions.trips.rows import end_columns, lost_doubts, lost_table, off_street_reason, sampled_doubts

MOST_LINES = 1000
"""Up to so many trips are drawn when their row is chosen."""


@dataclass
class RidesResult(Result):
    """Many trips by public transport.

    Attributes:
        mode: the title of the mode.
        words: from where to where they lead.
        count: how many were asked for.
        minutes: time (t,) of those with a way, which the share of the departures keeps.
        busiest: trips on the busiest segment, and of which line that is.
        has_lines: whether there are lines of single trips to show.
    """

    mode: str
    words: str
    count: int
    minutes: NDArray[np.float64]
    busiest: tuple[float, str] | None
    has_lines: bool


def run_rides(inputs: TripsInputs, context: Context, asked: Asked) -> RidesResult:
    """Every trip at every departure of the window."""
    router = context.transit
    assert router is not None
    router.check_measure(inputs.measure)
    if len(asked.leg_from) != len(asked):
        raise AwlError(
            "By public transport a trip leads from one place to another",
            remedy="Give lines of two points each, or 'from' and 'to'",
            inputs=("lines",),
            kind="not-by-transit",
        )
    window_trips = _WindowTrips(context, router, asked)
    walked, walkers = window_trips.walked, window_trips.walkers
    on_link = np.zeros(context.network.graph.link_count)
    np.add.at(on_link, walked.arc >> 1, walkers[window_trips.walk_of_arc])
    segments, stops = window_trips.segments, window_trips.stops
    rows = np.flatnonzero(window_trips.duration_s >= 0)
    minutes = window_trips.duration_s[rows] / 60
    trips = segments.columns["trips"].numbers()
    most = int(np.argmax(trips)) if len(trips) else -1
    busiest = (round(float(trips[most]), 1), str(segments.columns["line"][most])) if most >= 0 else None
    lost = np.flatnonzero(window_trips.duration_s < 0)
    reasons = {
        trip: off_street_reason(asked, trip) or "nothing runs or leads there in this window" for trip in lost.tolist()
    }
    return RidesResult(
        summary={
            "trips": len(asked),
            "trips_with_a_way": len(rows),
            "trips_unreachable": len(lost),
            "invalid": len(asked.invalid),
            "mean_duration_min": round(float(minutes.mean()), 3) if len(rows) else None,
            "mean_changes": window_trips.mean_changes,
            "mean_walk_min": round(float(window_trips.walk_s[rows].mean()) / 60, 3) if len(rows) else None,
            "share_riding_percent": round(100 * window_trips.share_riding, 2),
            "trips_on_the_busiest_segment": busiest[0] if busiest else 0.0,
            "boardings": round(float(stops.columns["boarding"].numbers().sum()), 1) if len(stops) else 0.0,
        },
        parts={
            "trips": Table(None, window_trips.columns(rows)),
            "paths": lambda: Table(window_trips.lines[rows], window_trips.columns(rows)),
            "segments": segments,
            "stops": stops,
            "unreachable": lost_table(asked, lost, reasons),
            "invalid": Table.of_records(asked.invalid),
            "load": lambda: _streets(context, on_link),
            "places": context.place_table(asked.stops, asked.snapped),
        },
        doubts=[
            *lost_doubts(asked, lost, reasons),
            *sampled_doubts(asked, inputs.most),
            *context.doubts_of(asked.stops, asked.snapped),
            *context.doubts_of_mode(),
            *findings_on(context.study, np.flatnonzero(on_link > 0), "on the streets walked"),
        ],
        method=[
            *context.notes,
            "A trip is spread evenly over all departures of the window: loads are means over them. Of each trip the way of the"
            " first departure that keeps its time is told.",
            "Every trip takes the quickest way for itself; vehicles do not fill up.",
        ],
        mode=context.mode.title,
        words=asked.words,
        count=len(asked),
        minutes=minutes,
        busiest=busiest,
        has_lines=len(asked) <= MOST_LINES,
    )


class _WindowTrips:
    """Trips as they are made: ways, walks, and what they load."""

    def __init__(self, context: Context, router: TransitRouter, asked: Asked) -> None:
        self._context, self._router, self._asked = context, router, asked
        progress, snapped = context.progress, asked.snapped
        ends = asked.leg_from, asked.leg_to
        walker = router.street
        on_foot = walker.trips(snapped.take(ends[0]), snapped.take(ends[1]), "time", progress=progress.part(0.35, 0.45))
        terminal = context.network.terminal_time("time")
        direct = np.where(on_foot.cost < 0, -1, on_foot.cost + terminal)
        self.ways: Ways = ways_of_trips(router, snapped, snapped, ends, direct, progress.part(0.45, 0.7))
        progress.step(0.7, "Walks to and from stops")
        departures = self.ways.duration_ms.shape[1]
        self._weight = self.ways.departures / departures
        self._by_first_ms = np.zeros(0, np.int64)
        self.walked, self._walk_ms, self._kinds = self._walks()
        best, order, self._way = self.ways.at_rank(router.window.rank)
        self._departure = order
        self.duration_s = np.where(best == UNREACHED, -1.0, best / 1000)
        self._timetable = router.search.timetable

    @cached_property
    def _ride_way(self) -> NDArray[np.int64]:
        """The way of each ride."""
        return np.repeat(np.arange(len(self.ways.trip)), np.diff(self.ways.start))

    def _walks(self) -> tuple[PathBatch, NDArray[np.int64], dict[str, tuple[NDArray[np.int64], NDArray[np.int64]]]]:
        """All walks of all ways, each once: their ways along streets, how long they take, and which walk of each kind a way uses.

        Kinds are `direct`, `first`, `last` and `change`; of each the ways (of changes: the rides before which one changes), and
        the row of the walk.
        """
        ways, asked, stops = self.ways, self._asked, self._router.stops
        begin, end = asked.leg_from[ways.trip], asked.leg_to[ways.trip]
        rides = np.diff(ways.start)
        on_foot, riding = np.flatnonzero(rides == 0), np.flatnonzero(rides > 0)
        connections, stop_of = self._router.search.timetable.connections, self._router.search.timetable.points.stop
        boarded, alighted = stop_of[connections.origin[ways.boards]], stop_of[connections.target[ways.alights]]
        changes = (
            np.flatnonzero(self._ride_way[1:] == self._ride_way[:-1]) + 1 if len(ways.boards) else np.zeros(0, int)
        )
        changes = changes[alighted[changes - 1] != boarded[changes]] if len(changes) else changes
        kinds = {
            "direct": (on_foot, begin[on_foot], end[on_foot]),
            "first": (riding, begin[riding], ways.from_stop[riding]),
            "last": (riding, ways.to_stop[riding], end[riding]),
            "change": (changes, alighted[changes - 1], boarded[changes]),
        }
        batches: list[PathBatch] = []
        takes: list[NDArray[np.int64]] = []
        uses: dict[str, tuple[NDArray[np.int64], NDArray[np.int64]]] = {}
        before = 0
        for kind, (users, a, b) in kinds.items():
            pairs, row = np.unique(np.column_stack([a, b]), axis=0, return_inverse=True)
            first, last = pairs[:, 0], pairs[:, 1]
            starts: WalkEnds = (
                at_places(asked.snapped, first) if kind in ("direct", "first") else at_stops(stops, first, False)
            )
            goals: WalkEnds = (
                at_places(asked.snapped, last) if kind in ("direct", "last") else at_stops(stops, last, True)
            )
            paths, ms = walk_paths(self._router, starts, goals)
            if kind == "first" and self._router.first is not None:
                paths, ms = self._by_first_mode(paths, ms, first, last)
            batches.append(paths)
            takes.append(ms)
            uses[kind] = users, row.reshape(-1) + before
            before += len(ms)
        return PathBatch.joined(batches), np.concatenate(takes), uses

    def _by_first_mode(
        self, paths: PathBatch, ms: NDArray[np.int64], place: NDArray[np.integer], stop: NDArray[np.integer]
    ) -> tuple[PathBatch, NDArray[np.int64]]:
        """Walks to first stops without those that are quicker by another mode; how long these take is kept beside."""
        places, row = np.unique(place, return_inverse=True)
        near = self._router.near(self._asked.snapped.take(places), "from")
        stops = len(self._router.stops.feed.stops)
        known = np.repeat(np.arange(len(places)), np.diff(near.start)) * stops + near.stop
        least = near.ms[np.searchsorted(known, row * stops + stop)].astype(np.int64)
        quicker = (ms < 0) | (least < ms)
        self._by_first_ms = np.where(quicker, least, 0)
        return paths.take(np.where(quicker, -1, np.arange(len(ms)))), np.where(quicker, 0, ms)

    @cached_property
    def _first_s_of_way(self) -> NDArray[np.float64]:
        """Seconds that each way takes by another mode to the first stop."""
        total = np.zeros(len(self.ways.trip))
        if len(self._by_first_ms):
            users, walk = self._kinds["first"]
            total[users] = self._by_first_ms[walk - walk.min()] / 1000
        return total

    @property
    def first_s(self) -> NDArray[np.float64]:
        """Seconds that the way told of each trip takes by another mode to the first stop."""
        return self._of_typical(self._first_s_of_way)

    @property
    def walk_of_arc(self) -> NDArray[np.int64]:
        """The walk that each arc is of."""
        return np.repeat(np.arange(len(self.walked.cost)), np.diff(self.walked.start))

    @property
    def walkers(self) -> NDArray[np.float64]:
        """Trips that make each walk."""
        total = np.zeros(len(self.walked.cost))
        for kind, (users, walk) in self._kinds.items():
            ways = self._ride_way[users] if kind == "change" else users
            np.add.at(total, walk, self._weight[ways])
        return total

    @cached_property
    def _walk_s_of_way(self) -> NDArray[np.float64]:
        """Seconds that each way walks."""
        total = np.zeros(len(self.ways.trip))
        for kind, (users, walk) in self._kinds.items():
            ways = self._ride_way[users] if kind == "change" else users
            np.add.at(total, ways, np.maximum(self._walk_ms[walk], 0) / 1000)
        return total

    def _of_typical(self, of_way: NDArray[np.float64]) -> NDArray[np.float64]:
        """What holds for the way told of each trip; 0 where there is none."""
        return (
            np.where(self._way >= 0, of_way[np.maximum(self._way, 0)], 0.0) if len(of_way) else np.zeros(len(self._way))
        )

    @property
    def walk_s(self) -> NDArray[np.float64]:
        """Seconds that the way told of each trip walks."""
        return self._of_typical(self._walk_s_of_way)

    @property
    def rides_of_trips(self) -> NDArray[np.float64]:
        """Rides of the way told of each trip."""
        return self._of_typical(np.diff(self.ways.start).astype(np.float64))

    @property
    def share_riding(self) -> float:
        """Share of all trips at all departures that ride."""
        rides = np.diff(self.ways.start) > 0
        return float(self._weight[rides].sum() / max(self._weight.sum(), 1e-12))

    @property
    def mean_changes(self) -> float | None:
        """Mean changes of those that ride, over all departures."""
        rides = np.diff(self.ways.start)
        weight = self._weight[rides > 0]
        return round(float(np.average(rides[rides > 0] - 1, weights=weight)), 3) if weight.sum() > 0 else None

    @cached_property
    def _ride_weight(self) -> NDArray[np.float64]:
        return self._weight[self._ride_way]

    @cached_property
    def segments(self) -> Table:
        """Trips on each segment of a line between two stops."""
        feed = self._timetable.feed
        loads = segment_loads(self._timetable, self.ways.boards, self.ways.alights, self._ride_weight)
        names = [feed.line_name(int(route)) for route in loads.route]
        begin, end = feed.stops.name[loads.from_stop], feed.stops.name[loads.to_stop]
        lines = [
            track(feed, int(trip), np.array([a, b]))
            for trip, a, b in zip(loads.sample_trip, loads.from_stop, loads.to_stop, strict=True)
        ]
        return Table(
            np.array(lines, dtype=object),
            {
                "segment": np.arange(1, len(lines) + 1),
                "title": [f"{name}, {a} to {b}" for name, a, b in zip(names, begin, end, strict=True)],
                "line": names,
                "from": begin.tolist(),
                "to": end.tolist(),
                "trips": Column.of(loads.trips, "", 2, Meaning("trips")),
                "route_id": feed.routes.id[loads.route].tolist(),
                "from_stop_id": feed.stops.id[loads.from_stop].tolist(),
                "to_stop_id": feed.stops.id[loads.to_stop].tolist(),
            },
        )

    @cached_property
    def stops(self) -> Table:
        """Trips that board and alight at each stop."""
        stops = self._timetable.feed.stops
        loads = stop_loads(self._timetable, self.ways.boards, self.ways.alights, self._ride_weight)
        used = np.flatnonzero((loads.boarding + loads.alighting > 0) & np.isfinite(stops.lon))
        used = used[np.argsort(-(loads.boarding + loads.alighting)[used], kind="stable")]
        return Table(
            np.atleast_1d(shapely.points(stops.lon[used], stops.lat[used])) if len(used) else np.zeros(0, object),
            {
                "stop_id": stops.id[used].tolist(),
                "name": stops.name[used].tolist(),
                "boarding": Column.of(loads.boarding[used], "", 2, Meaning("trips")),
                "alighting": Column.of(loads.alighting[used], "", 2, Meaning("trips")),
                "using": Column.of((loads.boarding + loads.alighting)[used], "", 2, Meaning("trips")),
            },
        )

    @cached_property
    def _legs(self) -> list[list[RideLeg]]:
        """The rides told of each trip."""
        known: dict[tuple[int, int], RideLeg] = {}
        legs = []
        for way in self._way.tolist():
            rides = range(int(self.ways.start[way]), int(self.ways.start[way + 1])) if way >= 0 else range(0)
            of_way = []
            for row in rides:
                key = int(self.ways.boards[row]), int(self.ways.alights[row])
                if key not in known:
                    known[key] = ride_leg(self._timetable, Ride(*key))
                of_way.append(known[key])
            legs.append(of_way)
        return legs

    def columns(self, rows: NDArray[np.int64]) -> dict[str, Values]:
        """The columns of some trips."""
        feed, window = self._timetable.feed, self._router.window
        every = np.where(self.ways.duration_ms == UNREACHED, np.nan, self.ways.duration_ms / 60_000)[rows]
        walk, first, ride = self.walk_s[rows], self.first_s[rows], np.zeros(len(rows))
        texts, leaves = [], []
        for nth, row in enumerate(rows.tolist()):
            legs = self._legs[row]
            ride[nth] = sum(leg.arrives_ms - leg.departs_ms for leg in legs) / 1000
            texts.append(", ".join(feed.line_name(int(feed.trips.route[leg.trips[0]])) for leg in legs) or "on foot")
            at = float(window.at_ms[self._departure[row]]) / 1000
            leaves.append(f"{clock_of(at, self._timetable.day, feed.timezone):%H:%M}" if legs else None)
        seconds = self.duration_s[rows]
        rides = self.rides_of_trips[rows]
        on_foot = rides == 0
        waits = np.where(on_foot, 0.0, np.maximum(seconds - walk - first - ride, 0.0))
        reached = np.isfinite(every)
        return {
            **end_columns(self._asked, rows),
            "duration_s": Column.of(seconds, "s", 3, Meaning("duration")),
            "duration_min": Column.of(seconds / 60, "min", 3),
            "best_min": Column.of(np.where(reached, every, np.inf).min(axis=1), "min", 3),
            "worst_min": Column.of(np.where(reached.all(axis=1), every.max(axis=1), np.nan), "min", 3),
            "departures_served_percent": Column.of(100 * reached.mean(axis=1), "%", 1),
            "sets_out": leaves,
            "by": texts,
            "changes": np.maximum(rides - 1, 0).astype(np.int64),
            "walk_min": Column.of(np.where(on_foot, seconds, walk) / 60, "min", 2),
            **({} if self._router.first is None else {"first_min": Column.of(first / 60, "min", 2)}),
            "wait_min": Column.of(waits / 60, "min", 2),
            "ride_min": Column.of(ride / 60, "min", 2),
        }

    @cached_property
    def lines(self) -> NDArray[np.object_]:
        """The way told of each trip as lines: walks along streets, rides along their shapes."""
        graph, walked = self._context.network.graph, self.walked
        back = (walked.arc & 1) == 1
        enter, leave = np.where(back, 1.0, 0.0), np.where(back, 0.0, 1.0)
        full = np.diff(walked.start) > 0
        enter[walked.start[:-1][full]] = walked.begin[full]
        leave[walked.start[1:][full] - 1] = walked.end[full]
        walks = joined_lines(graph, walked.arc >> 1, enter, leave, self.walk_of_arc, len(walked.cost))
        walks_of: dict[int, list[int]] = {}
        for kind, (users, walk) in self._kinds.items():
            ways = self._ride_way[users] if kind == "change" else users
            for way, row in zip(ways.tolist(), walk.tolist(), strict=True):
                walks_of.setdefault(way, []).append(row)
        feed = self._timetable.feed
        tracks: dict[int, shapely.LineString] = {}
        shapes = np.empty(len(self._way), object)
        for trip, way in enumerate(self._way.tolist()):
            lines = [walks[row] for row in walks_of.get(way, []) if walks[row] is not None]
            for leg in self._legs[trip]:
                lines.append(tracks.setdefault(id(leg), track(feed, leg.trips[0], leg.stops)))
            shapes[trip] = shapely.MultiLineString([line for line in lines if not line.is_empty])
        return shapes


def _streets(context: Context, on_link: NDArray[np.float64]) -> Table:
    """Streets with those who walk there, to, between and from stops or all the way."""
    graph, links = context.network.graph, np.flatnonzero(on_link > 0)
    return Table(
        cut_lines(graph, links.astype(np.int32), np.zeros(len(links)), np.ones(len(links))),
        {
            "link_id": graph.link_id[links],
            "name": graph.tag("name").take(links),
            "trips": Column.of(on_link[links], "", 2, Meaning("trips")),
            "length_m": Column.of(graph.link_length[links], "m", 1),
        },
    )
