"""Access of zones: people add up whatever the spread, and the further measures are those of a table of times."""

from __future__ import annotations

import numpy as np
import pytest

from awl.core.errors import AwlError
from awl.formats import geojson
from awl.questions.run import ask
from tests.questions.test_nearby import boxes

ROOMS, ZONES = {"layer": "cool_rooms"}, {"layer": "zones"}
BASE = {"places": ROOMS, "zones": ZONES, "fields": ["population", "age_65_plus"], "limits": [4, 8]}


@pytest.fixture(scope="module")
def houses(study):
    """Small boxes over the middle of the study, some of them not lived in."""
    rng = np.random.default_rng(5)
    centres = rng.uniform([-36.212, 41.284], [-36.19, 41.3], (600, 2)).tolist()
    uses = ["residential" if i % 4 else "industrial" for i in range(600)]
    return boxes(centres, 5e-5, use=uses, floors=[1 + i % 3 for i in range(600)])


@pytest.mark.parametrize("spread", ["streets", "area", "buildings"])
def test_people_add_up_to_the_last(study, houses, spread):
    more = {"buildings": houses} if spread == "buildings" else {}
    result = ask(study, "access", {**BASE, "spread": spread, **more}).document()
    people = geojson.from_document(result["zones"], "zones").columns
    for row in result["totals"]:
        assert row["within_8"] + row["beyond"] + row["not_placed"] == pytest.approx(row["total"], abs=0.2)
        assert row["total"] == pytest.approx(sum(people[row["field"]]), abs=0.2)
        assert row["within_8"] == pytest.approx(sum(people[f"{row['field']}_within_8"]), abs=1)
        assert 0 <= row["within_4"] <= row["within_8"] and row["beyond"] >= -0.2
    text = " ".join(result["method"])
    assert {"streets": "streets of their zone", "area": "over the area", "buildings": "lived-in"}[spread] in text


def test_people_of_a_place_are_those_who_have_it_and_no_other(study):
    result = ask(study, "access", BASE).document()
    served = result["totals"][0]["within_8"]
    places = [feature["properties"] for feature in result["places"]["features"]]
    alone = sum(place["population_only_this"] for place in places)
    either = sum(place["population_within_8"] for place in places)
    for place in places:
        assert place["population_only_this"] + place["population_with_others"] == pytest.approx(
            place["population_within_8"], abs=0.2
        )
    # Everybody served is counted at least once, those with one place alone exactly once.
    assert alone <= served * 1.02 and either >= served * 0.98


def test_further_measures_rest_on_what_places_offer(study):
    asked = {**BASE, "weights": "seats", "measures": ["gravity", "two_step", "kth"], "k": 1}
    result = ask(study, "access", asked).document()
    zones = [feature["properties"] for feature in result["zones"]["features"]]
    plain = ask(study, "access", BASE).document()["zones"]["features"]
    for zone, former in zip(zones, plain, strict=True):
        assert zone["gravity"] >= 0 and zone["supply_per_1000"] >= 0
        mean, first = former["properties"]["mean_min"], zone["min_to_1_nearest"]
        assert (mean is None) == (first is None)
        if mean is not None:
            assert first == pytest.approx(mean, rel=0.02, abs=0.1)
    double = ask(study, "access", {**asked, "half": 20}).document()["zones"]["features"]
    assert all(b["properties"]["gravity"] >= a["gravity"] for a, b in zip(zones, double, strict=True))
    curves = {row["measure"]: row["gini"] for row in result["lorenz"]}
    assert set(curves) == {"gravity", "supply_per_1000"} and all(0 <= value <= 1 for value in curves.values())


@pytest.mark.parametrize(
    ("more", "words"),
    [
        ({"spread": "grid"}, "no population raster"),
        ({"spread": "buildings"}, "no layer of buildings"),
        ({"weights": "colour"}, "no field 'colour'"),
        ({"weights": "name"}, "no number"),
        ({"measures": ["kth"], "k": 0}, "k"),
        ({"half": -1}, "half"),
    ],
)
def test_what_cannot_be_is_said(study, more, words):
    with pytest.raises(AwlError, match=words):
        ask(study, "access", {**BASE, **more})
