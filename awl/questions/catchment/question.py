"""Who belongs to which place? The streets, and the people along them, shared out to the nearest place."""

from __future__ import annotations

from awl.questions.catchment.inputs import CatchmentInputs
from awl.questions.catchment.run import run_catchment
from awl.questions.catchment.view import view_catchment
from awl.questions.compared_parts import ComparedOwners, ComparedRows
from awl.questions.question import Question


class Catchment(Question):
    """The catchment question."""

    id = "catchment"
    title = "Catchment"
    description = "Streets, zones and people that belong to each place because it is the nearest."
    opening = "Which is nearest"
    sentences = [
        ({"zones": None}, "Which is nearest for a {mode}, {direction} {places}, {limit}?"),
        ({}, "Which is nearest for a {mode}, {direction} {places}, {limit}, counting {fields} of {zones}?"),
    ]
    Inputs = CatchmentInputs
    outputs = {
        "areas": "One polygon per place, GeoJSON",
        "streets": "Streets with the place they belong to, GeoJSON",
        "places": "Places with street length, zones and people of each, GeoJSON",
    }
    compared = (
        ComparedOwners("streets", "place_id", "places"),
        ComparedRows("places", "Places", ("id",), ("name",), ("people_served", "street"), more_is_better=None),
    )
    run = staticmethod(run_catchment)
    view = staticmethod(view_catchment)
