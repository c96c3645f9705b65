"""Read GMNS node and link tables (`node.csv`, `link.csv`, and `geometry.csv` is not needed: links carry WKT).

Directed links that are each other's reverse become one street open both ways. Units are metres and km/h, or what
`config.csv` says (`long_length`, `speed`). Node numbers are kept.
"""

from __future__ import annotations

import csv
import math
from pathlib import Path
from typing import Any

import numpy as np
import shapely

from awl.core.columns import Categorical
from awl.core.errors import AwlError
from awl.core.streets.build import STREET_CLASSES
from awl.core.streets.raw import RawExtract
from awl.formats.limits import check_size

DEFAULT_CLASS = "residential"
MPH = 1.609344
TRUE = ("true", "1", "t", "yes")


def is_folder(path: Path) -> bool:
    """Whether a folder holds GMNS tables."""
    return path.is_dir() and (path / "node.csv").is_file() and (path / "link.csv").is_file()


def read(folder: Path) -> RawExtract:
    """The nodes and links as ways that share nodes; `node_id` holds the numbers of the tables."""
    nodes = _table(folder / "node.csv", ("node_id", "x_coord", "y_coord"))
    links = _table(folder / "link.csv", ("from_node_id", "to_node_id"))
    number = _whole(nodes, "node_id", folder / "node.csv")
    lon, lat = (_numbers(nodes, name, folder / "node.csv") for name in ("x_coord", "y_coord"))
    _check_nodes(number, lon, lat, folder / "node.csv")
    per_unit = _speed_unit(folder / "config.csv")
    rows = _streets(
        links, {int(n): (x, y) for n, x, y in zip(number, lon, lat, strict=True)}, folder / "link.csv", per_unit
    )
    # Vertices between nodes get ids above all numbers; they belong to one link each.
    next_id = int(number.max()) + 1
    refs: list[int] = []
    start = [0]
    inner: list[tuple[float, float]] = []
    for row in rows:
        between = row["line"][1:-1]
        refs += [row["from"], *range(next_id, next_id + len(between)), row["to"]]
        next_id += len(between)
        inner += between
        start.append(len(refs))
    more = np.array(inner, float).reshape(-1, 2)
    tags = {key: Categorical.of([row[key] for row in rows]) for key in ("highway", "name", "maxspeed", "oneway")}
    return RawExtract(
        node_id=np.concatenate([number, np.arange(int(number.max()) + 1, next_id)]),
        node_lon=np.concatenate([lon, more[:, 0]]),
        node_lat=np.concatenate([lat, more[:, 1]]),
        tagged_nodes=np.zeros(0, np.int64),
        node_tags={},
        way_id=np.arange(1, len(rows) + 1, dtype=np.int64),
        way_start=np.array(start, np.int64),
        way_refs=np.array(refs, np.int64),
        way_tags={key: column for key, column in tags.items() if column.present().any()},
        relations=(),
    )


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


def _check_nodes(number: Any, lon: Any, lat: Any, path: Path) -> None:
    distinct, first, times = np.unique(number, return_index=True, return_counts=True)
    if len(distinct) < len(number):
        again = distinct[times > 1]
        raise AwlError(
            f"{len(again)} node number(s) stand more than once, the first is {again[0]}",
            where=f"{path.name}, line {int(first[times > 1][0]) + 2}",
            remedy="Give each node a number of its own",
            kind="broken-numbering",
        )
    finite = np.isfinite(lon).all() and np.isfinite(lat).all()
    if not finite or np.abs(lon).max() > 180 or np.abs(lat).max() > 90:
        raise AwlError("Coordinates are not degrees", where=path.name, remedy="Give x_coord, y_coord in WGS 84")


def _speed_unit(path: Path) -> float:
    """km/h to one unit of `free_speed`, from the specification's config table."""
    if not path.is_file():
        return 1.0
    text = _table(path, ())[0].get("speed", "").lower()
    return MPH if text in ("mph", "mi/h", "miles per hour") else 1.0


def _streets(
    rows: list[dict[str, str]], where: dict[int, tuple[float, float]], path: Path, per_unit: float
) -> list[dict[str, Any]]:
    """One entry per street: ends, line, tags. A directed pair that is each other's reverse is one street."""
    made: list[dict[str, Any]] = []
    waiting: dict[tuple[Any, ...], int] = {}
    ends = [_whole(rows, name, path) for name in ("from_node_id", "to_node_id")]
    for line, (row, a, b) in enumerate(zip(rows, ends[0].tolist(), ends[1].tolist(), strict=True), 2):
        for node in (a, b):
            if node not in where:
                raise AwlError(
                    f"Node {node} is not in node.csv", where=f"{path.name}, line {line}", remedy="Add the node"
                )
        vertices = _line(row.get("geometry") or "", where[a], where[b], f"{path.name}, line {line}")
        kind = row.get("facility_type") or ""
        entry = {
            "from": a,
            "to": b,
            "line": vertices,
            "highway": kind if kind in STREET_CLASSES else DEFAULT_CLASS,
            "name": row.get("name") or None,
            "maxspeed": _speed(row.get("free_speed"), per_unit),
            "oneway": "yes" if (row.get("directed") or "true").lower() in TRUE else None,
        }
        tags = tuple(entry[key] for key in ("highway", "name", "maxspeed"))
        forward, reverse = tuple(vertices), tuple(reversed(vertices))
        other = waiting.pop((b, a, reverse, tags), None) if entry["oneway"] else None
        if other is not None:
            made[other]["oneway"] = None
            continue
        if entry["oneway"]:
            waiting[a, b, forward, tags] = len(made)
        made.append(entry)
    return made


def _line(wkt: str, start: tuple[float, float], end: tuple[float, float], where: str) -> list[tuple[float, float]]:
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
    inner = [(float(x), float(y)) for x, y, *_ in shape.coords][1:-1]
    return [start, *inner, end]


def _speed(text: str | None, per_unit: float) -> str | None:
    try:
        kmh = float(text or "") * per_unit
    except ValueError:
        return None
    return f"{kmh:g}" if math.isfinite(kmh) and kmh > 0 else None
