"""The rows of a GMNS `link.csv` as streets: rows that are each other's reverse become one street open both ways."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import shapely
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.graph.build import LINK_CLASSES, STREET_KEYS
from awl.io import graph_tables
from awl.io.table import Column, Table, Values
from awl.io.text_table import TextTable

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]
DEFAULT_CLASS = "residential"
DRAWN_CLASS = "road"
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


class Nodes(NamedTuple):
    """Where the nodes of the tables lie: their numbers in ascending order, and degrees (n,)."""

    number: Ints
    lon: Floats
    lat: Floats

    @classmethod
    def of(cls, number: Ints, lon: Floats, lat: Floats) -> Nodes:
        """Nodes in any order.

        Parameters:
            number: numbers (n,) of the nodes.
            lon: longitudes (n,) in degrees.
            lat: latitudes (n,) in degrees.
        """
        order = np.argsort(number)
        return cls(number[order], lon[order], lat[order])

    def missing(self, wanted: Ints) -> NDArray[np.bool_]:
        """Which of some numbers (k,) no node has.

        Parameters:
            wanted: numbers (k,).
        """
        return self.number[self._rows(wanted)] != wanted

    def places(self, wanted: Ints) -> Floats:
        """Degrees (k, 2) of the nodes of some numbers (k,), which are there.

        Parameters:
            wanted: numbers (k,).
        """
        rows = self._rows(wanted)
        return np.column_stack([self.lon[rows], self.lat[rows]])

    def _rows(self, wanted: Ints) -> Ints:
        return np.minimum(np.searchsorted(self.number, wanted), len(self.number) - 1)


Place = Callable[[Any, Any], tuple[Floats, Floats]]
"""Takes the coordinates of tables to degrees."""


class Streets(NamedTuple):
    """Streets with the rows they were made of.

    Attributes:
        table: one row per street, in the words of `graph_tables.graph_of`.
        link_ids: the ids (m, 2) of the rows along and against each street as text, empty where there is none.
        ends: numbers (m, 2) of the nodes where each begins and ends.
    """

    table: Table
    link_ids: NDArray[np.object_]
    ends: Ints


@dataclass(frozen=True)
class LinkReading:
    """How rows of links are to be understood.

    Attributes:
        place: takes coordinates of geometries to degrees.
        per_unit: km/h of one unit of `free_speed`.
        costs: columns that are costs.
        weight: the column that is the length of links in a drawing without geography.
        metres: metres of one unit of `weight`.
        shapes: WKT by id, where links name their geometry instead of holding it.
    """

    place: Place
    per_unit: float
    costs: Sequence[str]
    weight: str | None
    metres: float
    shapes: TextTable | None


def cost_columns(links: TextTable) -> list[str]:
    """Columns of links that could be costs: numbers or empty, with one number at least.

    Parameters:
        links: the rows of `link.csv`.
    """
    return [
        name
        for name in links.columns
        if name and name not in KNOWN | TAGS and links.holds(name) and links.finite(name) is not None
    ]


def streets_of(links: TextTable, nodes: Nodes, reading: LinkReading) -> Streets:
    """Streets of the rows of links whose nodes are there.

    Two rows are one street if they name the same `street_link_id` in opposite directions, or if one is the reverse of the other
    in nodes, vertices, class, name and speed. A street runs as the first of its rows in the file does.

    Parameters:
        links: the rows of `link.csv`.
        nodes: where the nodes lie.
        reading: how the rows are to be understood.

    Raises:
        AwlError: a geometry is no line; the row is named.
    """
    directed = links.columns.get("directed")
    two_way = _among(directed, TRUE, empty=True) if directed is not None else np.ones(len(links), bool)
    both_in_one = ~two_way
    tail, head = links.whole("from_node_id"), links.whole("to_node_id")
    against = _runs_against(links)
    tail, head = np.where(against, head, tail), np.where(against, tail, head)
    lines = _lines(links, nodes, reading, tail, head, against)
    columns = _attributes(links, reading)
    partner = _partners(links, lines, tail, head, against, columns, both_in_one)
    rows = np.arange(len(links))
    first = np.flatnonzero((partner < 0) | (partner > rows))
    second = partner[first]
    paired = second >= 0
    # Costs and ids: those of the first row on its side, those of the second on the other.
    side = (against & ~both_in_one)[first].astype(np.int64)
    table: dict[str, Values] = {name: column.take(first) for name, column in columns.items()}
    for name in reading.costs:
        values = links.numbers_or_nan(name)
        pair = np.full((len(first), 2), np.nan)
        pair[np.arange(len(first)), side] = values[first]
        pair[paired, 1 - side[paired]] = values[second[paired]]
        pair[both_in_one[first]] = values[first[both_in_one[first]], None]
        for which, ending in enumerate(graph_tables.DIRECTIONS):
            table[name + ending] = np.ascontiguousarray(pair[:, which])
        if name == reading.weight:
            given = np.where(np.isnan(pair[:, 0]), pair[:, 1], pair[:, 0])
            table["length"] = np.nan_to_num(given) * reading.metres
    named = np.array(links.text("link_id").fill_null("").to_pylist(), object)
    link_ids = np.full((len(first), 2), "", object)
    link_ids[np.arange(len(first)), side] = named[first]
    link_ids[paired, 1 - side[paired]] = named[second[paired]]
    table["gmns_link_id"] = pa.array([_joined(*pair) for pair in link_ids.tolist()], pa.string())
    if "oneway" not in links.columns:  # the source's own tag says it better than which rows are there
        one_way = pa.array(~paired & ~both_in_one[first])
        table["oneway"] = pc.if_else(
            one_way, pc.if_else(pa.array(side == 1), "-1", "yes"), pa.scalar(None, pa.string())
        )
    ends = np.column_stack([tail[first], head[first]])
    table["from_node_id"], table["to_node_id"] = np.ascontiguousarray(ends[:, 0]), np.ascontiguousarray(ends[:, 1])
    return Streets(Table(lines[first], table), link_ids, ends)


def _joined(along: str, against: str) -> str | None:
    """The ids of both directions as the street graph holds them: `12;13`, `12`, or `;13`."""
    return (f"{along};{against}" if against else along) or None


def _among(column: pa.Array, words: Sequence[str], empty: bool) -> NDArray[np.bool_]:
    """Which cells hold one of some words; `empty` is the answer for those that hold nothing."""
    is_among = pc.is_in(pc.utf8_lower(column), pa.array(words))
    return np.asarray(pc.if_else(column.is_null(), empty, is_among).to_numpy(zero_copy_only=False))


def _runs_against(links: TextTable) -> NDArray[np.bool_]:
    """Which rows that Awl wrote run against the drawn direction of their street."""
    stated = links.text("street_direction")
    own = links.text("street_link_id")
    number = pc.if_else(pc.utf8_is_digit(own), own, None)
    short = pc.if_else(pc.less(pc.utf8_length(number), 18), number, None)
    doubled = pc.cast(pc.multiply(pc.cast(short, pa.int64()), 2), pa.string())
    by_number = pc.equal(links.text("link_id"), doubled)
    against = pc.if_else(stated.is_null(), by_number, pc.equal(stated, "backward"))
    return np.asarray(against.fill_null(False).to_numpy(zero_copy_only=False))


def _attributes(links: TextTable, reading: LinkReading) -> dict[str, Column]:
    """Attributes of rows in the words of the street graph."""
    kind = links.text("facility_type")
    usual = DEFAULT_CLASS if reading.weight is None else DRAWN_CLASS
    line = pc.cast(pa.array(links.lines - 1), pa.string())
    columns: dict[str, Any] = {
        "link_id": pc.coalesce(links.text("street_link_id", "link_id"), line),
        "osm_way_id": _way_ids(links),
        "osm_way_ids": links.text("osm_way_ids"),
        "highway": pc.if_else(pc.is_in(kind, pa.array(sorted(LINK_CLASSES))), kind, usual),
        "name": links.text("name"),
    }
    # Tables that Awl wrote hold the speed of a mode as free speed, and the posted one among the tags.
    if not {"maxspeed", "duration_s"} & links.columns.keys():
        columns["maxspeed"] = _speeds(links, reading.per_unit)
    columns |= {name: links.columns[name] for name in links.columns if name in TAGS and name != "gmns_link_id"}
    return {name: Column.of(values) for name, values in columns.items()}


def _way_ids(links: TextTable) -> Ints:
    """Ids (n,) of source ways; the number of the row where it names none that could be an id."""
    given = links.numbers_or_nan("osm_way_id")
    known = np.isfinite(given) & (np.abs(given) < 2**53)
    return np.where(known, np.where(known, given, 0).astype(np.int64), links.lines - 1)


def _speeds(links: TextTable, per_unit: float) -> pa.Array:
    """Speeds in km/h as text, null where a row has none above 0."""
    speed, row = np.unique(links.numbers_or_nan("free_speed") * per_unit, return_inverse=True)
    texts = pa.array([f"{kmh:g}" if np.isfinite(kmh) and kmh > 0 else None for kmh in speed.tolist()], pa.string())
    return texts.take(pa.array(row.ravel()))


def _lines(
    links: TextTable, nodes: Nodes, reading: LinkReading, tail: Ints, head: Ints, against: NDArray[np.bool_]
) -> NDArray[np.object_]:
    """Lines (n,) from node to node in degrees, along their street; straight where a link has no geometry."""
    wkt = links.text("geometry")
    if reading.shapes is not None:
        known = reading.shapes.text("geometry_id")
        wkt = pc.coalesce(wkt, reading.shapes.text("geometry").take(pc.index_in(links.text(*GEOMETRY_KEYS), known)))
    shapes = shapely.from_wkt(wkt.to_numpy(zero_copy_only=False), on_invalid="ignore")
    given = np.asarray(wkt.is_valid())
    kind = shapely.get_type_id(shapes)
    wrong = np.flatnonzero(given & (kind != shapely.GeometryType.LINESTRING))
    if len(wrong):
        shape = shapes[wrong[0]]
        what = "no WKT" if shape is None else f"a {shape.geom_type}"
        raise _broken(links, int(wrong[0]), f"The geometry is {what}", "Give a LINESTRING")
    xy, row = shapely.get_coordinates(shapes, return_index=True)
    faulty = ~np.isfinite(xy).all(axis=1)
    if faulty.any():
        raise _broken(links, int(row[faulty][0]), "A coordinate is not a finite number", "Repair the geometry")
    # Each line keeps its inner vertices and begins and ends at its nodes.
    inner = np.ones(len(xy), bool)
    inner[np.flatnonzero(np.diff(row, prepend=-1))] = False
    inner[np.flatnonzero(np.diff(row, append=len(links)))] = False
    row, xy = row[inner], np.column_stack(reading.place(xy[inner, 0], xy[inner, 1]))
    size = np.bincount(row, minlength=len(links)).astype(np.int64)
    begin = np.concatenate([[0], np.cumsum(size)])
    place = np.arange(len(row)) - begin[row]
    place = np.where(against[row], size[row] - 1 - place, place)
    start = begin[:-1] + 2 * np.arange(len(links))
    vertices = np.empty((len(xy) + 2 * len(links), 2))
    vertices[start[row] + 1 + place] = xy
    vertices[start] = nodes.places(tail)
    vertices[start + size + 1] = nodes.places(head)
    return np.asarray(shapely.linestrings(vertices, indices=np.repeat(np.arange(len(links)), size + 2)), object)


def _broken(links: TextTable, row: int, message: str, remedy: str) -> AwlError:
    return AwlError(message, where=f"{links.source}, line {links.lines[row]}", remedy=remedy)


def _partners(
    links: TextTable, lines: NDArray[np.object_], tail: Ints, head: Ints, against: NDArray[np.bool_],
    columns: dict[str, Column], alone: NDArray[np.bool_],
) -> Ints:  # fmt: skip
    """The row (n,) that is the other direction of each row's street, -1 where there is none."""
    along, back = _codes(shapely.to_wkb(lines), shapely.to_wkb(shapely.reverse(lines)))
    reverse = along > back
    alike = [np.where(reverse, back, along), np.where(reverse, head, tail), np.where(reverse, tail, head)]
    alike += [columns[name].codes()[1] for name in ("highway", "name", "maxspeed") if name in columns]
    # A street id of the table's own decides alone.
    own = Column.of(links.text("street_link_id")).codes()[1]
    named = own >= 0
    keys = [np.where(named, own, -1), *(np.where(named, 0, key) for key in alike)]
    direction = np.where(named, against, reverse)
    rows = np.flatnonzero(~alone)
    partner = np.full(len(lines), -1, np.int64)
    partners = _paired([key[rows] for key in keys], direction[rows])
    partner[rows] = np.where(partners >= 0, rows[partners], -1)
    return partner


