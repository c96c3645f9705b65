"""Bring files into a study: a map extract, lines or a ready graph become streets, other files become layers."""

from __future__ import annotations

import os
import shutil
import uuid
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.geodesy import segment_lengths
from awl.core.graph.base_map import BaseLayer, base_layers
from awl.core.graph.build import BuildReport, build_graph, fill_report
from awl.core.graph.connectors import whole_streets
from awl.core.graph.identity import with_ids_of
from awl.core.graph.lines import raw_of_lines
from awl.core.graph.numbering import numbered_by, numbered_from
from awl.core.graph.raw import RawExtract
from awl.core.graph.street_graph import StreetGraph
from awl.core.polygons import repaired
from awl.core.progress import Progress
from awl.io import geojson, gmns_read, graph_tables, gtfs, link_list, osm, place_tables, poly, raster, vector
from awl.io.fields import check_key
from awl.io.limits import check_size
from awl.io.osm import is_extract
from awl.io.osm_change import refuse_change_file
from awl.io.place_tables import PlaceColumns
from awl.io.table import NAMED, Table
from awl.study import feeds, ledger, litter
from awl.study.line_fields import BuildOptions, given_costs, guess, streets_of
from awl.study.litter import SCRATCH
from awl.study.study import CHANGEABLE, NewLayer, Study, slug

Pairs = NDArray[np.float64]
VECTOR_ENDINGS = vector.ENDINGS
TABLE_ENDINGS = (".csv", ".tsv", ".txt", ".xlsx")
LINE_ENDINGS = (*VECTOR_ENDINGS, ".geojson", ".json", *TABLE_ENDINGS)
DERIVED = ("slope", "gradient", "aspect", "hillshade", "roughness", "curvature")
"""Words in the name of a raster that holds something else than heights or people."""
FAR_DEGREES = 0.5
"""A layer farther than this from the streets is asked about."""


def is_lines(name: str) -> bool:
    """Whether a file name is that of a format that may hold lines."""
    return name.lower().endswith(LINE_ENDINGS)


@dataclass(frozen=True)
class ReadOptions:
    """How a layer is read where its file does not say, or says it wrong.

    Attributes:
        crs: what its coordinates are.
        place: the columns of a table that hold the place of a row.
        strict: refuse it at the first faulty row instead of leaving such rows out.
        key: the field that identifies features; guessed where it is not said.
        anywhere: take it in though it lies far from the streets.
    """

    crs: str | None = None
    place: PlaceColumns | None = None
    strict: bool = False
    key: str | None = None
    anywhere: bool = False


def build(
    extract: Path | Sequence[Path],
    study: Path,
    area: shapely.Geometry | None = None,
    title: str | None = None,
    progress: Progress | None = None,
    source: str | None = None,
    options: BuildOptions | None = None,
) -> BuildReport:
    """Build the streets of a study from a file, making the study when there is none.

    The file is a map extract (or several of neighbouring areas), a line layer or a ready graph.
    Nothing lands unless everything does: a new study appears by renaming, an existing one changes in one transaction.
    """
    progress, options = progress or Progress(), options or BuildOptions()
    files = [extract] if isinstance(extract, Path) else list(extract)
    source = source or " + ".join(path.name for path in files)
    graph, base, report = _streets(files, source, area, options, progress)
    progress.step(0.85, "Writing the study")
    if study.exists():
        known = Study(study)
        if known.revision and not report.ready:
            graph = with_ids_of(
                whole_streets(ledger.unedited(known.reading, known.graph)), graph, options.numbers_nodes
            )
            report.links_known = int((graph.link_id <= graph.highest_ids[1]).sum())
        known.set_streets(graph, base, report, source, area)
    else:
        study.parent.mkdir(parents=True, exist_ok=True)
        litter.sweep(study.parent)
        scratch = study.with_name(f"{SCRATCH}{os.getpid()}-{uuid.uuid4().hex[:8]}-{study.name}")
        try:
            created = Study.create(scratch, title or study.stem.replace("_", " ").title())
            created.set_streets(graph, base, report, source, area)
            created.reading.close()
            _put_in_place(scratch, study)
        finally:
            litter.remove(scratch)
    progress.step(1.0, "Built")
    return report


