"""Turn restrictions and gates with hours: the same states at every hour, with the steps barred that the hour bars."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime

import numpy as np
from hypothesis import given, reject, settings
from hypothesis import strategies as st

from awl.core.columns import Categorical
from awl.core.errors import AwlError
from awl.core.graph.street_graph import StreetGraph
from awl.core.graph.turns import DELAY, TurnRestrictions
from awl.core.modes.barriers import shut_nodes
from awl.core.modes.mode import Delays
from awl.core.network.components import KeepParts
from awl.core.network.network import Network
from awl.core.routing.dijkstra.plain import arrivals, best_leg, matrix
from awl.core.routing.dijkstra.search import OWNER_BITS
from tests.core.test_hierarchy import raised
from tests.core.test_search import networks
from tests.examples import examples
from tests.oracle import random_places

MORNING, NOON = datetime(2026, 6, 3, 8), datetime(2026, 6, 3, 12)


def restricted(graph: StreetGraph, condition: list[str | None], kept: np.ndarray) -> StreetGraph:
    """The graph with some of its restrictions, each with its hours."""
    turns = graph.restrictions
    placed = [p for p, keep in zip(turns.rows(), kept, strict=True) if keep]
    hours = [one for one, keep in zip(condition, kept, strict=True) if keep]
    return replace(graph, restrictions=replace(TurnRestrictions.of(placed), condition=Categorical.of(hours)))


@settings(max_examples=examples(120), deadline=None)
@given(networks(), st.integers(0, 1000), st.sampled_from(["time", "distance"]))
def test_an_hour_bars_what_a_network_with_those_restrictions_alone_bars(network, seed, measure):
    graph, mode = network.graph, network.mode
    rng = np.random.default_rng(seed)
    timed = (rng.random(len(graph.restrictions)) < 0.6) & ~graph.restrictions.kind.isin((DELAY,))
    hours: list[str | None] = ["Mo-Fr 07:00-09:00" if one else None for one in timed]
    always: list[str | None] = [None] * len(timed)
    free = raised(Network.of(restricted(graph, hours, np.ones(len(timed), bool)), mode))
    at_eight, at_noon = (free.on(free.network.at(when)) for when in (MORNING, NOON))
    assert at_eight.network.states is free.network.states and at_eight.hierarchy is not None
    all_bar = Network.of(restricted(graph, always, np.ones(len(timed), bool)), mode)
    some_bar = Network.of(restricted(graph, always, ~timed), mode)
    places = random_places(network, 6, seed)
    for ours, plain in ((at_eight, all_bar), (at_noon, some_bar), (free, some_bar)):
        wanted = matrix(plain, places, places, measure)[0]
        assert np.array_equal(ours.matrix(places, places, measure)[0], wanted)
        searched = ours.network
        assert np.array_equal(matrix(searched, places, places, measure)[0], wanted)
        for direction in ("from", "to"):
            one, other = (arrivals(of, places, measure, direction) for of in (searched, plain))
            assert np.array_equal(one.cost, other.cost)
            arcs = np.flatnonzero(searched.arc_costs(measure) >= 0)
            assert np.array_equal(one.on_arcs(arcs) >> OWNER_BITS, other.on_arcs(arcs) >> OWNER_BITS)
        leg, same = (best_leg(of, places, 0, 1, measure) for of in (searched, plain))
        assert (leg is None) == (same is None) and (leg is None or leg.cost == same.cost)


@settings(max_examples=examples(120), deadline=None)
@given(networks(), st.integers(0, 1000), st.sampled_from(["time", "distance"]))
def test_a_gate_that_is_shut_is_a_wall(network, seed, measure):
    rng = np.random.default_rng(seed)
    mode = replace(network.mode, delays=Delays())
    count = network.graph.node_count
    chosen = rng.random(count) < 0.6

    def fenced(kind: str, hours: str | None) -> StreetGraph:
        tags = {"barrier": Categorical.of([kind if one else None for one in chosen])}
        tags["opening_hours"] = Categorical.of([hours if one else None for one in chosen])
        return replace(network.graph, node_tags=tags, restrictions=TurnRestrictions.of([]))

    every = KeepParts("all")
    free = raised(Network.of(fenced("gate", "Mo-Su 09:00-21:00"), mode, every))
    at_eight, at_noon = (free.on(free.network.at(when)) for when in (MORNING, NOON))
    try:
        walled, bare = Network.of(fenced("wall", None), mode, every), Network.of(fenced("kerb", None), mode, every)
    except AwlError:
        reject()  # walls leave nothing that hangs together
    assert (
        len(at_eight.network.shut_gates) == 2 * len(shut_nodes(mode, fenced("wall", None)))
        and not at_noon.network.shut_gates
    )
    places = random_places(network, 6, seed)
    # A place at a gate stands on both sides of it, one at a wall on one.
    places = replace(places, fraction=np.clip(places.fraction, 0.1, 0.9))
    for ours, plain in ((at_eight, walled), (at_noon, bare), (free, bare)):
        wanted = matrix(plain, places, places, measure)[0]
        assert np.array_equal(ours.matrix(places, places, measure)[0], wanted)
        searched = ours.network
        assert np.array_equal(matrix(searched, places, places, measure)[0], wanted)
