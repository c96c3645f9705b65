"""Random small feeds, and an oracle for searches in them: a graph of events, each a node, searched by SciPy.

Nothing of it is shared with the program but the feed itself: rules are looked up for each pair of calls, days by the calendar.
"""

from __future__ import annotations

from bisect import bisect_left
from dataclasses import dataclass
from datetime import date

import numpy as np
from scipy.sparse import csr_array
from scipy.sparse.csgraph import dijkstra

from awl.core.transit.changing import Walks
from awl.core.transit.feed import Feed, Frequencies, Routes, Stops, StopTimes, Transfers, Trips

DAY = date(2026, 6, 3)
DAY_S = 86_400


def texts(prefix: str, count: int) -> np.ndarray:
    return np.array([f"{prefix}{i}" for i in range(count)], dtype=object)


def feed_of(
    calls: list[list[tuple[int, int, int, int, int]]],
    stops: int,
    *,
    route: list[int] | None = None,
    service: list[int] | None = None,
    block: list[int] | None = None,
    active: np.ndarray | None = None,
    wheelchair: list[int] | None = None,
    frequencies: list[tuple[int, int, int, int]] = (),
    transfers: list[tuple[int, int, int, int, int, int, int, int]] = (),
    timezone: str = "UTC",
    first_day: str = "2026-06-02",
) -> Feed:
    """A feed of trips, each a list of calls: stop, arrival, departure, pickup, drop-off."""
    count = len(calls)
    flat = np.array([call for trip in calls for call in trip], np.int64).reshape(-1, 5)
    nothing = np.zeros(count, np.int32)
    routes = max(route or [0], default=0) + 1
    return Feed(
        Stops(
            texts("s", stops), texts("Stop ", stops), np.zeros(stops), np.zeros(stops),
            np.zeros(stops, np.int8), np.full(stops, -1, np.int32), np.zeros(stops, np.int8),
        ),
        Routes(
            texts("r", routes), texts("R", routes), texts("", routes), texts("", routes),
            np.full(routes, 3, np.int16), texts("", routes),
        ),
        Trips(
            texts("t", count), texts("To ", count),
            np.array(route or nothing, np.int32), np.array(service or nothing, np.int32), nothing.astype(np.int8),
            np.array(block or nothing - 1, np.int32), nothing - 1,
            np.array(wheelchair or nothing, np.int8), nothing.astype(np.int8),
        ),
        np.concatenate([[0], np.cumsum([len(trip) for trip in calls])]).astype(np.int64),
        StopTimes(
            flat[:, 0].astype(np.int32), flat[:, 1].astype(np.int32), flat[:, 2].astype(np.int32),
            flat[:, 3].astype(np.int8), flat[:, 4].astype(np.int8), np.full(len(flat), np.nan, np.float32),
        ),
        texts("d", max(service or [0], default=0) + 1),
        np.datetime64(first_day),
        np.ones((max(service or [0], default=0) + 1, 3), bool) if active is None else active,
        timezone,
        Frequencies(*np.array([(*row, 1) for row in frequencies], np.int32).reshape(-1, 5).T),
        Transfers(*np.array(transfers, np.int32).reshape(-1, 8).T),
    )  # fmt: skip


def random_feed(rng: np.random.Generator) -> Feed:
    """A feed with every feature that a search must heed, in an hour or around midnight."""
    stops, routes, services = int(rng.integers(3, 8)), int(rng.integers(1, 4)), int(rng.integers(1, 4))
    calls = []
    for _ in range(rng.integers(1, 14)):
        time = int(rng.integers(0, 40)) * 60 + int(rng.choice([0, DAY_S, DAY_S - 1800]))
        trip = []
        for stop in rng.permutation(stops)[: rng.integers(2, stops + 1)].tolist():
            arrival = time + int(rng.integers(0, 6)) * 60 * int(bool(trip))
            time = arrival + int(rng.choice([0, 0, 60]))
            trip.append((stop, arrival, time, int(rng.choice([0, 0, 0, 1, 2, 3])), int(rng.choice([0, 0, 0, 1, 2, 3]))))
        calls.append(trip)
    count = len(calls)
    pick = lambda high, share: [int(rng.integers(0, high)) if rng.random() < share else -1 for _ in range(6)]  # noqa: E731
    rules = []
    for _ in range(int(rng.integers(0, 5))):
        ends = rng.integers(0, stops, 2).tolist()
        named = pick(routes, 0.4)[:2] + pick(count, 0.3)[:2]
        rule = (*ends, *named, int(rng.choice([0, 1, 2, 2, 3])), int(rng.integers(0, 10)) * 60)
        if rule[:6] not in [known[:6] for known in rules]:
            rules.append(rule)
    if count > 1 and rng.random() < 0.3:
        pair = rng.permutation(count)[:2].tolist()
        rules.append((-1, -1, -1, -1, *pair, int(rng.choice([4, 5])), -1))
    frequencies = [
        (int(rng.integers(0, count)), begin, begin + int(rng.integers(1, 40)) * 60, int(rng.integers(1, 15)) * 60)
        for begin in (rng.integers(0, 40, rng.integers(0, 3)) * 60).tolist()
    ]
    return feed_of(
        calls, stops,
        route=rng.integers(0, routes, count).tolist(), service=rng.integers(0, services, count).tolist(),
        block=rng.integers(-1, 3, count).tolist(), active=rng.random((services, 3)) < 0.7,
        frequencies=frequencies, transfers=rules,
    )  # fmt: skip


