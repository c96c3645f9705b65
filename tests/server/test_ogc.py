"""What `/conformance` claims has its resources, as the standards' abstract tests ask; and clients of other makers use it."""

from __future__ import annotations

import json
import subprocess
import sys

import pytest
import shapely
from owslib.ogcapi.features import Features
from owslib.ogcapi.processes import Processes
from pyproj import Transformer

from tests.browser.chromium import server
from tests.server.test_api import BASE, execute, get

ROOMS = f"{BASE}/collections/cool_rooms"
EPSG = "http://www.opengis.net/def/crs/EPSG/0/"
CRS84 = "http://www.opengis.net/def/crs/OGC/1.3/CRS84"


def test_conformance_names_what_is_there(client):
    claimed = get(client, f"{BASE}/conformance")["conformsTo"]
    assert len(claimed) == len(set(claimed))
    for part in (
        "features-2/1.0/conf/crs",
        "features-3/1.0/conf/queryables",
        "features-1/1.0/conf/html",
        "tiles-1/1.0/conf/core",
    ):
        assert any(part in claim for claim in claimed), part


# /conf/queryables/queryables-op: a JSON Schema at /collections/{id}/queryables, linked from the collection.
def test_queryables_are_the_fields_and_each_can_be_filtered_by(client):
    links = {link["rel"]: link["href"] for link in get(client, ROOMS)["links"]}
    assert links["http://www.opengis.net/def/rel/ogc/1.0/queryables"].endswith("/cool_rooms/queryables")
    response = client.get(f"{ROOMS}/queryables")
    assert response.mimetype == "application/schema+json"
    schema = response.get_json(force=True)
    assert (
        schema["type"] == "object" and schema["$id"].endswith("/queryables") and schema["additionalProperties"] is False
    )
    assert schema["properties"]["seats"]["type"] == "integer" and schema["properties"]["id"]["x-ogc-role"] == "id"
    for name, kind in schema["properties"].items():
        value = "1" if kind["type"] == "integer" else "'x'"
        assert get(client, f"{ROOMS}/items?filter={name}={value}")["numberReturned"] >= 0
    holds = client.get(f"{ROOMS}/schema").get_json(force=True)["properties"]
    assert holds["geometry"]["x-ogc-role"] == "primary-geometry"


# /conf/crs/crs-op, /conf/crs/crs-parameter, /conf/crs/ogc-crs-header
def test_features_come_in_every_system_the_collection_lists(client):
    listed = get(client, ROOMS)
    assert listed["storageCrs"] == CRS84 and listed["crs"][0] == CRS84 and f"{EPSG}3857" in listed["crs"]
    plain = [f["geometry"]["coordinates"] for f in get(client, f"{ROOMS}/items")["features"]]
    for uri in listed["crs"][1:]:
        response = client.get(f"{ROOMS}/items", query_string={"crs": uri})
        assert response.headers["Content-Crs"] == f"<{uri}>"
        code = int(uri.rsplit("/", 1)[1])
        wanted = [
            Transformer.from_crs(4326, code).transform(lat, lon) for lon, lat in plain
        ]  # in the order of its axes
        found = [f["geometry"]["coordinates"] for f in response.get_json()["features"]]
        assert found == [pytest.approx(xy, rel=1e-7) for xy in wanted], uri
    assert client.get(f"{ROOMS}/items").headers["Content-Crs"] == f"<{CRS84}>"
    refused = client.get(f"{ROOMS}/items", query_string={"crs": f"{EPSG}2056"})
    assert refused.status_code == 400 and refused.get_json()["inputs"] == ["crs"]


# /conf/crs/fc-bbox-crs-valid-value
@pytest.mark.parametrize(("uri", "swap"), [(f"{EPSG}4326", True), (f"{EPSG}3857", False)])
def test_boxes_in_another_system_hold_the_same_features(client, uri, swap):
    box = (-36.195, 41.290, -36.190, 41.2968)
    plain = get(client, f"{ROOMS}/items?bbox={','.join(map(str, box))}")
    west, south, east, north = Transformer.from_crs(4326, int(uri[-4:]), always_xy=True).transform_bounds(*box)
    other = (south, west, north, east) if swap else (west, south, east, north)
    found = client.get(f"{ROOMS}/items", query_string={"bbox": ",".join(map(str, other)), "bbox-crs": uri}).get_json()
    assert [f["id"] for f in found["features"]] == [f["id"] for f in plain["features"]] != []


def test_sorted_and_with_the_properties_asked_for(client):
    document = get(client, f"{ROOMS}/items?sortby=-seats,name&properties=name,seats")
    rows = [(f["properties"]["seats"], f["properties"]["name"]) for f in document["features"]]
    assert rows == sorted(rows, key=lambda row: (-row[0], row[1])) and len(rows) > 2
    assert all(set(f["properties"]) == {"name", "seats"} for f in document["features"])
    for query, name in (("sortby=seat", "sortby"), ("properties=nam", "properties")):
        refused = client.get(f"{ROOMS}/items?{query}")
        assert (
            refused.status_code == 400
            and refused.get_json()["inputs"] == [name]
            and "Is it" in refused.get_json()["detail"]
        )


