"""The kernel of meetings: when two on streets are close to each other along them, stretch by stretch in closed form."""

from __future__ import annotations

import math
from typing import Any

from numba import njit

from awl.core.kernels import njit_no_refcount

STEP_MS = 1000
"""Time between two moments."""
MOMENT_SHIFT, OTHER_SHIFT = 21, 42
"""Where the first moment and the other person begin in a packed span; below them stands how long it lasts."""
MOMENTS = 1 << MOMENT_SHIFT
"""So many moments there may be, 24 days."""
TICKS = 1024
"""Parts of a ms to which times near nodes are cut off."""
MOST_NEAR = 64
"""Nodes that lie close to one node, at most."""


@njit_no_refcount
def put(who: Any, spans: Any, size: int, one: int, other: int, begin: float, end: float, base: int) -> int:
    """Write that two are close at some moments, where there are such; returns how many there are then.

    Parameters:
        who: the lower number of the two (c,), filled on here as far as there is room.
        spans: the other, and first and last moment (c,), as `OTHER_SHIFT` and `MOMENT_SHIFT` pack them.
        size: how many there are.
        one, other: the two.
        begin, end: from when to when, ms.
        base: the moment from which on moments are counted.
    """
    if one == other:
        return size
    # Rounding of times that are worked out must not lose the moment itself.
    first, last = math.ceil((begin - 1e-6) / STEP_MS), math.floor((end + 1e-6) / STEP_MS)
    if last < first:
        return size
    if size < len(who):
        who[size] = min(one, other)
        spans[size] = (max(one, other) << OTHER_SHIFT) | ((first - base) << MOMENT_SHIFT) | (last - first)
    return size + 1


@njit_no_refcount
def while_below(level: float, slope: float, begin: float, end: float, most: float, side: int) -> float:
    """One end of the time during which a number that changes evenly is at most so much; beyond `end` where it never is.

    Parameters:
        level: the number at `begin`.
        slope: its change per ms.
        begin, end: the time looked at, ms.
        most: the most that it may be.
        side: 0 for the begin, 1 for the end.
    """
    last = level + slope * (end - begin)
    if level > most + 1e-9 and last > most + 1e-9:
        return end + 1.0 if side == 0 else begin - 1.0
    if side == 0:
        return begin if level <= most + 1e-9 else begin + (most - level) / slope
    return end if last <= most + 1e-9 else begin + (most - level) / slope


@njit_no_refcount
def on_links(
    start: Any, person: Any, enters: Any, leaves: Any, at: Any, speed: Any, most: float, base: int, who: Any, spans: Any,
) -> int:  # fmt: skip
    """Those who are close on one link; returns how many spans there are, of which as many as have room are written.

    Parameters:
        start: offsets (m + 1,) of the stretches of each link, which ascend by when they begin.
        person: who (q,).
        enters, leaves: from when to when, ms (q,).
        at: metres from the link's begin on entering (q,).
        speed: metres per ms along the link's drawing (q,).
        most: the distance that is close, metres.
        base: the moment from which on moments are counted.
        who, spans: what is filled.
    """
    size = 0
    for link in range(len(start) - 1):
        for i in range(start[link], start[link + 1]):
            for j in range(i + 1, start[link + 1]):
                if enters[j] > leaves[i]:
                    break
                begin, end = enters[j], min(leaves[i], leaves[j])
                apart = at[j] - (at[i] + speed[i] * (begin - enters[i]))
                slope = speed[j] - speed[i]
                # Close while the distance is neither above what is close nor below its negative.
                first = max(
                    while_below(apart, slope, begin, end, most, 0), while_below(-apart, -slope, begin, end, most, 0)
                )
                last = min(
                    while_below(apart, slope, begin, end, most, 1), while_below(-apart, -slope, begin, end, most, 1)
                )
                if first <= last:
                    size = put(who, spans, size, person[i], person[j], first, last, base)
    return size


