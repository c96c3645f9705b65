"""How long from each to each? Travel times and distances between two sets of places."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from pydantic import Field

from awl.core.engine.dijkstra import NO_LIMIT, UNREACHED
from awl.core.engine.query import matrix
from awl.core.errors import AwlError
from awl.questions.base import (
    MEASURE_WORDS,
    Answer,
    Column,
    Doubt,
    FeatureSet,
    Figure,
    Question,
    SharedInputs,
    check_limits,
    slot,
)
from awl.questions.context import Context, limit_units

MAX_PAIRS = 4_000_000


class MatrixInputs(SharedInputs):
    """Inputs of `matrix`."""

    from_: FeatureSet = Field(alias="from", description="Starts.", json_schema_extra=slot("place", "From"))
    to: FeatureSet = Field(description="Ends.", json_schema_extra=slot("place", "To"))
    measure: Literal["time", "distance"] = Field(
        "time", description="What is least.", json_schema_extra=slot("way", "Least", words=MEASURE_WORDS)
    )
    limit: float | None = Field(
        None,
        description="Minutes (metres where `measure` is `distance`) beyond which pairs are left out; null for none.",
        json_schema_extra=slot("amount", "Up to"),
    )


class Matrix(Question):
    """The matrix question."""

    id = "matrix"
    title = "Travel-time matrix"
    description = "Times and distances from every start to every end."
    opening = "How long"
    sentences = [
        ({"limit": None}, "How long does a {mode} take from each of {from} to each of {to}, {measure} way, {limit}?"),
        ({}, "How long does a {mode} take from each of {from} to each of {to}, {measure} way, {limit}?"),
    ]
    Inputs = MatrixInputs
    outputs = {"rows": "One row per reached pair: origin_id, destination_id, duration_s, distance_m"}

    @classmethod
    def answer(cls, inputs: MatrixInputs, context: Context) -> Answer:
        """One search per start, ended when all ends are settled."""
        if inputs.limit is not None:
            check_limits([inputs.limit], inputs.measure)
        starts, ends = context.places(inputs.from_, "from"), context.places(inputs.to, "to")
        if len(starts) * len(ends) > MAX_PAIRS:
            raise AwlError(
                f"{len(starts):,} starts and {len(ends):,} ends make more than {MAX_PAIRS:,} pairs",
                remedy="Filter one of the layers",
                inputs=("from", "to"),
            )
        from_street, to_street = context.snap(starts, "from"), context.snap(ends, "to")
        limit = int(NO_LIMIT) if inputs.limit is None else limit_units(inputs.limit, inputs.measure)
        cost, carried = matrix(
            context.network, from_street, to_street, inputs.measure, limit, progress=context.progress.part(0.05, 0.9)
        )
        s, t = np.nonzero(cost != UNREACHED)
        own, other = cost[s, t] / 1000, carried[s, t] / 1000
        duration, distance = (own, other) if inputs.measure == "time" else (other, own)
        missing = int(from_street.found.sum()) * int(to_street.found.sum()) - len(s)
        doubts = [
            *context.doubts_of(starts, from_street, "start"),
            *context.doubts_of(ends, to_street, "end"),
            *context.doubts_of_mode(),
        ]
        if missing:
            why = "no way or beyond the limit" if inputs.limit is not None else "no way between them"
            doubts.append(Doubt("pairs-unreached", "warning", missing, f"{missing:,} pairs are left out: {why}."))

        def rows() -> list[dict[str, Any]]:
            return [
                {
                    "origin_id": starts.ids[a],
                    "destination_id": ends.ids[b],
                    "origin": starts.names[a],
                    "destination": ends.names[b],
                    "duration_s": round(time, 3),
                    "distance_m": round(metres, 3),
                }
                for a, b, time, metres in zip(s.tolist(), t.tolist(), duration.tolist(), distance.tolist(), strict=True)
            ]

        apart = s != t if inputs.from_ == inputs.to else np.ones(len(s), bool)
        mean = float(duration[apart].mean() / 60) if apart.any() else None
        return Answer(
            title=f"{context.mode.title}, {starts.words} to {ends.words}",
            summary={
                "starts": len(starts),
                "ends": len(ends),
                "pairs": len(s),
                "pairs_unreached": missing,
                "mean_duration_min": None if mean is None else round(mean, 2),
            },
            figures=[
                Figure(None if mean is None else round(mean, 1), "min", "mean time of a pair"),
                Figure(round(float(duration.max()) / 60, 1) if len(s) else None, "min", "longest"),
                Figure(len(s), "", "pairs with a way"),
            ],
            doubts=doubts,
            method=[*context.notes],
            parts={"rows": rows},
            table=(
                "rows",
                [
                    Column("origin", "From"),
                    Column("destination", "To"),
                    Column("duration_s", "Time", "s", 0),
                    Column("distance_m", "Distance", "m", 0),
                ],
            ),
            chart=_histogram(duration[apart] / 60),
        )


def _histogram(minutes: Any) -> dict[str, Any] | None:
    """Pairs by minutes in at most twelve classes."""
    if len(minutes) < 2:
        return None
    top = float(minutes.max())
    step = next((s for s in (1, 2, 5, 10, 15, 30, 60, 120, 240) if top / s <= 12), top / 12)
    edges = np.arange(0, top + step, step)
    counts, _ = np.histogram(minutes, edges)
    return {
        "kind": "bars",
        "title": "Pairs by minutes",
        "x": {"label": "minutes", "values": [f"{a:g} to {a + step:g}" for a in edges[:-1]]},
        "series": [{"label": "Pairs", "values": counts.tolist()}],
    }
