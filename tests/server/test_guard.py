"""The server answers to its own names alone, and changes nothing for pages of other origins."""

from __future__ import annotations

import pytest

from awl.server.app import create_app


@pytest.fixture(scope="module")
def client_at(tmp_path_factory):
    """A client of a server bound to a host, over an empty folder."""
    return lambda host: create_app(tmp_path_factory.mktemp("studies"), host).test_client()


@pytest.mark.parametrize("name", ["localhost", "127.0.0.1:8787", "[::1]:8787", "LOCALHOST:9000"])
def test_the_loopback_names_are_answered(client_at, name):
    assert client_at("127.0.0.1").get("/studies", headers={"Host": name}).status_code == 200


@pytest.mark.parametrize(
    "name",
    ["evil.test", "evil.test:8787", "localhost.evil.test", "127.0.0.1.evil.test", "192.0.2.7", "[", "a@localhost@b"],
)
@pytest.mark.parametrize("path", ["/studies", "/", "/no/such/place"])
def test_foreign_names_are_refused_before_anything_else(client_at, name, path):
    response = client_at("127.0.0.1").get(path, headers={"Host": name})
    assert response.status_code == 421
    assert response.json["type"].endswith("foreign-host") and "evil" not in str(response.headers)


def test_the_name_bound_to_is_answered_and_a_wildcard_takes_addresses_only(client_at):
    assert client_at("awl.example").get("/studies", headers={"Host": "awl.example:80"}).status_code == 200
    anywhere = client_at("0.0.0.0")
    assert anywhere.get("/studies", headers={"Host": "192.0.2.7:8787"}).status_code == 200
    assert anywhere.get("/studies", headers={"Host": "evil.test"}).status_code == 421


@pytest.mark.parametrize(
    ("origin", "allowed"),
    [
        ("http://localhost:8787", True),
        ("https://localhost:8787", False),
        ("http://localhost", False),
        ("http://localhost:8788", False),
        ("http://127.0.0.1:8787", False),
        ("null", False),
        ("http://evil.test", False),
    ],
)
def test_changes_need_the_whole_origin_to_match(client_at, origin, allowed):
    client = client_at("127.0.0.1")
    headers = {"Host": "localhost:8787", "Origin": origin}
    response = client.delete("/jobs/none", headers=headers)
    assert (response.status_code != 403) == allowed
    assert client.get("/studies", headers=headers).status_code == 200
