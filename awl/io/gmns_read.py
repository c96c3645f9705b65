"""Read GMNS tables (`node.csv`, `link.csv`, Awl's `restriction.csv`; links carry WKT) as a street graph with its node numbers.

Directed links that are each other's reverse become one street open both ways. Units are metres and km/h, or what `config.csv`
says (`speed`). Further number columns become costs given for each direction. Coordinates are degrees, those of a stated
coordinate system, or a drawing without geography whose lengths are a given weight.
"""

from __future__ import annotations

import csv
import math
import zipfile
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.graph.build import JUNCTION_KEYS, LINK_CLASSES, STREET_KEYS
from awl.core.graph.street_graph import StreetGraph
from awl.core.graph.turns import DELAY
from awl.io import graph_tables
from awl.io.crs import to_degrees
from awl.io.limits import archive_members, check_size
from awl.io.table import Table
from awl.io.units import LENGTH_UNITS, SPEED_UNITS, Units, factor

DEFAULT_CLASS = "residential"
DRAWN_CLASS = "road"
DRAWING_DEGREES = 0.02
"""Extent of a drawing on the globe, about that of a town, so that it can be looked at like one."""
TABLES = {"node.csv", "link.csv", "config.csv", "restriction.csv", "geometry.csv", "movement.csv"}
GEOMETRY_KEYS = ("geometry_id", "link_geom_id")
"""Columns of links that name a row of geometry.csv."""
TRUE = ("true", "1", "t", "yes")
KNOWN = {
    "link_id", "parent_link_id", "from_node_id", "to_node_id", "directed", "geometry_id", "geometry", "dir_flag", "length",
    "grade", "facility_type", "capacity", "free_speed", "bike_facility", "ped_facility", "parking", "allowed_uses",
    "jurisdiction", "row_width", "street_link_id", "street_direction", "osm_way_id", "osm_way_ids", "name", "link_geom_id",
}  # fmt: skip
"""Columns of links that are no cost."""
TAGS = {graph_tables.field_of(key) for key in STREET_KEYS}


def is_folder(path: Path) -> bool:
    """Whether a folder holds GMNS tables."""
    return path.is_dir() and (path / "node.csv").is_file() and (path / "link.csv").is_file()


def unpacked(archive_path: Path) -> Path | None:
    """The folder of the tables of a zip archive, beside it; None when it holds no GMNS tables."""
    folder = archive_path.with_suffix(".gmns")
    if is_folder(folder):
        return folder
    tables = {Path(name).name: name for name in archive_members(archive_path, archive_path.name)}
    if not {"node.csv", "link.csv"} <= set(tables):
        return None
    folder.mkdir(exist_ok=True)
    with zipfile.ZipFile(archive_path) as archive:
        for name in TABLES & set(tables):
            member = archive.getinfo(tables[name])
            with archive.open(member) as packed, (folder / name).open("wb") as out:
                left = member.file_size  # a member that lies about its size is cut off there
                while left > 0 and (chunk := packed.read(min(left, 1 << 20))):
                    out.write(chunk)
                    left -= len(chunk)
    return folder


@dataclass
class _Street:
    """A street in the making: its ends and vertices as drawn, its attributes, costs along and against."""

    tail: int
    head: int
    line: list[tuple[float, float]]
    values: dict[str, Any]
    costs: dict[str, list[float | None]] = field(default_factory=dict)
    both: bool = False


class ReadGraph(NamedTuple):
    """A graph of tables, and how many rows were left out, by what is wrong with them."""

    graph: StreetGraph
    left_out: dict[str, int]


