"""The kernel of what is passed on at meetings, one meeting after another in time."""

from __future__ import annotations

from typing import Any

from awl.core.kernels import njit_no_refcount

NEVER = -(1 << 62)
"""Since when those carry it who never do: no moment."""
NOBODY = -1


@njit_no_refcount
def run(
    first: Any, second: Any, when: Any, chance: Any, probability: float, recovery: int, since: Any, source: Any
) -> None:
    """Let meetings pass it on.

    Parameters:
        first, second: who meets (q,).
        when: the moments, ms (q,), ascending.
        chance: a number between 0 and 1 for each meeting (q,).
        probability: how likely it is passed on at a meeting.
        recovery: how long one carries it, ms; 0 for always.
        since: since when each carries it, ms (n,), `NEVER` for those who do not yet; filled on here.
        source: from whom each has it (n,), -1 where from nobody; filled on here.
    """
    for i in range(len(first)):
        if chance[i] >= probability:
            continue
        time = when[i]
        for turn in range(2):
            one, other = (first[i], second[i]) if turn == 0 else (second[i], first[i])
            # Who has it since this very moment passes it on later: so meetings of one moment can stand in any order.
            carries = since[one] != NEVER and since[one] < time and (recovery == 0 or time < since[one] + recovery)
            if carries and since[other] == NEVER:
                since[other], source[other] = time, one
