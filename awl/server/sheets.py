"""The sheets of a study over HTTP: saved over a version, undone, made, copied, exported, taken in. Awl's own routes."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response
from pydantic import BaseModel, ConfigDict, Field

from awl.core.errors import AwlError
from awl.server.web import body, check_version, checked, reply, study_of
from awl.sheets import shelf
from awl.sheets.document import MOST_BYTES, sheet_of
from awl.sheets.fit import Misfit, misfits
from awl.study import sheet_records
from awl.study.study import Study

api = Blueprint("sheets", __name__)


class NewSheet(BaseModel):
    """A sheet that is to be made: empty, a copy of another one, or from a sheet file."""

    model_config = ConfigDict(extra="forbid")

    title: str = Field(default="", max_length=300)
    copy_of: str | None = None
    document: dict[str, Any] | None = None


@api.get("/studies/<study_id>/sheets")
def listed(study_id: str) -> Response:
    """All sheets with their titles."""
    return reply({"sheets": shelf.summaries(study_of(study_id))})


@api.post("/studies/<study_id>/sheets")
def make(study_id: str) -> Response:
    """Make a sheet; says what of a sheet file does not fit the study."""
    study, wanted = study_of(study_id), checked(NewSheet, body(MOST_BYTES))
    unfit: list[Misfit] = []
    if wanted.document is not None:
        ident, unfit = shelf.take_in(study, wanted.document, "the sheet file")
    elif wanted.copy_of is not None:
        ident = shelf.copy(study, wanted.copy_of, wanted.title or f"{shelf.stored(study, wanted.copy_of).title}, copy")
    else:
        ident = shelf.make(study, wanted.title)
    return reply({"id": ident, "unfit": [misfit.json() for misfit in unfit]}, 201)


def _reply(study: Study, ident: str) -> Response:
    document = shelf.stored_body(study, ident)
    return reply(document, ETag=f'"{document["changed"]}"')


@api.get("/studies/<study_id>/sheets/<sheet_id>")
def sheet(study_id: str, sheet_id: str) -> Response:
    """A sheet, and its version as entity tag."""
    return _reply(study_of(study_id), sheet_id)


@api.put("/studies/<study_id>/sheets/<sheet_id>")
def save(study_id: str, sheet_id: str) -> Response:
    """Save a sheet; the former one can be brought back. With `If-Match` only over the version it names."""
    study = study_of(study_id)
    wanted = sheet_of(body(MOST_BYTES))
    former = shelf.stored_body(study, sheet_id)
    if [form.id for form in wanted.forms] != [form["id"] for form in former["forms"]]:
        shelf.check_forms(study, sheet_id, wanted)
    with study.writing() as connection:
        check_version(shelf.stored_body(study, sheet_id)["changed"], "sheet")
        sheet_records.save(connection, sheet_id, wanted.body())
    return _reply(study, sheet_id)


@api.post("/studies/<study_id>/sheets/<sheet_id>/undo")
def undo(study_id: str, sheet_id: str) -> Response:
    """Bring back the former sheet."""
    study = study_of(study_id)
    body()
    with study.writing() as connection:
        check_version(shelf.stored_body(study, sheet_id)["changed"], "sheet")
        if not sheet_records.undo(connection, sheet_id):
            raise AwlError("There is nothing to undo", status=409, kind="nothing-to-undo")
    return _reply(study, sheet_id)


@api.delete("/studies/<study_id>/sheets/<sheet_id>")
def drop(study_id: str, sheet_id: str) -> Response:
    """Remove a sheet with the answers of its questions."""
    shelf.drop(study_of(study_id), sheet_id)
    return reply({})


@api.get("/studies/<study_id>/sheets/<sheet_id>/file")
def sheet_file(study_id: str, sheet_id: str) -> Response:
    """A sheet as a sheet file, to be given away."""
    document = shelf.file_of(study_of(study_id), sheet_id)
    return reply(document, Content_Disposition=f'attachment; filename="{study_id}-{sheet_id}.sheet.json"')


@api.get("/studies/<study_id>/sheets/<sheet_id>/fit")
def fit(study_id: str, sheet_id: str) -> Response:
    """What of a sheet does not fit the study as it is now."""
    study = study_of(study_id)
    return reply({"unfit": [misfit.json() for misfit in misfits(study, shelf.stored(study, sheet_id))]})
