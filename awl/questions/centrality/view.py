"""What centrality says and shows."""

from __future__ import annotations

import numpy as np

from awl.questions.centrality.inputs import CentralityInputs, Index
from awl.questions.centrality.run import CentralityResult
from awl.questions.context import limit_word
from awl.views.charts import Axis, Chart, Series
from awl.views.map_view import GradedField, Grades, MapLayer, MapView, Widths, token
from awl.views.view import Column, Figure, File, TableView, View

CLASSES = 10
MANY = 1000
"""From so many places on they are drawn small."""


def view_centrality(inputs: CentralityInputs, result: CentralityResult) -> View:
    """Places graded by an index, and the streets that trips between them pass."""
    lead, within, summary = result.indices[0], limit_word(inputs.radius, inputs.measure), result.summary
    mean = None if summary["mean_reach"] is None else round(summary["mean_reach"], 1)
    last = (
        Figure(result.busiest, "", "is passed by most of their trips")
        if "betweenness" in result.indices
        else Figure(summary["places_alone"], "", "places that reach no other")
    )
    return View(
        title=f"Centrality of {result.words} within {within}, {result.mode.lower()}",
        figures=[
            Figure(mean, "", f"reached within {within}, mean" + (" of weights" if inputs.weight else "")),
            Figure(result.most_central, "", f"has the highest {lead}"),
            last,
        ],
        method=result.method,
        tables=[TableView("places", _columns(inputs, result.indices), key="name")],
        charts=[_spread(lead, result)],
        map=_map(inputs, result),
        files=[File("csv", "places"), File("gpkg")],
    )


def _columns(inputs: CentralityInputs, indices: list[Index]) -> list[Column]:
    unit = "min" if inputs.measure == "time" else "m"
    looks: dict[str, Column] = {
        "reach": Column("reach", "Reach", "", 0),
        "gravity": Column("gravity", "Gravity", "", 1),
        "closeness": Column("closeness", "Closeness", "1/h" if unit == "min" else "1/km", 4),
        "betweenness": Column("betweenness", "Betweenness", "", 0),
        "straightness": Column("straightness", "Straightness", "", 1),
    }
    mean = Column(f"mean_cost_{unit}", "Mean way", unit, 1 if inputs.measure == "time" else 0)
    return [Column("name", "Place"), *[looks[index] for index in indices], mean]


def _spread(index: str, result: CentralityResult) -> Chart:
    """How many places have how much of an index."""
    known = result.values[np.isfinite(result.values)]
    count, edges = np.histogram(known, CLASSES, (0, float(known.max(initial=0)) or 1.0))
    words = [f"{edge:,.0f}" if edges[-1] >= 100 else f"{edge:.3g}" for edge in edges[:-1].tolist()]
    return Chart("bars", f"Places by {index}", Axis(index, words), [Series("Places from there on", count.tolist())])


def _map(inputs: CentralityInputs, result: CentralityResult) -> MapView:
    """Few places are very central: equal steps would paint all others alike."""
    fields = [GradedField(index, index.capitalize()) for index in result.indices]
    grades = Grades("index", fields, "natural", of="places", many=MANY)
    layers = [MapLayer("places", "points", grades=grades, key="name", label="name")]
    if "streets" in result.parts:
        widths = Widths(
            "passed", "trips", "Trips between places", token("amount"), scale="linear", with_field="betweenness",
            note="On best ways from each place to every other within the radius.",
        )  # fmt: skip
        layers.insert(0, MapLayer("streets", "lines", widths=widths, sort="trips"))
    return MapView(layers=layers)
