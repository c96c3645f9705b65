"""How it is found what stands alongside: one search for the streets, then one spatial join per layer."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.graph.shapes import cut_lines
from awl.core.polygons import repaired
from awl.core.routing.reach import Parts, reached_parts
from awl.io.table import Column, Meaning, Table, Values
from awl.questions.alongside.inputs import AlongsideInputs, layer_parts
from awl.questions.context import Context
from awl.questions.inputs import FeatureSet, LayerSet
from awl.questions.results import Result

TOUCH_M = 0.05
"""Features of the chain stand on the ones before where they share more than an edge this wide."""


@dataclass(frozen=True)
class Touched:
    """Features of one layer that were found, with their shapes in the metric plane.

    `key` names the part of the result, `title` the layer.
    """

    key: str
    title: str
    layer: Table
    shapes: NDArray[np.object_]
    looked_at: int


@dataclass
class AlongsideResult(Result):
    """What stands alongside.

    Attributes:
        words: what the events are called.
        events: how many they are.
        street_km: street reached.
        chain: what was found, layer by layer: part, title and number of features.
        fields: fields of the last layer.
    """

    words: str
    events: int
    street_km: float
    chain: list[tuple[str, str, int]]
    fields: list[str]


def run_alongside(inputs: AlongsideInputs, context: Context) -> AlongsideResult:
    """A strip beside the streets reached, and layers in a chain upon it."""
    events = context.places(inputs.events, "events")
    snapped = context.snap(events, "events")
    limit = round(inputs.distance * 1000)
    graph = context.network.graph
    context.progress.step(0.1, "Searching")
    if context.transit is not None:
        raise AwlError(
            "What stands along streets cannot be asked of public transport",
            remedy="Choose another mode",
            inputs=("mode",),
            kind="not-by-transit",
        )
    arrivals, reach = context.street_router.reach(snapped, "distance", inputs.direction, limit)
    parts = reached_parts(reach, limit)
    lines = cut_lines(graph, parts.link, parts.begin, parts.end, in_plane=True)
    context.progress.step(0.3, "Drawing the strip")
    strip = shapely.union_all(shapely.buffer(lines, inputs.width, cap_style="round", quad_segs=6))
    before, chain = np.array([strip], dtype=object), []
    for number, (wanted, key) in enumerate(zip(inputs.layers, layer_parts(inputs.layers), strict=True)):
        context.progress.step(0.4 + 0.5 * number / len(inputs.layers), f"Looking through {key}")
        chain.append(_touched(context, wanted, key, before, first=number == 0))
        before = chain[-1].shapes
    km = float(((parts.end - parts.begin) * graph.link_length[parts.link]).sum()) / 1000
    return AlongsideResult(
        summary={
            "events": len(events),
            "street_km": round(km, 3),
            "strip_m2": round(float(strip.area)),
            "found": {touched.key: len(touched.layer) for touched in chain},
        },
        parts={
            "streets": lambda: _streets(context, parts, lines),
            "strip": Table(
                graph.plane.unproject(np.array([strip], dtype=object)), {"width_m": Column.of([inputs.width], "m")}
            ),
            "events": context.place_table(events, snapped),
            **{touched.key: touched.layer for touched in chain},
            "found": _found(context, chain[-1], parts, lines),
        },
        doubts=context.doubts_of(events, snapped, "event") + context.doubts_of_reach(arrivals, limit),
        method=[
            *context.notes,
            f"The strip reaches {inputs.width:g} m to either side of the middle of the streets, and round their ends.",
            "A feature of the first layer counts when it touches the strip; of each further layer, when it stands on one"
            " found before.",
        ],
        words=events.words,
        events=len(events),
        street_km=km,
        chain=[(touched.key, touched.title, len(touched.layer)) for touched in chain],
        fields=chain[-1].layer.fields,
    )


def _touched(context: Context, wanted: FeatureSet, key: str, before: NDArray[np.object_], first: bool) -> Touched:
    """Features that touch the strip, or that stand on the features found before."""
    layer, _ = context.features(wanted, "layers")
    shapes = repaired(context.network.graph.plane.project(layer.geometry)).shapes
    # Neighbours share an edge: a house stands on a parcel only where it shares ground with it.
    ground = before if first else shapely.buffer(before, -TOUCH_M)
    hit = shapely.STRtree(shapes).query(ground, predicate="intersects")[1] if len(ground) else np.zeros(0, np.int64)
    title = context.study.require_layer(wanted.layer)["title"] if isinstance(wanted, LayerSet) else key
    keep = np.unique(hit).tolist()
    return Touched(key, title.lower(), layer.take(keep), shapes[keep], len(layer))


def _found(context: Context, touched: Touched, parts: Parts, lines: NDArray[np.object_]) -> Table:
    """Features of a layer, each with its street and how far along the streets that lies, the nearest first."""
    if not len(touched.layer) or not len(lines):
        return Table(None, {**touched.layer.take([]).columns, "street": [], "along_m": [], "street_m": []})
    (feature, piece), away = shapely.STRtree(lines).query_nearest(
        touched.shapes, all_matches=False, return_distance=True
    )
    spot = shapely.get_point(shapely.shortest_line(lines[piece], touched.shapes[feature]), 0)
    share = shapely.line_locate_point(lines[piece], spot, normalized=True)
    along = (parts.arrival_begin[piece] * (1 - share) + parts.arrival_end[piece] * share) / 1000
    order = np.argsort(np.round(along, 1), kind="stable")
    names = context.network.graph.tag("name").take(parts.link[piece[order]])
    own = touched.layer.take(feature[order]).columns
    beside: dict[str, Values] = {
        "street": names,
        "along_m": Column.of(along[order], "m", 1, Meaning("distance")),
        "street_m": Column.of(away[order], "m", 1),
    }
    return Table(None, {**own, **beside})


def _streets(context: Context, parts: Parts, lines: NDArray[np.object_]) -> Table:
    """Reached stretches of street with the distance at both ends."""
    graph = context.network.graph
    return Table(
        graph.plane.unproject(lines),
        {
            "link_id": graph.link_id[parts.link],
            "name": graph.tag("name").take(parts.link),
            "from_m": Column.of(np.minimum(parts.arrival_begin, parts.arrival_end) / 1000, "m", 1),
            "to_m": Column.of(np.maximum(parts.arrival_begin, parts.arrival_end) / 1000, "m", 1),
            "length_m": Column.of((parts.end - parts.begin) * graph.link_length[parts.link], "m", 1),
        },
    )
