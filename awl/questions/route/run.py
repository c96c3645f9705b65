"""How a route is found: one search per leg and measure."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely

from awl.core.errors import AwlError
from awl.core.geodesy import segment_lengths
from awl.core.routing.path import Path, StreetLeg
from awl.core.routing.router import PathFinder
from awl.core.routing.snapping import Snapped
from awl.io.table import Column, Table, Values
from awl.questions.context import Context, Places
from awl.questions.inputs import MEASURE_WORDS, Json
from awl.questions.on_the_way import findings_on
from awl.questions.results import Result
from awl.questions.route.describe import described
from awl.questions.route.directions import with_ends
from awl.questions.route.extras import in_best_order, profile
from awl.questions.route.inputs import RouteInputs
from awl.questions.route.waypoints import all_on_street, own_way, waypoints

OWN_WAY = "own way"
UNITS = {
    "distance_m": "m", "duration_s": "s", "delay_s": "s", "mean_speed_kmh": "km/h", "climb_m": "m", "descent_m": "m",
    "straight_m": "m", "duration_min": "min", "delay_min": "min", "distance_km": "km",
}  # fmt: skip
NESTED = ("carried", "legs", "link_ids", "node_ids", "profile")
SUMMED = (
    "measure", "distance_m", "duration_s", "delay_s", "mean_speed_kmh", "detour_factor", "cost", "carried", "climb_m",
    "descent_m",
)  # fmt: skip
"""What the summary says of each route."""


@dataclass
class RouteResult(Result):
    """Routes.

    Attributes:
        mode: the title of the mode.
        words, kind: what the points are called together, and one of them where they are those of a layer.
        measures: what is least, route by route; the analyst's own way last where there is one.
        drawn: whether the streets are a drawing without geography.
        best: what is said of the first route.
        carried: units of the costs that are summed up along the routes.
    """

    mode: str
    words: str
    kind: str | None
    measures: list[str]
    drawn: bool
    best: Json
    accumulated: dict[str, str]


def run_route(inputs: RouteInputs, context: Context) -> RouteResult:
    """One route per measure, and the analyst's own beside them."""
    places = waypoints(inputs, context)
    snapped = all_on_street(context, places, "waypoints")
    wanted = list(dict.fromkeys(inputs.measure if isinstance(inputs.measure, list) else [inputs.measure]))
    method = [*context.notes, "Starts and ends lie on streets, not at the nearest crossing.", *_timed(context)]
    order = np.arange(len(places))
    if inputs.order == "best":
        places, snapped, order, order_note = in_best_order(context, places, snapped, wanted[0])
        method.append(order_note)
    straight = float(segment_lengths(places.lon[:-1], places.lat[:-1], places.lon[1:], places.lat[1:]).sum())
    asked = [(measure, measure, places, snapped) for measure in wanted]
    if inputs.expected is not None:
        asked.append((OWN_WAY, wanted[0], *own_way(inputs.expected, context, places, snapped)))
    shapes, routes, passed = [], [], set[int]()
    for done, (label, measure, through, on_street) in enumerate(asked):
        context.progress.step(done / len(asked), f"The {measure_word(label)} way")
        legs = _legs(context, through, on_street, measure)
        passed.update(link for leg in legs for link in leg.links.tolist())
        shape, route = described(context.network, legs, measure, inputs.carry)
        heights = profile(context, shape)
        route |= {"measure": label, "profile": heights, "straight_m": round(straight, 1)}
        route |= {key: None if heights is None else heights[key] for key in ("climb_m", "descent_m")}
        route["detour_factor"] = round(route["distance_m"] / straight, 3) if straight > 1 else None
        shapes.append(shape)
        routes.append(route)
    best, drawn = routes[0], context.network.graph.drawn
    summary = [{key: route[key] for key in SUMMED} for route in routes]
    steps = with_ends([step for leg in best["legs"] for step in leg["steps"]], context.mode.delays)
    return RouteResult(
        summary={"routes": summary, "straight_m": round(straight, 1), "order": (order + 1).tolist()},
        parts={
            "routes": _route_table(shapes, routes),
            "places": context.place_table(places, snapped),
            "compared": _with_units(
                Table.of_records(compared(summary, [route["node_ids"] for route in routes], drawn))
            ),
            "steps": _with_units(Table.of_records(steps)),
        },
        doubts=[
            *context.doubts_of(places, snapped, "point"),
            *context.doubts_of_mode(),
            *findings_on(context.study, passed, "on this way"),
        ],
        method=method,
        mode=context.mode.title,
        words=places.words,
        kind=places.kind,
        measures=[label for label, *_ in asked],
        drawn=drawn,
        best=best,
        accumulated=_units(context, inputs.carry),
    )


