"""The web API: OGC Common, Features, Tiles and Processes, and problems for everything that is wrong."""

from __future__ import annotations

import gzip
import json

import jsonschema
import mapbox_vector_tile
import numpy as np
import pytest
import shapely
from openapi_spec_validator import validate

from awl.io.table import Table
from awl.server.app import create_app
from awl.server.features import PARAMETERS
from awl.shipped import SOURCE
from scripts.openapi import documents
from tests.conftest import EXTRACT, node, osm, way

BASE = "/studies/ferrow"
ROOMS = {"layer": "cool_rooms"}


def get(client, path, status=200):
    response = client.get(path)
    assert response.status_code == status, response.text
    return response.get_json(force=True)


def execute(client, process, inputs, status=200, headers=None, **more):
    response = client.post(
        f"{BASE}/processes/{process}/execution", json={"inputs": inputs, **more}, headers=headers or {}
    )
    assert response.status_code == status, response.text
    return response.get_json(force=True)


def ended(client, address):
    """A job once it has ended; waits on the job itself, not on the clock."""
    job = client.application.extensions["awl-jobs"].get(address.rsplit("/", 1)[1])
    assert job.over.wait(120), "the job does not end"
    return get(client, address)


def test_preparation_is_told_until_it_is_done(client):
    get(client, f"{BASE}/overview")
    while not (found := get(client, f"{BASE}/preparation"))["done"]:
        now = found["now"]
        assert now is None or (
            0 <= now["ready"] < now["modes"] and 0 <= now["share"] <= 1 and now["title"] and now["what"]
        )
    assert found["now"] is None


def test_studies_and_landing_page(client):
    studies = get(client, "/studies")["studies"]
    assert [study["id"] for study in studies] == ["ferrow"], "a file that is no study is passed over"
    landing = get(client, BASE)
    assert {link["rel"].rsplit("/", 1)[-1] for link in landing["links"]} >= {
        "self",
        "service-desc",
        "conformance",
        "data",
        "processes",
    }
    for link in landing["links"]:
        if link["type"] != "text/html":
            get(client, link["href"].split("localhost", 1)[-1])
    assert any("ogcapi-features-1/1.0/conf/core" in uri for uri in get(client, f"{BASE}/conformance")["conformsTo"])


def test_the_openapi_document_is_valid_and_names_every_question(client):
    document = get(client, f"{BASE}/api")
    validate(document)
    for process in get(client, f"{BASE}/processes")["processes"]:
        assert f"/processes/{process['id']}/execution" in document["paths"]


def test_the_openapi_document_names_every_resource_of_the_standards_and_its_parameters(client):
    paths = get(client, f"{BASE}/api")["paths"]
    names = {
        "collection_id": "collectionId", "int(max=9223372036854775807):fid": "featureId",
        "process_id": "processId", "job_id": "jobId",
        "int(max=30):z": "z", "int(max=1073741823):y": "y", "int(max=1073741823):x": "x",
    }  # fmt: skip
    parts = ("conformance", "api", "collections", "tileMatrixSets", "processes", "jobs")
    for rule in client.application.url_map.iter_rules():
        _, study, rest = rule.rule.partition("/studies/<study_id>/")
        if study and rest.split("/")[0] in parts and not rest.endswith("/execution"):
            for name, public in names.items():
                rest = rest.replace(f"<{name}>", f"{{{public}}}")
            assert f"/{rest}" in paths, rule.rule
            assert {method.lower() for method in rule.methods & {"GET", "DELETE"}} <= set(paths[f"/{rest}"]), rule.rule
    named = {p["name"] for p in paths["/collections/{collectionId}/items"]["get"]["parameters"] if p["in"] == "query"}
    assert set(PARAMETERS) <= named | {"f"}


def test_the_front_end_types_are_made_from_the_present_document():
    for name, text in documents().items():
        assert (SOURCE / "ui" / "src" / name).read_text() == text, "run 'make types'"


