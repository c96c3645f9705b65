"""What stands along the streets near an event? A strip beside the streets reached, and layers in a chain upon it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Any, Literal

import numpy as np
import shapely
from numpy.typing import NDArray
from pydantic import Field

from awl.core.graph.shapes import cut_lines
from awl.core.polygons import repaired
from awl.core.routing.reach import Parts, reached_parts
from awl.io import geojson
from awl.io.table import LABEL_NAMES, Layer
from awl.questions.base import (
    MAX_METRES,
    Answer,
    Column,
    FeatureSet,
    Figure,
    Json,
    LayerSet,
    Question,
    SharedInputs,
    slot,
)
from awl.questions.context import Context
from awl.questions.files import FRAME

MAX_LAYERS = 6
OWN = ("streets", "strip", "events")
TOUCH_M = 0.05
"""Features of the chain stand on the ones before where they share more than an edge this wide."""
SHOWN_FIELDS = 4


class AlongsideInputs(SharedInputs):
    """Inputs of `alongside`."""

    events: FeatureSet = Field(
        description="Where it happened: points, one or more.", json_schema_extra=slot("place", "Events")
    )
    distance: float = Field(
        500.0,
        gt=0,
        le=MAX_METRES,
        description="How far along the streets, in metres.",
        json_schema_extra=slot("amount", "Distance"),
    )
    direction: Literal["from", "to"] = Field("from", description="Along the streets from the events or towards them.")
    width: float = Field(
        25.0,
        gt=0,
        le=1000,
        description="How far the strip reaches to either side of the middle of the street, in metres.",
        json_schema_extra=slot("amount", "Width"),
    )
    layers: Annotated[list[FeatureSet], Field(min_length=1, max_length=MAX_LAYERS)] = Field(
        description="Layers in a chain: features of the first that touch the strip, of the next that stand on those, and so on.",
        json_schema_extra=slot("place", "Layers", many=True),
    )


@dataclass(frozen=True)
class Touched:
    """Features of one layer that were found, with their shapes in the metric plane."""

    key: str
    title: str
    layer: Layer
    shapes: NDArray[np.object_]
    looked_at: int


class Alongside(Question):
    """The alongside question."""

    id = "alongside"
    title = "Alongside"
    description = (
        "What stands along the streets within a distance of an event: layers in a chain on a strip beside them."
    )
    opening = "What stands along"
    sentences = [
        (
            {},
            "What stands along the streets that a {mode} reaches within {distance} of {events}, on a strip of {width} to"
            " either side: {layers}?",
        )
    ]
    Inputs = AlongsideInputs
    outputs = {
        "streets": "Reached parts of streets with the distance at both ends, GeoJSON",
        "strip": "The strip beside them, GeoJSON",
        "events": "The events with their distance to the street, GeoJSON",
        "found": "What was found in the last layer, as rows",
    }

    @classmethod
    def outputs_for(cls, inputs: Any) -> dict[str, str]:
        """One collection for each layer besides."""
        assert isinstance(inputs, AlongsideInputs)
        return cls.outputs | {key: f"Features of layer {key} that were found, GeoJSON" for key in _keys(inputs.layers)}

    @classmethod
    def answer(cls, inputs: AlongsideInputs, context: Context) -> Answer:
        """One search for the streets, then one spatial join per layer."""
        events = context.places(inputs.events, "events")
        snapped = context.snap(events, "events")
        limit = round(inputs.distance * 1000)
        graph = context.network.graph
        context.progress.step(0.1, "Searching")
        found, reach = context.router.reach(snapped, "distance", inputs.direction, limit)
        parts = reached_parts(reach, limit)
        lines = cut_lines(graph, parts.link, parts.begin, parts.end, in_plane=True)
        context.progress.step(0.3, "Drawing the strip")
        strip = shapely.union_all(shapely.buffer(lines, inputs.width, cap_style="round", quad_segs=6))
        before, chain = np.array([strip], dtype=object), []
        for number, (wanted, key) in enumerate(zip(inputs.layers, _keys(inputs.layers), strict=True)):
            context.progress.step(0.4 + 0.5 * number / len(inputs.layers), f"Looking through {key}")
            chain.append(_touched(context, wanted, key, before, first=number == 0))
            before = chain[-1].shapes
        km = float(((parts.end - parts.begin) * graph.link_length[parts.link]).sum()) / 1000
        rows = _rows(context, chain[-1], parts, lines)
        counts = {touched.key: len(touched.layer) for touched in chain}
        doubts = context.doubts_of(events, snapped, "event") + context.doubts_of_reach(found, limit)
        drawn: dict[str, Any] = {
            touched.key: (lambda touched=touched: geojson.collection(touched.layer)) for touched in chain
        }
        return Answer(
            title=f"Along the streets within {inputs.distance:g} m of {events.words}",
            summary={
                "events": len(events),
                "street_km": round(km, 3),
                "strip_m2": round(float(strip.area)),
                "found": counts,
            },
            figures=[
                *(Figure(len(touched.layer), "", touched.title) for touched in chain[:2]),
                Figure(round(km, 2), "km", "of street reached"),
            ],
            doubts=doubts,
            method=[
                *context.notes,
                f"The strip reaches {inputs.width:g} m to either side of the middle of the streets, and round their ends.",
                "A feature of the first layer counts when it touches the strip; of each further layer, when it stands on one"
                " found before.",
            ],
            parts={
                "streets": lambda: _streets(context, parts, lines),
                "strip": lambda: geojson.collection(
                    Layer(graph.plane.unproject(np.array([strip], dtype=object)), {"width_m": [inputs.width]})
                ),
                "events": context.place_features(events, snapped, {}),
                **drawn,
                "found": rows,
            },
            table=("found", _columns(chain[-1])),
            chart={
                "kind": "bars",
                "title": "Found by layer",
                "x": {"label": "layer", "values": [touched.title for touched in chain]},
                "series": [{"label": "Features", "values": list(counts.values())}],
            },
        )


def _keys(layers: list[FeatureSet]) -> list[str]:
    """A name for the result of each layer: its id, numbered where it is taken."""
    keys: list[str] = []
    for number, wanted in enumerate(layers, start=1):
        own = wanted.layer if isinstance(wanted, LayerSet) else f"layer_{number}"
        taken = own in keys or own in OWN or own in FRAME or own == "found"
        keys.append(f"{own}_{number}" if taken else own)
    return keys


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


def _rows(context: Context, touched: Touched, parts: Parts, lines: NDArray[np.object_]) -> list[Json]:
    """Features of a layer as rows, each with its street and how far along the streets that lies."""
    if not len(touched.layer) or not len(lines):
        return []
    (feature, piece), away = shapely.STRtree(lines).query_nearest(
        touched.shapes, all_matches=False, return_distance=True
    )
    spot = shapely.get_point(shapely.shortest_line(lines[piece], touched.shapes[feature]), 0)
    share = shapely.line_locate_point(lines[piece], spot, normalized=True)
    along = parts.arrival_begin[piece] * (1 - share) + parts.arrival_end[piece] * share
    street = context.network.graph.tag("name").take(parts.link[piece]).decode()
    rows: list[Json] = []
    for i, name, metres, beside in zip(feature.tolist(), street, along / 1000, away, strict=True):
        own = {key: values[i] for key, values in touched.layer.columns.items()}
        rows.append({**own, "street": name, "along_m": round(float(metres), 1), "street_m": round(float(beside), 1)})
    return sorted(rows, key=lambda row: row["along_m"])


def _columns(touched: Touched) -> list[Column]:
    """The columns that matter: names first, then others of the layer, then the street."""
    known = [key for key in touched.layer.columns if key != "fid"]
    known.sort(key=lambda key: key.lower() not in LABEL_NAMES)
    shown = []
    for key in known[:SHOWN_FIELDS]:
        values = [value for value in touched.layer.columns[key] if value is not None]
        number = bool(values) and all(isinstance(v, int | float) and not isinstance(v, bool) for v in values)
        digits = None if not number else 0 if all(float(v).is_integer() for v in values) else 1
        shown.append(Column(key, key.replace("_", " ").capitalize(), "", digits))
    return [*shown, Column("street", "Street"), Column("along_m", "Along", "m", 0)]


def _streets(context: Context, parts: Parts, lines: NDArray[np.object_]) -> Json:
    graph = context.network.graph
    return geojson.collection(
        Layer(
            graph.plane.unproject(lines),
            {
                "link_id": graph.link_id[parts.link].tolist(),
                "name": graph.tag("name").take(parts.link).decode(),
                "from_m": np.round(np.minimum(parts.arrival_begin, parts.arrival_end) / 1000, 1).tolist(),
                "to_m": np.round(np.maximum(parts.arrival_begin, parts.arrival_end) / 1000, 1).tolist(),
                "length_m": np.round((parts.end - parts.begin) * graph.link_length[parts.link], 1).tolist(),
            },
        )
    )
