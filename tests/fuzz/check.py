"""What must hold of every response, whatever was asked."""

from __future__ import annotations

import json
import time
from dataclasses import dataclass

from flask.testing import FlaskClient

from tests.fuzz.requests import Request

LONGEST_S = 10.0
EXPECTED = (503, 507)
"""Too much at once, and no room: no faults of the server."""
SECRETS = ("/tmp/", "/home/", "/work/", "/root/", "site-packages", "Traceback", "root:x:0")


@dataclass
class Fault:
    """What a response should not have been."""

    request: Request
    what: str


def sent(client: FlaskClient, request: Request) -> tuple[int, Fault | None]:
    """The status of a response, and what is wrong with it."""
    began = time.perf_counter()
    response = client.open(request.path, method=request.method, data=request.body, headers=request.headers)
    data, took = response.data, time.perf_counter() - began
    status = response.status_code
    if status >= 500 and status not in EXPECTED:
        return status, Fault(request, f"{status}: {data[:200]!r}")
    if status == 202:
        client.delete(response.headers["Location"])
    if took > LONGEST_S:
        return status, Fault(request, f"{status} after {took:.1f} s")
    if status >= 400:
        text = data.decode("utf-8", "replace")
        if leaked := [secret for secret in SECRETS if secret in text and secret not in str(request)]:
            return status, Fault(request, f"{status} tells {leaked}: {text[:300]}")
        is_told = response.mimetype == "text/html" or (
            response.mimetype.endswith("json") and json.loads(text).get("detail")
        )
        if not is_told:
            return status, Fault(request, f"{status} without a problem document: {text[:200]}")
    return status, None