def test_collections_and_paging_through_all_items(client):
    collections = {c["id"]: c for c in get(client, f"{BASE}/collections")["collections"]}
    assert {"streets", "zones", "cool_rooms", "water"} <= set(collections)
    assert get(client, f"{BASE}/collections/zones") == collections["zones"]
    address, seen = f"{BASE}/collections/building/items?limit=700", []
    while address:
        page = get(client, address)
        assert page["numberReturned"] == len(page["features"]) <= 700
        seen += [feature["id"] for feature in page["features"]]
        address = next((link["href"].split("localhost", 1)[1] for link in page["links"] if link["rel"] == "next"), None)
    assert len(seen) == len(set(seen)) == page["numberMatched"] == collections["building"]["x-awl"]["count"]


def test_items_by_filter_and_box(client):
    found = get(client, f"{BASE}/collections/streets/items?filter=highway='primary' AND length > 50&limit=1000")[
        "features"
    ]
    assert found and all(f["properties"]["highway"] == "primary" and f["properties"]["length"] > 50 for f in found)
    west, south, east, north = box = (-36.201, 41.296, -36.199, 41.298)
    for feature in get(client, f"{BASE}/collections/streets/items?bbox={','.join(map(str, box))}&limit=1000")[
        "features"
    ]:
        x, y = np.array(feature["geometry"]["coordinates"]).T
        assert x.min() <= east and x.max() >= west and y.min() <= north and y.max() >= south
    one = get(client, f"{BASE}/collections/zones/items/1")
    assert one["id"] == 1 and one["geometry"]["type"] in ("Polygon", "MultiPolygon")


def test_tiles_hold_what_lies_in_them(client):
    z, lon, lat = 15, -36.2, 41.297
    x = int((lon + 180) / 360 * 2**z)
    y = int((1 - np.arcsinh(np.tan(np.radians(lat))) / np.pi) / 2 * 2**z)
    response = client.get(f"{BASE}/collections/streets/tiles/WebMercatorQuad/{z}/{y}/{x}")
    assert response.mimetype == "application/vnd.mapbox-vector-tile"
    layer = mapbox_vector_tile.decode(response.data)["streets"]
    assert len(layer["features"]) > 20
    assert {"highway", "link_id"} <= set(layer["features"][0]["properties"])
    size = 2**z
    box = [x / size * 360 - 180, 0, (x + 1) / size * 360 - 180, 0]
    box[3], box[1] = (float(np.degrees(np.arctan(np.sinh(np.pi * (1 - 2 * k / size))))) for k in (y, y + 1))
    matched = get(client, f"{BASE}/collections/streets/items?bbox={','.join(map(str, box))}&limit=1")["numberMatched"]
    assert matched <= len(layer["features"]) + 5
    assert client.get(f"{BASE}/collections/streets/tiles/WebMercatorQuad/15/0/0").status_code == 204
    assert get(client, f"{BASE}/collections/streets/tiles/WebMercatorQuad/3/99/0", 404)["status"] == 404


def test_all_questions_are_described_at_once_as_each_by_itself(client):
    listed = [one["id"] for one in get(client, f"{BASE}/processes")["processes"]]
    described = get(client, f"{BASE}/questions")["questions"]
    assert [one["id"] for one in described] == [ident for ident in listed if ident != "check"]
    for one in described:
        alone = get(client, f"{BASE}/processes/{one['id']}")
        assert one == {name: value for name, value in alone.items() if name != "links"}


