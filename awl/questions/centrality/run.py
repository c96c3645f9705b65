"""How centrality is computed: one search from each place, on all cores."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from awl.core.analysis.centrality import Centrality, Sums
from awl.core.analysis.centrality_by_transit import TransitCentrality
from awl.core.errors import AwlError
from awl.core.graph.shapes import cut_lines
from awl.core.routing.snapping import Snapped
from awl.io.table import Column, Meaning, Table
from awl.questions.centrality.inputs import CentralityInputs, Index
from awl.questions.context import Context, Places, limit_units, limit_word
from awl.questions.inputs import Json, check_limits
from awl.questions.offers import offer_of
from awl.questions.reach_areas import limit_unit
from awl.questions.results import Doubt, Result

Floats = NDArray[np.float64]
BY_TRANSIT = ("reach", "gravity", "closeness")
"""Indices that rest on times alone; the others need the one way that a pair takes."""
LEAST = 1e-9
"""A street with less of a trip on it is passed by none."""


@dataclass
class CentralityResult(Result):
    """Indices of places.

    Attributes:
        mode: the title of the mode.
        words, kind: what the places are called together, and one of them where they are those of a layer.
        most_central: the name of the place with the highest value of the leading index.
        busiest: the street that most trips pass, None where none does.
        values: the leading index (k,), NaN for places left out.
        indices: the indices that are told.
    """

    mode: str
    words: str
    kind: str | None
    most_central: str | None
    busiest: str | None
    values: Floats
    indices: list[Index]


def run_centrality(inputs: CentralityInputs, context: Context) -> CentralityResult:
    """Indices over all pairs of places within the radius."""
    asked = Asked(inputs, context)
    sums = asked.central.sums(progress=context.progress.part(0.1, 0.9))
    places, snapped, unit = asked.places, asked.snapped, limit_unit(inputs.measure)
    values = np.where(snapped.is_snapped, of_index(asked.indices[0], sums, inputs.measure), np.nan)
    best, busiest = int(np.nanargmax(values)), int(np.argmax(sums.on_link))
    within = limit_word(inputs.radius, inputs.measure)
    alone = int((sums.reached[snapped.is_snapped] == 0).sum())
    summary: Json = {
        "places": len(places),
        "places_used": int(snapped.is_snapped.sum()),
        f"radius_{unit}": inputs.radius,
        f"beta_per_{unit}": asked.beta,
        "mean_reach": _mean(sums.reached),
        f"mean_cost_{unit}": _mean(sums.mean_cost),
        **{f"highest_{index}": float(np.nanmax(of_index(index, sums, inputs.measure))) for index in asked.indices},
        "places_alone": alone,
    }
    streets = {"streets": lambda: _streets(context, sums)} if "betweenness" in asked.indices else {}
    return CentralityResult(
        summary=summary,
        parts={"places": lambda: context.place_table(places, snapped, asked.columns(sums)), **streets},
        doubts=[
            *context.doubts_of(places, snapped),
            *_doubts(asked, alone, within),
            *context.findings_within(snapped, inputs.measure, limit_units(inputs.radius, inputs.measure)),
            *context.doubts_of_mode(),
        ],
        method=[*context.notes, *_method(asked)],
        mode=context.mode.title,
        words=places.words,
        kind=places.kind,
        most_central=places.names[best] if values[best] > 0 else None,
        busiest=context.street_name(busiest) if sums.on_link[busiest] > LEAST else None,
        values=values,
        indices=asked.indices,
    )


class Asked:
    """What a question of centrality asks for, checked: places on streets, their weights, and the search that is ready."""

    def __init__(self, inputs: CentralityInputs, context: Context) -> None:
        check_limits([inputs.radius], inputs.measure, "radius")
        self.inputs, self.context = inputs, context
        self.places: Places = context.places(inputs.places)
        self.snapped: Snapped = context.snap(self.places)
        self.beta = inputs.beta if inputs.beta is not None else math.log(2) / (inputs.radius / 2)
        weight, radius = offer_of(self.places, inputs.weight, "weight"), limit_units(inputs.radius, inputs.measure)
        self.central: Centrality | TransitCentrality
        if context.transit is None:
            self.central = Centrality(context.street_router, self.snapped, inputs.measure, radius, weight, self.beta)
        else:
            context.transit.check_measure(inputs.measure)
            self.central = TransitCentrality(context.transit, self.snapped, radius, weight, self.beta)
        self.indices: list[Index] = usable_indices(inputs, context.transit is not None)

    def columns(self, sums: Sums) -> dict[str, Column]:
        """A field per index, and the mean cost of the paths (k,)."""
        unit = limit_unit(self.inputs.measure)
        by_index: dict[str, Column] = {
            index: Column.of(_six_figures(of_index(index, sums, self.inputs.measure)), meaning=Meaning(index))
            for index in self.indices
        }
        return {
            **by_index,
            f"mean_cost_{unit}": Column.of(_six_figures(sums.mean_cost), unit, meaning=Meaning("mean_cost")),
        }


def usable_indices(inputs: CentralityInputs, by_transit: bool) -> list[Index]:
    """The indices that can be told; raises where none of them can."""
    usable = [index for index in inputs.indices if not by_transit or index in BY_TRANSIT]
    if not usable:
        raise AwlError(
            f"By public transport there is no {' and no '.join(inputs.indices)}",
            remedy=f"Ask for {', '.join(BY_TRANSIT)}; the load on lines is told by the question trips",
            inputs=("indices",),
            kind="not-by-transit",
        )
    return usable


def of_index(index: Index, sums: Sums, measure: str) -> Floats:
    """The values (k,) of an index; closeness per hour or kilometre, for it is small."""
    return {
        "reach": sums.reached,
        "gravity": sums.gravity,
        "closeness": sums.closeness * (60 if measure == "time" else 1000),
        "betweenness": sums.passing,
        "straightness": sums.straight,
    }[index]


def _six_figures(values: Floats) -> Floats:
    """Numbers to six figures, NaN where there is none: indices have no decimals in common."""
    finite = np.isfinite(values) & (values != 0)
    scale = 10.0 ** (5 - np.floor(np.log10(np.abs(values, where=finite, out=np.ones(len(values))))))
    return np.where(finite, np.round(values * scale) / scale, np.where(values == 0, 0.0, np.nan))


def _mean(values: Floats, digits: int = 3) -> float | None:
    known = values[np.isfinite(values)]
    return round(float(known.mean()), digits) if len(known) else None


def _method(asked: Asked) -> list[str]:
    inputs, beta = asked.inputs, asked.beta
    within = limit_word(inputs.radius, inputs.measure)
    unit, long = ("minute", "hour") if inputs.measure == "time" else ("metre", "kilometre")
    worth = f"its '{inputs.weight}'" if inputs.weight else "one"
    explained = {
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
        *[explained[index] for index in asked.indices],
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
    left_out = [index for index in asked.inputs.indices if index not in asked.indices]
    if left_out:
        text = f"By public transport {' and '.join(left_out)} are not told: a pair has no one way over a window."
        doubts.append(Doubt("indices-left-out", "note", len(left_out), text))
    if "closeness" in asked.indices:
        text = (
            "A place that reaches few others has a short sum and therefore a high closeness: read it together with reach or the"
            " mean distance."
        )
        doubts.append(Doubt("closeness-of-few", "note", int(asked.snapped.is_snapped.sum()), text))
    return doubts


def _near_the_edge(asked: Asked) -> int:
    """How many places lie, as the crow flies, within the radius of a street that was cut at the edge."""
    graph, inputs = asked.context.network.graph, asked.inputs
    border = np.flatnonzero(graph.node_border)
    on_street = asked.snapped.is_snapped
    if len(border) == 0:
        return 0
    metres = inputs.radius if inputs.measure == "distance" else inputs.radius * asked.context.mean_speed_kmh / 3.6 * 60
    tree = cKDTree(np.column_stack(graph.plane.xy(graph.node_lon[border], graph.node_lat[border])))
    at = np.column_stack(graph.plane.xy(asked.places.lon[on_street], asked.places.lat[on_street]))
    return int((tree.query(at)[0] <= metres).sum())


def _streets(context: Context, sums: Sums) -> Table:
    """Streets with the trips between places that pass them, in the mean along each."""
    graph = context.network.graph
    links = np.flatnonzero(sums.on_link > LEAST)
    lines = cut_lines(graph, links.astype(np.int32), np.zeros(len(links)), np.ones(len(links)))
    return Table(
        lines,
        {
            "link_id": graph.link_id[links],
            "name": graph.tag("name").take(links),
            "trips": Column.of(_six_figures(sums.on_link[links]), meaning=Meaning("trips")),
            "length_m": Column.of(graph.link_length[links], "m", 1),
        },
    )
