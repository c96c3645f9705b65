"""What a file holds, before anything is built or added: for the user to decide what it is and what of it is wanted."""

from __future__ import annotations

from collections import Counter
from pathlib import Path
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.columns import Categorical
from awl.core.errors import AwlError
from awl.core.geodesy import LocalPlane, segment_lengths
from awl.core.graph.build import street_class
from awl.core.graph.lines import LineStreets, groups, raw_of_lines
from awl.core.graph.raw import RawExtract
from awl.core.graph.street_graph import ragged_lines
from awl.core.progress import Progress
from awl.io import crs as systems
from awl.io import gmns_read, gtfs, link_list, osm, place_tables, raster, trip_tables, vector
from awl.io.gmns_read import ReadGraph
from awl.io.table import Column, Table
from awl.study import feeds, importing
from awl.study.importing import ReadOptions
from awl.study.line_fields import BuildOptions, guess, streets_of

PREVIEW_VERTICES = 250_000
"""Vertices of a preview; larger networks are drawn with simplified lines."""
PREVIEW_FEATURES = 20_000
JOINED_LINES = 20_000
"""Layers with more lines are not joined on trial: it takes longer than one waits for a form."""
CRS_KINDS = ("crs-missing", "crs-wrong", "crs-unknown")
COMMON = ("EPSG:4326", "EPSG:3857")


def described(
    path: Path, source: str, how: ReadOptions | None = None, near: list[float] | None = None
) -> dict[str, Any]:
    """Kind of a file (`extract`, `graph`, `layers`, `raster`, `timetable`) and what is in it.

    A layer or raster that cannot be placed says so in `problem`: with `candidates` for its coordinate system, those in which it
    would lie near `near` (W, S, E, N in degrees, the streets of the study it is for), or with the `columns` of a table.
    """
    how = how or ReadOptions()
    if importing.is_extract(source):
        return {"kind": "extract", "layers": [], "extract": described_extract(read_extract(path, source))}
    if gtfs.is_feed(path):
        reading = gtfs.read(path)
        summary = feeds.summary_of(reading)
        typical = feeds.typical_days(summary["trips_by_day"], summary["first_day"])
        lon, lat = reading.feed.stops.lon, reading.feed.stops.lat
        box = [np.nanmin(lon), np.nanmin(lat), np.nanmax(lon), np.nanmax(lat)] if np.isfinite(lon).any() else None
        bounds = None if box is None else [round(float(v), 6) for v in box]
        return {"kind": "timetable", "layers": [], "timetable": summary | {"typical_days": typical, "bounds": bounds}}
    if raster.is_raster(source):
        return {"kind": "raster", "layers": [_described_raster(path, source, how.crs, near)]}
    if (ready_graph := _ready_graph(path, source, how.crs)) is not None:
        ready = ready_graph.graph
        bounds = [ready.node_lon.min(), ready.node_lat.min(), ready.node_lon.max(), ready.node_lat.max()]
        known: dict[str, Any] = {
            "nodes": ready.node_count,
            "links": ready.link_count,
            "length_km": round(float(ready.link_length.sum()) / 1000, 1),
        }
        known |= {
            "bounds": [round(float(v), 6) for v in bounds],
            "left_out": ready_graph.left_out,
            "drawn": ready.drawn,
        }
        known["length_unit"] = "m" if link_list.is_link_list(path, source) else None
        known["speed_unit"] = gmns_read.speed_unit(folder) if (folder := importing.gmns_folder(path, source)) else None
        return {"kind": "graph", "layers": [], "graph": known}
    if (folder := importing.gmns_folder(path, source)) is not None:
        weights = gmns_read.number_columns(folder)
        graph = {"problem": "The coordinates are not degrees", "weights": weights, "candidates": list(COMMON)}
        return {"kind": "graph", "layers": [], "graph": graph}
    if Path(source).suffix.lower() in (".parquet", ".omx"):
        columns = trip_tables.columns(path, source)
        about: dict[str, Any] = {
            "name": None,
            "geometry": "empty",
            "count": len(next(iter(columns.values()), [])),
            "crs": None,
            "fields": {},
        }
        problem = "Its rows have no places of their own"
        return {
            "kind": "layers",
            "layers": [about | {"problem": problem, "columns": list(columns), "only_trips": True}],
        }
    several = Path(source).suffix.lower() in importing.VECTOR_ENDINGS
    names: list[str | None] = list(vector.layers(path, source)) if several else [None]
    return {"kind": "layers", "layers": [_described(path, source, name, how, near) for name in names]}


