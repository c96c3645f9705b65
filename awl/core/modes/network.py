"""The network of one mode: usable links with integer costs, and the arcs a search runs over.

Costs are whole milliseconds and millimetres (thousandths of whatever a given cost is in), so that sums are exact and every
search gives the same answer. `BLOCKED` marks a direction that may not be used. Of the parts in which every node can reach every
other the largest is kept, unless `KeepParts` says otherwise; what is left out is counted.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.modes.barriers import parted
from awl.core.modes.mode import Mode
from awl.core.modes.parts import strong_parts
from awl.core.modes.rules import StreetUse, apply_mode
from awl.core.streets.graph import StreetGraph

BLOCKED = -1
MILLI = 1000.0
MOST_COST = 1_000_000.0
"""Largest given cost of one link: sums of thousandths must stay below 2^31."""


@dataclass(frozen=True)
class Arcs:
    """CSR adjacency: arcs leaving node i are rows `start[i]` to `start[i + 1]` of `head` and `arc`.

    `arc` is twice the link, plus one when the link is travelled against its drawn direction. Parallel links stay apart.
    """

    start: NDArray[np.int64]
    head: NDArray[np.int32]
    arc: NDArray[np.int32]

    def weights(self, forward: NDArray[np.int32], backward: NDArray[np.int32]) -> NDArray[np.int32]:
        """Per-arc weights in CSR order from per-link costs."""
        link = self.arc >> 1
        return np.where(self.arc & 1, backward[link], forward[link]).astype(np.int32)


@dataclass(frozen=True)
class LinkCosts:
    """Cost of a whole link (m,) when a search passes it from its start to its end (`up`) or back (`down`)."""

    up: NDArray[np.int32]
    down: NDArray[np.int32]


@dataclass(frozen=True)
class KeepParts:
    """Which connected parts a mode uses: the `largest`, those `above` a length in metres, or `all`."""

    rule: str = "largest"
    above_m: float = 0.0


@dataclass(frozen=True)
class PartsReport:
    """The connected parts, and what was left out, lengths in metres.

    `length_m` and `links` are those of each part, the longest first; `kept` of them are used.
    """

    length_m: NDArray[np.float64]
    links: NDArray[np.int64]
    kept: int
    kept_m: float
    left_out_m: float
    left_out_links: int

    @property
    def parts(self) -> int:
        """How many there are."""
        return len(self.length_m)


class Network:
    """A street graph as one mode may use it.

    `forward` and `backward` say which links of the kept parts may be used each way; `in_small_part` marks usable links
    that are cut off from them. `link_part` (m,) is the rank of each link's part, 0 the longest, -1 where it has none.
    """

    def __init__(
        self,
        graph: StreetGraph,
        mode: Mode,
        use: StreetUse,
        closed: NDArray[np.bool_] | None = None,
        keep: KeepParts | None = None,
    ):
        self.graph, self.mode, self.use, self.keep = graph, mode, use, keep or KeepParts()
        self._kept_weights: dict[tuple[str, str], NDArray[np.int32]] = {}
        usable = use.forward | use.backward
        tail, head = _arc_ends(graph, use.forward, use.backward)
        label = strong_parts(*_csr(graph.node_count, tail, head)[:2])
        # Parts are weighed by the length of usable street within them, not by their number of nodes.
        inside = usable & (label[graph.link_from] == label[graph.link_to])
        count = int(label.max(initial=-1)) + 1
        weight = np.bincount(label[graph.link_from[inside]], weights=graph.link_length[inside], minlength=count)
        if len(weight) == 0 or weight.max() == 0:
            raise AwlError(
                f"The mode '{mode.id}' can use no connected street of this study",
                remedy="Choose another mode or check the access tags of the streets",
                inputs=("mode",),
                kind="no-usable-street",
            )
        order = np.argsort(-weight, kind="stable")[: int((weight > 0).sum())]
        rank = np.full(count, -1, np.int32)
        rank[order] = np.arange(len(order), dtype=np.int32)
        self.link_part = np.where(inside, rank[label[graph.link_from]], -1)
        number = {"largest": 1, "above": int((weight[order] >= self.keep.above_m).sum()), "all": len(order)}[
            self.keep.rule
        ]
        kept = usable.copy() if self.keep.rule == "all" else (self.link_part >= 0) & (self.link_part < max(number, 1))
        self.in_small_part = usable & ~kept
        links = np.bincount(self.link_part[self.link_part >= 0], minlength=len(order))
        self.parts_report = PartsReport(
            weight[order].astype(float),
            links,
            max(number, 1),
            float(graph.link_length[kept].sum()),
            float(graph.link_length[usable & ~kept].sum()),
            int((usable & ~kept).sum()),
        )
        if closed is not None:
            kept = kept & ~closed
        self.closed = closed
        self.forward = use.forward & kept
        self.backward = use.backward & kept

    @classmethod
    def of(
        cls, graph: StreetGraph, mode: Mode, keep: KeepParts | None = None, rule: NDArray[np.int8] | None = None
    ) -> Network:
        """The network of a mode on a street graph; `rule` is the number of the first rule each link meets.

        Its own graph has more nodes than the study's where barriers shut streets; links are the same.
        """
        return cls(parted(mode, graph), mode, apply_mode(mode, graph, rule), keep=keep)

    def with_closed(self, closed: NDArray[np.bool_]) -> Network:
        """The same network with some links (mask (m,)) closed in both directions."""
        return Network(self.graph, self.mode, self.use, closed, self.keep)

    @cached_property
    def usable(self) -> NDArray[np.bool_]:
        """Links of the main part that may be used at least one way (m,)."""
        return self.forward | self.backward

    @cached_property
    def length_mm(self) -> NDArray[np.int32]:
        """Length of each link in whole millimetres."""
        return np.rint(self.graph.link_length * MILLI).astype(np.int32)

    @cached_property
    def duration_ms(self) -> NDArray[np.int32]:
        """Time to pass each link at the mode's speed, in whole milliseconds."""
        return np.rint(self.graph.link_length / (self.use.speed / 3.6) * MILLI).astype(np.int32)

    @cached_property
    def out_arcs(self) -> Arcs:
        """Arcs in the direction of travel."""
        return Arcs(*_csr(self.graph.node_count, *_arc_ends(self.graph, self.forward, self.backward), self._arc_ids()))

    @cached_property
    def in_arcs(self) -> Arcs:
        """Arcs against the direction of travel, for searches that run towards a place."""
        tail, head = _arc_ends(self.graph, self.forward, self.backward)
        return Arcs(*_csr(self.graph.node_count, head, tail, self._arc_ids()))

    def arcs(self, direction: str) -> Arcs:
        """The arcs of a search `from` places or `to` places."""
        return self.out_arcs if direction == "from" else self.in_arcs

    def directed(self, measure: str) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
        """Cost of each link along and against its drawn direction, in ms (`time`), mm (`distance`) or 1/1000 of a given cost.

        A direction for which none is given is barred. Raises `AwlError` for a cost the graph does not have, or one that is
        negative or too large.
        """
        if measure in ("time", "distance"):
            cost = self.duration_ms if measure == "time" else self.length_mm
            return np.where(self.forward, cost, BLOCKED), np.where(self.backward, cost, BLOCKED)
        pair = _milli(self.graph, measure)
        return np.where(self.forward, pair[:, 0], BLOCKED), np.where(self.backward, pair[:, 1], BLOCKED)

    def link_costs(self, measure: str, direction: str) -> LinkCosts:
        """Costs as a search sees them: one that runs towards places passes each link in reverse."""
        forward, backward = self.directed(measure)
        return LinkCosts(forward, backward) if direction == "from" else LinkCosts(backward, forward)

    def arc_weights(
        self, measure: str, carried: str, direction: str
    ) -> tuple[NDArray[np.int64], NDArray[np.int32], NDArray[np.int32], NDArray[np.int32]]:
        """CSR rows and heads of a search, with the cost of each arc in two measures; kept once made."""
        arcs = self.arcs(direction)
        return arcs.start, arcs.head, self._weights(measure, direction), self._weights(carried, direction)

    def _weights(self, measure: str, direction: str) -> NDArray[np.int32]:
        key = (measure, direction)
        if key not in self._kept_weights:
            # An arc id says how the traveller passes the link, whichever way the search runs.
            self._kept_weights[key] = self.arcs(direction).weights(*self.directed(measure))
        return self._kept_weights[key]

    def _arc_ids(self) -> NDArray[np.int32]:
        return np.concatenate([np.flatnonzero(self.forward) * 2, np.flatnonzero(self.backward) * 2 + 1]).astype(
            np.int32
        )


