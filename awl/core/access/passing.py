"""From each place to all others within a radius and back again, compiled: how far they are, and what the trips to them pass."""

from __future__ import annotations

from heapq import heappop, heappush

import numpy as np
from numba import njit

NEVER = np.int32(2**31 - 1)


@njit(cache=True, nogil=True)
def _settle(rows, seeds, first, last, own, within, label, ways, far, nth, order):
    """Best costs `label` up to `within`, the number of best `ways` to each state, and what the shortest of them carries.

    States are put into `order` as they settle; `nth` is where each stands in it. Returns how many they are. `own`: the state of a
    place at a node, and the arc of its own link by which a seed has left it.
    """
    start, head, weight, carried, arc_of = rows[:5]
    seed_state, seed_cost, seed_far = seeds[1:4]
    heap = [np.int64(0)]
    heap.pop()
    for i in range(first, last):
        _come(seed_state[i], seed_cost[i], seed_far[i], 1.0, within, label, ways, far, nth, heap)
    size = 0
    while len(heap) > 0:
        key = heappop(heap)
        state, cost = np.int32(key & 0xFFFFFFFF), np.int32(key >> 32)
        if nth[state] >= 0 or cost != label[state]:
            continue
        nth[state] = size
        order[size] = state
        size += 1
        for row in range(start[state], start[state + 1]):
            if state == own[0] and arc_of[row] == own[1]:
                continue
            over = np.int64(cost) + weight[row]
            _come(head[row], over, far[state] + carried[row], ways[state], within, label, ways, far, nth, heap)
    return size


@njit(cache=True, nogil=True)
def _come(state, cost, distance, more, within, label, ways, far, nth, heap):
    """A state is come to at a cost in so many ways."""
    if cost > within or cost > label[state]:
        return
    if cost < label[state]:
        label[state], ways[state], far[state] = cost, more, distance
        heappush(heap, (np.int64(cost) << 32) | np.int64(state))
    elif nth[state] < 0:  # a way of no length back to a state that is settled leads round in a circle
        ways[state] += more
        far[state] = min(far[state], distance)


@njit(cache=True, nogil=True)
def _between(on_links, fraction, link, one, two, amount, passing, on_link):
    """Trips along one link from fraction `one` to `two`: counted at the places between, and on the link by the share of it."""
    link_start, places = on_links
    low, high = min(one, two), max(one, two)
    on_link[link] += amount * (high - low)
    for i in range(link_start[link], link_start[link + 1]):
        if low < fraction[places[i]] < high:
            passing[places[i]] += amount


@njit(cache=True, nogil=True)
def _found(k, cost, more, distance, best, ways_to, far_to, touched, size):
    """A place is come to at a cost in so many ways; how many places were touched by now."""
    if cost > best[k]:
        return size
    if cost < best[k]:
        if best[k] == NEVER:
            touched[size] = k
            size += 1
        best[k], ways_to[k], far_to[k] = cost, more, distance
    else:
        ways_to[k] += more
        far_to[k] = min(far_to[k], distance)
    return size


@njit(cache=True, nogil=True)
def _along(j, k, places, arc_cost):
    """Cost from one place to another on the same link without leaving it, and the arc; `NEVER` where it is barred."""
    link, fraction = places[0], places[1]
    arc = 2 * link[j] + (1 if fraction[k] < fraction[j] else 0)
    share = abs(fraction[k] - fraction[j])
    if share == 0.0:
        return np.int64(0), arc
    return np.int64(np.rint(share * arc_cost[arc])) if arc_cost[arc] >= 0 else np.int64(NEVER), arc


