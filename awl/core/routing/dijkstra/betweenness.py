"""From each place to all others within a radius and back again, compiled: how far they are, and what the trips to them pass.

Each stage is one call for each place. Within a stage loops are written out: a call that hands on arrays costs more than they do.
Source of the way back: U. Brandes, *A faster algorithm for betweenness centrality*, J. Math. Sociol. 25 (2001).
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import njit

from awl.core.kernels import njit_no_refcount, stopped
from awl.core.routing.dijkstra.heap import popped, pushed

NEVER = np.int32(2**31 - 1)


class TripSteps(NamedTuple):
    """Steps (r,) by the state they leave, each with cost, accumulated cost and arc; and the node (s,) of each state."""

    start: Any
    head: Any
    cost: Any
    far: Any
    arc: Any
    node: Any


class Origins(NamedTuple):
    """States where trips begin, by place: cost and accumulated cost from it, the arc between, the row of its access point."""

    start: Any
    state: Any
    cost: Any
    far: Any
    arc: Any
    access_row: Any


class Destinations(NamedTuple):
    """Places by the state from which they are reached: cost and accumulated cost to each, the arc between, the access point."""

    start: Any
    place: Any
    cost: Any
    far: Any
    arc: Any
    access_row: Any


class Spots(NamedTuple):
    """Places (k,): their node (-1 between nodes), where they lie in metres, and what each counts for."""

    node: Any
    x: Any
    y: Any
    weight: Any


class Access(NamedTuple):
    """Access points by place: link, fraction, cost and accumulated cost to each; and `most`, trips along links from one place."""

    start: Any
    place: Any
    link: Any
    fraction: Any
    cost: Any
    far: Any
    most: Any


class ArcCosts(NamedTuple):
    """Cost and accumulated cost of each arc (2m,)."""

    cost: Any
    far: Any


class OnLinks(NamedTuple):
    """Access points by link, in the order of their fractions: offsets (m + 1,), and rows."""

    start: Any
    row: Any


class Settings(NamedTuple):
    """Radius less the terminal time, the terminal time, decay per thousandth, thousandths in a unit, whether costs are metres."""

    within: Any
    terminal_time: Any
    beta: Any
    unit: Any
    is_distance: Any


class Totals(NamedTuple):
    """Sums by place (k,), and trips by arc, node and, for parts of links, by link; all are added to."""

    reached: Any
    cost: Any
    gravity: Any
    straight: Any
    passing: Any
    on_arc: Any
    at_node: Any
    on_link: Any


class Setting(NamedTuple):
    """All that stays the same from place to place."""

    steps: Any
    origins: Any
    goals: Any
    spots: Any
    access: Any
    arcs: Any
    on_links: Any
    settings: Any


class Scratch(NamedTuple):
    """Memory for the search from one place; what it changes is put back before the next.

    Attributes:
        label, paths, far: (s,) least cost of each state, how many best paths lead there, what the shortest of them accumulates.
        nth, order: (s,) where each state stands in the order in which they settle, and that order.
        heap: room for all steps and origins.
        onward, ending: (s,) trips that go on from a state, and that end in it.
        best, paths_to, far_to: (k,) the same as label, paths and far for the other places.
        touched: (k,) the places that were reached.
        along: trips along one link: access point of the place, that of the other, and cost.
        piece_link, piece_ends, piece_trips: parts of links that trips pass.
    """

    label: Any
    paths: Any
    far: Any
    nth: Any
    order: Any
    heap: Any
    onward: Any
    ending: Any
    best: Any
    paths_to: Any
    far_to: Any
    touched: Any
    along: Any
    piece_link: Any
    piece_ends: Any
    piece_trips: Any


@njit_no_refcount
def _settle(j, setting, scratch):
    """Settle states from place j in the order of their costs; how many they are."""
    steps, origins, within = setting.steps, setting.origins, setting.settings.within
    label, paths, far, nth, heap = scratch.label, scratch.paths, scratch.far, scratch.nth, scratch.heap
    queued, size = 0, 0
    for i in range(origins.start[j], origins.start[j + 1]):
        state, cost = origins.state[i], origins.cost[i]
        if cost > within or cost > label[state]:
            continue
        if cost == label[state]:
            paths[state] += 1.0
            far[state] = min(far[state], origins.far[i])
            continue
        label[state], paths[state], far[state] = cost, 1.0, origins.far[i]
        queued = pushed(heap, queued, (np.int64(cost) << 32) | state)
    while queued > 0:
        at, here = np.int32(heap[0] & 0xFFFFFFFF), heap[0] >> 32
        queued = popped(heap, queued)
        if nth[at] >= 0:
            continue
        nth[at] = size
        scratch.order[size] = at
        size += 1
        for row in range(steps.start[at], steps.start[at + 1]):
            over, state = here + steps.cost[row], steps.head[row]
            if over > within or over > label[state]:
                continue
            distance = far[at] + steps.far[row]
            if over < label[state]:
                label[state], paths[state], far[state] = over, paths[at], distance
                queued = pushed(heap, queued, (over << 32) | state)
            elif nth[state] < 0:  # a path of no length back to a state that is settled leads round in a circle
                paths[state] += paths[at]
                far[state] = min(far[state], distance)
    return size


@njit_no_refcount
def _reach(j, settled, setting, scratch):
    """Costs of the other places by way of the states their trips end from; how many were touched."""
    goals, within = setting.goals, setting.settings.within
    best, paths_to, far_to, touched = scratch.best, scratch.paths_to, scratch.far_to, scratch.touched
    size = 0
    for i in range(settled):
        u = scratch.order[i]
        for g in range(goals.start[u], goals.start[u + 1]):
            k, cost = goals.place[g], np.int64(scratch.label[u]) + goals.cost[g]
            if k == j or cost > within or cost > best[k]:
                continue
            distance = scratch.far[u] + goals.far[g]
            if cost == best[k]:
                paths_to[k] += scratch.paths[u]
                far_to[k] = min(far_to[k], distance)
                continue
            if best[k] == NEVER:
                touched[size] = k
                size += 1
            best[k], paths_to[k], far_to[k] = cost, scratch.paths[u], distance
    return size


@njit_no_refcount
def _reach_along(j, size, setting, scratch):
    """Costs of places on the same links without leaving them; how many were touched by now, and how many such trips there are.

    The trips are put into `along`; those that do not cost the least are none.
    """
    node, access, arcs, on_links = setting.spots.node, setting.access, setting.arcs, setting.on_links
    link, fraction, within = access.link, access.fraction, setting.settings.within
    best, paths_to, far_to, along = scratch.best, scratch.paths_to, scratch.far_to, scratch.along
    listed = 0
    for s in range(access.start[j], access.start[j + 1]):
        for i in range(on_links.start[link[s]], on_links.start[link[s] + 1]):
            t = on_links.row[i]
            k = access.place[t]
            share = abs(fraction[t] - fraction[s])
            arc = 2 * link[s] + (1 if fraction[t] < fraction[s] else 0)
            if k == j or access.cost[s] < 0 or access.cost[t] < 0 or (share > 0.0 and arcs.cost[arc] < 0):
                continue
            if node[j] >= 0 or node[k] >= 0:
                continue  # trips from and to nodes are found by searching
            cost = np.int64(np.rint(share * max(arcs.cost[arc], 0))) + access.cost[s] + access.cost[t]
            if cost > within or cost > best[k]:
                continue
            along[0][listed], along[1][listed], along[2][listed] = s, t, cost
            listed += 1
            distance = np.int64(np.rint(share * max(arcs.far[arc], 0))) + access.far[s] + access.far[t]
            if cost == best[k]:
                paths_to[k] += 1.0
                far_to[k] = min(far_to[k], distance)
                continue
            if best[k] == NEVER:
                scratch.touched[size] = k
                size += 1
            best[k], paths_to[k], far_to[k] = cost, 1.0, distance
    return size, listed


@njit_no_refcount
def _sum_up(j, size, setting, scratch, totals):
    """What the places that were touched add to the sums of the place."""
    x, y, weight, settings = setting.spots.x, setting.spots.y, setting.spots.weight, setting.settings
    best, far_to = scratch.best, scratch.far_to
    for i in range(size):
        k = scratch.touched[i]
        total = best[k] + settings.terminal_time
        crow, metres = np.hypot(x[k] - x[j], y[k] - y[j]), (best[k] if settings.is_distance else far_to[k]) / 1000.0
        totals.reached[j] += weight[k]
        totals.cost[j] += weight[k] * total / settings.unit
        totals.gravity[j] += weight[k] * np.exp(-settings.beta * total)
        totals.straight[j] += weight[k] * (min(crow / metres, 1.0) if metres > 0 else 1.0)


@njit_no_refcount
def _hand_back(j, settled, listed, setting, scratch, totals):
    """Trips to the places that were reached, back through the states in the opposite order: on arcs and at nodes.

    Where they pass a part of a link only, that is a piece: link, fractions, trips. Returns how many there are.
    """
    steps, origins, goals = setting.steps, setting.origins, setting.goals
    node, weight, access = setting.spots.node, setting.spots.weight, setting.access
    label, paths, nth, order = scratch.label, scratch.paths, scratch.nth, scratch.order
    best, paths_to, along = scratch.best, scratch.paths_to, scratch.along
    onward, ending = scratch.onward, scratch.ending
    piece_link, piece_ends, piece_trips = scratch.piece_link, scratch.piece_ends, scratch.piece_trips
    link, fraction, place = access.link, access.fraction, access.place
    pieces = 0
    for i in range(listed):
        s, t = along[0][i], along[1][i]
        if along[2][i] == best[place[t]]:
            piece_link[pieces], piece_trips[pieces] = link[s], weight[place[t]] / paths_to[place[t]]
            piece_ends[pieces, 0], piece_ends[pieces, 1] = fraction[s], fraction[t]
            pieces += 1
    for i in range(settled):
        u = order[i]
        for g in range(goals.start[u], goals.start[u + 1]):
            k = goals.place[g]
            if k == j or np.int64(label[u]) + goals.cost[g] != best[k]:
                continue
            trips = weight[k] * paths[u] / paths_to[k]
            if node[k] >= 0:
                ending[u] += trips
                continue
            onward[u] += trips
            row = goals.access_row[g]
            piece_link[pieces], piece_trips[pieces] = link[row], trips
            piece_ends[pieces, 0], piece_ends[pieces, 1] = goals.arc[g] & 1, fraction[row]
            pieces += 1
    for i in range(settled - 1, -1, -1):
        u = order[i]
        for row in range(steps.start[u], steps.start[u + 1]):
            v = steps.head[row]
            if nth[v] > i and np.int64(label[u]) + steps.cost[row] == label[v]:
                trips = paths[u] / paths[v] * (onward[v] + ending[v])
                onward[u] += trips
                totals.on_arc[steps.arc[row]] += trips
        if node[j] != steps.node[u]:
            totals.at_node[steps.node[u]] += onward[u]
    for i in range(origins.start[j], origins.start[j + 1]):
        u = origins.state[i]
        if origins.cost[i] == label[u] and node[j] < 0:
            s = origins.access_row[i]
            piece_link[pieces], piece_trips[pieces] = link[s], (onward[u] + ending[u]) / paths[u]
            piece_ends[pieces, 0], piece_ends[pieces, 1] = fraction[s], 1 - (origins.arc[i] & 1)
            pieces += 1
    return pieces


@njit_no_refcount
def _lay_pieces(pieces, setting, scratch, totals):
    """Trips over parts of links: counted at the places between that stand nearest there, and on the link by the share of it."""
    access, on_links, piece_ends = setting.access, setting.on_links, scratch.piece_ends
    place, fraction = access.place, access.fraction
    for i in range(pieces):
        link, trips = scratch.piece_link[i], scratch.piece_trips[i]
        low, high = min(piece_ends[i, 0], piece_ends[i, 1]), max(piece_ends[i, 0], piece_ends[i, 1])
        totals.on_link[link] += trips * (high - low)
        for row in range(on_links.start[link], on_links.start[link + 1]):
            t = on_links.row[row]
            if low < fraction[t] < high and t == access.start[place[t]]:
                totals.passing[place[t]] += trips


@njit(cache=True, nogil=True)
def searched_and_passed(sources, setting, totals, token):
    """Add to the totals what trips from some places to all others within the radius give.

    Parameters:
        sources: rows (k,) of the places to search from.
        setting: steps, places and what is counted (`Setting`).
        totals: the sums, added to here (`Totals`).
        token: cancel token (3,): whether to stop, how much is done, how much there is to do.
    """
    steps, origins, goals, access = setting.steps, setting.origins, setting.goals, setting.access
    states, count, most = len(steps.node), len(setting.spots.node), access.most
    pieces_most = len(goals.place) + most + len(origins.state)
    scratch = Scratch(
        label=np.full(states, NEVER),
        paths=np.zeros(states),
        far=np.zeros(states, np.int64),
        nth=np.full(states, -1, np.int32),
        order=np.empty(states, np.int32),
        heap=np.empty(len(steps.head) + len(origins.state) + 1, np.int64),
        onward=np.zeros(states),
        ending=np.zeros(states),
        best=np.full(count, NEVER),
        paths_to=np.zeros(count),
        far_to=np.zeros(count, np.int64),
        touched=np.empty(count, np.int32),
        along=(np.empty(most, np.int32), np.empty(most, np.int32), np.empty(most, np.int64)),
        piece_link=np.empty(pieces_most, np.int32),
        piece_ends=np.empty((pieces_most, 2)),
        piece_trips=np.empty(pieces_most),
    )
    for turn in range(len(sources)):
        if stopped(token, turn, len(sources)):
            return
        j = sources[turn]
        if access.start[j] == access.start[j + 1]:
            continue
        settled = _settle(j, setting, scratch)
        size = _reach(j, settled, setting, scratch)
        size, listed = _reach_along(j, size, setting, scratch)
        _sum_up(j, size, setting, scratch, totals)
        pieces = _hand_back(j, settled, listed, setting, scratch, totals)
        _lay_pieces(pieces, setting, scratch, totals)
        for i in range(settled):
            u = scratch.order[i]
            scratch.label[u], scratch.nth[u], scratch.paths[u] = NEVER, -1, 0.0
            scratch.onward[u], scratch.ending[u] = 0.0, 0.0
        for i in range(size):
            scratch.best[scratch.touched[i]] = NEVER
