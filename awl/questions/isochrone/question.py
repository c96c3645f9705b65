"""How far? Streets split exactly where the limit falls, and areas around them."""

from __future__ import annotations

from awl.core.errors import AwlError
from awl.questions.base import (
    Answer,
    Question,
    check_limits,
)
from awl.questions.context import Context
from awl.questions.isochrone.alike import alike_answer
from awl.questions.isochrone.inputs import IsochroneInputs
from awl.questions.isochrone.mixed import mixed_answer
from awl.questions.matrix_hours import checked_hours


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
    outputs = {
        "areas": "Polygons per limit (and place), GeoJSON",
        "contours": "The edges of the areas where they do not run along water, as lines, GeoJSON",
        "streets": "Reached parts of streets, split at the limits, with arrival, GeoJSON",
        "ends": "Points where a limit falls, GeoJSON",
        "places": "The places with their distance to the street, GeoJSON",
        "by_hour": "Kilometres of street within each limit at each of the `hours`, as rows; only where they are given",
        "straight": "Discs within the same limits measured straight, merged, GeoJSON; only where they are compared",
    }

    @classmethod
    def answer(cls, inputs: IsochroneInputs, context: Context) -> Answer:
        """One answer for places that are alike; one for each group of places that differ, put together."""
        check_limits(inputs.limits, inputs.measure)
        hours = checked_hours(inputs.hours, context.when, inputs.measure) if inputs.hours else []
        if inputs.differs and hours:
            raise AwlError(
                "Places that differ have hours of their own", remedy="Leave one out", inputs=("hours", "differs")
            )
        if inputs.differs:
            return mixed_answer(inputs, context)
        return alike_answer(inputs, context, hours)
