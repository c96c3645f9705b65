"""By which way? The path of least time or distance through given points, with directions in words."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
import shapely
from numpy.typing import NDArray
from pydantic import Field, field_validator

from awl.core.errors import AwlError
from awl.core.geodesy import segment_lengths
from awl.core.graph.shapes import cut_lines
from awl.core.graph.street_graph import StreetGraph
from awl.core.network.network import Network
from awl.core.routing.access_points import Stands
from awl.core.routing.path import Path, StreetLeg
from awl.core.routing.router import PathFinder
from awl.core.routing.snapping import Snapped
from awl.io import geojson
from awl.io.table import Layer
from awl.questions.base import (
    MEASURE_WORDS,
    Answer,
    Column,
    FeatureSet,
    Figure,
    Position,
    Question,
    SharedInputs,
    slot,
)
from awl.questions.context import Context, Places
from awl.questions.directions import steps_of, with_ends
from awl.questions.route_extras import in_best_order, profile, profile_chart

MAX_WAYPOINTS = 50
OWN_WAY = "own way"
NodeNumber = Annotated[int, Field(strict=True)]
Measure = Annotated[str, Field(min_length=1, max_length=60)]


class RouteInputs(SharedInputs):
    """Inputs of `route`."""

    waypoints: list[Position] | list[NodeNumber] | FeatureSet = Field(
        description="Points to pass in the given order: [[lon, lat], ...], node numbers of the street graph, or places.",
        json_schema_extra=slot("place", "Through"),
    )
    measure: Measure | list[Measure] = Field(
        "time",
        description="What is least: time, distance, a cost given with the streets, or a list of them to have them side by side.",
        json_schema_extra=slot("way", "Least", words=MEASURE_WORDS),
    )
    carry: list[Measure] = Field(
        default_factory=list,
        max_length=12,
        description="Costs that are summed up along the ways without being minimised: costs of the streets or of the mode.",
    )
    order: Literal["given", "best"] = Field(
        "given",
        description="Points are passed in the given order, or in the best one between the first and the last.",
        json_schema_extra=slot("way", "Order", words={"given": "in this order", "best": "in the best order"}),
    )
    expected: list[Position] | FeatureSet | None = Field(
        None,
        description="Points that a way of one's own passes between the first and the last: it is measured beside the best.",
        json_schema_extra=slot("place", "Own way"),
    )

    @field_validator("measure")
    @classmethod
    def _at_least_one(cls, value: Any) -> Any:
        if value == []:
            raise ValueError("the list of measures is empty; give time, distance or a cost of the streets")
        return value


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

    @classmethod
    def answer(cls, inputs: RouteInputs, context: Context) -> Answer:
        """One search per leg and measure."""
        places = _waypoints(inputs, context)
        snapped = _all_on_street(context, places, "waypoints")
        wanted = list(dict.fromkeys(inputs.measure if isinstance(inputs.measure, list) else [inputs.measure]))
        method = [*context.notes, "Starts and ends lie on streets, not at the nearest crossing.", *_timed(context)]
        order = np.arange(len(places))
        if inputs.order == "best":
            places, snapped, order, found = in_best_order(context, places, snapped, wanted[0])
            method.append(found)
        features, rows = [], []
        straight = float(segment_lengths(places.lon[:-1], places.lat[:-1], places.lon[1:], places.lat[1:]).sum())
        ways = [(measure, measure, places, snapped) for measure in wanted]
        if inputs.expected is not None:
            ways.append((OWN_WAY, wanted[0], *_own_way(inputs.expected, context, places, snapped)))
        for done, (label, measure, through, on_street) in enumerate(ways):
            context.progress.step(done / len(ways), f"The {_word(label)} way")
            legs = _legs(context, through, on_street, measure)
            shape, properties = _describe(context.network, legs, measure, inputs.carry)
            properties["measure"] = label
            heights = profile(context, shape)
            properties["climb_m"] = None if heights is None else heights["climb_m"]
            properties["descent_m"] = None if heights is None else heights["descent_m"]
            properties["profile"] = heights
            properties["straight_m"] = round(straight, 1)
            properties["detour_factor"] = round(properties["distance_m"] / straight, 3) if straight > 1 else None
            features.append((shape, properties))
            shown = (
                "measure",
                "distance_m",
                "duration_s",
                "delay_s",
                "mean_speed_kmh",
                "detour_factor",
                "cost",
                "carried",
                "climb_m",
                "descent_m",
            )
            rows.append({key: properties[key] for key in shown})
        best = features[0][1]
        drawn = context.network.graph.drawn
        collection = geojson.collection(
            Layer(
                np.array([shape for shape, _ in features], dtype=object),
                {key: [properties[key] for _, properties in features] for key in best},
            )
        )
        steps = with_ends([step for leg in best["legs"] for step in leg["steps"]], context.mode.delays)
        table_rows = _table(rows, [properties["node_ids"] for _, properties in features], drawn)
        return Answer(
            title=f"{context.mode.title}, {_word(wanted[0])} way through {places.words}",
            summary={"routes": rows, "straight_m": round(straight, 1), "order": (order + 1).tolist()},
            figures=_figures(best, wanted[0], drawn),
            doubts=context.doubts_of(places, snapped, "point") + context.doubts_of_mode(),
            method=method,
            parts={
                "routes": collection,
                "places": context.place_features(places, snapped, {}),
                "compared": table_rows,
                "steps": steps,
            },
            table=("compared", _columns(wanted, drawn, _units(context, inputs.carry), best["profile"] is not None)),
            chart=None
            if drawn
            else {
                "kind": "steps",
                "title": f"Directions, {_word(wanted[0])} way",
                "part": "steps",
                "profile": profile_chart(best["profile"]),
            },
        )


def _timed(context: Context) -> list[str]:
    if context.when is None or not context.mode.curves:
        return []
    return ["The quickest way is timed as speeds change on the way; leaving later never means arriving earlier."]


def _word(measure: str) -> str:
    """`quickest`, `shortest`, `least weight`, or one's own."""
    return "own" if measure == OWN_WAY else MEASURE_WORDS.get(measure) or f"least {measure.replace('_', ' ')}"


