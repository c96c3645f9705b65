"""A server that others reach lets in who has a token, as far as the token goes."""

from __future__ import annotations

import pytest

from awl.core.errors import AwlError
from awl.server import guard
from awl.server.app import create_app
from awl.server.tokens import Tokens
from tests.sheets.sheets_made import DOCUMENT, WEST

WRITE, READ = "write-token-of-these-tests", "read-token-of-these-tests"
PAGE = {"Accept": "text/html"}
EXECUTION = "/studies/ferrow/processes/isochrone/execution"
ASKED = {"inputs": {"places": [[-36.2, 41.29]], "limits": [5]}}
SHEET = {**DOCUMENT, "forms": [*DOCUMENT["forms"], {**DOCUMENT["forms"][0], "id": "other"}]}


@pytest.fixture
def app(own_study):
    return create_app(own_study.path.parent, tokens=Tokens(WRITE, READ))


@pytest.fixture
def client(app):
    """Somebody without a token."""
    return app.test_client()


def bearer(token):
    return {"Authorization": f"Bearer {token}"}


@pytest.mark.parametrize("path", ["/", "/studies", "/studies/ferrow/overview", "/no/such/place", "/jobs/none"])
@pytest.mark.parametrize(
    "headers", [{}, bearer("wrong"), bearer(""), bearer(WRITE[:-1]), {"Authorization": f"Basic {WRITE}"}]
)
def test_nothing_is_told_without_a_token(client, path, headers):
    reply = client.get(path, headers=headers)
    assert reply.status_code == 401 and reply.json["type"].endswith("no-token")
    assert "ferrow" not in reply.text


def test_nothing_is_changed_without_a_token(client, own_study):
    for method in ("post", "put", "patch", "delete"):
        assert getattr(client, method)("/studies/ferrow/sheets/main", json={}).status_code == 401
    assert client.post("/uploads?name=a.csv", data=b"x", content_type="application/octet-stream").status_code == 401
    assert not list(own_study.path.parent.glob(".upload-*")), "what came was not even stored"


def test_a_browser_is_asked_and_keeps_the_token_as_a_cookie_no_script_reads(client):
    asked = client.get("/", headers=PAGE)
    assert asked.status_code == 401 and "<input" in asked.text
    assert "form-action 'self'" in asked.headers["Content-Security-Policy"]
    wrong = client.get("/?token=none-of-these-tokens", headers=PAGE)
    assert (
        wrong.status_code == 401
        and "does not belong to this server" in wrong.text
        and "Set-Cookie" not in wrong.headers
    )
    welcome = client.get(f"/studies?token={WRITE}&f=json")
    assert welcome.status_code == 303 and welcome.headers["Location"] == "/studies?f=json"
    assert welcome.headers["Referrer-Policy"] == "no-referrer"
    cookie = welcome.headers["Set-Cookie"]
    assert "HttpOnly" in cookie and "SameSite=Strict" in cookie
    assert client.get("/studies").status_code == 200


def test_the_way_on_never_leads_to_another_site(client):
    for path in ("//evil.test/x", "///evil.test", "/\\evil.test"):
        reply = client.get(f"{path}?token={WRITE}")
        if reply.status_code == 303:
            assert not reply.headers["Location"].startswith(("//", "/\\", "http"))


def test_the_token_that_reads_looks_and_asks_and_changes_nothing(client, own_study):
    reading = bearer(READ)
    assert client.get("/studies/ferrow/overview", headers=reading).status_code == 200
    assert client.post(EXECUTION, json=ASKED, headers=reading).status_code == 200
    assert client.post("/studies/ferrow/live/reach", json=ASKED, headers=reading).status_code == 200
    for method, path, body in (
        ("post", EXECUTION, {**ASKED, "question": "kept"}),
        ("put", "/studies/ferrow/sheets/main", {"title": "Taken", "blocks": []}),
        ("delete", "/studies/ferrow/layers/zones", None),
        ("post", "/studies/ferrow/modes/walk/copy", {}),
        ("post", "/studies/ferrow/edits", {"edits": []}),
    ):
        reply = getattr(client, method)(path, json=body, headers=reading)
        assert reply.status_code == 403 and reply.json["type"].endswith("read-only-token"), path
    assert own_study.reading.execute("SELECT count(*) FROM awl_answers").fetchone() == (0,)
    assert client.post(EXECUTION, json={**ASKED, "question": "kept"}, headers=bearer(WRITE)).status_code == 200


