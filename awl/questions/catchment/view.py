"""What catchments say and show."""

from __future__ import annotations

from awl.questions.catchment.inputs import CatchmentInputs
from awl.questions.catchment.run import CatchmentResult
from awl.questions.context import limit_word
from awl.views.charts import Axis, Chart, Series
from awl.views.map_view import Classes, LegendGroup, LegendRow, MapLayer, MapView, Paint, Streets, Swatch, token
from awl.views.pins import pin_layers, pin_row
from awl.views.view import Column, Figure, File, TableView, View


def view_catchment(inputs: CatchmentInputs, result: CatchmentResult) -> View:
    """The view of catchments."""
    within = "" if inputs.limit is None else f" within {limit_word(inputs.limit, 'time')}"
    figures = [Figure(round(result.summary["street_km"], 1), "km", "of street shared out")]
    columns = [Column("name", "Place"), Column("street_km", "Street", "km", 1)]
    if result.fields:
        first = result.fields[0]
        served = round(result.summary[f"{first}_served"])
        figures.append(Figure(served, "people", f"{first.replace('_', ' ')} served"))
        columns.append(Column("zones", "Zones", "", 0))
        columns += [Column(name, name.replace("_", " "), "people", 0) for name in result.fields]
    figures.append(Figure(result.busiest, "", "has most street"))
    return View(
        title=f"{result.mode}, nearest of {result.words}{within}",
        figures=figures,
        method=result.method,
        tables=[TableView("places", columns, key="name")],
        charts=[_chart(result)],
        map=_map(result),
        files=[File("csv", "places"), File("gpkg")],
    )


def _chart(result: CatchmentResult) -> Chart:
    places = result.part("places")
    field = result.fields[0] if result.fields else "street_km"
    label = field.replace("_", " ") if result.fields else "km"
    return Chart(
        "bars",
        "People by place" if result.fields else "Street by place, km",
        Axis("place", places.columns["name"].tolist()),
        [Series(label, places.columns[field].shown())],
    )


def _map(result: CatchmentResult) -> MapView:
    """The ground and the streets of each place, in tints that tell neighbours apart."""
    count = len(result.part("places"))
    ground = {str(row): Paint("ground", fill=f"tint:{row}", opacity=0.22) for row in range(count)}
    streets = {str(row): Paint("streets", line=f"tint:{row}") for row in range(count)}
    rows = [
        LegendRow("ground", "Its ground", Swatch("area", token("place-wash"), token("place"))),
        LegendRow("streets", "Its streets", Swatch("line", line=token("place"))),
        pin_row(result.kind, count),
    ]
    return MapView(
        layers=[
            MapLayer("areas", "areas", Classes(ground, "place_row"), key="place"),
            MapLayer("streets", "lines", Classes(streets, "place_row")),
            *pin_layers(result.kind),
        ],
        legend=[LegendGroup("nearest", "Nearest place", rows)],
        streets=Streets("mode"),
        outline=["areas"],
    )
