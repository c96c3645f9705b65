"""How catchments are computed: one search from all places at once shares out the streets and the people along them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.analysis.isochrone_areas.error import AreaError, area_error
from awl.core.analysis.isochrone_areas.field import CALM_MS
from awl.core.analysis.zones import length_by_owner, zone_streets
from awl.core.graph.shapes import cut_lines
from awl.core.routing.dijkstra.search import NO_LIMIT
from awl.core.routing.reach import Parts, Reach, reached_parts
from awl.core.routing.snapping import Snapped
from awl.io.table import Column, Meaning, Table, Values
from awl.questions import static_speeds
from awl.questions.catchment.inputs import CatchmentInputs
from awl.questions.context import Context, Places, limit_units
from awl.questions.inputs import FeatureSet, Json, check_limits
from awl.questions.reach_areas import AreaDrawer, error_doubts
from awl.questions.results import Doubt, Result
from awl.questions.zone_inputs import chosen_fields, gap_doubts, zone_doubts

MAX_AREAS = 5000


@dataclass
class CatchmentResult(Result):
    """Streets and people by the place they belong to.

    Attributes:
        mode: the title of the mode.
        words, kind: what the places are called together, and one of them where they are those of a layer.
        fields: the fields of people that were counted.
        busiest: the name of the place with most street.
    """

    mode: str
    words: str
    kind: str | None
    fields: list[str]
    busiest: str


@dataclass(frozen=True)
class _People:
    """People of zones by place: columns, totals for the summary, and what to know of the zones."""

    fields: list[str]
    columns: dict[str, Values]
    summary: Json
    doubts: list[Doubt]


def run_catchment(inputs: CatchmentInputs, context: Context) -> CatchmentResult:
    """Between equal times the place that comes first in the layer wins."""
    if inputs.limit is not None:
        check_limits([inputs.limit], "time", "limit")
    places = context.places(inputs.places)
    snapped = context.snap(places)
    unit = int(NO_LIMIT) if inputs.limit is None else limit_units(inputs.limit, "time")
    graph = context.network.graph
    context.progress.step(0.1, "Searching")
    most = min(unit + int(CALM_MS), int(NO_LIMIT))
    arrivals, reach = context.router.reach(snapped, "time", inputs.direction, most)
    parts = reached_parts(reach, unit)
    metres = np.bincount(
        parts.owner, weights=(parts.end - parts.begin) * graph.link_length[parts.link], minlength=len(places)
    )
    people = _people(inputs, inputs.zones, context, parts, len(places)) if inputs.zones is not None else None
    areas, error = _areas(context, places, snapped, reach, unit)
    columns: dict[str, Values] = {"street_km": Column.of(metres / 1000, "km", 3, Meaning("street"))}
    summary: Json = {"places": len(places), "street_km": round(float(metres.sum() / 1000), 3)}
    doubts = context.doubts_of(places, snapped) + context.doubts_of_reach(arrivals, unit)
    if people is not None:
        columns |= people.columns
        summary |= people.summary
        doubts += people.doubts
    return CatchmentResult(
        summary=summary,
        parts={
            "areas": areas,
            "streets": lambda: _streets(context, places, parts),
            "places": context.place_table(places, snapped, columns),
        },
        doubts=doubts + error_doubts(error),
        method=[
            *context.notes,
            *static_speeds.of_reach(context, "time", snapped, arrivals, unit),
            "Every stretch of street belongs to the place with the least time; a street between two places is split"
            " where both take as long. Between equal times the place that comes first in the layer wins.",
            "People live evenly along the streets with residential frontage in their zone.",
        ],
        mode=context.mode.title,
        words=places.words,
        kind=places.kind,
        fields=[] if people is None else people.fields,
        busiest=places.names[int(np.argmax(metres))],
    )


def _people(inputs: CatchmentInputs, zones: FeatureSet, context: Context, parts: Parts, places: int) -> _People:
    context.progress.step(0.3, "Counting people")
    layer, _ = context.features(zones, "zones")
    fields = chosen_fields(layer, inputs.fields)
    layer, shapes, people = context.zones(layer, fields)
    streets = zone_streets(context.network, shapes)
    share = length_by_owner(streets, parts, places) / np.maximum(streets.zone_length_m, 1e-9)[:, None]
    columns: dict[str, Values] = {"zones": (share > 0).sum(axis=0)}
    summary: Json = {}
    for name, column in zip(fields, people, strict=True):
        served: NDArray[np.float64] = share.T @ column
        columns[name] = Column.of(served, "people", 1, Meaning("people_served", name))
        summary[f"{name}_served"] = round(float(served.sum()), 1)
        summary[f"{name}_total"] = round(float(column.sum()), 1)
    placed = (streets.zone_length_m > 0).astype(np.float64)
    doubts = gap_doubts(layer, fields) + zone_doubts(placed, people[0], layer.names("zone"), context)
    return _People(fields, columns, summary, doubts)


def _streets(context: Context, places: Places, parts: Parts) -> Table:
    """Stretches of street with the place they belong to."""
    graph = context.network.graph
    return Table(
        cut_lines(graph, parts.link, parts.begin, parts.end),
        {
            "link_id": graph.link_id[parts.link],
            "place_id": [places.ids[i] for i in parts.owner],
            "place_row": parts.owner,
            "length_m": Column.of((parts.end - parts.begin) * graph.link_length[parts.link], "m", 1),
        },
    )


def _areas(context: Context, places: Places, snapped: Snapped, reach: Reach, unit: int) -> tuple[Table, AreaError]:
    """One polygon per place that owns ground, and how much street they put on the wrong side."""
    rows = np.flatnonzero(snapped.is_snapped)[:MAX_AREAS]
    draw = AreaDrawer(context, CALM_MS, context.progress.part(0.3, 0.5))
    shapes = np.full(len(rows), None, object)
    for done, row in enumerate(rows.tolist()):
        shapes[done] = draw.area(reach, unit, row)
        context.progress.step(0.5 + 0.45 * (done + 1) / len(rows), f"Area of {places.names[row]}")
    columns: dict[str, Values] = {
        "place_id": [places.ids[i] for i in rows],
        "place": [places.names[i] for i in rows],
        "place_row": rows,
        "area_km2": Column.of(shapely.area(shapes) / 1e6, "km²", 5),
    }
    held = np.full(len(places), None, object)
    held[rows] = shapes
    error = area_error(context.network, reach, unit, held, by_owner=True)
    return Table(context.network.graph.plane.unproject(shapes), columns), error
