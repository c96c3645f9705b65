"""Many trips at once: each on its own way, and what they put on the streets together."""

from __future__ import annotations

from awl.questions.compared_parts import ComparedRows
from awl.questions.question import Question
from awl.questions.trips.inputs import TripsInputs
from awl.questions.trips.run import run_trips
from awl.questions.trips.view import view_trips


class TripsQuestion(Question):
    """The trips question."""

    id = "trips"
    title = "Trips"
    description = "Many trips at once: each on its own way, with their load on the streets."
    opening = "Which ways"
    sentences = [
        ({"from": None}, "Which ways does a {mode} take along {lines}, {measure}, {most}?"),
        ({}, "Which ways does a {mode} take from {from} to {pairing} {to}, {measure}, {most}?"),
    ]
    Inputs = TripsInputs
    needs_hierarchy = True
    outputs = {
        "paths": "One LineString feature per trip with time, distance, mean speed and detour factor, GeoJSON",
        "trips": "The same without geometry, as rows",
        "unreachable": "Trips without a way: attributes of the start, no geometry, the reason, GeoJSON",
        "invalid": "Input features that are no place or no line, with the reason, as rows",
        "load": "Streets with the number of trips over them, along and against their drawing, GeoJSON",
        "untouched": "Usable streets no trip takes, GeoJSON",
        "segments": "By public transport: segments of lines between two stops with the trips on them, GeoJSON",
        "stops": "By public transport: stops with the trips that board and alight there, GeoJSON",
        "places": "The starts and ends with their distance to the street, GeoJSON",
    }
    compared = (
        ComparedRows(
            "trips",
            "Trips",
            ("origin_id", "destination_id"),
            ("origin", "destination"),
            ("duration",),
            more_is_better=False,
        ),
        ComparedRows(
            "load", "Streets", ("link_id",), ("name",), ("trips",), "lines", more_is_better=None, absent_is_none=True
        ),
    )
    run = staticmethod(run_trips)
    view = staticmethod(view_trips)
