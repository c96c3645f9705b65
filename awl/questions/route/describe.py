"""What there is to say of a path: its line, its figures, and its legs with directions."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.graph.shapes import cut_lines
from awl.core.graph.street_graph import StreetGraph
from awl.core.network.network import Network
from awl.core.routing.access_points import AccessPoints
from awl.core.routing.path import StreetLeg
from awl.questions.inputs import MEASURE_WORDS, Json
from awl.questions.route.directions import steps_of


def _carried(network: Network, leg: StreetLeg, measure: str) -> float:
    """The sum of a cost along a leg, in its own unit; time holds the delays."""
    begin, end = _spans(leg)
    cost = network.arc_costs(measure)[2 * leg.links + np.where(leg.along, 0, 1)]
    total = float((np.abs(end - begin) * np.maximum(cost, 0)).sum() + _beside(network, leg, measure).sum())
    return (total + (float(leg.delay_ms.sum()) if measure == "time" else 0.0)) / 1000


def described(network: Network, legs: list[StreetLeg], measure: str, carry: list[str]) -> tuple[shapely.Geometry, Json]:
    """Line and properties of a route of one or more legs."""
    lines: list[NDArray[np.float64]] = []
    described: list[Json] = []
    links: list[int] = []
    nodes: list[int] = []
    for leg in legs:
        xy, described_leg = _describe_leg(network, leg, measure)
        lines.append(xy if not lines else xy[1:])
        described.append(described_leg)
        begin, end = _spans(leg)
        used = leg.links[begin != end]
        links += network.graph.link_id[used].tolist()
        passed = _nodes(network.graph, leg)
        # A way point at a node ends one leg and begins the next: it is passed once.
        at_node = leg.start in (0.0, 1.0)
        nodes += passed[1:] if at_node and nodes[-1:] == passed[:1] else passed
    distance = sum(leg["distance_m"] for leg in described)
    duration = sum(leg["duration_s"] for leg in described) + network.terminal_time("time") / 1000
    xy = np.concatenate(lines)
    if len(xy) < 2:
        xy = np.repeat(xy, 2, axis=0)
    return shapely.LineString(xy), {
        "measure": measure,
        "distance_m": round(distance, 1),
        "duration_s": round(duration, 1),
        "delay_s": round(
            sum(float(leg.delay_ms.sum()) for leg in legs) / 1000 + network.terminal_time("time") / 1000, 1
        ),
        "mean_speed_kmh": round(distance / duration * 3.6, 1) if duration > 0 else None,
        "cost": None if measure in MEASURE_WORDS else round(sum(leg["cost"] for leg in described), 3),
        "carried": {name: round(sum(_carried(network, leg, name) for leg in legs), 3) for name in carry},
        "legs": described,
        "link_ids": links,
        "node_ids": nodes,
    }


def _nodes(graph: StreetGraph, leg: StreetLeg) -> list[int]:
    """Numbers of the nodes passed, in travel order; start and end among them where the trip begins or ends at a node."""
    begin, end = _spans(leg)
    tail = np.where(leg.along, graph.link_from[leg.links], graph.link_to[leg.links])
    head = np.where(leg.along, graph.link_to[leg.links], graph.link_from[leg.links])
    entered = np.where(leg.along, begin == 0.0, begin == 1.0)
    left = np.where(leg.along, end == 1.0, end == 0.0)
    passed: list[int] = []
    for i in np.flatnonzero(begin != end).tolist():
        passed += [int(tail[i])] * bool(entered[i] and passed[-1:] != [int(tail[i])]) + [int(head[i])] * bool(left[i])
    return [int(number) for number in graph.node_id[passed]]


def _describe_leg(network: Network, leg: StreetLeg, measure: str) -> tuple[NDArray[np.float64], Json]:
    graph = network.graph
    begin, end = _spans(leg)
    low, high = np.minimum(begin, end), np.maximum(begin, end)
    pieces = cut_lines(graph, leg.links, low, high)
    pieces = np.where(leg.along, pieces, shapely.reverse(pieces))
    coordinates = [shapely.get_coordinates(piece) for piece in pieces]
    xy = np.concatenate([coordinates[0], *[c[1:] for c in coordinates[1:]]])
    share = high - low
    distance = (share * network.length_mm[leg.links] + _beside(network, leg, "distance")) / 1000
    passing = share * network.duration_ms[leg.links, np.where(leg.along, 0, 1)] + _beside(network, leg, "time")
    spent = passing if leg.passing_ms is None else leg.passing_ms
    duration = (spent + leg.delay_ms) / 1000
    cost, accumulated = leg.cost / 1000, leg.accumulated / 1000
    # Totals are the search's own, where it minimised or carried them.
    total = (
        (cost, accumulated)
        if measure == "time"
        else (accumulated, cost)
        if measure == "distance"
        else (duration.sum(), accumulated)
    )
    return xy, {
        "duration_s": round(float(total[0]), 3),
        "distance_m": round(total[1], 3),
        "cost": None if measure in MEASURE_WORDS else round(cost, 3),
        "beside_m": np.round(np.array(leg.access_share) * graph.link_length[leg.links[[0, -1]]], 1).tolist(),
        "steps": steps_of(graph, leg, coordinates, distance, duration),
    }


def _beside(network: Network, leg: StreetLeg, measure: str) -> NDArray[np.int64]:
    """What the ways to the first link of a leg and from its last one cost, for each link, where these are not the nearest."""
    beside = np.zeros(len(leg.links), np.int64)
    for end, at, access_share in zip((0, -1), (leg.start, leg.end), leg.access_share, strict=True):
        stand = AccessPoints(np.zeros(1, np.int32), leg.links[[end]], np.array([at]), np.array([access_share]))
        beside[end] += max(int(stand.access_costs(network, measure)[0]), 0)
    return beside


def _spans(leg: StreetLeg) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Fractions at which each link of a leg is entered and left."""
    begin = np.where(leg.along, 0.0, 1.0)
    end = np.where(leg.along, 1.0, 0.0)
    begin[0], end[-1] = leg.start, leg.end
    return begin, end
