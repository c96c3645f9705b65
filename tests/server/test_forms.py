"""Forms over HTTP: the page, runs, and files; what its author chose is given and nothing else, what no longer fits is told."""

from __future__ import annotations

import copy
import io

import openpyxl
import pypdf
import pytest

from awl.questions.run import ask
from tests.sheets.sheets_made import DOCUMENT, WEST

BASE = "/studies/ferrow/forms"
HERE = {"where": f"{WEST[0]},{WEST[1]}", "reach": "200"}
PAGE = {"Accept": "text/html"}


@pytest.fixture
def client(own_client):
    """A client of a study with the form of the burst main."""
    assert own_client.put("/studies/ferrow/sheets/main", json=DOCUMENT).status_code == 200
    return own_client


def ran(client, values):
    """Fill a form in and wait for its answer; the address of the run."""
    reply = client.post(f"{BASE}/burst/runs", json={"values": values})
    assert reply.status_code == 201, reply.json
    assert client.application.extensions["awl-jobs"].get(reply.json["jobID"]).over.wait(60)
    return reply.headers["Location"]


def test_the_page_has_a_labelled_input_for_each_blank(client):
    page = client.get(f"{BASE}/burst", headers=PAGE)
    assert page.status_code == 200 and page.mimetype == "text/html"
    text = page.text
    assert "<h1>Who is hit?</h1>" in text and "Made by Network planning" in text and "The strip is 25 m wide." in text
    assert text.count("<label") == 2 and 'min="100' in text and "What stands along the streets that a walker" in text
    assert "frame-ancestors 'self'" in page.headers["Content-Security-Policy"]
    blanks = client.get(f"{BASE}/burst").json["blanks"]
    assert [(one["name"], one["kind"]) for one in blanks] == [("reach", "number"), ("where", "points")]
    assert [form["id"] for form in client.get(BASE).json["forms"]] == ["burst"]


def test_what_an_author_writes_is_text_on_the_page(client):
    document = copy.deepcopy(DOCUMENT)
    nasty = '"><script>alert(1)</script>'
    document["forms"][0] |= {"title": nasty, "text": nasty, "author": nasty, "assumes": nasty}
    document["blanks"][0] |= {"label": nasty, "help": nasty}
    client.put("/studies/ferrow/sheets/main", json=document)
    text = client.get(f"{BASE}/burst", headers=PAGE).text
    assert "<script>alert" not in text and "&lt;script&gt;alert" in text


def test_a_run_gives_what_the_question_would(client, study):
    run = ran(client, HERE)
    answer = client.get(run).json["answers"]["along"]
    direct = ask(study, "alongside", {**DOCUMENT["blocks"][1]["inputs"], "distance": 200})
    zones = direct.part("zones")
    assert {figure["label"]: figure["value"] for figure in answer["figures"]} == {
        figure.label: figure.value for figure in direct.view.figures
    }
    page = client.get(run, headers=PAGE).text
    assert f"Zones: {len(zones)}" in page and "How this was found" in page and "<html" not in page
    rows = openpyxl.load_workbook(io.BytesIO(client.get(f"{run}/along/tables/zones?format=xlsx").data))
    assert rows.worksheets[0].max_row == len(zones) + 1
    pdf = pypdf.PdfReader(io.BytesIO(client.get(f"{run}/along/map?format=pdf").data))
    assert "Along the streets within 200 m" in pdf.pages[0].extract_text()
    assert client.get(f"{run}/along/map").data.startswith(b"\x89PNG")


@pytest.mark.parametrize(
    "place",
    ["along/tables/streets?format=xlsx", "along/tables/zones?format=csv", "along/tables/zones?format=../x",
     "along/map?format=svg", "near/map", "near/tables/places?format=xlsx", "gone/map",
     "along/tables/zones?format=xlsx&part=streets"],
)  # fmt: skip
def test_what_its_author_did_not_choose_is_not_given(client, place):
    reply = client.get(f"{ran(client, HERE)}/{place}")
    assert reply.status_code in (400, 404) and reply.mimetype == "application/problem+json"


def test_faulty_values_are_refused_at_once_by_their_blanks(client):
    reply = client.post(f"{BASE}/burst/runs", json={"values": {"where": "", "reach": "5000"}})
    assert reply.status_code == 400 and reply.json["inputs"] == ["where", "reach"]
    for body in ({"values": []}, {"values": {"who": "cycle", **HERE}}, {"values": {"where": [["x"]]}}):
        assert client.post(f"{BASE}/burst/runs", json=body).status_code == 400
    assert client.get("/studies/ferrow/jobs").json["jobs"] == []


def test_a_form_that_no_longer_fits_says_so_and_is_not_run(client):
    document = copy.deepcopy(DOCUMENT)
    document["blocks"][1]["inputs"]["layers"] = [{"layer": "parcels"}]
    client.put("/studies/ferrow/sheets/main", json=document)
    page = client.get(f"{BASE}/burst", headers=PAGE).text
    assert "no longer fits" in page and "no layer &#39;parcels&#39;" in page and "<form" not in page
    assert client.get(f"{BASE}/burst").json["unfit"][0]["question"] == 1
    refused = client.post(f"{BASE}/burst/runs", json={"values": HERE})
    assert refused.status_code == 409 and "no layer 'parcels'" in refused.json["detail"]


def test_runs_are_those_of_their_form(client):
    reply = client.post("/studies/ferrow/processes/isochrone/execution", json={"inputs": {"places": [WEST], "limits": [3]}},
                        headers={"Prefer": "respond-async"})  # fmt: skip
    assert client.get(f"{BASE}/burst/runs/{reply.json['jobID']}").status_code == 404
    for place in ("nowhere", "burst/runs/none", "burst/runs/none/along/map"):
        assert client.get(f"{BASE}/{place}").status_code == 404


def test_a_failed_run_says_why(client):
    run = ran(client, {"where": "10,50", "reach": "200"})
    failed = client.get(run)
    assert failed.status_code == 422 and failed.json["detail"].startswith("question 1: ")


def test_a_tile_of_the_base_map_holds_all_its_layers(client):
    import mapbox_vector_tile

    z, x, y = 14, 6544, 6124
    tile = mapbox_vector_tile.decode(client.get(f"{BASE}/tiles/{z}/{y}/{x}?v=1").data)
    assert "streets" in tile and set(tile["streets"]["features"][0]["properties"]) <= {"highway", "name"}
    names = [(f["properties"].get("name"), f["properties"]["highway"]) for f in tile["streets"]["features"]]
    assert len(set(names)) == len(names), "a street is one feature"
    assert client.get(f"{BASE}/tiles/14/0/0").data == b""
