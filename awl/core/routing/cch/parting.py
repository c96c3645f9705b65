"""The least number of nodes whose removal parts two sets of nodes: maximum flow through nodes of capacity one.

Each node is two states, one in which a path comes to it and one in which it goes on from it; a path that comes to a node in use
may only send the path that uses it another way. By Menger's theorem as many paths share no node as nodes have to be removed.
Source: E. A. Dinic, *Algorithm for solution of a problem of maximum flow in networks with power estimation*, Soviet Math. Doklady
11 (1970).
"""

from __future__ import annotations

import numpy as np
from numba import njit

INNER, FIRST, LAST = 0, 1, 2
"""What a node is to a flow: one it passes, one it comes from, one it goes to."""
PARTING = 2
"""The third side: nodes that part the sides 0 and 1."""
SPENT = -2
"""The level of a state that leads nowhere any more in this round."""


@njit(cache=True, nogil=True)
def least_parting(start, head, kind, before, behind, most, token):
    """Sides of the nodes (n,): 0 with the first, 1 with the last, 2 for those that part them; and how many these are.

    Of the two least partings that a flow tells, the one next to the first nodes and the one next to the last, it is that whose
    sides are more alike. The first and last nodes may belong to it.

    Parameters:
        start: where the neighbours (n + 1,) of each node begin in `head`.
        head: neighbours (e,), each pair both ways.
        kind: which nodes (n,) are the first and the last.
        before: nodes elsewhere that go with the first.
        behind: nodes elsewhere that go with the last.
        most: a parting of more nodes is not looked for.
        token: cancel token (3,).

    Returns:
        Sides and count; the count is -1 above `most` or where it was stopped.
    """
    n = len(start) - 1
    side = np.zeros(n, np.int8)
    source, sink = _bordering(start, head, kind, FIRST), _bordering(start, head, kind, LAST)
    in_use, previous = np.zeros(n, np.uint8), np.full(n, -1, np.int32)
    level, queue = np.empty(2 * n, np.int32), np.empty(2 * n, np.int32)
    cursor, path = np.empty(n, np.int64), np.empty(2 * n + 1, np.int32)
    flow = 0
    while _levelled(start, head, kind, source, in_use, previous, level, queue):
        cursor[:] = start[:-1]
        for node in source:
            if token[0] != 0:
                return side, -1
            if in_use[node] == 0 and _lead(start, head, kind, 2 * node, in_use, previous, level, cursor, path):
                flow += 1
                if flow > most:
                    return side, -1
    leads = _leading(start, head, sink, in_use, previous, queue)
    near, far = before, behind
    for v in range(n):
        near += level[2 * v + 1] >= 0 or (kind[v] == FIRST and level[2 * v] < 0)
        far += leads[2 * v] or (kind[v] == LAST and not leads[2 * v + 1])
    total = n - flow + before + behind
    by_the_first = abs(2 * near - total) <= abs(2 * far - total)
    for v in range(n):
        if by_the_first:
            inside = level[2 * v + 1] >= 0 or (kind[v] == FIRST and level[2 * v] < 0)
            side[v] = 0 if inside else PARTING if level[2 * v] >= 0 else 1
        else:
            inside = leads[2 * v] or (kind[v] == LAST and not leads[2 * v + 1])
            side[v] = 1 if inside else PARTING if leads[2 * v + 1] else 0
    return side, flow


@njit(cache=True, nogil=True)
def _bordering(start, head, kind, which):
    """The nodes of a kind with a neighbour of another: a path needs no others of the kind."""
    nodes, count = np.empty(len(kind), np.int32), 0
    for v in range(len(kind)):
        if kind[v] != which:
            continue
        for e in range(start[v], start[v + 1]):
            if kind[head[e]] != which:
                nodes[count] = v
                count += 1
                break
    return nodes[:count].copy()


@njit(cache=True, nogil=True)
def _levelled(start, head, kind, source, in_use, previous, level, queue):
    """Write how many moves each state is from the sources; whether a last node can be come to."""
    level[:] = -1
    size, done, is_reached = 0, 0, False
    for node in source:
        level[2 * node] = 0
        queue[size] = 2 * node
        size += 1
    while done < size and not is_reached:
        at = queue[done]
        v = at >> 1
        done += 1
        if at & 1 == 0:
            to = at + 1
            if in_use[v]:
                if previous[v] < 0:
                    continue
                to = 2 * previous[v] + 1
            if level[to] < 0:
                level[to] = level[at] + 1
                queue[size] = to
                size += 1
                is_reached = kind[to >> 1] == LAST
        else:
            if in_use[v] and level[at - 1] < 0:
                level[at - 1] = level[at] + 1
                queue[size] = at - 1
                size += 1
            for e in range(start[v], start[v + 1]):
                to = 2 * head[e]
                if level[to] < 0 and kind[head[e]] != FIRST:
                    level[to] = level[at] + 1
                    queue[size] = to
                    size += 1
    return is_reached


@njit(cache=True, nogil=True)
def _lead(start, head, kind, root, in_use, previous, level, cursor, path):
    """Lead one more path from a source along ascending levels to a last node; whether there is one."""
    depth, at = 0, root
    path[0] = root
    while not (at & 1 and kind[at >> 1] == LAST):
        v, to = at >> 1, -1
        if at & 1 == 0:
            if in_use[v] == 0:
                to = at + 1
            elif previous[v] >= 0:
                to = 2 * previous[v] + 1
            if to >= 0 and level[to] != level[at] + 1:
                to = -1
        elif in_use[v] and level[at - 1] == level[at] + 1:
            to = at - 1
        else:
            while cursor[v] < start[v + 1]:
                if level[2 * head[cursor[v]]] == level[at] + 1:
                    to = 2 * head[cursor[v]]
                    break
                cursor[v] += 1
        if to < 0:  # a dead end: one step back, and never here again in this round
            level[at] = SPENT
            if depth == 0:
                return False
            depth -= 1
            at = path[depth]
            continue
        depth += 1
        path[depth] = to
        at = to
    previous[root >> 1] = -1
    for d in range(depth):
        here, there = path[d] >> 1, path[d + 1] >> 1
        if here == there:
            in_use[here] = path[d] & 1 == 0
        elif path[d] & 1:
            previous[there] = here
    for d in range(depth + 1):
        level[path[d]] = SPENT
    return True


@njit(cache=True, nogil=True)
def _leading(start, head, sink, in_use, previous, queue):
    """The states (2n,) from which a last node could still be come to."""
    n = len(start) - 1
    leads, following = np.zeros(2 * n, np.uint8), np.full(n, -1, np.int32)
    for v in range(n):
        if in_use[v] and previous[v] >= 0:
            following[previous[v]] = v
    size, done = 0, 0
    for node in sink:
        leads[2 * node + 1] = 1
        queue[size] = 2 * node + 1
        size += 1
    while done < size:
        at = queue[done]
        v = at >> 1
        done += 1
        if at & 1:
            came = at - 1 if in_use[v] == 0 else 2 * following[v]
            if came >= 0 and not leads[came]:
                leads[came] = 1
                queue[size] = came
                size += 1
            continue
        if in_use[v] and not leads[at + 1]:
            leads[at + 1] = 1
            queue[size] = at + 1
            size += 1
        for e in range(start[v], start[v + 1]):
            came = 2 * head[e] + 1
            if not leads[came]:
                leads[came] = 1
                queue[size] = came
                size += 1
    return leads
