"""Who lives near? People of zones within limits of a place, by network and, beside it, by straight line."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from awl.core.access.zones import ZoneReach, ZoneStreets, straight_share, zone_streets
from awl.core.engine.dijkstra import NO_LIMIT
from awl.core.engine.places import Snapped
from awl.core.errors import AwlError
from awl.formats import geojson
from awl.formats.table import Layer
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
from awl.questions.zone_inputs import FIELDS, chosen_fields, zone_doubts, zone_names

MAX_PLACES_EACH = 2000
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
    spread: Literal["streets"] = Field(
        "streets",
        description="Where in a zone its people live: evenly along its lived-on streets.",
        json_schema_extra=slot("way", "People by", words={"streets": "street"}),
    )
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
        "places": "The places with their distance to the street, GeoJSON",
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
        streets = zone_streets(network, shapes)
        context.progress.step(0.3, "Searching")
        found, reach = search_reach(network, snapped, "time", inputs.direction, int(NO_LIMIT))
        units = [limit_units(value, "time") for value in limits]
        nearest = ZoneReach(streets, reach)
        shares = [np.nan_to_num(nearest.share_within(unit)) for unit in units]
        placed = streets.zone_length_m > 0
        columns = _zone_columns(layer, fields, people, limits, shares, placed)
        owner = nearest.nearest_owner(len(places))
        minutes = nearest.mean_arrival() / 60_000
        columns["nearest_place"] = [places.names[i] if i >= 0 else None for i in owner]
        columns["mean_min"] = [None if np.isnan(v) else round(float(v), 2) for v in minutes]
        for limit, counted in zip(
            limits, _places_within(context, snapped, streets, inputs.direction, units), strict=True
        ):
            columns[f"places_within_{limit:g}"] = np.round(counted, 2).tolist()
        totals = _totals(fields, people, limits, shares, placed)
        figures, summary = _figures(totals, fields, limits)
        method = [
            *context.notes,
            "People live evenly along the lived-on streets of their zone; streets are split exactly where a limit falls.",
        ]
        if inputs.compare_straight_line:
            context.progress.step(0.8, "Straight lines")
            radius, straight = _straight(context, streets, places, snapped, limits)
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
            doubts=doubts + zone_doubts(streets, zone_names(layer), context),
            method=method,
            parts={
                "zones": geojson.collection(Layer(geometry, columns)),
                "totals": totals,
                "places": context.place_features(places, snapped, {}),
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
    placed: NDArray[np.bool_],
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
        columns[f"share_within_{limit:g}"] = np.where(placed, np.round(share * 100, 2), np.nan).tolist()
    return columns


def _places_within(
    context: Context, snapped: Snapped, streets: ZoneStreets, direction: str, units: list[int]
) -> list[NDArray[np.float64]]:
    """For each limit the number of places (z,) within it, as the mean over a zone's people."""
    counted = [np.zeros(len(streets.zone_length_m)) for _ in units]
    rows = np.flatnonzero(snapped.found)
    for done, row in enumerate(rows):
        context.progress.step(0.4 + 0.4 * done / len(rows), f"Place {done + 1} of {len(rows)}")
        _, reach = search_reach(context.network, snapped.take(np.array([row])), "time", direction, units[-1])
        alone = ZoneReach(streets, reach)
        for total, unit in zip(counted, units, strict=True):
            total += np.nan_to_num(alone.share_within(unit))
    return counted


def _totals(
    fields: list[str],
    people: list[NDArray[np.float64]],
    limits: list[float],
    shares: list[NDArray[np.float64]],
    placed: NDArray[np.bool_],
) -> list[dict[str, Any]]:
    """Per field: total = within the last limit + beyond it + not placed."""
    rows = []
    for name, column in zip(fields, people, strict=True):
        row: dict[str, Any] = {"field": name, "total": round(float(column.sum()), 1)}
        for limit, share in zip(limits, shares, strict=True):
            row[f"within_{limit:g}"] = round(float(share @ column), 1)
        row["not_placed"] = round(float(column[~placed].sum()), 1)
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
    context: Context, streets: ZoneStreets, places: Places, snapped: Snapped, limits: list[float]
) -> tuple[list[float], list[NDArray[np.float64]]]:
    """Radius in metres and share (z,) within it, per limit; only places that count on the network count here."""
    x, y = context.network.graph.plane.xy(places.lon[snapped.found], places.lat[snapped.found])
    radius = [limit * 60 * context.mean_speed_kmh / 3.6 for limit in limits]
    return radius, [np.nan_to_num(straight_share(context.network, streets, x, y, r)) for r in radius]


def _table_columns(fields: list[str], limits: list[float]) -> list[Column]:
    return [
        Column("zone", "Zone"),
        Column(fields[0], "People" if fields[0] == "population" else fields[0].replace("_", " ").capitalize(), "", 0),
        Column("mean_min", "Mean", "min", 1),
        *[Column(f"share_within_{limit:g}", f"{limit:g} min", "%", 1) for limit in limits],
        Column("nearest_place", "Nearest"),
    ]


def _curve(
    nearest: ZoneReach,
    fields: list[str],
    people: list[NDArray[np.float64]],
    limits: list[float],
) -> dict[str, Any]:
    """Share of each group within so many minutes."""
    top = max(limits[-1] * 2, 10.0)
    minutes = np.linspace(0, top, 61)
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
