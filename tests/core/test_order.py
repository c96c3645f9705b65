"""The best order of points: exact where it says so, never worse than what it starts from elsewhere."""

from __future__ import annotations

import itertools

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from awl.core.routing.tour import best_order
from tests.examples import examples


def total(cost, order):
    return float(cost[list(order[:-1]), list(order[1:])].sum())


@settings(max_examples=examples(60), deadline=None)
@given(st.integers(2, 7), st.integers(0, 2**32 - 1), st.floats(0, 0.3))
def test_few_points_are_in_the_best_order(count, seed, barred):
    rng = np.random.default_rng(seed)
    cost = rng.integers(0, 50, (count, count)).astype(float)
    cost[rng.random((count, count)) < barred] = np.inf
    order = best_order(cost)
    assert sorted(order) == list(range(count)) and order[0] == 0 and order[-1] == count - 1
    every = [total(cost, (0, *inner, count - 1)) for inner in itertools.permutations(range(1, count - 1))]
    assert total(cost, order) == min(every)


def test_many_points_along_a_line_are_passed_in_their_order():
    x = np.array([0, *np.random.default_rng(3).permutation(np.arange(1, 24)), 24], float)
    order = best_order(np.abs(x[:, None] - x[None, :]))
    assert x[order].tolist() == sorted(x)


@settings(max_examples=examples(15), deadline=None)
@given(st.integers(14, 22), st.integers(0, 1000))
def test_many_points_are_never_in_a_worse_order_than_by_the_nearest_next(count, seed):
    xy = np.random.default_rng(seed).random((count, 2))
    cost = np.hypot(*(xy[:, None] - xy[None, :]).transpose(2, 0, 1))
    order, left = [0], set(range(1, count - 1))
    while left:
        order.append(min(left, key=lambda i: cost[order[-1], i]))
        left.remove(order[-1])
    found = best_order(cost)
    assert sorted(found) == list(range(count)) and total(cost, found) <= total(cost, [*order, count - 1]) + 1e-9
