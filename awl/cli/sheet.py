"""`awl sheet`: the sheets of a study."""

from __future__ import annotations

import json
from pathlib import Path

import click

from awl.cli.options import PATH, json_option, study_option
from awl.core.errors import AwlError


@click.group("sheet")
def command() -> None:
    """List, copy, export, import, check and drop sheets.

    Example: awl sheet export main --study ferrow.gpkg --out heat.sheet.json
    """


@command.command("list")
@study_option
@json_option
def list_(study_path: Path, as_json: bool) -> None:
    """List the sheets of a study, with the forms of each.

    Example: awl sheet list --study ferrow.gpkg
    """
    from awl.sheets import shelf
    from awl.study.study import Study

    known = shelf.summaries(Study(study_path))
    if as_json:
        click.echo(json.dumps(known))
        return
    for sheet in known:
        forms = f", forms: {', '.join(form['id'] for form in sheet['forms'])}" if sheet["forms"] else ""
        click.echo(f"  {sheet['id']:<24} {sheet['title']}: {sheet['questions']} questions{forms}")


@command.command("export")
@click.argument("sheet")
@study_option
@click.option("--out", required=True, type=PATH, help="The sheet file that is written.")
def export(sheet: str, study_path: Path, out: Path) -> None:
    """Write a sheet as a sheet file (JSON, docs/sheets.md), with its blanks and forms, without answers.

    Example: awl sheet export main --study ferrow.gpkg --out heat.sheet.json
    """
    from awl.io.whole import write_whole
    from awl.sheets import shelf
    from awl.study.study import Study

    document = shelf.file_of(Study(study_path), sheet)
    write_whole(out, json.dumps(document, ensure_ascii=False, indent=1).encode())
    click.echo(f"{out}: {document['title']}")


@command.command("import")
@click.argument("file", type=PATH)
@study_option
def import_(file: Path, study_path: Path) -> None:
    """Take in a sheet file; prints the id of the sheet, and on standard error what of it does not fit the study.

    Example: awl sheet import heat.sheet.json --study ferrow.gpkg
    """
    from awl.sheets import shelf
    from awl.study.study import Study

    ident, unfit = shelf.take_in(Study(study_path), _document(file), file.name)
    click.echo(ident)
    for misfit in unfit:
        click.echo(f"  {misfit.line()}", err=True)


@command.command()
@click.argument("sheet")
@study_option
@json_option
def check(sheet: str, study_path: Path, as_json: bool) -> None:
    """Say what of a sheet does not fit the study as it is now; exit status 1 where something does not.

    Example: awl sheet check main --study ferrow.gpkg
    """
    from awl.sheets import shelf
    from awl.sheets.fit import misfits
    from awl.study.study import Study

    study = Study(study_path)
    unfit = misfits(study, shelf.stored(study, sheet))
    if as_json:
        click.echo(json.dumps([misfit.json() for misfit in unfit]))
    for misfit in unfit if not as_json else []:
        click.echo(f"  {misfit.line()}")
    if unfit:
        raise SystemExit(1)
    if not as_json:
        click.echo("All of it fits.")


@command.command()
@click.argument("sheet")
@click.argument("title")
@study_option
def copy(sheet: str, title: str, study_path: Path) -> None:
    """Copy a sheet with its answers under another title; prints its id.

    Example: awl sheet copy main "Heat, second try" --study ferrow.gpkg
    """
    from awl.sheets import shelf
    from awl.study.study import Study

    click.echo(shelf.copy(Study(study_path), sheet, title))


@command.command()
@click.argument("sheet")
@study_option
def drop(sheet: str, study_path: Path) -> None:
    """Drop a sheet with the answers of its questions.

    Example: awl sheet drop heat_second_try --study ferrow.gpkg
    """
    from awl.sheets import shelf
    from awl.study.study import Study

    shelf.drop(Study(study_path), sheet)


def _document(file: Path) -> object:
    from awl.sheets.document import MOST_BYTES

    try:
        if file.stat().st_size > MOST_BYTES:
            raise AwlError(f"It is larger than {MOST_BYTES >> 20} MB", where=file.name, remedy="Export the sheet again")
        return json.loads(file.read_text(encoding="utf-8"))
    except (ValueError, RecursionError) as error:
        raise AwlError(f"It is no JSON ({error})", where=file.name, remedy="Export the sheet again") from error
