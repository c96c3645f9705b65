"""Read GMNS tables (`node.csv`, `link.csv`, Awl's `restriction.csv`; links carry WKT) as a street graph with its node numbers.

Directed links that are each other's reverse become one street open both ways. Units are metres and km/h, or what `config.csv`
says (`speed`). Further number columns become costs given for each direction. Coordinates are degrees, those of a stated
coordinate system, or a drawing without geography whose lengths are a given weight.
"""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.graph.build import JUNCTION_KEYS
from awl.core.graph.street_graph import StreetGraph
from awl.io import gmns_turns, graph_tables, text_table
from awl.io.crs import to_degrees
from awl.io.gmns_links import GEOMETRY_KEYS, LinkReading, Nodes, Place, cost_columns, streets_of
from awl.io.limits import archive_members, opened_archive
from awl.io.table import Table, Values
from awl.io.text_table import TextTable
from awl.io.units import LENGTH_UNITS, SPEED_UNITS, Units, factor

DRAWING_DEGREES = 0.02
"""Extent of a drawing on the globe, about that of a town, so that it can be looked at like one."""
TABLES = {"node.csv", "link.csv", "config.csv", "restriction.csv", "geometry.csv", "movement.csv"}


def is_folder(path: Path) -> bool:
    """Whether a folder holds GMNS tables.

    Parameters:
        path: the file.
    """
    return path.is_dir() and (path / "node.csv").is_file() and (path / "link.csv").is_file()


def unpacked(archive_path: Path) -> Path | None:
    """The folder of the tables of a zip archive, beside it; None when it holds no GMNS tables.

    Parameters:
        archive_path: the archive.
    """
    folder = archive_path.with_suffix(".gmns")
    if is_folder(folder):
        return folder
    tables = {Path(name).name: name for name in archive_members(archive_path, archive_path.name)}
    if not {"node.csv", "link.csv"} <= set(tables):
        return None
    folder.mkdir(exist_ok=True)
    try:
        with opened_archive(archive_path, archive_path.name) as archive:
            for name in TABLES & set(tables):
                member = archive.getinfo(tables[name])
                with archive.open(member) as packed, (folder / name).open("wb") as out:
                    left = member.file_size  # a member that lies about its size is cut off there
                    while left > 0 and (chunk := packed.read(min(left, 1 << 20))):
                        out.write(chunk)
                        left -= len(chunk)
    except BaseException:
        shutil.rmtree(folder, ignore_errors=True)
        raise
    return folder


class ReadGraph(NamedTuple):
    """A graph of tables, and how many rows were left out, by what is wrong with them."""

    graph: StreetGraph
    left_out: dict[str, int]


def read(
    folder: Path, crs: str | None = None, weight: str | None = None, units: Units | None = None, strict: bool = False
) -> ReadGraph:
    """The graph of the tables.

    Parameters:
        folder: holds them.
        crs: what the coordinates are where they are not degrees.
        weight: the column that is the length of links in a drawing without geography.
        units: of `free_speed`, from config.csv or else km/h where none is named, and of `weight`.
        strict: refuse links whose nodes are not there, and rows with too many or too few cells, instead of leaving them out.

    Raises:
        AwlError: a table lacks a column, or a row holds what it may not; the line is named.
    """
    units = units or Units()
    left_out: dict[str, int] = {}
    node_rows = text_table.read(folder / "node.csv").needs("node_id", "x_coord", "y_coord")
    link_rows = _links(folder)
    _leave_out_uneven((node_rows, link_rows), strict, left_out)
    if "link_id" in link_rows.columns:
        _check_ids(link_rows)
    number = node_rows.whole("node_id")
    x, y = (node_rows.numbers(name) for name in ("x_coord", "y_coord"))
    _check_numbers(number, node_rows)
    place = _placing(x, y, crs, weight, node_rows.source)
    lon, lat = place(x, y)
    nodes = Nodes.of(number, lon, lat)
    costs = cost_columns(link_rows)
    if weight is not None and weight not in costs:
        raise AwlError(
            f"The links have no number column '{weight}'",
            where=link_rows.source,
            remedy=f"Choose one of: {', '.join(costs) or 'there is none'}",
            inputs=("weight",),
        )
    reading = LinkReading(
        place=place,
        per_unit=factor(SPEED_UNITS, units.speed or _stated_speed_unit(folder), "speed"),
        costs=costs,
        weight=weight,
        metres=factor(LENGTH_UNITS, units.length or "m", "length"),
        shapes=_shapes_of(folder / "geometry.csv", link_rows),
    )
    streets = streets_of(_with_nodes(link_rows, nodes, strict, left_out), nodes, reading)
    turns_path, movements_path = folder / "restriction.csv", folder / "movement.csv"
    turns = None
    if turns_path.is_file():
        turns = gmns_turns.restrictions(turns_path)
    elif movements_path.is_file():
        turns = gmns_turns.of_movements(movements_path, streets, left_out)
    graph = graph_tables.graph_of(
        _node_table(node_rows, number, lon, lat), streets.table, turns, folder.name, drawn=weight is not None
    )
    return ReadGraph(graph.in_space_order(), left_out)


def number_columns(folder: Path) -> list[str]:
    """Columns of the links that could be costs or, in a drawing, lengths.

    Parameters:
        folder: the folder that holds the tables.
    """
    return cost_columns(_links(folder))


