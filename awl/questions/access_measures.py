"""The further measures of `access`: times to each place, what is offered, per zone and per place."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from awl.core.access.homes import Homes, minutes_to_place
from awl.core.access.measures import gini, gravity, kth_time, lorenz, two_step
from awl.core.engine.places import Snapped
from awl.core.engine.query import arrivals
from awl.core.errors import AwlError
from awl.questions.base import Json
from awl.questions.context import Context, Places

Floats = NDArray[np.float64]
CURVE_POINTS = 50


def times_to_each(context: Context, snapped: Snapped, homes: Homes, direction: str, limit: int) -> Floats:
    """Minutes (p, k) between each home and each place; infinity beyond `limit` ms, without a way, or off the streets."""
    table = np.full((len(homes.zone), len(snapped.link)), np.inf)
    rows = np.flatnonzero(snapped.found)
    for done, row in enumerate(rows):
        context.progress.step(0.4 + 0.4 * done / len(rows), f"Place {done + 1} of {len(rows)}")
        place = snapped.take(np.array([row]))
        found = arrivals(context.network, place, "time", direction, limit)
        table[:, row] = minutes_to_place(homes, context.network, place, found)
    table[table * 60_000 > limit] = np.inf
    return table


def offer_of(places: Places, field: str | None) -> Floats:
    """What each place offers (k,)."""
    if field is None:
        return np.ones(len(places))
    values = places.layer.columns.get(field)
    if values is None:
        known = ", ".join(key for key in places.layer.columns if key != "fid") or "none"
        raise AwlError(
            f"The places have no field '{field}'",
            remedy=f"Fields are: {known}",
            inputs=("weights",),
            kind="no-such-field",
        )
    bad = next(
        (i for i, v in enumerate(values) if isinstance(v, bool) or not isinstance(v, int | float) or v < 0), None
    )
    if bad is not None:
        raise AwlError(
            f"'{field}' of {places.names[bad]} is {values[bad]!r}, no number of zero or more", inputs=("weights",)
        )
    return np.array(values, np.float64)


def further_measures(
    inputs: Any, homes: Homes, table: Floats, offered: Floats, people: Floats, fields: list[str], limit: float
) -> tuple[dict[str, list[Any]], list[Json]]:
    """Columns per zone of the measures asked for, and their Lorenz curves over the people of the first field."""
    heads = homes.share * people[homes.zone]
    columns: dict[str, list[Any]] = {}
    rows: list[Json] = []

    def put(name: str, value: Floats, digits: int) -> None:
        columns[name] = np.round(homes.per_zone(value), digits).tolist()
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
        put("gravity", gravity(table, offered, inputs.decay or "exponential", inputs.half), 4)
    if "two_step" in inputs.measures:
        decay = None if inputs.decay is None else (inputs.decay, inputs.half)
        put("supply_per_1000", two_step(table, offered, heads, limit, decay) * 1000, 4)
    if "kth" in inputs.measures:
        time = kth_time(table, inputs.k)
        reached = np.isfinite(time)
        some = homes.per_zone(reached.astype(np.float64))
        total = homes.per_zone(np.where(reached, time, 0.0))
        mean = np.divide(total, some, out=np.full(homes.zones, np.nan), where=some > 0)
        columns[f"min_to_{inputs.k}_nearest"] = [None if np.isnan(v) else round(float(v), 2) for v in mean]
    return columns, rows


def per_place(
    homes: Homes, table: Floats, people: list[Floats], fields: list[str], limits: list[float]
) -> dict[str, list[Any]]:
    """People within each limit of each place by group, and of the first group those who have no other within the last."""
    columns: dict[str, list[Any]] = {}
    for limit in limits:
        within = table <= limit
        for name, column in zip(fields, people, strict=True):
            heads = homes.share * column[homes.zone]
            columns[f"{name}_within_{limit:g}"] = np.round(heads @ within, 1).tolist()
    within = table <= limits[-1]
    heads = homes.share * people[0][homes.zone]
    alone = within.sum(axis=1) == 1
    columns[f"{fields[0]}_only_this"] = np.round((heads * alone) @ within, 1).tolist()
    columns[f"{fields[0]}_with_others"] = np.round((heads * ~alone) @ within, 1).tolist()
    return columns


def measure_notes(inputs: Any) -> list[str]:
    """How the further measures are defined."""
    decay = f"{inputs.decay or 'exponential'} decay, one half at {inputs.half:g} min"
    offer = inputs.weights or "each place as one"
    notes = {
        "gravity": f"Potential: {offer}, summed with {decay} (Hansen 1959).",
        "two_step": f"Supply per 1,000 people: {offer}, two-step floating catchment areas (Luo and Wang 2003)"
        + (f" with {decay} (Luo and Qi 2009)." if inputs.decay else "."),
        "kth": f"Minutes to the {inputs.k}. nearest place, as the mean over people who reach so many.",
    }
    return [notes[name] for name in dict.fromkeys(inputs.measures)]
