"""Bring files into a study: a map extract becomes streets and base map, other files become layers."""

from __future__ import annotations

import csv
import json
import os
import shutil
from pathlib import Path

import numpy as np
import shapely

from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.core.streets.areas import base_layers
from awl.core.streets.build import BuildReport, build_graph
from awl.formats import geojson, osm_pbf, osm_xml, vector
from awl.formats.limits import MAX_FIELDS, check_size
from awl.formats.table import Layer
from awl.study.study import NewLayer, Study, slug

EXTRACT_ENDINGS = (".osm", ".osm.gz", ".osm.bz2", ".osm.pbf", ".pbf")
VECTOR_ENDINGS = (".gpkg", ".fgb", ".zip")
LON_NAMES = ("lon", "longitude", "lng", "x", "x_coord")
LAT_NAMES = ("lat", "latitude", "y", "y_coord")


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
) -> BuildReport:
    """Build the streets of a study from a map extract, making the study when it does not exist.

    Nothing lands unless everything does: a new study appears by renaming, an existing one changes in one transaction.
    """
    progress = progress or Progress()
    source = source or extract.name
    if not is_extract(source):
        raise AwlError(
            f"'{source}' is not a kind of map extract Awl reads",
            where=source,
            remedy=f"Give OSM XML or PBF: a file ending in {', '.join(EXTRACT_ENDINGS)}",
        )
    check_size(extract)
    reader = osm_pbf.read if source.lower().endswith(".pbf") else osm_xml.read
    raw = reader(extract, progress.part(0.0, 0.5))
    graph, report = build_graph(raw, area, progress.part(0.5, 0.7))
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
    ending = Path(source).suffix.lower()
    if ending in (".geojson", ".json"):
        layer = geojson.read(path)
    elif ending == ".csv":
        layer = read_points(path, source)
    elif ending in VECTOR_ENDINGS:
        layer, inner = vector.read(path, inner, source)
    else:
        raise AwlError(
            f"'{source}' is not a kind of layer Awl reads",
            where=source,
            remedy="Give GeoPackage, GeoJSON, FlatGeobuf, a zipped Shapefile, or CSV with lon and lat",
        )
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
