"""`awl report`: a sheet as one page that opens offline."""

from __future__ import annotations

from pathlib import Path

import click

from awl.cli.options import PATH, progress_bar, study_option
from awl.core.errors import AwlError


@click.command()
@click.argument("sheet", default="main")
@study_option
@click.option("--out", required=True, type=PATH, help="The file to write, FILE.html.")
@click.option(
    "--without",
    multiple=True,
    metavar="BLOCK",
    help="A block of the sheet that is left out, by its id; several times for several.",
)
@click.option("--since", type=PATH, help="An earlier report: what changed since then is told first.")
def command(sheet: str, study_path: Path, out: Path, without: tuple[str, ...], since: Path | None) -> None:
    """Write a sheet as one HTML file: questions, figures, maps, charts, tables, assumptions, doubts and versions.

    Questions whose kept answer is stale are asked again. The file needs nothing else and prints well.

    Example: awl report main --study ferrow.gpkg --out 2026.html --since 2025.html
    """
    from awl.handout.report import report_html
    from awl.io.whole import write_whole
    from awl.study.study import Study

    if out.suffix.lower() not in (".html", ".htm"):
        raise AwlError("A report is a page", where=out.name, remedy="Give --out FILE.html", inputs=("out",))
    former = None
    if since is not None:
        try:
            former = since.read_text(encoding="utf-8")
        except (OSError, UnicodeDecodeError) as error:
            raise AwlError("The earlier report cannot be read", where=str(since), remedy="Give an HTML file") from error
    with progress_bar() as progress:
        page = report_html(Study(study_path), sheet, without, former, progress)
        write_whole(out, page.encode())
    click.echo(f"{out}: {len(page) / 1e6:.1f} MB")
