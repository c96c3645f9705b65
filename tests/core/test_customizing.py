"""Costs put into a topology, against elimination written out on a square table: one metric, lanes, perfect, ways, and again."""

from __future__ import annotations

from types import SimpleNamespace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from awl.core.network.costs import StepCosts
from awl.core.network.states import Steps
from awl.core.routing.cch.customization import customized, unpacking_of
from awl.core.routing.cch.hourly_matrix import customized_lanes
from awl.core.routing.cch.partial import customized_again, steps_by_edge, ways_again
from awl.core.routing.cch.perfect import reduced_graph
from awl.core.routing.cch.shares import OWN, Shares, shares_of
from awl.core.routing.cch.supernodes import follows
from awl.core.routing.cch.topology import FAR, STEP, Topology, topology_of
from awl.core.routing.simd.lanes import LANES
from tests.examples import examples

KINDS = ("grid", "mesh", "dense", "tree", "sparse")


def pairs_of(kind: str, rng: np.random.Generator) -> tuple[int, np.ndarray, np.ndarray]:
    """A graph of a kind: how many nodes, pairs of them (k, 2), and where they lie (n, 2)."""
    count = int(rng.integers(2, 90))
    spots = rng.uniform(0, 1000, (count, 2))
    if kind == "dense":
        pairs = np.argwhere(rng.random((count, count)) < rng.uniform(0.1, 0.9))
    elif kind == "tree":
        pairs = np.array([(i, int(rng.integers(0, i))) for i in range(1, count)])
    elif kind == "sparse":
        pairs = rng.integers(0, count, (int(1.5 * count), 2))
    else:
        side = int(rng.integers(2, 12))
        count = side * side
        spots = np.stack(np.divmod(np.arange(count), side), axis=1) * 100.0
        apart = np.abs(spots[:, None] - spots[None])
        near = apart.max(axis=2) if kind == "mesh" else apart.sum(axis=2)
        pairs = np.argwhere((near > 0) & (near <= 100))
        pairs = pairs[rng.random(len(pairs)) < 0.9]
    return count, pairs.reshape(-1, 2), spots


@st.composite
def topologies(draw) -> tuple[Topology, Steps, np.ndarray, np.random.Generator]:
    """A topology with its steps and their costs: ties and ways that cost nothing among them, some steps barred."""
    rng = np.random.default_rng(draw(st.integers(0, 2**32 - 1)))
    count, pairs, spots = pairs_of(draw(st.sampled_from(KINDS)), rng)
    ring = np.stack([np.arange(count), np.roll(np.arange(count), -1)], axis=1)  # so that a step leads to each state
    tail, head = (column.astype(np.int32) for column in np.concatenate([pairs, ring]).T)
    nothing = np.full(len(tail), -1, np.int32)
    steps = Steps(tail, head, np.arange(len(tail), dtype=np.int32), nothing, nothing)
    states = SimpleNamespace(steps=steps, count=count, node=np.arange(count, dtype=np.int32))
    cost = rng.integers(0, draw(st.sampled_from([3, 1000, 10**6])), len(tail)).astype(np.int32)
    cost[rng.random(len(tail)) < 0.1] = FAR
    topology = topology_of(states, *spots.T)
    # Dealt out to threads however small it is.
    topology.__dict__["shares"] = dealt(topology, draw(st.integers(1, 4)))
    return topology, steps, cost, rng


def dealt(topology: Topology, threads: int) -> Shares:
    return shares_of(topology.start, topology.head, topology.parent, topology.lowest, threads, worth=0)


def eliminated(topology: Topology, steps: Steps, cost: np.ndarray) -> np.ndarray:
    """Costs (c, c) between ranks over lower ranks alone, taken out one by one; the lower end's row is that of edges upwards."""
    count = topology.count
    table = np.full((count, count), int(FAR), np.int64)
    np.minimum.at(table, (topology.rank[steps.tail], topology.rank[steps.head]), cost)
    for x in range(count):
        over = table[x + 1 :, x][:, None] + table[x, x + 1 :][None]
        table[x + 1 :, x + 1 :] = np.minimum(table[x + 1 :, x + 1 :], over)
    return np.minimum(table, int(FAR))


