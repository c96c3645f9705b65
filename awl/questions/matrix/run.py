"""How a matrix is computed: costs from all starts to all ends at once."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.core.routing.dijkstra.search import NO_LIMIT, UNREACHED
from awl.core.routing.snapping import Snapped
from awl.core.transit.window import Spread
from awl.io.table import Column, Indexed, Meaning, Table, Values
from awl.questions import static_speeds
from awl.questions.context import Context, Places, limit_units
from awl.questions.hours import checked_hours
from awl.questions.inputs import Json, check_limits
from awl.questions.matrix.by_hour import hour_field, mean_minutes, times_at
from awl.questions.matrix.inputs import MatrixInputs
from awl.questions.on_the_way import findings_on
from awl.questions.results import Doubt, Result

MAX_PAIRS = 4_000_000


@dataclass(frozen=True)
class MatrixEnds:
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
        cost, accumulated = context.router.matrix(part, self.to_street, self.measure, self.limit, threads, progress)
        reached = cost != UNREACHED
        s = np.repeat(rows.astype(np.int32), np.count_nonzero(reached, axis=1))
        t = np.broadcast_to(np.arange(len(self.ends), dtype=np.int32), cost.shape)[reached]
        own, other = cost[reached] / 1000, accumulated[reached] / 1000
        if context.transit is not None:
            other = np.full(len(own), np.nan)
        return (s, t, own, other) if self.measure == "time" else (s, t, other, own)

    def table(self, context: Context, rows: NDArray[np.integer], threads: int) -> Table:
        """The pairs of some of the starts, by the ids of their ends."""
        s, t, duration, distance = self.pairs(context, rows, threads)
        return pair_table(self, s, t, duration, distance)


def pair_table(
    matrix_ends: MatrixEnds,
    s: NDArray[np.integer],
    t: NDArray[np.integer],
    duration: NDArray[np.float64],
    distance: NDArray[np.float64],
) -> Table:
    """Pairs by the rows of their ends, with time in s and distance in m."""
    # By public transport no distance goes with a time: other departures go other ways.
    known = not len(distance) or np.isfinite(distance).any()
    return Table(
        None,
        {
            "origin_id": Indexed(matrix_ends.starts.ids, s),
            "destination_id": Indexed(matrix_ends.ends.ids, t),
            "duration_s": Column.of(duration, "s", 3, Meaning("duration")),
            **({"distance_m": Column.of(distance, "m", 3, Meaning("distance"))} if known else {}),
        },
    )


def matrix_ends_of(inputs: MatrixInputs, context: Context) -> MatrixEnds:
    """Check the inputs of a matrix and put its places on streets."""
    if inputs.limit is not None:
        check_limits([inputs.limit], inputs.measure, "limit")
    starts, ends = context.places(inputs.from_, "from"), context.places(inputs.to, "to")
    limit = int(NO_LIMIT) if inputs.limit is None else limit_units(inputs.limit, inputs.measure)
    return MatrixEnds(starts, ends, context.snap(starts, "from"), context.snap(ends, "to"), inputs.measure, limit)


@dataclass
class MatrixResult(Result):
    """A matrix.

    Attributes:
        mode: the title of the mode.
        words: what starts and ends are called.
        hours: further hours.
        minutes: time (p,) of the pairs; those of a place with itself left out where starts and ends are the same.
        means: mean time of a pair in minutes at each of the hours.
        longest_min: time of the slowest pair.
        has_distances: whether pairs have a distance.
    """

    mode: str
    words: tuple[str, str]
    hours: list[int]
    minutes: NDArray[np.float64]
    means: list[float | None]
    longest_min: float | None
    has_distances: bool


def run_matrix(inputs: MatrixInputs, context: Context) -> MatrixResult:
    """Costs from all starts to all ends at once, at each hour asked for."""
    hours = checked_hours(inputs.hours, context.when, inputs.measure) if inputs.hours else []
    matrix_ends = matrix_ends_of(inputs, context)
    starts, ends, from_street, to_street = (
        matrix_ends.starts,
        matrix_ends.ends,
        matrix_ends.from_street,
        matrix_ends.to_street,
    )
    _check_count(len(starts), len(ends), 1 + len(hours))
    context.prepare_for(len(starts))
    progress, spread = context.progress.part(0.05, 0.5 if hours else 0.9), None
    if context.transit is None:
        s, t, duration, distance = matrix_ends.pairs(context, np.arange(len(starts)), progress=progress)
    else:
        context.transit.check_measure(inputs.measure)
        spread = context.transit.spread(from_street, to_street, "from", matrix_ends.limit, progress=progress)
        s, t = (rows.astype(np.int32) for rows in np.nonzero(spread.asked != UNREACHED))
        duration, distance = spread.asked[s, t] / 1000, np.full(len(s), np.nan)
    by_hour = times_at(context, hours, from_street, to_street)[:, s, t] if hours else np.zeros((0, len(s)))
    missing = int(from_street.is_snapped.sum()) * int(to_street.is_snapped.sum()) - len(s)
    doubts = [
        *context.doubts_of(starts, from_street, "start"),
        *context.doubts_of(ends, to_street, "end"),
        *_findings(matrix_ends, context),
        *context.doubts_of_mode(),
    ]
    if missing:
        why = "no way or beyond the limit" if inputs.limit is not None else "no way between them"
        doubts.append(Doubt("pairs-unreached", "warning", missing, f"{missing:,} pairs are left out: {why}."))
    # Of places among themselves those to themselves say nothing.
    apart = s != t if inputs.from_ == inputs.to else slice(None)
    minutes = duration[apart] / 60
    means = mean_minutes(by_hour[:, apart])
    summary: Json = {
        "starts": len(starts),
        "ends": len(ends),
        "pairs": len(s),
        "pairs_unreached": missing,
        "mean_duration_min": round(float(minutes.mean()), 2) if len(minutes) else None,
    }
    if hours:
        summary["mean_duration_min_by_hour"] = dict(zip(map(str, hours), means, strict=True))

    def rows() -> Table:
        pairs = pair_table(matrix_ends, s, t, duration, distance).columns
        named = {"origin": Indexed(starts.names, s), "destination": Indexed(ends.names, t)}
        at_hours = {
            hour_field(hour): Column.of(then, "s", 3, Meaning("duration", limit=float(hour)))
            for hour, then in zip(hours, by_hour, strict=True)
        }
        ids = {name: pairs[name] for name in ("origin_id", "destination_id")}
        costs: dict[str, Values] = {name: pairs[name] for name in ("duration_s", "distance_m") if name in pairs}
        return Table(None, {**ids, **named, **costs, **_over_window(spread, s, t), **at_hours})

    return MatrixResult(
        summary=summary,
        parts={"rows": rows, "starts": _starts(context, matrix_ends, s, t, duration, apart)},
        doubts=doubts,
        method=[*context.notes, *static_speeds.of_pairs(context, inputs.measure, from_street, to_street, (s, t))],
        mode=context.mode.title,
        words=(starts.words, ends.words),
        hours=hours,
        minutes=minutes,
        means=means,
        longest_min=round(float(duration.max()) / 60, 1) if len(s) else None,
        has_distances=context.transit is None,
    )


def _starts(
    context: Context, ends: MatrixEnds, s: NDArray[np.integer], t: NDArray[np.integer], duration: NDArray[np.float64],
    apart: NDArray[np.bool_] | slice,
) -> Table:  # fmt: skip
    """The starts with the mean time of their pairs, and how many ends each reaches."""
    count = np.bincount(s[apart], minlength=len(ends.starts))
    total = np.bincount(s[apart], weights=duration[apart] / 60, minlength=len(ends.starts))
    mean = np.divide(total, count, out=np.full(len(count), np.nan), where=count > 0)
    columns: dict[str, Values] = {
        "mean_min": Column.of(mean, "min", 2, Meaning("mean_time")),
        "ends": Column.of(count, meaning=Meaning("ends")),
    }
    return context.place_table(ends.starts, ends.from_street, columns)


def _over_window(spread: Spread | None, s: NDArray[np.integer], t: NDArray[np.integer]) -> dict[str, Values]:
    """By public transport, time of the pairs at the best, the middle and the worst departure, and how often there is a way."""
    if spread is None:
        return {}
    ends = {"best_s": spread.best, "median_s": spread.median, "worst_s": spread.worst}
    columns: dict[str, Values] = {
        name: Column.of(np.where(ms[s, t] == UNREACHED, np.nan, ms[s, t] / 1000), "s", 3, Meaning("duration"))
        for name, ms in ends.items()
    }
    return columns | {"departures_percent": Column.of(100 * spread.served[s, t], "%", 1)}


def _findings(ends: MatrixEnds, context: Context) -> list[Doubt]:
    """What the health check has found where the pairs may lead; of ways without a limit, where they begin and end."""
    if ends.limit < int(NO_LIMIT):
        return context.findings_within(ends.from_street, ends.measure, ends.limit)
    links = np.concatenate([ends.from_street.link, ends.to_street.link])
    return findings_on(context.study, links[links >= 0], "where these trips begin or end")


def _check_count(starts: int, ends: int, hours: int) -> None:
    if starts * ends * hours > MAX_PAIRS:
        at_hours = f" at {hours} hours" if hours > 1 else ""
        raise AwlError(
            f"{starts:,} starts and {ends:,} ends{at_hours} make more than {MAX_PAIRS:,} pairs",
            remedy="Filter one of the layers, or have them written in blocks: awl ask matrix ... --workers local:2",
            inputs=("from", "to"),
        )
