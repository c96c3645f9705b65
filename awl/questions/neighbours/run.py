"""How neighbours are counted: searches from sixteen places at a time, counted as they come."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.routing.dijkstra.search import UNREACHED
from awl.io.fields import check_field
from awl.io.table import Column, Meaning, Table, Values
from awl.questions.context import Context, Places, limit_units
from awl.questions.inputs import check_limits
from awl.questions.neighbours.inputs import NeighboursInputs
from awl.questions.results import Result

MAX_PAIRS = 100_000_000
MAX_KINDS = 40
PLACES_AT_ONCE = 512
ALL = "all"
NOT_SAID = "not said"


@dataclass
class NeighboursResult(Result):
    """Numbers of others near each place.

    Attributes:
        mode: the title of the mode.
        words, other_words: what the places and the others are called.
        kinds: names of the kinds.
        counts: number (l, k) of others within each limit.
    """

    mode: str
    words: str
    other_words: str
    kinds: list[str]
    counts: NDArray[np.int64]


def run_neighbours(inputs: NeighboursInputs, context: Context) -> NeighboursResult:
    """Count others within each limit of each place, by kind."""
    limits = check_limits(inputs.limits, inputs.measure)
    places, others = context.places(inputs.places), context.places(inputs.others, "others")
    if len(places) * len(others) > MAX_PAIRS:
        raise AwlError(
            f"{len(places):,} places and {len(others):,} others make more than {MAX_PAIRS:,} pairs",
            remedy="Filter one of the layers",
            inputs=("places", "others"),
        )
    kinds, of = _kinds(others, inputs.kind)
    at, other_at = context.snap(places), context.snap(others, "others")
    same = inputs.places == inputs.others
    units = [limit_units(value, inputs.measure) for value in limits]
    count = np.zeros((len(limits), len(places), len(kinds)), np.int64)
    nearest = np.full((len(places), len(kinds)), np.inf)
    for begin in range(0, len(places), PLACES_AT_ONCE):
        rows = np.arange(begin, min(begin + PLACES_AT_ONCE, len(places)))
        cost = _costs(context, at.take(rows), other_at, inputs, units[-1], begin / len(places))
        if same:
            cost[np.arange(len(rows)), rows] = UNREACHED  # a place is no neighbour of itself
        for number in range(len(kinds)):
            own = cost[:, of == number]
            nearest[rows, number] = np.where((best := own.min(axis=1)) == UNREACHED, np.inf, best)
            for level, unit in enumerate(units):
                count[level, rows, number] = (own <= unit).sum(axis=1)
    used = at.is_snapped
    counts = count.sum(axis=2)
    return NeighboursResult(
        summary={
            "places": len(places),
            "places_used": int(used.sum()),
            "others": len(others),
            "kinds": len(kinds),
            "mean_within_last": round(float(counts[-1][used].mean()), 3),
            "places_with_none": int((counts[-1][used] == 0).sum()),
        },
        parts={
            "places": context.place_table(places, at, _columns(kinds, limits, count, nearest, inputs.measure)),
            "cross": _cross(kinds, of, limits, count[:, used]),
            "pairs": _pairs(places, inputs.kind, kinds, count[-1], used),
        },
        doubts=[
            *context.doubts_of(places, at),
            *context.doubts_of(others, other_at, "other place"),
            *context.findings_within(at, inputs.measure, units[-1]),
            *context.doubts_of_mode(),
        ],
        method=[*context.notes, *(["A place is not counted as a neighbour of itself."] if same else [])],
        mode=context.mode.title,
        words=places.words,
        other_words=others.words,
        kinds=kinds,
        counts=counts,
    )


def _kind_texts(places: Places, field: str) -> list[str]:
    return [NOT_SAID if text is None else text for text in places.layer.columns[field].texts()]


def _kinds(others: Places, field: str | None) -> tuple[list[str], NDArray[np.int64]]:
    """Names of the kinds in alphabetical order, and the number of the kind of each of the others."""
    if field is None:
        return [ALL], np.zeros(len(others), np.int64)
    check_field(field, others.layer.fields, "The others have", ("kind",))
    names, of = np.unique(_kind_texts(others, field), return_inverse=True)
    if len(names) > MAX_KINDS:
        raise AwlError(
            f"'{field}' has {len(names):,} values; at most {MAX_KINDS} kinds can be told apart",
            remedy="Choose another field",
            inputs=("kind",),
        )
    return names.tolist(), of.astype(np.int64)


def _costs(context: Context, at: Any, other_at: Any, inputs: NeighboursInputs, limit: int, done: float) -> Any:
    """Costs (places, others), in the direction that is asked for."""
    progress = context.progress.part(0.1 + 0.8 * done, 0.9)
    if context.transit is not None:
        return context.transit.between(at, other_at, inputs.measure, inputs.direction, limit, progress=progress)
    if inputs.direction == "from":
        return context.router.matrix(at, other_at, inputs.measure, limit, progress=progress, carrying=False)[0]
    return context.router.matrix(other_at, at, inputs.measure, limit, progress=progress, carrying=False)[0].T.copy()


def within_field(limit: float, kind: str | None = None) -> str:
    """The column of a limit, of one kind or of all together."""
    return f"within_{limit:g}" if kind is None else f"{kind}_within_{limit:g}"


def _columns(
    kinds: list[str], limits: list[float], count: NDArray[np.int64], nearest: NDArray[np.float64], measure: str
) -> dict[str, Values]:
    """Numbers of each kind within each limit and the nearest of it, for each place."""
    columns: dict[str, Values] = {}
    scale, unit = (60_000, "min") if measure == "time" else (1000, "m")
    for number, kind in enumerate(kinds):
        for level, limit in enumerate(limits):
            meaning = Meaning("places_within", kind, limit)
            columns[within_field(limit, kind)] = Column.of(count[level, :, number].copy(), meaning=meaning)
        times = np.where(np.isfinite(nearest[:, number]), nearest[:, number] / scale, np.nan)
        columns[f"{kind}_nearest_{unit}"] = Column.of(times, unit, 2, Meaning("nearest", kind))
    for level, limit in enumerate(limits):
        columns[within_field(limit)] = Column.of(
            count[level].sum(axis=1), meaning=Meaning("places_within", None, limit)
        )
    return columns


def _cross(kinds: list[str], of: NDArray[np.int64], limits: list[float], count: NDArray[np.int64]) -> Table:
    """A row per kind: its number, the share of places with one within each limit, and the mean number."""
    columns: dict[str, Values] = {"kind": kinds, "count": np.bincount(of, minlength=len(kinds))}
    for level, limit in enumerate(limits):
        share = Column.of((count[level] > 0).mean(axis=0) * 100, "%", 1, Meaning("share_with_one", None, limit))
        mean = Column.of(count[level].mean(axis=0), "", 3, Meaning("mean_within", None, limit))
        columns |= {f"share_{limit:g}": share, f"mean_{limit:g}": mean}
    return Table(None, columns)


def _pairs(
    places: Places, field: str | None, kinds: list[str], count: NDArray[np.int64], used: NDArray[np.bool_]
) -> Table:
    """Kinds of places against kinds of others, where the places have that field too: the mean number within the last limit."""
    if field is None or field not in places.layer.columns:
        return Table(None, {"kind": [], "places": []})
    own, of = np.unique(_kind_texts(places, field), return_inverse=True)
    number = np.bincount(of[used], minlength=len(own))
    sums = np.stack([np.bincount(of[used], count[used, i], len(own)) for i in range(len(kinds))], axis=1)
    mean = sums / np.maximum(number, 1)[:, None]
    columns: dict[str, Values] = {"kind": own.tolist(), "places": number}
    return Table(None, columns | {kind: Column.of(mean[:, i], "", 3) for i, kind in enumerate(kinds)})
