"""The sheets of a study: opened, made, copied, taken in from a file, dropped."""

from __future__ import annotations

import sqlite3
from typing import Any

from awl import __version__
from awl.core.errors import AwlError, nearest
from awl.questions.inputs import Json
from awl.sheets.document import Sheet, read_document, sheet_of, written_document
from awl.sheets.fit import Misfit, misfits
from awl.sheets.references import renamed
from awl.study import sheet_records
from awl.study.study import Study, slug

MOST_SHEETS = 100
UNTITLED = "Untitled sheet"


def stored(study: Study, ident: str) -> Sheet:
    """A sheet of a study.

    Raises:
        AwlError: there is none of that id.
    """
    return sheet_of(stored_body(study, ident), f"sheet '{ident}'")


def stored_body(study: Study, ident: str) -> Json:
    """A sheet as it is recorded, with `id`, `changed` and `undo`; the one that every study has is empty where it was never saved.

    Raises:
        AwlError: there is none of that id.
    """
    known = sheet_records.read(study.reading, ident)
    if known is None and ident != sheet_records.FIRST:
        others = [sheet["id"] for sheet in sheet_records.listed(study.reading)]
        raise AwlError(
            f"The study has no sheet '{ident[:80]}'.{nearest(ident, others)}".rstrip("."),
            remedy=f"Sheets are: {', '.join(others) or sheet_records.FIRST}",
            status=404,
            kind="no-such-sheet",
        )
    empty = {"title": UNTITLED, "blocks": [], "blanks": [], "forms": []}
    return {**empty, "id": ident, "undo": 0, "changed": "", **(known or {})}


def summaries(study: Study) -> list[Json]:
    """What a list of sheets says: id, title, questions, forms, and when each was changed."""
    known = sheet_records.listed(study.reading)
    if not any(sheet["id"] == sheet_records.FIRST for sheet in known):
        known.insert(0, stored_body(study, sheet_records.FIRST))
    return [
        {
            "id": sheet["id"],
            "title": sheet.get("title") or UNTITLED,
            "questions": sum(block.get("kind") == "question" for block in sheet["blocks"]),
            "forms": [{"id": form["id"], "title": form["title"]} for form in sheet.get("forms", [])],
            "changed": sheet["changed"],
        }
        for sheet in known
    ]


def save(study: Study, ident: str, sheet: Sheet) -> None:
    """Save a sheet over the one of that id; the former one can be brought back."""
    with study.writing() as connection:
        sheet_records.save(connection, ident, sheet.body())


def make(study: Study, title: str) -> str:
    """A new, empty sheet; returns its id."""
    return _add(study, Sheet(title=title or UNTITLED), {})


def copy(study: Study, ident: str, title: str) -> str:
    """A copy of a sheet under another title, with the answers of its questions; returns its id."""
    sheet, names = _own_names(study, stored(study, ident))
    return _add(study, sheet.model_copy(update={"title": title}), names)


def take_in(study: Study, document: Any, where: str) -> tuple[str, list[Misfit]]:
    """A sheet file as a sheet of the study; returns its id, and what of it does not fit.

    Parameters:
        study: the study.
        document: the parsed JSON of the file.
        where: what the file is called in messages.

    Raises:
        AwlError: it is no sheet file.
    """
    sheet, _ = _own_names(study, read_document(document, where))
    return _add(study, sheet, {}), misfits(study, sheet)


def file_of(study: Study, ident: str) -> Json:
    """A sheet as a sheet file."""
    return written_document(stored(study, ident), study.title, __version__)


def drop(study: Study, ident: str) -> None:
    """Forget a sheet with the answers of its questions.

    Raises:
        AwlError: there is none of that id.
    """
    with study.writing() as connection:
        if not sheet_records.drop(connection, ident):
            stored_body(study, ident)


def form_sheet(study: Study, form: str) -> str:
    """The id of the sheet that a form belongs to.

    Raises:
        AwlError: no sheet has a form of that id.
    """
    known = {entry["id"]: summary["id"] for summary in summaries(study) for entry in summary["forms"]}
    if form not in known:
        raise AwlError(
            f"The study has no form '{form[:80]}'.{nearest(form, known)}".rstrip("."),
            remedy=f"Forms are: {', '.join(known) or 'none; make one at stage Handout'}",
            status=404,
            kind="no-such-form",
        )
    return str(known[form])


def check_forms(study: Study, ident: str, sheet: Sheet) -> None:
    """Raises `AwlError` where a form of a sheet has the address of one of another sheet."""
    others = {entry["id"] for summary in summaries(study) if summary["id"] != ident for entry in summary["forms"]}
    twice = next((form.id for form in sheet.forms if form.id in others), None)
    if twice is not None:
        raise AwlError(
            f"Another sheet has a form '{twice}'", remedy="Give it another address", status=409, inputs=("forms",)
        )


def _own_names(study: Study, sheet: Sheet) -> tuple[Sheet, dict[str, str]]:
    """A sheet with ids of its own for blocks and forms, and those of blocks by the former ones."""
    known = sheet_records.listed(study.reading)
    taken = {block["id"] for other in known for block in other["blocks"]}
    taken |= {ident for (ident,) in study.reading.execute("SELECT question FROM awl_answers")}
    sheet, names = renamed(sheet, taken)
    used = {form["id"] for other in known for form in other.get("forms", [])}
    forms = []
    for form in sheet.forms:
        ident = _free(form.id, used)
        used.add(ident)
        forms.append(form.model_copy(update={"id": ident}))
    return sheet.model_copy(update={"forms": forms}), names


def _add(study: Study, sheet: Sheet, answers: dict[str, str]) -> str:
    with study.writing() as connection:
        known = _ids(connection)
        if len(known) >= MOST_SHEETS:
            raise AwlError(f"A study holds {MOST_SHEETS} sheets", remedy="Remove one first", status=409)
        ident = _free(slug(sheet.title) or "sheet", {*known, sheet_records.FIRST})
        sheet_records.save(connection, ident, sheet.body())
        sheet_records.copy_answers(connection, answers)
    return ident


def _ids(connection: sqlite3.Connection) -> list[str]:
    return [str(sheet["id"]) for sheet in sheet_records.listed(connection)]


def _free(wanted: str, used: set[str]) -> str:
    """A name that is not used: the one wanted, or with a number."""
    return next(
        name for n in range(1, len(used) + 2) if (name := wanted[:36] if n == 1 else f"{wanted[:36]}_{n}") not in used
    )
