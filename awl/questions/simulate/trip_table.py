"""Trips of a table: lines with how many make them, by which mode, and when."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.io.table import Table
from awl.questions.context import Context, Places
from awl.questions.results import Doubt, counted
from awl.questions.simulate.drawing import SHAPES, Demand, Fixed, contexts_of
from awl.questions.simulate.inputs import SimulateInputs
from awl.questions.simulate.movers import Mover, hours_of

Ints = NDArray[np.int64]


def demand_of_table(inputs: SimulateInputs, context: Context, begin: int, end: int) -> Demand:
    """Trips of a table of lines, each from its first vertex to its last.

    Parameters:
        inputs: the question.
        context: what it works with.
        begin, end: the window in ms since midnight, for trips without a start of their own.

    Raises:
        AwlError: the lines, or what their fields say, cannot be used.
    """
    assert inputs.trips is not None
    lines, words = context.features(inputs.trips, "trips")
    if lines.kind != "line":
        raise AwlError(
            f"The trips are {lines.kind} features", remedy="Give lines", inputs=("trips",), kind="wrong-geometry"
        )
    count = _counts(lines, inputs.count)
    modes = lines.columns["mode"].tolist() if "mode" in lines.columns else [None] * len(lines)
    named = dict.fromkeys(mode for mode in modes if mode)
    unknown = [mode for mode in named if mode not in context.study.modes()]
    if unknown:
        raise AwlError(
            f"Trips go by '{unknown[0]}', which is no mode of the study",
            where=f"row {modes.index(unknown[0]) + 1} of the trips",
            remedy=f"Modes are: {', '.join(context.study.modes())}",
            inputs=("trips",),
        )
    further = {mode: 0.0 for mode in named if mode != inputs.mode and mode not in (inputs.modes or {})}
    contexts, shares = contexts_of(inputs.model_copy(update={"modes": {**(inputs.modes or {}), **further}}), context)
    rows_of = {own.mode.id: nth for nth, own in enumerate(contexts)}
    ends = [shapely.get_point(shapely.get_geometry(lines.geometry, part), part) for part in (0, -1)]
    names = lines.names("trip")
    starts, finishes = (Places(shapely.get_x(one), shapely.get_y(one), lines.ids, names, lines, words) for one in ends)
    origins = [own.snap(starts, "trips") for own in contexts]
    places = None if inputs.places is None else context.places(inputs.places)
    doubts = context.doubts_of(starts, origins[0], "start of a trip")
    if places is None:
        goals = [own.snap(finishes, "trips") for own in contexts]
        goal = np.arange(len(lines))
        doubts += context.doubts_of(finishes, goals[0], "end of a trip")
    else:
        goals = [own.snap(places) for own in contexts]
        goal, lost = _nearest_place(finishes, places, context, inputs.snap)
        count = np.where(lost, 0, count)
        doubts += context.doubts_of(places, goals[0])
        if lost.any():
            text = (
                f"{counted(int(lost.sum()), 'trip')} end farther than {inputs.snap:g} m from every place and are left out:"
                f" {names[int(np.flatnonzero(lost)[0])]} is the first."
            )
            doubts.append(Doubt("trips-without-place", "warning", int(lost.sum()), text))
    if count.sum() == 0:
        raise AwlError(
            "Nobody makes any of the trips", remedy="Look at their counts and ends", inputs=("trips", "count")
        )
    movers = [
        Mover(own, hours_of(own, begin, end), origin, ending)
        for own, origin, ending in zip(contexts, origins, goals, strict=True)
    ]
    if places is None and any(mover.rides for mover in movers):
        raise AwlError(
            "By public transport trips of a table lead to places",
            remedy="Give 'places', near which the trips end",
            inputs=("places", "mode"),
        )
    departs = _starts_of(lines, inputs.start)
    mover = np.array([-1 if not mode else rows_of[mode] for mode in modes], np.int64)
    to = words if places is None else f"{words} to {places.words}"
    method = [
        "Each trip leads from the first vertex of its line to the last"
        + (", that is to the place there." if places else ".")
    ]
    return Demand(
        movers, shares, [count.astype(np.float64)] * len(movers), places, begin, end, SHAPES[inputs.starts],
        float(count.sum()), f"along {to}", "people", method, doubts,
        [(names, np.arange(len(lines)))] * len(movers), fixed=Fixed(count, goal, mover, departs),
    )  # fmt: skip


def _counts(lines: Table, field: str | None) -> Ints:
    """How many make each trip."""
    name = field or ("count" if "count" in lines.numeric else None)
    if name is None:
        return np.ones(len(lines), np.int64)
    if name not in lines.numeric:
        raise AwlError(
            f"The trips have no field '{name}' with numbers",
            remedy=f"Fields with numbers are: {', '.join(lines.numeric) or 'none'}",
            inputs=("count",),
            kind="no-such-field",
        )
    numbers = np.where(lines.columns[name].gaps, 0.0, lines.columns[name].numbers())
    if (numbers < 0).any() or not np.isfinite(numbers).all():
        raise AwlError(f"The field '{name}' of the trips holds negative numbers", inputs=("count",))
    if numbers.sum() > 5_000_000:
        raise AwlError(f"The trips are {numbers.sum():,.0f}, which is too many", inputs=("trips", "count"))
    return np.rint(numbers).astype(np.int64)


def _starts_of(lines: Table, start: str) -> Ints:
    """When each trip begins, by a field with clock times; -1 where a window says it."""
    if "/" in start:
        return np.full(len(lines), -1, np.int64)
    if start not in lines.columns:
        raise AwlError(
            f"The trips have no field '{start}'",
            remedy=f"Fields are: {', '.join(lines.columns)}; or give a window such as 13:00/14:00",
            inputs=("start",),
            kind="no-such-field",
        )
    starts = []
    for row, value in enumerate(lines.columns[start].tolist()):
        parts = str(value).split("T")[-1].split(":")
        try:
            numbers = [float(part) for part in parts]
            if not 2 <= len(numbers) <= 3 or any(not 0 <= n < 60 for n in numbers[1:]) or not 0 <= numbers[0] <= 48:
                raise ValueError
        except ValueError:
            raise AwlError(
                f"'{value}' is no clock time", where=f"'{start}' of row {row + 1} of the trips", remedy="Write 13:05 or 13:05:30",
                inputs=("start",),
            ) from None  # fmt: skip
        starts.append(round(1000 * (3600 * numbers[0] + 60 * numbers[1] + (numbers[2] if len(numbers) == 3 else 0))))
    return np.array(starts, np.int64)


def _nearest_place(ends: Places, places: Places, context: Context, within_m: float) -> tuple[Ints, NDArray[np.bool_]]:
    """The place nearest to each end, and which ends are farther from every one than that."""
    plane = context.network.graph.plane
    at, there = (shapely.points(*plane.xy(one.lon, one.lat)) for one in (ends, places))
    nearest = shapely.STRtree(there).nearest(at)
    return nearest.astype(np.int64), shapely.distance(at, there[nearest]) > within_m
