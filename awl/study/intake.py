"""Bring files into a study: a map extract becomes streets and base map, other files become layers."""

from __future__ import annotations

import csv
import json
import os
import shutil
from collections import Counter
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import shapely

from awl.core.errors import AwlError
from awl.core.geodesy import LocalPlane
from awl.core.progress import Progress
from awl.core.streets.areas import base_layers
from awl.core.streets.build import BuildReport, build_graph
from awl.core.streets.graph import StreetGraph
from awl.core.streets.lines import raw_of_lines
from awl.core.streets.numbering import numbered_by, numbered_from
from awl.core.streets.raw import RawExtract
from awl.formats import geojson, gmns_read, osm_pbf, osm_xml, vector
from awl.formats.limits import MAX_FIELDS, check_size
from awl.formats.table import Layer
from awl.study.line_fields import BuildOptions, guess, streets_of
from awl.study.study import NewLayer, Study, slug

EXTRACT_ENDINGS = (".osm", ".osm.gz", ".osm.bz2", ".osm.pbf", ".pbf")
VECTOR_ENDINGS = (".gpkg", ".fgb", ".zip")
LINE_ENDINGS = (*VECTOR_ENDINGS, ".geojson", ".json")
LON_NAMES = ("lon", "longitude", "lng", "x", "x_coord")
LAT_NAMES = ("lat", "latitude", "y", "y_coord")


def is_lines(name: str) -> bool:
    """Whether a file name is that of a format that may hold lines."""
    return name.lower().endswith(LINE_ENDINGS)


def is_extract(name: str) -> bool:
    """Whether a file name is that of a map extract."""
    return name.lower().endswith(EXTRACT_ENDINGS)


def build(
    extract: Path,
    study: Path,
    area: shapely.Geometry | None = None,
    title: str | None = None,
    progress: Progress | None = None,
    source: str | None = None,
    options: BuildOptions | None = None,
) -> BuildReport:
    """Build the streets of a study from a map extract or a line layer, making the study when it does not exist.

    Nothing lands unless everything does: a new study appears by renaming, an existing one changes in one transaction.
    """
    progress, options = progress or Progress(), options or BuildOptions()
    source = source or extract.name
    notes: dict[str, float] = {}
    is_gmns = gmns_read.is_folder(extract)
    if not is_gmns:
        check_size(extract)
    if is_gmns:
        raw = gmns_read.read(extract)
    elif is_extract(source):
        reader = osm_pbf.read if source.lower().endswith(".pbf") else osm_xml.read
        raw = reader(extract, progress.part(0.0, 0.5))
    elif is_lines(source):
        raw, notes = _read_lines(extract, source, options, progress.part(0.0, 0.5))
    else:
        raise AwlError(
            f"'{source}' is not a kind of file Awl builds streets from",
            where=source,
            remedy=f"Give a map extract ({', '.join(EXTRACT_ENDINGS)}), a line layer ({', '.join(LINE_ENDINGS)})"
            " or a folder of GMNS tables",
        )
    graph, report = build_graph(raw, area, progress.part(0.5, 0.7))
    report.lines = notes
    graph = replace(graph, node_number=graph.node_id) if is_gmns else _numbered(graph, options)
    progress.step(0.7, "Drawing the base map")
    base = base_layers(raw)
    progress.step(0.85, "Writing the study")
    if study.exists():
        Study(study).set_streets(graph, base, report, source, area)
    else:
        study.parent.mkdir(parents=True, exist_ok=True)
        scratch = study.with_name(f".new-{os.getpid()}-{study.name}")
        try:
            made = Study.create(scratch, title or study.stem.replace("_", " ").title())
            made.set_streets(graph, base, report, source, area)
            made.reading.close()
            scratch.rename(study)
            arrays = scratch.with_suffix(".awl")
            if arrays.exists():
                # What an older study of this name left behind is worth nothing.
                shutil.rmtree(study.with_suffix(".awl"), ignore_errors=True)
                arrays.rename(study.with_suffix(".awl"))
        finally:
            scratch.unlink(missing_ok=True)
    progress.step(1.0, "Built")
    return report


def _read_lines(
    path: Path, source: str, options: BuildOptions, progress: Progress
) -> tuple[RawExtract, dict[str, float]]:
    """The ways of a line layer, and what was assumed and done."""
    progress.step(0.0, f"Reading {source}")
    layer = _features(path, source, options.layer)[0]
    streets, notes = streets_of(layer, guess(layer).with_choices(options.choices), source)
    raw, joined = raw_of_lines(streets, options.tolerance_m, progress.part(0.2, 1.0))
    counts = {**vars(notes), **vars(joined)}
    return raw, {"tolerance_m": options.tolerance_m, **{key: round(value, 3) for key, value in counts.items()}}


