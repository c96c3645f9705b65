"""The command `awl`. Errors are one line on standard error that says what is wrong and what to do; exit status 2."""

from __future__ import annotations

import json
import shutil
import sys
import tempfile
from pathlib import Path
from typing import Any, NoReturn

import click
from rich.console import Console
from rich.progress import BarColumn, TextColumn, TimeRemainingColumn
from rich.progress import Progress as Bar

from awl import __version__
from awl.command_inputs import inputs_of
from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.core.streets.build import LINK_CLASSES
from awl.demo_study import make_demo
from awl.formats import geojson
from awl.formats.whole import write_whole
from awl.study import centroids, intake, records
from awl.study.line_fields import BuildOptions, settings
from awl.study.study import Study


class Verbs(click.Group):
    """Turns `AwlError` into one line and exit status 2."""

    def invoke(self, ctx: click.Context) -> Any:
        """Run a verb."""
        try:
            return super().invoke(ctx)
        except AwlError as error:
            _fail(error.detail)
        except BrokenPipeError:
            sys.exit(1)


def _fail(text: str) -> NoReturn:
    click.echo(f"awl: {text}", err=True)
    sys.exit(2)


@click.group(cls=Verbs, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="awl")
def main() -> None:
    """Accessibility questions on street networks."""


class _Shown:
    """A progress bar on a terminal, nothing elsewhere."""

    def __enter__(self) -> Progress:
        console = Console(stderr=True)
        if not console.is_terminal:
            return Progress()
        self._bar = Bar(
            TextColumn("{task.description}"), BarColumn(), TimeRemainingColumn(), console=console, transient=True
        )
        self._bar.start()
        task = self._bar.add_task("", total=1.0)
        return Progress(lambda fraction, text: self._bar.update(task, completed=fraction, description=text))

    def __exit__(self, *_: object) -> None:
        if hasattr(self, "_bar"):
            self._bar.stop()


study_option = click.option(
    "--study", "study_path", required=True, type=click.Path(path_type=Path), help="The study file."
)
json_option = click.option("--json", "as_json", is_flag=True, help="Print JSON for machines.")