def test_a_process_runs_at_once_or_as_a_job_with_the_same_result(client):
    inputs = {"places": ROOMS, "limits": [3, 6]}
    process = get(client, f"{BASE}/processes/isochrone")
    jsonschema.validate(inputs["limits"], process["inputs"]["limits"]["schema"])
    at_once = execute(client, "isochrone", inputs)
    assert {"summary", "doubts", "areas", "streets", "ends"} <= set(at_once)
    job = execute(client, "isochrone", inputs, 201, {"Prefer": "respond-async"})
    done = ended(client, f"{BASE}/jobs/{job['jobID']}")
    assert done["status"] == "successful" and done["progress"] == 100
    assert get(client, f"{BASE}/jobs/{job['jobID']}/results") == at_once
    assert job["jobID"] in [entry["jobID"] for entry in get(client, f"{BASE}/jobs")["jobs"]]
    client.delete(f"{BASE}/jobs/{job['jobID']}")
    assert get(client, f"{BASE}/jobs/{job['jobID']}", 404)["title"].startswith("There is no job")


def test_only_the_results_asked_for_are_made(client):
    result = execute(client, "isochrone", {"places": ROOMS}, outputs={"areas": {}})
    assert "areas" in result and "streets" not in result and "summary" in result
    assert "no output 'map'" in execute(client, "isochrone", {"places": ROOMS}, 400, outputs={"map": {}})["detail"]


def test_a_job_that_is_dismissed_ends(client):
    job = execute(
        client, "isochrone", {"places": {"layer": "zones"}, "merge": "each"}, 201, {"Prefer": "respond-async"}
    )
    address = f"{BASE}/jobs/{job['jobID']}"
    answer = client.delete(address).get_json()
    assert answer["status"] == "dismissed"
    assert client.get(f"{address}/results").status_code == 404


def test_stopping_a_job_that_has_just_ended_leaves_its_end_to_whoever_follows_it(client):
    job = execute(client, "isochrone", {"places": ROOMS}, 201, {"Prefer": "respond-async"})["jobID"]
    client.application.extensions["awl-jobs"].get(job).over.wait()
    assert client.delete(f"/jobs/{job}").get_json()["status"] == "successful"
    assert get(client, f"/jobs/{job}")["status"] == "successful"
    assert client.delete(f"{BASE}/jobs/{job}").get_json()["status"] == "dismissed"
    get(client, f"/jobs/{job}", 404)


def test_an_answer_is_kept_until_a_newer_one_succeeds(client):
    execute(client, "isochrone", {"places": ROOMS, "limits": [4]}, question="q1")
    kept = get(client, f"{BASE}/answers/q1")
    assert kept["fresh"] and kept["inputs"]["limits"] == [4]
    execute(client, "isochrone", {"places": {"layer": "cool_rooms", "where": "seats > 9999"}}, 400, question="q1")
    assert get(client, f"{BASE}/answers/q1") == kept
    assert get(client, f"{BASE}/answers/q77") is None
    download = client.get(f"{BASE}/export/answers/q1/areas?format=csv")
    assert download.mimetype == "text/csv" and "MULTIPOLYGON" in download.text
    assert client.get(f"{BASE}/export/answers/q1/nothing?format=csv").status_code == 404


