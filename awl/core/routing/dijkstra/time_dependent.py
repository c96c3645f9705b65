"""Earliest arrival where speeds change over the day: exact, and nobody overtakes by waiting.

A street's speed at any moment is a share of its free-flow speed, straight between full hours. A traveller who is on a link when
the share changes goes on at the new speed, so that who enters a link later never leaves it earlier (first in, first out), and
Dijkstra's algorithm on arrival times stays exact. Source: B. Ding, J. X. Yu, L. Qin, *Finding time-dependent shortest paths over
large graphs*, EDBT 2008; speeds instead of travel times after K. Sung and others, Eur. J. Oper. Res. 121 (2000).
"""

from __future__ import annotations

import heapq
from dataclasses import dataclass, replace

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.kernels import njit_no_refcount
from awl.core.modes.hours import DAY_KINDS
from awl.core.network.costs import BLOCKED
from awl.core.network.network import Network
from awl.core.progress import current_token, raise_if_cancelled
from awl.core.routing.access_points import AccessPoints, along_link
from awl.core.routing.cch.many_to_many import alike
from awl.core.routing.dijkstra.kernel_arguments import ClockGoals, ClockLabels, ClockSources, ClockSteps, Curves
from awl.core.routing.dijkstra.search import NO_LABEL, OWNER_BITS, UNREACHED
from awl.core.routing.path import StreetLeg, leg_over
from awl.core.routing.snapping import Snapped
from awl.core.routing.terminals import entering, leaving

HOUR_MS = 3_600_000.0
NEVER = np.inf


@dataclass(frozen=True)
class Clock:
    """Speeds over a day: `share` (c, 25) at each full hour, `done` (c, 25) the free-flow ms that fit between midnight and it.

    `curve` (m,) is the row that holds for each link, the first being free flow; `free_ms` (2m,) what each arc takes then. Of each
    row of a search `row_ms`, `row_delay`, `row_curve` say the same; barred ones have negative times.
    """

    share: NDArray[np.float64]
    done: NDArray[np.float64]
    curve: NDArray[np.int8]
    free_ms: NDArray[np.float64]
    row_ms: NDArray[np.float64]
    row_delay: NDArray[np.float64]
    row_curve: NDArray[np.int8]

    @classmethod
    def of(cls, network: Network) -> Clock:
        """The clock of a network at an hour: curves of the kind of day on which trips begin.

        Parameters:
            network: the streets of a mode, at a time and with closures.
        """

        def make() -> Clock:
            share, curve = curves_on(network)
            passed = (share[:, 1:] + share[:, :-1]) / 2 * HOUR_MS
            done = np.concatenate([np.zeros((len(share), 1)), np.cumsum(passed, axis=1)], axis=1)
            _, _, number = network.rows("from")
            arc, free = network.states.steps.arc[number], network.free_ms
            row_ms = np.where(network.barred[number], float(BLOCKED), free[arc])
            delay = network.step_delay[number].astype(np.float64)
            return cls(share, done, curve, free, row_ms, delay, curve[arc >> 1])

        return network.derived(("clock", *network.key), make)

    def after(self, arc: int, share: float, begin: float) -> float:
        """When a part of an arc is passed by who begins it at `begin`, in ms since midnight.

        Parameters:
            arc: the number of the arc.
            share: which part of the arc, from 0 to 1.
            begin: when it is begun, in ms since midnight.
        """
        return self.done_by(arc, share * max(float(self.free_ms[arc]), 0.0), begin)

    def done_by(self, arc: int, free_ms: float, begin: float) -> float:
        """When what takes `free_ms` in free flow on the link of an arc is done by who begins it at `begin`.

        Parameters:
            arc: the number of the arc.
            free_ms: what takes so long in free flow, in ms.
            begin: when it is begun, in ms since midnight.
        """
        row = int(self.curve[arc >> 1])
        return float(arrival_at(self.share[row], self.done[row], begin, free_ms))

    def free_beside(self, access_points: AccessPoints) -> NDArray[np.float64]:
        """What the way to each stand takes in free flow, in ms, on the quicker side of its link.

        Parameters:
            access_points: points on streets at which trips of the places may begin and end.
        """
        pair = np.stack([self.free_ms[2 * access_points.link], self.free_ms[2 * access_points.link + 1]])
        least = np.where(pair < 0.0, np.inf, pair).min(axis=0)
        return np.where(
            (access_points.access_share > 0.0) & np.isfinite(least), access_points.access_share * least, 0.0
        )

    def access_time(self, access_points: AccessPoints, row: int, begin: float) -> float:
        """Time of arrival at an access point for a departure at `begin` towards it.

        Parameters:
            access_points: points on streets at which trips of the places may begin and end.
            row: the row of the access point.
            begin: time of departure, in ms since midnight.
        """
        ms = float(self.free_beside(access_points.take(np.array([row])))[0])
        return self.done_by(2 * int(access_points.link[row]), ms, begin) if ms > 0.0 else begin


