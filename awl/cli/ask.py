"""`awl ask`: one question."""

from __future__ import annotations

import time
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from awl.cli.inputs import inputs_of
from awl.cli.options import MAP_FORMATS, PATH, map_options, map_sheet_options, progress_bar, study_option
from awl.cli.question_names import NAMES
from awl.core.errors import AwlError, nearest

if TYPE_CHECKING:
    from awl.core.progress import Progress
    from awl.questions.results import Answer
    from awl.study.study import Study


class Asking(click.Command):
    """`awl ask isochrone --help` tells of that question, `awl ask --help` of the command."""

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        """Show the help of a question, or go on."""
        question = next((word for word in args if word in NAMES), None)
        if question is not None and {"-h", "--help"} & set(args):
            from awl.cli.question_help import help_of

            click.echo(help_of(question))
            ctx.exit()
        return super().parse_args(ctx, args)


def _known_question(ctx: click.Context, param: click.Parameter, value: str) -> str:
    if value not in NAMES:
        raise AwlError(
            f"There is no question '{value}'.{nearest(value, NAMES)}", remedy=f"Questions are: {', '.join(NAMES)}"
        )
    return value


@click.command(cls=Asking)
@click.argument("question", callback=_known_question)
@study_option
@click.option("--inputs", "file", type=PATH, help="JSON file with the inputs.")
@click.option(
    "--set", "pairs", multiple=True, metavar="NAME=VALUE",
    help="An input; places.layer=cool_rooms sets a member, places=cool_rooms a layer, places=\"Heron Lane 5\" an address.",
)  # fmt: skip
@click.option(
    "--what-if", "what_ifs", multiple=True, help="A what-if of the study; several stand on each other in this order."
)
@click.option(
    "--over",
    is_flag=True,
    help="A table of the key figures: a column for the study as it is, and for each --what-if (all, where none is named).",
)
@click.option(
    "--out",
    type=PATH,
    help="Write FILE in the format of its ending: json, geojson, csv, parquet, gpkg; omx (matrices), gpx (routes).",
)
@click.option("--part", help="The result to write; the main one when left out.")
@click.option("--keep", metavar="NAME", help="Keep the answer in the study under this name, for 'awl compare'.")
@click.option("--map", "map_file", type=PATH, help="Write the map sheet of the answer: FILE.png, .svg or .pdf.")
@map_options
@click.option(
    "--animation",
    "animation_file",
    type=PATH,
    help="Write FILE.gif: people who move in the answer, picture by picture.",
)
@click.option(
    "--workers",
    metavar="ADDRESS",
    help="Answer in blocks on the workers of a scheduler (tcp://host:8786) or of this machine (local:4); "
    "OUT is then a folder of Parquet files. An OUT without an ending is one too: then threads or processes here, as is quicker.",
)
def command(
    question: str, study_path: Path, file: Path | None, pairs: tuple[str, ...], what_ifs: tuple[str, ...], over: bool,
    out: Path | None, part: str | None, keep: str | None, map_file: Path | None, animation_file: Path | None,
    workers: str | None, **given: Any,
) -> None:  # fmt: skip
    """Run one question; prints the results document, or writes a file.

    QUESTION is one of access, alongside, catchment, centrality, compare, isochrone, matrix, neighbours, route, simulate,
    trips; `awl ask isochrone --help` lists the inputs of that one.

    Example: awl ask isochrone --study ferrow.gpkg --set places.layer=cool_rooms --set limits=5,10,15 --out reach.geojson
    """
    inputs = inputs_of(file, pairs)
    if over:
        _over(question, study_path, inputs, what_ifs, out)
        return
    if what_ifs:
        inputs["what_if"] = list(what_ifs)
    from awl.io.whole import write_whole
    from awl.questions import question as known
    from awl.questions.batch import WORK, run_batch
    from awl.questions.files import answer_bytes, check_ending
    from awl.questions.kept_answers import keep_under
    from awl.questions.run import ask as run
    from awl.study.study import Study

    if workers is not None or (out is not None and not out.suffix and question in WORK):
        if out is None:
            raise AwlError("Workers write blocks into a folder", remedy="Name a new one with --out", inputs=("out",))
        with progress_bar() as progress:
            written = run_batch(Study(study_path), question, inputs, out, workers, progress)
        by = f", by {written.processes} processes" if written.processes else ""
        click.echo(f"{out}: {written.rows:,} rows in {written.files} Parquet files{by}")
        return
    if out is not None:
        check_ending(out.suffix[1:].lower(), out.name)
    if map_file is not None and map_file.suffix[1:].lower() not in MAP_FORMATS:
        remedy = f"Choose {', '.join(MAP_FORMATS[:-1])} or {MAP_FORMATS[-1]}"
        raise AwlError("A map sheet is not written in that format", where=map_file.name, remedy=remedy, inputs=("map",))
    if animation_file is not None and animation_file.suffix.lower() != ".gif":
        raise AwlError(
            "Animations are written as GIF", where=animation_file.name, remedy="Name FILE.gif", inputs=("animation",)
        )
    with progress_bar() as progress:
        study = Study(study_path)
        began = time.monotonic()
        answer = run(study, question, inputs, progress)
        if keep is not None:
            keep_under(study, keep, known(question), inputs, answer, time.monotonic() - began)
        if out is not None:
            write_whole(out, answer_bytes(answer, part, out.suffix[1:].lower(), out.name))
        if map_file is not None:
            _draw(study, question, inputs, answer, map_file, given)
        if animation_file is not None:
            _animate(study, question, inputs, answer, animation_file, progress)
    for drawn in (map_file, animation_file):
        if drawn is not None:
            click.echo(f"{drawn}: {answer.title}")
    if out is None and keep is not None:
        click.echo(f"Kept as '{keep}': {answer.title}")
    if out is None:
        if keep is None and map_file is None and animation_file is None:
            click.echo(answer.encoded().decode())
        return
    click.echo(f"{out}: {answer.title}")
    for doubt in answer.doubts:
        click.echo(f"  {doubt.grade}: {doubt.text}", err=True)


