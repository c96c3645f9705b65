"""The hierarchy of a network, with the costs and ways that were asked for: what searches work with."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import fields
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from awl.core.network.network import Network
from awl.core.progress import Progress
from awl.core.routing.access_points import expanded
from awl.core.routing.cch.customization import customized, unpacking_of
from awl.core.routing.cch.known_order import KnownOrder
from awl.core.routing.cch.partial import customized_again, steps_by_edge, ways_again
from awl.core.routing.cch.perfect import ReducedGraph, Side, reduced_graph, whole_graph
from awl.core.routing.cch.topology import Metric, Topology, Unpacking, topology_in_order, topology_of

Ints = NDArray[np.int32]
Longs = NDArray[np.int64]
FEW, FEW_SHARE = 50, 0.002
"""Steps, and their share of the ranks: where more have another cost, customizing in part is slower than in full."""


OTHER_SHARE, MORE_EDGES, FEW_EDGES = 0.01, 1.1, 2000
"""An order serves networks of which no greater share of states is new or gone, as long as it needs few more edges."""


def _names(kind: type[Any]) -> list[str]:
    """The arrays of a class."""
    return [item.name for item in fields(kind) if item.name != "branch"]


class Hierarchy:
    """The topology of a network, with the metrics and ways that were asked for."""

    def __init__(
        self, topology: Topology, base: tuple[Hierarchy, Network] | None = None, edges_each: float | None = None
    ) -> None:
        self.topology = topology
        self.edges_each = len(topology.head) / max(topology.count, 1) if edges_each is None else edges_each
        self._base = base
        self._metrics: dict[str, Metric] = {}
        self._ways: dict[tuple[str, str], Unpacking] = {}
        self._looked_at: dict[str, Ints] = {}
        self._sides: dict[str, ReducedGraph] = {}
        self._steps_changed: dict[tuple[str, int], Longs | None] = {}

    @classmethod
    def of(cls, network: Network, progress: Progress | None = None) -> Hierarchy:
        """Made for a network; takes seconds for a town.

        Parameters:
            network: the streets of a mode, at a time and with closures.
            progress: is told how far the work is, and stops it.
        """
        graph = network.graph
        return cls(topology_of(network.states, *graph.plane.xy(graph.node_lon, graph.node_lat), progress))

    @classmethod
    def in_order(cls, network: Network, order: KnownOrder, progress: Progress | None = None) -> Hierarchy | None:
        """Made for a network in the order of one that was much like it; None where that no longer serves.

        States that are new are taken out first.

        Parameters:
            network: the streets of a mode, at a time and with closures.
            order: that of the other network.
            progress: is told how far the work is, and stops it.
        """
        rank = order.ranks(network)
        core = np.unique(network.states.steps.head)
        there = np.count_nonzero(rank[core] >= 0)
        if len(core) + len(order.state) - 2 * there > OTHER_SHARE * len(core) + FEW:
            return None
        topology = topology_in_order(network.states, rank, progress)
        if len(topology.head) > MORE_EDGES * order.edges_each * topology.count + FEW_EDGES:
            return None
        return cls(topology, edges_each=order.edges_each)

    def order(self, network: Network) -> KnownOrder:
        """In which order the states of the network were taken out.

        Parameters:
            network: the streets it was made for.
        """
        return KnownOrder.of(network, self.topology.state, self.edges_each)

    def fresh(self, network: Network) -> Hierarchy:
        """The same topology for other costs than those of the `network` this one stands for.

        Where few of them turn out to be other, the metrics are taken over and put right in part.

        Parameters:
            network: the streets of a mode, at a time and with closures.
        """
        return Hierarchy(self.topology, (self, network), self.edges_each)

    @classmethod
    def following(cls, former: Hierarchy, before: Network, network: Network) -> Hierarchy | None:
        """What was prepared for a network, put right for one on edited streets; it keeps nothing of the former.

        None where the edit changed how streets hang together, or the costs of so many that customizing in part does not pay.

        Parameters:
            former: what was prepared for the streets before.
            before: the network it stands for.
            network: the network on the edited streets.
        """
        old, new = before.states, network.states
        pairs = ((old.steps.tail, new.steps.tail), (old.steps.head, new.steps.head), (old.node, new.node))
        if old is not new and (old.count != new.count or not all(np.array_equal(*pair) for pair in pairs)):
            return None
        high = cls(former.topology, (former, before), former.edges_each)
        if any(high._changed(network, before, measure) is None for measure in former._metrics):
            return None
        high._by_edge = former._by_edge
        for measure in former._metrics:
            high.metric(network, measure)
        for measure, accumulated in former._ways:
            high.unpacking(network, measure, accumulated)
        high._base, high._steps_changed = None, {}
        return high

    @cached_property
    def _by_edge(self) -> Ints:
        return steps_by_edge(self.topology) if self._base is None else self._base[0]._by_edge

    def ready(self, measure: str) -> bool:
        """Whether the metric of a measure is there.

        Parameters:
            measure: the measure.
        """
        return measure in self._metrics

    def metric(self, network: Network, measure: str) -> Metric:
        """The metric of a measure, made when it is first asked for.

        Parameters:
            network: the streets of a mode, at a time and with closures.
            measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
        """
        if measure not in self._metrics:
            known = self._prepared(measure)
            changed = None if known is None else self._changed(network, known[1], measure)
            if known is None or changed is None:
                self._metrics[measure] = customized(self.topology, network.step_costs(measure))
            else:
                metric, cost = known[0]._metrics[measure], network.costs_of_steps(measure)
                result, self._looked_at[measure] = customized_again(self.topology, self._by_edge, metric, cost, changed)
                self._metrics[measure] = result
        return self._metrics[measure]

    @property
    def nbytes(self) -> int:
        """Memory of all that is prepared: topology, metrics, what their edges stand for, edges best ways use."""
        _ = self.topology.parent, self.topology.lone, self.topology.lowest  # made by the first searches
        reduced = [side for both in self._sides.values() for side in (both.up, both.down)]
        parts = (self.topology, *self._metrics.values(), *self._ways.values(), *reduced)
        arrays = {id(value): value for part in parts for value in vars(part).values() if isinstance(value, np.ndarray)}
        return sum(array.nbytes for array in arrays.values())

    def trim(self, network: Network, measure: str) -> None:
        """Find out which edges best ways use, for all searches from now on: worth it from some hundred of them on.

        Parameters:
            network: the streets of a mode, at a time and with closures.
            measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
        """
        if measure not in self._sides:
            self._sides[measure] = reduced_graph(self.topology, self.metric(network, measure))

    def arrays(self) -> dict[str, NDArray[Any]]:
        """All that was made of costs, by name, to be kept: see `take_over`."""
        named: dict[str, NDArray[Any]] = {}
        for measure, metric in self._metrics.items():
            named[f"{measure}.cost"] = metric.cost
        for (measure, accumulated), ways in self._ways.items():
            named |= {f"{measure}.{accumulated}.{name}": getattr(ways, name) for name in _names(Unpacking)}
        for measure, sides in self._sides.items():
            for direction, side in (("up", sides.up), ("down", sides.down)):
                named |= {f"{measure}.{direction}.{name}": array for name, array in vars(side).items()}
        return named

    def take_over(self, arrays: Mapping[str, NDArray[Any]], measure: str, accumulated: str) -> None:
        """Go on with the arrays of a measure that a hierarchy of the same topology and costs had made.

        Parameters:
            arrays: what it had made, by name.
            measure: the cost that is minimised.
            accumulated: the cost that is summed up along the way.
        """
        self._metrics[measure] = Metric(arrays[f"{measure}.cost"])
        key = f"{measure}.{accumulated}"
        self._ways[measure, accumulated] = Unpacking(arrays[f"{key}.via"], arrays[f"{key}.accumulated"])
        up, down = (
            Side(**{name: arrays[f"{measure}.{direction}.{name}"] for name in _names(Side)})
            for direction in ("up", "down")
        )
        self._sides[measure] = ReducedGraph(up, down)

    def reduced(self, network: Network, measure: str) -> ReducedGraph:
        """The edges searches go over: those best ways use where that was found out, else all.

        Parameters:
            network: the streets of a mode, at a time and with closures.
            measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
        """
        known = self._sides.get(measure)
        return whole_graph(self.topology, self.metric(network, measure)) if known is None else known

    def unpacking(self, network: Network, measure: str, accumulated: str) -> Unpacking:
        """What the edges of a metric stand for, with a accumulated cost; made when first asked for.

        Parameters:
            network: the streets of a mode, at a time and with closures.
            measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
            accumulated: the cost that is summed up along the way.
        """
        key = (measure, accumulated)
        if key not in self._ways:
            metric = self.metric(network, measure)
            known = self._prepared(measure) if measure in self._looked_at else None
            rows = None
            if known is not None and key in known[0]._ways:
                rows = self._changed(network, known[1], accumulated)
            if known is None or rows is None:
                costs = network.step_costs(measure), network.step_costs(accumulated)
                self._ways[key] = unpacking_of(self.topology, metric, *costs)
            else:
                parts = network.costs_of_steps(measure), network.costs_of_steps(accumulated)
                edges = self.topology.edge[rows]
                again = np.union1d(self._looked_at[measure], edges[edges >= 0] >> 1).astype(np.int32)
                self._ways[key] = ways_again(self.topology, self._by_edge, metric, known[0]._ways[key], parts, again)
        return self._ways[key]

    def _prepared(self, measure: str) -> tuple[Hierarchy, Network] | None:
        """The nearest hierarchy this one comes from that has the metric, and its network."""
        base = self._base
        while base is not None and not base[0].ready(measure):
            base = base[0]._base
        return base

    def _changed(self, network: Network, before: Network, measure: str) -> Longs | None:
        """Steps whose costs have changed; None where checking every edge again is cheaper.

        Only those onto links known to have changed are compared, where these are known.
        """
        key = measure, id(before)
        if key not in self._steps_changed:
            self._steps_changed[key] = self._compared(network, before, measure)
        return self._steps_changed[key]

    def _compared(self, network: Network, before: Network, measure: str) -> Longs | None:
        links = network.changed_since(before)
        if links is None:
            rows = np.arange(len(self.topology.edge))
        else:
            rows = expanded(*network.states.by_arc, np.concatenate([2 * links, 2 * links + 1]))[0].astype(np.int64)
        rows = rows[network.step_costs(measure, rows) != before.step_costs(measure, rows)]
        return rows if len(rows) <= max(FEW, FEW_SHARE * self.topology.count) else None
