"""What a map extract holds, as arrays, before anything is decided about it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from awl.core.columns import Categorical

WAY_KEYS = (
    "highway", "name", "ref", "maxspeed", "oneway", "oneway:bicycle", "oneway:foot", "junction",
    "access", "foot", "bicycle", "vehicle", "motor_vehicle", "motorcar", "cycleway", "sidewalk", "service",
    "surface", "lit", "incline", "width", "lanes", "layer", "bridge", "tunnel", "area", "route", "duration",
    "natural", "water", "waterway", "landuse", "leisure", "railway", "building", "building:levels",
)  # fmt: skip
"""Way tags that decide how a street may be used or what the base map shows."""

WAY_SELECT = (
    "highway", "route", "natural", "water", "waterway", "landuse", "leisure", "railway", "building",
)  # fmt: skip
"""A way that carries one of these is a street or drawn on the base map; others only matter inside multipolygons."""

NODE_KEYS = ("place", "name", "barrier", "highway", "railway", "access", "foot", "bicycle", "motor_vehicle", "opening_hours",
             "crossing", "population")  # fmt: skip
"""Node tags kept: lettering of the base map, barriers, signals and crossings."""

NODE_SELECT = ("place", "barrier", "highway", "railway")
"""A node that carries one of these is kept even where no way needs it."""

RELATION_KEYS = ("type", "name", "natural", "water", "waterway", "landuse", "leisure", "building")
RELATION_SELECT = RELATION_KEYS[2:]
"""Relation tags kept, and those that make a multipolygon part of the base map."""


@dataclass(frozen=True)
class Relation:
    """A multipolygon: `outer` and `inner` are way ids, `tags` its tags."""

    id: int
    tags: dict[str, str]
    outer: tuple[int, ...]
    inner: tuple[int, ...]


@dataclass(frozen=True)
class RawExtract:
    """Nodes, ways and multipolygons of an extract, in file order.

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

    def way_column(self, key: str) -> Categorical:
        """The column of a way tag, empty when no way carries it."""
        return self.way_tags.get(key) or Categorical(np.full(len(self.way_id), -1, np.int32), ())
