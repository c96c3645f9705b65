"""Questions against independent answers on a cut of Ferrow, and what they say about bad input."""

from __future__ import annotations

import csv
import io
from datetime import datetime

import numpy as np
import pytest
import shapely
from pyproj import Geod
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import dijkstra

from awl.core.errors import AwlError, Cancelled
from awl.core.progress import Progress
from awl.io import geojson, gmns
from awl.questions import QUESTIONS
from awl.questions.describe import process_description
from awl.questions.run import ask
from awl.study import importing
from awl.study.study import Study
from tests.conftest import CUT, node, osm, way
from tests.oracle import people_within, times_between

ROOMS = {"layer": "cool_rooms"}
ZONES = {"layer": "zones"}
WEST, EAST = [-36.2060, 41.2915], [-36.1935, 41.2905]


def points(*positions: list[float]) -> dict:
    return {
        "type": "FeatureCollection",
        "features": [
            {"type": "Feature", "properties": {}, "geometry": {"type": "Point", "coordinates": p}} for p in positions
        ],
    }


def document(study, question, **inputs):
    return ask(study, question, inputs).document()


# -- route -----------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("mode", ["walk", "cycle", "drive"])
def test_a_route_takes_the_time_the_oracle_says(study, mode):
    result = document(study, "route", waypoints=[WEST, EAST], mode=mode, measure=["time", "distance"])
    quick, short = (feature["properties"] for feature in result["routes"]["features"])
    snapped = study.snapper(mode).snap(*np.array([WEST, EAST]).T, 100)
    network = study.network(mode)
    assert quick["duration_s"] == pytest.approx(times_between(network, snapped, "time")[0, 1], abs=0.06)
    assert short["distance_m"] == pytest.approx(times_between(network, snapped, "distance")[0, 1], abs=0.06)
    assert quick["duration_s"] <= short["duration_s"] + 0.1 and short["distance_m"] <= quick["distance_m"] + 0.1
    assert quick["mean_speed_kmh"] == pytest.approx(quick["distance_m"] / quick["duration_s"] * 3.6, abs=0.06)


def test_the_drawn_line_is_as_long_as_the_route_says(study):
    result = document(study, "route", waypoints=[WEST, EAST, [-36.203, 41.2945]])
    feature = result["routes"]["features"][0]
    length = Geod(ellps="WGS84").line_length(*np.array(feature["geometry"]["coordinates"]).T)
    assert length == pytest.approx(feature["properties"]["distance_m"], abs=1.0)
    legs = feature["properties"]["legs"]
    assert len(legs) == 2
    for leg in legs:
        assert sum(step["distance_m"] for step in leg["steps"]) == pytest.approx(leg["distance_m"], abs=1)
        assert sum(step["duration_s"] for step in leg["steps"]) == pytest.approx(leg["duration_s"], abs=1)
    assert len(feature["properties"]["node_ids"]) == len(feature["properties"]["link_ids"]) - 2


def test_closing_the_footbridge_makes_the_way_longer(study):
    streets = study.read_layer("streets", "name = 'Heron Footbridge'")
    bridge = shapely.union_all(streets.geometry)
    ends = np.asarray(shapely.line_merge(bridge).coords)
    waypoints = [ends[0].tolist(), ends[-1].tolist()]
    middle = bridge.interpolate(0.5, normalized=True)
    direct = document(study, "route", waypoints=waypoints)["summary"]["routes"][0]
    closed = document(study, "route", waypoints=waypoints, closures=points([middle.x, middle.y]))
    assert direct["detour_factor"] < 1.1
    assert closed["summary"]["routes"][0]["distance_m"] > 1.5 * direct["distance_m"]
    assert any(doubt["code"] == "closures" for doubt in closed["doubts"])


