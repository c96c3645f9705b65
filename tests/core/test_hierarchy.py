"""The hierarchy gives what a plain search gives: on random networks with turns, ends and delays, and on a cut of Ferrow."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import dijkstra

from awl.core import branches
from awl.core.errors import Cancelled
from awl.core.network.network import Network
from awl.core.progress import Progress
from awl.core.routing.cch import hierarchy
from awl.core.routing.cch.customization import customized, unpacking_of
from awl.core.routing.cch.hierarchy import Hierarchy
from awl.core.routing.cch.order import dissection
from awl.core.routing.cch.partial import customized_again, steps_by_edge, ways_again
from awl.core.routing.cch.perfect import reduced_graph
from awl.core.routing.cch.topology import FAR, topology_in_order
from awl.core.routing.dijkstra.plain import arrivals, best_leg, matrix
from awl.core.routing.dijkstra.search import NO_LIMIT, UNREACHED
from awl.core.routing.router import StreetRouter
from awl.core.routing.snapping import Snapped
from tests.core.test_customizing import as_costs
from tests.core.test_search import networks
from tests.examples import examples
from tests.oracle import random_places, time_along


def raised(network: Network, trim: bool = False) -> StreetRouter:
    """Its router with a hierarchy, which may be left with the edges only that best ways use."""
    high = Hierarchy.of(network)
    for measure, accumulated in (("time", "distance"), ("distance", "time")):
        high.unpacking(network, measure, accumulated)
        if trim:
            high.trim(network, measure)
    return StreetRouter(network, high)


def check_path(network, leg) -> None:
    graph = network.graph
    enters = np.where(leg.along, graph.link_from[leg.links], graph.link_to[leg.links])
    leaves = np.where(leg.along, graph.link_to[leg.links], graph.link_from[leg.links])
    assert (leaves[:-1] == enters[1:]).all()
    assert time_along(network, leg) == pytest.approx(leg.cost, abs=3)


@settings(max_examples=examples(150), deadline=None)
@given(networks(), st.integers(0, 1000), st.sampled_from(["time", "distance"]), st.floats(1, 400), st.booleans())
def test_many_to_many_equals_plain_searches(network, seed, measure, limit, trim):
    places = random_places(network, 20, seed)
    high = raised(network, trim)
    plain, none = matrix(network, places, places, measure, round(limit * 1000), carrying=False)
    ours, extra = high.matrix(places, places, measure, round(limit * 1000))
    assert np.array_equal(plain, ours)
    assert none.size == 0
    assert np.array_equal(plain, high.matrix(places, places, measure, round(limit * 1000), carrying=False)[0])
    # What is carried is the other cost of one of the best ways, never less than the best of it.
    least, _ = matrix(network, places, places, {"time": "distance", "distance": "time"}[measure])
    reached = ours != UNREACHED
    assert (extra[reached] >= least[reached].astype(np.int64) - 5).all()


@settings(max_examples=examples(80), deadline=None)
@given(networks())
def test_edges_left_are_those_that_cost_what_the_best_way_costs(network):
    start, head, cost, _ = network.search_rows("time", "distance", "from")
    size = network.states.count
    steps = coo_matrix((size, size)).tolil()
    for tail in range(size):  # of several steps between two states the least counts; none costs nothing
        for row in range(start[tail], start[tail + 1]):
            if tail != head[row]:
                steps[tail, head[row]] = min(cost[row] + 1e-3, steps[tail, head[row]] or np.inf)
    least = dijkstra(steps.tocsr())
    high = Hierarchy.of(network)
    topology, metric = high.topology, high.metric(network, "time")
    sides = reduced_graph(topology, metric)
    for way, side in enumerate((sides.up, sides.down)):
        near, far = (
            topology.state[np.repeat(np.arange(topology.count), np.diff(topology.start))],
            topology.state[topology.head],
        )
        best = least[near, far] if way == 0 else least[far, near]
        kept = np.zeros(len(near), bool)
        every = np.arange(topology.count, dtype=np.int32)
        kept[side.within(every, every, topology)[1]] = True
        assert np.array_equal(kept, (metric.cost[way] < FAR) & (metric.cost[way] <= best))


@settings(max_examples=examples(120), deadline=None)
@given(
    networks(),
    st.integers(0, 1000),
    st.sampled_from(["from", "to"]),
    st.sampled_from(["time", "distance"]),
    st.booleans(),
    st.integers(0, 400_000) | st.just(int(NO_LIMIT)),
)
def test_one_to_all_equals_a_plain_search(network, seed, direction, measure, trim, limit):
    places = random_places(network, 1 + seed % 4, seed)
    high = raised(network, trim)
    for _ in range(2):  # a search leaves its scratch as it found it
        plain, ours = (one.arrivals(places, measure, direction, limit) for one in (StreetRouter(network), high))
        assert np.array_equal(plain.label, ours.label)
    arcs = np.arange(2 * network.graph.link_count)
    assert np.array_equal(plain.on_arcs(arcs), ours.on_arcs(arcs))


@settings(max_examples=examples(120), deadline=None)
@given(networks(), st.integers(0, 1000), st.booleans())
def test_a_way_costs_what_a_plain_search_finds_and_is_joined(network, seed, trim):
    places = random_places(network, 7, seed)
    high = raised(network, trim)
    for target in range(7):
        one, two = best_leg(network, places, 0, target, "time"), high.path(places, 0, target, "time")
        assert (one is None) == (two is None)
        if one is not None and two is not None:
            assert one.cost == two.cost
            check_path(network, two.legs[0])


def test_on_ferrow(network):
    places = random_places(network, 90, 5)
    high = raised(network)
    for measure in ("time", "distance"):
        assert np.array_equal(matrix(network, places, places, measure)[0], high.matrix(places, places, measure)[0])
    for direction in ("from", "to"):
        plain, ours = (
            one.arrivals(places.take(np.arange(3)), "time", direction) for one in (StreetRouter(network), high)
        )
        assert np.array_equal(plain.label, ours.label)
    for target in range(1, 40):
        one, two = best_leg(network, places, 0, target, "time"), high.path(places, 0, target, "time")
        assert one.cost == two.cost
        check_path(network, two.legs[0])


def test_a_limit_passes_over_what_it_does_not_reach_on_ferrow(network):
    places = random_places(network, 3, 1)
    high = raised(network, trim=True)
    whole = arrivals(network, places, "time")
    farthest = int(whole.cost[whole.cost != UNREACHED].max())
    for share in (0, 0.002, 0.03, 0.1, 0.5, 1):
        for direction in ("from", "to"):
            plain, ours = (
                one.arrivals(places, "time", direction, round(share * farthest))
                for one in (StreetRouter(network), high)
            )
            assert np.array_equal(plain.label, ours.label)


@settings(max_examples=examples(80), deadline=None)
@given(st.integers(1, 80), st.integers(0, 200), st.integers(0, 2**32 - 1))
def test_an_order_names_every_node_once(nodes, count, seed):
    rng = np.random.default_rng(seed)
    a, b = rng.integers(0, nodes, (2, count))
    x, y = rng.integers(0, 4, (2, nodes)).astype(float)  # many in one place
    assert np.array_equal(np.sort(dissection(nodes, a, b, x, y)), np.arange(nodes))


def test_a_grid_is_cut_where_it_is_narrow():
    side = 40
    number = np.arange(side * side).reshape(side, side)
    a = np.concatenate([number[:, :-1].ravel(), number[:-1].ravel()])
    b = np.concatenate([number[:, 1:].ravel(), number[1:].ravel()])
    order = dissection(side * side, a, b, (number % side).ravel().astype(float), (number // side).ravel().astype(float))
    # Without the last nodes of the order, those of the first cut, the grid falls into two parts of like size.
    last = np.zeros(side * side, bool)
    last[order[-side:]] = True
    from scipy.sparse import csr_matrix
    from scipy.sparse.csgraph import connected_components

    keep = ~last[a] & ~last[b]
    _, part = connected_components(csr_matrix((np.ones(keep.sum()), (a[keep], b[keep])), shape=(side * side,) * 2))
    largest = np.sort(np.bincount(part[~last]))[::-1]
    assert largest[0] < 0.76 * side * side and largest[1] > 0.2 * side * side


@settings(max_examples=examples(200), deadline=None)
@given(networks(), st.integers(0, 2**32 - 1), st.integers(1, 6))
def test_customizing_in_part_equals_customizing_anew(network, seed, count):
    rng = np.random.default_rng(seed)
    topology = Hierarchy.of(network).topology
    steps = steps_by_edge(topology)
    cost = rng.integers(0, 6, len(topology.edge)) * 1000  # many ties
    far = rng.integers(0, 9, len(cost))
    metric = customized(topology, cost)
    ways = unpacking_of(topology, metric, cost, far)
    for _ in range(3):
        changed = rng.integers(0, len(cost), min(count, len(cost))) if len(cost) else np.zeros(0, np.int64)
        cost = cost.copy()
        cost[changed] = rng.choice([0, 1000, 3000, 9000, 2**31 - 1], len(changed))
        metric, looked_at = customized_again(topology, steps, metric, as_costs(cost), changed)
        ways = ways_again(topology, steps, metric, ways, (as_costs(cost), as_costs(far)), looked_at)
        anew = customized(topology, cost)
        ways_anew = unpacking_of(topology, anew, cost, far)
        assert np.array_equal(metric.cost, anew.cost)
        assert np.array_equal(ways.via, ways_anew.via) and np.array_equal(ways.accumulated, ways_anew.accumulated)


@settings(max_examples=examples(120), deadline=None)
@given(networks(), st.integers(0, 2**32 - 1), st.integers(1, 4))
def test_streets_closed_and_slowed_one_after_another_cost_what_they_cost_anew(network, seed, count):
    rng = np.random.default_rng(seed)
    made = raised(network)
    links = network.graph.link_count
    for _ in range(count):
        few = rng.random(links) < rng.choice([0.0, 0.1, 0.5])
        slower = np.where(few, rng.uniform(1, 4, links), 1.0)
        closes = rng.random() < 0.6
        before = made.network
        made = made.on(before.with_closed(few) if closes else before.with_slower(slower))
        asked = rng.random() < 0.5 or closes
        for measure, accumulated in (("time", "distance"), ("distance", "time")):
            if not asked:  # what is not asked for between is made up for later
                continue
            ways = made.prepared().unpacking(made.network, measure, accumulated)
            # The other knows of no network before it, so it takes nothing over.
            streets = Network.of(network.graph, network.mode).streets
            anew = Network(streets, closed=made.network.closed, slower=made.network.slower)
            costs = [anew.step_costs(one) for one in (measure, accumulated)]
            assert np.array_equal(made.network.step_costs(measure), costs[0])
            whole = customized(made.prepared().topology, costs[0])
            assert np.array_equal(made.prepared().metric(made.network, measure).cost, whole.cost)
            named = unpacking_of(made.prepared().topology, whole, *costs)
            assert np.array_equal(ways.via, named.via) and np.array_equal(ways.accumulated, named.accumulated)


@settings(max_examples=examples(120), deadline=None)
@given(networks(), st.integers(0, 1000), st.sampled_from(["time", "distance"]))
def test_many_trips_equal_single_ways(network, seed, measure):
    high = raised(network)
    sources, targets = random_places(network, 12, seed), random_places(network, 12, seed + 1)
    both = Snapped.joined([sources, targets])
    trips = high.trips(sources, targets, measure)
    for i in range(12):
        plain, leg = best_leg(network, both, i, 12 + i, measure), trips.leg(i)
        assert (plain is None) == (leg is None)
        if leg is not None:
            assert plain.cost == leg.cost
            if measure == "time":
                check_path(network, leg)


def test_what_is_prepared_for_one_mode_takes_at_most_400_bytes_a_state(network):
    high = Hierarchy.of(network)
    high.unpacking(network, "time", "distance")
    high.trim(network, "time")
    edges, states, steps = len(high.topology.head), high.topology.count, len(high.topology.edge)
    # Costs, what they stand for and carry each way; heads and starts; for each step its edge.
    assert high.nbytes >= 4 * (7 * edges + 5 * states + steps)
    assert high.nbytes <= 400 * states


def test_threads_give_what_one_thread_gives(network):
    high = raised(network)
    sources, targets = random_places(network, 1500, 3), random_places(network, 1500, 4)
    one, two = (high.trips(sources, targets, "time", threads=n) for n in (1, 3))
    for name in ("cost", "accumulated", "start", "arc", "delay_ms"):
        assert np.array_equal(getattr(one, name), getattr(two, name)), name
    few = sources.take(np.arange(100))
    tables = [high.matrix(few, few, "time", threads=n) for n in (1, 3)]
    assert np.array_equal(tables[0][0], tables[1][0]) and np.array_equal(tables[0][1], tables[1][1])


def test_long_work_stops_when_asked(network):
    high = raised(network)
    places = random_places(network, 3000, 3)
    progress = Progress()
    seen = []
    progress.step = lambda done, what: (seen.append(done), progress.stop(), Progress.step(progress, done, what))
    with pytest.raises(Cancelled):
        high.trips(places, places, "time", progress=progress)
    assert len(seen) == 1


def test_costs_put_in_again_are_those_of_a_hierarchy_made_anew(network):
    high = Hierarchy.of(network)
    rng = np.random.default_rng(3)
    cost = network.step_costs("time")
    for _ in range(3):
        cost = np.where(rng.random(len(cost)) < 0.05, 2**31 - 1, rng.integers(1, 100_000, len(cost)))
        metric, again = customized(high.topology, cost), customized(Hierarchy.of(network).topology, cost)
        assert np.array_equal(metric.cost, again.cost) and (metric.cost <= FAR).all()


def test_closing_and_slowing_streets_is_seen_without_preparing_anew(network):
    places = random_places(network, 30, 7)
    high = raised(network)
    rng = np.random.default_rng(2)
    closed = rng.random(network.graph.link_count) < 0.05
    slower = np.where(rng.random(network.graph.link_count) < 0.3, 3.0, 1.0)
    for other in (
        network.with_closed(closed),
        network.with_slower(slower),
        network.with_closed(closed).with_slower(slower),
    ):
        plain, ours = StreetRouter(other), high.on(other)
        assert ours.hierarchy.topology is high.hierarchy.topology and not ours.hierarchy.ready("time")
        assert np.array_equal(plain.matrix(places, places, "time")[0], ours.matrix(places, places, "time")[0])
        assert ours.hierarchy.ready("time")
        one, two = (each.arrivals(places.take(np.arange(2)), "time", "to") for each in (plain, ours))
        assert np.array_equal(one.label, two.label)


def test_closing_a_few_streets_puts_the_metric_right_in_part(network, monkeypatch):
    high = raised(network)
    closed = np.zeros(network.graph.link_count, bool)
    closed[np.flatnonzero(network.usable)[[40, 300]]] = True
    monkeypatch.setattr(hierarchy, "customized", lambda *_: pytest.fail("customized in full"))
    monkeypatch.setattr(hierarchy, "unpacking_of", lambda *_: pytest.fail("all ways found anew"))
    places = random_places(network, 30, 7)
    plain = network.with_closed(closed)
    ours = high.on(plain)
    for measure in ("time", "distance"):
        assert np.array_equal(matrix(plain, places, places, measure)[0], ours.matrix(places, places, measure)[0])


@pytest.mark.parametrize("small", [0, branches.SMALL], ids=["mapped", "copied"])
def test_closures_one_upon_the_other_leave_what_they_came_from_as_it_was(network, monkeypatch, small):
    """Metrics share memory: each is that of its own network, also when others were put right in part from it and its base."""
    high, places = raised(network), random_places(network, 30, 7)
    back = places.take(np.arange(30)[::-1])
    monkeypatch.setattr(branches, "SMALL", small)
    kept = {name: array.copy() for name, array in high.hierarchy.arrays().items()}
    monkeypatch.setattr(hierarchy, "customized", lambda *_: pytest.fail("customized in full"))
    monkeypatch.setattr(hierarchy, "unpacking_of", lambda *_: pytest.fail("all ways found anew"))
    closed, chain = np.zeros(network.graph.link_count, bool), [high]
    for link in np.flatnonzero(network.usable)[[40, 90, 300, 700]]:
        closed = closed.copy()
        closed[link] = True
        chain += [chain[-1].on(network.with_closed(closed)), high.on(network.with_closed(closed))]
        for ours in chain[-2:]:
            ours.trips(places, back, "time")
    for ours in chain:
        plain = matrix(ours.network, places, places, "time")[0]
        assert np.array_equal(plain, ours.matrix(places, places, "time")[0])
        assert np.array_equal(np.diagonal(plain[:, ::-1]), ours.trips(places, back, "time").cost)
    for name, array in high.hierarchy.arrays().items():
        assert np.array_equal(array, kept[name]), name


@pytest.mark.parametrize("fails", ["memfd_create", "write"])
def test_copies_are_made_in_full_where_the_system_maps_none(monkeypatch, fails):
    monkeypatch.setattr(branches, "SMALL", 0)
    array = np.arange(6).reshape(2, 3)
    monkeypatch.setattr(branches.os, fails, lambda *_: (_ for _ in ()).throw(OSError("too many files")))
    (copy,) = branches.Branch().copies(array)
    copy[0, 0] = 9
    assert array[0, 0] == 0 and np.array_equal(copy[1], array[1])


@settings(max_examples=examples(80), deadline=None)
@given(networks(), st.integers(0, 1000))
def test_any_order_gives_what_a_plain_search_gives(network, seed):
    rng, places = np.random.default_rng(seed), random_places(network, 20, seed)
    place = rng.integers(-1, network.states.count, network.states.count)
    high = StreetRouter(network, Hierarchy(topology_in_order(network.states, place)))
    high.hierarchy.metric(network, "time")
    assert np.array_equal(matrix(network, places, places, "time")[0], high.matrix(places, places, "time")[0])


def test_an_order_serves_while_few_states_differ(network):
    made = Hierarchy.of(network)
    order = made.order(network)
    same = Hierarchy.in_order(network, order)
    assert np.array_equal(same.topology.head, made.topology.head) and same.edges_each == order.edges_each
    gone = replace(order, link_id=order.link_id + 10**6, node_id=order.node_id + 10**6)
    assert Hierarchy.in_order(network, gone) is None
    rng = np.random.default_rng(4)
    assert Hierarchy.in_order(network, replace(order, state=rng.permutation(order.state))) is None, "far too many edges"
