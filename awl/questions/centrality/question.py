"""How central is each place among the others? Reach, gravity, closeness, betweenness and straightness within a radius."""

from __future__ import annotations

from awl.questions.centrality.inputs import CentralityInputs
from awl.questions.centrality.run import CentralityResult, run_centrality
from awl.questions.centrality.view import view_centrality
from awl.questions.context import Context
from awl.questions.question import Question
from awl.views.view import View


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

    @classmethod
    def run(cls, inputs: CentralityInputs, context: Context) -> CentralityResult:
        """One search from each place."""
        return run_centrality(inputs, context)

    @classmethod
    def view(cls, inputs: CentralityInputs, result: CentralityResult) -> View:
        """Places graded by an index."""
        return view_centrality(inputs, result)
