"""The network of one mode: usable links with integer costs, and the arcs a search runs over.

Costs are whole milliseconds and millimetres (thousandths of whatever a given cost is in), so that sums are exact and every
search gives the same answer. `BLOCKED` marks a direction that may not be used. Of the parts in which every node can reach every
other the largest is kept, unless `KeepParts` says otherwise; what is left out is counted.
"""

from __future__ import annotations

from copy import copy
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.modes.arcs import Arcs, csr
from awl.core.modes.barriers import gate_sequences, parted
from awl.core.modes.delays import TurnDelays
from awl.core.modes.enclosed import enclosed_links
from awl.core.modes.hours import hour_pace
from awl.core.modes.mode import Mode
from awl.core.modes.parts import strong_parts
from awl.core.modes.rules import StreetUse, apply_mode, measured_pace, without_steep
from awl.core.modes.slope import Heights, slope_pace
from awl.core.modes.states import States, build_states
from awl.core.modes.turning import forbidden_sequences
from awl.core.streets.graph import StreetGraph

EVERY = slice(None)
LEAST_TIME = "least time"
"""A measure no cost can be named like: what a link takes at least, at any hour of any day, rounded down."""
BLOCKED = -1
NO_WAY = np.int32(2**31 - 1)
"""Cost of a step that may not be made: above every limit."""
MILLI = 1000.0
MOST_COST = 1_000_000.0
"""Largest given cost of one link: sums of thousandths must stay below 2^31."""


@dataclass(frozen=True)
class LinkCosts:
    """Cost of a whole link (m,) when a search passes it from its start to its end (`up`) or back (`down`)."""

    up: NDArray[np.int32]
    down: NDArray[np.int32]


@dataclass(frozen=True)
class Entries:
    """Steps by their arcs: those onto arc i are rows `start[i]:start[i + 1]`, from states `tail`, with `delay_ms`."""

    start: NDArray[np.int64]
    tail: NDArray[np.int32]
    delay_ms: NDArray[np.int32]


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


