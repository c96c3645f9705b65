"""What else is near each place? Other places within limits, counted by kind."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from awl.core.errors import AwlError
from awl.core.routing.dijkstra.search import UNREACHED
from awl.questions.base import (
    Answer,
    Column,
    FeatureSet,
    Figure,
    Json,
    Limits,
    Question,
    SharedInputs,
    check_limits,
    slot,
)
from awl.questions.context import Context, Places, limit_units, limit_word

MAX_PAIRS = 100_000_000
MAX_KINDS = 40
PLACES_AT_ONCE = 512
ALL = "all"


class NeighboursInputs(SharedInputs):
    """Inputs of `neighbours`."""

    places: FeatureSet = Field(description="The places to look around.", json_schema_extra=slot("place", "Places"))
    others: FeatureSet = Field(description="What may be near them.", json_schema_extra=slot("place", "Others"))
    kind: str | None = Field(
        None,
        description="The field of the others that says their kind; null counts all as one.",
        json_schema_extra=slot("amount", "Kind"),
    )
    limits: Limits = Field(
        [5.0, 10.0, 15.0],
        description="Minutes, or metres where `measure` is `distance`; ascending.",
        json_schema_extra=slot("amount", "Limits"),
    )
    direction: Literal["from", "to"] = Field("from", description="From the places to the others, or the other way.")
    measure: Literal["time", "distance"] = Field("time", description="What the limits count.")


class Neighbours(Question):
    """The neighbours question."""

    id = "neighbours"
    title = "Neighbours"
    description = "How many other places are within limits of each place, by kind, and which kinds go together."
    opening = "What else is near"
    sentences = [({}, "What else is near {places}: how many of {others}, {kind}, does a {mode} reach within {limits}?")]
    Inputs = NeighboursInputs
    outputs = {
        "places": "Places with the number of others by kind and limit, and the time to the nearest of each kind, GeoJSON",
        "cross": "By kind: places with one within each limit, and the mean number, as rows",
        "pairs": "By kind of place and kind of other: the mean number within the last limit, as rows",
    }

    @classmethod
    def answer(cls, inputs: NeighboursInputs, context: Context) -> Answer:
        """Searches from sixteen places at a time, counted as they come."""
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
        used = at.found
        last = limit_word(limits[-1], inputs.measure)
        cross = _cross(kinds, of, limits, count[:, used])
        whole = count[-1].sum(axis=1)
        none = int((whole[used] == 0).sum())
        columns = _columns(kinds, limits, count, nearest, inputs.measure)
        return Answer(
            title=f"{others.words} within {last} of {places.words}, {context.mode.title.lower()}",
            summary={
                "places": len(places),
                "places_used": int(used.sum()),
                "others": len(others),
                "kinds": len(kinds),
                "mean_within_last": round(float(whole[used].mean()), 3),
                "places_with_none": none,
            },
            figures=[
                Figure(round(float(whole[used].mean()), 1), "", f"within {last}, mean"),
                Figure(none, "", f"places with none within {last}"),
                Figure(places.names[int(np.argmax(whole))], "", "has most"),
            ],
            doubts=[
                *context.doubts_of(places, at),
                *context.doubts_of(others, other_at, "other place"),
                *context.doubts_of_mode(),
            ],
            method=[*context.notes, *(["A place is not counted as a neighbour of itself."] if same else [])],
            parts={
                "places": context.place_features(places, at, columns),
                "cross": cross,
                "pairs": _pairs(places, inputs.kind, kinds, count[-1], used),
            },
            table=("places", _shown(kinds, limits, inputs.measure)),
            tables=_crossed(kinds, limits, inputs, bool(inputs.kind and inputs.kind in places.layer.columns)),
            chart={
                "kind": "bars",
                "title": f"Places with one within {last}, %",
                "x": {"label": "kind", "values": kinds},
                "series": [{"label": "Share of places", "values": [row[f"share_{limits[-1]:g}"] for row in cross]}],
            },
        )


def _kinds(others: Places, field: str | None) -> tuple[list[str], NDArray[np.int64]]:
    """Names of the kinds in alphabetical order, and the number of the kind of each of the others."""
    if field is None:
        return [ALL], np.zeros(len(others), np.int64)
    if field not in others.layer.columns:
        known = ", ".join(key for key in others.layer.columns if key != "fid") or "none"
        raise AwlError(
            f"The others have no field '{field}'", remedy=f"Fields are: {known}", inputs=("kind",), kind="no-such-field"
        )
    values = ["not said" if value is None else str(value) for value in others.layer.columns[field]]
    names, of = np.unique(values, return_inverse=True)
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
    if inputs.direction == "from":
        return context.router.matrix(at, other_at, inputs.measure, limit, progress=progress, carrying=False)[0]
    return context.router.matrix(other_at, at, inputs.measure, limit, progress=progress, carrying=False)[0].T.copy()


def _columns(
    kinds: list[str], limits: list[float], count: NDArray[np.int64], nearest: NDArray[np.float64], measure: str
) -> dict[str, list[Any]]:
    columns: dict[str, list[Any]] = {}
    for number, kind in enumerate(kinds):
        for level, limit in enumerate(limits):
            columns[f"{kind}_within_{limit:g}"] = count[level, :, number].tolist()
        scale, unit = (60_000, "min") if measure == "time" else (1000, "m")
        columns[f"{kind}_nearest_{unit}"] = [
            round(v / scale, 2) if np.isfinite(v) else None for v in nearest[:, number]
        ]
    for level, limit in enumerate(limits):
        columns[f"within_{limit:g}"] = count[level].sum(axis=1).tolist()
    return columns


def _shown(kinds: list[str], limits: list[float], measure: str) -> list[Column]:
    last = f"{limits[-1]:g}"
    several = [Column(f"{kind}_within_{last}", kind.replace("_", " ").capitalize(), "", 0) for kind in kinds]
    return [
        Column("name", "Place"),
        Column(f"within_{last}", f"All in {limit_word(limits[-1], measure)}", "", 0),
        *(several if kinds != [ALL] else []),
    ]


def _crossed(
    kinds: list[str], limits: list[float], inputs: NeighboursInputs, both: bool
) -> dict[str, tuple[str, list[Column]]]:
    """The cross tables: by kind and limit, and where the places have kinds too, kind by kind."""
    words = [(limit, limit_word(limit, inputs.measure)) for limit in limits]
    made = {
        "Kinds": (
            "cross",
            [
                Column("kind", "Kind"),
                Column("count", "Others", "", 0),
                *[Column(f"share_{limit:g}", f"Have one in {word}", "%", 1) for limit, word in words],
                *[Column(f"mean_{limit:g}", f"Mean in {word}", "", 2) for limit, word in words],
            ],
        )
    }
    if both:
        kind_by_kind = [Column(kind, kind.replace("_", " ").capitalize(), "", 2) for kind in kinds]
        made["Kind by kind"] = ("pairs", [Column("kind", "Places"), Column("places", "Number", "", 0), *kind_by_kind])
    return made


def _cross(kinds: list[str], of: NDArray[np.int64], limits: list[float], count: NDArray[np.int64]) -> list[Json]:
    """One row per kind: its number, the share of places with one within each limit in percent, and the mean number."""
    rows: list[Json] = []
    for number, kind in enumerate(kinds):
        row: Json = {"kind": kind, "count": int((of == number).sum())}
        for level, limit in enumerate(limits):
            mine = count[level, :, number]
            row[f"share_{limit:g}"] = round(float((mine > 0).mean()) * 100, 1)
            row[f"mean_{limit:g}"] = round(float(mine.mean()), 3)
        rows.append(row)
    return rows


def _pairs(
    places: Places, field: str | None, kinds: list[str], count: NDArray[np.int64], used: NDArray[np.bool_]
) -> list[Json]:
    """Kinds of places against kinds of others, where the places have that field too: the mean number within the last limit."""
    if field is None or field not in places.layer.columns:
        return []
    own = np.array(["not said" if value is None else str(value) for value in places.layer.columns[field]])
    rows = []
    for kind in np.unique(own).tolist():
        mine = used & (own == kind)
        mean = count[mine].mean(axis=0) if mine.any() else np.zeros(len(kinds))
        rows.append(
            {"kind": kind, "places": int(mine.sum())} | dict(zip(kinds, np.round(mean, 3).tolist(), strict=True))
        )
    return rows
