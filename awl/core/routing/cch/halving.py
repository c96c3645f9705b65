"""Where a region is parted into halves: between the outermost quarters along the best of some directions."""

from __future__ import annotations

import numpy as np
from numba import njit

from awl.core.routing.cch.clusters import joined_clusters, least_cut, parted_near
from awl.core.routing.cch.parting import FIRST, INNER, LAST, PARTING, least_parting

OUTER_SHARE = 0.25
DIRECTIONS = 4
MANY = 4000
"""Regions above this size are cut between clusters of their nodes first."""
NODES_EACH = 16
"""Nodes of a cluster in the mean."""


@njit(cache=True, nogil=True)
def parted(start, head, x, y, token):
    """Sides (n,) of the nodes of a region: 0, 1: its halves; 2: the nodes that part them.

    Parameters:
        start: where the neighbours (n + 1,) of each node begin in `head`.
        head: neighbours (e,), each pair both ways.
        x: metres (n,) to the east in the plane.
        y: metres (n,) to the north in the plane.
        token: cancel token (3,).
    """
    n = len(start) - 1
    if n > MANY:
        best_side = parted_near(start, head, _best_cut(start, head, x, y, token), token)
    else:
        best_side = np.zeros(n, np.int8)
        best_score, most = np.inf, n
        for direction in range(DIRECTIONS):
            kind = _outermost(_along(x, y, direction), max(int(OUTER_SHARE * n), 1))
            side, count = least_parting(start, head, kind, 0, 0, most, token)
            if count < 0:
                continue
            most = min(most, count + count // 4)
            score = _score(side, np.ones(n, np.int32), count)
            if score < best_score:
                best_score, best_side = score, side
    if best_side.min() == best_side.max():
        # No cut was found: halve it by place, which always ends.
        rows = np.argsort(x + 1e-3 * y)
        best_side[rows[n // 2 :]] = 1
        best_side[rows[: n // 2]] = 0
        for i in range(n):
            for e in range(start[i], start[i + 1]):
                if best_side[i] == 0 and best_side[head[e]] == 1:
                    best_side[i] = PARTING
    return best_side


@njit(cache=True, nogil=True)
def _best_cut(start, head, x, y, token):
    """0, 1: the halves of a large region, cut between clusters of its nodes."""
    cluster, nodes, begin, near, weight = joined_clusters(start, head, (len(start) - 1) // NODES_EACH)
    c = len(nodes)
    at_x, at_y = np.zeros(c), np.zeros(c)
    for i in range(len(cluster)):
        at_x[cluster[i]] += x[i] / nodes[cluster[i]]
        at_y[cluster[i]] += y[i] / nodes[cluster[i]]
    best_side, best_score, most = np.zeros(c, np.int8), np.inf, np.int64(2**60)
    for direction in range(DIRECTIONS):
        kind = _outer_share(_along(at_x, at_y, direction), nodes)
        side, flow = least_cut(begin, near, weight, kind, most, token)
        if flow < 0:
            continue
        most = min(most, flow + flow // 4)
        score = _score(side, nodes, flow)
        if score < best_score:
            best_score, best_side = score, side
    return best_side[cluster]


@njit(cache=True, nogil=True)
def _along(x, y, direction):
    """How far (n,) each lies along one of four directions."""
    if direction == 0:
        return x
    if direction == 1:
        return y
    return x + y if direction == 2 else x - y


@njit(cache=True, nogil=True)
def _outer_share(along, nodes):
    """The first and the last along a direction (n,): as many as have the outer share of the nodes, at least one of each."""
    n = len(along)
    kind, rows = np.zeros(n, np.int8), np.argsort(along)
    share = OUTER_SHARE * nodes.sum()
    for which in (FIRST, LAST):
        total, i = 0, 0
        while i == 0 or (i < n and total + nodes[rows[i]] <= share):
            kind[rows[i]] = which
            total += nodes[rows[i]]
            i += 1
        rows = rows[::-1]
    return kind


@njit(cache=True, nogil=True)
def _outermost(along, count):
    """The first and the last `count` of two or more along a direction (n,)."""
    n = len(along)
    kind = np.zeros(n, np.int8)
    for which in (FIRST, LAST):
        most = np.partition(along, count - 1)[count - 1]
        chosen = 0
        for i in range(n):
            if along[i] < most and kind[i] == INNER:
                kind[i] = which
                chosen += 1
        for i in range(n):
            if along[i] == most and kind[i] == INNER and chosen < count:
                kind[i] = which
                chosen += 1
        along = -along
    return kind


@njit(cache=True, nogil=True)
def _score(side, nodes, count):
    """How many nodes or edges part two sides for each node of the smaller one."""
    parts = np.zeros(3, np.int64)
    for i in range(len(side)):
        parts[side[i]] += nodes[i]
    return (count + 0.5) / max(min(parts[0], parts[1]), 0.5)