def ends_of(topology: Topology) -> tuple[np.ndarray, np.ndarray]:
    return np.repeat(np.arange(topology.count), np.diff(topology.start)), topology.head


@settings(max_examples=examples(100), deadline=None)
@given(topologies())
def test_threads_share_the_ranks_by_whole_subtrees_and_supernodes(made):
    topology = made[0]
    shares = topology.shares
    owner = np.full(topology.count, -2)
    for thread, runs in enumerate((*shares.threads, shares.top)):
        for first, last in runs:
            assert (owner[first : last + 1] == -2).all(), "no rank is dealt out twice"
            owner[first : last + 1] = thread
    assert (owner >= 0).all()
    top = owner == len(shares.threads)
    for rank in np.flatnonzero(topology.parent >= 0):
        parent = topology.parent[rank]
        assert top[parent] or owner[parent] == owner[rank], "what lies above a rank is its thread's, or the top's"
        assert not (
            top[parent] and not top[rank] and parent == rank + 1 and follows(topology.start, topology.head, rank)
        )
    of = np.repeat(np.arange(topology.count), np.diff(topology.start))
    assert shares.rows.tolist() == np.flatnonzero(top[of]).tolist()
    shift = shares.shift(topology.start)
    assert ((shift == OWN) == ~top).all()
    assert (shares.rows + shift[of[shares.rows]]).tolist() == list(range(len(shares.rows)))


@settings(max_examples=examples(150), deadline=None)
@given(topologies())
def test_ranks_stand_in_post_order(made):
    topology = made[0]
    for rank in range(topology.count):
        above = [rank]
        while topology.parent[above[-1]] >= 0:
            above.append(int(topology.parent[above[-1]]))
        assert above == sorted(above) and all(topology.lowest[one] <= rank for one in above)
        others = np.setdiff1d(np.arange(topology.count), above)
        assert not ((topology.lowest[others] <= rank) & (others >= rank)).any()
        row = topology.head[topology.start[rank] : topology.start[rank + 1]]
        assert (np.diff(row) > 0).all() and set(row.tolist()) <= set(above[1:])


@settings(max_examples=examples(200), deadline=None)
@given(topologies())
def test_costs_are_those_of_elimination_on_a_table(made):
    topology, steps, cost, rng = made
    low, high = ends_of(topology)
    table = eliminated(topology, steps, cost)
    metric = customized(topology, cost)
    assert np.array_equal(metric.cost[0], table[low, high]) and np.array_equal(metric.cost[1], table[high, low])
    lanes = [np.where(cost == FAR, FAR, rng.integers(0, 1000, len(cost))).astype(np.int32) for _ in range(LANES)]
    with customized_lanes(topology, lanes) as (up, down):
        for lane, one in enumerate(lanes):
            alone = customized(topology, one)
            assert np.array_equal(up[:, lane], alone.cost[0]) and np.array_equal(down[:, lane], alone.cost[1])


@settings(max_examples=examples(150), deadline=None)
@given(topologies())
def test_the_edges_left_are_those_no_way_undercuts(made):
    topology, steps, cost, rng = made
    low, high = ends_of(topology)
    least = np.full((topology.count, topology.count), int(FAR), np.int64)
    np.minimum.at(least, (topology.rank[steps.tail], topology.rank[steps.head]), cost)
    for x in range(topology.count):
        least = np.minimum(least, least[:, [x]] + least[[x], :])
    metric = customized(topology, cost)
    sides = reduced_graph(topology, metric)
    for way, (side, ends) in enumerate(((sides.up, (low, high)), (sides.down, (high, low)))):
        wanted = np.flatnonzero((metric.cost[way] == least[ends]) & (metric.cost[way] < FAR))
        every = np.arange(topology.count, dtype=np.int32)
        again, rows = side.within(every, every, topology)
        assert np.array_equal(rows, wanted) and np.array_equal(again.start, side.start)
        far = rng.integers(0, 1000, len(topology.head)).astype(np.uint32)
        assert np.array_equal(side.edges_with(topology, far, every).far, far[wanted])
        assert np.array_equal(side.head, topology.head[wanted]) and np.array_equal(side.cost, metric.cost[way][wanted])


