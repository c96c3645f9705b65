"""Which trips are asked for: pairs of places by a rule, or given lines with points between."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.routing.snapping import Snapped
from awl.io.table import Table
from awl.questions.context import Context, Places
from awl.questions.inputs import FeatureSet, Json

ORIGINS_AT_ONCE = 1024
"""Rows of the table of costs in which the nearest place is looked for."""


@dataclass(frozen=True)
class Asked:
    """Trips (k,) as asked for. Trip i has legs `first[i]` to `first[i + 1]`, each from a row of `stops` to the next.

    `ids`, `names` are those of its begin and end; `invalid` holds input features that are no place or no line.
    """

    stops: Places
    snapped: Snapped
    leg_from: NDArray[np.int64]
    leg_to: NDArray[np.int64]
    first: NDArray[np.int64]
    invalid: list[Json]
    words: str

    def __len__(self) -> int:
        return len(self.first) - 1

    @property
    def begin(self) -> NDArray[np.int64]:
        """The stop each trip begins at (k,)."""
        return self.leg_from[self.first[:-1]]

    @property
    def end(self) -> NDArray[np.int64]:
        """The stop each trip ends at (k,)."""
        return self.leg_to[self.first[1:] - 1]


def sound(context: Context, wanted: FeatureSet, name: str, line: bool) -> tuple[Table, str, list[Json]]:
    """Features of an input that can be used, words for them, and the others with the reason."""
    layer, words = context.features(wanted, name)
    shapes = layer.geometry
    missing = shapely.is_missing(shapes) | shapely.is_empty(shapes)
    wrong = np.zeros(len(layer), bool)
    if line:
        wrong = ~missing & ((shapely.get_type_id(shapes) != 1) | (shapely.length(shapes) == 0))
    faults = np.where(missing, "it has no geometry", np.where(wrong, "it is no line between two points", ""))
    invalid = [
        {"input": name, "feature": i + 1, "reason": str(faults[i])} | {k: v[i] for k, v in layer.columns.items()}
        for i in np.flatnonzero(missing | wrong).tolist()
    ]
    rows = np.flatnonzero(~missing & ~wrong)
    if len(rows) == 0:
        raise AwlError(
            f"None of the {len(layer):,} features can be used: {invalid[0]['reason']}", where=name, inputs=(name,)
        )
    return layer.take(rows.tolist()), words, invalid


def by_pairing(
    context: Context,
    sets: tuple[FeatureSet, FeatureSet],
    pairing: str,
    measure: str,
    most: int,
) -> Asked:
    """Trips from one set of places to another: to the nearest, to each, or to that of the same id."""
    (layer, words, bad), (goal_layer, goal_words, goal_bad) = (
        sound(context, wanted, name, line=False) for wanted, name in zip(sets, ("from", "to"), strict=True)
    )
    starts, ends = context.points_of(layer, words, "from"), context.points_of(goal_layer, goal_words, "to")
    from_street, to_street = context.snap(starts, "from"), context.snap(ends, "to")
    if pairing == "each":
        count = len(starts) * len(ends)
        rows = _sample(count, most)
        a, b = rows // len(ends), rows % len(ends)
    elif pairing == "id":
        row_of = {ident: i for i, ident in reversed(list(enumerate(ends.ids)))}
        pairs = [(i, row_of[ident]) for i, ident in enumerate(starts.ids) if ident in row_of]
        if not pairs:
            raise AwlError(
                f"No start and end have the same id: {starts.ids[0]} and so on, {ends.ids[0]} and so on",
                remedy="Give both a field 'id', or pair them otherwise",
                inputs=("pairing",),
            )
        rows = _sample(len(pairs), most)
        a, b = np.array(pairs, np.int64)[rows].T
    else:
        a = _sample(len(starts), most)
        b = _nearest(context, from_street.take(a), to_street, measure)
    stops = Places(
        np.concatenate([starts.lon, ends.lon]), np.concatenate([starts.lat, ends.lat]), [*starts.ids, *ends.ids],
        [*starts.names, *ends.names], starts.layer, "",
    )  # fmt: skip
    return Asked(
        stops, Snapped.joined([from_street, to_street]), a, b + len(starts), np.arange(len(a) + 1), bad + goal_bad,
        f"from {starts.words} to {'the nearest of ' if pairing == 'nearest' and len(ends) > 1 else ''}{ends.words}",
    )  # fmt: skip


def along_lines(context: Context, lines: FeatureSet, most: int) -> Asked:
    """Trips along given lines: from the first vertex over those between to the last."""
    layer, words, invalid = sound(context, lines, "lines", line=True)
    layer = layer.take(_sample(len(layer), most).tolist())
    xy, owner = shapely.get_coordinates(layer.geometry, return_index=True)
    idents = context.points_of(layer, words, "lines")
    nth = np.arange(len(xy)) - np.searchsorted(owner, owner)
    stops = Places(
        xy[:, 0], xy[:, 1], [idents.ids[i] for i in owner],
        [f"{idents.names[i]}, stop {n + 1}" for i, n in zip(owner, nth, strict=True)], layer, words,
    )  # fmt: skip
    leg_from = np.flatnonzero(owner[1:] == owner[:-1])
    first = np.searchsorted(owner[leg_from], np.arange(len(layer) + 1))
    return Asked(stops, context.snap(stops, "lines"), leg_from, leg_from + 1, first, invalid, f"along {words}")


def _sample(count: int, most: int) -> NDArray[np.int64]:
    """Rows spread evenly over all, at most `most`."""
    return np.arange(count) if count <= most else np.arange(most, dtype=np.int64) * count // most


def _nearest(context: Context, starts: Snapped, ends: Snapped, measure: str) -> NDArray[np.int64]:
    """The end of least cost of each start, the first of several; any where there is no way."""
    nearest_rows: list[Any] = []
    for begin in range(0, len(starts.link), ORIGINS_AT_ONCE):
        done, step = 0.05 + 0.3 * begin / len(starts.link), 0.3 * ORIGINS_AT_ONCE / len(starts.link)
        part = starts.take(np.arange(begin, min(begin + ORIGINS_AT_ONCE, len(starts.link))))
        cost, _ = context.router.matrix(
            part, ends, measure, progress=context.progress.part(done, done + step), carrying=False
        )
        nearest_rows.append(np.argmin(cost, axis=1))
    return np.concatenate(nearest_rows)
