"""The way from home to the first stop by another mode: a bicycle left at the stop, or a car left at a place to park.

Only trips begin so. Between stops and from the last one everybody walks, and who can walk to a stop still may.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.graph.shapes import point_at
from awl.core.graph.street_graph import StreetGraph
from awl.core.progress import threads_of
from awl.core.routing.access_points import expanded
from awl.core.routing.dijkstra import plain
from awl.core.routing.dijkstra.search import UNREACHED
from awl.core.routing.path import StreetLeg
from awl.core.routing.router import StreetRouter
from awl.core.routing.snapping import ON_STREET, Snapped, Snapper
from awl.core.transit.stops_on_streets import CELLS, MANY_PLACES, MOST_PAIRS, Near, StopsOnStreets

NEAR_M = 100.0
"""How far the other mode's street may lie from where somebody lives or parks, in metres."""


@dataclass(frozen=True)
class Parking:
    """Places (p,) at which the vehicle is left, in degrees, with what each is called; from there one walks to stops."""

    lon: NDArray[np.float64]
    lat: NDArray[np.float64]
    names: list[str]


@dataclass(frozen=True)
class _Goals:
    """Where the vehicle is left: places on its streets, and the stops behind each with how long it takes from there."""

    places: Snapped
    stops: Near


@dataclass(frozen=True)
class FirstLeg:
    """A way by the other mode that takes `takes_ms` to where the vehicle is left, and `then_ms` from there to the stop.

    `left_at` is the row of the place to park, or of the door of the stop.
    """

    path: StreetLeg
    takes_ms: int
    then_ms: int
    left_at: int


