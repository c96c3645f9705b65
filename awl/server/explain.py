"""What a mode makes of the streets, for the browser: figures, arrays for the map, and why one street costs what it costs."""

from __future__ import annotations

import json
from datetime import datetime
from typing import Any

import numpy as np
import shapely
from flask import Blueprint, Response, request
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.graph.edits.records import node_record, turn_records
from awl.core.graph.nearest_links import NearestLinks
from awl.core.graph.street_graph import StreetGraph
from awl.core.modes.hours import hour_pace
from awl.core.modes.mode import SHIPPED
from awl.core.modes.rules import BY_SIZE, BY_SLOPE, REASONS, SPEED_FROM_MAXSPEED, SPEED_SOURCES
from awl.core.network.costs import BLOCKED
from awl.core.network.network import Network
from awl.questions.inputs import moment
from awl.server.web import asked_study, known_parameters, number, packed, reply
from awl.study import modes
from awl.study.study import Study

api = Blueprint("explain", __name__)
PARTS_LISTED = 200
ODD_LISTED = 12
ODD_FACTOR = 2.5
"""A posted limit that many times above or below the speed of its class is worth a look."""


def _when() -> datetime | None:
    """The hour asked for in the address, None for free flow."""
    return moment(request.args.get("at"))


def mode_info(study: Study, ident: str) -> dict[str, Any]:
    """A mode with its document, and what it makes of the streets of a study."""
    mode, changed = study.modes()[ident]
    described: dict[str, Any] = {
        "id": ident,
        "title": mode.title,
        "traveller": mode.traveller,
        "notes": mode.notes,
        "changed": changed,
        "shipped": ident in SHIPPED,
        "document": modes.document(mode),
    }
    try:
        network = study.network(ident)
    except AwlError as error:
        return described | {"problem": error.detail}
    figures: dict[str, Any] = study.cached(("mode figures", ident), lambda: _figures(study, network), mode)
    return described | figures


def _figures(study: Study, network: Network) -> dict[str, Any]:
    """What a mode makes of the streets of a study, whatever the hour."""
    mode = network.mode
    length, use = network.graph.link_length, network.use
    highway = network.graph.tag("highway")
    usable = network.usable
    sources = [float(length[usable & (use.speed_source == code)].sum()) for code in range(len(SPEED_SOURCES))]
    rules: list[dict[str, Any]] = []
    for code, name in enumerate(highway.values):
        of_class = highway.codes == code
        open_here = of_class & usable
        rules.append(
            {
                "highway": name,
                "speed_kmh": mode.class_speed.get(name),
                "length_km": round(float(length[of_class].sum()) / 1000, 3),
                "usable_km": round(float(length[open_here].sum()) / 1000, 3),
                "oneway_km": round(float(length[of_class & (network.forward != network.backward)].sum()) / 1000, 3),
            }
        )
    parts = network.parts_report
    return {
        "usable_km": round(float(length[usable].sum()) / 1000, 2),
        "total_km": round(float(length.sum()) / 1000, 2),
        "links_usable": int(usable.sum()),
        "mean_kmh": round(float(length[usable].sum() / (length[usable] / _speed(network)[usable]).sum()), 1),
        "speed_sources": [
            {"source": name, "km": round(metres / 1000, 2)} for name, metres in zip(SPEED_SOURCES, sources, strict=True)
        ],
        "parts": {
            "count": parts.parts,
            "kept": parts.kept,
            "kept_km": round(parts.kept_m / 1000, 3),
            "sizes": [
                {"rank": rank, "km": round(metres / 1000, 3), "links": int(links)}
                for rank, (metres, links) in enumerate(
                    zip(parts.length_m[:PARTS_LISTED].tolist(), parts.links[:PARTS_LISTED].tolist(), strict=True)
                )
            ],
            "left_out_km": round(parts.left_out_m / 1000, 3),
            "left_out_links": parts.left_out_links,
            "enclosed_links": int(network.enclosed.sum()),
            "enclosed_km": round(float(length[network.enclosed].sum()) / 1000, 3),
        },
        "rule_km": [round(float(length[use.rule == n].sum()) / 1000, 3) for n in range(len(mode.rules))],
        "odd": _odd(network),
        "heights": study.heights is not None,
        "steep_km": round(float(length[use.reason == BY_SLOPE].sum()) / 1000, 2),
        "too_big_km": round(float(length[use.reason == BY_SIZE].sum()) / 1000, 2),
        "ends_only_km": round(float(length[usable & use.at_ends].sum()) / 1000, 2),
        "turns_barred": len(network.forbidden) - len(network.shut_gates),
        "barriers_shut": network.graph.node_count - study.graph.node_count + len(network.shut_gates) // 2,
        "rules": sorted(rules, key=lambda rule: float(rule["length_km"]), reverse=True),
    }


