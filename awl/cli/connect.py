"""`awl connect`: zone centroids joined to the streets."""

from __future__ import annotations

from pathlib import Path

import click

from awl.cli.options import study_option


@click.command()
@study_option
@click.option(
    "--zones", default="zones", show_default=True, help="The layer whose centroids are joined to the streets."
)
@click.option("--nearest", default=1, show_default=True, help="How many streets each is joined to.")
@click.option("--number", help="The field with the numbers of the zones; anew when left out.")
@click.option("--people", help="Raster or layer of people: zones are joined at the mean place of theirs.")
@click.option("--people-field", help="The field of that layer with numbers of people.")
@click.option("--remove", is_flag=True, help="Take connectors out again.")
def command(
    study_path: Path,
    zones: str,
    nearest: int,
    number: str | None,
    people: str | None,
    people_field: str | None,
    remove: bool,
) -> None:
    """Join zone centroids to their nearest streets by connectors, in place of those made before.

    Example: awl connect --study ferrow.gpkg --zones zones --nearest 2
    """
    from awl.study import centroids
    from awl.study.study import Study

    study = Study(study_path)
    if remove:
        centroids.disconnect(study)
        click.echo("The connectors are gone.")
        return
    report, empty = centroids.connect(study, zones, nearest, number, people, people_field)
    click.echo(
        f"{report.centroids:,} centroids joined by {report.connectors:,} connectors, {report.mean_m:.0f} m long in the mean."
        f" {len(report.too_far)} lie too far from any street, {empty} have no people and are joined at their middle."
    )
