"""`awl serve`: a folder of studies, in the browser and as web API."""

from __future__ import annotations

import ipaddress
from collections.abc import Callable
from pathlib import Path
from typing import Any

import click

from awl.cli.options import PATH
from awl.core.errors import AwlError
from awl.core.progress import cores

MOST_WORKERS = 4


def serving(command: Callable[..., Any]) -> Callable[..., Any]:
    """Options that `serve` and `demo` share."""
    for option in (
        click.option(
            "--read-token", envvar="AWL_READ_TOKEN", help="Token of those who may only look and ask; else one is made."
        ),
        click.option(
            "--token",
            envvar="AWL_TOKEN",
            help="Token of those who may change things; else one is made where others reach it.",
        ),
        click.option(
            "--workers",
            type=click.IntRange(0, 64),
            help="Processes for long questions; by the cores when left out, 0 for none.",
        ),
        click.option("--port", default=8787, show_default=True, type=click.IntRange(0, 65535)),
        click.option(
            "--host",
            default="127.0.0.1",
            show_default=True,
            help="Address to bind to; beyond this machine tokens are needed.",
        ),
    ):
        command = option(command)
    return command


@click.command()
@click.argument("place", required=False, default=".", type=PATH)
@serving
def command(place: Path, **how: Any) -> None:
    """Serve the studies in a folder (or one study) with the browser interface and the web API.

    Example: awl serve studies --port 8787
    """
    if not place.exists():
        raise AwlError("There is no such folder or study", where=str(place), remedy="Give a folder with .gpkg files")
    listen(place.resolve(), **how)


def listen(place: Path, host: str, port: int, workers: int | None, token: str | None, read_token: str | None) -> None:
    """Serve a folder or study; raises `AwlError` where the port cannot be used, or a token is no good."""
    from awl.server.app import serve
    from awl.server.tokens import Tokens

    tokens = Tokens.given(token, read_token) if token or read_token or not is_loopback(host) else None
    count = max(1, min(MOST_WORKERS, cores())) if workers is None else workers
    try:
        serve(place, host, port, count, tokens)
    except OSError as error:
        raise AwlError(
            f"Port {port} on {host} cannot be used ({error.strerror or error})", remedy="Choose another with --port"
        ) from error


def is_loopback(host: str) -> bool:
    """Whether nobody but this machine reaches a server that is bound to a host."""
    if host.lower() == "localhost":
        return True
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return False
