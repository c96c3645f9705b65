"""Kept answers over HTTP: copies that stand, comparison as a process, two studies of one server."""

from __future__ import annotations

import shutil

import pytest

from awl.study import records
from tests.questions.test_compare import BRIDGE, PEOPLE
from tests.questions.test_questions import WEST


def run(client, process, inputs, question=None):
    body = {"inputs": inputs} | ({"question": question} if question else {})
    reply = client.post(f"/studies/ferrow/processes/{process}/execution", json=body)
    assert reply.status_code == 200, reply.json
    return reply.json


def copied(client, question, **body):
    """Keep the answer of a question, and wait until that is done."""
    reply = client.post(f"/studies/ferrow/answers/{question}/copies", json=body)
    assert reply.status_code == 201, reply.json
    job = client.application.extensions["awl-jobs"].get(reply.json["jobID"])
    assert job.over.wait(60)
    results = client.get(reply.headers["Location"] + "/results")
    assert results.status_code == 200, results.json
    return results.json


def test_a_copy_stands_whatever_becomes_of_its_question(own_client):
    first = run(own_client, "access", PEOPLE, "q1")
    head = copied(own_client, "q1", title="Before the works")
    assert (head["id"], head["process"], head["title"]) == ("kept_1", "access", "Before the works")
    run(own_client, "access", {**PEOPLE, "closures": BRIDGE}, "q1")
    assert own_client.get("/studies/ferrow/answers").json == {"answers": [head], "asked": []}
    kept = own_client.get("/studies/ferrow/answers/kept_1").json
    assert kept["result"]["summary"] == first["summary"]
    result = run(own_client, "compare", {"answers": ["kept_1", "q1"]})
    assert result["groups"][0]["lost"] > 0
    assert copied(own_client, "q1")["id"] == "kept_2"
    assert own_client.delete("/studies/ferrow/answers/kept_1").status_code == 200
    assert own_client.get("/studies/ferrow/answers/kept_1").json is None
    assert copied(own_client, "q1")["id"] == "kept_1", "a free name is given again"
    assert [one["id"] for one in own_client.get("/studies/ferrow/answers").json["answers"]] == ["kept_2", "kept_1"]


def test_a_copy_holds_the_streets_that_a_comparison_needs(own_client):
    run(own_client, "isochrone", {"places": [WEST], "limits": [5]}, "q1")
    body = {"inputs": {"places": [WEST], "limits": [5]}, "outputs": {}, "question": "q1"}
    own_client.post("/studies/ferrow/processes/isochrone/execution", json=body)
    assert "streets" not in own_client.get("/studies/ferrow/answers/q1").json["result"]
    copied(own_client, "q1")
    assert len(own_client.get("/studies/ferrow/answers/kept_1").json["result"]["streets"]["features"]) > 20


def test_a_comparison_is_stale_once_an_answer_is_another(own_client):
    run(own_client, "access", PEOPLE, "q1")
    run(own_client, "access", {**PEOPLE, "mode": "cycle"}, "q2")
    run(own_client, "compare", {"answers": [{"answer": "q1"}, {"answer": "q2"}]}, "q3")
    assert own_client.get("/studies/ferrow/answers/q3").json["fresh"]
    run(own_client, "access", {**PEOPLE, "mode": "drive"}, "q2")
    assert not own_client.get("/studies/ferrow/answers/q3").json["fresh"]


def test_another_study_of_the_server_is_compared_with(own_client, own_study):
    run(own_client, "access", PEOPLE, "q1")
    shutil.copy(own_study.path, own_study.path.with_name("other.gpkg"))
    result = run(own_client, "compare", {"answers": ["q1", {"study": "other", "answer": "q1"}]})
    assert result["summary"]["answers"] == ["ferrow", "other"]
    for study in ("nowhere", "../ferrow", "/etc/passwd"):
        body = {"inputs": {"answers": ["q1", {"study": study, "answer": "q1"}]}}
        reply = own_client.post("/studies/ferrow/processes/compare/execution", json=body)
        assert reply.status_code in (400, 404), study


@pytest.mark.parametrize(
    "path,body,status,words",
    [
        ("answers/q9/copies", {}, 404, "no answer yet"),
        ("answers/q1/copies", {"title": 5}, 400, "A title is text"),
        ("answers/q1/copies", {"title": "x" * 201}, 400, "at most 200"),
    ],
)
def test_what_cannot_be_kept_is_said(own_client, path, body, status, words):
    run(own_client, "isochrone", {"places": [WEST], "limits": [5]}, "q1")
    reply = own_client.post(f"/studies/ferrow/{path}", json=body)
    assert (reply.status_code, words in reply.json["detail"]) == (status, True), reply.json
    assert own_client.delete("/studies/ferrow/answers/q1").status_code == 404, "an answer of the sheet is no copy"