def test_start_and_end_on_one_street(study):
    streets = study.read_layer("streets", "highway = 'residential' AND length > 90 AND oneway IS NULL")
    line = streets.geometry[0]
    a, b = (line.interpolate(share, normalized=True) for share in (0.3, 0.6))
    route = document(study, "route", waypoints=[[a.x, a.y], [b.x, b.y]], mode="walk")["routes"]["features"][0][
        "properties"
    ]
    assert len(route["link_ids"]) == 1
    assert route["distance_m"] == pytest.approx(0.3 * streets.columns["length"][0], rel=0.02)


# -- matrix ----------------------------------------------------------------------------------------------------------------


def times_by_tables(nodes, links, turns, starts):
    """Seconds from nodes to all nodes by SciPy, from what the exported tables say and nothing else.

    A state is a link row in one of three phases: before streets open at ends alone are left, between, and back in them.
    """
    index = {row["node_id"]: i for i, row in enumerate(nodes)}
    tail = np.array([index[row["from_node_id"]] for row in links])
    head = np.array([index[row["to_node_id"]] for row in links])
    cost = np.array([float(row["duration_s"]) for row in links])
    ends = np.array([row["ends_only"] == "true" for row in links])
    number = {row["link_id"]: i for i, row in enumerate(links)}
    spoken = {index[row["node_id"]] for row in turns}
    leaving: dict[int, list[int]] = {}
    for i, at in enumerate(tail.tolist()):
        leaving.setdefault(at, []).append(i)
    pairs = [(number[t["ib_link_id"]], number[t["ob_link_id"]], float(t["penalty"])) for t in turns]
    pairs += [(i, j, 0.0) for i, at in enumerate(head.tolist()) if at not in spoken for j in leaving.get(at, [])]
    count = len(links)
    edges = []
    for i, j, lost in pairs:
        for phase in range(3):
            after = (0 if phase == 0 else 2) if ends[j] else 1
            if not (phase == 2 and after == 1):
                edges.append((i + phase * count, j + after * count, lost + cost[j]))
    for row, at in enumerate(starts.tolist()):
        edges += [(3 * count + row, j + (0 if ends[j] else 1) * count, cost[j]) for j in leaving.get(at, [])]
    size = 3 * count + len(starts)
    best: dict[tuple[int, int], float] = {}
    for a, b, value in edges:
        best[a, b] = min(best.get((a, b), np.inf), max(value, 1e-9))
    rows, columns = np.array(list(best)).T
    found = dijkstra(
        csr_matrix((list(best.values()), (rows, columns)), shape=(size, size)),
        indices=3 * count + np.arange(len(starts)),
    )
    made = np.full((len(starts), len(nodes)), np.inf)
    for i, at in enumerate(head.tolist()):
        made[:, at] = np.minimum(made[:, at], found[:, [i, i + count, i + 2 * count]].min(axis=1))
    made[np.arange(len(starts)), starts] = 0.0
    return made


@pytest.mark.parametrize(
    ("mode", "at"), [("walk", None), ("cycle", None), ("drive", None), ("drive", "2026-06-03T08:00")]
)
def test_exported_gmns_gives_the_same_times_between_200_random_pairs(study, mode, at):
    network = study.network(mode, None if at is None else datetime.fromisoformat(at))
    nodes = list(csv.DictReader(io.StringIO(gmns.nodes(network))))
    links = list(csv.DictReader(io.StringIO(gmns.links(network))))
    turns = list(csv.DictReader(io.StringIO(gmns.movements(network))))
    rng = np.random.default_rng(9)
    waits = set(network.graph.node_id[network.turn_delays.at_node > 0].tolist())
    quiet = np.array([i for i, row in enumerate(nodes) if int(row["node_id"]) not in waits])
    starts, ends = rng.choice(quiet, (2, 200))
    used = np.unique(np.concatenate([starts, ends]))
    oracle = times_by_tables(nodes, links, turns, used)
    where = {int(node): row for row, node in enumerate(used)}
    places = points(*[[float(nodes[i]["x_coord"]), float(nodes[i]["y_coord"])] for i in used])
    rows = document(study, "matrix", **{"from": places, "to": places, "mode": mode, "at": at, "snap": 1})["rows"]
    ours = {(row["origin_id"] - 1, row["destination_id"] - 1): row["duration_s"] for row in rows}
    for a, b in zip(starts.tolist(), ends.tolist(), strict=True):
        assert ours.get((where[a], where[b]), np.inf) == pytest.approx(oracle[where[a], b], abs=0.1)


