"""What many trips say and show."""

from __future__ import annotations

from awl.questions.charts import histogram
from awl.questions.trips.inputs import TripsInputs
from awl.questions.trips.rides import RidesResult
from awl.questions.trips.rides_view import view_rides
from awl.questions.trips.run import TripsResult
from awl.views.map_view import MapLayer, MapView, Widths, token
from awl.views.view import Column, Figure, File, RowPath, TableView, View


def view_trips(inputs: TripsInputs, result: TripsResult | RidesResult) -> View:
    """The load on the streets or on the lines, and the trips as rows."""
    if isinstance(result, RidesResult):
        return view_rides(result)
    most, street = result.most_on_a_street
    mean = round(float(result.minutes.mean()), 1) if len(result.minutes) else None
    columns = [
        Column("origin", "From"),
        Column("destination", "To"),
        Column("duration_min", "Time", "min", 1),
        Column("distance_km", "Distance", "km", 2),
        Column("mean_speed_kmh", "Speed", "km/h", 1),
        Column("detour_factor", "Detour", "", 2),
    ]
    path = RowPath("places", "origin_row", "destination_row") if inputs.lines is None else None
    chart = histogram(result.minutes, "Trips")
    widths = Widths("load", "trips", "Trips on a street", token("b1"), note="Choose a row to see its way.")
    return View(
        title=f"{result.mode}, {result.count:,} trips {result.words}",
        figures=[
            Figure(len(result.minutes), "", "trips with a way"),
            Figure(mean, "min", "mean time of a trip"),
            Figure(most, "", f"trips on {street}, the most"),
        ],
        method=result.method,
        tables=[TableView("trips", columns, key="trip", path=path)],
        charts=[chart] if chart else [],
        map=MapView(layers=[MapLayer("load", "lines", widths=widths, sort="trips")], outline=["load"]),
        files=[File("csv", "trips"), File("parquet", "trips")],
        needs=["places"],
    )
