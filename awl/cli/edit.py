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
@click.option("--save", "out", type=PATH, help="Write the edits that hold to a file instead: GeoJSON, or .osc.")
@click.option("--extract", type=PATH, help="The extract the streets were built from, for OSM change files (.osc).")
@json_option
def command(
    study_path: Path,
    file: Path | None,
    what_if: str | None,
    turn: str | None,
    out: Path | None,
    extract: Path | None,
    as_json: bool,
) -> None:
    """Apply the edits of a GeoJSON file as one step: all of them, or none. Of an OSM change file (.osc) what fits is done.

    A feature is an edit: its property 'edit' says which kind, 'links' and 'node' what it concerns, 'tags' attributes, its
    geometry where. docs/edits.md lists the kinds, and what an OSM change file can say.

    Example: awl edit --study ferrow.gpkg --what-if "New bridge" bridge.geojson
    """
    from awl.io import edit_documents, osm_change
    from awl.io.whole import write_whole
    from awl.study import change_files, ledger, street_edits, what_ifs
    from awl.study.study import Study

    study = Study(study_path)
    scope = ledger.BASE if what_if is None else what_ifs.what_if(study, what_if).id
    if out is not None and osm_change.is_change(out.name):
        change = change_files.as_change(study, scope, extract)
        write_whole(out, osm_change.packed(change, out.name))
        count = len(change.create) + len(change.modify) + len(change.delete)
        click.echo("\n".join([f"{out}: {count:,} elements", *change.notes]))
        return
    if out is not None:
        edits = ledger.edits_of(study.reading, scope)
        write_whole(out, json.dumps(edit_documents.collection(edits)).encode())
        click.echo(f"{out}: {len(edits):,} edits")
        return
    if turn is not None:
        outcome = (street_edits.undo if turn == "undo" else street_edits.redo)(study, scope)
    elif file is not None and osm_change.is_change(file.name):
        taken = change_files.take_in(study, file, scope, extract)
        for misfit in taken.misfits:
            click.echo(f"Does not fit: {misfit}", err=True)
        if taken.outcome is None:
            raise AwlError("Nothing of the change file fits", where=file.name, remedy="Give --extract if it is at hand")
        outcome = taken.outcome
    else:
        outcome = street_edits.edit_streets(study, edit_documents.parsed(_read(file)), scope)
    if as_json:
        document = {"step": outcome.step, "links": outcome.changed_links.tolist()}
        click.echo(json.dumps(document | {"edits": edit_documents.collection(outcome.edits)}))
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
