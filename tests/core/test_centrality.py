"""Indices of centrality against their definitions, pair by pair and way by way; and trips that neither vanish nor multiply."""

from __future__ import annotations

import heapq
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from awl.core.analysis import centrality
from awl.core.analysis.centrality import Centrality
from awl.core.columns import Categorical
from awl.core.errors import AwlError, Cancelled
from awl.core.graph.shapes import point_at
from awl.core.graph.turns import TurnRestrictions
from awl.core.modes.mode import Delays
from awl.core.network.network import Network
from awl.core.progress import Progress
from awl.core.routing.access_points import AccessPoints
from awl.core.routing.dijkstra.plain import matrix
from awl.core.routing.dijkstra.search import NO_LIMIT, UNREACHED
from awl.core.routing.router import StreetRouter
from awl.core.routing.snapping import Snapped
from tests.core.test_search import networks
from tests.examples import examples
from tests.oracle import random_places, random_stands, without_street

QUARTERS = 4


@st.composite
def exact(draw) -> tuple[Network, Snapped]:
    """A network all may use whose links cost whole units, with ties in plenty, and places at quarters of links."""
    rng = np.random.default_rng(draw(st.integers(0, 2**32 - 1)))
    base = draw(networks())
    graph = replace(base.graph, restrictions=TurnRestrictions.none())
    effort = rng.integers(1, 4, (graph.link_count, 2)) * float(QUARTERS)
    open_to_all = Categorical.of(["yes"] * graph.link_count)
    graph = replace(graph, costs={"effort": effort}, tags={**graph.tags, "access": open_to_all})
    turns = (
        Delays(back_s=7) if draw(st.booleans()) else Delays()
    )  # turns that cost time tell arcs apart, though no effort
    try:
        network = Network.of(graph, replace(base.mode, delays=turns))
    except AwlError:
        return draw(exact())
    places = random_places(network, int(rng.integers(2, 14)), int(rng.integers(1000)))
    fraction = rng.integers(0, QUARTERS + 1, len(places.link)) / QUARTERS
    lon, lat = point_at(graph, places.link, fraction)
    places = replace(places, fraction=fraction, lon=lon, lat=lat, alternatives=AccessPoints.none())
    alternatives = random_stands(places, np.flatnonzero(network.usable), rng)
    fraction, access_share = rng.integers(1, QUARTERS, (2, len(alternatives.link))) / QUARTERS
    return network, replace(places, alternatives=replace(alternatives, fraction=fraction, access_share=access_share))


def dots(network: Network, places: Snapped) -> tuple[dict, list, list]:
    """The streets cut where places stand: from each dot those one comes to next, with cost and metres; the dot of each place.

    From ("out", k) one comes to the dots place k stands on, and from these to ("in", k). At last, what it costs place k to come
    to these.
    """
    graph = network.graph
    up, down = network.directed("effort")
    use = network.usable
    names, cuts, onward = [], [], {}
    ways: list = [{} for _ in places.link]
    access_points = places.access_points
    for k, link, fraction, access_share in zip(
        access_points.place, access_points.link, access_points.fraction, access_points.access_share, strict=True
    ):
        name = (link, fraction)
        if fraction in (0.0, 1.0):
            name = ("node", int((graph.link_to if fraction else graph.link_from)[link]))
        least = min(cost for cost in (up[link], down[link]) if cost >= 0)
        cost, metres = float(access_share * least / 1000), float(access_share * graph.link_length[link])
        onward.setdefault(("out", k), []).append((name, cost, metres))
        onward.setdefault(name, []).append((("in", k), cost, metres))
        ways[k][name] = cost
        cuts.append(name)
        if len(names) == k:
            names.append(name)
    for link in np.flatnonzero(use).tolist():
        inner = sorted({f for at, f in cuts if at == link})
        chain = [(0.0, ("node", int(graph.link_from[link])))]
        chain += [(f, (link, f)) for f in inner] + [(1.0, ("node", int(graph.link_to[link])))]
        for (f, a), (g, b) in zip(chain[:-1], chain[1:], strict=True):
            metres = (g - f) * graph.link_length[link]
            if up[link] >= 0:
                onward.setdefault(a, []).append((b, (g - f) * up[link] / 1000, metres))
            if down[link] >= 0:
                onward.setdefault(b, []).append((a, (g - f) * down[link] / 1000, metres))
    return onward, names, ways


def ways_from(onward: dict, begin) -> dict:
    """Cost, number of best ways and metres of the shortest of them to each dot."""
    found = {begin: (0.0, 1, 0.0)}
    heap, number, done = [(0.0, 0, begin)], 0, set()
    while heap:
        cost, _, at = heapq.heappop(heap)
        if at in done:
            continue
        done.add(at)
        _, ways, far = found[at]
        for to, more, metres in onward.get(at, []):
            known = found.get(to, (np.inf, 0, 0.0))
            if cost + more < known[0]:
                found[to] = (cost + more, ways, far + metres)
                number += 1
                heapq.heappush(heap, (cost + more, number, to))
            elif cost + more == known[0]:
                found[to] = (known[0], known[1] + ways, min(known[2], far + metres))
    return found


