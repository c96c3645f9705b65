"""By which way? The path of least time or distance through given points, with directions in words."""

from __future__ import annotations

from awl.questions.compared_parts import ComparedRows, ComparedWays
from awl.questions.context import Context
from awl.questions.question import Question
from awl.questions.route.inputs import RouteInputs
from awl.questions.route.itineraries import ItinerariesResult, run_itineraries
from awl.questions.route.itineraries_view import view_itineraries
from awl.questions.route.run import RouteResult, run_route
from awl.questions.route.view import view_route
from awl.questions.route.waypoints import all_on_street, waypoints
from awl.views.view import View


def run_by_mode(inputs: RouteInputs, context: Context) -> RouteResult | ItinerariesResult:
    """Along the streets; or, where the mode rides, the next departures."""
    if context.transit is None:
        return run_route(inputs, context)
    places = waypoints(inputs, context)
    return run_itineraries(inputs, context, places, all_on_street(context, places, "waypoints"))


def view_by_mode(inputs: RouteInputs, result: RouteResult | ItinerariesResult) -> View:
    """What either of them says and shows."""
    return view_route(inputs, result) if isinstance(result, RouteResult) else view_itineraries(inputs, result)


class Route(Question):
    """The route question."""

    id = "route"
    title = "Route"
    description = "The way through given points: quickest, shortest, of least given cost, or several side by side."
    opening = "By which way"
    sentences = [
        ({"expected": None}, "By which way does a {mode} get through {waypoints}, {order}, {measure}?"),
        ({}, "By which way does a {mode} get through {waypoints}, {order}, {measure}, and why not by {expected}?"),
    ]
    Inputs = RouteInputs
    outputs = {
        "routes": "One LineString feature per measure with distance, time, mean speed, legs, steps and ids, GeoJSON",
        "places": "The points with their distance to the street, GeoJSON",
        "itineraries": "By public transport: the next departures with their times, changes and lines, as rows",
        "legs": "By public transport: a line for each walk and ride, with stops and clock times, GeoJSON",
    }
    compared = (
        ComparedWays("routes", "measure"),
        ComparedRows(
            "compared", "What each costs", ("way",), ("way",), ("duration_min",), more_is_better=False, sums_up=True
        ),
        # By public transport the first departure is set against the first, the next against the next.
        ComparedRows("itineraries", "Departures", ("itinerary",), ("itinerary",), ("duration",), more_is_better=False),
    )
    run = staticmethod(run_by_mode)
    view = staticmethod(view_by_mode)
