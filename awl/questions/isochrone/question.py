"""How far? The reach of places within limits."""

from __future__ import annotations

from awl.questions.compared_parts import ComparedAreas, ComparedReach, ComparedRows
from awl.questions.isochrone.inputs import IsochroneInputs
from awl.questions.isochrone.run import run_isochrone
from awl.questions.isochrone.view import view_isochrone
from awl.questions.question import Question


class Isochrone(Question):
    """The isochrone question."""

    id = "isochrone"
    title = "Isochrone"
    description = "How far one gets from places, or from how far one comes to them, within limits."
    opening = "How far"
    sentences = [
        (
            {"direction": "to"},
            "From how far does a {mode} come, {direction} {places}, within {limits}, areas {merge}?",
        ),
        ({}, "How far does a {mode} get, {direction} {places}, within {limits}, areas {merge}?"),
    ]
    Inputs = IsochroneInputs
    is_live = True
    outputs = {
        "areas": "Polygons per limit (and place), GeoJSON",
        "contours": "The edges of the areas where they do not run along water, as lines, GeoJSON",
        "streets": "Reached parts of streets, split at the limits, with arrival, GeoJSON",
        "ends": "Points where a limit falls, GeoJSON",
        "places": "The places with their distance to the street, GeoJSON",
        "by_hour": "Kilometres of street within each limit at each of the `hours`, as rows; only where they are given",
        "straight": "Discs within the same limits measured straight, merged, GeoJSON; only where they are compared",
    }
    compared = (
        ComparedAreas("areas", "limit"),
        ComparedReach("streets"),
        ComparedRows("by_limit", "Limits", ("limit",), ("limit",), ("street_km",), sums_up=True),
    )
    run = staticmethod(run_isochrone)
    view = staticmethod(view_isochrone)
