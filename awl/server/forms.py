"""Forms for colleagues over HTTP: the page, its runs, what they show and give away: what its author chose, and nothing else."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from flask import Blueprint, Response, current_app, request

from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.handout.answer_block import answer_block, shown_day
from awl.handout.answers import document_content
from awl.handout.content import SheetContent
from awl.handout.paper import MapOptions
from awl.questions.files import kept_bytes
from awl.questions.inputs import Json
from awl.questions.kept_answers import KeptAnswer
from awl.server.pages import page, wants_page
from awl.server.tiles import base_tile
from awl.server.tokens import Tokens
from awl.server.web import base_of, body, done, download, jobs, known_parameters, named_file, reply, started, study_of
from awl.server.workroom import File, Workroom, task
from awl.sheets import shelf
from awl.sheets.document import Form, Sheet, Shown
from awl.sheets.filling import filled
from awl.sheets.fit import Misfit, misfits
from awl.sheets.forms import FormField, form_sentences, run_form
from awl.shipped import front_end
from awl.study.importing import street_bounds
from awl.study.study import Study

api = Blueprint("forms", __name__)
PROCESS = "form"
MOST_BYTES = 1 << 20
MAP_MM, MAP_DPI = (176.0, 104.0), 170
MOST_ROWS = 12


@api.get("/studies/<study_id>/forms")
def listed(study_id: str) -> Response:
    """All forms of a study with their addresses."""
    base = base_of(study_id)
    forms = [
        {**form, "sheet": sheet["id"], "href": f"{base}/forms/{form['id']}{_key(study_id, form['id'])}"}
        for sheet in shelf.summaries(study_of(study_id))
        for form in sheet["forms"]
    ]
    return reply({"forms": forms})


def _key(study_id: str, form_id: str) -> str:
    """What opens a form to whoever has its address, and nothing else; empty on a server without tokens."""
    tokens: Tokens | None = current_app.extensions["awl-tokens"]
    return "" if tokens is None else f"?token={tokens.of_form(study_id, form_id)}"


@api.get("/studies/<study_id>/forms/<form_id>")
def form_page(study_id: str, form_id: str) -> Response:
    """A form: a page for people, its blanks as JSON for programs; `run` names a run whose answer the page begins with."""
    known_parameters("run")
    study, sheet, form = _form(study_id, form_id)
    unfit = _unfit(study, sheet, form)
    sentences = [] if unfit else form_sentences(form, sheet, study)
    if not wants_page():
        fields = [piece for one in sentences for piece in (*one.pieces, *one.rest) if isinstance(piece, FormField)]
        given = {"id": form.id, "title": form.title, "text": form.text, "author": form.author, "assumes": form.assumes}
        blanks = [asdict(field) for field in fields]
        return reply({**given, "blanks": blanks, "unfit": [misfit.json() for misfit in unfit]})
    changed = shelf.stored_body(study, shelf.form_sheet(study, form_id))["changed"]
    shown = page(
        "form.html",
        form=form,
        sentences=sentences,
        unfit=[misfit.text for misfit in unfit],
        study=study_id,
        study_title=study.title,
        changed=shown_day(changed) if changed else "",
        revision=study.revision,
        bounds=street_bounds(study),
        assets=_assets(),
    )
    # The stage that makes forms shows them as they are.
    shown.headers["Content-Security-Policy"] = (
        "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; connect-src 'self';"
        " frame-ancestors 'self'; base-uri 'none'; form-action 'none'"
    )
    return shown


def _assets() -> str:
    """What tells one build of the page's script and style from another."""
    script = front_end() / "assets" / "form.js"
    if not script.is_file():
        raise AwlError("The front end is not built", remedy="Run 'make setup'", status=503)
    return f"{script.stat().st_mtime_ns:x}"


def _form(study_id: str, form_id: str) -> tuple[Study, Sheet, Form]:
    study = study_of(study_id)
    sheet = shelf.stored(study, shelf.form_sheet(study, form_id))
    return study, sheet, sheet.form(form_id)


def _unfit(study: Study, sheet: Sheet, form: Form) -> list[Misfit]:
    """What keeps a form from being filled in: of itself, of its blanks, and of the questions it shows."""
    shows = {shown.question for shown in form.shows}
    return [
        misfit
        for misfit in misfits(study, sheet)
        if misfit.form == form.id or misfit.blank in form.asks or misfit.block in shows
    ]


@api.get("/studies/<study_id>/forms/tiles/<int(max=30):z>/<int(max=1073741823):y>/<int(max=1073741823):x>")
def tile(study_id: str, z: int, y: int, x: int) -> Response:
    """A tile of the base map with all its layers, small enough for a form."""
    known_parameters("v")
    study = study_of(study_id)
    response = Response(base_tile(study, z, y, x), content_type="application/vnd.mapbox-vector-tile")
    response.headers["Cache-Control"] = "max-age=86400"
    return response


@api.post("/studies/<study_id>/forms/<form_id>/runs")
def run(study_id: str, form_id: str) -> Response:
    """Answer a form with `values` by the names of its blanks, as a job; faulty values are refused at once."""
    study, sheet, form = _form(study_id, form_id)
    values = body(MOST_BYTES).get("values", {})
    if not isinstance(values, dict):
        raise AwlError("'values' is not a JSON object", remedy='Send {"values": {...}}', inputs=("values",))
    unfit = _unfit(study, sheet, form)
    if unfit:
        raise AwlError(f"The form no longer fits: {unfit[0].text}", status=409, kind="does-not-fit")
    filled(sheet, values, study, form.asks)
    work = task(answered, study_id=study_id, sheet=sheet, form=form, values=values)
    job = jobs().start(PROCESS, study_id, work, form_id)
    return started(job, f"{base_of(study_id)}/forms/{form_id}/runs/{job.id}")