def _put_in_place(scratch: Path, study: Path) -> None:
    """Give a new study its name, unless another has got it meanwhile."""
    try:
        os.link(scratch, study)
    except FileExistsError as error:
        raise AwlError(
            "A file of this name exists", where=study.name, remedy="Choose another name", status=409
        ) from error
    except OSError:
        scratch.rename(study)  # a file system without links
    arrays = scratch.with_suffix(".awl")
    if arrays.exists():
        # What an older study of this name left behind is worth nothing.
        shutil.rmtree(study.with_suffix(".awl"), ignore_errors=True)
        arrays.rename(study.with_suffix(".awl"))


def _streets(
    files: Sequence[Path], source: str, area: shapely.Geometry | None, options: BuildOptions, progress: Progress
) -> tuple[StreetGraph, dict[str, BaseLayer], BuildReport]:
    """Graph, base map and report, whatever kind of source it is."""
    if len(files) > 1 and not all(is_extract(path.name) for path in files):
        raise AwlError("Only map extracts are read several at once", where=source, remedy="Give the others one by one")
    extract = files[0]
    if not extract.exists():
        raise AwlError("There is no such file", where=str(extract), remedy="Check the path", kind="no-such-file")
    refuse_change_file(source)
    if not gmns_read.is_folder(extract):
        check_size(extract)
    ready = read_graph(extract, source, options)
    if ready is not None:
        if area is not None or options.without:
            raise AwlError(
                "A ready street graph is taken in whole",
                where=source,
                remedy="Leave out study area and classes, or build from the extract it came from",
                inputs=("area",),
            )
        count = ready.graph.link_count
        report = BuildReport(ways_read=count, streets_read=count, left_out=ready.left_out, ready=True)
        fill_report(report, ready.graph)
        return ready.graph, {}, report
    costs: Pairs | None = None
    notes: dict[str, float] = {}
    if is_extract(source):
        raw = osm.read(files, source, progress.part(0.0, 0.5), options.strict)
    elif is_lines(source):
        raw, notes, costs = _read_lines(extract, source, options, progress.part(0.0, 0.5))
    else:
        raise AwlError(
            f"'{source}' is not a kind of file Awl builds streets from",
            where=source,
            remedy=f"Give a map extract ({', '.join(osm.ENDINGS)}), a line layer ({', '.join(LINE_ENDINGS)})"
            " or a folder of GMNS tables",
        )
    # The nodes of lines are where their owner drew them: a numbering may rest on them.
    merge = options.merge and is_extract(source) and options.nodes is None
    graph, report = build_graph(raw, area, progress.part(0.5, 0.7), options.without, merge)
    report.lines = notes
    if costs is not None:
        graph = _with_costs(graph, costs)
    graph = _numbered(graph, options)
    progress.step(0.7, "Drawing the base map")
    return graph, base_layers(raw, report), report


def read_graph(path: Path, source: str, options: BuildOptions | None = None) -> gmns_read.ReadGraph | None:
    """The street graph a source holds ready-made: GMNS tables, or nodes and links as layers; None when it holds none."""
    options = options or BuildOptions()
    crs = options.crs
    if (folder := gmns_folder(path, source)) is not None:
        return gmns_read.read(folder, crs, options.weight, options.units, options.strict)
    if link_list.is_link_list(path, source):
        return gmns_read.ReadGraph(link_list.read(path, source, options.weight, options.units.length), {})
    ending = Path(source).suffix.lower()
    tables: dict[str, Table] = {}
    if ending == ".gpkg":
        names = vector.layers(path, source)
        if {"nodes", "streets"} <= set(names):
            wanted = {"nodes": "nodes", "links": "streets", "restrictions": "restrictions"}
            tables = {key: vector.read(path, name, source, crs)[0] for key, name in wanted.items() if name in names}
    elif ending in (".geojson", ".json"):
        tables = graph_tables.apart(geojson.read(path, crs))
    if not tables or not graph_tables.is_graph(tables["nodes"], tables["links"]):
        return None
    graph = graph_tables.graph_of(tables["nodes"], tables["links"], tables.get("restrictions"), source)
    return gmns_read.ReadGraph(graph.in_space_order(), {})


