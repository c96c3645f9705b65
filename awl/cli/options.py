"""What several commands share: the study they work on, JSON for machines, a progress bar."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import click

from awl.core.errors import AwlError
from awl.core.progress import Progress

PATH: Any = click.Path(path_type=Path)


def _existing(ctx: click.Context, param: click.Parameter, value: Path | None) -> Path | None:
    if value is not None and not value.is_file():
        raise AwlError("There is no such study", where=str(value), remedy="Make one with 'awl build'")
    return value


study_option = click.option(
    "--study", "study_path", required=True, type=PATH, callback=_existing, help="The study file."
)
"""A study that exists; looked for before anything else is imported."""
optional_study_option = click.option("--study", "study_path", type=PATH, callback=_existing, help="The study file.")
new_study_option = click.option("--study", "study_path", required=True, type=PATH, help="The study file.")
json_option = click.option("--json", "as_json", is_flag=True, help="Print JSON for machines.")


@contextmanager
def progress_bar() -> Iterator[Progress]:
    """A progress bar on a terminal, nothing elsewhere."""
    if not sys.stderr.isatty():
        yield Progress()
        return
    from rich import progress as rich_progress
    from rich.console import Console

    columns = (
        rich_progress.TextColumn("{task.description}"),
        rich_progress.BarColumn(),
        rich_progress.TimeRemainingColumn(),
    )
    with rich_progress.Progress(*columns, console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task("", total=1.0)
        yield Progress(lambda fraction, text: bar.update(task, completed=fraction, description=text))
