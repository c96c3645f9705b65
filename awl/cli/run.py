"""`awl run`: every question of a saved sheet."""

from __future__ import annotations

from pathlib import Path

import click

from awl.cli.options import PATH, progress_bar, study_option
from awl.core.errors import AwlError


@click.command()
@click.argument("sheet")
@study_option
@click.option("--out", required=True, type=PATH, help="Folder for the answers.")
def command(sheet: str, study_path: Path, out: Path) -> None:
    """Run every question of a saved sheet; writes one results document per question.

    Example: awl run main --study ferrow.gpkg --out answers
    """
    from awl.io import geojson
    from awl.io.whole import write_whole
    from awl.questions.run import ask as run
    from awl.study import sheet_records
    from awl.study.study import Study

    study = Study(study_path)
    stored = sheet_records.read(study.reading, sheet)
    if stored is None:
        raise AwlError(f"The study has no sheet '{sheet}'", remedy="The sheet of the browser is called 'main'")
    questions = [block for block in stored["blocks"] if block.get("kind") == "question"]
    answers = []
    for block in questions:
        with progress_bar() as progress:
            answers.append(run(study, block["process"], block["inputs"], progress).document())
    out.mkdir(parents=True, exist_ok=True)
    for number, (block, document) in enumerate(zip(questions, answers, strict=True), 1):
        path = out / f"{number}-{block['process']}.json"
        write_whole(path, geojson.dumps(document))
        click.echo(f"{path}: {document['title']}")