WRONG = [
    ("GET", "/studies/nope", None, 404, "There is no study"),
    ("GET", "/studies/..%2F..%2Fetc", None, 404, ""),
    ("GET", f"{BASE}/collections/nope/items", None, 404, "no layer 'nope'"),
    ("GET", f"{BASE}/collections/zones/items/9999", None, 404, "no feature 9999"),
    ("GET", f"{BASE}/collections/zones/items?limit=0", None, 400, "from 1 to 10,000"),
    ("GET", f"{BASE}/collections/zones/items?limit=ten", None, 400, "whole number"),
    ("GET", f"{BASE}/collections/zones/items?bbox=1,2,3", None, 400, "no bounding box"),
    ("GET", f"{BASE}/collections/zones/items?bbox=nan,0,1,1", None, 400, "no bounding box"),
    ("GET", f"{BASE}/collections/zones/items?colour=red", None, 400, "no query parameter 'colour'"),
    ("GET", f"{BASE}/collections/zones/items?filter=population > ", None, 400, "character"),
    ("GET", f"{BASE}/collections/zones/items?filter-lang=sql&filter=x", None, 400, "cql2-text"),
    ("GET", f"{BASE}/processes/fly", None, 404, "no question 'fly'"),
    ("POST", f"{BASE}/processes/isochrone/execution", {"inputs": {"places": ROOMS, "limits": [10, 5]}}, 400, "do not ascend"),
    ("POST", f"{BASE}/processes/isochrone/execution", {"inputs": {"places": ROOMS, "mode": "fly"}}, 400, "no mode 'fly'"),
    ("POST", f"{BASE}/processes/isochrone/execution", {"inputs": [1]}, 400, "not a JSON object"),
    ("POST", f"{BASE}/processes/isochrone/execution", {"input": {}}, 400, "not a member"),
    ("POST", f"{BASE}/processes/route/execution", {"inputs": {"waypoints": [[0, 0], [1, 1]]}}, 422, "outside the study area"),
    ("PUT", f"{BASE}/sheets/main", {"blocks": "none"}, 400, "list of blocks"),
    ("GET", f"{BASE}/near?lon=x&lat=1", None, 400, "not a number"),
    ("GET", f"{BASE}/near?lon=0&lat=0&within=20", None, 404, "No street lies within 20 m"),
    ("GET", f"{BASE}/export/layers/zones?format=exe", None, 400, "not a format"),
    ("GET", "/nowhere", None, 404, "nothing at /nowhere"),
    ("DELETE", "/studies", None, 405, ""),
]  # fmt: skip


@pytest.mark.parametrize(("method", "path", "body", "status", "expected"), WRONG)
def test_problems(client, method, path, body, status, expected):
    response = client.open(path, method=method, json=body)
    assert response.status_code == status, response.text
    problem = response.get_json(force=True)
    assert response.mimetype == "application/problem+json"
    assert {"type", "title", "status", "detail"} <= set(problem)
    assert expected in problem["detail"]


def test_bodies_that_are_no_json(client):
    address = f"{BASE}/processes/isochrone/execution"
    assert client.post(address, data="limits=5").status_code == 415
    assert client.post(address, data="{", content_type="application/json").status_code == 400
    assert client.post(address, data="[1]", content_type="application/json").status_code == 400


def test_other_sites_may_not_write(client):
    response = client.put(f"{BASE}/sheets/main", json={"blocks": []}, headers={"Origin": "https://elsewhere.invalid"})
    assert response.status_code == 403
    assert (
        client.put(
            f"{BASE}/sheets/main", json={"title": "t", "blocks": []}, headers={"Origin": "http://localhost"}
        ).status_code
        == 200
    )


def test_the_sheet_is_saved_and_undone(client):
    blocks = [{"id": "a", "kind": "prose", "text": "One."}]
    client.put(f"{BASE}/sheets/main", json={"title": "First", "blocks": blocks})
    client.put(f"{BASE}/sheets/main", json={"title": "Second", "blocks": []})
    assert get(client, f"{BASE}/sheets/main")["title"] == "Second"
    undone = client.post(f"{BASE}/sheets/main/undo", json={}).get_json()
    assert (undone["title"], undone["blocks"]) == ("First", blocks)


def test_the_card_of_a_street_tells_why(client):
    streets = get(client, f"{BASE}/collections/streets/items?filter=highway='footway' AND bicycle='dismount'")[
        "features"
    ]
    x, y = streets[0]["geometry"]["coordinates"][0]
    x2, y2 = streets[0]["geometry"]["coordinates"][-1]
    where = f"lon={(x + x2) / 2}&lat={(y + y2) / 2}&within=30"
    on_foot = get(client, f"{BASE}/near?{where}&mode=walk")
    by_car = get(client, f"{BASE}/near?{where}&mode=drive")
    assert on_foot["usable"] and on_foot["forward_s"] == pytest.approx(on_foot["length_m"] / 4.8 * 3.6, abs=0.2)
    assert not by_car["usable"] and "class of street" in by_car["reason"] and by_car["forward_s"] is None