def _figures(best: dict[str, Any], measure: str, drawn: bool) -> list[Figure]:
    """What the answer leads with. A drawing has neither minutes nor kilometres: its weights are all there is."""
    own = [] if best["cost"] is None else [Figure(round(best["cost"], 2), "", measure.replace("_", " "))]
    if drawn:
        length = [] if own else [Figure(round(best["distance_m"], 2), "", "total weight")]
        return [*own, *length, Figure(len(best["node_ids"]), "", "nodes passed")]
    return [
        *own,
        Figure(round(best["duration_s"] / 60, 1), "min", f"{_word(measure)} way" if not own else "time"),
        Figure(round(best["distance_m"] / 1000, 2), "km", "distance"),
        Figure(best["mean_speed_kmh"], "km/h", "mean speed"),
    ][:3]


def _units(context: Context, carried: list[str]) -> dict[str, str]:
    """The carried costs, each with its unit."""
    own = {cost.id: cost.unit for cost in context.mode.costs}
    return {name: own.get(name, {"time": "s", "distance": "m"}.get(name, "")) for name in carried}


def _columns(wanted: list[str], drawn: bool, carried: dict[str, str], heights: bool) -> list[Column]:
    """Columns of the table of ways."""
    more = [Column(f"carried_{name}", name.replace("_", " ").capitalize(), unit, 1) for name, unit in carried.items()]
    cost = [Column("cost", "Given cost", "", 2)] if any(measure not in MEASURE_WORDS for measure in wanted) else []
    if drawn:
        return [
            Column("way", "Way"),
            *(cost or [Column("weight", "Total weight", "", 2)]),
            *more,
            Column("nodes", "By nodes"),
        ]
    return [
        Column("way", "Way"),
        *cost,
        Column("duration_min", "Time", "min", 1),
        Column("delay_min", "Delays", "min", 1),
        Column("distance_km", "Distance", "km", 2),
        Column("mean_speed_kmh", "Speed", "km/h", 1),
        Column("detour_factor", "Detour factor", "", 2),
        *([Column("climb_m", "Climb", "m", 0)] if heights else []),
        *more,
    ]


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
    return Places(xy[:, 0], xy[:, 1], list(range(1, len(xy) + 1)), names, Layer(points, {}), f"{len(xy)} points")