@settings(max_examples=examples(150), deadline=None)
@given(topologies())
def test_ways_lead_where_their_edge_leads_and_cost_and_carry_what_it_does(made):
    topology, steps, cost, rng = made
    accumulated = rng.integers(0, 1000, len(cost)).astype(np.int32)
    metric = customized(topology, cost)
    ways = unpacking_of(topology, metric, cost, accumulated)
    low, high = ends_of(topology)
    edge_of = {pair: e for e, pair in enumerate(zip(low.tolist(), high.tolist(), strict=True))}
    for e, (a, b) in enumerate(zip(low.tolist(), high.tolist(), strict=True)):
        for way, (begin, end) in enumerate(((a, b), (b, a))):
            via = int(ways.via[way, e])
            if metric.cost[way, e] == FAR:
                assert via == -1
            elif via <= STEP:
                step = STEP - via
                assert (topology.rank[steps.tail[step]], topology.rank[steps.head[step]]) == (begin, end)
                assert cost[step] == metric.cost[way, e] and accumulated[step] == ways.accumulated[way, e]
            else:
                below = low[via]
                assert high[via] == a and below < a < b
                into, out = edge_of[below, begin], edge_of[below, end]
                assert metric.cost[1, into] + metric.cost[0, out] == metric.cost[way, e]
                assert ways.accumulated[1, into] + ways.accumulated[0, out] == ways.accumulated[way, e]


def as_costs(cost) -> StepCosts:
    """Costs (r,) of steps as those of an arc each."""
    return StepCosts(
        np.arange(len(cost), dtype=np.int32), cost.astype(np.int32), np.zeros(0, np.int32), np.zeros(len(cost), bool)
    )


@settings(max_examples=examples(150), deadline=None)
@given(topologies())
def test_customizing_again_gives_what_customizing_anew_gives(made):
    topology, _, cost, rng = made
    accumulated = rng.integers(0, 1000, len(cost)).astype(np.int32)
    metric, by_edge = customized(topology, cost), steps_by_edge(topology)
    ways = unpacking_of(topology, metric, cost, accumulated)
    changed = np.flatnonzero(rng.random(len(cost)) < rng.choice([0.02, 0.3]))
    other = cost.copy()
    other[changed] = np.where(rng.random(len(changed)) < 0.5, FAR, rng.integers(0, 1000, len(changed)))
    again, looked_at = customized_again(topology, by_edge, metric, as_costs(other), changed)
    anew = customized(topology, other)
    assert np.array_equal(again.cost, anew.cost)
    edges = np.union1d(looked_at, topology.edge[changed][topology.edge[changed] >= 0] >> 1).astype(np.int32)
    named = ways_again(topology, by_edge, again, ways, (as_costs(other), as_costs(accumulated)), edges)
    wanted = unpacking_of(topology, anew, other, accumulated)
    assert np.array_equal(named.via, wanted.via) and np.array_equal(named.accumulated, wanted.accumulated)


@pytest.mark.parametrize("width", range(2, 45))
def test_supernodes_of_every_width_fill_whole_vectors_and_their_rests(width):
    rng = np.random.default_rng(width)
    pairs = np.argwhere(~np.eye(width, dtype=bool))
    tail, head = (column.astype(np.int32) for column in pairs.T)
    nothing = np.full(len(tail), -1, np.int32)
    steps = Steps(tail, head, nothing, nothing, nothing)
    states = SimpleNamespace(steps=steps, count=width, node=np.arange(width, dtype=np.int32))
    topology = topology_of(states, *rng.uniform(0, 100, (2, width)))
    cost = rng.integers(0, 10**6, len(tail)).astype(np.int32)
    low, high = ends_of(topology)
    table = eliminated(topology, steps, cost)
    metric = customized(topology, cost)
    assert np.array_equal(metric.cost[0], table[low, high]) and np.array_equal(metric.cost[1], table[high, low])
