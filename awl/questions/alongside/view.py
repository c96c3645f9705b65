"""What is said and shown of what stands alongside."""

from __future__ import annotations

from awl.io.table import Table
from awl.questions.alongside.inputs import AlongsideInputs
from awl.questions.alongside.run import AlongsideResult
from awl.questions.field_columns import field_columns
from awl.views.charts import Axis, Chart, Series
from awl.views.map_view import LegendGroup, LegendRow, MapLayer, MapView, Paint, Swatch, alike, token
from awl.views.pins import pin_layers, pin_row
from awl.views.view import Column, Figure, File, TableView, View

SHOWN_FIELDS = 4
INKS = ("amount", "place", "mode", "time")


def view_alongside(inputs: AlongsideInputs, result: AlongsideResult) -> View:
    """The strip, and the features of each layer on it."""
    features = result.part("found")
    columns = [
        *field_columns(features, result.fields, SHOWN_FIELDS), Column("street", "Street"), Column("along_m", "Along", "m", 0),
    ]  # fmt: skip
    return View(
        title=f"Along the streets within {inputs.distance:g} m of {result.words}",
        figures=[
            *(Figure(count, "", title) for _, title, count in result.chain[:2]),
            Figure(round(result.street_km, 2), "km", "of street reached"),
        ],
        method=result.method,
        tables=[TableView("found", columns, key=_key(features))],
        charts=[
            Chart(
                "bars",
                "Found by layer",
                Axis("layer", [title for _, title, _ in result.chain]),
                [Series("Features", [count for _, _, count in result.chain])],
            )
        ],
        map=_map(result, _key(features)),
        files=[File("csv", "found"), File("gpkg")],
    )


def _key(features: Table) -> str | None:
    """The field by which a row is selected on the map."""
    return features.label_field or ("fid" if "fid" in features.columns else None)


def _map(result: AlongsideResult, key: str | None) -> MapView:
    rows = [
        LegendRow("strip", "Strip", Swatch("area", token("thread-wash"), token("thread"))),
        LegendRow("streets", "Reached street", Swatch("line", line=token("b1"))),
    ]
    layers = [
        MapLayer("strip", "areas", alike(Paint("strip", fill=token("thread"), opacity=0.16))),
        MapLayer("streets", "lines", alike(Paint("streets", line=token("b1")))),
    ]
    for number, (part, title, count) in enumerate(result.chain):
        ink = INKS[number % len(INKS)]
        # The last layer is what was asked for: it is drawn solid upon those it stands on.
        last = number == len(result.chain) - 1
        solid = last and number > 0
        row = f"layer:{part}"
        paint = Paint(row, token(ink if solid else f"{ink}-wash"), token(ink), opacity=0.75 if solid else 0.6)
        rows.append(LegendRow(row, title.capitalize(), Swatch("area", paint.fill, token(ink)), count))
        layers.append(MapLayer(part, "shapes", alike(paint), key=key if last else None))
    return MapView(
        layers=[*layers, *pin_layers("Event", "events")],
        legend=[LegendGroup("along", "Along the streets", [*rows, pin_row("Event", result.events)])],
        outline=["strip"],
    )
