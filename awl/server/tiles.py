"""Mapbox Vector Tiles 2.1 of a layer, thinned by zoom so that a tile stays small."""

from __future__ import annotations

from typing import Any

import mapbox_vector_tile
import numpy as np
import shapely
from numpy.typing import NDArray

from awl.io import geopackage
from awl.io.table import Table
from awl.study.study import Study

EXTENT = 4096
BUFFER = 96
MAX_FEATURES = 20_000
FROM_ZOOM = {"building": 14, "streets": 10, "nodes": 15}
"""Zoom below which a layer gives empty tiles."""
FIELDS = {
    "streets": ("link_id", "highway", "name", "bridge"),
    "building": ("kind",),
    "nodes": ("node_id", "border"),
}
BASE: dict[str, dict[str, int]] = {
    "field": {}, "sand": {}, "green": {}, "building": {}, "water": {}, "rail": {}, "streets": {"highway": 0, "name": 14},
    "place": {"kind": 0, "name": 0},
}  # fmt: skip
"""Layers of the base map, the lowest first, and what of each tells how it is drawn, from which zoom on."""
MAIN_CLASSES = ("motorway", "trunk", "primary", "secondary", "tertiary")


def tile_of(study: Study, layer: str, z: int, y: int, x: int, label: str = "") -> bytes:
    """The encoded tile; empty bytes where nothing lies in it. `label` names a further field to carry."""
    known = geopackage.field_names(study.reading, layer)
    fields = [name for name in (*FIELDS.get(layer, known), label) if name in known]
    return _encoded([_layer_of(study, layer, z, y, x, list(dict.fromkeys(fields)))])


def base_tile(study: Study, z: int, y: int, x: int) -> bytes:
    """A tile with all layers of the base map and no more of each than it takes to draw them."""
    known = {entry["id"] for entry in study.layers()}
    layers = [
        _layer_of(study, layer, z, y, x, [name for name, least in fields.items() if z >= least], layer == "streets")
        for layer, fields in BASE.items()
        if layer in known
    ]
    return _encoded(layers)


def _encoded(layers: list[dict[str, Any] | None]) -> bytes:
    filled = [layer for layer in layers if layer is not None]
    if not filled:
        return b""
    tile: bytes = mapbox_vector_tile.encode(filled, default_options={"y_coord_down": True, "extents": EXTENT})
    return tile


def _layer_of(
    study: Study, layer: str, z: int, y: int, x: int, fields: list[str], joined: bool = False
) -> dict[str, Any] | None:
    """What of a layer lies in a tile, None where nothing does; lines alike in all fields are one where they are `joined`."""
    if z < FROM_ZOOM.get(layer, 0):
        return None
    margin = BUFFER / EXTENT
    west, north = _degrees(x - margin, y - margin, z)
    east, south = _degrees(x + 1 + margin, y + 1 + margin, z)
    where: tuple[str, list[str]] = ("", [])
    if layer == "streets" and z < 13:
        marks = ",".join("?" * len(MAIN_CLASSES))
        where = (f"highway IN ({marks})", list(MAIN_CLASSES))
    features = geopackage.read_table(
        study.reading, layer, where, (west, south, east, north), MAX_FEATURES, fields=fields
    )
    if len(features) == 0:
        return None
    if joined:
        features = _joined(features, fields)
    shapes = shapely.transform(features.geometry, lambda xy: _tile_units(xy, z, x, y))
    shapes = shapely.simplify(shapes, 3.0 if z < 15 else 1.5)
    shapes = shapely.clip_by_rect(shapely.make_valid(shapes), -BUFFER, -BUFFER, EXTENT + BUFFER, EXTENT + BUFFER)
    small = (shapely.get_dimensions(shapes) == 2) & (shapely.area(shapes) < 12)
    keep = ~(shapely.is_empty(shapes) | small)
    records = [
        {
            "geometry": shapes[row],
            **({} if joined else {"id": features.columns["fid"][row]}),
            "properties": {
                name: features.columns[name][row] for name in fields if features.columns[name][row] is not None
            },
        }
        for row in np.flatnonzero(keep)
    ]
    return {"name": layer, "features": records} if records else None


def _joined(features: Table, fields: list[str]) -> Table:
    """One feature for all lines that are alike in some fields, strung together where they meet."""
    kinds: dict[tuple[Any, ...], list[int]] = {}
    for row, kind in enumerate(zip(*(features.columns[name].tolist() for name in fields), strict=True)):
        kinds.setdefault(kind, []).append(row)
    lines = [shapely.line_merge(shapely.multilinestrings(features.geometry[rows])) for rows in kinds.values()]
    columns = {name: [kind[i] for kind in kinds] for i, name in enumerate(fields)}
    return Table(np.array(lines, dtype=object), columns)


def _degrees(x: float, y: float, z: int) -> tuple[float, float]:
    """Longitude and latitude of a tile corner."""
    size = 1 << z
    lat = np.degrees(np.arctan(np.sinh(np.pi * (1 - 2 * y / size))))
    return x / size * 360 - 180, float(lat)


def _tile_units(xy: NDArray[np.float64], z: int, x: int, y: int) -> NDArray[np.float64]:
    """Degrees to units within a tile, y downwards."""
    size = 1 << z
    east = (xy[:, 0] + 180) / 360 * size - x
    south = (1 - np.arcsinh(np.tan(np.radians(np.clip(xy[:, 1], -85.06, 85.06)))) / np.pi) / 2 * size - y
    return np.column_stack([east, south]) * EXTENT