def _draw(
    study: Study, question: str, inputs: dict[str, Any], answer: Answer, file: Path, given: dict[str, Any]
) -> None:
    """Write the map sheet of an answer."""
    from awl.handout.answers import fresh_content
    from awl.handout.map_sheet import draw_map_sheet
    from awl.io.whole import write_whole

    options = map_sheet_options(given)
    write_whole(
        file, draw_map_sheet(study, fresh_content(study, question, inputs, answer), options, file.suffix[1:].lower())
    )


def _animate(
    study: Study, question: str, inputs: dict[str, Any], answer: Answer, file: Path, progress: Progress
) -> None:
    """Write the animation of an answer."""
    from awl.handout.animation import animation_gif
    from awl.handout.animation_options import AnimationOptions
    from awl.handout.answers import fresh_content
    from awl.io.whole import write_whole

    write_whole(
        file,
        animation_gif(
            study, fresh_content(study, question, inputs, answer), AnimationOptions.model_validate({}), progress
        ),
    )


def _over(
    question: str, study_path: Path, inputs: dict[str, object], what_ifs: tuple[str, ...], out: Path | None
) -> None:
    """Print or write the key figures over what-ifs."""
    from awl.io import csv_table
    from awl.io.whole import write_whole
    from awl.questions.over import ask_over
    from awl.study.study import Study

    if out is not None and out.suffix.lower() != ".csv":
        raise AwlError("The figures over what-ifs are written as CSV", remedy="Give --out FILE.csv", inputs=("out",))
    with progress_bar() as progress:
        table = ask_over(Study(study_path), question, inputs, what_ifs, progress)
    data = csv_table.of_table(table)
    if out is None:
        click.echo(data.decode().rstrip())
    else:
        write_whole(out, data)
        click.echo(f"{out}: {len(table):,} figures")