def _route_table(shapes: list[shapely.Geometry], routes: list[Json]) -> Table:
    """The routes as lines with all that is said of them."""
    columns: dict[str, Values] = {
        key: Column.of_nested([route[key] for route in routes]) if key in NESTED else [route[key] for route in routes]
        for key in routes[0]
    }
    return _with_units(Table(np.array(shapes, dtype=object), columns))


def _with_units(table: Table) -> Table:
    """A table whose columns say their units, by their names."""
    known = {name: column for name, column in table.columns.items() if name in UNITS and column.is_numeric}
    return table.with_columns({name: Column(column.data, UNITS[name], column.digits) for name, column in known.items()})


def _timed(context: Context) -> list[str]:
    if context.when is None or not context.mode.curves:
        return []
    return ["The quickest way is timed as speeds change on the way; leaving later never means arriving earlier."]


def measure_word(measure: str) -> str:
    """`quickest`, `shortest`, `least weight`, or one's own."""
    return "own" if measure == OWN_WAY else MEASURE_WORDS.get(measure) or f"least {measure.replace('_', ' ')}"


def _legs(context: Context, places: Places, snapped: Snapped, measure: str) -> list[StreetLeg]:
    """The legs from point to point; at an hour the quickest path is timed by the clock, each from the end of the one before."""
    router: PathFinder = context.street_router
    legs: list[StreetLeg] = []
    spent = 0
    for i in range(len(places) - 1):
        if context.when is not None and measure == "time":
            midnight_ms = (context.when.hour * 60 + context.when.minute) * 60_000 + context.mode.delays.start_s * 1000
            router = context.street_router.departing(midnight_ms + spent)
        path = _found(context, places, i, router.path(snapped, i, i + 1, measure))
        legs += path.legs
        spent += path.cost
    return legs


def _found(context: Context, places: Places, number: int, path: Path | None) -> Path:
    """A path, or word that there is none."""
    if path is None:
        gates = ["gates shut at this hour"] if context.network.shut_gates else []
        *causes, last = [*gates, "the closures"] if context.closed_links else [*gates, "one-way streets", "gaps"]
        because = f"{', '.join(causes)} or {last}" if causes else last
        ends = f"from {places.names[number]} to {places.names[number + 1]}"
        raise AwlError(
            f"There is no way for {context.mode.id} {ends}: {because} cut every way",
            remedy="Move a point, change the mode or the hour, or lift a closure",
            inputs=("waypoints",),
            status=422,
            kind="no-way",
        )
    return path


def _units(context: Context, accumulated: list[str]) -> dict[str, str]:
    """The costs summed up along the way, each with its unit."""
    own = {cost.id: cost.unit for cost in context.mode.costs}
    return {name: own.get(name, {"time": "s", "distance": "m"}.get(name, "")) for name in accumulated}


def compared(rows: list[Json], nodes: list[list[int]], drawn: bool) -> list[Json]:
    """Rows for reading, and the difference of the last path from the first; a drawing has weights in place of metres."""
    table = [_row(row, passed, drawn) for row, passed in zip(rows, nodes, strict=True)]
    if len(rows) < 2:
        return table
    # The last row is set against the first: one's own way where there is one, else the second measure.
    first, last = table[0], table[-1]
    apart: Json = {key: _less(last[key], value) for key, value in first.items()}
    apart |= {"way": f"{last['way']} less {first['way']}", "nodes": ""}
    return [*table, apart | dict.fromkeys(NO_DIFFERENCE)]


NO_DIFFERENCE = ("cost", "mean_speed_kmh", "detour_factor")
"""Columns whose difference says nothing."""


def _row(row: Json, passed: list[int], drawn: bool) -> Json:
    columns = {"way": measure_word(row["measure"]), "cost": row["cost"], "nodes": ", ".join(map(str, passed))}
    if drawn:
        columns["weight"] = row["distance_m"]
    return {
        **columns,
        "duration_min": round(row["duration_s"] / 60, 2),
        "delay_min": round(row["delay_s"] / 60, 2),
        **{f"carried_{name}": value for name, value in row["carried"].items()},
        "distance_km": round(row["distance_m"] / 1000, 3),
        "mean_speed_kmh": row["mean_speed_kmh"],
        "detour_factor": row["detour_factor"],
        "climb_m": row["climb_m"],
    }


def _less(value: Any, than: Any) -> float | None:
    numbers = isinstance(value, int | float) and isinstance(than, int | float)
    return round(value - than, 3) if numbers else None
