"""Time lost at nodes: signals, crossings, gates, boarding a ferry, turning, giving way."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from awl.core.graph.street_graph import StreetGraph
from awl.core.modes.mode import Mode
from awl.core.modes.turn_kernel import BACK, LEFT, RIGHT, ms_of_turns
from awl.core.modes.turning import stated_delays

GATES = (
    "gate", "lift_gate", "swing_gate", "sliding_gate", "hampshire_gate", "wicket_gate", "kissing_gate", "stile", "turnstile",
    "full-height_turnstile", "cycle_barrier", "motorcycle_barrier", "toll_booth", "border_control",
)  # fmt: skip
"""Barriers that take time to pass where they can be passed."""
MAIN = ("trunk", "trunk_link", "primary", "primary_link", "secondary", "secondary_link")
"""Streets to which traffic from all others gives way where no signal stands."""


@dataclass(frozen=True)
class TurnDelays:
    """What a mode loses at the nodes of its graph, in ms: `at_node` (n,) whoever passes, `boarding` (n,) to go on by ferry.

    Turns count at nodes with a `choice` (n,): more than one arc leads on. What the source of the streets states of turns from arc
    to arc, in ms, stands in place of all these.
    """

    mode: Mode
    graph: StreetGraph
    at_node: NDArray[np.int32]
    boarding: NDArray[np.int32]
    choice: NDArray[np.bool_]
    stated: dict[tuple[int, int], int]

    @classmethod
    def on(cls, mode: Mode, graph: StreetGraph, usable: NDArray[np.bool_], leaving: NDArray[np.integer]) -> TurnDelays:
        """The delays on a graph of which the links `usable` (m,) carry the mode; `leaving` (n,) arcs lead on at each node.

        Parameters:
            mode: the mode.
            graph: the street graph.
            usable: mask (m,) of the links that carry the mode.
            leaving: how many arcs (n,) lead on at each node.
        """
        seconds = np.zeros(graph.node_count)
        delays, highway = mode.delays, graph.node_tag("highway")
        crossing, signals = highway.equals("crossing"), _signals(graph)
        seconds[crossing] = delays.crossing_s
        seconds[signals] = delays.signals_s
        seconds[graph.node_tag("barrier").isin(GATES)] += delays.barrier_s
        ferry = graph.tag("highway").equals("ferry")
        ashore, afloat = np.zeros(graph.node_count, bool), np.zeros(graph.node_count, bool)
        for mask, links in ((ashore, usable & ~ferry), (afloat, usable & ferry)):
            mask[graph.link_from[links]] = True
            mask[graph.link_to[links]] = True
        stated = {turn: round(took * 1000) for turn, took in stated_delays(mode, graph).items()}
        return cls(mode, graph, _ms(seconds), _ms(np.where(ashore & afloat, delays.ferry_s, 0.0)), leaving > 1, stated)

    @property
    def nodes(self) -> NDArray[np.int64]:
        """Nodes at which some turn costs time."""
        delayed = (self.at_node > 0) | (self.boarding > 0)
        if self.mode.delays.by_turn:
            delayed |= self.choice
        onto = np.array([after for _, after in self.stated], np.int64)
        delayed[np.where(onto & 1, self.graph.link_to[onto >> 1], self.graph.link_from[onto >> 1])] = True
        return np.flatnonzero(delayed)

    @property
    def arcs_told_apart(self) -> NDArray[np.int64]:
        """Arcs from which a turn has a delay of its own."""
        return np.unique(np.array([before for before, _ in self.stated], np.int64))

    def of(
        self, before: NDArray[np.integer], after: NDArray[np.integer], node: NDArray[np.integer]
    ) -> NDArray[np.int32]:
        """Delay in ms (k,) at `node` on the way to the arc `after`; `before` is the arc of arrival, -1 where it is not known.

        Parameters:
            before: the arc (k,) of arrival, -1 where it is not known.
            after: the arc (k,) that is entered.
            node: the node (k,) between.
        """
        lost = self.at_node[node] + np.where(self._ferry[after >> 1], self.boarding[node], 0)
        if self.mode.delays.by_turn:
            lost += self._turns(before, after, node)
        if self.stated:
            for row in np.flatnonzero(np.isin(before, self.arcs_told_apart)).tolist():
                lost[row] = self.stated.get((int(before[row]), int(after[row])), lost[row])
        return lost.astype(np.int32)

    @cached_property
    def _ferry(self) -> NDArray[np.bool_]:
        return self.graph.tag("highway").equals("ferry")

    def _turns(
        self, before: NDArray[np.integer], after: NDArray[np.integer], node: NDArray[np.integer]
    ) -> NDArray[np.int32]:
        delays, graph = self.mode.delays, self.graph
        seconds = np.zeros((4, 2))
        seconds[[LEFT, RIGHT, BACK]] = np.array([delays.left_s, delays.right_s, delays.back_s])[:, None]
        seconds[:, 1] += delays.give_way_s
        main = graph.tag("highway").isin(MAIN)
        meets_main = np.zeros(graph.node_count, bool)
        meets_main[graph.link_from[main]] = True
        meets_main[graph.link_to[main]] = True
        # A bend is no turn, and the end of a dead end has no traffic to wait for.
        ends = np.bincount(np.concatenate([graph.link_from, graph.link_to]), minlength=graph.node_count)
        x, y = graph.shape_xy
        lost: NDArray[np.int32] = ms_of_turns(
            np.asarray(before, np.int32), np.asarray(after, np.int32), np.asarray(node, np.int32), x, y, graph.shape_start,
            _ms(seconds), self.choice, ends <= 2, meets_main & ~_signals(graph), main,
        )  # fmt: skip
        return lost


def _signals(graph: StreetGraph) -> NDArray[np.bool_]:
    return graph.node_tag("highway").equals("traffic_signals") | graph.node_tag("crossing").equals("traffic_signals")


def _ms(seconds: NDArray[np.float64]) -> NDArray[np.int32]:
    return np.rint(seconds * 1000).astype(np.int32)