def test_matrix_keeps_ids_and_counts_what_is_left_out(study):
    result = document(study, "matrix", **{"from": ZONES, "to": ROOMS, "limit": 6})
    ids = set(study.read_layer("cool_rooms").columns["id"])
    assert {row["destination_id"] for row in result["rows"]} <= ids
    assert all(row["duration_s"] <= 360 for row in result["rows"])
    assert result["summary"]["pairs"] + result["summary"]["pairs_unreached"] == result["summary"]["starts"] * len(ids)
    assert "pairs-unreached" in {doubt["code"] for doubt in result["doubts"]}


def test_two_modes_and_two_hours_differ_as_the_rules_say(study):
    def minutes(**more):
        return document(study, "route", waypoints=[WEST, EAST], **more)["routes"]["features"][0]["properties"][
            "duration_s"
        ]

    free, rush = minutes(mode="drive"), minutes(mode="drive", at="2026-06-03T08:00")
    night, sunday = minutes(mode="drive", at="2026-06-03T03:00"), minutes(mode="drive", at="2026-06-07T08:00")
    assert (
        free < rush < free / 0.6 + 1
        and night == pytest.approx(free, abs=0.2)
        and sunday == pytest.approx(free, abs=0.2)
    )
    assert minutes(mode="walk", at="2026-06-03T08:00") == minutes(mode="walk") > rush


def test_a_closure_with_a_factor_slows_a_street_instead(study):
    whole = document(study, "route", waypoints=[WEST, EAST])["routes"]["features"][0]
    way = shapely.geometry.shape(whole["geometry"])
    middle = way.interpolate(0.5, normalized=True)
    around = shapely.geometry.mapping(middle.buffer(0.0004))

    def asked(**properties):
        feature = {"type": "Feature", "properties": properties, "geometry": around}
        return document(
            study, "route", waypoints=[WEST, EAST], closures={"type": "FeatureCollection", "features": [feature]}
        )

    slow, slower, shut = (
        asked(**more)["routes"]["features"][0]["properties"]["duration_s"]
        for more in ({"factor": 0.5}, {"factor": 0.1}, {})
    )
    assert whole["properties"]["duration_s"] < slow <= slower <= shut
    assert any("slowed" in doubt["text"] for doubt in asked(factor=0.5)["doubts"])
    with pytest.raises(AwlError, match="no share of the speed"):
        asked(factor=3)


# -- isochrone and catchment -----------------------------------------------------------------------------------------------


@pytest.mark.parametrize(("limits", "digits"), [([3, 6], 0), ([0.5, 1], 1), ([0.25, 0.5], 2)])
def test_limits_are_told_as_they_were_asked(study, limits, digits):
    column = document(study, "isochrone", places=points(WEST), limits=limits)["view"]["tables"][0]["columns"][0]
    assert (column["title"], column["digits"]) == ("Within", digits)


