"""What a route by public transport says and shows."""

from __future__ import annotations

from awl.questions.by_transit import departures_chart
from awl.questions.route.inputs import RouteInputs
from awl.questions.route.itineraries import ItinerariesResult
from awl.views.charts import Chart
from awl.views.map_view import Classes, LegendGroup, LegendRow, MapLayer, MapView, Paint, Streets, Swatch, token
from awl.views.pins import pin_layers, pin_row
from awl.views.view import Column, Figure, File, TableView, View

KINDS = {"ride": ("Ride", "b1"), "walk": ("Walk", "b2"), "first": ("To the first stop", "thread")}


def view_itineraries(inputs: RouteInputs, result: ItinerariesResult) -> View:
    """The departures side by side, their legs, and the lines of all of them."""
    times = [Column("departs", "Leave"), Column("arrives", "Arrive"), Column("duration_min", "Time", "min", 1)]
    departures = [*times, Column("changes", "Changes"), Column("walk_min", "On foot", "min", 1), Column("by", "By")]
    legs = [Column("leg", "Leg"), Column("text", "What"), Column("from", "From"), Column("to", "To"), *times]
    on_foot = [] if result.on_foot_min is None else [Figure(result.on_foot_min, "min", "on foot all the way")]
    return View(
        title=f"{result.mode}, departures from {result.first[:5]}",
        figures=[
            Figure(result.quickest_min, "min", "quickest departure"),
            Figure(result.changes, "", "changes"),
            *on_foot,
        ],
        method=result.method,
        charts=[
            Chart("itineraries", "Departures side by side", part="legs", name="Itineraries"),
            departures_chart("Time by when one sets out, minutes", "min", *result.departures),
        ],
        tables=[TableView("itineraries", departures, "Departures"), TableView("legs", legs, "Legs", key="leg")],
        map=_map(result),
        files=[File("csv", "legs"), File("gpkg")],
    )


def _map(result: ItinerariesResult) -> MapView:
    there = set(result.part("legs").columns["kind"].tolist())
    shown = {kind: words for kind, words in KINDS.items() if kind in there}
    of = {kind: Paint(f"leg:{kind}", line=token(ink), second=kind == "walk") for kind, (_, ink) in shown.items()}
    rows = [
        LegendRow(f"leg:{kind}", words, Swatch("dash" if kind == "walk" else "line", line=token(ink)))
        for kind, (words, ink) in shown.items()
    ]
    return MapView(
        layers=[MapLayer("legs", "lines", Classes(of, "kind")), *pin_layers(result.kind)],
        legend=[LegendGroup("legs", "Journey", [*rows, pin_row(result.kind, len(result.part("places")))])],
        streets=Streets("mode"),
        outline=["legs"],
    )
