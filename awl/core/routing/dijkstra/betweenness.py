"""From each place to all others within a radius and back again, compiled: how far they are, and what the trips to them pass.

Each stage is one call for each place. Within a stage loops are written out: a call that hands on arrays costs more than they do.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from awl.core.kernels import njit_no_refcount, stopped
from awl.core.routing.dijkstra.heap import popped, pushed

NEVER = np.int32(2**31 - 1)


@njit_no_refcount
def _settle(rows, terminals, first, last, within, label, ways, far, nth, order, heap):
    """Best costs `label` up to `within`, the number of best `ways` to each state, and what the shortest of them carries.

    States are put into `order` as they settle; `nth` is where each stands in it. Returns how many they are. `heap` has room for
    all steps and terminals.
    """
    start, head, weight, accumulated = rows[:4]
    seed_state, seed_cost, seed_far = terminals[1:4]
    waiting, size = 0, 0
    for i in range(first, last):
        state, cost = seed_state[i], seed_cost[i]
        if cost > within or cost > label[state]:
            continue
        if cost == label[state]:
            ways[state] += 1.0
            far[state] = min(far[state], seed_far[i])
            continue
        label[state], ways[state], far[state] = cost, 1.0, seed_far[i]
        waiting = pushed(heap, waiting, (np.int64(cost) << 32) | state)
    while waiting > 0:
        at, here = np.int32(heap[0] & 0xFFFFFFFF), heap[0] >> 32
        waiting = popped(heap, waiting)
        if nth[at] >= 0:
            continue
        nth[at] = size
        order[size] = at
        size += 1
        for row in range(start[at], start[at + 1]):
            over, state = here + weight[row], head[row]
            if over > within or over > label[state]:
                continue
            distance = far[at] + accumulated[row]
            if over < label[state]:
                label[state], ways[state], far[state] = over, ways[at], distance
                waiting = pushed(heap, waiting, (over << 32) | state)
            elif nth[state] < 0:  # a way of no length back to a state that is settled leads round in a circle
                ways[state] += ways[at]
                far[state] = min(far[state], distance)
    return size


@njit_no_refcount
def _reach(j, settled, order, label, ways, far, within, goals, best, access_costs, far_to, touched):
    """Costs of the other places by way of the states their trips end from, likewise; how many were `touched`."""
    goal_start, goal_place, goal_cost, goal_far = goals[:4]
    size = 0
    for i in range(settled):
        u = order[i]
        for g in range(goal_start[u], goal_start[u + 1]):
            k, cost = goal_place[g], np.int64(label[u]) + goal_cost[g]
            if k == j or cost > within or cost > best[k]:
                continue
            distance = far[u] + goal_far[g]
            if cost == best[k]:
                access_costs[k] += ways[u]
                far_to[k] = min(far_to[k], distance)
                continue
            if best[k] == NEVER:
                touched[size] = k
                size += 1
            best[k], access_costs[k], far_to[k] = cost, ways[u], distance
    return size


@njit_no_refcount
def _reach_along(
    j, places, access_points, arc_costs, on_links, within, best, access_costs, far_to, along, touched, size
):
    """Costs of places on the same links without leaving them; how many were touched by now, and how many such ways there are.

    The ways are put into `along`: stand of the place, of the other, and cost; those that do not cost the least are none.
    """
    node = places[0]
    first, place, link, fraction, way, far = access_points[:6]
    listed = 0
    for s in range(first[j], first[j + 1]):
        for i in range(on_links[0][link[s]], on_links[0][link[s] + 1]):
            t = on_links[1][i]
            k = place[t]
            share = abs(fraction[t] - fraction[s])
            arc = 2 * link[s] + (1 if fraction[t] < fraction[s] else 0)
            if k == j or way[s] < 0 or way[t] < 0 or (share > 0.0 and arc_costs[0][arc] < 0):
                continue
            if node[j] >= 0 or node[k] >= 0:
                continue  # ways from and to nodes are found by searching
            cost = np.int64(np.rint(share * max(arc_costs[0][arc], 0))) + way[s] + way[t]
            if cost > within or cost > best[k]:
                continue
            along[0][listed], along[1][listed], along[2][listed] = s, t, cost
            listed += 1
            distance = np.int64(np.rint(share * max(arc_costs[1][arc], 0))) + far[s] + far[t]
            if cost == best[k]:
                access_costs[k] += 1.0
                far_to[k] = min(far_to[k], distance)
                continue
            if best[k] == NEVER:
                touched[size] = k
                size += 1
            best[k], access_costs[k], far_to[k] = cost, 1.0, distance
    return size, listed


@njit_no_refcount
def _sum_up(j, places, touched, size, best, far_to, settings, sums):
    """What the places that were touched add to the sums of the place."""
    x, y, worth = places[1:4]
    _, terminal_time, beta, unit, is_distance = settings
    reached, cost_sum, gravity, straight = sums[:4]
    for i in range(size):
        k = touched[i]
        whole = best[k] + terminal_time
        crow, metres = np.hypot(x[k] - x[j], y[k] - y[j]), (best[k] if is_distance else far_to[k]) / 1000.0
        reached[j] += worth[k]
        cost_sum[j] += worth[k] * whole / unit
        gravity[j] += worth[k] * np.exp(-beta * whole)
        straight[j] += worth[k] * (min(crow / metres, 1.0) if metres > 0 else 1.0)


@njit_no_refcount
def _hand_back(
    j,
    settled,
    order,
    nth,
    label,
    ways,
    best,
    access_costs,
    along,
    rows,
    terminals,
    goals,
    places,
    access_points,
    sums,
    work,
):
    """Trips to the places that were reached, back through the states in the opposite order: on arcs and at nodes.

    Where they pass a part of a link only, that is a piece: link, fractions, trips. Returns how many there are.
    """
    start, head, weight, _, arc_of, node_of = rows
    goal_start, goal_place, goal_cost, _, goal_arc, goal_stand = goals
    node, _, _, worth = places
    _, place, link, fraction = access_points[:4]
    on_arc, at_node = sums[5:7]
    onward, ending, piece_link, piece_ends, piece_trips, listed = work
    pieces = 0
    for i in range(listed):
        s, t = along[0][i], along[1][i]
        if along[2][i] == best[place[t]]:
            piece_link[pieces], piece_trips[pieces] = link[s], worth[place[t]] / access_costs[place[t]]
            piece_ends[pieces, 0], piece_ends[pieces, 1] = fraction[s], fraction[t]
            pieces += 1
    for i in range(settled):
        u = order[i]
        for g in range(goal_start[u], goal_start[u + 1]):
            k = goal_place[g]
            if k == j or np.int64(label[u]) + goal_cost[g] != best[k]:
                continue
            trips = worth[k] * ways[u] / access_costs[k]
            if node[k] >= 0:
                ending[u] += trips
                continue
            onward[u] += trips
            piece_link[pieces], piece_trips[pieces] = link[goal_stand[g]], trips
            piece_ends[pieces, 0], piece_ends[pieces, 1] = goal_arc[g] & 1, fraction[goal_stand[g]]
            pieces += 1
    for i in range(settled - 1, -1, -1):
        u = order[i]
        for row in range(start[u], start[u + 1]):
            v = head[row]
            if nth[v] > i and np.int64(label[u]) + weight[row] == label[v]:
                trips = ways[u] / ways[v] * (onward[v] + ending[v])
                onward[u] += trips
                on_arc[arc_of[row]] += trips
        if node[j] != node_of[u]:
            at_node[node_of[u]] += onward[u]
    for i in range(terminals[0][j], terminals[0][j + 1]):
        u = terminals[1][i]
        if terminals[2][i] == label[u] and node[j] < 0:
            s = terminals[5][i]
            piece_link[pieces], piece_trips[pieces] = link[s], (onward[u] + ending[u]) / ways[u]
            piece_ends[pieces, 0], piece_ends[pieces, 1] = fraction[s], 1 - (terminals[4][i] & 1)
            pieces += 1
    return pieces


@njit_no_refcount
def _lay_pieces(pieces, work, on_links, access_points, passing, on_link):
    """Trips over parts of links: counted at the places between that stand nearest there, and on the link by the share of it."""
    piece_link, piece_ends, piece_trips = work[2:5]
    (first, place, _, fraction), (link_start, on_link_stands) = access_points[:4], on_links
    for i in range(pieces):
        link, trips = piece_link[i], piece_trips[i]
        low, high = min(piece_ends[i, 0], piece_ends[i, 1]), max(piece_ends[i, 0], piece_ends[i, 1])
        on_link[link] += trips * (high - low)
        for row in range(link_start[link], link_start[link + 1]):
            t = on_link_stands[row]
            if low < fraction[t] < high and t == first[place[t]]:
                passing[place[t]] += trips


@njit(cache=True, nogil=True)
def searched_and_passed(
    sources, rows, terminals, goals, places, access_points, arc_costs, on_links, settings, sums, token
):
    """Add to the `sums` what the `sources`, rows of the places (k,), give.

    `rows`: offsets, heads, costs, accumulated costs and arcs of the steps, and the node of each state. `terminals`: offsets by
    place,
    states, costs, accumulated costs, arcs, access points. `goals`: offsets by state, places, costs, accumulated costs, arcs,
    access points. `places`:
    node (-1 between nodes), x, y in metres, weight. `access_points`: offsets by place, place, link, fraction, cost and
    accumulated cost of
    the way, and the most ways along links from one place. `arc_costs`: cost and accumulated cost of each arc. `on_links`:
    access points by
    link and fraction. `settings`: radius less the terminal time, the terminal time, decay per thousandth, thousandths in a unit,
    whether costs are distances. `sums`: reached, cost, gravity, straight and passing of places, on arcs, at nodes, on parts of
    links.

    Parameters:
        sources: rows (k,) of the places to search from.
        rows: which sources are searched from.
        terminals: the states where a search begins or ends, with costs.
        goals: offsets by state, places, costs, accumulated costs, arcs, access points.
        places: places put on streets (k,).
        access_points: offsets by place, place, link, fraction, cost and accumulated cost of the way, and the most ways along
            links from one place.
        arc_costs: cost and accumulated cost of each arc.
        on_links: access points by link.
        settings: the radius and which sums are wanted.
        sums: the sums, added to here.
        token: cancel token (3,): whether to stop, how much is done, how much there is to do.
    """
    states, count, within = len(rows[5]), len(places[0]), settings[0]
    label, nth = np.full(states, NEVER), np.full(states, -1, np.int32)
    ways, far, order = np.zeros(states), np.zeros(states, np.int64), np.empty(states, np.int32)
    onward, ending = np.zeros(states), np.zeros(states)
    heap = np.empty(len(rows[1]) + len(terminals[1]) + 1, np.int64)
    best, touched = np.full(count, NEVER), np.empty(count, np.int32)
    access_costs, far_to = np.zeros(count), np.zeros(count, np.int64)
    along = (
        np.empty(access_points[6], np.int32),
        np.empty(access_points[6], np.int32),
        np.empty(access_points[6], np.int64),
    )
    most = len(goals[1]) + access_points[6] + len(terminals[1])
    piece_link, piece_ends, piece_trips = np.empty(most, np.int32), np.empty((most, 2)), np.empty(most)
    for turn in range(len(sources)):
        if stopped(token, turn, len(sources)):
            return
        j = sources[turn]
        if access_points[0][j] == access_points[0][j + 1]:
            continue
        settled = _settle(
            rows, terminals, terminals[0][j], terminals[0][j + 1], within, label, ways, far, nth, order, heap
        )
        size = _reach(j, settled, order, label, ways, far, within, goals, best, access_costs, far_to, touched)
        size, listed = _reach_along(
            j, places, access_points, arc_costs, on_links, within, best, access_costs, far_to, along, touched, size
        )
        _sum_up(j, places, touched, size, best, far_to, settings, sums)
        work = onward, ending, piece_link, piece_ends, piece_trips, listed
        pieces = _hand_back(
            j,
            settled,
            order,
            nth,
            label,
            ways,
            best,
            access_costs,
            along,
            rows,
            terminals,
            goals,
            places,
            access_points,
            sums,
            work,
        )
        _lay_pieces(pieces, work, on_links, access_points, sums[4], sums[7])
        for i in range(settled):
            u = order[i]
            label[u], nth[u], ways[u], onward[u], ending[u] = NEVER, -1, 0.0, 0.0, 0.0
        for i in range(size):
            best[touched[i]] = NEVER
