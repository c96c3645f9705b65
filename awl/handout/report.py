"""A report: the sheet of a study as one HTML file that opens offline, prints well, and is compared with an earlier one."""

from __future__ import annotations

import base64
import html
import json
import re
from collections.abc import Collection
from dataclasses import dataclass
from datetime import UTC, datetime

import jinja2
from markupsafe import Markup

from awl import __version__
from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.handout.answer_block import answer_block, shown_day, shown_value
from awl.handout.answers import fresh_content, kept_content
from awl.handout.content import SheetContent
from awl.handout.letters import ITALIC, MEDIUM, SANS, SEMIBOLD, SERIF, TITLE, path_of
from awl.handout.map_sheet import draw_map_picture
from awl.questions import QUESTIONS
from awl.questions.inputs import Json
from awl.questions.kept_answers import is_current
from awl.questions.run import ask
from awl.sheets.shelf import stored_body
from awl.study import records, what_ifs
from awl.study.study import Study

MAP_MM, MAP_DPI = (176.0, 104.0), 150
MOST_TABLES = 3
RECORD = re.compile(r'<script type="application/json" id="awl-report">(.*?)</script>', re.S)
MOST_BYTES = 200 << 20


@dataclass(frozen=True)
class Asked:
    """A question of the sheet with its answer, or why it has none."""

    number: int
    block: Json
    content: SheetContent | None
    fault: str = ""


def report_html(
    study: Study,
    sheet: str = "main",
    without: Collection[str] = (),
    since: str | None = None,
    progress: Progress | None = None,
) -> str:
    """The report of a sheet; questions whose kept answer is stale are asked again.

    Parameters:
        study: the study.
        sheet: the sheet.
        without: ids of blocks that are left out.
        since: the text of an earlier report, with which key figures are compared.
        progress: is told how far the work is, and stops it.

    Raises:
        AwlError: there is no such sheet or block, or `since` is no report.
    """
    progress = progress or Progress()
    stored = stored_body(study, sheet)
    blocks: list[Json] = stored["blocks"]
    unknown = sorted(set(without) - {block["id"] for block in blocks})
    if unknown:
        raise AwlError(
            f"The sheet has no block '{unknown[0]}'", remedy=f"Blocks are: {', '.join(block['id'] for block in blocks)}",
            inputs=("without",),
        )  # fmt: skip
    former = None if since is None else record_of(since)
    questions = [block for block in blocks if block.get("kind") == "question"]
    shown: list[Json] = []
    asked: list[Asked] = []
    for block in blocks:
        if block.get("kind") != "question":
            if block["id"] not in without:
                shown.append({"kind": block["kind"], "text": block.get("text", "")})
            continue
        number = questions.index(block) + 1
        if block["id"] in without:
            continue
        progress.step(0.95 * (number - 1) / len(questions), f"Question {number}")
        one = _asked(study, number, block, progress)
        asked.append(one)
        shown.append(_block(study, one))
    record = _record(study, asked)
    fonts = [
        (name, base64.b64encode(path_of(name).read_bytes()).decode())
        for name in (SANS, MEDIUM, SEMIBOLD, SERIF, TITLE, ITALIC)
    ]
    progress.step(0.97, "Writing")
    return _template().render(
        title=stored.get("title") or "Untitled sheet",
        study=study.fact("title") or study.path.stem,
        date=shown_day(records.now()),
        version=__version__,
        fonts=fonts,
        changes=None if former is None else _changes(former, record),
        blocks=shown,
        versions=_versions(study),
        # No text of a sheet ends the element that holds it.
        record=Markup(json.dumps(record, ensure_ascii=False).replace("<", "\\u003c")),
    )


def _template() -> jinja2.Template:
    loader = jinja2.PackageLoader("awl.handout")
    return jinja2.Environment(loader=loader, autoescape=True, trim_blocks=True).get_template("report.html")


def _asked(study: Study, number: int, block: Json, progress: Progress) -> Asked:
    """The kept answer where it is current, else a new one."""
    kept = records.answer(study.reading, block["id"])
    try:
        current = (
            kept is not None
            and kept["inputs"] == block["inputs"]
            and "view" in kept["result"]
            and is_current(study, kept)
        )
        if current:
            return Asked(number, block, kept_content(study, block["id"]))
        answer = ask(study, block["process"], block["inputs"], progress.part(0, 1))
        return Asked(number, block, fresh_content(study, block["process"], block["inputs"], answer))
    except AwlError as error:
        return Asked(number, block, None, f"It cannot be answered: {error.detail}")


