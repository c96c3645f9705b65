"""How long from each to each? Travel times and distances between two sets of places."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.core.routing.dijkstra.search import NO_LIMIT, UNREACHED
from awl.core.routing.snapping import Snapped
from awl.io.table import Indexed, Rows
from awl.questions import frozen_hour
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
from awl.questions.charts import histogram
from awl.questions.context import Context, Places, limit_units
from awl.questions.matrix_hours import (
    MOST_HOURS,
    checked_hours,
    hour_columns,
    hours_chart,
    mean_minutes,
    name_of,
    slowest,
    times_at,
)

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
    hours: list[Annotated[int, Field(ge=0, le=23)]] = Field(
        [],
        max_length=MOST_HOURS,
        description="Further hours of the day of `at`, 0 to 23: the time of each pair at those hours as well.",
        json_schema_extra=slot("time", "Further hours"),
    )


@dataclass(frozen=True)
class Sides:
    """Starts and ends of a matrix, put on streets."""

    starts: Places
    ends: Places
    from_street: Snapped
    to_street: Snapped
    measure: str
    limit: int

    def pairs(
        self, context: Context, rows: NDArray[np.integer], threads: int | None = None, progress: Progress | None = None
    ) -> tuple[NDArray[np.integer], NDArray[np.integer], NDArray[np.float64], NDArray[np.float64]]:
        """Rows of the start and of the end, time in s and distance in m of each pair with a way, for some of the starts."""
        part = self.from_street.take(rows)
        cost, carried = context.router.matrix(part, self.to_street, self.measure, self.limit, threads, progress)
        reached = cost != UNREACHED
        s = np.repeat(rows.astype(np.int32), np.count_nonzero(reached, axis=1))
        t = np.broadcast_to(np.arange(len(self.ends), dtype=np.int32), cost.shape)[reached]
        own, other = cost[reached] / 1000, carried[reached] / 1000
        return (s, t, own, other) if self.measure == "time" else (s, t, other, own)

    def columns(self, context: Context, rows: NDArray[np.integer], threads: int) -> dict[str, Any]:
        """The pairs of some of the starts as columns of a table."""
        s, t, duration, distance = self.pairs(context, rows, threads)
        return {
            "origin_id": [self.starts.ids[i] for i in s.tolist()],
            "destination_id": [self.ends.ids[i] for i in t.tolist()],
            "duration_s": duration,
            "distance_m": distance,
        }


def sides_of(inputs: MatrixInputs, context: Context) -> Sides:
    """Check the inputs of a matrix and put its places on streets."""
    if inputs.limit is not None:
        check_limits([inputs.limit], inputs.measure, "limit")
    starts, ends = context.places(inputs.from_, "from"), context.places(inputs.to, "to")
    limit = int(NO_LIMIT) if inputs.limit is None else limit_units(inputs.limit, inputs.measure)
    return Sides(starts, ends, context.snap(starts, "from"), context.snap(ends, "to"), inputs.measure, limit)


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
    outputs = {
        "rows": "One row per reached pair: origin_id, destination_id, duration_s, distance_m; at hours duration_s_07 ..."
    }

    @classmethod
    def answer(cls, inputs: MatrixInputs, context: Context) -> Answer:
        """Costs from all starts to all ends at once."""
        hours = checked_hours(inputs.hours, context.when, inputs.measure) if inputs.hours else []
        sides = sides_of(inputs, context)
        starts, ends, from_street, to_street = sides.starts, sides.ends, sides.from_street, sides.to_street
        if len(starts) * len(ends) * (1 + len(hours)) > MAX_PAIRS:
            at_hours = f" at {1 + len(hours)} hours" if hours else ""
            raise AwlError(
                f"{len(starts):,} starts and {len(ends):,} ends{at_hours} make more than {MAX_PAIRS:,} pairs",
                remedy="Filter one of the layers, or have them written in blocks: awl ask matrix ... --workers local:2",
                inputs=("from", "to"),
            )
        context.prepare_for(len(starts))
        s, t, duration, distance = sides.pairs(
            context, np.arange(len(starts)), progress=context.progress.part(0.05, 0.5 if hours else 0.9)
        )
        by_hour = times_at(context, hours, from_street, to_street)[:, s, t] if hours else np.zeros((0, len(s)))
        missing = int(from_street.found.sum()) * int(to_street.found.sum()) - len(s)
        doubts = [
            *context.doubts_of(starts, from_street, "start"),
            *context.doubts_of(ends, to_street, "end"),
            *context.doubts_of_mode(),
        ]
        if missing:
            why = "no way or beyond the limit" if inputs.limit is not None else "no way between them"
            doubts.append(Doubt("pairs-unreached", "warning", missing, f"{missing:,} pairs are left out: {why}."))

        def rows() -> Rows:
            columns: dict[str, Indexed | NDArray[np.float64]] = {
                "origin_id": Indexed(starts.ids, s),
                "destination_id": Indexed(ends.ids, t),
                "origin": Indexed(starts.names, s),
                "destination": Indexed(ends.names, t),
                "duration_s": duration,
                "distance_m": distance,
            }
            return Rows(columns | {name_of(hour): then for hour, then in zip(hours, by_hour, strict=True)})

        # Of places among themselves those to themselves say nothing.
        apart = s != t if inputs.from_ == inputs.to else slice(None)
        minutes = duration[apart] / 60
        mean = float(minutes.mean()) if len(minutes) else None
        spread = histogram(minutes, "Pairs")
        means = mean_minutes(by_hour[:, apart])
        mean_by_hour = {"mean_duration_min_by_hour": dict(zip(map(str, hours), means, strict=True))} if hours else {}
        return Answer(
            title=f"{context.mode.title}, {starts.words} to {ends.words}",
            summary={
                "starts": len(starts),
                "ends": len(ends),
                "pairs": len(s),
                "pairs_unreached": missing,
                "mean_duration_min": None if mean is None else round(mean, 2),
                **mean_by_hour,
            },
            figures=[
                Figure(None if mean is None else round(mean, 1), "min", "mean time of a pair"),
                *slowest(hours, means),
                Figure(round(float(duration.max()) / 60, 1) if len(s) else None, "min", "longest"),
                Figure(len(s), "", "pairs with a way"),
            ],
            doubts=doubts,
            method=[
                *context.notes,
                *frozen_hour.of_pairs(context, inputs.measure, from_street, to_street, (s, t)),
            ],
            parts={"rows": rows},
            table=(
                "rows",
                [
                    Column("origin", "From"),
                    Column("destination", "To"),
                    Column("duration_s", "Time", "s", 0),
                    *hour_columns(hours),
                    Column("distance_m", "Distance", "m", 0),
                ],
            ),
            chart=hours_chart(hours, means) if hours else spread,
            charts=[spread] if hours and spread else [],
        )
