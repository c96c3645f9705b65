"""Where searches begin and end: the states that trips from places come to first, or pass last, and what lies between.

One place is asked for as often as a thousand, each time an origin is dragged, so this is a kernel rather than whole arrays.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.kernels import njit_no_refcount
from awl.core.network.costs import BLOCKED
from awl.core.network.network import Network
from awl.core.routing.snapping import Snapped


@dataclass(frozen=True)
class Terminals:
    """Where searches begin or end: state, cost and accumulated cost between it and the place (row `owner`) it belongs to.

    `arc` is that of the link the place stands on which lies between; its share is 0 where the place stands at a node.
    `access_row` is the row of the access point among those of the places. Ordered by owner.
    """

    state: NDArray[np.int32]
    cost: NDArray[np.int32]
    accumulated: NDArray[np.int64]
    owner: NDArray[np.int32]
    arc: NDArray[np.int32]
    access_row: NDArray[np.int32]

    def starts(self, owners: int) -> NDArray[np.int64]:
        """Offsets (owners + 1,) at which those of each owner begin.

        Parameters:
            owners: how many places there are.
        """
        return np.searchsorted(self.owner, np.arange(owners + 1))


def leaving(places: Snapped, network: Network, measure: str, accumulated: str) -> Terminals:
    """The states that trips from each place come to first; places without a street give none.

    A place at a node stands there, whichever street it was put on: trips leave it as those do that pass it, without a turn.

    Parameters:
        places: places put on streets (k,).
        network: the streets of a mode, at a time and with closures.
        measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
        accumulated: the cost that is summed up along the way.
    """
    states, graph = network.states, network.graph
    ends = _LinkEnds(graph.link_from, graph.link_to)
    return Terminals(*_leaving(*_on_streets(places, network, measure, accumulated), ends, states.begun, states.free))


def entering(places: Snapped, network: Network, measure: str, accumulated: str) -> Terminals:
    """The last states of trips to each place before they come to its link, each with the cost of the rest of the way.

    A place at a node is come to there, on whichever street.

    Parameters:
        places: places put on streets (k,).
        network: the streets of a mode, at a time and with closures.
        measure: `time` (ms), `distance` (mm) or the id of a cost given with the streets or the mode (1/1000).
        accumulated: the cost that is summed up along the way.
    """
    states, graph = network.states, network.graph
    delay = network.step_delay if "time" in (measure, accumulated) else np.zeros(0, np.int32)
    exits = _Exits(
        *states.by_arc,
        *states.by_node,
        states.steps.tail,
        network.barred,
        delay,
        measure == "time",
        accumulated == "time",
    )
    ends = _LinkEnds(graph.link_from, graph.link_to)
    return Terminals(*_entering(*_on_streets(places, network, measure, accumulated), ends, exits))


class _Points(NamedTuple):
    """Access points (q,): place, link, fraction, cost and accumulated cost of the way to each; the cost is negative for none."""

    place: Any
    link: Any
    fraction: Any
    cost: Any
    far: Any


class _ArcCosts(NamedTuple):
    """Cost and accumulated cost of each arc (2m,)."""

    cost: Any
    far: Any


class _LinkEnds(NamedTuple):
    """Nodes (m,) at which links begin and end."""

    first: Any
    last: Any


class _Exits(NamedTuple):
    """Steps by the arc they enter and states by their node, as offsets and rows; of steps, where they begin and what they lose.

    `in_cost` and `in_far` say whether the delay counts in the cost and in the accumulated cost.
    """

    arc_start: Any
    arc_rows: Any
    node_start: Any
    node_rows: Any
    tail: Any
    barred: Any
    delay: Any
    in_cost: Any
    in_far: Any


def _on_streets(places: Snapped, network: Network, measure: str, accumulated: str) -> tuple[_Points, _ArcCosts]:
    """The access points of places, and the costs of arcs."""
    at = places.access_points
    cost, far = at.access_costs(network, measure), at.access_costs(network, accumulated)
    costs = _ArcCosts(network.arc_costs(measure), network.arc_costs(accumulated))
    return _Points(at.place, at.link, at.fraction, cost, far), costs


@njit_no_refcount
def _at_node(fraction):
    return fraction == 0.0 or fraction == 1.0


@njit_no_refcount
def _part(share, cost):
    """What a part of an arc costs."""
    return np.int64(np.rint(share * cost))


@njit(cache=True, nogil=True)
def _room(most):
    """Room for as many terminals: their columns."""
    buffer = np.empty((5, most), np.int32)
    return buffer[0], buffer[1], np.empty(most, np.int64), buffer[2], buffer[3], buffer[4]


@njit(cache=True, nogil=True)
def _leaving(points, arcs, ends, begun, free):
    link, fraction, place = points.link, points.fraction, points.place
    state, cost, accumulated, owner, along, access_row = _room(2 * len(link))
    size = 0
    for i in range(len(link)):
        if points.cost[i] < 0:
            continue
        if _at_node(fraction[i]):
            at_start = fraction[i] == 0.0
            node = ends.first[link[i]] if at_start else ends.last[link[i]]
            state[size], owner[size], access_row[size] = free[node], place[i], i
            along[size] = 2 * link[i] + np.int64(at_start)
            cost[size], accumulated[size] = points.cost[i], points.far[i]
            size += 1
            continue
        for side in range(2):
            arc = 2 * np.int64(link[i]) + side
            if arcs.cost[arc] == BLOCKED:
                continue
            share = fraction[i] if side else 1.0 - fraction[i]
            state[size], owner[size], along[size], access_row[size] = begun[arc], place[i], arc, i
            cost[size] = points.cost[i] + _part(share, arcs.cost[arc])
            accumulated[size] = points.far[i] + _part(share, arcs.far[arc])
            size += 1
    return state[:size], cost[:size], accumulated[:size], owner[:size], along[:size], access_row[:size]


@njit_no_refcount
def _most_entering(points, ends, exits):
    """Upper bound on the number of exit states."""
    most = np.int64(0)
    for i in range(len(points.link)):
        link = points.link[i]
        if _at_node(points.fraction[i]):
            node = ends.first[link] if points.fraction[i] == 0.0 else ends.last[link]
            most += exits.node_start[node + 1] - exits.node_start[node]
        else:
            most += exits.arc_start[2 * link + 2] - exits.arc_start[2 * link]
    return most


@njit(cache=True, nogil=True)
def _entering(points, arcs, ends, exits):
    link, fraction, place, delay = points.link, points.fraction, points.place, exits.delay
    state, cost, accumulated, owner, along, access_row = _room(_most_entering(points, ends, exits))
    size = 0
    for i in range(len(link)):
        if points.cost[i] < 0:
            continue
        if _at_node(fraction[i]):
            at_start = fraction[i] == 0.0
            node = ends.first[link[i]] if at_start else ends.last[link[i]]
            for row in range(exits.node_start[node], exits.node_start[node + 1]):
                state[size], owner[size], access_row[size] = exits.node_rows[row], place[i], i
                along[size] = 2 * link[i] + np.int64(not at_start)
                cost[size], accumulated[size] = points.cost[i], points.far[i]
                size += 1
            continue
        for side in range(2):
            arc = 2 * np.int64(link[i]) + side
            if arcs.cost[arc] == BLOCKED:
                continue
            share = 1.0 - fraction[i] if side else fraction[i]
            for row in range(exits.arc_start[arc], exits.arc_start[arc + 1]):
                step = exits.arc_rows[row]
                if exits.barred[step]:
                    continue
                state[size], owner[size], along[size], access_row[size] = exits.tail[step], place[i], arc, i
                cost[size] = points.cost[i] + _part(share, arcs.cost[arc]) + (delay[step] if exits.in_cost else 0)
                accumulated[size] = points.far[i] + _part(share, arcs.far[arc]) + (delay[step] if exits.in_far else 0)
                size += 1
    return state[:size], cost[:size], accumulated[:size], owner[:size], along[:size], access_row[:size]