def test_the_token_of_a_form_allows_that_form_alone(app, client):
    author = bearer(WRITE)
    saved = client.put("/studies/ferrow/sheets/main", json=SHEET, headers=author)
    assert saved.status_code == 200, saved.text
    forms = {form["id"]: form["href"] for form in client.get("/studies/ferrow/forms", headers=author).json["forms"]}
    address = forms["burst"].removeprefix("http://localhost")
    assert "token=" in address and forms["other"].partition("token=")[2] != address.partition("token=")[2]
    colleague = app.test_client()
    assert colleague.get(address).status_code == 303
    assert colleague.get("/studies/ferrow/forms/burst").json["title"] == "Who is hit?"
    run = colleague.post(
        "/studies/ferrow/forms/burst/runs", json={"values": {"where": f"{WEST[0]},{WEST[1]}", "reach": "200"}}
    )
    assert run.status_code == 201, run.text
    job = run.json["jobID"]
    assert app.extensions["awl-jobs"].get(job).over.wait(60)
    assert colleague.get(f"/jobs/{job}").json["status"] == "successful"
    assert colleague.get(f"/studies/ferrow/forms/burst/runs/{job}").json["answers"]["along"]["figures"]
    assert colleague.get("/studies/ferrow/search?q=heron").status_code == 200
    assert colleague.get("/studies/ferrow/near?lon=-36.2&lat=41.29").status_code != 401
    other = client.post(EXECUTION, json=ASKED, headers={**author, "Prefer": "respond-async"}).json["jobID"]
    for path in (
        "/studies", "/studies/ferrow", "/studies/ferrow/forms", "/studies/ferrow/forms/other", "/studies/ferrow/overview",
        "/studies/ferrow/collections/zones/items", "/studies/ferrow/sheets/main", "/studies/ferrow/file", f"/jobs/{other}",
        f"/studies/ferrow/jobs/{job}", "/studies/other/search?q=x",
    ):  # fmt: skip
        assert colleague.get(path).status_code in (401, 404), path
        assert colleague.get(path).status_code == 401 or "other" in path, path
    assert colleague.delete(f"/jobs/{other}").status_code == 401
    assert colleague.post(EXECUTION, json=ASKED).status_code == 401
    assert colleague.post("/studies/ferrow/forms/other/runs", json={"values": {}}).status_code == 401


def test_tokens_that_can_be_guessed_are_refused():
    for write, read in (
        ("short", None),
        (None, "short"),
        (WRITE, WRITE),
        ("spaces in a long token", None),
        ("ü" * 20, None),
    ):
        with pytest.raises(AwlError):
            Tokens.given(write, read)
    one, other = Tokens.given(None, None), Tokens.given(None, None)
    assert len({one.write, one.read, other.write, other.read}) == 4 and len(one.write) >= 32
    assert Tokens.given(WRITE, None).of_form("s", "f") == Tokens.given(WRITE, READ).of_form("s", "f"), (
        "it outlives a restart"
    )


def test_a_wrong_host_and_origin_are_refused_before_the_token_is_looked_at(client):
    assert client.get("/studies", headers={**bearer(WRITE), "Host": "evil.test"}).status_code == 421
    headers = {**bearer(WRITE), "Origin": "http://evil.test"}
    assert client.put("/studies/ferrow/sheets/main", json=SHEET, headers=headers).status_code == 403


def test_endpoints_that_rights_are_given_to_exist(app):
    known = {rule.endpoint for rule in app.url_map.iter_rules()}
    assert known > guard.ASKING | guard.FORM_ALONE | guard.BESIDE_FORMS | guard.FORM_JOBS | guard.OPEN