def _numbered(graph: StreetGraph, options: BuildOptions) -> StreetGraph:
    """The graph with the node numbers asked for; raises with the places where a node layer does not fit."""
    if options.nodes is None:
        return graph if options.first_node == 1 else numbered_from(graph, options.first_node)
    source = options.nodes.name
    layer, _ = _features(options.nodes, source, options.nodes_layer)
    if layer.kind != "point":
        raise AwlError(
            f"The node layer holds {layer.kind} features", where=source, remedy="Give points", inputs=("nodes",)
        )
    if options.nodes_field is None or options.nodes_field not in layer.columns:
        raise AwlError(
            f"The node layer has no field '{options.nodes_field}'",
            where=source,
            remedy=f"Name the field with the numbers: {', '.join(layer.columns)}",
            inputs=("nodes",),
        )
    values = layer.columns[options.nodes_field]
    if not all(isinstance(v, int) or (isinstance(v, float) and v.is_integer()) for v in values):
        raise AwlError(
            f"Not every '{options.nodes_field}' is a whole number",
            where=source,
            remedy="Mend the layer",
            inputs=("nodes",),
        )
    points = shapely.get_point(layer.geometry, 0) if shapely.get_type_id(layer.geometry[0]) == 1 else layer.geometry
    made, faults = numbered_by(graph, shapely.get_x(points), shapely.get_y(points), np.array(values, np.int64))
    if made is None:
        raise faults.error()
    return made


def described(path: Path, source: str) -> list[dict[str, Any]]:
    """What the layers of a vector file hold, for the user to decide what they are.

    Each has `name`, `geometry`, `count`, `bounds` (degrees), and `fields` with a few values of each. Lines also have
    `length_km`, the guessed `roles` of their fields and the share of them, by length, for which each role is known.
    """
    if is_extract(source):
        return []
    several = Path(source).suffix.lower() in VECTOR_ENDINGS
    names: list[str | None] = list(vector.layers(path, source)) if several else [None]
    return [_described(*_features(path, source, name), source) for name in names]


def _described(layer: Layer, name: str | None, source: str) -> dict[str, Any]:
    bounds = shapely.total_bounds(layer.geometry)
    known: dict[str, Any] = {
        "name": name,
        "geometry": layer.kind,
        "count": len(layer),
        "bounds": [round(float(v), 6) for v in bounds] if np.isfinite(bounds).all() else None,
        "fields": {key: _samples(values) for key, values in layer.columns.items()},
    }
    if layer.kind != "line":
        return known
    fields = guess(layer)
    streets, notes = streets_of(layer, fields, source)
    length = LocalPlane.around(bounds[[0, 2]], bounds[[1, 3]]).project(streets.geometry)
    metres = shapely.length(length)
    known["length_km"] = round(float(metres.sum()) / 1000, 1)
    known["roles"] = vars(fields)
    tags = (("street_class", "highway"), ("speed", "maxspeed"), ("direction", "oneway"), ("name", "name"))
    there = {
        role: streets.tags[tag].present() if tag in streets.tags else np.zeros(len(metres), bool) for role, tag in tags
    }
    if notes.without_known_class == len(metres):
        there["street_class"] = np.zeros(len(metres), bool)
    known["known"] = {
        role: round(float(metres[mask].sum() / max(metres.sum(), 1e-9)), 3) for role, mask in there.items()
    }
    return known


def _samples(values: list[Any]) -> list[str]:
    """The commonest few values of a column."""
    return [str(value) for value, _ in Counter(v for v in values if v is not None).most_common(6)]


def add(
    path: Path,
    study: Study,
    ident: str | None = None,
    title: str | None = None,
    source: str | None = None,
    inner: str | None = None,
) -> str:
    """Add a vector file as a layer; returns its id. Its role follows from its geometry.

    `inner` names the layer of a file that holds several; it also gives id and title unless these are given.
    """
    layer = _read(path, ident, title, source or path.name, inner)
    study.add_layers([layer])
    return layer.ident


def add_all(path: Path, study: Study, source: str | None = None, progress: Progress | None = None) -> list[str]:
    """Add every layer of a file, all or none; returns their ids."""
    progress, source = progress or Progress(), source or path.name
    several = Path(source).suffix.lower() in VECTOR_ENDINGS
    names: list[str | None] = list(vector.layers(path, source)) if several else []
    read = []
    for done, name in enumerate(names or [None]):
        progress.step(done / max(len(names), 1), f"Reading {name or source}")
        read.append(_read(path, None, None, source, name))
    study.add_layers(read)
    return [layer.ident for layer in read]