@njit_no_refcount
def near_nodes(start: Any, target: Any, metres: Any, node: int, most: float, near: Any, far: Any) -> int:
    """The nodes within a distance of one along streets, itself first; returns how many.

    Parameters:
        start: offsets (n + 1,) of the links at each node.
        target: the node at the other end of each (2 m,).
        metres: their lengths (2 m,).
        node: the node.
        most: the distance, metres.
        near: room for the nodes, filled here.
        far: their distances, filled here.
    """
    near[0], far[0], count = node, 0.0, 1
    changed = True
    while changed:
        changed = False
        for i in range(count):
            for edge in range(start[near[i]], start[near[i] + 1]):
                distance = far[i] + metres[edge]
                if distance > most:
                    continue
                known = -1
                for j in range(count):
                    if near[j] == target[edge]:
                        known = j
                if known < 0 and count < MOST_NEAR:
                    near[count], far[count] = target[edge], distance
                    count += 1
                    changed = True
                elif known >= 0 and distance < far[known] - 1e-12:
                    far[known] = distance
                    changed = True
    return count


@njit_no_refcount
def at_ends(
    person: Any, enters: Any, leaves: Any, at: Any, speed: Any, length: Any, nodes: Any, most: float, out_node: Any, out: Any,
    out_person: Any, out_arm: Any, link: Any,
) -> int:  # fmt: skip
    """When those on links are close to a node at an end of theirs; returns how many such times there are.

    Parameters:
        person, enters, leaves, at, speed: the stretches, as in `on_links`.
        length: of the link of each, metres (q,).
        nodes: nodes at the ends of that link (q, 2).
        most: the distance that is close, metres.
        out_node: the node of each (c,), filled here.
        out: from when to when, and distance and its change per ms at the first (c, 4), filled here.
        out_person, out_arm: who, and on which arm of the node (c,), filled here; a loop has two.
        link: the link of each stretch (q,).
    """
    size = 0
    for i in range(len(person)):
        for side in range(2):
            level = at[i] if side == 0 else length[i] - at[i]
            slope = speed[i] if side == 0 else -speed[i]
            first = while_below(level, slope, enters[i], leaves[i], most, 0)
            last = while_below(level, slope, enters[i], leaves[i], most, 1)
            if first > last:
                continue
            # A time of which rows are put in order exactly; no earlier than the stretch begins, which is a whole one.
            first = math.floor(first * TICKS) / TICKS
            out_node[size] = nodes[i, side]
            out[size, 0], out[size, 1] = first, last
            out[size, 2], out[size, 3] = max(level + slope * (first - enters[i]), 0.0), slope
            out_person[size], out_arm[size] = person[i], 2 * link[i] + (side if nodes[i, 0] == nodes[i, 1] else 0)
            size += 1
    return size


@njit_no_refcount
def first_from(times: Any, low: int, high: int, when: float) -> int:
    """The first row from `low` on that begins at a time or later; `high` where none does.

    Parameters:
        times: from when to when, and more (c, 4).
        low, high: the rows, ascending by when they begin.
        when: the time, ms.
    """
    while low < high:
        middle = (low + high) // 2
        if times[middle, 0] < when:
            low = middle + 1
        else:
            high = middle
    return low


