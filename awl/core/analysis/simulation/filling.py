"""Places that fill up: who goes where, who finds it full, waits, goes on or gives up, and when each place holds how many.

Events follow each other in time; of those of one moment seats are left first, then people arrive, then patience ends, and people
of one kind in the order of their numbers. So a run is the same whatever computes it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.simulation import filling_kernel as kernel
from awl.core.errors import AwlError

Ints = NDArray[np.int64]
WhenFull = Literal["wait", "next", "leave"]
RULES: dict[str, int] = {"wait": kernel.WAIT, "next": kernel.NEXT, "leave": kernel.GO_HOME}
MOST_TRIED = 16
"""Places that one person tries at most."""
MOST_PEOPLE = 1 << kernel.AGENT_BITS
MOST_MS = 1 << 36
"""No time is later, two years: events are whole numbers in which it must fit."""
NEVER = -1
STATES = ("not started", "travelling", "waiting", "inside", "left", "gave up", "no way")
"""What people are doing at a moment, in the order of the rows of `states_at`."""


@dataclass(frozen=True)
class Crowd:
    """People who set out.

    Attributes:
        departs_ms: when each sets out (n,).
        origin: where each sets out from (n,), a row of `travel_ms`.
        travel_ms: time from each origin to each place (h, k); more than any limit where there is no way.
        stay_ms: how long each stays (n,).
        bound_for: the place each goes to first (n,), -1 for the nearest; so for all where it is left out.
        goes_on: how each goes on from a place that is full (n,), a row of `Rooms.between_ms`; alike where left out.
    """

    departs_ms: Ints
    origin: Ints
    travel_ms: Ints
    stay_ms: Ints
    bound_for: Ints | None = None
    goes_on: Ints | None = None

    def __len__(self) -> int:
        return len(self.departs_ms)


@dataclass(frozen=True)
class Rooms:
    """Places with room for so many.

    Attributes:
        capacity: how many may be inside at once (k,).
        between_ms: time from each place to each other, for each way of going on (g, k, k).
    """

    capacity: Ints
    between_ms: Ints


@dataclass(frozen=True)
class Conduct:
    """What people do.

    Attributes:
        limit_ms: how long each travels at most, in all.
        when_full: what those do who find a place full: wait before it, go to the next within what is left of the limit, or leave.
        patience_ms: how long one waits at most.
    """

    limit_ms: int
    when_full: WhenFull = "next"
    patience_ms: int = 0


@dataclass(frozen=True)
class Filled:
    """What became of each (n,).

    Attributes:
        departs_ms: when each set out.
        place: the place each went to last; -1 for those with none within the limit.
        served: whether each came in.
        arrives_ms: when each arrived there last, -1 for never.
        enters_ms: when each came in, -1 for never.
        ends_ms: when each left, or gave up; -1 for those with no way.
        found_full: how many places each found full.
        full: the places that each found full, in order (n, most); -1 behind the last.
        full_ms: when that was (n, most).
        turned_away: how often each place was found full (k,).
        events: how many events there were.
    """

    departs_ms: Ints
    place: Ints
    served: NDArray[np.bool_]
    arrives_ms: Ints
    enters_ms: Ints
    ends_ms: Ints
    found_full: Ints
    full: Ints
    full_ms: Ints
    turned_away: Ints
    events: int

    def states_at(self, times_ms: Ints) -> Ints:
        """How many are in each of `STATES` at moments (7, t); their sum is everybody, always.

        Parameters:
            times_ms: the moments (t,).
        """
        has_way = self.place != NEVER
        waited = has_way & ((self.enters_ms > self.arrives_ms) | ~self.served)
        last = np.where(self.served, self.enters_ms, self.ends_ms)
        begun = _until(self.departs_ms[has_way], times_ms)
        there = _until(self.arrives_ms[waited], times_ms) + _until(last[has_way & ~waited], times_ms)
        inside, out = _until(self.enters_ms[self.served], times_ms), _until(self.ends_ms[self.served], times_ms)
        gave_up = _until(self.ends_ms[has_way & ~self.served], times_ms)
        in_queue = there - inside - gave_up
        counts = [has_way.sum() - begun, begun - there, in_queue, inside - out, out, gave_up]
        return np.vstack([*counts, np.full(len(times_ms), (~has_way).sum())])

    def occupancy(self, times_ms: Ints, places: int) -> Ints:
        """How many are inside each place at moments (k, t).

        Parameters:
            times_ms: the moments (t,).
            places: how many places there are.
        """
        rows = np.zeros((places, len(times_ms)), np.int64)
        for place in range(places):
            own = self.served & (self.place == place)
            rows[place] = _until(self.enters_ms[own], times_ms) - _until(self.ends_ms[own], times_ms)
        return rows


def _until(when: Ints, times: Ints) -> Ints:
    """How many of some moments are not after each of others."""
    return np.searchsorted(np.sort(when), times, side="right").astype(np.int64)


def fill(crowd: Crowd, rooms: Rooms, conduct: Conduct) -> Filled:
    """Let everybody go to the nearest place or that they are bound for, and on from there as the rule says. Time n k and n log n.

    Parameters:
        crowd: the people.
        rooms: the places.
        conduct: what they do.

    Raises:
        AwlError: there are too many people, or a time is too late.
    """
    count, places = len(crowd), crowd.travel_ms.shape[1]
    if count >= MOST_PEOPLE:
        raise AwlError(
            f"{count:,} people are more than {MOST_PEOPLE - 1:,}", remedy="Simulate fewer", inputs=("people",)
        )
    latest = (
        int(crowd.departs_ms.max(initial=0))
        + conduct.limit_ms
        + conduct.patience_ms
        + int(crowd.stay_ms.max(initial=0))
    )
    if latest * 2 >= MOST_MS or min(crowd.departs_ms.min(initial=0), crowd.stay_ms.min(initial=0)) < 0:
        raise AwlError("A time of the simulation is before its begin or years after it", remedy="Use shorter times")
    people = np.full((7, count), NEVER, np.int64)
    state = np.zeros((4, places), np.int64)
    state[2:] = kernel.NOBODY
    tried = np.full((count, min(places, MOST_TRIED)), kernel.NOBODY, np.int64)
    tried_at = np.full(tried.shape, NEVER, np.int64)
    bound_for = np.full(count, kernel.NOBODY, np.int64) if crowd.bound_for is None else crowd.bound_for
    goes_on = np.zeros(count, np.int64) if crowd.goes_on is None else crowd.goes_on
    events = kernel.run(
        crowd.departs_ms, crowd.travel_ms, crowd.origin, bound_for, rooms.between_ms, goes_on, rooms.capacity, crowd.stay_ms,
        np.array([conduct.limit_ms, conduct.patience_ms], np.int64), RULES[conduct.when_full], tried, tried_at, people, state,
        np.empty(2 * count + 1, np.int64),
    )  # fmt: skip
    served = people[1] == kernel.SERVED
    # Most find few places full: columns in which nobody stands are not kept.
    most = min(int(people[5].max(initial=0)), tried.shape[1])
    return Filled(
        crowd.departs_ms,
        people[0],
        served,
        people[2],
        people[3],
        people[4],
        np.maximum(people[5], 0),
        tried[:, :most].copy(),
        tried_at[:, :most].copy(),
        state[1],
        int(events),
    )
