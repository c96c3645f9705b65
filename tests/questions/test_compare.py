"""Comparison of answers against dictionaries and sets of what each answer says by itself."""

from __future__ import annotations

import json
import shutil

import numpy as np
import pytest
import shapely
from pyproj import Geod

from awl.core.errors import AwlError
from awl.io import geojson
from awl.questions import QUESTIONS, question
from awl.questions.compared_parts import ComparedFeatures, parts_compared
from awl.questions.kept_answers import keep_under, kept_answer
from awl.questions.run import ask
from awl.questions.wording import sentence_of
from awl.study import records, sheet_records
from awl.study.study import Study
from tests.questions.test_questions import EAST, ROOMS, WEST, ZONES, points

BRIDGE = {
    "type": "FeatureCollection",
    "features": [
        {
            "type": "Feature",
            "properties": {"name": "the bridges"},
            "geometry": {"type": "LineString", "coordinates": [[-36.2085, 41.2920], [-36.1895, 41.2915]]},
        }
    ],
}
"""A line along the river: every bridge across it is closed."""
PEOPLE = {"zones": ZONES, "places": ROOMS, "fields": ["population", "age_65_plus"], "limits": [4, 8, 12]}


def keep(study, name, process, **inputs):
    answer = ask(study, process, inputs)
    keep_under(study, name, question(process), inputs, answer, 0.1)
    return answer.document()


def compared(study, *names):
    return ask(study, "compare", {"answers": list(names)}).document()


def by(rows, *keys):
    rows = [feature["properties"] for feature in rows["features"]] if isinstance(rows, dict) else rows
    return {tuple(row[key] for key in keys) if len(keys) > 1 else row[keys[0]]: row for row in rows}


@pytest.fixture
def people(own_study):
    open_ = keep(own_study, "open", "access", **PEOPLE)
    closed = keep(own_study, "closed", "access", **PEOPLE, closures=BRIDGE)
    return own_study, open_, closed


def test_people_gained_and_lost_are_those_of_the_zones(people):
    study, first, second = people
    result = compared(study, "open", "closed")
    before, after, zones = (by(one["zones"], "zone_id") for one in (first, second, result))
    assert zones.keys() == before.keys() | after.keys()
    for ident, zone in zones.items():
        for field in ("population_within_8", "age_65_plus_within_12", "mean_min"):
            values = before[ident][field], after[ident][field]
            assert (zone[field], zone[f"{field}_2"]) == values
            if None not in values:
                assert zone[f"change_2_{field}"] == pytest.approx(values[1] - values[0], abs=0.006)
    changes = [after[ident]["population_within_8"] - before[ident]["population_within_8"] for ident in before]
    group = by(result["groups"], "group", "limit")["population", 8]
    assert group["lost"] == pytest.approx(-sum(change for change in changes if change < 0), abs=0.1)
    assert group["gained"] == pytest.approx(sum(change for change in changes if change > 0), abs=0.1)
    assert group["lost"] > 0, "whoever lives across the river has fewer rooms"
    totals = [by(one["totals"], "field")["population"]["within_8"] for one in (first, second)]
    assert group["change_2_within"] == pytest.approx(totals[1] - totals[0], abs=0.6)
    told = [figure["value"] for figure in result["figures"]]
    assert told == [round(group["gained"]), round(group["lost"]), round(group["change_2_within"])]


def test_inequality_is_half_the_mean_difference_between_two_people(people):
    study, first, _ = people
    rows = list(by(first["zones"], "zone_id").values())
    heads = np.array([row["age_65_plus"] for row in rows], float)
    share = np.array([row["age_65_plus_within_12"] for row in rows]) / np.where(heads > 0, heads, 1)
    apart = np.abs(share[:, None] - share[None, :]) * heads[:, None] * heads[None, :]
    expected = apart.sum() / (2 * heads.sum() ** 2 * (share * heads).sum() / heads.sum())
    group = by(compared(study, "open", "closed")["groups"], "group", "limit")["age 65 plus", 12]
    assert group["gini"] == pytest.approx(expected, abs=2e-4)


def test_what_changes_most_is_named_with_both_values(people):
    study, first, second = people
    result = compared(study, "open", "closed")
    before, after = (by(one["zones"], "zone") for one in (first, second))
    field = "population_within_8"
    changes = {zone: after[zone][field] - before[zone][field] for zone in before}
    losers = [row for row in result["most_changed"] if row["way"] == "loses"]
    expected = sorted((zone for zone in changes if changes[zone] < -0.005), key=changes.get)[: len(losers)]
    assert [changes[row["name"]] for row in losers] == pytest.approx([changes[zone] for zone in expected], abs=0.011)
    for row in result["most_changed"]:
        assert row["first"] == pytest.approx(before[row["name"]][field], abs=0.006)
        assert row["change"] == pytest.approx(changes[row["name"]], abs=0.011)
        assert (row["way"] == "gains") == (row["change"] > 0)
    bars = next(chart for chart in result["view"]["charts"] if chart["name"] == "Most changed")
    assert bars["series"][0]["values"] == sorted(bars["series"][0]["values"], reverse=True)


