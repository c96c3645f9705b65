"""How central is each place among the others? Reach, gravity, closeness, betweenness and straightness within a radius."""

from __future__ import annotations

from awl.questions.centrality.inputs import CentralityInputs
from awl.questions.centrality.run import run_centrality
from awl.questions.centrality.view import view_centrality
from awl.questions.question import Question


class CentralityQuestion(Question):
    """The centrality question."""

    id = "centrality"
    title = "Centrality"
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
    run = staticmethod(run_centrality)
    view = staticmethod(view_centrality)
