"""What a matrix says and shows."""

from __future__ import annotations

from awl.questions.charts import histogram
from awl.questions.matrix.by_hour import hour_columns, hours_chart, slowest
from awl.questions.matrix.inputs import MatrixInputs
from awl.questions.matrix.run import MatrixResult
from awl.views.map_view import GradedField, Grades, MapLayer, MapView
from awl.views.view import Column, Figure, File, Pivot, TableView, View

OVER_WINDOW = [
    Column("best_s", "Best", "s", 0),
    Column("median_s", "Median", "s", 0),
    Column("worst_s", "Worst", "s", 0),
    Column("departures_percent", "Departures with a way", "%", 0),
]


STARTS = [Column("name", "From"), Column("mean_min", "Mean time", "min", 1), Column("ends", "Ends with a way", "", 0)]
GRADES = Grades("mean", [GradedField("mean_min", "Mean time to the ends", "min")], "quantile", of="starts", many=500)


def view_matrix(inputs: MatrixInputs, result: MatrixResult) -> View:
    """The view of a matrix: pairs as rows, or times in a table with two heads."""
    starts, ends = result.words
    mean = round(float(result.minutes.mean()), 1) if len(result.minutes) else None
    columns = [
        Column("origin", "From"),
        Column("destination", "To"),
        Column("duration_s", "Time", "s", 0),
        *([] if result.has_distances else OVER_WINDOW),
        *hour_columns(result.hours),
        *([Column("distance_m", "Distance", "m", 0)] if result.has_distances else []),
    ]
    spread = histogram(result.minutes, "Pairs")
    charts = [hours_chart(result.hours, result.means)] if result.hours else []
    return View(
        title=f"{result.mode}, {starts} to {ends}",
        figures=[
            Figure(mean, "min", "mean time of a pair"),
            *slowest(result.hours, result.means),
            Figure(result.longest_min, "min", "longest"),
            Figure(result.summary["pairs"], "", "pairs with a way"),
        ],
        method=result.method,
        tables=[
            TableView("rows", columns, "Pairs", pivot=Pivot("origin", "destination", "duration_s", 60.0)),
            TableView("starts", STARTS, "Starts", key="name"),
        ],
        charts=[*charts, *([spread] if spread else [])],
        map=MapView(layers=[MapLayer("starts", "points", grades=GRADES, key="name", label="name")]),
        files=[File("csv", "rows"), File("parquet", "rows"), File("omx", "rows")],
    )
