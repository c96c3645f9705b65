"""The best candidates against trying out every choice, and people as dots."""

from __future__ import annotations

from itertools import combinations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from awl.core.analysis import location_allocation as sites
from awl.core.analysis.dot_density import MOST_DOTS, dots, people_per_dot
from awl.core.analysis.location_allocation import best_sites
from awl.core.analysis.travel_times import Times
from tests.examples import examples


@settings(max_examples=examples(80), deadline=None)
@given(st.integers(1, 40), st.integers(1, 7), st.integers(1, 4), st.integers(0, 2**32 - 1))
def test_the_best_choice_is_that_of_all(population_points, places, choose, seed):
    rng = np.random.default_rng(seed)
    table = np.where(
        rng.random((population_points, places)) < 0.5, np.inf, rng.uniform(0, 20, (population_points, places))
    )
    people, served = rng.uniform(0, 30, population_points), rng.random(population_points) < 0.3
    found = best_sites(Times.of_table(table), 10, people, served, choose)

    def gain(choice):
        return people[~served & (table[:, list(choice)] <= 10).any(axis=1)].sum()

    every = list(combinations(range(places), min(choose, places)))
    assert found.exact and found.choices[0][1] == pytest.approx(max(map(gain, every)))
    for choice, gained in found.choices:
        assert gained == pytest.approx(gain(choice))
    assert (np.diff([gained for _, gained in found.choices]) <= 1e-5).all()
    assert found.alone == pytest.approx([gain([place]) for place in range(places)])


@settings(max_examples=examples(40), deadline=None)
@given(st.integers(1, 40), st.integers(2, 8), st.integers(1, 4), st.integers(0, 2**32 - 1))
def test_one_after_the_other_gains_at_least_its_guaranteed_share(population_points, places, choose, seed):
    rng = np.random.default_rng(seed)
    times = Times.of_table(
        np.where(rng.random((population_points, places)) < 0.5, np.inf, rng.uniform(0, 20, (population_points, places)))
    )
    people, nobody = rng.uniform(0, 30, population_points), np.zeros(population_points, bool)
    exact = best_sites(times, 10, people, nobody, choose).choices[0][1]
    former = sites.MOST_CHOICES
    sites.MOST_CHOICES = 0
    try:
        found = best_sites(times, 10, people, nobody, choose)
    finally:
        sites.MOST_CHOICES = former
    assert not found.exact and len(found.best) == min(choose, places) == len(set(found.best))
    assert exact + 1e-6 >= found.choices[0][1] >= (1 - 1 / np.e) * exact - 1e-6


@settings(max_examples=examples(60), deadline=None)
@given(st.lists(st.floats(0, 50), min_size=1, max_size=200), st.integers(1, 20))
def test_dots_stand_where_people_are_and_are_as_many(people, per):
    heads = np.array(people)
    rows = dots(heads, per)
    assert abs(len(rows) * per - heads.sum()) <= per / 2 + 1e-6
    assert (np.diff(rows) >= 0).all() and (heads[rows] > 0).all()
    # No stretch of homes has more dots than its people, by more than one.
    for begin in range(0, len(heads), 17):
        inside = ((rows >= begin) & (rows < begin + 17)).sum()
        assert abs(inside * per - heads[begin : begin + 17].sum()) <= per + 1e-6


def test_a_dot_stands_for_a_round_number_of_people():
    assert [people_per_dot(people) for people in (0, 900, 2500, 2501, 40_000, 180_000)] == [1, 1, 1, 2, 20, 100]
    assert all(people / people_per_dot(people) <= MOST_DOTS for people in (3e3, 7.7e4, 1e6))