def read(
    folder: Path, crs: str | None = None, weight: str | None = None, units: Units | None = None, strict: bool = False
) -> ReadGraph:
    """The graph of the tables.

    Parameters:
        crs: what the coordinates are where they are not degrees.
        weight: the column that is the length of links in a drawing without geography.
        units: of `free_speed`, from config.csv or else km/h where none is named, and of `weight`.
        strict: refuse links whose nodes are not there instead of leaving them out.
    """
    units = units or Units()
    node_path, link_path = folder / "node.csv", folder / "link.csv"
    nodes = _table(node_path, ("node_id", "x_coord", "y_coord"))
    links = _table(link_path, ("from_node_id", "to_node_id"))
    number = _whole(nodes, "node_id", node_path)
    x, y = (_numbers(nodes, name, node_path) for name in ("x_coord", "y_coord"))
    _check_numbers(number, node_path)
    place = _placing(x, y, crs, weight, node_path)
    lon, lat = place(x, y)
    where = {int(n): spot for n, spot in zip(number, zip(lon.tolist(), lat.tolist(), strict=True), strict=True)}
    costs = number_columns(folder)
    if weight is not None and weight not in costs:
        raise AwlError(
            f"The links have no number column '{weight}'",
            where=link_path.name,
            remedy=f"Choose one of: {', '.join(costs) or 'there is none'}",
            inputs=("weight",),
        )
    shapes = _shapes_of(folder / "geometry.csv", links)
    per_unit = factor(SPEED_UNITS, units.speed or _stated_speed_unit(folder), "speed")
    left_out: dict[str, int] = {}
    lines = _with_nodes(links, where, link_path, strict, left_out)
    made = _streets(lines, where, place, link_path, per_unit, costs, weight is not None, shapes)
    turns_path, movements_path = folder / "restriction.csv", folder / "movement.csv"
    turns = None
    if turns_path.is_file():
        turns = _turn_layer(turns_path)
    elif movements_path.is_file():
        turns = _turns_of_movements(movements_path, made, left_out)
    graph = graph_tables.graph_of(
        _node_layer(nodes, number, lon, lat),
        _link_layer(made, costs, weight, factor(LENGTH_UNITS, units.length or "m", "length")),
        turns,
        folder.name,
        drawn=weight is not None,
    )
    return ReadGraph(graph.in_space_order(), left_out)


Line = tuple[int, dict[str, str]]
"""A row of link.csv with its number in the file."""


def _with_nodes(
    links: list[dict[str, str]], where: dict[int, Any], path: Path, strict: bool, left_out: dict[str, int]
) -> list[Line]:
    """The links whose nodes are there."""
    ends = [_whole(links, name, path).tolist() for name in ("from_node_id", "to_node_id")]
    lines: list[Line] = []
    lost: list[str] = []
    for line, (row, a, b) in enumerate(zip(links, *ends, strict=True), 2):
        missing = next((node for node in (a, b) if node not in where), None)
        if missing is None:
            lines.append((line, row))
        else:
            lost.append(f"{path.name}, line {line}: Node {missing} is not in node.csv")
    if lost and (strict or not lines):
        more = f", and {len(lost) - 1:,} more like it" if len(lost) > 1 else ""
        raise AwlError(f"{lost[0]}{more}", remedy="Add the nodes, or leave such links out by reading without --strict")
    if lost:
        left_out["links without their node"] = len(lost)
    return lines


def _shapes_of(path: Path, links: list[dict[str, str]]) -> dict[str, str]:
    """WKT by id, where links name their geometry instead of holding it."""
    if not path.is_file() or not any(key in links[0] for key in GEOMETRY_KEYS):
        return {}
    return {row["geometry_id"]: row["geometry"] for row in _table(path, ("geometry_id", "geometry"))}


def _turns_of_movements(path: Path, made: list[_Street], left_out: dict[str, int]) -> Table | None:
    """The turns that are barred because a node lists others, and what turns with a penalty take."""
    rows = _table(path, ("node_id", "ib_link_id", "ob_link_id"))
    arcs = {
        ident: (number, side)
        for number, street in enumerate(made)
        for side, ident in enumerate(str(street.values["gmns_link_id"] or "").split(";"))
        if ident
    }
    allowed: dict[int, set[tuple[str, str]]] = {}
    unknown = faulty = 0
    delays: list[tuple[int, int, int, float]] = []
    for row, node in zip(rows, _whole(rows, "node_id", path).tolist(), strict=True):
        turn = row["ib_link_id"], row["ob_link_id"]
        unknown += not (turn[0] in arcs and turn[1] in arcs)
        seconds = _seconds(row.get("penalty"))
        faulty += seconds is None
        if seconds and seconds > 0 and turn[0] in arcs and turn[1] in arcs:
            delays.append((node, arcs[turn[0]][0] + 1, arcs[turn[1]][0] + 1, seconds))
        pairs = allowed.setdefault(node, set())
        if (row.get("allowed_uses") or "").strip().lower() != "none":
            pairs.add(turn)
    into: dict[int, list[str]] = {}
    out: dict[int, list[str]] = {}
    for ident, (number, side) in arcs.items():
        ends = made[number].tail, made[number].head
        into.setdefault(ends[1 - side], []).append(ident)
        out.setdefault(ends[side], []).append(ident)
    barred = [
        (node, arcs[a][0] + 1, arcs[b][0] + 1)
        for node, pairs in allowed.items()
        for a in into.get(node, [])
        for b in out.get(node, [])
        if (a, b) not in pairs and arcs[a][0] != arcs[b][0]
    ]
    if unknown:
        left_out["movements between links that are not there"] = unknown
    if faulty:
        left_out["penalties of movements that are no number of seconds"] = faulty
    turns = [*((*turn, "no_turn", None) for turn in barred), *((*turn[:3], DELAY, turn[3]) for turn in delays)]
    if not turns:
        return None
    columns: dict[str, list[Any]] = {
        "relation_id": [0] * len(turns),
        "from_link_id": [made[a - 1].values["link_id"] for _, a, _, _, _ in turns],
        "via_node_id": [node for node, *_ in turns],
        "via_link_ids": [None] * len(turns),
        "to_link_id": [made[b - 1].values["link_id"] for _, _, b, _, _ in turns],
        "restriction": [kind for *_, kind, _ in turns],
        "delay_s": [seconds for *_, seconds in turns],
    }
    return Table(np.full(len(turns), None, object), columns)


