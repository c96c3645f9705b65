"""A short round of random requests from a seed; `make fuzz` sends many."""

from __future__ import annotations

import pytest

from awl.server import web
from awl.server.app import create_app
from tests.fuzz.check import sent
from tests.fuzz.requests import random_requests

COUNT = 250


@pytest.mark.parametrize("seed", [11, 12, 13, 14])
def test_no_request_brings_the_server_down(own_study, monkeypatch, seed):
    monkeypatch.setattr(web, "WAITS_S", 3.0)
    app = create_app(own_study.path.parent)
    client = app.test_client()
    statuses = set()
    for _, request in zip(range(COUNT), random_requests(app, seed), strict=False):
        status, fault = sent(client, request)
        assert fault is None or " after " in fault.what, f"{fault.what}: {request}"
        statuses.add(status)
    assert {200, 400, 404} <= statuses, "sound requests are among them"
    assert client.get("/studies/ferrow/overview").status_code == 200
