"""`awl info`: what is in a study."""

from __future__ import annotations

import json
from pathlib import Path

import click

from awl.cli.options import json_option, study_option


@click.command()
@study_option
@json_option
def command(study_path: Path, as_json: bool) -> None:
    """Print what is in a study.

    Example: awl info --study ferrow.gpkg
    """
    from awl.study import feeds
    from awl.study.study import Study

    study = Study(study_path)
    layers, timetables = study.layers(), feeds.listed(study.reading)
    if as_json:
        known = {"title": study.title, "build": study.fact("build"), "layers": layers, "rasters": study.rasters()}
        known["timetables"] = [{"id": feed.id, "title": feed.title, **feed.summary} for feed in timetables]
        click.echo(json.dumps(known))
        return
    click.echo(study.title)
    for feed in timetables:
        about = f"{feed.summary['routes']:,} routes, {feed.summary['trips']:,} trips until {feed.summary['last_day']}"
        click.echo(f"  {feed.id:<14} timetable  {about}, from {feed.source}")
    for grid in study.rasters():
        click.echo(
            f"  {grid['id']:<14} {grid['role']:<10} {grid['columns']} x {grid['rows']} cells, from {grid['source']}"
        )
    for layer in layers:
        click.echo(
            f"  {layer['id']:<14} {layer['role']:<8} {layer['count']:>8,}  {layer['title']}, from {layer['source']}"
        )
