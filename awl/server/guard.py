"""Who may talk to the server: requests that name it by an address of its own, pages it served itself, and holders of a token.

A foreign page can point its own name at 127.0.0.1 and then speak to a server there as if it were its own (DNS rebinding). Such
requests carry the foreign name in `Host`, so a name the server was not given is refused before anything else is looked at.
"""

from __future__ import annotations

import ipaddress
import socket
from urllib.parse import urlencode, urlsplit

from flask import Response, current_app, make_response, redirect, request

from awl.core.errors import AwlError
from awl.server.jobs import Jobs
from awl.server.json_bodies import read_object
from awl.server.pages import page, wants_page
from awl.server.tokens import COOKIE, FORM_COOKIE, Tokens

LOCAL_NAMES = frozenset({"localhost", "127.0.0.1", "::1"})
SAFE_METHODS = frozenset({"GET", "HEAD", "OPTIONS"})
ASKING = frozenset({"processes.execution", "live.live_reach", "layers.select", "forms.run"})
"""Endpoints that change nothing though they are sent something; an execution changes something where it names a question."""
FORM_ALONE = frozenset(
    {"forms.form_page", "forms.run", "forms.outcome_page", "forms.outcome_map", "forms.outcome_table"}
)
"""Endpoints of one form."""
FORM_JOBS = frozenset({"own.any_job", "own.stop_job"})
"""Endpoints of jobs, a form's own among them."""
BESIDE_FORMS = frozenset({"forms.tile", "search.search", "explain.near"})
"""Endpoints of a study that its forms need: the base map, and what lies where."""
OPEN = frozenset({"assets"})
"""Endpoints that say nothing of any study: scripts and styles, the same for everybody."""
TOKEN_PAGE_POLICY = (
    "default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
)
COOKIE_S = 30 * 24 * 3600


class Guard:
    """Refuses requests under foreign names, changes asked for by foreign pages, and whoever has no token where there are some."""

    def __init__(self, host: str, tokens: Tokens | None = None) -> None:
        """`host` is the name or address the server is bound to; an unspecified one ("0.0.0.0") means all of this machine's."""
        self._tokens = tokens
        self._any_address = host in ("", "0.0.0.0", "::")
        own = {socket.gethostname().lower(), socket.getfqdn().lower()} if self._any_address else {host.lower()}
        self._names = LOCAL_NAMES | own

    def check(self) -> Response | None:
        """Refuse the request at hand: one to a foreign name, a change for a foreign page, or one that lacks the right to it.

        Gives a response where a page asks for the token, or has just been given it.

        Raises:
            AwlError: status 421 for a foreign name, 403 for a foreign page or too small a right, 401 without a token.
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
        return None if self._tokens is None else self._checked(self._tokens)

    def _checked(self, tokens: Tokens) -> Response | None:
        if request.endpoint in OPEN:
            return None
        if token := request.args.get("token") if request.method == "GET" else None:
            return _welcomed(tokens, token)
        right = tokens.right_of(_bearer() or request.cookies.get(_cookie(COOKIE), ""))
        if right == "write" or (right == "read" and _only_looks()):
            return None
        if _is_of_form(tokens):
            return None
        if right == "read":
            raise AwlError("This token allows looking and asking, no changes", status=403, kind="read-only-token")
        if wants_page() and request.method == "GET":
            return _asked_for(wrong=False)
        raise AwlError(
            "This server asks for a token",
            remedy="Open the address it printed at its start, or send 'Authorization: Bearer ...'",
            status=401,
            kind="no-token",
        )

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


def _bearer() -> str:
    """The token in the request's header; empty where there is none."""
    kind, _, token = request.headers.get("Authorization", "").partition(" ")
    return token.strip() if kind.lower() == "bearer" else ""


def _only_looks() -> bool:
    """Whether the request at hand changes nothing."""
    if request.method in SAFE_METHODS:
        return True
    if request.endpoint not in ASKING:
        return False
    return request.endpoint != "processes.execution" or read_object(request.get_data()).get("question") is None


def _is_of_form(tokens: Tokens) -> bool:
    """Whether the request at hand comes from a form, with the token of that form, and asks for nothing else."""
    study, form = _form_asked(request.view_args or {})
    if request.endpoint in BESIDE_FORMS and form is None:
        begin = f"{_cookie(FORM_COOKIE)}_"
        cookies = [
            (name.removeprefix(begin), value) for name, value in request.cookies.items() if name.startswith(begin)
        ]
        return any(tokens.is_of_form(value, study, name) for name, value in cookies)
    if form is None:
        return False
    return tokens.is_of_form(_bearer() or request.cookies.get(f"{_cookie(FORM_COOKIE)}_{form}", ""), study, form)


def _form_asked(named: dict[str, str]) -> tuple[str, str | None]:
    """The study and form that a request is about; no form where it is about none, or about more than one."""
    if request.endpoint in FORM_ALONE:
        return named["study_id"], named["form_id"]
    if request.endpoint in FORM_JOBS:
        jobs: Jobs = current_app.extensions["awl-jobs"]
        try:
            job = jobs.get(named["job_id"])
        except AwlError:
            return "", None
        return job.study, job.question if job.process == "form" else None
    return named.get("study_id", ""), None


def _welcomed(tokens: Tokens, token: str) -> Response:
    """Keep a token that came in the address as a cookie, and go on without it; ask again where it is wrong."""
    rest = [(name, value) for name, value in request.args.items(multi=True) if name != "token"]
    address = f"/{request.path.lstrip('/')}{'?' * bool(rest)}{urlencode(rest)}"
    study, form = _form_asked(request.view_args or {})
    name = _cookie(COOKIE)
    if tokens.right_of(token) is None:
        if form is None or not tokens.is_of_form(token, study, form):
            return _asked_for(wrong=True)
        name = f"{_cookie(FORM_COOKIE)}_{form}"
    welcome = make_response(redirect(address, 303))
    welcome.set_cookie(name, token, max_age=COOKIE_S, httponly=True, samesite="Strict")
    welcome.headers["Referrer-Policy"] = "no-referrer"
    return welcome


def _asked_for(wrong: bool) -> Response:
    """The page that asks for a token."""
    response = page("token.html", wrong=wrong)
    response.status_code = 401
    response.headers["Content-Security-Policy"] = TOKEN_PAGE_POLICY
    return response


def _cookie(kind: str) -> str:
    """The name of a cookie of this server; cookies of one machine are shared by all its ports."""
    return f"{kind}_{urlsplit(request.host_url).port or 80}"
