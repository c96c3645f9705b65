"""Cuts of large regions, found between clusters of neighbouring nodes and then moved to the least parting near them.

Nodes are matched with the neighbour they have most edges with, pairs alike with pairs, until there are few enough clusters for a
flow between them to be quick. The nodes within some steps of that cut are then parted as in a small region. Sources: G. Karypis,
V. Kumar, *A fast and high quality multilevel scheme for partitioning irregular graphs*, SIAM J. Sci. Comput. 20 (1998); P.
Sanders, C. Schulz, *Engineering multilevel graph partitioning algorithms*, ESA 2011 (flows in a corridor around a cut).
"""

from __future__ import annotations

import numpy as np
from numba import njit

from awl.core.routing.cch.parting import FIRST, INNER, LAST, least_parting

CORRIDOR = 30
"""A cut between clusters is moved by up to so many steps."""
SIDE_SHARE = 0.2
"""The share of the nodes that stays on either side of it, however it is moved."""


@njit(cache=True, nogil=True)
def joined_clusters(start, head, most):
    """Clusters of neighbouring nodes, at most about `most` of them unless no more can be joined.

    Parameters:
        start: where the neighbours (n + 1,) of each node begin in `head`.
        head: neighbours (e,), each pair both ways.
        most: how many clusters are few enough.

    Returns:
        Cluster (n,) of each node; of the clusters how many nodes (c,) they have, and as a graph `start`, `head`, `weight`, the
        neighbours of each ascending.
    """
    n = len(start) - 1
    cluster = np.arange(n).astype(np.int32)
    nodes, weight = np.ones(n, np.int32), np.ones(len(head), np.int32)
    while n > most:
        into = _matched(start, head, weight, nodes)
        count = into.max() + 1
        if count > 0.9 * n:
            break
        start, head, weight, nodes = _contracted(start, head, weight, nodes, into, count)
        for i in range(len(cluster)):
            cluster[i] = into[cluster[i]]
        n = count
    head, weight = _ascending(start, head, weight)
    return cluster, nodes, start, head, weight


@njit(cache=True, nogil=True)
def _matched(start, head, weight, nodes):
    """The number (n,) of the cluster of each, pairs of neighbours together: those with most edges for their nodes."""
    n = len(start) - 1
    into, count = np.full(n, -1, np.int32), 0
    for i in range(n):
        if into[i] >= 0:
            continue
        best, partner = -1.0, -1
        for e in range(start[i], start[i + 1]):
            j = head[e]
            if into[j] < 0 and j != i and weight[e] > best * nodes[j]:
                best, partner = weight[e] / nodes[j], j
        into[i] = count
        if partner >= 0:
            into[partner] = count
        count += 1
    return into


@njit(cache=True, nogil=True)
def _contracted(start, head, weight, nodes, into, count):
    """The graph of the clusters: edges between two are one, with their weight together."""
    n = len(start) - 1
    member, following = np.full(count, -1, np.int32), np.full(n, -1, np.int32)
    for i in range(n - 1, -1, -1):
        following[i], member[into[i]] = member[into[i]], i
    begin, near, heavy = np.zeros(count + 1, np.int64), np.empty(len(head), np.int32), np.empty(len(head), np.int32)
    total, at = np.zeros(count, np.int32), np.full(count, -1, np.int64)
    size = 0
    for c in range(count):
        first, i = size, member[c]
        while i >= 0:
            total[c] += nodes[i]
            for e in range(start[i], start[i + 1]):
                other = into[head[e]]
                if other == c:
                    continue
                if at[other] < first:
                    at[other] = size
                    near[size], heavy[size] = other, 0
                    size += 1
                heavy[at[other]] += weight[e]
            i = following[i]
        begin[c + 1] = size
    return begin, near[:size].copy(), heavy[:size].copy(), total


@njit(cache=True, nogil=True)
def _ascending(start, head, weight):
    """Neighbours and weights with those of each cluster ascending: as all pairs stand both ways, they are handed out in order."""
    fill, near, heavy = start[:-1].copy(), np.empty_like(head), np.empty_like(weight)
    for i in range(len(start) - 1):
        for e in range(start[i], start[i + 1]):
            near[fill[head[e]]], heavy[fill[head[e]]] = i, weight[e]
            fill[head[e]] += 1
    return near, heavy


@njit(cache=True, nogil=True)
def _backwards(start, head):
    """The row of the way back (e,) of each edge, where neighbours are ascending."""
    fill, back = start[:-1].copy(), np.empty(len(head), np.int64)
    for e in range(len(head)):
        back[e] = fill[head[e]]
        fill[head[e]] += 1
    return back


