"""Who sets out from where, for where: people of zones, or trips at random."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.population_points import PopulationPoints
from awl.core.analysis.simulation.demand import calibrated, doubly_constrained, singly_constrained
from awl.core.errors import AwlError
from awl.core.routing.snapping import ON_STREET, Snapped
from awl.io.table import Table
from awl.questions.context import Context, Places
from awl.questions.offers import offer_of
from awl.questions.population import population_of, squares_of
from awl.questions.results import Doubt
from awl.questions.simulate.drawing import MINUTE_MS, SHAPES, Demand, contexts_of, drawn_rows
from awl.questions.simulate.inputs import CLOCK, SimulateInputs, minutes_of
from awl.questions.simulate.movers import Mover, hours_of
from awl.questions.simulate.trip_table import demand_of_table
from awl.questions.zone_inputs import chosen_fields, gap_doubts

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
POOL = 20_000
"""Points between which random trips lead, at most."""
MOST_CELLS = 40_000_000
"""Times between origins and places that are held, at most."""


def demand_of(inputs: SimulateInputs, context: Context) -> Demand:
    """Who sets out, as the question has it."""
    window = CLOCK.match(inputs.start.strip())
    begin, end = (minutes_of(part) * MINUTE_MS for part in window.groups()) if window else (0, 24 * 60 * MINUTE_MS)
    make = {"random": _random, "table": demand_of_table}.get(inputs.demand, _from_homes)
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
    balanced = "what origins send" if inputs.balance == "origins" else "what origins send and places take in"
    demand.method.append(f"Trips are shared out by attraction and time, and keep {balanced}.")

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
        return drawn_rows(weights[nth], chance)

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