def gmns_folder(path: Path, source: str) -> Path | None:
    """The folder of GMNS tables a source is, or holds zipped."""
    if gmns_read.is_folder(path):
        return path
    return gmns_read.unpacked(path) if source.lower().endswith(".zip") else None


def _read_lines(
    path: Path, source: str, options: BuildOptions, progress: Progress
) -> tuple[RawExtract, dict[str, float], Pairs | None]:
    """The ways of a line layer, what was assumed and done, and the given costs of its features."""
    progress.step(0.0, f"Reading {source}")
    layer = features(path, source, options.layer, ReadOptions(options.crs, strict=options.strict))[0]
    chosen = guess(layer).with_choices(options.choices)
    streets, notes = streets_of(layer, chosen, source)
    costs = given_costs(layer, chosen, source)
    raw, joined = raw_of_lines(streets, options.tolerance_m, progress.part(0.2, 1.0), options.break_crossings)
    counts = {**vars(notes), **vars(joined)}
    return raw, {"tolerance_m": options.tolerance_m, **{key: round(value, 3) for key, value in counts.items()}}, costs


def _with_costs(graph: StreetGraph, costs: Pairs) -> StreetGraph:
    """The graph with the cost of each line shared out over its links by length."""
    row = graph.link_way - 1
    length = np.bincount(row, weights=graph.link_length, minlength=len(costs))
    share = graph.link_length / np.maximum(length[row], 1e-9)
    return replace(graph, costs={"cost": costs[row] * share[:, None]})


def _numbered(graph: StreetGraph, options: BuildOptions) -> StreetGraph:
    """The graph with the node numbers asked for; raises with the places where a node layer does not fit."""
    if options.nodes is None:
        return graph if options.first_node == 1 else numbered_from(graph, options.first_node)
    source = options.nodes.name
    layer, _ = features(options.nodes, source, options.nodes_layer, ReadOptions(options.crs))
    if layer.kind != "point":
        raise AwlError(
            f"The node layer holds {layer.kind} features", where=source, remedy="Give points", inputs=("nodes",)
        )
    if options.nodes_field is None or options.nodes_field not in layer.columns:
        raise AwlError(
            f"The node layer has no field '{options.nodes_field}'",
            where=source,
            remedy=f"Name the field with the numbers: {', '.join(layer.columns)}",
            inputs=("nodes",),
        )
    values = layer.columns[options.nodes_field]
    numbers = values.numbers() if values.is_numeric else np.full(len(values), np.nan)
    if not (numbers == np.round(numbers)).all():
        raise AwlError(
            f"Not every '{options.nodes_field}' is a whole number",
            where=source,
            remedy="Mend the layer",
            inputs=("nodes",),
        )
    points = shapely.get_point(layer.geometry, 0) if shapely.get_type_id(layer.geometry[0]) == 1 else layer.geometry
    numbered, faults = numbered_by(graph, shapely.get_x(points), shapely.get_y(points), numbers.astype(np.int64))
    if numbered is None:
        raise faults.error()
    return numbered.in_space_order()


def add(
    path: Path,
    study: Study,
    ident: str | None = None,
    title: str | None = None,
    source: str | None = None,
    inner: str | None = None,
    role: str | None = None,
    how: ReadOptions | None = None,
) -> str:
    """Add a vector file or a raster as a layer; returns its id. Its role follows from its content unless it is given.

    `inner` names the layer of a file that holds several; it also gives id and title unless these are given.
    """
    source, how = source or path.name, how or ReadOptions()
    if gtfs.is_feed(path):
        return feeds.add_file(path, study, ident, title, source)
    if raster.is_raster(source):
        return _add_raster(path, study, ident, title, source, role, how.crs)
    layer = _read(path, ident, title, source, inner, role, how)
    if not how.anywhere:
        check_near(layer.layer, study, source)
    study.add_layers([layer])
    return layer.ident


def _add_raster(
    path: Path, study: Study, ident: str | None, title: str | None, source: str, role: str | None, crs: str | None
) -> str:
    grid = raster.read(path, source, crs)
    stem = Path(source).stem
    if role is None and (word := next((word for word in DERIVED if word in stem.lower()), None)):
        raise AwlError(
            f"By its name the raster holds {word}, which is derived from elevation and not used",
            where=source,
            remedy="Add the elevation itself, or say --role elevation if that is what it holds",
            inputs=("role",),
            kind="derived-raster",
        )
    ident = ident or slug(stem)
    study.add_raster(
        ident, title or stem.replace("_", " ").capitalize(), role or raster_role(stem, grid), source, grid, path
    )
    return ident


