"""The rows of a graph that edits are at work on, as records by id, with what they were before."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.graph.edits.patch import Patch
from awl.core.graph.edits.records import (
    LinkRecord,
    NodeRecord,
    TurnRecord,
    link_record,
    measured,
    node_record,
    turn_records,
)
from awl.core.graph.street_graph import StreetGraph

Place = tuple[float, float]
DEGREE_M = 111_195.0
"""Metres in a degree of latitude, near enough to find what is nearest; lengths are measured on the ellipsoid."""
NEAR_END_M = 0.5
"""A place this near to the end of a link is its end."""


class Workspace:
    """A graph under work. Links and nodes are had, put and dropped by id; `patch` says what came of it."""

    def __init__(self, graph: StreetGraph) -> None:
        self.graph = graph
        self._nodes: dict[int, NodeRecord | None] = {}
        self._links: dict[int, LinkRecord | None] = {}
        self._nodes_before: dict[int, NodeRecord | None] = {}
        self._links_before: dict[int, LinkRecord | None] = {}
        self._turns_before: list[TurnRecord] | None = None
        self._turns: list[TurnRecord] | None = None
        self.next_node, self.next_link = graph.next_node_id, graph.next_link_id

    def copy(self) -> Workspace:
        """The same work, of which a change may come to nothing."""
        other = Workspace(self.graph)
        for name in ("_nodes", "_links", "_nodes_before", "_links_before"):
            setattr(other, name, dict(getattr(self, name)))
        other._turns_before, other._turns = self._turns_before, self._turns
        other.next_node, other.next_link = self.next_node, self.next_link
        return other

    # -- looking -------------------------------------------------------------------------------------------------------

    def node(self, ident: int) -> NodeRecord:
        """A node; raises `AwlError` where there is none.

        Parameters:
            ident: its id.
        """
        if ident not in self._nodes:
            row = int(self.graph.node_rows([ident])[0])
            self._nodes[ident] = self._nodes_before[ident] = node_record(self.graph, row) if row >= 0 else None
        record = self._nodes[ident]
        if record is None:
            raise AwlError(f"The streets have no node {ident}", inputs=("node",), kind="edit-does-not-fit")
        return record

    def link(self, ident: int) -> LinkRecord:
        """A link; raises `AwlError` where there is none.

        Parameters:
            ident: its id.
        """
        if ident not in self._links:
            row = int(self.graph.link_rows([ident])[0])
            self._links[ident] = self._links_before[ident] = link_record(self.graph, row) if row >= 0 else None
        record = self._links[ident]
        if record is None:
            raise AwlError(f"The streets have no link {ident}", inputs=("links",), kind="edit-does-not-fit")
        return record

    def links_at(self, node: int) -> list[int]:
        """Ids of the links that end at a node, ascending.

        Parameters:
            node: its id.
        """
        known = {ident for ident, link in self._links.items() if link is not None and node in (link.tail, link.head)}
        row = int(self.graph.node_rows([node])[0])
        if row >= 0:
            rows = np.flatnonzero((self.graph.link_from == row) | (self.graph.link_to == row))
            known |= {ident for ident in self.graph.link_id[rows].tolist() if ident not in self._links}
        return sorted(known)

    def near(self, place: Place, reach: float) -> tuple[list[int], list[int]]:
        """Ids of the nodes within reach of a place, and of the links that may be.

        Parameters:
            place: in degrees.
            reach: metres.
        """
        graph, deg = self.graph, reach / DEGREE_M
        wide = deg / max(np.cos(np.radians(place[1])), 1e-6)
        box = place[0] - wide, place[1] - deg, place[0] + wide, place[1] + deg
        at = (np.abs(graph.node_lon - place[0]) <= wide) & (np.abs(graph.node_lat - place[1]) <= deg)
        nodes = {ident for ident in graph.node_id[at].tolist() if self._nodes.get(ident, True) is not None}
        nodes |= {ident for ident, record in self._nodes.items() if record is not None}
        lon, lat = graph.shape_lon, graph.shape_lat
        met = (np.minimum(lon[:-1], lon[1:]) <= box[2]) & (np.maximum(lon[:-1], lon[1:]) >= box[0])
        met &= (np.minimum(lat[:-1], lat[1:]) <= box[3]) & (np.maximum(lat[:-1], lat[1:]) >= box[1])
        # From the last vertex of a link to the first of the next is no street, but to look at one more link does no harm.
        rows = np.unique(np.searchsorted(graph.shape_start, np.flatnonzero(met), side="right") - 1)
        links = {ident for ident in graph.link_id[rows].tolist() if self._links.get(ident, True) is not None}
        links |= {ident for ident, link in self._links.items() if link is not None}
        spots = {ident: (self.node(ident).lon, self.node(ident).lat) for ident in nodes}
        nodes = {i for i, spot in spots.items() if np.hypot(*in_metres(np.array([spot]), place)[0]) <= reach}
        return sorted(nodes), sorted(links)

    @property
    def turns(self) -> list[TurnRecord]:
        """The turn restrictions as they are now."""
        if self._turns is None:
            self._turns_before = turn_records(self.graph)
            self._turns = list(self._turns_before)
        return self._turns

    def set_turns(self, turns: Iterable[TurnRecord]) -> None:
        """Put other turn restrictions in their place.

        Parameters:
            turns: all of them.
        """
        _ = self.turns
        self._turns = list(turns)

    # -- changing ------------------------------------------------------------------------------------------------------

    def put_link(self, link: LinkRecord) -> None:
        """Put a link in, or a changed one in its place.

        Parameters:
            link: the link.
        """
        self._links_before.setdefault(link.id, None)
        self._links[link.id] = link

    def put_node(self, node: NodeRecord) -> None:
        """Put a node in, or a changed one in its place.

        Parameters:
            node: the node.
        """
        self._nodes_before.setdefault(node.id, None)
        self._nodes[node.id] = node

    def new_node(self, place: Place) -> int:
        """A node at a place; returns its id.

        Parameters:
            place: in degrees.
        """
        ident = self.next_node
        self.next_node += 1
        self.put_node(NodeRecord(ident, 0, *place, border=False, tags={}))
        return ident

    def new_link(self, tail: int, head: int, line: tuple[Place, ...], like: LinkRecord | None = None) -> LinkRecord:
        """A link between two nodes, not yet put in, with what is known of another.

        Parameters:
            tail: id of the node it begins at.
            head: id of the node it ends at.
            line: places in degrees.
            like: the link it takes ways, tags and costs from.
        """
        ident = self.next_link
        self.next_link += 1
        if like is None:
            return LinkRecord(ident, tail, head, (0,), line, measured(line), {}, {})
        return replace(like, id=ident, tail=tail, head=head, line=line, metres=measured(line))

    def drop_link(self, ident: int) -> None:
        """Take a link out, and its end nodes where nothing else is; turn restrictions over it go.

        Parameters:
            ident: its id.
        """
        link = self.link(ident)
        self._links[ident] = None
        for node in {link.tail, link.head}:
            if not self.links_at(node):
                self.node(node)
                self._nodes[node] = None
        if any(ident in (turn.from_link, *turn.via_links, turn.to_link) for turn in self.turns):
            self.set_turns(t for t in self.turns if ident not in (t.from_link, *t.via_links, t.to_link))

    def drop_node(self, ident: int) -> None:
        """Take a node out at which no link ends any more.

        Parameters:
            ident: its id.
        """
        self.node(ident)
        self._nodes[ident] = None

    def split(self, ident: int, place: Place) -> int:
        """Break a link at the point of its line nearest to a place, where it gets a vertex at just that place.

        The piece it begins with keeps its id. Near an end nothing is broken. Returns the id of the node there.

        Parameters:
            ident: the link.
            place: in degrees.
        """
        link = self.link(ident)
        segment, along = nearest_on(link, place)
        if along <= NEAR_END_M or along >= link.length - NEAR_END_M:
            return link.tail if along <= link.length / 2 else link.head
        node = self.new_node(place)
        first, second = (*link.line[: segment + 1], place), (place, *link.line[segment + 1 :])
        first, second = _without_repeats(first), _without_repeats(second)
        share = along / link.length
        rest = self.new_link(node, link.head, second, link)
        self.put_link(replace(link.along(first), head=node, costs=_scaled(link, share)))
        self.put_link(replace(rest, costs=_scaled(link, 1 - share)))
        self._follow_split(link, rest.id)
        return node

    def _follow_split(self, link: LinkRecord, rest: int) -> None:
        """Turn restrictions over a link that was broken bind the piece at their via node, or run over both pieces."""
        if not any(link.id in (t.from_link, *t.via_links, t.to_link) for t in self.turns):
            return
        moved = []
        for turn in self.turns:
            node, between = turn.via_node, list[int]()
            into = rest if turn.from_link == link.id and link.head == node else turn.from_link
            for ident in turn.via_links:
                if ident != link.id:
                    record = self.link(ident)
                    between.append(ident)
                    node = record.head if record.tail == node else record.tail
                    continue
                between += [link.id, rest] if link.tail == node else [rest, link.id]
                node = link.head if link.tail == node else link.tail
            out = rest if turn.to_link == link.id and link.head == node else turn.to_link
            moved.append(replace(turn, from_link=into, via_links=tuple(between), to_link=out))
        self.set_turns(moved)

    def replace_node(self, old: int, new: int) -> None:
        """Let all links that end at a node end at another, whose place they are led to; the node goes.

        Parameters:
            old: the node they ended at.
            new: the node they end at now.
        """
        if old == new:
            return
        target = self.node(new)
        place = target.lon, target.lat
        for ident in self.links_at(old):
            self.put_link(self._led_to(self.link(ident), old, new, place))
        if any(turn.via_node == old for turn in self.turns):
            self.set_turns(replace(t, via_node=new) if t.via_node == old else t for t in self.turns)
        gone = self.node(old)
        self.put_node(replace(target, tags={**gone.tags, **target.tags}))
        self.drop_node(old)

    @staticmethod
    def _led_to(link: LinkRecord, old: int, new: int, place: Place) -> LinkRecord:
        line = link.line
        if link.tail == old:
            line = _without_repeats((place, *line)) if line[0] != place else line
        if link.head == old:
            line = _without_repeats((*line, place)) if line[-1] != place else line
        led = link.along(line) if line != link.line else link
        return replace(led, tail=new if link.tail == old else link.tail, head=new if link.head == old else link.head)

    # -- the outcome ---------------------------------------------------------------------------------------------------

    def patch(self) -> Patch:
        """What differs from the graph at the beginning."""
        nodes = [ident for ident in sorted(self._nodes) if self._nodes[ident] != self._nodes_before[ident]]
        links = [ident for ident in sorted(self._links) if self._links[ident] != self._links_before[ident]]
        same_turns = self._turns == self._turns_before
        return Patch(
            tuple(node for ident in nodes if (node := self._nodes_before[ident]) is not None),
            tuple(node for ident in nodes if (node := self._nodes[ident]) is not None),
            tuple(link for ident in links if (link := self._links_before[ident]) is not None),
            tuple(link for ident in links if (link := self._links[ident]) is not None),
            None if same_turns else tuple(self._turns_before or ()),
            None if same_turns else tuple(self._turns or ()),
        )


def nearest_on(link: LinkRecord, place: Place) -> tuple[int, float]:
    """The segment of a link's line nearest to a place, and metres along the link to the point there.

    Parameters:
        link: the link.
        place: in degrees.
    """
    segment, share, _ = _nearest(link, place)
    return segment, link.metres[segment] + share * (link.metres[segment + 1] - link.metres[segment])


def point_on(link: LinkRecord, place: Place) -> Place:
    """The point of a link's line nearest to a place, in degrees.

    Parameters:
        link: the link.
        place: in degrees.
    """
    segment, share, _ = _nearest(link, place)
    (a, b), (c, d) = link.line[segment], link.line[segment + 1]
    return round(a + share * (c - a), 7), round(b + share * (d - b), 7)


def metres_off(link: LinkRecord, place: Place) -> float:
    """Metres from a place to the nearest point of a link's line.

    Parameters:
        link: the link.
        place: in degrees.
    """
    return _nearest(link, place)[2]


def _nearest(link: LinkRecord, place: Place) -> tuple[int, float, float]:
    """Segment, share of it, and metres off, in a plane around the place."""
    xy = in_metres(np.array(link.line, float), place)
    begin, run = xy[:-1], np.diff(xy, axis=0)
    square = np.maximum((run * run).sum(axis=1), 1e-18)
    share = np.clip(-(begin * run).sum(axis=1) / square, 0.0, 1.0)
    foot = begin + share[:, None] * run
    distance = np.hypot(*foot.T)
    best = int(np.argmin(distance))
    return best, float(share[best]), float(distance[best])


def in_metres(lonlat: NDArray[np.float64], origin: Place) -> NDArray[np.float64]:
    """Places (k, 2) in degrees as metres east and north of an origin near them.

    Parameters:
        lonlat: places in degrees.
        origin: in degrees.
    """
    return (lonlat - np.array(origin)) * DEGREE_M * [np.cos(np.radians(origin[1])), 1.0]


def _scaled(link: LinkRecord, share: float) -> dict[str, tuple[float, float]]:
    return {key: (along * share, against * share) for key, (along, against) in link.costs.items()}


def _without_repeats(line: tuple[Place, ...]) -> tuple[Place, ...]:
    return (line[0], *(b for a, b in zip(line, line[1:], strict=False) if a != b))
