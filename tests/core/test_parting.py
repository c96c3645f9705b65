"""How a region is parted: by the fewest nodes, or the least cut between clusters, against SciPy's maximum flow."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import connected_components, maximum_flow

from awl.core.progress import current_token
from awl.core.routing.cch.clusters import joined_clusters, least_cut, parted_near
from awl.core.routing.cch.halving import parted
from awl.core.routing.cch.least_degree import order_by_degree
from awl.core.routing.cch.order import dissection, neighbours
from awl.core.routing.cch.parting import FIRST, LAST, PARTING, least_parting
from tests.examples import examples

NO_END = 10**6


@st.composite
def graphs(draw, most=40):
    """A graph with some of its nodes at either end."""
    rng = np.random.default_rng(draw(st.integers(0, 2**32 - 1)))
    n = draw(st.integers(2, most))
    a, b = rng.integers(0, n, (2, draw(st.integers(0, 3 * n))))
    kind = rng.choice(np.array([0, 0, 0, FIRST, LAST], np.int8), n)
    return *neighbours(n, a, b), kind


def grid(side):
    """A square of streets: its neighbours, and where its nodes stand."""
    number = np.arange(side * side).reshape(side, side)
    a = np.concatenate([number[:, :-1].ravel(), number[:-1].ravel()])
    b = np.concatenate([number[:, 1:].ravel(), number[1:].ravel()])
    return *neighbours(side * side, a, b), (number % side).ravel().astype(float), (number // side).ravel().astype(float)


def flow_between(rows, columns, capacity, n, first, last):
    """SciPy's maximum flow from the first nodes to the last."""
    rows = np.concatenate([rows, np.full(len(first), n), last])
    columns = np.concatenate([columns, first, np.full(len(last), n + 1)])
    capacity = np.concatenate([capacity, np.full(len(first) + len(last), NO_END)]).astype(np.int32)
    return maximum_flow(csr_matrix((capacity, (rows, columns)), shape=(n + 2,) * 2), n, n + 1).flow_value


def tails(start):
    """The node at the beginning of each edge."""
    return np.repeat(np.arange(len(start) - 1), np.diff(start))


def check_parts(start, head, side):
    """No street leads from one half into the other."""
    assert not np.any((side[tails(start)] == 0) & (side[head] == 1))


@settings(max_examples=examples(300), deadline=None)
@given(graphs(), st.integers(0, 30), st.integers(0, 30))
def test_the_fewest_nodes_part_the_first_from_the_last(graph, before, behind):
    start, head, kind = graph
    n = len(kind)
    side, count = least_parting(start, head, kind, before, behind, n, current_token())
    inner, tail = np.arange(n), tails(start)
    expected = flow_between(
        np.concatenate([2 * inner, 2 * tail + 1]), np.concatenate([2 * inner + 1, 2 * head]),
        np.concatenate([np.ones(n), np.full(len(head), NO_END)]), 2 * n,
        2 * np.flatnonzero(kind == FIRST), 2 * np.flatnonzero(kind == LAST) + 1,
    )  # fmt: skip
    assert count == expected == (side == PARTING).sum()
    check_parts(start, head, side)
    assert not np.any((kind == FIRST) & (side == 1)) and not np.any((kind == LAST) & (side == 0))
    if count > 0:
        assert least_parting(start, head, kind, before, behind, count - 1, current_token())[1] == -1


@settings(max_examples=examples(300), deadline=None)
@given(graphs(), st.integers(0, 2**32 - 1))
def test_the_least_cut_weighs_what_flows(graph, seed):
    start, head, kind = graph
    tail = tails(start)
    each = np.random.default_rng(seed).integers(1, 9, (len(kind), len(kind))).astype(np.int32)
    weight = each[np.minimum(tail, head), np.maximum(tail, head)]
    side, flow = least_cut(start, head, weight, kind, np.int64(NO_END), current_token())
    ends = (np.flatnonzero(kind == which) for which in (FIRST, LAST))
    assert flow == flow_between(tail, head, weight, len(kind), *ends)
    assert flow == weight[(side[tail] == 0) & (side[head] == 1)].sum()
    assert not np.any((kind == FIRST) & (side == 1)) and not np.any((kind == LAST) & (side == 0))