def raster_role(stem: str, grid: raster.Raster) -> str:
    """What a raster is, by its name or else by its content."""
    name = stem.lower()
    if any(word in name for word in ("elev", "dem", "dtm", "height", "terrain")):
        return "elevation"
    return "population" if any(word in name for word in ("pop", "people", "inhabit", "residents")) else grid.role


def add_all(path: Path, study: Study, source: str | None = None, progress: Progress | None = None) -> list[str]:
    """Add every layer of a file, all or none; returns their ids."""
    progress, source = progress or Progress(), source or path.name
    if gtfs.is_feed(path):
        return [feeds.add_file(path, study, None, None, source, progress)]
    if raster.is_raster(source):
        return [add(path, study, source=source)]
    several = Path(source).suffix.lower() in VECTOR_ENDINGS
    names: list[str | None] = list(vector.layers(path, source)) if several else []
    read = []
    for done, name in enumerate(names or [None]):
        progress.step(done / max(len(names), 1), f"Reading {name or source}")
        read.append(_read(path, None, None, source, name))
    for layer in read:
        check_near(layer.layer, study, source)
    study.add_layers(read)
    return [layer.ident for layer in read]


def add_chosen(
    path: Path,
    study: Study,
    chosen: list[tuple[str | None, str | None, str | None, ReadOptions]],
    source: str,
    progress: Progress | None = None,
) -> list[str]:
    """Add some layers of a file, given as (name in the file, role, title, how it is read), all or none."""
    progress = progress or Progress()
    if gtfs.is_feed(path):
        return [feeds.add_file(path, study, None, chosen[0][2], source, progress)]
    if raster.is_raster(source):
        _, role, title, how = chosen[0]
        return [add(path, study, None, title, source, None, role, how)]
    read = []
    for done, (name, role, title, how) in enumerate(chosen):
        progress.step(done / len(chosen), f"Reading {name or source}")
        read.append(_read(path, None, title, source, name, role, how))
    study.add_layers(read)
    return [layer.ident for layer in read]


def street_bounds(study: Study) -> list[float] | None:
    """West, south, east, north of the streets of a study that has some."""
    if not study.revision:
        return None
    lon, lat = study.graph.node_lon, study.graph.node_lat
    return [float(v) for v in (lon.min(), lat.min(), lon.max(), lat.max())]


def apart(box: Sequence[float], other: Sequence[float]) -> bool:
    """Whether two boxes (W, S, E, N in degrees) lie more than `FAR_DEGREES` from each other."""
    west, south, east, north = other
    far = FAR_DEGREES
    return box[0] > east + far or box[2] < west - far or box[1] > north + far or box[3] < south - far


def check_near(layer: Table, study: Study, source: str) -> None:
    """Refuse a layer that lies far from the streets of a study: most likely its coordinates are not what they are taken for."""
    streets, box = street_bounds(study), shapely.total_bounds(layer.geometry)
    if streets is None or not np.isfinite(box).all() or not apart(box.tolist(), streets):
        return
    line = shapely.get_coordinates(shapely.shortest_line(shapely.box(*box), shapely.box(*streets)))
    metres = float(segment_lengths(line[:1, 0], line[:1, 1], line[1:, 0], line[1:, 1])[0])
    raise AwlError(
        f"The layer lies {metres / 1000:,.0f} km from the streets",
        where=source,
        remedy="Say its coordinate system (--crs), or add it all the same (--anywhere)",
        inputs=("crs",),
        kind="far-away",
    )


