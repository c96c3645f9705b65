"""What many trips by public transport say and show."""

from __future__ import annotations

from awl.questions.charts import histogram
from awl.questions.trips.rides import RidesResult
from awl.views.map_view import GradedField, Grades, MapLayer, MapView, Widths, token
from awl.views.view import Column, Figure, File, RowPath, TableView, View


def view_rides(result: RidesResult) -> View:
    """The load on lines and at stops, and the trips as rows."""
    mean = round(float(result.minutes.mean()), 1) if len(result.minutes) else None
    trips = [
        Column("origin", "From"), Column("destination", "To"), Column("duration_min", "Time", "min", 1), Column("by", "By"),
        Column("best_min", "Best", "min", 1), Column("worst_min", "Worst", "min", 1), Column("walk_min", "On foot", "min", 1),
        Column("wait_min", "Waiting", "min", 1),
    ]  # fmt: skip
    segments = [Column("line", "Line"), Column("from", "From"), Column("to", "To"), Column("trips", "Trips", "", 1)]
    stops = [Column("name", "Stop"), Column("boarding", "Boarding", "", 1), Column("alighting", "Alighting", "", 1)]
    path = RowPath("places", "origin_row", "destination_row", "paths") if result.has_lines else None
    chart = histogram(result.minutes, "Trips")
    busiest = (
        [] if result.busiest is None else [Figure(result.busiest[0], "", f"trips on {result.busiest[1]}, the most")]
    )
    note = "Choose a row to see its way." if result.has_lines else None
    lines = Widths("segments", "trips", "Trips on a line", token("b1"), note=note)
    grades = Grades("stops", [GradedField("using", "Trips at a stop")], classing="quantile", of="stops")
    return View(
        title=f"{result.mode}, {result.count:,} trips {result.words}",
        figures=[
            Figure(len(result.minutes), "", "trips with a way"),
            Figure(mean, "min", "mean time of a trip"),
            *busiest,
        ],
        method=result.method,
        tables=[
            TableView("trips", trips, "Trips", key="trip", path=path),
            TableView("segments", segments, "Lines", key="segment"),
            TableView("stops", stops, "Stops", key="stop_id"),
        ],
        charts=[chart] if chart else [],
        map=MapView(
            layers=[
                MapLayer("segments", "lines", widths=lines, sort="trips"),
                MapLayer("stops", "points", grades=grades, key="stop_id"),
            ],
            outline=["segments"],
        ),
        files=[File("csv", "trips"), File("gpkg")],
        needs=["places", *(["paths"] if result.has_lines else [])],
    )
