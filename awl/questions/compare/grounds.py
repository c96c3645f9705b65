"""Areas laid over each other, and features of layers that some answers hold and others do not."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.analysis.comparison import overlaid
from awl.core.geodesy import LocalPlane
from awl.io.table import Column, Table
from awl.questions.compare.rows import compare_rows
from awl.questions.compared_parts import ComparedAreas, ComparedRows

BOTH, FIRST, SECOND = "both", "first", "second"


@dataclass(frozen=True)
class AreaDifferences:
    """Areas of the first answer laid over those of each other one.

    Attributes:
        spec: what is compared.
        table: a row for each value of the key, each answer set against the first (`against` counts them from 2) and each of
            `both`, `first` alone and `second` alone, with its area.
        values: values of the key that all answers have.
        unit: of these.
    """

    spec: ComparedAreas
    table: Table
    values: list[Any]
    unit: str

    @property
    def drawn(self) -> Table:
        """What the map shows: the last limit of the second answer against the first."""
        columns = self.table.columns
        rows = zip(columns["value"], columns["against"], strict=True)
        return self.table.take([i for i, row in enumerate(rows) if row == (self.values[-1], 2)])

    def area(self, value: Any, against: int, ground: str) -> float:
        """Square kilometres of one row."""
        columns = self.table.columns
        rows = zip(columns["value"], columns["against"], columns["ground"], columns["area_km2"], strict=True)
        return next(km2 for v, a, g, km2 in rows if (v, a, g) == (value, against, ground))


def compare_areas(
    spec: ComparedAreas, tables: Sequence[Table], plane: LocalPlane, labels: list[str]
) -> AreaDifferences | None:
    """Lay areas over each other, each value of the key by itself; None where no value is in all tables."""
    if not all(spec.key in table.columns and table.has_geometry for table in tables):
        return None
    if len({table.columns[spec.key].unit for table in tables}) > 1:
        return None
    grounds = [_by_value(spec, table, plane) for table in tables]
    values = [value for value in grounds[0] if all(value in ground for ground in grounds)]
    if not values:
        return None
    records, shapes = [], []
    for value in values:
        for against, ground in enumerate(grounds[1:], 2):
            laid = overlaid(grounds[0][value], ground[value])
            for kind, shape in ((BOTH, laid.both), (FIRST, laid.only_first), (SECOND, laid.only_second)):
                records.append(
                    {
                        "value": value,
                        "against": against,
                        "ground": kind,
                        "where": _where(kind, labels[0], labels[against - 1]),
                        "area_km2": shape.area / 1e6,
                    }
                )
                shapes.append(shape)
    unit = tables[0].columns[spec.key].unit
    columns = {name: [record[name] for record in records] for name in records[0]}
    known = {name: Column.of(given) for name, given in columns.items()}
    known["value"] = Column.of(columns["value"], unit)
    known["area_km2"] = Column.of(np.array(columns["area_km2"], np.float64), "km²", 4)
    return AreaDifferences(spec, Table(plane.unproject(np.array(shapes, dtype=object)), known), values, unit)


def _where(ground: str, first: str, second: str) -> str:
    """Which of two answers holds some ground, in words."""
    return "in both" if ground == BOTH else f"only in '{first if ground == FIRST else second}'"


def _by_value(spec: ComparedAreas, table: Table, plane: LocalPlane) -> dict[Any, shapely.Geometry]:
    """The ground of each value of the key, areas of several places and rings put together."""
    shapes = shapely.make_valid(plane.project(table.geometry))
    at, low = table.columns[spec.key].tolist(), table.columns.get("from_limit")
    rings = low is not None and any(value for value in low)
    ground: dict[Any, shapely.Geometry] = {}
    for value in dict.fromkeys(at):
        # Rings between limits hold the rest of what lies within.
        rows = [i for i, own in enumerate(at) if (own <= value if rings else own == value)]
        ground[value] = shapes[rows[0]] if len(rows) == 1 else shapely.union_all(shapes[rows], grid_size=0.01)
    return ground


@dataclass(frozen=True)
class FeatureDifferences:
    """Features of a layer: `table` has those that not all answers hold; `common` are in all, `counts` in each."""

    part: str
    table: Table
    common: int
    counts: list[int]


def compare_features(part: str, tables: Sequence[Table], labels: list[str]) -> FeatureDifferences | None:
    """Tell the features apart that some answers hold alone; None where a table has no field that identifies them."""
    key = next((table.key_field for table in tables if len(table)), None)
    if key is None:
        return None
    tables = [table if key in table.columns else _without_rows(table, key) for table in tables]
    names = tuple(dict.fromkeys(name for table in tables for name in table.fields if name != key))
    rows = compare_rows(ComparedRows(part, part, (key,), names), tables, labels)
    if rows is None:
        return None
    standing = np.array(rows.table.columns["standing"].tolist(), dtype=object)
    apart: NDArray[np.int64] = np.flatnonzero(standing != "in all")
    kept = rows.table.only({key, *names, "standing"})
    return FeatureDifferences(part, kept.take(apart), len(standing) - len(apart), [len(table) for table in tables])


def _without_rows(table: Table, key: str) -> Table:
    return Table(table.geometry[:0] if table.has_geometry else None, {**table.take([]).columns, key: []})
