"""Who belongs to which place? The streets, and the people along them, shared out to the nearest place."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
import shapely
from pydantic import Field

from awl.core.analysis.isochrone_areas.error import AreaError, area_error
from awl.core.analysis.isochrone_areas.field import CALM_MS
from awl.core.analysis.zones import length_by_owner, zone_streets
from awl.core.graph.shapes import cut_lines
from awl.core.routing.dijkstra.search import NO_LIMIT
from awl.core.routing.reach import reached_parts
from awl.io import geojson
from awl.io.table import Layer
from awl.questions import frozen_hour
from awl.questions.base import (
    DIRECTION_WORDS,
    Answer,
    Column,
    FeatureSet,
    Figure,
    Question,
    SharedInputs,
    check_limits,
    slot,
)
from awl.questions.context import Context, limit_units, limit_word
from awl.questions.reach_areas import AreaDrawer, error_doubts
from awl.questions.zone_inputs import FIELDS, chosen_fields, gap_doubts, zone_doubts

MAX_AREAS = 5000


class CatchmentInputs(SharedInputs):
    """Inputs of `catchment`."""

    places: FeatureSet = Field(
        description="The places that streets belong to.", json_schema_extra=slot("place", "Places")
    )
    limit: float | None = Field(
        None,
        description="Minutes beyond which a street belongs to no place; null shares out the whole network.",
        json_schema_extra=slot("amount", "Limit"),
    )
    direction: Literal["from", "to"] = Field(
        "to",
        description="People go to the places, or are served from them.",
        json_schema_extra=slot("way", "Direction", words=DIRECTION_WORDS),
    )
    zones: FeatureSet | None = Field(
        None, description="Zones with people to count along the streets.", json_schema_extra=slot("place", "Zones")
    )
    fields: list[str] = FIELDS


class Catchment(Question):
    """The catchment question."""

    id = "catchment"
    title = "Catchment"
    description = "Streets, zones and people that belong to each place because it is the nearest."
    opening = "Which is nearest"
    sentences = [
        ({"zones": None}, "Which is nearest for a {mode}, {direction} {places}, {limit}?"),
        ({}, "Which is nearest for a {mode}, {direction} {places}, {limit}, counting {fields} of {zones}?"),
    ]
    Inputs = CatchmentInputs
    outputs = {
        "areas": "One polygon per place, GeoJSON",
        "streets": "Streets with the place they belong to, GeoJSON",
        "places": "Places with street length, zones and people of each, GeoJSON",
    }

    @classmethod
    def answer(cls, inputs: CatchmentInputs, context: Context) -> Answer:
        """One search from all places at once; between equal times the place that comes first in the layer wins."""
        if inputs.limit is not None:
            check_limits([inputs.limit], "time", "limit")
        places = context.places(inputs.places)
        snapped = context.snap(places)
        unit = int(NO_LIMIT) if inputs.limit is None else limit_units(inputs.limit, "time")
        network, graph = context.network, context.network.graph
        context.progress.step(0.1, "Searching")
        most = min(unit + int(CALM_MS), int(NO_LIMIT))
        found, reach = context.router.reach(snapped, "time", inputs.direction, most)
        parts = reached_parts(reach, unit)
        count = len(places)
        metres = np.bincount(
            parts.owner, weights=(parts.end - parts.begin) * graph.link_length[parts.link], minlength=count
        )
        columns: dict[str, list[Any]] = {"street_km": np.round(metres / 1000, 3).tolist()}
        doubts = context.doubts_of(places, snapped) + context.doubts_of_reach(found, unit)
        summary: dict[str, Any] = {"places": count, "street_km": round(float(metres.sum() / 1000), 3)}
        figures = [Figure(round(float(metres.sum() / 1000), 1), "km", "of street shared out")]
        extra: list[Column] = []
        if inputs.zones is not None:
            context.progress.step(0.3, "Counting people")
            layer, _ = context.features(inputs.zones, "zones")
            fields = chosen_fields(layer, inputs.fields)
            layer, shapes, people = context.zones(inputs.zones, fields)
            streets = zone_streets(network, shapes)
            share = length_by_owner(streets, parts, count) / np.maximum(streets.zone_length_m, 1e-9)[:, None]
            columns["zones"] = (share > 0).sum(axis=0).tolist()
            extra = [Column("zones", "Zones", "", 0)]
            for name, column in zip(fields, people, strict=True):
                served = share.T @ column
                columns[name] = np.round(served, 1).tolist()
                summary[f"{name}_served"] = round(float(served.sum()), 1)
                summary[f"{name}_total"] = round(float(column.sum()), 1)
                extra.append(Column(name, name.replace("_", " "), "people", 0))
            figures.append(
                Figure(round(summary[f"{fields[0]}_served"]), "people", f"{fields[0].replace('_', ' ')} served")
            )
            doubts += gap_doubts(layer, fields) + zone_doubts(
                (streets.zone_length_m > 0).astype(np.float64), people[0], layer.names("zone"), context
            )
        areas, error = _areas(context, places, snapped, reach, unit)
        doubts += error_doubts(error)
        busiest = int(np.argmax(metres))
        figures.append(Figure(places.names[busiest], "", "has most street"))
        within = "" if inputs.limit is None else f" within {limit_word(inputs.limit, 'time')}"
        owner = parts.owner
        return Answer(
            title=f"{context.mode.title}, nearest of {places.words}{within}",
            summary=summary,
            figures=figures,
            doubts=doubts,
            method=[
                *context.notes,
                *frozen_hour.of_reach(context, "time", snapped, found, unit),
                "Every stretch of street belongs to the place with the least time; a street between two places is split"
                " where both take as long. Between equal times the place that comes first in the layer wins.",
                "People live evenly along the lived-on streets of their zone.",
            ],
            parts={
                "areas": areas,
                "streets": lambda: geojson.collection(
                    Layer(
                        cut_lines(graph, parts.link, parts.begin, parts.end),
                        {
                            "link_id": graph.link_id[parts.link].tolist(),
                            "place_id": [places.ids[i] for i in owner],
                            "place_row": owner.tolist(),
                            "length_m": np.round((parts.end - parts.begin) * graph.link_length[parts.link], 1).tolist(),
                        },
                    )
                ),
                "places": context.place_features(places, snapped, columns),
            },
            table=("places", [Column("name", "Place"), Column("street_km", "Street", "km", 1), *extra]),
            chart={
                "kind": "bars",
                "title": "People by place" if extra else "Street by place, km",
                "x": {"label": "place", "values": places.names},
                "series": [
                    {"label": extra[1].title, "values": columns[extra[1].field]}
                    if extra
                    else {"label": "km", "values": columns["street_km"]}
                ],
            },
        )


def _areas(context: Context, places: Any, snapped: Any, reach: Any, unit: int) -> tuple[dict[str, Any], AreaError]:
    """One polygon per place that owns ground, and how much street they put on the wrong side."""
    rows = np.flatnonzero(snapped.found)[:MAX_AREAS]
    draw = AreaDrawer(context, CALM_MS)
    shapes = []
    for done, row in enumerate(rows):
        context.progress.step(0.5 + 0.45 * done / len(rows), f"Area of {places.names[row]}")
        shapes.append(draw.area(reach, unit, int(row)))
    geometry = context.network.graph.plane.unproject(np.array(shapes, dtype=object))
    columns = {
        "place_id": [places.ids[i] for i in rows],
        "place": [places.names[i] for i in rows],
        "place_row": rows.tolist(),
        "area_km2": np.round(shapely.area(np.array(shapes, dtype=object)) / 1e6, 5).tolist(),
    }
    held = np.full(len(places), None, object)
    held[rows] = shapes
    return geojson.collection(Layer(geometry, columns)), area_error(
        context.network.graph, reach, unit, held, by_owner=True
    )