def random_walks(rng: np.random.Generator, stops: int) -> Walks:
    pairs = [(a, b) for a in range(stops) for b in range(stops) if a != b and rng.random() < 0.3]
    at = np.array(pairs, np.int32).reshape(-1, 2)
    return Walks(at[:, 0], at[:, 1], (rng.integers(0, 8, len(at)) * 60_000).astype(np.int32))


@dataclass(frozen=True)
class Event:
    """A call of a run, with the run's trip, place along it and the run's number."""

    run: int
    trip: int
    nth: int
    stop: int
    arrival: int
    departure: int
    pickup: int
    drop_off: int


class EventGraph:
    """The oracle: `boards[i]` and `alights[i]` are nodes for being aboard after call i and having come to call i."""

    def __init__(self, feed: Feed, walks: Walks, slack_s: int, wait_ms: float = np.inf) -> None:
        self.feed, self.slack_s, self.wait_ms = feed, slack_s, wait_ms
        self._change_ms: dict[tuple[int, int, int, int], float] = {}
        self.walk = {(s, s): 0 for s in range(len(feed.stops))}
        for a, b, ms in zip(walks.origin.tolist(), walks.target.tolist(), walks.ms.tolist(), strict=True):
            self.walk[a, b] = min(self.walk.get((a, b), ms), ms)
        self.events = [event for run in self._runs() for event in run]
        self._link()

    def _runs(self) -> list[list[Event]]:
        feed, runs = self.feed, []
        repeated = set(feed.frequencies.trip.tolist())
        for trip in range(len(feed.trips)):
            rows = range(int(feed.trip_start[trip]), int(feed.trip_start[trip + 1]))
            for by in (-1, 0, 1):
                nth_day = int((np.datetime64(DAY) + by - feed.first_day).astype(int))
                if not 0 <= nth_day < feed.active.shape[1] or not feed.active[feed.trips.service[trip], nth_day]:
                    continue
                shifts = [by * DAY_S]
                if trip in repeated:
                    first = int(feed.stop_times.departure[rows[0]])
                    shifts = [
                        by * DAY_S + begin - first
                        for which, start, end, headway in zip(
                            feed.frequencies.trip.tolist(), feed.frequencies.start.tolist(),
                            feed.frequencies.end.tolist(), feed.frequencies.headway.tolist(), strict=True,
                        )
                        if which == trip
                        for begin in range(start, end, headway)
                    ]  # fmt: skip
                for shift in shifts:
                    times, number = feed.stop_times, len(runs)
                    runs.append(
                        [
                            Event(
                                number, trip, row - rows[0], int(times.stop[row]), int(times.arrival[row]) + shift,
                                int(times.departure[row]) + shift, int(times.pickup[row]), int(times.drop_off[row]),
                            )
                            for row in rows
                        ]
                    )  # fmt: skip
        return runs

    def _seated(self) -> list[tuple[Event, Event]]:
        """Last call of a run and first of the one as which its vehicle goes on."""
        feed, runs = self.feed, {}
        for event in self.events:
            runs.setdefault(event.run, []).append(event)
        ordered = sorted(runs.values(), key=lambda run: (feed.trips.block[run[0].trip], run[0].departure, run[0].trip))
        must_alight = {
            (a, b)
            for kind, a, b in zip(
                feed.transfers.kind.tolist(), feed.transfers.from_trip.tolist(), feed.transfers.to_trip.tolist(), strict=True
            )
            if kind == 5
        }  # fmt: skip
        pairs = {}
        for first, second in zip(ordered, ordered[1:], strict=False):
            same_block = feed.trips.block[first[0].trip] == feed.trips.block[second[0].trip] >= 0
            gap = second[0].departure - first[-1].arrival
            meet = first[-1].stop == second[0].stop and (first[0].trip, second[0].trip) not in must_alight
            if same_block and 0 <= gap < 3600 and meet:
                pairs[first[0].run] = (first[-1], second[0])
        position = {run[0].run: number for number, run in enumerate(ordered)}
        for kind, a, b in zip(
            feed.transfers.kind.tolist(),
            feed.transfers.from_trip.tolist(),
            feed.transfers.to_trip.tolist(),
            strict=True,
        ):
            if kind != 4:
                continue
            for first in ordered:
                later = [
                    run for run in ordered
                    if run[0].trip == b and 0 <= run[0].departure - first[-1].arrival < 3600
                    and position[run[0].run] > position[first[0].run]
                ]  # fmt: skip
                if first[0].trip == a and later:
                    second = min(later, key=lambda run: run[0].departure)
                    pairs[first[0].run] = (first[-1], second[0])
        return list(pairs.values())

    def change_ms(self, one: Event, other: Event) -> float:
        """Least time between alighting from one and boarding the other."""
        key = one.stop, one.trip, other.stop, other.trip
        if key not in self._change_ms:
            self._change_ms[key] = self._changed(one, other)
        return self._change_ms[key]

    def _changed(self, one: Event, other: Event) -> float:
        feed, rules = self.feed, self.feed.transfers
        best, value = (-1, -1), None
        for row in range(len(rules)):
            kind = int(rules.kind[row])
            if kind not in (1, 2, 3) or (rules.from_stop[row], rules.to_stop[row]) != (one.stop, other.stop):
                continue
            sides = (
                (rules.from_trip[row], one.trip, rules.from_route[row]),
                (rules.to_trip[row], other.trip, rules.to_route[row]),
            )
            if any(
                (trip >= 0 and trip != own) or (route >= 0 and route != feed.trips.route[own])
                for trip, own, route in sides
            ):
                continue
            rank = (sum(trip >= 0 for trip, _, _ in sides), sum(route >= 0 for _, _, route in sides))
            if rank >= best:
                best, value = rank, {1: 1.0, 2: max(rules.least_s[row] * 1000.0, 1.0), 3: np.inf}[kind]
        if value is not None:
            return value
        walk = self.walk.get((one.stop, other.stop), np.inf)
        return max(walk + self.slack_s * 1000.0, 1.0)

    def _link(self) -> None:
        count = len(self.events)
        at = {(event.run, event.nth): row for row, event in enumerate(self.events)}
        edges = []
        boarding = sorted(
            (event.departure, row)
            for row, event in enumerate(self.events)
            if event.pickup in (0, 3) and (event.run, event.nth + 1) in at
        )
        for row, event in enumerate(self.events):
            if (following := at.get((event.run, event.nth + 1))) is not None:
                edges += [(row, count + following, 1e-9)]
                edges += [(count + following, following, 1e-9)]
            if event.drop_off in (0, 3) and event.nth > 0:
                for departure, other_row in boarding[bisect_left(boarding, (event.arrival, -1)) :]:
                    if (
                        0
                        <= (departure - event.arrival) * 1000 - self.change_ms(event, self.events[other_row])
                        <= self.wait_ms
                    ):
                        edges += [(count + row, other_row, 1.0)]
        for last, first in self._seated():
            edges += [(count + at[last.run, last.nth], at[first.run, first.nth], 1e-9)]
        # Of two edges between the same nodes SciPy would take the sum.
        tail, head, weight = (np.array(column) for column in zip(*edges, strict=True)) if edges else np.zeros((3, 0))
        order = np.lexsort((weight, head, tail))
        tail, head, weight = tail[order], head[order], weight[order]
        first = np.ones(len(tail), bool)
        first[1:] = (tail[1:] != tail[:-1]) | (head[1:] != head[:-1])
        ends = tail[first].astype(np.int32), head[first].astype(np.int32)
        self.graph = csr_array((weight[first], ends), shape=(2 * count + 1,) * 2)
        self.last = {row for row, event in enumerate(self.events) if (event.run, event.nth + 1) not in at}

    def arrivals(self, starts: dict[int, int], at_s: int, rides: int | None) -> dict[int, int]:
        """Earliest arrival in s by stop, from stops that are walked to in so many ms."""
        count, base = len(self.events), self.graph
        first = np.array(
            [
                row
                for row, event in enumerate(self.events)
                if event.pickup in (0, 3)
                and row not in self.last
                and (event.departure - at_s - self.slack_s) * 1000 >= starts.get(event.stop, np.inf)
            ],
            np.int32,
        )
        # The place one sets out from is the last node.
        graph = csr_array(
            (
                np.concatenate([base.data, np.ones(len(first))]),
                np.concatenate([base.indices, first]),
                np.append(base.indptr[:-1], len(base.data) + len(first)),
            ),
            shape=(2 * count + 1,) * 2,
        )
        boardings = dijkstra(graph, indices=2 * count)[count : 2 * count]
        best: dict[int, int] = {}
        for row, event in enumerate(self.events):
            if boardings[row] < (np.inf if rides is None else rides + 0.5) and event.drop_off in (0, 3):
                best[event.stop] = min(best.get(event.stop, event.arrival), event.arrival)
        return best
