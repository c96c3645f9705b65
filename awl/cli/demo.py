"""`awl demo`: the shipped demo study."""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path

import click

from awl.cli.options import PATH
from awl.cli.serve import listen
from awl.demo_study import make_demo


@click.command()
@click.option("--host", default="127.0.0.1", show_default=True, help="Address to bind to.")
@click.option("--port", default=8787, show_default=True, type=click.IntRange(0, 65535))
@click.option("--folder", type=PATH, help="Where the demo study is kept; a fresh one when left out.")
def command(host: str, port: int, folder: Path | None) -> None:
    """Serve the shipped demo study of Ferrow.

    Example: awl demo --port 8787
    """
    from awl.server.app import serve as run

    fresh = None
    if folder is None:
        folder = fresh = Path(tempfile.mkdtemp(prefix="awl-demo-"))
    folder.mkdir(parents=True, exist_ok=True)
    try:
        if not (folder / "ferrow.gpkg").exists():
            click.echo("Building the demo study of Ferrow ...", err=True)
            make_demo(folder)
        listen(run, folder.resolve(), host, port)
    finally:
        if fresh is not None:
            shutil.rmtree(fresh, ignore_errors=True)