def _codes(*lists: NDArray[np.object_]) -> list[Ints]:
    """Whole numbers for the values of lists of bytes, equal where values are."""
    codes = pa.array(np.concatenate(lists), pa.large_binary()).dictionary_encode().indices
    return np.split(codes.to_numpy().astype(np.int64), np.cumsum([len(values) for values in lists])[:-1])


def _paired(keys: Sequence[Ints], direction: NDArray[np.bool_]) -> Ints:
    """Pair rows of equal keys and opposite directions in their order: the partner (n,) of each row, or -1."""
    count = len(direction)
    order = np.lexsort((np.arange(count), direction, *keys))
    new = np.zeros(count, bool)
    new[:1] = True
    for key in keys:
        new[1:] |= np.diff(key[order]) != 0
    group = np.cumsum(new)
    new[1:] |= np.diff(direction[order].astype(np.int8)) != 0
    rank = np.arange(count) - np.maximum.accumulate(np.where(new, np.arange(count), 0))
    beside = np.lexsort((rank, group))
    rows, group, rank = order[beside], group[beside], rank[beside]
    same = (np.diff(group) == 0) & (np.diff(rank) == 0)
    partner = np.full(count, -1, np.int64)
    partner[rows[:-1][same]], partner[rows[1:][same]] = rows[1:][same], rows[:-1][same]
    return partner
