"""Searches on a hierarchy: up from where trips begin, then down to where they end.

Sources: D. Delling, A. V. Goldberg, A. Nowatzyk, R. F. Werneck, *PHAST: hardware-accelerated shortest path trees*, J. Parallel
Distrib. Comput. 73 (2013), sweeps with several sources as lanes; D. Delling, A. V. Goldberg, R. F. Werneck, *Faster batched
shortest paths in road networks*, ATMOS 2011, sweeps restricted to what lies above the targets.
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.kernels import njit_no_refcount, stopped
from awl.core.routing.cch.topology import FAR
from awl.core.routing.dijkstra.search import NO_LABEL, OWNER_BITS, UNREACHED
from awl.core.routing.simd.lanes import LANES, least_over, least_over_carrying, over_edge, over_edge_carrying
from awl.core.routing.simd.vectors import load_unchecked, store_unchecked

NOT_YET = np.int64(2**62)
"""No label. Above all that are, and the sum of it and the cost of an edge fits into 64 bits."""


@njit_no_refcount
def _turn(found, begin, end):
    """Turn the order of the ranks from `begin` to `end` round."""
    end -= 1
    while begin < end:
        found[begin], found[end] = found[end], found[begin]
        begin, end = begin + 1, end - 1


@njit_no_refcount
def climb_from(parent, ranks, place, found):
    """Put all ranks from `ranks` up to their roots into `found`, each before those above it; how many they are.

    `place` (c,), -1 throughout, gets the row of each in `found`.

    Parameters:
        parent: the next higher rank (c,) of each in the elimination tree, -1 at a root.
        ranks: the ranks to begin with.
        place: scratch (c,), -1 throughout; gets the row of each in `found`.
        found: ranks, filled here, each before those above it.
    """
    size = 0
    for first in ranks:
        at = first
        while at >= 0 and place[at] < 0:
            place[at] = 0
            at = parent[at]
        # Only ranks found before lie above this path, so it goes in front of them: the list is filled from the end.
        end, at = at, first
        length = 0
        while at != end:
            found[size + length] = at
            length += 1
            at = parent[at]
        _turn(found, size, size + length)
        size += length
    _turn(found, 0, size)
    for i in range(size):
        place[found[i]] = i
    return size


def above(parent: NDArray[np.int32], ranks: NDArray[np.int32]) -> NDArray[np.int32]:
    """All ranks from `ranks` up to their roots, ascending, each once.

    Parameters:
        parent: the next higher rank (c,) of each, -1 at a root.
        ranks: the ranks to begin with.
    """
    found = np.empty(len(parent), np.int32)
    size = climb_from(parent, ranks, np.full(len(parent), -1, np.int32), found)
    return np.sort(found[:size])


@njit_no_refcount
def sweep(
    parent, lowest, start, head, up_start, up_head, up, down_start, down_head, down, seed_rank, seed_label, most, state, place,
    reached, of_rank, label,
):  # fmt: skip
    """Fill `label` (s,) of the states at ranks: cost and owner in one number, as in a plain search; none above `most`.

    `place` (c,) is -1 and `of_rank` (c,) `NOT_YET` throughout, and both are left so; `reached` (c,) is scratch. What comes from
    a rank has edges only to it and to what it has edges to itself: where none of those is reached and no seed lies below, all
    that is passed over.

    Parameters:
        parent: the next higher rank (c,) of each in the elimination tree, -1 at a root.
        lowest: the lowest rank (c,) below each in the elimination tree.
        start: offsets (c + 1,) of the edges of each rank.
        head: the higher rank (e,) of each edge.
        up_start: offsets (c + 1,) of the upward edges searches use.
        up_head: their higher ranks.
        up: costs (e,) of the edges upwards; (e, LANES) in lanes.
        down_start: offsets of the downward edges searches use.
        down_head: their higher ranks.
        down: costs (e,) of the edges downwards; (e, LANES) in lanes.
        seed_rank: ranks at which searches begin.
        seed_label: labels at them: cost and owner in one number.
        most: the highest cost that counts.
        state: the state (s,) at each rank.
        place: scratch (c,), -1 throughout, and left so.
        reached: scratch (c,).
        of_rank: scratch (c,), `NOT_YET` throughout, and left so.
        label: labels, filled here.
    """
    for i in range(len(seed_rank)):
        if seed_label[i] <= most:
            of_rank[seed_rank[i]] = min(of_rank[seed_rank[i]], seed_label[i])
    climbed = climb_from(parent, seed_rank, place, reached)
    for at in range(climbed):
        i = reached[at]
        here = of_rank[i]
        if here <= most:
            for e in range(up_start[i], up_start[i + 1]):
                over = here + (np.int64(up[e]) << OWNER_BITS)
                if over <= most and over < of_rank[up_head[e]]:
                    of_rank[up_head[e]] = over
    size, rank, edge = 0, np.int64(len(parent) - 1), np.int64(len(down_head))
    while rank >= 0:
        best, begin = load_unchecked(of_rank, rank), np.int64(load_unchecked(down_start, rank))
        while edge > begin:
            edge -= 1
            near = load_unchecked(of_rank, np.int64(load_unchecked(down_head, edge)))
            best = min(best, near + (np.int64(load_unchecked(down, edge)) << OWNER_BITS))
        if best <= most:
            store_unchecked(of_rank, rank, best)
            store_unchecked(reached, size, rank)
            size += 1
        elif load_unchecked(place, rank) < 0 and _none_reached(
            head, np.int64(load_unchecked(start, rank)), np.int64(load_unchecked(start, rank + 1)), of_rank
        ):
            rank = np.int64(load_unchecked(lowest, rank))
            edge = np.int64(load_unchecked(down_start, rank))
        store_unchecked(place, rank, -1)
        rank -= 1
    for at in range(size):
        rank = np.int64(load_unchecked(reached, at))
        store_unchecked(label, np.int64(load_unchecked(state, rank)), load_unchecked(of_rank, rank))
        store_unchecked(of_rank, rank, NOT_YET)


@njit_no_refcount
def _none_reached(head, begin, end, of_rank):
    """Whether no edge of a rank leads to one with a label."""
    e = begin
    while e < end and load_unchecked(of_rank, np.int64(load_unchecked(head, e))) == NOT_YET:
        e += 1
    return e == end


@njit(cache=True, nogil=True)
def sweep_one(parent, up_start, up_head, up, down_start, down_head, down, seed_rank, seed_cost, label):
    """Costs `label` (c,) of all ranks from the terminals of one place; `FAR` where there is no way.

    Parameters:
        parent: the next higher rank (c,) of each in the elimination tree, -1 at a root.
        up_start: offsets (c + 1,) of the upward edges searches use.
        up_head: their higher ranks.
        up: costs (e,) of the edges upwards; (e, LANES) in lanes.
        down_start: offsets of the downward edges searches use.
        down_head: their higher ranks.
        down: costs (e,) of the edges downwards; (e, LANES) in lanes.
        seed_rank: ranks at which searches begin.
        seed_cost: costs at them.
        label: labels, filled here.
    """
    label[:] = FAR
    for i in range(len(seed_rank)):
        label[seed_rank[i]] = min(label[seed_rank[i]], seed_cost[i])
    climb = np.empty(len(parent), np.int32)
    size = climb_from(parent, seed_rank, np.full(len(parent), -1, np.int32), climb)
    for at in range(size):
        i = climb[at]
        for e in range(up_start[i], up_start[i + 1]):
            label[up_head[e]] = min(label[up_head[e]], np.uint32(label[i] + up[e]))
    edge = np.int64(len(down_head))
    for i in range(len(parent) - 1, -1, -1):
        best, begin = label[i], np.int64(load_unchecked(down_start, i))
        # From the last edge to the first: that leads to the parent, whose label is the latest to be known.
        while edge > begin:
            edge -= 1
            best = min(
                best,
                np.uint32(
                    load_unchecked(label, np.int64(load_unchecked(down_head, edge))) + load_unchecked(down, edge)
                ),
            )
        label[i] = best


@njit_no_refcount
def label_states(state, cost, limit, owner, label):
    """Put the costs (c,) of a sweep into the labels of the states that stand at the ranks; none above `limit`.

    Parameters:
        state: the state (s,) at each rank.
        cost: costs (c,) of the ranks.
        limit: the highest cost that counts.
        owner: the place that the costs are of.
        label: labels, filled here.
    """
    for i in range(len(state)):
        label[state[i]] = (np.int64(cost[i]) << OWNER_BITS) | owner if cost[i] <= limit else NO_LABEL


@njit_no_refcount
def label_lone(lone, start, head, cost, most, label):
    """Labels of the states without a rank towards places: trips that begin there take one step first; none above `most`.

    Parameters:
        lone: states without a rank.
        start: offsets of the steps that leave each of them.
        head: the state that each step leads to.
        cost: the cost of each step.
        most: the highest cost that counts.
        label: labels (s,) of all states, completed here.
    """
    for state in lone:
        best = label[state]
        for row in range(start[state], start[state + 1]):
            onward = label[head[row]]
            if onward <= most:
                best = min(best, onward + (np.int64(cost[row]) << OWNER_BITS))
        if best <= most:
            label[state] = best


@njit(cache=True, nogil=True)
def sweep_lanes(
    parent, up_start, up_head, up, local, down_start, down_head, down, seed_rank, seed_lane, seed_cost, place, label
):  # fmt: skip
    """Costs `label` (d, LANES) from sources, each a lane, at the ranks that have a row in `local` (c,), else -1.

    `down_start`, `down_head` hold rows of `local`. `place` (c,) is -1 throughout, and is left so.

    Parameters:
        parent: the next higher rank (c,) of each in the elimination tree, -1 at a root.
        up_start: offsets (c + 1,) of the upward edges searches use.
        up_head: their higher ranks.
        up: costs (e,) of the edges upwards; (e, LANES) in lanes.
        local: rows (c,) of the ranks that are swept, -1 for others.
        down_start: offsets of the downward edges searches use.
        down_head: their higher ranks.
        down: costs (e,) of the edges downwards; (e, LANES) in lanes.
        seed_rank: ranks at which searches begin.
        seed_lane: the lane that each belongs to.
        seed_cost: costs at them.
        place: scratch (c,), -1 throughout, and left so.
        label: labels, filled here.
    """
    climb = np.empty(len(parent), np.int32)
    size = climb_from(parent, seed_rank, place, climb)
    top = np.full((size, LANES), FAR)
    for i in range(len(seed_rank)):
        at = place[seed_rank[i]]
        top[at, seed_lane[i]] = min(top[at, seed_lane[i]], seed_cost[i])
    own = np.zeros(len(label), np.uint8)
    for at in range(size):
        i = climb[at]
        for e in range(up_start[i], up_start[i + 1]):
            over_edge(top, np.int64(at), top, np.int64(place[up_head[e]]), up[e])
        if local[i] >= 0:
            label[local[i], :] = top[at, :]
            own[local[i]] = 1
        place[i] = -1
    for i in range(len(label) - 1, -1, -1):
        least_over(label, np.int64(i), down_head, down, np.int64(down_start[i]), np.int64(down_start[i + 1]), own[i])


@njit(cache=True, nogil=True)
def sweep_lanes_carrying(
    parent, up_start, up_head, up, up_far, local, down_start, down_head, down, down_far, seed_rank, seed_lane, seed_cost,
    seed_far, place, label, extra,
):  # fmt: skip
    """The same, with the accumulated costs `extra` (d, LANES) of the same ways.

    Parameters:
        parent: the next higher rank (c,) of each in the elimination tree, -1 at a root.
        up_start: offsets (c + 1,) of the upward edges searches use.
        up_head: their higher ranks.
        up: costs (e,) of the edges upwards; (e, LANES) in lanes.
        up_far: accumulated costs of the upward edges.
        local: rows (c,) of the ranks that are swept, -1 for others.
        down_start: offsets of the downward edges searches use.
        down_head: their higher ranks.
        down: costs (e,) of the edges downwards; (e, LANES) in lanes.
        down_far: accumulated costs of the downward edges.
        seed_rank: ranks at which searches begin.
        seed_lane: the lane that each belongs to.
        seed_cost: costs at them.
        seed_far: accumulated costs at them.
        place: scratch (c,), -1 throughout, and left so.
        label: labels, filled here.
        extra: accumulated costs of the labels, filled here.
    """
    climb = np.empty(len(parent), np.int32)
    size = climb_from(parent, seed_rank, place, climb)
    top, further = np.full((size, LANES), FAR), np.zeros((size, LANES), np.uint32)
    for i in range(len(seed_rank)):
        at, lane = place[seed_rank[i]], seed_lane[i]
        if seed_cost[i] < top[at, lane]:
            top[at, lane], further[at, lane] = seed_cost[i], seed_far[i]
    own = np.zeros(len(label), np.uint8)
    for at in range(size):
        i = climb[at]
        for e in range(up_start[i], up_start[i + 1]):
            over_edge_carrying(top, further, np.int64(at), top, further, np.int64(place[up_head[e]]), up[e], up_far[e])
        if local[i] >= 0:
            label[local[i], :], extra[local[i], :] = top[at, :], further[at, :]
            own[local[i]] = 1
        place[i] = -1
    for i in range(len(label) - 1, -1, -1):
        least_over_carrying(
            label,
            extra,
            np.int64(i),
            down_head,
            down,
            down_far,
            np.int64(down_start[i]),
            np.int64(down_start[i + 1]),
            own[i],
        )


@njit_no_refcount
def to_targets(label, goal_row, goal_target, goal_cost, found):
    """Costs (targets, LANES) from the labels of a sweep, where they are less than what is there.

    Parameters:
        label: labels (d, LANES) of a sweep.
        goal_row: rows of the labels from which targets are reached.
        goal_target: the target that each belongs to.
        goal_cost: the cost of the rest of the way.
        found: costs (targets, LANES), lowered here.
    """
    for i in range(len(goal_row)):
        over_edge(label, np.int64(goal_row[i]), found, np.int64(goal_target[i]), goal_cost[i])


@njit_no_refcount
def to_targets_carrying(label, extra, goal_row, goal_target, goal_cost, goal_far, found, found_extra):
    """The same, with the carried costs of the same ways.

    Parameters:
        label: labels (d, LANES) of a sweep.
        extra: their accumulated costs.
        goal_row: rows of the labels from which targets are reached.
        goal_target: the target that each belongs to.
        goal_cost: the cost of the rest of the way.
        goal_far: the accumulated cost of the rest of the way.
        found: costs (targets, LANES), lowered here.
        found_extra: their accumulated costs.
    """
    for i in range(len(goal_row)):
        row, target = np.int64(goal_row[i]), np.int64(goal_target[i])
        over_edge_carrying(label, extra, row, found, found_extra, target, goal_cost[i], goal_far[i])


@njit(cache=True, nogil=True)
def _seeds_of(rows, seed_start):
    """The terminals of these places, and the lane of each: its place in `rows`."""
    total = 0
    for row in rows:
        total += seed_start[row + 1] - seed_start[row]
    at, lane = np.empty(total, np.int64), np.empty(total, np.int32)
    size = 0
    for i in range(len(rows)):
        for one in range(seed_start[rows[i]], seed_start[rows[i] + 1]):
            at[size], lane[size] = one, i
            size += 1
    return at, lane


@njit(cache=True, nogil=True)
def fill_rows(
    parent, up_start, up_head, up, local, down_start, down_head, down, seed_start, seed_rank, seed_cost, goal_row, goal_target,
    goal_cost, rows, most, terminal_time, place, label, cost, token,
):  # fmt: skip
    """Fill `rows` of `cost` (s, t) with path cost plus `terminal_time`; UNREACHED where the cost exceeds `most`.

    Parameters:
        parent: the next higher rank (c,) of each in the elimination tree, -1 at a root.
        up_start: offsets (c + 1,) of the upward edges searches use.
        up_head: their higher ranks.
        up: costs (e,) of the edges upwards; (e, LANES) in lanes.
        local: rows (c,) of the ranks that are swept, -1 for others.
        down_start: offsets of the downward edges searches use.
        down_head: their higher ranks.
        down: costs (e,) of the edges downwards; (e, LANES) in lanes.
        seed_start: offsets at which those of each source begin.
        seed_rank: ranks at which searches begin.
        seed_cost: costs at them.
        goal_row: rows of the labels from which targets are reached.
        goal_target: the target that each belongs to.
        goal_cost: the cost of the rest of the way.
        rows: which sources are searched from.
        most: the highest cost that counts.
        terminal_time: what every trip costs at its ends.
        place: scratch (c,), -1 throughout, and left so.
        label: scratch (d, LANES).
        cost: costs (s, t), filled here.
        token: cancel token (3,): whether to stop, how much is done, how much there is to do.
    """
    found = np.empty((cost.shape[1], LANES), np.uint32)
    for first in range(0, len(rows), LANES):
        if stopped(token, first, len(rows)):
            return
        some = rows[first : first + LANES]
        at, lane = _seeds_of(some, seed_start)
        sweep_lanes(
            parent,
            up_start,
            up_head,
            up,
            local,
            down_start,
            down_head,
            down,
            seed_rank[at],
            lane,
            seed_cost[at],
            place,
            label,
        )
        found[:] = FAR
        to_targets(label, goal_row, goal_target, goal_cost, found)
        for t in range(len(found)):
            for i in range(len(some)):
                reached = np.int64(found[t, i])
                cost[some[i], t] = reached + terminal_time if reached <= most else UNREACHED


@njit(cache=True, nogil=True)
def fill_rows_carrying(
    parent, up_start, up_head, up, up_far, local, down_start, down_head, down, down_far, seed_start, seed_rank, seed_cost,
    seed_far, goal_row, goal_target, goal_cost, goal_far, rows, most, terminal_time, far_terminal_time, place, label, extra,
    cost, accumulated, token,
):  # fmt: skip
    """The same, with what the ways carry in `accumulated` (s, t); 0 where there is none.

    Parameters:
        parent: the next higher rank (c,) of each in the elimination tree, -1 at a root.
        up_start: offsets (c + 1,) of the upward edges searches use.
        up_head: their higher ranks.
        up: costs (e,) of the edges upwards; (e, LANES) in lanes.
        up_far: accumulated costs of the upward edges.
        local: rows (c,) of the ranks that are swept, -1 for others.
        down_start: offsets of the downward edges searches use.
        down_head: their higher ranks.
        down: costs (e,) of the edges downwards; (e, LANES) in lanes.
        down_far: accumulated costs of the downward edges.
        seed_start: offsets at which those of each source begin.
        seed_rank: ranks at which searches begin.
        seed_cost: costs at them.
        seed_far: accumulated costs at them.
        goal_row: rows of the labels from which targets are reached.
        goal_target: the target that each belongs to.
        goal_cost: the cost of the rest of the way.
        goal_far: the accumulated cost of the rest of the way.
        rows: which sources are searched from.
        most: the highest cost that counts.
        terminal_time: what every trip costs at its ends.
        far_terminal_time: the same in the accumulated cost.
        place: scratch (c,), -1 throughout, and left so.
        label: scratch (d, LANES).
        extra: scratch (d, LANES).
        cost: costs (s, t), filled here.
        accumulated: accumulated costs, filled here.
        token: cancel token (3,): whether to stop, how much is done, how much there is to do.
    """
    found, further = np.empty((2, cost.shape[1], LANES), np.uint32)
    for first in range(0, len(rows), LANES):
        if stopped(token, first, len(rows)):
            return
        some = rows[first : first + LANES]
        at, lane = _seeds_of(some, seed_start)
        sweep_lanes_carrying(
            parent, up_start, up_head, up, up_far, local, down_start, down_head, down, down_far, seed_rank[at], lane,
            seed_cost[at], seed_far[at], place, label, extra,
        )  # fmt: skip
        found[:] = FAR
        to_targets_carrying(label, extra, goal_row, goal_target, goal_cost, goal_far, found, further)
        for t in range(len(found)):
            for i in range(len(some)):
                reached, within = np.int64(found[t, i]), np.int64(found[t, i]) <= most
                cost[some[i], t] = reached + terminal_time if within else UNREACHED
                accumulated[some[i], t] = np.int64(further[t, i]) + far_terminal_time if within else 0