@settings(max_examples=examples(150), deadline=None)
@given(exact(), st.integers(1, 40), st.integers(0, 99))
def test_every_index_is_what_its_definition_says(drawn, radius, seed):
    network, places = drawn
    rng = np.random.default_rng(seed)
    worth = rng.integers(0, 4, len(places.link)).astype(float)
    beta = float(rng.uniform(0.01, 0.5))
    made = Centrality(StreetRouter(network), places, "effort", radius * 1000, worth, beta).sums()
    onward, names, ways = dots(network, places)
    count = len(names)
    found = [ways_from(onward, ("out", k)) for k in range(count)]
    after = [ways_from(onward, name) for name in names]
    x, y = network.graph.plane.xy(places.lon, places.lat)
    passing = np.zeros(count)
    for j in range(count):
        near = [k for k in range(count) if k != j and found[j].get(("in", k), (np.inf,))[0] <= radius]
        cost = np.array([found[j]["in", k][0] for k in near])
        metres = np.array([found[j]["in", k][2] for k in near])
        crow = np.hypot(x[near] - x[j], y[near] - y[j])
        assert made.reached[j] == worth[near].sum()
        assert made.cost[j] == pytest.approx((worth[near] * cost).sum())
        assert made.gravity[j] == pytest.approx((worth[near] * np.exp(-beta * cost)).sum())
        ratio = np.where(metres > 0, np.minimum(crow / np.where(metres > 0, metres, 1), 1), 1)
        assert made.straight[j] == pytest.approx((worth[near] * ratio).sum(), abs=0.01 * count)
        for k in near:
            for i in range(count):
                if names[i] in (names[j], names[k]) or names[i] not in found[j] or ("in", k) not in after[i]:
                    continue
                whole, to, fro = found[j]["in", k], found[j][names[i]], after[i]["in", k]
                if to[0] + fro[0] == whole[0]:
                    # A trip that begins or ends at the very dot does not pass it.
                    come = to[1] - (ways[j].get(names[i]) == to[0])
                    go = fro[1] - (ways[k].get(names[i]) == fro[0])
                    passing[i] += worth[k] * come * go / whole[1]
    assert made.passing == pytest.approx(passing)


@settings(max_examples=examples(100), deadline=None)
@given(networks(), st.integers(0, 1000), st.sampled_from(["time", "distance"]), st.sampled_from([0.3, 3.0, 40.0]))
def test_turns_and_one_ways_are_those_of_a_matrix_and_no_trip_gets_lost(network, seed, measure, minutes):
    # The way to a street beside is no street: of distances none, so that they can be told by the streets.
    places = random_places(network, 9, seed, alternatives=measure == "time")
    places = without_street(places, np.arange(9) == seed % 12)
    radius = int(minutes * (60_000 if measure == "time" else 200_000))
    worth = np.random.default_rng(seed).uniform(0, 2, 9)
    made = Centrality(StreetRouter(network), places, measure, radius, worth, 0.1).sums()
    cost = matrix(network, places, places, measure, min(radius, int(NO_LIMIT)), carrying=False)[0].astype(float)
    np.fill_diagonal(cost, UNREACHED)
    near = cost != UNREACHED
    unit = 60_000 if measure == "time" else 1000
    on_street = places.link >= 0
    assert np.isnan(made.reached[~on_street]).all() and np.isnan(made.passing[~on_street]).all()
    assert made.reached[on_street] == pytest.approx((near @ worth)[on_street])
    assert made.cost[on_street] == pytest.approx(((near * cost) @ worth)[on_street] / unit)
    if measure == "distance":
        # What lies on the streets is what all trips are long together.
        travelled = (made.on_link * network.graph.link_length).sum()
        assert travelled == pytest.approx(np.nansum(made.cost), rel=1e-4, abs=0.01)


def test_parts_add_up_and_threads_change_nothing(network, monkeypatch):
    monkeypatch.setattr(centrality, "AT_ONCE", 16)
    places = random_places(network, 300, 4)
    central = Centrality(StreetRouter(network), places, "time", 400_000, np.ones(300), 0.2)
    whole = central.sums(threads=1)
    again, first, last = central.sums(threads=4), central.sums(np.arange(100)), central.sums(np.arange(100, 300))
    assert again.passing == pytest.approx(whole.passing) and again.cost == pytest.approx(whole.cost)
    assert first.passing + last.passing == pytest.approx(whole.passing)
    assert first.on_link + last.on_link == pytest.approx(whole.on_link)
    assert first.reached[:100] == pytest.approx(whole.reached[:100]) and np.isnan(first.reached[100:]).all()


def test_one_may_stop_it(network):
    progress = Progress()
    progress.stop()
    with pytest.raises(Cancelled):
        Centrality(StreetRouter(network), random_places(network, 300, 4), "time", 400_000, np.ones(300), 0.2).sums(
            progress=progress
        )


@settings(max_examples=examples(150), deadline=None)
@given(networks(), st.integers(0, 2**32 - 1), st.sampled_from(["time", "distance"]))
def test_places_at_one_point_are_equally_central_whatever_their_order(network, seed, measure):
    rng = np.random.default_rng(seed)
    some = random_places(network, 6, seed % 1000)
    rows = rng.permutation(np.repeat(np.arange(6), rng.integers(1, 5, 6)))
    places = some.take(rows)
    sums = Centrality(StreetRouter(network), places, measure, 10_000_000, np.ones(len(rows)), 0.01).sums()
    for name in ("reached", "cost", "gravity", "passing"):
        values = getattr(sums, name)
        for place in range(6):
            same = values[rows == place]
            assert np.allclose(same, same[0], rtol=1e-9, equal_nan=True), (name, place, same)
