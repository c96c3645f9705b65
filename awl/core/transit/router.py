"""A router by public transport: walks over the streets, rides by timetable, and what a window of departures comes to."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.network.network import Network
from awl.core.progress import Progress, raise_if_cancelled, threads_of
from awl.core.routing.cch.hierarchy import Hierarchy
from awl.core.routing.dijkstra.plain import Arrivals, costs_of, owners_of
from awl.core.routing.dijkstra.search import NO_LABEL, NO_LIMIT, OWNER_BITS, UNREACHED
from awl.core.routing.reach import Reach, reach_of
from awl.core.routing.router import Costs, HeadStart, StreetRouter
from awl.core.routing.snapping import Snapped
from awl.core.transit.first_mile import FirstMile
from awl.core.transit.scan import NEVER
from awl.core.transit.search import LONGEST_MS, Ends, TimetableSearch
from awl.core.transit.stops_on_streets import Near, StopsOnStreets
from awl.core.transit.window import Bounds, ReachSpread, Spread, Window
from awl.core.transit.windows import costs_at_ranks, labels_at_ranks, labels_of_single

CHUNK = 8192
"""Places that one thread looks at before the next takes over."""


@dataclass(frozen=True)
class _WindowSearch:
    """A search at some `ranks` of the departures, how often each state is reached, and the labels (s, d) of stops."""

    ranks: NDArray[np.int64]
    at_ranks: list[Arrivals]
    served: NDArray[np.float64]
    of_stop: NDArray[np.int64]


class TransitRouter:
    """Searches by public transport and on foot, never slower than on foot all the way.

    Parameters:
        street: finds walks; its network is that of the question.
        stops: the stops on its streets.
        search: searches the timetable of the day.
        window: when trips begin or end.
        bounds: how far one walks, and how often one changes.
        first: how one comes to the first stop beside on foot; on foot alone where None.
    """

    def __init__(
        self,
        street: StreetRouter,
        stops: StopsOnStreets,
        search: TimetableSearch,
        window: Window,
        bounds: Bounds,
        first: FirstMile | None = None,
    ) -> None:
        self.street, self.stops, self.search, self.window, self.bounds = street, stops, search, window, bounds
        self.first = first

    @property
    def network(self) -> Network:
        """The streets one walks on."""
        return self.street.network

    @property
    def hierarchy(self) -> Hierarchy | None:
        """What is prepared for walks."""
        return self.street.hierarchy

    @staticmethod
    def check_measure(measure: str) -> None:
        """Refuse to minimise anything but time.

        Parameters:
            measure: what is to be least.
        """
        if measure != "time":
            raise AwlError(
                "By public transport only time is counted",
                remedy="Ask for time, or choose another mode for distances",
                inputs=("measure",),
            )

    def at(self, window: Window) -> TransitRouter:
        """The same in another window of the same day.

        Parameters:
            window: when trips begin or end.
        """
        return TransitRouter(self.street, self.stops, self.search, window, self.bounds, self.first)

    def arrivals(
        self,
        places: Snapped,
        measure: str,
        direction: str = "from",
        limit: int = int(NO_LIMIT),
        head_start: HeadStart = None,
    ) -> Arrivals:
        """Times that a share of the departures keeps, from the nearest of the places to all of the network or the other way.

        Parameters:
            places: places put on streets (k,).
            measure: `time`; by public transport nothing else is minimised.
            direction: `from` or `to`: trips leave the places or lead to them.
            limit: the longest trip that counts, in ms.
            head_start: what is spent already (k,) at each place, in ms; nothing where None.
        """
        return self._search(places, measure, direction, limit, head_start, self.window.ranks[:1]).at_ranks[0]

    def reach(
        self,
        places: Snapped,
        measure: str,
        direction: str = "from",
        limit: int = int(NO_LIMIT),
        head_start: HeadStart = None,
    ) -> tuple[Arrivals, Reach]:
        """The same search, and what it reaches of every street, around stops too.

        At nodes the time of the share is exact. Along a street it is the lesser of coming from either end, which is never less.

        Parameters:
            places: places put on streets (k,).
            measure: `time`.
            direction: `from` or `to`: trips leave the places or lead to them.
            limit: the longest trip that counts, in ms.
            head_start: what is spent already (k,) at each place, in ms; nothing where None.
        """
        searched = self._search(places, measure, direction, limit, head_start, self.window.ranks[:1])
        return self._reach(searched, 0, places, direction, limit, head_start)

    def reach_spread(
        self,
        places: Snapped,
        direction: str = "from",
        limit: int = int(NO_LIMIT),
        head_start: HeadStart = None,
    ) -> ReachSpread:
        """The same at the share that counts, at the best, in the middle and at the worst, and how often all of it is reached.

        Parameters:
            places: places put on streets (k,).
            direction: `from` or `to`: trips leave the places or lead to them.
            limit: the longest trip that counts, in ms.
            head_start: what is spent already (k,) at each place, in ms; nothing where None.
        """
        ranks = self.window.ranks
        searched = self._search(places, "time", direction, limit, head_start, ranks)
        known: dict[int, tuple[Arrivals, Reach]] = {}
        for i, rank in enumerate(ranks.tolist()):
            if rank not in known:
                known[rank] = self._reach(searched, i, places, direction, limit, head_start)
        (arrivals, asked), *others = (known[rank] for rank in ranks.tolist())
        best, median, worst = (reach for _, reach in others)
        return ReachSpread(arrivals, asked, best, median, worst, searched.served, searched.of_stop)

    def served_at(
        self, spread: ReachSpread, others: Near, on_foot_ms: NDArray[np.float64], limit: int
    ) -> NDArray[np.float64]:
        """The share (o,) of the departures at which other places are reached within a limit.

        Parameters:
            spread: what is reached, as `reach_spread` searched it.
            others: the stops near the other places, as `near_others` gives them.
            on_foot_ms: how long each is on foot all the way (o,), infinity where there is no way.
            limit: the limit in ms.
        """
        on_foot = np.isfinite(on_foot_ms)
        ceiled = np.ceil(np.where(on_foot, on_foot_ms, 0)).astype(np.int64)
        direct = np.where(on_foot, ceiled << OWNER_BITS, NO_LABEL)
        count = len(direct)
        labels, served = np.empty((0, count), np.int64), np.empty(count, np.int32)
        rows, none = np.array([0, count]), np.zeros(0, np.int64)
        labels_at_ranks(
            rows,
            others.start,
            others.stop,
            others.ms,
            spread.of_stop,
            spread.of_stop.min(axis=1),
            direct,
            np.int64(limit),
            none,
            labels,
            served,
        )
        share: NDArray[np.float64] = served / len(self.window.at_ms)
        return share

    def begun(
        self, places: Snapped, measure: str, direction: str = "from", limit: int = int(NO_LIMIT)
    ) -> tuple[Snapped, Arrivals]:
        """The same search, and where walks begin: at the places, and at stops with what is spent until there.

        Parameters:
            places: places put on streets (k,).
            measure: `time`.
            direction: `from` or `to`: trips leave the places or lead to them.
            limit: the longest trip that counts, in ms.
        """
        searched = self._search(places, measure, direction, limit, None, self.window.ranks[:1])
        return self._begun(searched, 0, places, direction, limit, None)[:2]

    def _reach(
        self, searched: _WindowSearch, nth: int, places: Snapped, direction: str, limit: int, head_start: HeadStart
    ) -> tuple[Arrivals, Reach]:
        """The search at one of its ranks, and what it reaches."""
        everywhere, begun, whose = self._begun(searched, nth, places, direction, limit, head_start)
        reach = reach_of(self.network, everywhere, begun)
        return begun, replace(reach, owner_begin=whose[reach.owner_begin], owner_end=whose[reach.owner_end])

    def _begun(
        self, searched: _WindowSearch, nth: int, places: Snapped, direction: str, limit: int, head_start: HeadStart
    ) -> tuple[Snapped, Arrivals, NDArray[np.int32]]:
        """Where walks begin, the search, and the place that each of them belongs to, with -1 at the end."""
        doors, cost, owner = self._at_doors(searched.of_stop, direction, limit, int(searched.ranks[nth]))
        started = np.zeros(len(places.link), np.int32) if head_start is None else head_start
        everywhere = Snapped.joined([places, self.stops.snapped.take(doors)])
        begun = replace(searched.at_ranks[nth], head_start=np.concatenate([started, cost]).astype(np.int32))
        whose = np.concatenate([np.arange(len(places.link)), owner, [-1]]).astype(np.int32)
        return everywhere, begun, whose

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
        """Time (s, t) from every source to every target that a share of the departures keeps; no distance goes with it.

        Parameters:
            sources: starts put on streets (s,).
            targets: ends put on streets (t,).
            measure: `time`.
            limit: the longest trip that counts, in ms.
            threads: how many threads; as many as there are cores where None.
            progress: is told how far the work is, and stops it.
            carrying: not heeded: the second array holds no distances.
        """
        cost = self.between(sources, targets, measure, "from", limit, threads, progress)
        return cost, np.zeros(cost.shape if carrying else (0, 0), np.int64)

    def between(
        self,
        places: Snapped,
        others: Snapped,
        measure: str,
        direction: str,
        limit: int = int(NO_LIMIT),
        threads: int | None = None,
        progress: Progress | None = None,
        near_others: Near | None = None,
    ) -> NDArray[np.int32]:
        """Time (k, o) that a share of the departures keeps between places and others, `UNREACHED` where there is no way.

        The window is that of departures where trips go `from` the places, of arrivals where they go `to` them.

        Parameters:
            places: places put on streets (k,).
            others: other places put on streets (o,).
            measure: `time`.
            direction: `from` or `to`: trips leave the places or lead to them.
            limit: the longest trip that counts, in ms.
            threads: how many threads; as many as there are cores where None.
            progress: is told how far the work is, and stops it.
            near_others: the stops near the others where they are known, as `near_others` gives them.
        """
        self.check_measure(measure)
        ranks = self.window.ranks[:1]
        return self._between(places, others, direction, limit, ranks, threads, progress, near_others)[0][0]

    def spread(
        self,
        places: Snapped,
        others: Snapped,
        direction: str,
        limit: int = int(NO_LIMIT),
        threads: int | None = None,
        progress: Progress | None = None,
    ) -> Spread:
        """The same at the share that counts, at the best, in the middle and at the worst, and how often there is a way at all.

        Parameters:
            places: places put on streets (k,).
            others: other places put on streets (o,).
            direction: `from` or `to`: trips leave the places or lead to them.
            limit: the longest trip that counts, in ms.
            threads: how many threads; as many as there are cores where None.
            progress: is told how far the work is, and stops it.
        """
        costs, served = self._between(places, others, direction, limit, self.window.ranks, threads, progress, None)
        asked, best, median, worst = costs
        return Spread(asked, best, median, worst, served / len(self.window.at_ms))

    def spread_of_departures(self, source: Snapped, target: Snapped) -> NDArray[np.int32]:
        """Time (d,) in ms from one place to another at each departure, `UNREACHED` where there is no way.

        Parameters:
            source: a place put on streets.
            target: another.
        """
        departures = len(self.window.at_ms)
        direct = int(self.street.matrix(source, target, "time", carrying=False)[0][0, 0])
        begin, end = self.near(source, "from"), self.near_others(target, "from")
        of_stop = self._stop_times(begin, 0, "from", LONGEST_MS)[end.stop]
        rides = np.where(of_stop == NEVER, np.int64(UNREACHED), of_stop.astype(np.int64) + end.ms[:, None])
        walks = np.full((1, departures), direct, np.int64)
        return np.concatenate([rides, walks]).min(axis=0).astype(np.int32)

    def _between(
        self,
        places: Snapped,
        others: Snapped,
        direction: str,
        limit: int,
        ranks: NDArray[np.int64],
        threads: int | None,
        progress: Progress | None,
        near_others: Near | None,
    ) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
        """Times (r, k, o) at some ranks of the departures, and at how many (k, o) of them there is a way within the limit."""
        progress = progress or Progress()
        end = near_others or self.near_others(others, direction)
        ends = (places, others) if direction == "from" else (others, places)
        direct = self.street.matrix(*ends, "time", limit, threads, progress.part(0.0, 0.2), carrying=False)[0]
        direct = np.ascontiguousarray(direct if direction == "from" else direct.T)
        begin = self.near(places, direction)
        costs = np.full((len(direct), len(ranks), direct.shape[1]), UNREACHED, np.int32)
        served = np.zeros(direct.shape, np.int32)
        within = np.int32(min(limit, int(NO_LIMIT)))

        def one(row: int) -> None:
            of_stop = self._stop_times(begin, row, direction, limit)
            costs_at_ranks(
                end.start,
                end.stop,
                end.ms,
                of_stop,
                of_stop.min(axis=1),
                direct[row],
                within,
                ranks,
                costs[row],
                served[row],
            )

        with threads_of(threads) as pool:
            for done, _ in enumerate(pool.map(one, range(len(places.link))), 1):
                raise_if_cancelled()
                progress.step(0.2 + 0.8 * done / len(places.link), f"{done} of {len(places.link)} places")
        return costs.transpose(1, 0, 2), served

    def near_others(self, others: Snapped, direction: str) -> Near:
        """The stops near the other ends of trips.

        Parameters:
            others: places put on streets (o,).
            direction: `from` or `to`: whether trips lead to them or leave them.
        """
        return self.near(others, "to" if direction == "from" else "from")

    def near(self, places: Snapped, direction: str) -> Near:
        """The stops near places at which trips begin (`from`) or end (`to`), and how long it takes to or from each.

        Parameters:
            places: places put on streets.
            direction: `from` or `to`: whether trips leave them or lead to them.
        """
        if direction == "from" and self.first is not None:
            return self.first.near(places)
        return self.stops.near(places, direction, self.bounds.walk_ms)

    def ends_of(self, near: Near, row: int) -> Ends:
        """The boarding points near a place.

        Parameters:
            near: the stops near places.
            row: row of the place.
        """
        rows = slice(int(near.start[row]), int(near.start[row + 1]))
        first = self.search.timetable.points.first
        stop, ms = near.stop[rows], near.ms[rows]
        many = np.diff(first)[stop]
        row_of = np.repeat(np.arange(len(stop)), many)
        nth = np.arange(len(row_of)) - np.repeat(np.cumsum(many) - many, many)
        return Ends((first[stop[row_of]] + nth).astype(np.int32), ms[row_of])

    def _stop_times(self, near: Near, row: int, direction: str, limit: int) -> NDArray[np.int32]:
        """Time (s, d) between one place and each stop at each departure, `NEVER` for none."""
        first, ends = self.search.timetable.points.first, self.ends_of(near, row)
        longest = min(limit, LONGEST_MS)
        if len(ends.point) == 0 or len(self.search.timetable.connections.run) == 0:
            return np.full((len(first) - 1, len(self.window.at_ms)), NEVER, np.int32)
        times = self.search.durations(ends, self.window.at_ms, direction, longest, self.bounds.changes)
        if len(times) == len(first) - 1:
            return np.ascontiguousarray(times)
        least: NDArray[np.int32] = np.minimum.reduceat(times, first[:-1], axis=0)
        return least

    def _search(
        self,
        places: Snapped,
        measure: str,
        direction: str,
        limit: int,
        head_start: HeadStart,
        ranks: NDArray[np.int64],
    ) -> _WindowSearch:
        self.check_measure(measure)
        on_foot = self.street.arrivals(places, "time", direction, limit, head_start)
        near = self.near(places, direction)
        departures = len(self.window.at_ms)
        of_stop = np.full((len(self.stops.feed.stops), departures), NO_LABEL)
        for row in np.flatnonzero(places.is_snapped).tolist():
            spent = 0 if head_start is None else int(head_start[row])
            times = self._stop_times(near, row, direction, limit - spent)
            label = np.where(times == NEVER, NO_LABEL, ((times.astype(np.int64) + spent) << OWNER_BITS) | row)
            np.minimum(of_stop, label, out=of_stop)
        if direction == "to" and self.first is not None:
            states = self.first.states_near()
        else:
            states = self.stops.states_near(direction, self.bounds.walk_ms)
        count = len(on_foot.label)
        labels, served = np.empty((len(ranks), count), np.int64), np.empty(count, np.int32)
        within, least = np.int64(min(limit, int(NO_LIMIT))), of_stop.min(axis=1)
        soonest = of_stop[:, 0]
        owner = owners_of(soonest) if len(places.link) > 1 else np.zeros(1, np.int32)
        single = np.minimum(costs_of(soonest), NEVER), owner

        def label_block(begin: int) -> None:
            rows = np.array([begin, min(begin + CHUNK, count)])
            if departures == 1:
                walks = states.start, states.stop, states.ms
                labels_of_single(rows, *walks, *single, on_foot.label, within, labels[0], served)
                return
            labels_at_ranks(
                rows, states.start, states.stop, states.ms, of_stop, least, on_foot.label, within, ranks, labels, served
            )

        with threads_of(None) as pool:
            for _ in pool.map(label_block, range(0, count, CHUNK)):
                raise_if_cancelled()
        if departures == 1:
            labels[1:] = labels[0]
        at_ranks = [replace(on_foot, label=label) for label in labels]
        return _WindowSearch(ranks, at_ranks, served / departures, of_stop)

    def _at_doors(
        self, of_stop: NDArray[np.int64], direction: str, limit: int, rank: int
    ) -> tuple[NDArray[np.int64], NDArray[np.int32], NDArray[np.int32]]:
        """Rows among the doors on streets that are reached at a rank of the departures, when, and from which place."""
        doors = self.stops.doors
        more = doors.outward_ms if direction == "from" else doors.inward_ms
        row = self.stops.row_of_door
        usable = (more >= 0) & (row >= 0)
        usable[usable] &= self.stops.snapped.is_snapped[row[usable]]
        label = of_stop[doors.platform[usable]]
        label = np.where(label == NO_LABEL, NO_LABEL, label + (more[usable].astype(np.int64)[:, None] << OWNER_BITS))
        best = np.full((len(self.stops.door_stops), label.shape[1]), NO_LABEL)
        np.minimum.at(best, row[usable], label)
        at_rank = np.sort(best, axis=1)[:, rank]
        known = np.flatnonzero((at_rank != NO_LABEL) & (at_rank >> OWNER_BITS <= limit))
        cost = (at_rank[known] >> OWNER_BITS).astype(np.int32)
        return known, cost, (at_rank[known] & ((1 << OWNER_BITS) - 1)).astype(np.int32)
