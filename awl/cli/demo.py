"""`awl demo`: the shipped demo study."""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path
from typing import Any

import click

from awl.cli.options import PATH
from awl.cli.serve import listen, serving
from awl.demo_study import make_demo


@click.command()
@serving
@click.option("--folder", type=PATH, help="Where the demo study is kept; a fresh one when left out.")
def command(folder: Path | None, **how: Any) -> None:
    """Serve the shipped demo study of Ferrow.

    Example: awl demo --port 8787
    """
    fresh = None
    if folder is None:
        folder = fresh = Path(tempfile.mkdtemp(prefix="awl-demo-"))
    folder.mkdir(parents=True, exist_ok=True)
    try:
        if not (folder / "ferrow.gpkg").exists():
            click.echo("Building the demo study of Ferrow ...", err=True)
            make_demo(folder)
        listen(folder.resolve(), **how)
    finally:
        if fresh is not None:
            shutil.rmtree(fresh, ignore_errors=True)
