"""What a map extract holds, as arrays, before anything is decided about it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from awl.core.columns import Categorical

WAY_KEYS = (
    "highway", "name", "ref", "maxspeed", "maxspeed:forward", "maxspeed:backward", "oneway", "oneway:bicycle", "oneway:foot",
    "junction", "access", "foot", "bicycle", "vehicle", "motor_vehicle", "motorcar", "hgv", "wheelchair", "cycleway",
    "sidewalk", "service", "surface", "smoothness", "tracktype", "lit", "incline", "width", "maxwidth", "maxweight",
    "maxheight", "lanes", "toll", "layer", "bridge", "tunnel", "area", "route", "duration",
    "natural", "water", "waterway", "landuse", "leisure", "railway", "building", "building:levels",
    "addr:street", "addr:place", "addr:housenumber",
)  # fmt: skip
"""Way tags that decide how a street may be used or what the base map shows."""

WAY_SELECT = (
    "highway", "route", "natural", "water", "waterway", "landuse", "leisure", "railway", "building",
)  # fmt: skip
"""A way that carries one of these is a street or drawn on the base map; others only matter inside multipolygons."""

NODE_KEYS = (
    "place", "name", "barrier", "highway", "railway", "access", "foot", "bicycle", "wheelchair", "vehicle", "motor_vehicle",
    "motorcar", "hgv", "opening_hours", "maxwidth", "crossing", "population", "addr:street", "addr:place", "addr:housenumber",
)  # fmt: skip
"""Node tags kept: lettering of the base map, barriers, signals, crossings and addresses."""

NODE_SELECT = ("place", "barrier", "highway", "railway", "addr:housenumber")
"""A node that carries one of these is kept even where no way needs it."""

VEHICLES = ("hgv", "bicycle", "bus", "psv", "motorcar", "motorcycle", "goods", "foot")
RESTRICTION_KEYS = (
    "restriction", "restriction:conditional",
    *(f"restriction:{vehicle}" for vehicle in VEHICLES), *(f"restriction:{vehicle}:conditional" for vehicle in VEHICLES),
)  # fmt: skip
"""Tags that state a turn restriction, for all vehicles or for one kind, always or under a condition."""
AREA_KEYS = ("natural", "water", "waterway", "landuse", "leisure", "building")
RELATION_KEYS = ("type", "name", "except", *AREA_KEYS, *RESTRICTION_KEYS)
RELATION_SELECT = (*AREA_KEYS, *RESTRICTION_KEYS)
"""Relation tags kept, and those for which a relation counts: parts of the base map and turn restrictions."""

Member = tuple[str, str, int]
"""Role, kind (`node` or `way`) and id of a member of a relation."""


@dataclass(frozen=True)
class Restriction:
    """A turn restriction as the source states it: ids of nodes and ways, and its tags."""

    id: int
    tags: dict[str, str]
    from_ways: tuple[int, ...]
    via_nodes: tuple[int, ...]
    via_ways: tuple[int, ...]
    to_ways: tuple[int, ...]


@dataclass(frozen=True)
class Relation:
    """A multipolygon: `outer` and `inner` are way ids, `tags` its tags."""

    id: int
    tags: dict[str, str]
    outer: tuple[int, ...]
    inner: tuple[int, ...]


def relation_of(ident: int, tags: dict[str, str], members: Sequence[Member]) -> Relation | Restriction | None:
    """The multipolygon or turn restriction a relation stands for; None for any other kind.

    Parameters:
        ident: its id.
        tags: tags of the relation.
        members: its members.
    """
    kind = tags.get("type", "")
    if kind == "multipolygon":
        ways = [(role, ref) for role, what, ref in members if what == "way"]
        outer = tuple(ref for role, ref in ways if role != "inner")
        return Relation(ident, tags, outer, tuple(ref for role, ref in ways if role == "inner"))
    if kind != "restriction" and not kind.startswith("restriction:"):
        return None

    def of(role: str, what: str) -> tuple[int, ...]:
        return tuple(ref for member_role, here, ref in members if member_role == role and here == what)

    return Restriction(ident, tags, of("from", "way"), of("via", "node"), of("via", "way"), of("to", "way"))


@dataclass(frozen=True)
class ReadFaults:
    """What was left out while reading an extract.

    Attributes:
        off_earth: nodes whose coordinates are impossible.
        off_earth_nodes: id, longitude and latitude as stated of the first of them.
        repeated: nodes, ways and relations told more than once.
    """

    off_earth: int = 0
    off_earth_nodes: tuple[tuple[int, float, float], ...] = ()
    repeated: int = 0


@dataclass(frozen=True)
class RawExtract:
    """Nodes, ways, multipolygons and turn restrictions of an extract, in file order.

    Shapes: `node_id`, `node_lon`, `node_lat` (n,), degrees; `way_id` (w,); the node ids of way i are
    `way_refs[way_start[i]:way_start[i + 1]]`; `way_tags` maps each key of `WAY_KEYS` that occurs to a column of
    length w; `node_tags` likewise over the rows `tagged_nodes` of the node arrays.
    """

    node_id: NDArray[np.int64]
    node_lon: NDArray[np.float64]
    node_lat: NDArray[np.float64]
    tagged_nodes: NDArray[np.int64]
    node_tags: dict[str, Categorical]
    way_id: NDArray[np.int64]
    way_start: NDArray[np.int64]
    way_refs: NDArray[np.int64]
    way_tags: dict[str, Categorical]
    relations: tuple[Relation, ...]
    restrictions: tuple[Restriction, ...] = ()
    ways_seen: int = 0
    """Ways of the file, those that are neither street nor drawn included."""
    faults: ReadFaults = ReadFaults()

    @cached_property
    def vertex_row(self) -> NDArray[np.int64]:
        """The node row each entry of `way_refs` means, -1 where the extract lacks the node."""
        if len(self.node_id) == 0:
            return np.full(len(self.way_refs), -1, np.int64)
        order = np.argsort(self.node_id, kind="stable")
        ordered = self.node_id[order]
        place = np.minimum(np.searchsorted(ordered, self.way_refs), len(order) - 1)
        return np.where(ordered[place] == self.way_refs, order[place], -1)

    def refs_of(self, ways: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Positions in `way_refs` of the vertices of ways (w,) one after another, and the offsets (w + 1,) of each.

        Parameters:
            ways: rows (w,) of the ways.
        """
        counts = np.diff(self.way_start)[ways]
        start = np.concatenate([[0], np.cumsum(counts)]).astype(np.int64)
        return np.arange(start[-1]) - np.repeat(start[:-1] - self.way_start[:-1][ways], counts), start

    def way_column(self, key: str) -> Categorical:
        """The column of a way tag, empty when no way carries it.

        Parameters:
            key: the key of the tag.
        """
        return self.way_tags.get(key) or Categorical(np.full(len(self.way_id), -1, np.int32), ())
