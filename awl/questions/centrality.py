"""How central is each place among the others? Reach, gravity, closeness, betweenness and straightness within a radius."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field
from scipy.spatial import cKDTree

from awl.core.analysis.centrality import Centrality, Sums
from awl.core.graph.shapes import cut_lines
from awl.core.routing.snapping import Snapped
from awl.io import geojson
from awl.io.table import Layer
from awl.questions.access_measures import offer_of
from awl.questions.base import (
    Answer,
    Column,
    Doubt,
    FeatureSet,
    Figure,
    Json,
    Question,
    SharedInputs,
    check_limits,
    slot,
)
from awl.questions.context import Context, Places, limit_units, limit_word

Floats = NDArray[np.float64]
Index = Literal["reach", "gravity", "closeness", "betweenness", "straightness"]
INDICES: tuple[Index, ...] = ("reach", "gravity", "closeness", "betweenness", "straightness")
LEAST = 1e-9
"""A street with less of a trip on it is passed by none."""
CLASSES = 10


class CentralityInputs(SharedInputs):
    """Inputs of `centrality`."""

    places: FeatureSet = Field(
        description="The places, which are also what each is set against; polygons stand for their middle.",
        json_schema_extra=slot("place", "Places"),
    )
    radius: float = Field(
        600.0,
        description="Others up to so many metres count, or minutes where `measure` is `time`.",
        json_schema_extra=slot("amount", "Radius"),
    )
    measure: Literal["time", "distance"] = Field("distance", description="What the radius and the indices count.")
    indices: list[Index] = Field(
        list(INDICES),
        min_length=1,
        description="Which indices; the first leads the answer.",
        json_schema_extra=slot("way", "Indices", words={one: one for one in INDICES}),
    )
    weight: str | None = Field(
        None,
        description="A field of the places with what each counts for; null counts all alike.",
        json_schema_extra=slot("amount", "Weight"),
    )
    beta: float | None = Field(
        None,
        gt=0,
        description="How fast weight is lost for gravity: at a cost c a place counts exp(-beta c) of it, c in metres or minutes. "
        "Null: one half at half the radius.",
    )


class CentralityQuestion(Question):
    """The centrality question."""

    id = "centrality"
    title = "Centrality"
    description = "How central each building or place is among the others within a radius."
    opening = "How central"
    sentences = [
        ({}, "How central is each of {places} to a {mode}, among the others within {radius}, {weight}, by {indices}?")
    ]
    Inputs = CentralityInputs
    outputs = {
        "places": "Places with a field per index and the mean cost of the ways to the others, GeoJSON",
        "streets": "Streets with the trips between places that pass them, GeoJSON; only where betweenness is asked for",
    }

    @classmethod
    def answer(cls, inputs: CentralityInputs, context: Context) -> Answer:
        """One search from each place, on all cores."""
        asked = Asked(inputs, context)
        sums = asked.central.sums(progress=context.progress.part(0.1, 0.9))
        places, snapped = asked.places, asked.snapped
        columns = {name: _plain(values) for name, values in asked.columns(sums).items()}
        lead = inputs.indices[0]
        values = np.where(snapped.found, of_index(lead, sums, inputs.measure), np.nan)
        best = int(np.nanargmax(values))
        within = limit_word(inputs.radius, inputs.measure)
        lone = int((sums.reached[snapped.found] == 0).sum())
        busiest = int(np.argmax(sums.on_link))
        through = "betweenness" in inputs.indices
        return Answer(
            title=f"Centrality of {places.words} within {within}, {context.mode.title.lower()}",
            summary={
                "places": len(places),
                "places_used": int(snapped.found.sum()),
                f"radius_{'min' if inputs.measure == 'time' else 'm'}": inputs.radius,
                f"beta_per_{'min' if inputs.measure == 'time' else 'm'}": asked.beta,
                "mean_reach": _mean(sums.reached),
                f"mean_cost_{'min' if inputs.measure == 'time' else 'm'}": _mean(sums.mean_cost),
                **{f"highest_{one}": float(np.nanmax(of_index(one, sums, inputs.measure))) for one in inputs.indices},
                "places_alone": lone,
            },
            figures=[
                Figure(
                    _mean(sums.reached, 1),
                    "",
                    f"reached within {within}, mean" + (" of weights" if inputs.weight else ""),
                ),
                Figure(places.names[best] if values[best] > 0 else None, "", f"has the highest {lead}"),
                Figure(
                    context.street_name(busiest) if sums.on_link[busiest] > LEAST else None,
                    "",
                    "is passed by most of their trips",
                )
                if through
                else Figure(lone, "", "places that reach no other"),
            ],
            doubts=[*context.doubts_of(places, snapped), *_doubts(asked, lone, within), *context.doubts_of_mode()],
            method=[*context.notes, *_method(inputs, asked.beta)],
            parts={
                "places": lambda: context.place_features(places, snapped, columns),
                **({"streets": lambda: _streets(context, sums)} if through else {}),
            },
            table=("places", _shown(inputs)),
            chart=_spread(lead, values),
        )


class Asked:
    """What a question of centrality asks for, checked: places on streets, their weights, and the search that is ready."""

    def __init__(self, inputs: CentralityInputs, context: Context) -> None:
        check_limits([inputs.radius], inputs.measure, "radius")
        self.inputs, self.context = inputs, context
        self.places: Places = context.places(inputs.places)
        self.snapped: Snapped = context.snap(self.places)
        self.beta = inputs.beta if inputs.beta is not None else math.log(2) / (inputs.radius / 2)
        self.central = Centrality(
            context.router, self.snapped, inputs.measure, limit_units(inputs.radius, inputs.measure),
            offer_of(self.places, inputs.weight, "weight"), self.beta,
        )  # fmt: skip

    def columns(self, sums: Sums) -> dict[str, Floats]:
        """A field per index, and the mean cost of the ways (k,); NaN where there is none."""
        unit = "min" if self.inputs.measure == "time" else "m"
        made: dict[str, Floats] = {one: of_index(one, sums, self.inputs.measure) for one in self.inputs.indices}
        return {**made, f"mean_cost_{unit}": sums.mean_cost}


def of_index(index: Index, sums: Sums, measure: str) -> Floats:
    """The values (k,) of an index; closeness per hour or kilometre, for it is small."""
    return {
        "reach": sums.reached,
        "gravity": sums.gravity,
        "closeness": sums.closeness * (60 if measure == "time" else 1000),
        "betweenness": sums.passing,
        "straightness": sums.straight,
    }[index]


def _plain(values: Floats) -> list[float | None]:
    """Numbers to six figures; null where there is none."""
    return [float(f"{v:.6g}") if math.isfinite(v) else None for v in values.tolist()]


def _mean(values: Floats, digits: int = 3) -> float | None:
    known = values[np.isfinite(values)]
    return round(float(known.mean()), digits) if len(known) else None


def _method(inputs: CentralityInputs, beta: float) -> list[str]:
    within = limit_word(inputs.radius, inputs.measure)
    unit, long = ("minute", "hour") if inputs.measure == "time" else ("metre", "kilometre")
    worth = f"its '{inputs.weight}'" if inputs.weight else "one"
    said = {
        "reach": "Reach: the weights of the others, summed.",
        "gravity": f"Gravity: weights by exp(-{beta:.4g} x {unit}s) (Hansen 1959).",
        "closeness": f"Closeness: one over the sum of {long}s to the others, each by its weight (Sabidussi 1966).",
        "betweenness": "Betweenness: trips between two others on a best way that passes the place, each by the weight of its "
        "destination; of several best ways each has its share (Freeman 1977).",
        "straightness": "Straightness: crow-fly distance over distance along the way, by weight (Porta and others 2006).",
    }
    return [
        f"Others are those places that lie within {within}; each counts {worth}.",
        "Places count where they stand on their street; the way from the door to it does not.",
        *[said[one] for one in inputs.indices],
    ]


def _doubts(asked: Asked, lone: int, within: str) -> list[Doubt]:
    doubts = []
    if lone:
        verb = "place reaches" if lone == 1 else "places reach"
        doubts.append(Doubt("places-alone", "note", lone, f"{lone:,} {verb} no other within {within}."))
    edge = _near_the_edge(asked)
    if edge:
        verb = "place lies" if edge == 1 else "places lie"
        text = f"{edge:,} {verb} within the radius of where streets were cut off, and may be more central than is said here."
        doubts.append(Doubt("near-the-edge", "warning", edge, text))
    if "closeness" in asked.inputs.indices:
        text = "Who reaches few others has a short sum and so a high closeness: read it beside reach or the mean way."
        doubts.append(Doubt("closeness-of-few", "note", int(asked.snapped.found.sum()), text))
    return doubts


def _near_the_edge(asked: Asked) -> int:
    """How many places lie, as the crow flies, within the radius of a street that was cut at the edge."""
    graph, inputs = asked.context.network.graph, asked.inputs
    border = np.flatnonzero(graph.node_border)
    found = asked.snapped.found
    if len(border) == 0:
        return 0
    metres = inputs.radius if inputs.measure == "distance" else inputs.radius * asked.context.mean_speed_kmh / 3.6 * 60
    tree = cKDTree(np.column_stack(graph.plane.xy(graph.node_lon[border], graph.node_lat[border])))
    at = np.column_stack(graph.plane.xy(asked.places.lon[found], asked.places.lat[found]))
    return int((tree.query(at)[0] <= metres).sum())


def _shown(inputs: CentralityInputs) -> list[Column]:
    unit = "min" if inputs.measure == "time" else "m"
    looks: dict[str, Column] = {
        "reach": Column("reach", "Reach", "", 0),
        "gravity": Column("gravity", "Gravity", "", 1),
        "closeness": Column("closeness", "Closeness", "1/h" if unit == "min" else "1/km", 4),
        "betweenness": Column("betweenness", "Betweenness", "", 0),
        "straightness": Column("straightness", "Straightness", "", 1),
    }
    mean = Column(f"mean_cost_{unit}", "Mean way", unit, 1 if inputs.measure == "time" else 0)
    return [Column("name", "Place"), *[looks[one] for one in inputs.indices], mean]


def _spread(index: str, values: Floats) -> Json:
    """How many places have how much of an index."""
    known = values[np.isfinite(values)]
    count, edges = np.histogram(known, CLASSES, (0, float(known.max(initial=0)) or 1.0))
    return {
        "kind": "bars",
        "title": f"Places by {index}",
        "x": {"label": index, "values": [f"{edge:.3g}" for edge in edges[:-1]]},
        "series": [{"label": "Places from there on", "values": count.tolist()}],
    }


def _streets(context: Context, sums: Sums) -> Json:
    """Streets with the trips between places that pass them, in the mean along each."""
    graph = context.network.graph
    links = np.flatnonzero(sums.on_link > LEAST)
    lines = cut_lines(graph, links.astype(np.int32), np.zeros(len(links)), np.ones(len(links)))
    columns = {
        "link_id": graph.link_id[links].tolist(),
        "name": graph.tag("name").take(links).decode(),
        "trips": _plain(sums.on_link[links]),
        "length_m": np.round(graph.link_length[links], 1).tolist(),
    }
    return geojson.collection(Layer(lines, columns))
