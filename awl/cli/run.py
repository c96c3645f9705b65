"""`awl run`: every question of a saved sheet, with blanks filled in, once or for each row of a table."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from awl.cli.inputs import settings
from awl.cli.options import PATH, progress_bar, study_option
from awl.core.errors import AwlError

if TYPE_CHECKING:
    from awl.core.progress import Progress
    from awl.questions.question import Answered
    from awl.sheets.document import Sheet
    from awl.study.study import Study

MOST_ROWS = 1000


@click.command()
@click.argument("sheet")
@study_option
@click.option("--set", "pairs", multiple=True, metavar="BLANK=VALUE", help="Fill in a blank of the sheet.")
@click.option(
    "--values",
    type=PATH,
    help="CSV with a column for each blank that it fills: one run for each row, in a folder each.",
)
@click.option("--out", required=True, type=PATH, help="Folder for the answers.")
def command(sheet: str, study_path: Path, pairs: tuple[str, ...], values: Path | None, out: Path) -> None:
    """Run every question of a saved sheet; writes one results document per question.

    A question that rests on the answer of another one rests on that of this run. With --values the folder also holds runs.csv:
    the values and the key figures of every run.

    Example: awl run main --study ferrow.gpkg --set minutes=10 --out answers
    """
    from awl.sheets import shelf
    from awl.study.study import Study

    study = Study(study_path)
    stored, given = shelf.stored(study, sheet), settings(pairs)
    if values is not None:
        _run_each(study, stored, given, values, out)
        return
    ready = _filled(stored, given, study)
    with progress_bar() as progress:
        answered = _answered(study, ready, progress)
    for path, title in _written(answered, out):
        click.echo(f"{path}: {title}")


def _filled(sheet: Sheet, values: dict[str, Any], study: Study) -> Sheet:
    from awl.sheets.filling import filled

    return filled(sheet, values, study)


def _answered(study: Study, sheet: Sheet, progress: Progress) -> dict[str, Answered]:
    from awl.sheets.running import run_sheet

    return run_sheet(study, sheet, progress)


def _written(answered: dict[str, Answered], out: Path) -> list[tuple[Path, str]]:
    """Write a results document for each answer; returns the files with their titles."""
    from awl.io.whole import write_whole

    written = []
    out.mkdir(parents=True, exist_ok=True)
    for number, one in enumerate(answered.values(), 1):
        path = out / f"{number}-{one.process}.json"
        write_whole(path, one.answer.encoded())
        written.append((path, one.answer.title))
    return written


def _run_each(study: Study, sheet: Sheet, given: dict[str, Any], values: Path, out: Path) -> None:
    """One run for each row of a table of values; all rows are checked before the first is run."""
    from awl.io import csv_table
    from awl.io.table import Table
    from awl.io.whole import write_whole

    rows = _rows(values)
    ready = []
    for line, row in rows:
        try:
            ready.append(_filled(sheet, {**given, **row}, study))
        except AwlError as error:
            raise AwlError(
                error.what, where=f"{values.name}, line {line}", remedy=error.remedy, inputs=error.inputs
            ) from error
    figures = []
    with progress_bar() as progress:
        for nth, ((_, row), one) in enumerate(zip(rows, ready, strict=True)):
            answered = _answered(study, one, progress.part(nth / len(rows), (nth + 1) / len(rows)))
            _written(answered, out / str(nth + 1))
            figures.append({"run": nth + 1, **row, **_figures(answered)})
    names = list(dict.fromkeys(name for row in figures for name in row))
    table = Table.of_records([{name: row.get(name) for name in names} for row in figures])
    write_whole(out / "runs.csv", csv_table.of_table(table))
    click.echo(f"{out}: {len(rows):,} runs, and runs.csv with their key figures")


def _figures(answered: dict[str, Answered]) -> dict[str, Any]:
    """Key figures of every question, by its number and their labels."""
    return {
        f"{number}: {figure.label}" + (f", {figure.unit}" if figure.unit else ""): figure.value
        for number, one in enumerate(answered.values(), 1)
        for figure in one.answer.view.figures
    }


def _rows(path: Path) -> list[tuple[int, dict[str, str]]]:
    """The rows of a table of values with their lines; an empty cell leaves its blank as the sheet has it."""
    from awl.io import text_table

    table = text_table.read(path, delimiter=None)
    if table.uneven:
        raise AwlError("It has more or fewer cells than the header", where=f"{path.name}, line {table.uneven[0]}")
    if not 1 <= len(table) <= MOST_ROWS:
        raise AwlError(f"It holds {len(table):,} rows of values", where=path.name, remedy=f"Give 1 to {MOST_ROWS:,}")
    columns = {name: column.to_pylist() for name, column in table.columns.items()}
    return [
        (int(line), {name: cells[row] for name, cells in columns.items() if cells[row] not in (None, "")})
        for row, line in enumerate(table.lines.tolist())
    ]
