"""Turn restrictions: from ids of ways and nodes in the source to links and nodes of the graph.

A restriction forbids (`no_...`) or demands (`only_...`) that a traveller who leaves the link `from` at the via node goes on by
the link `to`, directly or along further links between. Source: OpenStreetMap wiki, *Relation:restriction*. One of kind `delay`
forbids nothing, but says what a turn takes: a movement's penalty in GMNS.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, fields, replace

import numpy as np
from numpy.typing import NDArray

from awl.core.columns import Categorical
from awl.core.graph.raw import RESTRICTION_KEYS, Restriction

Ints = NDArray[np.int32]
MAX_VIA_LINKS = 60
"""Longer chains between `from` and `to` are no turn."""
DELAY = "delay"
"""Kind of a turn whose delay the source states."""


@dataclass(frozen=True)
class TurnRestrictions:
    """Restrictions (r,) on links of a graph.

    `from_link` is left at `via_node`; `via_link[via_start[i]:via_start[i + 1]]` are the links between, in travel order (none
    where the via is a node); then follows `to_link`. `kind` is the value such as `no_left_turn`; `applies_to` names the one
    kind of vehicle it is for (no value: all), `exempt` those it spares (`bicycle;bus`), `condition` the times as stated.
    `relation` is the source's id. `delay_s` is what a turn of kind `delay` takes, NaN for others.
    """

    relation: NDArray[np.int64]
    from_link: Ints
    via_node: Ints
    via_start: NDArray[np.int64]
    via_link: Ints
    to_link: Ints
    kind: Categorical
    applies_to: Categorical
    exempt: Categorical
    condition: Categorical
    delay_s: NDArray[np.float64]

    @classmethod
    def none(cls) -> TurnRestrictions:
        """No restriction at all."""
        return cls.of([])

    @classmethod
    def of(cls, placed: Sequence[Placed]) -> TurnRestrictions:
        """The arrays of a list of restrictions.

        Parameters:
            placed: the restrictions.
        """
        return cls(
            np.array([p.relation for p in placed], np.int64),
            np.array([p.from_link for p in placed], np.int32),
            np.array([p.via_node for p in placed], np.int32),
            np.concatenate([[0], np.cumsum([len(p.via_links) for p in placed])]).astype(np.int64),
            np.array([link for p in placed for link in p.via_links], np.int32),
            np.array([p.to_link for p in placed], np.int32),
            Categorical.of([p.kind for p in placed]),
            Categorical.of([p.applies_to for p in placed]),
            Categorical.of([p.exempt for p in placed]),
            Categorical.of([p.condition for p in placed]),
            np.array([np.nan if p.delay_s is None else p.delay_s for p in placed], float),
        )

    def __len__(self) -> int:
        return len(self.relation)

    @property
    def only(self) -> NDArray[np.bool_]:
        """Mask of those that demand the turn instead of forbidding it."""
        return self.kind.isin([value for value in self.kind.values if value.startswith("only_")])

    def rows(self, at: Iterable[int] | None = None) -> list[Placed]:
        """The restrictions one by one: all, or those in these rows.

        Parameters:
            at: their rows; all where None.
        """
        return [
            Placed(
                int(self.relation[i]),
                int(self.from_link[i]),
                int(self.via_node[i]),
                tuple(self.via_link[self.via_start[i] : self.via_start[i + 1]].tolist()),
                int(self.to_link[i]),
                self.kind.at(i) or "",
                self.applies_to.at(i),
                self.exempt.at(i),
                self.condition.at(i),
                None if np.isnan(self.delay_s[i]) else float(self.delay_s[i]),
            )
            for i in (range(len(self)) if at is None else at)
        ]

    def renumbered(self, link: Ints, node: Ints) -> TurnRestrictions:
        """The same on a graph whose link i is now `link[i]` and node i `node[i]`; pieces of one link become one.

        Parameters:
            link: the new row (m,) of each link.
            node: the new row (n,) of each node.
        """
        restrictions = []
        for p in self.rows():
            chain = [int(link[i]) for i in (p.from_link, *p.via_links, p.to_link)]
            between = tuple(dict.fromkeys(i for i in chain[1:-1] if i not in (chain[0], chain[-1])))
            via = int(node[p.via_node])
            restrictions.append(replace(p, from_link=chain[0], via_node=via, via_links=between, to_link=chain[-1]))
        return TurnRestrictions.of(restrictions)


@dataclass(frozen=True)
class Placed:
    """One restriction; see `TurnRestrictions`."""

    relation: int
    from_link: int
    via_node: int
    via_links: tuple[int, ...]
    to_link: int
    kind: str
    applies_to: str | None = None
    exempt: str | None = None
    condition: str | None = None
    delay_s: float | None = None


FIELDS = tuple(item.name for item in fields(TurnRestrictions))


class _Links:
    """Links by way and by end, for looking up a few of many."""

    def __init__(self, way: NDArray[np.int64], tail: Ints, head: Ints) -> None:
        self._way, self.tail, self.head = way, tail, head
        self._by_way = np.argsort(way, kind="stable")
        self._sorted = way[self._by_way]

    def of_way(self, way: int) -> list[int]:
        """The links of a way.

        Parameters:
            way: the id of the way.
        """
        a, b = np.searchsorted(self._sorted, [way, way + 1])
        return [int(i) for i in self._by_way[a:b]]

    def touching(self, links: Sequence[int], node: int) -> list[int]:
        """Those that begin or end at a node.

        Parameters:
            links: rows of links.
            node: the row of the node.
        """
        return [i for i in links if node in (self.tail[i], self.head[i])]

    def other(self, link: int, node: int) -> int:
        """The far end.

        Parameters:
            link: the row of the link.
            node: the row of the node at one end.
        """
        return int(self.head[link] if self.tail[link] == node else self.tail[link])


def place_restrictions(
    restrictions: Sequence[Restriction],
    way: NDArray[np.int64],
    tail: Ints,
    head: Ints,
    node_id: NDArray[np.int64],
) -> tuple[TurnRestrictions, list[tuple[int, int]]]:
    """Restrictions on links (m,) that came from ways `way` and join nodes `tail`, `head`; and those that cannot be placed.

    One cannot be placed when a member is missing, or when its ways do not meet in one way only at the via. Of each such the
    relation's id is told, and the node (a row) at its via or at an end of a member, -1 where no member is there.

    Parameters:
        restrictions: the restrictions as the source states them.
        way: the source way (m,) of each link.
        tail: the node (m,) where each link begins.
        head: the node (m,) where each link ends.
        node_id: the source id (n,) of each node.
    """
    if not restrictions:
        return TurnRestrictions.none(), []
    links = _Links(way, tail, head)
    order = np.argsort(node_id, kind="stable")
    placed: list[Placed] = []
    lost: list[tuple[int, int]] = []
    for one in restrictions:
        paths = list(_paths(one, links, order, node_id))
        statements = list(statements_of(one.tags))
        if not paths or not statements:
            lost.append((one.id, _place_of(one, links, order, node_id)))
        for path in paths:
            placed += [Placed(one.id, *path, *statement) for statement in statements]
    return TurnRestrictions.of(placed), lost


def _place_of(one: Restriction, links: _Links, order: NDArray[np.int64], node_id: NDArray[np.int64]) -> int:
    """A node at which a restriction should have its effect, -1 where none of its members is there."""
    via = _via_node(one, order, node_id)
    if via is not None:
        return via
    ends = [
        {int(n) for way in ways for link in links.of_way(way) for n in (links.tail[link], links.head[link])}
        for ways in (one.via_ways, one.from_ways, one.to_ways)
    ]
    meeting = (ends[1] & ends[2]) or (ends[0] & (ends[1] | ends[2])) or ends[0] or ends[1] or ends[2]
    return min(meeting, default=-1)


def _via_node(one: Restriction, order: NDArray[np.int64], node_id: NDArray[np.int64]) -> int | None:
    """The row of the via node; None where there is none or it is not in the graph."""
    if not one.via_nodes:
        return None
    at = np.searchsorted(node_id, one.via_nodes[0], sorter=order)
    return None if at == len(order) or node_id[order[at]] != one.via_nodes[0] else int(order[at])


def statements_of(tags: dict[str, str]) -> Iterator[tuple[str, str | None, str | None, str | None]]:
    """Kind, vehicle, exemption and condition of each restriction a relation states.

    Parameters:
        tags: of the relation.
    """
    older = tags.get("type", "").partition(":")[2] or None  # an older way of naming the vehicle
    for key in RESTRICTION_KEYS:
        if key not in tags:
            continue
        parts = key.split(":")[1:]
        vehicle = next((part for part in parts if part != "conditional"), older)
        if parts[-1:] != ["conditional"]:
            yield tags[key], vehicle, tags.get("except"), None
            continue
        for clause in tags[key].split(";") if tags[key].count("@") > 1 else [tags[key]]:
            kind, _, condition = clause.partition("@")
            yield kind.strip(), vehicle, tags.get("except"), condition.strip() or None


def _paths(
    one: Restriction, links: _Links, order: NDArray[np.int64], node_id: NDArray[np.int64]
) -> Iterator[tuple[int, int, tuple[int, ...], int]]:
    """From link, via node, links between, to link: every pair of members `from` and `to` that meets as it should."""
    via = _via_node(one, order, node_id)
    if one.via_nodes and via is None:
        return
    between = [link for way in one.via_ways for link in links.of_way(way)]
    for start in one.from_ways:
        for end in one.to_ways:
            before, after = links.of_way(start), links.of_way(end)
            if via is not None:
                into, out = links.touching(before, via), links.touching(after, via)
                if len(into) == 1 and len(out) == 1:
                    yield into[0], via, (), out[0]
            elif between:
                chain = _chain(links, before, between, after)
                if chain is not None:
                    yield chain


def _chain(
    links: _Links, before: list[int], between: list[int], after: list[int]
) -> tuple[int, int, tuple[int, ...], int] | None:
    """The shortest way from a link of `before` along links of `between` to one of `after`."""
    meets = {int(n) for link in between for n in (links.tail[link], links.head[link])}
    ends = {int(n) for link in after for n in (links.tail[link], links.head[link])}
    front: list[tuple[int, int, int, tuple[int, ...]]] = []
    for link in before:
        front += [(link, node, node, ()) for node in {int(links.tail[link]), int(links.head[link])} & meets]
    for _ in range(min(len(between), MAX_VIA_LINKS)):
        longer = []
        for first, via, node, path in front:
            for link in links.touching(between, node):
                if link in path:
                    continue
                far, extended = links.other(link, node), (*path, link)
                if far in ends and far != via:
                    out = links.touching(after, far)
                    return (first, via, extended, out[0]) if len(out) == 1 else None
                longer.append((first, via, far, extended))
        front = longer
    return None
