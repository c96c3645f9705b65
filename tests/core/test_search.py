"""Searches against an independent oracle, on random networks and on a cut of Ferrow."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import connected_components

from awl.core.columns import Categorical
from awl.core.errors import AwlError
from awl.core.graph.build import build_graph
from awl.core.graph.raw import RawExtract
from awl.core.graph.street_graph import StreetGraph
from awl.core.graph.turns import DELAY, Placed, TurnRestrictions
from awl.core.modes.mode import DRIVE, Delays
from awl.core.network.network import Network
from awl.core.network.parts import strong_parts
from awl.core.routing.dijkstra.plain import arrivals, best_leg, costs_of, matrix, owners_of
from awl.core.routing.dijkstra.search import UNREACHED
from awl.core.routing.reach import reach_of, reached_parts
from tests.examples import examples
from tests.oracle import random_places, time_along, times_between


@st.composite
def networks(draw) -> Network:
    """Random street networks: one-ways, parallel links, loops, several parts, links of equal and of tiny length."""
    nodes = draw(st.integers(2, 24))
    rng = np.random.default_rng(draw(st.integers(0, 2**32 - 1)))
    count = draw(st.integers(1, 60))
    on_grid = draw(st.booleans())  # equal lengths make ties
    spots = rng.integers(0, 5, (2, nodes)) * 1e-3 if on_grid else rng.uniform(0, 5e-3, (2, nodes))
    pairs = rng.integers(0, nodes, (count, 2))
    oneway = [["no", "yes", "-1"][k] for k in rng.choice(3, count, p=[0.5, 0.35, 0.15])]
    raw = RawExtract(
        node_id=np.arange(1, nodes + 1),
        node_lon=-36.2 + spots[0],
        node_lat=41.3 + spots[1],
        tagged_nodes=np.zeros(0, np.int64),
        node_tags={},
        way_id=np.arange(1, count + 1),
        way_start=np.arange(0, 2 * count + 1, 2),
        way_refs=pairs.ravel() + 1,
        way_tags={
            "highway": Categorical.of(["residential"] * count),
            "oneway": Categorical.of(oneway),
            "maxspeed": Categorical.of([str(v) for v in rng.choice([20, 30, 50], count)]),
            "access": Categorical.of([["yes", "private"][k] for k in rng.choice(2, count, p=[0.85, 0.15])]),
        },
        relations=(),
    )
    try:
        graph = build_graph(raw)[0]
        signals = Categorical.of([["traffic_signals", None][k] for k in rng.choice(2, graph.node_count)])
        graph = replace(graph, node_tags={"highway": signals}, restrictions=random_restrictions(graph, rng))
        delays = draw(st.sampled_from([DRIVE.delays, Delays(signals_s=5, start_s=20, end_s=30), Delays(back_s=7)]))
        return Network.of(graph, replace(DRIVE, delays=delays))
    except AwlError:
        return draw(networks())


def random_restrictions(graph: StreetGraph, rng: np.random.Generator) -> TurnRestrictions:
    """Turns forbidden and demanded at random, some over one and two links between."""
    made = []
    for number in range(int(rng.integers(0, 12))):
        links = [int(rng.integers(graph.link_count))]
        at = via = int(graph.link_to[links[0]] if rng.random() < 0.5 else graph.link_from[links[0]])
        for _ in range(int(rng.integers(1, 4))):
            touching = np.flatnonzero((graph.link_from == at) | (graph.link_to == at))
            links.append(int(rng.choice(touching)))
            at = int(graph.link_to[links[-1]] if graph.link_from[links[-1]] == at else graph.link_from[links[-1]])
        loops = graph.link_from[links] == graph.link_to[links]
        if len(set(links)) == len(links) and not loops.any():
            kind = "only_straight_on" if rng.random() < 0.3 else "no_left_turn"
            made.append(Placed(number + 1, links[0], via, tuple(links[1:-1]), links[-1], kind))
            if len(links) == 2 and rng.random() < 0.3:
                made[-1] = replace(made[-1], kind=DELAY, delay_s=float(rng.integers(0, 90)))
    return TurnRestrictions.of(made)


def same(ours, oracle, tolerance: float) -> None:
    """Equal up to rounding to whole milliseconds along a path; unreached where the oracle has no way."""
    seconds = np.where(ours == UNREACHED, np.inf, ours / 1000)
    assert (np.isinf(seconds) == np.isinf(oracle)).all()
    finite = np.isfinite(oracle)
    assert np.abs(seconds[finite] - oracle[finite]).max(initial=0) <= tolerance


@settings(max_examples=examples(120), deadline=None)
@given(networks(), st.integers(0, 1000), st.sampled_from(["time", "distance"]))
def test_matrix_equals_the_oracle_on_random_networks(network, seed, measure):
    places = random_places(network, 7, seed)
    cost, _ = matrix(network, places, places, measure)
    same(cost, times_between(network, places, measure), 0.003)


@pytest.mark.parametrize("measure", ["time", "distance"])
def test_matrix_equals_the_oracle_on_ferrow(network, measure):
    places = random_places(network, 60, 11)
    cost, accumulated = matrix(network, places, places, measure)
    same(cost, times_between(network, places, measure), 0.003)
    # What is carried along is the other cost of the same path, never less than the best of it.
    other, _ = matrix(network, places, places, {"time": "distance", "distance": "time"}[measure])
    reached = cost != UNREACHED
    assert (accumulated[reached] >= other[reached] - 3).all()


def test_limit_keeps_what_lies_within_and_nothing_else(walk):
    places = random_places(walk, 40, 5)
    whole, _ = matrix(walk, places, places, "time")
    cut, _ = matrix(walk, places, places, "time", limit=300_000)
    assert (cut[whole <= 300_000] == whole[whole <= 300_000]).all()
    assert (cut[whole > 300_000] == UNREACHED).all()


def test_threads_give_the_same_answer(network):
    places = random_places(network, 50, 8)
    one, four = (matrix(network, places, places, "time", threads=k)[0] for k in (1, 4))
    assert (one == four).all()


@settings(max_examples=examples(80), deadline=None)
@given(networks(), st.integers(0, 1000))
def test_nearest_place_wins_and_ties_go_to_the_first(network, seed):
    places = random_places(network, 4, seed)
    found = arrivals(network, places, "time")
    each = [arrivals(network, places.take(np.array([k])), "time") for k in range(4)]
    assert (found.cost == np.min([one.cost for one in each], axis=0)).all()
    costs = np.array([costs_of(one.label) for one in each])
    best, owner = costs.min(axis=0), owners_of(found.label)
    assert (costs_of(found.label) == best).all()
    reached = best != UNREACHED
    assert (owner[reached] == np.argmin(costs, axis=0)[reached]).all()
    assert (owner[~reached] == -1).all()


@settings(max_examples=examples(80), deadline=None)
@given(networks(), st.integers(0, 1000))
def test_searching_towards_a_place_is_searching_from_it_on_reversed_streets(network, seed):
    places = random_places(network, 2, seed)
    places = replace(
        places, alternatives=places.alternatives.take(places.alternatives.place == 0)
    )  # a point of the reach is on one link
    towards = arrivals(network, places.take(np.array([0])), "time", "to")
    reach = reach_of(network, places.take(np.array([0])), towards)
    rows = np.flatnonzero(
        (reach.link == places.link[1]) & (reach.begin <= places.fraction[1]) & (places.fraction[1] <= reach.end)
    )
    back = reach.at(rows, np.full(len(rows), places.fraction[1])).min()
    there = times_between(network, places)[1, 0]
    assert back / 1000 == pytest.approx(there, abs=0.003)


@settings(max_examples=examples(60), deadline=None)
@given(networks(), st.integers(0, 1000))
def test_a_path_is_joined_and_costs_what_it_says(network, seed):
    places = random_places(network, 2, seed)
    expected = times_between(network, places)[0, 1]
    leg = best_leg(network, places, 0, 1, "time")
    if leg is None:
        assert np.isinf(expected)
        return
    assert (leg.cost + network.terminal_time("time")) / 1000 == pytest.approx(expected, abs=0.003)
    graph = network.graph
    enters = np.where(leg.along, graph.link_from[leg.links], graph.link_to[leg.links])
    leaves = np.where(leg.along, graph.link_to[leg.links], graph.link_from[leg.links])
    if len(leg.links) > 1:
        assert (leaves[:-1] == enters[1:]).all()
    for at, end in enumerate((0, -1)):
        access_points = places.take(np.array([at])).access_points
        assert (leg.links[end], leg.access_share[at]) in zip(
            access_points.link.tolist(), access_points.access_share.tolist(), strict=True
        )
    begin, end = np.where(leg.along, 0.0, 1.0), np.where(leg.along, 1.0, 0.0)
    begin[0], end[-1] = leg.start, leg.end
    travelled = begin != end
    assert (np.where(leg.along, network.forward[leg.links], network.backward[leg.links]))[travelled].all()
    assert time_along(network, leg) == pytest.approx(leg.cost, abs=3)


@settings(max_examples=examples(80), deadline=None)
@given(networks(), st.integers(0, 1000), st.floats(0.5, 60), st.sampled_from(["from", "to"]))
def test_reached_parts_are_those_whose_arrival_is_within_the_limit(network, seed, seconds, direction):
    places = random_places(network, 3, seed)
    limit = seconds * 1000
    found = arrivals(network, places, "time", direction)
    reach = reach_of(network, places, found)
    parts = reached_parts(reach, limit)
    assert (parts.end > parts.begin).all()
    # Dense sampling of every piece tells the reached length independently of the splitting.
    shares = (np.arange(400) + 0.5) / 400
    for row in range(len(reach.link)):
        span = reach.end[row] - reach.begin[row]
        at = reach.begin[row] + shares * span
        sampled = (reach.at(np.full(400, row), at) <= limit).mean() * span
        mine = parts.piece == row
        assert (parts.end[mine] - parts.begin[mine]).sum() == pytest.approx(sampled, abs=0.006 * max(span, 0.01))
    middle = (parts.begin + parts.end) / 2
    expected = (parts.arrival_begin + parts.arrival_end) / 2
    assert reach.at(parts.piece, middle) == pytest.approx(expected, abs=1e-3)
    assert (np.maximum(parts.arrival_begin, parts.arrival_end) <= limit + 1e-6).all()


@settings(max_examples=examples(100), deadline=None)
@given(st.integers(1, 40), st.integers(0, 120), st.integers(0, 2**32 - 1))
def test_strong_parts_equal_scipy(nodes, count, seed):
    rng = np.random.default_rng(seed)
    tail, head = rng.integers(0, nodes, (2, count)).astype(np.int32)
    order = np.argsort(tail, kind="stable")
    start = np.searchsorted(tail[order], np.arange(nodes + 1)).astype(np.int64)
    ours = strong_parts(start, head[order])
    adjacency = csr_matrix((np.ones(count), (tail, head)), shape=(nodes, nodes))
    parts, theirs = connected_components(adjacency, connection="strong")
    assert len(set(zip(ours.tolist(), theirs.tolist(), strict=True))) == parts == len(set(ours.tolist()))


def test_closing_links_takes_them_out_of_every_way(walk):
    places = random_places(walk, 2, 3, alternatives=False)
    leg = best_leg(walk, places, 0, 1, "time")
    assert leg is not None and len(leg.links) > 4
    closed = np.zeros(walk.graph.link_count, bool)
    closed[leg.links[2]] = True
    detour = best_leg(walk.with_closed(closed), places, 0, 1, "time")
    assert detour is not None
    assert leg.links[2] not in detour.links
    assert detour.cost >= leg.cost
    assert times_between(walk.with_closed(closed), places)[0, 1] == pytest.approx(detour.cost / 1000, abs=0.003)
