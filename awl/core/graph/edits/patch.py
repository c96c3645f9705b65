"""The difference between two graphs as the rows that differ, before and after: applied it edits, turned round it undoes."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from awl.core.columns import Categorical
from awl.core.graph.edits.records import LinkRecord, NodeRecord, TurnRecord, turn_records
from awl.core.graph.street_graph import StreetGraph, rows_of_ids
from awl.core.graph.turns import Placed, TurnRestrictions


@dataclass(frozen=True)
class Patch:
    """Rows of a graph as they were and as they become, by id; a row on one side alone was put in or taken out.

    Turn restrictions are told whole where any of them changes, for they have no ids; None on both sides where none does.
    """

    nodes_before: tuple[NodeRecord, ...] = ()
    nodes_after: tuple[NodeRecord, ...] = ()
    links_before: tuple[LinkRecord, ...] = ()
    links_after: tuple[LinkRecord, ...] = ()
    turns_before: tuple[TurnRecord, ...] | None = None
    turns_after: tuple[TurnRecord, ...] | None = None

    def inverse(self) -> Patch:
        """What takes it back."""
        return Patch(
            self.nodes_after,
            self.nodes_before,
            self.links_after,
            self.links_before,
            self.turns_after,
            self.turns_before,
        )

    @property
    def changed_links(self) -> NDArray[np.int64]:
        """Ids of the links that were put in, taken out or changed, ascending."""
        return np.unique(np.array([link.id for link in (*self.links_before, *self.links_after)], np.int64))


def patched(graph: StreetGraph, patch: Patch) -> StreetGraph:
    """The graph with a patch applied, in the one order that follows from what it holds.

    O(m log m) for the order; the rows of the patch are spliced in whole columns. Where attributes and costs alone change, the
    order stays, and all else is shared.

    Parameters:
        graph: the streets the patch was made for.
        patch: what changes.
    """
    if _leaves_shapes(patch):
        return _with_other_values(graph, patch.links_after)
    keep_node = ~np.isin(graph.node_id, _ids(patch.nodes_before))
    keep_link = np.flatnonzero(~np.isin(graph.link_id, _ids(patch.links_before)))
    nodes, links = patch.nodes_after, patch.links_after
    turns = turn_records(graph) if patch.turns_after is None else patch.turns_after
    columns = graph.node_columns(keep_node)
    columns["node_id"] = np.concatenate([columns["node_id"], _ids(nodes)])
    columns["node_osm_id"] = _with(columns["node_osm_id"], [node.osm_id for node in nodes])
    columns["node_lon"] = _with(columns["node_lon"], [node.lon for node in nodes])
    columns["node_lat"] = _with(columns["node_lat"], [node.lat for node in nodes])
    columns["node_border"] = _with(columns["node_border"], [node.border for node in nodes])
    columns["node_tags"] = _tags(columns["node_tags"], int(keep_node.sum()), [node.tags for node in nodes])
    columns |= _links(graph, graph.link_columns(keep_link), keep_link, links)
    known, order = columns["node_id"], np.argsort(columns["node_id"])
    for name, new in (("link_from", [link.tail for link in links]), ("link_to", [link.head for link in links])):
        # A node may have moved to another row: links find theirs by id.
        ends = np.concatenate([graph.node_id[columns[name]], np.array(new, np.int64)])
        columns[name] = rows_of_ids(known, order, ends).astype(np.int32)
    highest = graph.next_node_id - 1, graph.next_link_id - 1
    bare = replace(graph, **columns, restrictions=TurnRestrictions.none(), highest_ids=highest)
    bare = replace(bare, highest_ids=(bare.next_node_id - 1, bare.next_link_id - 1))
    result = _with_turns(bare.in_space_order(), turns)
    result.take_shapes_from(graph, patch.changed_links)
    return result


def _leaves_shapes(patch: Patch) -> bool:
    """Whether links get other attributes and costs, and nothing else changes."""
    if patch.nodes_before or patch.nodes_after or patch.turns_after is not None:
        return False
    before, after = (
        {link.id: replace(link, tags={}, costs={}) for link in links}
        for links in (patch.links_before, patch.links_after)
    )
    return before == after


def _with_other_values(graph: StreetGraph, links: Sequence[LinkRecord]) -> StreetGraph:
    """The graph with other attributes and costs of some links."""
    rows = graph.link_rows([link.id for link in links])
    tags = {}
    for key in sorted({*graph.tags, *(key for link in links for key in link.tags)}):
        column = graph.tag(key)
        codes = {value: code for code, value in enumerate(column.values)}
        new = np.array(
            [codes.setdefault(link.tags[key], len(codes)) if key in link.tags else -1 for link in links], np.int32
        )
        if not np.array_equal(column.codes[rows], new):
            changed = column.codes.copy()
            changed[rows] = new
            column = Categorical(changed, tuple(codes))
        if column.present().any():
            tags[key] = column
    costs = {}
    for key in sorted({*graph.costs, *(key for link in links for key in link.costs)}):
        pair = graph.costs.get(key, np.full((graph.link_count, 2), np.nan)).copy()
        pair[rows] = np.array([link.costs.get(key, (np.nan, np.nan)) for link in links], float).reshape(-1, 2)
        costs[key] = pair
    highest = graph.next_node_id - 1, graph.next_link_id - 1
    result = replace(graph, tags=tags, costs=costs, highest_ids=highest)
    result.take_shapes_from(graph, np.zeros(0, np.int64))
    return result


def _links(
    graph: StreetGraph, columns: dict[str, Any], kept_rows: NDArray[np.int64], links: Sequence[LinkRecord]
) -> dict[str, Any]:
    """Columns of the kept links with those of records behind; ends aside."""
    sizes = [len(link.line) for link in links]
    ways = [len(link.ways) for link in links]
    line = np.array([place for link in links for place in link.line], float).reshape(-1, 2)
    costs = {}
    for key in sorted({*columns["costs"], *(key for link in links for key in link.costs)}):
        pair = columns["costs"].get(key, np.full((len(kept_rows), 2), np.nan))
        new = np.array([link.costs.get(key, (np.nan, np.nan)) for link in links], float).reshape(-1, 2)
        costs[key] = np.concatenate([pair, new])
    return {
        **columns,
        "link_id": np.concatenate([columns["link_id"], _ids(links)]),
        "link_ways": _with(columns["link_ways"], [way for link in links for way in link.ways]),
        "ways_start": np.concatenate(
            [columns["ways_start"], columns["ways_start"][-1] + np.cumsum(ways, dtype=np.int64)]
        ),
        "shape_start": np.concatenate(
            [columns["shape_start"], columns["shape_start"][-1] + np.cumsum(sizes, dtype=np.int64)]
        ),
        "shape_lon": np.concatenate([columns["shape_lon"], line[:, 0]]),
        "shape_lat": np.concatenate([columns["shape_lat"], line[:, 1]]),
        "shape_m": _with(columns["shape_m"], [metres for link in links for metres in link.metres]),
        "tags": _tags(columns["tags"], len(kept_rows), [link.tags for link in links]),
        "costs": costs,
    }


def _ids(records: Iterable[NodeRecord] | Iterable[LinkRecord]) -> NDArray[np.int64]:
    return np.array([record.id for record in records], np.int64)


def _with(column: NDArray[Any], more: list[Any]) -> NDArray[Any]:
    return np.concatenate([column, np.array(more, column.dtype)])


def _tags(columns: dict[str, Categorical], count: int, rows: Sequence[dict[str, str]]) -> dict[str, Categorical]:
    """Columns of `count` rows with those of new rows behind; columns in which nothing is left go."""
    longer = {}
    for key in sorted({*columns, *(key for tags in rows for key in tags)}):
        column = columns.get(key) or Categorical(np.full(count, -1, np.int32), ())
        codes = {value: code for code, value in enumerate(column.values)}
        new = [codes.setdefault(tags[key], len(codes)) if key in tags else -1 for tags in rows]
        lengthened = Categorical(np.concatenate([column.codes, np.array(new, np.int32)]), tuple(codes))
        if lengthened.present().any():
            longer[key] = lengthened
    return longer


def _with_turns(graph: StreetGraph, turns: Sequence[TurnRecord]) -> StreetGraph:
    if not turns:
        return graph
    links = sorted({i for turn in turns for i in (turn.from_link, *turn.via_links, turn.to_link)})
    nodes = sorted({turn.via_node for turn in turns})
    link_row = dict(zip(links, graph.link_rows(links).tolist(), strict=True))
    node_row = dict(zip(nodes, graph.node_rows(nodes).tolist(), strict=True))
    return graph.with_restrictions(
        TurnRestrictions.of(
            [
                Placed(
                    turn.relation, link_row[turn.from_link], node_row[turn.via_node], tuple(link_row[i] for i in turn.via_links),
                    link_row[turn.to_link], turn.kind, turn.applies_to, turn.exempt, turn.condition, turn.delay_s,
                )
                for turn in turns
            ]
        )
    )  # fmt: skip
