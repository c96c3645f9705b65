"""Faults of a feed: what does not fit together, with a sentence and a place each, as the health check of streets has them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.geodesy import segment_lengths
from awl.core.transit.feed import BUS, FERRY, PLATFORM, RAIL, STATION, Feed

MOST_LISTED = 1000
"""Faults of a kind that are kept; all are counted."""


@dataclass(frozen=True)
class FaultKind:
    """A kind of fault: what it is called, how grave it is (`error`, `warning`, `note`), and what it does to answers."""

    title: str
    grade: str
    effect: str


KINDS = {
    "row-left-out": FaultKind("Row left out", "error", "What it describes is missing from all answers."),
    "unknown-reference": FaultKind("Reference to nothing", "error", "The row is left out."),
    "no-place": FaultKind("Stop without a place", "error", "Nobody can walk to it."),
    "backwards": FaultKind("Travel backwards in time", "error", "The trip is left out."),
    "one-call": FaultKind("Trip with fewer than two calls", "warning", "The trip takes nobody anywhere."),
    "absurd-speed": FaultKind("Absurd speed between stops", "warning", "Journeys by this trip are quicker than they can be."),
    "far-from-shape": FaultKind("Stop far from the line of its trip", "warning", "The stop or the line lies at a wrong place."),
    "unused-stop": FaultKind("Stop at which nothing calls", "note", "It is not used."),
    "duplicate-trip": FaultKind("Trip that runs twice", "warning", "Departures count twice."),
    "never-runs": FaultKind("Service that never runs", "warning", "Its trips are not used."),
    "file-missing": FaultKind("File missing", "note", "What it would say is not known."),
    "repeats-inexactly": FaultKind("Departures known by frequency alone", "note", "Departures are assumed at even intervals."),
    "station-in-circle": FaultKind("Station that is its own part", "error", "The stop counts as one without a station."),
}  # fmt: skip
"""By code."""
KMH = {RAIL: 350.0, FERRY: 110.0, BUS: 130.0}
MOST_KMH = 160.0
"""A vehicle is not faster between stops; for some kinds another speed holds."""
ROUNDING_S = 60
"""Times are often whole minutes: so much may a hop have taken longer than it says."""
SHAPE_FAR_M = 150.0


@dataclass(frozen=True)
class Fault:
    """A fault: its kind, a sentence, the file and line where it is, and its place in degrees, NaN where it has none."""

    code: str
    text: str
    file: str = ""
    line: int = 0
    lon: float = float("nan")
    lat: float = float("nan")


@dataclass
class Faults:
    """Faults in the order in which they were found; `counts` has all of them, `listed` the first of each kind."""

    listed: list[Fault] = field(default_factory=list)
    counts: Counter[str] = field(default_factory=Counter)

    def add(self, fault: Fault, times: int = 1) -> None:
        """Count a fault, and keep it while there are few of its kind.

        Parameters:
            fault: the fault.
            times: how many there are of which it is an example.
        """
        if self.counts[fault.code] < MOST_LISTED:
            self.listed.append(fault)
        self.counts[fault.code] += times

    def add_rows(self, rows: NDArray[np.integer], make: Callable[[int], Fault]) -> None:
        """Count a fault for each of some rows.

        Parameters:
            rows: rows (k,).
            make: the fault of a row.
        """
        for row in rows[:MOST_LISTED].tolist():
            self.add(make(row))
        if len(rows) > MOST_LISTED:
            self.counts[make(int(rows[0])).code] += len(rows) - MOST_LISTED

    @property
    def has_errors(self) -> bool:
        """Whether one is of grade `error`."""
        return any(KINDS[code].grade == "error" for code in self.counts)


def clock(seconds: float) -> str:
    """A time of a timetable such as 7:05 or 25:10.

    Parameters:
        seconds: seconds of the service day.

    >>> clock(90600)
    '25:10'
    """
    minutes = int(seconds) // 60
    return f"{minutes // 60}:{minutes % 60:02}"


def check(feed: Feed, faults: Faults) -> None:
    """Add the faults of a feed that was read.

    Parameters:
        feed: the feed.
        faults: what is added to.
    """
    for find in (_absurd_speeds, _far_from_shapes, _unused_stops, _duplicate_trips, _services_that_never_run, _inexact):
        for fault in find(feed):
            faults.add(fault)


def _at(feed: Feed, stop: int) -> tuple[float, float]:
    return float(feed.stops.lon[stop]), float(feed.stops.lat[stop])


def _absurd_speeds(feed: Feed) -> Iterable[Fault]:
    """The first stretch of each trip that is too fast, one for each pair of stops it lies between."""
    trip, times = feed.trip_of_call, feed.stop_times
    metres = np.zeros(len(times))
    hop = np.flatnonzero(trip[1:] == trip[:-1]) if len(trip) else np.zeros(0, np.int64)
    metres[hop + 1] = _metres_between(feed, times.stop[hop], times.stop[hop + 1])
    most = np.full(len(feed.trips), MOST_KMH)
    for code, speed in KMH.items():
        most[feed.routes.kind[feed.trips.route] == code] = speed
    begin, end = _fast_stretches(feed.trip_start, times.arrival, times.departure, metres, most)
    reported: set[tuple[int, int]] = set()
    for row in np.flatnonzero(end >= 0).tolist():
        first, last = int(begin[row]), int(end[row])
        pair = int(times.stop[first]), int(times.stop[last])
        if pair in reported:
            continue
        reported.add(pair)
        seconds, km = int(times.arrival[last] - times.departure[first]), metres[first + 1 : last + 1].sum() / 1000
        took = f"{seconds / 60:.1f} min" if seconds else "no time"
        names = f"{feed.stops.name[pair[0]]} to {feed.stops.name[pair[1]]}"
        text = f"{km:.1f} km from {names} take trip {feed.trips.id[row]} {took}."
        yield Fault("absurd-speed", text, "stop_times.txt", 0, *_at(feed, pair[0]))


@njit(cache=True, nogil=True)
def _fast_stretches(trip_start, arrival, departure, metres, most_kmh):
    """First and last call (t,) of a stretch of each trip that is faster than may be, -1 for none.

    Calls of the same minute belong together: each may have been rounded.
    """
    begin, end = np.full(len(most_kmh), -1), np.full(len(most_kmh), -1)
    for trip in range(len(most_kmh)):
        first, way = trip_start[trip], 0.0
        for call in range(trip_start[trip] + 1, trip_start[trip + 1]):
            way += metres[call]
            seconds = arrival[call] - departure[first]
            if way / (seconds + ROUNDING_S) * 3.6 > most_kmh[trip]:
                begin[trip], end[trip] = first, call
                break
            if seconds >= ROUNDING_S:
                first, way = call, 0.0
    return begin, end


def _metres_between(feed: Feed, first: NDArray[np.int32], second: NDArray[np.int32]) -> NDArray[np.float64]:
    """Metres (h,) between stops; each pair is measured once, however many trips run there."""
    pair, row = np.unique(first.astype(np.int64) * len(feed.stops) + second, return_inverse=True)
    a, b = np.divmod(pair, len(feed.stops))
    lon, lat = feed.stops.lon, feed.stops.lat
    return np.nan_to_num(segment_lengths(lon[a], lat[a], lon[b], lat[b]))[row]


def _far_from_shapes(feed: Feed) -> Iterable[Fault]:
    """Stops that lie far from the line of a trip that calls there, each once."""
    shapes, trips = feed.shapes, feed.trips
    if len(shapes) == 0:
        return
    reported: set[tuple[int, int]] = set()
    _, first_trip = np.unique(trips.shape, return_index=True)
    for trip in first_trip[trips.shape[first_trip] >= 0].tolist():
        shape = int(trips.shape[trip])
        rows = slice(int(shapes.start[shape]), int(shapes.start[shape + 1]))
        stops = np.unique(feed.stop_times.stop[feed.trip_start[trip] : feed.trip_start[trip + 1]])
        away = _metres_to_line(feed.stops.lon[stops], feed.stops.lat[stops], shapes.lon[rows], shapes.lat[rows])
        for stop, metres in zip(stops.tolist(), away.tolist(), strict=True):
            if metres > SHAPE_FAR_M and (stop, shape) not in reported:
                reported.add((stop, shape))
                yield Fault(
                    "far-from-shape",
                    f"{feed.stops.name[stop]} lies {metres:,.0f} m from line {shapes.id[shape]}, by which trip"
                    f" {trips.id[trip]} calls there.",
                    "shapes.txt",
                    0,
                    *_at(feed, stop),
                )


def _metres_to_line(
    lon: NDArray[np.float64], lat: NDArray[np.float64], line_lon: NDArray[np.float64], line_lat: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Metres (k,) between points and a line, in a plane that touches the line's begin."""
    if len(line_lon) == 0:
        return np.zeros(len(lon))
    scale = np.cos(np.radians(line_lat[0])) * 111_320.0, 110_574.0
    x, y = (lon - line_lon[0]) * scale[0], (lat - line_lat[0]) * scale[1]
    lx, ly = (line_lon - line_lon[0]) * scale[0], (line_lat - line_lat[0]) * scale[1]
    if len(lx) == 1:
        return np.hypot(x, y)
    dx, dy = np.diff(lx), np.diff(ly)
    away = np.full(len(x), np.inf)
    for i in range(len(x)):
        share = ((x[i] - lx[:-1]) * dx + (y[i] - ly[:-1]) * dy) / np.maximum(dx * dx + dy * dy, 1e-9)
        share = np.clip(share, 0.0, 1.0)
        away[i] = np.hypot(x[i] - lx[:-1] - share * dx, y[i] - ly[:-1] - share * dy).min()
    return away


