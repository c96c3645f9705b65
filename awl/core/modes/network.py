"""The network of one mode: usable links with integer costs, and the arcs a search runs over.

Costs are whole milliseconds and millimetres, so that sums are exact and every search gives the same answer. `BLOCKED`
marks a direction that may not be used. Only the largest part in which every node can reach every other is kept; what
is left out is counted.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.modes.mode import Mode
from awl.core.modes.parts import strong_parts
from awl.core.modes.rules import StreetUse, apply_mode
from awl.core.streets.graph import StreetGraph

BLOCKED = -1
MILLI = 1000.0


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
class PartsReport:
    """The largest connected part and what was left out of it, lengths in metres."""

    parts: int
    kept_m: float
    left_out_m: float
    left_out_links: int


class Network:
    """A street graph as one mode may use it.

    `forward` and `backward` say which links of the main part may be used each way; `in_small_part` marks usable links
    that are cut off from it.
    """

    def __init__(self, graph: StreetGraph, mode: Mode, use: StreetUse, closed: NDArray[np.bool_] | None = None):
        self.graph, self.mode, self.use = graph, mode, use
        self._kept_weights: dict[tuple[str, str], NDArray[np.int32]] = {}
        usable = use.forward | use.backward
        tail, head = _arc_ends(graph, use.forward, use.backward)
        label = strong_parts(*_csr(graph.node_count, tail, head)[:2])
        self.node_part = label
        # Parts are weighed by the length of usable street within them, not by their number of nodes.
        inside = usable & (label[graph.link_from] == label[graph.link_to])
        weight = np.bincount(
            label[graph.link_from[inside]], weights=graph.link_length[inside], minlength=int(label.max(initial=-1)) + 1
        )
        if len(weight) == 0 or weight.max() == 0:
            raise AwlError(
                f"The mode '{mode.id}' can use no connected street of this study",
                remedy="Choose another mode or check the access tags of the streets",
                inputs=("mode",),
                kind="no-usable-street",
            )
        main = int(np.argmax(weight))
        kept = inside & (label[graph.link_from] == main)
        self.in_small_part = usable & ~kept
        self.main_part = main
        self.parts_report = PartsReport(
            int((weight > 0).sum()),
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
    def of(cls, graph: StreetGraph, mode: Mode) -> Network:
        """The network of a mode on a street graph."""
        return cls(graph, mode, apply_mode(mode, graph))

    def with_closed(self, closed: NDArray[np.bool_]) -> Network:
        """The same network with some links (mask (m,)) closed in both directions."""
        return Network(self.graph, self.mode, self.use, closed)

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
        """Cost of each link along and against its drawn direction in ms (`time`) or mm (`distance`)."""
        cost = self.duration_ms if measure == "time" else self.length_mm
        return np.where(self.forward, cost, BLOCKED), np.where(self.backward, cost, BLOCKED)

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
