"""What is said and shown of neighbours."""

from __future__ import annotations

import numpy as np

from awl.questions.context import limit_word
from awl.questions.neighbours.inputs import NeighboursInputs
from awl.questions.neighbours.run import ALL, NeighboursResult, within_field
from awl.questions.reach_areas import limit_unit
from awl.views.charts import Axis, Chart, Series
from awl.views.map_view import GradedField, Grades, MapLayer, MapView
from awl.views.view import Column, Figure, File, TableView, View


def view_neighbours(inputs: NeighboursInputs, result: NeighboursResult) -> View:
    """Places graded by how many others are near."""
    limits, kinds = inputs.limits, result.kinds
    last, summary, cross = limit_word(limits[-1], inputs.measure), result.summary, result.part("cross")
    tables = [TableView("places", _columns(kinds, limits, inputs.measure), key="name"), _by_kind(inputs)]
    if len(result.part("pairs")):
        kind_by_kind = [Column(kind, kind.replace("_", " ").capitalize(), "", 2) for kind in kinds]
        columns = [Column("kind", "Places"), Column("places", "Number", "", 0), *kind_by_kind]
        tables.append(TableView("pairs", columns, "Kind by kind"))
    names = result.part("places").columns["name"]
    return View(
        title=f"{result.other_words} within {last} of {result.words}, {result.mode.lower()}",
        figures=[
            Figure(round(summary["mean_within_last"], 1), "", f"within {last}, mean"),
            Figure(summary["places_with_none"], "", f"places with none within {last}"),
            Figure(names[int(np.argmax(result.counts[-1]))], "", "has most"),
        ],
        method=result.method,
        tables=tables,
        charts=[
            Chart(
                "bars",
                f"Places with one within {last}, %",
                Axis("kind", kinds),
                [Series("Share of places", cross.columns[f"share_{limits[-1]:g}"].shown())],
            )
        ],
        map=_map(inputs, result),
        files=[File("csv", "places"), File("gpkg")],
    )


def _columns(kinds: list[str], limits: list[float], measure: str) -> list[Column]:
    last = limits[-1]
    several = [Column(within_field(last, kind), kind.replace("_", " ").capitalize(), "", 0) for kind in kinds]
    every = Column(within_field(last), f"All in {limit_word(last, measure)}", "", 0)
    return [Column("name", "Place"), every, *(several if kinds != [ALL] else [])]


def _by_kind(inputs: NeighboursInputs) -> TableView:
    words = [(limit, limit_word(limit, inputs.measure)) for limit in inputs.limits]
    columns = [
        Column("kind", "Kind"),
        Column("count", "Others", "", 0),
        *[Column(f"share_{limit:g}", f"Have one in {word}", "%", 1) for limit, word in words],
        *[Column(f"mean_{limit:g}", f"Mean in {word}", "", 2) for limit, word in words],
    ]
    return TableView("cross", columns, "Kinds")


def _map(inputs: NeighboursInputs, result: NeighboursResult) -> MapView:
    """All kinds together within each limit, the last one first; then single kinds within the last."""
    unit, last = limit_unit(inputs.measure), inputs.limits[-1]
    fields = [
        GradedField(within_field(limit), f"Others within {limit:g} {unit}")
        for limit in [last, *reversed(inputs.limits[:-1])]
    ]
    if result.kinds != [ALL]:
        fields += [
            GradedField(within_field(last, kind), f"{kind.replace('_', ' ').capitalize()} within {last:g} {unit}")
            for kind in result.kinds
        ]
    grades = Grades("near", fields, "counts", of="places", note="Count beside each class: places.")
    return MapView(layers=[MapLayer("places", "points", grades=grades, key="name", label="name")])
