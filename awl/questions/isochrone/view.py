"""What an isochrone says and shows."""

from __future__ import annotations

from dataclasses import replace

from awl.questions.by_transit import departures_chart
from awl.questions.context import limit_word
from awl.questions.isochrone.by_hour import hour_columns, hours_chart, least
from awl.questions.isochrone.inputs import IsochroneInputs
from awl.questions.isochrone.run import IsochroneResult
from awl.questions.reach_areas import limit_unit
from awl.views.charts import Axis, Chart, Series
from awl.views.map_view import (
    Classes,
    LegendGroup,
    LegendRow,
    MapLayer,
    MapView,
    Paint,
    Streets,
    Swatch,
    band,
    token,
)
from awl.views.pins import pin_layers, pin_row
from awl.views.view import Column, Figure, File, TableView, View


def view_isochrone(inputs: IsochroneInputs, result: IsochroneResult) -> View:
    """The view of an isochrone."""
    limits, last = inputs.limits, limit_word(inputs.limits[-1], inputs.measure)
    several = len(result.modes) > 1
    titles = " and ".join(title.lower() for title in result.modes).capitalize() if several else result.modes[0]
    by_hour = result.part("by_hour") if "by_hour" in result.parts else None
    figures = [Figure(round(result.area_km2[-1], 2), "km²", f"within {last}")]
    if result.street_km is not None:
        figures.append(Figure(round(result.street_km[-1], 1), "km", f"of street within {last}"))
    else:
        titled = zip(result.modes, _places_by_mode(result), strict=False)
        figures += [Figure(count, "", f"places, {title.lower()}") for title, count in list(titled)[:2]]
    columns = [limit_column(limits, inputs.measure), Column("area_km2", "Area", "km²", 2)]
    columns += [Column("street_km", "Street", "km", 1)] if result.street_km is not None else []
    if "street_km_best" in result.summary:
        titled_ends = (("worst", "Worst departure"), ("median", "Median"), ("best", "Best departure"))
        columns += [Column(f"street_km_{name}", title, "km", 1) for name, title in titled_ends]
        worst, best = (f"{result.summary[f'street_km_{name}'][-1]:,.0f}" for name in ("worst", "best"))
        span = worst if worst == best else f"{worst} to {best}"
        figures.append(Figure(span, "km", "of street, at the worst and the best departure"))
    tables, charts = [TableView("by_limit", columns)], _curves(inputs, result)
    if result.departures is not None:
        clock, stops = result.departures
        title = f"Stops within {last} by {'departure' if inputs.direction == 'from' else 'arrival'}"
        dots = departures_chart(
            title, "stops", clock, stops, handle="percentile", share=inputs.percentile, more_is_better=True
        )
        charts = [dots, *(replace(chart, name="By minute") for chart in charts)]
    if by_hour is not None:
        figures.append(least(by_hour, limits))
        tables.append(TableView("by_hour", hour_columns(limits), "By hour"))
        charts = [hours_chart(by_hour, limits), *(replace(chart, name=chart.name or "By minute") for chart in charts)]
    return View(
        title=f"{titles} {last} {inputs.direction} {result.words}",
        figures=figures,
        method=result.method,
        tables=tables,
        charts=charts,
        map=_map(inputs, result),
        files=[File("csv", "by_limit"), File("gpkg")],
        needs=["places"],
    )


def limit_column(limits: list[float], measure: str) -> Column:
    """The column of limits, with as many digits as they are given with, two at most."""
    digits = next((digits for digits in (0, 1) if all(round(value, digits) == value for value in limits)), 2)
    return Column("limit", "Within", limit_unit(measure), digits)


def _places_by_mode(result: IsochroneResult) -> list[int]:
    places = result.part("places")
    if "mode" not in places.columns:
        return [len(places)]
    modes = places.columns["mode"].tolist()
    return [modes.count(mode) for mode in dict.fromkeys(modes)]


def _curves(inputs: IsochroneInputs, result: IsochroneResult) -> list[Chart]:
    """Street within reach by minute or metre."""
    if result.curve is None:
        return []
    x, km = result.curve
    return [
        Chart(
            "curve",
            "Street within reach, km",
            Axis("minutes" if inputs.measure == "time" else "metres", x),
            [Series("Street, km", km)],
            marks=inputs.limits,
        )
    ]


def _map(inputs: IsochroneInputs, result: IsochroneResult) -> MapView:
    """Bands from near to far, their edges lettered, and the streets by when they are reached."""
    limits, unit, count = inputs.limits, limit_unit(inputs.measure), len(inputs.limits)
    paints = {f"{limit:g}": Paint(f"band-{i}", band(i, count), band(i, count)) for i, limit in enumerate(limits)}
    classes = Classes(paints, "limit")
    rows = [
        LegendRow(f"band-{i}", f"to {limit:g} {unit}", Swatch("area", band(i, count), band(i, count)))
        for i, limit in enumerate(limits)
    ]
    if result.street_km is not None:
        rows.append(LegendRow("reached", "Reached street", Swatch("line", line=band(0, count))))
    rows += [
        LegendRow("contours", "Contour", Swatch("line", line=token("ink"))),
        pin_row(result.kind, len(result.part("places"))),
    ]
    towards = "Time to get there" if inputs.direction == "to" else "Time from there"
    return MapView(
        layers=[
            MapLayer("areas", "areas", classes, sort="limit"),
            MapLayer("contours", "contours", classes, label=unit, sort="limit"),
            *pin_layers(result.kind),
        ],
        legend=[
            LegendGroup("limits", towards if inputs.measure == "time" else towards.replace("Time", "Distance"), rows)
        ],
        streets=Streets("reach", limits, "reached") if result.street_km is not None else Streets("mode"),
        outline=["contours", "areas"],
    )
