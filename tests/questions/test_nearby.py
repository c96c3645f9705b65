"""What stands along the streets, what else is near, and isochrones of places that differ: against brute force."""

from __future__ import annotations

import json

import numpy as np
import pytest
import shapely

from awl.core.errors import AwlError
from awl.cql2.rows import matching
from awl.io import geojson
from awl.questions.run import ask
from awl.study import records
from tests.oracle import times_between
from tests.questions.test_questions import WEST, points
from tests.questions.test_trips import scattered, snapped

ROOMS = {"layer": "cool_rooms"}


def boxes(centres, half, **columns):
    """Squares in degrees around points."""
    features = [
        {
            "type": "Feature",
            "properties": {"id": i, **{key: values[i] for key, values in columns.items()}},
            "geometry": shapely.geometry.mapping(shapely.box(x - half, y - half, x + half, y + half)),
        }
        for i, (x, y) in enumerate(centres)
    ]
    return {"type": "FeatureCollection", "features": features}


def test_what_stands_along_is_what_brute_force_finds(study):
    rng = np.random.default_rng(6)
    centres = rng.uniform([-36.212, 41.286], [-36.198, 41.297], (400, 2)).tolist()
    parcels = boxes(centres, 1.5e-4, plot=[f"plot {i}" for i in range(400)])
    houses = boxes([[x + 4e-5, y] for x, y in centres[::2]], 3e-5)
    result = ask(
        study, "alongside", {"events": points(WEST), "distance": 300, "width": 12, "layers": [parcels, houses]}
    ).document()
    plane = study.graph.plane
    strip = plane.project(geojson.from_document(result["strip"], "strip").geometry)[0]
    shapes = plane.project(geojson.from_document(parcels, "parcels").geometry)
    wanted = [i for i, shape in enumerate(shapes) if shape.intersects(strip)]
    assert [f["properties"]["id"] for f in result["layer_1"]["features"]] == wanted and 5 < len(wanted) < 400
    inner = plane.project(geojson.from_document(houses, "houses").geometry)
    on_them = [j for j, house in enumerate(inner) if any(house.intersection(shapes[i]).area > 1e-3 for i in wanted)]
    assert [f["properties"]["id"] for f in result["layer_2"]["features"]] == on_them
    # The streets are those of an isochrone in metres, and nothing of them lies further along than the distance.
    reach = ask(study, "isochrone", {"places": points(WEST), "limits": [300], "measure": "distance"}).document()
    assert result["summary"]["street_km"] == pytest.approx(reach["summary"]["street_km"][0], abs=0.002)
    assert max(f["properties"]["to_m"] for f in result["streets"]["features"]) <= 300.1
    rows = result["found"]
    assert len(rows) == len(on_them) and all(0 <= row["along_m"] <= 300 for row in rows)


def test_alongside_says_what_is_wrong(study):
    with pytest.raises(AwlError, match="layers"):
        ask(study, "alongside", {"events": points(WEST), "layers": []})
    with pytest.raises(AwlError, match="distance"):
        ask(study, "alongside", {"events": points(WEST), "layers": [ROOMS], "distance": -1})


def test_neighbours_are_counted_as_the_oracle_counts(study):
    places, others = scattered(study, 8, 21), scattered(study, 30, 22)
    kinds = ["bakery", "school", None]
    for i, feature in enumerate(others["features"]):
        feature["properties"]["sort"] = kinds[i % 3]
    result = ask(study, "neighbours", {"places": places, "others": others, "kind": "sort", "limits": [4, 9]}).document()
    both = {"type": "FeatureCollection", "features": places["features"] + others["features"]}
    minutes = times_between(study.network("walk"), snapped(study, "walk", both), "time")[:8, 8:] / 60
    names = ["bakery", "school", "not said"]
    for i, feature in enumerate(result["places"]["features"]):
        for k, name in enumerate(names):
            mine = minutes[i, np.arange(30) % 3 == k]
            assert feature["properties"][f"{name}_within_4"] == (mine <= 4).sum()
            assert feature["properties"][f"{name}_within_9"] == (mine <= 9).sum()
    by_kind = {row["kind"]: row for row in result["cross"]}
    school = minutes[:, np.arange(30) % 3 == 1]
    assert by_kind["school"]["count"] == 10
    assert by_kind["school"]["share_9"] == pytest.approx((school <= 9).any(axis=1).mean() * 100, abs=0.06)


