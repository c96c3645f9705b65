"""Modes over HTTP: what a change does is said, what cannot work is refused, answers of a changed mode are stale."""

from __future__ import annotations

import numpy as np
import pytest

from awl.study.study import Study
from tests.server.test_api import BASE, execute, get

MODES = f"{BASE}/modes"


@pytest.fixture(autouse=True)
def put_back(client):
    yield
    for mode in get(client, MODES)["modes"]:
        client.delete(f"{MODES}/{mode['id']}")


def test_a_change_says_what_it_does_to_the_streets(client, folder):
    drive = get(client, f"{MODES}/drive")
    drive["rules"] = [{"where": "highway = 'primary'", "use": "forbid", "factor": 1.0}]
    told = client.put(f"{MODES}/drive", json=drive).get_json()["change"]
    network = Study(folder / "ferrow.gpkg").network("drive")
    primary = network.graph.tag("highway").equals("primary")
    assert told["lost"]["links"] >= primary.sum() > 0 and told["won"]["links"] == 0
    assert told["lost"]["km"] >= network.graph.link_length[primary].sum() / 1000 - 0.001
    info = next(mode for mode in get(client, f"{BASE}/overview")["modes"] if mode["id"] == "drive")
    assert info["rule_km"] == [pytest.approx(network.graph.link_length[primary].sum() / 1000, abs=0.002)]
    assert info["changed"] and info["document"]["rules"] == drive["rules"]
    row = int(np.flatnonzero(primary)[0])
    at = network.graph.shape_start[row]
    lon, lat = network.graph.shape_lon[at : at + 2].mean(), network.graph.shape_lat[at : at + 2].mean()
    street = get(client, f"{BASE}/near?lon={lon}&lat={lat}&mode=drive&within=5")
    assert street["reason"] == "a rule of the mode forbids it" and street["rule"]["number"] == 1


def test_a_rule_that_cannot_be_read_changes_nothing(client):
    drive = get(client, f"{MODES}/drive")
    response = client.put(f"{MODES}/drive", json={**drive, "rules": [{"where": "lanez > 2", "use": "forbid"}]})
    assert response.status_code == 400 and response.get_json()["inputs"] == ["rules.0.where"]
    assert get(client, f"{MODES}/drive") == drive
    assert client.put(f"{MODES}/walk", json=drive).status_code == 400


def test_a_copy_is_a_mode_of_every_question(client):
    made = client.post(f"{MODES}/walk/copy", json={"title": "Older walker"}).get_json()["id"]
    assert made == "older_walker"
    slow = {**get(client, f"{MODES}/{made}"), "top_speed": 2.4, "traveller": "older walker"}
    client.put(f"{MODES}/{made}", json=slow)
    words = get(client, f"{BASE}/processes/isochrone")["x-awl"]["slots"]["mode"]["words"]
    assert words[made] == "older walker"
    inputs = {"places": {"layer": "cool_rooms"}, "limits": [10]}
    areas = [execute(client, "isochrone", {**inputs, "mode": mode})["summary"] for mode in ("walk", made)]
    assert areas[0] != areas[1]
    assert client.delete(f"{MODES}/{made}").get_json() == {"id": made, "shipped": False}


def test_a_document_is_taken_in_under_a_free_name_and_undone(client):
    walk = get(client, f"{MODES}/walk")
    assert client.post(MODES, json=walk).get_json()["id"] == "walk_2"
    assert client.post(f"{MODES}/undo", json={}).get_json()["id"] == "walk_2"
    assert [mode["id"] for mode in get(client, MODES)["modes"]] == [
        "walk",
        "wheels",
        "cycle",
        "drive",
        "lorry",
        "transit",
    ]
    assert client.post(MODES, json={"format": "other"}).status_code == 400


def test_an_answer_is_stale_when_its_mode_changes(client):
    inputs = {"places": {"layer": "cool_rooms"}, "limits": [5], "mode": "cycle"}
    execute(client, "isochrone", inputs, question="qm")
    assert get(client, f"{BASE}/answers/qm")["fresh"]
    client.put(f"{MODES}/walk", json={**get(client, f"{MODES}/walk"), "top_speed": 4})
    assert get(client, f"{BASE}/answers/qm")["fresh"], "another mode"
    client.put(f"{MODES}/cycle", json={**get(client, f"{MODES}/cycle"), "top_speed": 12})
    assert not get(client, f"{BASE}/answers/qm")["fresh"]
