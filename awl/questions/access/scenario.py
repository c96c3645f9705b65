"""One run of `access`: people of zones against places, as the question or what it is compared with says."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.population_points import PopulationReach
from awl.core.analysis.travel_times import Times, times_between
from awl.core.analysis.zones import ZoneReach
from awl.core.errors import AwlError
from awl.core.routing.dijkstra.plain import Arrivals
from awl.core.routing.dijkstra.search import NO_LIMIT
from awl.core.routing.snapping import Snapped
from awl.core.transit.window import ReachSpread
from awl.questions.access.inputs import AccessInputs
from awl.questions.context import Context, Places, limit_units
from awl.questions.population import Population, population_of

Floats = NDArray[np.float64]
MAX_PLACES_EACH = 2000
CURVE_STEPS = 30


@dataclass(frozen=True)
class OverWindow:
    """By public transport: shares (z,) of people within each limit at the best, the middle and the worst departure.

    `served` (z,) is the share of the departures at which the people of a zone are within the last limit, in the mean; NaN where
    nobody has a home.
    """

    best: list[Floats]
    median: list[Floats]
    worst: list[Floats]
    served: Floats


@dataclass(frozen=True)
class Run:
    """Zones (z,) against places (k,): shares of people within each limit, and of `minutes` (c,) as `curve` (c, z).

    `placed` (z,) is the share of people that have a home; `times` are those between homes and places within the last limit, or
    without limit where measures look beyond it.
    """

    context: Context
    places: Places
    snapped: Snapped
    population: Population
    arrivals: Arrivals
    nearest: ZoneReach | PopulationReach
    shares: list[Floats]
    minutes: Floats
    curve: Floats
    times: Times
    over_window: OverWindow | None = None

    @property
    def placed(self) -> Floats:
        """Share (z,) of people with a home on a street."""
        return self.population.placed

    @property
    def mean_min(self) -> Floats:
        """Mean minutes (z,) to the nearest place, NaN where none is reached."""
        return self.nearest.mean_arrival() / 60_000


def run_of(
    inputs: AccessInputs, context: Context, shapes: NDArray[np.object_], population: Population | None, spread: str
) -> Run:
    """Search and count. `population` is that of another run with the same homes, if there is one."""
    places = context.places(inputs.places)
    if len(places) > MAX_PLACES_EACH:
        raise AwlError(f"{len(places):,} places are more than {MAX_PLACES_EACH:,}", inputs=("places",))
    snapped = context.snap(places)
    if population is None:
        context.progress.step(0.1, "Putting people on streets")
        population = population_of(spread, inputs.buildings, context, shapes)
    context.progress.step(0.3, "Searching")
    over: ReachSpread | None = None
    if context.transit is None:
        arrivals, reach = context.street_router.reach(snapped, "time", inputs.direction, int(NO_LIMIT))
    else:
        over = context.transit.reach_spread(snapped, inputs.direction, int(NO_LIMIT))
        arrivals, reach = over.arrivals, over.asked
    nearest = population.against(reach)
    units = [limit_units(value, "time") for value in inputs.limits]
    top = max(inputs.limits[-1] * 2, 10.0)
    minutes = np.linspace(0, top, CURVE_STEPS + 1)
    near = nearest.near(top * 60_000)
    # Potential and the k-th nearest look beyond the limits.
    far = int(NO_LIMIT) if inputs.measures else units[-1]
    used = int(snapped.is_snapped.sum())
    homes, over_window = population.population_points, None
    near_homes = None if context.transit is None else context.transit.near_others(homes.as_places, inputs.direction)
    times = times_between(
        context.router, snapped, homes, inputs.direction, far,
        report=lambda done: context.progress.step(0.4 + 0.4 * done / used, f"Place {done} of {used}"), near_homes=near_homes,
    )  # fmt: skip
    if context.transit is not None and over is not None and near_homes is not None:
        context.progress.step(0.8, "Departures of the window")
        best, median, worst = (
            [np.nan_to_num(population.against(reach).share_within(unit)) for unit in units]
            for reach in (over.best, over.median, over.worst)
        )
        on_foot = context.street_router.reach(snapped, "time", inputs.direction, units[-1])[1]
        served = context.transit.served_at(over, near_homes, homes.minutes(on_foot) * 60_000, units[-1])
        placed = homes.per_zone((homes.link >= 0).astype(np.float64))
        often = np.divide(homes.per_zone(served), placed, out=np.full(len(placed), np.nan), where=placed > 0)
        over_window = OverWindow(best, median, worst, often)
    return Run(
        context, places, snapped, population, arrivals, nearest,
        [np.nan_to_num(nearest.share_within(unit)) for unit in units], minutes,
        np.array([np.nan_to_num(near.share_within(minute * 60_000)) for minute in minutes]), times, over_window,
    )  # fmt: skip


def straight_shares(run: Run, limits: list[float]) -> tuple[list[float], list[Floats]]:
    """Radius in metres and share (z,) within it, per limit; only places that count on the network count here."""
    context, is_snapped = run.context, run.snapped.is_snapped
    x, y = context.network.graph.plane.xy(run.places.lon[is_snapped], run.places.lat[is_snapped])
    radius = [limit * 60 * context.mean_speed_kmh / 3.6 for limit in limits]
    return radius, [np.nan_to_num(run.population.straight(x, y, r)) for r in radius]
