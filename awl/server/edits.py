"""Edits of a study's streets, what-ifs, and mending what the health check found. Awl's own routes."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from flask import Blueprint, Response, request
from pydantic import BaseModel, ConfigDict, Field

from awl.core.errors import AwlError
from awl.core.graph.edits.edit import KINDS
from awl.core.progress import Progress
from awl.io import edit_documents, geojson, osm_change
from awl.io.table import Table
from awl.questions.inputs import Json
from awl.server.uploads import discard, file_name, received_file, staged_file
from awl.server.web import (
    body,
    check_version,
    checked,
    done,
    expected_version,
    known_parameters,
    named_file,
    reply,
    study_of,
)
from awl.server.workroom import JSON, File, Workroom, task
from awl.study import change_files, editing, ledger, mending, street_edits, what_ifs
from awl.study.ledger import BASE
from awl.study.study import Study

api = Blueprint("edits", __name__)


class EditsBody(BaseModel):
    """Edits to apply as one step: GeoJSON features, and the what-if they belong to. `where` names links by CQL2."""

    model_config = ConfigDict(extra="forbid")
    what_if: str | None = None
    edits: Any
    where: str | None = Field(None, max_length=4000)


class TurnBody(BaseModel):
    """Which ledger a step is taken back in, or done again."""

    model_config = ConfigDict(extra="forbid")
    what_if: str | None = None


class MendBody(BaseModel):
    """Which findings are mended, and how; `preview` changes nothing."""

    model_config = ConfigDict(extra="forbid")
    kind: str
    numbers: list[int] | None = Field(None, max_length=100_000)
    fix: str | None = Field(None, max_length=200)
    what_if: str | None = None
    preview: bool = False


class TitleBody(BaseModel):
    """A title."""

    model_config = ConfigDict(extra="forbid")
    title: str = Field(min_length=1, max_length=120)


def _expected(study: Study, what_if: str) -> str | None:
    """The version a client has seen; raises where another one holds by now."""
    check_version(ledger.version(study.reading, what_if), "street ledger")
    return expected_version()


def _scope(study: Study, what_if: str | None) -> str:
    return BASE if not what_if else what_ifs.what_if(study, what_if).id


def _outcome_file(study: Study, outcome: street_edits.Outcome, what_if: str, **more: Any) -> File:
    document = {
        "step": outcome.step,
        "links": outcome.changed_links.tolist(),
        "edits": edit_documents.collection(outcome.edits),
        "revision": study.revision,
        "version": what_ifs.version(study, what_if) if what_if else "",
        **more,
    }
    return File(geojson.dumps(document), JSON, {"ETag": f'"{ledger.version(study.reading, what_if)}"'})


def _outcome_reply(study: Study, outcome: street_edits.Outcome, what_if: str) -> Response:
    file = _outcome_file(study, outcome, what_if)
    return Response(file.data, mimetype=file.media, headers=file.headers)


@api.get("/studies/<study_id>/edits")
def listed(study_id: str) -> Response:
    """The ledger of the streets, or of a what-if: every step with its edits; the version as entity tag."""
    known_parameters("what_if")
    study = study_of(study_id)
    what_if = _scope(study, request.args.get("what_if"))
    steps = ledger.steps(study.reading, what_if)
    document = {
        "steps": [
            {
                "step": step.number,
                "made": step.made,
                "undone": step.undone,
                "misfits": list(step.misfits),
                "edits": edit_documents.collection(step.edits),
            }
            for step in steps
        ],
        "undo": sum(not step.undone for step in steps),
        "redo": sum(step.undone for step in steps),
        "kinds": KINDS,
    }
    return reply(document, ETag=f'"{ledger.version(study.reading, what_if)}"')


@api.get("/studies/<study_id>/edits.geojson")
def exported(study_id: str) -> Response:
    """The edits that hold, as GeoJSON that another study of the same streets takes."""
    known_parameters("what_if")
    study = study_of(study_id)
    what_if = _scope(study, request.args.get("what_if"))
    edits = edit_documents.collection(ledger.edits_of(study.reading, what_if))
    name = f"{study_id}{'-' + what_if if what_if else ''}.edits.geojson"
    return reply(edits, media="application/geo+json", Content_Disposition=f'attachment; filename="{name}"')


@api.get("/studies/<study_id>/edits.osc")
def exported_change(study_id: str) -> Response:
    """The edits that hold as an OSM change file; `extract` is the token of the waiting extract the streets were built from."""
    known_parameters("what_if", "extract")
    study = study_of(study_id)
    what_if, token = _scope(study, request.args.get("what_if")), request.args.get("extract")
    extract = staged_file(token) if token else None
    return done("export", study_id, task(change_file, study_id=study_id, what_if=what_if, extract=extract))


def change_file(room: Workroom, progress: Progress, study_id: str, what_if: str, extract: Path | None) -> File:
    """Write the edits that hold as an OSM change file: the work of a request."""
    change = change_files.as_change(room.studies.study(study_id), what_if, extract, progress)
    return named_file(osm_change.dumps(change), f"{study_id}{'-' + what_if if what_if else ''}.osc")


@api.post("/studies/<study_id>/edits/osm-change")
def apply_change(study_id: str) -> Response:
    """Apply the OSM change file in the request body as one step; what does not fit is told."""
    known_parameters("name", "what_if", "extract")
    study, name = study_of(study_id), file_name()
    what_if, token = _scope(study, request.args.get("what_if")), request.args.get("extract")
    extract, expected = staged_file(token) if token else None, _expected(study, what_if)
    file = received_file(name)
    work = task(change_applied, study_id=study_id, file=file, what_if=what_if, extract=extract, expected=expected)
    return done("edit", study_id, work, then=lambda _: discard(file))


def change_applied(
    room: Workroom, progress: Progress, study_id: str, file: Path, what_if: str, extract: Path | None,
    expected: str | None,
) -> Json | File:  # fmt: skip
    """Apply an OSM change file: the work of a request."""
    study = room.studies.study(study_id)
    taken = change_files.take_in(study, file, what_if, extract, expected, progress)
    extra = {"misfits": list(taken.misfits), "passed_over": taken.passed_over}
    if taken.outcome is None:
        nothing: Json = {"step": None, "links": [], "edits": edit_documents.collection([])}
        return {**nothing, "revision": study.revision, "version": "", **extra}
    return _outcome_file(study, taken.outcome, what_if, **extra)


@api.post("/studies/<study_id>/edits")
def apply(study_id: str) -> Response:
    """Apply edits as one step, all or none."""
    study, wanted = study_of(study_id), checked(EditsBody, body())
    what_if = _scope(study, wanted.what_if)
    given = wanted.edits
    if wanted.where is not None:
        variant = study if what_if == BASE else what_ifs.variant(study, [what_if])
        fids = editing.select(variant, "streets", editing.Selection(wanted.where))
        if not fids:
            raise AwlError("No street meets the condition", inputs=("where",), kind="nothing-selected")
        given = [_with_links(feature, fids) for feature in (given if isinstance(given, list) else [given])]
    outcome = street_edits.edit_streets(study, edit_documents.parsed(given), what_if, _expected(study, what_if))
    return _outcome_reply(study, outcome, what_if)


def _with_links(feature: Any, fids: list[int]) -> Any:
    if not isinstance(feature, dict) or not isinstance(feature.get("properties"), dict):
        raise AwlError("An edit is a GeoJSON feature", inputs=("edits",), kind="bad-edit")
    return {**feature, "properties": {**feature["properties"], "links": fids}}


@api.post("/studies/<study_id>/edits/undo")
def undo(study_id: str) -> Response:
    """Take the last step back."""
    return _turned(study_id, street_edits.undo)


@api.post("/studies/<study_id>/edits/redo")
def redo(study_id: str) -> Response:
    """Do the step that was taken back last again."""
    return _turned(study_id, street_edits.redo)


def _turned(study_id: str, turn: Callable[[Study, str, str | None], street_edits.Outcome]) -> Response:
    study, wanted = study_of(study_id), checked(TurnBody, body())
    what_if = _scope(study, wanted.what_if)
    return _outcome_reply(study, turn(study, what_if, _expected(study, what_if)), what_if)


@api.post("/studies/<study_id>/check/mend")
def mend(study_id: str) -> Response:
    """Mend findings of the health check, or tell what that would change."""
    study, wanted = study_of(study_id), checked(MendBody, body())
    what_if = _scope(study, wanted.what_if)
    if wanted.preview:
        return done("check", study_id, task(mending_planned, study_id=study_id, wanted=wanted), is_brief=True)
    expected = _expected(study, what_if)
    work = task(mended, study_id=study_id, wanted=wanted, what_if=what_if, expected=expected)
    return done("edit", study_id, work, is_brief=True)


def mending_planned(room: Workroom, progress: Progress, study_id: str, wanted: MendBody) -> Json:
    """What mending would change: the work of a request."""
    plan = mending.planned(room.studies.study(study_id), wanted.kind, wanted.numbers, wanted.fix)
    ghosts = geojson.collection(Table(plan.lines, {}))
    return {"findings": plan.findings, "unmended": plan.unmended, "lines": ghosts}


def mended(
    room: Workroom, progress: Progress, study_id: str, wanted: MendBody, what_if: str, expected: str | None
) -> File:
    """Mend findings of the health check: the work of a request."""
    study = room.studies.study(study_id)
    plan, outcome = mending.mend(study, wanted.kind, wanted.numbers, wanted.fix, what_if, expected)
    return _outcome_file(study, outcome, what_if, findings=plan.findings, unmended=plan.unmended)


# -- what-ifs -------------------------------------------------------------------------------------------------------------


def _document(study: Study, idea: what_ifs.WhatIf) -> dict[str, Any]:
    steps = ledger.steps(study.reading, idea.id)
    return {
        **idea.document(),
        "edits": sum(len(step.edits) for step in steps if not step.undone),
        "undo": sum(not step.undone for step in steps),
        "redo": sum(step.undone for step in steps),
    }


def _reply(study: Study, idea: what_ifs.WhatIf, status: int = 200) -> Response:
    return reply(_document(study, idea), status, ETag=f'"{what_ifs.version(study, idea.id)}"')


@api.get("/studies/<study_id>/what-ifs")
def all_what_ifs(study_id: str) -> Response:
    """All what-ifs of a study."""
    study = study_of(study_id)
    return reply({"what_ifs": [_document(study, idea) for idea in what_ifs.listed(study.reading)]})


@api.post("/studies/<study_id>/what-ifs")
def new_what_if(study_id: str) -> Response:
    """Make a what-if."""
    study = study_of(study_id)
    return _reply(study, what_ifs.save(study, body()), 201)


@api.get("/studies/<study_id>/what-ifs/<what_if_id>")
def one_what_if(study_id: str, what_if_id: str) -> Response:
    """A what-if, and its version as entity tag."""
    study = study_of(study_id)
    return _reply(study, what_ifs.what_if(study, what_if_id))


@api.get("/studies/<study_id>/what-ifs/<what_if_id>/changes")
def changes(study_id: str, what_if_id: str) -> Response:
    """The streets a what-if puts in, changes and takes out, as lines: the property `change` is new, changed or gone."""
    known_parameters()
    before, after = what_ifs.changes(study_of(study_id), what_if_id)
    old, new = {link.id for link in before}, {link.id for link in after}
    lines = [
        *((link, "changed" if link.id in old else "new") for link in after),
        *((link, "gone") for link in before if link.id not in new),
    ]
    features = [
        {
            "type": "Feature",
            "geometry": {"type": "LineString", "coordinates": link.line},
            "properties": {"change": change, "link_id": link.id, "name": link.tags.get("name")},
        }
        for link, change in lines
    ]
    return reply({"type": "FeatureCollection", "features": features})


@api.put("/studies/<study_id>/what-ifs/<what_if_id>")
def change_what_if(study_id: str, what_if_id: str) -> Response:
    """Put another state in its place."""
    study = study_of(study_id)
    idea = what_ifs.what_if(study, what_if_id)
    check_version(what_ifs.version(study, idea.id), "what-if")
    return _reply(study, what_ifs.save(study, body(), idea.id))


@api.delete("/studies/<study_id>/what-ifs/<what_if_id>")
def drop_what_if(study_id: str, what_if_id: str) -> Response:
    """Drop a what-if with its edits."""
    study = study_of(study_id)
    idea = what_ifs.what_if(study, what_if_id)
    check_version(what_ifs.version(study, idea.id), "what-if")
    what_ifs.drop(study, idea.id)
    return reply({"id": idea.id})


@api.post("/studies/<study_id>/what-ifs/<what_if_id>/copy")
def copy_what_if(study_id: str, what_if_id: str) -> Response:
    """Copy a what-if under another title."""
    study = study_of(study_id)
    return _reply(study, what_ifs.copy(study, what_if_id, checked(TitleBody, body()).title), 201)


@api.post("/studies/<study_id>/what-ifs/<what_if_id>/merge")
def merge_what_if(study_id: str, what_if_id: str) -> Response:
    """Make its edits edits of the streets; the what-if goes."""
    study = study_of(study_id)
    body()
    idea = what_ifs.what_if(study, what_if_id)
    check_version(what_ifs.version(study, idea.id), "what-if")
    return _outcome_reply(study, street_edits.merge(study, idea.id), BASE)
