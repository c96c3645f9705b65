"""What a run comes to in numbers, and what several come to together."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.simulation.filling import NEVER
from awl.core.analysis.simulation.meetings import Close, Met, met
from awl.core.analysis.simulation.moving import Passages
from awl.core.analysis.simulation.occupancy import Occupation, occupation, turned_away_by_time
from awl.core.analysis.simulation.over_runs import OverRuns, over_runs
from awl.core.analysis.simulation.passing import Passed, passed_on
from awl.core.graph.street_graph import StreetGraph
from awl.questions.simulate.drawing import Chance
from awl.questions.simulate.inputs import SimulateInputs
from awl.questions.simulate.runs import MINUTE_MS, ROOM_FOR_ALL, Run

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
FIGURES = {
    "people": ("People who set out", ""),
    "came_in": ("Came in", ""),
    "arrived": ("Arrived", ""),
    "without": ("Found no seat", ""),
    "found_full": ("Found a place full", ""),
    "no_way": ("No place within reach", ""),
    "travel_min": ("Mean time on the way", "min"),
    "wait_min": ("Mean wait of those who waited", "min"),
    "places_full": ("Places that were full", ""),
    "full_min": ("Time that places were full, in all", "min"),
    "meetings": ("Meetings", ""),
    "carried": ("Carried it at the end", ""),
}
"""Figures of a run: what they are, and their unit."""


@dataclass(frozen=True)
class Outcome:
    """Numbers of a run.

    Attributes:
        figures: by name, as `FIGURES` lists them.
        occupation: of each place; None where trips end anywhere.
    """

    figures: dict[str, float]
    occupation: Occupation | None


def outcome_of(run: Run, capacity: Ints | None, contact: Contact | None = None) -> Outcome:
    """What a run comes to; `capacity` is that of each place, without what the run adds."""
    filled = run.filled
    way = filled.place != NEVER
    waited = way & (filled.found_full > 0) & filled.served & (filled.enters_ms > filled.arrives_ms)
    travel = (filled.arrives_ms - filled.departs_ms)[way] / MINUTE_MS
    figures: dict[str, float] = {"people": len(run)}
    held = None
    if capacity is None:
        figures |= {"arrived": int(filled.served.sum())}
    else:
        room = np.clip(capacity + run.scenario.more_seats, 0, ROOM_FOR_ALL)
        held = occupation(filled, room)
        figures |= {
            "came_in": int(filled.served.sum()),
            "without": int((way & ~filled.served).sum()),
            "found_full": int((filled.found_full > 0).sum()),
            "places_full": int((held.first_full_ms != NEVER).sum()),
            "full_min": float(held.full_ms.sum()) / MINUTE_MS,
        }
        if waited.any():
            figures["wait_min"] = float((filled.enters_ms - filled.arrives_ms)[waited].mean()) / MINUTE_MS
    figures |= {"no_way": int((~way).sum()), "travel_min": float(travel.mean()) if len(travel) else float("nan")}
    if contact is not None:
        figures["meetings"] = len(contact.met)
        if contact.passed is not None:
            figures["carried"] = float(len(run) - contact.passed.counts_at(np.array([contact.until_ms]))[0, 0])
    return Outcome(figures, held)


@dataclass(frozen=True)
class Contact:
    """Who met whom in a run, and what was passed on.

    Attributes:
        met: the meetings.
        passed: who carries it; None where nothing is passed on.
        until_ms: when the last has arrived.
    """

    met: Met
    passed: Passed | None
    until_ms: int

    def without_meetings(self) -> Contact:
        """The same with none of its meetings: they are told of the first run alone."""
        none = np.zeros(0, np.int64)
        return replace(self, met=Met(none, none, none, none, none))


def contact_of(
    inputs: SimulateInputs, run: Run, passages: Passages, graph: StreetGraph, chance: Chance
) -> Contact | None:
    """Meetings of a run; None where they do not count."""
    if inputs.meet is None:
        return None
    meetings = met(with_waits(run, passages), graph, len(run), Close(inputs.meet, inputs.meet_for))
    until = int(max(run.filled.ends_ms.max(initial=0), passages.leaves_ms.max(initial=0)))
    passed = None
    if run.scenario.pass_on is not None and len(run):
        rng = chance.stream("passing on")
        carriers = rng.permutation(len(run))[: min(inputs.carriers, len(run))]
        begin = int(run.filled.departs_ms.min()) // MINUTE_MS * MINUTE_MS
        recovery = 0 if inputs.recovery is None else round(inputs.recovery * MINUTE_MS)
        passed = passed_on(len(run), meetings.meetings, carriers, run.scenario.pass_on / 100, recovery, begin, rng)
    return Contact(meetings, passed, until)


def with_waits(run: Run, passages: Passages) -> Passages:
    """The same, and those who wait before a place: where their way there ended, until they come in or give up."""
    if not len(passages):
        return passages
    filled = run.filled
    last = np.searchsorted(passages.person, np.arange(len(run)), side="right") - 1
    there = np.flatnonzero(last >= 0)
    there = there[passages.person[last[there]] == there]
    leaves = np.where(filled.served, filled.enters_ms, filled.ends_ms)
    waits = there[leaves[there] > filled.arrives_ms[there]]
    if len(waits) == 0:
        return passages
    at = last[waits]
    end = passages.end[at]
    standing = Passages(waits, passages.link[at], end, end, passages.leaves_ms[at], leaves[waits])
    return Passages.joined([passages, standing])


@dataclass(frozen=True)
class Clock:
    """Moments of the day at which numbers over time are told.

    Attributes:
        step_min: minutes between them.
        minutes: minutes since midnight (t,).
    """

    step_min: int
    minutes: Ints

    @property
    def ms(self) -> Ints:
        """The same in ms."""
        return self.minutes * MINUTE_MS

    def words(self) -> list[str]:
        """The same as clock times."""
        return [clock_word(minute) for minute in self.minutes.tolist()]


def clock_word(minute: float) -> str:
    """13:05; of the day after 25:05."""
    return f"{int(minute) // 60:02d}:{int(minute) % 60:02d}"


STEPS = (1, 5, 15, 30, 60)
MOST_MOMENTS = 100


def clock_of(runs: Sequence[Run], begin_ms: int, step_min: int | None = None) -> Clock:
    """Moments from the begin of the window until all runs are over."""
    lasts = [max(run.filled.ends_ms.max(initial=0), run.filled.departs_ms.max(initial=0)) for run in runs]
    end = max(begin_ms, *map(int, lasts))
    first = begin_ms // MINUTE_MS
    span = -(-end // MINUTE_MS) - first
    step = step_min or next((one for one in STEPS if span / one <= MOST_MOMENTS), STEPS[-1])
    first -= first % step
    return Clock(step, first + step * np.arange(-(-(end // MINUTE_MS + 1 - first) // step) + 1))


@dataclass(frozen=True)
class OverTime:
    """Numbers over time, of several runs: states (7, t), and of each place who is inside and was turned away (k, t)."""

    clock: Clock
    states: OverRuns
    inside: OverRuns
    turned_away: OverRuns


def over_time(runs: Sequence[Run], places: int, clock: Clock) -> OverTime:
    """What runs come to over time."""
    edges = np.append(clock.ms, clock.ms[-1] + clock.step_min * MINUTE_MS)
    return OverTime(
        clock,
        over_runs(np.stack([run.filled.states_at(clock.ms) for run in runs])),
        over_runs(np.stack([run.filled.occupancy(clock.ms, places) for run in runs])),
        over_runs(np.stack([turned_away_by_time(run.filled, places, edges) for run in runs])),
    )


def together(outcomes: Sequence[Outcome]) -> dict[str, OverRuns]:
    """Figures of several runs, by name."""
    names = [name for name in FIGURES if any(name in one.figures for one in outcomes)]
    return {name: over_runs(np.array([[one.figures.get(name, np.nan)] for one in outcomes])) for name in names}
