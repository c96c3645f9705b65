"""A route by public transport: the next departures of the window, each as walks, waits and rides."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

import numpy as np
import shapely

from awl.core.errors import AwlError
from awl.core.routing.dijkstra.search import UNREACHED
from awl.core.routing.snapping import Snapped
from awl.core.transit.feed import Feed
from awl.core.transit.itineraries import PARKED, Itinerary, ItineraryFinder, RideLeg, WalkLeg
from awl.core.transit.router import TransitRouter
from awl.core.transit.service_day import clock_of
from awl.core.transit.tracks import track
from awl.io.table import Column, Meaning, Table, Values
from awl.questions import by_transit
from awl.questions.context import Context, Places
from awl.questions.inputs import Json
from awl.questions.results import Doubt, Result, counted, listed
from awl.questions.route.describe import described
from awl.questions.route.inputs import RouteInputs

MOST = 6
"""Departures that are told of."""


@dataclass
class ItinerariesResult(Result):
    """The next departures.

    Attributes:
        mode: the title of the mode.
        words, kind: what the points are called together, and one of them where they are those of a layer.
        quickest_min: time of the quickest, waiting for it not counted.
        first: when the first leaves, in words.
        changes: the changes of the quickest.
        on_foot_min: time on foot all the way, None where there is no way.
        departures: clock time of each departure of the window, and the time in minutes of whoever sets out then.
    """

    mode: str
    words: str
    kind: str | None
    quickest_min: float
    first: str
    changes: int
    on_foot_min: float | None
    departures: tuple[list[str], list[float | None]]


def run_itineraries(inputs: RouteInputs, context: Context, places: Places, snapped: Snapped) -> ItinerariesResult:
    """The next departures of the window that no other is better than; on foot where that is as quick."""
    router = context.transit
    assert router is not None
    if len(places) != 2 or inputs.expected is not None:
        raise AwlError(
            "By public transport a route leads from one point to another",
            remedy="Give two points, and no way of your own",
            inputs=("waypoints",),
        )
    wanted = inputs.measure if isinstance(inputs.measure, list) else [inputs.measure]
    if "time" not in wanted:
        raise AwlError(
            "By public transport only time is counted", remedy="Ask for the quickest way", inputs=("measure",)
        )
    context.progress.step(0.2, "Looking for departures")
    finder = ItineraryFinder(router, snapped)
    departures, on_foot = finder.departures(MOST), finder.on_foot()
    # One walks where no departure is quicker than that.
    if on_foot is not None:
        departures = [
            one for one in departures if one.arrives_ms - one.departs_ms < on_foot.arrives_ms - on_foot.departs_ms
        ]
    shown = departures or ([] if on_foot is None else [on_foot])
    if not shown:
        raise AwlError(
            f"There is no way by public transport or on foot from {places.names[0]} to {places.names[1]} in this window",
            remedy="Ask for another hour or a longer window, allow longer walks or more changes",
            inputs=("at", "waypoints"),
            status=422,
            kind="no-way",
        )
    assert context.when is not None
    every = router.spread_of_departures(snapped.take(np.array([0])), snapped.take(np.array([1])))
    minutes = [None if ms == UNREACHED else round(ms / 60_000, 2) for ms in every.tolist()]
    words = _Words(context, router, places)
    quickest = min(shown, key=lambda one: (one.arrives_ms - one.departs_ms, one.departs_ms))
    rows = [words.itinerary(number, one) for number, one in enumerate(shown, 1)]
    legs = [row for number, one in enumerate(shown, 1) for row in words.legs(number, one)]
    walk_min = None if on_foot is None else round((on_foot.arrives_ms - on_foot.departs_ms) / 60_000, 1)
    return ItinerariesResult(
        summary={"itineraries": [{key: row[key] for key in SUMMED} for row in rows], "on_foot_min": walk_min},
        parts={
            "itineraries": _itineraries_table(rows),
            "legs": _legs_table(legs),
            "places": context.place_table(places, snapped),
        },
        doubts=[*context.doubts_of(places, snapped, "point"), *_time_alone(wanted), *context.doubts_of_mode()],
        method=[
            *_notes(context, router),
            "Each departure leaves as late as it can be caught. One that leaves no later, arrives no sooner and changes no less"
            " than another is left out.",
        ],
        mode=context.mode.title,
        words=places.words,
        kind=places.kind,
        quickest_min=round((quickest.arrives_ms - quickest.departs_ms) / 60_000, 1),
        first=str(rows[0]["departs"]),
        changes=max(quickest.rides - 1, 0),
        on_foot_min=walk_min,
        departures=(by_transit.clocks(router, context.when), minutes),
    )


def _notes(context: Context, router: TransitRouter) -> list[str]:
    """The notes of the question; what is said of a share of all minutes does not hold for single departures."""
    assert context.when is not None
    of_minutes = by_transit.notes(router, context.when, "from")
    apart = (of_minutes[0], of_minutes[-1])
    return [by_transit.departures_note(router, context.when), *(note for note in context.notes if note not in apart)]


def _time_alone(wanted: list[str]) -> list[Doubt]:
    """That other costs than time are left out, where some were asked for."""
    others = [measure.replace("_", " ") for measure in wanted if measure != "time"]
    if not others:
        return []
    text = f"By public transport only time is counted: nothing is said of the least {listed(others)}."
    return [Doubt("time-alone", "note", len(others), text)]


SUMMED = ("departs", "arrives", "duration_min", "changes", "walk_min", "by")


def _itineraries_table(rows: list[Json]) -> Table:
    """The departures with what their numbers measure, by which they are compared."""
    measured = {"duration_min": ("min", "duration"), "changes": ("", "changes"), "walk_min": ("min", "walking")}
    stated = {
        name: Column.of([row[name] for row in rows], unit, 1 if unit else None, Meaning(quantity))
        for name, (unit, quantity) in measured.items()
    }
    return Table.of_records(rows).with_columns(stated)


def _legs_table(legs: list[Json]) -> Table:
    """The legs as lines, each known by its itinerary and number."""
    shapes = np.array([leg.pop("line") for leg in legs], dtype=object)
    names = dict.fromkeys(key for leg in legs for key in leg)
    columns: dict[str, Values] = {name: [leg.get(name) for leg in legs] for name in names}
    for name, unit in (("duration_min", "min"), ("distance_m", "m")):
        columns[name] = Column.of(columns[name], unit, 1)
    return Table(shapes, columns)


class _Words:
    """Itineraries in words, clock times and lines."""

    def __init__(self, context: Context, router: TransitRouter, places: Places) -> None:
        self._context, self._places = context, places
        self._feed: Feed = router.stops.feed
        self._first = router.first
        self._day: date = router.search.timetable.day

    def itinerary(self, number: int, one: Itinerary) -> Json:
        """A row of an itinerary."""
        rides = [leg for leg in one.legs if isinstance(leg, RideLeg)]
        walks = sum(leg.takes_ms for leg in one.legs if isinstance(leg, WalkLeg) and not leg.by)
        return {
            "itinerary": number,
            "departs": self._clock(one.departs_ms),
            "arrives": self._clock(one.arrives_ms),
            "duration_min": round((one.arrives_ms - one.departs_ms) / 60_000, 1),
            "changes": max(len(rides) - 1, 0),
            "walk_min": round(walks / 60_000, 1),
            "by": ", ".join(self._line(leg) for leg in rides) or "on foot",
        }

    def legs(self, number: int, one: Itinerary) -> list[Json]:
        """A row for each leg: what is done, from where to where, when."""
        rows = []
        for nth, leg in enumerate(one.legs, 1):
            row = self._ride(leg) if isinstance(leg, RideLeg) else self._walk(leg)
            rows.append({"leg": f"{number}.{nth}", "itinerary": number, **row})
        return rows

    def _walk(self, leg: WalkLeg) -> Json:
        begin, end = self._end(leg, leg.from_stop, 0), self._end(leg, leg.to_stop, 1)
        metres, line = 0.0, shapely.LineString([self._spot(leg, leg.from_stop, 0), self._spot(leg, leg.to_stop, 1)])
        network, first = self._context.network, self._first
        if leg.by and first is not None:
            network = first.router.network
        if leg.path is not None:
            line, about = described(network, [leg.path], "time", [])
            metres = about["distance_m"]
        return {
            "kind": "first" if leg.by else "walk",
            "text": f"{network.mode.title if leg.by else 'Walk'} to {end}",
            "from": begin,
            "to": end,
            "begins_min": leg.begins_ms / 60_000,
            "departs": self._clock(leg.begins_ms),
            "arrives": self._clock(leg.begins_ms + leg.takes_ms),
            "duration_min": leg.takes_ms / 60_000,
            "distance_m": metres,
            "line": line,
        }

    def _ride(self, leg: RideLeg) -> Json:
        begin, end = int(leg.stops[0]), int(leg.stops[-1])
        headsign = self._feed.trips.headsign[leg.trips[-1]]
        # Of trips on which one stays seated each has a shape of its own.
        line = track(self._feed, leg.trips[0], leg.stops) if len(leg.trips) == 1 else self._straight(leg)
        between = len(leg.stops) - 1
        return {
            "kind": "ride",
            "text": f"{self._line(leg).capitalize()}{f' to {headsign}' if headsign else ''}, {counted(between, 'stop')}",
            "from": self._place(begin, 0),
            "to": self._place(end, 1),
            "begins_min": leg.departs_ms / 60_000,
            "departs": self._clock(leg.departs_ms),
            "arrives": self._clock(leg.arrives_ms),
            "duration_min": (leg.arrives_ms - leg.departs_ms) / 60_000,
            "distance_m": float(shapely.length(self._context.network.graph.plane.project(np.array([line]))[0])),
            "line_name": str(self._feed.routes.name[self._feed.trips.route[leg.trips[0]]]),
            "route_id": str(self._feed.routes.id[self._feed.trips.route[leg.trips[0]]]),
            "trip_id": str(self._feed.trips.id[leg.trips[0]]),
            "line": line,
        }

    def _line(self, leg: RideLeg) -> str:
        """`tram 1` of a ride; of trips on which one stays seated that of the first."""
        return self._feed.line_name(int(self._feed.trips.route[leg.trips[0]]))

    def _end(self, leg: WalkLeg, stop: int, row: int) -> str:
        """What an end of a walk is called: a place of the question, a stop, or where the vehicle is left."""
        if stop == PARKED and self._first is not None and self._first.parking is not None:
            return self._first.parking.names[leg.parked]
        return self._place(stop, row)

    def _spot(self, leg: WalkLeg, stop: int, row: int) -> tuple[float, float]:
        if stop == PARKED and self._first is not None and self._first.parking is not None:
            return float(self._first.parking.lon[leg.parked]), float(self._first.parking.lat[leg.parked])
        return self._at(stop, row)

    def _place(self, stop: int, row: int) -> str:
        return str(self._places.names[row]) if stop < 0 else str(self._feed.stops.name[stop])

    def _at(self, stop: int, row: int) -> tuple[float, float]:
        if stop < 0:
            return float(self._places.lon[row]), float(self._places.lat[row])
        return float(self._feed.stops.lon[stop]), float(self._feed.stops.lat[stop])

    def _clock(self, ms: int) -> str:
        return f"{clock_of(ms / 1000, self._day, self._feed.timezone):%H:%M:%S}"

    def _straight(self, leg: RideLeg) -> shapely.LineString:
        return shapely.LineString(np.column_stack([self._feed.stops.lon[leg.stops], self._feed.stops.lat[leg.stops]]))