def live(client, inputs):
    response = client.post(f"{BASE}/live/reach", json={"inputs": inputs})
    size = int.from_bytes(response.data[:4], "little")
    head = json.loads(response.data[4 : 4 + size])
    offset = (size + 4 + 7) // 8 * 8
    arrays = []
    for entry in head["arrays"]:
        arrays.append(np.frombuffer(response.data, entry["dtype"], entry["length"], offset))
        offset += (arrays[-1].nbytes + 7) // 8 * 8
    assert offset == len(response.data)
    return head, arrays


def test_live_arrays_agree_with_the_answer(client):
    head, (_, cost, _, _, _, splits, _) = live(client, {"places": ROOMS, "limits": [5]})
    link, fraction, arrival = splits.reshape(3, -1)
    assert len(link) == head["used"] and (fraction <= 1).all() and (arrival == 0).all()
    assert 0 < (cost <= 5 * 60_000).sum() < len(cost)


def test_a_car_on_a_one_way_street_may_begin_on_the_street_beside(client):
    place = {"type": "Feature", "properties": {}, "geometry": {"type": "Point", "coordinates": [-36.203276, 41.289654]}}
    head, (rows, cost, _, up, down, splits, _) = live(client, {"places": place, "limits": [5], "mode": "drive"})
    link, fraction, arrival = splits.reshape(3, -1)
    assert head["used"] == 1 and len(link) > 1 and sorted(arrival)[0] == 0 < sorted(arrival)[1]
    # It can be no farther to a street beside than to the end of the own street and back along that one.
    for row, at, when in zip(np.searchsorted(rows, link.astype(int)), fraction, arrival, strict=True):
        assert when <= cost[row] + at * up[row] or up[row] < 0
        assert (up[row] < 0) != (down[row] < 0) or when < 60_000


def send(client, path, data, name):
    return client.post(f"{path}?name={name}", data=data, content_type="application/octet-stream")


def test_an_extract_becomes_a_study(client, folder):
    body = "".join(node(i, -36.2 + i * 0.001, 41.3) for i in range(1, 4)) + way(5, [1, 2, 3], highway="residential")
    job = send(client, "/studies", osm(body).encode(), "New town.osm")
    assert job.status_code == 201
    done = ended(client, job.headers["Location"])
    assert done["status"] == "successful", done
    assert done["result"]["study"] == "new_town"
    assert get(client, "/studies/new_town/overview")["build"]["links"] == 1
    again = ended(client, send(client, "/studies", osm(body).encode(), "New town.osm").headers["Location"])
    assert again["result"]["study"] == "new_town_2", "an existing study is never overwritten"
    zones = {"type": "FeatureCollection", "features": [
        {"type": "Feature", "properties": {"people": 9}, "geometry": {"type": "Polygon", "coordinates": [
            [[-36.21, 41.29], [-36.19, 41.29], [-36.19, 41.31], [-36.21, 41.29]]]}}]}  # fmt: skip
    done = ended(
        client,
        send(client, "/studies/new_town/sources", json.dumps(zones).encode(), "wards.geojson").headers["Location"],
    )
    assert done["result"]["layers"] == ["wards"]
    assert not list(folder.glob(".upload*")) and not list(folder.glob(".new*"))


@pytest.mark.parametrize(
    ("content", "name", "expected"),
    [
        (EXTRACT.read_bytes()[:5000], "cut.osm.gz", "cut short"),
        (b"<osm></osm>", "nothing.osm", "holds no street"),
        (b"<html>", "page.osm", "first element is <html>"),
    ],
)
def test_a_bad_extract_lands_nowhere(client, folder, content, name, expected):
    before = get(client, "/studies")
    done = ended(client, send(client, "/studies", content, name).headers["Location"])
    assert done["status"] == "failed" and expected in done["problem"]["detail"]
    assert get(client, "/studies") == before
    assert not [path for path in folder.iterdir() if path.name.startswith(".")]
    revision = get(client, f"{BASE}/overview")["revision"]
    done = ended(client, send(client, f"{BASE}/sources", content, name).headers["Location"])
    assert done["status"] == "failed" and get(client, f"{BASE}/overview")["revision"] == revision


