"""Dijkstra's algorithm on CSR arrays with a 4-ary heap, compiled.

Source: E. W. Dijkstra, *A note on two problems in connexion with graphs*, Numer. Math. 1 (1959); lazy deletion.
Costs are int32 (milliseconds or millimetres); arrivals above `limit` are never stored, so no sum can overflow.
A search has many terminals (node, cost, owner). A node's label is one int64 that holds cost and owner, cost first: the least
label is the least cost and, between equal costs, the lowest owner, whatever the order of the terminals.
Complexity O(arcs log nodes) for what lies within the limit.
The kernels hold no global state and release the interpreter lock: threads may share the arrays.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from awl.core.kernels import njit_no_refcount, stopped
from awl.core.routing.dijkstra.kernel_arguments import SearchLabels, SourceStates

UNREACHED = np.int32(2**31 - 1)
NO_LIMIT = np.int32(2**31 - 2)
OWNER_BITS = 31
OWNER_MASK = (1 << OWNER_BITS) - 1
NO_LABEL = np.int64(2**63 - 1)


@njit(cache=True, nogil=True)
def search(steps, sources, limit, wanted, labels, token):
    """Fill labels, accumulated costs and entries (CSR row of the arc by which a state was reached, -1 at a seed).

    When all states that are `wanted` are settled the search ends, and labels of states not yet settled are upper bounds only.
    When the work of which `token` is was stopped it ends, with labels that say nothing.

    Labels never fall along an arc, so each state is settled once and each arc relaxed once: the heap holds at most one
    entry per arc and seed. It is written out here, not called, because that halves the time.

    Parameters:
        steps: the steps (`Steps`).
        sources: where the search begins (`SourceStates`).
        limit: the highest cost that counts.
        wanted: mask (s,) of the states that must be settled; empty for all within the limit.
        labels: what is filled (`SearchLabels`).
        token: cancel token (3,): whether to stop, how much is done, how much there is to do.
    """
    start, head, weight, far = steps.start, steps.head, steps.cost, steps.far
    label, accumulated, entry = labels.label, labels.far, labels.entry
    keys = np.empty(len(sources.state) + len(head) + 1, np.int64)
    nodes = np.empty(len(keys), np.int32)
    size = 0
    missing = 0
    for node in range(len(wanted)):
        missing += wanted[node]
    ends_early = missing > 0
    carries, enters = len(accumulated) > 0, len(entry) > 0
    highest = (np.int64(limit) << OWNER_BITS) | OWNER_MASK
    for i in range(len(sources.state)):
        key = (np.int64(sources.cost[i]) << OWNER_BITS) | np.int64(sources.owner[i])
        if key > highest or key >= label[sources.state[i]]:
            continue
        label[sources.state[i]] = key
        if carries:
            accumulated[sources.state[i]] = sources.far[i]
        at = size
        size += 1
        while at > 0:
            above = (at - 1) >> 2
            if keys[above] <= key:
                break
            keys[at] = keys[above]
            nodes[at] = nodes[above]
            at = above
        keys[at] = key
        nodes[at] = sources.state[i]
    looked = 0
    while size > 0:
        looked += 1
        if looked & 4095 == 0 and token[0] != 0:
            break
        top, node = keys[0], nodes[0]
        size -= 1
        key, moved = keys[size], nodes[size]
        at = 0
        while True:
            first = 4 * at + 1
            if first >= size:
                break
            least, low = first, keys[first]
            for other in range(first + 1, first + 4 if first + 4 < size else size):
                if keys[other] < low:
                    least, low = other, keys[other]
            if low >= key:
                break
            keys[at] = low
            nodes[at] = nodes[least]
            at = least
        keys[at] = key
        nodes[at] = moved
        if top != label[node]:
            continue  # a better label was settled before
        if ends_early and wanted[node]:
            missing -= 1
            if missing == 0:
                break
        for row in range(start[node], start[node + 1]):
            reached = top + (np.int64(weight[row]) << OWNER_BITS)
            other = head[row]
            if reached >= label[other] or reached > highest:
                continue
            label[other] = reached
            if carries:
                accumulated[other] = accumulated[node] + far[row]
            if enters:
                entry[other] = row
            at = size
            size += 1
            while at > 0:
                above = (at - 1) >> 2
                if keys[above] <= reached:
                    break
                keys[at] = keys[above]
                nodes[at] = nodes[above]
                at = above
            keys[at] = reached
            nodes[at] = other


@njit(cache=True, nogil=True)
def rows_to_targets(steps, sources, targets, limit, cost, accumulated, token):
    """Fill rows of `cost` and `accumulated` (sources, targets): one search per source, ended when all targets settle.

    Goals of a target are its exit states, each with the cost from there to the target. Unreached pairs stay UNREACHED.

    Parameters:
        steps: the steps (`Steps`).
        sources: states at which searches begin, by source (`PlaceStates`).
        targets: states from which targets are reached, by target (`PlaceStates`).
        limit: the highest cost that counts.
        cost: costs (s, t), filled here.
        accumulated: accumulated costs (s, t), filled here.
        token: cancel token (3,): whether to stop, how much is done, how much there is to do.
    """
    n = len(steps.start) - 1
    wanted = np.zeros(n, np.uint8)
    for i in range(len(targets.state)):
        wanted[targets.state[i]] = 1
    labels = SearchLabels(np.empty(n, np.int64), np.empty(n, np.int64), np.empty(0, np.int32))
    label, far = labels.label, labels.far
    no_owner = np.zeros(len(sources.state), np.int32)
    for s in range(len(sources.start) - 1):
        if stopped(token, s, len(sources.start) - 1):
            return
        label[:] = NO_LABEL
        a, b = sources.start[s], sources.start[s + 1]
        begun = SourceStates(sources.state[a:b], sources.cost[a:b], sources.far[a:b], no_owner[a:b])
        search(steps, begun, limit, wanted, labels, token)
        for t in range(len(targets.start) - 1):
            best, best_far = np.int64(UNREACHED), np.int64(0)
            for i in range(targets.start[t], targets.start[t + 1]):
                state = targets.state[i]
                if label[state] != NO_LABEL:
                    arrival = (label[state] >> OWNER_BITS) + targets.cost[i]
                    if arrival < best:
                        best, best_far = arrival, far[state] + targets.far[i]
            if best <= limit:
                cost[s, t] = best
                accumulated[s, t] = best_far


@njit_no_refcount
def least_on_entering(arc, start, tail, delay_ms, delayed, label, least):
    """Labels `least` (a,) with which the arcs (a,) are entered: the least over the states from which, delays counted if wanted.

    States from which arc i is entered are `tail[start[i]:start[i + 1]]`.

    Parameters:
        arc: numbers (a,) of the arcs.
        start: offsets (a + 1,) of the states from which each arc is entered.
        tail: states from which arcs are entered.
        delay_ms: delay (r,) before each step, in ms.
        delayed: whether delays count.
        label: labels (s,) of the states.
        least: labels (a,), filled here.
    """
    far = np.uint64(NO_LABEL)  # unsigned, so that a delay can be added to it as to any other label
    of = label.view(np.uint64)
    for i in range(len(arc)):
        best = far
        for row in range(start[arc[i]], start[arc[i] + 1]):
            at = of[np.uint32(tail[row])]
            if delayed:
                at += np.uint64(delay_ms[row]) << np.uint64(OWNER_BITS)
            best = min(best, at)
        least[i] = np.int64(best)