# /conf/queryables-query-parameters/parameters
def test_a_field_is_a_query_parameter(client):
    first = get(client, f"{ROOMS}/items")["features"][0]
    found = client.get(f"{ROOMS}/items", query_string={"name": first["properties"]["name"]}).get_json()
    assert [f["id"] for f in found["features"]] == [first["id"]]


# /conf/tileset/tileset-description, /conf/tilematrixset/json
def test_tilesets_and_their_tiling_scheme_are_described(client):
    tileset = get(client, f"{ROOMS}/tiles/WebMercatorQuad")
    assert tileset["crs"] == f"{EPSG}3857" and any(link.get("templated") for link in tileset["links"])
    schemes = get(client, f"{BASE}/tileMatrixSets")["tileMatrixSets"]
    assert [one["id"] for one in schemes] == ["WebMercatorQuad"]
    scheme = get(client, f"{BASE}/tileMatrixSets/WebMercatorQuad")
    first = scheme["tileMatrices"][0]
    assert first["scaleDenominator"] == pytest.approx(559082264.0287178) and first["cellSize"] == pytest.approx(
        156543.03392804097
    )
    assert scheme["tileMatrices"][10]["matrixWidth"] == 1024


@pytest.mark.parametrize("path", ["", "/collections", "/collections/cool_rooms", "/collections/cool_rooms/items"])
def test_people_get_pages_and_programs_json(client, path):
    page = client.get(BASE + path, headers={"Accept": "text/html,application/xhtml+xml,*/*;q=0.8"})
    assert page.mimetype == "text/html" and "<h1>" in page.text
    assert client.get(f"{BASE}{path}?f=html").mimetype == "text/html"
    for headers in ({}, {"Accept": "*/*"}, {"Accept": "application/json"}):
        assert "json" in client.get(BASE + path, headers=headers).mimetype
    assert "json" in client.get(f"{BASE}{path}?f=json", headers={"Accept": "text/html"}).mimetype


def test_what_a_layer_holds_is_escaped_on_pages(client):
    layer = {
        "type": "Feature",
        "properties": {"name": "<script>alert(1)</script>"},
        "geometry": {"type": "Point", "coordinates": [-36.2, 41.29]},
    }
    sent = client.post(
        "/studies/ferrow/sources?name=nasty.geojson&title=%3Cb%3Enasty",
        data=json.dumps(layer),
        content_type="application/octet-stream",
    )
    job = sent.headers["Location"]
    while get(client, job)["status"] in ("accepted", "running"):
        pass
    assert get(client, job)["status"] == "successful"
    for path in ("/collections", "/collections/nasty", "/collections/nasty/items"):
        text = client.get(f"{BASE}{path}?f=html").text
        assert "<script>" not in text and "<b>" not in text


READ = """
import json, sys, pyogrio
address = sys.argv[1]
rooms = pyogrio.raw.read(address, layer="cool_rooms")
some = pyogrio.raw.read(address, layer="cool_rooms", bbox=(-36.195, 41.290, -36.190, 41.2968))
print(json.dumps({"layers": [str(name) for name, _ in pyogrio.list_layers(address)], "all": len(rooms[2]), "some": len(some[2]),
                  "fields": list(rooms[0]["fields"])}))
"""


def test_gdals_own_client_reads_layers_and_boxes(client, folder):
    """A process of its own, because the readers of this one have no driver for addresses."""
    with server(folder) as address:
        code = [sys.executable, "-c", READ, f"OAPIF:{address}/studies/ferrow"]
        told = json.loads(subprocess.run(code, capture_output=True, text=True, check=True).stdout)
    ours = get(client, f"{ROOMS}/items")["features"]
    inside = shapely.box(-36.195, 41.290, -36.190, 41.2968)
    there = [f for f in ours if inside.intersects(shapely.Point(f["geometry"]["coordinates"]))]
    assert {"cool_rooms", "zones", "streets"} <= set(told["layers"]) and {"name", "seats"} <= set(told["fields"])
    assert told["all"] == len(ours) and told["some"] == len(there) > 0


def test_a_general_client_reads_layers_boxes_and_filters_and_runs_questions(client, folder):
    with server(folder) as address:
        features, processes = Features(f"{address}/studies/ferrow"), Processes(f"{address}/studies/ferrow")
        assert {"cool_rooms", "zones", "streets"} <= set(features.feature_collections())
        assert {"name", "seats"} <= set(features.collection_queryables("cool_rooms")["properties"])
        seats = sorted((f["properties"]["seats"] for f in get(client, f"{ROOMS}/items")["features"]), reverse=True)
        found = features.collection_items("cool_rooms", sortby=("seats", "desc"), filter=f"seats >= {seats[1]}")
        assert [f["properties"]["seats"] for f in found["features"]] == [n for n in seats if n >= seats[1]]
        box = features.collection_items("cool_rooms", bbox=[-36.195, 41.290, -36.190, 41.2968])
        assert 0 < box["numberMatched"] < len(seats)
        first = found["features"][0]
        assert features.collection_item("cool_rooms", str(first["id"]))["properties"] == first["properties"]
        assert "isochrone" in [process["id"] for process in processes.processes()]
        inputs = {"places": {"layer": "cool_rooms"}, "limits": [5]}
        answer = processes.execute("isochrone", inputs=inputs, outputs={})
        assert answer["summary"] == execute(client, "isochrone", inputs)["summary"]
        assert processes.execute("isochrone", inputs=inputs, async_=True)["status"] in ("accepted", "running")
