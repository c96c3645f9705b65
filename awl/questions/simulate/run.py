"""How a simulation is run: who sets out, run by run, what that comes to, and what a sweep shows."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.simulation.moving import Passages
from awl.core.analysis.simulation.over_runs import OverRuns
from awl.core.errors import AwlError
from awl.core.progress import Progress, raise_if_cancelled, threads_of
from awl.questions.context import Context, Places
from awl.questions.offers import offer_of
from awl.questions.results import Doubt, Part, Result, counted
from awl.questions.simulate import tables
from awl.questions.simulate.demand import demand_of
from awl.questions.simulate.drawing import Demand, find_all_times
from awl.questions.simulate.inputs import SimulateInputs
from awl.questions.simulate.loads import Loads, LoadSum, by_time_table, street_table
from awl.questions.simulate.outcome import (
    Contact,
    Outcome,
    OverTime,
    clock_of,
    contact_of,
    outcome_of,
    over_time,
    together,
)
from awl.questions.simulate.playback import Playback, position_table, track_table
from awl.questions.simulate.runs import ROOM_FOR_ALL, Run, Scenario, Simulator, check_size
from awl.questions.simulate.tables import Step

Ints = NDArray[np.int64]
AT_ONCE = 8
ANY_DAY = "2000-01-01"
"""Stands in files that need a date for that of a question without one."""


@dataclass
class SimulateResult(Result):
    """What happens when many set out.

    Attributes:
        mode: the title of the mode.
        words: for where.
        who: who sets out.
        runs: how many runs there were.
        figures: figures over the runs, by name.
        times: numbers over time.
        places: the places; None where trips end anywhere.
        room: how many each holds (k,).
        busiest: the street with most people, and how many.
        steps: of a sweep.
        contagion: names of the states where something is passed on, else none.
        playback: gives what is played on the map.
    """

    mode: str
    words: str
    who: str
    runs: int
    figures: dict[str, OverRuns]
    times: OverTime
    places: Places | None
    room: Ints
    busiest: tuple[float, str] | None
    steps: list[Step]
    contagion: list[str]
    playback: Callable[[], Playback]


def run_simulate(inputs: SimulateInputs, context: Context) -> SimulateResult:
    """Let many set out, as often as asked for, and for each step of a sweep."""
    progress = context.progress
    demand = demand_of(inputs, context)
    check_size(inputs, demand)
    if demand.goals is not None:
        find_all_times(demand, progress.part(0.0, 0.2))
    capacity = capacity_of(inputs, demand)
    simulator = Simulator(inputs, demand, capacity)
    batch = _Runs(inputs, simulator, capacity, context, progress)
    runs, outcomes = batch.base(progress.part(0.2, 0.7 if inputs.sweep else 0.95))
    steps = batch.sweep(progress.part(0.7, 0.95)) if inputs.sweep else []
    progress.step(0.96, "Summing up")
    graph = context.network.graph
    loads = batch.loads.loads()
    places = demand.goals
    count = 0 if places is None else len(places)
    clock = clock_of(runs, int(min(run.filled.departs_ms.min(initial=demand.end_ms) for run in runs)))
    times = over_time(runs, count, clock)
    figures = together(outcomes)
    room = np.zeros(0, np.int64) if capacity is None else np.clip(capacity + inputs.more_seats, 0, ROOM_FOR_ALL)
    first = batch.contacts[0]
    parts: dict[str, Part] = {}
    if places is not None:
        parts |= {
            "places": tables.place_table(context, places, simulator, outcomes, runs, room),
            "occupancy": tables.occupancy_table(places, times, room, len(runs)),
        }
    parts |= {
        "trips": lambda: tables.people_table(runs[0], simulator, first, inputs.states),
        "streets": street_table(graph, loads),
        "streets_by_time": lambda: by_time_table(graph, loads),
        "states": tables.states_table(times, len(runs)),
    }
    if places is not None:
        parts["turned_away"] = lambda: tables.turned_away_table(runs[0], places)
    if steps:
        parts["curves"] = tables.curve_table(steps, inputs)
        parts["grid"] = tables.grid_table(steps, inputs)
    passed = [one for one in batch.contacts if one is not None and one.passed is not None]
    if first is not None:
        parts["meetings"] = lambda: tables.meeting_table(first)
    if passed:
        parts["contagion"] = tables.contagion_table(passed, clock, inputs.states)
    day = f"{context.when:%Y-%m-%d}" if context.when else ANY_DAY
    playback = _Once(lambda: Playback(runs[0], simulator, batch.first_passages, clock, first, inputs.states, room, day))
    parts |= {"positions": lambda: position_table(playback()), "tracks": lambda: track_table(playback())}
    return SimulateResult(
        summary=_summary(inputs, figures, steps),
        parts=parts,
        doubts=_doubts(inputs, demand, figures, context),
        method=[*context.notes, *demand.method, *_method(inputs, demand, places)],
        mode=_modes(demand),
        words=demand.words,
        who=demand.who,
        runs=inputs.runs,
        figures=figures,
        times=times,
        places=places,
        room=room,
        busiest=_busiest(loads, context),
        steps=steps,
        contagion=list(inputs.states) if passed else [],
        playback=playback,
    )  # fmt: skip


def _modes(demand: Demand) -> str:
    titles = [mover.context.mode.title for mover in demand.movers]
    return " and ".join([titles[0], *(title.lower() for title in titles[1:])])


class _Once:
    """Makes something once, when it is wanted."""

    def __init__(self, make: Callable[[], Playback]) -> None:
        self._make = make
        self._made: Playback | None = None

    def __call__(self) -> Playback:
        if self._made is None:
            self._made = self._make()
        return self._made


class _Runs:
    """The runs of a question."""

    def __init__(
        self, inputs: SimulateInputs, simulator: Simulator, capacity: Ints | None, context: Context, progress: Progress
    ) -> None:
        self._inputs, self._simulator, self._capacity = inputs, simulator, capacity
        self._graph = context.network.graph
        self._chances = simulator.chances(inputs.runs)
        self.contacts: list[Contact | None] = []
        self.first_passages: Passages
        self.loads: LoadSum

    def base(self, progress: Progress) -> tuple[list[Run], list[Outcome]]:
        """Those of the question itself, with everybody's way."""
        runs = self._made(Scenario.of(self._inputs), progress.part(0.0, 0.3))
        begin = min(int(run.filled.departs_ms.min(initial=self._simulator.demand.end_ms)) for run in runs)
        end = max(int(run.filled.arrives_ms.max(initial=begin)) for run in runs)
        self.loads = LoadSum(self._graph.link_count, len(runs), begin, end)
        outcomes = []
        passages = self._simulator.passages(runs, progress.part(0.3, 0.95))
        for nth, (run, own) in enumerate(zip(runs, passages, strict=True)):
            raise_if_cancelled()
            self.loads.add(own)
            contact = contact_of(self._inputs, run, own, self._graph, self._chances[nth])
            outcomes.append(outcome_of(run, self._capacity, contact))
            if nth == 0:
                self.first_passages = own
            self.contacts.append(contact if nth == 0 or contact is None else contact.without_meetings())
        return runs, outcomes

    def sweep(self, progress: Progress) -> list[Step]:
        """Those of each step of the sweep: ways count only where meetings do."""
        assert self._inputs.sweep is not None
        names: list[str] = [*self._inputs.sweep]
        combinations = list(itertools.product(*self._inputs.sweep.values()))
        steps = []
        for nth, chosen in enumerate(combinations):
            values = dict(zip(names, chosen, strict=True))
            runs = self._made(Scenario.of(self._inputs).with_values(values), Progress())
            steps.append(Step(values, together(self._outcomes(runs))))
            progress.step((nth + 1) / len(combinations), f"step {nth + 1} of {len(combinations)} of the sweep")
        return steps

    def _outcomes(self, runs: Sequence[Run]) -> list[Outcome]:
        if self._inputs.meet is None:
            return [outcome_of(run, self._capacity) for run in runs]
        outcomes = []
        ways = self._simulator.passages(runs, Progress())
        for run, own, chance in zip(runs, ways, self._chances, strict=True):
            raise_if_cancelled()
            contact = contact_of(self._inputs, run, own, self._graph, chance)
            outcomes.append(outcome_of(run, self._capacity, contact))
        return outcomes

    def _made(self, scenario: Scenario, progress: Progress) -> list[Run]:
        rides = any(mover.rides for mover in self._simulator.demand.movers)
        runs: list[Run] = []
        with threads_of(1 if rides or self._capacity is None else None) as pool:
            # A few at a time, so that a stop does not wait for all that are still to come.
            for first in range(0, len(self._chances), AT_ONCE):
                some = self._chances[first : first + AT_ONCE]
                runs += pool.map(lambda chance: self._simulator.run(scenario, chance), some)
                raise_if_cancelled()
                progress.step(len(runs) / len(self._chances), f"run {len(runs)} of {len(self._chances)}")
        return runs


