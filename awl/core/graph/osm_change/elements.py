"""Nodes, ways and relations of a map extract in full, and a change of them: what a change file holds.

A graph keeps what it computes with; an element says all: every tag, every reference, its version.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Literal, TypeVar

from awl.core.graph.raw import Member

Tags = dict[str, str]
Action = Literal["create", "modify", "delete"]
Spot = tuple[int, int]
"""A place as whole ten-millionths of a degree, longitude first: as exact as the source tells places."""
SPOTS_PER_DEGREE = 1e7


@dataclass(frozen=True)
class OsmNode:
    """A node: its id, version (0 where none is told), place in degrees and tags."""

    id: int
    version: int
    lon: float
    lat: float
    tags: Tags

    @property
    def spot(self) -> Spot:
        """Where it is."""
        return spot_of(self.lon, self.lat)


@dataclass(frozen=True)
class OsmWay:
    """A way: its id, version, the ids of its nodes in order, and tags."""

    id: int
    version: int
    refs: tuple[int, ...]
    tags: Tags


@dataclass(frozen=True)
class OsmRelation:
    """A relation: its id, version, members and tags."""

    id: int
    version: int
    members: tuple[Member, ...]
    tags: Tags


Element = OsmNode | OsmWay | OsmRelation
E = TypeVar("E", OsmNode, OsmWay, OsmRelation)


@dataclass(frozen=True)
class Elements:
    """Some elements of an extract, by id."""

    nodes: dict[int, OsmNode] = field(default_factory=dict)
    ways: dict[int, OsmWay] = field(default_factory=dict)
    relations: dict[int, OsmRelation] = field(default_factory=dict)


@dataclass(frozen=True)
class OsmChange:
    """Elements that are created, modified and deleted; ids of new ones are negative.

    Attributes:
        create: new elements.
        modify: elements in their new state.
        delete: elements that go; of nodes those that nothing else uses.
        notes: what of the edits it cannot say.
    """

    create: tuple[Element, ...] = ()
    modify: tuple[Element, ...] = ()
    delete: tuple[Element, ...] = ()
    notes: tuple[str, ...] = ()

    def of_kind(self, action: Action, kind: type[E]) -> list[E]:
        """The elements of a kind that an action concerns.

        Parameters:
            action: which action.
            kind: class of the elements.
        """
        return [element for element in getattr(self, action) if isinstance(element, kind)]


@dataclass(frozen=True)
class Wanted:
    """Ids of the elements that are to be read from an extract; the nodes of the ways are read with them."""

    nodes: frozenset[int] = frozenset()
    ways: frozenset[int] = frozenset()
    relations: frozenset[int] = frozenset()


def spot_of(lon: float, lat: float) -> Spot:
    """A place as whole numbers, by which vertices of links are known as nodes of ways.

    Parameters:
        lon: degrees.
        lat: degrees.
    """
    return round(lon * SPOTS_PER_DEGREE), round(lat * SPOTS_PER_DEGREE)


def pairs(spots: Iterable[Spot]) -> list[tuple[Spot, Spot]]:
    """Each two neighbours of a line.

    Parameters:
        spots: the vertices in order.
    """
    line = list(spots)
    return list(zip(line, line[1:], strict=False))
