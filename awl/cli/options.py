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


MAP_FORMATS = ("png", "svg", "pdf")
"""Formats of map sheets, by their endings."""
MAP_OPTIONS = (
    click.option("--paper", default="A4", show_default=True, type=click.Choice(("A5", "A4", "A3", "A2")), help="Maps: paper."),
    click.option("--portrait", is_flag=True, help="Maps: upright in place of lying."),
    click.option("--scale", type=int, help="Maps: 1:SCALE; where left out the answer fills the map."),
    click.option("--dpi", default=200, show_default=True, type=int, help="Maps: pixels per inch of a PNG."),
    click.option("--grey", is_flag=True, help="Maps: in grey."),
    click.option("--moment", metavar="HH:MM", help="Maps: people as they are at this time, in answers in which they move."),
    click.option("--title", help="Maps: the title; that of the answer when left out."),
    click.option("--credit", help="Maps: whose data it is; the names of the files when left out."),
)  # fmt: skip


def map_options(command: Any) -> Any:
    """Options of map sheets: paper, scale and what stands on it."""
    for option in reversed(MAP_OPTIONS):
        command = option(command)
    return command


def map_sheet_options(given: dict[str, Any]) -> Any:
    """The options of a map sheet from those of a command, which are taken out of `given`.

    Raises:
        AwlError: one of them is out of bounds.
    """
    from pydantic import ValidationError

    from awl.handout.paper import MapOptions

    names = ("paper", "portrait", "scale", "dpi", "grey", "moment", "title", "credit")
    own = {name: given.pop(name) for name in names}
    own["orientation"] = "portrait" if own.pop("portrait") else "landscape"
    own["colour"] = "grey" if own.pop("grey") else "colour"
    try:
        return MapOptions(**own)
    except ValidationError as error:
        first = error.errors()[0]
        raise AwlError(
            f"--{first['loc'][0] if first['loc'] else 'dpi'}: {first['msg']}", remedy="See --help"
        ) from error


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
