"""Who may talk to the server: requests that name it by an address of its own, and pages it served itself.

A foreign page can point its own name at 127.0.0.1 and then speak to a server there as if it were its own (DNS rebinding). Such
requests carry the foreign name in `Host`, so a name the server was not given is refused before anything else is looked at.
"""

from __future__ import annotations

import ipaddress
import socket
from urllib.parse import urlsplit

from flask import request

from awl.core.errors import AwlError

LOCAL_NAMES = frozenset({"localhost", "127.0.0.1", "::1"})
SAFE_METHODS = frozenset({"GET", "HEAD", "OPTIONS"})


class Guard:
    """Refuses requests under foreign names and changes asked for by foreign pages."""

    def __init__(self, host: str) -> None:
        """`host` is the name or address the server is bound to; an unspecified one ("0.0.0.0") means all of this machine's."""
        self._any_address = host in ("", "0.0.0.0", "::")
        own = {socket.gethostname().lower(), socket.getfqdn().lower()} if self._any_address else {host.lower()}
        self._names = LOCAL_NAMES | own

    def check(self) -> None:
        """Refuse the request at hand where it names another host, or comes from a page of another origin to change something.

        Raises:
            AwlError: status 421 for a foreign name, 403 for a foreign page.
        """
        if not self._is_own(_name_of(request.host)):
            raise AwlError(
                f"This server does not answer to the name '{request.host[:80]}'",
                remedy="Use the address it printed at its start",
                status=421,
                kind="foreign-host",
            )
        origin = request.headers.get("Origin")
        if request.method not in SAFE_METHODS and origin is not None and origin != request.host_url.rstrip("/"):
            raise AwlError("Requests from other sites are refused", status=403, kind="foreign-origin")

    def _is_own(self, name: str) -> bool:
        # No page can rebind a bare address, so where the server is bound to all of them, each is its own.
        return name in self._names or (self._any_address and _is_address(name))


def _name_of(host: str) -> str:
    """The host of a `Host` header without its port, in small letters; empty where the header is malformed."""
    try:
        return urlsplit(f"//{host}").hostname or ""
    except ValueError:
        return ""


def _is_address(name: str) -> bool:
    try:
        ipaddress.ip_address(name)
    except ValueError:
        return False
    return True