@njit_no_refcount
def over_nodes(
    start: Any, times: Any, person: Any, arm: Any, edges: Any, most: float, base: int, near: Any, far: Any,
    who: Any, spans: Any,
) -> int:  # fmt: skip
    """Those who are close by way of nodes; returns how many spans there are, of which as many as have room are written.

    Parameters:
        start: offsets (n + 1,) of the times at each node, which ascend by their begin.
        times, person, arm: those times, as `at_ends` gives them.
        edges: the links at each node: offsets, targets and lengths.
        most: the distance that is close, metres.
        base: the moment from which on moments are counted.
        near, far: room for nodes near one, and their distances.
        who, spans: what is filled.
    """
    size = 0
    for node in range(len(start) - 1):
        if start[node] == start[node + 1]:
            continue
        count = near_nodes(edges[0], edges[1], edges[2], node, most, near, far)
        for which in range(count):
            other = near[which]
            if other < node:
                continue
            between = far[which]
            for i in range(start[node], start[node + 1]):
                # Of two times that overlap one begins while the other lasts.
                low = i + 1 if other == node else first_from(times, start[other], start[other + 1], times[i, 0])
                for j in range(low, start[other + 1]):
                    if times[j, 0] > times[i, 1]:
                        break
                    # On one arm the link itself tells of it.
                    if arm[i] == arm[j] and other == node:
                        continue
                    size = pair_at(times, person, i, j, between, most, base, who, spans, size)
            if other == node:
                continue
            for j in range(start[other], start[other + 1]):
                low = first_from(times, start[node], start[node + 1], times[j, 0])
                for i in range(low, start[node + 1]):
                    if times[i, 0] > times[j, 1]:
                        break
                    if times[i, 0] > times[j, 0]:
                        size = pair_at(times, person, i, j, between, most, base, who, spans, size)
    return size


@njit_no_refcount
def pair_at(
    times: Any, person: Any, i: int, j: int, between: float, most: float, base: int, who: Any, spans: Any, size: int,
) -> int:  # fmt: skip
    """Write when two near nodes are close by way of them; returns how many spans there are then.

    Parameters:
        times, person: times near nodes, and of whom.
        i, j: the two rows.
        between: metres between their nodes.
        most: the distance that is close, metres.
        base: the moment from which on moments are counted.
        who, spans: what is filled.
        size: how many spans there are.
    """
    begin, end = max(times[i, 0], times[j, 0]), min(times[i, 1], times[j, 1])
    level = (
        times[i, 2] + times[i, 3] * (begin - times[i, 0]) + times[j, 2] + times[j, 3] * (begin - times[j, 0]) + between
    )
    slope = times[i, 3] + times[j, 3]
    first, last = while_below(level, slope, begin, end, most, 0), while_below(level, slope, begin, end, most, 1)
    return put(who, spans, size, person[i], person[j], first, last, base) if first <= last else size


@njit_no_refcount
def by_person(who: Any, spans: Any, at: Any, out: Any) -> None:
    """Put spans where those of their person stand.

    Parameters:
        who: the lower number of the two (c,).
        spans: the spans (c,).
        at: where those of each person begin (n,); is moved on.
        out: what is filled (c,).
    """
    for i in range(len(who)):
        out[at[who[i]]] = spans[i]
        at[who[i]] += 1


@njit(cache=True, nogil=True)
def lasting(start: Any, spans: Any, persons: Any, least: int, out: Any) -> int:
    """Meetings of some persons that last long enough; spans that touch are one. Returns how many.

    Parameters:
        start: offsets (n + 1,) of the spans of each person; they are put in order here.
        spans: the spans (c,).
        persons: the first of the persons, and the one after the last.
        least: steps from the first moment to the last, at least.
        out: both, and first and last moment (c, 4), filled here from `start[persons[0]]` on.
    """
    size = start[persons[0]]
    for person in range(persons[0], persons[1]):
        own = spans[start[person] : start[person + 1]]
        own.sort()
        i = 0
        while i < len(own):
            pair, first = own[i] >> OTHER_SHIFT, (own[i] >> MOMENT_SHIFT) & (MOMENTS - 1)
            last = first + (own[i] & (MOMENTS - 1))
            j = i + 1
            while j < len(own) and own[j] >> OTHER_SHIFT == pair:
                begin = (own[j] >> MOMENT_SHIFT) & (MOMENTS - 1)
                if begin > last + 1:
                    break
                last = max(last, begin + (own[j] & (MOMENTS - 1)))
                j += 1
            if last - first >= least:
                out[size, 0], out[size, 1], out[size, 2], out[size, 3] = person, pair, first, last
                size += 1
            i = j
    return size - start[persons[0]]
