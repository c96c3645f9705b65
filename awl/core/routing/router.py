"""Routers answer how long it takes and which way leads there: what questions ask, whatever searches behind it."""

from __future__ import annotations

import threading
from collections.abc import Sequence
from datetime import datetime
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from awl.core.network.costs import LEAST_TIME
from awl.core.network.network import Network
from awl.core.progress import Progress
from awl.core.routing.cch.hierarchy import Hierarchy
from awl.core.routing.cch.hourly_arrivals import arrivals_by_hour
from awl.core.routing.cch.hourly_matrix import matrix_by_hour
from awl.core.routing.cch.many_to_many import ManyToMany, swept
from awl.core.routing.cch.paths import PathBatch, trips_between
from awl.core.routing.dijkstra import plain as query
from awl.core.routing.dijkstra.plain import Arrivals
from awl.core.routing.dijkstra.search import NO_LIMIT
from awl.core.routing.dijkstra.time_dependent import best_leg_by_clock, bounds_of
from awl.core.routing.path import Path, StreetLeg
from awl.core.routing.reach import Reach, reach_of
from awl.core.routing.simd.lanes import LANES
from awl.core.routing.snapping import Snapped

Costs = tuple[NDArray[np.int32], NDArray[np.int64]]
HeadStart = NDArray[np.int32] | None
"""What has been spent at each place (k,) before a search begins there, in ms, mm or 1/1000 of a given cost."""


class PathFinder(Protocol):
    """What finds how one gets from one place to another."""

    def path(self, places: Snapped, source: int, target: int, measure: str) -> Path | None:
        """The path of least cost between two of the places; None where there is none.

        Parameters:
            places: places put on streets (k,).
            source: row of the place where it begins.
            target: row of the place where it ends.
            measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
        """


class Router(PathFinder, Protocol):
    """What can be asked between places. Costs are whole thousandths: ms, mm or 1/1000 of a given cost.

    Every search can be cancelled: it looks at the work it belongs to (`awl.core.progress`) and raises where that was stopped.
    """

    @property
    def network(self) -> Network:
        """The network it searches."""

    def arrivals(
        self,
        places: Snapped,
        measure: str,
        direction: str = "from",
        limit: int = int(NO_LIMIT),
        head_start: HeadStart = None,
    ) -> Arrivals:
        """From the nearest of the places to all of the network, or from all of it to the nearest.

        Parameters:
            places: places put on streets (k,).
            measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
            direction: `from` or `to`: trips leave the places or lead to them.
            limit: the highest cost that counts, in ms or mm.
            head_start: what is spent already (k,) at each place, in ms or mm; nothing where None.
        """

    def reach(
        self,
        places: Snapped,
        measure: str,
        direction: str = "from",
        limit: int = int(NO_LIMIT),
        head_start: HeadStart = None,
    ) -> tuple[Arrivals, Reach]:
        """The same search, and what it reaches of every street.

        Parameters:
            places: places put on streets (k,).
            measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
            direction: `from` or `to`: trips leave the places or lead to them.
            limit: the highest cost that counts, in ms or mm.
            head_start: what is spent already (k,) at each place, in ms or mm; nothing where None.
        """

    def matrix(
        self,
        sources: Snapped,
        targets: Snapped,
        measure: str,
        limit: int = int(NO_LIMIT),
        threads: int | None = None,
        progress: Progress | None = None,
        carrying: bool = True,
    ) -> Costs:
        """Cost and accumulated cost from every source to every target.

        Parameters:
            sources: starts put on streets (s,).
            targets: ends put on streets (t,).
            measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
            limit: the highest cost that counts, in ms or mm.
            threads: how many threads; as many as there are cores where None.
            progress: is told how far the work is, and stops it.
            carrying: whether to sum up the accumulated cost as well.
        """


