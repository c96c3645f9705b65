"""How far? Streets split exactly where the limit falls, and areas around them."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
import shapely
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from awl.core.engine.places import Snapped
from awl.core.engine.query import Arrivals, arrivals
from awl.core.engine.reach import Parts, Reach, reach_of, reached_parts
from awl.core.errors import AwlError
from awl.core.modes.network import Network
from awl.core.streets.shapes import cut_lines, point_at
from awl.core.surfaces.area_error import TOLERATED, AreaError, area_error
from awl.core.surfaces.areas import contour_area, field_values
from awl.core.surfaces.field import CALM_MS, OFF_STREET_M
from awl.core.surfaces.over_water import without_water
from awl.formats import geojson
from awl.formats.table import Layer
from awl.questions import frozen_hour
from awl.questions.base import (
    DIRECTION_WORDS,
    Answer,
    Column,
    Doubt,
    FeatureSet,
    Figure,
    Limits,
    Question,
    SharedInputs,
    check_limits,
    slot,
)
from awl.questions.context import Context, Places, limit_column, limit_units, limit_word
from awl.questions.isochrone_hours import hour_columns, hours_chart, least, name_of, reach_at
from awl.questions.matrix_hours import MOST_HOURS, checked_hours

CALM_MM = 80_000.0
MAX_SEPARATE = 5000
"""Areas per place are drawn for at most so many places."""


class Differing(BaseModel):
    """What holds for some of the places instead; words left out stay as they are for all."""

    model_config = ConfigDict(extra="forbid")

    where: str = Field(min_length=1, description="Which places, in CQL2: kind = 'hall'.")
    mode: str | None = Field(None, description="Another mode.")
    at: str | None = Field(None, description="Another hour.")
    limits: Limits | None = Field(None, description="Other limits, as many as all have.")
    add_minutes: float = Field(
        0.0, ge=0, le=240, description="Minutes every trip takes longer, such as finding a parking space."
    )


class IsochroneInputs(SharedInputs):
    """Inputs of `isochrone`."""

    places: FeatureSet = Field(description="Where from, or where to.", json_schema_extra=slot("place", "Places"))
    limits: Limits = Field(
        [5.0, 10.0, 15.0],
        description="Minutes, or metres where `measure` is `distance`; ascending.",
        json_schema_extra=slot("amount", "Limits"),
    )
    direction: Literal["from", "to"] = Field(
        "from",
        description="Moving from the places or to them.",
        json_schema_extra=slot("way", "Direction", words=DIRECTION_WORDS),
    )
    merge: Literal["each", "bands", "merged", "nearest"] = Field(
        "merged",
        description="Areas per place, as rings between limits, merged over all places, or shared out to the nearest place.",
        json_schema_extra=slot(
            "way",
            "Areas",
            words={
                "each": "one by one",
                "bands": "as rings",
                "merged": "merged",
                "nearest": "shared out to the nearest",
            },
        ),
    )
    measure: Literal["time", "distance"] = Field("time", description="What the limits count.")
    differs: list[Differing] = Field(
        default_factory=list,
        max_length=8,
        description="Places with a mode, hour, limits or added minutes of their own; the first rule a place meets holds.",
        json_schema_extra=slot("way", "But"),
    )
    hours: list[Annotated[int, Field(ge=0, le=23)]] = Field(
        [],
        max_length=MOST_HOURS,
        description="Further hours of the day of `at`, 0 to 23: the street within the limits at those hours as well.",
        json_schema_extra=slot("time", "Further hours"),
    )
    compare_straight_line: bool = Field(
        False, description="Add the areas within the same limits measured straight, at the mode's mean speed."
    )


class Isochrone(Question):
    """The isochrone question."""

    id = "isochrone"
    title = "Isochrone"
    description = "How far one gets from places, or from how far one comes to them, within limits."
    opening = "How far"
    sentences = [
        (
            {"direction": "to"},
            "From how far does a {mode} come, {direction} {places}, within {limits}, areas {merge}?",
        ),
        ({}, "How far does a {mode} get, {direction} {places}, within {limits}, areas {merge}?"),
    ]
    Inputs = IsochroneInputs
    outputs = {
        "areas": "Polygons per limit (and place), GeoJSON",
        "contours": "The edges of the areas where they do not run along water, as lines, GeoJSON",
        "streets": "Reached parts of streets, split at the limits, with arrival, GeoJSON",
        "ends": "Points where a limit falls, GeoJSON",
        "places": "The places with their distance to the street, GeoJSON",
        "by_hour": "Kilometres of street within each limit at each of the `hours`, as rows; only where they are given",
        "straight": "Discs within the same limits measured straight, merged, GeoJSON; only where they are compared",
    }

    @classmethod
    def answer(cls, inputs: IsochroneInputs, context: Context) -> Answer:
        """Search once (or once per place), then draw; once for each group of places that differ."""
        limits = check_limits(inputs.limits, inputs.measure)
        hours = checked_hours(inputs.hours, context.when, inputs.measure) if inputs.hours else []
        if inputs.differs and hours:
            raise AwlError(
                "Places that differ have hours of their own", remedy="Leave one out", inputs=("hours", "differs")
            )
        if inputs.differs:
            from awl.questions.isochrone_mixed import mixed_answer

            return mixed_answer(cls, inputs, context)
        places = context.places(inputs.places)
        snapped = context.snap(places)
        if inputs.merge == "each" and len(places) > MAX_SEPARATE:
            raise AwlError(
                f"Areas one by one are drawn for at most {MAX_SEPARATE} places, not {len(places):,}",
                remedy="Merge the areas or filter the places",
                inputs=("merge",),
            )
        network = context.network
        units = [limit_units(value, inputs.measure) for value in limits]
        calm = CALM_MS if inputs.measure == "time" else CALM_MM
        context.progress.step(0.1, "Searching")
        found, reach = search_reach(network, snapped, inputs.measure, inputs.direction, units[-1] + int(calm))
        context.progress.step(0.3, "Splitting streets at the limits")
        parts = reached_parts(reach, units[-1])
        length = network.graph.link_length
        street_km = [reach.length_within(unit, length) / 1000 for unit in units]
        areas = cls._areas(inputs, context, places, snapped, reach, limits, units, calm)
        by_hour = reach_at(context, hours, snapped, inputs.direction, limits, units) if hours else []
        context.progress.step(0.95, "Summing up")
        last = limit_word(limits[-1], inputs.measure)
        merged_km2 = areas.pop("merged_km2")
        used = int(snapped.found.sum())
        rows = [
            {"limit": limit, "area_km2": round(km2, 4), "street_km": round(km, 3)}
            for limit, km2, km in zip(limits, merged_km2, street_km, strict=True)
        ]
        straight = inputs.compare_straight_line
        curve = _curve(network, reach, units[-1], limits, inputs.measure)
        return Answer(
            title=f"{context.mode.title} {last} {inputs.direction} {places.words}",
            summary={
                "places": len(places),
                "places_used": used,
                "limits_min" if inputs.measure == "time" else "limits_m": limits,
                "area_km2": [row["area_km2"] for row in rows],
                "street_km": [row["street_km"] for row in rows],
                **({"street_km_by_hour": {row["hour"]: row[name_of(limits[-1])] for row in by_hour}} if hours else {}),
            },
            figures=[
                Figure(round(merged_km2[-1], 2), "km²", f"within {last}"),
                Figure(round(street_km[-1], 1), "km", f"of street within {last}"),
                *([least(by_hour, limits)] if hours else []),
            ],
            doubts=[
                *context.doubts_of(places, snapped),
                *context.doubts_of_reach(found, units[-1]),
                *error_doubts(areas.pop("error")),
            ],
            method=[
                *context.notes,
                *frozen_hour.of_reach(context, inputs.measure, snapped, found, units[-1]),
                "Streets are split exactly where a limit falls. An area holds the reached streets and ends at most about"
                f" {OFF_STREET_M / 2:.0f} m beside them; water is left out but for the bridges that are reached.",
            ],
            parts={
                "areas": areas["areas"],
                "contours": lambda: geojson.collection(areas["contours"](context)),
                "streets": lambda: _streets(network, parts, limits, units, inputs.measure),
                "ends": lambda: _ends(network, reach, limits, units),
                "places": context.place_features(places, snapped, {}),
                "by_limit": rows,
                **({"by_hour": by_hour} if hours else {}),
                **({"straight": straight_areas(context, places, limits, inputs.measure)} if straight else {}),
            },
            table=(
                "by_limit",
                [
                    limit_column(limits, inputs.measure),
                    Column("area_km2", "Area", "km²", 2),
                    Column("street_km", "Street", "km", 1),
                ],
            ),
            tables={"By hour": ("by_hour", hour_columns(limits))} if hours else {},
            chart=hours_chart(by_hour, limits) if hours else curve,
            charts=[{**curve, "name": "By minute"}] if hours else [],
        )

    @staticmethod
    def _areas(
        inputs: IsochroneInputs,
        context: Context,
        places: Places,
        snapped: Snapped,
        reach: Reach,
        limits: list[float],
        units: list[int],
        calm: float,
    ) -> dict[str, Any]:
        """The areas as asked for, and the size of the merged ones."""
        draw = AreaDrawer(context, calm)
        merged = [draw.area(reach, unit) for unit in units]
        shapes: list[shapely.Geometry] = []
        rows: list[dict[str, Any]] = []

        def put(shape: shapely.Geometry, index: int, **more: Any) -> None:
            shapes.append(shape)
            low = limits[index - 1] if index and inputs.merge == "bands" else 0.0
            rows.append({"limit": limits[index], "from_limit": low, "area_km2": round(shape.area / 1e6, 5), **more})

        if inputs.merge == "merged":
            for index, shape in enumerate(merged):
                put(shape, index)
        elif inputs.merge == "bands":
            for index, shape in enumerate(merged):
                put(shape if index == 0 else shapely.difference(shape, merged[index - 1]), index)
        else:
            on_street = np.flatnonzero(snapped.found)
            for done, row in enumerate(on_street):
                context.progress.step(0.4 + 0.5 * done / len(on_street), f"Area of {places.names[row]}")
                own = reach
                if inputs.merge == "each":
                    one = snapped.take(np.array([row]))
                    _, own = search_reach(context.network, one, inputs.measure, inputs.direction, units[-1] + int(calm))
                for index, unit in enumerate(units):
                    shape = draw.area(own, unit, int(row) if inputs.merge == "nearest" else None)
                    put(shape, index, place_id=places.ids[row], place=places.names[row])
        plane = context.network.graph.plane
        geometry = plane.unproject(np.array(shapes, dtype=object))
        columns = {key: [row.get(key) for row in rows] for key in rows[0]}
        return {
            "areas": geojson.collection(Layer(geometry, columns)),
            "contours": lambda context: contours_of(context, shapes, [row["limit"] for row in rows]),
            "merged_km2": [shape.area / 1e6 for shape in merged],
            "error": area_error(context.network.graph, reach, units[-1], np.array(merged[-1:], dtype=object)),
        }


def straight_areas(context: Context, places: Places, limits: list[float], measure: str) -> Any:
    """Discs around the places within each limit measured straight, at the mean speed of the mode, merged."""
    plane = context.network.graph.plane
    points = shapely.points(*plane.xy(places.lon, places.lat))
    radius = [limit if measure == "distance" else limit / 60 * context.mean_speed_kmh * 1000 for limit in limits]
    shapes = np.array([shapely.union_all(shapely.buffer(points, metres, quad_segs=32)) for metres in radius])
    columns: dict[str, list[Any]] = {
        "limit": limits,
        "radius_m": [round(metres, 1) for metres in radius],
        "area_km2": np.round(shapely.area(shapes) / 1e6, 5).tolist(),
    }
    return geojson.collection(Layer(plane.unproject(shapes), columns))


def contours_of(context: Context, shapes: list[shapely.Geometry], limits: list[float]) -> Layer:
    """Edges of areas, broken at the bank."""
    lines = shapely.boundary(np.array(shapes, dtype=object))
    water = context.study.water_xy
    if not water.is_empty:
        lines = shapely.difference(lines, shapely.buffer(water, 3.0))
    merged = shapely.line_merge(lines)
    parts, owner = shapely.get_parts(merged, return_index=True)
    return Layer(context.network.graph.plane.unproject(parts), {"limit": [limits[i] for i in owner]})


class AreaDrawer:
    """Draws areas on the field of a context, without water."""

    def __init__(self, context: Context, calm: float) -> None:
        self._field, self._calm = context.field, calm
        self._water, self._over_water = context.study.water_xy, context.study.links_over_water
        self._graph = context.network.graph

    def area(self, reach: Reach, unit: int, owner: int | None = None) -> shapely.Geometry:
        """The area within `unit`, of one owner or of all, in the metric plane."""
        shape = contour_area(self._field, field_values(self._field, reach, unit, self._calm, owner))
        if not shapely.is_valid(shape):
            shape = shapely.make_valid(shape)
        return without_water(shape, self._water, self._graph, self._over_water, reach, unit, owner)


def error_doubts(error: AreaError) -> list[Doubt]:
    """What to say of areas that put more street on the wrong side than is tolerated."""
    doubts = []
    if error.lost > TOLERATED:
        text = f"{error.lost:.1%} of the street within reach lies outside the areas drawn; the streets themselves are exact."
        doubts.append(Doubt("areas-lose-street", "warning", 1, text))
    if error.enclosed > TOLERATED:
        text = (
            f"Street that is not reached lies inside the areas drawn, as long as {error.enclosed:.1%} of what is reached:"
            " such as tunnels and streets at another level. The streets themselves are exact."
        )
        doubts.append(Doubt("areas-enclose-street", "note", 1, text))
    return doubts


def search_reach(
    network: Network, snapped: Snapped, measure: str, direction: str, limit: int
) -> tuple[Arrivals, Reach]:
    """Arrivals from (or to) the nearest place, and the pieces of streets they reach."""
    found = arrivals(network, snapped, measure, direction, limit)
    return found, reach_of(network, snapped, found)


def split_at_limits(
    parts: Parts, units: list[int]
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float64], NDArray[np.float64]]:
    """Parts cut where their arrival passes a limit: rows of the parts, index of the limit, fractions begin and end."""
    rows, bands, begins, ends = [], [], [], []
    low = -1.0
    span = parts.arrival_end - parts.arrival_begin
    for index, high in enumerate(units):
        with np.errstate(invalid="ignore", divide="ignore"):
            at_low = np.where(span != 0, (low - parts.arrival_begin) / span, np.nan)
            at_high = np.where(span != 0, (high - parts.arrival_begin) / span, np.nan)
        first, last = np.minimum(at_low, at_high), np.maximum(at_low, at_high)
        flat = (span == 0) & (parts.arrival_begin > low) & (parts.arrival_begin <= high)
        first = np.where(span == 0, np.where(flat, 0.0, 2.0), first)
        last = np.where(span == 0, np.where(flat, 1.0, -1.0), last)
        first, last = np.clip(first, 0, 1), np.clip(last, 0, 1)
        keep = np.flatnonzero(last > first)
        width = parts.end[keep] - parts.begin[keep]
        rows.append(keep)
        bands.append(np.full(len(keep), index))
        begins.append(parts.begin[keep] + first[keep] * width)
        ends.append(parts.begin[keep] + last[keep] * width)
        low = high
    return np.concatenate(rows), np.concatenate(bands), np.concatenate(begins), np.concatenate(ends)


def _streets(network: Network, parts: Parts, limits: list[float], units: list[int], measure: str) -> Any:
    """Reached streets as GeoJSON, one feature per part between two limits."""
    rows, band, begin, end = split_at_limits(parts, units)
    link = parts.link[rows]
    share = (end - parts.begin[rows]) / np.maximum(parts.end[rows] - parts.begin[rows], 1e-15)
    share_begin = (begin - parts.begin[rows]) / np.maximum(parts.end[rows] - parts.begin[rows], 1e-15)
    rise = parts.arrival_end[rows] - parts.arrival_begin[rows]
    unit = "s" if measure == "time" else "m"
    name = network.graph.tag("name").take(link).decode()
    columns = {
        "link_id": network.graph.link_id[link].tolist(),
        "name": name,
        "limit": [limits[i] for i in band],
        f"arrival_begin_{unit}": np.round((parts.arrival_begin[rows] + share_begin * rise) / 1000, 1).tolist(),
        f"arrival_end_{unit}": np.round((parts.arrival_begin[rows] + share * rise) / 1000, 1).tolist(),
        "length_m": np.round((end - begin) * network.graph.link_length[link], 1).tolist(),
        "place_row": parts.owner[rows].tolist(),
    }
    return geojson.collection(Layer(cut_lines(network.graph, link, begin, end), columns))


def _ends(network: Network, reach: Reach, limits: list[float], units: list[int]) -> Any:
    """Points at which a limit falls within a street."""
    lon, lat, which, link = [], [], [], []
    for limit, unit in zip(limits, units, strict=True):
        to, fro = reach.within(unit)
        open_middle = fro > to
        for at, keep in (
            (to, open_middle & (to > reach.begin)),
            (fro, open_middle & (fro < reach.end)),
        ):
            x, y = point_at(network.graph, reach.link[keep], at[keep])
            lon += x.tolist()
            lat += y.tolist()
            which += [limit] * int(keep.sum())
            link += network.graph.link_id[reach.link[keep]].tolist()
    points = np.atleast_1d(shapely.points(lon, lat)) if lon else np.zeros(0, object)
    return geojson.collection(Layer(points, {"limit": which, "link_id": link}))


def _curve(network: Network, reach: Reach, last: int, limits: list[float], measure: str) -> Any:
    """Street length by minute (or by twentieth of the distance), up to the last limit."""
    steps = min(max(int(limits[-1]), 10), 60) if measure == "time" else 20
    x = np.linspace(0, limits[-1], steps + 1)
    length = network.graph.link_length
    km = [reach.length_within(int(last * value / limits[-1]), length) / 1000 for value in x]
    return {
        "kind": "curve",
        "title": "Street within reach, km",
        "x": {"label": "minutes" if measure == "time" else "metres", "values": [round(float(v), 2) for v in x]},
        "series": [{"label": "Street, km", "values": [round(v, 2) for v in km]}],
        "marks": limits,
    }
