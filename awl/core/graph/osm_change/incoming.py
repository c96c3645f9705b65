"""A change of OpenStreetMap's elements, made elsewhere, as edits of a street graph; what does not fit is told.

Links are found by the id of their way, their vertices by place. Links follow the new course of their way where it still leads
from end to end of them; others are deleted. What no link covers is added, broken wherever it meets another street at a vertex.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.graph.build import FERRY, JUNCTION_KEYS, SIGNALS, STREET_CLASSES, STREET_KEYS
from awl.core.graph.edits.apply import apply
from awl.core.graph.edits.edit import Edit
from awl.core.graph.edits.records import LinkRecord, link_record, node_record
from awl.core.graph.osm_change.elements import (
    Elements,
    OsmChange,
    OsmNode,
    OsmRelation,
    OsmWay,
    Spot,
    Tags,
    Wanted,
    spot_of,
)
from awl.core.graph.raw import Restriction, relation_of
from awl.core.graph.street_graph import StreetGraph
from awl.core.graph.turns import place_restrictions

Place = tuple[float, float]


@dataclass(frozen=True)
class Incoming:
    """What came of a change file.

    Attributes:
        edits: the edits in their order, numbered from the ids that were given.
        misfits: elements that fit nothing, each with why.
        passed_over: elements that are no matter of streets.
    """

    edits: tuple[Edit, ...]
    misfits: tuple[str, ...]
    passed_over: int


def needed(change: OsmChange) -> Wanted:
    """What a change takes for known of the extract: where nodes are, and where ways run that turn restrictions name.

    Parameters:
        change: the change.
    """
    ways = [*change.of_kind("create", OsmWay), *change.of_kind("modify", OsmWay)]
    turns = [*change.of_kind("create", OsmRelation), *change.of_kind("modify", OsmRelation)]
    created = {node.id for node in change.of_kind("create", OsmNode)}
    moved = {node.id for node in change.of_kind("modify", OsmNode)}
    named = {
        ref
        for relation in turns
        if isinstance(relation_of(relation.id, relation.tags, relation.members), Restriction)
        for _, kind, ref in relation.members
        if kind == "way"
    }
    return Wanted(
        frozenset(({ref for way in ways for ref in way.refs} | moved) - created),
        frozenset(named - {way.id for way in ways}),
    )


def incoming(
    graph: StreetGraph, change: OsmChange, known: Elements | None, next_ids: tuple[int, int] = (0, 0)
) -> Incoming:
    """The edits that do to a street graph what a change does to the source.

    Parameters:
        graph: the streets.
        change: the change.
        known: of the extract what `needed` names; None where it is not at hand, so that elements may not fit.
        next_ids: the lowest ids a new node and link may get.
    """
    reader = _Reader(graph, change, known, next_ids)
    for step in (
        reader.nodes,
        reader.deleted_ways,
        reader.modified_ways,
        reader.created_ways,
        reader.separations,
        reader.marks,
        reader.turns,
    ):
        step()
    return Incoming(tuple(reader.edits), tuple(reader.misfits), reader.passed_over)


@dataclass(frozen=True)
class _Line:
    """Where a way runs: places, the nodes there, and which steps are taken already, or lead beyond the edge of the study."""

    places: list[Place]
    refs: list[int]
    taken: set[int]


class _Reader:
    """Makes edits element by element, each resolved on the streets as those before left them."""

    def __init__(
        self, graph: StreetGraph, change: OsmChange, known: Elements | None, next_ids: tuple[int, int]
    ) -> None:
        self._graph, self._change, self._next_ids = graph, change, next_ids
        self.edits: list[Edit] = []
        self.misfits: list[str] = []
        self.passed_over = 0
        self._old_places: dict[int, Place] = {
            int(ident): (float(lon), float(lat))
            for ident, lon, lat in zip(graph.node_osm_id, graph.node_lon, graph.node_lat, strict=True)
            if ident > 0
        }
        self._has_extract = known is not None
        known = known or Elements()
        self._old_places |= {node.id: (node.lon, node.lat) for node in known.nodes.values()}
        stated = [*change.of_kind("create", OsmNode), *change.of_kind("modify", OsmNode)]
        self._new_nodes = {node.id: node for node in stated}
        self._places = self._old_places | {ident: (node.lon, node.lat) for ident, node in self._new_nodes.items()}
        self._outside = self._beyond_edge()
        self._new_lines: dict[int, _Line | None] = {}
        self._apart: dict[tuple[int, int], list[int]] = {}
        self._first_links = graph.link_id
        self._way_over = dict[frozenset[Spot], int]()
        """By pair of vertices the way that runs there, for ways that the change writes or its turn restrictions name."""
        for way in known.ways.values():
            places = [self._places[ref] for ref in way.refs if ref in self._places]
            self._way_over |= dict.fromkeys(_steps(places), way.id)
        self._known_ways = tuple(known.ways)

    def _beyond_edge(self) -> set[int]:
        """Nodes of the extract that are on no street of a study that was cut: they lie outside of it."""
        graph = self._graph
        if not graph.node_border.any():
            return set()
        places = {(lon, lat) for lon, lat in zip(graph.shape_lon.tolist(), graph.shape_lat.tolist(), strict=True)}
        return {
            ident for ident, place in self._old_places.items() if ident not in self._new_nodes and place not in places
        }

    def _do(self, about: str, edits: Sequence[Edit]) -> tuple[Edit, ...]:
        """Apply edits that belong together; a misfit where one of them does not fit."""
        if not edits:
            return ()
        try:
            applied = apply(self._graph, edits, self._next_ids)
        except AwlError as error:
            self.misfits.append(f"{about}: {error.what}")
            return ()
        self._graph = applied.graph
        self.edits += applied.edits
        return applied.edits

    # -- nodes ---------------------------------------------------------------------------------------------------------

    def nodes(self) -> None:
        """Nodes that moved."""
        for node in self._change.of_kind("modify", OsmNode):
            old = self._old_places.get(node.id)
            if old is None:
                self.misfits.append(f"Node {node.id}: it is on no street, or not known where it was")
                continue
            if spot_of(*old) == node.spot:
                continue
            row = self._junction(node.id)
            if row >= 0:
                self._do(
                    f"Node {node.id}",
                    [Edit("move", node=int(self._graph.node_id[row]), points=((node.lon, node.lat),))],
                )
                continue
            edits = []
            for link in self._links_through(old):
                line = tuple((node.lon, node.lat) if spot_of(*place) == spot_of(*old) else place for place in link.line)
                edits.append(Edit("reshape", links=(link.id,), points=line))
            if not edits:
                self.misfits.append(f"Node {node.id}: no street goes there")
            self._do(f"Node {node.id}", edits)

    def marks(self) -> None:
        """Barriers, signals and crossings that nodes got or lost."""
        for node in (*self._change.of_kind("create", OsmNode), *self._change.of_kind("modify", OsmNode)):
            self._mark(node.id, (node.lon, node.lat), node.tags)
        for node in self._change.of_kind("delete", OsmNode):
            row = self._junction(node.id)
            if row >= 0 and node_record(self._graph, row).tags:
                self._mark(node.id, (float(self._graph.node_lon[row]), float(self._graph.node_lat[row])), {})

    def _mark(self, ident: int, place: Place, tags: Tags) -> None:
        counts = "barrier" in tags or tags.get("highway") in SIGNALS or "crossing" in tags.get("railway", "")
        wanted = {key: tags[key] for key in JUNCTION_KEYS if key in tags} if counts else {}
        # A new node may stand where another one is; without a mark of its own it says nothing of that one.
        row = self._junction(ident, place if wanted else None)
        if row >= 0:
            record = node_record(self._graph, row)
            changed = {
                key: wanted.get(key) for key in {*wanted, *record.tags} if wanted.get(key) != record.tags.get(key)
            }
            if changed:
                self._do(f"Node {ident}", [Edit("node", node=record.id, tags=changed)])
        elif wanted:
            through = self._links_through(place)
            if not through:
                self.passed_over += 1
                return
            self._do(f"Node {ident}", [Edit("split", links=(through[0].id,), points=(place,), tags=dict(wanted))])

    def _junction(self, osm_id: int, place: Place | None = None) -> int:
        """The row of the node of the graph that stands for one of the source; -1 for none."""
        graph = self._graph
        rows = np.flatnonzero(graph.node_osm_id == osm_id) if osm_id > 0 else np.zeros(0, np.int64)
        if len(rows) == 0 and place is not None:
            rows = np.flatnonzero(
                (graph.node_lon == place[0]) & (graph.node_lat == place[1]) & (graph.node_osm_id == 0)
            )
        return int(rows[0]) if len(rows) else -1

    def _links_through(self, place: Place) -> list[LinkRecord]:
        """The links that have a vertex at a place, ends aside."""
        graph = self._graph
        at = np.flatnonzero((graph.shape_lon == place[0]) & (graph.shape_lat == place[1]))
        rows = np.unique(np.searchsorted(graph.shape_start, at, side="right") - 1)
        links = [link_record(graph, row) for row in rows.tolist()]
        return [link for link in links if place in link.line[1:-1]]

    # -- ways ----------------------------------------------------------------------------------------------------------

    def deleted_ways(self) -> None:
        """Ways that went."""
        for way in self._change.of_kind("delete", OsmWay):
            links = self._links_of(way.id)
            if not links:
                self.passed_over += 1
                continue
            self._do(f"Way {way.id}", [Edit("delete", links=tuple(link.id for link in links))])

    def modified_ways(self) -> None:
        """Ways with other nodes or tags."""
        for way in self._change.of_kind("modify", OsmWay):
            links = self._links_of(way.id)
            tags = street_tags(way.tags)
            if not links and tags is None:
                self.passed_over += 1
                continue
            if tags is None:
                self._do(f"Way {way.id}", [Edit("delete", links=tuple(link.id for link in links))])
                continue
            line = self._line(way)
            if line is not None:
                self._redraw(way, line, links, tags)

    def _redraw(self, way: OsmWay, line: _Line, links: list[LinkRecord], tags: Tags) -> None:
        """Let the links of a way follow its new line where both their ends are on it; draw what none of them covers.

        Where a way was broken in the source, links go to the new way that takes their course.
        """
        edits, gone = [], []
        for link in links:
            targets = [(line, tags), *self._broken_off(link)]
            found = next(((s, *target) for target in targets if (s := self._stretch(link, target[0].places))), None)
            if found is None:
                gone.append(link.id)
                continue
            (begin, end, points), along, new_tags = found
            along.taken.update(range(min(begin, end), max(begin, end)))
            if begin > end:
                edits.append(Edit("reverse", links=(link.id,)))
            if points is not None:
                self._note_ends(link, along.refs[begin], along.refs[end])
                if points != (link.line if begin < end else link.line[::-1]):
                    edits.append(Edit("reshape", links=(link.id,), points=points))
            keys = [key for key in STREET_KEYS if key != "gmns_link_id" and new_tags.get(key) != link.tags.get(key)]
            if keys:
                edits.append(Edit("change", links=(link.id,), tags={key: new_tags.get(key) for key in keys}))
        if gone:
            edits.append(Edit("delete", links=tuple(gone)))
        if edits and not self._do(f"Way {way.id}", edits):
            return
        for run in _runs(line):
            self._draw(way, run, tags)

    def _note_ends(self, link: LinkRecord, tail: int, head: int) -> None:
        """Remember where a link ends at another node of the source than before, though at the same place."""
        for node, ref in ((link.tail, tail), (link.head, head)):
            known = int(self._graph.node_osm_id[self._graph.node_rows([node])[0]])
            if known > 0 and ref != known:
                self._apart.setdefault((node, ref), []).append(link.id)

    def separations(self) -> None:
        """Links that meet at a place no more, for each got a node of its own there."""
        for (node, ref), links in self._apart.items():
            self._do(f"Node {ref}", [Edit("separate", links=tuple(dict.fromkeys(links)), node=node)])

    def _broken_off(self, link: LinkRecord) -> Iterator[tuple[_Line, Tags]]:
        """Lines and tags of the new ways of the change that have a vertex of a link."""
        spots = {spot_of(*place) for place in link.line}
        for way in self._change.of_kind("create", OsmWay):
            line, tags = self._new_line(way), street_tags(way.tags)
            if line is not None and tags is not None and spots & {spot_of(*place) for place in line.places}:
                yield line, tags

    def _new_line(self, way: OsmWay) -> _Line | None:
        """The line of a new way, without what of it is taken by now."""
        if way.id not in self._new_lines:
            self._new_lines[way.id] = self._line(way) if street_tags(way.tags) is not None else None
        return self._new_lines[way.id]

    def _stretch(self, link: LinkRecord, line: list[Place]) -> tuple[int, int, tuple[Place, ...] | None] | None:
        """Where on a line a link begins and ends, and its course there; no course for one that the edge of the study cut."""
        spots = [spot_of(*place) for place in line]
        vertices = [spot_of(*place) for place in link.line]
        cut = self._graph.node_border[self._graph.node_rows([link.tail, link.head])].tolist()
        for tail, head, whole in ((0, -1, True), (int(cut[0]), -1 - int(cut[1]), False)):
            begins = [at for at, spot in enumerate(spots) if spot == vertices[tail]]
            ends = [at for at, spot in enumerate(spots) if spot == vertices[head]]
            forward = min(((j - i, i, j) for i in begins for j in ends if j > i), default=None)
            back = min(((i - j, i, j) for i in begins for j in ends if i > j), default=None)
            found = forward or back
            if found is None:
                continue
            _, begin, end = found
            if whole:
                return begin, end, tuple(line[min(begin, end) : max(begin, end) + 1])
            step = 1 if begin < end else -1
            last = len(line) - 1
            return (
                min(max(begin - step * cut[0], 0), last),
                min(max(end + step * cut[1], 0), last),
                None,
            )
        return None

    def created_ways(self) -> None:
        """New ways."""
        for way in self._change.of_kind("create", OsmWay):
            tags = street_tags(way.tags)
            if tags is None:
                self.passed_over += 1
                continue
            line = self._new_line(way)
            for run in _runs(line) if line is not None else ():
                self._draw(way, run, tags)

    def _line(self, way: OsmWay) -> _Line | None:
        """Where a way runs within the study; None with a misfit where that is not known."""
        unknown = [ref for ref in way.refs if ref not in self._places]
        inside = [ref in self._places and ref not in self._outside for ref in way.refs]
        known = [(number, ref) for number, ref in enumerate(way.refs) if inside[number]]
        beyond_edge = self._has_extract and all(ref > 0 for ref in unknown)
        if len(way.refs) < 2 or (unknown and not beyond_edge):
            why = f"it is not known where node {unknown[0]} is" if unknown else "it has no length"
            self.misfits.append(f"Way {way.id}: {why}")
            return None
        gaps = {at for at, (a, b) in enumerate(zip(known, known[1:], strict=False)) if b[0] > a[0] + 1}
        line = _Line([self._places[ref] for _, ref in known], [ref for _, ref in known], gaps)
        self._way_over |= dict.fromkeys(_steps(line.places), way.id)
        return line

    def _draw(self, way: OsmWay, line: list[Place], tags: Tags) -> None:
        """Add a line, broken wherever it meets another street at a vertex, or itself."""
        edits, start = [], 0
        spots = [spot_of(*place) for place in line]
        for at in range(1, len(line)):
            if (
                at == len(line) - 1
                or self._is_vertex(line[at])
                or spots.index(spots[at]) < at
                or spots[at] in spots[at + 1 :]
            ):
                edits.append(Edit("add", points=tuple(line[start : at + 1]), tags=dict(tags)))
                start = at
        self._do(f"Way {way.id}", edits)

    def _is_vertex(self, place: Place) -> bool:
        graph = self._graph
        return bool(((graph.shape_lon == place[0]) & (graph.shape_lat == place[1])).any())

    def _links_of(self, way: int) -> list[LinkRecord]:
        graph = self._graph
        owner = np.searchsorted(graph.ways_start, np.flatnonzero(graph.link_ways == way), side="right") - 1
        return [link_record(graph, row) for row in np.unique(owner).tolist()]

    # -- turn restrictions ---------------------------------------------------------------------------------------------

    def turns(self) -> None:
        """Turn restrictions that went, changed or came."""
        gone, changed = (self._change.of_kind("delete", OsmRelation), self._change.of_kind("modify", OsmRelation))
        for relation in (*gone, *changed):
            self._allow(relation.id)
        for relation in (*changed, *self._change.of_kind("create", OsmRelation)):
            restriction = relation_of(relation.id, relation.tags, relation.members)
            if isinstance(restriction, Restriction):
                self._restrict(restriction)
            else:
                self.passed_over += 1

    def _allow(self, relation: int) -> None:
        graph = self._graph
        for turn in graph.restrictions.rows():
            if turn.relation == relation:
                links = (int(graph.link_id[turn.from_link]), int(graph.link_id[turn.to_link]))
                edit = Edit("allow", links=links, node=int(graph.node_id[turn.via_node]))
                self._do(f"Relation {relation}", [edit])

    def _restrict(self, restriction: Restriction) -> None:
        """Restrict what the relation restricts on the streets as they are now, from each way to each way it names."""
        about = f"Relation {restriction.id}"
        graph = self._graph
        row, way = self._ways_of_links()
        node_ids = graph.node_osm_id.copy()
        for via in restriction.via_nodes:
            junction = self._junction(via, self._places.get(via))
            if junction < 0:
                self.misfits.append(f"{about}: its via node is no junction of the study")
                return
            node_ids[junction] = via
        placed, lost = place_restrictions([restriction], way, graph.link_from[row], graph.link_to[row], node_ids)
        if lost:
            self.misfits.append(f"{about}: its ways do not meet there once, or it says no turn that is known")
            return
        for turn in placed.rows():
            links = tuple(graph.link_id[row[[turn.from_link, *turn.via_links, turn.to_link]]].tolist())
            tags = {
                "restriction": turn.kind,
                "vehicle": turn.applies_to,
                "except": turn.exempt,
                "condition": turn.condition,
            }
            self._do(about, [Edit("restrict", links=links, node=int(graph.node_id[turn.via_node]), tags=tags)])

    def _ways_of_links(self) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Each pair of a link, as its row, and of a way that runs over it from now on."""
        graph = self._graph
        count = np.diff(graph.ways_start)
        row = np.repeat(np.arange(graph.link_count), count)
        traced = np.isin(graph.link_ways, [way.id for way in self._change.of_kind("modify", OsmWay)])
        # Of a link of several ways that was broken since, each piece still names them all.
        traced |= np.isin(graph.link_ways, self._known_ways) & (count[row] > 1)
        new = np.setdiff1d(graph.link_id, self._first_links)
        pairs = [
            (one, way)
            for one in {*row[traced].tolist(), *graph.link_rows(new).tolist()}
            for way in {self._way_over.get(step) for step in _steps(link_record(graph, one).line)}
            if way is not None
        ]
        rows, ways = np.array(pairs, np.int64).reshape(-1, 2).T
        return np.append(row[~traced], rows), np.append(graph.link_ways[~traced], ways)


def _steps(line: Sequence[Place]) -> list[frozenset[Spot]]:
    """The pairs of vertices that follow each other."""
    return [frozenset(pair) for pair in pairwise(spot_of(*place) for place in line)]


def _runs(line: _Line) -> list[list[Place]]:
    """The stretches of a line that are not taken."""
    runs: list[list[Place]] = []
    for at in range(len(line.places) - 1):
        if at in line.taken:
            continue
        if at == 0 or at - 1 in line.taken:
            runs.append([line.places[at]])
        runs[-1].append(line.places[at + 1])
    return runs


def street_tags(tags: Tags) -> Tags | None:
    """The tags a street of a graph keeps of a way's; None where the way is no street.

    Parameters:
        tags: of the way.
    """
    kept = {key: tags[key] for key in STREET_KEYS if key in tags and key != "gmns_link_id"}
    if tags.get("area") == "yes":
        return None
    if kept.get("highway") in STREET_CLASSES:
        return kept
    return kept | {"highway": FERRY} if tags.get("route") == "ferry" else None
