"""Where searches begin and end: the states that trips from places come to first, or pass last, and what lies between.

One place is asked for as often as a thousand, each time an origin is dragged, so this is a kernel rather than whole arrays.
"""

from __future__ import annotations

from dataclasses import dataclass

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
    costs, access_points = (network.arc_costs(measure), network.arc_costs(accumulated)), places.access_points
    ways = access_points.access_costs(network, measure), access_points.access_costs(network, accumulated)
    return Terminals(
        *_leaving(
            access_points.place, access_points.link, access_points.fraction, ways, costs, states.begun, states.free,
            graph.link_from, graph.link_to
        )
    )  # fmt: skip


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
    costs, access_points = (network.arc_costs(measure), network.arc_costs(accumulated)), places.access_points
    ways = access_points.access_costs(network, measure), access_points.access_costs(network, accumulated)
    delay = network.step_delay if "time" in (measure, accumulated) else np.zeros(0, np.int32)
    return Terminals(
        *_entering(
            access_points.place, access_points.link, access_points.fraction, ways, costs, states.by_arc, states.by_node,
            states.steps.tail,
            network.barred, delay, (measure == "time", accumulated == "time"), graph.link_from, graph.link_to,
        )
    )  # fmt: skip


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
    whole = np.empty((5, most), np.int32)
    return whole[0], whole[1], np.empty(most, np.int64), whole[2], whole[3], whole[4]


@njit(cache=True, nogil=True)
def _leaving(place, link, fraction, ways, costs, begun, free, link_from, link_to):
    state, cost, accumulated, owner, along, access_row = _room(2 * len(link))
    size = 0
    for i in range(len(link)):
        if ways[0][i] < 0:
            continue
        if _at_node(fraction[i]):
            at_start = fraction[i] == 0.0
            node = link_from[link[i]] if at_start else link_to[link[i]]
            state[size], owner[size], access_row[size] = free[node], place[i], i
            along[size] = 2 * link[i] + np.int64(at_start)
            cost[size], accumulated[size] = ways[0][i], ways[1][i]
            size += 1
            continue
        for side in range(2):
            arc = 2 * np.int64(link[i]) + side
            if costs[0][arc] == BLOCKED:
                continue
            share = fraction[i] if side else 1.0 - fraction[i]
            state[size], owner[size], along[size], access_row[size] = begun[arc], place[i], arc, i
            cost[size] = ways[0][i] + _part(share, costs[0][arc])
            accumulated[size] = ways[1][i] + _part(share, costs[1][arc])
            size += 1
    return state[:size], cost[:size], accumulated[:size], owner[:size], along[:size], access_row[:size]


@njit_no_refcount
def _most_entering(link, fraction, by_arc, by_node, link_from, link_to):
    """Upper bound on the number of exit states."""
    most = np.int64(0)
    for i in range(len(link)):
        if _at_node(fraction[i]):
            node = link_from[link[i]] if fraction[i] == 0.0 else link_to[link[i]]
            most += by_node[node + 1] - by_node[node]
        else:
            most += by_arc[2 * link[i] + 2] - by_arc[2 * link[i]]
    return most


@njit(cache=True, nogil=True)
def _entering(
    place, link, fraction, ways, costs, by_arc, by_node, tail, barred, delay, delayed, link_from, link_to
):  # fmt: skip
    state, cost, accumulated, owner, along, access_row = _room(
        _most_entering(link, fraction, by_arc[0], by_node[0], link_from, link_to)
    )
    size = 0
    for i in range(len(link)):
        if ways[0][i] < 0:
            continue
        if _at_node(fraction[i]):
            at_start = fraction[i] == 0.0
            node = link_from[link[i]] if at_start else link_to[link[i]]
            for row in range(by_node[0][node], by_node[0][node + 1]):
                state[size], owner[size], access_row[size] = by_node[1][row], place[i], i
                along[size] = 2 * link[i] + np.int64(not at_start)
                cost[size], accumulated[size] = ways[0][i], ways[1][i]
                size += 1
            continue
        for side in range(2):
            arc = 2 * np.int64(link[i]) + side
            if costs[0][arc] == BLOCKED:
                continue
            share = 1.0 - fraction[i] if side else fraction[i]
            for row in range(by_arc[0][arc], by_arc[0][arc + 1]):
                step = by_arc[1][row]
                if barred[step]:
                    continue
                state[size], owner[size], along[size], access_row[size] = tail[step], place[i], arc, i
                cost[size] = ways[0][i] + _part(share, costs[0][arc]) + (delay[step] if delayed[0] else 0)
                accumulated[size] = ways[1][i] + _part(share, costs[1][arc]) + (delay[step] if delayed[1] else 0)
                size += 1
    return state[:size], cost[:size], accumulated[:size], owner[:size], along[:size], access_row[:size]