def test_isochrone_streets_end_where_the_limit_falls(study):
    result = document(study, "isochrone", places=points(WEST), limits=[3, 6])
    streets = result["streets"]["features"]
    bands = {3: [], 6: []}
    for feature in streets:
        bands[feature["properties"]["limit"]].append(feature["properties"])
    for limit, low in ((3, 0), (6, 180)):
        times = [p[key] for p in bands[limit] for key in ("arrival_begin_s", "arrival_end_s")]
        assert low - 0.1 <= min(times) and max(times) <= limit * 60 + 0.1
    length = [sum(p["length_m"] for p in bands[k]) / 1000 for k in (3, 6)]
    assert length[0] == pytest.approx(result["summary"]["street_km"][0], abs=0.02)
    assert sum(length) == pytest.approx(result["summary"]["street_km"][1], abs=0.02)
    # Each end lies at the limit by the oracle's reckoning.
    ends = [f for f in result["ends"]["features"] if f["properties"]["limit"] == 6][:12]
    spots = [WEST, *[f["geometry"]["coordinates"] for f in ends]]
    snapped = study.snapper("walk").snap(*np.array(spots).T, 20)
    assert times_between(study.network("walk"), snapped)[0, 1:] == pytest.approx(360, abs=0.5)


def test_merging(study):
    shapes = {}
    for merge in ("merged", "bands", "nearest", "each"):
        result = document(study, "isochrone", places=ROOMS, limits=[2, 4], merge=merge)
        found = geojson.from_document(result["areas"], merge)
        shapes[merge] = {limit: found.geometry[np.array(found.columns["limit"]) == limit] for limit in (2, 4)}
    union = {m: {k: shapely.union_all(v) for k, v in s.items()} for m, s in shapes.items()}
    area = {m: {k: v.area for k, v in s.items()} for m, s in union.items()}
    assert area["each"][4] == pytest.approx(area["merged"][4], rel=0.02)
    assert area["nearest"][4] == pytest.approx(area["merged"][4], rel=0.02)
    assert area["bands"][4] + area["bands"][2] == pytest.approx(area["merged"][4], rel=1e-6)
    water = shapely.union_all(study.read_layer("water").geometry)
    wet = shapely.intersection(union["merged"][4], water)
    bridges = shapely.buffer(shapely.intersection(shapely.union_all(study.graph.lines()), water), 1e-4)
    assert 0 < wet.area < 0.01 * area["merged"][4], "bridges are held, the river is not"
    assert shapely.difference(wet, bridges).area < 1e-6 * area["merged"][4]


def test_from_and_to_differ_where_streets_are_one_way(study):
    leaving, coming = (
        document(study, "isochrone", places=points(WEST), limits=[1, 2], direction=d, mode="drive")["summary"][
            "street_km"
        ]
        for d in ("from", "to")
    )
    assert leaving != coming
    walkers = [
        document(study, "isochrone", places=points(WEST), limits=[4], direction=d)["summary"] for d in ("from", "to")
    ]
    assert walkers[0] == walkers[1]


@pytest.mark.parametrize("measure", ["time", "distance"])
def test_a_way_by_car_may_begin_beside_a_one_way_street_and_says_so(study, measure):
    begin, end = [-36.203276, 41.289654], [-36.196009, 41.295078]
    result = document(study, "route", waypoints=[begin, end], mode="drive", measure=[measure])
    way = result["routes"]["features"][0]["properties"]
    network = study.network("drive")
    snapped = study.snapper("drive").snap(*np.array([begin, end]).T, 100)
    total = way["duration_s"] if measure == "time" else way["distance_m"]
    assert total == pytest.approx(times_between(network, snapped, measure)[0, 1], abs=0.1)
    (leg,) = way["legs"]
    assert sum(step["distance_m"] for step in leg["steps"]) == pytest.approx(way["distance_m"], abs=1)
    assert max(leg["beside_m"]) > 1, "one of the ends is on a street beside"
    (doubt,) = (doubt for doubt in result["doubts"] if doubt["code"] == "places-on-one-way-street")
    assert (
        doubt["count"] == 2
        and "2 points on one-way streets: trips may begin or end on the street beside" in doubt["text"]
    )
    alternatives = [place["properties"]["beside"] for place in result["places"]["features"]]
    assert alternatives[0] == "Heather Bank, 18 m farther" and alternatives[1]
    on_foot = document(study, "route", waypoints=[begin, end], measure=[measure])
    assert on_foot["routes"]["features"][0]["properties"]["legs"][0]["beside_m"] == [0, 0]
    assert "beside" not in on_foot["places"]["features"][0]["properties"]
    assert not [doubt for doubt in on_foot["doubts"] if doubt["code"] == "places-on-one-way-street"]