def _ready_graph(path: Path, source: str, crs: str | None) -> ReadGraph | None:
    """A street graph the file holds; none where it is not known yet where its coordinates are."""
    try:
        return importing.read_graph(path, source, BuildOptions(crs=crs))
    except AwlError as error:
        if error.kind in CRS_KINDS:
            return None
        raise


def read_extract(path: Path, source: str, progress: Progress | None = None) -> RawExtract:
    """The extract of a file."""
    return osm.read([path], source, progress)


# -- layers ----------------------------------------------------------------------------------------------------------------


def _described(path: Path, source: str, name: str | None, how: ReadOptions, near: list[float] | None) -> dict[str, Any]:
    stated = how.crs
    if stated is None and Path(source).suffix.lower() in importing.VECTOR_ENDINGS:
        stated = vector.stated_crs(path, name, source)
    known: dict[str, Any] = {"name": name, "geometry": "empty", "count": 0, "bounds": None, "fields": {}, "crs": None}
    try:
        known["crs"] = systems.named(stated or systems.WGS84)
        layer, _ = importing.features(path, source, name, how)
    except AwlError as error:
        if error.kind == "columns-missing":
            return {**known, "problem": error.what, "columns": place_tables.columns_of(path, source)}
        if error.kind not in CRS_KINDS:
            raise
        return {**known, "crs": None, "problem": error.what, "candidates": _candidates(path, source, name, near)}
    if len(layer) == 0:
        return {**known, "problem": "It holds no feature"}
    box = shapely.total_bounds(layer.geometry)
    known |= {
        "geometry": layer.kind,
        "count": len(layer),
        "bounds": [round(float(v), 6) for v in box] if np.isfinite(box).all() else None,
        "fields": {key: _samples(values) for key, values in layer.columns.items()},
        "types": {key: _type(values) for key, values in layer.columns.items()},
        "without_geometry": int((shapely.is_missing(layer.geometry) | shapely.is_empty(layer.geometry)).sum()),
        "invalid": int((~shapely.is_valid(layer.geometry)).sum()),
        "key": layer.key_field,
        "keys": [field for field, values in layer.columns.items() if values.is_key],
        "notes": vars(layer.notes),
    }
    try:
        known["notes"] = vars(importing.usable(layer, source).notes)
        known["role"] = importing.suggested_role(name or Path(source).stem, layer, layer.kind)
    except AwlError as error:
        known["unusable"] = error.detail
        return known
    if layer.kind == "line":
        known |= _as_streets(layer, source)
    if near is not None and known["bounds"] and importing.apart(known["bounds"], near):
        known["far"] = True
        known["candidates"] = _candidates(path, source, name, near)
    return known


def _as_streets(layer: Table, source: str) -> dict[str, Any]:
    """Length, guessed roles of the fields, and the share of them, by length, for which each is known."""
    fields = guess(layer)
    streets, notes = streets_of(layer, fields, source)
    box = shapely.total_bounds(layer.geometry)
    metres = shapely.length(LocalPlane.around(box[[0, 2]], box[[1, 3]]).project(streets.geometry))
    tags = (("street_class", "highway"), ("speed", "maxspeed"), ("direction", "oneway"), ("name", "name"))
    there = {
        role: streets.tags[tag].present() if tag in streets.tags else np.zeros(len(metres), bool) for role, tag in tags
    }
    if notes.without_known_class == len(metres):
        there["street_class"] = np.zeros(len(metres), bool)
    known = {role: round(float(metres[mask].sum() / max(metres.sum(), 1e-9)), 3) for role, mask in there.items()}
    ways = (("crossings", True), ("ends", False)) if len(metres) <= JOINED_LINES else ()
    return {
        "length_km": round(float(metres.sum()) / 1000, 1),
        "roles": vars(fields),
        "known": known,
        "joins": {name: _joined(streets, crossings) for name, crossings in ways},
    }