def _seconds(text: str | None) -> float | None:
    """A penalty in seconds: 0 where none is stated, none where it is no number."""
    try:
        seconds = float(text or 0)
    except ValueError:
        return None
    return seconds if math.isfinite(seconds) else None


def number_columns(folder: Path) -> list[str]:
    """Columns of the links that could be costs or, in a drawing, lengths."""
    links = _table(folder / "link.csv", ("from_node_id", "to_node_id"))
    return [name for name in links[0] if name not in KNOWN | TAGS and _is_cost(links, name)]


Place = Callable[[Any, Any], tuple[NDArray[np.float64], NDArray[np.float64]]]


def _placing(x: Any, y: Any, crs: str | None, weight: str | None, path: Path) -> Place:
    """The function that takes the tables' coordinates to degrees."""
    if not (np.isfinite(x).all() and np.isfinite(y).all()):
        raise AwlError("Coordinates are not degrees: one is not finite", where=path.name, remedy="Repair the table")
    if weight is not None:
        scale = DRAWING_DEGREES / max(float(np.ptp(x)), float(np.ptp(y)), 1e-9)
        middle = (float(x.min() + x.max()) / 2, float(y.min() + y.max()) / 2)
        return lambda a, b: ((np.asarray(a) - middle[0]) * scale, (np.asarray(b) - middle[1]) * scale)
    if crs is not None:

        def moved(a: Any, b: Any) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
            points = to_degrees(
                np.atleast_1d(shapely.points(np.asarray(a, float), np.asarray(b, float))), crs, path.name
            )
            return shapely.get_x(points), shapely.get_y(points)

        return moved
    if np.abs(x).max() > 180 or np.abs(y).max() > 90:
        raise AwlError(
            f"Coordinates are not degrees: they reach {np.abs(x).max():,.0f}, {np.abs(y).max():,.0f}",
            where=path.name,
            remedy="State their coordinate system, or name the column with the weights if this is a drawing without geography",
            inputs=("crs",),
            kind="crs-missing",
        )
    return lambda a, b: (np.asarray(a, float), np.asarray(b, float))


def _node_layer(rows: list[dict[str, str]], number: Any, lon: Any, lat: Any) -> Table:
    columns: dict[str, list[Any]] = {"node_id": number.tolist()}
    for key in ("osm_node_id", "node_type", *(graph_tables.field_of(key) for key in JUNCTION_KEYS)):
        if key in rows[0]:
            columns[key] = [row[key] or None for row in rows]
    return Table(np.atleast_1d(shapely.points(lon, lat)), columns)


def _link_layer(made: list[_Street], costs: list[str], weight: str | None, metres: float) -> Table:
    names = dict.fromkeys(name for street in made for name in street.values)
    columns: dict[str, list[Any]] = {name: [street.values.get(name) for street in made] for name in names}
    columns["from_node_id"], columns["to_node_id"] = [s.tail for s in made], [s.head for s in made]
    for name in costs:
        for side, ending in enumerate(graph_tables.DIRECTIONS):
            columns[name + ending] = [street.costs[name][side] for street in made]
    if weight is not None:
        columns["length"] = [next((v for v in s.costs[weight] if v is not None), 0.0) * metres for s in made]
    return Table(np.array([shapely.LineString(street.line) for street in made], dtype=object), columns)