@njit(cache=True, nogil=True)
def least_cut(start, head, weight, kind, most, token):
    """Sides (c,) of a least cut between the first and the last clusters, 0 with the first, and its weight.

    Parameters:
        start: where the neighbours (c + 1,) of each cluster begin in `head`.
        head: neighbours (e,), each pair both ways, those of each ascending.
        weight: edges (e,) between the two.
        kind: which clusters (c,) are the first and the last.
        most: a cut of more is not looked for.
        token: cancel token (3,).

    Returns:
        Sides and weight; the weight is -1 above `most` or where it was stopped.
    """
    n = len(start) - 1
    left, back = weight.copy(), _backwards(start, head)
    level, queue, cursor = np.empty(n, np.int32), np.empty(n, np.int32), np.empty(n, np.int64)
    path = np.empty(n + 1, np.int64)
    flow = np.int64(0)
    while True:
        level[:] = -1
        size, done, is_reached = 0, 0, False
        for i in range(n):
            if kind[i] == FIRST:
                level[i] = 0
                for e in range(start[i], start[i + 1]):
                    if kind[head[e]] != FIRST:
                        queue[size] = i
                        size += 1
                        break
        firsts = size
        while done < size and not is_reached:
            i = queue[done]
            done += 1
            for e in range(start[i], start[i + 1]):
                if left[e] > 0 and level[head[e]] < 0:
                    level[head[e]] = level[i] + 1
                    queue[size] = head[e]
                    size += 1
                    is_reached = is_reached or kind[head[e]] == LAST
        if not is_reached:
            break
        cursor[:] = start[:-1]
        for first in range(firsts):
            if token[0] != 0:
                return np.zeros(n, np.int8), -1
            flow += _pushed(start, head, back, left, kind, queue[first], level, cursor, path)
            if flow > most:
                return np.zeros(n, np.int8), -1
    side = np.zeros(n, np.int8)
    for i in range(n):
        side[i] = level[i] < 0
    return side, flow


@njit(cache=True, nogil=True)
def _pushed(start, head, back, left, kind, root, level, cursor, path):
    """How much more flows from a first cluster along ascending levels."""
    flow, depth, at = np.int64(0), 0, root
    while True:
        if kind[at] == LAST:
            least = left[path[0]]
            for d in range(depth):
                least = min(least, left[path[d]])
            flow += least
            full = depth
            for d in range(depth - 1, -1, -1):
                left[path[d]] -= least
                left[back[path[d]]] += least
                if left[path[d]] == 0:
                    full = d
            depth = full
            at = head[back[path[full]]]
            continue
        moved = False
        while cursor[at] < start[at + 1]:
            e = cursor[at]
            if left[e] > 0 and level[head[e]] == level[at] + 1:
                path[depth] = e
                depth += 1
                at = head[e]
                moved = True
                break
            cursor[at] += 1
        if moved:
            continue
        if depth == 0:
            return flow
        # A dead end: take the last step back, and never that edge again.
        depth -= 1
        at = head[back[path[depth]]]
        cursor[at] += 1


@njit(cache=True, nogil=True)
def parted_near(start, head, side, token):
    """The least parting near a cut: the sides (n,) of the nodes, 0, 1, or 2 for those that part them.

    Parameters:
        start: where the neighbours (n + 1,) of each node begin in `head`.
        head: neighbours (e,), each pair both ways.
        side: 0 or 1 for each node (n,), the cut.
        token: cancel token (3,).
    """
    n = len(start) - 1
    number, corridor, steps = np.full(n, -1, np.int32), np.empty(n, np.int32), np.empty(n, np.int32)
    room, size, done = np.full(2, -np.int64(SIDE_SHARE * n)), 0, 0
    for i in range(n):
        room[side[i]] += 1
    for i in range(n):
        for e in range(start[i], start[i + 1]):
            if side[head[e]] != side[i]:
                number[i], corridor[size], steps[size] = size, i, 0
                room[side[i]] -= 1
                size += 1
                break
    while done < size:
        i = corridor[done]
        for e in range(start[i], start[i + 1]):
            j = head[e]
            if number[j] < 0 and steps[done] < CORRIDOR and room[side[j]] > 0:
                number[j], corridor[size], steps[size] = size, j, steps[done] + 1
                room[side[j]] -= 1
                size += 1
        done += 1
    begin, near, edges = np.zeros(size + 1, np.int64), np.empty(len(head), np.int32), 0
    kind, elsewhere = np.full(size, INNER, np.int8), np.zeros(2, np.int64)
    for i in range(n):
        elsewhere[side[i]] += number[i] < 0
    for c in range(size):
        i = corridor[c]
        for e in range(start[i], start[i + 1]):
            if number[head[e]] < 0:  # on the same side, or it would be in the corridor
                kind[c] = FIRST if side[i] == 0 else LAST
            else:
                near[edges] = number[head[e]]
                edges += 1
        begin[c + 1] = edges
    parted, count = least_parting(begin, near[:edges], kind, elsewhere[0], elsewhere[1], n, token)
    result = side.copy()
    if count >= 0:
        for c in range(size):
            result[corridor[c]] = parted[c]
    return result
