"""`awl what-if`: named changes that questions may be asked with."""

from __future__ import annotations

import json
from pathlib import Path

import click

from awl.cli.inputs import inputs_of
from awl.cli.options import json_option, study_option


@click.group("what-if")
def command() -> None:
    """List, make, copy, merge and drop what-ifs.

    Example: awl what-if new "New bridge" --study ferrow.gpkg
    """


@command.command("list")
@study_option
@json_option
def list_(study_path: Path, as_json: bool) -> None:
    """List the what-ifs of a study.

    Example: awl what-if list --study ferrow.gpkg
    """
    from awl.study import ledger, what_ifs
    from awl.study.study import Study

    study = Study(study_path)
    known = what_ifs.listed(study.reading)
    if as_json:
        click.echo(json.dumps([idea.document() for idea in known]))
        return
    for idea in known:
        count = len(ledger.edits_of(study.reading, idea.id))
        click.echo(f"  {idea.id:<24} {idea.title}: {count:,} edits, changed {idea.changed[:16].replace('T', ' ')}")
    if not known:
        click.echo("The study has no what-ifs.")


@command.command()
@click.argument("title")
@study_option
@click.option("--description", default="", help="What it is about.")
@click.option("--date", default="", help="From when it would hold.")
@click.option("--at", default="", help="Local date and time of questions that say none.")
@click.option(
    "--file",
    "file",
    type=click.Path(exists=True, dir_okay=False, path_type=Path),
    help="JSON with 'modes', 'places' and 'lines'.",
)
def new(title: str, study_path: Path, description: str, date: str, at: str, file: Path | None) -> None:
    """Make a what-if. `awl edit --what-if ID` fills it with edits of streets.

    Example: awl what-if new "New bridge" --study ferrow.gpkg
    """
    from awl.study import what_ifs
    from awl.study.study import Study

    given = {"title": title, "description": description, "date": date, "at": at}
    idea = what_ifs.save(
        Study(study_path), {**inputs_of(file, ()), **{key: text for key, text in given.items() if text}}
    )
    click.echo(idea.id)


@command.command()
@click.argument("ident", metavar="ID")
@click.argument("title")
@study_option
def copy(ident: str, title: str, study_path: Path) -> None:
    """Copy a what-if under another title.

    Example: awl what-if copy new_bridge "New bridge, one-way" --study ferrow.gpkg
    """
    from awl.study import what_ifs
    from awl.study.study import Study

    click.echo(what_ifs.copy(Study(study_path), ident, title).id)


@command.command()
@click.argument("ident", metavar="ID")
@study_option
def merge(ident: str, study_path: Path) -> None:
    """Make the edits of a what-if edits of the streets themselves; the what-if goes.

    Example: awl what-if merge new_bridge --study ferrow.gpkg
    """
    from awl.study import street_edits, what_ifs
    from awl.study.study import Study

    study = Study(study_path)
    outcome = street_edits.merge(study, what_ifs.what_if(study, ident).id)
    click.echo(f"Step {outcome.step} done: {len(outcome.edits):,} edits, {len(outcome.changed_links):,} links changed.")


@command.command()
@click.argument("ident", metavar="ID")
@study_option
def drop(ident: str, study_path: Path) -> None:
    """Drop a what-if with its edits.

    Example: awl what-if drop new_bridge --study ferrow.gpkg
    """
    from awl.study import what_ifs
    from awl.study.study import Study

    what_ifs.drop(Study(study_path), ident)