def test_the_sentence_says_what_differs_word_by_word(people):
    study, *_ = people
    result = compared(study, "open", "closed")
    assert result["method"][0] == "The same question, but the bridges closed for no street closed."
    assert result["view"]["compared"] == {
        "answers": [{"label": "no street closed", "answer": "open"}, {"label": "the bridges closed", "answer": "closed"}],
        "words": [{"kind": "place", "label": "Closed streets", "texts": ["no street closed", "the bridges closed"]}],
    }  # fmt: skip
    keep(study, "ride", "access", **PEOPLE, mode="cycle", at="2026-06-05T17:00")
    several = compared(study, "open", "closed", "ride")
    assert several["method"][0] == (
        "The same question, but the bridges closed for no street closed; or cyclist for walker and on Friday 5 June 2026, 17:00"
        " for in free flow."
    )
    zone = next(iter(by(several["zones"], "zone_id").values()))
    assert zone["change_3_population_within_8"] == pytest.approx(
        zone["population_within_8_3"] - zone["population_within_8"], abs=0.006
    )
    assert {row["against"] for row in several["most_changed"]} > {"walker, in free flow, the bridges closed"}


def test_areas_are_those_in_both_and_in_either_alone(own_study):
    study, geod = own_study, Geod(ellps="WGS84")
    first = keep(study, "a", "isochrone", places=points(WEST), limits=[4, 8])
    second = keep(study, "b", "isochrone", places=points(EAST), limits=[8, 12])
    result = compared(study, "a", "b")
    assert {feature["properties"]["value"] for feature in result["areas"]["features"]} == {8}, "the limit both have"
    shapes = [
        shapely.make_valid(shapely.geometry.shape(feature["geometry"]))
        for document in (first, second)
        for feature in document["areas"]["features"]
        if feature["properties"]["limit"] == 8
    ]
    wanted = {"both": shapes[0] & shapes[1], "first": shapes[0] - shapes[1], "second": shapes[1] - shapes[0]}
    for feature in result["areas"]["features"]:
        own = feature["properties"]
        km2 = abs(geod.geometry_area_perimeter(wanted[own["ground"]])[0]) / 1e6
        assert own["area_km2"] == pytest.approx(km2, rel=0.002, abs=2e-4)
        drawn = shapely.geometry.shape(feature["geometry"])
        assert abs(geod.geometry_area_perimeter(drawn)[0]) / 1e6 == pytest.approx(own["area_km2"], rel=0.002, abs=2e-4)


@pytest.mark.parametrize("merge", ["bands", "each", "nearest"])
def test_areas_in_rings_or_by_place_are_put_together_first(own_study, merge):
    merged = {"places": ROOMS, "limits": [4, 8]}
    keep(own_study, "a", "isochrone", **merged)
    keep(own_study, "b", "isochrone", **merged, merge=merge)
    rows = compared(own_study, "a", "b")["areas"]["features"]
    alone = [row["properties"]["area_km2"] for row in rows if row["properties"]["ground"] != "both"]
    assert max(alone) < 0.01, "they cover the same ground"