def _joined(streets: LineStreets, break_crossings: bool) -> dict[str, float]:
    """What lines become where they are broken at crossings, or meet at their end points alone."""
    raw, report = raw_of_lines(streets, BuildOptions().tolerance_m, None, break_crossings)
    refs, line = raw.way_refs - 1, np.repeat(np.arange(len(raw.way_id)), np.diff(raw.way_start))
    step = line[1:] == line[:-1]
    a, b = refs[:-1][step], refs[1:][step]
    label = groups(len(raw.node_id), np.column_stack([a, b]))
    metres = segment_lengths(raw.node_lon[a], raw.node_lat[a], raw.node_lon[b], raw.node_lat[b])
    of_part = np.bincount(label[a], weights=metres)
    return {
        "broken": report.crossings_broken + report.ends_on_lines,
        "connected": round(float(of_part.max(initial=0.0) / max(of_part.sum(), 1e-9)), 3),
        "zero_length": report.zero_length,
    }


def _samples(values: Column) -> list[str]:
    """The commonest few values of a column."""
    return [str(value) for value, _ in Counter(v for v in values if v is not None).most_common(6)]


def _type(values: Column) -> str:
    if values.gaps.all():
        return "empty"
    return "number" if values.is_numeric else "truth" if values.kind == "boolean" else "text"


def _described_raster(path: Path, source: str, crs: str | None, near: list[float] | None) -> dict[str, Any]:
    known: dict[str, Any] = {"name": None, "geometry": "raster", "count": 0, "bounds": None, "fields": {}, "crs": None}
    try:
        grid = raster.read(path, source, crs)
    except AwlError as error:
        if error.kind not in CRS_KINDS:
            raise
        return {**known, "problem": error.what, "candidates": list(COMMON)}
    values = grid.values[~np.isnan(grid.values)]
    known |= {
        "crs": systems.named(grid.crs),
        "count": int(grid.values.size),
        "bounds": [round(float(v), 6) for v in grid.bounds],
        "role": importing.raster_role(Path(source).stem, grid),
        "raster": {
            "rows": grid.values.shape[0],
            "columns": grid.values.shape[1],
            "cell_m": round(grid.cell_m, 1),
            "least": float(values.min()),
            "most": float(values.max()),
            "total": float(values.astype(float).sum()),
        },
    }
    if near is not None and importing.apart(known["bounds"], near):
        known["far"] = True
    return known


