"""The tables of a simulation: places, people, what happens over time, and what a sweep shows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.analysis.simulation.filling import NEVER, STATES
from awl.core.analysis.simulation.over_runs import OverRuns, over_runs
from awl.io.table import Column, Meaning, Table, Values
from awl.questions.context import Context, Places
from awl.questions.simulate.inputs import SWEPT, SimulateInputs, column_of
from awl.questions.simulate.outcome import FIGURES, Clock, Contact, Outcome, OverTime, clock_word
from awl.questions.simulate.runs import MINUTE_MS, ROOM_FOR_ALL, Run, Simulator

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]
MOST_MEETINGS = 200_000


def spread_columns(name: str, values: OverRuns, digits: int = 1, unit: str = "", runs: int = 1) -> dict[str, Values]:
    """A column of means, and where there are several runs those of the median and the middle nine tenths."""
    columns: dict[str, Values] = {name: Column.of(values.mean, unit, digits, Meaning(name))}
    if runs > 1:
        columns |= {
            f"{name}_median": Column.of(values.median, unit, digits),
            f"{name}_low": Column.of(values.low, unit, digits),
            f"{name}_high": Column.of(values.high, unit, digits),
        }
    return columns


def place_table(
    context: Context, places: Places, simulator: Simulator, outcomes: Sequence[Outcome], runs: Sequence[Run], room: Ints
) -> Table:
    """The places, and how full they were."""
    held = [one.occupation for one in outcomes if one.occupation is not None]
    count = len(outcomes)
    first = np.stack([np.where(one.first_full_ms == NEVER, np.nan, one.first_full_ms / MINUTE_MS) for one in held])
    opens = over_runs(first)
    full = over_runs(np.stack([one.full_ms / MINUTE_MS for one in held]))
    turned = over_runs(np.stack([run.filled.turned_away for run in runs]))
    columns: dict[str, Values] = {
        "capacity": Column.of(np.where(room >= ROOM_FOR_ALL, np.nan, room.astype(float)), "", 0),
        **spread_columns("came_in", over_runs(np.stack([one.came_in for one in held])), runs=count),
        **spread_columns("turned_away", turned, runs=count),
        **spread_columns("most_inside", over_runs(np.stack([one.most_inside for one in held])), runs=count),
        "full_from": [None if np.isnan(minute) else clock_word(minute) for minute in opens.median.tolist()],
        **spread_columns("full_min", full, 1, "min", count),
    }
    mover = simulator.demand.movers[0]
    return context.place_table(places, mover.goals, columns)


def occupancy_table(places: Places, times: OverTime, room: Ints, runs: int) -> Table:
    """Who is inside each place, and who is turned away, at each moment."""
    moments, count = len(times.clock.minutes), len(places)
    return Table(
        None,
        {
            "place_id": [ident for ident in places.ids for _ in range(moments)],
            "place": [name for name in places.names for _ in range(moments)],
            "minute": np.tile(times.clock.minutes, count),
            "clock": times.clock.words() * count,
            "capacity": Column.of(
                np.repeat(np.where(room >= ROOM_FOR_ALL, np.nan, room.astype(float)), moments), "", 0
            ),
            **spread_columns("inside", times.inside.flat(), runs=runs),
            **spread_columns("turned_away", times.turned_away.flat(), runs=runs),
        },
    )


def states_table(times: OverTime, runs: int) -> Table:
    """How many are doing what at each moment; together they are all who set out."""
    columns: dict[str, Values] = {"minute": times.clock.minutes, "clock": times.clock.words()}
    for row, state in enumerate(STATES):
        columns |= spread_columns(state.replace(" ", "_"), times.states.at(row), runs=runs)
    return Table(None, columns)


def contagion_table(contacts: Sequence[Contact], clock: Clock, names: Sequence[str]) -> Table:
    """How many can take it on, carry it, and carry it no more, at each moment."""
    passed = [one.passed for one in contacts if one.passed is not None]
    counts = over_runs(np.stack([one.counts_at(clock.ms) for one in passed]))
    columns: dict[str, Values] = {"minute": clock.minutes, "clock": clock.words()}
    for row, state in enumerate(names):
        columns |= spread_columns(column_of(state), counts.at(row), runs=len(passed))
    return Table(None, columns)


def people_table(run: Run, simulator: Simulator, contact: Contact | None, states: Sequence[str]) -> Table:
    """Everybody of a run: from where to where, when, and with which outcome."""
    drawn, filled, demand = run.drawn, run.filled, simulator.demand
    names: list[str] = [""] * len(run)
    for nth, (words, rows) in enumerate(demand.names):
        for i in np.flatnonzero(drawn.mover == nth).tolist():
            names[i] = words[rows[drawn.origin[i]]]
    modes = [mover.context.mode.title for mover in demand.movers]
    way = filled.place != NEVER
    outcome = np.where(~way, "no way", np.where(filled.served, "came in" if demand.goals else "arrived", "gave up"))
    full_places = [[int(i) for i in row if i >= 0] for row in filled.full.tolist()]
    columns: dict[str, Values] = {
        "person": np.arange(1, len(run) + 1),
        "origin": names,
        "mode": [modes[i] for i in drawn.mover.tolist()],
        "sets_out": _clocks(drawn.departs_ms),
        "outcome": outcome.tolist(),
        "travel_min": Column.of(np.where(way, (filled.arrives_ms - filled.departs_ms) / MINUTE_MS, np.nan), "min", 2),
        "arrives": _clocks(filled.arrives_ms),
    }
    if demand.goals is not None:
        goals = demand.goals
        waits = np.where(filled.served, filled.enters_ms - filled.arrives_ms, filled.ends_ms - filled.arrives_ms)
        columns |= {
            "place": [goals.names[i] if i >= 0 else None for i in filled.place.tolist()],
            "place_id": [goals.ids[i] if i >= 0 else None for i in filled.place.tolist()],
            "wait_min": Column.of(np.where(way, waits / MINUTE_MS, np.nan), "min", 2),
            "enters": _clocks(filled.enters_ms),
            "leaves": _clocks(np.where(filled.served, filled.ends_ms, NEVER)),
            "found_full": filled.found_full,
            "full_places": ["; ".join(goals.names[i] for i in row) or None for row in full_places],
        }
    if contact is not None:
        ends_of = np.concatenate([contact.met.first, contact.met.second])
        columns["meetings"] = np.bincount(ends_of, minlength=len(run))
        if contact.passed is not None:
            since = contact.passed.since_ms
            began = contact.passed.source < 0
            columns[f"{column_of(states[1])}_since"] = _clocks(np.where(since > 0, since, NEVER))
            columns["from_person"] = Column.of(np.where(began, np.nan, contact.passed.source + 1.0), "", 0)
    return Table(None, columns)


def _clocks(ms: Ints) -> list[str | None]:
    """Clock times to the second; None where there is none."""
    seconds = ms // 1000
    return [None if s < 0 else f"{s // 3600:02d}:{s // 60 % 60:02d}:{s % 60:02d}" for s in seconds.tolist()]


def turned_away_table(run: Run, places: Places) -> Table:
    """Who found which place full when, one after another."""
    person, nth = np.nonzero(run.filled.full != NEVER)
    place, when = run.filled.full[person, nth], run.filled.full_ms[person, nth]
    order = np.argsort(when, kind="stable")
    person, place, when, nth = person[order], place[order], when[order], nth[order]
    last = nth + 1 == run.filled.found_full[person]
    went = np.where(~last, "went on", np.where(run.filled.served[person], "waited and came in", "gave up"))
    onward = last & run.filled.served[person] & (run.filled.place[person] != place)
    went = np.where(onward, "went on", went)
    return Table(
        np.atleast_1d(shapely.points(places.lon[place], places.lat[place])) if len(place) else np.zeros(0, object),
        {
            "person": person + 1,
            "place_id": [places.ids[i] for i in place.tolist()],
            "place": [places.names[i] for i in place.tolist()],
            "clock": _clocks(when),
            "minute": Column.of(when / MINUTE_MS, "min", 2),
            "then": went.tolist(),
        },
    )


def meeting_table(contact: Contact) -> Table:
    """Meetings of a run, one after another."""
    met = contact.met
    some = slice(0, MOST_MEETINGS)
    return Table(
        None,
        {
            "first": met.first[some] + 1,
            "second": met.second[some] + 1,
            "begins": _clocks(met.begins_ms[some]),
            "until": _clocks(met.until_ms[some]),
            "lasts_s": Column.of((met.until_ms - met.begins_ms)[some] / 1000, "s", 0),
        },
    )


@dataclass(frozen=True)
class Step:
    """A step of a sweep: the values of its inputs, and what runs with them come to."""

    values: dict[str, float]
    figures: dict[str, OverRuns]


def curve_table(steps: Sequence[Step], inputs: SimulateInputs) -> Table:
    """Each figure at each step of a sweep, with median and the middle nine tenths of the runs."""
    names = list(inputs.sweep or {})
    rows = [(step, name, values) for step in steps for name, values in step.figures.items()]
    columns: dict[str, Values] = {
        name: Column.of(np.array([step.values[name] for step, _, _ in rows]), "", 3, Meaning("swept", of=SWEPT[name]))
        for name in names
    }
    return Table(
        None,
        {
            **columns,
            "figure": [name for _, name, _ in rows],
            "title": [FIGURES[name][0] for _, name, _ in rows],
            "unit": [FIGURES[name][1] for _, name, _ in rows],
            **{
                kind: Column.of(np.array([getattr(values, kind)[0] for _, _, values in rows]), "", 3)
                for kind in ("mean", "median", "low", "high")
            },
        },
    )


def grid_table(steps: Sequence[Step], inputs: SimulateInputs) -> Table:
    """Means of all figures, a row for each step of a sweep."""
    names = [name for name in FIGURES if any(name in step.figures for step in steps)]
    nothing = np.array([np.nan])
    return Table(
        None,
        {
            **{
                name: Column.of(
                    np.array([step.values[name] for step in steps]), "", 3, Meaning("swept", of=SWEPT[name])
                )
                for name in inputs.sweep or {}
            },
            **{
                f"mean_{name}": Column.of(
                    np.array(
                        [float((step.figures[name].mean if name in step.figures else nothing)[0]) for step in steps]
                    ),
                    FIGURES[name][1],
                    2,
                )
                for name in names
            },
        },
    )
