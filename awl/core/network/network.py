"""The network of one mode at a time and with edits: integer costs of links, arcs and steps.

A network is a value: streets as a mode uses them, a time, links that are closed, links that are slower. Whatever is derived from
these follows from them alone, in whatever order they were stated, and is shared by networks in which it is the same.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from functools import cached_property
from hashlib import blake2b
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from awl.core.branches import Branch, Branched
from awl.core.columns import set_rows
from awl.core.graph.arcs import Arcs
from awl.core.graph.street_graph import StreetGraph
from awl.core.modes.barriers import gate_sequences, parted, unread_gates
from awl.core.modes.delays import TurnDelays
from awl.core.modes.hours import hour_pace
from awl.core.modes.mode import Mode
from awl.core.modes.rules import StreetUse, apply_mode, measured_pace, without_steep
from awl.core.modes.slope import Heights, slope_pace
from awl.core.modes.turning import forbidden_sequences, unread_restrictions
from awl.core.network.components import KeepParts, PartsReport
from awl.core.network.costs import (
    BLOCKED,
    EVERY,
    LEAST_TIME,
    MILLI,
    MOST_COST,
    Entries,
    LinkCosts,
    StepCosts,
    check_direction,
    in_thousandths,
)
from awl.core.network.mode_streets import ModeStreets, incoming, outgoing
from awl.core.network.states import States

Costs = dict[str, NDArray[np.float64]]
Value = TypeVar("Value")
OwnCosts = Callable[["Network"], Costs]
"""Gives the costs of the analyst's own on a network: (m, 2) by id, along and against each link's drawn direction."""


def no_own_costs(network: Network) -> Costs:
    """Of a mode that has none.

    Parameters:
        network: the streets of a mode, at a time and with closures.
    """
    return {}


class Network:
    """Streets as a mode uses them, at a time and with edits.

    Attributes:
        streets: what does not depend on time and edits.
        when: local date and time; None is free flow, with what has hours standing open.
        closed: (m,) links closed in both directions.
        slower: (m,) how many times longer each link takes.
    """

    def __init__(
        self,
        streets: ModeStreets,
        when: datetime | None = None,
        closed: NDArray[np.bool_] | None = None,
        slower: NDArray[np.float64] | None = None,
        own: OwnCosts = no_own_costs,
        before: tuple[Network, NDArray[np.int64]] | None = None,
    ) -> None:
        """`before` is a network from which this one differs on some links alone; it spares work and changes nothing."""
        self.streets, self.when, self.own = streets, when, own
        self.closed = closed if closed is not None and closed.any() else None
        self.slower = slower if slower is not None and (slower != 1.0).any() else None
        self._before = before
        self._held: dict[Any, Any] = {}

    @classmethod
    def of(
        cls,
        graph: StreetGraph,
        mode: Mode,
        keep: KeepParts | None = None,
        rule: NDArray[np.int8] | None = None,
        heights: Heights | None = None,
        when: datetime | None = None,
        own: OwnCosts = no_own_costs,
    ) -> Network:
        """Make the network of a mode on a street graph.

        Parameters:
            graph: the streets. The network's own graph has more nodes where barriers shut streets at every hour; links are
                the same.
            mode: who may use which street, how fast, and what turns cost.
            keep: which connected components are used; the largest where nothing is said.
            rule: (m,) the number of the first rule each link meets.
            heights: make slope count.
            when: local date and time: curves, opening hours, restrictions with hours.
            own: gives the mode's own costs on a network.

        Raises:
            AwlError: if the mode can use no connected street.
        """
        use = apply_mode(mode, graph, rule)
        factor = measured_pace(mode, graph, use.speed) if mode.measured else np.ones((graph.link_count, 2))
        slope = mode.slope
        if heights is not None and (slope.by != "none" or slope.limit > 0):
            factor *= slope_pace(slope, heights, use.speed, mode.top_speed)
            # A ferry does not climb, whatever the sea bed says.
            factor[graph.tag("highway").equals("ferry")] = 1.0
            if slope.limit > 0:
                use = without_steep(use, heights.steepest > slope.limit)
        return cls(ModeStreets(parted(mode, graph), mode, use, keep, factor), when, own=own)

    def at(self, when: datetime | None) -> Network:
        """The network at a local date and time, with the speeds of the hour and what it bars.

        Parameters:
            when: local date and time; None is free flow.
        """
        return Network(self.streets, when, self.closed, self.slower, self.own)

    def with_closed(self, closed: NDArray[np.bool_]) -> Network:
        """The network with further links (mask (m,)) closed in both directions.

        States, turns and what they cost stay as they are; only the closed arcs are barred.

        Parameters:
            closed: mask (m,) of the links that are closed.
        """
        union = closed if self.closed is None else self.closed | closed
        changed = set_rows(closed)
        changed = changed[self.usable[changed]]
        return Network(self.streets, self.when, union, self.slower, self.own, (self, changed))

    def with_slower(self, factor: NDArray[np.float64]) -> Network:
        """The network where each link takes `factor` (m,) times as long as in this one.

        Parameters:
            factor: how many times as long each link (m,) takes.
        """
        product = factor if self.slower is None else self.slower * factor
        changed = np.flatnonzero(factor != 1.0)
        return Network(self.streets, self.when, self.closed, product, self.own, (self, changed))

    # -- what the streets give ----------------------------------------------------------------------------------------

    @property
    def graph(self) -> StreetGraph:
        """The street graph as the mode meets it."""
        return self.streets.graph

    @property
    def mode(self) -> Mode:
        """The mode."""
        return self.streets.mode

    @property
    def use(self) -> StreetUse:
        """Which links the mode may use, how fast, and why."""
        return self.streets.use

    @property
    def link_part(self) -> NDArray[np.int32]:
        """Rank (m,) of each link's connected component, 0 the longest, -1 where it has none."""
        return self.streets.link_part

    @property
    def in_small_part(self) -> NDArray[np.bool_]:
        """Usable links (m,) of components that are left out."""
        return self.streets.in_small_part

    @property
    def parts_report(self) -> PartsReport:
        """The connected components, and what was left out."""
        return self.streets.parts_report

    @property
    def enclosed(self) -> NDArray[np.bool_]:
        """Usable links (m,) that no trip can leave or reach."""
        return self.streets.enclosed

    @property
    def states(self) -> States:
        """What a search runs over."""
        return self.streets.states

    @property
    def turn_delays(self) -> TurnDelays:
        """What passing a node costs."""
        return self.streets.turn_delays

    @property
    def step_delay(self) -> NDArray[np.int32]:
        """Delay in ms of each step between states, beyond the time along its arc."""
        return self.streets.step_delay

    @property
    def length_mm(self) -> NDArray[np.int32]:
        """Length of each link in whole millimetres."""
        return self.streets.length_mm

    def rows(self, direction: str) -> tuple[NDArray[np.int64], NDArray[np.int32], NDArray[np.int32]]:
        """Steps of a search `from` or `to` places: offsets by state, far states, numbers of the steps.

        Parameters:
            direction: `from` or `to`: trips leave the places or lead to them.
        """
        check_direction(direction)
        return self.streets.rows[direction]

    def step_at(self, row: int) -> int:
        """The step of a row of the search `from` places.

        Parameters:
            row: the row of the search.
        """
        return int(self.streets.rows["from"][2][row])

    def terminal_time(self, measure: str) -> int:
        """What every trip costs at its ends, in ms where `measure` is time.

        Parameters:
            measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
        """
        return round((self.mode.delays.start_s + self.mode.delays.end_s) * MILLI) if measure == "time" else 0

    # -- what time and edits make of it -------------------------------------------------------------------------------

    @cached_property
    def _digest(self) -> tuple[bytes, bytes]:
        """What is closed and what is slower, in short."""
        closed = b"" if self.closed is None else blake2b(_in_short(self.closed), digest_size=16).digest()
        slower = b"" if self.slower is None else blake2b(self.slower.tobytes(), digest_size=16).digest()
        return closed, slower

    @property
    def key(self) -> tuple[datetime | None, bytes, bytes]:
        """Tells networks on the same streets apart: those of the same key are the same."""
        return (self.when, *self._digest)

    def derived(self, key: tuple[Any, ...], make: Callable[[], Value]) -> Value:
        """Something that follows from the streets and the `key` alone: that of another network on them, or made now.

        Parameters:
            key: what it depends on beside the streets.
            make: makes it where it is not there.
        """
        held = self._held.get(key)
        if held is None:
            held = self.streets.shared.get(key)
            if held is None:
                held = make()
                self.streets.shared[key] = held
            self._held[key] = held
        value: Value = held
        return value

    @property
    def forward(self) -> NDArray[np.bool_]:
        """Links (m,) that may be used along their drawing."""
        return self._open(self.streets.forward, "forward")

    @property
    def backward(self) -> NDArray[np.bool_]:
        """Links (m,) that may be used against their drawing."""
        return self._open(self.streets.backward, "backward")

    @property
    def usable(self) -> NDArray[np.bool_]:
        """Links (m,) of the kept components that may be used at least one way."""
        return self._open(self.streets.usable, "usable")

    def _open(self, mask: NDArray[np.bool_], name: str) -> NDArray[np.bool_]:
        closed = self.closed
        if closed is None:
            return mask
        return self.derived((name, self._digest[0]), lambda: mask & ~closed)

    @property
    def out_arcs(self) -> Arcs:
        """Arcs by the node they leave."""
        if self.closed is None:
            return self.streets.out_arcs
        return self.derived(("out_arcs", self._digest[0]), lambda: outgoing(self.graph, self.forward, self.backward))

    @property
    def in_arcs(self) -> Arcs:
        """Arcs by the node they come to, `head` being the node they left."""
        return self.derived(("in_arcs", self._digest[0]), lambda: incoming(self.graph, self.forward, self.backward))

    @cached_property
    def forbidden(self) -> list[tuple[int, ...]]:
        """Sequences of arcs that turn restrictions and gates forbid this mode at its hour."""
        turns = forbidden_sequences(self.mode, self.graph, self.out_arcs, self.when)
        return [*turns, *self.shut_gates]

    @cached_property
    def shut_gates(self) -> list[tuple[int, int]]:
        """Pairs of arcs between which a gate is shut at this hour: two for each gate between links the mode uses."""
        usable = self.streets.usable
        return [(a, b) for a, b in gate_sequences(self.graph, self.when) if usable[a >> 1] and usable[b >> 1]]

    @cached_property
    def unread_hours(self) -> tuple[NDArray[np.integer], NDArray[np.integer]]:
        """Nodes of gates, and rows of turn restrictions, whose hours are not read in full; what is not read does not bind."""
        usable = self.streets.usable
        return unread_gates(self.graph, usable), unread_restrictions(self.mode, self.graph, usable)

    @property
    def barred(self) -> NDArray[np.bool_]:
        """Steps (r,) that may not be made at this hour because of turn restrictions and gates with hours."""
        return self.derived(("barred", self.when), self._barred)

    def _barred(self) -> NDArray[np.bool_]:
        streets = self.streets
        now: set[tuple[int, ...]] = set(self.shut_gates)
        if self.when is not None:
            now |= set(forbidden_sequences(self.mode, self.graph, streets.out_arcs, self.when, timed=True))
        holding = np.array([bool(sequences & now) for sequences in streets.states.timed_rules] + [False])
        return holding[streets.states.steps.timed_rule]

    @property
    def entries(self) -> Entries:
        """How arcs are entered."""
        return self.derived(("entries", self.when), self._entries)

    def _entries(self) -> Entries:
        start, rows = self.states.by_arc
        if self.barred.any():
            open_ = ~self.barred[rows]
            start, rows = np.concatenate([[0], np.cumsum(open_)])[start], rows[open_]
        return Entries(start, self.states.steps.tail[rows], self.step_delay[rows])

    @property
    def time_factor(self) -> NDArray[np.float64]:
        """How many times longer (m, 2) links take than at the mode's speed, the hour aside."""
        factor = self.streets.time_factor
        return factor if self.slower is None else factor * self.slower[:, None]

    @property
    def _free_s(self) -> NDArray[np.float64]:
        seconds = self.streets.free_s
        return seconds if self.slower is None else seconds * self.slower[:, None]

    @property
    def duration_ms(self) -> NDArray[np.int32]:
        """Time (m, 2) to pass each link along and against its drawn direction, in whole milliseconds; no delays at nodes."""
        return self.derived(("duration_ms", self.when, self._digest[1]), self._duration_ms)

    def _duration_ms(self) -> NDArray[np.int32]:
        seconds = self._free_s
        if self.when is not None:
            seconds = seconds * hour_pace(self.mode, self.graph, self.when)[:, None]
        return np.rint(np.minimum(seconds, MOST_COST) * MILLI).astype(np.int32)

    @property
    def free_ms(self) -> NDArray[np.float64]:
        """Time (2m,) to pass each arc in free flow, in ms; BLOCKED where barred."""
        ways = np.stack([self.forward, self.backward], axis=1)
        return np.where(ways, np.minimum(self._free_s, MOST_COST) * MILLI, BLOCKED).ravel()

    @cached_property
    def own_costs(self) -> Costs:
        """Costs of the analyst's own (m, 2) by id, as they are on this network."""
        return self.own(self)

    def changed_since(self, before: Network) -> NDArray[np.int64] | None:
        """Links whose costs may be other than in another network on the same streets; None where these are not known.

        Parameters:
            before: the other network.
        """
        if before.streets is not self.streets or before.when != self.when:
            return None
        links, at = np.zeros(0, np.int64), self
        while at is not before:
            if at._before is None:
                return _differing(self, before)
            at, changed = at._before
            links = np.union1d(links, changed)
        return links

    def directed(self, measure: str) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
        """Cost of each link along and against its drawn direction, in ms (`time`), mm (`distance`) or 1/1000 of a given cost.

        A direction for which none is given is barred. Raises `AwlError` for a cost the graph does not have, or one that is
        negative or too large.

        Parameters:
            measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
        """
        costs = self.arc_costs(measure)
        return costs[0::2], costs[1::2]

    def _pair(self, measure: str) -> NDArray[np.int32]:
        if measure == "time":
            return self.duration_ms
        if measure == "distance":
            return np.broadcast_to(self.length_mm[:, None], (len(self.length_mm), 2))
        if measure == LEAST_TIME:
            fastest = max([1.0, *(max(curve.share) for curve in self.mode.curves)])
            return np.floor(np.minimum(self._free_s, MOST_COST) * MILLI / fastest).astype(np.int32)
        return in_thousandths({**self.graph.costs, **self.own_costs}, measure, self.graph.link_id)

    def arc_costs(self, measure: str) -> NDArray[np.int32]:
        """Cost of each arc (2m,): that of link i along its drawing at 2i, against it at 2i + 1; BLOCKED where barred.

        Parameters:
            measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
        """
        return self.derived(self._arc_costs_key(measure), lambda: self._arc_costs(measure)).values

    def _arc_costs_key(self, measure: str) -> tuple[Any, ...]:
        return ("arc_costs", measure, self.own, *self.key)

    def _arc_costs(self, measure: str) -> Branched:
        before, links = self._before or (None, None)
        known = None if before is None else before._held.get(before._arc_costs_key(measure))
        if known is None or links is None:
            both = np.stack([self.forward, self.backward], axis=1)
            return Branched(np.where(both, self._pair(measure), BLOCKED).ravel(), Branch())
        (costs,) = known.branch.copies(known.values[None])
        open_now = np.ones(len(links), bool) if self.closed is None else ~self.closed[links]
        ways = np.stack([self.streets.forward[links] & open_now, self.streets.backward[links] & open_now], axis=1)
        costs[0].reshape(-1, 2)[links] = np.where(ways, self._pair(measure)[links], BLOCKED)
        return Branched(costs[0], known.branch.grown(np.concatenate([2 * links, 2 * links + 1]), len(costs[0])))

    def link_costs(self, measure: str, direction: str) -> LinkCosts:
        """Costs as a search sees them: one that runs towards places passes each link in reverse.

        Parameters:
            measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
            direction: `from` or `to`: trips leave the places or lead to them.
        """
        check_direction(direction)
        forward, backward = self.directed(measure)
        return LinkCosts(forward, backward) if direction == "from" else LinkCosts(backward, forward)

    def search_rows(
        self, measure: str, accumulated: str, direction: str
    ) -> tuple[NDArray[np.int64], NDArray[np.int32], NDArray[np.int32], NDArray[np.int32]]:
        """Rows and heads of a search over the states, with the cost of each step in two measures.

        Parameters:
            measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
            accumulated: the cost that is summed up along the way.
            direction: `from` or `to`: trips leave the places or lead to them.
        """
        start, head, _ = self.rows(direction)
        return start, head, self._weights(measure, direction), self._weights(accumulated, direction)

    def step_costs(self, measure: str, rows: NDArray[np.integer] | slice = EVERY) -> NDArray[np.int32]:
        """Cost of each of these steps, its delay included where `measure` is a time. A barred one costs more than any limit.

        Parameters:
            measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
            rows: numbers (k,) of the steps, or a slice of all.
        """
        return self.costs_of_steps(measure).of(rows)

    def costs_of_steps(self, measure: str) -> StepCosts:
        """What steps cost in a measure, delays included where it is a time.

        Parameters:
            measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
        """
        delay = self.step_delay if measure in ("time", LEAST_TIME) else np.zeros(0, np.int32)
        return StepCosts(self.states.steps.arc, self.arc_costs(measure), delay, self.barred)

    def _weights(self, measure: str, direction: str) -> NDArray[np.int32]:
        return self.derived(
            ("weights", measure, direction, self.own, *self.key),
            lambda: self.step_costs(measure)[self.rows(direction)[2]],
        )


def _differing(network: Network, other: Network) -> NDArray[np.int64]:
    """Links on which two networks at one time have other edits."""
    differs = network.usable != other.usable
    factor, other_factor = (1.0 if of.slower is None else of.slower for of in (network, other))
    return np.flatnonzero(differs | (factor != other_factor))


def _in_short(mask: NDArray[np.bool_]) -> bytes:
    """A mask as its rows where they are few, else as its bits: whichever takes less time."""
    rows = set_rows(mask)
    return rows.tobytes() if 64 * len(rows) < len(mask) else np.packbits(mask).tobytes()