def curves_on(network: Network) -> tuple[NDArray[np.float64], NDArray[np.int8]]:
    """Shares (c, 25) of free flow on the day of a network's hour, the first row free flow; the row of each link (m,).

    Parameters:
        network: the streets of a mode, at a time and with closures.
    """
    assert network.when is not None
    highway = network.graph.tag("highway")
    day = network.when.weekday()
    rows, curve = [np.ones(25)], np.zeros(network.graph.link_count, np.int8)
    for one in reversed([one for one in network.mode.curves if day in DAY_KINDS[one.days]]):
        rows.append(np.array([*one.share, one.share[0]]))
        curve[highway.isin(one.classes) if one.classes else np.ones(len(curve), bool)] = len(rows) - 1
    return np.array(rows), curve


@njit_no_refcount
def arrival_at(share: NDArray[np.float64], done: NDArray[np.float64], begin: float, free_ms: float) -> float:
    """The time in ms since midnight at which who begins at `begin` has done what takes `free_ms` in free flow.

    `share`, `done` (25,) are those of one curve. Days follow one another alike.

    Parameters:
        share: shares (25,) of free-flow speed at each full hour.
        done: free-flow time (25,) that is done by each full hour, in ms.
        begin: time of departure, in ms since midnight.
        free_ms: what it takes in free flow, in ms.
    """
    day = 24 * 3_600_000.0
    full_days = np.floor(begin / day)
    goal = _done_by(share, done, begin - full_days * day) + free_ms
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
    return (full_days + days) * day + hour * 3_600_000.0 + 2 * left / (a + root)


@njit_no_refcount
def _done_by(share: NDArray[np.float64], done: NDArray[np.float64], time: float) -> float:
    hour = min(int(time / 3_600_000.0), 23)
    t = time - hour * 3_600_000.0
    slope = (share[hour + 1] - share[hour]) / 3_600_000.0
    return done[hour] + share[hour] * t + slope * t * t / 2


@njit(cache=True, nogil=True)
def search_by_clock(steps, curves, sources, goals, least, labels, token):
    """Fill earliest times in ms since midnight of the day of departure, and the rows of the steps that lead there.

    Ends when no way to a goal can be earlier than the best found.

    Parameters:
        steps: the steps (`ClockSteps`).
        curves: how speeds change over the day (`Curves`).
        sources: where the search begins, and when (`ClockSources`).
        goals: where it ends, with the rest of the way (`ClockGoals`).
        least: lower bounds (s,) of the way from each state to the goals in ms, `NEVER` where there is none; empty where none are
            known, and all ways are followed.
        labels: what is filled (`ClockLabels`).
        token: cancel token (3,): whether to stop, how much is done, how much there is to do.
    """
    start, head, free_ms, delay_ms, curve = steps.start, steps.head, steps.free_ms, steps.delay_ms, steps.curve
    share, done, label, entry = curves.share, curves.done, labels.label, labels.entry
    guided = len(least) > 0
    is_goal = np.zeros(len(label), np.uint8)
    for state in goals.state:
        is_goal[state] = 1
    settled = np.zeros(len(label), np.uint8)
    best = np.inf
    heap = [(0.0, np.int64(0))]
    heap.pop()
    for i in range(len(sources.state)):
        state = sources.state[i]
        if sources.time[i] < label[state] and not (guided and least[state] == NEVER):
            label[state] = sources.time[i]
            entry[state] = -1
            heapq.heappush(heap, (sources.time[i] + (least[state] if guided else 0.0), np.int64(state)))
    looked = 0
    while len(heap) > 0:
        looked += 1
        if looked & 4095 == 0 and token[0] != 0:
            return
        key, state = heapq.heappop(heap)
        if settled[state]:
            continue
        if key >= best:
            break
        settled[state] = 1
        time = label[state]
        if is_goal[state]:
            for i in range(len(goals.state)):
                if goals.state[i] == state:
                    row = goals.curve[i]
                    best = min(best, arrival_at(share[row], done[row], time + goals.delay_ms[i], goals.free_ms[i]))
        for row in range(start[state], start[state + 1]):
            other = head[row]
            if free_ms[row] < 0.0 or settled[other] or (guided and least[other] == NEVER):
                continue
            at = arrival_at(share[curve[row]], done[curve[row]], time + delay_ms[row], free_ms[row])
            if at < label[other]:
                label[other] = at
                entry[other] = row
                heapq.heappush(heap, (at + (least[other] if guided else 0.0), np.int64(other)))


