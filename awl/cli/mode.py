"""`awl mode`: who moves, by which rules."""

from __future__ import annotations

import json
from pathlib import Path

import click

from awl.cli.inputs import settings
from awl.cli.options import PATH, json_option, study_option
from awl.core.errors import AwlError


@click.group()
def command() -> None:
    """List, show, change and import modes.

    Example: awl mode set walk --study ferrow.gpkg top_speed=4.2 speeds.steps=1.5
    """


@command.command("list")
@study_option
@json_option
def list_modes(study_path: Path, as_json: bool) -> None:
    """List the modes of a study.

    Example: awl mode list --study ferrow.gpkg
    """
    from awl.study.study import Study

    modes = [mode for mode, _ in Study(study_path).modes().values()]
    if as_json:
        click.echo(json.dumps([{"id": mode.id, "title": mode.title, "traveller": mode.traveller} for mode in modes]))
        return
    for mode in modes:
        click.echo(f"{mode.id:<16} {mode.title}: {mode.traveller}, at most {mode.top_speed:g} km/h")


@command.command("show")
@click.argument("mode_id", metavar="MODE")
@study_option
def show_mode(mode_id: str, study_path: Path) -> None:
    """Print a mode as the document that `awl mode import` takes.

    Example: awl mode show cycle --study ferrow.gpkg > cycle.json
    """
    from awl.study import modes
    from awl.study.study import Study

    click.echo(json.dumps(modes.document(Study(study_path).mode(mode_id)), indent=2))


@command.command("set")
@click.argument("mode_id", metavar="MODE")
@click.argument("pairs", metavar="NAME=VALUE...", nargs=-1, required=True)
@study_option
def set_mode(mode_id: str, pairs: tuple[str, ...], study_path: Path) -> None:
    """Change words of a mode; NAME is that of the mode document, speeds.steps one of its members.

    Example: awl mode set walk --study ferrow.gpkg top_speed=4.2 speeds.steps=1.5
    """
    from awl.study import modes
    from awl.study.study import Study

    study = Study(study_path)
    document = modes.document(study.mode(mode_id))
    for name, value in settings(pairs).items():
        known = document.get(name)
        document[name] = {**known, **value} if isinstance(known, dict) and isinstance(value, dict) else value
    if document["id"] != mode_id:
        raise AwlError("The id of a mode stays", remedy="Import a document with another id", inputs=("id",))
    study.save_mode(modes.parsed(document))
    click.echo(f"{mode_id}: changed.")


@command.command("import")
@click.argument("file", type=PATH)
@study_option
def import_mode(file: Path, study_path: Path) -> None:
    """Take in a mode from a document, in place of one with its id.

    Example: awl mode import cargo_bike.json --study ferrow.gpkg
    """
    from awl.study import modes
    from awl.study.study import Study

    try:
        document = json.loads(file.read_text(encoding="utf-8"))
    except (OSError, ValueError) as error:
        raise AwlError(
            "The file is no mode document", where=str(file), remedy="Give JSON as 'awl mode show' prints it"
        ) from error
    mode = modes.parsed(document)
    Study(study_path).save_mode(mode)
    click.echo(f"{mode.id}: imported.")


@command.command("remove")
@click.argument("mode_id", metavar="MODE")
@study_option
def remove_mode(mode_id: str, study_path: Path) -> None:
    """Remove a mode of one's own; a shipped one is reset to its default.

    Example: awl mode remove cargo_bike --study ferrow.gpkg
    """
    from awl.study.study import Study

    study = Study(study_path)
    study.mode(mode_id)
    study.remove_mode(mode_id)
    click.echo(f"{mode_id}: removed.")
