"""`awl layer`: the layers of a study."""

from __future__ import annotations

import json
from pathlib import Path

import click

from awl.cli.options import json_option, study_option


@click.group()
def command() -> None:
    """List, describe and remove layers.

    Example: awl layer set zones --study ferrow.gpkg --key zone_id --role zones --title "Census zones"
    """


@command.command("list")
@study_option
@json_option
def list_layers(study_path: Path, as_json: bool) -> None:
    """List all layers and rasters with what they are used as and which field identifies their features.

    Example: awl layer list --study ferrow.gpkg
    """
    from awl.study.study import Study

    study = Study(study_path)
    layers, rasters = study.layers(), study.rasters()
    if as_json:
        click.echo(json.dumps({"layers": layers, "rasters": rasters}))
        return
    for layer in layers:
        key = f", identified by {layer['key']}" if layer["key"] else ""
        click.echo(f"{layer['id']:<16} {layer['role']:<12} {layer['count']:>9,}  {layer['title']}{key}")
    for raster in rasters:
        size = f"{raster['columns']:,} x {raster['rows']:,}"
        click.echo(f"{raster['id']:<16} {raster['role']:<12} {size:>9}  {raster['title']}")


@command.command("set")
@click.argument("layer_id", metavar="LAYER")
@study_option
@click.option("--title", help="What it is called.")
@click.option("--role", help="What it is used as: places, zones, parcels, buildings, lines; elevation or population.")
@click.option("--key", help="The field that identifies its features in tables and matrices.")
def set_layer(layer_id: str, study_path: Path, title: str | None, role: str | None, key: str | None) -> None:
    """Give a layer another title, role or key.

    Example: awl layer set zones --study ferrow.gpkg --key zone_id
    """
    from awl.study.study import Study

    study = Study(study_path)
    if role is not None:
        study.set_layer_role(layer_id, role)
    if key is not None:
        study.set_layer_key(layer_id, key)
    if title is not None:
        study.set_layer_title(layer_id, title)
    click.echo(f"{layer_id}: changed.")


@command.command("remove")
@click.argument("layer_id", metavar="LAYER")
@study_option
def remove_layer(layer_id: str, study_path: Path) -> None:
    """Remove a layer or raster from the study.

    Example: awl layer remove zones --study ferrow.gpkg
    """
    from awl.study.study import Study

    Study(study_path).drop_layer(layer_id)
    click.echo(f"{layer_id}: removed.")