class StreetRouter:
    """Searches on the network of a mode: on a hierarchy once one is prepared, plainly until then.

    Parameters:
        network: the network to search.
        hierarchy: what was prepared for it.
        free: the router in free flow, of a network at an hour: it bounds searches by the clock.
    """

    def __init__(self, network: Network, hierarchy: Hierarchy | None = None, free: StreetRouter | None = None) -> None:
        self.network, self.hierarchy, self._free = network, hierarchy, free

    def on(self, network: Network) -> StreetRouter:
        """The router of another network on the same streets; it shares what is prepared and does not depend on costs.

        Parameters:
            network: the streets of a mode, at a time and with closures.
        """
        if network is self.network:
            return self
        high = None if self.hierarchy is None else self.hierarchy.fresh(self.network)
        free = self if network.when is not None and self.network.when is None else self._free
        return StreetRouter(network, high, free)

    def prepared(self) -> Hierarchy:
        """The hierarchy, made now where there is none."""
        if self.hierarchy is None:
            self.hierarchy = Hierarchy.of(self.network)
        return self.hierarchy

    def _ready(self, measure: str) -> Hierarchy | None:
        high = self.hierarchy
        return high if high is not None and high.ready(measure) else None

    def arrivals(
        self,
        places: Snapped,
        measure: str,
        direction: str = "from",
        limit: int = int(NO_LIMIT),
        head_start: HeadStart = None,
    ) -> Arrivals:
        """Search from the nearest of the places to all of the network, or from all of it to the nearest.

        Parameters:
            places: where trips begin, or end.
            measure: what is least: `time`, `distance` or a given cost.
            direction: `from` or `to` the places.
            limit: in ms, mm or 1/1000 of a given cost, what trips cost at their ends and head starts included.
            head_start: (k,) what has been spent at each place before the search begins there.

        Returns:
            Cost of every state of the network, and the place it belongs to.
        """
        if (high := self._ready(measure)) is None:
            return query.arrivals(self.network, places, measure, direction, limit, head_start=head_start)
        terminals = query.terminals_of(self.network, places, measure, direction, head_start)
        label = swept(high, self.network, terminals, measure, direction, min(limit, int(NO_LIMIT)))
        return Arrivals(
            self.network, measure, direction, label, np.zeros(0, np.int64), np.zeros(0, np.int32), head_start
        )

    def reach(
        self,
        places: Snapped,
        measure: str,
        direction: str = "from",
        limit: int = int(NO_LIMIT),
        head_start: HeadStart = None,
    ) -> tuple[Arrivals, Reach]:
        """Search as `arrivals` does, and tell what is reached of every street, exact between its ends.

        Parameters:
            places, measure, direction, limit, head_start: as in `arrivals`.

        Returns:
            The search, and the pieces of links that were come to, with the arrival at each point of them.
        """
        arrivals = self.arrivals(places, measure, direction, limit, head_start)
        return arrivals, reach_of(self.network, places, arrivals)

    def begun(
        self, places: Snapped, measure: str, direction: str = "from", limit: int = int(NO_LIMIT)
    ) -> tuple[Snapped, Arrivals]:
        """The search of `arrivals`, and where it begins: at the places.

        Parameters:
            places, measure, direction, limit: as in `arrivals`.
        """
        return places, self.arrivals(places, measure, direction, limit)

    def matrix(
        self,
        sources: Snapped,
        targets: Snapped,
        measure: str,
        limit: int = int(NO_LIMIT),
        threads: int | None = None,
        progress: Progress | None = None,
        carrying: bool = True,
    ) -> Costs:
        """Cost and accumulated cost (s, t) from every source to every target, `UNREACHED` where there is no way.

        Parameters:
            sources, targets: where trips begin and end.
            measure: what is least.
            limit: beyond it there is no way; what trips cost at their ends counts.
            threads: as many as there are cores where nothing is said.
            progress: told how far the work is.
            carrying: whether accumulated costs are wanted; the second array is empty otherwise.
        """
        high = self.hierarchy
        if high is None or not (high.ready(measure) or int((sources.link >= 0).sum()) >= LANES):
            return query.matrix(self.network, sources, targets, measure, limit, threads, progress, carrying)

        def climbing(
            network: Network,
            ends: tuple[Snapped, Snapped],
            measure: str,
            within: int,
            threads: int | None,
            progress: Progress,
        ) -> Costs:
            return ManyToMany(high, network, ends, measure, carrying).costs(within, threads, progress)

        return query.matrix(self.network, sources, targets, measure, limit, threads, progress, carrying, climbing)

    def path(self, places: Snapped, source: int, target: int, measure: str) -> Path | None:
        """The path of least cost from one place to another.

        Parameters:
            places: the places.
            source, target: rows of the place it begins and the one it ends at.
            measure: what is least.

        Returns:
            One leg on streets; None where there is no way.
        """
        if (high := self._ready(measure)) is None:
            leg = query.best_leg(self.network, places, source, target, measure)
        else:
            a, b = places.take(np.array([source])), places.take(np.array([target]))
            leg = trips_between(high, self.network, a, b, measure).leg(0)
        return _alone(leg)

    def departing(self, depart_ms: float) -> PathFinder:
        """What finds paths for those who set out at `depart_ms` since midnight, at speeds that change on the way.

        Parameters:
            depart_ms: time of departure, in ms since midnight.
        """
        return _Departing(self, self._free, depart_ms)

    def trips(
        self,
        sources: Snapped,
        targets: Snapped,
        measure: str,
        threads: int | None = None,
        progress: Progress | None = None,
    ) -> PathBatch:
        """The path from each source to the target of the same row.

        Parameters:
            sources: starts put on streets (s,).
            targets: ends put on streets (t,).
            measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
            threads: how many threads; as many as there are cores where None.
            progress: is told how far the work is, and stops it.
        """
        return trips_between(self.prepared(), self.network, sources, targets, measure, threads, progress)

    def matrix_by_hour(
        self,
        networks: Sequence[Network],
        sources: Snapped,
        targets: Snapped,
        threads: int | None = None,
        progress: Progress | None = None,
    ) -> NDArray[np.int32]:
        """Times in ms (h, s, t) on networks of the same streets at up to sixteen hours.

        Parameters:
            networks: networks of the same streets, one for each hour.
            sources: starts put on streets (s,).
            targets: ends put on streets (t,).
            threads: how many threads; as many as there are cores where None.
            progress: is told how far the work is, and stops it.
        """
        return matrix_by_hour(self.prepared(), networks, sources, targets, threads, progress)

    def reach_by_hour(
        self, networks: Sequence[Network], places: Snapped, direction: str = "from"
    ) -> list[tuple[Arrivals, Reach]]:
        """Reach by time on networks of the same streets at up to sixteen hours.

        Parameters:
            networks: networks of the same streets, one for each hour.
            places: places put on streets (k,).
            direction: `from` or `to`: trips leave the places or lead to them.
        """
        arrivals = arrivals_by_hour(self.prepared(), networks, places, direction)
        return [(one, reach_of(network, places, one)) for network, one in zip(networks, arrivals, strict=True)]


