"""Tables of trips become layers of lines: from the place of their origin's id to that of their destination's."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.io import trip_tables
from awl.io.table import NAMED, Column, LayerNotes, Table
from awl.study.study import NewLayer, Study, slug


@dataclass(frozen=True)
class TripEnds:
    """Where the ends of trips are.

    Attributes:
        origins, destinations: ids of layers whose features trips lead between.
        origin, destination: columns with the ids of their features; the usual ones where None.
    """

    origins: str
    destinations: str
    origin: str | None = None
    destination: str | None = None


def add_trips(
    path: Path, study: Study, ends: TripEnds, ident: str | None = None, title: str | None = None, source: str | None = None
) -> str:  # fmt: skip
    """Add a table of trips as a layer of lines with all its columns; returns its id.

    Rows without a place, and those that nobody makes, are left out with a note.

    Parameters:
        path: CSV, XLSX, Parquet or OMX.
        study: the study.
        ends: where the ends of trips are.
        ident, title: of the new layer; from the name of the file where None.
        source: the name of the file; that of the path where None.

    Raises:
        AwlError: the file cannot be read, names no ends, or no row has a place at both.
    """
    source = source or path.name
    columns = trip_tables.columns(path, source)
    names = list(columns)
    origin = _column(names, ends.origin, trip_tables.ORIGIN_NAMES, "origin", source)
    destination = _column(names, ends.destination, trip_tables.DESTINATION_NAMES, "destination", source)
    begin, begin_known = _places(study, ends.origins, columns[origin], "origins")
    finish, finish_known = _places(study, ends.destinations, columns[destination], "destinations")
    count = trip_tables.guessed([name for name in names if name not in (origin, destination)], trip_tables.COUNT_NAMES)
    rest = [name for name in names if name not in (origin, destination)]
    if count is None and len(rest) == 1 and all(isinstance(value, int | float) for value in columns[rest[0]]):
        count = rest[0]
    counts = np.array([_number(value) for value in columns[count]]) if count else np.ones(len(begin))
    faults = {
        row: f"row {row + 2}: {text}"
        for row in range(len(begin))
        if (text := _fault(columns, row, (origin, destination), (begin_known[row], finish_known[row]), counts[row]))
    }
    valid = np.array([row not in faults for row in range(len(begin))], bool)
    if not valid.any():
        raise AwlError(
            f"No trip can be placed: {next(iter(faults.values()), 'the table holds no row')}",
            where=source,
            remedy=f"Say which columns hold ids of '{ends.origins}' and '{ends.destinations}'",
            inputs=("origin", "destination"),
        )
    rows = np.flatnonzero(valid)
    lines = shapely.linestrings(np.stack([begin[rows], finish[rows]], axis=1))
    own = {
        "origin_id": Column.of([columns[origin][i] for i in rows.tolist()]),
        "destination_id": Column.of([columns[destination][i] for i in rows.tolist()]),
    }
    if count:
        own["count"] = Column.of(counts[rows])
    own |= {
        _free(name): Column.of([columns[name][i] for i in rows.tolist()])
        for name in names
        if name not in (origin, destination, count)
    }
    notes = LayerNotes(left_out=len(faults), left_out_named=tuple(list(faults.values())[:NAMED]))
    stem = Path(source).stem
    layer = Table(lines, own).with_notes(notes)
    new = NewLayer(ident or slug(stem), layer, title or stem.replace("_", " ").capitalize(), "lines", source)
    study.add_layers([new])
    return new.ident


def _column(names: list[str], wanted: str | None, known: tuple[str, ...], which: str, source: str) -> str:
    if wanted is not None and wanted not in names:
        raise AwlError(
            f"The table has no column '{wanted}'",
            where=source,
            remedy=f"Columns are: {', '.join(names[:40])}",
            inputs=(which,),
        )
    column = wanted or trip_tables.guessed(names, known)
    if column is None:
        raise AwlError(
            f"No column is known to hold the {which} of a trip",
            where=source,
            remedy=f"Say which: columns are {', '.join(names[:40])}",
            inputs=(which,),
        )
    return column


def _places(study: Study, layer: str, idents: list[Any], name: str) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    """Where features with some ids are, degrees (n, 2), and which are known."""
    table = study.read_layer(layer, None, name)
    points = shapely.get_coordinates(shapely.point_on_surface(table.geometry))
    place = {_text(ident): row for row, ident in reversed(list(enumerate(table.ids)))}
    rows = np.array([place.get(_text(ident), -1) for ident in idents], np.int64)
    return points[np.maximum(rows, 0)] if len(points) else np.zeros((len(rows), 2)), rows >= 0


def _text(ident: Any) -> str:
    """An id as text: 7 and 7.0 are one, as spreadsheets write them."""
    if isinstance(ident, float) and ident.is_integer():
        ident = int(ident)
    return str(ident).strip()


def _number(value: Any) -> float:
    try:
        return float(value)
    except (TypeError, ValueError):
        return float("nan")


def _fault(
    columns: dict[str, list[Any]], row: int, ends: tuple[str, str], known: tuple[bool, bool], number: float
) -> str | None:
    for name, is_known in zip(ends, known, strict=True):
        if not is_known:
            return f"no feature has the id '{str(columns[name][row])[:40]}' of '{name}'"
    if not np.isfinite(number) or number < 0:
        return "its count is no number of zero or more"
    return "nobody makes it" if number == 0 else None


def _free(name: str) -> str:
    """The name of a column, or another where it would stand for something else."""
    return f"{name}_1" if name.lower() in ("fid", "geom", "origin_id", "destination_id", "count") else name
