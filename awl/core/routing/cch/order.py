"""An order of nodes in which a network falls apart again and again: nested dissection by inertial flow.

Nodes that lie in no cycle come first, from the tips inwards, then those between two others; what is left is cut in two by the
least cut between the outermost quarters along some direction, each half likewise, and the nodes of the cut come last. Sources:
A. George, *Nested dissection of a regular finite element mesh*, SIAM J. Numer. Anal. 10 (1973); A. Schild, C. Sommer, *On
balanced separators in road networks*, SEA 2015; maximum flow after E. A. Dinic, Soviet Math. Doklady 11 (1970).
"""

from __future__ import annotations

from concurrent.futures import FIRST_COMPLETED, wait

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.progress import Progress, current_token, raise_if_cancelled, threads_of

Ints = NDArray[np.int32]
LEAF = 40
"""Regions of at most so many nodes are ordered by least degree."""
OUTER_SHARE = 0.25
FEW, SHARES = 4000, 32
"""Regions of at most so many nodes, or of that share of all, are taken apart by one thread to the end."""
MANY = 1000
"""Regions above this size are tried in four directions, smaller ones in two."""


def neighbours(count: int, a: NDArray[np.integer], b: NDArray[np.integer]) -> tuple[NDArray[np.int64], Ints]:
    """CSR of an undirected graph of `count` nodes without loops, each pair once both ways.

    Parameters:
        count: how many nodes there are.
        a: nodes (q,) at one end of the edges.
        b: nodes (q,) at the other end.
    """
    keep = a != b
    low, high = np.minimum(a[keep], b[keep]).astype(np.int64), np.maximum(a[keep], b[keep]).astype(np.int64)
    pair = np.unique(low * count + high)
    low, high = pair // count, pair % count
    tail, head = np.concatenate([low, high]), np.concatenate([high, low])
    order = np.lexsort((head, tail))
    start = np.concatenate([[0], np.cumsum(np.bincount(tail, minlength=count))]).astype(np.int64)
    return start, head[order].astype(np.int32)


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
    left = np.setdiff1d(np.arange(count, dtype=np.int32), first)
    place = np.full(count, -1, np.int64)
    place[left] = np.arange(len(left))
    both_inside = (place[one] >= 0) & (place[two] >= 0)
    core_start, core_head = neighbours(max(len(left), 1), place[one[both_inside]], place[two[both_inside]])
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
            _by_degree(start, head, place, order, a, b)
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
    # The region as a graph of its own, with the way back of each edge.
    inner = np.zeros(size + 1, np.int64)
    for i in range(size):
        for e in range(start[order[a + i]], start[order[a + i] + 1]):
            if a <= place[head[e]] < b:
                inner[i + 1] += 1
    for i in range(size):
        inner[i + 1] += inner[i]
    near, back = np.empty(inner[size], np.int32), np.empty(inner[size], np.int64)
    fill = inner[:-1].copy()
    for i in range(size):
        for e in range(start[order[a + i]], start[order[a + i] + 1]):
            if a <= place[head[e]] < b:
                near[fill[i]] = place[head[e]] - a
                fill[i] += 1
    for i in range(size):
        for e in range(inner[i], inner[i + 1]):
            for f in range(inner[near[e]], inner[near[e] + 1]):
                if near[f] == i:
                    back[e] = f
    side = _best_cut(inner, near, back, x[order[a:b]], y[order[a:b]], token)
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