@pytest.mark.parametrize("apart", [0.4, 0.1])
def test_streets_that_do_not_connect_are_doubted(tmp_path, apart):
    """Two pieces of street: the smaller has the given share of the length."""
    body = "".join(
        node(i, -36.2 + x, lat)
        for i, x, lat in ((1, 0, 41.29), (2, 0.02 * (1 - apart), 41.29), (3, 0, 41.3), (4, 0.02 * apart, 41.3))
    )
    body += way(1, [1, 2], highway="residential") + way(2, [3, 4], highway="residential")
    (tmp_path / "two.osm").write_text(osm(body))
    importing.build(tmp_path / "two.osm", tmp_path / "two.gpkg")
    result = document(Study(tmp_path / "two.gpkg"), "isochrone", places=points([-36.2, 41.29]), limits=[2])
    doubts = [doubt for doubt in result["doubts"] if doubt["code"] == "streets-apart"]
    assert [doubt["text"][:3] for doubt in doubts] == (["40%"] if apart > 0.2 else [])
    for doubt in doubts:  # and it says where
        assert [(spot["name"], spot["note"], spot["at"][1]) for spot in doubt["where"]] == [("Link 2", "0.7 km", 41.3)]


def test_the_border_is_mentioned_where_it_is_touched(study):
    wide = document(study, "isochrone", places=ROOMS, limits=[30])
    narrow = document(study, "isochrone", places=points([-36.204, 41.2900]), limits=[1])
    assert "border-touched" in {doubt["code"] for doubt in wide["doubts"]}
    assert "border-touched" not in {doubt["code"] for doubt in narrow["doubts"]}


def test_catchments_share_out_streets_and_people(study):
    result = document(study, "catchment", places=ROOMS, zones=ZONES, fields=["population"])
    places = [feature["properties"] for feature in result["places"]["features"]]
    network = study.network("walk")
    whole = network.graph.link_length[network.usable].sum() / 1000
    assert sum(place["street_km"] for place in places) == pytest.approx(whole, abs=0.01)
    people = sum(study.read_layer("zones").columns["population"])
    assert sum(place["population"] for place in places) == pytest.approx(people, abs=2)
    limited = document(study, "catchment", places=ROOMS, limit=3)
    within = document(study, "isochrone", places=ROOMS, limits=[3], direction="to")
    assert limited["summary"]["street_km"] == pytest.approx(within["summary"]["street_km"][0], abs=0.005)


# -- access ----------------------------------------------------------------------------------------------------------------


def test_access_equals_an_independent_count(study):
    result = document(study, "access", places=ROOMS, zones=ZONES, fields=["population"], limits=[3, 6])
    for minutes in (3, 6):
        total = result["summary"]["totals"][0][f"within_{minutes}"]
        assert total == pytest.approx(people_within(study, minutes), rel=0.03)


def test_totals_add_up_to_the_person(study):
    result = document(study, "access", places=ROOMS, zones=ZONES, limits=[2, 5, 9])
    zones = study.read_layer("zones")
    for row in result["summary"]["totals"]:
        assert row["total"] == sum(zones.columns[row["field"]])
        assert row["within_9"] + row["beyond"] + row["not_placed"] == pytest.approx(row["total"], abs=0.2)
        assert row["within_2"] <= row["within_5"] <= row["within_9"]
        assert all(row[f"straight_{k}"] >= row[f"within_{k}"] - 0.01 * row["total"] for k in (2, 5, 9))
    per_zone = [feature["properties"] for feature in result["zones"]["features"]]
    first = result["summary"]["totals"][0]
    assert sum(p["population_within_5"] for p in per_zone) == pytest.approx(first["within_5"], abs=1)
    assert all(p["places_within_9"] <= len(study.read_layer("cool_rooms")) for p in per_zone)


