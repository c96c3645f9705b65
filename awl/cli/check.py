"""`awl check`: what is wrong with the streets of a study."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from awl.cli.options import json_option, progress_bar, study_option


@click.command()
@study_option
@json_option
def command(study_path: Path, as_json: bool) -> None:
    """Look for faults of the streets: gaps, crossings that are not joined, odd speeds, streets that lead nowhere.

    Ends with exit status 1 when one of them is an error. With --json the findings are a GeoJSON FeatureCollection.

    Example: awl check --study ferrow.gpkg
    """
    from awl.core.analysis.health.findings import KINDS
    from awl.io import geojson
    from awl.study.health import findings_of, table_of
    from awl.study.study import Study

    study = Study(study_path)
    with progress_bar() as progress:
        findings = findings_of(study, progress)
    if as_json:
        click.echo(geojson.dumps(geojson.collection(table_of(study, findings))))
    elif not len(findings):
        click.echo("No fault found.")
    else:
        for name, number in findings.counts().items():
            kind = KINDS[name]
            click.echo(f"  {number:>7,}  {kind.grade:<8} {kind.title}")
    if any(KINDS[name].grade == "error" for name in findings.counts()):
        sys.exit(1)
