"""GeoJSON (RFC 7946), read strictly and written with seven decimals (about a centimetre)."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import orjson
import shapely
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.io import json_text
from awl.io.crs import mostly, not_on_earth, off_earth, to_degrees
from awl.io.limits import MAX_FEATURES, MAX_FIELDS, check_size
from awl.io.shape_text import DIGITS, shape_texts
from awl.io.table import Table

Json = dict[str, Any]


def read(path: Path, crs: str | None = None, strict: bool = False) -> Table:
    """A layer from a `.geojson` or `.json` file; `crs` says what its coordinates are where they are not degrees.

    Faulty features are left out and noted, or refuse the file with `strict`.

    Parameters:
        path: the file.
        crs: EPSG code or definition of the coordinate system; None where none is stated.
        strict: refuse the file at the first fault instead of leaving faulty rows out.
    """
    check_size(path, 1 << 30)
    try:
        document = orjson.loads(path.read_bytes())
    except orjson.JSONDecodeError as error:
        raise AwlError(
            f"The file is not valid JSON ({error.msg} at line {error.lineno})",
            where=path.name,
            remedy="Export it as GeoJSON again",
        ) from error
    return from_document(document, path.name, crs, strict)


def from_document(document: Any, where: str, crs: str | None = None, strict: bool = True) -> Table:
    """A layer from a parsed GeoJSON document: a FeatureCollection, a Feature or a bare geometry.

    Faulty features refuse it, or are left out and noted where it is not `strict`.

    Parameters:
        document: the parsed JSON.
        where: what it is called in messages.
        crs: EPSG code or definition of the coordinate system; None where none is stated.
        strict: refuse the file at the first fault instead of leaving faulty rows out.
    """
    features = _features_of(document, where)
    if len(features) > MAX_FEATURES:
        raise AwlError(f"{len(features):,} features are more than the {MAX_FEATURES:,} Awl takes in", where=where)
    crs = crs or _stated(document)
    sound = _sound(features)
    shapes, properties, faults = _looked_through(features, where, strict) if sound is None else (*sound, {})
    keys: dict[str, None] = {}
    for own in properties:
        keys.update(dict.fromkeys(own))
    if len(keys) > MAX_FIELDS:
        raise AwlError(
            f"{len(keys):,} fields are more than the {MAX_FIELDS} Awl takes in", where=where, remedy="Drop some fields"
        )
    shapes = _in_degrees(shapes, crs, where)
    columns: dict[str, list[Any]] = {key: [p.get(key) for p in properties] for key in keys}
    if "id" not in columns and any(isinstance(feature, dict) and "id" in feature for feature in features):
        columns["id"] = [feature.get("id") if isinstance(feature, dict) else None for feature in features]
    return Table(shapes, columns).without({**not_on_earth(shapes, "feature"), **faults}, where, strict)


def _sound(features: list[Any]) -> tuple[NDArray[np.object_], list[Json]] | None:
    """Geometries and properties of features, all at once; None where any has a fault, which is then looked for."""
    try:
        texts = [None if feature["geometry"] is None else orjson.dumps(feature["geometry"]) for feature in features]
        properties = [feature.get("properties") or {} for feature in features]
        if all(type(own) is dict for own in properties) and all(one["type"] == "Feature" for one in features):
            return np.asarray(shapely.from_geojson(texts), object).reshape(len(features)), properties
    except (AttributeError, KeyError, TypeError, ValueError, shapely.errors.GEOSException):
        pass
    return None


def _looked_through(
    features: list[Any], where: str, strict: bool
) -> tuple[NDArray[np.object_], list[Json], dict[int, str]]:
    """Geometries and properties of features one after another, and what is wrong with which."""
    shapes = np.empty(len(features), object)
    properties: list[Json] = [{} for _ in features]
    faults: dict[int, str] = {}
    for row, feature in enumerate(features):
        try:
            shapes[row], properties[row] = _feature(feature)
        except AwlError as error:
            if strict:
                raise AwlError(error.what, where=f"{where}, feature {row + 1}", remedy=error.remedy) from error
            faults[row] = f"feature {row + 1}: {error.what}"
    return shapes, properties, faults


def _features_of(document: Any, where: str) -> list[Any]:
    kind = document.get("type") if isinstance(document, dict) else None
    if kind == "FeatureCollection" and isinstance(document.get("features"), list):
        return list(document["features"])
    if kind == "Feature":
        return [document]
    if kind in ("Point", "MultiPoint", "LineString", "MultiLineString", "Polygon", "MultiPolygon"):
        return [{"type": "Feature", "properties": {}, "geometry": document}]
    raise AwlError(
        "It is not GeoJSON: no FeatureCollection, Feature or geometry",
        where=where,
        remedy='Give {"type": "FeatureCollection", "features": [...]}',
    )


def _feature(feature: Any) -> tuple[shapely.Geometry | None, Json]:
    """Geometry and properties of a feature; raises `AwlError` where it is none."""
    if not isinstance(feature, dict) or feature.get("type") != "Feature":
        raise AwlError("It is not a GeoJSON feature")
    properties = feature.get("properties") or {}
    if not isinstance(properties, dict):
        raise AwlError("Its properties are no object", remedy="Repair the feature")
    return _shape(feature.get("geometry")), properties


def _shape(geometry: Any) -> shapely.Geometry | None:
    if geometry is None:
        return None
    try:
        text = json.dumps(geometry, allow_nan=False)
    except ValueError:
        raise AwlError("A coordinate is no finite number", remedy="Give longitude and latitude in degrees") from None
    except RecursionError:
        raise AwlError("Its geometry is nested too deep", remedy="Repair the feature") from None
    try:
        return shapely.from_geojson(text)
    except (shapely.errors.GEOSException, TypeError, ValueError) as error:
        raise AwlError(f"Its geometry is broken ({str(error)[:80]})", remedy="Repair the feature") from error


def _stated(document: Any) -> str | None:
    """The coordinate system an older kind of GeoJSON names; RFC 7946 knows none but WGS 84."""
    if not isinstance(document, dict) or not isinstance(document.get("crs"), dict):
        return None
    properties = document["crs"].get("properties")
    name = str(properties.get("name", "unknown") if isinstance(properties, dict) else "unknown")
    return None if "CRS84" in name or "4326" in name else name


def _in_degrees(shapes: Any, crs: str | None, where: str) -> Any:
    if crs is not None:
        return to_degrees(shapes, crs, where)
    if mostly(off_earth(shapes)):
        coordinates = shapely.get_coordinates(shapes)
        if not np.isfinite(coordinates).any():
            raise AwlError("The coordinates are no finite numbers", where=where, remedy="Repair the geometries")
        raise AwlError(
            f"Coordinates reach {np.nanmax(coordinates[:, 0]):,.0f}, {np.nanmax(coordinates[:, 1]):,.0f}: these are not degrees",
            where=where,
            remedy="Say which coordinate system they are in, or reproject the file to WGS 84 (EPSG:4326)",
            inputs=("crs",),
            kind="crs-missing",
        )
    return shapes


def collection(layer: Table) -> Json:
    """The layer as a FeatureCollection.

    Parameters:
        layer: the layer.
    """
    document: Json = orjson.loads(encoded(layer))
    return document


def encoded(layer: Table) -> bytes:
    """The layer as the text of a FeatureCollection.

    Parameters:
        layer: the layer.
    """
    rows = zip(json_text.record_texts(layer), shape_texts(layer.geometry), strict=True)
    features = [b'{"type":"Feature","properties":%b,"geometry":%b}' % row for row in rows]
    return b'{"type":"FeatureCollection","features":[' + b",".join(features) + b"]}"


def table_text(table: Table) -> bytes:
    """A table as documents hold it: a FeatureCollection where rows lie on the ground, else a list of objects.

    Parameters:
        table: the table.
    """
    return encoded(table) if table.has_geometry else json_text.records(table)


def round_degrees(geometry: Any) -> Any:
    """Geometries with coordinates rounded to seven decimals.

    Parameters:
        geometry: geometries (n,).
    """
    return shapely.transform(geometry, lambda xy: np.round(xy, DIGITS))


def dumps(document: Any) -> bytes:
    """JSON bytes; NumPy numbers become plain ones, NaN becomes null.

    Parameters:
        document: what is written.
    """
    return orjson.dumps(document, option=orjson.OPT_SERIALIZE_NUMPY | orjson.OPT_NON_STR_KEYS)
