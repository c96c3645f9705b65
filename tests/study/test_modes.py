"""Modes as documents: rules in order, checked where they are written, kept, copied and taken back."""

from __future__ import annotations

import json

import numpy as np
import pytest

from awl.core.errors import AwlError
from awl.core.modes.mode import SHIPPED, Rule
from awl.core.modes.rules import BY_RULE
from awl.questions.run import ask
from awl.study import modes
from awl.study.study import Study


def changed(study, ident, **more):
    return modes.parsed({**modes.document(study.mode(ident)), **more})


@pytest.mark.parametrize("ident", SHIPPED)
def test_a_shipped_mode_is_the_same_after_being_given_away_and_taken_in(ident):
    assert modes.parsed(json.loads(json.dumps(modes.document(SHIPPED[ident])))) == SHIPPED[ident]


def test_the_first_rule_that_fits_decides(own_study):
    tags = own_study.graph.tags
    road = next(n for n, h in zip(tags["name"].decode(), tags["highway"].decode(), strict=True) if n and h == "primary")
    rules = [
        {"where": f"name = '{road}'", "use": "allow"},
        {"where": "highway = 'primary'", "use": "forbid"},
        {"where": "highway IN ('primary', 'residential')", "use": "slow", "factor": 0.5},
    ]
    network = own_study.try_mode(changed(own_study, "drive", rules=rules))
    graph, use = network.graph, network.use
    highway, name = np.array(graph.tag("highway").decode(), object), np.array(graph.tag("name").decode(), object)
    named, primary, lane = name == road, highway == "primary", highway == "residential"
    assert named.any() and (use.rule[named] == 0).all()
    assert (use.rule[primary & ~named] == 1).all() and not use.forward[primary & ~named].any()
    assert (use.reason[primary & ~named] == BY_RULE).all()
    plain = own_study.network("drive").use.speed
    assert use.speed[lane & ~named] == pytest.approx(plain[lane & ~named] / 2)
    others = ~(named | primary | lane)
    assert (use.rule[others] == -1).all() and np.array_equal(use.speed[others], plain[others])


def test_numbers_in_tags_are_compared_as_numbers(own_study):
    graph = own_study.graph
    limits = graph.tag("maxspeed").decode()
    rule = modes.first_rule(own_study.reading, [Rule("maxspeed >= 50", "forbid")], graph)
    assert np.array_equal(rule == 0, [bool(v and v.isdigit() and int(v) >= 50) for v in limits])


def test_lorries_keep_off_cycleways_and_residential_streets(study):
    network = study.network("lorry")
    assert (
        not network.graph.tag("highway")
        .isin(("cycleway", "residential", "footway", "living_street"))[network.usable]
        .any()
    )
    assert network.usable.any()


BAD_RULES = {
    "an unknown field": ("lanez > 2", "Rule 1: There is no field 'lanez'"),
    "cut short": ("width <", "Rule 1: The filter cannot be read at character"),
    "a number for a text": ("name = 5", "Rule 1: 'name' holds text and is compared with 5"),
    "a text for a number": ("width < '3'", "Rule 1: 'width' holds numbers and is compared with '3'"),
    "a text among numbers": ("lanes IN (1, 'two')", "Rule 1: 'lanes' holds numbers"),
}


@pytest.mark.parametrize("kind", BAD_RULES)
def test_a_bad_rule_is_refused_where_it_stands(study, kind):
    where, expected = BAD_RULES[kind]
    with pytest.raises(AwlError, match=expected) as caught:
        study.try_mode(changed(study, "drive", rules=[{"where": where, "use": "forbid"}]))
    assert caught.value.inputs == ("rules.0.where",)


def test_a_mode_without_a_usable_street_is_refused(study):
    with pytest.raises(AwlError, match="can use no connected street"):
        study.try_mode(changed(study, "walk", rules=[{"where": "length >= 0", "use": "forbid"}]))


BAD_DOCUMENTS = {
    "no speed at all": ({"speeds": {"primary": 0}}, "speeds.primary"),
    "an unknown class": ({"speeds": {"canal": 5}}, "speeds"),
    "a wild factor": ({"rules": [{"where": "lanes > 1", "use": "slow", "factor": 3}]}, "rules.0.factor"),
    "another format": ({"format": "awl-mode-9"}, "format"),
    "an unknown word": ({"colour": "red"}, "colour"),
    "an id with a path": ({"id": "../drive"}, "id"),
}


@pytest.mark.parametrize("kind", BAD_DOCUMENTS)
def test_a_bad_document_names_its_word(study, kind):
    more, word = BAD_DOCUMENTS[kind]
    with pytest.raises(AwlError) as caught:
        changed(study, "drive", **more)
    assert caught.value.inputs == (word,)


def test_changes_are_kept_and_taken_back(own_study):
    before = own_study.network("walk").duration_ms
    own_study.save_mode(changed(own_study, "walk", top_speed=2.4))
    again = Study(own_study.path)
    assert again.network("walk").use.speed.max() == 2.4 and (own_study.network("walk").duration_ms >= before).all()
    own_study.save_mode(
        modes.parsed({**modes.document(own_study.mode("walk")), "id": "older", "title": "Older walker"})
    )
    assert list(own_study.modes()) == [*SHIPPED, "older"]
    assert own_study.undo_mode() == "older" and "older" not in own_study.modes()
    own_study.undo_mode()
    assert own_study.mode("walk") == SHIPPED["walk"] and np.array_equal(own_study.network("walk").duration_ms, before)
    with pytest.raises(AwlError, match="nothing to undo"):
        own_study.undo_mode()


def test_a_shipped_mode_is_put_back_and_an_own_one_removed(own_study):
    own_study.save_mode(changed(own_study, "drive", top_speed=20))
    own_study.remove_mode("drive")
    assert own_study.mode("drive") == SHIPPED["drive"]
    own_study.save_mode(modes.parsed({**modes.document(SHIPPED["drive"]), "id": "van"}))
    ask(own_study, "isochrone", {"places": {"layer": "cool_rooms"}, "limits": [5], "mode": "van"})
    own_study.remove_mode("van")
    with pytest.raises(AwlError, match="no mode 'van'"):
        own_study.network("van")