@main.command()
@click.argument("extract", type=click.Path(path_type=Path), nargs=-1, required=True)
@study_option
@click.option("--bbox", help="Study area W,S,E,N in degrees.")
@click.option("--clip", type=click.Path(path_type=Path), help="Study area: polygons in GeoJSON.")
@click.option("--layer", help="Line layers: the layer of a file that holds several.")
@click.option(
    "--field", "pairs", multiple=True, metavar="ROLE=FIELD",
    help="Line layers: what a field means, where the guess is wrong: street_class, name, speed, direction, level; forward,"
    " backward and both say what the direction's values are.",
)  # fmt: skip
@click.option(
    "--tolerance", default=0.5, show_default=True, help="Line layers: gaps at ends up to this are closed (m)."
)
@click.option("--first-node", default=1, show_default=True, help="Number of the first node.")
@click.option("--nodes", type=click.Path(path_type=Path), help="A point layer whose numbers the nodes get.")
@click.option("--nodes-layer", help="The layer of that file.")
@click.option("--nodes-field", help="The field with the numbers.")
@click.option("--crs", help="Coordinate system of the file, where it states none or a wrong one, such as EPSG:32626.")
@click.option("--without", help="Street classes to leave out: service,track")
@click.option("--weight", help="GMNS tables without geography: the column with the length of links.")
@click.option("--keep-nodes", is_flag=True, help="Do not merge links where nothing changes between them.")
@json_option
def build(
    extract: tuple[Path, ...], study_path: Path, bbox: str | None, clip: Path | None, layer: str | None,
    pairs: tuple[str, ...], tolerance: float, first_node: int, nodes: Path | None, nodes_layer: str | None,
    nodes_field: str | None, crs: str | None, without: str | None, weight: str | None, keep_nodes: bool, as_json: bool,
) -> None:  # fmt: skip
    """Build a study with a street graph from a map extract, a line layer or a ready graph; prints the build report.

    Example: awl build ferrow.osm.pbf --study ferrow.gpkg
    """
    if len(extract) > 1:
        raise AwlError(f"{len(extract)} extracts are given; one is read at a time", remedy="Merge them first")
    if study_path.suffix != ".gpkg":
        raise AwlError(f"'{study_path.name}' is no study file", remedy="Name it with the ending .gpkg")
    area = intake.area_from(bbox, clip)
    left_out = tuple(name.strip() for name in (without or "").split(",") if name.strip())
    if unknown := set(left_out) - set(LINK_CLASSES):
        raise AwlError(
            f"'{sorted(unknown)[0]}' is no class of street", remedy=f"Classes are: {', '.join(LINK_CLASSES)}"
        )
    options = BuildOptions(
        layer,
        settings(pairs),
        tolerance,
        first_node,
        nodes,
        nodes_layer,
        nodes_field,
        crs,
        left_out,
        weight,
        not keep_nodes,
    )
    with _Shown() as progress:
        report = intake.build(extract[0], study_path, area, progress=progress, options=options)
    if as_json:
        click.echo(json.dumps(vars(report)))
        return
    click.echo(
        f"{report.ways_read:,} ways read, {report.streets_read:,} of them streets.\n"
        f"{report.nodes:,} nodes, {report.links:,} links, {report.length_m / 1000:,.1f} km of street;"
        f" lengths are geodesic metres.\n"
        f"{report.border_nodes} border nodes where streets are cut; {report.references_missing} references to nodes the"
        f" extract lacks.\n"
        f"By length: {report.share_with_maxspeed:.0%} has a posted limit, {report.share_named:.0%} a name,"
        f" {report.share_oneway:.0%} is one-way."
    )
    if report.barriers or report.restrictions:
        kinds = ", ".join(f"{count} {name.replace('_', ' ')}" for name, count in report.barriers.items())
        click.echo(
            f"On nodes: {kinds or 'nothing'}. {report.restrictions} turn restrictions, {report.restrictions_not_placed} could not"
            f" be placed. {report.nodes_merged:,} nodes merged away where nothing changes."
        )
    if report.lines:
        made = report.lines
        click.echo(
            f"Of {made['lines']:,.0f} lines {made['without_known_class']:,.0f} have no class Awl knows,"
            f" {made['without_speed']:,.0f}"
            f" no speed, {made['direction_not_understood']:,.0f} a direction that is not understood.\n"
            f"{made['crossings_broken']:,.0f} crossings broken, {made['kept_apart']:,.0f} kept apart by level;"
            f" {made['ends_joined']:,.0f} ends joined within {made['tolerance_m']:g} m."
        )
    study = Study(study_path)
    for mode in ("walk", "cycle", "drive"):
        try:
            parts = study.network(mode).parts_report
        except AwlError as error:
            click.echo(f"{mode}: {error.what}.")
            continue
        click.echo(
            f"{mode}: {parts.kept_m / 1000:,.1f} km in the largest part, {parts.left_out_m / 1000:,.1f} km left out."
        )


@main.command()
@click.argument("file", type=click.Path(path_type=Path))
@study_option
@click.option("--as", "ident", help="Id of the layer; from the file name when left out.")
@click.option("--title", help="Title of the layer.")
@click.option("--layer", "inner", help="The layer to take from a file that holds several.")
@click.option("--role", help="What it is used as: places, zones, parcels, buildings, lines; elevation or population.")
@click.option("--crs", help="Coordinate system of the file, where it states none or a wrong one, such as EPSG:32626.")
def add(
    file: Path,
    study_path: Path,
    ident: str | None,
    title: str | None,
    inner: str | None,
    role: str | None,
    crs: str | None,
) -> None:
    """Add a layer (GeoPackage, GeoJSON, FlatGeobuf, zipped Shapefile, CSV with lon and lat or wkt) or a raster (GeoTIFF).

    Example: awl add layers.gpkg --study ferrow.gpkg --layer zones --as zones
    """
    study = Study(study_path)
    ident = intake.add(file, study, ident, title, inner=inner, role=role, crs=crs)
    grid = next((one for one in study.rasters() if one["id"] == ident), None)
    if grid is not None:
        click.echo(
            f"{ident}: {grid['role']}, {grid['columns']} x {grid['rows']} cells of about {grid['cell_m']:.0f} m,"
            f" {grid['least']:g} to {grid['most']:g}."
        )
        return
    entry = next(layer for layer in study.layers() if layer["id"] == ident)
    click.echo(f"{ident}: {entry['count']:,} {entry['role']}, fields {', '.join(entry['fields']) or 'none'}.")


