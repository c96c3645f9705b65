"""GeoJSON (RFC 7946), read strictly and written with seven decimals (about a centimetre)."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import orjson
import shapely

from awl.core.errors import AwlError
from awl.formats.crs import to_degrees
from awl.formats.limits import MAX_FEATURES, MAX_FIELDS, check_size
from awl.formats.table import Layer

Json = dict[str, Any]


def read(path: Path, crs: str | None = None) -> Layer:
    """A layer from a `.geojson` or `.json` file; `crs` says what its coordinates are where they are not degrees."""
    check_size(path, 1 << 30)
    try:
        document = orjson.loads(path.read_bytes())
    except orjson.JSONDecodeError as error:
        raise AwlError(
            f"The file is not valid JSON ({error.msg} at line {error.lineno})",
            where=path.name,
            remedy="Export it as GeoJSON again",
        ) from error
    return from_document(document, path.name, crs)


def from_document(document: Any, where: str, crs: str | None = None) -> Layer:
    """A layer from a parsed GeoJSON document: a FeatureCollection, a Feature or a bare geometry."""
    features = _features_of(document, where)
    if len(features) > MAX_FEATURES:
        raise AwlError(f"{len(features):,} features are more than the {MAX_FEATURES:,} Awl takes in", where=where)
    crs = crs or _stated(document)
    shapes = np.empty(len(features), object)
    keys: dict[str, None] = {}
    for row, feature in enumerate(features):
        if not isinstance(feature, dict) or feature.get("type") != "Feature":
            raise AwlError("It is not a GeoJSON feature", where=f"{where}, feature {row + 1}")
        shapes[row] = _shape(feature.get("geometry"), f"{where}, feature {row + 1}")
        keys.update(dict.fromkeys(feature.get("properties") or {}))
    if len(keys) > MAX_FIELDS:
        raise AwlError(
            f"{len(keys):,} fields are more than the {MAX_FIELDS} Awl takes in", where=where, remedy="Drop some fields"
        )
    shapes = _in_degrees(shapes, crs, where)
    properties = [feature.get("properties") or {} for feature in features]
    columns: dict[str, list[Any]] = {key: [_plain(p.get(key)) for p in properties] for key in keys}
    if "id" not in columns and any("id" in feature for feature in features):
        columns["id"] = [_plain(feature.get("id")) for feature in features]
    return Layer(shapes, columns)


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


def _shape(geometry: Any, where: str) -> shapely.Geometry | None:
    if geometry is None:
        return None
    try:
        text = json.dumps(geometry, allow_nan=False)
    except ValueError:
        raise AwlError(
            "A coordinate is no finite number", where=where, remedy="Give longitude and latitude in degrees"
        ) from None
    try:
        return shapely.from_geojson(text)
    except (shapely.errors.GEOSException, TypeError, ValueError) as error:
        raise AwlError(
            f"Its geometry is broken ({str(error)[:80]})", where=where, remedy="Repair the feature"
        ) from error


def _stated(document: Any) -> str | None:
    """The coordinate system an older kind of GeoJSON names; RFC 7946 knows none but WGS 84."""
    if not isinstance(document, dict) or not isinstance(document.get("crs"), dict):
        return None
    name = str((document["crs"].get("properties") or {}).get("name", "unknown"))
    return None if "CRS84" in name or "4326" in name else name


def _in_degrees(shapes: Any, crs: str | None, where: str) -> Any:
    coordinates = shapely.get_coordinates(shapes)
    if not np.isfinite(coordinates).all():
        raise AwlError("A coordinate is not a finite number", where=where, remedy="Repair the geometry")
    if crs is not None:
        return to_degrees(shapes, crs, where)
    if len(coordinates) and (np.abs(coordinates[:, 0]).max() > 180 or np.abs(coordinates[:, 1]).max() > 90):
        raise AwlError(
            f"Coordinates reach {coordinates[:, 0].max():,.0f}, {coordinates[:, 1].max():,.0f}: these are not degrees",
            where=where,
            remedy="Say which coordinate system they are in, or reproject the file to WGS 84 (EPSG:4326)",
            inputs=("crs",),
            kind="crs-missing",
        )
    return shapes


def _plain(value: Any) -> Any:
    """Nested values are kept as JSON text; numbers, text, truth values and None as they are."""
    return json.dumps(value) if isinstance(value, dict | list) else value


def collection(layer: Layer) -> Json:
    """The layer as a FeatureCollection."""
    texts = shapely.to_geojson(round_degrees(layer.geometry))
    keys = list(layer.columns)
    rows = zip(*layer.columns.values(), strict=True) if keys else ((),) * len(layer)
    return {
        "type": "FeatureCollection",
        "features": [
            {
                "type": "Feature",
                "properties": dict(zip(keys, row, strict=True)),
                "geometry": None if text is None else orjson.loads(text),
            }
            for text, row in zip(texts, rows, strict=True)
        ],
    }


def round_degrees(geometry: Any) -> Any:
    """Geometries with coordinates rounded to seven decimals."""
    return shapely.transform(geometry, lambda xy: np.round(xy, 7))


def dumps(document: Any) -> bytes:
    """JSON bytes; NumPy numbers become plain ones, NaN becomes null."""
    return orjson.dumps(document, option=orjson.OPT_SERIALIZE_NUMPY | orjson.OPT_NON_STR_KEYS)