def _odd(network: Network) -> list[dict[str, Any]]:
    """Streets whose posted limit is far from the speed of their class, the longest first, with a place on each."""
    graph, use, mode = network.graph, network.use, network.mode
    highway = graph.tag("highway")
    usual = highway.lookup([mode.class_speed.get(name, np.nan) for name in highway.values], np.nan)
    with np.errstate(invalid="ignore"):
        far = (use.speed > ODD_FACTOR * usual) | (use.speed * ODD_FACTOR < usual)
    rows = np.flatnonzero(network.usable & (use.speed_source == SPEED_FROM_MAXSPEED) & far)
    rows = rows[np.argsort(-graph.link_length[rows], kind="stable")]
    streets: dict[tuple[Any, ...], dict[str, Any]] = {}
    for row in rows.tolist():
        name, speed, normal = graph.tag("name").at(row), round(float(use.speed[row]), 1), round(float(usual[row]), 1)
        middle = (graph.shape_start[row] + graph.shape_start[row + 1]) // 2
        at = [float(graph.shape_lon[middle]), float(graph.shape_lat[middle])]
        street: dict[str, Any] = {"link_id": int(graph.link_id[row]), "name": name, "highway": highway.at(row)}
        street |= {"speed_kmh": speed, "usual_kmh": normal}
        # Links of one name and one limit are one street; the longest of them says where it is.
        entry = streets.setdefault((name or row, speed), {**street, "at": at, "links": 0, "km": 0.0})
        entry["links"] += 1
        entry["km"] = round(entry["km"] + float(graph.link_length[row]) / 1000, 3)
    return sorted(streets.values(), key=lambda entry: -float(entry["km"]))[:ODD_LISTED]


@api.get("/studies/<study_id>/arrays/modes/<mode_id>")
def mode_arrays(study_id: str, mode_id: str) -> Response:
    """Of every link in a mode, in free flow or `at` an hour: what the map is coloured by.

    Durations each way in ms (-1 where barred), speed in km/h and where it came from, steepest grade in percent, mean seconds lost
    at its ends, 1 where only trips that begin or end there may use it.
    """
    known_parameters("at", "what_if")
    study = asked_study(study_id)
    network = study.network(mode_id, _when())
    forward, backward = network.directed("time")
    heights = study.heights
    steepest = np.zeros(len(forward)) if heights is None else heights.steepest * 100
    return packed(
        {"mode": mode_id, "sources": SPEED_SOURCES},
        forward.astype(np.int32),
        backward.astype(np.int32),
        _speed(network).astype(np.float32),
        network.use.speed_source.astype(np.float32),
        steepest.astype(np.float32),
        _lost_at_ends(network).astype(np.float32),
        network.use.at_ends.astype(np.float32),
    )


def _speed(network: Network) -> NDArray[np.float64]:
    """Mean speed over the usable directions of each link, km/h, slope and hour counted."""
    open_ways = np.stack([network.forward, network.backward], axis=1)
    ways = np.maximum(open_ways.sum(axis=1), 1)
    mean = (np.where(open_ways, network.duration_ms, 0)).sum(axis=1) / ways
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.where(mean > 0, network.graph.link_length / mean * 3600, network.use.speed)


def _lost_at_ends(network: Network) -> NDArray[np.float64]:
    """Mean seconds lost on leaving each link (m,) at the ends where it may be left."""
    steps, graph = network.states.steps, network.graph
    # Nobody turns back without need: such steps would tell of a delay that hardly anyone has.
    turns = steps.after != (steps.arc ^ 1)
    node = network.states.node[steps.tail[turns]]
    count = np.bincount(node, minlength=graph.node_count)
    lost = np.bincount(node, weights=network.step_delay[turns] / 1000, minlength=graph.node_count)
    mean = lost / np.maximum(count, 1)
    both = np.where(network.forward, mean[graph.link_to], 0) + np.where(network.backward, mean[graph.link_from], 0)
    return np.asarray(both / np.maximum(network.forward.astype(int) + network.backward, 1))