def capacity_of(inputs: SimulateInputs, demand: Demand) -> Ints | None:
    """How many each place holds (k,); None where trips end anywhere.

    Raises:
        AwlError: it is given where nothing can fill up, or is no number of people.
    """
    if demand.goals is None:
        if inputs.capacity is not None:
            raise AwlError(
                "Trips that end anywhere have no places that could fill up",
                remedy="Leave 'capacity' out, or give 'places' with another demand",
                inputs=("capacity",),
            )
        return None
    if inputs.capacity is None:
        return np.full(len(demand.goals), ROOM_FOR_ALL, np.int64)
    if isinstance(inputs.capacity, int):
        if inputs.capacity < 0:
            raise AwlError("A place holds nobody or more", remedy="Give 0 or more", inputs=("capacity",))
        return np.full(len(demand.goals), inputs.capacity, np.int64)
    return np.floor(offer_of(demand.goals, inputs.capacity, "capacity")).astype(np.int64)


def ending_step(steps: Sequence[Step]) -> Step | None:
    """The first step of a sweep over one input at which nobody is left without a seat, in the order of its values."""
    if not steps or len(steps[0].values) != 1 or "without" not in steps[0].figures:
        return None
    ordered = sorted(steps, key=lambda step: next(iter(step.values.values())))
    return next((step for step in ordered if step.figures["without"].mean[0] == 0), None)


