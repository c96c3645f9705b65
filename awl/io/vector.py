"""Vector files through GDAL (pyogrio): GeoPackage, FlatGeobuf, Shapefile, KML, GPX, file geodatabase.

Everything comes out in WGS 84. A file is opened by the driver of its ending (`gdal.py`); an archive is looked through before it
is opened, and may hold several Shapefiles.
"""

from __future__ import annotations

import sqlite3
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, NamedTuple
from urllib.parse import quote

import numpy as np
import shapely

from awl.core.errors import AwlError
from awl.io.crs import not_on_earth, to_degrees
from awl.io.gdal import check_signature, check_xml, message, vector_reader
from awl.io.limits import MAX_FEATURES, MAX_FIELDS, archive_members, check_size, opened_archive
from awl.io.table import Table

VIEWS_S = 5.0
"""Seconds that all views of a GeoPackage may take."""
ENDINGS = (".gpkg", ".fgb", ".shp", ".zip", ".kml", ".kmz", ".gpx", ".gdb")
LEGACY_ENCODING = "cp1252"
"""Tried where the text of a Shapefile is not in the encoding it states."""
DRAWING_FIELDS = {"altitudeMode", "tessellate", "extrude", "visibility", "drawOrder", "icon", "snippet"}
"""Fields that GDAL adds to every layer of KML; they say how a globe draws it."""


class _Address(NamedTuple):
    """Where GDAL finds a layer: what it opens, and the name of the layer in it."""

    opened: str
    name: str


def layers(path: Path, source: str) -> list[str]:
    """Names of the feature layers of a file; layers without features of formats that always have the same ones are left out.

    Parameters:
        path: the file.
        source: the name of the file, for messages.

    Raises:
        AwlError: the file is missing, too large, damaged, or not what its name says.
    """
    return list(_addresses(path, source))


def stated_crs(path: Path, name: str | None, source: str) -> str | None:
    """The coordinate system a layer states, None where it states none.

    Parameters:
        path: the file.
        name: the layer; the only one where None.
        source: the name of the file, for messages.
    """
    address = _chosen(path, name, source)[1]
    with _reading(path, source or path.name):
        stated: str | None = vector_reader().read_info(address.opened, layer=address.name)["crs"]
    return stated


@contextmanager
def _reading(path: Path, source: str) -> Iterator[None]:
    """What GDAL cannot read is told in words of the user's."""
    errors = vector_reader().errors
    try:
        yield
    except (errors.DataSourceError, errors.DataLayerError, errors.FeatureError) as error:
        raise AwlError(
            f"The file cannot be read ({message(error, path, source)})", where=source, remedy="Export it again"
        ) from error
    except UnicodeDecodeError as error:
        raise AwlError("The text of the layer is damaged", where=source, remedy="Export it again") from error


def read(
    path: Path, name: str | None = None, source: str | None = None, crs: str | None = None, strict: bool = False
) -> tuple[Table, str]:
    """A layer and its name; `name` may be left out where the file holds one layer only.

    `crs` says what the coordinates are, in place of what the file states. Features that lie nowhere on Earth are left out, or
    refuse the layer with `strict`.

    Parameters:
        path: the file.
        name: the layer; the only one where None.
        source: the name of the file, for messages.
        crs: EPSG code or definition of the coordinate system; None where none is stated.
        strict: refuse the file at the first fault instead of leaving faulty rows out.
    """
    source = source or path.name
    name, address = _chosen(path, name, source)
    pyogrio = vector_reader()
    with _reading(path, source):
        info = pyogrio.read_info(address.opened, layer=address.name, force_feature_count=True)
        if info["features"] > MAX_FEATURES or len(info["fields"]) > MAX_FIELDS:
            raise AwlError(
                f"{info['features']:,} features with {len(info['fields'])} fields are more than Awl takes in",
                where=source,
                remedy="Filter it first",
            )
        try:
            meta, _, wkb, fields = pyogrio.raw.read(address.opened, layer=address.name, force_2d=True)
        except UnicodeDecodeError:
            meta, _, wkb, fields = pyogrio.raw.read(
                address.opened, layer=address.name, force_2d=True, encoding=LEGACY_ENCODING
            )
    shapes = np.asarray(shapely.from_wkb(wkb), dtype=object)
    columns = {
        str(key): [_plain(v) for v in values.tolist()] for key, values in zip(meta["fields"], fields, strict=True)
    }
    if Path(source).suffix.lower() in (".kml", ".kmz", ".gpx"):
        columns = {
            key: values
            for key, values in columns.items()
            if key not in DRAWING_FIELDS and any(value is not None for value in values)
        }
    shapes = to_degrees(shapes, crs or meta["crs"], source)
    return Table(shapes, columns).without(not_on_earth(shapes, "feature"), source, strict), name