@dataclass(frozen=True)
class StepCosts:
    """What steps (r,) between states cost: that of their `arc` in `arc_cost` (2m,), and the `delay` (r,) before it if one counts.

    Where none does `delay` is empty. One that is `barred` (r,), or whose arc is, costs more than any limit.
    """

    arc: NDArray[np.int32]
    arc_cost: NDArray[np.int32]
    delay: NDArray[np.int32]
    barred: NDArray[np.bool_]

    def of(self, rows: NDArray[np.integer] | slice = EVERY) -> NDArray[np.int32]:
        """Costs of some steps."""
        cost = self.arc_cost[self.arc[rows]]
        whole = cost + self.delay[rows] if len(self.delay) else cost
        return np.where((cost == BLOCKED) | self.barred[rows], NO_WAY, whole).astype(np.int32)


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
        pace: NDArray[np.float64] | None = None,
        when: datetime | None = None,
    ):
        self.graph, self.mode, self.use, self.keep = graph, mode, use, keep or KeepParts()
        self.pace = np.ones((graph.link_count, 2)) if pace is None else pace
        self.when = when
        self.hour = hour_pace(mode, graph, when)
        self.hierarchy: Any = None  # an `awl.core.engine.hierarchy.Hierarchy` once one is prepared
        self.clock: Any = None  # an `awl.core.engine.clock.Clock` once one is asked for
        self.free: Network | None = None  # at an hour, the network of free flow with the same states
        # The network this one was made from by closing or slowing streets, and the links that changed.
        self._changed_from: tuple[Network, NDArray[np.int64]] | None = None
        self.own_costs: dict[str, NDArray[np.float64]] = {}
        self._costs: dict[str, NDArray[np.int32]] = {}
        self._arc_costs: dict[str, NDArray[np.int32]] = {}
        self._kept_weights: dict[tuple[str, str], NDArray[np.int32]] = {}
        usable = use.forward | use.backward
        tail, head = _arc_ends(graph, use.forward, use.backward)
        label = strong_parts(*csr(graph.node_count, tail, head)[:2])
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
        cls,
        graph: StreetGraph,
        mode: Mode,
        keep: KeepParts | None = None,
        rule: NDArray[np.int8] | None = None,
        heights: Heights | None = None,
        when: datetime | None = None,
    ) -> Network:
        """The network of a mode on a street graph; `rule` is the number of the first rule each link meets.

        `heights` make slope count, `when` (local date and time) the hour: curves, opening hours, restrictions with hours. Its
        own graph has more nodes than the study's where barriers shut streets at every hour; links are the same.
        """
        use = apply_mode(mode, graph, rule)
        pace = measured_pace(mode, graph, use.speed) if mode.measured else np.ones((graph.link_count, 2))
        slope = mode.slope
        if heights is not None and (slope.by != "none" or slope.limit > 0):
            pace *= slope_pace(slope, heights, use.speed, mode.top_speed)
            # A ferry does not climb, whatever the sea bed says.
            pace[graph.tag("highway").equals("ferry")] = 1.0
            if slope.limit > 0:
                use = without_steep(use, heights.steepest > slope.limit)
        return cls(parted(mode, graph), mode, use, keep=keep, pace=pace, when=when)

    def with_closed(self, closed: NDArray[np.bool_]) -> Network:
        """The same network with some links (mask (m,)) closed in both directions.

        States, turns and what they cost stay as they are; only the closed arcs are barred.
        """
        made = self._altered(np.flatnonzero(closed & self.usable))
        made.closed = closed
        made.forward, made.backward = self.forward & ~closed, self.backward & ~closed
        for derived in ("usable", "out_arcs", "in_arcs"):
            vars(made).pop(derived, None)
        return made

    def _altered(self, links: NDArray[np.int64] | None = None) -> Network:
        """A copy for other costs, of these `links` alone if given; it keeps the states and what prepares searches over them."""
        _ = self.entries, self._rows, self.turn_delays, self.step_delay, self.barred  # made once, for both
        made = copy(self)
        made._changed_from = None if links is None else (self, links)
        made.clock = None
        made._costs, made._arc_costs, made._kept_weights = {}, {}, {}
        made.hierarchy = None if self.hierarchy is None else self.hierarchy.fresh(self)
        return made

    @cached_property
    def usable(self) -> NDArray[np.bool_]:
        """Links of the main part that may be used at least one way (m,)."""
        return self.forward | self.backward

    @cached_property
    def length_mm(self) -> NDArray[np.int32]:
        """Length of each link in whole millimetres."""
        return np.rint(self.graph.link_length * MILLI).astype(np.int32)

    def at(self, when: datetime) -> Network:
        """The same network at a local date and time, with the speeds of the hour and what it bars; all else is shared."""
        made = self._altered()
        made.when, made.hour, made.free = when, hour_pace(self.mode, self.graph, when), self
        for derived in ("duration_ms", "forbidden", "shut_gates", "barred", "entries"):
            vars(made).pop(derived, None)
        return made

    def with_slower(self, factor: NDArray[np.float64]) -> Network:
        """The same network where each link takes `factor` (m,) times as long."""
        other = self._altered(np.flatnonzero(factor != 1.0))
        other.pace = self.pace * factor[:, None]
        vars(other).pop("duration_ms", None)
        return other

    @cached_property
    def duration_ms(self) -> NDArray[np.int32]:
        """Time (m, 2) to pass each link along and against its drawn direction, in whole milliseconds; no delays at nodes."""
        return np.rint(np.minimum(self._free_s * self.hour[:, None], MOST_COST) * MILLI).astype(np.int32)

    @property
    def _free_s(self) -> NDArray[np.float64]:
        seconds = self.graph.link_length / (self.use.speed / 3.6)
        return np.asarray(seconds[:, None] * self.pace)

    @property
    def free_ms(self) -> NDArray[np.float64]:
        """Time (2m,) to pass each arc in free flow, in ms; BLOCKED where barred."""
        ways = np.stack([self.forward, self.backward], axis=1)
        return np.where(ways, np.minimum(self._free_s, MOST_COST) * MILLI, BLOCKED).ravel()

    @cached_property
    def out_arcs(self) -> Arcs:
        """Arcs by the node they leave."""
        return Arcs(*csr(self.graph.node_count, *_arc_ends(self.graph, self.forward, self.backward), self._arc_ids()))

    @cached_property
    def in_arcs(self) -> Arcs:
        """Arcs by the node they come to, `head` being the node they left."""
        tail, head = _arc_ends(self.graph, self.forward, self.backward)
        return Arcs(*csr(self.graph.node_count, head, tail, self._arc_ids()))

    @cached_property
    def forbidden(self) -> list[tuple[int, ...]]:
        """Sequences of arcs that turn restrictions and gates forbid this mode at its hour."""
        turns = forbidden_sequences(self.mode, self.graph, self.out_arcs, self.when)
        return [*turns, *self.shut_gates]

    @cached_property
    def shut_gates(self) -> list[tuple[int, int]]:
        """Pairs of arcs between which a gate is shut at this hour: two for each gate between usable links."""
        pairs = gate_sequences(self.graph, self.when)
        return [(a, b) for a, b in pairs if self.usable[a >> 1] and self.usable[b >> 1]]

    @cached_property
    def turn_delays(self) -> TurnDelays:
        """What passing a node costs."""
        return TurnDelays.on(self.mode, self.graph, self.usable, np.diff(self.out_arcs.start))

    @cached_property
    def states(self) -> States:
        """What a search runs over."""
        graph = self.graph
        head = np.full(2 * graph.link_count, -1, np.int32)
        head[0::2][self.forward] = graph.link_to[self.forward]
        head[1::2][self.backward] = graph.link_from[self.backward]
        always = forbidden_sequences(self.mode, graph, self.out_arcs)
        ever = [
            *forbidden_sequences(self.mode, graph, self.out_arcs, ever=True),
            *gate_sequences(graph, ever=True),
        ]
        known = set(always)
        sometimes = [sequence for sequence in ever if sequence not in known]
        at_ends = self.use.at_ends & self.usable
        return build_states(
            self.out_arcs, head, always, self.mode.delays.by_turn, at_ends, sometimes, self.turn_delays.arcs_told_apart
        )

    @cached_property
    def enclosed(self) -> NDArray[np.bool_]:
        """Usable links (m,) that no trip can leave or reach, because of turn restrictions or streets for the ends of trips.

        Only where the largest part alone is used: with more parts no one of them is the bulk.
        """
        if self.keep.rule != "largest":
            return np.zeros(self.graph.link_count, bool)
        ahead, back = self._rows["from"][:2], self._rows["to"][:2]
        return enclosed_links(self.states, ahead, back, self.graph.link_length)

    @cached_property
    def barred(self) -> NDArray[np.bool_]:
        """Steps (r,) that may not be made at this hour because of turn restrictions and gates with hours."""
        now: set[tuple[int, ...]] = set(self.shut_gates)
        if self.when is not None:
            now |= set(forbidden_sequences(self.mode, self.graph, self.out_arcs, self.when, timed=True))
        holding = np.array([bool(sequences & now) for sequences in self.states.watched] + [False])
        return holding[self.states.steps.watch]

    @cached_property
    def step_delay(self) -> NDArray[np.int32]:
        """Delay in ms of each step between states, beyond the time along its arc."""
        steps = self.states.steps
        return self.turn_delays.of(steps.after, steps.arc, self.states.node[steps.tail])

    @cached_property
    def entries(self) -> Entries:
        """How arcs are entered."""
        start, rows = self.states.by_arc
        if self.barred.any():
            open_ = ~self.barred[rows]
            start, rows = np.concatenate([[0], np.cumsum(open_)])[start], rows[open_]
        return Entries(start, self.states.steps.tail[rows], self.step_delay[rows])

    @cached_property
    def _rows(self) -> dict[str, tuple[NDArray[np.int64], NDArray[np.int32], NDArray[np.int32]]]:
        """Steps by the state they leave, and by the state they come to: offsets, far states, numbers of the steps."""
        count, steps = self.states.count, self.states.steps
        return {"from": csr(count, steps.tail, steps.head), "to": csr(count, steps.head, steps.tail)}

    def rows(self, direction: str) -> tuple[NDArray[np.int64], NDArray[np.int32], NDArray[np.int32]]:
        """Steps of a search `from` or `to` places: offsets by state, far states, numbers of the steps."""
        return self._rows[direction]

    def step_at(self, row: int) -> int:
        """The step of a row of the search `from` places."""
        return int(self._rows["from"][2][row])

    def overhead(self, measure: str) -> int:
        """What every trip costs at its ends, in ms where `measure` is time."""
        return round((self.mode.delays.start_s + self.mode.delays.end_s) * MILLI) if measure == "time" else 0

    def directed(self, measure: str) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
        """Cost of each link along and against its drawn direction, in ms (`time`), mm (`distance`) or 1/1000 of a given cost.

        A direction for which none is given is barred. Raises `AwlError` for a cost the graph does not have, or one that is
        negative or too large.
        """
        costs = self.arc_costs(measure)
        return costs[0::2], costs[1::2]

    def changed_since(self, before: Network) -> NDArray[np.int64] | None:
        """Links whose costs may be other than in the network this one was made from; None where that is not known."""
        links, at = np.zeros(0, np.int64), self
        while at is not before:
            if at._changed_from is None:
                return None
            at, some = at._changed_from
            links = np.union1d(links, some)
        return links

    def _pair(self, measure: str) -> NDArray[np.int32]:
        if measure == "time":
            return self.duration_ms
        if measure == "distance":
            return np.broadcast_to(self.length_mm[:, None], (len(self.length_mm), 2))
        if measure == LEAST_TIME:
            fastest = max([1.0, *(max(curve.share) for curve in self.mode.curves)])
            return np.floor(np.minimum(self._free_s, MOST_COST) * MILLI / fastest).astype(np.int32)
        if measure not in self._costs:
            self._costs[measure] = _milli({**self.graph.costs, **self.own_costs}, measure, self.graph.link_id)
        return self._costs[measure]

    def arc_costs(self, measure: str) -> NDArray[np.int32]:
        """Cost of each arc (2m,): that of link i along its drawing at 2i, against it at 2i + 1; BLOCKED where barred."""
        if measure not in self._arc_costs:
            before, links = self._changed_from or (None, None)
            if before is not None and links is not None and measure in before._arc_costs:
                made = before._arc_costs[measure].reshape(-1, 2).copy()
                usable = np.stack([self.forward[links], self.backward[links]], axis=1)
                made[links] = np.where(usable, self._pair(measure)[links], BLOCKED)
            else:
                made = np.where(np.stack([self.forward, self.backward], axis=1), self._pair(measure), BLOCKED)
            self._arc_costs[measure] = made.ravel()
        return self._arc_costs[measure]

    def link_costs(self, measure: str, direction: str) -> LinkCosts:
        """Costs as a search sees them: one that runs towards places passes each link in reverse."""
        forward, backward = self.directed(measure)
        return LinkCosts(forward, backward) if direction == "from" else LinkCosts(backward, forward)

    def search_rows(
        self, measure: str, carried: str, direction: str
    ) -> tuple[NDArray[np.int64], NDArray[np.int32], NDArray[np.int32], NDArray[np.int32]]:
        """Rows and heads of a search over the states, with the cost of each step in two measures; kept once made."""
        start, head, _ = self._rows[direction]
        return start, head, self._weights(measure, direction), self._weights(carried, direction)

    def step_costs(self, measure: str, rows: NDArray[np.integer] | slice = EVERY) -> NDArray[np.int32]:
        """Cost of each of these steps, its delay included where `measure` is a time. A barred one costs more than any limit."""
        return self.costs_of_steps(measure).of(rows)

    def costs_of_steps(self, measure: str) -> StepCosts:
        """What steps cost in a measure, delays included where it is a time."""
        delay = self.step_delay if measure in ("time", LEAST_TIME) else np.zeros(0, np.int32)
        return StepCosts(self.states.steps.arc, self.arc_costs(measure), delay, self.barred)

    def _weights(self, measure: str, direction: str) -> NDArray[np.int32]:
        key = (measure, direction)
        if key not in self._kept_weights:
            self._kept_weights[key] = self.step_costs(measure)[self._rows[direction][2]]
        return self._kept_weights[key]

    def _arc_ids(self) -> NDArray[np.int32]:
        return np.concatenate([np.flatnonzero(self.forward) * 2, np.flatnonzero(self.backward) * 2 + 1]).astype(
            np.int32
        )


def _milli(costs: dict[str, NDArray[np.float64]], measure: str, link_id: NDArray[np.int64]) -> NDArray[np.int32]:
    """A given cost in whole thousandths (m, 2), BLOCKED where none is given."""
    if measure not in costs:
        raise AwlError(
            f"The streets have no cost '{measure}'",
            remedy=f"Costs are: {', '.join(['time', 'distance', *costs])}",
            inputs=("measure",),
            kind="no-such-cost",
        )
    given = costs[measure]
    if np.nanmin(given, initial=0.0) < 0 or np.nanmax(given, initial=0.0) > MOST_COST:
        link = int(np.flatnonzero(((given < 0) | (given > MOST_COST)).any(axis=1))[0])
        raise AwlError(
            f"The cost '{measure}' of link {link_id[link]} is {np.nanmin(given[link]):g}",
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
