"""The kernel of places that fill up: arrivals, departures and ends of patience, one after another in time."""

from __future__ import annotations

from typing import Any

from awl.core.kernels import njit_no_refcount
from awl.core.routing.dijkstra.heap import popped, pushed

LEAVE, ARRIVE, GIVE_UP = 0, 1, 2
"""Kinds of events, in the order in which those of one moment happen: a seat that is left can be taken at once."""
AGENT_BITS = 24
WAIT, NEXT, GO_HOME = 0, 1, 2
"""What those do who find a place full."""
NO_WAY, SERVED, GAVE_UP = 0, 1, 2
"""What becomes of people."""
IN_QUEUE = 3
NOBODY = -1


@njit_no_refcount
def event(time: int, kind: int, agent: int) -> int:
    """An event as a key of the heap: by time, then kind, then person.

    Parameters:
        time: milliseconds.
        kind: the kind.
        agent: the person.
    """
    return (((time << 2) | kind) << AGENT_BITS) | agent


@njit_no_refcount
def run(
    departs: Any, travel: Any, row: Any, bound_for: Any, between: Any, group: Any, capacity: Any, stay: Any, limits: Any,
    rule: int, tried: Any, tried_at: Any, people: Any, places: Any, events: Any,
) -> int:  # fmt: skip
    """Let people go; returns how many events happened.

    Parameters:
        departs: when each sets out, ms (n,).
        travel: time from each origin to each place, ms (h, k); above the limit where there is no way.
        row: the origin of each (n,).
        bound_for: the place that each goes to first (n,); the nearest where it is nobody's number.
        between: time from place to place of each way of going on, ms (g, k, k).
        group: how each goes on (n,).
        capacity: seats of each place (k,).
        stay: how long each stays, ms (n,).
        limits: longest travelling and longest waiting, ms (2,).
        rule: what those do who find a place full.
        tried: places that each has found full (n, most), filled here.
        tried_at: when each was found full, ms (n, most), filled here.
        people: place, outcome, arrival, entry, end, places found full and who stands behind, of each (7, n); filled here.
        places: how many are inside and were turned away, first and last of those who wait (4, k); filled here.
        events: room for the heap, two for each person and one more.
    """
    size, happened = 0, 0
    limit, patience = limits[0], limits[1]
    waits_for = places[3]
    for agent in range(len(departs)):
        times = travel[row[agent]]
        place = bound_for[agent]
        if place == NOBODY:
            place = nearest(times, limit, tried[agent], 0)
        elif times[place] > limit:
            place = NOBODY
        people[0, agent] = place
        if place == NOBODY:
            people[1, agent] = NO_WAY
            continue
        people[5, agent] = 0
        size = pushed(events, size, event(departs[agent] + times[place], ARRIVE, agent))
    while size > 0:
        key = events[0]
        size = popped(events, size)
        happened += 1
        agent = key & ((1 << AGENT_BITS) - 1)
        kind = (key >> AGENT_BITS) & 3
        time = key >> (AGENT_BITS + 2)
        place = people[0, agent]
        if kind == LEAVE:
            people[4, agent] = time
            places[0, place] -= 1
            # The next who still waits comes in.
            follower = places[2, place]
            while follower != NOBODY and people[1, follower] != IN_QUEUE:
                follower = people[6, follower]
            if follower == NOBODY:
                places[2, place] = NOBODY
                waits_for[place] = NOBODY
                continue
            places[2, place] = people[6, follower]
            if places[2, place] == NOBODY:
                waits_for[place] = NOBODY
            people[1, follower] = SERVED
            people[3, follower] = time
            places[0, place] += 1
            size = pushed(events, size, event(time + stay[follower], LEAVE, follower))
        elif kind == ARRIVE:
            people[2, agent] = time
            if places[0, place] < capacity[place]:
                people[1, agent] = SERVED
                people[3, agent] = time
                places[0, place] += 1
                size = pushed(events, size, event(time + stay[agent], LEAVE, agent))
                continue
            places[1, place] += 1
            count = people[5, agent]
            people[5, agent] = count + 1
            if count < tried.shape[1]:
                tried[agent, count], tried_at[agent, count] = place, time
            if rule == WAIT:
                people[1, agent] = IN_QUEUE
                people[6, agent] = NOBODY
                last = waits_for[place]
                if last == NOBODY:
                    places[2, place] = agent
                else:
                    people[6, last] = agent
                waits_for[place] = agent
                size = pushed(events, size, event(time + patience, GIVE_UP, agent))
                continue
            other = NOBODY
            if rule == NEXT and count < tried.shape[1]:
                left = limit - (time - departs[agent])
                other = nearest(between[group[agent], place], left, tried[agent], count + 1)
            if other == NOBODY:
                people[1, agent] = GAVE_UP
                people[4, agent] = time
                continue
            people[0, agent] = other
            size = pushed(events, size, event(time + between[group[agent], place, other], ARRIVE, agent))
        elif people[1, agent] == IN_QUEUE:
            people[1, agent] = GAVE_UP
            people[4, agent] = time
    return happened


@njit_no_refcount
def nearest(times: Any, limit: int, tried: Any, count: int) -> int:
    """The place that is reached soonest within a limit, but for those tried; nobody's number where there is none.

    Parameters:
        times: time to each place (k,).
        limit: the longest time.
        tried: places that were found full, the first `count` of them.
        count: how many.
    """
    best, least = NOBODY, limit + 1
    for place in range(len(times)):
        if times[place] >= least:
            continue
        known = False
        for i in range(count):
            if tried[i] == place:
                known = True
        if not known:
            best, least = place, times[place]
    return best
