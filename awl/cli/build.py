"""`awl build`: a study with a street graph."""

from __future__ import annotations

import json
from pathlib import Path
from typing import TYPE_CHECKING

import click

from awl.cli.options import PATH, json_option, new_study_option, progress_bar
from awl.core.errors import AwlError

if TYPE_CHECKING:
    from awl.core.graph.build import BuildReport
    from awl.study.study import Study


@click.command()
@click.argument("extract", type=PATH, nargs=-1, required=True)
@new_study_option
@click.option("--bbox", help="Study area W,S,E,N in degrees.")
@click.option("--clip", type=PATH, help="Study area: polygons in GeoJSON, GeoPackage, Shapefile, KML or .poly.")
@click.option("--layer", help="Line layers: the layer of a file that holds several.")
@click.option(
    "--field", "pairs", multiple=True, metavar="ROLE=FIELD",
    help="Line layers: what a field means, where the guess is wrong: street_class, name, speed, direction, level; forward,"
    " backward and both say what the direction's values are.",
)  # fmt: skip
@click.option(
    "--tolerance", default=0.5, show_default=True, help="Line layers: gaps at ends up to this are closed (m)."
)
@click.option(
    "--keep-crossings", is_flag=True, help="Line layers: join at end points alone; lines that cross stay apart."
)
@click.option("--first-node", default=1, show_default=True, help="Number of the first node.")
@click.option("--nodes", type=PATH, help="A point layer whose numbers the nodes get.")
@click.option("--nodes-layer", help="The layer of that file.")
@click.option("--nodes-field", help="The field with the numbers.")
@click.option("--crs", help="Coordinate system of the file, where it states none or a wrong one, such as EPSG:32626.")
@click.option("--without", help="Street classes to leave out: service,track")
@click.option("--weight", help="Tables without geography: the column with the length of links.")
@click.option(
    "--speed-unit", help="GMNS tables: the unit of free_speed: km/h, mph or m/s; from config.csv when left out."
)
@click.option("--length-unit", help="Lengths of --weight or a list of links: m, km, mi or ft; metres when left out.")
@click.option("--keep-nodes", is_flag=True, help="Do not merge links where nothing changes between them.")
@click.option("--strict", is_flag=True, help="Refuse a file with faulty nodes or rows instead of leaving these out.")
@json_option
def command(
    extract: tuple[Path, ...], study_path: Path, bbox: str | None, clip: Path | None, layer: str | None,
    pairs: tuple[str, ...], tolerance: float, keep_crossings: bool, first_node: int, nodes: Path | None,
    nodes_layer: str | None, nodes_field: str | None, crs: str | None, without: str | None, weight: str | None,
    speed_unit: str | None, length_unit: str | None, keep_nodes: bool, strict: bool, as_json: bool,
) -> None:  # fmt: skip
    """Build a study with a street graph; prints the build report.

    EXTRACT is a map extract (OSM XML or PBF; several of neighbouring areas become one), a line layer or a ready graph (GMNS).

    Example: awl build ferrow.osm.pbf --study ferrow.gpkg
    """
    for path in extract:
        if not path.exists():
            raise AwlError("There is no such file", where=str(path), remedy="Check the path")
    if study_path.suffix != ".gpkg":
        raise AwlError(f"'{study_path.name}' is no study file", remedy="Name it with the ending .gpkg")
    from awl.core.graph.build import LINK_CLASSES
    from awl.io.units import Units
    from awl.study import areas, importing
    from awl.study.line_fields import BuildOptions, settings
    from awl.study.study import Study

    area = areas.area_from(bbox, clip)
    left_out = tuple(name.strip() for name in (without or "").split(",") if name.strip())
    if unknown := set(left_out) - set(LINK_CLASSES):
        raise AwlError(
            f"'{sorted(unknown)[0]}' is no class of street", remedy=f"Classes are: {', '.join(LINK_CLASSES)}"
        )
    options = BuildOptions(
        layer=layer,
        choices=settings(pairs),
        tolerance_m=tolerance,
        first_node=first_node,
        nodes=nodes,
        nodes_layer=nodes_layer,
        nodes_field=nodes_field,
        crs=crs,
        without=left_out,
        weight=weight,
        merge=not keep_nodes,
        strict=strict,
        break_crossings=not keep_crossings,
        units=Units(speed_unit, length_unit),
    )
    with progress_bar() as progress:
        report = importing.build(extract, study_path, area, progress=progress, options=options)
    if as_json:
        click.echo(json.dumps(vars(report)))
        return
    _print_report(report)
    _print_parts(Study(study_path))


def _print_report(report: BuildReport) -> None:
    click.echo(
        f"{report.ways_read:,} ways read, {report.streets_read:,} of them streets.\n"
        f"{report.nodes:,} nodes, {report.links:,} links, {report.length_m / 1000:,.1f} km of street;"
        f" lengths are geodesic metres.\n"
        f"{report.border_nodes:,} border nodes where streets are cut; {report.references_missing:,} references to nodes that"
        f" the extract lacks.\n"
        f"By length: {report.share_with_maxspeed:.0%} has a posted limit, {report.share_named:.0%} a name,"
        f" {report.share_oneway:.0%} is one-way."
    )
    if report.nodes_off_earth:
        ident, lon, lat = report.nodes_off_earth_named[0]
        click.echo(
            f"Left out: {report.nodes_off_earth:,} nodes with impossible coordinates, the first {ident:.0f} at lon {lon:g},"
            f" lat {lat:g}. --strict refuses such files."
        )
    for what, count in report.left_out.items():
        click.echo(f"Left out: {count:,} {what}.")
    if report.objects_repeated:
        click.echo(f"{report.objects_repeated:,} objects were in the file more than once; the last of each holds.")
    if report.coast_disputed_m:
        click.echo(
            f"Coastline and streets contradict each other along {report.coast_disputed_m / 1000:,.1f} of"
            f" {report.coast_m / 1000:,.1f} km of coast: no sea is drawn there."
        )
    if report.links_known is not None:
        click.echo(
            f"{report.links_known:,} links keep the ids they had, {report.links - report.links_known:,} are new."
        )
    if report.barriers or report.restrictions:
        kinds = ", ".join(f"{count:,} {name.replace('_', ' ')}" for name, count in report.barriers.items())
        click.echo(
            f"On nodes: {kinds or 'nothing'}. {report.restrictions:,} turn restrictions, {report.restrictions_not_placed:,}"
            f" could not be placed. {report.nodes_merged:,} nodes merged away where nothing changes."
        )
    if report.lines:
        joins = report.lines
        click.echo(
            f"Of {joins['lines']:,.0f} lines {joins['without_known_class']:,.0f} have no class Awl knows,"
            f" {joins['without_speed']:,.0f}"
            f" no speed, {joins['direction_not_understood']:,.0f} a direction that is not understood.\n"
            f"{joins['crossings_broken']:,.0f} crossings broken, {joins['kept_apart']:,.0f} kept apart by level;"
            f" {joins['ends_joined']:,.0f} ends joined within {joins['tolerance_m']:g} m."
        )


def _print_parts(study: Study) -> None:
    """How much of the streets each mode can use, and how much of that is connected."""
    for mode, _ in study.modes().values():
        try:
            parts = study.network(mode.id).parts_report
        except AwlError as error:
            click.echo(f"{mode.id}: {error.what}.")
            continue
        click.echo(
            f"{mode.id}: {parts.kept_m / 1000:,.1f} km in the largest part, {parts.left_out_m / 1000:,.1f} km left out."
        )
