"""A feed: stops, routes, trips and the days on which they run, as published in GTFS Schedule, one array for each field.

Rows refer to each other by number, -1 for none. Times are seconds after the start of the service day, which is twelve hours
before noon in local time; trips after midnight have times above 24 hours.
"""

from __future__ import annotations

from dataclasses import dataclass, field, fields
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

Texts = NDArray[np.object_]
Rows = TypeVar("Rows", bound="Columns")
NO_TIME = -1
"""A time, or a minimum time, that is not given."""
PLATFORM, STATION, ENTRANCE, GENERIC_NODE, BOARDING_AREA = range(5)
"""Kinds of stop: `location_type`."""
UNKNOWN, POSSIBLE, IMPOSSIBLE = range(3)
"""Whether somebody in a wheelchair can board, or a bicycle be taken along."""
TRAM, METRO, RAIL, BUS, FERRY, CABLE_TRAM, AERIAL_LIFT, FUNICULAR = range(8)
TROLLEYBUS, MONORAIL = 11, 12
KIND_NAMES = {
    TRAM: "tram", METRO: "metro", RAIL: "train", BUS: "bus", FERRY: "ferry", CABLE_TRAM: "cable tram",
    AERIAL_LIFT: "aerial lift", FUNICULAR: "funicular", TROLLEYBUS: "trolleybus", MONORAIL: "monorail",
}  # fmt: skip
"""Kinds of route: `route_type`."""
RECOMMENDED, TIMED, LEAST_TIME_NEEDED, FORBIDDEN, STAY_SEATED, MUST_ALIGHT = range(6)
"""Kinds of transfer: `transfer_type`."""
WALKWAY, STAIRS, MOVING_WALKWAY, ESCALATOR, LIFT, FARE_GATE, EXIT_GATE = range(1, 8)
"""Kinds of pathway: `pathway_mode`."""


class Columns:
    """Arrays of one length."""

    def __len__(self) -> int:
        return len(getattr(self, fields(self)[0].name))  # type: ignore[arg-type]

    def take(self: Rows, rows: NDArray[np.integer] | NDArray[np.bool_]) -> Rows:
        """Some of the rows.

        Parameters:
            rows: which rows: numbers (k,) or a mask.
        """
        return type(self)(*(getattr(self, item.name)[rows] for item in fields(self)))  # type: ignore[arg-type]


@dataclass(frozen=True)
class Stops(Columns):
    """Stops (s,): platforms, stations, entrances and nodes inside stations.

    Attributes:
        id, name: texts; the id is that of the file.
        lon, lat: degrees; NaN where neither the stop nor its station has a place.
        kind: `location_type`.
        parent: row of the station, or of the platform that a boarding area belongs to.
        wheelchair: `UNKNOWN`, `POSSIBLE` or `IMPOSSIBLE`, that of the station where the stop has none of its own.
    """

    id: Texts
    name: Texts
    lon: NDArray[np.float64]
    lat: NDArray[np.float64]
    kind: NDArray[np.int8]
    parent: NDArray[np.int32]
    wheelchair: NDArray[np.int8]


@dataclass(frozen=True)
class Routes(Columns):
    """Routes (r,).

    Attributes:
        id, short_name, long_name, agency: texts.
        kind: `route_type`.
        color: six hexadecimal digits, empty for none.
    """

    id: Texts
    short_name: Texts
    long_name: Texts
    agency: Texts
    kind: NDArray[np.int16]
    color: Texts

    @property
    def name(self) -> Texts:
        """What each route is called: its short name, or else its long one, or else its id."""
        names: Texts = np.where(
            self.short_name != "", self.short_name, np.where(self.long_name != "", self.long_name, self.id)
        )
        return names


@dataclass(frozen=True)
class Trips(Columns):
    """Trips (t,).

    Attributes:
        id, headsign: texts.
        route, service: rows.
        direction: 0 or 1, -1 where none is given.
        block: number of the block of trips that one vehicle makes.
        shape: row of the shape.
        wheelchair, bikes: `UNKNOWN`, `POSSIBLE` or `IMPOSSIBLE`.
    """

    id: Texts
    headsign: Texts
    route: NDArray[np.int32]
    service: NDArray[np.int32]
    direction: NDArray[np.int8]
    block: NDArray[np.int32]
    shape: NDArray[np.int32]
    wheelchair: NDArray[np.int8]
    bikes: NDArray[np.int8]


@dataclass(frozen=True)
class StopTimes(Columns):
    """Calls (c,) of trips at stops, ordered by trip and then along it.

    Attributes:
        stop: row of the stop.
        arrival, departure: seconds.
        pickup, drop_off: 0 for regular, 1 for none, 2 by telephone, 3 by asking the driver.
        distance: how far along its shape, in the unit of the shape; NaN where it is not given.
    """

    stop: NDArray[np.int32]
    arrival: NDArray[np.int32]
    departure: NDArray[np.int32]
    pickup: NDArray[np.int8]
    drop_off: NDArray[np.int8]
    distance: NDArray[np.float32]


