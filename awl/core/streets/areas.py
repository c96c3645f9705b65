"""The base map of an extract: water, green, railways, buildings and lettering, with multipolygons assembled."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.streets.raw import RawExtract

GREEN_LANDUSE = ("forest", "grass", "meadow", "orchard", "cemetery", "recreation_ground", "village_green", "allotments")
GREEN_LEISURE = ("park", "garden", "golf_course", "nature_reserve", "pitch", "playground", "common")
GREEN_NATURAL = ("wood", "scrub", "grassland", "heath", "wetland")
FIELD_LANDUSE = ("farmland", "farmyard", "vineyard")
SAND_NATURAL = ("beach", "sand", "shingle")
SEA_MARGIN = 0.3
"""How far the sea is drawn beyond the extract, as a share of its larger side."""
PLACE_KINDS = ("city", "town", "suburb", "quarter", "neighbourhood", "village", "hamlet", "island", "islet", "locality")


@dataclass(frozen=True)
class BaseLayer:
    """Geometries in degrees with a `kind` and a `name` each (None where there is none)."""

    geometry: NDArray[np.object_]
    kind: list[str]
    name: list[str | None]


def base_layers(raw: RawExtract) -> dict[str, BaseLayer]:
    """`water`, `field`, `sand`, `green`, `building` (polygons), `rail`, `river` (lines) and `place` (points)."""
    shapes = _Shapes(raw)
    water = shapes.polygons(lambda tags: tags.get("water") or "water" if _is_water(tags) else None)
    layers = {
        "water": _joined(water, shapes.sea()),
        "field": shapes.polygons(lambda tags: tags.get("landuse") if tags.get("landuse") in FIELD_LANDUSE else None),
        "sand": shapes.polygons(lambda tags: tags.get("natural") if tags.get("natural") in SAND_NATURAL else None),
        "green": shapes.polygons(_green_kind),
        "building": shapes.polygons(lambda tags: tags.get("building")),
        "rail": shapes.lines("railway", ("rail", "light_rail", "tram", "subway", "narrow_gauge")),
        "river": shapes.lines("waterway", ("river", "canal", "stream")),
        "place": _places(raw),
    }
    return {name: layer for name, layer in layers.items() if len(layer.geometry)}


def _is_water(tags: dict[str, str]) -> bool:
    return tags.get("natural") in ("water", "bay") or tags.get("waterway") in ("riverbank", "dock")


def _green_kind(tags: dict[str, str]) -> str | None:
    for key, values in (("leisure", GREEN_LEISURE), ("landuse", GREEN_LANDUSE), ("natural", GREEN_NATURAL)):
        if tags.get(key) in values:
            return tags[key]
    return None


def _joined(a: BaseLayer, b: BaseLayer) -> BaseLayer:
    return BaseLayer(np.concatenate([a.geometry, b.geometry]), a.kind + b.kind, a.name + b.name)


class _Shapes:
    """Looks up way coordinates and makes lines and polygons of them."""

    def __init__(self, raw: RawExtract) -> None:
        self._raw = raw
        order = np.argsort(raw.node_id, kind="stable")
        ident = raw.node_id[order]
        place = np.minimum(np.searchsorted(ident, raw.way_refs), max(len(ident) - 1, 0))
        known = ident[place] == raw.way_refs if len(ident) else np.zeros(len(raw.way_refs), bool)
        self._vertex = np.where(known, order[place] if len(ident) else 0, -1)
        self._row_of_way = {int(ident): row for row, ident in enumerate(raw.way_id)}

    def _coordinates(self, way: int) -> NDArray[np.float64]:
        rows = self._vertex[self._raw.way_start[way] : self._raw.way_start[way + 1]]
        rows = rows[rows >= 0]
        return np.column_stack([self._raw.node_lon[rows], self._raw.node_lat[rows]])

    def _tags(self, way: int, keys: Iterable[str]) -> dict[str, str]:
        found = {}
        for key in keys:
            value = self._raw.way_column(key).at(way)
            if value is not None:
                found[key] = value
        return found

    def polygons(self, kind_of) -> BaseLayer:  # type: ignore[no-untyped-def]
        """Closed ways and multipolygons for whose tags `kind_of` gives a kind."""
        keys = ("natural", "water", "waterway", "leisure", "landuse", "building", "name")
        columns = [self._raw.way_column(key) for key in keys[:-1]]
        candidates = np.flatnonzero(np.any([column.present() for column in columns], axis=0))
        out = BaseLayer(np.zeros(0, object), [], [])
        shapes: list[shapely.Geometry] = []
        for way in candidates:
            tags = self._tags(int(way), keys)
            kind = kind_of(tags)
            xy = self._coordinates(int(way)) if kind else None
            if xy is not None and len(xy) >= 4 and (xy[0] == xy[-1]).all():
                shapes.append(shapely.Polygon(xy))
                out.kind.append(kind)
                out.name.append(tags.get("name"))
        for relation in self._raw.relations:
            kind = kind_of(relation.tags)
            shape = self._assemble(relation.outer, relation.inner) if kind else None
            if shape is not None:
                shapes.append(shape)
                out.kind.append(kind)
                out.name.append(relation.tags.get("name"))
        valid = shapely.make_valid(np.array(shapes, dtype=object)) if shapes else out.geometry
        return BaseLayer(valid, out.kind, out.name)

    def _assemble(self, outer: tuple[int, ...], inner: tuple[int, ...]) -> shapely.Geometry | None:
        """Rings from the member ways, however these are split and turned; inner rings are cut out."""
        shells = self._rings(outer)
        if not len(shells):
            return None
        land = shapely.union_all(shells)
        holes = self._rings(inner)
        return land.difference(shapely.union_all(holes)) if len(holes) else land

    def _rings(self, ways: tuple[int, ...]) -> NDArray[np.object_]:
        rows = [self._row_of_way[way] for way in ways if way in self._row_of_way]
        lines = [shapely.LineString(xy) for xy in map(self._coordinates, rows) if len(xy) >= 2]
        return shapely.get_parts(shapely.polygonize(lines)) if lines else np.zeros(0, object)

    def sea(self) -> BaseLayer:
        """The sea, from coastline ways: land lies on the left of each, water on its right.

        The coast and the edge of the extract (with a margin) enclose faces; a face is sea where the right side of the
        coast falls into it. Where a coastline is cut by the edge it is led straight on to the margin.
        """
        rows = np.flatnonzero(self._raw.way_column("natural").equals("coastline"))
        coast = [xy for row in rows if len(xy := self._coordinates(int(row))) >= 2]
        if not coast:
            return BaseLayer(np.zeros(0, object), [], [])
        west, south = self._raw.node_lon.min(), self._raw.node_lat.min()
        east, north = self._raw.node_lon.max(), self._raw.node_lat.max()
        margin = SEA_MARGIN * max(east - west, north - south)
        box = shapely.box(west - margin, south - margin, east + margin, north + margin)
        lines = shapely.get_parts(
            shapely.line_merge(shapely.multilinestrings([shapely.linestrings(xy) for xy in coast]))
        )
        whole = np.array([_led_out(line, box) for line in lines], dtype=object)
        faces = shapely.get_parts(shapely.polygonize([shapely.union_all([box.exterior, *whole])]))
        sides = np.concatenate([_right_of(xy) for xy in coast])
        _, face = shapely.STRtree(faces).query(shapely.points(sides), predicate="within")
        wet = np.bincount(face, minlength=len(faces)) > 0
        if not wet.any():
            return BaseLayer(np.zeros(0, object), [], [])
        sea = shapely.get_parts(shapely.union_all(faces[wet]))
        return BaseLayer(sea, ["sea"] * len(sea), [None] * len(sea))

    def lines(self, key: str, values: tuple[str, ...]) -> BaseLayer:
        """Ways that carry `key` with one of `values`."""
        column = self._raw.way_column(key)
        rows = np.flatnonzero(column.isin(values))
        name = self._raw.way_column("name")
        keep = [(int(row), xy) for row in rows if len(xy := self._coordinates(int(row))) >= 2]
        shapes = np.array([shapely.LineString(xy) for _, xy in keep], dtype=object)
        return BaseLayer(shapes, [str(column.at(row)) for row, _ in keep], [name.at(row) for row, _ in keep])


def _led_out(line: shapely.Geometry, box: shapely.Polygon) -> shapely.Geometry:
    """A coastline with its open ends led straight to the nearest edge of the box."""
    xy = shapely.get_coordinates(line)
    if (xy[0] == xy[-1]).all():
        return line
    west, south, east, north = box.bounds
    ends = []
    for x, y in (xy[0], xy[-1]):
        edges = [(west, y), (east, y), (x, south), (x, north)]
        ends.append(min(edges, key=lambda spot: abs(spot[0] - x) + abs(spot[1] - y)))
    return shapely.LineString([ends[0], *xy, ends[1]])


def _right_of(xy: NDArray[np.float64]) -> NDArray[np.float64]:
    """A point just to the right of each segment of a line, where the sea is."""
    step = np.diff(xy, axis=0)
    normal = np.column_stack([step[:, 1], -step[:, 0]])
    return (xy[:-1] + xy[1:]) / 2 + normal * 1e-3


def _places(raw: RawExtract) -> BaseLayer:
    kind = raw.node_tags.get("place")
    if kind is None:
        return BaseLayer(np.zeros(0, object), [], [])
    name = raw.node_tags.get("name")
    rows = np.flatnonzero(kind.isin(PLACE_KINDS))
    nodes = raw.tagged_nodes[rows]
    points = shapely.points(raw.node_lon[nodes], raw.node_lat[nodes])
    return BaseLayer(
        np.atleast_1d(points),
        [str(kind.at(int(row))) for row in rows],
        [name.at(int(row)) if name else None for row in rows],
    )