@pytest.mark.parametrize("measure", ["time", "distance"])
def test_streets_gained_and_lost_are_told_by_street(own_study, measure):
    limits = [6] if measure == "time" else [450]
    first = keep(own_study, "a", "isochrone", places=points(WEST), limits=limits, measure=measure)
    second = keep(own_study, "b", "isochrone", places=points(WEST), limits=limits, measure=measure, closures=BRIDGE)
    result = compared(own_study, "a", "b")
    unit = 60 if measure == "time" else 1
    names = ("arrival_begin_s", "arrival_end_s") if measure == "time" else ("arrival_begin_m", "arrival_end_m")

    def reached(document):
        first, length = {}, {}
        for feature in document["streets"]["features"]:
            own = feature["properties"]
            link = own["link_id"]
            first[link] = min(first.get(link, np.inf), *(own[name] / unit for name in names))
            length[link] = length.get(link, 0) + own["length_m"]
        return first, length

    (before, had), (after, has) = reached(first), reached(second)
    told = by(result["streets"], "link_id")
    for link in before.keys() | after.keys():
        more = has.get(link, 0) - had.get(link, 0)
        if link in before and link in after:
            changed = abs(after[link] - before[link]) >= 0.06 or abs(more) > 0.6
            kind = "later" if after[link] > before[link] + 0.06 else None
        else:
            changed, kind = abs(more) > 0.6, "lost" if link in before else "gained"
        if changed:
            assert told[link]["first"] == (pytest.approx(before[link], abs=0.006) if link in before else None)
            assert kind is None or told[link]["change"] == kind
    assert "lost" in {own["change"] for own in told.values()}
    summary = result["summary"]["streets"]
    net = sum(has.values()) - sum(had.values())
    assert summary["gained_km"][0] - summary["lost_km"][0] == pytest.approx(net / 1000, abs=0.002)
    for feature in result["streets"]["features"]:
        own = feature["properties"]
        metres = Geod(ellps="WGS84").geometry_length(shapely.geometry.shape(feature["geometry"]))
        assert metres == pytest.approx(max(own["reached_m"], own["reached_m_2"]), abs=0.5)


def test_ways_are_told_where_they_part(own_study):
    first = keep(own_study, "a", "route", waypoints=[WEST, EAST], measure=["time", "distance"])
    second = keep(own_study, "b", "route", waypoints=[WEST, EAST], measure=["time"], mode="drive")
    result = compared(own_study, "a", "b")
    links = [set(document["routes"]["features"][0]["properties"]["link_ids"]) for document in (first, second)]
    told = by(result["routes"], "way", "taken")
    assert {way for way, _ in told} == {"time"}, "the measure both have"
    wanted = {"all": links[0] & links[1], "1": links[0] - links[1], "2": links[1] - links[0]}
    graph = own_study.graph
    for taken, own in wanted.items():
        km = graph.link_length[graph.link_rows(list(own))].sum() / 1000
        assert (told["time", taken]["streets"], told["time", taken]["km"]) == (len(own), pytest.approx(km, abs=0.001))
    costs = by(result["compared"], "way")["quickest"]
    durations = [document["summary"]["routes"][0]["duration_s"] / 60 for document in (first, second)]
    assert costs["change_2_duration_min"] == pytest.approx(durations[1] - durations[0], abs=0.011)


def test_what_a_place_loses_others_gain(own_study):
    first = keep(own_study, "a", "catchment", places=ROOMS)
    last = by(first["places"], "name")
    gone = max(last, key=lambda name: last[name]["street_km"])
    second = keep(own_study, "b", "catchment", places={"layer": "cool_rooms", "where": f"name <> '{gone}'"})
    result = compared(own_study, "a", "b")
    before, after = (
        {name: own["street_km"] for name, own in by(one["places"], "name").items()} for one in (first, second)
    )
    balance = dict(before)
    for flow in result["moved"]:
        if flow["from"] != "nobody":
            balance[flow["from"]] -= flow["street_km"]
        if flow["to"] != "nobody":
            balance[flow["to"]] += flow["street_km"]
    assert balance[gone] == pytest.approx(0, abs=0.01)
    for name, km in after.items():
        assert balance[name] == pytest.approx(km, abs=0.01)
    assert {own["properties"]["from"] for own in result["streets"]["features"]} >= {gone}
    assert any(doubt["code"] == "rows-in-some" for doubt in result["doubts"])


def test_pairs_that_change_most_come_first(own_study):
    first = keep(own_study, "a", "matrix", **{"from": ROOMS, "to": ZONES})
    second = keep(own_study, "b", "matrix", **{"from": ROOMS, "to": ZONES}, closures=BRIDGE)
    result = compared(own_study, "a", "b")
    before, after = (by(one["rows"], "origin_id", "destination_id") for one in (first, second))
    changes = [row["change_2_duration_min"] for row in result["rows"] if row["standing"] == "in all"]
    assert changes == sorted(changes, key=abs, reverse=True)
    for row in result["rows"]:
        pair = row["origin_id"], row["destination_id"]
        if pair in before and pair in after:
            minutes = (after[pair]["duration_s"] - before[pair]["duration_s"]) / 60
            assert row["change_2_duration_min"] == pytest.approx(minutes, abs=0.006)
        else:
            assert row["change_2_duration_min"] is None
            assert row["standing"] != "in all"
    starts = by(result["starts"], "id")
    for ident, start in starts.items():
        own = [pair for pair in before if pair[0] == ident]
        assert start["mean_min"] == pytest.approx(np.mean([before[pair]["duration_s"] / 60 for pair in own]), abs=0.006)


