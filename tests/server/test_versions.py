"""Two who change one thing at once: the second is told, and nothing is lost."""

from __future__ import annotations

import numpy as np

from awl.core.errors import AwlError
from awl.server.app import create_app
from awl.server.catalogue import Catalogue
from awl.server.jobs import Jobs
from awl.server.worker import InThread
from awl.server.workroom import Workroom, task
from tests.server.test_api import BASE, get

BLOCK = {"id": "b1", "kind": "prose", "text": "One"}


def test_a_sheet_is_saved_over_the_version_it_was_made_from(client):
    first = client.get(f"{BASE}/sheets/main")
    tag = first.headers["ETag"]
    saved = client.put(f"{BASE}/sheets/main", json={"title": "Mine", "blocks": [BLOCK]}, headers={"If-Match": tag})
    assert saved.status_code == 200 and saved.headers["ETag"] != tag and saved.json["changed"] in saved.headers["ETag"]
    late = client.put(f"{BASE}/sheets/main", json={"title": "Theirs", "blocks": []}, headers={"If-Match": tag})
    assert (
        late.status_code == 412
        and "changed elsewhere" in late.json["detail"]
        and late.json["type"].endswith("changed-meanwhile")
    )
    assert client.get(f"{BASE}/sheets/main").json["title"] == "Mine"
    assert client.post(f"{BASE}/sheets/main/undo", json={}, headers={"If-Match": tag}).status_code == 412
    # Programs that name no version, or any, save over whatever there is.
    for headers in ({}, {"If-Match": "*"}, {"If-Match": f'W/"{saved.json["changed"]}"'}):
        again = client.put(f"{BASE}/sheets/main", json={"title": "Mine", "blocks": [BLOCK]}, headers=headers)
        assert again.status_code == 200


def test_a_mode_is_changed_over_the_version_it_was_made_from(client):
    overview = get(client, f"{BASE}/overview")
    walk = next(mode for mode in overview["modes"] if mode["id"] == "walk")
    changed = {**walk["document"], "notes": ["Changed."]}
    first = client.put(f"{BASE}/modes/walk", json=changed, headers={"If-Match": f'"{walk["changed"]}"'})
    assert first.status_code == 200 and first.json["changed"] > walk["changed"]
    late = client.put(f"{BASE}/modes/walk", json=walk["document"], headers={"If-Match": f'"{walk["changed"]}"'})
    assert late.status_code == 412 and "mode was changed elsewhere" in late.json["detail"]
    assert client.post(f"{BASE}/modes/undo", json={}).status_code == 200


def test_a_layer_is_changed_over_the_version_it_was_made_from(own_client):
    address = f"{BASE}/layers/cool_rooms"
    first = own_client.get(address)
    tag = first.headers["ETag"]
    assert tag == f'"{first.json["layer"]["added"]}"'
    value = {"fid": 1, "field": "name", "value": "Bath"}
    changed = own_client.put(f"{address}/values", json=value, headers={"If-Match": tag})
    assert changed.status_code == 200 and changed.headers["ETag"] not in (tag, "")
    late = {"If-Match": tag}
    refused = [
        own_client.put(f"{address}/values", json={**value, "value": "Hall"}, headers=late),
        own_client.post(f"{address}/fields", json={"name": "twice", "expression": "fid * 2"}, headers=late),
        own_client.post(f"{address}/undo", json={}, headers=late),
        own_client.patch(address, json={"title": "Other"}, headers=late),
        own_client.delete(address, headers=late),
    ]
    assert [reply.status_code for reply in refused] == [412] * 5
    assert all("changed elsewhere" in reply.json["detail"] for reply in refused)
    rows = own_client.get(f"{address}/table").json["columns"]
    assert rows["name"][rows["fid"].index(1)] == "Bath" and "twice" not in rows
    assert own_client.post(f"{address}/undo", json={}, headers={"If-Match": changed.headers["ETag"]}).status_code == 200


def test_what_another_process_changed_is_answered_from_at_once(own_study):
    """Two servers of one folder, each with caches of its own."""
    one, other = (create_app(own_study.path.parent).test_client() for _ in range(2))
    asked = {"inputs": {"places": [[-36.2, 41.29]], "limits": [10]}}

    def area(client):
        reply = client.post(f"{BASE}/processes/isochrone/execution", json=asked)
        assert reply.status_code == 200, reply.text
        return reply.json["areas"]["features"][0]["properties"]["area_km2"]

    before = area(one)
    assert area(other) == before
    walk = next(mode for mode in get(one, f"{BASE}/overview")["modes"] if mode["id"] == "walk")["document"]
    slower = {**walk, "speeds": {name: speed / 2 for name, speed in walk["speeds"].items()}}
    assert one.put(f"{BASE}/modes/walk", json=slower).status_code == 200
    assert area(other) == area(one) < before / 2
    assert other.post(f"{BASE}/modes/undo", json={}).status_code == 200
    assert area(one) == area(other) == before
    # A value that one changed is what the other shows and answers from.
    assert (
        one.put(f"{BASE}/layers/cool_rooms/values", json={"fid": 1, "field": "name", "value": "Moved"}).status_code
        == 200
    )
    assert "Moved" in get(other, f"{BASE}/layers/cool_rooms/table")["columns"]["name"]
    assert get(other, f"{BASE}/search?q=Moved")["hits"], "the index of names is made anew"


def large(room, progress):
    return {"rows": np.arange(50_000), "text": "x" * 100_000}


def test_a_finished_job_holds_no_result_in_memory(tmp_path):
    jobs = Jobs([InThread(Workroom(Catalogue(tmp_path)))])
    job = jobs.start("matrix", "ferrow", task(large))
    assert job.over.wait(30)
    held = [value for value in vars(job).values() if isinstance(value, dict | list | str | bytes) and len(value) > 1000]
    assert not held and job.result is not None
    file = job.result
    assert len(job.result_bytes()) > 300_000
    jobs.dismiss(job)
    assert not file.exists()
    try:
        job.result_bytes()
    except AwlError as error:
        assert error.status == 404
    else:
        raise AssertionError("a job that is forgotten has a result")
