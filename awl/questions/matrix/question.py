"""How long from each to each? Travel times and distances between two sets of places."""

from __future__ import annotations

from awl.questions.context import Context
from awl.questions.matrix.inputs import MatrixInputs
from awl.questions.matrix.run import MatrixResult, run_matrix
from awl.questions.matrix.view import view_matrix
from awl.questions.question import Question
from awl.views.view import View


class Matrix(Question):
    """The matrix question."""

    id = "matrix"
    title = "Travel-time matrix"
    description = "Times and distances from every start to every end."
    opening = "How long"
    sentences = [
        ({"limit": None}, "How long does a {mode} take from each of {from} to each of {to}, {measure} way, {limit}?"),
        ({}, "How long does a {mode} take from each of {from} to each of {to}, {measure} way, {limit}?"),
    ]
    Inputs = MatrixInputs
    outputs = {
        "rows": "One row per reached pair: origin_id, destination_id, duration_s, distance_m; at hours duration_s_07 ..."
    }

    @classmethod
    def run(cls, inputs: MatrixInputs, context: Context) -> MatrixResult:
        """Costs from all starts to all ends."""
        return run_matrix(inputs, context)

    @classmethod
    def view(cls, inputs: MatrixInputs, result: MatrixResult) -> View:
        """Pairs as rows."""
        return view_matrix(inputs, result)
