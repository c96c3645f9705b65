"""Public transport: a made city of London's size, and Ferrow."""

from __future__ import annotations

import tempfile
from datetime import date
from pathlib import Path

import numpy as np
from scipy.spatial import cKDTree

from awl.core.progress import threads_of
from awl.core.routing.dijkstra.search import NO_LABEL
from awl.core.transit.changing import ChangeLimits, Walks
from awl.core.transit.feed import Feed, Routes, Stops, StopTimes, Trips
from awl.core.transit.scan import NEVER, rows_between
from awl.core.transit.search import Ends, TimetableSearch
from awl.core.transit.stops_on_streets import Near
from awl.core.transit.timetable import timetable_of
from awl.core.transit.windows import labels_of_single
from awl.demo_study import make_demo
from awl.questions.run import ask
from awl.study.study import Study
from bench.measure import Row, medians
from bench.rounds import arrivals_by_rounds, lines_of

STOPS, ROUTES, CALLS, TRIPS_OF_ROUTE = 20_000, 1_000, 40, 125
"""Stops, routes, calls of a trip, and trips of a route in a day: five million calls in all."""
DAY = date(2026, 6, 3)
NODES, ORIGINS = 1_000_000, 24
WALK_M, METRES_A_MS = 600.0, 4.8 / 3600


def made_city(seed: int = 7) -> tuple[Feed, Walks, np.ndarray]:
    """A city of 30 by 30 km with routes that wander from stop to near stop; feed, walks, and places (s, 2) in metres."""
    rng = np.random.default_rng(seed)
    side = int(np.sqrt(STOPS))
    count = side * side
    grid = np.stack(np.meshgrid(np.arange(side), np.arange(side)), axis=-1).reshape(-1, 2)
    place = (grid + rng.uniform(-0.3, 0.3, grid.shape)) * (30_000 / side)
    calls = []
    for _ in range(ROUTES):
        at, heading = grid[rng.integers(count)].astype(float), rng.uniform(0, 2 * np.pi)
        path: list[int] = []
        for _ in range(CALLS):
            at = np.clip(at + np.array([np.cos(heading), np.sin(heading)]), 0, side - 1)
            heading += rng.normal(0, 0.3)
            stop = round(at[1]) * side + round(at[0])
            path.append(stop)
        calls.append(path)
    stops = np.repeat(np.array(calls, np.int32), TRIPS_OF_ROUTE, axis=0)
    stops[1::2] = stops[1::2, ::-1]
    begin = np.tile(np.linspace(5 * 3600, 24 * 3600, TRIPS_OF_ROUTE).astype(np.int32), ROUTES)
    begin += np.repeat(rng.integers(0, 600, ROUTES).astype(np.int32), TRIPS_OF_ROUTE)
    arrival = begin[:, None] + np.arange(CALLS, dtype=np.int32) * 75
    trips = len(stops)
    names = np.array([""] * max(trips, count), dtype=object)
    nothing, none = np.zeros(trips, np.int32), np.full(trips, -1, np.int32)
    feed = Feed(
        Stops(names[:count], names[:count], np.zeros(count), np.zeros(count), np.zeros(count, np.int8),
              np.full(count, -1, np.int32), np.zeros(count, np.int8)),
        Routes(names[:ROUTES], names[:ROUTES], names[:ROUTES], names[:ROUTES], np.full(ROUTES, 3, np.int16), names[:ROUTES]),
        Trips(names[:trips], names[:trips], np.repeat(np.arange(ROUTES, dtype=np.int32), TRIPS_OF_ROUTE), nothing,
              nothing.astype(np.int8), none, none, nothing.astype(np.int8), nothing.astype(np.int8)),
        np.arange(trips + 1, dtype=np.int64) * CALLS,
        StopTimes(stops.ravel(), arrival.ravel(), arrival.ravel() + 15, np.zeros(stops.size, np.int8),
                  np.zeros(stops.size, np.int8), np.full(stops.size, np.nan, np.float32)),
        names[:1], np.datetime64(DAY), np.ones((1, 1), bool), "UTC",
    )  # fmt: skip
    return feed, _walks(place), place


def _walks(place: np.ndarray) -> Walks:
    """Walks between stops at most `WALK_M` apart, 1.3 times as long as the straight line."""
    pair = cKDTree(place).query_pairs(WALK_M, output_type="ndarray")
    pair = np.concatenate([pair, pair[:, ::-1]]).astype(np.int32)
    metres = np.hypot(*(place[pair[:, 0]] - place[pair[:, 1]]).T) * 1.3
    return Walks(pair[:, 0], pair[:, 1], (metres / METRES_A_MS).astype(np.int32))