def _own_way(
    given: list[Position] | FeatureSet, context: Context, places: Places, snapped: Snapped
) -> tuple[Places, Snapped]:
    """The points of one's own way between the first and the last of the route."""
    own = _points(given, context, "expected")
    if not 1 <= len(own) <= MAX_WAYPOINTS:
        raise AwlError(
            f"{len(own)} points are given for the own way; it has 1 to {MAX_WAYPOINTS}", inputs=("expected",)
        )
    on_street = _all_on_street(context, own, "expected")
    through = Places(
        np.concatenate([places.lon[:1], own.lon, places.lon[-1:]]),
        np.concatenate([places.lat[:1], own.lat, places.lat[-1:]]),
        [places.ids[0], *own.ids, places.ids[-1]], [places.names[0], *own.names, places.names[-1]], own.layer, own.words,
    )  # fmt: skip
    first, last = snapped.take(np.array([0])), snapped.take(np.array([len(places) - 1]))
    return through, Snapped.joined([first, on_street, last])


def _waypoints(inputs: RouteInputs, context: Context) -> Places:
    places = _points(inputs.waypoints, context, "waypoints")
    if not 2 <= len(places) <= MAX_WAYPOINTS:
        raise AwlError(
            f"{len(places)} waypoints are given; a route has 2 to {MAX_WAYPOINTS}",
            remedy="Give at least a start and an end",
            inputs=("waypoints",),
        )
    return places


def _all_on_street(context: Context, places: Places, name: str) -> Snapped:
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


def _legs(context: Context, places: Places, snapped: Snapped, measure: str) -> list[StreetLeg]:
    """The legs from point to point; at an hour the quickest path is timed by the clock, each from the end of the one before."""
    router: PathFinder = context.router
    legs: list[StreetLeg] = []
    spent = 0
    for i in range(len(places) - 1):
        if context.when is not None and measure == "time":
            midnight_ms = (context.when.hour * 60 + context.when.minute) * 60_000 + context.mode.delays.start_s * 1000
            router = context.router.departing(midnight_ms + spent)
        path = _found(context, places, i, router.path(snapped, i, i + 1, measure))
        legs += path.legs
        spent += path.cost
    return legs


def _found(context: Context, places: Places, number: int, path: Path | None) -> Path:
    """A path, or word that there is none."""
    if path is None:
        gates = ["gates shut at this hour"] if context.network.shut_gates else []
        *causes, last = [*gates, "the closures"] if context.closed_links else [*gates, "one-way streets", "gaps"]
        because = f"{', '.join(causes)} or {last}" if causes else last
        ends = f"from {places.names[number]} to {places.names[number + 1]}"
        raise AwlError(
            f"There is no way for {context.mode.id} {ends}: {because} cut every way",
            remedy="Move a point, change the mode or the hour, or lift a closure",
            inputs=("waypoints",),
            status=422,
            kind="no-way",
        )
    return path


def _carried(network: Network, leg: StreetLeg, measure: str) -> float:
    """The sum of a cost along a leg, in its own unit; time holds the delays."""
    begin, end = _spans(leg)
    cost = network.arc_costs(measure)[2 * leg.links + np.where(leg.along, 0, 1)]
    total = float((np.abs(end - begin) * np.maximum(cost, 0)).sum() + _beside(network, leg, measure).sum())
    return (total + (float(leg.delay_ms.sum()) if measure == "time" else 0.0)) / 1000


