"""By which way? The path of least time or distance through given points, with directions in words."""

from __future__ import annotations

from awl.questions.question import Question
from awl.questions.route.inputs import RouteInputs
from awl.questions.route.run import run_route
from awl.questions.route.view import view_route


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
    }
    run = staticmethod(run_route)
    view = staticmethod(view_route)
