"""The change of OpenStreetMap's elements that makes of the streets of an extract the streets as they were edited.

A way is written anew from pieces: stretches no edit touched keep their nodes; each changed link gives a piece of its own. Pieces
that run on with the same tags are one way; the longest keeps the id, so that as much as can be stays what it was.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from awl.core.graph.build import FERRY
from awl.core.graph.edits.records import LinkRecord, NodeRecord, TurnRecord, link_record, node_record, turn_records
from awl.core.graph.osm_change.elements import (
    Elements,
    OsmChange,
    OsmNode,
    OsmRelation,
    OsmWay,
    Spot,
    Tags,
    Wanted,
    pairs,
    spot_of,
)
from awl.core.graph.raw import Member
from awl.core.graph.street_graph import StreetGraph
from awl.core.graph.turns import DELAY

STRAIGHT_DEG, BACK_DEG = 30.0, 150.0
"""A turn by less is straight on, by more a U-turn."""


@dataclass(frozen=True)
class Difference:
    """What differs between the streets of an extract and the same edited.

    Attributes:
        links_before: links that changed or went, by id.
        links_after: links that changed or came, by id.
        nodes_before: nodes that changed or went, by id.
        nodes_after: nodes that changed or came, by id. Both hold all ends of changed links too.
        turns_before: turn restrictions that went.
        turns_after: turn restrictions that came, and all others over ways that changed.
        turn_links: the links of the latter as they are now, by id.
    """

    links_before: dict[int, LinkRecord]
    links_after: dict[int, LinkRecord]
    nodes_before: dict[int, NodeRecord]
    nodes_after: dict[int, NodeRecord]
    turns_before: tuple[TurnRecord, ...]
    turns_after: tuple[TurnRecord, ...]
    turn_links: dict[int, LinkRecord]

    def wanted(self) -> Wanted:
        """What has to be known of the extract to write it as a change."""
        turns = [*self.turns_before, *self.turns_after]
        ways = {
            way
            for link in (*self.links_before.values(), *self.links_after.values(), *self.turn_links.values())
            for way in link.ways
            if way > 0
        }
        nodes = {node.osm_id for node in (*self.nodes_before.values(), *self.nodes_after.values()) if node.osm_id > 0}
        return Wanted(
            frozenset(nodes), frozenset(ways), frozenset(turn.relation for turn in turns if turn.relation > 0)
        )


def difference(before: StreetGraph, after: StreetGraph, links: Iterable[int], nodes: Iterable[int]) -> Difference:
    """What differs between two states of streets.

    Parameters:
        before: the streets as they were built.
        after: the same, edited.
        links: ids of links that may differ.
        nodes: ids of nodes that may differ.
    """
    before_turns, after_turns = set(turn_records(before)), set(turn_records(after))
    came = after_turns - before_turns
    # A new restriction breaks the ways it leads over at its node.
    binding = {link for turn in came if turn.relation == 0 for link in _links_of(turn)}
    link_ids = sorted({*links, *binding})
    old, new = _links(before, link_ids), _links(after, link_ids)
    changed = [ident for ident in link_ids if ident in binding or old.get(ident) != new.get(ident)]
    old, new = ({i: records[i] for i in changed if i in records} for records in (old, new))
    ways = {way for link in old.values() for way in link.ways}
    turn_links = _links(after, sorted({link for turn in after_turns for link in _links_of(turn)}))
    about = [t for t in after_turns if t in came or any(ways & set(turn_links[link].ways) for link in _links_of(t))]
    turn_links = {link: turn_links[link] for turn in about for link in _links_of(turn)}
    node_ids = set(nodes) | {turn.via_node for turn in about}
    node_ids |= {end for link in (*old.values(), *new.values(), *turn_links.values()) for end in (link.tail, link.head)}
    return Difference(
        old,
        new,
        _nodes(before, sorted(node_ids)),
        _nodes(after, sorted(node_ids)),
        tuple(sorted(before_turns - after_turns, key=repr)),
        tuple(sorted(about, key=repr)),
        turn_links,
    )


def _links_of(turn: TurnRecord) -> tuple[int, ...]:
    return turn.from_link, *turn.via_links, turn.to_link


def _links(graph: StreetGraph, ids: list[int]) -> dict[int, LinkRecord]:
    rows = graph.link_rows(ids).tolist()
    return {ident: link_record(graph, row) for ident, row in zip(ids, rows, strict=True) if row >= 0}


def _nodes(graph: StreetGraph, ids: list[int]) -> dict[int, NodeRecord]:
    rows = graph.node_rows(ids).tolist()
    return {ident: node_record(graph, row) for ident, row in zip(ids, rows, strict=True) if row >= 0}


@dataclass(frozen=True)
class _Piece:
    """A stretch of a way as it will be: the link it comes from (0: untouched), nodes in order, tags."""

    link: int
    refs: tuple[int, ...]
    tags: Tags


def outgoing(change: Difference, known: Elements) -> OsmChange:
    """The change file of a difference.

    Parameters:
        change: what differs.
        known: the elements of the extract that `change.wanted()` names; what is missing is told in the notes.
    """
    return _Writer(change, known).change()


class _Writer:
    """Collects created, modified and deleted elements."""

    def __init__(self, change: Difference, known: Elements) -> None:
        self._change, self._known = change, known
        self._next = -1
        self._notes: list[str] = []
        self._new_nodes: dict[int, OsmNode] = {}
        self._new_at: dict[int | Spot, int] = {}
        self._ref_at = {node.spot: node.id for node in known.nodes.values()}
        nodes = [*change.nodes_before.values(), *change.nodes_after.values()]
        self._junctions = {node.osm_id for node in nodes if node.osm_id > 0}
        self._ways: dict[int, list[OsmWay]] = defaultdict(list)
        """The ways that come of a way of the extract; under 0 those that are new."""
        self._way_over: dict[frozenset[int], int] = {}
        """The way that leads from one of two nodes to the other."""

    def _fresh(self) -> int:
        self._next -= 1
        return self._next + 1

    # -- nodes ---------------------------------------------------------------------------------------------------------

    def _refs(self, link: LinkRecord) -> tuple[int, ...]:
        """The nodes of a link; 0 for an end at which the street was cut at the edge of the study."""
        inner = [self._vertex(spot_of(*place)) for place in link.line[1:-1]]
        return (self._end(link.tail), *inner, self._end(link.head))

    def _end(self, ident: int) -> int:
        node = self._change.nodes_after[ident]
        if node.osm_id > 0:
            return node.osm_id
        if node.border:
            return 0
        at = spot_of(node.lon, node.lat)
        if self._ref_at.get(at, 0) not in (0, *self._junctions) and ident not in self._new_at:
            # A vertex of a way has become a junction.
            self._new_at[ident] = self._ref_at[at]
        if ident not in self._new_at:
            self._new_at[ident] = ref = self._fresh()
            self._new_nodes[ref] = OsmNode(ref, 0, node.lon, node.lat, dict(node.tags))
        return self._new_at[ident]

    def _vertex(self, at: Spot) -> int:
        known = self._ref_at.get(at, self._new_at.get(at))
        if known is None:
            known = self._new_at[at] = self._fresh()
            self._new_nodes[known] = OsmNode(known, 0, at[0] / 1e7, at[1] / 1e7, {})
        return known

    # -- ways ----------------------------------------------------------------------------------------------------------

    def _pieces(self) -> dict[int, list[_Piece]]:
        """Pieces of each touched way of the extract, and under 0 those of new streets."""
        change, known = self._change, self._known
        pieces: dict[int, list[_Piece]] = defaultdict(list)
        gone: dict[int, set[tuple[Spot, Spot]]] = defaultdict(set)
        for link in change.links_before.values():
            for ident in link.ways:
                gone[ident] |= _edges(link.line)
        touched = {way for link in change.links_before.values() for way in link.ways if way > 0}
        edge_way = dict[tuple[Spot, Spot], int]()
        for ident in sorted(touched):
            way = known.ways.get(ident)
            if way is None:
                self._notes.append(f"Way {ident} is not in the extract: its changes are left out")
                continue
            pieces[ident] = []
            run: list[int] = []
            for a, b in zip(way.refs, way.refs[1:], strict=False):
                spots = [known.nodes[ref].spot for ref in (a, b) if ref in known.nodes]
                edge = _edge(*spots) if len(spots) == 2 else None
                if edge is not None:
                    edge_way.setdefault(edge, ident)
                if edge is None or edge not in gone[ident]:
                    run = [*run, b] if run else [a, b]
                elif run:
                    pieces[ident].append(_Piece(0, tuple(run), way.tags))
                    run = []
            if run:
                pieces[ident].append(_Piece(0, tuple(run), way.tags))
        for link in change.links_after.values():
            for ident, refs in self._by_way(link, edge_way).items():
                if len(refs) > 1 and (ident == 0 or ident in known.ways):
                    pieces[ident].append(_Piece(link.id, refs, self._tags(link, ident)))
        return pieces

    def _by_way(self, link: LinkRecord, edge_way: dict[tuple[Spot, Spot], int]) -> dict[int, tuple[int, ...]]:
        """The nodes of a link, parted where it was merged of several ways."""
        refs = self._refs(link)
        ways = [way for way in link.ways if way > 0]
        if len(ways) < 2:
            return {ways[0] if ways else 0: tuple(ref for ref in refs if ref)}
        parts: dict[int, list[int]] = {}
        current = ways[0]
        for number, (a, b) in enumerate(pairs(spot_of(*place) for place in link.line)):
            current = edge_way.get(_edge(a, b), current)
            parts.setdefault(current, [refs[number]]).append(refs[number + 1])
        return {way: tuple(ref for ref in line if ref) for way, line in parts.items()}

    def _tags(self, link: LinkRecord, ident: int) -> Tags:
        """All tags of a changed link: those of its way, with what the edit made of them."""
        tags = _as_source(link.tags)
        if ident == 0:
            return tags
        of_way = self._known.ways[ident].tags
        before = self._change.links_before.get(link.id) or self._parent(link)
        old = _as_source(before.tags) if before is not None else {key: of_way[key] for key in tags if key in of_way}
        changed = {key: tags.get(key) for key in {*old, *tags} if old.get(key) != tags.get(key)}
        return {key: text for key, text in {**of_way, **changed}.items() if text}

    def _parent(self, link: LinkRecord) -> LinkRecord | None:
        """The link that a new one was broken off."""
        alike = [old for old in self._change.links_before.values() if set(old.ways) & set(link.ways)]
        edges = _edges(link.line)
        return max(alike, key=lambda old: (len(_edges(old.line) & edges), old.tags == link.tags), default=None)

    def _write_ways(self) -> None:
        breaks: dict[int, set[int]] = defaultdict(set)
        for turn in self._change.turns_after:
            ends = {self._end(node) for node in self._nodes_over(turn)} if turn.relation == 0 else set()
            for link in _links_of(turn):
                for ident in self._change.turn_links[link].ways or (0,):
                    breaks[ident] |= ends
        for ident, pieces in self._pieces().items():
            chains = _chained(pieces, breaks.get(ident, set()))
            if ident == 0:
                chains.sort(key=lambda chain: chain[0].link)
            for number, chain in enumerate(chains):
                keeps = ident > 0 and number == 0
                way = OsmWay(
                    ident if keeps else self._fresh(),
                    self._known.ways[ident].version if keeps else 0,
                    _line(chain),
                    chain[0].tags,
                )
                self._ways[ident].append(way)
                self._way_over.update({frozenset(pair): way.id for pair in zip(way.refs, way.refs[1:], strict=False)})
            if ident > 0 and len(chains) > 1:
                self._notes.append(f"Way {ident} is now {len(chains)} ways: look after the relations it is a member of")
            if ident > 0 and not chains:
                self._ways[ident] = []

    # -- turn restrictions ---------------------------------------------------------------------------------------------

    def _relations(self) -> tuple[list[OsmRelation], list[OsmRelation], list[OsmRelation]]:
        create, modify, delete = [], [], []
        after = defaultdict(list)
        for turn in self._change.turns_after:
            after[turn.relation].append(turn)
        for turn in after.pop(0, []):
            if turn.kind == DELAY:
                self._notes.append("What a turn takes in seconds has no form in a change file")
                continue
            create.append(OsmRelation(self._fresh(), 0, self._members(turn), self._turn_tags(turn)))
        before = {turn.relation for turn in self._change.turns_before}
        for relation in sorted((before | set(after)) - {0}):
            known = self._known.relations.get(relation)
            if known is None:
                self._notes.append(f"Relation {relation} is not in the extract: its change is left out")
            elif relation not in after:
                delete.append(known)
            elif (members := self._members_of_all(after[relation])) is None:
                self._notes.append(f"Relation {relation} holds for some of its streets only: look after it by hand")
            elif sorted(members) != sorted(member for member in known.members if member[0] in ("from", "via", "to")):
                others = tuple(member for member in known.members if member[0] not in ("from", "via", "to"))
                modify.append(replace(known, members=members + others))
        return create, modify, delete

    def _nodes_over(self, turn: TurnRecord) -> list[int]:
        """The nodes a turn leads over: where its first link is left, and the far end of each link between."""
        nodes = [turn.via_node]
        for link in turn.via_links:
            record = self._change.turn_links[link]
            nodes.append(record.head if record.tail == nodes[-1] else record.tail)
        return nodes

    def _members(self, turn: TurnRecord) -> tuple[Member, ...]:
        nodes = self._nodes_over(turn)
        ways = [self._way(link, node) for link, node in zip(turn.via_links, nodes, strict=False)]
        via: list[Member] = [("via", "way", way) for way in dict.fromkeys(ways)]
        first, last = self._way(turn.from_link, nodes[0]), self._way(turn.to_link, nodes[-1])
        return (("from", "way", first), *(via or [("via", "node", self._end(nodes[0]))]), ("to", "way", last))

    def _members_of_all(self, turns: Sequence[TurnRecord]) -> tuple[Member, ...] | None:
        """The members of the one relation that states these turns; None where none states them and no other."""
        paths = dict.fromkeys(self._members(turn) for turn in turns)
        first, last, via = ({path[part] for path in paths} for part in (slice(1), slice(-1, None), slice(1, -1)))
        if len(via) != 1 or len(paths) != len(first) * len(last):
            return None
        starts, ends = (dict.fromkeys(path[part] for path in paths) for part in (0, -1))
        return (*starts, *via.pop(), *ends)

    def _way(self, link: int, node: int) -> int:
        """The way of a link, of several the one that leads to or from a node."""
        record = self._change.turn_links[link]
        refs, ways = self._refs(record), record.ways or (0,)
        at_head = record.head == node
        way = self._way_over.get(frozenset(refs[-2:] if at_head else refs[:2]))
        return way if way is not None else ways[-1 if at_head else 0]

    def _turn_tags(self, turn: TurnRecord) -> Tags:
        kind = turn.kind
        if kind in ("no_turn", "only_turn"):
            kind = f"{kind.partition('_')[0]}_{self._direction(turn)}"
        key = f"restriction:{turn.applies_to}" if turn.applies_to else "restriction"
        tags = {"type": "restriction"}
        tags |= {f"{key}:conditional": f"{kind} @ {turn.condition}"} if turn.condition else {key: kind}
        return tags | ({"except": turn.exempt} if turn.exempt else {})

    def _direction(self, turn: TurnRecord) -> str:
        """Which way a turn goes, by the bearing of the streets at the node."""
        into, out = (self._change.turn_links[ident] for ident in (turn.from_link, turn.to_link))
        node = turn.via_node
        a = np.array(into.line[-2:] if into.head == node else into.line[1::-1], float)
        b = np.array(out.line[:2] if out.tail == node else out.line[:-3:-1], float)
        shrink = np.cos(np.radians(a[1, 1]))
        bearings = [np.degrees(np.arctan2((p[1, 0] - p[0, 0]) * shrink, p[1, 1] - p[0, 1])) for p in (a, b)]
        turned = (bearings[1] - bearings[0] + 180) % 360 - 180
        if abs(turned) < STRAIGHT_DEG:
            return "straight_on"
        if abs(turned) > BACK_DEG:
            return "u_turn"
        return "right_turn" if turned > 0 else "left_turn"

    # -- all of it -----------------------------------------------------------------------------------------------------

    def change(self) -> OsmChange:
        self._write_ways()
        new_relations, changed_relations, gone_relations = self._relations()
        known = self._known
        new_ways = [way for ways in self._ways.values() for way in ways if way.id < 0]
        kept = {way.id: way for ways in self._ways.values() for way in ways if way.id > 0}
        changed_ways = [way for way in kept.values() if way != known.ways[way.id]]
        gone_ways = [known.ways[ident] for ident, ways in self._ways.items() if ident > 0 and not ways]
        changed_nodes = self._changed_nodes()
        used = {ref for ways in self._ways.values() for way in ways for ref in way.refs}
        in_turns = {
            ref
            for relation in (*new_relations, *changed_relations)
            for _, kind, ref in relation.members
            if kind == "node"
        }
        dropped = {ref for ident in self._ways if ident > 0 for ref in known.ways[ident].refs} - used - in_turns
        gone_nodes = [known.nodes[ref] for ref in sorted(dropped) if ref in known.nodes and not known.nodes[ref].tags]
        new_nodes = [node for ref, node in self._new_nodes.items() if ref in used]
        return OsmChange(
            (*new_nodes, *new_ways, *new_relations),
            (*changed_nodes, *changed_ways, *changed_relations),
            # What holds others goes before what it holds.
            (*gone_relations, *gone_ways, *gone_nodes),
            tuple(dict.fromkeys(self._notes)),
        )

    def _changed_nodes(self) -> list[OsmNode]:
        changed = []
        for ident, after in self._change.nodes_after.items():
            before = self._change.nodes_before.get(ident)
            ref = after.osm_id if after.osm_id > 0 else self._new_at.get(ident, 0)
            known = self._known.nodes.get(ref)
            if known is None or ref < 0:
                continue
            old: Tags = before.tags if before is not None else {}
            tags = {key: after.tags.get(key) for key in {*old, *after.tags} if old.get(key) != after.tags.get(key)}
            moved = before is not None and (before.lon, before.lat) != (after.lon, after.lat)
            place = (after.lon, after.lat) if moved else (known.lon, known.lat)
            new = OsmNode(
                ref, known.version, *place, {key: text for key, text in {**known.tags, **tags}.items() if text}
            )
            if new != known:
                changed.append(new)
        return changed


def _as_source(tags: Tags) -> Tags:
    """Tags as the source writes them: a ferry is a route there, not a class of street."""
    if tags.get("highway") != FERRY:
        return dict(tags)
    return {key: text for key, text in tags.items() if key != "highway"} | {"route": "ferry"}


def _edge(a: Spot, b: Spot) -> tuple[Spot, Spot]:
    return (a, b) if a <= b else (b, a)


def _edges(line: Sequence[tuple[float, float]]) -> set[tuple[Spot, Spot]]:
    return {_edge(a, b) for a, b in pairs(spot_of(*place) for place in line)}


def _line(chain: Sequence[_Piece]) -> tuple[int, ...]:
    return (*chain[0].refs, *(ref for piece in chain[1:] for ref in piece.refs[1:]))


def _chained(pieces: Sequence[_Piece], breaks: set[int]) -> list[list[_Piece]]:
    """Pieces that run on into each other with the same tags, but not over the nodes `breaks`; the longest first."""
    begins, ends = Counter(p.refs[0] for p in pieces), Counter(p.refs[-1] for p in pieces)
    by_begin = {piece.refs[0]: piece for piece in pieces}
    next_of = {}
    for piece in pieces:
        joint = piece.refs[-1]
        follower = by_begin.get(joint)
        # Where more than two meet it would be a guess which runs on.
        if (
            follower is not None
            and follower is not piece
            and begins[joint] == ends[joint] == 1
            and follower.tags == piece.tags
            and joint not in breaks
        ):
            next_of[id(piece)] = follower
    followers = {id(piece) for piece in next_of.values()}
    chains, done = [], set[int]()
    for piece in [*(p for p in pieces if id(p) not in followers), *pieces]:
        chain: list[_Piece] = []
        current: _Piece | None = piece
        while current is not None and id(current) not in done:
            done.add(id(current))
            chain.append(current)
            current = next_of.get(id(current))
        if chain:
            chains.append(chain)
    return sorted(chains, key=lambda chain: -len(_line(chain)))
