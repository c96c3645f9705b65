"""What else is near each place? Other places within limits, counted by kind."""

from __future__ import annotations

from awl.questions.compared_parts import ComparedRows
from awl.questions.neighbours.inputs import NeighboursInputs
from awl.questions.neighbours.run import run_neighbours
from awl.questions.neighbours.view import view_neighbours
from awl.questions.question import Question


class Neighbours(Question):
    """The neighbours question."""

    id = "neighbours"
    title = "Neighbours"
    description = "How many other places are within limits of each place, by kind, and which kinds go together."
    opening = "What else is near"
    sentences = [({}, "What else is near {places}: how many of {others}, {kind}, does a {mode} reach within {limits}?")]
    Inputs = NeighboursInputs
    outputs = {
        "places": "Places with the number of others by kind and limit, and the time to the nearest of each kind, GeoJSON",
        "cross": "By kind: places with one within each limit, and the mean number, as rows",
        "pairs": "By kind of place and kind of other: the mean number within the last limit, as rows",
    }
    compared = (ComparedRows("places", "Places", ("id",), ("name",), ("places_within",), "points"),)
    run = staticmethod(run_neighbours)
    view = staticmethod(view_neighbours)
