"""What a mode makes of a street graph at any hour and whatever is edited: usable links, components, states, delays."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any
from weakref import WeakValueDictionary

import numpy as np
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.graph.arcs import Arcs, csr
from awl.core.graph.nearest_links import NearestLinks
from awl.core.graph.street_graph import StreetGraph
from awl.core.modes.barriers import gate_sequences
from awl.core.modes.delays import TurnDelays
from awl.core.modes.mode import Mode
from awl.core.modes.rules import StreetUse
from awl.core.modes.turning import forbidden_sequences
from awl.core.network.components import KeepParts, components_of
from awl.core.network.costs import MILLI
from awl.core.network.enclosed import enclosed_links
from awl.core.network.states import States, build_states


class ModeStreets:
    """A street graph as one mode may use it, in free flow and without edits. A value: nothing of it changes once it is made.

    `forward` and `backward` (m,) say which links of the kept components may be used each way; `in_small_part` marks usable links
    that are cut off from them. `link_part` (m,) is the rank of each link's component, 0 the longest, -1 where it has none.
    `time_factor` (m, 2) is how many times longer links take than at the mode's speed, because of slope or measured times.
    """

    def __init__(
        self,
        graph: StreetGraph,
        mode: Mode,
        use: StreetUse,
        keep: KeepParts | None = None,
        time_factor: NDArray[np.float64] | None = None,
    ) -> None:
        self.graph, self.mode, self.use, self.keep = graph, mode, use, keep or KeepParts()
        self.time_factor = np.ones((graph.link_count, 2)) if time_factor is None else time_factor
        usable = use.forward | use.backward
        start, head, _ = csr(graph.node_count, *arc_ends(graph, use.forward, use.backward))
        components = components_of(start, head, (graph.link_from, graph.link_to), usable, graph.link_length, self.keep)
        if components is None:
            raise AwlError(
                f"The mode '{mode.id}' can use no connected street of this study",
                remedy="Choose another mode or check the access tags of the streets",
                inputs=("mode",),
                kind="no-usable-street",
            )
        self.link_part, self.parts_report = components.rank, components.report
        self.in_small_part = usable & ~components.kept
        self.forward, self.backward = use.forward & components.kept, use.backward & components.kept
        self.shared: WeakValueDictionary[Any, Any] = WeakValueDictionary()
        """What networks on these streets derive, by what it follows from, for as long as one of them holds it."""

    @cached_property
    def usable(self) -> NDArray[np.bool_]:
        """Links (m,) of the kept components that may be used at least one way."""
        return self.forward | self.backward

    @cached_property
    def out_arcs(self) -> Arcs:
        """Arcs by the node they leave."""
        return outgoing(self.graph, self.forward, self.backward)

    @cached_property
    def length_mm(self) -> NDArray[np.int32]:
        """Length of each link in whole millimetres."""
        return np.rint(self.graph.link_length * MILLI).astype(np.int32)

    @cached_property
    def free_s(self) -> NDArray[np.float64]:
        """Seconds (m, 2) to pass each link in free flow, along and against its drawing."""
        seconds = self.graph.link_length / (self.use.speed / 3.6)
        return np.asarray(seconds[:, None] * self.time_factor)

    @cached_property
    def turn_delays(self) -> TurnDelays:
        """What passing a node costs."""
        return TurnDelays.on(self.mode, self.graph, self.usable, np.diff(self.out_arcs.start))

    @cached_property
    def states(self) -> States:
        """What a search runs over, at every hour."""
        graph = self.graph
        head = np.full(2 * graph.link_count, -1, np.int32)
        head[0::2][self.forward] = graph.link_to[self.forward]
        head[1::2][self.backward] = graph.link_from[self.backward]
        turns = self._turns
        return build_states(
            self.out_arcs, head, turns.always, turns.every_arc, self._at_ends, turns.sometimes, turns.told_apart
        )

    @property
    def _at_ends(self) -> NDArray[np.bool_]:
        """Usable links (m,) that serve only the ends of trips."""
        return self.use.at_ends & self.usable

    @cached_property
    def _turns(self) -> _Turns:
        always = forbidden_sequences(self.mode, self.graph, self.out_arcs)
        ever = [
            *forbidden_sequences(self.mode, self.graph, self.out_arcs, ever=True),
            *gate_sequences(self.graph, ever=True),
        ]
        known = set(always)
        sometimes = [sequence for sequence in ever if sequence not in known]
        return _Turns(always, sometimes, self.mode.delays.by_turn, self.turn_delays.arcs_told_apart)

    def take_over(self, former: ModeStreets) -> None:
        """Go on with what was derived of these streets before an edit, where it follows from what the edit left alone.

        Parameters:
            former: the streets as the mode met them before.
        """
        pairs = (
            (self.graph.link_from, former.graph.link_from),
            (self.graph.link_to, former.graph.link_to),
            (self.forward, former.forward),
            (self.backward, former.backward),
        )
        if self.graph.node_count != former.graph.node_count or not _all_equal(*pairs):
            return
        self._take(former, "out_arcs")
        if "states" not in vars(former) or not self._turns.same(former._turns):
            return
        if not np.array_equal(self._at_ends, former._at_ends):
            return
        self._take(former, "states", "rows")
        if self.keep == former.keep and np.array_equal(self.graph.link_length, former.graph.link_length):
            self._take(former, "enclosed")
        shapes = (
            (getattr(self.graph, one), getattr(former.graph, one)) for one in ("shape_start", "shape_lon", "shape_lat")
        )
        if "enclosed" in vars(self) and _all_equal(*shapes):
            self._take(former, "findable")

    def _take(self, former: ModeStreets, *names: str) -> None:
        vars(self).update({name: vars(former)[name] for name in names if name in vars(former)})

    @cached_property
    def step_delay(self) -> NDArray[np.int32]:
        """Delay in ms of each step between states, beyond the time along its arc."""
        steps = self.states.steps
        return self.turn_delays.of(steps.after, steps.arc, self.states.node[steps.tail])

    @cached_property
    def rows(self) -> dict[str, tuple[NDArray[np.int64], NDArray[np.int32], NDArray[np.int32]]]:
        """Steps by the state they leave, and by the state they come to: offsets, far states, numbers of the steps."""
        count, steps = self.states.count, self.states.steps
        return {"from": csr(count, steps.tail, steps.head), "to": csr(count, steps.head, steps.tail)}

    @cached_property
    def enclosed(self) -> NDArray[np.bool_]:
        """Usable links (m,) that no trip can leave or reach, because of turn restrictions or streets for the ends of trips.

        Only where the largest component alone is used: with more of them no one is the bulk.
        """
        if self.keep.rule != "largest":
            return np.zeros(self.graph.link_count, bool)
        ahead, back = self.rows["from"][:2], self.rows["to"][:2]
        return enclosed_links(self.states, ahead, back, self.graph.link_length)

    @cached_property
    def findable(self) -> NearestLinks:
        """The links on which trips begin and end, searched by place."""
        return NearestLinks.of(self.graph, np.flatnonzero(self.usable & ~self.enclosed))


@dataclass(frozen=True)
class _Turns:
    """What states depend on beside arcs: turns that are forbidden, and arcs of arrival that are told apart."""

    always: list[tuple[int, ...]]
    sometimes: list[tuple[int, ...]]
    every_arc: bool
    told_apart: NDArray[np.int64]

    def same(self, other: _Turns) -> bool:
        """Whether the same states follow from both."""
        here, there = ((turns.always, turns.sometimes, turns.every_arc) for turns in (self, other))
        return here == there and np.array_equal(self.told_apart, other.told_apart)


def _all_equal(*pairs: tuple[NDArray[Any], NDArray[Any]]) -> bool:
    return all(np.array_equal(*pair) for pair in pairs)


def arc_ends(
    graph: StreetGraph, forward: NDArray[np.bool_], backward: NDArray[np.bool_]
) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    """Nodes that usable arcs leave and lead to: all that go along the drawing, then all that go against it.

    Parameters:
        graph: the street graph.
        forward: mask (m,) of the links that may be passed along their drawing.
        backward: mask (m,) of the links that may be passed against their drawing.
    """
    tail = np.concatenate([graph.link_from[forward], graph.link_to[backward]])
    head = np.concatenate([graph.link_to[forward], graph.link_from[backward]])
    return tail, head


def outgoing(graph: StreetGraph, forward: NDArray[np.bool_], backward: NDArray[np.bool_]) -> Arcs:
    """Usable arcs by the node they leave.

    Parameters:
        graph: the street graph.
        forward: mask (m,) of the links that may be passed along their drawing.
        backward: mask (m,) of the links that may be passed against their drawing.
    """
    return Arcs(*csr(graph.node_count, *arc_ends(graph, forward, backward), _arc_ids(forward, backward)))


def incoming(graph: StreetGraph, forward: NDArray[np.bool_], backward: NDArray[np.bool_]) -> Arcs:
    """Usable arcs by the node they come to, `head` being the node they left.

    Parameters:
        graph: the street graph.
        forward: mask (m,) of the links that may be passed along their drawing.
        backward: mask (m,) of the links that may be passed against their drawing.
    """
    tail, head = arc_ends(graph, forward, backward)
    return Arcs(*csr(graph.node_count, head, tail, _arc_ids(forward, backward)))


def _arc_ids(forward: NDArray[np.bool_], backward: NDArray[np.bool_]) -> NDArray[np.int32]:
    return np.concatenate([np.flatnonzero(forward) * 2, np.flatnonzero(backward) * 2 + 1]).astype(np.int32)
