"""What is played, over HTTP: arrays that agree with the answer, files made anew, animations as jobs."""

from __future__ import annotations

import io
import time

import numpy as np
import orjson
import pyarrow.parquet as pq
import pytest
from PIL import Image

INPUTS = {"places": {"layer": "cool_rooms"}, "zones": {"layer": "zones"}, "people": 120, "capacity": 15, "stay": 20}


def unpacked(data: bytes) -> tuple[dict, list[np.ndarray]]:
    """A JSON head and the arrays behind it, each padded to eight bytes."""
    size = int.from_bytes(data[:4], "little")
    head = orjson.loads(data[4 : 4 + size])
    at, arrays = -(-(4 + size) // 8) * 8, []
    for one in head["arrays"]:
        kind = np.dtype(one["dtype"])
        arrays.append(np.frombuffer(data, kind, one["length"], at))
        at += -(-one["length"] * kind.itemsize // 8) * 8
    return head, arrays


@pytest.fixture(scope="module")
def answered(client):
    body = {"inputs": INPUTS, "outputs": {}, "question": "many"}
    reply = client.post("/studies/ferrow/processes/simulate/execution", json=body)
    assert reply.status_code == 200, reply.get_json()
    return reply.get_json()


def test_what_is_played_agrees_with_the_answer(client, answered):
    head, arrays = unpacked(client.get("/studies/ferrow/answers/many/playback").data)
    start, lon, lat, metres, begins, shape, _, _, enters, leaves, mode, departs, arrives, comes, ends, since = arrays
    assert head["people"] == 120 == len(departs) == len(begins) - 1 == len(mode)
    assert len(lon) == len(lat) == len(metres) == start[-1] and len(shape) == begins[-1] == len(enters)
    assert (leaves >= enters).all() and (since == -1).all()
    for place in head["places"]:
        assert place["room"] == 15 and max(place["inside"]) <= 15
    at = head["minutes"].index(13 * 60 + 40) if 13 * 60 + 40 in head["minutes"] else len(head["minutes"]) // 2
    moment = head["minutes"][at] * 60_000
    inside = ((comes >= 0) & (comes <= moment) & (ends > moment)).sum()
    assert sum(place["inside"][at] for place in head["places"]) == inside == head["counts"]["inside"][at]
    assert sum(counts[at] for counts in head["counts"].values()) == 120
    # Each way ends where its person arrives.
    for person in np.flatnonzero(arrives >= 0)[:30].tolist():
        own = slice(int(begins[person]), int(begins[person + 1]))
        assert abs(int(leaves[own][-1]) - max(int(arrives[person]), int(comes[person]), 0)) <= 1 or comes[person] < 0


def test_parts_that_are_not_kept_are_made_anew(client, answered):
    assert "positions" in answered["parts"] and "positions" not in answered
    data = client.get("/studies/ferrow/export/answers/many/positions?format=parquet").data
    first = pq.read_table(io.BytesIO(data))
    assert set(first.column("person").to_pylist()) <= set(range(1, 121))
    client.application.extensions["awl-workroom"].played._held.clear()
    again = client.get("/studies/ferrow/export/answers/many/positions?format=parquet").data
    assert pq.read_table(io.BytesIO(again)).equals(first), "asked again the answer is the same"
    assert client.get("/studies/ferrow/export/answers/many/tracks?format=gpx").data.count(b"<trk>") > 50


def test_nothing_to_play_is_said(client, answered):
    assert client.get("/studies/ferrow/answers/none/playback").status_code == 404
    body = {"inputs": {"places": INPUTS["places"]}, "question": "near"}
    client.post("/studies/ferrow/processes/catchment/execution", json=body)
    reply = client.get("/studies/ferrow/answers/near/playback")
    assert reply.status_code == 404 and "Nothing moves" in reply.get_json()["title"]
    reply = client.get("/studies/ferrow/maps/near?moment=13:00")
    assert reply.status_code == 400 and "no moment" in reply.get_json()["title"]
    assert client.get("/studies/ferrow/maps/many?moment=soon").status_code == 400


def test_an_animation_is_made_as_a_job(client, answered):
    wanted = {"answer": "many", "width": 320, "begin": "13:00", "end": "13:10", "step": 5}
    reply = client.post("/studies/ferrow/animations", json=wanted)
    job = reply.get_json()["jobID"]
    assert reply.status_code == 201 and reply.headers["Location"].endswith(job)
    status = "running"
    deadline = time.monotonic() + 60
    while status in ("accepted", "running") and time.monotonic() < deadline:
        status = client.get(f"/studies/ferrow/jobs/{job}").get_json()["status"]
    assert status == "successful"
    made = client.get(f"/studies/ferrow/animations/{job}")
    assert made.content_type == "image/gif" and Image.open(io.BytesIO(made.data)).n_frames == 3
    assert client.get("/studies/ferrow/animations/none").status_code == 404
    assert client.post("/studies/ferrow/animations", json={**wanted, "width": 9}).status_code == 400
    assert client.post("/studies/ferrow/animations", json={**wanted, "answer": "nobody"}).status_code in (400, 404)
