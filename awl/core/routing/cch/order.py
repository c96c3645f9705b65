"""An order of nodes in which a network falls apart again and again: nested dissection by inertial flow.

Nodes that lie in no cycle come first, from the tips inwards, then those between two others; what is left is parted by the fewest
nodes between the outermost quarters along some direction (`parting.py`; large regions are cut between clusters before,
`clusters.py`), each half likewise, and the nodes that part it come last. Sources: A. George, *Nested dissection of a regular
finite element mesh*, SIAM J. Numer. Anal. 10 (1973); A. Schild, C. Sommer, *On balanced separators in road networks*, SEA 2015.
"""

from __future__ import annotations

from concurrent.futures import FIRST_COMPLETED, wait

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.progress import Progress, current_token, raise_if_cancelled, threads_of
from awl.core.routing.cch.halving import parted
from awl.core.routing.cch.least_degree import order_by_degree

Ints = NDArray[np.int32]
LEAF = 64
"""Regions of at most so many nodes are ordered by least degree."""
FEW, SHARES = 4000, 32
"""Regions of at most so many nodes, or of that share of all, are taken apart by one thread to the end."""
MANY_NEIGHBOURS = 64
"""Above so many, the neighbours of a node are sorted as a whole: one by one takes their square."""


def neighbours(count: int, a: NDArray[np.integer], b: NDArray[np.integer]) -> tuple[NDArray[np.int64], Ints]:
    """CSR of an undirected graph of `count` nodes without loops, each pair once both ways.

    Parameters:
        count: how many nodes there are.
        a: nodes (q,) at one end of the edges.
        b: nodes (q,) at the other end.
    """
    return _rows(count, a, b)


@njit(cache=True, nogil=True)
def _rows(count, a, b):
    """As `neighbours`."""
    start = np.zeros(count + 1, np.int64)
    for i in range(len(a)):
        if a[i] != b[i]:
            start[a[i] + 1] += 1
            start[b[i] + 1] += 1
    for i in range(count):
        start[i + 1] += start[i]
    head, fill = np.empty(start[count], np.int32), start[:-1].copy()
    for i in range(len(a)):
        if a[i] != b[i]:
            head[fill[a[i]]], head[fill[b[i]]] = b[i], a[i]
            fill[a[i]] += 1
            fill[b[i]] += 1
    size = 0
    for i in range(count):
        begin, end = start[i], start[i + 1]
        start[i] = size
        if end - begin > MANY_NEIGHBOURS:
            head[begin:end].sort()
        for e in range(begin, end):  # each into its place among those before
            j, at = head[e], size
            while at > start[i] and head[at - 1] > j:
                at -= 1
            if at > start[i] and head[at - 1] == j:
                continue
            for f in range(size, at, -1):
                head[f] = head[f - 1]
            head[at] = j
            size += 1
    start[count] = size
    return start, head[:size].copy()


def dissection(
    count: int,
    a: NDArray[np.integer],
    b: NDArray[np.integer],
    x: NDArray[np.float64],
    y: NDArray[np.float64],
    progress: Progress | None = None,
) -> Ints:
    """Nodes (n,) in the order of their elimination, for a graph with edges `a`-`b` and nodes at `x`, `y` in metres.

    Parameters:
        count: how many nodes there are.
        a: nodes (q,) at one end of the edges.
        b: nodes (q,) at the other end.
        x: metres (k,) to the east in the plane.
        y: metres (k,) to the north in the plane.
        progress: is told how far the work is, and stops it.
    """
    start, head = neighbours(count, a, b)
    first, one, two = _without_chains(start, head)
    stays = np.ones(count, bool)
    stays[first] = False
    left = np.flatnonzero(stays).astype(np.int32)
    place = np.cumsum(stays, dtype=np.int32) - 1
    both_stay = stays[one] & stays[two]
    core_start, core_head = neighbours(max(len(left), 1), place[one[both_stay]], place[two[both_stay]])
    progress = progress or Progress()
    order = _in_threads(core_start, core_head, x[left], y[left], progress) if len(left) else np.zeros(0, np.int32)
    return np.concatenate([first, left[order]]).astype(np.int32)


