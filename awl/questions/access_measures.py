"""The further measures of `access`, and what places offer."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.access_measures import gini, gravity, kth_time, lorenz, two_step
from awl.core.analysis.population_points import Homes
from awl.core.analysis.travel_times import Times
from awl.core.errors import AwlError
from awl.questions.base import Json, ordinal
from awl.questions.context import Places

Floats = NDArray[np.float64]
CURVE_POINTS = 50
MOST_KINDS = 20
MEASURE_WORDS = {"gravity": "potential", "supply_per_1000": "supply per head"}


def offer_of(places: Places, field: str | None, name: str = "weights") -> Floats:
    """What each place offers (k,)."""
    if field is None:
        return np.ones(len(places))
    values = places.layer.columns.get(field)
    if values is None:
        known = ", ".join(key for key in places.layer.columns if key != "fid") or "none"
        raise AwlError(
            f"The places have no field '{field}'",
            remedy=f"Fields are: {known}",
            inputs=(name,),
            kind="no-such-field",
        )
    bad = next(
        (i for i, v in enumerate(values) if isinstance(v, bool) or not isinstance(v, int | float) or v < 0), None
    )
    if bad is not None:
        raise AwlError(
            f"'{field}' of {places.names[bad]} is {values[bad]!r}, no number of zero or more", inputs=(name,)
        )
    return np.array(values, np.float64)


def offers_of(places: Places, weights: str | None, kind: str | None) -> dict[str, Floats]:
    """What is counted within limits, by name: the places, what they offer, and those of each kind; weights (k,) of each."""
    offers = {"places": np.ones(len(places))}
    if weights is not None:
        offers[weights] = offer_of(places, weights)
    if kind is not None:
        values = places.layer.columns.get(kind)
        if values is None:
            known = ", ".join(key for key in places.layer.columns if key != "fid") or "none"
            raise AwlError(f"The places have no field '{kind}'", remedy=f"Fields are: {known}", inputs=("kind",))
        texts = ["none" if value is None else str(value) for value in values]
        if len(set(texts)) > MOST_KINDS:
            raise AwlError(
                f"'{kind}' has {len(set(texts))} different values, more than {MOST_KINDS}",
                remedy="Choose a field with few",
                inputs=("kind",),
            )
        for one in sorted(set(texts)):
            offers[f"places_{one}"] = np.array([float(text == one) for text in texts])
    return offers


def further_measures(
    inputs: Any, homes: Homes, times: Times, offered: Floats, people: Floats, fields: list[str], limit: float
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
        put("gravity", gravity(times, offered, inputs.decay or "exponential", inputs.half), 4)
    if "two_step" in inputs.measures:
        decay = None if inputs.decay is None else (inputs.decay, inputs.half)
        put("supply_per_1000", two_step(times, offered, heads, limit, decay) * 1000, 4)
    if "kth" in inputs.measures:
        time = kth_time(times, inputs.k)
        reached = np.isfinite(time)
        some = homes.per_zone(reached.astype(np.float64))
        total = homes.per_zone(np.where(reached, time, 0.0))
        mean = np.divide(total, some, out=np.full(homes.zones, np.nan), where=some > 0)
        columns[f"min_to_{inputs.k}_nearest"] = [None if np.isnan(v) else round(float(v), 2) for v in mean]
    return columns, rows


def lorenz_chart(rows: list[Json], field: str) -> Json | None:
    """The Lorenz curves drawn beside the line of equality; None where there are none."""
    names = list(dict.fromkeys(row["measure"] for row in rows))
    if not names:
        return None
    first = [row for row in rows if row["measure"] == names[0]]
    series = []
    for name in names:
        mine = [row for row in rows if row["measure"] == name]
        label = f"{MEASURE_WORDS.get(name, name)}, Gini {mine[0]['gini']:.2f}"
        series.append({"label": label, "values": [round(100 * row["held_share"], 2) for row in mine]})
    shares = [round(100 * row["people_share"], 2) for row in first]
    return {
        "kind": "curve",
        "name": "Inequality",
        "title": f"Share held by the worst off of {field.replace('_', ' ')}, %",
        "x": {"label": "% of people", "values": shares},
        "series": [*series, {"label": "all alike", "values": shares}],
    }


def measure_notes(inputs: Any) -> list[str]:
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
