"""What runs of a simulation are drawn from: who sets out from where, for where, by which mode, and when."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.simulation.demand import sampled_starts
from awl.core.progress import Progress
from awl.questions.context import Context, Places
from awl.questions.results import Doubt
from awl.questions.simulate.inputs import SimulateInputs
from awl.questions.simulate.movers import Mover

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
MINUTE_MS = 60_000
MANY = 1000
"""Searches of a mode for which its hierarchy is worth waiting for."""
SHAPES: dict[str, Floats] = {
    "evenly": np.ones(1),
    "middle": np.minimum(np.arange(1.0, 25.0), np.arange(24.0, 0.0, -1.0)),
    "early": np.arange(24.0, 0.0, -1.0),
}
"""How starts are spread over equal parts of the window."""


@dataclass(frozen=True)
class Chance:
    """The chance of one run.

    Attributes:
        seed: that of the question.
        run: the number of the run.
    """

    seed: int
    run: int

    def stream(self, name: str) -> np.random.Generator:
        """The source of what one thing is drawn from: the same each time, whatever else is drawn.

        Parameters:
            name: what is drawn.
        """
        return np.random.default_rng([self.seed, self.run, *name.encode()])


@dataclass(frozen=True)
class Drawn:
    """People of one run (n,) who set out.

    Attributes:
        mover: by which mode, a row of the movers.
        origin: from where, a row of the origins of that mover.
        goal: for where, a row of its goals; -1 for the nearest.
        departs_ms: when, ms since midnight.
        at_home: how many stay at home, in addition.
    """

    mover: Ints
    origin: Ints
    goal: Ints
    departs_ms: Ints
    at_home: int

    def __len__(self) -> int:
        return len(self.mover)


@dataclass
class Demand:
    """What runs are drawn from.

    Attributes:
        movers: one for each mode.
        weight: how many set out from each origin of each mover (h,).
        draws_goal: gives the goals of people by mover, origins and chance; None where people go to the nearest.
        names: what each origin is called: values and their row for each origin, by mover.
        goals: the places that fill up; None where trips end anywhere.
        begin_ms, end_ms: the window.
        shape: how starts are spread over it.
        fixed: of trips of a table: origin, mode and start of each, -1 for a start by chance.
        total: how many there are.
        words: who sets out and for where.
        method: how it was found out.
        doubts: of origins and goals.
    """

    movers: list[Mover]
    shares: Floats
    weight: list[Floats]
    goals: Places | None
    begin_ms: int
    end_ms: int
    shape: Floats
    total: float
    words: str
    who: str
    method: list[str]
    doubts: list[Doubt]
    names: list[tuple[list[str], Ints]]
    draws_goal: Callable[[int, Ints, Floats], Ints] | None = None
    fixed: Fixed | None = None

    def draw(self, people: int | None, at_home_percent: float, chance: Chance) -> Drawn:
        """People of a run: the same for the same chance, and the first of them the same however many there are."""
        streams = [chance.stream(name) for name in ("home", "place", "mode", "start", "goal")]
        count = round(self.total) if people is None else people
        if self.fixed is not None and people is None:
            rows = np.repeat(np.arange(len(self.fixed.count)), self.fixed.count)
        else:
            rows = None
        count = count if rows is None else len(rows)
        stays = streams[0].random(count) < at_home_percent / 100
        place = streams[1].random(count)
        mover = np.searchsorted(np.cumsum(self.shares) / self.shares.sum(), streams[2].random(count), side="right")
        mover = np.minimum(mover, len(self.movers) - 1)
        departs = sampled_starts(self.begin_ms, self.end_ms, self.shape, count, streams[3])
        if self.fixed is not None:
            rows = drawn_rows(self.weight[0], place) if rows is None else rows
            mover = np.where(self.fixed.mover[rows] >= 0, self.fixed.mover[rows], mover)
            departs = np.where(self.fixed.departs_ms[rows] >= 0, self.fixed.departs_ms[rows], departs)
            origin, goal = rows, self.fixed.goal[rows]
        else:
            origin, goal = np.zeros(count, np.int64), np.full(count, -1, np.int64)
            toward = streams[4].random(count)
            for nth in range(len(self.movers)):
                by_mover = mover == nth
                origin[by_mover] = drawn_rows(self.weight[nth], place[by_mover])
                if self.draws_goal is not None:
                    goal[by_mover] = self.draws_goal(nth, origin[by_mover], toward[by_mover])
        riding = np.array([one.rides for one in self.movers])[mover]
        # Timetables are searched minute by minute.
        departs = np.where(riding, departs // MINUTE_MS * MINUTE_MS, departs)
        out = ~stays
        return Drawn(mover[out], origin[out], goal[out], departs[out], int(stays.sum()))


@dataclass(frozen=True)
class Fixed:
    """Trips of a table (l,).

    Attributes:
        count: how many make each.
        goal: the goal of each.
        mover: by which mode, -1 where it does not say.
        departs_ms: when, -1 where it does not say.
    """

    count: Ints
    goal: Ints
    mover: Ints
    departs_ms: Ints


def drawn_rows(weight: Floats, chance: Floats) -> Ints:
    """Rows (n,) drawn by their weight.

    Parameters:
        weight: the weight of each row (h,), not all zero.
        chance: numbers between 0 and 1 (n,).
    """
    cumulative = np.cumsum(weight)
    rows = np.searchsorted(cumulative, chance * cumulative[-1], side="right")
    return np.minimum(rows, int(np.flatnonzero(weight)[-1]))


def contexts_of(inputs: SimulateInputs, context: Context) -> tuple[list[Context], Floats]:
    """What each mode works with, the one of the question first, and the share of people of each."""
    others = inputs.modes or {}
    contexts = [context]
    contexts += [
        context.beside(inputs.model_copy(update={"mode": mode}), context.progress)
        for mode in others
        if mode != inputs.mode
    ]
    for own in contexts[1:]:
        own.prepare_for(MANY)
    shares = [100.0 - sum(share for mode, share in others.items() if mode != inputs.mode)]
    shares += [share for mode, share in others.items() if mode != inputs.mode]
    return contexts, np.array(shares)


def find_all_times(demand: Demand, progress: Progress) -> None:
    """Work out all times to places that runs may need."""
    count = len(demand.movers)
    for nth, (mover, weight) in enumerate(zip(demand.movers, demand.weight, strict=True)):
        if mover.times_ms.size == 0:
            mover.find_times(weight > 0, progress.part(nth / count, (nth + 1) / count))