def _turn_layer(path: Path) -> Table:
    rows = _table(path, ("from_street_link_id", "via_node_id", "to_street_link_id", "restriction"))
    names = {
        "from_street_link_id": "from_link_id",
        "via_street_link_ids": "via_link_ids",
        "to_street_link_id": "to_link_id",
    }
    every = ("relation_id", *names, "via_node_id", "restriction", "applies_to", "exempt", "condition", "delay_s")
    columns = {names.get(name, name): [row.get(name) or None for row in rows] for name in every}
    return Table(np.full(len(rows), None, object), columns)


def _table(path: Path, needed: tuple[str, ...]) -> list[dict[str, str]]:
    check_size(path, 1 << 31)
    try:
        with path.open(encoding="utf-8-sig", newline="") as stream:
            rows = list(csv.DictReader(stream))
    except (UnicodeDecodeError, csv.Error) as error:
        raise AwlError(
            f"The file is no CSV in UTF-8 ({error})", where=path.name, remedy="Save it as CSV, UTF-8"
        ) from error
    if not rows:
        raise AwlError("The table has no row", where=path.name, remedy="Check the export")
    missing = [name for name in needed if name not in rows[0]]
    if missing:
        raise AwlError(
            f"The table has no column '{missing[0]}'", where=f"{path.name}, line 1", remedy="Name it as GMNS does"
        )
    return rows


def _numbers(rows: list[dict[str, str]], name: str, path: Path) -> np.ndarray[Any, np.dtype[np.float64]]:
    out = np.empty(len(rows))
    for line, row in enumerate(rows, 2):
        try:
            out[line - 2] = float(row[name])
        except (TypeError, ValueError) as error:
            raise AwlError(f"'{row[name]}' is no number for {name}", where=f"{path.name}, line {line}") from error
    return out


def _whole(rows: list[dict[str, str]], name: str, path: Path) -> np.ndarray[Any, np.dtype[np.int64]]:
    out = np.empty(len(rows), np.int64)
    for line, row in enumerate(rows, 2):
        try:
            out[line - 2] = int(row[name])
        except (TypeError, ValueError, OverflowError) as error:
            raise AwlError(f"'{row[name]}' is no whole number for {name}", where=f"{path.name}, line {line}") from error
    return out


def _check_numbers(number: NDArray[np.int64], path: Path) -> None:
    distinct, first, times = np.unique(number, return_index=True, return_counts=True)
    if len(distinct) < len(number):
        again = distinct[times > 1]
        raise AwlError(
            f"{len(again)} node number(s) stand more than once, the first is {again[0]}",
            where=f"{path.name}, line {int(first[times > 1][0]) + 2}",
            remedy="Give each node a number of its own",
            kind="broken-numbering",
        )


def _is_cost(rows: list[dict[str, str]], name: str) -> bool:
    """Whether every value of a column is a number or empty, and one is there."""
    values = [row[name] for row in rows if row.get(name)]
    try:
        return bool(values) and all(math.isfinite(float(value)) for value in values)
    except ValueError:
        return False


def _stated_speed_unit(folder: Path) -> str:
    """The unit of `free_speed` as the specification's config table says; km/h where it says none that is known."""
    path = folder / "config.csv"
    stated = (_table(path, ())[0].get("speed") or "").strip().lower() if path.is_file() else ""
    return stated if stated in SPEED_UNITS else "km/h"


def speed_unit(folder: Path) -> str | None:
    """The unit in which speeds would be read; None where the links have none."""
    links = _table(folder / "link.csv", ("from_node_id", "to_node_id"))
    if not any(row.get("free_speed") for row in links):
        return None
    per_unit = SPEED_UNITS[_stated_speed_unit(folder)]
    return next(name for name, value in SPEED_UNITS.items() if value == per_unit)