def _describe(
    network: Network, legs: list[StreetLeg], measure: str, carry: list[str]
) -> tuple[shapely.Geometry, dict[str, Any]]:
    """Line and properties of a route of one or more legs."""
    lines: list[NDArray[np.float64]] = []
    described: list[dict[str, Any]] = []
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
    duration = sum(leg["duration_s"] for leg in described) + network.overhead("time") / 1000
    xy = np.concatenate(lines)
    if len(xy) < 2:
        xy = np.repeat(xy, 2, axis=0)
    return shapely.LineString(xy), {
        "measure": measure,
        "distance_m": round(distance, 1),
        "duration_s": round(duration, 1),
        "delay_s": round(sum(float(leg.delay_ms.sum()) for leg in legs) / 1000 + network.overhead("time") / 1000, 1),
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


def _describe_leg(network: Network, leg: StreetLeg, measure: str) -> tuple[NDArray[np.float64], dict[str, Any]]:
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
    cost, carried = leg.cost / 1000, leg.carried / 1000
    # Totals are the search's own, where it minimised or carried them.
    total = (
        (cost, carried)
        if measure == "time"
        else (carried, cost)
        if measure == "distance"
        else (duration.sum(), carried)
    )
    return xy, {
        "duration_s": round(float(total[0]), 3),
        "distance_m": round(total[1], 3),
        "cost": None if measure in MEASURE_WORDS else round(cost, 3),
        "beside_m": np.round(np.array(leg.off) * graph.link_length[leg.links[[0, -1]]], 1).tolist(),
        "steps": steps_of(graph, leg, coordinates, distance, duration),
    }


def _beside(network: Network, leg: StreetLeg, measure: str) -> NDArray[np.int64]:
    """What the ways to the first link of a leg and from its last one cost, for each link, where these are not the nearest."""
    made = np.zeros(len(leg.links), np.int64)
    for end, at, off in zip((0, -1), (leg.start, leg.end), leg.off, strict=True):
        stand = Stands(np.zeros(1, np.int32), leg.links[[end]], np.array([at]), np.array([off]))
        made[end] += max(int(stand.ways_to(network, measure)[0]), 0)
    return made


def _spans(leg: StreetLeg) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Fractions at which each link of a leg is entered and left."""
    begin = np.where(leg.along, 0.0, 1.0)
    end = np.where(leg.along, 1.0, 0.0)
    begin[0], end[-1] = leg.start, leg.end
    return begin, end


def _table(rows: list[dict[str, Any]], nodes: list[list[int]], drawn: bool) -> list[dict[str, Any]]:
    """Rows for reading, and the difference of the last path from the first; a drawing has weights in place of metres."""
    table = [_row(row, passed, drawn) for row, passed in zip(rows, nodes, strict=True)]
    if len(rows) < 2:
        return table
    # The last row is set against the first: one's own way where there is one, else the second measure.
    first, last = table[0], table[-1]
    apart: dict[str, Any] = {key: _less(last[key], value) for key, value in first.items()}
    apart |= {"way": f"{last['way']} less {first['way']}", "nodes": ""}
    return [*table, apart | dict.fromkeys(NO_DIFFERENCE)]


NO_DIFFERENCE = ("cost", "mean_speed_kmh", "detour_factor")
"""Columns whose difference says nothing."""


def _row(row: dict[str, Any], passed: list[int], drawn: bool) -> dict[str, Any]:
    columns = {"way": _word(row["measure"]), "cost": row["cost"], "nodes": ", ".join(map(str, passed))}
    if drawn:
        columns["weight"] = row["distance_m"]
    return {
        **columns,
        "duration_min": round(row["duration_s"] / 60, 2),
        "delay_min": round(row["delay_s"] / 60, 2),
        **{f"carried_{name}": value for name, value in row["carried"].items()},
        "distance_km": round(row["distance_m"] / 1000, 3),
        "mean_speed_kmh": row["mean_speed_kmh"],
        "detour_factor": row["detour_factor"],
        "climb_m": row["climb_m"],
    }


def _less(value: Any, than: Any) -> float | None:
    numbers = isinstance(value, int | float) and isinstance(than, int | float)
    return round(value - than, 3) if numbers else None
