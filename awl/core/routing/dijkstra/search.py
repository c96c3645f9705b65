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

UNREACHED = np.int32(2**31 - 1)
NO_LIMIT = np.int32(2**31 - 2)
OWNER_BITS = 31
OWNER_MASK = (1 << OWNER_BITS) - 1
NO_LABEL = np.int64(2**63 - 1)


@njit(cache=True, nogil=True)
def search(
    start, head, weight, carried_weight, seed_node, seed_cost, seed_carried, seed_owner, limit, wanted, label, accumulated, entry,
    token,
):  # fmt: skip
    """Fill `label`, `accumulated` and `entry` (CSR row of the arc by which a node was reached, -1 at a seed).

    `label` (n,) comes in filled with NO_LABEL; `entry` (n,) with -1, or empty when not needed; `accumulated` (n,) with 0, or
    empty. `wanted` (n,) marks nodes the caller needs: when all of them are settled the search ends, and labels of nodes
    not yet settled are upper bounds only; pass an empty array to search everything within `limit`. When the work of which
    `token` is was stopped it ends, with labels that say nothing.

    Labels never fall along an arc, so each node is settled once and each arc relaxed once: the heap holds at most one
    entry per arc and seed. It is written out here, not called, because that halves the time.

    Parameters:
        start: offsets (n + 1,) of the steps that leave each state.
        head: the state (r,) that each step leads to.
        weight: costs (r,) of the steps.
        carried_weight: their accumulated costs (r,); empty where none are wanted.
        seed_node: nodes (states) at which the search begins.
        seed_cost: costs at them.
        seed_carried: accumulated costs at them.
        seed_owner: the place that each belongs to.
        limit: the highest cost that counts.
        wanted: mask (n,) of the states that must be settled; empty for all.
        label: labels (n,), filled with `NO_LABEL` before.
        accumulated: accumulated costs (n,), or empty.
        entry: row of the step by which each state was reached, filled here.
        token: cancel token (3,): whether to stop, how much is done, how much there is to do.
    """
    keys = np.empty(len(seed_node) + len(head) + 1, np.int64)
    nodes = np.empty(len(keys), np.int32)
    size = 0
    missing = 0
    for node in range(len(wanted)):
        missing += wanted[node]
    ends_early = missing > 0
    carries, enters = len(accumulated) > 0, len(entry) > 0
    highest = (np.int64(limit) << OWNER_BITS) | OWNER_MASK
    for i in range(len(seed_node)):
        key = (np.int64(seed_cost[i]) << OWNER_BITS) | np.int64(seed_owner[i])
        if key > highest or key >= label[seed_node[i]]:
            continue
        label[seed_node[i]] = key
        if carries:
            accumulated[seed_node[i]] = seed_carried[i]
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
        nodes[at] = seed_node[i]
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
                accumulated[other] = accumulated[node] + carried_weight[row]
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
def rows_to_targets(
    start, head, weight, carried_weight, seed_start, seed_state, seed_cost, seed_carried, goal_start, goal_state, goal_cost,
    goal_carried, limit, cost, carried_cost, token,
):  # fmt: skip
    """Fill the rows `cost` and `carried_cost` (sources, targets): one search per source, ended when all targets settle.

    Seeds of source s are rows `seed_start[s]` to `seed_start[s + 1]`. Goals of a target are given likewise: its exit states,
    each with the cost from there to the target. Unreached pairs stay UNREACHED.

    Parameters:
        start: offsets (n + 1,) of the steps that leave each state.
        head: the state (r,) that each step leads to.
        weight: costs (r,) of the steps.
        carried_weight: their accumulated costs (r,); empty where none are wanted.
        seed_start: offsets at which those of each source begin.
        seed_state: states at which searches begin.
        seed_cost: costs at them.
        seed_carried: accumulated costs at them.
        goal_start: offsets at which the goals of each target begin.
        goal_state: states from which targets are reached.
        goal_cost: the cost of the rest of the way.
        goal_carried: the accumulated cost of the rest of the way.
        limit: the highest cost that counts.
        cost: costs (s, t), filled here.
        carried_cost: accumulated costs (s, t), filled here.
        token: cancel token (3,): whether to stop, how much is done, how much there is to do.
    """
    n = len(start) - 1
    wanted = np.zeros(n, np.uint8)
    for i in range(len(goal_state)):
        wanted[goal_state[i]] = 1
    label = np.empty(n, np.int64)
    accumulated = np.empty(n, np.int64)
    no_entry = np.empty(0, np.int32)
    no_owner = np.zeros(len(seed_state), np.int32)
    for s in range(len(seed_start) - 1):
        if stopped(token, s, len(seed_start) - 1):
            return
        label[:] = NO_LABEL
        a, b = seed_start[s], seed_start[s + 1]
        search(
            start, head, weight, carried_weight, seed_state[a:b], seed_cost[a:b], seed_carried[a:b], no_owner[a:b],
            limit, wanted, label, accumulated, no_entry, token,
        )  # fmt: skip
        for t in range(len(goal_start) - 1):
            best, best_carried = np.int64(UNREACHED), np.int64(0)
            for i in range(goal_start[t], goal_start[t + 1]):
                state = goal_state[i]
                if label[state] != NO_LABEL:
                    arrival = (label[state] >> OWNER_BITS) + goal_cost[i]
                    if arrival < best:
                        best, best_carried = arrival, accumulated[state] + goal_carried[i]
            if best <= limit:
                cost[s, t] = best
                carried_cost[s, t] = best_carried


@njit_no_refcount
def least_on_entering(arc, start, tail, delay_ms, delayed, label, made):
    """Labels `made` (a,) with which the arcs (a,) are entered: the least over the states from which, delays counted if wanted.

    States from which arc i is entered are `tail[start[i]:start[i + 1]]`.

    Parameters:
        arc: numbers (a,) of the arcs.
        start: offsets (a + 1,) of the states from which each arc is entered.
        tail: states from which arcs are entered.
        delay_ms: delay (r,) before each step, in ms.
        delayed: whether delays count.
        label: labels (s,) of the states.
        made: labels (a,), filled here.
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
        made[i] = np.int64(best)
