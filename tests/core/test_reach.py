"""Reach is exact along every link: against the oracle at random points, with limits and owners."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from awl.core.routing.cch.hierarchy import Hierarchy
from awl.core.routing.dijkstra.plain import arrivals
from awl.core.routing.dijkstra.search import NO_LIMIT, UNREACHED
from awl.core.routing.reach import reach_of, reached_parts
from awl.core.routing.router import StreetRouter
from awl.core.routing.snapping import Snapped
from tests.core.test_search import networks
from tests.examples import examples
from tests.oracle import random_places, times_between


def searched(network, places, direction="from", measure="time"):
    found = arrivals(network, places, measure, direction, int(NO_LIMIT))
    return reach_of(network, places, found)


@pytest.mark.parametrize("direction", ["from", "to"])
def test_the_arrival_at_any_point_is_the_oracles(network, direction):
    places, spots = random_places(network, 3, 5), random_places(network, 60, 6, alternatives=False)
    reach = searched(network, places, direction)
    key = reach.link + np.minimum(reach.begin, 1 - 1e-12)
    row = np.searchsorted(key, spots.link + np.minimum(spots.fraction, 1 - 1e-9), side="right") - 1
    ours = reach.at(row, spots.fraction) / 1000
    everything = Snapped.joined([places, spots])
    if direction == "from":
        theirs = times_between(network, everything, starts=np.arange(3))[:, 3:].min(axis=0)
    else:
        theirs = times_between(network, everything, starts=np.arange(3, 63))[:, :3].min(axis=1)
    # At the end of a link a point stands at the node, where other links may bring it sooner.
    inner = (spots.fraction > 0) & (spots.fraction < 1)
    assert ours[inner] == pytest.approx(theirs[inner], abs=0.06)


@pytest.mark.parametrize("limit_s", [30, 120, 400])
def test_parts_hold_what_is_within_the_limit_and_nothing_else(walk, limit_s):
    places = random_places(walk, 4, 9)
    reach = searched(walk, places)
    parts = reached_parts(reach, limit_s * 1000)
    assert (parts.end > parts.begin).all()
    assert max(parts.arrival_begin.max(), parts.arrival_end.max()) <= limit_s * 1000 + 1e-6
    # Parts of a link do not overlap, and sampled points are reached exactly when a part holds them.
    rng = np.random.default_rng(1)
    rows = rng.integers(0, len(reach.link), 400)
    fraction = reach.begin[rows] + rng.uniform(0, 1, 400) * (reach.end[rows] - reach.begin[rows])
    arrival = reach.at(rows, fraction)
    for link, at, when in zip(reach.link[rows], fraction, arrival, strict=True):
        holding = ((parts.link == link) & (parts.begin <= at) & (at <= parts.end)).sum()
        if abs(when - limit_s * 1000) > 1:
            assert (holding >= 1) == (when < limit_s * 1000)


def test_every_part_belongs_to_its_nearest_place(walk):
    places = random_places(walk, 5, 12)
    parts = reached_parts(searched(walk, places), int(NO_LIMIT))
    alone = [searched(walk, places.take(np.array([i]))) for i in range(5)]
    rng = np.random.default_rng(2)
    for row in rng.integers(0, len(parts.link), 40):
        link, at = parts.link[row], (parts.begin[row] + parts.end[row]) / 2
        times = []
        for one in alone:
            mine = np.flatnonzero((one.link == link) & (one.begin <= at) & (at <= one.end))
            times.append(one.at(mine, np.full(len(mine), at)).min())
        assert times[parts.owner[row]] == pytest.approx(min(times), abs=2)


@settings(deadline=None, max_examples=examples(25))
@given(st.integers(1, 600), st.integers(1, 600))
def test_a_larger_limit_reaches_more(walk, a, b):
    reach = searched(walk, random_places(walk, 2, 3))
    low, high = sorted((a, b))
    length = walk.graph.link_length
    metres = [((p.end - p.begin) * length[p.link]).sum() for p in (reached_parts(reach, k * 1000) for k in (low, high))]
    assert metres[0] <= metres[1] + 1e-6


@settings(max_examples=examples(60), deadline=None)
@given(networks(), st.integers(0, 1000), st.sampled_from(["from", "to"]), st.booleans())
def test_a_head_start_is_what_each_place_alone_would_take_longer(network, seed, direction, prepared):
    places, rng = random_places(network, 4, seed), np.random.default_rng(seed)
    head_start = rng.integers(0, 90_000, 4).astype(np.int32)
    router = StreetRouter(network, Hierarchy.of(network) if prepared else None)
    found, reach = router.reach(places, "time", direction, head_start=head_start)
    rows = rng.integers(0, len(reach.link), 40)
    at = reach.begin[rows] + rng.uniform(0.01, 0.99, 40) * (reach.end[rows] - reach.begin[rows])
    least, at_nodes = np.full(40, np.inf), np.full(network.graph.node_count, np.inf)
    for place in range(4):
        alone = arrivals(network, places.take(np.array([place])), "time", direction)
        mine = reach_of(network, places.take(np.array([place])), alone)
        for i, (row, x) in enumerate(zip(rows, at, strict=True)):
            inner = np.flatnonzero((mine.link == reach.link[row]) & (mine.begin <= x))[-1:]
            least[i] = np.min(
                mine.at(inner, x) + head_start[place], initial=least[i]
            )  # none where it does not come there
        cost = np.where(alone.cost == UNREACHED, np.inf, alone.cost.astype(np.float64))
        at_nodes = np.minimum(at_nodes, cost + head_start[place])
    assert np.array_equal(np.where(found.cost == UNREACHED, np.inf, found.cost.astype(np.float64)), at_nodes)
    assert reach.at(rows, at) == pytest.approx(least, abs=0.01)
