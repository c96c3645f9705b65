"""The further measures of `access`."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.access_measures import gini, gravity, kth_time, lorenz, two_step
from awl.core.analysis.population_points import PopulationPoints
from awl.core.analysis.travel_times import Times
from awl.io.table import Column, Meaning, Table, Values
from awl.questions.access.inputs import AccessInputs
from awl.questions.inputs import Json, ordinal

Floats = NDArray[np.float64]
CURVE_POINTS = 50


def further_measures(
    inputs: AccessInputs,
    population_points: PopulationPoints,
    times: Times,
    offered: Floats,
    people: Floats,
    fields: list[str],
    limit: float,
) -> tuple[dict[str, Values], Table | None]:
    """Columns per zone of the measures asked for, and their Lorenz curves over the people of the first field."""
    heads = population_points.share * people[population_points.zone]
    columns: dict[str, Values] = {}
    rows: list[Json] = []

    def put(name: str, quantity: str, value: Floats) -> None:
        columns[name] = Column.of(population_points.per_zone(value), "", 4, Meaning(quantity))
        at, held = lorenz(value, heads)
        shares = np.linspace(0, 1, CURVE_POINTS + 1)
        coefficient = round(gini(value, heads), 4)
        rows.extend(
            {
                "measure": name,
                "field": fields[0],
                "people_share": round(a, 4),
                "held_share": round(b, 4),
                "gini": coefficient,
            }
            for a, b in zip(shares.tolist(), np.interp(shares, at, held).tolist(), strict=True)
        )

    if "gravity" in inputs.measures:
        put("gravity", "potential", gravity(times, offered, inputs.decay or "exponential", inputs.half))
    if "two_step" in inputs.measures:
        decay = None if inputs.decay is None else (inputs.decay, inputs.half)
        put("supply_per_1000", "supply", two_step(times, offered, heads, limit, decay) * 1000)
    if "kth" in inputs.measures:
        time = kth_time(times, inputs.k)
        reached = np.isfinite(time)
        some = population_points.per_zone(reached.astype(np.float64))
        total = population_points.per_zone(np.where(reached, time, 0.0))
        mean = np.divide(total, some, out=np.full(population_points.zones, np.nan), where=some > 0)
        columns[f"min_to_{inputs.k}_nearest"] = Column.of(mean, "min", 2, Meaning("time_to_nearest", nth=inputs.k))
    return columns, Table.of_records(rows) if rows else None


def measure_notes(inputs: AccessInputs) -> list[str]:
    """How the further measures are defined."""
    decay = f"{inputs.decay or 'exponential'} decay, one half at {inputs.half:g} min"
    offer = inputs.weights or "each place as one"
    notes = {
        "gravity": f"Potential: {offer}, summed with {decay} (Hansen 1959).",
        "two_step": f"Supply per 1,000 people: {offer}, two-step floating catchment areas (Luo and Wang 2003)"
        + (f" with {decay} (Luo and Qi 2009)." if inputs.decay else "."),
        "kth": f"Minutes to the {ordinal(inputs.k)} nearest place, as the mean over people who reach so many.",
    }
    return [notes[name] for name in dict.fromkeys(inputs.measures)]
