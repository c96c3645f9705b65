"""Times at several hours as lanes: each hour's are those of its own network."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from awl.core.modes.mode import Curve
from awl.core.network.network import Network
from awl.core.routing.cch.customization import customized
from awl.core.routing.cch.hierarchy import Hierarchy
from awl.core.routing.cch.hourly_arrivals import arrivals_by_hour
from awl.core.routing.cch.hourly_matrix import customized_lanes, matrix_by_hour
from awl.core.routing.cch.topology import FAR
from awl.core.routing.dijkstra.plain import arrivals, costs_of, matrix
from awl.core.routing.snapping import Snapped
from tests.core.test_clock import shares
from tests.core.test_search import networks
from tests.core.test_timed_turns import restricted
from tests.examples import examples
from tests.oracle import random_places, without_street


@settings(max_examples=examples(100), deadline=None)
@given(networks(), st.integers(0, 1000), shares, st.integers(1, 16))
def test_every_hour_is_that_of_its_own_network(network, seed, share, count):
    rng = np.random.default_rng(seed)
    hours: list[str | None] = [
        ["07:00-09:00", "Mo-Fr 15:00-20:00", None][k] for k in rng.integers(0, 3, len(network.graph.restrictions))
    ]
    graph = restricted(network.graph, hours, np.ones(len(hours), bool))
    free = Network.of(graph, replace(network.mode, curves=(Curve("weekday", (), tuple(share)),)))
    closed = rng.random(graph.link_count) < 0.1
    at = [free.at(datetime(2026, 6, 3, int(h))) for h in rng.integers(0, 24, count)]
    at = [one.with_closed(closed) if seed % 2 else one for one in at]
    sources, targets = random_places(network, 5, seed), random_places(network, 7, seed + 1)
    # One place lies on no street.
    sources = without_street(sources, np.arange(5) == seed % 9)
    times = matrix_by_hour(Hierarchy.of(free), at, sources, targets)
    assert times.shape == (count, 5, 7)
    for lane, one in enumerate(at):
        assert np.array_equal(times[lane], matrix(one, sources, targets, "time")[0])


@settings(max_examples=examples(60), deadline=None)
@given(networks(), st.integers(0, 1000), shares, st.integers(1, 16), st.sampled_from(["from", "to"]))
def test_what_is_reached_at_every_hour_is_that_of_its_own_network(network, seed, share, count, direction):
    rng = np.random.default_rng(seed)
    free = Network.of(network.graph, replace(network.mode, curves=(Curve("weekday", (), tuple(share)),)))
    closed = rng.random(network.graph.link_count) < 0.1
    at = [free.at(datetime(2026, 6, 3, int(h))) for h in rng.integers(0, 24, count)]
    at = [one.with_closed(closed) if seed % 2 else one for one in at]
    places = random_places(network, 5, seed)
    places = without_street(places, np.arange(5) == seed % 9)
    arcs = np.flatnonzero(np.repeat(network.usable, 2))
    for one, found in zip(at, arrivals_by_hour(Hierarchy.of(free), at, places, direction), strict=True):
        plain = arrivals(one, places, "time", direction)
        assert np.array_equal(found.cost, plain.cost)
        assert np.array_equal(costs_of(found.on_arcs(arcs)), costs_of(plain.on_arcs(arcs)))


def test_lanes_are_metrics_side_by_side(network):
    topology = Hierarchy.of(network).topology
    rng = np.random.default_rng(1)
    costs = [rng.integers(0, 90_000, len(topology.edge)) for _ in range(16)]
    for some in (costs, costs[::-1], costs[:3]):  # the memory of those before serves the next
        with customized_lanes(topology, some) as (up, down):
            for lane in {0, len(some) // 2, len(some) - 1}:
                metric = customized(topology, some[lane])
                assert np.array_equal(up[:, lane], metric.cost[0]) and np.array_equal(down[:, lane], metric.cost[1])
            assert (up[:, len(some) :] == FAR).all() and (down[:, len(some) :] == FAR).all()


def test_lanes_used_at_the_same_time_do_not_share_memory(network):
    topology = Hierarchy.of(network).topology
    costs = [np.full(len(topology.edge), cost) for cost in (7, 9)]
    with customized_lanes(topology, costs[:1]) as (one, _), customized_lanes(topology, costs[1:]) as (two, _):
        assert one[:, 0].min() == 7 and two[:, 0].min() == 9


def test_more_hours_than_lanes_and_foreign_states_are_refused(network, walk):
    places = random_places(network, 2, 1)
    high = Hierarchy.of(network)
    with pytest.raises(ValueError, match="16 hours"):
        matrix_by_hour(high, [network] * 17, places, places)
    other = Network.of(network.graph, network.mode)
    with pytest.raises(ValueError, match="share"):
        matrix_by_hour(high, [network, other], places, places)
    assert isinstance(places, Snapped)