def test_a_street_without_trips_has_none(own_study):
    first = keep(own_study, "a", "trips", **{"from": ZONES, "to": ROOMS})
    second = keep(own_study, "b", "trips", **{"from": ZONES, "to": ROOMS}, closures=BRIDGE)
    result = compared(own_study, "a", "b")
    before, after = (
        {link: own["trips"] for link, own in by(one["load"], "link_id").items()} for one in (first, second)
    )
    told = by(result["load"], "link_id")
    assert told.keys() == before.keys() | after.keys()
    for link, own in told.items():
        assert own["change_2_trips"] == after.get(link, 0) - before.get(link, 0)
    assert any(own["change_2_trips"] for own in told.values())


@pytest.mark.parametrize(
    "process,field,inputs,other",
    [
        ("neighbours", "within_6", {"places": ROOMS, "others": ROOMS, "limits": [3, 6, 9]}, {"mode": "cycle"}),
        ("centrality", "reach", {"places": ROOMS, "radius": 500}, {"radius": 900}),
    ],
)
def test_places_are_set_side_by_side(own_study, process, field, inputs, other):
    first = keep(own_study, "a", process, **inputs)
    second = keep(own_study, "b", process, **{**inputs, **other})
    before, after = (by(one["places"], "id") for one in (first, second))
    for ident, own in by(compared(own_study, "a", "b")["places"], "id").items():
        assert own[f"change_2_{field}"] == pytest.approx(after[ident][field] - before[ident][field])


def test_features_in_one_answer_alone_are_told(own_study):
    events = {"events": points(WEST), "layers": ["zones"]}
    first = keep(own_study, "a", "alongside", **events, distance=100)
    second = keep(own_study, "b", "alongside", **events, distance=400)
    result = compared(own_study, "a", "b")
    before, after = (set(by(one["zones"], "zone")) for one in (first, second))
    assert before < after
    assert set(by(result["zones"], "zone")) == after - before
    assert result["figures"][0]["value"] == len(after) - len(before)


# -- what the difference may come from, and what cannot be compared --------------------------------------------------------


def test_an_answer_from_before_is_set_against_one_of_changed_streets(own_study):
    keep(own_study, "before", "access", **PEOPLE)
    with own_study.writing() as connection:
        own_study.answers_are_stale(connection)
    study = Study(own_study.path)
    keep(study, "now", "access", **PEOPLE)
    result = compared(study, "before", "now")
    assert result["method"][0] == "The same question, asked at different times."
    assert all(label.startswith("of ") for label in result["summary"]["answers"])
    assert "other-streets" in {doubt["code"] for doubt in result["doubts"]}


def test_what_an_answer_was_not_kept_with_is_said(own_study):
    """Kept without its streets, and the streets of the study have changed since: they are not compared, and that is told."""
    inputs = {"places": [WEST], "limits": [4]}
    answer = ask(own_study, "isochrone", inputs)
    head = {
        "process": "isochrone",
        "inputs": inputs,
        "stamp": own_study.revision,
        "made": records.now(),
        "seconds": 0.1,
    }
    with own_study.writing() as connection:
        records.keep_copy(connection, head, "bare", geojson.dumps(answer.document(answer.view.parts)), "bare")
    keep(own_study, "full", "isochrone", **inputs, mode="cycle")
    assert "not-kept" not in {doubt["code"] for doubt in compared(own_study, "bare", "full")["doubts"]}
    with own_study.writing() as connection:
        own_study.answers_are_stale(connection)
    study = Study(own_study.path)
    keep(study, "now", "isochrone", **inputs)
    result = compared(study, "bare", "now")
    (doubt,) = [one for one in result["doubts"] if one["code"] == "not-kept"]
    assert doubt["text"].startswith("Not compared: streets. 'of ") and "streets" not in result


def test_a_comparison_shows_places_that_are_no_layer(own_study):
    for name, limits in (("a", [4]), ("b", [6])):
        keep(own_study, name, "isochrone", places=[WEST], limits=limits)
    result = compared(own_study, "a", "b")
    assert [feature["geometry"]["type"] for feature in result["pins"]["features"]] == ["Point"]


def test_answers_of_two_studies_are_compared(own_study, tmp_path):
    path = tmp_path / "other.gpkg"
    keep(own_study, "a", "access", **PEOPLE)
    shutil.copy(own_study.path, path)
    other = Study(path)
    wanted = {"answers": ["a", {"study": "other", "answer": "a"}]}
    document = ask(own_study, "compare", wanted, other_study={"other": other}.__getitem__).document()
    assert document["method"][0] == "The same question, asked of 'ferrow' and of 'other'."
    assert document["summary"]["answers"] == ["ferrow", "other"]
    assert document["view"]["compared"]["answers"][1] == {"label": "other"}
    assert all(group["change_2_within"] == 0 for group in document["groups"])
    with pytest.raises(AwlError, match="No other study"):
        ask(own_study, "compare", wanted)