def _chosen(path: Path, name: str | None, source: str) -> tuple[str, _Address]:
    """Name and address of a layer; raises where the file has no such layer, or several and none is named."""
    known = _addresses(path, source)
    if not known:
        raise AwlError("The file holds no layer with geometries", where=source, remedy="Check how it was exported")
    if name is None and len(known) > 1:
        raise AwlError(f"The file holds {len(known)} layers", where=source, remedy=f"Choose one: {', '.join(known)}")
    if name is not None and name not in known:
        raise AwlError(f"The file has no layer '{name}'", where=source, remedy=f"It has: {', '.join(known)}")
    name = name or next(iter(known))
    return name, known[name]


def _addresses(path: Path, source: str) -> dict[str, _Address]:
    """The feature layers of a file by name."""
    ending = Path(source).suffix.lower()
    if ending not in ENDINGS:
        raise AwlError(
            f"'{source}' is not a kind of layer Awl reads", where=source, remedy=f"Give {', '.join(ENDINGS)}"
        )
    if ending == ".gdb":
        return _listed(str(path), path, source)
    check_size(path)
    with path.open("rb") as stream:
        head = stream.read(16)
    if ending in (".zip", ".kmz"):
        check_signature(head, ".zip", source)
        return _in_archive(path, source)
    if ending in (".kml", ".gpx"):
        check_xml(path.read_bytes(), source)
    else:
        check_signature(head, ending, source)
    if ending == ".gpkg":
        _check_views(path, source)
    return _listed(str(path), path, source, only_filled=ending == ".gpx")


def _check_views(path: Path, source: str) -> None:
    """Refuse a GeoPackage with a view that does not come to an end: GDAL would run it, and could not be stopped."""
    until = time.monotonic() + VIEWS_S
    connection = sqlite3.connect(f"file:{quote(str(path.resolve()))}?mode=ro&immutable=1", uri=True)
    connection.set_progress_handler(lambda: int(time.monotonic() > until), 100_000)
    try:
        connection.execute("PRAGMA trusted_schema = OFF")
        for (name,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'view'").fetchall():
            quoted = name.replace('"', '""')
            connection.execute(f'SELECT count(*) FROM "{quoted}"').fetchone()
    except (sqlite3.DatabaseError, UnicodeDecodeError) as error:
        if "interrupted" in str(error):
            raise AwlError(
                "The file holds a view that takes too long", where=source, remedy="Export its layers as tables"
            ) from error
        raise AwlError(
            f"The file is no GeoPackage that can be read ({error})", where=source, remedy="Export it again"
        ) from error
    finally:
        connection.close()


def _in_archive(path: Path, source: str) -> dict[str, _Address]:
    """The layers of an archive: its Shapefiles, each under its own name, or a file geodatabase or KML in it."""
    members = archive_members(path, source)
    inside = f"/vsizip/{{{path}}}/"
    with opened_archive(path, source) as archive:
        shapefiles = [name for name in members if name.lower().endswith(".shp")]
        for name in shapefiles:
            with archive.open(name) as stream:
                check_signature(stream.read(16), ".shp", f"{source}, {name}")
        documents = [name for name in members if name.lower().endswith(".kml")]
        for name in documents:
            check_xml(archive.read(name), f"{source}, {name}")
    databases = {part for name in members for part in _databases(name)}
    if shapefiles:
        stems = [Path(name).stem for name in shapefiles]
        known = {}
        for name, stem in zip(shapefiles, stems, strict=True):
            shown = stem if stems.count(stem) == 1 else str(Path(name).with_suffix(""))
            known[shown] = _Address(inside + name, stem)
        return known
    if databases:
        return _listed(inside + min(databases), path, source)
    if documents:
        return _listed(inside + documents[0], path, source)
    raise AwlError(
        "The archive holds no Shapefile, file geodatabase or KML", where=source, remedy="Zip the parts of the layer"
    )


def _databases(name: str) -> list[str]:
    """The file geodatabases (folders) a member of an archive lies in."""
    return [str(part) for part in Path(name).parents if part.suffix.lower() == ".gdb"]


def _listed(opened: str, path: Path, source: str, only_filled: bool = False) -> dict[str, _Address]:
    """The feature layers GDAL finds in what it opens."""
    pyogrio = vector_reader()
    with _reading(path, source):
        names = [str(name) for name, kind in pyogrio.list_layers(opened) if kind is not None]
        if only_filled:
            names = [n for n in names if pyogrio.read_info(opened, layer=n, force_feature_count=True)["features"]]
    return {name: _Address(opened, name) for name in names}


def _plain(value: Any) -> Any:
    """Absent numbers become None; dates become text."""
    if value is None or value != value:
        return None
    return value if isinstance(value, int | float | str | bool) else str(value)