def _streets(
    lines: list[Line], where: dict[int, tuple[float, float]], place: Place, path: Path, per_unit: float,
    costs: list[str], drawn: bool, shapes: dict[str, str],
) -> list[_Street]:  # fmt: skip
    """One entry per street. Rows that name the same `street_link_id`, or are each other's reverse, are one street."""
    made: list[_Street] = []
    waiting: dict[Any, int] = {}
    told = "oneway" in lines[0][1]  # the source's own tag says it better than which rows are there
    for line, row in lines:
        spot = f"{path.name}, line {line}"
        a, b = int(row["from_node_id"]), int(row["to_node_id"])
        directed = (row.get("directed") or "true").lower() in TRUE
        named = next((row[key] for key in GEOMETRY_KEYS if row.get(key)), "")
        vertices = _line(row.get("geometry") or shapes.get(named, ""), where[a], where[b], spot, place)
        own = row.get("street_link_id") or ""
        against = _runs_against(row, own)
        ident = row.get("link_id") or ""
        if against:
            a, b, vertices = b, a, vertices[::-1]
        values = _values(row, per_unit, line, drawn)
        mine = [float(row[name]) if row.get(name) else None for name in costs]
        key = own or (a, b, tuple(vertices), values["highway"], values["name"], values["maxspeed"])
        reverse = own or (b, a, tuple(reversed(vertices)), *key[3:]) if directed else None
        other = waiting.pop(reverse, None) if directed else None
        if other is not None:
            street = made[other]
            street.both = True
            side = 1 if against or not own else 0
            first = str(street.values["gmns_link_id"] or "").strip(";")
            street.values["gmns_link_id"] = f"{first};{ident}" if side else f"{ident};{first}"
            for name, value in zip(costs, mine, strict=True):
                street.costs[name][side] = value
            continue
        values["gmns_link_id"] = (f";{ident}" if against else ident) or None
        street = _Street(a, b, vertices, values, both=not directed)
        for name, value in zip(costs, mine, strict=True):
            street.costs[name] = [value, value] if not directed else [None, value] if against else [value, None]
        if directed:
            waiting[key] = len(made)
            if against and not told:
                street.values["oneway"] = "-1"
        made.append(street)
    for street in made:
        if not told:
            street.values["oneway"] = None if street.both else street.values.get("oneway") or "yes"
    return made


def _runs_against(row: dict[str, str], own: str) -> bool:
    """Whether a row that Awl wrote runs against the drawn direction of its street."""
    if row.get("street_direction"):
        return row["street_direction"] == "backward"
    return own.isdigit() and row.get("link_id") == str(2 * int(own))


def _values(row: dict[str, str], per_unit: float, line: int, drawn: bool) -> dict[str, Any]:
    """Attributes of a row in the words of the street graph."""
    kind = row.get("facility_type") or ""
    usual = DRAWN_CLASS if drawn else DEFAULT_CLASS
    values: dict[str, Any] = {
        "link_id": row.get("street_link_id") or row.get("link_id") or line - 1,
        "osm_way_id": row.get("osm_way_id") or line - 1,
        "osm_way_ids": row.get("osm_way_ids") or None,
        "highway": kind if kind in LINK_CLASSES else usual,
        "name": row.get("name") or None,
        "maxspeed": _speed(row.get("free_speed"), per_unit),
    }
    # Tables that Awl wrote hold the speed of a mode as free speed, and the posted one among the tags.
    if "maxspeed" in row or "duration_s" in row:
        values["maxspeed"] = None
    values |= {name: row[name] or None for name in TAGS & set(row) - {"gmns_link_id"}}
    return values


def _line(
    wkt: str, start: tuple[float, float], end: tuple[float, float], where: str, place: Place
) -> list[tuple[float, float]]:
    """Vertices from node to node; a straight line where the link has no geometry."""
    if not wkt:
        return [start, end]
    try:
        shape = shapely.from_wkt(wkt)
    except shapely.errors.GEOSException as error:
        raise AwlError("The geometry is no WKT", where=where, remedy="Give a LINESTRING") from error
    if shape.geom_type != "LineString":
        raise AwlError(f"The geometry is a {shape.geom_type}", where=where, remedy="Give a LINESTRING")
    if not np.isfinite(shapely.get_coordinates(shape)).all():
        raise AwlError("A coordinate is not a finite number", where=where, remedy="Repair the geometry")
    xy = shapely.get_coordinates(shape)[1:-1]
    return [start, *zip(*(column.tolist() for column in place(xy[:, 0], xy[:, 1])), strict=True), end]


def _speed(text: str | None, per_unit: float) -> str | None:
    try:
        kmh = float(text or "") * per_unit
    except ValueError:
        return None
    return f"{kmh:g}" if math.isfinite(kmh) and kmh > 0 else None
