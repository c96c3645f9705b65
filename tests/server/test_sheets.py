"""Sheets over HTTP: several in a study, each with versions of its own."""

from __future__ import annotations

import pytest

from tests.sheets.sheets_made import DOCUMENT

BASE = "/studies/ferrow/sheets"


def test_sheets_are_made_copied_taken_in_and_removed(own_client):
    assert [one["id"] for one in own_client.get(BASE).json["sheets"]] == ["main"]
    made = own_client.post(BASE, json={"title": "Heat"})
    assert (made.status_code, made.json) == (201, {"id": "heat", "unfit": []})
    own_client.put(f"{BASE}/heat", json={"title": "Heat", **{k: v for k, v in DOCUMENT.items() if k != "title"}})
    copied = own_client.post(BASE, json={"copy_of": "heat"}).json
    assert copied["id"] == "heat_copy" and own_client.get(f"{BASE}/heat_copy").json["title"] == "Heat, copy"
    file = own_client.get(f"{BASE}/heat/file")
    assert "attachment" in file.headers["Content-Disposition"] and file.json["blanks"] and file.json["awl_sheet"] == 1
    document = file.json
    document["blocks"][1]["inputs"]["layers"] = [{"layer": "parcels"}]
    taken = own_client.post(BASE, json={"document": document}).json
    assert taken["id"] == "heat_2" and taken["unfit"][0]["text"].startswith("The study has no layer 'parcels'")
    assert own_client.get(f"{BASE}/heat_2/fit").json["unfit"] == taken["unfit"]
    assert own_client.delete(f"{BASE}/heat").status_code == 200
    assert own_client.get(f"{BASE}/heat").status_code == 404
    assert [one["id"] for one in own_client.get(BASE).json["sheets"]] == ["main", "heat_copy", "heat_2"]


def test_each_sheet_has_a_version_of_its_own(own_client):
    own_client.post(BASE, json={"title": "Second"})
    first, second = (own_client.get(f"{BASE}/{name}") for name in ("main", "second"))
    saved = own_client.put(
        f"{BASE}/second", json={"title": "S", "blocks": []}, headers={"If-Match": second.headers["ETag"]}
    )
    assert saved.status_code == 200
    assert own_client.get(f"{BASE}/main").headers["ETag"] == first.headers["ETag"]
    late = own_client.put(
        f"{BASE}/second", json={"title": "T", "blocks": []}, headers={"If-Match": second.headers["ETag"]}
    )
    assert late.status_code == 412
    assert own_client.post(f"{BASE}/second/undo", json={}).json["title"] == "Second"


@pytest.mark.parametrize(
    ("body", "status", "words"),
    [
        ({"title": "x" * 400}, 400, "title"),
        ({"copy_of": "nowhere"}, 404, "no sheet 'nowhere'"),
        ({"document": {"title": "x"}}, 400, "'awl_sheet' is missing"),
        ({"document": {"awl_sheet": 1, "blocks": [{"id": "a"}]}}, 400, "blocks.1"),
        ({"documents": []}, 400, "documents"),
    ],
)
def test_what_makes_no_sheet_is_refused(own_client, body, status, words):
    refused = own_client.post(BASE, json=body)
    assert refused.status_code == status and words in refused.json["detail"]
    assert len(own_client.get(BASE).json["sheets"]) == 1


def test_no_two_sheets_have_a_form_at_one_address(own_client):
    body = {"title": "A", "blocks": DOCUMENT["blocks"], "blanks": DOCUMENT["blanks"], "forms": DOCUMENT["forms"]}
    assert own_client.put(f"{BASE}/main", json=body).status_code == 200
    own_client.post(BASE, json={"title": "B"})
    refused = own_client.put(f"{BASE}/b", json={"title": "B", "blocks": [], "forms": DOCUMENT["forms"]})
    assert refused.status_code == 409 and "Another sheet has a form 'burst'" in refused.json["detail"]