@settings(max_examples=examples(100), deadline=None)
@given(graphs(300), st.integers(1, 60))
def test_clusters_hang_together_and_count_their_streets(graph, most):
    start, head, _ = graph
    tail = tails(start)
    cluster, nodes, begin, near, weight = joined_clusters(start, head, most)
    assert np.array_equal(np.bincount(cluster), nodes)
    within = cluster[tail] == cluster[head]
    _, part = connected_components(
        csr_matrix((np.ones(within.sum()), (tail[within], head[within])), shape=(len(cluster),) * 2)
    )
    assert part.max() + 1 == len(nodes)
    between = np.zeros((len(nodes), len(nodes)), np.int64)
    np.add.at(between, (cluster[tail[~within]], cluster[head[~within]]), 1)
    found = np.zeros_like(between)
    found[tails(begin), near] = weight
    assert np.array_equal(between, found)
    assert all(np.all(np.diff(near[a:b]) > 0) for a, b in zip(begin[:-1], begin[1:], strict=True))


@settings(max_examples=examples(60), deadline=None)
@given(st.integers(2, 60), st.integers(0, 2**32 - 1))
def test_near_a_ragged_cut_the_fewest_nodes_are_found(side_length, seed):
    start, head, x, _ = grid(side_length)
    ragged = (x + np.random.default_rng(seed).integers(-3, 4, len(x)) > side_length / 2).astype(np.int8)
    side = parted_near(start, head, ragged, current_token())
    check_parts(start, head, side)
    crossed = ragged[tails(start)] != ragged[head]
    one_side = min(len(np.unique(tails(start)[crossed & (ragged[tails(start)] == s)])) for s in (0, 1))
    assert (side == PARTING).sum() <= one_side


@pytest.mark.parametrize("side_length", [20, 90, 150])
def test_a_square_is_parted_by_about_one_row(side_length):
    start, head, x, y = grid(side_length)
    side = parted(start, head, x, y, current_token())
    check_parts(start, head, side)
    counts = np.bincount(side, minlength=3)
    assert counts[PARTING] <= 1.05 * side_length and counts[:2].min() >= 0.19 * len(x)


@pytest.mark.parametrize("n", [9, 200])
def test_where_nothing_can_be_parted_halves_are_made_all_the_same(n):
    a, b = np.triu_indices(n)
    everywhere = np.zeros(n)
    side = parted(*neighbours(n, a, b), everywhere, everywhere, current_token())
    assert len(np.unique(side)) > 1
    alone = neighbours(n, np.zeros(0, np.int32), np.zeros(0, np.int32))
    assert set(parted(*alone, everywhere, everywhere, current_token())) == {0, 1}


def test_neighbours_are_named_once_and_ascending():
    rng = np.random.default_rng(3)
    hub = np.zeros(5000, np.int64)
    a, b = np.concatenate([hub, rng.integers(0, 900, 4000)]), rng.integers(0, 900, 9000)
    start, head = neighbours(900, a, b)
    table = np.zeros((900, 900), bool)
    table[a, b] = table[b, a] = True
    np.fill_diagonal(table, False)
    assert np.array_equal(np.column_stack([tails(start), head]), np.argwhere(table))


def test_a_hub_of_many_streets_takes_no_longer_than_they():
    count = 200_000
    a, b = np.zeros(count, np.int32), np.arange(1, count + 1, dtype=np.int32)
    round_it = np.roll(b, 1)
    place = np.linspace(0, 1, count + 1)
    order = dissection(count + 1, np.concatenate([a, b]), np.concatenate([b, round_it]), place, place)
    assert np.array_equal(np.sort(order), np.arange(count + 1))


@settings(max_examples=examples(100), deadline=None)
@given(graphs(90), st.data())
def test_a_small_region_goes_by_least_degree(graph, data):
    start, head, _ = graph
    n = len(start) - 1
    end = data.draw(st.integers(1, n))
    order, place = np.arange(n, dtype=np.int32), np.arange(n, dtype=np.int64)
    order_by_degree(start, head, place, order, 0, end)
    assert np.array_equal(np.sort(order[:end]), np.arange(end)) and np.array_equal(order[end:], np.arange(end, n))
    assert np.array_equal(order[place], np.arange(n))
    around = [set(head[start[i] : start[i + 1]].tolist()) for i in range(n)]
    left = set(range(end))
    for node in order[:end].tolist():
        assert len(around[node]) == min(len(around[i]) for i in left)
        left.discard(node)
        for other in around[node]:
            around[other] = (around[other] | around[node]) - {node, other}