def in_a_large_city() -> list[Row]:
    """One departure and a window to all stops, against the time that was aimed at and against reading the connections once."""
    feed, walks, place = made_city()
    timetable = timetable_of(feed, DAY)
    search = TimetableSearch(timetable, walks, 60_000)
    connections = len(timetable.connections.run)
    origin = int(np.random.default_rng(1).integers(len(place)))
    away = np.hypot(*(place - place[origin]).T)
    near = np.flatnonzero(away < 800).astype(np.int32)
    ends = Ends(near, (away[near] * 1.3 / METRES_A_MS).astype(np.int32))
    one, window = (np.arange(count, dtype=np.int32) * 60_000 + 8 * 3_600_000 for count in (1, 60))
    limit = 2 * 3_600_000
    first, last = rows_between(timetable.connections, 8 * 3_600_000, 10 * 3_600_000).tolist()
    columns = [column[first:last] for column in timetable.connections]
    calls = {
        ("one departure to all stops", 0.010): lambda: search.durations(ends, one, limit_ms=limit),
        ("latest departures from all stops", 0.010): lambda: search.durations(ends, one, "to", limit),
        ("one departure, 4 rides at most", 0.010): lambda: search.durations(
            ends, one, limit_ms=limit, limits=ChangeLimits(4)
        ),
        ("60 departures to all stops", 0.150): lambda: search.durations(ends, window, limit_ms=limit),
    }
    lines, boarded = lines_of(timetable), Ends(ends.point, ends.walk_ms + np.int32(search.slack_ms))
    by_rounds = arrivals_by_rounds(lines, search.changes, boarded, int(one[0]), limit)
    if not np.array_equal(
        np.where(by_rounds == NEVER, NEVER, by_rounds - one[0]), search.durations(ends, one, limit_ms=limit)[:, 0]
    ):
        raise AssertionError("The search by rounds tells other times")

    def rounds() -> None:
        arrivals_by_rounds(lines, search.changes, boarded, int(one[0]), limit)

    read, peer, *times = medians(lambda: [int(column.max()) for column in columns], rounds, *calls.values())
    size = f"{STOPS:,} stops, {connections:,} connections"
    rows = [
        Row(f"{size}: {what}, within 2 h (aim {aim * 1000:g} ms)", seconds, aim, "of the aim")
        for (what, aim), seconds in zip(calls, times, strict=True)
    ]
    return [
        *rows,
        Row(f"{size}: one departure; peer: search by rounds", times[0], peer, "x the peer"),
        Row(f"{size}: one departure; bound: reading them", times[0], read, "of the bound's speed"),
    ]


def on_many_streets() -> list[Row]:
    """One departure to a million street nodes, and a matrix of a thousand stops over a window, told from a part of it."""
    feed, walks, place = made_city()
    search = TimetableSearch(timetable_of(feed, DAY), walks, 60_000)
    rng = np.random.default_rng(5)
    nodes = rng.uniform(0, 30_000, (NODES, 2))
    pairs = cKDTree(place).sparse_distance_matrix(cKDTree(nodes), 400.0, output_type="ndarray")
    ms = (pairs["v"] * 1.3 / METRES_A_MS).astype(np.int32)
    near = Near.of(pairs["j"], pairs["i"].astype(np.int32), ms, NODES)
    direct = np.full(NODES, NO_LABEL)
    labels, served = np.empty(NODES, np.int64), np.empty(NODES, np.int32)
    one, window = (np.arange(count, dtype=np.int32) * 60_000 + 8 * 3_600_000 for count in (1, 60))
    limit = 2 * 3_600_000
    ends = [Ends(np.array([stop], np.int32), np.zeros(1, np.int32)) for stop in rng.integers(0, len(place), ORIGINS)]

    def to_nodes() -> None:
        times = search.durations(ends[0], one, limit_ms=limit)
        rows, walks, owner = np.array([0, NODES]), (near.start, near.stop, near.ms), np.zeros(1, np.int32)
        labels_of_single(
            rows, *walks, np.ascontiguousarray(times[:, 0]), owner, direct, np.int64(limit), labels, served
        )

    def rows_of_matrix() -> None:
        with threads_of(None) as pool:
            list(pool.map(lambda end: np.median(search.durations(end, window, limit_ms=limit)[:1000], axis=1), ends))

    (at_nodes,), (part,) = medians(to_nodes), medians(rows_of_matrix, rounds=3)
    matrix = part * 1000 / ORIGINS
    return [
        Row(f"one departure to {NODES:,} street nodes by {len(near.stop):,} walks (aim 40 ms)", at_nodes, 0.04, "of the aim"),
        Row(f"matrix of 1,000 x 1,000 stops, 60 departures, told from {ORIGINS} rows (aim 120 s)", matrix, 120.0, "of the aim"),
    ]  # fmt: skip


def in_ferrow(study: Study) -> list[Row]:
    """Questions of the demo over a window of an hour, against the time that was aimed at."""
    study.wait_until_prepared("transit")
    base = {"mode": "transit", "at": "2026-07-11T13:00", "places": {"layer": "cool_rooms"}, "limits": [10, 20, 30]}
    zones = {**base, "zones": {"layer": "zones"}, "fields": ["age_65_plus"]}
    calls = {
        ("isochrone, 14 places", 1.0): lambda: ask(study, "isochrone", base),
        ("access, 187 zones", 3.0): lambda: ask(study, "access", zones),
    }
    times = medians(*calls.values(), rounds=3)
    return [
        Row(f"Ferrow by public transport, 60 departures: {what} (aim {aim:g} s)", seconds, aim, "of the aim")
        for (what, aim), seconds in zip(calls, times, strict=True)
    ]


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as folder:
        for row in (*in_a_large_city(), *on_many_streets(), *in_ferrow(Study(make_demo(Path(folder))))):
            print(f"{row.what}: {row.awl_s * 1000:.1f} ms, {row.ratio:.2f} {row.meaning}")
