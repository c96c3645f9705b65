"""Itineraries: walks and rides one after another, with the streets and stops they pass, and the next departures of a window."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from awl.core.progress import raise_if_cancelled
from awl.core.routing.dijkstra.search import UNREACHED
from awl.core.routing.path import StreetLeg
from awl.core.routing.snapping import Snapped
from awl.core.transit.first_mile import NEAR_M
from awl.core.transit.router import TransitRouter
from awl.core.transit.search import LONGEST_MS, MOST_RIDES, Journey, Ride
from awl.core.transit.timetable import Timetable

MOST_SEARCHES = 60
PARKED = -2
"""Stands for a place to park in place of a stop."""


@dataclass(frozen=True)
class WalkLeg:
    """A walk that begins at `begins_ms` and takes `takes_ms`, between stops or a place, whose row is -1.

    `path` is the way along the streets, None where the walk stays inside a station. `by` is the mode where one does not walk.
    A stop `PARKED` stands for the place to park in row `parked`, where the vehicle is left.
    """

    path: StreetLeg | None
    from_stop: int
    to_stop: int
    begins_ms: int
    takes_ms: int
    by: str = ""
    parked: int = -1


@dataclass(frozen=True)
class RideLeg:
    """A ride with one trip, or with several on which one stays seated.

    Attributes:
        trips: rows of the trips.
        stops: rows (k,) of the stops it calls at, where one boards and alights among them.
        departs_ms, arrives_ms: ms of the service day.
    """

    trips: tuple[int, ...]
    stops: NDArray[np.int32]
    departs_ms: int
    arrives_ms: int


@dataclass(frozen=True)
class Itinerary:
    """Legs from setting out, as late as may be, to arriving; times are ms of the service day."""

    legs: tuple[WalkLeg | RideLeg, ...]
    departs_ms: int
    arrives_ms: int

    @property
    def rides(self) -> int:
        """How many rides it has."""
        return sum(isinstance(leg, RideLeg) for leg in self.legs)

    def is_better_than(self, other: Itinerary) -> bool:
        """Whether it leaves no earlier, arrives no later and has no more rides, and one of these is better.

        Parameters:
            other: another one.
        """
        own_rank = (-self.departs_ms, self.arrives_ms, self.rides)
        other_rank = (-other.departs_ms, other.arrives_ms, other.rides)
        return own_rank != other_rank and all(a <= b for a, b in zip(own_rank, other_rank, strict=True))


class ItineraryFinder:
    """Finds itineraries between two places that stand on streets.

    Parameters:
        router: the router of the question; its window is that of departures.
        places: two places put on streets: where trips begin and end.
    """

    def __init__(self, router: TransitRouter, places: Snapped) -> None:
        self._router, self._places = router, places
        self._starts = router.ends_of(router.near(places.take(np.array([0])), "from"), 0)
        self._goals = router.ends_of(router.near(places.take(np.array([1])), "to"), 0)

    def on_foot(self) -> Itinerary | None:
        """The walk all the way, at the begin of the window; None where there is no way."""
        path = self._router.street.path(self._places, 0, 1, "time")
        if path is None:
            return None
        begin = int(self._router.window.at_ms[0])
        return Itinerary((WalkLeg(path.legs[0], -1, -1, begin, path.cost),), begin, begin + path.cost)

    def departures(self, most: int) -> list[Itinerary]:
        """The next itineraries of the window that no other is better than, in the order in which they leave.

        Parameters:
            most: the most of them.
        """
        undominated: list[Itinerary] = []
        for itinerary in self._by_earliest_arrival():
            if any(other.is_better_than(itinerary) for other in undominated):
                continue
            undominated = [other for other in undominated if not itinerary.is_better_than(other)] + [itinerary]
            if len(undominated) > most + MOST_RIDES:
                break
        return sorted(undominated, key=lambda itinerary: (itinerary.departs_ms, itinerary.arrives_ms))[:most]

    def _by_earliest_arrival(self) -> Iterator[Itinerary]:
        """Itineraries of earliest arrival from each departure on, each once."""
        window, bounds, seen = self._router.window, self._router.bounds, set[tuple[Ride, ...]]()
        at, last = int(window.at_ms[0]), int(window.at_ms[-1])
        limits = replace(bounds.changes, rides=MOST_RIDES if bounds.rides is None else bounds.rides)
        for _ in range(MOST_SEARCHES):
            raise_if_cancelled()
            journeys = self._router.search.earliest(self._starts, self._goals, at, LONGEST_MS, limits)
            itineraries = [self._itinerary(journey) for journey in journeys]
            for journey, itinerary in zip(journeys, itineraries, strict=True):
                if journey.rides not in seen and itinerary.departs_ms <= last:
                    seen.add(journey.rides)
                    yield itinerary
            if not itineraries:
                return
            at = min(itinerary.departs_ms for itinerary in itineraries) + 1
            if at > last:
                return

    def _itinerary(self, journey: Journey) -> Itinerary:
        timetable = self._router.search.timetable
        legs: list[WalkLeg | RideLeg] = []
        for nth, ride in enumerate(journey.rides):
            leg = ride_leg(timetable, ride)
            boards = int(leg.stops[0])
            if nth == 0:
                legs += self._to_first_stop(boards, leg.departs_ms - self._router.search.slack_ms)
            elif isinstance(former := legs[-1], RideLeg) and former.stops[-1] != boards:
                alighted = int(former.stops[-1])
                path, takes = self._walk(self._doors(alighted, inward=False), self._doors(boards, inward=True))
                takes = takes if path is not None else 0
                legs.append(WalkLeg(path, alighted, boards, former.arrives_ms, takes))
            legs.append(leg)
        last = legs[-1]
        assert isinstance(last, RideLeg)
        stop = int(last.stops[-1])
        path, takes = self._walk(self._doors(stop, inward=False), self._place(1))
        legs.append(WalkLeg(path, stop, -1, last.arrives_ms, takes))
        first = legs[0]
        assert isinstance(first, WalkLeg)
        return Itinerary(tuple(legs), first.begins_ms, last.arrives_ms + takes)

    def _to_first_stop(self, stop: int, by_ms: int) -> list[WalkLeg]:
        """From the place to the first stop, there at the latest at a time: on foot, or by another mode where that is quicker."""
        path, takes = self._walk(self._place(0), self._doors(stop, inward=True))
        first = None if self._router.first is None else self._router.first.leg(self._places.take(np.array([0])), stop)
        if first is None or (path is not None and takes <= first.takes_ms + first.then_ms):
            return [WalkLeg(path, -1, stop, by_ms - takes, takes)]
        begins = by_ms - first.takes_ms - first.then_ms
        assert self._router.first is not None
        parking, mode = self._router.first.parking, first.path.mode
        if parking is None:
            return [WalkLeg(first.path, -1, stop, begins, first.takes_ms + first.then_ms, mode)]
        snapped = self._router.first.walking.snap(parking.lon[[first.left_at]], parking.lat[[first.left_at]], NEAR_M)
        then, _ = self._walk((snapped, np.zeros(1, np.int64)), self._doors(stop, inward=True))
        return [
            WalkLeg(first.path, -1, PARKED, begins, first.takes_ms, mode, first.left_at),
            WalkLeg(then, PARKED, stop, begins + first.takes_ms, first.then_ms, "", first.left_at),
        ]

    def _place(self, row: int) -> tuple[Snapped, NDArray[np.int64]]:
        return self._places.take(np.array([row])), np.zeros(1, np.int64)

    def _doors(self, stop: int, inward: bool) -> tuple[Snapped, NDArray[np.int64]]:
        """The doors of a platform on streets, and the way inside between each and the platform."""
        stops = self._router.stops
        ms = stops.doors.inward_ms if inward else stops.doors.outward_ms
        rows = np.flatnonzero((stops.doors.platform == stop) & (ms >= 0) & (stops.row_of_door >= 0))
        return stops.snapped.take(stops.row_of_door[rows]), ms[rows].astype(np.int64)

    def _walk(
        self, begin: tuple[Snapped, NDArray[np.int64]], end: tuple[Snapped, NDArray[np.int64]]
    ) -> tuple[StreetLeg | None, int]:
        """The quickest walk between any of some places and any of others, with what is added at each of them."""
        (first, first_ms), (last, last_ms) = begin, end
        if len(first_ms) == 0 or len(last_ms) == 0:
            return None, 0
        street = self._router.street
        cost = street.matrix(first, last, "time", carrying=False)[0].astype(np.int64)
        total = np.where(cost == UNREACHED, np.iinfo(np.int64).max // 2, cost + first_ms[:, None] + last_ms)
        a, b = np.unravel_index(int(np.argmin(total)), total.shape)
        ends = Snapped.joined([first.take(np.array([a])), last.take(np.array([b]))])
        path = street.path(ends, 0, 1, "time")
        return (None, 0) if path is None else (path.legs[0], int(total[a, b]))


def ride_leg(timetable: Timetable, ride: Ride) -> RideLeg:
    """A ride with its trips, stops and times.

    Parameters:
        timetable: what runs.
        ride: the connections with which it begins and ends.
    """
    connections, runs, feed = timetable.connections, timetable.runs, timetable.feed
    boards = int(timetable.points.stop[connections.origin[ride.boards]])
    alights = int(timetable.points.stop[connections.target[ride.alights]])
    departs, arrives = int(connections.departure[ride.boards]), int(connections.arrival[ride.alights])
    run, last = int(connections.run[ride.boards]), int(connections.run[ride.alights])
    trips: list[int] = []
    stops: list[NDArray[np.int32]] = []
    while True:
        trip, shift = int(runs.trip[run]), int(runs.shift_s[run])
        calls = np.arange(feed.trip_start[trip], feed.trip_start[trip + 1])
        stop, times = feed.stop_times.stop[calls], feed.stop_times
        begin = 0
        if not trips:
            at = (stop == boards) & ((times.departure[calls] + shift) * 1000 == departs)
            begin = int(np.flatnonzero(at)[0])
        end = len(calls)
        if run == last:
            at = (
                (stop == alights) & ((times.arrival[calls] + shift) * 1000 == arrives) & (np.arange(len(calls)) > begin)
            )
            end = int(np.flatnonzero(at)[0]) + 1
        # Whoever stays seated may be driven from where one trip ends to where the next begins.
        is_where_it_ended = bool(trips) and stop[0] == stops[-1][-1]
        stops.append(stop[1:end] if is_where_it_ended else stop[begin:end])
        trips.append(trip)
        if run == last:
            return RideLeg(tuple(trips), np.concatenate(stops), departs, arrives)
        run = int(runs.goes_on_as[run])