def test_files_of_other_kinds_are_refused(client):
    assert "no map extract" in send(client, "/studies", b"x", "photo.jpg").get_json()["detail"]
    done = ended(client, send(client, f"{BASE}/sources", b"x", "photo.jpg").headers["Location"])
    assert done["status"] == "failed" and "GeoJSON" in done["problem"]["detail"]
    mixed = {"type": "FeatureCollection", "features": [
        {"type": "Feature", "properties": {}, "geometry": {"type": "Point", "coordinates": [0, 0]}},
        {"type": "Feature", "properties": {}, "geometry": {"type": "LineString", "coordinates": [[0, 0], [1, 1]]}}]}  # fmt: skip
    done = ended(
        client, send(client, f"{BASE}/sources", json.dumps(mixed).encode(), "mixed.geojson").headers["Location"]
    )
    assert "mixes 1 point, 1 line features" in done["problem"]["detail"]
    assert client.post("/studies?name=a.osm", data=b"x", content_type="text/plain").status_code == 415
    assert "is empty" in send(client, "/studies", b"", "empty.osm").get_json()["detail"]
    assert "no name" in client.post("/studies", data=b"x", content_type="application/octet-stream").get_json()["detail"]


def test_the_study_can_be_taken_home(client, tmp_path):
    import pyogrio

    path = tmp_path / "home.gpkg"
    path.write_bytes(client.get(f"{BASE}/file").data)
    assert "streets" in pyogrio.list_layers(path)[:, 0]


def test_a_kept_answer_is_a_layer_for_any_reader(client, folder):
    import pyogrio

    execute(client, "isochrone", {"places": ROOMS, "limits": [2, 4]}, question="q9")
    kept = client.post(f"{BASE}/answers/q9/keep", json={}).get_json()["layers"]
    assert "answer_q9_areas" in kept
    info = pyogrio.read_info(folder / "ferrow.gpkg", layer="answer_q9_areas")
    assert info["features"] == 2 and "limit" in info["fields"]
    assert get(client, f"{BASE}/collections/answer_q9_areas/items")["numberMatched"] == 2
    assert client.post(f"{BASE}/answers/none/keep", json={}).status_code == 404


def test_responses_carry_protective_headers(client):
    headers = client.get(BASE).headers
    assert (
        headers["X-Content-Type-Options"] == "nosniff"
        and "frame-ancestors 'none'" in headers["Content-Security-Policy"]
    )
    assert "Access-Control-Allow-Origin" not in headers


# -- lines that wait -------------------------------------------------------------------------------------------------------


def receive(client, name):
    path = SOURCE / "demo" / "data" / "other" / name
    return client.post(f"/uploads?name={name}", data=path.read_bytes(), content_type="application/octet-stream")


def test_lines_wait_until_it_is_said_what_they_are(client):
    reply = receive(client, "lines_and_nodes.gpkg")
    assert reply.status_code == 201
    streets, nodes = reply.json["layers"]
    assert (streets["geometry"], nodes["geometry"]) == ("line", "point")
    assert streets["roles"]["direction"] == "dir" and "F" in streets["fields"]["dir"]
    assert 0.5 < streets["known"]["speed"] < 0.9 and streets["length_km"] == pytest.approx(30.9, abs=0.2)
    address = f"/uploads/{reply.json['token']}/streets"
    wrong = send_json(client, address, {"layer": "streets", "nodes_layer": "nodes", "nodes_field": "nothing"})
    assert ended(client, wrong.headers["Location"])["problem"]["detail"].startswith(
        "lines_and_nodes.gpkg: The node layer has no field"
    )
    # Said otherwise it works, with the same file.
    right = send_json(client, address, {"layer": "streets", "nodes_layer": "nodes", "nodes_field": "node_no"})
    done = ended(client, right.headers["Location"])
    assert done["status"] == "successful" and done["result"]["report"]["links"] == 481
    assert (
        client.get(f"/studies/{done['result']['study']}/collections/nodes/items?limit=1&filter=node_id<2001").json[
            "numberMatched"
        ]
        == 0
    )
    assert send_json(client, address, {}).status_code == 404, "it waits no more"


