"""The points of a route: positions, node numbers or places, all of them on a street."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely

from awl.core.errors import AwlError
from awl.core.routing.snapping import Snapped
from awl.io.table import Table
from awl.questions.context import Context, Places
from awl.questions.inputs import FeatureSet, Position
from awl.questions.route.inputs import RouteInputs

MAX_WAYPOINTS = 50


def _points(given: list[Any] | FeatureSet, context: Context, name: str) -> Places:
    """Positions, node numbers or places."""
    if not isinstance(given, list):
        return context.places(given, name)
    if given and isinstance(given[0], int):
        return context.nodes([int(n) for n in given if isinstance(n, int)], name)
    xy = np.array([position[:2] for position in given if isinstance(position, list)], np.float64).reshape(-1, 2)
    if not (np.isfinite(xy).all() and (np.abs(xy) <= (180, 90)).all()):
        raise AwlError("A point is not a longitude and latitude in degrees", remedy="Write [lon, lat]", inputs=(name,))
    points = np.atleast_1d(shapely.points(xy)) if len(xy) else np.zeros(0, object)
    names = [f"point {i + 1}" for i in range(len(xy))]
    ids = list(range(1, len(xy) + 1))
    return Places(xy[:, 0], xy[:, 1], ids, names, Table(points, {}), f"{len(xy)} points")


def own_way(
    given: list[Position] | FeatureSet, context: Context, places: Places, snapped: Snapped
) -> tuple[Places, Snapped]:
    """The points of one's own way between the first and the last of the route."""
    own = _points(given, context, "expected")
    if not 1 <= len(own) <= MAX_WAYPOINTS:
        raise AwlError(
            f"{len(own)} points are given for the own way; it has 1 to {MAX_WAYPOINTS}", inputs=("expected",)
        )
    on_street = all_on_street(context, own, "expected")
    through = Places(
        np.concatenate([places.lon[:1], own.lon, places.lon[-1:]]),
        np.concatenate([places.lat[:1], own.lat, places.lat[-1:]]),
        [places.ids[0], *own.ids, places.ids[-1]], [places.names[0], *own.names, places.names[-1]], own.layer, own.words,
    )  # fmt: skip
    first, last = snapped.take(np.array([0])), snapped.take(np.array([len(places) - 1]))
    return through, Snapped.joined([first, on_street, last])


def waypoints(inputs: RouteInputs, context: Context) -> Places:
    """The points that are passed; raises `AwlError` where there are too few or too many."""
    places = _points(inputs.waypoints, context, "waypoints")
    if not 2 <= len(places) <= MAX_WAYPOINTS:
        raise AwlError(
            f"{len(places)} waypoints are given; a route has 2 to {MAX_WAYPOINTS}",
            remedy="Give at least a start and an end",
            inputs=("waypoints",),
        )
    return places


def all_on_street(context: Context, places: Places, name: str) -> Snapped:
    """The points on streets; raises `AwlError` where one cannot be put on one."""
    snapped = context.snap(places, name)
    doubts = [d for d in context.doubts_of(places, snapped, "waypoint") if d.grade == "warning"]
    if doubts:
        raise AwlError(
            doubts[0].text.replace(" and left out", ""),
            remedy="Move the point onto a usable street",
            inputs=(name,),
            status=422,
            kind="no-place-on-street",
        )
    return snapped