def test_a_place_is_no_neighbour_of_itself(study):
    result = ask(study, "neighbours", {"places": ROOMS, "others": ROOMS, "limits": [60]}).document()
    count = len(result["places"]["features"])
    assert all(feature["properties"]["within_60"] < count for feature in result["places"]["features"])
    with pytest.raises(AwlError, match="no field 'colour'"):
        ask(study, "neighbours", {"places": ROOMS, "others": ROOMS, "kind": "colour"})


def area(study, document, limit):
    plane = study.graph.plane
    layer = geojson.from_document(document["areas"], "areas")
    shapes = shapely.make_valid(plane.project(layer.geometry))
    return shapely.union_all(shapes[np.array(layer.columns["limit"]) == limit], grid_size=0.01)


def test_places_that_differ_are_answered_each_by_its_own_rule(study):
    rooms = geojson.collection(study.read_layer("cool_rooms"))
    big = [f for f in rooms["features"] if f["properties"]["seats"] > 60]
    small = [f for f in rooms["features"] if f["properties"]["seats"] <= 60]
    assert big and small
    rule = {"where": "seats > 60", "mode": "drive", "add_minutes": 1.5}
    mixed = ask(study, "isochrone", {"places": ROOMS, "limits": [3, 6], "differs": [rule]}).document()
    on_foot = ask(study, "isochrone", {"places": {**rooms, "features": small}, "limits": [3, 6]}).document()
    by_car = ask(
        study, "isochrone", {"places": {**rooms, "features": big}, "limits": [1.5, 4.5], "mode": "drive"}
    ).document()
    for limit, less in ((3, 1.5), (6, 4.5)):
        wanted = shapely.union(area(study, on_foot, limit), area(study, by_car, less), grid_size=0.01)
        # Added minutes are a head start of the search: edges move by centimetres against limits that are so much lower.
        assert shapely.symmetric_difference(area(study, mixed, limit), wanted, grid_size=0.01).area < 20
    rings = ask(study, "isochrone", {"places": ROOMS, "limits": [3, 6], "merge": "bands", "differs": [rule]}).document()
    assert area(study, rings, 3).intersection(area(study, rings, 6)).area < 20  # of km², edges rounded to a centimetre
    each = ask(study, "isochrone", {"places": ROOMS, "limits": [3, 6], "merge": "each", "differs": [rule]}).document()
    assert {f["properties"]["mode"] for f in each["areas"]["features"]} == {"walk", "drive"}
    assert {f["properties"]["limit"] for f in each["areas"]["features"]} == {3, 6}


@pytest.mark.parametrize(
    ("more", "words"),
    [
        ({"merge": "nearest", "differs": [{"where": "seats > 60", "mode": "drive"}]}, "cannot be shared out"),
        ({"differs": [{"where": "seats > 1", "add_minutes": 5}]}, "leaves nothing"),
        ({"differs": [{"where": "seats > 1", "limits": [5]}]}, "1 limits where all have 2"),
        ({"differs": [{"where": "seats >"}]}, "cannot be read"),
        ({"differs": [{"where": "seats > 1", "mode": "fly"}]}, "fly"),
    ],
)
def test_rules_that_cannot_hold_are_refused(study, more, words):
    with pytest.raises(AwlError, match=words):
        ask(study, "isochrone", {"places": ROOMS, "limits": [5, 10], **more})


def test_straight_lines_stand_beside(study):
    result = ask(study, "isochrone", {"places": points(WEST), "limits": [10], "compare_straight_line": True}).document()
    (disc,) = result["straight"]["features"]
    assert disc["properties"]["area_km2"] == pytest.approx(np.pi * disc["properties"]["radius_m"] ** 2 / 1e6, rel=0.01)
    assert disc["properties"]["area_km2"] > result["summary"]["area_km2"][0]


def test_filters_over_a_layer_in_memory_equal_those_of_the_study(study):
    layer = study.read_layer("cool_rooms")
    for where in ("seats > 60", "kind = 'library' OR name LIKE 'S%'", "seats IS NULL", "NOT seats BETWEEN 20 AND 80"):
        wanted = set(study.read_layer("cool_rooms", where).columns["name"])
        assert {name for name, hit in zip(layer.columns["name"], matching(layer, where), strict=True) if hit} == wanted