@njit(cache=True, nogil=True)
def _by_degree(start, head, place, order, a, b):
    """Order a small region by least degree: each time the node with the fewest neighbours goes, and joins them.

    Nodes around the region, which all go later, count as neighbours.
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
    total = size + outside
    joined = np.zeros((size, total), np.uint8)  # rows of nodes around are not needed: they stay
    for i in range(size):
        for e in range(start[nodes[i]], start[nodes[i] + 1]):
            at = place[head[e]]
            if a <= at < b:
                joined[i, at - a] = 1
            elif at >= b:
                for k in range(outside):
                    if around[k] == head[e]:
                        joined[i, size + k] = 1
    degree = np.zeros(size, np.int64)
    for i in range(size):
        degree[i] = joined[i].sum()
    for turn in range(size):
        least = -1
        for i in range(size):
            if degree[i] >= 0 and (least < 0 or degree[i] < degree[least]):
                least = i
        order[a + turn] = nodes[least]
        degree[least] = -1
        for i in range(size):
            if degree[i] >= 0 and joined[least, i]:
                joined[i, least] = 0
                count = 0
                for k in range(total):
                    joined[i, k] |= joined[least, k]
                    count += joined[i, k]
                if joined[i, i]:
                    joined[i, i] = 0
                    count -= 1
                degree[i] = count
    for i in range(size):
        place[order[a + i]] = a + i


@njit(cache=True, nogil=True)
def _best_cut(start, head, back, x, y, token):
    """0, 1: the halves of a region; 2: the nodes that part them."""
    n = len(start) - 1
    best_side = np.zeros(n, np.int8)
    best_score = np.inf
    least = np.int64(2**60)
    for direction in range(4 if n > MANY else 2):
        if direction == 0:
            along = x
        elif direction == 1:
            along = y
        elif direction == 2:
            along = x + y
        else:
            along = x - y
        rows = np.argsort(along)
        outer = max(int(n * OUTER_SHARE), 1)
        side, flow = _least_cut(start, head, back, rows, outer, least, token)
        if flow < 0:
            continue
        least = min(least, flow + flow // 4)
        edge = _parting(start, head, side)
        parts = np.zeros(3, np.int64)
        for i in range(n):
            parts[edge[i]] += 1
        score = (parts[2] + 0.5) / max(min(parts[0], parts[1]), 0.5)
        if score < best_score:
            best_score = score
            best_side = edge
    if best_score == np.inf or np.max(best_side) == 0:
        # No cut was found: halve it by place, which always ends.
        rows = np.argsort(x + 1e-3 * y)
        side = np.zeros(n, np.int8)
        for i in range(n // 2, n):
            side[rows[i]] = 1
        best_side = _parting(start, head, side)
    return best_side


@njit(cache=True, nogil=True)
def _parting(start, head, side):
    """Take the nodes on the side with fewer of them along a cut out as the parting."""
    n = len(start) - 1
    edge = np.zeros(n, np.uint8)
    count = np.zeros(2, np.int64)
    for i in range(n):
        for e in range(start[i], start[i + 1]):
            if side[head[e]] != side[i]:
                edge[i] = 1
        if edge[i]:
            count[side[i]] += 1
    chosen = 0 if count[0] <= count[1] else 1
    parting = np.empty(n, np.int8)
    for i in range(n):
        parting[i] = 2 if edge[i] and side[i] == chosen else side[i]
    return parting


@njit(cache=True, nogil=True)
def _least_cut(start, head, back, rows, outer, most, token):
    """Sides (0, 1) of a least cut between the first and last `outer` of `rows`, and its edges; -1 above `most` or stopped."""
    n = len(start) - 1
    kind = np.zeros(n, np.int8)
    for i in range(outer):
        kind[rows[i]] = 1
        kind[rows[n - 1 - i]] = 2
    left = np.ones(len(head), np.int8)
    level = np.empty(n, np.int32)
    queue = np.empty(n, np.int32)
    cursor = np.empty(n, np.int64)
    path = np.empty(n + 1, np.int64)
    flow = 0
    while True:
        level[:] = -1
        size = 0
        for i in range(outer):
            queue[size] = rows[i]
            level[rows[i]] = 0
            size += 1
        done, best_found = 0, False
        while done < size and not best_found:
            i = queue[done]
            done += 1
            for e in range(start[i], start[i + 1]):
                if left[e] > 0 and level[head[e]] < 0:
                    level[head[e]] = level[i] + 1
                    queue[size] = head[e]
                    size += 1
                    if kind[head[e]] == 2:
                        best_found = True
        if not best_found:
            break
        cursor[:] = start[:-1]
        for first in range(outer):
            if token[0] != 0:
                return kind, -1
            depth, at = 0, rows[first]
            while True:
                if kind[at] == 2:
                    for d in range(depth):
                        left[path[d]] -= 1
                        left[back[path[d]]] += 1
                    flow += 1
                    if flow > most:
                        return kind, -1
                    depth, at = 0, rows[first]
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
                    break
                # A dead end: take the last step back, and never that edge again.
                depth -= 1
                at = head[back[path[depth]]]
                cursor[at] += 1
    # What the first nodes still reach is one side of a least cut, what reaches the last nodes the other side of another one.
    reached = size
    reaches = np.zeros(n, np.uint8)
    count = 0
    for i in range(outer):
        queue[count] = rows[n - 1 - i]
        reaches[rows[n - 1 - i]] = 1
        count += 1
    done = 0
    while done < count:
        i = queue[done]
        done += 1
        for e in range(start[i], start[i + 1]):
            if left[back[e]] > 0 and not reaches[head[e]]:
                reaches[head[e]] = 1
                queue[count] = head[e]
                count += 1
    side = np.zeros(n, np.int8)
    for i in range(n):
        if abs(2 * reached - n) <= abs(2 * count - n):
            side[i] = 0 if level[i] >= 0 else 1
        else:
            side[i] = 1 if reaches[i] else 0
    return side, flow