def _milli(graph: StreetGraph, measure: str) -> NDArray[np.int32]:
    """A given cost in whole thousandths (m, 2), BLOCKED where none is given."""
    if measure not in graph.costs:
        raise AwlError(
            f"The streets have no cost '{measure}'",
            remedy=f"Costs are: {', '.join(['time', 'distance', *graph.costs])}",
            inputs=("measure",),
            kind="no-such-cost",
        )
    given = graph.costs[measure]
    if np.nanmin(given, initial=0.0) < 0 or np.nanmax(given, initial=0.0) > MOST_COST:
        link = int(np.flatnonzero(((given < 0) | (given > MOST_COST)).any(axis=1))[0])
        raise AwlError(
            f"The cost '{measure}' of link {link + 1} is {np.nanmin(given[link]):g}",
            remedy=f"Costs lie between 0 and {MOST_COST:,.0f}",
            inputs=("measure",),
        )
    return np.where(np.isnan(given), BLOCKED, np.rint(np.nan_to_num(given) * MILLI)).astype(np.int32)


def _arc_ends(
    graph: StreetGraph, forward: NDArray[np.bool_], backward: NDArray[np.bool_]
) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    tail = np.concatenate([graph.link_from[forward], graph.link_to[backward]])
    head = np.concatenate([graph.link_to[forward], graph.link_from[backward]])
    return tail, head


def _csr(
    nodes: int, tail: NDArray[np.int32], head: NDArray[np.int32], ident: NDArray[np.int32] | None = None
) -> tuple[NDArray[np.int64], NDArray[np.int32], NDArray[np.int32]]:
    order = np.argsort(tail, kind="stable")
    start = np.concatenate([[0], np.cumsum(np.bincount(tail, minlength=nodes))]).astype(np.int64)
    ident = order.astype(np.int32) if ident is None else ident[order]
    return start, head[order].astype(np.int32), ident
