"""Awl's own routes behind Sources and Streets: files under consideration, layers at work, parts, connectors, exports."""

from __future__ import annotations

import io
import json
import zipfile

import numpy as np
import pytest
import shapely

from awl.shipped import SOURCE
from awl.study import importing
from awl.study.study import Study
from tests.conftest import CUT, EXTRACT, inside_cut
from tests.server.test_api import BASE, ended, get, send

LAYER = f"{BASE}/layers/cool_rooms"
BOX = json.loads(shapely.to_geojson(shapely.box(-36.203, 41.287, -36.196, 41.292)))


def waiting(client, path, name=None, study=""):
    told = send(client, "/uploads", path.read_bytes(), (name or path.name) + study)
    assert told.status_code == 201, told.text
    return told.get_json()


def built(client, token, words, status="successful"):
    response = client.post(f"/uploads/{token}/streets", json=words)
    assert response.status_code == 201, response.text
    job = ended(client, response.headers["Location"])
    assert job["status"] == status, job
    return job


# -- files under consideration ---------------------------------------------------------------------------------------------


def test_an_extract_is_described_previewed_and_built_in_part(client, folder):
    told = waiting(client, EXTRACT)
    assert told["kind"] == "extract" and told["extract"]["streets"] > 500
    drawn = get(client, f"/uploads/{told['token']}/preview")
    assert {feature["properties"]["class"] for feature in drawn["features"]} >= {"residential", "primary", "footway"}
    job = built(client, told["token"], {"title": "Old town", "area": BOX, "without": ["service"], "first_node": 501})
    study = Study(folder / f"{job['result']['study']}.gpkg")
    assert study.title == "Old town" and study.graph.node_id.min() == 501
    assert not study.graph.tag("highway").equals("service").any()
    area = shapely.from_geojson(json.dumps(BOX))
    assert shapely.covers(shapely.buffer(area, 1e-6), shapely.points(study.graph.node_lon, study.graph.node_lat)).all()


def test_an_extract_whose_streets_lack_nodes_is_previewed_as_far_as_it_goes(client):
    nodes = '<node id="1" lon="0" lat="0"/><node id="2" lon="0.001" lat="0"/>'
    ways = '<way id="1"><nd ref="1"/><nd ref="2"/><tag k="highway" v="path"/></way>'
    ways += '<way id="2"><nd ref="8"/><nd ref="9"/><tag k="highway" v="track"/></way>'
    ways += '<way id="3"><nd ref="1"/><tag k="highway" v="steps"/></way>'
    told = send(client, "/uploads", f'<osm version="0.6">{nodes}{ways}</osm>'.encode(), "half.osm").get_json()
    assert {entry["class"] for entry in told["extract"]["classes"]} == {"path", "track", "steps"}
    drawn = get(client, f"/uploads/{told['token']}/preview")["features"]
    assert [feature["properties"]["class"] for feature in drawn] == ["path"]
    empty = send(client, "/uploads", f'<osm version="0.6">{ways}</osm>'.encode(), "empty.osm").get_json()
    assert empty["extract"]["bounds"] is None and empty["extract"]["streets"] == 3
    assert get(client, f"/uploads/{empty['token']}/preview")["features"] == []


def test_the_study_area_may_be_the_ground_of_a_layer(client, folder):
    told = waiting(client, EXTRACT)
    job = built(client, told["token"], {"study": "ferrow", "area_layer": "zones"})
    zones = shapely.buffer(shapely.union_all(inside_cut("zones").geometry), 1e-6)
    graph = Study(folder / "ferrow.gpkg").graph
    assert (
        job["result"]["study"] == "ferrow"
        and shapely.covers(zones, shapely.points(graph.node_lon, graph.node_lat)).all()
    )
    assert (
        client.post(
            f"/uploads/{waiting(client, EXTRACT)['token']}/streets",
            json={"study": "ferrow", "area_layer": "cool_rooms"},
        ).status_code
        == 400
    )
    importing.build(EXTRACT, folder / "ferrow.gpkg", CUT)


def test_the_polygons_of_a_file_are_an_area(client, tmp_path):
    (tmp_path / "area.geojson").write_text(json.dumps(BOX))
    area = send(client, "/uploads/area", (tmp_path / "area.geojson").read_bytes(), "area.geojson").get_json()
    assert shapely.equals(shapely.from_geojson(json.dumps(area)), shapely.from_geojson(json.dumps(BOX)))
    point = json.dumps({"type": "Point", "coordinates": [0, 0]}).encode()
    assert "no polygon" in send(client, "/uploads/area", point, "p.geojson").get_json()["detail"]