def _read(
    path: Path, ident: str | None, title: str | None, source: str, inner: str | None, role: str | None = None,
    how: ReadOptions | None = None,
) -> NewLayer:  # fmt: skip
    how = how or ReadOptions()
    layer, inner = features(path, source, inner, how)
    layer, kind = usable(layer, source), layer.kind
    if how.key is not None:
        check_key(how.key, layer.columns, source)
        layer = layer.with_key(how.key)
    stem = inner or Path(source).stem
    role = role or suggested_role(stem, layer, kind)
    if role not in CHANGEABLE:
        raise AwlError(
            f"'{role}' is no role of a layer",
            remedy=f"Roles are: {', '.join(CHANGEABLE)}",
            inputs=("role",),
            where=source,
        )
    if (role == "lines" and kind != "line") or (role in ("zones", "parcels", "buildings") and kind == "point"):
        raise AwlError(
            f"A layer of {kind} features cannot be {role}", where=source, remedy="Choose another role", inputs=("role",)
        )
    return NewLayer(ident or slug(stem), layer, title or stem.replace("_", " ").capitalize(), role, source)


def usable(layer: Table, source: str) -> Table:
    """The layer, of one kind of geometry and with polygons repaired; raises when it cannot be used."""
    missing = shapely.is_missing(layer.geometry) | shapely.is_empty(layer.geometry)
    if len(layer) == 0 or missing.all():
        raise AwlError(
            "The layer holds no feature" if len(layer) == 0 else "No feature has a geometry",
            where=source,
            remedy="Check how the file was exported",
            kind="empty-layer",
        )
    if layer.kind == "mixed":
        kinds = Table.kinds(layer.geometry)
        raise AwlError(
            f"The layer mixes {', '.join(f'{count:,} {name}' for name, count in kinds.items())} features",
            where=source,
            remedy="Split it by kind of geometry: places are points, zones polygons, streets lines",
            kind="wrong-geometry",
        )
    return _sound(layer, source) if layer.kind == "polygon" else layer


def _sound(layer: Table, source: str) -> Table:
    """A layer of polygons without those that cross themselves; which, and what became of their area, is noted."""
    repair = repaired(layer.geometry)
    if len(repair.rows) == 0:
        return layer
    gone = {
        int(row): f"feature {row + 1}: Its polygon encloses nothing"
        for row in repair.rows
        if repair.shapes[row] is None
    }
    most = repair.rows[np.argsort(-np.abs(repair.change), kind="stable")][:NAMED]
    change = dict(zip(repair.rows.tolist(), repair.change.tolist(), strict=True))
    named = tuple(f"feature {row + 1}: {_change_text(change[row])}" for row in most.tolist() if row not in gone)
    notes = replace(layer.notes, repaired=len(repair.rows) - len(gone), repaired_named=named)
    sound = layer.with_geometry(repair.shapes).with_notes(notes).without(gone, source)
    return sound.with_notes(replace(sound.notes, left_out=layer.notes.left_out + len(gone)))


def _change_text(change: float) -> str:
    """What became of the area of a repaired polygon."""
    if not np.isfinite(change):
        return "its area had no size as drawn"
    if abs(change) < 5e-5:
        return "its area is the same"
    return f"its area is {abs(change):.1%} {'smaller' if change < 0 else 'larger'}"


def suggested_role(name: str, layer: Table, kind: str) -> str:
    """What a layer is likely to be used as, by its geometry, name and fields."""
    if kind == "line":
        return "lines"
    text, fields = name.lower(), {field.lower() for field in layer.columns}
    if kind == "polygon":
        if "parcel" in text or "parcel_id" in fields or "plot" in text:
            return "parcels"
        if "building" in text or fields & {"building", "floors", "floor_area", "building:levels"}:
            return "buildings"
        return "zones"
    return "places"


def features(path: Path, source: str, inner: str | None, how: ReadOptions | None = None) -> tuple[Table, str | None]:
    """The features of a vector file in degrees, and the name of its layer where the format has names."""
    how, ending = how or ReadOptions(), Path(source).suffix.lower()
    if ending in (".geojson", ".json"):
        return geojson.read(path, how.crs, how.strict), None
    if ending in TABLE_ENDINGS:
        return place_tables.read(path, source, how.crs, how.place, how.strict), None
    if ending in VECTOR_ENDINGS:
        return vector.read(path, inner, source, how.crs, how.strict)
    if ending == ".poly":
        return poly.read(path, source), None
    refuse_change_file(source)
    raise AwlError(
        f"'{source}' is not a kind of layer Awl reads",
        where=source,
        remedy="Give GeoPackage, GeoJSON, FlatGeobuf, Shapefile, file geodatabase, KML, GPX, CSV or XLSX with coordinates,"
        " or a GeoTIFF",
    )
