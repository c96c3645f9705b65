"""Compression of long answers on their way to other machines; on this one it would take longer than it saves."""

from __future__ import annotations

import contextlib
import gzip
import ipaddress

from flask import Response, request

LONG = 32 << 10
"""Bytes from which on an answer is compressed."""
FAST = 1
"""The level of compression: two thirds of what is to be had, in a third of the time."""
KINDS = frozenset({"application/json", "application/geo+json", "application/octet-stream", "text/csv", "text/html"})


def compressed(response: Response) -> Response:
    """The response, compressed where the client takes that, is on another machine, and it is worth it.

    Parameters:
        response: the response to the request at hand.
    """
    if response.mimetype not in KINDS or response.direct_passthrough or "Content-Encoding" in response.headers:
        return response
    response.vary.add("Accept-Encoding")
    if "gzip" not in request.accept_encodings or _is_here(request.remote_addr or ""):
        return response
    data = response.get_data()
    if len(data) >= LONG:
        response.set_data(gzip.compress(data, FAST))
        response.headers["Content-Encoding"] = "gzip"
    return response


def _is_here(address: str) -> bool:
    """Whether an address is one of this machine itself."""
    with contextlib.suppress(ValueError):
        return ipaddress.ip_address(address).is_loopback
    return False