def test_chosen_layers_of_a_file_are_added_with_their_roles(client):
    told = waiting(client, SOURCE / "demo" / "data" / "layers.gpkg", study="&study=ferrow")
    assert {layer["name"] for layer in told["layers"]} >= {"zones", "candidate_rooms"}
    chosen = [{"name": "candidate_rooms", "role": "places"}, {"name": "zones", "role": "parcels", "title": "Plots"}]
    response = client.post(f"/uploads/{told['token']}/layers", json={"study": "ferrow", "layers": chosen})
    job = ended(client, response.headers["Location"])
    assert job["status"] == "successful" and job["result"]["layers"] == ["candidate_rooms", "zones"]
    found = {layer["id"]: layer for layer in get(client, f"{BASE}/overview")["layers"]}
    assert (found["zones"]["role"], found["zones"]["title"], found["candidate_rooms"]["role"]) == (
        "parcels",
        "Plots",
        "places",
    )
    assert get(client, f"/uploads/{told['token']}/preview", 404)["type"].endswith("no-such-file")


def test_layers_and_ready_graphs_are_previewed_as_they_lie(client):
    told = waiting(client, SOURCE / "demo" / "data" / "other" / "lines_and_nodes.gpkg")
    kinds = [feature["geometry"]["type"] for feature in get(client, f"/uploads/{told['token']}/preview")["features"]]
    assert (kinds.count("LineString"), kinds.count("Point")) == (481, 313)


def test_a_role_that_does_not_fit_fails_and_adds_nothing(client):
    told = waiting(client, SOURCE / "demo" / "data" / "layers.gpkg")
    before = [layer["id"] for layer in get(client, f"{BASE}/overview")["layers"]]
    chosen = [{"name": "services", "role": "places"}, {"name": "cool_rooms", "role": "zones"}]
    job = ended(
        client,
        client.post(f"/uploads/{told['token']}/layers", json={"study": "ferrow", "layers": chosen}).headers["Location"],
    )
    assert job["status"] == "failed" and "cannot be zones" in job["problem"]["detail"]
    assert [layer["id"] for layer in get(client, f"{BASE}/overview")["layers"]] == before
    again = client.post(f"/uploads/{told['token']}/look", json={"study": "ferrow"}).get_json()
    assert again["layers"], "the file still waits, to be tried with other words"


BAD_WORDS = {
    "an area that is none": ({"area": {"type": "Point", "coordinates": [0, 0]}}, "no polygon"),
    "an unknown word": ({"colour": "red"}, "colour"),
    "a study that is not there": ({"study": "nowhere"}, "no study 'nowhere'"),
    "an area of a study to come": ({"area_layer": "zones"}, "has no layer yet"),
}


@pytest.mark.parametrize("kind", BAD_WORDS)
def test_bad_words_are_refused_before_anything_runs(client, kind):
    words, expected = BAD_WORDS[kind]
    response = client.post(f"/uploads/{waiting(client, EXTRACT)['token']}/streets", json=words)
    assert response.status_code in (400, 404) and expected in response.get_json()["detail"]


# -- layers at work --------------------------------------------------------------------------------------------------------


def test_a_layer_is_selected_computed_changed_kept_and_undone(client):
    rooms = get(client, f"{LAYER}/table")["columns"]
    large = [fid for fid, seats in zip(rooms["fid"], rooms["seats"], strict=True) if seats > 50]
    assert client.post(f"{LAYER}/select", json={"filter": "seats > 50"}).get_json() == {
        "count": len(large),
        "fids": large,
    }
    inside = client.post(f"{LAYER}/select", json={"within": BOX}).get_json()["fids"]
    assert set(inside) < set(rooms["fid"])
    kept = client.post(f"{LAYER}/keep", json={"fids": large, "title": "Large rooms"}).get_json()
    assert kept["count"] == len(large) and kept["layer"]["id"] == "large_rooms"
    done = client.post(f"{LAYER}/fields", json={"name": "half", "expression": "seats / 2"}).get_json()
    assert done["filled"] == len(rooms["fid"]) and done["undo"] == 1
    assert client.put(f"{LAYER}/values", json={"fid": 1, "field": "seats", "value": 3}).get_json()["undo"] == 2
    assert get(client, f"{LAYER}/table")["columns"]["seats"][0] == 3
    assert client.post(f"{LAYER}/undo", json={}).get_json()["undone"] == "seats of feature 1"
    client.post(f"{LAYER}/undo", json={})
    assert get(client, f"{LAYER}/table")["columns"] == rooms
    assert client.post(f"{LAYER}/undo", json={}).status_code == 409
    assert client.patch(f"{BASE}/layers/large_rooms", json={"role": "zones"}).status_code == 200
    assert client.delete(f"{BASE}/layers/large_rooms").status_code == 200
    assert get(client, f"{BASE}/layers/large_rooms", 404)


