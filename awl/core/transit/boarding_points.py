"""Boarding points: stops as a scan sees them, several at one stop where rules for changing tell its routes or trips apart."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from awl.core.transit.feed import PLATFORM, STATION, STAY_SEATED, Feed

Group = tuple[int, int]
"""What rules see of a trip: the rows of its route and of itself where a rule names them, -1 otherwise."""


@dataclass(frozen=True)
class BoardingPoints:
    """Boarding points (p,), those of a stop one after another.

    Attributes:
        first: offsets (s + 1,) at which the points of each stop begin.
        stop: the stop (p,) of each.
        groups: for stops with several, the group of trips that uses each.
    """

    first: NDArray[np.int64]
    stop: NDArray[np.int32]
    groups: dict[int, dict[Group, int]]

    @property
    def count(self) -> int:
        """How many there are."""
        return len(self.stop)

    def of_calls(self, feed: Feed) -> NDArray[np.int32]:
        """The boarding point (c,) of each call.

        Parameters:
            feed: the feed.
        """
        point = self.first[feed.stop_times.stop].astype(np.int32)
        trip = feed.trip_of_call if self.groups else np.zeros(0, np.int32)
        for stop, groups in self.groups.items():
            named = {route for route, _ in groups}, {row for _, row in groups}
            for call in np.flatnonzero(feed.stop_times.stop == stop).tolist():
                point[call] += groups[_group(feed, int(trip[call]), *named)]
        return point

    def meant(self, feed: Feed, stop: int, route: int, trip: int) -> list[int]:
        """The boarding points that a rule means by a stop, a route and a trip, each -1 for any.

        Parameters:
            feed: the feed.
            stop, route, trip: rows.
        """
        points = []
        for platform in platforms_of(feed, stop):
            begin = int(self.first[platform])
            groups = self.groups.get(platform, {(-1, -1): 0})
            points += [
                begin + nth
                for (of_route, of_trip), nth in groups.items()
                if route in (-1, of_route) and trip in (-1, of_trip)
            ]
        return points


def boarding_points(feed: Feed) -> BoardingPoints:
    """The boarding points of a feed.

    Parameters:
        feed: the feed.
    """
    groups = _groups(feed)
    count = np.ones(len(feed.stops), np.int64)
    for stop, of_stop in groups.items():
        count[stop] = len(of_stop)
    first = np.concatenate([[0], np.cumsum(count)])
    return BoardingPoints(first, np.repeat(np.arange(len(feed.stops), dtype=np.int32), count), groups)


def platforms_of(feed: Feed, stop: int) -> list[int]:
    """The stop itself, or all platforms of a station; none for no stop.

    Parameters:
        feed: the feed.
        stop: row of the stop, -1 for none.
    """
    if stop < 0:
        return []
    if feed.stops.kind[stop] != STATION:
        return [stop]
    return [int(row) for row in np.flatnonzero((feed.stops.parent == stop) & (feed.stops.kind == PLATFORM))]


def _groups(feed: Feed) -> dict[int, dict[Group, int]]:
    """Stops at which rules name routes or trips, with the groups of trips that are told apart there, numbered."""
    rules = feed.transfers.take(feed.transfers.kind < STAY_SEATED)
    named: dict[int, tuple[set[int], set[int]]] = {}
    sides = (
        (rules.from_stop, rules.from_route, rules.from_trip),
        (rules.to_stop, rules.to_route, rules.to_trip),
    )
    for stops, routes, trips in sides:
        for row in np.flatnonzero((routes >= 0) | (trips >= 0)).tolist():
            for platform in platforms_of(feed, int(stops[row])):
                of_stop = named.setdefault(platform, (set(), set()))
                of_stop[0].add(int(routes[row]))
                of_stop[1].add(int(trips[row]))
    trip, groups = feed.trip_of_call, {}
    for stop, of_stop in named.items():
        calling = np.unique(trip[feed.stop_times.stop == stop]).tolist()
        keys = {(-1, -1), *(_group(feed, row, *of_stop) for row in calling)}
        groups[stop] = {key: number for number, key in enumerate(sorted(keys))}
    return groups


def _group(feed: Feed, trip: int, routes: set[int], trips: set[int]) -> Group:
    """The group of a trip where rules name these routes and trips."""
    route = int(feed.trips.route[trip])
    return (route if route in routes else -1, trip if trip in trips else -1)
