"""Streets compared: when they are reached, whom they belong to, and which ways take them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.analysis.comparison import ABSENT, ReachedStreets, moved_between, reached_streets
from awl.core.graph.shapes import cut_lines
from awl.core.graph.street_graph import StreetGraph
from awl.io.table import Column, Meaning, Table, Values
from awl.questions.compare.rows import change_field, value_field
from awl.questions.compared_parts import ComparedOwners, ComparedReach, ComparedWays

Floats = NDArray[np.float64]
NOT_BEFORE, NOT_AFTER, SOONER, LATER = "gained", "lost", "sooner", "later"
LEAST_CHANGE = 0.05
"""Minutes, or metres, below which an arrival is the same."""
LEAST_LENGTH_M = 0.5


@dataclass(frozen=True)
class ReachDifferences:
    """Streets by when they are first reached.

    Attributes:
        spec: what is compared.
        table: streets of which an answer reaches more, less, sooner or later than the first, with the first arrival and the
            length reached in each, and `change`: `gained`, `lost`, `sooner` or `later` in the second answer.
        unit: of arrivals, `min` or `m`.
        gained_km, lost_km: length that each other answer reaches and the first does not, and the other way round.
        mean_change: of arrivals at streets that both reach, weighted by length, for each other answer; NaN where there are none.
    """

    spec: ComparedReach
    table: Table
    unit: str
    gained_km: list[float]
    lost_km: list[float]
    mean_change: list[float]


def compare_reach(spec: ComparedReach, tables: Sequence[Table]) -> ReachDifferences | None:
    """Set the streets side by side that answers reach; None where one counts minutes and another metres."""
    begin, end, unit, scale = spec.begin, spec.end, "min", 60.0
    if spec.begin not in tables[0].columns:
        begin, end, unit, scale = spec.begin.replace("_s", "_m"), spec.end.replace("_s", "_m"), "m", 1.0
    if not all({begin, end} <= set(table.columns) for table in tables):
        return None
    links = [table.columns["link_id"].numbers().astype(np.int64) for table in tables]
    ids, of = np.unique(np.concatenate(links), return_inverse=True)
    at = np.split(of.ravel(), np.cumsum([len(own) for own in links])[:-1])
    reached = [
        reached_streets(
            own, len(ids), table.columns[begin].numbers() / scale, table.columns[end].numbers() / scale, _length(table)
        )
        for table, own in zip(tables, at, strict=True)
    ]
    changed = np.zeros(len(ids), bool)
    gained, lost, mean = [], [], []
    for other in reached[1:]:
        more = other.length - reached[0].length
        both = np.isfinite(reached[0].first) & np.isfinite(other.first)
        later = np.where(both, np.where(both, other.first, 0) - np.where(both, reached[0].first, 0), 0.0)
        changed |= (np.abs(more) > LEAST_LENGTH_M) | (np.abs(later) >= LEAST_CHANGE)
        gained.append(float(more[more > 0].sum()) / 1000)
        lost.append(float(-more[more < 0].sum()) / 1000)
        weight = np.minimum(reached[0].length, other.length)[both]
        mean.append(float(later[both] @ weight / weight.sum()) if weight.sum() > 0 else float("nan"))
    rows = np.flatnonzero(changed)
    columns: dict[str, Values] = {"link_id": ids[rows]} | _names(tables, at, len(ids), rows)
    for nth, own in enumerate(reached, 1):
        first = np.where(np.isfinite(own.first), own.first, np.nan)[rows]
        columns[value_field("first", nth)] = Column.of(first, unit, 2, Meaning("first_arrival"))
        columns[value_field("reached_m", nth)] = Column.of(own.length[rows], "m", 1)
    for nth, own in enumerate(reached[1:], 2):
        columns[change_field("first", nth)] = Column.of(
            _later(reached[0], own)[rows], unit, 2, Meaning("first_arrival", run="change")
        )
    columns["change"] = _kinds(reached[0], reached[1], rows)
    return ReachDifferences(spec, Table(_shapes(tables, at, reached, rows), columns), unit, gained, lost, mean)


def _length(table: Table) -> Floats:
    return table.columns["length_m"].numbers()


def _later(first: ReachedStreets, other: ReachedStreets) -> Floats:
    """How much later streets are reached, NaN where one of the two reaches them not at all."""
    both = np.isfinite(first.first) & np.isfinite(other.first)
    return np.where(both, np.where(both, other.first, 0.0) - np.where(both, first.first, 0.0), np.nan)


def _kinds(first: ReachedStreets, other: ReachedStreets, rows: NDArray[np.int64]) -> list[str]:
    later, more = _later(first, other)[rows], (other.length - first.length)[rows]
    kinds = np.where(np.nan_to_num(later) > 0, LATER, SOONER).astype(object)
    kinds[np.abs(np.nan_to_num(later)) < LEAST_CHANGE] = LATER
    kinds[(np.abs(np.nan_to_num(later)) < LEAST_CHANGE) & (more > 0)] = SOONER
    kinds[~np.isfinite(first.first[rows])] = NOT_BEFORE
    kinds[~np.isfinite(other.first[rows])] = NOT_AFTER
    kinds[~np.isfinite(first.first[rows]) & ~np.isfinite(other.first[rows])] = LATER
    return [str(kind) for kind in kinds.tolist()]


def _names(
    tables: Sequence[Table], at: list[NDArray[np.int64]], count: int, rows: NDArray[np.int64]
) -> dict[str, Values]:
    if "name" not in tables[0].columns:
        return {}
    names = np.full(count, None, object)
    for table, own in zip(tables, at, strict=True):
        names[own] = np.array(table.columns["name"].tolist(), dtype=object)
    return {"name": names[rows].tolist()}


def _shapes(
    tables: Sequence[Table], at: list[NDArray[np.int64]], reached: list[ReachedStreets], rows: NDArray[np.int64]
) -> NDArray[np.object_]:
    """Of each street the pieces of the answer that reaches most of it."""
    most = np.stack([own.length for own in reached]).argmax(axis=0)
    place = np.full(len(most), -1, np.int64)
    place[rows] = np.arange(len(rows))
    shapes = np.full(len(rows), None, object)
    for nth, (table, own) in enumerate(zip(tables, at, strict=True)):
        pieces = np.flatnonzero((most[own] == nth) & (place[own] >= 0))
        order = pieces[np.argsort(place[own[pieces]], kind="stable")]
        if len(order):
            shapely.multilinestrings(table.geometry[order], indices=place[own[order]], out=shapes)
    return shapes


@dataclass(frozen=True)
class OwnerDifferences:
    """What goes over from one owner to another.

    Attributes:
        spec: what is compared.
        table: a row for each pair of owners with the length that goes over, for each answer set against the first.
        streets: the streets of the second answer that belong to somebody else than in the first.
        moved_km: length that goes over, for each other answer.
    """

    spec: ComparedOwners
    table: Table
    streets: Table
    moved_km: list[float]


def compare_owners(
    spec: ComparedOwners, tables: Sequence[Table], places: Sequence[Table], labels: list[str]
) -> OwnerDifferences:
    """Tell which streets go over to another owner."""
    names = {
        str(ident): str(name)
        for own in places
        for ident, name in zip(own.columns["id"], own.columns["name"], strict=True)
    }
    every = list(dict.fromkeys(str(owner) for table in tables for owner in table.columns[spec.owner]))
    number = {owner: i for i, owner in enumerate(every)}
    sides = [
        (
            table.columns["link_id"].numbers().astype(np.int64),
            np.array([number[str(owner)] for owner in table.columns[spec.owner]], np.int64),
            _length(table),
        )
        for table in tables
    ]
    records, moved_km = [], []
    for label, side in zip(labels[1:], sides[1:], strict=True):
        moved = moved_between(sides[0], side)
        moved_km.append(float(moved.length.sum()) / 1000)
        for row in np.argsort(-moved.length, kind="stable").tolist():
            ends = (int(moved.source[row]), int(moved.target[row]))
            source, target = ("nobody" if i == ABSENT else names.get(every[i], every[i]) for i in ends)
            record = {"against": label, "from": source, "to": target, "street_km": moved.length[row] / 1000}
            if record["street_km"] >= LEAST_LENGTH_M / 1000:
                records.append(record)
    table = Table.of_records(records)
    if records:
        table = table.with_columns({"street_km": Column.of(table.columns["street_km"].data, "km", 3)})
    return OwnerDifferences(spec, table, _changed_owner(tables, sides, names, every), moved_km)


def _changed_owner(
    tables: Sequence[Table], sides: list[tuple[NDArray[np.int64], NDArray[np.int64], Floats]],
    names: dict[str, str], every: list[str],
) -> Table:  # fmt: skip
    """Pieces of the second answer whose owner holds nothing of their street in the first, with both owners."""
    (first_links, first_owners, _), (links, owners, length) = sides[0], sides[1]
    many = len(every) + 1
    fresh = np.flatnonzero(~np.isin(links * many + owners, first_links * many + first_owners))
    former: dict[int, int] = dict(zip(first_links.tolist(), first_owners.tolist(), strict=True))
    known = [former.get(link, ABSENT) for link in links[fresh].tolist()]
    return Table(
        tables[1].geometry[fresh],
        {
            "link_id": links[fresh],
            "from": ["nobody" if i == ABSENT else names.get(every[i], every[i]) for i in known],
            "to": [names.get(every[i], every[i]) for i in owners[fresh].tolist()],
            "length_m": Column.of(length[fresh], "m", 1),
        },
    )


@dataclass(frozen=True)
class WayDifferences:
    """Ways of answers: the streets that all take, and those that one takes alone.

    Attributes:
        spec: what is compared.
        table: for each way (`way`) and each of `all` or the number of the answer that takes it alone (`taken`), its streets and
            km.
        keys: ways that all answers have.
    """

    spec: ComparedWays
    table: Table
    keys: list[str]


def compare_ways(
    spec: ComparedWays, tables: Sequence[Table], graphs: Sequence[StreetGraph], labels: list[str]
) -> WayDifferences | None:
    """Tell where ways part; None where the answers have no way in common, or one with streets that are gone."""
    if not all({spec.key, spec.links} <= set(table.columns) for table in tables):
        return None
    ways = [
        dict(zip(table.columns[spec.key].texts(), table.columns[spec.links].shown(), strict=True)) for table in tables
    ]
    keys = [str(key) for key in ways[0] if all(key in own for own in ways)]
    records, shapes = [], []
    for key in keys:
        links = [list(dict.fromkeys(int(link) for link in own[key] or [])) for own in ways]
        common = set(links[0]).intersection(*links[1:])
        taken = {"all": [link for link in links[0] if link in common]}
        for nth, own in enumerate(links, 1):
            taken[str(nth)] = [link for link in own if link not in common]
        for who, streets in taken.items():
            graph = graphs[0] if who == "all" else graphs[int(who) - 1]
            rows = graph.link_rows(np.array(streets, np.int64))
            rows = rows[rows >= 0]
            km = graph.link_length[rows].sum() / 1000
            named = "all" if who == "all" else labels[int(who) - 1]
            records.append({"way": key, "taken": who, "who": named, "streets": len(rows), "km": km})
            lines = cut_lines(graph, rows.astype(np.int32), np.zeros(len(rows)), np.ones(len(rows)))
            shapes.append(shapely.MultiLineString(list(lines)))
    if not records:
        return None
    table = Table.of_records(records)
    table = table.with_columns({"km": Column.of(table.columns["km"].data, "km", 3)})
    return WayDifferences(spec, table.with_geometry(np.array(shapes, dtype=object)), keys)