@api.get("/studies/<study_id>/near")
def near(study_id: str) -> Response:
    """The street nearest to a point, with what the mode makes of it; usable or not."""
    known_parameters("lon", "lat", "mode", "within", "at", "what_if")
    study, lon, lat = asked_study(study_id), number("lon"), number("lat")
    when = _when()
    network = study.network(request.args.get("mode", "walk"), when)
    graph = network.graph
    by_place: NearestLinks = study.cached("all-links", lambda: NearestLinks.of(graph, np.arange(graph.link_count)))
    x, y = graph.plane.xy(np.array([lon]), np.array([lat]))
    within = number("within") if "within" in request.args else 100.0
    nearest, away = by_place.nearest(x, y, max(within, 0.01))
    link = int(nearest[0])
    if link < 0:
        raise AwlError(f"No street lies within {within:g} m of this point", status=404, kind="no-street-near")
    use = network.use
    forward, backward = network.directed("time")
    reason = REASONS[int(use.reason[link])]
    rule = int(use.rule[link])
    if not network.usable[link] and use.reason[link] == 0:
        reason = "cut off from the largest connected part"
    return reply(
        {
            "link_id": int(graph.link_id[link]),
            "name": graph.tag("name").at(link),
            "highway": graph.tag("highway").at(link),
            "distance_m": round(float(away[0]), 1),
            "length_m": round(float(graph.link_length[link]), 1),
            "from_node_id": int(graph.node_id[graph.link_from[link]]),
            "to_node_id": int(graph.node_id[graph.link_to[link]]),
            "osm_way_id": int(graph.link_way[link]),
            "osm_way_ids": [int(v) for v in graph.link_ways[graph.ways_start[link] : graph.ways_start[link + 1]]],
            "costs": {
                key: [_given(v) for v in pair[link]] for key, pair in {**graph.costs, **network.own_costs}.items()
            },
            "tags": {key: value for key, column in graph.tags.items() if (value := column.at(link)) is not None},
            "usable": bool(network.usable[link]),
            "reason": reason,
            "rule": None if rule < 0 else {"number": rule + 1, **vars(network.mode.rules[rule])},
            "barriers": [
                b for b in (graph.node_tag("barrier").at(n) for n in (graph.link_from[link], graph.link_to[link])) if b
            ],
            "ends": [_end(graph, int(node)) for node in (graph.link_from[link], graph.link_to[link])],
            "turns": [
                {"node": turn.via_node, "to": turn.to_link, "kind": turn.kind}
                for turn in turn_records(graph)
                if turn.from_link == graph.link_id[link] and not turn.via_links
            ],
            "speed_kmh": round(float(use.speed[link]), 1),
            "speed_source": SPEED_SOURCES[int(use.speed_source[link])],
            "forward_s": None if forward[link] == BLOCKED else round(forward[link] / 1000, 1),
            "backward_s": None if backward[link] == BLOCKED else round(backward[link] / 1000, 1),
            "chain": chain(study, network, link, when),
            "line": json.loads(shapely.to_geojson(graph.lines(np.array([link]))[0])),
        }
    )


def _end(graph: StreetGraph, node: int) -> dict[str, Any]:
    """A node at an end of a street: its id, place and marks."""
    record = node_record(graph, node)
    return {"node_id": record.id, "lon": record.lon, "lat": record.lat, "tags": record.tags}


def chain(study: Study, network: Network, link: int, when: datetime | None) -> list[str]:
    """Sentences that lead from a link's class to what it costs, in the order in which the mode decides."""
    graph, mode, use = network.graph, network.mode, network.use
    highway = graph.tag("highway").at(link) or "no class"
    usual = mode.class_speed.get(highway)
    sentences = [f"Class {highway}: {'not used' if usual is None else f'used, {usual:g} km/h'}."]
    key = next((k for k in mode.access_keys if graph.tag(k).at(link) is not None), None)
    if key is not None:
        sentences.append(f"Access: {key}={graph.tag(key).at(link)} is the most specific tag.")
    if use.at_ends[link]:
        sentences.append("Only trips that begin or end on such streets use it.")
    oneway = next((k for k in (mode.contraflow_key, "oneway", "junction") if graph.tag(k).at(link)), None)
    if oneway is not None and (mode.obeys_oneway or oneway == mode.contraflow_key):
        sentences.append(f"Direction: {oneway}={graph.tag(oneway).at(link)}.")
    if use.rule[link] >= 0:
        rule = mode.rules[use.rule[link]]
        what = {"forbid": "forbidden", "ends": "open at the ends of trips", "allow": "allowed"}.get(
            rule.use, f"at {rule.factor:.0%} of its speed"
        )
        sentences.append(f"Rule {use.rule[link] + 1}, {rule.where}: {what}.")
    if use.reason[link] in (BY_SIZE, BY_SLOPE):
        sentences.append(f"Not used: {REASONS[use.reason[link]]}.")
    if not (use.forward[link] or use.backward[link]):
        return sentences
    sentences.append(f"Speed: {use.speed[link]:.1f} km/h, from the {SPEED_SOURCES[use.speed_source[link]]}.")
    heights = study.heights
    if heights is not None and mode.slope.by != "none":
        up, down = heights.climb()[link]
        sentences.append(
            f"Slope: {up:.1f} m up and {down:.1f} m down as drawn, {heights.steepest[link]:.0%} at the steepest."
        )
    if when is not None and mode.curves:
        sentences.append(f"Hour: {1 / hour_pace(mode, graph, when)[link]:.0%} of the free-flow speed at {when:%H:%M}.")
    for node, word in ((graph.link_to[link], "At its end"), (graph.link_from[link], "At its start")):
        if network.turn_delays.at_node[node]:
            sentences.append(f"{word}: {network.turn_delays.at_node[node] / 1000:g} s are lost by all who pass.")
    barred = sum(1 for sequence in network.forbidden if sequence[0] >> 1 == link)
    if barred:
        sentences.append(f"{barred} turn{'s' if barred > 1 else ''} from it {'are' if barred > 1 else 'is'} barred.")
    return sentences


def _given(value: float) -> float | None:
    return None if value != value else float(value)
