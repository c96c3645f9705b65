"""How central is each place among the others? Reach, gravity, closeness, betweenness and straightness within a radius."""

from __future__ import annotations

from awl.questions.centrality.inputs import INDICES, CentralityInputs
from awl.questions.centrality.run import run_centrality
from awl.questions.centrality.view import view_centrality
from awl.questions.compared_parts import ComparedRows
from awl.questions.question import Question


class CentralityQuestion(Question):
    """The centrality question."""

    id = "centrality"
    title = "Centrality"
    is_heavy = True
    description = "How central each building or place is among the others within a radius."
    opening = "How central"
    sentences = [
        ({}, "How central is each of {places} to a {mode}, among the others within {radius}, {weight}, by {indices}?")
    ]
    Inputs = CentralityInputs
    outputs = {
        "places": "Places with a field per index and the mean cost of the ways to the others, GeoJSON",
        "streets": "Streets with the trips between places that pass them, GeoJSON; only where betweenness is asked for",
    }
    compared = (
        ComparedRows("places", "Places", ("id",), ("name",), INDICES, "points", more_is_better=None),
        ComparedRows(
            "streets", "Streets", ("link_id",), ("name",), ("trips",), "lines", more_is_better=None, absent_is_none=True
        ),
    )
    run = staticmethod(run_centrality)
    view = staticmethod(view_centrality)
