"""A network is a value: the order in which time, closures, slower streets and own costs are stated does not matter."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from awl.core.columns import Categorical
from awl.core.errors import AwlError
from awl.core.graph.turns import TurnRestrictions
from awl.core.modes.mode import SHIPPED, Curve
from awl.core.network.network import Network
from awl.core.routing.dijkstra.plain import arrivals
from awl.core.routing.router import StreetRouter
from tests.core.test_search import networks
from tests.examples import examples
from tests.oracle import random_places

WHEN = datetime(2026, 6, 3, 8)
MASKS = ("forward", "backward", "usable", "link_part", "in_small_part", "enclosed", "barred")
ARRAYS = (*MASKS, "duration_ms", "time_factor", "free_ms", "length_mm", "step_delay")
MEASURES = ("time", "distance", "effort")


def effort(network: Network) -> dict[str, np.ndarray]:
    """A cost of one's own that rests on the time streets take."""
    return {"effort": network.duration_ms / 1000 * 2 + network.graph.link_length[:, None]}


def derived(network: Network) -> dict[str, object]:
    """All that follows from a network, by name."""
    found: dict[str, object] = {name: getattr(network, name) for name in ARRAYS}
    found |= {f"own {name}": values for name, values in network.own_costs.items()}
    for measure in MEASURES:
        found[f"arcs {measure}"] = network.arc_costs(measure)
        found[f"steps {measure}"] = network.step_costs(measure)
        for direction in ("from", "to"):
            rows = network.search_rows(measure, "distance", direction)
            found |= {f"row {number} {measure} {direction}": column for number, column in enumerate(rows)}
    for arcs in ("out_arcs", "in_arcs", "entries"):
        found |= {f"{arcs} {name}": value for name, value in vars(getattr(network, arcs)).items()}
    found |= {"forbidden": sorted(network.forbidden), "gates": sorted(network.shut_gates)}
    return found


def same(one: Network, other: Network) -> None:
    """All of one is all of the other, to the last bit."""
    here, there = derived(one), derived(other)
    assert here.keys() == there.keys()
    for name, value in here.items():
        equal = np.array_equal(value, there[name]) if isinstance(value, np.ndarray) else value == there[name]
        assert equal, name


def with_hours(network: Network) -> Network:
    """With gates and turn restrictions that have hours, speeds that change, and an own cost."""
    graph = network.graph
    rng = np.random.default_rng(graph.link_count)
    gates = rng.random(graph.node_count) < 0.3
    tags = {
        **graph.node_tags,
        "barrier": Categorical.of(["gate" if one else None for one in gates]),
        "opening_hours": Categorical.of(["Mo-Su 09:00-21:00" if one else None for one in gates]),
    }
    hours = [None if kind == "delay" else "Mo-Fr 07:00-09:00" for kind in graph.restrictions.kind.decode()]
    turns = replace(graph.restrictions, condition=Categorical.of(hours))
    graph = replace(graph, node_tags=tags, restrictions=turns)
    curves = (Curve("weekday", (), tuple([1.0] * 8 + [0.5] * 16)),)
    return Network.of(graph, replace(network.mode, curves=curves), own=effort)


@settings(max_examples=examples(80), deadline=None)
@given(
    networks(),
    st.integers(0, 1000),
    st.permutations(["at", "closed", "slower", "closed again", "slower again", "at noon"]),
)
def test_any_order_of_time_and_edits_equals_building_from_scratch(network, seed, order):
    free = with_hours(network)
    rng = np.random.default_rng(seed)
    links = free.graph.link_count
    first, second = (rng.random(links) < share for share in (0.1, 0.3))
    twice, thrice = np.where(rng.random(links) < 0.3, 2.0, 1.0), np.where(rng.random(links) < 0.3, 4.0, 1.0)
    made, seen = free, {}
    for step in order:
        made = {
            "at": lambda of: of.at(WHEN),
            "at noon": lambda of: of.at(WHEN.replace(hour=12)),
            "closed": lambda of: of.with_closed(first),
            "closed again": lambda of: of.with_closed(second),
            "slower": lambda of: of.with_slower(twice),
            "slower again": lambda of: of.with_slower(thrice),
        }[step](made)
        if rng.random() < 0.5:  # what was asked for on the way is taken over, and must be no other
            seen[step] = derived(made)
    scratch = Network(with_hours(network).streets, made.when, first | second, twice * thrice, effort)
    same(made, scratch)
    assert made.key == scratch.key and made.when in (WHEN, WHEN.replace(hour=12))
    same(free, with_hours(network))


