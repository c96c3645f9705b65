"""Earliest arrival where speeds change over the day: exact, and nobody overtakes by waiting.

A street's speed at any moment is a share of its free-flow speed, straight between full hours. A traveller who is on a link when
the share changes goes on at the new speed, so that who enters a link later never leaves it earlier (first in, first out), and
Dijkstra's algorithm on arrival times stays exact. Source: B. Ding, J. X. Yu, L. Qin, *Finding time-dependent shortest paths over
large graphs*, EDBT 2008; speeds instead of travel times after K. Sung and others, Eur. J. Oper. Res. 121 (2000).
"""

from __future__ import annotations

import heapq
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.engine.leg import Leg
from awl.core.engine.places import Snapped, entering, leaving
from awl.core.modes.hours import DAY_KINDS
from awl.core.modes.network import BLOCKED, Network

HOUR_MS = 3_600_000.0
NEVER = np.inf


@dataclass(frozen=True)
class Clock:
    """Speeds over a day: `share` (c, 25) at each full hour, `done` (c, 25) the free-flow ms that fit between midnight and it.

    `curve` (m,) is the row that holds for each link. The first row is free flow.
    """

    share: NDArray[np.float64]
    done: NDArray[np.float64]
    curve: NDArray[np.int8]

    @classmethod
    def of(cls, network: Network) -> Clock:
        """The clock of a network at an hour: curves of the kind of day on which trips begin."""
        assert network.when is not None
        highway = network.graph.tag("highway")
        day = network.when.weekday()
        rows, curve = [np.ones(25)], np.zeros(network.graph.link_count, np.int8)
        mine = [one for one in network.mode.curves if day in DAY_KINDS[one.days]]
        for one in reversed(mine):
            rows.append(np.array([*one.share, one.share[0]]))
            curve[highway.isin(one.classes) if one.classes else np.ones(len(curve), bool)] = len(rows) - 1
        share = np.array(rows)
        passed = (share[:, 1:] + share[:, :-1]) / 2 * HOUR_MS
        return cls(share, np.concatenate([np.zeros((len(rows), 1)), np.cumsum(passed, axis=1)], axis=1), curve)


@njit(cache=True, nogil=True)
def arrival_at(share: NDArray[np.float64], done: NDArray[np.float64], begin: float, free_ms: float) -> float:
    """The time in ms since midnight at which who begins at `begin` has done what takes `free_ms` in free flow.

    `share`, `done` (25,) are those of one curve. Days follow one another alike.
    """
    day = 24 * 3_600_000.0
    whole = np.floor(begin / day)
    goal = _done_by(share, done, begin - whole * day) + free_ms
    days = np.floor(goal / done[24])
    goal -= days * done[24]
    hour = 0
    while hour < 23 and done[hour + 1] <= goal:
        hour += 1
    left = goal - done[hour]
    slope = (share[hour + 1] - share[hour]) / 3_600_000.0
    # Within an hour the share is a + slope t, and what is done a t + slope t^2 / 2.
    a = share[hour]
    root = np.sqrt(max(a * a + 2 * slope * left, 0.0))
    return (whole + days) * day + hour * 3_600_000.0 + 2 * left / (a + root)


@njit(cache=True, nogil=True)
def _done_by(share: NDArray[np.float64], done: NDArray[np.float64], time: float) -> float:
    hour = min(int(time / 3_600_000.0), 23)
    t = time - hour * 3_600_000.0
    slope = (share[hour + 1] - share[hour]) / 3_600_000.0
    return done[hour] + share[hour] * t + slope * t * t / 2


@njit(cache=True, nogil=True)
def search_by_clock(start, head, free_ms, delay_ms, curve, share, done, seed_state, seed_time, wanted, label, entry):
    """Fill `label` (s,) with earliest times in ms since midnight of the day of departure, and `entry` with rows of steps.

    `free_ms`, `delay_ms`, `curve` are those of each row; one whose `free_ms` is negative is barred. Ends when all states
    marked in `wanted` are settled.
    """
    missing = 0  # states the caller still waits for
    for one in wanted:
        missing += one
    settled = np.zeros(len(label), np.uint8)
    heap = [(0.0, np.int64(0))]
    heap.pop()
    for i in range(len(seed_state)):
        if seed_time[i] < label[seed_state[i]]:
            label[seed_state[i]] = seed_time[i]
            entry[seed_state[i]] = -1
            heapq.heappush(heap, (seed_time[i], np.int64(seed_state[i])))
    while len(heap) > 0:
        time, state = heapq.heappop(heap)
        if settled[state]:
            continue
        settled[state] = 1
        if wanted[state]:
            missing -= 1
            if missing == 0:
                break
        for row in range(start[state], start[state + 1]):
            if free_ms[row] < 0.0 or settled[head[row]]:
                continue
            at = arrival_at(share[curve[row]], done[curve[row]], time + delay_ms[row], free_ms[row])
            if at < label[head[row]]:
                label[head[row]] = at
                entry[head[row]] = row
                heapq.heappush(heap, (at, np.int64(head[row])))