def _block(study: Study, one: Asked) -> Json:
    block, content = one.block, one.content
    head = {"kind": "question", "number": one.number, "name": block.get("title", "")}
    if content is None:
        process = QUESTIONS.get(block["process"])
        return {**head, "asked": process.title if process else block["process"], "fault": one.fault}
    shown = answer_block(content, [table.part for table in content.view.tables[:MOST_TABLES]])
    drawn = bool(content.view.map.layers) and not study.graph.drawn
    picture = base64.b64encode(draw_map_picture(study, content, MAP_MM, MAP_DPI)).decode() if drawn else None
    return {**head, **shown, "map": picture}


def _versions(study: Study) -> list[str]:
    """What the report rests on: streets, layers, timetables, modes of one's own, what-ifs, program."""
    build = study.fact("build") or {}
    lines = [
        f"Streets: {build.get('source', 'unknown')}, built {shown_day(build['built'])}"
        if build.get("built")
        else "Streets: none"
    ]
    lines += [
        f"{entry['title']}: {entry['source']}, {shown_day(entry['added'])}"
        for entry in study.layers()
        if entry["role"] not in ("base", "answer", "streets", "nodes", "restrictions")
    ]
    lines += [f"Mode {mode.title}: changed {shown_day(changed)}" for mode, changed in study.modes().values() if changed]
    lines += [f"What-if: {idea.title}" for idea in what_ifs.listed(study.reading)]
    return [*lines, f"Awl {__version__}"]


# -- an earlier report -----------------------------------------------------------------------------------------------------


def _record(study: Study, asked: list[Asked]) -> Json:
    """What a later report compares itself with."""
    return {
        "awl_report": 1,
        "made": datetime.now(UTC).isoformat(timespec="seconds"),
        "version": __version__,
        "streets": (study.fact("build") or {}).get("source", ""),
        "questions": [
            {
                "id": one.block["id"],
                "number": one.number,
                "inputs": records.canonical(one.block["inputs"]),
                "figures": [
                    {"label": figure.label, "unit": figure.unit, "value": figure.value}
                    for figure in one.content.view.figures
                ],
            }
            for one in asked
            if one.content is not None
        ],
    }


def record_of(text: str) -> Json:
    """The record that a report holds.

    Raises:
        AwlError: the text is no report of Awl.
    """
    match = RECORD.search(text) if len(text) <= MOST_BYTES else None
    try:
        record = json.loads(html.unescape(match[1])) if match else None
    except ValueError:
        record = None
    if not isinstance(record, dict) or record.get("awl_report") != 1 or not isinstance(record.get("questions"), list):
        raise AwlError(
            "The earlier report is none that Awl can read",
            remedy="Give an HTML file that 'awl report' wrote",
            inputs=("since",),
        )
    return record


def _changes(former: Json, record: Json) -> Json:
    """Key figures that are others than in an earlier report, and what else is not the same."""
    before = {one["id"]: one for one in former["questions"]}
    rows, notes = [], []
    for one in record["questions"]:
        known = before.pop(one["id"], None)
        if known is None:
            notes.append(f"Question {one['number']} is new.")
            continue
        if known["inputs"] != one["inputs"]:
            notes.append(f"Question {one['number']} was asked otherwise then.")
        values = {(figure["label"], figure["unit"]): figure["value"] for figure in known["figures"]}
        for figure in one["figures"]:
            then = values.get((figure["label"], figure["unit"]))
            if then == figure["value"]:
                continue
            numbers = isinstance(then, int | float) and isinstance(figure["value"], int | float)
            label = f"{figure['label']}, {figure['unit']}" if figure["unit"] else figure["label"]
            difference = shown_value(round(figure["value"] - then, 4)) if numbers else ""
            rows.append(
                {
                    "number": one["number"],
                    "label": label,
                    "then": shown_value(then),
                    "now": shown_value(figure["value"]),
                    "difference": difference,
                }
            )
    notes += [f"Question {one.get('number', '')} of then is gone." for one in before.values()]
    if former.get("streets") != record["streets"]:
        notes.append(f"The streets were those of {former.get('streets') or 'another extract'} then.")
    if former.get("version") != record["version"]:
        notes.append(f"It was made by Awl {former.get('version')} then.")
    return {"since": shown_day(str(former["made"])), "rows": rows, "notes": notes}
