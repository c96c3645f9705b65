"""Places that fill up, person by person, with lists and a sorted agenda: the plain form of what the kernel does."""

from __future__ import annotations

import bisect
from typing import Any

import numpy as np

LEAVE, ARRIVE, GIVE_UP = range(3)


def fill_plainly(
    departs: Any,
    travel: Any,
    bound_for: Any,
    between: Any,
    capacity: Any,
    stay: Any,
    limit: int,
    rule: str,
    patience: int,
) -> dict[str, Any]:
    """Place, whether served, arrival, entry and end of everybody, and how often each place was full.

    `travel` and `between` are those of each person.
    """
    people = range(len(departs))
    place: list[int] = []
    arrives, enters, ends = ([-1] * len(departs) for _ in range(3))
    inside: list[set[int]] = [set() for _ in capacity]
    queue: list[list[int]] = [[] for _ in capacity]
    turned = [0] * len(capacity)
    tried: list[list[int]] = [[] for _ in people]
    agenda: list[tuple[int, int, int]] = []

    def nearest(times: Any, most: int, but: list[int]) -> int:
        open_ = [(int(times[i]), i) for i in range(len(times)) if i not in but and times[i] <= most]
        return min(open_)[1] if open_ else -1

    def enter(time: int, who: int) -> None:
        inside[place[who]].add(who)
        enters[who] = time
        bisect.insort(agenda, (time + int(stay[who]), LEAVE, who))

    for who in people:
        if bound_for[who] < 0:
            place.append(nearest(travel[who], limit, []))
        else:
            place.append(int(bound_for[who]) if travel[who][bound_for[who]] <= limit else -1)
        if place[who] >= 0:
            bisect.insort(agenda, (int(departs[who] + travel[who][place[who]]), ARRIVE, who))
    while agenda:
        time, kind, who = agenda.pop(0)
        here = place[who]
        if kind == LEAVE:
            inside[here].remove(who)
            ends[who] = time
            if queue[here]:
                enter(time, queue[here].pop(0))
        elif kind == ARRIVE:
            arrives[who] = time
            if len(inside[here]) < capacity[here]:
                enter(time, who)
                continue
            turned[here] += 1
            tried[who].append(here)
            if rule == "wait":
                queue[here].append(who)
                bisect.insort(agenda, (time + patience, GIVE_UP, who))
                continue
            other = (
                nearest(between[who][here], limit - (time - int(departs[who])), tried[who]) if rule == "next" else -1
            )
            if other < 0:
                ends[who] = time
            else:
                place[who] = other
                bisect.insort(agenda, (time + int(between[who][here][other]), ARRIVE, who))
        elif who in queue[here]:
            queue[here].remove(who)
            ends[who] = time
    return {
        "place": np.array(place), "served": np.array(enters) >= 0, "arrives_ms": np.array(arrives), "enters_ms": np.array(enters),
        "ends_ms": np.array(ends), "found_full": np.array([len(own) for own in tried]), "turned_away": np.array(turned),
    }  # fmt: skip