class _Departing:
    """Earliest arrivals from one time on; costs other than time do not depend on it."""

    def __init__(self, router: StreetRouter, free: StreetRouter | None, depart_ms: float) -> None:
        self._router, self._free, self._depart_ms = router, free, depart_ms

    def path(self, places: Snapped, source: int, target: int, measure: str) -> Path | None:
        """The path of earliest arrival, or of least cost where that is no time.

        Parameters:
            places: places put on streets (k,).
            source: row of the place where it begins.
            target: row of the place where it ends.
            measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
        """
        if measure != "time":
            return self._router.path(places, source, target, measure)
        least = None
        if self._free is not None and self._free.hierarchy is not None:
            self._free.hierarchy.metric(self._free.network, LEAST_TIME)
            least = bounds_of(self._free.arrivals(places.take(np.array([target])), LEAST_TIME, "to").label)
        return _alone(best_leg_by_clock(self._router.network, places, source, target, self._depart_ms, least))


def _alone(leg: StreetLeg | None) -> Path | None:
    """A path of one leg."""
    return None if leg is None else Path((leg,))


class RouterCache:
    """The routers of one mode: in free flow, and at the times last asked for.

    Parameters:
        free: the router in free flow.
        most: how many others are kept.
    """

    def __init__(self, free: StreetRouter, most: int = 6) -> None:
        self.free, self._most = free, most
        self._at: dict[datetime, StreetRouter] = {}
        self._lock = threading.Lock()

    def at(self, when: datetime | None) -> StreetRouter:
        """The router at a local date and time; None is free flow.

        Parameters:
            when: local date and time; None is free flow.
        """
        if when is None:
            return self.free
        with self._lock:
            router = self._at.get(when)
            if router is None or (router.hierarchy is None and self.free.hierarchy is not None):
                while len(self._at) >= self._most:
                    del self._at[next(iter(self._at))]
                router = self._at[when] = self.free.on(self.free.network.at(when))
            return router
