"""Something that is passed on at meetings: who carries it when, and how many do over time.

Source: W. O. Kermack, A. G. McKendrick, *A contribution to the mathematical theory of epidemics*, Proc. R. Soc. A 115 (1927),
the general model of those who can take it on, carry it and have recovered; without recovery, in complete mixing, the logistic
curve of P. F. Verhulst (1838).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.simulation import passing_kernel as kernel
from awl.core.errors import AwlError

Ints = NDArray[np.int64]
NEVER = kernel.NEVER
"""Since when those carry it who never do."""


@dataclass(frozen=True)
class Meetings:
    """Who meets whom when.

    Attributes:
        first, second: the two (q,).
        when_ms: the moment (q,), ascending.
    """

    first: Ints
    second: Ints
    when_ms: Ints


@dataclass(frozen=True)
class Passed:
    """Who carries it.

    Attributes:
        since_ms: since when each carries it (n,), `NEVER` for never; from a moment before the begin on for some.
        source: from whom each has it (n,); -1 for nobody.
        recovery_ms: how long one carries it; 0 for always.
    """

    since_ms: Ints
    source: Ints
    recovery_ms: int

    def counts_at(self, times_ms: Ints) -> Ints:
        """How many can still take it on, carry it, and have recovered (3, t); their sum is everybody.

        Parameters:
            times_ms: the moments (t,).
        """
        took = np.sort(self.since_ms[self.since_ms != NEVER])
        taken = np.searchsorted(took, times_ms, side="right")
        over = (
            np.searchsorted(took + self.recovery_ms, times_ms, side="right")
            if self.recovery_ms
            else np.zeros_like(taken)
        )
        return np.vstack([len(self.since_ms) - taken, taken - over, over]).astype(np.int64)


def passed_on(
    people: int,
    meetings: Meetings,
    begin_with: Ints,
    probability: float,
    recovery_ms: int,
    begin_ms: int,
    rng: np.random.Generator,
) -> Passed:
    """Let it be passed on at meetings, each with the same probability. Time q.

    Parameters:
        people: how many there are.
        meetings: who meets whom when.
        begin_with: who carries it at the begin.
        probability: how likely it is passed on at a meeting.
        recovery_ms: how long one carries it; 0 for always.
        begin_ms: when it begins; meetings before are none.
        rng: the source of chance: equal ones give equal results.

    Raises:
        AwlError: meetings are not in order of time, or begin too early.
    """
    if len(meetings.when_ms) and ((np.diff(meetings.when_ms) < 0).any() or meetings.when_ms[0] < begin_ms):
        raise AwlError("Meetings are not in order of time after the begin", remedy="Sort them", inputs=("meetings",))
    since, source = np.full(people, NEVER, np.int64), np.full(people, kernel.NOBODY, np.int64)
    # A moment before the begin, so that it can be passed on at a meeting of the begin itself.
    since[begin_with] = begin_ms - 1
    chance = rng.random(len(meetings.first))
    kernel.run(meetings.first, meetings.second, meetings.when_ms, chance, probability, recovery_ms, since, source)
    return Passed(since, source, recovery_ms)