class FirstMile:
    """The stops that can be reached from where trips begin.

    Who sets out from a crossing that the other mode does not pass is told the walk alone on maps of reach.

    Parameters:
        router: finds ways of the other mode.
        snapper: puts places on its streets.
        stops: the stops on the streets one walks on.
        walking: puts places to park on those.
        limit_ms: the longest way by the other mode.
        walk_ms: the longest walk.
        parking: where the vehicle is left; at the stops themselves where None.
    """

    def __init__(
        self,
        router: StreetRouter,
        snapper: Snapper,
        stops: StopsOnStreets,
        walking: Snapper,
        limit_ms: int,
        walk_ms: int,
        parking: Parking | None = None,
    ) -> None:
        self.router, self._snapper, self._stops = router, snapper, stops
        self._limit_ms, self._walk_ms, self.parking = limit_ms, walk_ms, parking
        self.walking = walking
        self._goals = self._at_doors() if parking is None else self._at_parking(parking)
        self._states: Near | None = None

    def _at_doors(self) -> _Goals:
        """The doors of stops on the streets of the other mode, with the ways inside behind them."""
        stops, feed = self._stops, self._stops.feed
        doors = self._snapper.snap(feed.stops.lon[stops.door_stops], feed.stops.lat[stops.door_stops], NEAR_M)
        row, usable = stops.row_of_door, (stops.doors.inward_ms >= 0) & (stops.row_of_door >= 0)
        pairs = stops.doors
        near = Near.of(row[usable], pairs.platform[usable], pairs.inward_ms[usable], len(stops.door_stops))
        return _Goals(doors, near)

    def _at_parking(self, parking: Parking) -> _Goals:
        """Places to park on the streets of the other mode, with the stops one can walk to from them."""
        on_foot = self.walking.snap(parking.lon, parking.lat, NEAR_M)
        return _Goals(
            self._snapper.snap(parking.lon, parking.lat, NEAR_M), self._stops.near(on_foot, "from", self._walk_ms)
        )

    def near(self, places: Snapped) -> Near:
        """The stops within reach of each place, on foot or by the other mode, and how long it takes.

        Parameters:
            places: places put on the streets one walks on (k,).
        """
        on_foot = self._stops.near(places, "from", self._walk_ms)
        begin, gap_ms = self._moved(places)
        if len(places.link) > MANY_PLACES:
            self.router.prepared()
        none = np.zeros(0, np.int32)
        parts: list[tuple[NDArray[np.integer], NDArray[np.int32], NDArray[np.int32]]] = [
            (np.repeat(np.arange(len(places.link)), np.diff(on_foot.start)), on_foot.stop, on_foot.ms), (none, none, none)
        ]  # fmt: skip
        size = max(1, CELLS // max(len(self._goals.places.link), 1))
        for first in range(0, len(places.link), size):
            rows = np.arange(first, min(first + size, len(places.link)))
            cost = self.router.matrix(begin.take(rows), self._goals.places, "time", self._limit_ms, carrying=False)[0]
            place, goal = np.nonzero(cost != UNREACHED)
            stop, ms, nth = self._behind(goal, cost[place, goal])
            ms = ms + gap_ms[place[nth] + first]
            within = cost[place, goal][nth] + gap_ms[place[nth] + first] <= self._limit_ms
            parts.append((place[nth][within] + first, stop[within], ms[within]))
        place, stop, ms = (np.concatenate(column) for column in zip(*parts, strict=True))
        return Near.of(place, stop.astype(np.int32), ms.astype(np.int32), len(places.link))

    def leg(self, place: Snapped, stop: int) -> FirstLeg | None:
        """The quickest way from one place to a stop by the other mode; None where there is none.

        Parameters:
            place: a place put on the streets one walks on.
            stop: row of the stop.
        """
        goals, (begin, gap_ms) = self._goals, self._moved(place)
        pairs = np.flatnonzero(goals.stops.stop == stop)
        goal = np.searchsorted(goals.stops.start, pairs, side="right") - 1
        if len(goal) == 0:
            return None
        cost = self.router.matrix(begin, goals.places.take(goal), "time", self._limit_ms, carrying=False)[0][0]
        total = np.where(cost == UNREACHED, np.iinfo(np.int64).max, cost.astype(np.int64) + goals.stops.ms[pairs])
        best = int(np.argmin(total))
        if cost[best] == UNREACHED:
            return None
        ends = Snapped.joined([begin, goals.places.take(goal[best : best + 1])])
        path = self.router.path(ends, 0, 1, "time")
        if path is None:
            return None
        return FirstLeg(path.legs[0], int(cost[best] + gap_ms[0]), int(goals.stops.ms[pairs[best]]), int(goal[best]))

    def _behind(
        self, goal: NDArray[np.integer], cost: NDArray[np.integer]
    ) -> tuple[NDArray[np.int32], NDArray[np.int32], NDArray[np.int64]]:
        """Stops (w,) behind goals (n,), the time with what it takes to get to the goal, and the row of the goal."""
        behind = self._goals.stops
        pair, nth = expanded(behind.start, np.arange(len(behind.stop)), goal)
        return behind.stop[pair], (cost[nth] + behind.ms[pair]).astype(np.int32), nth

    def _moved(self, places: Snapped) -> tuple[Snapped, NDArray[np.int32]]:
        """Places on the streets of the other mode, and the walk (k,) to there from those one walks on, straight."""
        lon, lat = places.lon.copy(), places.lat.copy()
        unknown = np.flatnonzero((places.status == ON_STREET) & ~np.isfinite(lon))
        if len(unknown):
            graph = self._stops.router.network.graph
            lon[unknown], lat[unknown] = point_at(graph, places.link[unknown], places.fraction[unknown])
        moved = self._snapper.snap(lon, lat, NEAR_M)
        metres = np.where(moved.is_snapped, moved.distance_m, 0.0)
        return moved, np.rint(metres / self._stops.router.network.mode.top_speed * 3600).astype(np.int32)

    def states_near(self) -> Near:
        """The stops within reach of each state of the network one walks on, kept once found."""
        if self._states is None:
            self._states = self._states_near()
        return self._states

    def _states_near(self) -> Near:
        walking, other = self._stops.router.network, self.router.network
        twin = _twins(walking.graph, other.graph)
        on_foot = self._stops.states_near("to", self._walk_ms)
        goals = self._goals
        usable = np.flatnonzero(goals.places.is_snapped & (np.diff(goals.stops.start) > 0))

        def around(goal: int) -> tuple[NDArray[np.int64], NDArray[np.int32], NDArray[np.int32]]:
            """States from which a goal is reached, with each stop behind it and the time."""
            place = goals.places.take(np.array([goal]))
            at_node = np.append(plain.arrivals(other, place, "time", "to", self._limit_ms).cost, UNREACHED)
            cost = at_node[twin][walking.states.node]
            states = np.flatnonzero(cost != UNREACHED)
            stop, ms, nth = self._behind(np.full(len(states), goal), cost[states])
            return states[nth], stop, ms

        states, stops, times = (
            [np.repeat(np.arange(walking.states.count), np.diff(on_foot.start))],
            [on_foot.stop],
            [on_foot.ms],
        )
        pairs = len(on_foot.stop)
        with threads_of(None) as pool:
            for state, stop, ms in pool.map(around, usable.tolist()):
                states.append(state)
                stops.append(stop)
                times.append(ms)
                pairs += len(state)
                if pairs > MOST_PAIRS:
                    pool.shutdown(cancel_futures=True)
                    raise AwlError(
                        "So many stops can be reached by the first mode that they cannot be kept",
                        remedy="Give the mode a shorter way to the first stop (first_min), or places to park",
                        inputs=("mode",),
                    )
        return Near.of(
            np.concatenate(states), np.concatenate(stops).astype(np.int32), np.concatenate(times), walking.states.count
        )


def _twins(graph: StreetGraph, other: StreetGraph) -> NDArray[np.int64]:
    """For each node of a graph (n,) one of another at the same place, the number of its nodes for none."""
    if graph is other:
        return np.arange(graph.node_count)
    places = np.concatenate([graph.node_lon + 1j * graph.node_lat, other.node_lon + 1j * other.node_lat])
    _, place = np.unique(places, return_inverse=True)
    first = np.full(int(place.max(initial=-1)) + 1, other.node_count, np.int64)
    first[place[graph.node_count :][::-1]] = np.arange(other.node_count)[::-1]
    return first[place[: graph.node_count]]
