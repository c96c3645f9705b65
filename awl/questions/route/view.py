"""What routes say and show."""

from __future__ import annotations

from awl.questions.inputs import MEASURE_WORDS, Json
from awl.questions.route.extras import profile_chart
from awl.questions.route.inputs import RouteInputs
from awl.questions.route.run import OWN_WAY, RouteResult, measure_word
from awl.views.charts import Chart
from awl.views.map_view import Classes, Drag, LegendGroup, LegendRow, MapLayer, MapView, Paint, Streets, Swatch, token
from awl.views.pins import pin_layers, pin_row
from awl.views.view import Column, Figure, File, TableView, View

INKS = ("b1", "b2", "thread", "b3")


def view_route(inputs: RouteInputs, result: RouteResult) -> View:
    """The lines side by side, and directions of the first."""
    first = result.measures[0]
    wanted = [measure for measure in result.measures if measure != OWN_WAY]
    columns = _columns(wanted, result.drawn, result.accumulated, result.best["profile"] is not None)
    heights = profile_chart(result.best["profile"])
    directions = Chart("steps", f"Directions, {measure_word(first)} way", part="steps", profile=heights)
    return View(
        title=f"{result.mode}, {measure_word(first)} way through {result.words}",
        figures=_figures(result.best, first, result.drawn),
        method=result.method,
        tables=[TableView("compared", columns)],
        charts=[] if result.drawn else [directions],
        map=_map(result),
        files=[File("csv", "compared"), File("gpx", "routes"), File("gpkg")],
        needs=["places"],
    )


def _figures(best: Json, measure: str, drawn: bool) -> list[Figure]:
    """What the answer leads with. A drawing has neither minutes nor kilometres: its weights are all there is."""
    own = [] if best["cost"] is None else [Figure(round(best["cost"], 2), "", measure.replace("_", " "))]
    if drawn:
        length = [] if own else [Figure(round(best["distance_m"], 2), "", "total weight")]
        return [*own, *length, Figure(len(best["node_ids"]), "", "nodes passed")]
    return [
        *own,
        Figure(round(best["duration_s"] / 60, 1), "min", f"{measure_word(measure)} way" if not own else "time"),
        Figure(round(best["distance_m"] / 1000, 2), "km", "distance"),
        Figure(best["mean_speed_kmh"], "km/h", "mean speed"),
    ][:3]


def _columns(wanted: list[str], drawn: bool, accumulated: dict[str, str], heights: bool) -> list[Column]:
    """Columns of the table of ways."""
    more = [
        Column(f"carried_{name}", name.replace("_", " ").capitalize(), unit, 1) for name, unit in accumulated.items()
    ]
    cost = [Column("cost", "Given cost", "", 2)] if any(measure not in MEASURE_WORDS for measure in wanted) else []
    if drawn:
        return [
            Column("way", "Way"),
            *(cost or [Column("weight", "Total weight", "", 2)]),
            *more,
            Column("nodes", "By nodes"),
        ]
    return [
        Column("way", "Way"),
        *cost,
        Column("duration_min", "Time", "min", 1),
        Column("delay_min", "Delays", "min", 1),
        Column("distance_km", "Distance", "km", 2),
        Column("mean_speed_kmh", "Speed", "km/h", 1),
        Column("detour_factor", "Detour factor", "", 2),
        *([Column("climb_m", "Climb", "m", 0)] if heights else []),
        *more,
    ]


def _map(result: RouteResult) -> MapView:
    """One line for each measure, the first drawn strongest; dotted lines where a way begins beside its point."""
    inks = [token(INKS[i % len(INKS)]) for i in range(len(result.measures))]
    of = {
        measure: Paint(f"route:{measure}", line=ink, second=i > 0)
        for i, (measure, ink) in enumerate(zip(result.measures, inks, strict=True))
    }
    rows = [
        LegendRow(f"route:{measure}", _row_word(measure), Swatch("dash" if i else "line", line=ink))
        for i, (measure, ink) in enumerate(zip(result.measures, inks, strict=True))
    ]
    return MapView(
        layers=[MapLayer("routes", "routes", Classes(of, "measure"), approach="places"), *pin_layers(result.kind)],
        legend=[LegendGroup("routes", "Way", [*rows, pin_row(result.kind, len(result.part("places")))])],
        streets=Streets("mode"),
        outline=["routes"],
        drag=Drag("routes", into="expected"),
    )


def _row_word(measure: str) -> str:
    known = {"time": "Quickest", "distance": "Shortest", OWN_WAY: "Own way"}
    return known.get(measure, measure)