@njit(cache=True, nogil=True)
def searched_and_passed(sources, rows, seeds, goals, places, arc_costs, on_links, settings, sums):
    """Add to the `sums` what the `sources`, rows of the places (k,), give.

    `rows`: offsets, heads, costs, carried costs and arcs of the steps, and the node of each state. `seeds`: offsets by place,
    states, costs, carried costs, arcs. `goals`: offsets by state, places, costs, carried costs, arcs. `places`: link, fraction,
    node (-1 between nodes), x, y in metres, weight, the state of one at a node and the arc of its own link that leaves there.
    `arc_costs`: cost and carried cost of each arc. `on_links`: places by link and fraction. `settings`: radius without
    overhead, overhead, decay per thousandth, thousandths in a unit, whether costs are distances. `sums`: reached, cost,
    gravity, straight and passing of places, on arcs, at nodes, on parts of links.
    """
    start, head, weight, _, arc_of, node_of = rows
    goal_start, goal_place, goal_cost, goal_far, goal_arc = goals
    link, fraction, node, x, y, worth, own_state, own_arc = places
    within, overhead, beta, unit, is_distance = settings
    reached, cost_sum, gravity, straight, passing, on_arc, at_node, on_link = sums
    states, count = len(node_of), len(link)
    label, nth = np.full(states, NEVER), np.full(states, -1, np.int32)
    ways, far, order = np.zeros(states), np.zeros(states, np.int64), np.empty(states, np.int32)
    onward, ending = np.zeros(states), np.zeros(states)
    best, touched = np.full(count, NEVER), np.empty(count, np.int32)
    ways_to, far_to, along = np.zeros(count), np.zeros(count, np.int64), np.zeros(count, np.bool_)
    for j in sources:
        first, last = seeds[0][j], seeds[0][j + 1]
        if link[j] < 0:
            continue
        settled = _settle(rows, seeds, first, last, (own_state[j], own_arc[j]), within, label, ways, far, nth, order)
        size = 0
        for i in range(settled):
            u = order[i]
            for g in range(goal_start[u], goal_start[u + 1]):
                cost = np.int64(label[u]) + goal_cost[g]
                if goal_place[g] != j and cost <= within:
                    size = _found(
                        goal_place[g], cost, ways[u], far[u] + goal_far[g], best, ways_to, far_to, touched, size
                    )
        beside = range(on_links[0][link[j]], on_links[0][link[j] + 1])
        for i in beside:
            k = on_links[1][i]
            cost, arc = _along(j, k, places, arc_costs[0])
            # From or to a node this way was found before, unless the node costs time that whoever begins behind it does not lose.
            known = (node[j] >= 0 or node[k] >= 0) and cost == best[k]
            if k != j and cost <= min(within, best[k]) and not known:
                distance = np.int64(np.rint(abs(fraction[k] - fraction[j]) * arc_costs[1][arc]))
                size = _found(k, cost, 1.0, distance, best, ways_to, far_to, touched, size)
                along[k] = True
        for i in range(size):
            k = touched[i]
            whole = best[k] + overhead
            crow, metres = np.hypot(x[k] - x[j], y[k] - y[j]), (best[k] if is_distance else far_to[k]) / 1000.0
            reached[j] += worth[k]
            cost_sum[j] += worth[k] * whole / unit
            gravity[j] += worth[k] * np.exp(-beta * whole)
            straight[j] += worth[k] * (min(crow / metres, 1.0) if metres > 0 else 1.0)
        # The last bits of the ways first, then back through the states in the opposite order.
        for i in beside:
            k = on_links[1][i]
            if along[k]:
                along[k] = False
                _between(on_links, fraction, link[j], fraction[j], fraction[k], worth[k] / ways_to[k], passing, on_link)
        for i in range(settled):
            u = order[i]
            for g in range(goal_start[u], goal_start[u + 1]):
                k = goal_place[g]
                if k == j or np.int64(label[u]) + goal_cost[g] != best[k] or best[k] == NEVER:
                    continue
                amount = worth[k] * ways[u] / ways_to[k]
                if node[k] >= 0:
                    ending[u] += amount
                else:
                    onward[u] += amount
                    _between(on_links, fraction, link[k], goal_arc[g] & 1, fraction[k], amount, passing, on_link)
        for i in range(settled - 1, -1, -1):
            u = order[i]
            for row in range(start[u], start[u + 1]):
                v = head[row]
                own = u == own_state[j] and arc_of[row] == own_arc[j]
                if nth[v] > i and np.int64(label[u]) + weight[row] == label[v] and not own:
                    amount = ways[u] / ways[v] * (onward[v] + ending[v])
                    onward[u] += amount
                    on_arc[arc_of[row]] += amount
            if node[j] != node_of[u]:
                at_node[node_of[u]] += onward[u]
        for i in range(first, last):
            u = seeds[1][i]
            if seeds[2][i] == label[u] and u != own_state[j]:
                amount = (onward[u] + ending[u]) / ways[u]
                _between(on_links, fraction, link[j], fraction[j], 1 - (seeds[4][i] & 1), amount, passing, on_link)
        for i in range(settled):
            u = order[i]
            label[u], nth[u], ways[u], onward[u], ending[u] = NEVER, -1, 0.0, 0.0, 0.0
        for i in range(size):
            best[touched[i]] = NEVER