def _unused_stops(feed: Feed) -> Iterable[Fault]:
    used = np.zeros(len(feed.stops), bool)
    used[feed.stop_times.stop] = True
    parents = feed.stops.parent[np.flatnonzero(used)]
    used[parents[parents >= 0]] = True
    for stop in np.flatnonzero(~used & np.isin(feed.stops.kind, (PLATFORM, STATION))).tolist():
        name = feed.stops.name[stop] or feed.stops.id[stop]
        yield Fault("unused-stop", f"Nothing calls at {name}.", "stops.txt", 0, *_at(feed, stop))


def _duplicate_trips(feed: Feed) -> Iterable[Fault]:
    """Trips with the same calls and the same days as another of the same route."""
    times = feed.stop_times
    seen: dict[tuple[int, bytes, bytes, bytes, bytes], int] = {}
    for trip in range(len(feed.trips)):
        rows = slice(int(feed.trip_start[trip]), int(feed.trip_start[trip + 1]))
        key = (
            int(feed.trips.route[trip]), feed.active[feed.trips.service[trip]].tobytes(), times.stop[rows].tobytes(),
            times.departure[rows].tobytes(), times.arrival[rows].tobytes(),
        )  # fmt: skip
        if rows.start == rows.stop or not feed.active[feed.trips.service[trip]].any():
            continue
        if key in seen:
            first = int(times.stop[rows.start])
            yield Fault(
                "duplicate-trip",
                f"Trip {feed.trips.id[trip]} runs as {feed.trips.id[seen[key]]} does: at the same times, on the same days.",
                "trips.txt",
                0,
                *_at(feed, first),
            )
        else:
            seen[key] = trip


def _services_that_never_run(feed: Feed) -> Iterable[Fault]:
    trips = np.bincount(feed.trips.service, minlength=len(feed.service_id))
    for row in np.flatnonzero(~feed.active.any(axis=1)).tolist():
        yield Fault(
            "never-runs",
            f"Service {feed.service_id[row]} runs on no day; {trips[row]:,} trips have it.",
            "calendar.txt",
        )


def _inexact(feed: Feed) -> Iterable[Fault]:
    rows = np.flatnonzero(~feed.frequencies.exact)
    for route in np.unique(feed.trips.route[feed.frequencies.trip[rows]]).tolist():
        yield Fault(
            "repeats-inexactly",
            f"Route {feed.routes.name[route]} says how often it runs and not when; departures are assumed at even intervals.",
            "frequencies.txt",
        )
