"""What plain kernels are given together: steps, where searches begin and end, and what they fill."""

from __future__ import annotations

from typing import Any, NamedTuple


class Steps(NamedTuple):
    """Steps by the state they leave: those of state i are `start[i]` to `start[i + 1]`.

    Attributes:
        start: offsets (s + 1,).
        head: the state (r,) each leads to.
        cost: its cost (r,).
        far: its accumulated cost (r,).
    """

    start: Any
    head: Any
    cost: Any
    far: Any


class SourceStates(NamedTuple):
    """States (q,) at which a search begins, with cost, accumulated cost, and the place each belongs to."""

    state: Any
    cost: Any
    far: Any
    owner: Any


class SearchLabels(NamedTuple):
    """What a search fills.

    Attributes:
        label: (s,) cost and owner in one number, filled with `NO_LABEL` before.
        far: (s,) accumulated costs, 0 before; or empty.
        entry: (s,) row of the step by which each state was reached, -1 before and at a seed; or empty.
    """

    label: Any
    far: Any
    entry: Any


class PlaceStates(NamedTuple):
    """States by the place they belong to: those of place i are `start[i]` to `start[i + 1]`, with costs to or from it."""

    start: Any
    state: Any
    cost: Any
    far: Any


class ClockSteps(NamedTuple):
    """Steps by the state they leave, timed by curves.

    Attributes:
        start: offsets (s + 1,).
        head: the state (r,) each leads to.
        free_ms: what it takes in free flow, in ms; negative where barred.
        delay_ms: the delay before it, in ms.
        curve: the row (r,) of the curve of its link.
    """

    start: Any
    head: Any
    free_ms: Any
    delay_ms: Any
    curve: Any


class Curves(NamedTuple):
    """Curves of a day (c, 25): the share of free-flow speed at each full hour, and the free-flow time done by then, in ms."""

    share: Any
    done: Any


class ClockSources(NamedTuple):
    """States (q,) at which a search by the clock begins, with the time there in ms since midnight."""

    state: Any
    time: Any


class ClockGoals(NamedTuple):
    """States (q,) from which the goal is reached: free-flow time and delay of the rest of the way in ms, and its curve."""

    state: Any
    free_ms: Any
    delay_ms: Any
    curve: Any


class ClockLabels(NamedTuple):
    """What a search by the clock fills: earliest times (s,) in ms since midnight, and rows of steps (s,)."""

    label: Any
    entry: Any