@main.command()
@study_option
@click.option(
    "--zones", default="zones", show_default=True, help="The layer whose centroids are joined to the streets."
)
@click.option("--nearest", default=1, show_default=True, help="How many streets each is joined to.")
@click.option("--number", help="The field with the numbers of the zones; anew when left out.")
@click.option("--people", help="Raster or layer of people: zones are joined at the mean place of theirs.")
@click.option("--people-field", help="The field of that layer with numbers of people.")
@click.option("--remove", is_flag=True, help="Take connectors out again.")
def connect(
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


@main.command()
@study_option
@json_option
def info(study_path: Path, as_json: bool) -> None:
    """Print what is in a study.

    Example: awl info --study ferrow.gpkg
    """
    study = Study(study_path)
    layers = study.layers()
    if as_json:
        known = {"title": study.title, "build": study.fact("build"), "layers": layers, "rasters": study.rasters()}
        click.echo(json.dumps(known))
        return
    click.echo(study.title)
    for grid in study.rasters():
        click.echo(
            f"  {grid['id']:<14} {grid['role']:<10} {grid['columns']} x {grid['rows']} cells, from {grid['source']}"
        )
    for layer in layers:
        click.echo(
            f"  {layer['id']:<14} {layer['role']:<8} {layer['count']:>8,}  {layer['title']}, from {layer['source']}"
        )


@main.command()
@click.argument("question")
@study_option
@click.option("--inputs", "file", type=click.Path(path_type=Path), help="JSON file with the inputs.")
@click.option(
    "--set", "pairs", multiple=True, metavar="NAME=VALUE", help="An input; places.layer=cool_rooms sets a member."
)
@click.option(
    "--out",
    type=click.Path(path_type=Path),
    help="Write FILE in the format of its ending: json, geojson, csv, parquet, gpkg; omx (matrices), gpx (routes).",
)
@click.option("--part", help="The result to write; the main one when left out.")
@click.option(
    "--workers",
    metavar="ADDRESS",
    help="Answer in blocks on the workers of a scheduler (tcp://host:8786) or of this machine (local:4); "
    "OUT is then a folder of Parquet files. An OUT without an ending is one too: then threads or processes here, as is quicker.",
)
def ask(
    question: str,
    study_path: Path,
    file: Path | None,
    pairs: tuple[str, ...],
    out: Path | None,
    part: str | None,
    workers: str | None,
) -> None:
    """Run one question; prints the results document, or writes a file.

    Example: awl ask isochrone --study ferrow.gpkg --set places.layer=cool_rooms --set limits=5,10,15 --out reach.geojson
    """
    from awl.questions import question as find
    from awl.questions.batch import WORK, run_batch
    from awl.questions.files import check_ending, part_bytes
    from awl.questions.run import ask as run

    find(question)
    inputs = inputs_of(file, pairs)
    if workers is not None or (out is not None and not out.suffix and question in WORK):
        if out is None:
            raise AwlError("Workers write blocks into a folder", remedy="Name a new one with --out", inputs=("out",))
        with _Shown() as progress:
            written = run_batch(Study(study_path), question, inputs, out, workers, progress)
        by = f", by {written.processes} processes" if written.processes else ""
        click.echo(f"{out}: {written.rows:,} rows in {written.files} Parquet files{by}")
        return
    if out is not None:
        check_ending(out.suffix[1:].lower(), out.name)
    with _Shown() as progress:
        document = run(Study(study_path), question, inputs, progress).document()
    if out is None:
        click.echo(geojson.dumps(document).decode())
        return
    write_whole(out, part_bytes(document, part, out.suffix[1:].lower(), out.name))
    click.echo(f"{out}: {document['title']}")
    for doubt in document["doubts"]:
        click.echo(f"  {doubt['grade']}: {doubt['text']}", err=True)


@main.command("run")
@click.argument("sheet")
@study_option
@click.option("--out", required=True, type=click.Path(path_type=Path), help="Folder for the answers.")
def run_sheet(sheet: str, study_path: Path, out: Path) -> None:
    """Run every question of a saved sheet; writes one results document per question.

    Example: awl run main --study ferrow.gpkg --out answers
    """
    from awl.questions.run import ask as run

    study = Study(study_path)
    found = records.sheet(study.reading, sheet)
    if found is None:
        raise AwlError(f"The study has no sheet '{sheet}'", remedy="The sheet of the browser is called 'main'")
    questions = [block for block in found["blocks"] if block.get("kind") == "question"]
    answers = []
    for block in questions:
        with _Shown() as progress:
            answers.append(run(study, block["process"], block["inputs"], progress).document())
    out.mkdir(parents=True, exist_ok=True)
    for number, (block, document) in enumerate(zip(questions, answers, strict=True), 1):
        path = out / f"{number}-{block['process']}.json"
        write_whole(path, geojson.dumps(document))
        click.echo(f"{path}: {document['title']}")


@main.command()
@click.argument("what")
@study_option
@click.option("--out", required=True, type=click.Path(path_type=Path), help="A folder for streets, a file otherwise.")
@click.option("--mode", default="walk", show_default=True, help="The mode whose streets and costs are written.")
@click.option("--at", help="Local date and time such as 2026-06-05T08:00; free flow when left out.")
def export(what: str, study_path: Path, out: Path, mode: str, at: str | None) -> None:
    """Write the street graph (WHAT = streets: a folder of GMNS tables, .gpkg or .geojson), or a layer by its id (.geojson, .csv).

    Example: awl export streets --study ferrow.gpkg --out gmns --mode drive
    """
    from awl.server.downloads import gmns_tables, graph_bytes, layer_text

    study = Study(study_path)
    if what == "streets" and out.suffix:
        write_whole(out, graph_bytes(study, mode, out.suffix[1:].lower(), at))
        click.echo(str(out))
        return
    if what == "streets":
        tables = gmns_tables(study, mode, at)
        out.mkdir(parents=True, exist_ok=True)
        for name, text in tables.items():
            write_whole(out / name, text.encode())
        click.echo(f"{out}: {', '.join(tables)}")
        return
    write_whole(out, layer_text(study.read_layer(what), out.suffix[1:].lower()))
    click.echo(str(out))


@main.command()
@click.argument("place", required=False, default=".", type=click.Path(path_type=Path))
@click.option("--host", default="127.0.0.1", show_default=True, help="Address to bind to.")
@click.option("--port", default=8787, show_default=True, type=click.IntRange(0, 65535))
def serve(place: Path, host: str, port: int) -> None:
    """Serve the studies in a folder (or one study) with the browser interface and the web API.

    Example: awl serve studies --port 8787
    """
    from awl.server.app import serve as run

    if not place.exists():
        raise AwlError("There is no such folder or study", where=str(place), remedy="Give a folder with .gpkg files")
    _listen(run, place.resolve(), host, port)


@main.command()
@click.option("--host", default="127.0.0.1", show_default=True, help="Address to bind to.")
@click.option("--port", default=8787, show_default=True, type=click.IntRange(0, 65535))
@click.option(
    "--folder", type=click.Path(path_type=Path), help="Where the demo study is kept; a fresh one when left out."
)
def demo(host: str, port: int, folder: Path | None) -> None:
    """Serve the shipped demo study of Ferrow.

    Example: awl demo --port 8787
    """
    from awl.server.app import serve as run

    fresh = None
    if folder is None:
        folder = fresh = Path(tempfile.mkdtemp(prefix="awl-demo-"))
    folder.mkdir(parents=True, exist_ok=True)
    try:
        if not (folder / "ferrow.gpkg").exists():
            click.echo("Building the demo study of Ferrow ...", err=True)
            make_demo(folder)
        _listen(run, folder.resolve(), host, port)
    finally:
        if fresh is not None:
            shutil.rmtree(fresh, ignore_errors=True)


def _listen(run: Any, place: Path, host: str, port: int) -> None:
    try:
        run(place, host, port)
    except OSError as error:
        raise AwlError(
            f"Port {port} on {host} cannot be used ({error.strerror or error})", remedy="Choose another with --port"
        ) from error


if __name__ == "__main__":
    main()
