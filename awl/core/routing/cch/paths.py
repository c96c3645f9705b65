"""Many trips at once, each from a place of its own to a place of its own: costs and ways."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from awl.core.network.network import Network
from awl.core.progress import Progress, raise_if_cancelled, threads_of
from awl.core.routing.access_points import AccessPoints, along_link, expanded
from awl.core.routing.cch.hierarchy import Hierarchy
from awl.core.routing.cch.many_to_many import WORTH_TRIMMING, alike, at_once, ranked
from awl.core.routing.cch.point_to_point import Ends, scratch_for, ways_of_pairs
from awl.core.routing.dijkstra.search import NO_LIMIT, UNREACHED
from awl.core.routing.path import ArcLists, StreetLeg, accumulated_with
from awl.core.routing.snapping import Snapped
from awl.core.routing.terminals import Terminals, entering, leaving

Ints = NDArray[np.int32]
Longs = NDArray[np.int64]
BLOCK = 512
"""Trips that are searched between two looks at the progress."""
NO_WAY, OVER_STEPS, AT_ONCE, ALONG_LINK = 0, 1, 2, 3


@dataclass(frozen=True)
class PathBatch:
    """Best ways of trips (k,): cost and accumulated cost without what a trip costs at its ends, -1 where there is no way.

    Arcs of trip i, in travel order, are `arc[start[i]:start[i + 1]]`, with the delay in ms before each; `begin` and `end` are
    the fractions of its first and last link at which it begins and ends. `access_share` (2, k) is the way to the first link and
    from the last, as shares of their lengths, where these are not the nearest ones. `mode` is the id of who makes them.
    """

    mode: str
    cost: Longs
    accumulated: Longs
    start: Longs
    arc: Ints
    delay_ms: Ints
    begin: NDArray[np.float64]
    end: NDArray[np.float64]
    access_share: NDArray[np.float64]

    @classmethod
    def joined(cls, parts: Sequence[PathBatch]) -> PathBatch:
        """The ways of several, one after another.

        Parameters:
            parts: ways of one mode, one part at least.
        """
        if len(parts) == 1:
            return parts[0]
        counts = np.concatenate([np.zeros(1, np.int64), *(np.diff(part.start) for part in parts)])
        cost, accumulated, arc, delay, begin, end = (
            np.concatenate([getattr(part, name) for part in parts])
            for name in ("cost", "accumulated", "arc", "delay_ms", "begin", "end")
        )
        access_share = np.concatenate([part.access_share for part in parts], axis=1)
        return cls(parts[0].mode, cost, accumulated, np.cumsum(counts), arc, delay, begin, end, access_share)

    def take(self, rows: NDArray[np.integer]) -> PathBatch:
        """Some of the ways, in this order.

        Parameters:
            rows: rows (n,) of the ways, -1 for a trip that has none.
        """
        known = rows >= 0
        if len(self.cost) == 0:
            none = np.zeros(len(rows))
            return PathBatch(
                self.mode, np.full(len(rows), -1), none.astype(np.int64), np.zeros(len(rows) + 1, np.int64), self.arc,
                self.delay_ms, none, none, np.zeros((2, len(rows))),
            )  # fmt: skip
        at = np.maximum(rows, 0)
        counts = np.where(known, self.start[at + 1] - self.start[at], 0)
        start = np.concatenate([[0], np.cumsum(counts)])
        row = np.repeat(self.start[at], counts) + np.arange(start[-1]) - np.repeat(start[:-1], counts)
        return PathBatch(
            self.mode, np.where(known, self.cost[at], -1), np.where(known, self.accumulated[at], 0), start, self.arc[row],
            self.delay_ms[row], self.begin[at], self.end[at], self.access_share[:, at],
        )  # fmt: skip

    def leg(self, i: int) -> StreetLeg | None:
        """One of the ways.

        Parameters:
            i: the row of the path.
        """
        if self.cost[i] < 0:
            return None
        arc, delay = (column[self.start[i] : self.start[i + 1]] for column in (self.arc, self.delay_ms))
        f, g = float(self.begin[i]), float(self.end[i])
        # A trip within one link may go against its drawing; one that ends where it begins goes along it.
        along = np.array([g >= f]) if len(arc) == 1 else (arc & 1) == 0
        access_share = float(self.access_share[0, i]), float(self.access_share[1, i])
        return StreetLeg(
            self.mode,
            arc >> 1,
            along,
            delay,
            f,
            g,
            int(self.cost[i]),
            int(self.accumulated[i]),
            access_share=access_share,
        )


def trips_between(
    hierarchy: Hierarchy,
    network: Network,
    sources: Snapped,
    targets: Snapped,
    measure: str,
    threads: int | None = None,
    progress: Progress | None = None,
) -> PathBatch:
    """The best way from each source to the target of the same row.

    Parameters:
        hierarchy: the contraction hierarchy of the network's states.
        network: the streets of a mode, at a time and with closures.
        sources: starts put on streets (s,).
        targets: ends put on streets (t,).
        measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
        threads: how many threads; as many as there are cores where None.
        progress: is told how far the work is, and stops it.
    """
    blocks = _blocks(hierarchy, network, (sources, targets), measure, threads, progress)
    parts = [block.trips() for block in blocks]
    return PathBatch.joined(parts)


class _Block:
    """Some of the trips: searched when made."""

    def __init__(
        self,
        hierarchy: Hierarchy,
        network: Network,
        ends: tuple[Snapped, Snapped],
        measure: str,
    ) -> None:
        accumulated = accumulated_with(measure)
        self._network, self._carried = network, accumulated
        self._stands = ends[0].access_points, ends[1].access_points
        self._first = leaving(ends[0], network, measure, accumulated)
        self._goals = entering(ends[1], network, measure, accumulated)
        count = len(ends[0].link)
        self._sources, rank, self._onto = ranked(hierarchy, network, self._first, measure)
        topology = hierarchy.topology
        reduced, ways = hierarchy.reduced(network, measure), hierarchy.unpacking(network, measure, accumulated)
        begins = Ends(self._sources.starts(count), rank, self._sources.cost.astype(np.int64))
        goal_rank = hierarchy.topology.rank[self._goals.state]
        arrive = Ends(self._goals.starts(count), goal_rank, self._goals.cost.astype(np.int64))
        scratch = scratch_for(hierarchy.topology.count)
        self._ways = ways_of_pairs(topology, reduced, ways, begins, arrive, scratch)
        self.cost = np.where(self._ways.cost <= NO_LIMIT, self._ways.cost, -1)
        self.kind = np.where(self.cost >= 0, OVER_STEPS, NO_WAY)
        served = np.maximum(self._ways.seed, 0), np.maximum(self._ways.goal, 0)
        self.accumulated = np.zeros(count, np.int64)
        if len(self._sources.cost) and len(self._goals.cost):
            total = self._ways.accumulated + self._sources.accumulated[served[0]] + self._goals.accumulated[served[1]]
            self.accumulated = np.where(self.cost >= 0, total, 0)
        self._pair = np.full((2, count), -1, np.int64)
        self._try_at_once(hierarchy)
        self._try_along_links(measure)

    def _better(self, trip: Longs, cost: Longs, accumulated: Longs, kind: int) -> NDArray[np.bool_]:
        """Put other ways of some trips in where they cost no more; which ones do."""
        better = (self.cost[trip] < 0) | (cost <= self.cost[trip])
        at = trip[better]
        self.cost[at], self.accumulated[at], self.kind[at] = cost[better], accumulated[better], kind
        return better

    def _try_at_once(self, hierarchy: Hierarchy) -> None:
        """From a node onto a link that begins there, where no step leads to the state in which the trip begins."""
        a, b = at_once(hierarchy.topology.rank, self._first, self._goals)
        same_link = self._first.owner[a] == self._goals.owner[b]
        a, b = a[same_link], b[same_link]
        cost = self._first.cost[a].astype(np.int64) + self._goals.cost[b]
        order = np.argsort(-cost, kind="stable")  # the least is put in last
        a, b, cost = a[order], b[order], cost[order]
        trip = self._first.owner[a]
        better = self._better(trip, cost, self._first.accumulated[a] + self._goals.accumulated[b], AT_ONCE)
        self._pair[:, trip[better]] = a[better], b[better]

    def _try_along_links(self, measure: str) -> None:
        """Along one link without leaving it."""
        first, last = self._stands
        a, b = alike(_keyed(first), _keyed(last))
        _, cost, accumulated = along_link(self._network, (first.take(a), last.take(b)), measure)
        usable = cost != UNREACHED
        a, b, cost, accumulated = a[usable], b[usable], cost[usable], accumulated[usable]
        order = np.argsort(-cost, kind="stable")  # the least is put in last
        a, b = a[order], b[order]
        trip = first.place[a]
        better = self._better(trip, cost[order], accumulated[order], ALONG_LINK)
        self._pair[:, trip[better]] = a[better], b[better]

    def trips(self) -> PathBatch:
        """The ways in full."""
        steps, onto, all_steps = self._ways, self._onto, self._network.states.steps
        over, once, along = (np.flatnonzero(self.kind == kind) for kind in (OVER_STEPS, AT_ONCE, ALONG_LINK))
        source, goal = steps.seed[over], steps.goal[over]
        first = (onto[source] >= 0).astype(np.int64)
        listed = np.diff(steps.start)[over] if len(steps.start) > 1 else np.zeros(len(over), np.int64)
        counts = np.zeros(len(self.kind), np.int64)
        counts[over], counts[once], counts[along] = 2 + first + listed, 2, 1
        start = np.concatenate([[0], np.cumsum(counts)])
        arc, delay = np.zeros(start[-1], np.int32), np.zeros(start[-1], np.int32)
        at = start[over]
        arc[at] = self._sources.arc[source]
        has = first > 0
        arc[at[has] + 1], delay[at[has] + 1] = (
            all_steps.arc[onto[source[has]]],
            self._network.step_delay[onto[source[has]]],
        )
        nth = np.arange(listed.sum()) - np.repeat(np.cumsum(listed) - listed, listed)
        step = steps.steps[np.repeat(steps.start[over], listed) + nth] if len(nth) else steps.steps[:0]
        inner = np.repeat(at + 1 + first, listed) + nth
        arc[inner], delay[inner] = all_steps.arc[step], self._network.step_delay[step]
        last = at + counts[over] - 1
        arc[last], delay[last] = self._goals.arc[goal], last_delays(self._network, self._goals, goal)
        a, b = self._pair[:, once]
        arc[start[once]], arc[start[once] + 1] = self._first.arc[a], self._goals.arc[b]
        delay[start[once] + 1] = last_delays(self._network, self._goals, b)
        used = np.zeros((2, len(self.kind)), np.int64)
        used[:, over] = self._sources.access_row[source], self._goals.access_row[goal]
        used[:, once] = self._first.access_row[a], self._goals.access_row[b]
        used[:, along] = self._pair[:, along]
        one_link = self._stands[0].take(used[0, along]), self._stands[1].take(used[1, along])
        arc[start[along]] = along_link(self._network, one_link, "distance")[0]
        fraction, access_share = np.zeros((2, len(self.kind))), np.zeros((2, len(self.kind)))
        reached = self.kind != NO_WAY
        for side, access_points in enumerate(self._stands):
            rows = used[side, reached]
            fraction[side, reached], access_share[side, reached] = (
                access_points.fraction[rows],
                access_points.access_share[rows],
            )
        way = ArcLists(start, arc, delay, *fraction).without_empty_ends()
        return PathBatch(
            self._network.mode.id,
            self.cost,
            self.accumulated,
            way.start,
            way.arc,
            way.delay_ms,
            way.begin,
            way.end,
            access_share,
        )


def _keyed(access_points: AccessPoints) -> Longs:
    """One number for the place and the link of each stand: trips of their own have no links in common with others."""
    return access_points.place.astype(np.int64) << 32 | access_points.link


def last_delays(network: Network, goals: Terminals, rows: NDArray[np.integer]) -> Ints:
    """What is lost on entering the last link, for rows of goals: their cost holds it where time is counted.

    Parameters:
        network: the streets of a mode, at a time and with closures.
        goals: the states where trips end, with the cost of the rest of the way.
        rows: rows (k,) of the goals.
    """
    states = network.states
    step, nth = expanded(*states.by_arc, goals.arc[rows])
    is_last = states.steps.tail[step] == goals.state[rows][nth]
    delays = np.zeros(len(rows), np.int32)
    delays[nth[is_last][::-1]] = network.step_delay[step[is_last]][::-1]  # the first of several counts
    return np.where(goals.accumulated[rows] + goals.cost[rows] > 0, delays, 0).astype(np.int32)


def _blocks(
    hierarchy: Hierarchy,
    network: Network,
    ends: tuple[Snapped, Snapped],
    measure: str,
    threads: int | None,
    progress: Progress | None,
) -> list[_Block]:
    """Blocks of trips searched in threads."""
    hierarchy.unpacking(network, measure, accumulated_with(measure))  # made once, not in every thread
    count = len(ends[0].link)
    if count >= WORTH_TRIMMING:
        hierarchy.trim(network, measure)

    def block(begin: int) -> _Block:
        rows = np.arange(begin, min(begin + BLOCK, count))
        return _Block(hierarchy, network, (ends[0].take(rows), ends[1].take(rows)), measure)

    begins = range(0, max(count, 1), BLOCK)
    blocks = []
    with threads_of(threads) as pool:
        for number, done in enumerate(pool.map(block, begins) if len(begins) > 1 else map(block, begins)):
            raise_if_cancelled()
            blocks.append(done)
            if progress is not None:
                progress.step((number + 1) / len(begins), "finding ways")
    return blocks
