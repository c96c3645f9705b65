"""A list of links alone (from, to, length): a graph without geography, its nodes drawn where they hang together.

The layout is spectral (K. Hall, *An r-dimensional quadratic placement algorithm*, Management Science 17, 1970): nodes that share
links come to lie near each other.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pyarrow.compute as pc
import shapely
from numpy.typing import NDArray
from scipy import sparse

from awl.core.errors import AwlError
from awl.core.graph.street_graph import StreetGraph
from awl.io import graph_tables, text_table
from awl.io.table import Table
from awl.io.text_table import TextTable
from awl.io.units import LENGTH_UNITS, factor

FROM_NAMES = ("from", "from_node_id", "from_node", "source", "start", "a", "i", "tail")
TO_NAMES = ("to", "to_node_id", "to_node", "target", "end", "b", "j", "head")
LENGTH_NAMES = ("length", "weight", "cost", "distance", "time", "duration", "w")
DRAWING_DEGREES = 0.02
"""Extent of a drawing on the globe, about that of a town, so that it can be looked at like one."""
MAX_LINKS = 200_000
SPECTRAL_NODES = 20_000
"""Larger lists are drawn on a circle: their layout takes minutes and shows nothing."""


def is_link_list(path: Path, source: str) -> bool:
    """Whether a CSV file names links by their ends and no coordinates.

    Parameters:
        path: the file.
        source: the name of the file, for messages.
    """
    if not source.lower().endswith((".csv", ".tsv", ".txt")) or not path.is_file():
        return False
    header = text_table.first_line(path)
    coordinates = {"lon", "lat", "x", "y", "wkt", "geometry", "geom", "x_coord"} & set(header)
    return bool(set(FROM_NAMES) & set(header) and set(TO_NAMES) & set(header)) and not coordinates


def read(path: Path, source: str, weight: str | None = None, unit: str | None = None) -> StreetGraph:
    """The graph of a list of links; `weight` names the column with their lengths where it has none of the usual names.

    `unit` is that of the lengths, one of `LENGTH_UNITS`; metres where none is named.

    Parameters:
        path: the file.
        source: the name of the file, for messages.
        weight: the column with the lengths; one of the usual names where None.
        unit: the unit of the lengths; metres where None.

    Raises:
        AwlError: a row has no two ends or no length above 0; the line is named.
    """
    rows = text_table.read(path, source, delimiter=None, most=256 << 20)
    named = {name.lower(): name for name in rows.columns}
    tail_name, head_name = (next(named[name] for name in names if name in named) for names in (FROM_NAMES, TO_NAMES))
    lengths = (weight.lower(),) if weight else LENGTH_NAMES
    length_name = next((named[name] for name in lengths if name in named), None)
    if length_name is None:
        raise AwlError(
            "The list of links names no length" if weight is None else f"The list has no column '{weight}'",
            where=f"{source}, line 1",
            remedy=f"Say which column holds it: {', '.join(rows.columns)}",
            inputs=("weight",),
        )
    if rows.uneven:
        raise _faulty(source, rows.uneven[0])
    if not 0 < len(rows) <= MAX_LINKS:
        raise AwlError(f"The list has {len(rows):,} links", where=source, remedy=f"Give 1 to {MAX_LINKS:,}")
    metres = factor(LENGTH_UNITS, unit or "m", "length")
    ends, values = _links(rows, tail_name, head_name, length_name)
    numbers = _numbers(ends)
    tail, head = (np.array([numbers[row[k]] for row in ends]) for k in (0, 1))
    ident = sorted(set(numbers.values()))
    index = {number: i for i, number in enumerate(ident)}
    xy = _layout(len(ident), np.array([index[n] for n in tail]), np.array([index[n] for n in head]))
    points = {number: tuple(xy[i]) for number, i in index.items()}
    lines = [shapely.LineString([points[int(p)], points[int(q)]]) for p, q in zip(tail, head, strict=True)]
    graph = graph_tables.graph_of(
        Table(np.atleast_1d(shapely.points(xy)), {"node_id": ident}),
        Table(
            np.array(lines, dtype=object),
            {
                "from_node_id": tail.tolist(),
                "to_node_id": head.tolist(),
                "length": values * metres,
                "highway": ["road"] * len(lines),
            },
        ),
        None,
        source,
        drawn=True,
    )
    return graph.in_space_order()


def _links(rows: TextTable, tail: str, head: str, length: str) -> tuple[list[tuple[str, str]], NDArray[np.float64]]:
    """Names of both ends, and lengths (m,)."""
    decimal = pc.replace_substring(rows.text(length).fill_null(""), ",", ".")
    values = TextTable(rows.source, {length: decimal}, rows.lines).numbers_or_nan(length)
    ends = list(zip(*(rows.text(name).to_pylist() for name in (tail, head)), strict=True))
    named = np.array([bool(a and b and a != b) for a, b in ends])
    faulty = np.flatnonzero(~(named & np.isfinite(values) & (values > 0)))
    if len(faulty):
        raise _faulty(rows.source, int(rows.lines[faulty[0]]))
    return ends, values


def _faulty(source: str, line: int) -> AwlError:
    return AwlError(
        "The row has no two ends and a length above 0", where=f"{source}, line {line}", remedy="Repair or drop it"
    )


def _numbers(ends: list[tuple[str, str]]) -> dict[str, int]:
    """A number for each node: its own where all are whole numbers above 0, else by order of appearance."""
    names = list(dict.fromkeys(name for pair in ends for name in pair))
    if all(name.isdigit() and 0 < int(name) < 2**62 for name in names):
        return {name: int(name) for name in names}
    return {name: i for i, name in enumerate(names, 1)}


def _layout(count: int, tail: NDArray[np.integer], head: NDArray[np.integer]) -> NDArray[np.float64]:
    """Places of nodes (n, 2) in degrees around 0, 0."""
    angle = 2 * np.pi * np.arange(count) / count
    circle = np.column_stack([np.cos(angle), np.sin(angle)])
    xy = circle
    if 3 < count <= SPECTRAL_NODES:
        ones = np.ones(len(tail))
        joined = sparse.coo_matrix((ones, (tail, head)), (count, count))
        joined = (joined + joined.T).tocsr()
        laplacian = sparse.diags(np.asarray(joined.sum(axis=1)).ravel()) - joined
        try:
            _, vectors = sparse.linalg.eigsh(laplacian.tocsc(), k=3, sigma=-1e-3, which="LM", v0=circle[:, 0])
            xy = vectors[:, 1:3]
        except (RuntimeError, sparse.linalg.ArpackError):
            xy = circle
    # Nodes with the same neighbours would lie on one another: a little of the circle parts them.
    spread = max(float(np.ptp(xy)), 1e-9)
    xy = (xy - xy.mean(axis=0)) / spread + 0.05 * circle
    placed: NDArray[np.float64] = xy * (DRAWING_DEGREES / max(float(np.ptp(xy)), 1e-9))
    return placed
