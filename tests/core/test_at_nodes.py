"""A place at a node stands there: no answer depends on which of the node's streets it was put on."""

from __future__ import annotations

from datetime import datetime

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from awl.core.analysis.centrality import Centrality
from awl.core.analysis.population_points import PopulationPoints, minutes_to_place
from awl.core.network.network import Network
from awl.core.routing.dijkstra.search import UNREACHED
from awl.core.routing.dijkstra.time_dependent import best_leg_by_clock
from awl.core.routing.reach import reach_of
from awl.core.routing.router import StreetRouter
from awl.core.routing.snapping import ON_STREET, Snapped
from tests.core.test_hierarchy import raised
from tests.core.test_search import networks
from tests.examples import examples
from tests.oracle import random_places, time_along

EACH_WAY = pytest.mark.parametrize("direction", ["from", "to"])


def placed(link: list[int], fraction: list[float]) -> Snapped:
    """Places on streets, whose own coordinates do not matter."""
    nothing = np.zeros(len(link))
    status = np.full(len(link), ON_STREET, np.int8)
    return Snapped(np.array(link, np.int32), np.array(fraction), nothing, status, nothing, nothing)


def on_each_street(network: Network, seed: int) -> Snapped:
    """One node, once for each end of a street that meets it."""
    graph, links = network.graph, np.flatnonzero(network.usable)
    ends = np.bincount(np.concatenate([graph.link_from[links], graph.link_to[links]]), minlength=graph.node_count)
    several = np.flatnonzero(ends > 1)
    assume(len(several) > 0)
    node = several[seed % len(several)]
    begins, leads = links[graph.link_from[links] == node], links[graph.link_to[links] == node]
    return placed([*begins, *leads], [0.0] * len(begins) + [1.0] * len(leads))


def both_engines(network: Network) -> tuple[StreetRouter, StreetRouter]:
    return StreetRouter(network), raised(network)


@settings(max_examples=examples(60), deadline=None)
@given(networks(), st.integers(0, 1000), st.sampled_from(["time", "distance"]))
def test_times_from_and_to_a_node_are_those_of_the_node(network, seed, measure):
    same, others = on_each_street(network, seed), random_places(network, 7, seed)
    for one in both_engines(network):
        out, accumulated = one.matrix(same, others, measure)
        back, carried_back = one.matrix(others, same, measure)
        assert (out == out[0]).all() and (back == back[:, :1]).all()
        # Of ways that cost the same, what is carried may be that of either.
        assert accumulated.shape == out.shape and carried_back.shape == back.shape
        assert (one.matrix(same, same, measure)[0] == network.terminal_time(measure)).all()


@settings(max_examples=examples(40), deadline=None)
@given(networks(), st.integers(0, 1000))
def test_ways_from_a_node_cost_the_same_and_pass_what_they_say(network, seed):
    same, others = on_each_street(network, seed), random_places(network, 5, seed)
    engines = both_engines(network)
    for target in range(5):
        pairs = [
            Snapped.joined([same.take(np.array([row])), others.take(np.array([target]))])
            for row in range(len(same.link))
        ]
        paths = [one.path(pair, 0, 1, "time") for pair in pairs for one in engines]
        legs = [None if path is None else path.legs[0] for path in paths]
        costs = {None if leg is None else leg.cost for leg in legs}
        assert len(costs) == 1
        for leg in legs:
            if leg is not None:
                assert time_along(network, leg) == pytest.approx(leg.cost, abs=3)
                begin, end = np.where(leg.along, 0.0, 1.0), np.where(leg.along, 1.0, 0.0)
                begin[0], end[-1] = leg.start, leg.end
                assert len(leg.links) == 1 or (begin != end).all()


@settings(max_examples=examples(40), deadline=None)
@given(networks(), st.integers(0, 1000), st.sampled_from(["from", "to"]))
def test_streets_and_homes_are_reached_alike(network, seed, direction):
    same, others = on_each_street(network, seed), random_places(network, 9, seed)
    others = Snapped.joined([others.take(others.link >= 0), same])
    access_points = others.access_points
    for one in both_engines(network):
        reached, at_homes = [], []
        for row in range(len(same.link)):
            place = same.take(np.array([row]))
            found = one.arrivals(place, "time", direction)
            reach = reach_of(network, place, found)
            reached.append(np.concatenate([reach.link, reach.at_begin, reach.at_end, reach.node_begin, reach.node_end]))
            population_points = homes_at(others)
            at_homes.append(minutes_to_place(population_points, network, place, found))
            assert population_points.minutes(reach) == pytest.approx(at_homes[-1])
            # Who lives at the node is there at once, and whoever lives elsewhere as the matrix says.
            pair = (place, others) if direction == "from" else (others, place)
            cost = one.matrix(*pair, "time")[0].ravel()
            minutes = np.where(cost == UNREACHED, np.inf, cost / 60_000)
            assert at_homes[-1] == pytest.approx(minutes, abs=1e-4)
        assert all(np.array_equal(reached[0], one) for one in reached)
        assert all(np.array_equal(at_homes[0], one) for one in at_homes)
    assert len(access_points.place) >= len(others.link)


def homes_at(places: Snapped) -> PopulationPoints:
    """One home at each place."""
    count = len(places.link)
    nothing = np.zeros(count)
    return PopulationPoints(
        np.zeros(count, np.int64), np.full(count, 1 / count), places.link, places.fraction, nothing, nothing, nothing, 1,
        places.alternatives,
    )  # fmt: skip


@settings(max_examples=examples(40), deadline=None)
@given(networks(), st.integers(0, 1000))
def test_trips_pass_the_same_streets(network, seed):
    same, others = on_each_street(network, seed), random_places(network, 1, seed, alternatives=False)
    high, count = raised(network), len(same.link)
    ends = Snapped.joined([others] * count)
    ways = high.trips(same, ends, "time")
    assert (ways.cost == ways.cost[0]).all()
    for row in range(count if ways.cost[0] > 0 else 0):
        first, begun = (ways.arc[ways.start[i] : ways.start[i + 1]] for i in (0, row))
        assert np.array_equal(first, begun)


def test_a_trip_by_the_clock_waits_where_it_begins_whichever_street_it_leaves_by(study):
    network = study.network("drive")
    signals = np.flatnonzero(network.turn_delays.at_node > 0)
    graph, links = network.graph, np.flatnonzero(network.usable)
    node = next(n for n in signals.tolist() if (graph.link_from[links] == n).sum() >= 2)
    begins = links[graph.link_from[links] == node]
    by_clock = network.at(datetime(2026, 6, 3, 8))
    for link in begins.tolist():
        inner = placed([link], [0.5])
        costs = []
        for other in begins.tolist():
            leg = best_leg_by_clock(by_clock, Snapped.joined([placed([other], [0.0]), inner]), 0, 1, 8 * 3_600_000.0)
            costs.append(None if leg is None else leg.cost)
            if leg is not None:
                assert leg.delay_ms.sum() >= network.turn_delays.at_node[node]
        assert len(set(costs)) == 1


@settings(max_examples=examples(40), deadline=None)
@given(networks(), st.integers(0, 1000))
def test_places_at_one_node_are_equally_central(network, seed):
    same, others = on_each_street(network, seed), random_places(network, 6, seed)
    places = Snapped.joined([same, others])
    sums = Centrality(StreetRouter(network), places, "time", 1_000_000, np.ones(len(places.link)), 0.001).sums()
    for value in (sums.reached, sums.cost, sums.gravity, sums.passing):
        assert value[: len(same.link)] == pytest.approx(value[0])