def bounds_of(label: NDArray[np.int64]) -> NDArray[np.float64]:
    """What it takes at least, at any hour, to come from each state (s,) to a place: in ms, `NEVER` where there is no way.

    `label` (s,) is that of a search towards the place by `LEAST_TIME`. Closures and slower streets only make ways longer.

    Parameters:
        label: labels (s,) of a search towards the place.
    """
    # The part of the last link and the way beside are rounded, each of which may be up by half a millisecond.
    return np.where(label == NO_LABEL, NEVER, np.maximum((label >> OWNER_BITS) - 1, 0))


def best_leg_by_clock(
    network: Network,
    places: Snapped,
    source: int,
    target: int,
    depart_ms: float,
    least: NDArray[np.float64] | None = None,
) -> StreetLeg | None:
    r"""Path of earliest arrival from one place to another for a departure at `depart_ms` since midnight.

    Costs and times along it are those of the clock; None where there is no way. Searched towards the place where it is known what
    the way from each state takes at `least` (see `bounds_of`): P. E. Hart, N. J. Nilsson, B. Raphael, *A formal basis for the
    heuristic determination of minimum cost paths*, IEEE Trans. Syst. Sci. Cybern. 4 (1968), with the bounds of B. Strasser,
    T. Zeitz, *A fast and tight heuristic for A\* in road networks*, SEA 2021.

    Parameters:
        network: the streets of a mode, at a time and with closures.
        places: places put on streets (k,).
        source: row of the place where it begins.
        target: row of the place where it ends.
        depart_ms: time of departure, in ms since midnight.
        least: lower bounds (s,) of the rest of the way, in ms; None where none are known.
    """
    clock, states = Clock.of(network), network.states
    a, b = places.take(np.array([source])), places.take(np.array([target]))
    start, head, number = network.rows("from")
    terminals, goals = leaving(a, network, "time", "distance"), entering(b, network, "time", "distance")
    begin, end = a.access_points, b.access_points
    begun = [clock.access_time(begin, i, depart_ms) for i in range(len(begin.link))]
    f = begin.fraction[terminals.access_row]
    parts = np.where(begin.at_node[terminals.access_row], 0.0, np.where(terminals.arc & 1, f, 1.0 - f))
    times = [
        clock.after(arc, share, begun[access_row])
        for arc, share, access_row in zip(
            terminals.arc.tolist(), parts.tolist(), terminals.access_row.tolist(), strict=True
        )
    ]
    # Who comes to a place that stands at a node uses no part of a link.
    enters = ~end.at_node[goals.access_row]
    g = end.fraction[goals.access_row]
    share = np.where(enters, np.where(goals.arc & 1, 1.0 - g, g), 0.0)
    rest = share * np.maximum(clock.free_ms[goals.arc], 0.0) + clock.free_beside(end)[goals.access_row]
    delay = np.array([_delay_onto(network, *one) for one in zip(goals.state.tolist(), goals.arc.tolist(), strict=True)])
    delay = np.where(enters, delay, 0) if len(delay) else np.zeros(0, np.int64)
    label, entry = np.full(states.count, NEVER), np.full(states.count, -1, np.int32)
    search_by_clock(
        ClockSteps(start, head, clock.row_ms, clock.row_delay, clock.row_curve),
        Curves(clock.share, clock.done),
        ClockSources(terminals.state.astype(np.int64), np.array(times)),
        ClockGoals(goals.state.astype(np.int64), rest, delay.astype(np.float64), clock.curve[goals.arc >> 1]),
        np.zeros(0) if least is None else least,
        ClockLabels(label, entry),
        current_token(),
    )
    raise_if_cancelled()
    options = [
        (clock.done_by(arc, float(rest[row]), label[state] + delay[row]), row)
        for row, (state, arc) in enumerate(zip(goals.state.tolist(), goals.arc.tolist(), strict=True))
        if label[state] < NEVER
    ]
    direct = [
        (clock.done_by(arc, ms, begun[i]), arc, i, j) for arc, ms, i, j in _along_links(network, clock, begin, end)
    ]
    nothing = np.zeros(1, np.int32)
    if direct and (not options or min(direct)[0] <= min(options)[0]):
        _, arc, i, j = min(direct)
        return _leg(network, clock, [arc], nothing, (begin.take(np.array([i])), end.take(np.array([j]))), depart_ms)
    if not options:
        return None
    _, row = min(options)
    state, arcs, delays = int(goals.state[row]), [int(goals.arc[row])], [int(delay[row])]
    while entry[state] >= 0:
        step = int(number[entry[state]])
        arcs.append(int(states.steps.arc[step]))
        delays.append(int(network.step_delay[step]))
        state = int(states.steps.tail[step])
    used = min((time, i) for i, time in enumerate(times) if terminals.state[i] == state)[1]
    arcs.append(int(terminals.arc[used]))
    delays.append(0)
    ends = begin.take(terminals.access_row[[used]]), end.take(goals.access_row[[row]])
    return _leg(network, clock, arcs[::-1], np.array(delays[::-1], np.int32), ends, depart_ms)