def _summary(inputs: SimulateInputs, figures: dict[str, OverRuns], steps: Sequence[Step]) -> dict[str, object]:
    summary: dict[str, object] = {"runs": inputs.runs, "seed": inputs.seed}
    for name, values in figures.items():
        mean = float(values.mean[0])
        summary[name] = None if np.isnan(mean) else round(mean, 2)
        if inputs.runs > 1:
            ends = (float(values.low[0]), float(values.high[0]))
            summary[f"{name}_interval"] = [None if np.isnan(one) else round(one, 2) for one in ends]
    ending = ending_step(steps)
    if ending is not None:
        summary["ends_at"] = ending.values
    return summary


def _busiest(loads: Loads, context: Context) -> tuple[float, str] | None:
    if len(loads.links) == 0:
        return None
    most = int(np.argmax(loads.people.mean))
    return round(float(loads.people.mean[most]), 1), context.street_name(int(loads.links[most]))


def _doubts(inputs: SimulateInputs, demand: Demand, figures: dict[str, OverRuns], context: Context) -> list[Doubt]:
    doubts = list(demand.doubts)
    lost = figures["no_way"].mean[0]
    if lost > 0:
        count = round(float(lost))
        limit = (
            f"within {inputs.within:g} min" if demand.goals is not None else f"that takes {inputs.within:g} min at most"
        )
        text = (
            f"{counted(count, 'person') if count == 1 else f'{count:,} people'} have no way {limit} and do not set out."
        )
        doubts.append(Doubt("people-without-way", "warning", count, text))
    if inputs.runs == 1:
        text = "One run: other chance gives other figures. Ask for many runs to see how far they differ."
        doubts.append(Doubt("one-run", "note", 1, text))
    if demand.goals is not None and inputs.capacity is None:
        doubts.append(Doubt("no-capacity", "note", len(demand.goals), "No place is ever full: there is room for all."))
    if inputs.speed != 100 and any(mover.rides for mover in demand.movers):
        doubts.append(Doubt("speed-not-heeded", "note", 1, "The speed does not count for those who ride."))
    return [*doubts, *context.doubts_of_mode()]


def _method(inputs: SimulateInputs, demand: Demand, places: Places | None) -> list[str]:
    method = [
        f"{inputs.runs:,} run{'s' if inputs.runs > 1 else ''} by chance, from seed {inputs.seed}."
        + (" Figures are means; ranges hold the middle nine tenths of the runs." if inputs.runs > 1 else ""),
        "Everybody takes the quickest way for themselves, in the hour in which they set out; people do not slow each other down.",
    ]
    if places is not None:
        rule = {
            "next": f"goes on to the nearest other within what is left of {inputs.within:g} min",
            "wait": f"waits in line for {inputs.patience:g} min at most",
            "leave": "gives up",
        }[inputs.when_full]
        method.append(
            f"Who finds a place full {rule}. People know nothing of how full places are until they stand before them."
        )
    if any(mover.rides for mover in demand.movers):
        method.append("People who ride public transport start at full minutes, and walk on from a place that is full.")
    if inputs.meet is not None:
        method.append(
            f"Two meet who are within {inputs.meet:g} m of each other along streets for {inputs.meet_for} s, on their way or"
            " waiting; those inside places or aboard vehicles do not count."
        )
    if inputs.pass_on is not None:
        ends = "for good" if inputs.recovery is None else f"for {inputs.recovery:g} min"
        method.append(
            f"{inputs.carriers:,} carry something at first and pass it on at {inputs.pass_on:g} % of meetings; one carries it"
            f" {ends} (general model of Kermack and McKendrick)."
        )
    return method