def test_what_is_wrong_names_its_word(client):
    for body, word in (
        ({"filter": "seets > 1"}, "filter"),
        ({"within": {"type": "Polygon"}}, "area"),
        ({"fids": ["x"]}, "fids.0"),
    ):
        response = client.post(f"{LAYER}/select", json=body)
        assert response.status_code == 400 and word in response.get_json()["inputs"], body


# -- streets ---------------------------------------------------------------------------------------------------------------


def test_parts_are_listed_and_the_rule_changes_what_is_used(client):
    walk = next(mode for mode in get(client, f"{BASE}/overview")["modes"] if mode["id"] == "drive")
    sizes = [part["km"] for part in walk["parts"]["sizes"]]
    assert sizes == sorted(sizes, reverse=True) and walk["parts"]["kept"] == 1
    beyond = get(client, f"{BASE}/parts/drive")["features"]
    assert beyond and not any(feature["properties"]["used"] for feature in beyond)
    revision = get(client, f"{BASE}/overview")["revision"]
    assert client.put(f"{BASE}/parts", json={"rule": "all"}).status_code == 200
    assert all(feature["properties"]["used"] for feature in get(client, f"{BASE}/parts/drive")["features"])
    assert get(client, f"{BASE}/overview")["revision"] != revision, "answers are stale"
    assert client.put(f"{BASE}/parts", json={"rule": "some"}).status_code == 400
    client.put(f"{BASE}/parts", json={"rule": "largest"})


def test_zones_are_joined_and_taken_off(client):
    before = get(client, f"{BASE}/overview")["build"]["links"]
    job = ended(
        client, client.put(f"{BASE}/connectors", json={"zones": "cool_rooms", "nearest": 2}).headers["Location"]
    )
    report = job["result"]["report"]
    assert report["connectors"] == 2 * report["centroids"] > 0
    assert get(client, f"{BASE}/overview")["build"]["links_by_class"]["connector"] == report["connectors"]
    assert client.delete(f"{BASE}/connectors").status_code == 200
    assert get(client, f"{BASE}/overview")["build"]["links"] == before
    assert client.delete(f"{BASE}/connectors").status_code == 409


def test_a_node_is_found_by_its_number(client, folder):
    graph = Study(folder / "ferrow.gpkg").graph
    found = get(client, f"{BASE}/nodes/{int(graph.node_id[5])}")
    assert (found["lon"], found["lat"]) == (graph.node_lon[5], graph.node_lat[5])
    assert "Numbers run from" in get(client, f"{BASE}/nodes/99999999", 404)["detail"]


def test_the_graph_goes_out_in_three_formats(client, tmp_path, folder):
    graph = Study(folder / "ferrow.gpkg").graph
    for ending in ("gpkg", "geojson"):
        path = tmp_path / f"out.{ending}"
        path.write_bytes(client.get(f"{BASE}/export/streets?mode=drive&format={ending}").data)
        back = importing.read_graph(path, path.name).graph
        assert back is not None and np.array_equal(back.node_id, graph.node_id)
    archive = zipfile.ZipFile(io.BytesIO(client.get(f"{BASE}/export/streets?mode=drive").data))
    assert set(archive.namelist()) == {"node.csv", "link.csv", "movement.csv", "restriction.csv", "fields.csv"}
    assert client.get(f"{BASE}/export/streets?format=docx").status_code == 400


def test_a_further_attribute_travels_in_the_tiles_when_asked_for(client, folder):
    import mapbox_vector_tile

    graph = Study(folder / "ferrow.gpkg").graph
    row = int(graph.tag("maxspeed").present().nonzero()[0][0])
    lon, lat = float(graph.node_lon[graph.link_from[row]]), float(graph.node_lat[graph.link_from[row]])
    z = 15
    x = int((lon + 180) / 360 * 2**z)
    y = int((1 - np.arcsinh(np.tan(np.radians(lat))) / np.pi) / 2 * 2**z)
    address = f"{BASE}/collections/streets/tiles/WebMercatorQuad/{z}/{y}/{x}"
    plain, more = (
        mapbox_vector_tile.decode(client.get(a).data)["streets"]["features"]
        for a in (address, address + "?label=maxspeed")
    )
    assert not any("maxspeed" in f["properties"] for f in plain) and any("maxspeed" in f["properties"] for f in more)
