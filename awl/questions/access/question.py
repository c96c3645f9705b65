"""Who lives near? People of zones within limits of a place, by network and, beside it, by straight line."""

from __future__ import annotations

from awl.questions.access.inputs import AccessInputs
from awl.questions.access.run import run_access
from awl.questions.access.view import view_access
from awl.questions.compared_parts import ComparedRows
from awl.questions.question import Question


class Access(Question):
    """The access question."""

    id = "access"
    title = "Access of zones"
    is_heavy = True
    description = (
        "People of zones within limits of the nearest place, per zone and in total, against the straight line."
    )
    opening = "Who lives near"
    sentences = [
        (
            {},
            "Who lives near {places}, {direction} as a {mode}, people by {spread}, within {limits}, counting {fields} of"
            " {zones}?",
        )
    ]
    Inputs = AccessInputs
    outputs = {
        "zones": "Zones with nearest place, its time, places and people within each limit, GeoJSON",
        "totals": "People within each limit, beyond, and not placed, per field",
        "places": "The places with people within each limit, and those who have no other, GeoJSON",
        "near": "The places that most people of each zone have within the last limit, as rows",
        "curves": "Share of the people of each zone within so many minutes, as rows",
        "unserved": "People beyond the last limit as dots where they live, GeoJSON",
        "candidates": "The candidates with the people each gains, GeoJSON; only where such are given",
        "choices": "The best choices of candidates, as rows; only where such are given",
        "lorenz": "Lorenz curves of the further measures, as rows; only where such are asked for",
    }
    compared = (
        ComparedRows("zones", "Zones", ("zone_id",), ("zone",), ("people_within",), "zones"),
        ComparedRows("places", "Places", ("id",), ("name",), ("people_within",)),
        ComparedRows("totals", "Groups", ("field",), ("group",), ("people_within",), sums_up=True),
    )
    run = staticmethod(run_access)
    view = staticmethod(view_access)
