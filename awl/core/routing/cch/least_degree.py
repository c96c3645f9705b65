"""Small regions in an order of least degree: each time the node with the fewest neighbours goes, and joins them.

Source: W. F. Tinney, J. W. Walker, *Direct solutions of sparse network equations by optimally ordered triangular factorization*,
Proc. IEEE 55 (1967).
"""

from __future__ import annotations

import numpy as np
from numba import njit

WORD = 64
"""Bits of a number."""


@njit(cache=True, nogil=True)
def order_by_degree(start, head, place, order, a, b):
    """Bring the rows `a` to `b` of `order` into the order in which their nodes go.

    Nodes around the region, which all go later, count as neighbours.

    Parameters:
        start: where the neighbours (n + 1,) of each node begin in `head`.
        head: neighbours (e,), each pair both ways.
        place: where each node (n,) stands in the order; is put right.
        order: nodes (n,); those of the region are put in order.
        a: the first row.
        b: the row before which they end.
    """
    size = b - a
    nodes = order[a:b].copy()
    around = np.empty(64, np.int32)
    outside = 0
    for i in range(size):
        for e in range(start[nodes[i]], start[nodes[i] + 1]):
            if place[head[e]] >= b:
                known = False
                for k in range(outside):
                    known = known or around[k] == head[e]
                if not known:
                    if outside == len(around):
                        around = np.concatenate((around, around))
                    around[outside] = head[e]
                    outside += 1
    words = (size + outside + WORD - 1) // WORD
    joined = np.zeros((size, words), np.uint64)  # a bit for each neighbour; nodes around need no row, for they stay
    unit = np.uint64(1)
    for i in range(size):
        for e in range(start[nodes[i]], start[nodes[i] + 1]):
            at = place[head[e]] - a
            if at >= size:
                at = size
                while around[at - size] != head[e]:
                    at += 1
            if at >= 0:
                joined[i, at // WORD] |= unit << np.uint64(at % WORD)
    degree = np.empty(size, np.int64)
    for i in range(size):
        degree[i] = _bits(joined[i])
    for turn in range(size):
        least = -1
        for i in range(size):
            if degree[i] >= 0 and (least < 0 or degree[i] < degree[least]):
                least = i
        order[a + turn] = nodes[least]
        degree[least] = -1
        for i in range(size):
            if degree[i] >= 0 and joined[least, i // WORD] >> np.uint64(i % WORD) & unit:
                joined[i] |= joined[least]
                joined[i, least // WORD] &= ~(unit << np.uint64(least % WORD))
                joined[i, i // WORD] &= ~(unit << np.uint64(i % WORD))
                degree[i] = _bits(joined[i])
    for i in range(size):
        place[order[a + i]] = a + i


@njit(cache=True, nogil=True)
def _bits(words):
    """How many bits are set."""
    total = np.uint64(0)
    for word in words:
        word -= (word >> np.uint64(1)) & np.uint64(0x5555555555555555)
        word = (word & np.uint64(0x3333333333333333)) + ((word >> np.uint64(2)) & np.uint64(0x3333333333333333))
        word = (word + (word >> np.uint64(4))) & np.uint64(0x0F0F0F0F0F0F0F0F)
        total += (word * np.uint64(0x0101010101010101)) >> np.uint64(56)
    return np.int64(total)
