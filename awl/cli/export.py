"""`awl export`: the street graph, a layer or an answer in an open format."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from awl.cli.options import MAP_FORMATS, PATH, map_options, map_sheet_options, progress_bar, study_option
from awl.core.errors import AwlError


@click.command()
@click.argument("what")
@study_option
@click.option("--out", required=True, type=PATH, help="A folder for streets as GMNS, a file otherwise.")
@click.option("--mode", default="walk", show_default=True, help="The mode whose streets and costs are written.")
@click.option("--at", help="Local date and time such as 2026-06-05T08:00; free flow when left out.")
@click.option("--part", help="Answers: the result to write; the main one when left out.")
@click.option("--fields", is_flag=True, help="Answers: the data dictionary of the result: field, type, unit, meaning.")
@map_options
def command(
    what: str, study_path: Path, out: Path, mode: str, at: str | None, part: str | None, fields: bool, **given: Any
) -> None:
    """Write the street graph, a layer or an answer in an open format.

    WHAT is `streets` (to a folder of GMNS tables, .gpkg or .geojson), the id of a layer (.geojson, .csv, .xlsx, .parquet or
    .gpkg), or the id of a question of the sheet for its kept answer: a table (.csv, .xlsx, .parquet, .gpkg, ...) or its map sheet
    (.png, .svg, .pdf).

    Example: awl export streets --study ferrow.gpkg --out gmns --mode drive
    """
    from awl.io.dictionary import data_dictionary
    from awl.io.whole import write_whole
    from awl.questions.files import checked_part, kept_bytes, table_bytes
    from awl.questions.inputs import moment
    from awl.questions.kept_answers import part_of
    from awl.study import records
    from awl.study.export import gmns_tables, graph_bytes, layer_bytes
    from awl.study.study import Study

    study, ending = Study(study_path), out.suffix[1:].lower()
    with progress_bar() as progress:
        progress.step(0.1, f"Writing {out.name}")
        if what == "streets" and not ending:
            tables = gmns_tables(study, mode, moment(at))
            out.mkdir(parents=True, exist_ok=True)
            for name, text in tables.items():
                write_whole(out / name, text.encode())
            click.echo(f"{out}: {', '.join(tables)}")
            return
        if what == "streets":
            data = graph_bytes(study, mode, ending, moment(at))
        elif ending in MAP_FORMATS:
            if part is not None:
                raise AwlError("A map sheet shows all of an answer", remedy="Leave --part out", inputs=("part",))
            from awl.handout.answers import kept_content
            from awl.handout.map_sheet import draw_map_sheet

            data = draw_map_sheet(study, kept_content(study, what), map_sheet_options(given), ending)
        elif (answer := records.answer(study.reading, what)) is not None and fields:
            shown = part or answer["result"]["view"]["tables"][0]["part"]
            dictionary = data_dictionary(part_of(answer["result"], checked_part(answer["result"], shown)))
            data = table_bytes(dictionary, ending, out.name)
        elif answer is not None:
            data = kept_bytes(answer["result"], part, ending, out.name)
        else:
            data = layer_bytes(study.read_layer(what), what, ending)
        write_whole(out, data)
    click.echo(str(out))
