"""What is reached at up to sixteen hours at once: each hour a lane of one sweep, over edges that have a cost in each lane."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numba import njit

from awl.core.network.costs import check_direction
from awl.core.network.network import Network
from awl.core.routing.cch.hierarchy import Hierarchy
from awl.core.routing.cch.hourly_matrix import Ends, check_alike, customized_lanes
from awl.core.routing.cch.many_to_many import ranked, with_ends
from awl.core.routing.cch.one_to_all import ancestors_of
from awl.core.routing.cch.topology import FAR, Costs
from awl.core.routing.dijkstra.plain import Arrivals
from awl.core.routing.dijkstra.search import NO_LABEL, NO_LIMIT, OWNER_BITS, OWNER_MASK
from awl.core.routing.simd.lanes import LANES, over_triangle
from awl.core.routing.snapping import Snapped
from awl.core.routing.terminals import Terminals, entering, leaving


def arrivals_by_hour(
    hierarchy: Hierarchy, networks: Sequence[Network], places: Snapped, direction: str = "from"
) -> list[Arrivals]:
    """One to all (or all to one) from the nearest of the places by time, at each hour; which place it is is not told.

    `networks` are those of the hours, at most `LANES`, which share the states of the `hierarchy`.

    Parameters:
        hierarchy: the contraction hierarchy of the network's states.
        networks: networks of the same streets, one for each hour.
        places: places put on streets (k,).
        direction: `from` or `to`: trips leave the places or lead to them.
    """
    check_alike(networks)
    check_direction(direction)
    topology = hierarchy.topology
    ends = [(leaving if direction == "from" else entering)(places, one, "time", "distance") for one in networks]
    terminals = []
    for network, own in zip(networks, ends, strict=True):
        if direction == "from":
            begin, rank, _ = ranked(hierarchy, network, own, "time")
        else:
            begin, rank = own, topology.rank[own.state]
        terminals.append((replace(begin, owner=np.zeros_like(begin.owner)), rank))
    start = Ends.of(terminals, 1, topology.count)
    label = np.empty((topology.count, LANES), np.uint32)
    with customized_lanes(topology, [network.step_costs("time") for network in networks]) as (up, down):
        if direction == "to":
            up, down = down, up
        _sweep_by_hour(topology.parent, topology.start, topology.head, up, down, start.rank, start.cost, label)
    return [
        _of_hour(hierarchy, network, direction, label[:, lane], own)
        for lane, (network, own) in enumerate(zip(networks, ends, strict=True))
    ]


def _of_hour(hierarchy: Hierarchy, network: Network, direction: str, cost: Costs, ends: Terminals) -> Arrivals:
    """Labels of all states from the costs (c,) of one lane."""
    terminal_time = np.int64(network.terminal_time("time"))
    most = (np.int64(NO_LIMIT) << OWNER_BITS) | OWNER_MASK
    label = np.full(network.states.count, NO_LABEL)
    total = cost.astype(np.int64) + terminal_time
    label[hierarchy.topology.state] = np.where((cost < FAR) & (total <= NO_LIMIT), total << OWNER_BITS, NO_LABEL)
    own = (ends.cost.astype(np.int64) + terminal_time) << OWNER_BITS
    with_ends(hierarchy.topology, network, "time", direction, ends.state, own, most, label)
    return Arrivals(network, "time", direction, label, np.zeros(0, np.int64), np.zeros(0, np.int32))


@njit(cache=True, nogil=True)
def _sweep_by_hour(parent, start, head, up, down, seed_rank, seed_cost, label):
    """Costs `label` (c, LANES) of all ranks from the terminals (k,), each with a cost in each lane."""
    climb = np.empty(len(parent), np.int32)
    size = ancestors_of(parent, seed_rank, np.full(len(parent), -1, np.int32), climb)
    label[:] = FAR
    for i in range(len(seed_rank)):
        for lane in range(LANES):
            label[seed_rank[i], lane] = min(label[seed_rank[i], lane], seed_cost[i, lane])
    for at in range(size):
        low = np.int64(climb[at])
        for e in range(start[low], start[low + 1]):
            over_triangle(label, np.int64(head[e]), low, np.int64(e), label, up)
    for i in range(len(parent) - 1, -1, -1):
        for e in range(start[i], start[i + 1]):
            over_triangle(label, np.int64(i), np.int64(head[e]), np.int64(e), label, down)
