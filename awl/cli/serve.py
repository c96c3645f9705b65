"""`awl serve`: a folder of studies, in the browser and as web API."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from awl.cli.options import PATH
from awl.core.errors import AwlError


@click.command()
@click.argument("place", required=False, default=".", type=PATH)
@click.option("--host", default="127.0.0.1", show_default=True, help="Address to bind to.")
@click.option("--port", default=8787, show_default=True, type=click.IntRange(0, 65535))
def command(place: Path, host: str, port: int) -> None:
    """Serve the studies in a folder (or one study) with the browser interface and the web API.

    Example: awl serve studies --port 8787
    """
    from awl.server.app import serve as run

    if not place.exists():
        raise AwlError("There is no such folder or study", where=str(place), remedy="Give a folder with .gpkg files")
    listen(run, place.resolve(), host, port)


def listen(run: Any, place: Path, host: str, port: int) -> None:
    """Serve a folder or study; raises `AwlError` where the port cannot be used."""
    try:
        run(place, host, port)
    except OSError as error:
        raise AwlError(
            f"Port {port} on {host} cannot be used ({error.strerror or error})", remedy="Choose another with --port"
        ) from error