@settings(max_examples=examples(50), deadline=None)
@given(networks(), st.integers(0, 1000))
def test_what_changed_is_known_whichever_way_one_came(network, seed):
    rng = np.random.default_rng(seed)
    closed, slower = (
        rng.random(network.graph.link_count) < 0.2,
        np.where(rng.random(network.graph.link_count) < 0.2, 3.0, 1.0),
    )
    one = network.with_closed(closed).with_slower(slower)
    other = Network(network.streets, None, closed, slower)
    for made in (one, other):
        changed = made.changed_since(network)
        differ = made.duration_ms.any(axis=1) & (
            (made.arc_costs("time") != network.arc_costs("time")).reshape(-1, 2).any(axis=1)
        )
        assert changed is not None and not (set(np.flatnonzero(differ).tolist()) - set(changed.tolist()))
    assert other.changed_since(network.at(WHEN)) is None


def test_an_own_cost_follows_the_time_of_slower_streets(graph):
    walk = Network.of(graph, SHIPPED["walk"], own=lambda of: {"seconds": of.duration_ms / 1000})
    slow = walk.with_slower(np.full(graph.link_count, 5.0))
    usable = slow.usable
    assert slow.own_costs["seconds"][usable] == pytest.approx(walk.own_costs["seconds"][usable] * 5, abs=0.003)
    assert np.array_equal(walk.with_closed(~usable).own_costs["seconds"], walk.own_costs["seconds"])


def test_networks_that_are_the_same_share_what_they_derive(graph):
    walk = Network.of(graph, SHIPPED["walk"])
    closed = np.zeros(graph.link_count, bool)
    closed[7] = True
    one, other = walk.with_closed(closed), walk.at(None).with_closed(closed)
    assert one.arc_costs("time") is other.arc_costs("time") and one.key == other.key
    assert one.duration_ms is walk.duration_ms, "closing streets makes no street slower"


@pytest.mark.parametrize("direction", ["form", "To", ""])
def test_what_is_no_direction_is_refused_in_words(graph, direction):
    walk = Network.of(graph, SHIPPED["walk"])
    places = random_places(walk, 2, 1)
    for ask in (
        lambda: arrivals(walk, places, "time", direction),
        lambda: StreetRouter(walk).arrivals(places, "time", direction),
        lambda: walk.link_costs("time", direction),
        lambda: walk.rows(direction),
    ):
        with pytest.raises(AwlError, match="is no direction of a search") as refused:
            ask()
        assert refused.value.remedy == "Directions are: from, to"


@settings(max_examples=examples(80), deadline=None)
@given(networks(), st.integers(0, 1000), st.sampled_from(["speed", "access", "gates", "turns", "shape"]))
def test_what_is_taken_over_after_an_edit_is_what_is_made_anew(network, seed, changed):
    former = with_hours(network)
    derived(former)
    rng, graph = np.random.default_rng(seed), former.graph
    some = rng.random(graph.link_count) < 0.3
    speeds = Categorical.of(["7" if one else None for one in some])
    edited = {
        "speed": lambda: replace(graph, tags={**graph.tags, "maxspeed": speeds}),
        "access": lambda: replace(
            graph, tags={**graph.tags, "access": Categorical.of(["no" if one else None for one in some])}
        ),
        "gates": lambda: replace(
            graph, node_tags={key: tag for key, tag in graph.node_tags.items() if key != "barrier"}
        ),
        "turns": lambda: graph.with_restrictions(TurnRestrictions.of(graph.restrictions.rows()[1:])),
        "shape": lambda: replace(graph, shape_lat=graph.shape_lat + 1e-5, shape_m=graph.shape_m * 1.1),
    }[changed]()

    def made() -> Network | None:
        try:
            return Network.of(edited, former.mode, own=effort)
        except AwlError:  # no street is left
            return None

    ours, scratch = made(), made()
    if ours is None or scratch is None:
        return
    ours.streets.take_over(former.streets)
    assert (ours.states is former.states) or changed != "speed"
    same(ours, scratch)
    here, there = ours.streets.findable, scratch.streets.findable
    assert np.array_equal(here.links, there.links) and np.array_equal(here.boxes, there.boxes)
    assert np.array_equal(np.stack(here.shape_xy), np.stack(ours.graph.shape_xy))
