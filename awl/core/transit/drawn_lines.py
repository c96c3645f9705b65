"""Lines that somebody draws: stops, a headway and a speed, as a feed of their own."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from awl.core.geodesy import segment_lengths
from awl.core.transit.feed import Feed, Frequencies, Routes, Shapes, Stops, StopTimes, Texts, Trips

Days = Literal["daily", "weekdays", "weekend"]
DAYS: tuple[Days, ...] = ("daily", "weekdays", "weekend")


@dataclass(frozen=True)
class DrawnLine:
    """A line between stops.

    Attributes:
        name: what it is called.
        kind: `route_type`.
        stops: longitude and latitude of each stop (k, 2), in order.
        headway_s: seconds from one departure to the next.
        first_s, last_s: the first departure from the first stop and the last, in seconds of the day.
        kmh: mean speed between stops, calls counted, as the crow flies.
        both_ways: whether it runs back as well, at the same times.
        days: on which days it runs.
    """

    name: str
    kind: int
    stops: NDArray[np.float64]
    headway_s: int
    first_s: int
    last_s: int
    kmh: float
    both_ways: bool = True
    days: Days = "daily"

    @property
    def run_s(self) -> NDArray[np.int64]:
        """Seconds (k,) from the first stop to each."""
        lon, lat = self.stops.T
        metres = segment_lengths(lon[:-1], lat[:-1], lon[1:], lat[1:])
        return np.concatenate([[0], np.rint(np.cumsum(metres) / self.kmh * 3.6)]).astype(np.int64)


def feed_of_lines(lines: Sequence[DrawnLine], first_day: np.datetime64, days: int, timezone: str) -> Feed:
    """Lines as a feed: each with stops of its own, and a trip each way that repeats at its headway.

    Parameters:
        lines: the lines, one at least.
        first_day: the first day of the calendar.
        days: how many days that has.
        timezone: name of the time zone.
    """
    count = len(lines)
    stops_of = [len(line.stops) for line in lines]
    first_stop = np.concatenate([[0], np.cumsum(stops_of)])
    xy = np.concatenate([line.stops for line in lines])
    names = [f"{line.name}, stop {nth}" for line in lines for nth in range(1, len(line.stops) + 1)]
    total = len(xy)
    ways = [(row, back) for row, line in enumerate(lines) for back in ((False, True) if line.both_ways else (False,))]
    calls = [_calls(lines[row], int(first_stop[row]), back) for row, back in ways]
    stop = np.concatenate([rows for rows, _ in calls]).astype(np.int32)
    at = np.concatenate([times for _, times in calls]).astype(np.int32)
    trip_start = np.concatenate([[0], np.cumsum([len(rows) for rows, _ in calls])]).astype(np.int64)
    route = np.array([row for row, _ in ways], np.int32)
    none, nothing = np.full(len(ways), -1, np.int32), np.zeros(len(ways), np.int8)
    heads = [names[int(rows[-1])] for rows, _ in calls]
    texts: Texts = np.array([line.name for line in lines], dtype=object)
    empty: Texts = np.full(count, "", dtype=object)
    return Feed(
        stops=Stops(
            _ids("s", total), np.array(names, dtype=object), xy[:, 0], xy[:, 1], np.zeros(total, np.int8),
            np.full(total, -1, np.int32), np.zeros(total, np.int8),
        ),
        routes=Routes(_ids("r", count), texts, empty, empty, np.array([line.kind for line in lines], np.int16), empty),
        trips=Trips(
            _ids("t", len(ways)), np.array(heads, dtype=object), route, route,
            np.array([int(back) for _, back in ways], np.int8), none, none, nothing, nothing,
        ),
        trip_start=trip_start,
        stop_times=StopTimes(
            stop, at, at, np.zeros(len(at), np.int8), np.zeros(len(at), np.int8), np.full(len(at), np.nan, np.float32)
        ),
        service_id=_ids("d", count),
        first_day=first_day,
        active=np.array([_active(line.days, first_day, days) for line in lines], bool),
        timezone=timezone,
        frequencies=Frequencies(
            np.arange(len(ways), dtype=np.int32),
            np.array([lines[row].first_s for row, _ in ways], np.int32),
            np.array([lines[row].last_s + 1 for row, _ in ways], np.int32),
            np.array([lines[row].headway_s for row, _ in ways], np.int32),
            np.ones(len(ways), bool),
        ),
        shapes=Shapes(np.zeros(0, object), np.zeros(1, np.int64), np.zeros(0), np.zeros(0), np.zeros(0, np.float32)),
    )  # fmt: skip


def _calls(line: DrawnLine, first_stop: int, back: bool) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Stops and times of a trip along a line, or back."""
    rows, seconds = first_stop + np.arange(len(line.stops)), line.run_s
    if back:
        rows, seconds = rows[::-1], (seconds[-1] - seconds)[::-1]
    return rows, line.first_s + seconds


def _ids(prefix: str, count: int) -> Texts:
    ids: Texts = np.array([f"{prefix}{number}" for number in range(1, count + 1)], dtype=object)
    return ids


def _active(which: Days, first_day: np.datetime64, days: int) -> NDArray[np.bool_]:
    weekday = ((first_day + np.arange(days)).astype("datetime64[D]").astype(int) + 3) % 7
    return {"daily": weekday >= 0, "weekdays": weekday < 5, "weekend": weekday >= 5}[which]