def test_a_waiting_file_can_be_dismissed_and_words_are_checked(client):
    token = receive(client, "lines.gpkg").json["token"]
    assert send_json(client, f"/uploads/{token}/streets", {"tolerence": 1}).status_code == 400
    assert client.delete(f"/uploads/{token}").status_code == 200
    assert client.delete(f"/uploads/{token}").status_code == 404
    assert client.delete("/uploads/..%2F..%2Fetc").status_code == 404
    spoilt = client.post("/uploads?name=a.gpkg", data=b"rubbish", content_type="application/octet-stream")
    assert spoilt.status_code == 400 and "a.gpkg" in spoilt.json["detail"]


def send_json(client, address, document):
    return client.post(address, json=document)


def test_names_are_found(client):
    base = "/studies/ferrow"
    hits = client.get(f"{base}/search?q=bridge").json["hits"]
    assert any(hit["what"] == "street" and "Bridge" in hit["name"] for hit in hits) and len(hits) <= 12
    room = client.get(f"{base}/collections/cool_rooms/items?limit=1").json["features"][0]
    (first, *_) = client.get(f"{base}/search?q={room['properties']['name']}").json["hits"]
    assert first["name"] == room["properties"]["name"] and first["what"] == "cool room"
    assert [first["lon"], first["lat"]] == room["geometry"]["coordinates"]
    assert client.get(f"{base}/search?q=x").json["hits"] == []


def test_addresses_are_found_by_street_and_number(own_study):
    lots = {"address": ["Tallow Street 1", "Tallow Street 12", "Tallow Street 121", None], "n": [1, 2, 3, 4]}
    at = np.atleast_1d(shapely.points([-36.2, -36.201, -36.202, -36.203], [41.29] * 4))
    own_study.add_layer("lots", Table(at, lots), "Lots", "parcels", "here")
    parts = {"addr:street": ["Oar Lane", "Oar Lane"], "addr:housenumber": ["7b", "9"]}
    own_study.add_layer("houses", Table(at[:2], parts), "Houses", "buildings", "here")
    client = create_app(own_study.path.parent).test_client()
    names = lambda q: [hit["name"] for hit in client.get(f"/studies/ferrow/search?q={q}").json["hits"]]  # noqa: E731
    assert names("tallow street 12") == ["Tallow Street 12"], "a number is that of the house, not a part of one"
    assert names("oar lane 7b") == ["Oar Lane 7b"]
    found = client.get("/studies/ferrow/search?q=oar+lane+9").json["hits"][0]
    assert found["what"] == "house" and [found["lon"], found["lat"]] == [-36.201, 41.29]


def test_long_answers_to_other_machines_are_compressed(client):
    address = f"{BASE}/collections/streets/items?limit=500"
    plain = client.get(address)
    assert len(plain.data) > 32 << 10 and "Content-Encoding" not in plain.headers
    asked = {"headers": {"Accept-Encoding": "gzip"}}
    assert "Content-Encoding" not in client.get(address, **asked).headers  # this machine
    far = {"environ_base": {"REMOTE_ADDR": "192.0.2.7"}}
    packed = client.get(address, **asked, **far)
    assert packed.headers["Content-Encoding"] == "gzip" and "Accept-Encoding" in packed.headers["Vary"]
    assert len(packed.data) < len(plain.data) / 3
    mine, theirs = (json.loads(data)["features"] for data in (plain.data, gzip.decompress(packed.data)))
    assert mine == theirs
    assert "Content-Encoding" not in client.get(address, **far).headers  # who takes none
    assert "Content-Encoding" not in client.get(BASE, **asked, **far).headers  # short
