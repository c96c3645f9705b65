"""How long from each to each? Travel times and distances between two sets of places."""

from __future__ import annotations

from awl.questions.compared_parts import ComparedRows
from awl.questions.matrix.inputs import MatrixInputs
from awl.questions.matrix.run import run_matrix
from awl.questions.matrix.view import view_matrix
from awl.questions.question import Question


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
        "rows": "One row per reached pair: origin_id, destination_id, duration_s, distance_m; at hours duration_s_07 ...",
        "starts": "The starts with the mean time of their pairs, GeoJSON",
    }
    compared = (
        ComparedRows(
            "starts", "Starts", ("id",), ("name",), ("mean_time",), "points", more_is_better=False, sums_up=True
        ),
        ComparedRows(
            "rows",
            "Pairs",
            ("origin_id", "destination_id"),
            ("origin", "destination"),
            ("duration",),
            more_is_better=False,
        ),
    )
    run = staticmethod(run_matrix)
    view = staticmethod(view_matrix)