@dataclass(frozen=True)
class Frequencies(Columns):
    """Trips that repeat (f,): from `start` until before `end` every `headway` seconds, to the minute where `exact`."""

    trip: NDArray[np.int32]
    start: NDArray[np.int32]
    end: NDArray[np.int32]
    headway: NDArray[np.int32]
    exact: NDArray[np.bool_]


@dataclass(frozen=True)
class Transfers(Columns):
    """Rules (x,) for changing between stops, routes and trips: `kind` is `transfer_type`, `least_s` the time needed."""

    from_stop: NDArray[np.int32]
    to_stop: NDArray[np.int32]
    from_route: NDArray[np.int32]
    to_route: NDArray[np.int32]
    from_trip: NDArray[np.int32]
    to_trip: NDArray[np.int32]
    kind: NDArray[np.int8]
    least_s: NDArray[np.int32]


@dataclass(frozen=True)
class Pathways(Columns):
    """Ways (w,) inside stations between stops: `kind` is `pathway_mode`, `seconds` how long each takes."""

    from_stop: NDArray[np.int32]
    to_stop: NDArray[np.int32]
    kind: NDArray[np.int8]
    both_ways: NDArray[np.bool_]
    seconds: NDArray[np.int32]


@dataclass(frozen=True)
class Shapes:
    """Lines (l,) along which trips run: the points of line i are rows `start[i]` to `start[i + 1]`."""

    id: Texts
    start: NDArray[np.int64]
    lon: NDArray[np.float64]
    lat: NDArray[np.float64]
    distance: NDArray[np.float32]

    def __len__(self) -> int:
        return len(self.id)


def _none_of(kind: type[Any]) -> Any:
    """No rows of a kind."""
    return lambda: kind(*(np.zeros(0, np.int32) for _ in fields(kind)))


def no_shapes() -> Shapes:
    """No lines."""
    nothing = np.zeros(0)
    return Shapes(np.zeros(0, object), np.zeros(1, np.int64), nothing, nothing, nothing.astype(np.float32))


@dataclass(frozen=True)
class Feed:
    """One or several feeds.

    Attributes:
        trip_start: offsets (t + 1,) at which the calls of each trip begin.
        service_id: texts (d,) of the services.
        first_day: the first day of `active`.
        active: (d, days) on which days each service runs.
        timezone: name of the time zone in the IANA data base.
        info: fields of `feed_info` that say what the feed is and until when it holds.
    """

    stops: Stops
    routes: Routes
    trips: Trips
    trip_start: NDArray[np.int64]
    stop_times: StopTimes
    service_id: Texts
    first_day: np.datetime64
    active: NDArray[np.bool_]
    timezone: str
    frequencies: Frequencies = field(default_factory=_none_of(Frequencies))
    transfers: Transfers = field(default_factory=_none_of(Transfers))
    pathways: Pathways = field(default_factory=_none_of(Pathways))
    shapes: Shapes = field(default_factory=no_shapes)
    info: dict[str, str] = field(default_factory=dict)

    @property
    def days(self) -> NDArray[np.datetime64]:
        """All days of the calendar."""
        return self.first_day + np.arange(self.active.shape[1])

    def runs_on(self, day: np.datetime64) -> NDArray[np.bool_]:
        """Which services (d,) run on a day; none outside the calendar.

        Parameters:
            day: the day.
        """
        nth = int((day - self.first_day).astype(int))
        if 0 <= nth < self.active.shape[1]:
            return self.active[:, nth]
        return np.zeros(len(self.service_id), bool)

    @property
    def trip_of_call(self) -> NDArray[np.int32]:
        """The trip (c,) of each call."""
        return np.repeat(np.arange(len(self.trips), dtype=np.int32), np.diff(self.trip_start))

    def line_name(self, route: int) -> str:
        """What a line is called with its kind: `tram 1`; its name alone where that is its kind.

        Parameters:
            route: row of the route.
        """
        kind, name = KIND_NAMES.get(int(self.routes.kind[route]), "line"), str(self.routes.name[route])
        return name if name.lower() == kind else f"{kind} {name}"

    def trips_by_day(self) -> NDArray[np.int64]:
        """How many trips leave on each day, those that repeat counted each time."""
        times = np.ones(len(self.trips), np.int64)
        repeating = self.frequencies
        if len(repeating):
            count = -(-(repeating.end.astype(np.int64) - repeating.start) // np.maximum(repeating.headway, 1))
            times[repeating.trip] = 0
            np.add.at(times, repeating.trip, np.maximum(count, 0))
        per_service = np.bincount(self.trips.service, weights=times, minlength=len(self.service_id))
        totals: NDArray[np.int64] = np.rint(per_service @ self.active).astype(np.int64)
        return totals