def test_a_question_of_the_sheet_without_an_answer_is_asked(own_study):
    blocks = [
        {"id": ident, "kind": "question", "process": "isochrone", "inputs": {"places": points(WEST), "limits": [limit]}}
        for ident, limit in (("q1", 5), ("q2", 5))
    ]
    blocks[1]["inputs"]["mode"] = "cycle"
    with own_study.writing() as connection:
        sheet_records.save(connection, "main", {"title": "", "blocks": blocks})
    assert compared(own_study, "q1", "q2")["summary"]["answers"] == ["walker", "cyclist"]


def test_what_cannot_be_compared_is_refused(own_study):
    keep(own_study, "a", "isochrone", places=points(WEST), limits=[5])
    keep(own_study, "m", "matrix", **{"from": ROOMS, "to": ROOMS})
    keep(own_study, "p", "access", **PEOPLE)
    keep(own_study, "q", "access", **PEOPLE)
    keep(own_study, "c", "compare", answers=["p", "q"])
    keep(own_study, "d", "compare", answers=["q", "p"])
    for names, words in (
        (["a"], "at least 2"),
        (["a", *"bcdef"], "at most 5"),
        (["a", "a"], "twice"),
        (["a", "m"], "different kinds: isochrone and matrix"),
        (["a", "zz"], "'zz' has no answer"),
        (["c", "d"], "'compare' cannot be compared"),
        ([{"answer": "a", "part": "x"}, "m"], "answers"),
    ):
        with pytest.raises(AwlError, match=words):
            ask(own_study, "compare", {"answers": names})
    with pytest.raises(AwlError, match="cannot be kept"):
        keep_under(
            own_study, "../x", question("isochrone"), {}, ask(own_study, "matrix", {"from": ROOMS, "to": ROOMS}), 0
        )


def test_minutes_are_not_compared_with_metres(own_study):
    keep(own_study, "a", "isochrone", places=points(WEST), limits=[5, 10])
    keep(own_study, "b", "isochrone", places=points(WEST), limits=[5, 10], measure="distance", snap=50)
    with pytest.raises(AwlError, match="nothing in common"):
        compared(own_study, "a", "b")


# -- kept answers ----------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("process,inputs", [
    ("access", PEOPLE), ("route", {"waypoints": [WEST, EAST], "measure": ["time", "distance"]}),
    ("matrix", {"from": ROOMS, "to": ROOMS}), ("isochrone", {"places": ROOMS, "limits": [5]}),
])  # fmt: skip
def test_a_kept_answer_has_the_tables_it_was_kept_with(own_study, process, inputs):
    answer = ask(own_study, process, inputs)
    keep_under(own_study, "a", question(process), inputs, answer, 0.1)
    kept = kept_answer(own_study, "a")
    assert kept.lacks(parts_compared(question(process).compared)) == set()
    assert kept.document["parts"] == answer.parts
    for name in kept.parts:
        own, again = answer.part(name), kept.part(name)
        assert again.schema() == own.schema(), name
        assert json.loads(geojson.dumps(again.records())) == json.loads(geojson.dumps(own.records())), name


def test_every_part_that_is_compared_is_one_of_its_question():
    for ident, asked in QUESTIONS.items():
        known = set(asked.outputs) | {"by_limit", "compared"}
        assert set(parts_compared(asked.compared)) <= known, ident
        for spec in asked.compared:
            assert not isinstance(spec, ComparedFeatures) or set(spec.fixed) <= known
    assert [ident for ident, asked in QUESTIONS.items() if not asked.compared] == ["compare"]


def test_a_question_reads_as_in_the_sheet(study):
    access = {**PEOPLE, "closures": BRIDGE, "mode": "cycle", "at": "2026-06-05T17:00", "direction": "to"}
    text = sentence_of(question("access"), access, study)
    for words in (
        "cyclist",
        "4, 8, 12 minutes",
        "on Friday 5 June 2026, 17:00",
        "with the bridges closed",
        "cool rooms",
    ):
        assert words in text
    assert "{" not in text
    assert text.endswith("?")
    for ident in ("isochrone", "route", "matrix", "trips", "catchment", "neighbours", "centrality", "alongside"):
        assert "{" not in sentence_of(question(ident), {}, study), ident