def _along_links(
    network: Network, clock: Clock, begin: AccessPoints, end: AccessPoints
) -> list[tuple[int, float, int, int]]:
    """Ways along one link without leaving it: arc, what it takes in free flow, rows of the access points."""
    i, j = alike(begin.link, end.link)
    first, last = begin.take(i), end.take(j)
    arc, cost, _ = along_link(network, (first, last), "time")
    ms = np.abs(last.fraction - first.fraction) * np.maximum(clock.free_ms[arc], 0.0) + clock.free_beside(last)
    usable = cost != UNREACHED
    return list(zip(arc[usable].tolist(), ms[usable].tolist(), i[usable].tolist(), j[usable].tolist(), strict=True))


def _delay_onto(network: Network, state: int, arc: int) -> int:
    """What is lost in a state before its step onto an arc."""
    start, rows = network.states.by_arc
    steps = rows[start[arc] : start[arc + 1]]
    onto = steps[network.states.steps.tail[steps] == state]
    return int(network.step_delay[onto[0]]) if len(onto) else 0


def _leg(
    network: Network,
    clock: Clock,
    arcs: list[int],
    delays: NDArray[np.int32],
    ends: tuple[AccessPoints, AccessPoints],
    depart_ms: float,
) -> StreetLeg:
    """A leg with the time of each link as the clock has it."""
    fractions = float(ends[0].fraction[0]), float(ends[1].fraction[0])
    access_share = float(ends[0].access_share[0]), float(ends[1].access_share[0])
    leg = leg_over(network.mode.id, np.array(arcs, np.int32), delays, fractions, 0, 0, access_share)
    begin, end = np.where(leg.along, 0.0, 1.0), np.where(leg.along, 1.0, 0.0)
    begin[0], end[-1] = leg.start, leg.end
    share, travelled = np.abs(end - begin), 2 * leg.links + ~leg.along
    passing, time = np.zeros(len(travelled)), depart_ms
    for i, arc in enumerate(travelled.tolist()):
        after = (clock.access_time(ends[0], 0, time) if i == 0 else time) + float(leg.delay_ms[i])
        after = clock.after(arc, float(share[i]), after)
        if i == len(travelled) - 1:
            after = clock.access_time(ends[1], 0, after)
        passing[i], time = after - time - float(leg.delay_ms[i]), after
    metres = float((share * network.length_mm[leg.links]).sum())
    metres += float(np.dot(access_share, network.length_mm[leg.links[[0, -1]]]))
    return replace(leg, cost=round(time - depart_ms), accumulated=round(metres), passing_ms=passing)
