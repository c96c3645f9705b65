"""Differences between results of a kind: rows matched by key, changes summed up, areas laid over each other, streets told apart.

Results are numbered from 0, the first is the one that the others are set against.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
ABSENT = -1
GRID_M = 0.01
"""Areas are laid over each other on a grid this fine, on which edges that are nearly the same become one."""


def occurrences(code: Ints) -> Ints:
    """How many rows (n,) with the same code come before each row; O(n log n).

    Parameters:
        code: what tells rows apart (n,).
    """
    order = np.argsort(code, kind="stable")
    ordered = code[order]
    begins = np.flatnonzero(np.concatenate([[True], ordered[1:] != ordered[:-1]])) if len(code) else np.zeros(0, int)
    lengths = np.diff(np.append(begins, len(code)))
    nth = np.empty(len(code), np.int64)
    nth[order] = np.arange(len(code)) - np.repeat(begins, lengths)
    return nth


def matched(codes: Sequence[Ints]) -> Ints:
    """Rows of several tables with the same key side by side: row numbers (tables, keys), `ABSENT` where a table has no such key.

    Keys stand in the order in which they appear, those of the first table first. O(n log n) in the number of all rows.

    Parameters:
        codes: the key of each row (n_t,), a table each; no key twice in one table.
    """
    every = np.concatenate([np.asarray(code, np.int64) for code in codes])
    keys, first = np.unique(every, return_index=True)
    appearance = np.argsort(first, kind="stable")
    rank = np.empty(len(keys), np.int64)
    rank[appearance] = np.arange(len(keys))
    rows = np.full((len(codes), len(keys)), ABSENT, np.int64)
    for table, code in enumerate(codes):
        rows[table, rank[np.searchsorted(keys, code)]] = np.arange(len(code))
    return rows


def side_by_side(values: Sequence[Floats], rows: Ints) -> Floats:
    """Values (tables, keys) of matched rows, NaN where a table has no such row.

    Parameters:
        values: values (n_t,) of each table.
        rows: matched rows (tables, keys).
    """
    aligned = np.full(rows.shape, np.nan)
    for table, (own, row) in enumerate(zip(values, rows, strict=True)):
        known = row != ABSENT
        aligned[table, known] = own[row[known]]
    return aligned


def percent_change(change: Floats, first: Floats) -> Floats:
    """Changes (n,) in percent of what there was first, NaN where there was nothing.

    Parameters:
        change: how much more there is (n,).
        first: what there was (n,).
    """
    return np.divide(100.0 * change, np.abs(first), out=np.full(len(change), np.nan), where=first != 0)


def gained_and_lost(change: Floats) -> tuple[float, float]:
    """The sum of all rises and the sum of all falls, both zero or more; what is not known counts as none.

    Parameters:
        change: changes (n,).
    """
    known = np.nan_to_num(change)
    return float(known[known > 0].sum()), float(-known[known < 0].sum())


def most_changed(change: Floats, count: int, least: float = 0.0) -> tuple[Ints, Ints]:
    """Rows that rose most and rows that fell most, the greatest first.

    Parameters:
        change: changes (n,).
        count: so many of each at most.
        least: smaller changes are none.
    """
    known = np.nan_to_num(change)
    order = np.argsort(-known, kind="stable")
    rises = order[known[order] > least][:count]
    falls = np.argsort(known, kind="stable")
    return rises, falls[known[falls] < -least][:count]


def cumulative_shares(value: Floats, weight: Floats, at: Floats) -> Floats:
    """Shares (s,) of the weight whose value is at most so much, from 0 to 1; what is not known is never reached.

    Parameters:
        value: values (n,), NaN where not known.
        weight: what each of them counts (n,).
        at: values (s,) at which shares are taken.
    """
    known = np.isfinite(value)
    order = np.argsort(value[known], kind="stable")
    held = np.concatenate([[0.0], np.cumsum(weight[known][order])])
    shares: Floats = held[np.searchsorted(value[known][order], at, side="right")] / max(float(weight.sum()), 1e-300)
    return shares


@dataclass(frozen=True)
class Overlaid:
    """Two areas laid over each other: ground in both, in the first alone, and in the second alone."""

    both: shapely.Geometry
    only_first: shapely.Geometry
    only_second: shapely.Geometry


def overlaid(first: shapely.Geometry, second: shapely.Geometry) -> Overlaid:
    """Lay two areas over each other.

    Parameters:
        first, second: polygons in a metric plane; an empty one for none.
    """
    a, b = shapely.make_valid(np.array([first, second], dtype=object))
    return Overlaid(
        _ground(shapely.intersection(a, b, grid_size=GRID_M)),
        _ground(shapely.difference(a, b, grid_size=GRID_M)),
        _ground(shapely.difference(b, a, grid_size=GRID_M)),
    )


def _ground(shape: shapely.Geometry) -> shapely.Geometry:
    """The polygons of a shape: areas that touch share lines and points, which are no ground."""
    parts = [part for part in shapely.get_parts(shape) if part.geom_type == "Polygon"]
    return parts[0] if len(parts) == 1 else shapely.MultiPolygon(parts)


@dataclass(frozen=True)
class ReachedStreets:
    """Streets by when they are reached: the first arrival (k,), infinite where never, and the length reached (k,)."""

    first: Floats
    length: Floats


def reached_streets(street: Ints, count: int, begin: Floats, end: Floats, length: Floats) -> ReachedStreets:
    """Pieces of streets put together by street.

    Parameters:
        street: the street (p,) of each piece, 0 to `count` - 1.
        count: the number of streets.
        begin, end: arrival (p,) at both ends of each piece.
        length: of each piece (p,).
    """
    first = np.full(count, np.inf)
    np.minimum.at(first, street, np.minimum(begin, end))
    return ReachedStreets(first, np.bincount(street, weights=length, minlength=count).astype(np.float64))


@dataclass(frozen=True)
class Moved:
    """Length (m,) that goes over from one owner (m,) to another (m,); `ABSENT` stands for none."""

    source: Ints
    target: Ints
    length: Floats


def moved_between(first: Sequence[NDArray[np.generic]], second: Sequence[NDArray[np.generic]]) -> Moved:
    """What owners of streets lose to each other.

    Along one street what an owner loses goes to those who gain there, in proportion where several do; what nobody owned, or
    nobody owns any more, is told with `ABSENT`. O(n log n) in the number of pieces.

    Parameters:
        first, second: street (p,), owner (p,) and length (p,) of the pieces, before and after; an owner holds several pieces of a
            street.
    """
    street = np.concatenate([np.asarray(first[0], np.int64), np.asarray(second[0], np.int64)])
    owner = np.concatenate([np.asarray(first[1], np.int64), np.asarray(second[1], np.int64)])
    gain = np.concatenate([-np.asarray(first[2], np.float64), np.asarray(second[2], np.float64)])
    pairs, of = np.unique(np.stack([street, owner]), axis=1, return_inverse=True)
    change = np.bincount(of.ravel(), weights=gain, minlength=pairs.shape[1])
    streets, at = np.unique(pairs[0], return_inverse=True)
    # What is left over or lacking along a street goes to nobody, or comes from nobody.
    rest = -np.bincount(at, weights=change, minlength=len(streets))
    at = np.concatenate([at, np.arange(len(streets))])
    owner, change = np.concatenate([pairs[1], np.full(len(streets), ABSENT)]), np.concatenate([change, rest])
    total = np.bincount(at, weights=np.maximum(change, 0.0), minlength=len(streets))
    loses, gains = np.flatnonzero(change < 0), np.flatnonzero(change > 0)
    gains = gains[np.argsort(at[gains], kind="stable")]
    begin, stop = (np.searchsorted(at[gains], at[loses], side=side) for side in ("left", "right"))
    count = stop - begin
    loser = np.repeat(loses, count)
    gainer = gains[np.repeat(begin, count) + np.arange(count.sum()) - np.repeat(np.cumsum(count) - count, count)]
    length = -change[loser] * change[gainer] / total[at[loser]]
    flows, of = np.unique(np.stack([owner[loser], owner[gainer]]), axis=1, return_inverse=True)
    flow = np.bincount(of.ravel(), weights=length, minlength=flows.shape[1]).astype(np.float64)
    return Moved(flows[0], flows[1], flow)