def _candidates(path: Path, source: str, name: str | None, near: list[float] | None) -> list[str]:
    """Coordinate systems in which a layer would lie on Earth and, where streets are known, near them."""
    tried = [*COMMON]
    if near is not None:
        zone = int((near[0] + near[2]) / 2 // 6) + 31
        tried += [
            f"EPSG:{(326 if near[1] >= 0 else 327)}{number:02d}"
            for number in (zone, zone - 1, zone + 1)
            if 1 <= number <= 60
        ]
    candidates = []
    for code in tried:
        try:
            box = shapely.total_bounds(importing.features(path, source, name, ReadOptions(code))[0].geometry)
        except AwlError:
            continue
        if near is None or not importing.apart(box.tolist(), near):
            candidates.append(code)
    return candidates


# -- extracts --------------------------------------------------------------------------------------------------------------


def described_extract(raw: RawExtract) -> dict[str, Any]:
    """Streets of an extract by class with count and length, extent, and what share of them has a speed, direction, name."""
    ways, highway = _street_ways(raw)
    metres = _street_lengths(raw, ways)
    rows = raw.vertex_row[raw.refs_of(ways)[0]]
    rows = rows[rows >= 0]
    if len(rows) == 0:
        return {
            "ways": raw.ways_seen,
            "streets": len(ways),
            "classes": [],
            "bounds": None,
            "known": {},
            "restrictions": 0,
            "length_km": 0,
        }
    codes = highway.codes[ways]
    length = np.bincount(codes, weights=metres, minlength=len(highway.values))
    count = np.bincount(codes, minlength=len(highway.values))
    total = max(float(metres.sum()), 1e-9)
    keys = {"speed": "maxspeed", "direction": "oneway", "name": "name", "surface": "surface"}
    lon, lat = raw.node_lon[rows], raw.node_lat[rows]
    return {
        "ways": raw.ways_seen,
        "streets": len(ways),
        "length_km": round(total / 1000, 1),
        "bounds": [round(float(v), 6) for v in (lon.min(), lat.min(), lon.max(), lat.max())],
        "classes": [
            {"class": highway.values[c], "count": int(count[c]), "length_km": round(float(length[c]) / 1000, 1)}
            for c in np.argsort(-length, kind="stable")
            if count[c]
        ],
        "known": {
            name: round(float(metres[raw.way_column(key).present()[ways]].sum() / total), 3)
            for name, key in keys.items()
        },
        "restrictions": len(raw.restrictions),
        "barriers": int(raw.node_tags["barrier"].present().sum()) if "barrier" in raw.node_tags else 0,
        "off_earth": raw.faults.off_earth,
        "repeated": raw.faults.repeated,
    }


def preview(raw: RawExtract) -> dict[str, shapely.Geometry]:
    """The streets of an extract by class, as multi-lines in degrees simplified to what a screen can show.

    A street ends where the extract lacks a vertex, and goes on behind it.
    """
    ways, highway = _street_ways(raw)
    refs, start = raw.refs_of(ways)
    rows, way = raw.vertex_row[refs], np.repeat(np.arange(len(ways)), np.diff(start))
    # A stretch is a maximal run of known vertices of one way.
    known = rows >= 0
    stretch = np.cumsum(~known | np.concatenate([[True], way[1:] != way[:-1]]))[known]
    rows, way = rows[known], way[known]
    _, first, size = np.unique(stretch, return_index=True, return_counts=True)
    drawn = size >= 2
    xy = np.column_stack([raw.node_lon[rows], raw.node_lat[rows]])[np.repeat(drawn, size)]
    if len(xy) == 0:
        return {}
    lines = ragged_lines(xy, np.concatenate([[0], np.cumsum(size[drawn])]).astype(np.int64))
    if len(xy) > PREVIEW_VERTICES:
        extent = max(float(np.ptp(xy[:, 0])), float(np.ptp(xy[:, 1])))
        lines = shapely.simplify(lines, extent / 3000, preserve_topology=False)
    kind = highway.take(ways[way[first[drawn]]])
    by_class = {value: lines[kind.equals(value)] for value in kind.values}
    return {value: shapely.multilinestrings(list(some)) for value, some in by_class.items() if len(some)}


def preview_layers(path: Path, source: str, how: ReadOptions) -> NDArray[np.object_]:
    """Shapes (degrees) of the layers of a file whose place is known, as many as a screen can show."""
    if (ready := _ready_graph(path, source, how.crs)) is not None:
        return ready.graph.lines(np.arange(min(ready.graph.link_count, PREVIEW_FEATURES)))
    if gtfs.is_feed(path):
        feed = gtfs.read(path).feed
        tables = feeds.routes_table(feed), feeds.stops_table(feed)
        return np.concatenate([table.geometry[:PREVIEW_FEATURES] for table in tables])
    several = Path(source).suffix.lower() in importing.VECTOR_ENDINGS
    previews = [np.zeros(0, object)]
    for name in list(vector.layers(path, source)) if several else [None]:
        try:
            shapes = importing.features(path, source, name, how)[0].geometry[:PREVIEW_FEATURES]
        except AwlError as error:
            if error.kind not in (*CRS_KINDS, "columns-missing"):
                raise
            continue
        previews.append(shapes[~(shapely.is_missing(shapes) | shapely.is_empty(shapes))])
    shapes = np.concatenate(previews)
    box = shapely.total_bounds(shapes)
    return (
        np.asarray(shapely.simplify(shapes, float(np.nanmax(box[2:] - box[:2])) / 3000), object)
        if len(shapes)
        else shapes
    )


def _street_ways(raw: RawExtract) -> tuple[NDArray[np.int64], Categorical]:
    """Rows of the ways that are streets, and the class of every way."""
    highway, street = street_class(raw)
    return np.flatnonzero(street), highway


def _street_lengths(raw: RawExtract, ways: NDArray[np.int64]) -> NDArray[np.float64]:
    """Length in metres of each way, as far as the extract has its vertices."""
    refs, start = raw.refs_of(ways)
    rows, way = raw.vertex_row[refs], np.repeat(np.arange(len(ways)), np.diff(start))
    a, b = rows[:-1], rows[1:]
    drawn = (a >= 0) & (b >= 0) & (way[:-1] == way[1:])
    a, b = a[drawn], b[drawn]
    metres = segment_lengths(raw.node_lon[a], raw.node_lat[a], raw.node_lon[b], raw.node_lat[b])
    return np.bincount(way[:-1][drawn], weights=metres, minlength=len(ways)).astype(float)