def test_a_way_of_ones_own_is_measured_beside_the_best(study):
    a, via, b = (f["geometry"]["coordinates"] for f in scattered(study, 3, 31)["features"])
    result = ask(study, "route", {"waypoints": [a, b], "expected": [via]}).document()
    best, own = (f["properties"] for f in result["routes"]["features"])
    through = ask(study, "route", {"waypoints": [a, via, b]}).document()["routes"]["features"][0]["properties"]
    assert own["measure"] == "own way" and own["duration_s"] == through["duration_s"] >= best["duration_s"]
    assert result["compared"][-1]["duration_min"] == pytest.approx(
        (own["duration_s"] - best["duration_s"]) / 60, abs=0.02
    )


def test_points_are_passed_in_the_best_order(study):
    stops = [f["geometry"]["coordinates"] for f in scattered(study, 6, 33)["features"]]
    given = ask(study, "route", {"waypoints": stops}).document()
    best = ask(study, "route", {"waypoints": stops, "order": "best"}).document()
    order = best["summary"]["order"]
    assert sorted(order) == [1, 2, 3, 4, 5, 6] and order[0] == 1 and order[-1] == 6
    again = ask(study, "route", {"waypoints": [stops[i - 1] for i in order]}).document()
    durations = [d["summary"]["routes"][0]["duration_s"] for d in (best, again, given)]
    assert durations[0] == durations[1] <= durations[2]


def test_an_answer_feeds_a_question(own_study):
    study = own_study

    def keep(ident, process, inputs):
        result = geojson.dumps(ask(study, process, inputs).document())
        with study.writing() as connection:
            records.save_answer(connection, ident, process, inputs, study.revision, 0.1, result)
        return json.loads(result)

    reach = keep("q1", "isochrone", {"places": points(WEST), "limits": [6]})
    ground = shapely.union_all(geojson.from_document(reach["areas"], "areas").geometry)
    zones = study.read_layer("zones")
    inside = {
        name
        for name, shape in zip(zones.columns["zone"], zones.geometry, strict=True)
        if ground.contains(shape.point_on_surface())
    }
    assert 0 < len(inside) < len(zones)
    inputs = {"from": {"layer": "zones", "inside": "q1"}, "to": ROOMS}
    rows = keep("q2", "matrix", inputs)["rows"]
    assert len({row["origin_id"] for row in rows}) == len(inside)
    again = ask(study, "matrix", {"from": {"answer": "q1", "part": "places"}, "to": ROOMS}).document()
    assert again["summary"]["starts"] == 1
    fresh = records.is_fresh(study.reading, records.answer(study.reading, "q2"), study.revision)
    with study.writing() as connection:
        connection.execute("UPDATE awl_answers SET made = '9' WHERE question = 'q1'")
    assert fresh and not records.is_fresh(study.reading, records.answer(study.reading, "q2"), study.revision)
    for wanted, words in (
        ({"layer": "zones", "inside": "q9"}, "has no answer"),
        ({"layer": "zones", "inside": "q2"}, "no areas"),
        ({"answer": "q1", "part": "rows"}, "no features 'rows'"),
        ({"answer": "q1", "part": "areas", "where": "limit > 99"}, "matches the filter"),
    ):
        with pytest.raises(AwlError, match=words):
            ask(study, "matrix", {"from": wanted, "to": ROOMS})


def test_minutes_that_some_places_add_share_streets_out_to_the_nearest(study):
    rule = {"where": "seats > 60", "add_minutes": 2.5}
    asked = {"places": ROOMS, "limits": [4, 8], "merge": "nearest"}
    plain, later = (ask(study, "isochrone", {**asked, "differs": rules}) for rules in ([], [rule]))
    big = {
        one["properties"]["id"] for one in geojson.collection(study.read_layer("cool_rooms", "seats > 60"))["features"]
    }
    owned = [answer.part("areas").columns for answer in (plain, later)]

    def ground(columns, mine):
        at = zip(columns["place_id"], columns["limit"], columns["area_km2"], strict=True)
        return sum(km2 for place, limit, km2 in at if limit == 8 and (place in big) == mine)

    assert ground(owned[1], True) < 0.8 * ground(owned[0], True)
    assert ground(owned[1], False) > ground(owned[0], False)
    # Arrivals hold the minutes that are added.
    assert min(later.part("streets").columns["arrival_begin_s"].numbers()) < 1
    alone = ask(
        study, "isochrone", {**asked, "places": {"layer": "cool_rooms", "where": "seats > 60"}, "differs": [rule]}
    )
    assert min(alone.part("streets").columns["arrival_begin_s"].numbers()) == pytest.approx(150, abs=0.1)
