"""Who sets out from where, for where, by which mode, and when: prepared once, drawn for each run."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.analysis.population_points import PopulationPoints
from awl.core.analysis.simulation.demand import (
    calibrated,
    doubly_constrained,
    sampled_starts,
    singly_constrained,
)
from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.core.routing.snapping import ON_STREET, Snapped
from awl.io.table import Table
from awl.questions.context import Context, Places
from awl.questions.offers import offer_of
from awl.questions.population import population_of, squares_of
from awl.questions.results import Doubt, counted
from awl.questions.simulate.inputs import CLOCK, SimulateInputs, minutes_of
from awl.questions.simulate.movers import Mover, hours_of
from awl.questions.zone_inputs import chosen_fields, gap_doubts

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
MINUTE_MS = 60_000
POOL = 20_000
"""Points between which random trips lead, at most."""
MANY = 1000
"""Searches of a mode for which its hierarchy is worth waiting for."""
MOST_CELLS = 40_000_000
"""Times between origins and places that are held, at most."""
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
        at_home: how many stay at home beside.
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
            rows = _drawn(self.weight[0], place) if rows is None else rows
            mover = np.where(self.fixed.mover[rows] >= 0, self.fixed.mover[rows], mover)
            departs = np.where(self.fixed.departs_ms[rows] >= 0, self.fixed.departs_ms[rows], departs)
            origin, goal = rows, self.fixed.goal[rows]
        else:
            origin, goal = np.zeros(count, np.int64), np.full(count, -1, np.int64)
            toward = streams[4].random(count)
            for nth in range(len(self.movers)):
                mine = mover == nth
                origin[mine] = _drawn(self.weight[nth], place[mine])
                if self.draws_goal is not None:
                    goal[mine] = self.draws_goal(nth, origin[mine], toward[mine])
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


def _drawn(weight: Floats, chance: Floats) -> Ints:
    """Rows drawn by their weight."""
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


def demand_of(inputs: SimulateInputs, context: Context) -> Demand:
    """Who sets out, as the question has it."""
    window = CLOCK.match(inputs.start.strip())
    begin, end = (minutes_of(part) * MINUTE_MS for part in window.groups()) if window else (0, 24 * 60 * MINUTE_MS)
    make = {"random": _random, "table": _table}.get(inputs.demand, _from_homes)
    demand = make(inputs, context, begin, end)
    for mover in demand.movers:
        mover.speed = inputs.speed / 100
    return demand


def _homes(
    inputs: SimulateInputs, contexts: list[Context]
) -> tuple[list[PopulationPoints], list[Floats], Table, str, list[str], list[Doubt]]:
    """Homes of each mode, how many live in each, the zones, who they are, and how that was found out."""
    context = contexts[0]
    layer = squares_of(context) if inputs.zones is None else context.features(inputs.zones, "zones")[0]
    fields = chosen_fields(layer, inputs.fields)
    fields = fields if inputs.fields else fields[:1]
    zones, shapes, people = context.zones(layer, fields)
    total: Floats = np.sum(people, axis=0)
    if total.sum() <= 0:
        raise AwlError("Nobody lives in the zones", remedy="Choose other zones or fields", inputs=("zones", "fields"))
    spread = "grid" if inputs.zones is None else inputs.spread
    populations = [population_of(spread, inputs.buildings, own, shapes) for own in contexts]
    points = [one.population_points for one in populations]
    weights = [
        np.where(one.link >= 0, one.share, 0.0) * total[one.zone] if len(one.zone) else np.zeros(0) for one in points
    ]
    for own, weight in zip(contexts, weights, strict=True):
        if weight.sum() <= 0:
            raise AwlError(
                f"Nobody lives on a street for '{own.mode.id}'",
                remedy="Choose another mode or zones",
                inputs=("zones",),
            )
    doubts = [*gap_doubts(zones, fields), *populations[0].doubts]
    who = "people" if not inputs.fields else " and ".join(field.replace("_", " ") for field in fields)
    return points, weights, zones, who, [populations[0].method], doubts


def _from_homes(inputs: SimulateInputs, context: Context, begin: int, end: int) -> Demand:
    """People of zones who go to places."""
    contexts, shares = contexts_of(inputs, context)
    points, weights, zones, who, method, doubts = _homes(inputs, contexts)
    assert inputs.places is not None
    places = context.places(inputs.places)
    snapped = [own.snap(places) for own in contexts]
    movers = [
        Mover(own, hours_of(own, begin, end), homes.as_places, goals)
        for own, homes, goals in zip(contexts, points, snapped, strict=True)
    ]
    for mover in movers:
        if len(mover.origins.link) * len(places) > MOST_CELLS:
            raise AwlError(
                f"{len(mover.origins.link):,} homes and {len(places):,} places are too many to hold all times between them",
                remedy="Choose fewer places, or people by buildings or by a grid",
                inputs=("places", "spread"),
            )
    demand = Demand(
        movers, shares, weights, places, begin, end, SHAPES[inputs.starts], float(sum(weights[0])),
        f"for {'the nearest of ' if inputs.demand == 'nearest' and len(places) > 1 else ''}{places.words}", who, method,
        doubts + context.doubts_of(places, snapped[0]),
        [(zones.names("zone"), one.zone) for one in points],
    )  # fmt: skip
    if inputs.demand == "attraction":
        demand.draws_goal = _attraction(inputs, demand, places)
    return demand


def _attraction(inputs: SimulateInputs, demand: Demand, places: Places) -> Callable[[int, Ints, Floats], Ints]:
    """Gives goals by attraction and time: each mode has its own table, by its own times."""
    offered = offer_of(places, inputs.weights)
    attraction = np.asarray(offered, np.float64)
    tables: list[Floats] = []
    for mover, weight in zip(demand.movers, demand.weight, strict=True):
        if mover.rides:
            raise AwlError(
                "Places attract by times along streets; by public transport these differ from minute to minute",
                remedy="Let people go to the nearest, or choose another mode",
                inputs=("demand", "mode"),
            )
        mover.find_times(weight > 0, demand.movers[0].context.progress.part(0.0, 0.2))
        minutes = mover.times_ms[: len(weight)] / MINUTE_MS / mover.speed
        cost = np.where(minutes <= inputs.within, minutes, np.inf)

        def distribute(share: Floats, weight: Floats = weight, cost: Floats = cost) -> Floats:
            if inputs.balance == "origins":
                return singly_constrained(share, weight, attraction)
            able = np.where(np.isfinite(cost).any(axis=1), weight, 0.0)
            used = np.where(np.isfinite(cost[able > 0]).any(axis=0), attraction, 0.0)
            return doubly_constrained(share * (used > 0), able, used / max(used.sum(), 1e-300) * able.sum())

        if inputs.mean is not None:
            b, table = calibrated(cost, inputs.mean, distribute)
            half = f"{np.log(2) / b:.3g} min" if b > 0 else "no time at all: it does not count"
            demand.method.append(f"Calibrated to a mean of {inputs.mean:g} min: a place counts one half after {half}.")
        else:
            table = distribute(np.where(np.isfinite(cost), np.exp(-np.log(2) * cost / inputs.half), 0.0))
            demand.method.append(f"A place counts one half after {inputs.half:g} min, and so on (exponential).")
        tables.append(np.cumsum(table, axis=1))
    kept = "what origins send" if inputs.balance == "origins" else "what origins send and places take in"
    demand.method.append(f"Trips are shared out by attraction and time, and keep {kept}.")

    def goals(nth: int, origin: Ints, chance: Floats) -> Ints:
        chosen = np.empty(len(origin), np.int64)
        for first in range(0, len(origin), 4096):
            some = slice(first, first + 4096)
            rows = tables[nth][origin[some]]
            chosen[some] = (rows <= (chance[some] * rows[:, -1])[:, None]).sum(axis=1)
        # Of an origin from which nothing counts the nearest is as good as any: none is within reach.
        return np.where(chosen < tables[nth].shape[1], chosen, -1)

    return goals


def _random(inputs: SimulateInputs, context: Context, begin: int, end: int) -> Demand:
    """Trips between points drawn at random."""
    contexts, shares = contexts_of(inputs, context)
    method: list[str] = []
    doubts: list[Doubt] = []
    who = "people"
    if inputs.ends == "homes":
        points, weights, zones, who, method, doubts = _homes(inputs, contexts)
        pools = [one.as_places for one in points]
        names = [(zones.names("zone"), one.zone) for one in points]
        words = "at random between homes"
    elif inputs.ends == "places":
        assert inputs.places is not None
        places = context.places(inputs.places)
        pools = [own.snap(places) for own in contexts]
        weights = [pool.is_snapped.astype(np.float64) for pool in pools]
        names = [(places.names, np.arange(len(places)))] * len(pools)
        words, doubts = f"at random between {places.words}", context.doubts_of(places, pools[0])
    else:
        rng = np.random.default_rng(inputs.seed)
        pools = [_strewn(own, inputs.ends == "nodes", rng) for own in contexts]
        weights = [np.ones(len(pool.link)) for pool in pools]
        words = "at random between crossings" if inputs.ends == "nodes" else "at random between streets"
        names = [([""], np.zeros(len(pool.link), np.int64)) for pool in pools]
        what = "crossings" if inputs.ends == "nodes" else "points strewn evenly over the streets"
        method = [f"Trips lead between {len(pools[0].link):,} {what}, any two alike."]
    movers = [Mover(own, hours_of(own, begin, end), pool, pool) for own, pool in zip(contexts, pools, strict=True)]
    if any(mover.rides for mover in movers):
        raise AwlError(
            "Random trips by public transport have no places to go to",
            remedy="Let people go to places, or choose another mode",
            inputs=("demand", "mode"),
        )

    def goals(nth: int, origin: Ints, chance: Floats) -> Ints:
        return _drawn(weights[nth], chance)

    total = float(sum(weights[0])) if inputs.ends == "homes" else 1000.0
    return Demand(
        movers, shares, weights, None, begin, end, SHAPES[inputs.starts], total, words, who, method, doubts, names, goals
    )  # fmt: skip


def _strewn(context: Context, at_nodes: bool, rng: np.random.Generator) -> Snapped:
    """Points on usable streets, by length; or crossings, each once."""
    network = context.network
    links = np.flatnonzero(network.usable)
    if at_nodes:
        ends = np.concatenate([network.graph.link_from[links], network.graph.link_to[links]])
        nodes, first = np.unique(ends, return_index=True)
        if len(nodes) > POOL:
            some = np.sort(rng.choice(len(nodes), POOL, replace=False))
            first = first[some]
        link, fraction = np.tile(links, 2)[first], (first >= len(links)).astype(np.float64)
    else:
        length = network.graph.link_length[links]
        link = links[
            np.searchsorted(np.cumsum(length), rng.random(POOL) * length.sum(), side="right").clip(0, len(links) - 1)
        ]
        fraction = rng.random(POOL)
    nowhere = np.full(len(link), np.nan)
    status = np.full(len(link), ON_STREET, np.int8)
    return Snapped(link.astype(np.int32), fraction, np.zeros(len(link)), status, nowhere, nowhere)


def _table(inputs: SimulateInputs, context: Context, begin: int, end: int) -> Demand:
    """Trips of a table of lines."""
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
    made = []
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
        made.append(round(1000 * (3600 * numbers[0] + 60 * numbers[1] + (numbers[2] if len(numbers) == 3 else 0))))
    return np.array(made, np.int64)


def _nearest_place(ends: Places, places: Places, context: Context, within_m: float) -> tuple[Ints, NDArray[np.bool_]]:
    """The place nearest to each end, and which ends are farther from every one than that."""
    plane = context.network.graph.plane
    at, there = (shapely.points(*plane.xy(one.lon, one.lat)) for one in (ends, places))
    nearest = shapely.STRtree(there).nearest(at)
    return nearest.astype(np.int64), shapely.distance(at, there[nearest]) > within_m


def find_all_times(demand: Demand, progress: Progress) -> None:
    """Work out all times to places that runs may need."""
    count = len(demand.movers)
    for nth, (mover, weight) in enumerate(zip(demand.movers, demand.weight, strict=True)):
        if mover.times_ms.size == 0:
            mover.find_times(weight > 0, progress.part(nth / count, (nth + 1) / count))
