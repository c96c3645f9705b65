"""Dijkstra's algorithm on CSR arrays with a 4-ary heap, compiled.

Source: E. W. Dijkstra, *A note on two problems in connexion with graphs*, Numer. Math. 1 (1959); lazy deletion.
Costs are int32 (milliseconds or millimetres); arrivals above `limit` are never stored, so no sum can overflow.
A search has many seeds (node, cost, carried cost, owner). Every node gets the seed of least cost; between equal costs
the lowest owner wins, whatever the order of the seeds. Complexity O(arcs log nodes) for what lies within the limit.
The kernels hold no global state and release the interpreter lock: threads may share the arrays.
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

UNREACHED = np.int32(2**31 - 1)
NO_LIMIT = np.int32(2**31 - 2)


@njit(cache=True, nogil=True, inline="always")
def _push(keys, nodes, size, key, node):
    at = size
    while at > 0:
        above = (at - 1) >> 2
        if keys[above] <= key:
            break
        keys[at] = keys[above]
        nodes[at] = nodes[above]
        at = above
    keys[at] = key
    nodes[at] = node
    return size + 1


@njit(cache=True, nogil=True, inline="always")
def _pop(keys, nodes, size):
    """Remove the top of the heap; the caller has read it."""
    size -= 1
    key, node = keys[size], nodes[size]
    at = 0
    while True:
        first = 4 * at + 1
        if first >= size:
            break
        least = first
        for other in range(first + 1, min(first + 4, size)):
            if keys[other] < keys[least]:
                least = other
        if keys[least] >= key:
            break
        keys[at] = keys[least]
        nodes[at] = nodes[least]
        at = least
    keys[at] = key
    nodes[at] = node
    return size


@njit(cache=True, nogil=True)
def search(
    start, head, weight, carried_weight, seed_node, seed_cost, seed_carried, seed_owner, limit, wanted, dist, carried,
    owner, entry,
):  # fmt: skip
    """Fill `dist`, `carried`, `owner` and `entry` (CSR row of the arc by which a node was reached, -1 at a seed).

    `wanted` (n,) marks nodes the caller needs: when all of them are settled the search ends; pass an empty array to
    search everything within `limit`. The four result arrays (n,) must come in filled with UNREACHED, 0, -1, -1.
    Arrivals of nodes that were not settled are upper bounds only when the search ended early.
    """
    capacity = len(seed_node) + len(head) + 1
    keys = np.empty(capacity, np.int64)
    nodes = np.empty(capacity, np.int32)
    size = 0
    missing = 0
    for node in range(len(wanted)):
        missing += wanted[node]
    ends_early = missing > 0
    settled = np.zeros(len(start) - 1 if ends_early else 0, np.uint8)
    for i in range(len(seed_node)):
        node, cost = seed_node[i], seed_cost[i]
        if cost > limit:
            continue
        if cost < dist[node] or (cost == dist[node] and seed_owner[i] < owner[node]):
            dist[node] = cost
            carried[node] = seed_carried[i]
            owner[node] = seed_owner[i]
            size = _push(keys, nodes, size, np.int64(cost), node)
    while size > 0:
        key = keys[0]
        node = nodes[0]
        size = _pop(keys, nodes, size)
        if key != dist[node]:
            continue
        if ends_early and settled[node] == 0:
            settled[node] = 1
            if wanted[node]:
                missing -= 1
                if missing == 0:
                    break
        mine = owner[node]
        for row in range(start[node], start[node + 1]):
            arrival = key + weight[row]
            if arrival > limit:
                continue
            other = head[row]
            if arrival < dist[other] or (arrival == dist[other] and mine < owner[other]):
                if size >= capacity:  # only after many ties were broken anew
                    keys = np.concatenate((keys, np.empty(capacity, np.int64)))
                    nodes = np.concatenate((nodes, np.empty(capacity, np.int32)))
                    capacity *= 2
                dist[other] = arrival
                carried[other] = carried[node] + carried_weight[row]
                owner[other] = mine
                entry[other] = row
                size = _push(keys, nodes, size, arrival, other)


@njit(cache=True, nogil=True)
def rows_to_targets(
    start, head, weight, carried_weight, seed_start, seed_node, seed_cost, seed_carried, source_link, source_fraction,
    target_link, target_fraction, link_from, link_to, up, down, carried_up, carried_down, limit, cost, carried_cost,
):  # fmt: skip
    """Fill the rows `cost` and `carried_cost` (sources, targets): one search per source, ended when all targets settle.

    Seeds of source s are rows `seed_start[s]` to `seed_start[s + 1]`; a target lies on `target_link` at a fraction of
    it, entered from either end at the link costs `up` and `down` (negative where barred). Trips along one link without
    leaving it are included. Unreached pairs stay UNREACHED.
    """
    n = len(start) - 1
    wanted = np.zeros(n, np.uint8)
    for t in range(len(target_link)):
        link = target_link[t]
        if up[link] >= 0:
            wanted[link_from[link]] = 1
        if down[link] >= 0:
            wanted[link_to[link]] = 1
    dist = np.empty(n, np.int32)
    carried = np.empty(n, np.int64)
    owner = np.empty(n, np.int32)
    entry = np.empty(n, np.int32)
    no_owner = np.zeros(len(seed_node), np.int32)
    for s in range(len(seed_start) - 1):
        dist[:] = UNREACHED
        carried[:] = 0
        owner[:] = -1
        entry[:] = -1
        a, b = seed_start[s], seed_start[s + 1]
        search(
            start, head, weight, carried_weight, seed_node[a:b], seed_cost[a:b], seed_carried[a:b], no_owner[a:b],
            limit, wanted, dist, carried, owner, entry,
        )  # fmt: skip
        for t in range(len(target_link)):
            link, g = target_link[t], target_fraction[t]
            best, best_carried = np.int64(UNREACHED), np.int64(0)
            if source_link[s] == link:
                f = source_fraction[s]
                if g >= f and up[link] >= 0:
                    best, best_carried = (
                        np.int64(np.rint((g - f) * up[link])),
                        np.int64(np.rint((g - f) * carried_up[link])),
                    )
                if g <= f and down[link] >= 0:
                    direct = np.int64(np.rint((f - g) * down[link]))
                    if direct < best:
                        best, best_carried = direct, np.int64(np.rint((f - g) * carried_down[link]))
            tail, tip = link_from[link], link_to[link]
            if up[link] >= 0 and dist[tail] != UNREACHED:
                arrival = dist[tail] + np.int64(np.rint(g * up[link]))
                if arrival < best:
                    best, best_carried = arrival, carried[tail] + np.int64(np.rint(g * carried_up[link]))
            if down[link] >= 0 and dist[tip] != UNREACHED:
                arrival = dist[tip] + np.int64(np.rint((1.0 - g) * down[link]))
                if arrival < best:
                    best, best_carried = arrival, carried[tip] + np.int64(np.rint((1.0 - g) * carried_down[link]))
            if best <= limit:
                cost[s, t] = best
                carried_cost[s, t] = best_carried


Searched = tuple[NDArray[np.int32], NDArray[np.int64], NDArray[np.int32], NDArray[np.int32]]
"""Arrival, carried cost, owner and entry row of each node."""
