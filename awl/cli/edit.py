"""`awl edit`: change the streets of a study, or of a what-if."""

from __future__ import annotations

import json
from pathlib import Path

import click

from awl.cli.options import PATH, json_option, study_option
from awl.core.errors import AwlError

MAX_FILE = 64 << 20


@click.command()
@study_option
@click.argument("file", type=PATH, required=False, metavar="[EDITS]")
@click.option("--what-if", "what_if", help="The what-if to edit; the streets themselves where left out.")
@click.option("--undo", "turn", flag_value="undo", help="Take the last step back instead.")
@click.option("--redo", "turn", flag_value="redo", help="Do the step again that was taken back last instead.")
@click.option("--save", "out", type=PATH, help="Write the edits that hold to a GeoJSON file instead.")
@json_option
def command(
    study_path: Path, file: Path | None, what_if: str | None, turn: str | None, out: Path | None, as_json: bool
) -> None:
    """Apply the edits of a GeoJSON file as one step: all of them, or none.

    A feature is an edit: its property 'edit' says which kind, 'links' and 'node' what it concerns, 'tags' attributes, its
    geometry where. docs/edits.md lists the kinds.

    Example: awl edit --study ferrow.gpkg --what-if "New bridge" bridge.geojson
    """
    from awl.io import edit_documents
    from awl.io.whole import write_whole
    from awl.study import ledger, street_edits, what_ifs
    from awl.study.study import Study

    study = Study(study_path)
    scope = ledger.BASE if what_if is None else what_ifs.what_if(study, what_if).id
    if out is not None:
        edits = ledger.edits_of(study.reading, scope)
        write_whole(out, json.dumps(edit_documents.collection(edits)).encode())
        click.echo(f"{out}: {len(edits):,} edits")
        return
    if turn is not None:
        outcome = (street_edits.undo if turn == "undo" else street_edits.redo)(study, scope)
    else:
        outcome = street_edits.edit_streets(study, edit_documents.parsed(_read(file)), scope)
    if as_json:
        told = {"step": outcome.step, "links": outcome.changed_links.tolist()}
        click.echo(json.dumps(told | {"edits": edit_documents.collection(outcome.edits)}))
        return
    verb = {"undo": "taken back", "redo": "done again"}.get(turn or "", "done")
    click.echo(
        f"Step {outcome.step} {verb}: {len(outcome.edits):,} edits, {len(outcome.changed_links):,} links changed."
    )


def _read(file: Path | None) -> object:
    if file is None:
        raise AwlError("There is no file of edits", remedy="Name one, or give --undo, --redo or --save")
    if not file.is_file():
        raise AwlError("There is no such file", where=str(file), remedy="Check the path", kind="no-such-file")
    if file.stat().st_size > MAX_FILE:
        raise AwlError("The file is too large", where=file.name, remedy=f"Give at most {MAX_FILE >> 20} MB")
    try:
        given: object = json.loads(file.read_text("utf-8"))
    except (ValueError, RecursionError) as error:
        raise AwlError(f"It is no JSON ({error})", where=file.name, remedy="Give GeoJSON features") from error
    return given
