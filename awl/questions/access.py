"""Who lives near? People of zones within limits of a place, by network and, beside it, by straight line."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from awl.core.access.homes import HomesReach
from awl.core.access.measures import cumulative
from awl.core.access.zones import ZoneReach
from awl.core.engine.dijkstra import NO_LIMIT
from awl.core.engine.places import Snapped
from awl.core.errors import AwlError
from awl.formats import geojson
from awl.formats.table import Layer
from awl.questions.access_measures import further_measures, measure_notes, offer_of, per_place, times_to_each
from awl.questions.base import (
    Answer,
    Column,
    FeatureSet,
    Figure,
    Limits,
    Question,
    SharedInputs,
    check_limits,
    slot,
)
from awl.questions.context import Context, Places, limit_units, limit_word
from awl.questions.isochrone import search_reach
from awl.questions.population import Population, population_of
from awl.questions.zone_inputs import FIELDS, chosen_fields, zone_doubts, zone_names

MAX_PLACES_EACH = 2000
CURVE_STEPS = 30
MAX_CURVES = 4
"""Groups drawn as curves: more cannot be told apart; the table has them all."""


class AccessInputs(SharedInputs):
    """Inputs of `access`."""

    zones: FeatureSet = Field(description="Zones with people.", json_schema_extra=slot("place", "Zones"))
    fields: list[str] = FIELDS
    places: FeatureSet = Field(description="What is to be reached.", json_schema_extra=slot("place", "Places"))
    limits: Limits = Field(
        [5.0, 10.0, 15.0], description="Minutes, ascending.", json_schema_extra=slot("amount", "Limits")
    )
    direction: Literal["from", "to"] = Field(
        "to",
        description="People go to the places, or are served from them.",
        json_schema_extra=slot("way", "Direction", words={"to": "going there", "from": "being served from there"}),
    )
    spread: Literal["area", "buildings", "streets", "grid"] = Field(
        "streets",
        description="Where in a zone its people live: evenly along its lived-on streets, evenly over its area, in its"
        " buildings by floor area, or as a population raster says.",
        json_schema_extra=slot(
            "way",
            "People by",
            words={"streets": "street", "area": "area", "buildings": "building", "grid": "population grid"},
        ),
    )
    buildings: FeatureSet | None = Field(
        None, description="Buildings for that spread; the study's layer of buildings where left out."
    )
    weights: str | None = Field(
        None,
        description="A field of the places with what each offers, such as seats; each counts as one where left out.",
    )
    measures: list[Literal["gravity", "two_step", "kth"]] = Field(
        default_factory=list,
        max_length=3,
        description="Further measures per zone: potential with decay, supply per head by two-step floating catchment areas within"
        " the last limit, minutes to the k-th nearest place.",
        json_schema_extra=slot("way", "Measures"),
    )
    decay: Literal["exponential", "power", "gaussian"] | None = Field(
        None,
        description="How a place counts less with time: for the potential (exponential where left out), and for supply.",
    )
    half: float = Field(10.0, gt=0, le=240, description="Minutes at which a place counts one half.")
    k: int = Field(2, ge=1, le=100, description="Which nearest place `kth` looks for.")
    compare_straight_line: bool = Field(True, description="Also count people within a straight line of the same time.")


class Access(Question):
    """The access question."""

    id = "access"
    title = "Access of zones"
    description = (
        "People of zones within limits of the nearest place, per zone and in total, against the straight line."
    )
    opening = "Who lives near"
    sentences = [
        (
            {},
            "Who lives near {places}, {direction} as a {mode}, people by {spread}, within {limits}, counting {fields} of"
            " {zones}?",
        )
    ]
    Inputs = AccessInputs
    outputs = {
        "zones": "Zones with nearest place, its time, places and people within each limit, GeoJSON",
        "totals": "People within each limit, beyond, and not placed, per field",
        "places": "The places with people within each limit, and those who have no other, GeoJSON",
        "lorenz": "Lorenz curves of the further measures, as rows; only where such are asked for",
    }

    @classmethod
    def answer(cls, inputs: AccessInputs, context: Context) -> Answer:
        """One search for the nearest place, one per place for the number of places."""
        limits = check_limits(inputs.limits, "time")
        places = context.places(inputs.places)
        if len(places) > MAX_PLACES_EACH:
            raise AwlError(f"{len(places):,} places are more than {MAX_PLACES_EACH:,}", inputs=("places",))
        snapped = context.snap(places)
        layer, _ = context.features(inputs.zones, "zones")
        fields = chosen_fields(layer, inputs.fields)
        layer, shapes, people = context.zones(inputs.zones, fields)
        network = context.network
        context.progress.step(0.1, "Spreading people along streets")
        population = population_of(inputs.spread, inputs.buildings, context, shapes)
        context.progress.step(0.3, "Searching")
        found, reach = search_reach(network, snapped, "time", inputs.direction, int(NO_LIMIT))
        units = [limit_units(value, "time") for value in limits]
        nearest = population.against(reach)
        shares = [np.nan_to_num(nearest.share_within(unit)) for unit in units]
        placed = population.placed
        columns = _zone_columns(layer, fields, people, limits, shares, placed)
        owner = nearest.nearest_owner(len(places))
        minutes = nearest.mean_arrival() / 60_000
        columns["nearest_place"] = [places.names[i] if i >= 0 else None for i in owner]
        columns["mean_min"] = [None if np.isnan(v) else round(float(v), 2) for v in minutes]
        # Potential and the k-th nearest look beyond the limits.
        far = int(NO_LIMIT) if inputs.measures else units[-1]
        offered = offer_of(places, inputs.weights)
        table = times_to_each(context, snapped, population.homes, inputs.direction, far)
        for limit in limits:
            counted = population.homes.per_zone(cumulative(table, snapped.found.astype(np.float64), limit))
            columns[f"places_within_{limit:g}"] = np.round(counted, 2).tolist()
            if inputs.weights is not None:
                counted = population.homes.per_zone(cumulative(table, offered, limit))
                columns[f"{inputs.weights}_within_{limit:g}"] = np.round(counted, 2).tolist()
        totals = _totals(fields, people, limits, shares, placed)
        further, lorenz_rows = further_measures(inputs, population.homes, table, offered, people[0], fields, limits[-1])
        columns |= further
        by_place = per_place(population.homes, table, people, fields, limits)
        figures, summary = _figures(totals, fields, limits)
        method = [*context.notes, population.method, *measure_notes(inputs)]
        if inputs.compare_straight_line:
            context.progress.step(0.8, "Straight lines")
            radius, straight = _straight(context, population, places, snapped, limits)
            for row in totals:
                column = people[fields.index(row["field"])]
                for limit, share in zip(limits, straight, strict=True):
                    row[f"straight_{limit:g}"] = round(float(share @ column), 1)
            columns[f"straight_{limits[-1]:g}"] = np.round(people[0] * straight[-1], 1).tolist()
            middle = limits[len(limits) // 2]
            over = totals[0][f"straight_{middle:g}"] - totals[0][f"within_{middle:g}"]
            figures.append(Figure(round(over), "people", f"more if measured straight, {limit_word(middle, 'time')}"))
            summary["straight_line_radius_m"] = [round(value) for value in radius]
            method.append(
                f"Straight lines: {limits[-1]:g} min at the mode's mean speed of {context.mean_speed_kmh:.1f} km/h make"
                f" {radius[-1]:,.0f} m."
            )
        title = f"{context.mode.title}, {fields[0].replace('_', ' ')} within {limit_word(limits[-1], 'time')} of {places.words}"
        doubts = context.doubts_of(places, snapped) + context.doubts_of_reach(found, units[-1])
        geometry = network.graph.plane.unproject(shapes)
        return Answer(
            title=title,
            summary=summary | {"totals": totals},
            figures=figures,
            doubts=doubts + population.doubts + zone_doubts(placed, people[0], zone_names(layer), context),
            method=method,
            parts={
                "zones": geojson.collection(Layer(geometry, columns)),
                "totals": totals,
                "places": context.place_features(places, snapped, by_place),
                **({"lorenz": lorenz_rows} if lorenz_rows else {}),
            },
            table=("zones", _table_columns(fields, limits)),
            chart=_curve(nearest, fields, people, limits),
        )


def _zone_columns(
    layer: Layer,
    fields: list[str],
    people: list[NDArray[np.float64]],
    limits: list[float],
    shares: list[NDArray[np.float64]],
    placed: NDArray[np.float64],
) -> dict[str, list[Any]]:
    columns: dict[str, list[Any]] = {"zone": zone_names(layer)}
    for key in ("zone", "id", "zone_id", "code"):
        if key in layer.columns:
            columns["zone_id"] = layer.columns[key]
            break
    for name, column in zip(fields, people, strict=True):
        columns[name] = column.tolist()
        for limit, share in zip(limits, shares, strict=True):
            columns[f"{name}_within_{limit:g}"] = np.round(column * share, 2).tolist()
    for limit, share in zip(limits, shares, strict=True):
        columns[f"share_within_{limit:g}"] = np.where(placed > 0, np.round(share * 100, 2), np.nan).tolist()
    return columns


def _totals(
    fields: list[str],
    people: list[NDArray[np.float64]],
    limits: list[float],
    shares: list[NDArray[np.float64]],
    placed: NDArray[np.float64],
) -> list[dict[str, Any]]:
    """Per field: total = within the last limit + beyond it + not placed."""
    rows = []
    for name, column in zip(fields, people, strict=True):
        row: dict[str, Any] = {"field": name, "total": round(float(column.sum()), 1)}
        for limit, share in zip(limits, shares, strict=True):
            row[f"within_{limit:g}"] = round(float(share @ column), 1)
        row["not_placed"] = round(float((column * (1.0 - placed)).sum()), 1)
        row["beyond"] = round(row["total"] - row[f"within_{limits[-1]:g}"] - row["not_placed"], 1)
        rows.append(row)
    return rows


def _figures(
    totals: list[dict[str, Any]], fields: list[str], limits: list[float]
) -> tuple[list[Figure], dict[str, Any]]:
    first, middle, last = totals[0], limits[len(limits) // 2], limits[-1]
    share = 100 * first[f"within_{middle:g}"] / first["total"] if first["total"] else None
    label = fields[0].replace("_", " ")
    figures = [
        Figure(None if share is None else round(share, 1), "%", f"of {label}, {limit_word(middle, 'time')}"),
        Figure(round(first["beyond"]), "people", f"beyond {limit_word(last, 'time')}"),
    ]
    summary = {
        "limits_min": limits,
        f"share_within_{middle:g}_min_percent": None if share is None else round(share, 2),
        f"people_beyond_{last:g}_min": first["beyond"],
    }
    return figures, summary


def _straight(
    context: Context, population: Population, places: Places, snapped: Snapped, limits: list[float]
) -> tuple[list[float], list[NDArray[np.float64]]]:
    """Radius in metres and share (z,) within it, per limit; only places that count on the network count here."""
    x, y = context.network.graph.plane.xy(places.lon[snapped.found], places.lat[snapped.found])
    radius = [limit * 60 * context.mean_speed_kmh / 3.6 for limit in limits]
    return radius, [np.nan_to_num(population.straight(x, y, r)) for r in radius]


def _table_columns(fields: list[str], limits: list[float]) -> list[Column]:
    return [
        Column("zone", "Zone"),
        Column(fields[0], "People" if fields[0] == "population" else fields[0].replace("_", " ").capitalize(), "", 0),
        Column("mean_min", "Mean", "min", 1),
        *[Column(f"share_within_{limit:g}", f"{limit:g} min", "%", 1) for limit in limits],
        Column("nearest_place", "Nearest"),
    ]


def _curve(
    nearest: ZoneReach | HomesReach,
    fields: list[str],
    people: list[NDArray[np.float64]],
    limits: list[float],
) -> dict[str, Any]:
    """Share of each group within so many minutes."""
    top = max(limits[-1] * 2, 10.0)
    minutes = np.linspace(0, top, CURVE_STEPS + 1)
    shares = [np.nan_to_num(nearest.share_within(minute * 60_000)) for minute in minutes]
    series = []
    for name, column in list(zip(fields, people, strict=True))[:MAX_CURVES]:
        total = max(float(column.sum()), 1e-9)
        series.append(
            {
                "label": name.replace("_", " "),
                "values": [round(100 * float(share @ column) / total, 2) for share in shares],
            }
        )
    return {
        "kind": "curve",
        "title": "Share of people within so many minutes, %",
        "x": {"label": "minutes", "values": [round(float(m), 2) for m in minutes]},
        "series": series,
        "marks": limits,
    }