def best_leg_by_clock(network: Network, places: Snapped, source: int, target: int, depart_ms: float) -> Leg | None:
    """The way of earliest arrival from one place to another for who sets out at `depart_ms` since midnight.

    Costs and times along it are those of the clock; None where there is no way.
    """
    clock, states = Clock.of(network), network.states
    a, b = places.take(np.array([source])), places.take(np.array([target]))
    free = network.free_ms
    steps = states.steps
    start, head, number = network.rows("from")
    arc = steps.arc[number]

    def along(arc: int, share: float, begin: float) -> float:
        row = int(clock.curve[arc >> 1])
        return float(arrival_at(clock.share[row], clock.done[row], begin, share * float(free[arc])))

    seeds, goals = leaving(a, network, "time", "distance"), entering(b, network, "time", "distance")
    f, g = float(a.fraction[0]), float(b.fraction[0])
    first = [(1.0 - f) if not one & 1 else f for one in seeds.arc.tolist()]
    whole = [state == states.begun[one] for one, state in zip(seeds.arc.tolist(), seeds.state.tolist(), strict=True)]
    times = [
        along(one, share if moves else 0.0, depart_ms)
        for one, share, moves in zip(seeds.arc.tolist(), first, whole, strict=True)
    ]
    wanted = np.zeros(states.count, np.uint8)
    wanted[goals.state] = 1
    label, entry = np.full(states.count, NEVER), np.full(states.count, -1, np.int32)
    passing = np.where(network.barred[number], BLOCKED, free[arc])
    search_by_clock(
        start, head, passing.astype(np.float64), network.step_delay[number].astype(np.float64),
        clock.curve[arc >> 1], clock.share, clock.done, seeds.state.astype(np.int64), np.array(times), wanted, label, entry,
    )  # fmt: skip
    options = []
    for row, (state, one) in enumerate(zip(goals.state.tolist(), goals.arc.tolist(), strict=True)):
        if label[state] < NEVER:
            share = g if not one & 1 else 1.0 - g
            enters = goals.cost[row] > 0 or goals.carried[row] > 0
            delay = _delay_onto(network, state, one) if enters else 0
            options.append((along(one, share if enters else 0.0, label[state] + delay), row, delay))
    direct = None
    if a.link[0] == b.link[0]:
        one = 2 * int(a.link[0]) + (g < f)
        if free[one] >= 0 or f == g:
            direct = along(one, abs(g - f), depart_ms) if f != g else depart_ms
    if direct is not None and (not options or direct <= min(options)[0]):
        nothing = np.zeros(1, np.int32)
        return _leg(network, clock, [2 * int(a.link[0]) + (g < f)], nothing, (f, g), depart_ms)
    if not options:
        return None
    _, row, delay = min(options)
    state, arcs, delays = int(goals.state[row]), [int(goals.arc[row])], [delay]
    while entry[state] >= 0:
        step = int(number[entry[state]])
        arcs.append(int(steps.arc[step]))
        delays.append(int(network.step_delay[step]))
        state = int(steps.tail[step])
    used = min((time, i) for i, time in enumerate(times) if seeds.state[i] == state)[1]
    arcs.append(int(seeds.arc[used]))
    delays.append(0)
    return _leg(network, clock, arcs[::-1], np.array(delays[::-1], np.int32), (f, g), depart_ms)


def _delay_onto(network: Network, state: int, arc: int) -> int:
    """What is lost in a state before its step onto an arc."""
    start, rows = network.states.by_arc
    steps = rows[start[arc] : start[arc + 1]]
    mine = steps[network.states.steps.tail[steps] == state]
    return int(network.step_delay[mine[0]]) if len(mine) else 0


def _leg(
    network: Network,
    clock: Clock,
    arcs: list[int],
    delays: NDArray[np.int32],
    ends: tuple[float, float],
    depart_ms: float,
) -> Leg:
    """A leg with the time of each link as the clock has it."""
    travelled = np.array(arcs, np.int32)
    along = (travelled & 1) == 0
    begin, end = np.where(along, 0.0, 1.0), np.where(along, 1.0, 0.0)
    begin[0], end[-1] = ends
    share, free = np.abs(end - begin), network.free_ms
    passing, time = np.zeros(len(arcs)), depart_ms
    for i, arc in enumerate(arcs):
        time += float(delays[i])
        row = int(clock.curve[arc >> 1])
        after = float(arrival_at(clock.share[row], clock.done[row], time, share[i] * max(float(free[arc]), 0.0)))
        passing[i], time = after - time, after
    metres = float((share * network.length_mm[travelled >> 1]).sum())
    return Leg(travelled >> 1, along, delays, ends[0], ends[1], round(time - depart_ms), round(metres), passing)
