"""`awl compare`: what differs between answers of a kind."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from awl.cli.options import PATH, progress_bar, study_option
from awl.core.errors import AwlError

if TYPE_CHECKING:
    from awl.study.study import Study


@click.command()
@study_option
@click.argument("answers", nargs=-1, required=True)
@click.option(
    "--out", type=PATH, help="Write FILE in the format of its ending: json, geojson, csv, xlsx, parquet, gpkg."
)
@click.option("--part", help="The result to write; the key figures when left out.")
def command(study_path: Path, answers: tuple[str, ...], out: Path | None, part: str | None) -> None:
    """Set answers against the first of them: both values, differences by key, what changes most.

    An ANSWER is the number or id of a question of the sheet, or a name that `awl ask --keep NAME` kept an answer under; one of
    another study is written FILE:ANSWER, its file standing beside this one. Without --out the results document is printed.

    Example: awl compare --study ferrow.gpkg open closed --out changes.csv --part zones
    """
    from awl.io.whole import write_whole
    from awl.questions.files import answer_bytes, check_ending
    from awl.questions.run import ask
    from awl.study.study import Study

    if out is not None:
        check_ending(out.suffix[1:].lower(), out.name)
    study, others = Study(study_path), dict[str, Study]()
    wanted = [_wanted(study, others, text) for text in answers]
    with progress_bar() as progress:
        answer = ask(study, "compare", {"answers": wanted}, progress, others.__getitem__)
        if out is not None:
            write_whole(out, answer_bytes(answer, part, out.suffix[1:].lower(), out.name))
    if out is None:
        click.echo(answer.encoded().decode())
        return
    click.echo(f"{out}: {answer.title}")
    click.echo(f"  {answer.method[0]}")
    for figure in answer.view.figures:
        click.echo(f"  {figure.value} {figure.unit} {figure.label}".replace("  ", " "))
    for doubt in answer.doubts:
        click.echo(f"  {doubt.grade}: {doubt.text}", err=True)


def _wanted(study: Study, others: dict[str, Study], text: str) -> dict[str, Any]:
    """An answer that the command names; another study is opened."""
    from awl.study.study import Study

    file, colon, name = text.rpartition(":")
    if not colon:
        return {"answer": _named(study, text)}
    path = Path(file)
    if not path.is_file():
        raise AwlError(
            "There is no such study", where=file, remedy="Write FILE:ANSWER, or ANSWER alone", inputs=("answers",)
        )
    others.setdefault(file, Study(path))
    return {"study": file, "answer": _named(others[file], name)}


def _named(study: Study, name: str) -> str:
    """The id of an answer; a number stands for the question of the sheet with that number."""
    from awl.study import sheet_records

    questions = [block["id"] for block in sheet_records.questions(study.reading, sheet_records.FIRST)]
    if not name.isdigit() or name in questions:
        return name
    if not 1 <= int(name) <= len(questions):
        raise AwlError(
            f"The sheet has no question {name}",
            remedy=f"It has {len(questions)}",
            where=study.path.name,
            inputs=("answers",),
        )
    return str(questions[int(name) - 1])
