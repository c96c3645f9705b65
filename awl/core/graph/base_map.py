"""The base map of an extract: water, green, railways, buildings and lettering, with multipolygons assembled."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.graph.build import FERRY, BuildReport, street_class
from awl.core.graph.coast import Sea, sea_of
from awl.core.graph.raw import AREA_KEYS, RawExtract

GREEN_LANDUSE = ("forest", "grass", "meadow", "orchard", "cemetery", "recreation_ground", "village_green", "allotments")
GREEN_LEISURE = ("park", "garden", "golf_course", "nature_reserve", "pitch", "playground", "common")
GREEN_NATURAL = ("wood", "scrub", "grassland", "heath", "wetland")
FIELD_LANDUSE = ("farmland", "farmyard", "vineyard")
SAND_NATURAL = ("beach", "sand", "shingle")
PLACE_KINDS = ("city", "town", "suburb", "quarter", "neighbourhood", "village", "hamlet", "island", "islet", "locality")


@dataclass(frozen=True)
class BaseLayer:
    """Geometries in degrees with a `kind` and a `name` each (None where there is none)."""

    geometry: NDArray[np.object_]
    kind: list[str]
    name: list[str | None]


def base_layers(raw: RawExtract, report: BuildReport | None = None) -> dict[str, BaseLayer]:
    """`water`, `field`, `sand`, `green`, `building` (polygons), `rail`, `river` (lines), `place` and `address` (points).

    Coast beside which no sea could be drawn is counted in `report`.

    Parameters:
        raw: the extract as read.
        report: counts and lengths are added to it.
    """
    shapes = _Shapes(raw)
    water = shapes.polygons(lambda tags: tags.get("water") or "water" if _is_water(tags) else None)
    sea = shapes.sea()
    if report is not None:
        report.coast_m, report.coast_disputed_m = sea.coast_m, sea.disputed_m
    count = len(sea.polygons)
    layers = {
        "water": _joined(water, BaseLayer(sea.polygons, ["sea"] * count, [None] * count)),
        "field": shapes.polygons(lambda tags: tags.get("landuse") if tags.get("landuse") in FIELD_LANDUSE else None),
        "sand": shapes.polygons(lambda tags: tags.get("natural") if tags.get("natural") in SAND_NATURAL else None),
        "green": shapes.polygons(_green_kind),
        "building": shapes.polygons(lambda tags: tags.get("building")),
        "rail": shapes.lines("railway", ("rail", "light_rail", "tram", "subway", "narrow_gauge")),
        "river": shapes.lines("waterway", ("river", "canal", "stream")),
        "place": _places(raw),
        "address": shapes.addresses(),
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


def _made_of(make: Callable[..., Any], coordinates: list[NDArray[np.float64]]) -> NDArray[np.object_]:
    """Lines or rings, each of the coordinates of one, made all at once."""
    if not coordinates:
        return np.zeros(0, object)
    of = np.repeat(np.arange(len(coordinates)), [len(xy) for xy in coordinates])
    return np.asarray(make(np.concatenate(coordinates), indices=of), object)


class _Shapes:
    """Looks up way coordinates and makes lines and polygons of them."""

    def __init__(self, raw: RawExtract) -> None:
        self._raw = raw
        self._vertex = raw.vertex_row
        self._row_of_way = {int(ident): row for row, ident in enumerate(raw.way_id)}

    @cached_property
    def _tagged(self) -> list[tuple[int, dict[str, str]]]:
        """Ways that may be areas of the base map, with the tags that say of which kind."""
        columns = {key: self._raw.way_column(key) for key in (*AREA_KEYS, "name")}
        rows = np.flatnonzero(np.any([columns[key].present() for key in AREA_KEYS], axis=0))
        values = {key: column.take(rows).decode() for key, column in columns.items()}
        return [
            (int(row), {key: value for key, column in values.items() if (value := column[i]) is not None})
            for i, row in enumerate(rows)
        ]

    def _coordinates(self, way: int) -> NDArray[np.float64]:
        rows = self._vertex[self._raw.way_start[way] : self._raw.way_start[way + 1]]
        rows = rows[rows >= 0]
        return np.column_stack([self._raw.node_lon[rows], self._raw.node_lat[rows]])

    def polygons(self, kind_of) -> BaseLayer:  # type: ignore[no-untyped-def]
        """Closed ways and multipolygons for whose tags `kind_of` gives a kind.

        Parameters:
            kind_of: gives a kind for the tags of an area, or None.
        """
        out = BaseLayer(np.zeros(0, object), [], [])
        closed: list[NDArray[np.float64]] = []
        for way, tags in self._tagged:
            kind = kind_of(tags)
            xy = self._coordinates(way) if kind else None
            if xy is not None and len(xy) >= 4 and (xy[0] == xy[-1]).all():
                closed.append(xy)
                out.kind.append(kind)
                out.name.append(tags.get("name"))
        shapes: list[shapely.Geometry] = shapely.polygons(_made_of(shapely.linearrings, closed)).tolist()
        for relation in self._raw.relations:
            kind = kind_of(relation.tags)
            shape = self._assemble(relation.outer, relation.inner) if kind else None
            if shape is not None:
                shapes.append(shape)
                out.kind.append(kind)
                out.name.append(relation.tags.get("name"))
        valid = shapely.make_valid(np.array(shapes, dtype=object), method="structure") if shapes else out.geometry
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
        lines = _made_of(shapely.linestrings, [xy for xy in map(self._coordinates, rows) if len(xy) >= 2])
        return shapely.get_parts(shapely.polygonize(lines)) if len(lines) else np.zeros(0, object)

    def sea(self) -> Sea:
        """The sea, from coastline ways and the streets on land."""
        coast = self._raw.way_column("natural").equals("coastline")
        highway, street = street_class(self._raw)
        for key in ("bridge", "tunnel"):
            street &= ~self._raw.way_column(key).present() | self._raw.way_column(key).equals("no")
        return sea_of(self._segments(coast), self._segments(street & ~highway.equals(FERRY)))

    def _segments(self, ways: NDArray[np.bool_]) -> NDArray[np.float64]:
        """Segments (s, 2, 2) of ways in degrees, as far as the extract has their nodes."""
        way = np.repeat(np.arange(len(self._raw.way_id)), np.diff(self._raw.way_start))
        a, b = self._vertex[:-1], self._vertex[1:]
        drawn = (way[:-1] == way[1:]) & ways[way[:-1]] & (a >= 0) & (b >= 0)
        rows = np.stack([a[drawn], b[drawn]], axis=1)
        return np.stack([self._raw.node_lon[rows], self._raw.node_lat[rows]], axis=2)

    def addresses(self) -> BaseLayer:
        """House numbers with their street, of nodes and in the middle of buildings; `kind` is the number, `name` the address."""
        listed: list[tuple[float, float, str, str]] = []
        tags = self._raw.node_tags
        if (numbers := tags.get("addr:housenumber")) is not None:
            streets = [tags[key].decode() if key in tags else None for key in ("addr:street", "addr:place")]
            for row in np.flatnonzero(numbers.present()).tolist():
                node = self._raw.tagged_nodes[row]
                street = next((column[row] for column in streets if column and column[row]), None)
                if street:
                    spot = float(self._raw.node_lon[node]), float(self._raw.node_lat[node])
                    listed.append((*spot, str(numbers.at(row)), street))
        columns = [self._raw.way_column(key) for key in ("addr:street", "addr:place")]
        numbers = self._raw.way_column("addr:housenumber")
        for way in np.flatnonzero(numbers.present()).tolist():
            street = next((text for column in columns if (text := column.at(way))), None)
            xy = self._coordinates(way)
            if street and len(xy):
                listed.append((*xy.mean(axis=0).tolist(), str(numbers.at(way)), street))
        if not listed:
            return BaseLayer(np.zeros(0, object), [], [])
        lon, lat, number, name = zip(*listed, strict=True)
        points = np.atleast_1d(shapely.points(lon, lat))
        return BaseLayer(points, list(number), [f"{street} {n}" for street, n in zip(name, number, strict=True)])

    def lines(self, key: str, values: tuple[str, ...]) -> BaseLayer:
        """Ways that carry `key` with one of `values`.

        Parameters:
            key: the key of the tag.
            values: the values that count.
        """
        column = self._raw.way_column(key)
        rows = np.flatnonzero(column.isin(values))
        name = self._raw.way_column("name")
        keep = [(int(row), xy) for row in rows if len(xy := self._coordinates(int(row))) >= 2]
        shapes = _made_of(shapely.linestrings, [xy for _, xy in keep])
        return BaseLayer(shapes, [str(column.at(row)) for row, _ in keep], [name.at(row) for row, _ in keep])


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