@njit(cache=True, nogil=True)
def _without_chains(start, head):
    """Nodes of degree one, from the tips inwards, then those of degree two; and the edges of what is left."""
    n = len(start) - 1
    degree = np.empty(n, np.int32)
    gone = np.zeros(n, np.uint8)
    first = np.empty(n, np.int32)
    count = 0
    for i in range(n):
        degree[i] = start[i + 1] - start[i]
        if degree[i] <= 1:
            gone[i] = 1
            first[count] = i
            count += 1
    done = 0
    while done < count:
        for e in range(start[first[done]], start[first[done] + 1]):
            j = head[e]
            if gone[j] == 0:
                degree[j] -= 1
                if degree[j] <= 1:
                    gone[j] = 1
                    first[count] = j
                    count += 1
        done += 1
    # Chains between two nodes that stay: their inner nodes go, and an edge joins the ends.
    size = 0
    one, two = np.empty(len(head), np.int32), np.empty(len(head), np.int32)
    for i in range(n):
        if gone[i] or degree[i] <= 2:
            continue
        for e in range(start[i], start[i + 1]):
            before, at = i, head[e]
            if gone[at] == 1:
                continue
            while degree[at] == 2:
                if gone[at] == 0:
                    gone[at] = 2
                    first[count] = at
                    count += 1
                onward = -1
                for f in range(start[at], start[at + 1]):
                    if gone[head[f]] != 1 and head[f] != before:
                        onward = head[f]
                if onward < 0:
                    break
                before, at = at, onward
            if degree[at] > 2:
                one[size], two[size] = i, at
                size += 1
    # A ring of nodes of degree two alone stays as it is.
    for i in range(n):
        if gone[i] == 0 and degree[i] == 2:
            for e in range(start[i], start[i + 1]):
                if gone[head[e]] == 0 and i < head[e]:
                    one[size], two[size] = i, head[e]
                    size += 1
    return first[:count].copy(), one[:size].copy(), two[:size].copy()


def _in_threads(
    start: NDArray[np.int64], head: Ints, x: NDArray[np.float64], y: NDArray[np.float64], progress: Progress
) -> Ints:
    """The order of elimination; regions that were cut apart are worked on at the same time, whichever comes first.

    A region looks only at where its own nodes stand, and at which nodes stand behind it, so that the order does not depend on
    which thread was quicker.
    """
    n, placed = len(start) - 1, 0
    order, place = np.arange(n, dtype=np.int32), np.arange(n, dtype=np.int64)
    few, token = max(FEW, n // SHARES), current_token()

    def work(a: int, b: int) -> tuple[int, list[tuple[int, int]]]:
        """How many nodes have found their place, and the regions that are left."""
        if b - a <= few:
            _dissect(start, head, x, y, order, place, a, b, token)
            return b - a, []
        one, two = _cut(start, head, x, y, order, place, a, b, token)
        return b - two, [(a, one), (one, two)]

    with threads_of(None) as pool:
        pending = {pool.submit(work, 0, n)}
        while pending:
            done, pending = wait(pending, return_when=FIRST_COMPLETED)
            for size, regions in (one.result() for one in done):
                placed += size
                pending |= {pool.submit(work, a, b) for a, b in regions}
            raise_if_cancelled()
            progress.step(placed / n, "finding the order of streets")
    return order


@njit(cache=True, nogil=True)
def _dissect(start, head, x, y, order, place, a, b, token):
    """Bring the rows `a` to `b` of `order` into the order of elimination; `place` is where each node stands in it."""
    begins, ends = np.empty(4096, np.int64), np.empty(4096, np.int64)
    begins[0], ends[0] = a, b
    pending = 1
    while pending > 0 and token[0] == 0:
        pending -= 1
        a, b = begins[pending], ends[pending]
        if b - a <= LEAF:
            order_by_degree(start, head, place, order, a, b)
            continue
        one, two = _cut(start, head, x, y, order, place, a, b, token)
        for begin, end in ((a, one), (one, two)):
            if end > begin:
                begins[pending], ends[pending] = begin, end
                pending += 1


@njit(cache=True, nogil=True)
def _cut(start, head, x, y, order, place, a, b, token):
    """Cut a region in two: its halves stand first, up to the two rows given back, and the nodes that part them last."""
    size = b - a
    inner, size_near = np.zeros(size + 1, np.int64), 0
    for i in range(size):
        size_near += start[order[a + i] + 1] - start[order[a + i]]
    near, count = np.empty(size_near, np.int32), 0
    for i in range(size):
        for e in range(start[order[a + i]], start[order[a + i] + 1]):
            if a <= place[head[e]] < b:
                near[count] = place[head[e]] - a
                count += 1
        inner[i + 1] = count
    side = parted(inner, near[:count], x[order[a:b]], y[order[a:b]], token)
    nodes = order[a:b].copy()
    ends = np.empty(3, np.int64)
    at = a
    for kind in range(3):
        for i in range(size):
            if side[i] == kind:
                order[at] = nodes[i]
                at += 1
        ends[kind] = at
    for i in range(a, b):
        place[order[i]] = i
    return ends[0], ends[1]