# -- bad input -------------------------------------------------------------------------------------------------------------

FAR = points([-36.5, 41.3])
BAD = [
    ("isochrone", {"places": ROOMS, "limits": [-5]}, "limit -5 is not above zero", "limits"),
    ("isochrone", {"places": ROOMS, "limits": [10, 5]}, "do not ascend", "limits"),
    ("isochrone", {"places": ROOMS, "limits": [5, 5]}, "do not ascend", "limits"),
    ("isochrone", {"places": ROOMS, "limits": [99999]}, "more than 1,440 minutes", "limits"),
    ("isochrone", {"places": ROOMS, "limits": [float("nan")]}, "not above zero", "limits"),
    ("isochrone", {"places": ROOMS, "limits": []}, "limits", "limits"),
    ("isochrone", {"places": ROOMS, "limits": "soon"}, "limits", "limits"),
    ("isochrone", {"limits": [5]}, "'places' is required", "places"),
    ("isochrone", {"places": ROOMS, "speed": 3}, "'speed' is not an input", "speed"),
    ("isochrone", {"places": ROOMS, "mode": "fly"}, "no mode 'fly'.*walk, wheels, cycle, drive, lorry", "mode"),
    ("isochrone", {"places": {"layer": "baths"}}, "no layer 'baths'.*cool_rooms", "places"),
    ("isochrone", {"places": {"layer": "cool_rooms", "where": "seats > 9999"}}, "No feature", "places"),
    ("isochrone", {"places": {"layer": "cool_rooms", "where": "seat > 1"}}, "no field 'seat'", "filter"),
    ("isochrone", {"places": FAR}, "outside the study area", "places"),
    ("isochrone", {"places": points()}, "holds no feature", "places"),
    ("isochrone", {"places": {"type": "Topology"}}, "places", "places"),
    ("isochrone", {"places": points([512000.0, 4571000.0])}, "not degrees", ""),
    ("isochrone", {"places": ROOMS, "at": "Monday"}, "no date and time", "at"),
    ("isochrone", {"places": ROOMS, "at": "2026-07-01T12:00Z"}, "leave the time zone out", "at"),
    ("isochrone", {"places": ROOMS, "snap": -1}, "snap", "snap"),
    ("isochrone", {"places": ROOMS, "closures": FAR}, "No usable street lies at the closures", "closures"),
    ("isochrone", {"places": ROOMS, "merge": "stirred"}, "merge", "merge"),
    ("route", {"waypoints": [WEST]}, "a route has 2 to 50", "waypoints"),
    ("route", {"waypoints": [WEST, [-36.5, 41.3]]}, "outside the study area", "waypoints"),
    ("route", {"waypoints": [WEST, [400, 41]]}, "not a longitude and latitude", "waypoints"),
    ("route", {"waypoints": [WEST, EAST], "measure": []}, "empty", "measure"),
    ("matrix", {"from": ROOMS, "to": ZONES, "limit": 0}, "not above zero", "limit"),
    ("access", {"places": ROOMS, "zones": ZONES, "fields": ["children"]}, "no field 'children'.*population", "fields"),
    ("access", {"places": ROOMS, "zones": ZONES, "fields": ["name"]}, "holds text", "fields"),
    ("access", {"places": ROOMS, "zones": ROOMS}, "zones are point features", "zones"),
    ("catchment", {"places": ROOMS, "limit": -1}, "not above zero", "limit"),
    ("unheard", {}, "no question 'unheard'", ""),
]  # fmt: skip


@pytest.mark.parametrize(("question", "inputs", "expected", "name"), BAD)
def test_bad_input_says_what_and_where(study, question, inputs, expected, name):
    with pytest.raises(AwlError, match=f"(?s){expected}") as caught:
        ask(study, question, inputs)
    assert 400 <= caught.value.status < 500
    if name:
        assert name in caught.value.inputs