def answered(room: Workroom, progress: Progress, study_id: str, sheet: Sheet, form: Form, values: Json) -> Json:
    """Answer a form: the work of a job."""
    return run_form(room.studies.study(study_id), sheet, form, values, progress, room.studies.study)


def _run(study_id: str, form_id: str, run_id: str) -> Json:
    """What a run gave."""
    job = jobs().get(run_id, study_id)
    if job.process != PROCESS or job.question != form_id:
        raise AwlError(
            f"The form has no run '{run_id[:80]}'", remedy="Fill it in again", status=404, kind="no-such-job"
        )
    result: Json = job.result_json()
    return result


def _content(study: Study, sheet: Sheet, outcome: Json, ident: str) -> SheetContent:
    answer, block = outcome["answers"][ident], sheet.question(ident)
    kept = KeptAnswer(
        ident, answer["process"], answer["inputs"], outcome["made"], outcome["revision"], answer["document"]
    )
    return document_content(study, kept, {} if block is None else block.model_dump(exclude_none=True))


@api.get("/studies/<study_id>/forms/<form_id>/runs/<run_id>")
def outcome_page(study_id: str, form_id: str, run_id: str) -> Response:
    """What a run gave, as the part of a page that shows it; for programs its key figures and tables."""
    known_parameters()
    study, sheet, form = _form(study_id, form_id)
    outcome = _run(study_id, form_id, run_id)
    shows = [shown for shown in form.shows if shown.question in outcome["answers"]]
    if not wants_page():
        return reply({"made": outcome["made"], "answers": {shown.question: _given(outcome, shown) for shown in shows}})
    contents = {shown.question: _content(study, sheet, outcome, shown.question) for shown in shows}
    blocks = [
        {
            **answer_block(contents[shown.question], shown.tables, MOST_ROWS, charts=False),
            "id": shown.question,
            "shown": shown,
            "drawn": shown.map and bool(contents[shown.question].view.map.layers) and not study.graph.drawn,
            "others": [part for part in shown.tables if part in outcome["answers"][shown.question]["document"]],
        }
        for shown in shows
    ]
    return page(
        "form_outcome.html", form=form, blocks=blocks, base=f"/studies/{study_id}/forms/{form_id}/runs/{run_id}"
    )


def _given(outcome: Json, shown: Shown) -> Json:
    document = outcome["answers"][shown.question]["document"]
    figures = document["figures"] if shown.figures else []
    return {
        "figures": figures,
        "doubts": document["doubts"],
        **{part: document[part] for part in shown.tables if part in document},
    }


@api.get("/studies/<study_id>/forms/<form_id>/runs/<run_id>/<question_id>/map")
def outcome_map(study_id: str, form_id: str, run_id: str, question_id: str) -> Response:
    """The map of an answer: a picture for the page, or a map sheet in a format that the form gives away."""
    known_parameters("format")
    study, sheet, form = _form(study_id, form_id)
    shown, outcome = _shown(form, question_id), _run(study_id, form_id, run_id)
    ending = request.args.get("format", "")
    if ending not in shown.maps and (ending or not shown.map):
        raise _not_given(ending, shown.maps)
    work = task(
        drawn, study_id=study.id, sheet=sheet, outcome=outcome, question_id=question_id, name=f"{form_id}-map.{ending}"
    )
    return done("map", study_id, work, form_id, is_brief=True)


def drawn(
    room: Workroom, progress: Progress, study_id: str, sheet: Sheet, outcome: Json, question_id: str, name: str
) -> File:
    """Draw the map of an answer as a file of that name, or as a picture for the page: the work of a request."""
    study, ending = room.studies.study(study_id), name.rpartition(".")[2]
    content = _content(study, sheet, outcome, question_id)
    from awl.handout.map_sheet import draw_map_picture, draw_map_sheet  # as in `maps`

    if not ending:
        return File(draw_map_picture(study, content, MAP_MM, MAP_DPI), "image/png")
    return named_file(draw_map_sheet(study, content, MapOptions.model_validate({}), ending), name)


@api.get("/studies/<study_id>/forms/<form_id>/runs/<run_id>/<question_id>/tables/<part>")
def outcome_table(study_id: str, form_id: str, run_id: str, question_id: str, part: str) -> Response:
    """A table of an answer in a format that the form gives away."""
    known_parameters("format")
    _, _, form = _form(study_id, form_id)
    shown, outcome = _shown(form, question_id), _run(study_id, form_id, run_id)
    ending = request.args.get("format", "xlsx")
    if part not in shown.tables or ending not in shown.files:
        raise _not_given(f"{part} as {ending}", [f"{one} as {what}" for one in shown.tables for what in shown.files])
    data = kept_bytes(outcome["answers"][question_id]["document"], part, ending, "format")
    return download(data, f"{form_id}-{part}.{ending}")


def _shown(form: Form, question_id: str) -> Shown:
    shown = next((one for one in form.shows if one.question == question_id), None)
    if shown is None:
        raise AwlError("The form does not show that question", remedy="See what it shows", status=404, kind="not-given")
    return shown


def _not_given(what: str, known: list[Any]) -> AwlError:
    remedy = f"It gives {', '.join(known)}" if known else "Ask its author"
    return AwlError(f"The form does not give away {what[:80]}", remedy=remedy, status=404, kind="not-given")
