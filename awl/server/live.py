"""How far one gets while an origin is dragged or a street is drawn: arrays for the map, answered at once. Awl's own."""

from __future__ import annotations

from typing import Any

import numpy as np
from flask import Blueprint, Response
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict

from awl.core.network.costs import BLOCKED
from awl.core.routing.dijkstra.plain import costs_of
from awl.core.routing.dijkstra.search import UNREACHED
from awl.core.routing.reach import links_come_to, splits_of
from awl.io import edit_documents
from awl.questions import QUESTIONS
from awl.questions.context import Context, limit_units
from awl.questions.inputs import check_limits
from awl.questions.isochrone.inputs import IsochroneInputs
from awl.server.web import body, checked, packed, study_of
from awl.study import what_ifs
from awl.study.sketched import Sketched, sketched

api = Blueprint("live", __name__)


class LiveBody(BaseModel):
    """The words of an isochrone question, and streets that are being drawn: edits nobody has made yet."""

    model_config = ConfigDict(extra="forbid")
    inputs: dict[str, Any]
    edits: Any = None


@api.post("/studies/<study_id>/live/reach")
def live_reach(study_id: str) -> Response:
    """Arrivals at both ends of the links come to for the words of an isochrone question, as arrays: for dragging and drawing.

    Their rows, the arrivals at begin and end, the cost of passing them each way; links, fractions and arrivals at places between
    their ends; a bit for each link there is, set where nobody may pass. With `edits`, as it would be after these, at the links
    there are before.
    """
    study, wanted = study_of(study_id), checked(LiveBody, body())
    inputs = QUESTIONS["isochrone"].parse(wanted.inputs)
    assert isinstance(inputs, IsochroneInputs)
    if wanted.edits is None:
        return _packed(Context(study, inputs), inputs, None)
    base = what_ifs.variant(study, inputs.what_ifs)
    sketch = sketched(base, edit_documents.parsed(wanted.edits))
    try:
        return _packed(Context(sketch.study, inputs.model_copy(update={"what_if": None})), inputs, sketch)
    finally:
        base.hold_sketch(sketch.last)


def _packed(context: Context, inputs: IsochroneInputs, sketch: Sketched | None) -> Response:
    places = context.places(inputs.places)
    snapped = context.snap(places)
    network = context.network
    limit = limit_units(max(check_limits(inputs.limits, inputs.measure)), inputs.measure)
    begins, arrivals = context.router.begun(snapped, inputs.measure, inputs.direction, limit)
    costs, splits = network.link_costs(inputs.measure, inputs.direction), splits_of(network, begins, arrivals)
    up, down = (
        cost if network.closed is None else np.where(network.closed, BLOCKED, cost) for cost in (costs.up, costs.down)
    )
    split_link, fraction = splits.link.astype(float), splits.fraction
    rows = links_come_to(network, splits, arrivals)
    if sketch is None:
        begin, end = (costs_of(labels) for labels in arrivals.at_ends(rows))
    else:
        begin, end = (costs_of(labels) for labels in arrivals.at_ends(np.arange(network.graph.link_count)))
        split_link = sketch.base_row[splits.link].astype(float)
        fraction = sketch.offset[splits.link] + fraction * sketch.share[splits.link]
        begin, end = _at(sketch.begin_row, begin, UNREACHED), _at(sketch.end_row, end, UNREACHED)
        up, down = (_unbroken(sketch, cost) for cost in (up, down))
        come_to = np.minimum(begin, end) < UNREACHED
        come_to[split_link[split_link >= 0].astype(int)] = True
        rows = np.flatnonzero(come_to & (np.maximum(up, down) >= 0)).astype(np.int32)
        begin, end = begin[rows], end[rows]
    is_known = split_link >= 0
    return packed(
        {"places": len(places), "used": int(snapped.is_snapped.sum()), "links": len(up)},
        rows,
        begin,
        end,
        up[rows].astype(np.int32),
        down[rows].astype(np.int32),
        np.concatenate([split_link[is_known], fraction[is_known], splits.arrival[is_known]]),
        np.packbits(np.maximum(up, down) < 0, bitorder="little"),
    )


def _at(rows: NDArray[np.int64], values: NDArray[Any], absent: Any) -> NDArray[Any]:
    """Values at rows, another where there is none."""
    return np.where(rows < 0, absent, values[rows]).astype(values.dtype)


def _unbroken(sketch: Sketched, cost: NDArray[np.int32]) -> NDArray[np.int32]:
    """Costs along whole links from those along the first of their pieces."""
    first = _at(sketch.begin_row, cost, BLOCKED)
    return np.where(
        first >= 0, np.rint(first / np.where(first >= 0, sketch.share[sketch.begin_row], 1.0)), first
    ).astype(np.int32)