def test_unconnected_start_and_end(tmp_path):
    body = (
        "".join(node(i, -36.2 + i * 0.001, 41.3) for i in range(1, 5))
        + node(8, -36.2, 41.302)
        + node(9, -36.199, 41.302)
    )
    body += "".join(way(i, [i, i + 1], highway="residential", name=f"Lane {i}") for i in (1, 2, 3)) + way(
        8, [8, 9], highway="residential"
    )
    extract = tmp_path / "made.osm"
    extract.write_text(osm(body))
    importing.build(extract, tmp_path / "made.gpkg")
    made = Study(tmp_path / "made.gpkg")
    with pytest.raises(AwlError, match="waypoint is on a separate part: point 2") as caught:
        ask(made, "route", {"waypoints": [[-36.199, 41.3], [-36.1995, 41.302]]})
    assert caught.value.status == 422
    closed = points([-36.1975, 41.3])
    with pytest.raises(AwlError, match="no way for walk from point 1 to point 2: the closures cut every way"):
        ask(made, "route", {"waypoints": [[-36.199, 41.3], [-36.1961, 41.3]], "closures": closed})


def test_some_bad_places_are_left_out_and_counted(study):
    river = shapely.intersection(
        study.read_layer("water").geometry[0], shapely.LineString([(-36.3, 41.296), (-36.1, 41.296)])
    )
    result = document(
        study, "isochrone", places=points(WEST, [-36.5, 41.3], list(river.centroid.coords[0])), limits=[5], snap=30
    )
    doubts = {doubt["code"]: doubt for doubt in result["doubts"]}
    assert doubts["places-outside-the-study-area"]["count"] == 1
    assert "point 2" in doubts["places-outside-the-study-area"]["text"]
    assert result["summary"]["places_used"] == result["summary"]["places"] - sum(
        d["count"] for code, d in doubts.items() if code.startswith("places-") and code != "places-far-from-street"
    )


def test_long_work_can_be_stopped(study):
    progress = Progress(lambda share, text: progress.stop() if share > 0.3 else None)
    with pytest.raises(Cancelled):
        ask(study, "isochrone", {"places": ROOMS, "merge": "each"}, progress)


# -- one definition --------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("ident", QUESTIONS)
def test_every_changeable_word_of_a_sentence_is_described(ident):
    described = process_description(QUESTIONS[ident])
    slots = described["x-awl"]["slots"]
    for sentence in described["x-awl"]["sentences"]:
        words = {part.split("}")[0] for part in sentence["text"].split("{")[1:]}
        assert sentence["text"].endswith("{clauses}?") and words - {"clauses"} <= set(slots), "a word without an editor"
        assert set(sentence["when"]) <= set(described["inputs"])
    last = described["x-awl"]["sentences"][-1]
    assert last["when"] == {}, "the last sentence fits always"
    shown = {part.split("}")[0] for part in last["text"].split("{")[1:]}
    required = {name for name, entry in described["inputs"].items() if entry["minOccurs"]}
    assert required <= shown, "an assumption would be hidden"
    assert set(slots) <= set(described["inputs"])
    for name, slot in slots.items():
        said = {part.split("}")[0] for part in slot.get("clause", {"text": ""})["text"].split("{")[1:]}
        assert said <= set(slots) and (not said or name in said), "a clause says its own word"
        assert slot.get("of", name) in described["inputs"]
        assert not {*slot.get("offer", {}).get("needs", []), *slot.get("offer", {}).get("unless", [])} - set(slots)


def test_the_cut_is_what_these_tests_think(study):
    assert shapely.covers(CUT.buffer(1e-9), study.read_layer("streets").geometry).all()
    assert len(study.read_layer("cool_rooms")) >= 3