def test_a_map_sheet_is_drawn_of_a_kept_answer(own_client):
    run(own_client, "isochrone", {"places": [WEST], "limits": [5]}, "q1")
    for ending, begin, media in (
        ("png", b"\x89PNG", "image/png"), ("pdf", b"%PDF", "application/pdf"), ("svg", b"<?xml", "image/svg+xml"),
    ):  # fmt: skip
        reply = own_client.get(
            f"/studies/ferrow/maps/q1?format={ending}&paper=A5&dpi=60&legend=false&centre=-36.2,41.29&scale=9000"
        )
        assert reply.status_code == 200 and reply.data.startswith(begin) and reply.content_type.startswith(media)
    for words, status in (
        ("format=gif", 400), ("paper=A9", 400), ("dpi=9000", 400), ("paper=A2&dpi=600", 400), ("centre=1", 400), ("size=3", 400),
        ("legend=perhaps", 400), ("title=" + "x" * 300, 400),
    ):  # fmt: skip
        reply = own_client.get(f"/studies/ferrow/maps/q1?{words}")
        assert reply.status_code == status and reply.json["detail"], words
    assert own_client.get("/studies/ferrow/maps/none").status_code in (400, 404)
    hostile = own_client.get("/studies/ferrow/maps/q1?format=svg&paper=A5&title=<script>alert(1)</script>")
    assert b"<script>" not in hostile.data


def test_the_report_is_a_page_that_runs_nothing(own_client):
    sheet = own_client.get("/studies/ferrow/sheets/main")
    block = {"id": "q1", "kind": "question", "process": "isochrone", "inputs": {"places": [WEST], "limits": [5]}}
    own_client.put(
        "/studies/ferrow/sheets/main",
        json={"title": "<b>Reach</b>", "blocks": [block, {"id": "n1", "kind": "prose", "text": "Words"}]},
    )
    reply = own_client.get("/studies/ferrow/report?without=n1")
    assert sheet.status_code == reply.status_code == 200
    assert b"&lt;b&gt;Reach" in reply.data and b"Words" not in reply.data
    assert (
        "sandbox" in reply.headers["Content-Security-Policy"]
        and "script-src" not in reply.headers["Content-Security-Policy"]
    )
    assert own_client.get("/studies/ferrow/report?without=n7").status_code == 400
    made = own_client.post("/studies/ferrow/reports", json={"without": ["n1"]})
    assert own_client.application.extensions["awl-jobs"].get(made.json["jobID"]).over.wait(60)
    again = own_client.get(made.headers["Location"])
    assert again.headers["Content-Security-Policy"] == reply.headers["Content-Security-Policy"]
    assert again.text.split("<section")[1:-1] == reply.text.split("<section")[1:-1]
    failed = own_client.post("/studies/ferrow/reports", json={"without": ["n7"]})
    assert own_client.application.extensions["awl-jobs"].get(failed.json["jobID"]).over.wait(60)
    assert own_client.get(failed.headers["Location"]).status_code == 400
    assert own_client.post("/studies/ferrow/reports", json={"sheet": "none"}).status_code == 404
    assert own_client.get("/studies/ferrow/report?since=x").status_code == 400


def test_the_fields_of_a_part_are_told(own_client):
    run(own_client, "isochrone", {"places": [WEST], "limits": [5]}, "q1")
    reply = own_client.get("/studies/ferrow/export/answers/q1/areas?format=csv&fields=true")
    assert reply.status_code == 200 and reply.data.decode().splitlines()[0] == "field,type,unit,meaning"
    assert "area_km2,number,km²," in reply.data.decode()
    assert own_client.get("/studies/ferrow/export/answers/q1/nothing?format=csv&fields=true").status_code == 404
    assert own_client.get("/studies/ferrow/export/answers/q1/areas?format=gpkg&fields=true").status_code == 400


def test_answers_of_all_sheets_are_listed_with_their_names(own_client):
    blocks = [
        {"id": "q1", "kind": "question", "process": "access", "inputs": PEOPLE},
        {"id": "q2", "kind": "question", "process": "access", "inputs": PEOPLE, "title": "By cycle"},
        {"id": "q3", "kind": "question", "process": "access", "inputs": PEOPLE},
    ]
    own_client.put("/studies/ferrow/sheets/main", json={"title": "Heat", "blocks": blocks})
    own_client.post("/studies/ferrow/sheets", json={"copy_of": "main", "title": "Again"})
    for name in ("q1", "q2", "q2_2"):
        run(own_client, "access", PEOPLE, name)
    listed = own_client.get("/studies/ferrow/answers").json["asked"]
    assert [(one["id"], one["title"], one["sheet_title"]) for one in listed] == [
        ("q1", "answer 1", "Heat"), ("q2", "By cycle", "Heat"), ("q2_2", "By cycle", "Again"),
    ]  # fmt: skip


def test_a_comparison_with_another_study_stays_fresh(own_client, own_study):
    run(own_client, "access", PEOPLE, "q1")
    shutil.copy(own_study.path, own_study.path.parent / "twin.gpkg")
    answers = [{"answer": "q1", "study": "twin"}, {"answer": "q1"}]
    run(own_client, "compare", {"answers": answers}, "c")
    assert own_client.get("/studies/ferrow/answers/c").json["fresh"] is True
    run(own_client, "access", {**PEOPLE, "mode": "cycle"}, "q1")
    assert own_client.get("/studies/ferrow/answers/c").json["fresh"] is False, "its own answer is another now"


def test_an_answer_that_does_not_say_how_it_is_shown_is_asked_anew(own_client, own_study):
    shown = run(own_client, "isochrone", {"places": [WEST], "limits": [5]}, "q1")
    assert own_client.get("/studies/ferrow/answers/q1").json["result"] == shown
    for name, text in (("old", b'{"title":"x","note":"\\"view\\":{\\"a\\":1}"}'), ("bare", b'{"view":null}')):
        with own_study.writing() as connection:
            records.save_answer(connection, name, "isochrone", {"places": [WEST]}, own_study.revision, 0.1, text)
        assert own_client.get(f"/studies/ferrow/answers/{name}").json is None
