"""What a simulation says and shows."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.simulation.filling import STATES
from awl.core.analysis.simulation.over_runs import OverRuns
from awl.io.table import Table
from awl.questions.simulate.inputs import SWEPT, SimulateInputs, column_of
from awl.questions.simulate.outcome import FIGURES
from awl.questions.simulate.run import SimulateResult, ending_step
from awl.questions.simulate.runs import ROOM_FOR_ALL
from awl.views.charts import Axis, Chart, Series
from awl.views.map_view import (
    Frames,
    GradedField,
    Grades,
    LegendGroup,
    LegendRow,
    MapLayer,
    MapView,
    Moving,
    Swatch,
    Widths,
    token,
)
from awl.views.view import Column, Figure, File, Pivot, TableView, View

Floats = NDArray[np.float64]
LARGE = 100
MOST_SMALL = 24
"""Places with a small curve of their own."""
SWEPT_FIGURES = (
    "without",
    "came_in",
    "arrived",
    "found_full",
    "full_min",
    "travel_min",
    "wait_min",
    "meetings",
    "carried",
)
"""Figures of a sweep that are drawn, the first leads."""
MOST_SWEPT_CURVES = 6
TOLD_STATES = ("travelling", "waiting", "inside", "gave up")
INKS = {"travelling": "token:b1", "waiting": "token:warn", "inside": "token:b2", "gave up": "token:error"}
PASSING_INKS = ("token:thread", "token:error", "token:ink-3")


def view_simulate(inputs: SimulateInputs, result: SimulateResult) -> View:
    """The places and the people, curves over time and over a sweep, and everybody on the map."""
    return View(
        title=f"{result.mode}: {_whole(result.figures['people'])} {result.who} {result.words}",
        figures=_figures(inputs, result),
        method=result.method,
        tables=_tables(inputs, result),
        charts=_charts(inputs, result),
        map=_map(inputs, result),
        files=[
            File("csv", "places" if result.places else "trips"),
            File("parquet", "positions"),
            File("gpx", "tracks"),
        ],
    )


def _whole(values: OverRuns) -> str:
    return f"{round(float(values.mean[0])):,}"


def _figures(inputs: SimulateInputs, result: SimulateResult) -> list[Figure]:
    figures = []
    ending = ending_step(result.steps)
    if ending is not None:
        ((name, value),) = ending.values.items()
        figures.append(Figure(_plain(value), "", f"{SWEPT[name]}: then everybody finds a seat"))
    wanted = (
        ("came_in", "without", "found_full", "travel_min")
        if result.places
        else ("arrived", "travel_min", "meetings", "carried")
    )
    labels = {
        "came_in": "came in", "without": "found no seat", "found_full": "found a place full", "arrived": "arrived",
        "travel_min": "mean time on the way", "meetings": "meetings", "carried": "carried it at the end",
    }  # fmt: skip
    for name in [*wanted, *(["meetings", "carried"] if result.places else [])]:
        values = result.figures.get(name)
        if values is None or np.isnan(values.mean[0]):
            continue
        mean = float(values.mean[0])
        spread = ""
        if result.runs > 1 and values.high[0] > values.low[0]:
            spread = f" ({_short(values.low[0])} to {_short(values.high[0])})"
        unit = FIGURES[name][1]
        # Tenths of people say nothing where there are hundreds.
        value = round(mean, 1) if unit or (mean % 1 and mean < LARGE) else round(mean)
        figures.append(Figure(value, unit, labels[name] + spread))
    if result.places is None and result.busiest is not None:
        figures.append(Figure(result.busiest[0], "", f"people on {result.busiest[1]}, the most"))
    return figures


def _plain(value: float) -> float | int:
    return int(value) if value == int(value) else value


def _short(value: float) -> str:
    return f"{value:,.0f}" if abs(value) >= 20 or value == int(value) else f"{value:.1f}"


def _tables(inputs: SimulateInputs, result: SimulateResult) -> list[TableView]:
    tables = []
    if result.places is not None:
        tables.append(
            TableView(
                "places",
                [
                    Column("name", "Place"),
                    Column("capacity", "Room", "", 0),
                    Column("came_in", "Came in", "", 0),
                    Column("turned_away", "Found it full", "", 0),
                    Column("full_from", "Full from"),
                    Column("full_min", "Full for", "min", 0),
                    Column("most_inside", "Most inside", "", 0),
                ],
                "Places",
                key="name",
            )
        )
    if result.steps:
        tables.append(_sweep_table(inputs, result))
    tables.append(
        TableView(
            "streets",
            [
                Column("name", "Street"),
                Column("people", "People", "", 0),
                Column("busiest_from", "Busiest from"),
                Column("per_min", "Then", "per min", 1),
            ],
            "Streets",
            key="link_id",
        )
    )
    return tables


def _sweep_table(inputs: SimulateInputs, result: SimulateResult) -> TableView:
    """The steps of a sweep: over one number with intervals, over two as a table with two heads of what leads."""
    names: list[str] = [*(inputs.sweep or {})]
    swept = [Column(name, SWEPT[name].capitalize(), "", 0) for name in names]
    if len(names) == 1:
        columns = [
            *swept, Column("title", "What"), Column("mean", "Mean", "", 1), Column("low", "From", "", 1),
            Column("high", "To", "", 1),
        ]  # fmt: skip
        return TableView("curves", columns, "Sweep")
    lead = _leading(result)
    heads = f"{FIGURES[lead][0]}, by {SWEPT[names[0]]} down and {SWEPT[names[1]]} across"
    figures = [name for name in SWEPT_FIGURES if name in result.steps[0].figures][:4]
    columns = [*swept, *(Column(f"mean_{name}", FIGURES[name][0], FIGURES[name][1], 1) for name in figures)]
    return TableView("grid", columns, "Sweep", pivot=Pivot(names[0], names[1], f"mean_{lead}", title=heads))


def _leading(result: SimulateResult) -> str:
    figures = result.steps[0].figures
    return next((name for name in SWEPT_FIGURES if name in figures), next(iter(figures)))


def _numbers(values: Floats) -> list[float | None]:
    return [None if np.isnan(value) else round(float(value), 3) for value in values]


def _series(label: str, values: OverRuns, runs: int) -> Series:
    if runs == 1:
        return Series(label, _numbers(values.mean))
    return Series(label, _numbers(values.mean), _numbers(values.low), _numbers(values.high))


def _charts(inputs: SimulateInputs, result: SimulateResult) -> list[Chart]:
    charts = []
    axis = Axis("time", result.times.clock.minutes.astype(float).tolist(), clock=True)
    if result.steps and len(inputs.sweep or {}) == 1:
        charts.append(_swept(inputs, result))
    if result.places is not None:
        charts.append(_of_places(result, axis))
    series = [
        _series(state, result.times.states.at(STATES.index(state)), result.runs)
        for state in TOLD_STATES
        if result.times.states.mean[STATES.index(state)].any()
    ]
    charts.append(Chart("curve", "People by what they are doing", axis, series, name="Over time"))
    if result.contagion:
        table = result.part("contagion")
        own = [_of_columns(table, state, result.runs) for state in result.contagion]
        charts.append(Chart("curve", "People by whether they carry it", axis, own, name="Passed on"))
    return charts


def _of_columns(table: Table, state: str, runs: int) -> Series:
    name = column_of(state)
    ends = [f"{name}_{end}" for end in ("low", "high")]
    low, high = (_numbers(table.columns[end].numbers()) if end in table.columns else None for end in ends)
    return Series(state, _numbers(table.columns[name].numbers()), low, high)


def _of_places(result: SimulateResult, axis: Axis) -> Chart:
    """How full each place is: those first that turn most away."""
    places = result.places
    assert places is not None
    inside, turned = result.times.inside, result.times.turned_away.mean.sum(axis=1)
    order = np.lexsort((-inside.mean.max(axis=1), -turned))[:MOST_SMALL] if len(places) else np.zeros(0, int)
    small = []
    for row in order.tolist():
        series = [_series("inside", inside.at(row), result.runs)]
        room = int(result.room[row])
        if room < ROOM_FOR_ALL:
            series.append(Series("room", [room] * len(axis.values)))
        small.append(Chart("curve", places.names[row], axis, series))
    return Chart("several", "People inside each place", axis, name="Places", several=small)


def _swept(inputs: SimulateInputs, result: SimulateResult) -> Chart:
    """Figures over the values of a sweep, each as a small curve."""
    (name,) = inputs.sweep or {}
    steps = sorted(result.steps, key=lambda step: step.values[name])
    values = [float(step.values[name]) for step in steps]
    small = []
    for figure in [one for one in SWEPT_FIGURES if one in steps[0].figures][:MOST_SWEPT_CURVES]:
        title, unit = FIGURES[figure]
        parts = [step.figures.get(figure) for step in steps]
        means, low, high = (
            _numbers(np.array([np.nan if part is None else getattr(part, kind)[0] for part in parts]))
            for kind in ("mean", "low", "high")
        )
        label = f"{title}, {unit}" if unit else title
        small.append(Chart("curve", label, Axis(SWEPT[name], values), [Series(title, means, low, high)]))
    return Chart("several", f"By {SWEPT[name]}", Axis(SWEPT[name], values), name="Sweep", several=small)


def _map(inputs: SimulateInputs, result: SimulateResult) -> MapView:
    clock = result.times.clock.minutes
    frames = Frames("streets_by_time", "link_id", "People on a street from {}", "")
    widths = Widths("streets", "people", "People on a street", token("rule-2"), of="people", frames=frames)
    layers = [MapLayer("streets", "lines", widths=widths, sort="people", key="link_id")]
    states = (
        dict(zip(result.contagion, PASSING_INKS, strict=True))
        if result.contagion
        else {state: ink for state, ink in INKS.items() if result.places is not None or state == "travelling"}
    )
    rows = [
        LegendRow(f"state:{state}", state.capitalize(), Swatch("circle", fill=ink, line=token("page")))
        for state, ink in states.items()
    ]
    legend = [LegendGroup("people", "People", rows)]
    if result.places is not None:
        grade = GradedField("turned_away", "Found it full")
        layers.append(
            MapLayer(
                "places",
                "points",
                grades=Grades(
                    "places",
                    [grade, GradedField("came_in", "Came in"), GradedField("full_min", "Full for", "min")],
                    classing="counts",
                    of="places",
                ),
                key="name",
                label="name",
            )
        )
    return MapView(
        layers=layers,
        legend=legend,
        outline=["streets"],
        moving=Moving(float(clock[0]), float(clock[-1]), "people", dict(states)),
    )  # fmt: skip
