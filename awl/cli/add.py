"""`awl add`: a layer, a raster or a timetable into a study."""

from __future__ import annotations

from pathlib import Path

import click

from awl.cli.feed_text import feed_lines
from awl.cli.options import PATH, progress_bar, study_option
from awl.core.errors import AwlError


@click.command()
@click.argument("file", type=PATH)
@study_option
@click.option("--as", "ident", help="Id of the layer; from the file name when left out.")
@click.option("--title", help="Title of the layer.")
@click.option("--layer", "inner", help="The layer to take from a file that holds several.")
@click.option("--role", help="What it is used as: places, zones, parcels, buildings, lines; elevation or population.")
@click.option("--key", help="The field that identifies features; guessed when left out.")
@click.option("--crs", help="Coordinate system of the file, where it states none or a wrong one, such as EPSG:32626.")
@click.option("--x", help="Tables: the column with the longitude or easting.")
@click.option("--y", help="Tables: the column with the latitude or northing.")
@click.option("--wkt", help="Tables: the column with the geometry as WKT.")
@click.option("--from", "origins", help="Tables of trips: the layer in which they begin; they become a layer of lines.")
@click.option("--to", "destinations", help="Tables of trips: the layer in which they end.")
@click.option("--origin", help="Tables of trips: the column with the id where a trip begins.")
@click.option("--destination", help="Tables of trips: the column with the id where it ends.")
@click.option("--strict", is_flag=True, help="Refuse a file with faulty rows instead of leaving these out.")
@click.option("--anywhere", is_flag=True, help="Add it though it lies far from the streets.")
def command(
    file: Path, study_path: Path, ident: str | None, title: str | None, inner: str | None, role: str | None, key: str | None,
    crs: str | None, x: str | None, y: str | None, wkt: str | None, origins: str | None, destinations: str | None,
    origin: str | None, destination: str | None, strict: bool, anywhere: bool,
) -> None:  # fmt: skip
    """Add a layer, a raster or a timetable to a study.

    FILE is GeoPackage, GeoJSON, FlatGeobuf, Shapefile (bare or zipped), file geodatabase, KML, GPX, CSV or XLSX with
    coordinates, GeoTIFF, or a timetable as GTFS (zipped or a folder). With --from and --to it is a table of trips: CSV, XLSX,
    Parquet or OMX.

    Example: awl add layers.gpkg --study ferrow.gpkg --layer zones --as zones
    """
    if not file.exists():
        raise AwlError("There is no such file", where=str(file), remedy="Check the path")
    from awl.io.place_tables import PlaceColumns
    from awl.study import feeds, importing
    from awl.study.importing import ReadOptions
    from awl.study.study import Study
    from awl.study.trip_layers import TripEnds, add_trips

    if (origins is None) != (destinations is None):
        raise AwlError("Trips need both ends", remedy="Give --from LAYER and --to LAYER", inputs=("from", "to"))
    study = Study(study_path)
    how = ReadOptions(crs, PlaceColumns(x, y, wkt), strict, key, anywhere)
    with progress_bar() as progress:
        progress.step(0.1, f"Reading {file.name}")
        if origins is not None and destinations is not None:
            ends = TripEnds(origins, destinations, origin, destination)
            ident = add_trips(file, study, ends, ident, title)
        else:
            ident = importing.add(file, study, ident, title, inner=inner, role=role, how=how)
    feed = next((entry for entry in feeds.listed(study.reading) if entry.id == ident), None)
    if feed is not None:
        for line in feed_lines(feed):
            click.echo(line)
        return
    grid = next((raster for raster in study.rasters() if raster["id"] == ident), None)
    if grid is not None:
        click.echo(
            f"{ident}: {grid['role']}, {grid['columns']:,} x {grid['rows']:,} cells of about {grid['cell_m']:.0f} m,"
            f" {grid['least']:g} to {grid['most']:g}."
        )
        for note in study.raster_notes(ident):
            click.echo(f"  {note}")
        return
    entry = next(layer for layer in study.layers() if layer["id"] == ident)
    click.echo(
        f"{ident}: {entry['count']:,} {entry['role']}, identified by {entry['key'] or 'their number'};"
        f" fields {', '.join(entry['fields']) or 'none'}."
    )
    notes = entry["notes"]
    if notes["left_out"]:
        click.echo(f"  {notes['left_out']:,} faulty rows left out: {'; '.join(notes['left_out_named'][:3])}.")
    if notes["repaired"]:
        click.echo(f"  {notes['repaired']:,} polygons crossed themselves: {'; '.join(notes['repaired_named'][:3])}.")
