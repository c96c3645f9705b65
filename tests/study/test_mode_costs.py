"""Costs of the analyst's own, as CQL2 expressions: reckoned for each link, refused where they cannot be."""

from __future__ import annotations

from datetime import datetime

import numpy as np
import pytest

from awl.core.errors import AwlError
from awl.questions.run import ask
from awl.study import modes

WHEN = datetime(2026, 6, 3, 8)
WEST, EAST = [-36.2060, 41.2915], [-36.1935, 41.2905]


def costing(study, **cost):
    document = modes.document(study.mode("walk"))
    return study.try_mode(modes.parsed({**document, "costs": [{"id": "effort", **cost}]}))


def test_an_expression_is_reckoned_for_each_link(study):
    network = costing(study, along="length * 2 + 5")
    assert network.own_costs["effort"][:, 0] == pytest.approx(network.graph.link_length * 2 + 5, rel=1e-3)
    forward, backward = network.directed("effort")
    assert np.array_equal(forward[network.forward], backward[network.forward])


def test_the_time_of_the_mode_and_the_other_direction_may_differ(study):
    network = costing(study, along="duration_s / 60 * 0.2", against="duration_s / 60 * 0.3")
    seconds = network.duration_ms / 1000
    assert network.own_costs["effort"] == pytest.approx(seconds / 60 * [0.2, 0.3])


def test_a_cost_that_rests_on_time_follows_slower_streets_and_the_hour(study):
    network = costing(study, along="duration_s * 2")
    slow = network.with_slower(np.full(network.graph.link_count, 5.0))
    for one in (slow, network.at(WHEN), slow.at(WHEN).with_closed(slow.usable & (slow.link_part > 0))):
        assert one.own_costs["effort"] == pytest.approx(one.duration_ms / 500)
    assert slow.own_costs["effort"].sum() > 4.9 * network.own_costs["effort"].sum()


def test_what_has_no_value_costs_what_is_said(study):
    network = costing(study, along="maxspeed * 1", missing=7)
    expected = [7.0 if v is None else float(v) for v in network.graph.tag("maxspeed").decode()]
    assert network.own_costs["effort"][:, 0] == pytest.approx(expected)


BAD = [
    ("lenght * 2", "no field 'lenght' at character 1", "costs.0.along"),
    ("length * (2", "cannot be read at character", "costs.0.along"),
    ("length + name", "'name' is text and cannot be reckoned with at character 10", "costs.0.along"),
    ("length / 0", "has no value on .* usable links", "costs.0.along"),
    ("length / lanes", "has no value", "costs.0.along"),
    ("0 - length", "is negative", "costs.0.along"),
    ("length * 1000000", "is above", "costs.0.along"),
    ("highway", "gives a text", "costs.0.along"),
]


@pytest.mark.parametrize(("along", "said", "name"), BAD)
def test_a_cost_that_cannot_be_is_refused_where_it_is_written(study, along, said, name):
    with pytest.raises(AwlError, match=said) as caught:
        costing(study, along=along)
    assert caught.value.inputs == (name,)


def test_names_of_costs_are_taken_once():
    for ident in ("time", "distance"):
        with pytest.raises(AwlError, match="is taken"):
            modes.parsed({**modes.document(modes.SHIPPED["walk"]), "costs": [{"id": ident, "along": "length"}]})


def test_a_route_of_least_own_cost_and_what_else_it_costs(own_study):
    document = modes.document(own_study.mode("walk"))
    stairs = {"id": "dread", "unit": "points", "along": "length * 3", "against": "length"}
    own_study.save_mode(modes.parsed({**document, "costs": [stairs]}))
    result = ask(own_study, "route", {"waypoints": [WEST, EAST], "measure": ["dread", "distance"], "carry": ["dread"]})
    least, shortest = (f["properties"] for f in result.document()["routes"]["features"])
    assert least["cost"] == pytest.approx(least["carried"]["dread"], abs=0.1)
    assert least["cost"] <= shortest["carried"]["dread"] + 0.1 and least["distance_m"] >= shortest["distance_m"] - 0.1
