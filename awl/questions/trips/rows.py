"""What rows of trips have in common, by street and by public transport: their ends, and those that have no way."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from awl.core.routing.snapping import STATUS
from awl.io.table import Column, Table, Values
from awl.questions.results import Doubt
from awl.questions.spots import MOST_SPOTS, Spot
from awl.questions.trips.ends import Asked


def end_columns(asked: Asked, rows: NDArray[np.int64]) -> dict[str, Values]:
    """Number, begin and end of some trips, with how far these lie from their streets."""
    begin, end, street_m = asked.begin[rows], asked.end[rows], asked.snapped.distance_m
    return {
        "trip": rows + 1,
        "origin_id": [asked.stops.ids[i] for i in begin],
        "destination_id": [asked.stops.ids[i] for i in end],
        "origin": [asked.stops.names[i] for i in begin],
        "destination": [asked.stops.names[i] for i in end],
        "origin_row": begin,
        "destination_row": end,
        "origin_street_m": Column.of(street_m[begin], "m", 1),
        "destination_street_m": Column.of(street_m[end], "m", 1),
    }


def off_street_reason(asked: Asked, trip: int) -> str | None:
    """Which place of a trip stands on no street; None where all do."""
    legs = [*range(int(asked.first[trip]), int(asked.first[trip + 1]))]
    rows = [*asked.leg_from[legs].tolist(), int(asked.leg_to[legs[-1]])]
    unplaced = next((row for row in rows if not asked.snapped.is_snapped[row]), None)
    return None if unplaced is None else f"{asked.stops.names[unplaced]} is {STATUS[asked.snapped.status[unplaced]]}"


def lost_table(asked: Asked, lost: NDArray[np.int64], reasons: Mapping[int, str]) -> Table:
    """Trips without a way: the attributes of the feature they begin with, and why."""
    begin, end = asked.begin[lost], asked.end[lost]
    own = asked.stops.layer.take(begin).columns if (begin < len(asked.stops.layer)).all() else {}
    return Table(
        np.full(len(lost), None, object),
        {
            **own,
            "trip": lost + 1,
            "origin_id": [asked.stops.ids[i] for i in begin],
            "destination_id": [asked.stops.ids[i] for i in end],
            "origin": [asked.stops.names[i] for i in begin],
            "destination": [asked.stops.names[i] for i in end],
            "reason": [reasons[trip] for trip in lost.tolist()],
        },
    )


def lost_doubts(asked: Asked, lost: NDArray[np.int64], reasons: Mapping[int, str]) -> list[Doubt]:
    """That trips have no way, with where they begin; features that are no trips."""
    doubts = []
    if len(lost):
        text = f"{len(lost):,} of {len(asked):,} trips have no way, the first because {reasons[int(lost[0])]}."
        doubts.append(Doubt("trips-unreachable", "warning", len(lost), text, _where(asked, lost, reasons)))
    if asked.invalid:
        text = f"{len(asked.invalid):,} features left out: {asked.invalid[0]['reason']}."
        doubts.append(Doubt("features-invalid", "warning", len(asked.invalid), text))
    return doubts


def sampled_doubts(asked: Asked, most: int) -> list[Doubt]:
    """That these trips may be a sample, where there are as many as may be at most."""
    if len(asked) < most:
        return []
    text = f"At most {most:,} trips are made; where there are more, these are a sample spread evenly."
    return [Doubt("trips-sampled", "note", len(asked), text)]


def _where(asked: Asked, lost: NDArray[np.int64], reasons: Mapping[int, str]) -> tuple[Spot, ...]:
    stops = asked.stops
    ends = [(int(asked.begin[trip]), int(asked.end[trip]), reasons[trip]) for trip in lost[:MOST_SPOTS].tolist()]
    return tuple(
        Spot(f"{stops.names[a]} to {stops.names[b]}", reason, float(stops.lon[a]), float(stops.lat[a]))
        for a, b, reason in ends
    )