def _read(path: Path, ident: str | None, title: str | None, source: str, inner: str | None) -> NewLayer:
    layer, inner = _features(path, source, inner)
    missing = shapely.is_missing(layer.geometry) | shapely.is_empty(layer.geometry)
    if missing.all():
        raise AwlError("No feature has a geometry", where=source, remedy="Check how the file was exported")
    kind = layer.kind
    role = {"point": "places", "polygon": "zones"}.get(kind)
    if role is None:
        raise AwlError(
            f"The layer holds {kind} geometries; places are points and zones are polygons",
            where=source,
            remedy="Give points or polygons; split a file that mixes them",
        )
    if kind == "polygon":
        repaired = shapely.make_valid(layer.geometry)
        layer = Layer(repaired, layer.columns)
    stem = inner or Path(source).stem
    return NewLayer(ident or slug(stem), layer, title or stem.replace("_", " ").capitalize(), role, source)


def _features(path: Path, source: str, inner: str | None) -> tuple[Layer, str | None]:
    """The features of a vector file, and the name of its layer where the format has names."""
    ending = Path(source).suffix.lower()
    if ending in (".geojson", ".json"):
        return geojson.read(path), None
    if ending == ".csv":
        return read_points(path, source), None
    if ending in VECTOR_ENDINGS:
        return vector.read(path, inner, source)
    raise AwlError(
        f"'{source}' is not a kind of layer Awl reads",
        where=source,
        remedy="Give GeoPackage, GeoJSON, FlatGeobuf, a zipped Shapefile, or CSV with lon and lat",
    )


def read_points(path: Path, source: str) -> Layer:
    """Points from a CSV file whose header names a longitude and a latitude."""
    check_size(path, 1 << 30)
    try:
        with path.open(encoding="utf-8-sig", newline="") as stream:
            rows = list(csv.reader(stream))
    except (UnicodeDecodeError, csv.Error) as error:
        raise AwlError(
            f"The file is no CSV in UTF-8 ({error})", where=source, remedy="Save it as CSV, UTF-8"
        ) from error
    header = [name.strip() for name in rows[0]] if rows else []
    if len(header) > MAX_FIELDS:
        raise AwlError(f"{len(header)} fields are more than the {MAX_FIELDS} Awl takes in", where=source)
    lower = [name.lower() for name in header]
    lon = next((lower.index(name) for name in LON_NAMES if name in lower), None)
    lat = next((lower.index(name) for name in LAT_NAMES if name in lower), None)
    if lon is None or lat is None:
        raise AwlError(
            f"The header ({', '.join(header[:8])}) names no coordinates",
            where=f"{source}, line 1",
            remedy="Name the columns 'lon' and 'lat'",
        )
    points = np.empty((len(rows) - 1, 2))
    for number, row in enumerate(rows[1:]):
        try:
            points[number] = float(row[lon]), float(row[lat])
        except (ValueError, IndexError) as error:
            raise AwlError(
                "The coordinates are not numbers", where=f"{source}, line {number + 2}", remedy="Repair or drop the row"
            ) from error
    if (
        not np.isfinite(points).all()
        or np.abs(points[:, 0]).max(initial=0) > 180
        or np.abs(points[:, 1]).max(initial=0) > 90
    ):
        raise AwlError("Coordinates are not degrees", where=source, remedy="Give longitude and latitude in WGS 84")
    columns = {
        name: [_number(row[i]) if i < len(row) else None for row in rows[1:]]
        for i, name in enumerate(header)
        if i not in (lon, lat)
    }
    return Layer(np.atleast_1d(shapely.points(points)), columns)


def _number(text: str) -> str | int | float | None:
    """A number where the text is one exactly; leading zeros stay text, as in '00123'."""
    if text == "":
        return None
    try:
        value = json.loads(text)
    except ValueError:
        return text
    return value if isinstance(value, int | float) and not isinstance(value, bool) else text


def area_from(bbox: str | None, clip: Path | None) -> shapely.Geometry | None:
    """The study area of a command: `W,S,E,N` in degrees, or the polygons of a GeoJSON file."""
    if bbox and clip:
        raise AwlError("Both a box and a clip file are given", remedy="Give one of them")
    if bbox:
        try:
            west, south, east, north = (float(part) for part in bbox.split(","))
        except ValueError as error:
            raise AwlError(f"'{bbox}' is no box", remedy="Write W,S,E,N in degrees", inputs=("bbox",)) from error
        inside = -180 <= west < east <= 180 and -90 <= south < north <= 90
        if not inside:
            raise AwlError(f"The box {bbox} is empty or off the Earth", remedy="Write W,S,E,N", inputs=("bbox",))
        return shapely.box(west, south, east, north)
    if clip:
        layer = geojson.read(clip)
        if layer.kind != "polygon":
            raise AwlError("The clip file holds no polygon", where=clip.name, remedy="Give a polygon in GeoJSON")
        return shapely.union_all(shapely.make_valid(layer.geometry))
    return None
