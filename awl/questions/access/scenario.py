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
from awl.questions.access.inputs import AccessInputs
from awl.questions.context import Context, Places, limit_units
from awl.questions.population import Population, population_of

Floats = NDArray[np.float64]
MAX_PLACES_EACH = 2000
CURVE_STEPS = 30


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
    arrivals, reach = context.router.reach(snapped, "time", inputs.direction, int(NO_LIMIT))
    nearest = population.against(reach)
    units = [limit_units(value, "time") for value in inputs.limits]
    top = max(inputs.limits[-1] * 2, 10.0)
    minutes = np.linspace(0, top, CURVE_STEPS + 1)
    near = nearest.near(top * 60_000)
    # Potential and the k-th nearest look beyond the limits.
    far = int(NO_LIMIT) if inputs.measures else units[-1]
    used = int(snapped.is_snapped.sum())
    times = times_between(
        context.router, snapped, population.population_points, inputs.direction, far,
        report=lambda done: context.progress.step(0.4 + 0.4 * done / used, f"Place {done} of {used}"),
    )  # fmt: skip
    return Run(
        context, places, snapped, population, arrivals, nearest,
        [np.nan_to_num(nearest.share_within(unit)) for unit in units], minutes,
        np.array([np.nan_to_num(near.share_within(minute * 60_000)) for minute in minutes]), times,
    )  # fmt: skip


def straight_shares(run: Run, limits: list[float]) -> tuple[list[float], list[Floats]]:
    """Radius in metres and share (z,) within it, per limit; only places that count on the network count here."""
    context, is_snapped = run.context, run.snapped.is_snapped
    x, y = context.network.graph.plane.xy(run.places.lon[is_snapped], run.places.lat[is_snapped])
    radius = [limit * 60 * context.mean_speed_kmh / 3.6 for limit in limits]
    return radius, [np.nan_to_num(run.population.straight(x, y, r)) for r in radius]