def speed_unit(folder: Path) -> str | None:
    """The unit in which speeds would be read; None where the links have none.

    Parameters:
        folder: the folder that holds the tables.
    """
    if not _links(folder).holds("free_speed"):
        return None
    per_unit = SPEED_UNITS[_stated_speed_unit(folder)]
    return next(name for name, value in SPEED_UNITS.items() if value == per_unit)


def _links(folder: Path) -> TextTable:
    return text_table.read(folder / "link.csv").needs("from_node_id", "to_node_id")


def _leave_out_uneven(tables: tuple[TextTable, ...], strict: bool, left_out: dict[str, int]) -> None:
    """Count the rows that have more or fewer cells than their header."""
    count = 0
    for table in tables:
        if table.uneven and strict:
            raise AwlError(
                "The row has not as many cells as the header",
                where=f"{table.source}, line {table.uneven[0]}",
                remedy="Repair it, or leave such rows out by reading without --strict",
            )
        count += len(table.uneven)
    if count:
        left_out["rows with more or fewer cells than the header"] = count


def _with_nodes(links: TextTable, nodes: Nodes, strict: bool, left_out: dict[str, int]) -> TextTable:
    """The links whose nodes are there."""
    tail, head = links.whole("from_node_id"), links.whole("to_node_id")
    no_tail, no_head = nodes.missing(tail), nodes.missing(head)
    lost = np.flatnonzero(no_tail | no_head)
    if not len(lost):
        return links
    if strict or len(lost) == len(links):
        row = lost[0]
        more = f", and {len(lost) - 1:,} more like it" if len(lost) > 1 else ""
        raise AwlError(
            f"Node {tail[row] if no_tail[row] else head[row]} is not in node.csv{more}",
            where=f"{links.source}, line {links.lines[row]}",
            remedy="Add the nodes, or leave such links out by reading without --strict",
        )
    left_out["links without their node"] = len(lost)
    return links.take(~(no_tail | no_head))


def _shapes_of(path: Path, links: TextTable) -> TextTable | None:
    """WKT by id, where links name their geometry instead of holding it."""
    if not path.is_file() or not any(key in links.columns for key in GEOMETRY_KEYS):
        return None
    return text_table.read(path).needs("geometry_id", "geometry")


def _placing(x: Any, y: Any, crs: str | None, weight: str | None, source: str) -> Place:
    """The function that takes the tables' coordinates to degrees."""
    if not (np.isfinite(x).all() and np.isfinite(y).all()):
        raise AwlError("Coordinates are not degrees: one is not finite", where=source, remedy="Repair the table")
    if weight is not None:
        scale = DRAWING_DEGREES / max(float(np.ptp(x)), float(np.ptp(y)), 1e-9)
        middle = (float(x.min() + x.max()) / 2, float(y.min() + y.max()) / 2)
        return lambda a, b: ((np.asarray(a) - middle[0]) * scale, (np.asarray(b) - middle[1]) * scale)
    if crs is not None:

        def moved(a: Any, b: Any) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
            points = to_degrees(np.atleast_1d(shapely.points(np.asarray(a, float), np.asarray(b, float))), crs, source)
            return shapely.get_x(points), shapely.get_y(points)

        return moved
    if np.abs(x).max() > 180 or np.abs(y).max() > 90:
        raise AwlError(
            f"Coordinates are not degrees: they reach {np.abs(x).max():,.0f}, {np.abs(y).max():,.0f}",
            where=source,
            remedy="State their coordinate system, or name the column with the weights if this is a drawing without geography",
            inputs=("crs",),
            kind="crs-missing",
        )
    return lambda a, b: (np.asarray(a, float), np.asarray(b, float))


def _node_table(rows: TextTable, number: NDArray[np.int64], lon: Any, lat: Any) -> Table:
    columns: dict[str, Values] = {"node_id": number}
    for key in ("osm_node_id", "node_type", *(graph_tables.field_of(key) for key in JUNCTION_KEYS)):
        if key in rows.columns:
            columns[key] = rows.columns[key]
    return Table(np.atleast_1d(shapely.points(lon, lat)), columns)


def _check_numbers(number: NDArray[np.int64], rows: TextTable) -> None:
    distinct, first, times = np.unique(number, return_index=True, return_counts=True)
    if len(distinct) < len(number):
        again = distinct[times > 1]
        raise AwlError(
            f"{len(again)} node number(s) stand more than once, the first is {again[0]}",
            where=f"{rows.source}, line {rows.lines[first[times > 1][0]]}",
            remedy="Give each node a number of its own",
            kind="broken-numbering",
        )


def _check_ids(links: TextTable) -> None:
    """Refuse links of one id before anything is made of them."""
    ids = links.text("link_id")
    if ids.null_count == 0 and len(ids.unique()) < len(ids) // 2:
        raise AwlError(
            "Most links have an id that others have too", where=links.source, remedy="Give each link its own"
        )


def _stated_speed_unit(folder: Path) -> str:
    """The unit of `free_speed` as the specification's config table says; km/h where it says none that is known."""
    path = folder / "config.csv"
    if not path.is_file():
        return "km/h"
    stated = (text_table.read(path).needs().text("speed")[0].as_py() or "").lower()
    return stated if stated in SPEED_UNITS else "km/h"
