"""Directions in words: the streets of a way in order, each with the turn onto it, its distance and its time."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from awl.core.graph.street_graph import StreetGraph
from awl.core.modes.mode import Delays
from awl.core.routing.path import StreetLeg


def steps_of(
    graph: StreetGraph,
    leg: StreetLeg,
    coordinates: list[NDArray[np.float64]],
    distance: NDArray[np.float64],
    duration: NDArray[np.float64],
) -> list[dict[str, Any]]:
    """Links of one name in a row make one step; the turn is that at its start.

    A first or last step on a street beside says how far beside (`beside_m`), which its distance counts.
    """
    names, classes = graph.tag("name"), graph.tag("highway")
    steps: list[dict[str, Any]] = []
    heading: float | None = None
    for i, link in enumerate(leg.links):
        street = names.at(link) or _unnamed(classes.at(link))
        xy = coordinates[i]
        moves = len(xy) > 1 and bool((xy[0] != xy[-1]).any())
        if not steps or steps[-1]["street"] != street:
            turn = "start" if not steps else _turn(heading, _heading(xy[0], xy[1])) if moves else "go straight on"
            steps.append({"turn": turn, "street": street, "distance_m": 0.0, "duration_s": 0.0})
        steps[-1]["distance_m"] += float(distance[i])
        steps[-1]["duration_s"] += float(duration[i])
        if moves:
            heading = _heading(xy[-2], xy[-1])
    for step, end, access_share in zip((steps[0], steps[-1]), (0, -1), leg.access_share, strict=True):
        if (beside_m := round(access_share * float(graph.link_length[leg.links[end]]), 1)) > 0:
            step["beside_m"] = step.get("beside_m", 0.0) + beside_m
    for step in steps:
        step["distance_m"] = round(step["distance_m"], 1)
        step["duration_s"] = round(step["duration_s"], 1)
    return steps


def with_ends(steps: list[dict[str, Any]], delays: Delays) -> list[dict[str, Any]]:
    """The steps, with the time before setting out and after arriving where the mode has such."""
    before, after = (
        [{"turn": turn, "street": street, "distance_m": 0.0, "duration_s": seconds}] if seconds else []
        for turn, street, seconds in (("set out", "at the start", delays.start_s), ("end", "at the end", delays.end_s))
    )
    return [*before, *steps, *after]


def _unnamed(highway: str | None) -> str:
    words = {"footway": "footpath", "steps": "steps", "path": "path", "cycleway": "cycleway", "service": "service road"}
    return words.get(highway or "", "unnamed street")


def _heading(a: NDArray[np.float64], b: NDArray[np.float64]) -> float:
    """Degrees clockwise from north of a short segment."""
    east = (b[0] - a[0]) * np.cos(np.radians(a[1]))
    return float(np.degrees(np.arctan2(east, b[1] - a[1])))


def _turn(before: float | None, after: float) -> str:
    """The turn in words, by angle."""
    if before is None:
        return "go on"
    angle = (after - before + 180) % 360 - 180
    side = "right" if angle > 0 else "left"
    size = abs(angle)
    if size < 25:
        return "go straight on"
    if size < 60:
        return f"bear {side}"
    return f"turn {side}" if size < 150 else "turn back"
