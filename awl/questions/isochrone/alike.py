"""Isochrones of places that are alike: streets split exactly where the limit falls, and areas around them."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely

from awl.core.analysis.isochrone_areas.error import area_error
from awl.core.analysis.isochrone_areas.field import CALM_MS, OFF_STREET_M
from awl.core.errors import AwlError
from awl.core.graph.shapes import cut_lines, point_at
from awl.core.network.network import Network
from awl.core.routing.reach import Parts, Reach, reached_parts
from awl.core.routing.snapping import Snapped
from awl.io import geojson
from awl.io.table import Layer
from awl.questions import frozen_hour
from awl.questions.base import (
    Answer,
    Column,
    Figure,
    check_limits,
)
from awl.questions.context import Context, Places, limit_column, limit_units, limit_word
from awl.questions.isochrone.by_hour import hour_columns, hours_chart, least, name_of, reach_at
from awl.questions.isochrone.inputs import IsochroneInputs
from awl.questions.reach_areas import (
    CALM_MM,
    AreaDrawer,
    contours_of,
    error_doubts,
    split_at_limits,
    straight_areas,
)

MAX_SEPARATE = 5000
"""Areas per place are drawn for at most so many places."""


def alike_answer(inputs: IsochroneInputs, context: Context, hours: list[int]) -> Answer:
    """Search once (or once per place), then draw; at further `hours` tell how much is reached."""
    limits = check_limits(inputs.limits, inputs.measure)
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
    found, reach = context.router.reach(snapped, inputs.measure, inputs.direction, units[-1] + int(calm))
    context.progress.step(0.3, "Splitting streets at the limits")
    parts = reached_parts(reach, units[-1])
    length = network.graph.link_length
    street_km = [reach.length_within(unit, length) / 1000 for unit in units]
    areas = _areas(inputs, context, places, snapped, reach, limits, units, calm)
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
                _, own = context.router.reach(one, inputs.measure, inputs.direction, units[-1] + int(calm))
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
