"""Vector files through GDAL (pyogrio): GeoPackage, FlatGeobuf, zipped Shapefile. Everything comes out in WGS 84.

An archive is looked through before it is opened.
"""

from __future__ import annotations

import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import shapely

from awl.core.errors import AwlError
from awl.formats.crs import to_degrees
from awl.formats.limits import MAX_FEATURES, MAX_FIELDS, check_size
from awl.formats.table import Layer

MAX_UNPACKED = 4 << 30


def layers(path: Path, source: str) -> list[str]:
    """Names of the feature layers of a file."""
    import pyogrio  # 0.2 s: only when a file of this kind comes in

    check_size(path)
    try:
        return [str(name) for name, kind in pyogrio.list_layers(_address(path, source)) if kind is not None]
    except (pyogrio.errors.DataSourceError, pyogrio.errors.DataLayerError) as error:
        raise AwlError(
            f"The file cannot be read ({str(error)[:120]})", where=source, remedy="Export it again"
        ) from error


def stated_crs(path: Path, name: str | None, source: str) -> str | None:
    """The coordinate system a layer states, None where it states none."""
    import pyogrio

    stated: str | None = pyogrio.read_info(_address(path, source), layer=name)["crs"]
    return stated


def read(path: Path, name: str | None = None, source: str | None = None, crs: str | None = None) -> tuple[Layer, str]:
    """A layer and its name; `name` may be left out where the file holds one layer only.

    `crs` says what the coordinates are, in place of what the file states.
    """
    import pyogrio

    source = source or path.name
    found = layers(path, source)
    if not found:
        raise AwlError("The file holds no layer with geometries", where=source, remedy="Check how it was exported")
    if name is None and len(found) > 1:
        raise AwlError(f"The file holds {len(found)} layers", where=source, remedy=f"Choose one: {', '.join(found)}")
    if name is not None and name not in found:
        raise AwlError(f"The file has no layer '{name}'", where=source, remedy=f"It has: {', '.join(found)}")
    name = name or found[0]
    try:
        info = pyogrio.read_info(_address(path, source), layer=name, force_feature_count=True)
        if info["features"] > MAX_FEATURES or len(info["fields"]) > MAX_FIELDS:
            raise AwlError(
                f"{info['features']:,} features with {len(info['fields'])} fields are more than Awl takes in",
                where=source,
                remedy="Filter it first",
            )
        meta, _, wkb, fields = pyogrio.raw.read(_address(path, source), layer=name, force_2d=True)
    except (pyogrio.errors.DataSourceError, pyogrio.errors.DataLayerError, pyogrio.errors.FeatureError) as error:
        raise AwlError(
            f"The layer cannot be read ({str(error)[:120]})", where=source, remedy="Export it again"
        ) from error
    shapes = np.asarray(shapely.from_wkb(wkb), dtype=object)
    columns = {
        str(key): [_plain(v) for v in values.tolist()] for key, values in zip(meta["fields"], fields, strict=True)
    }
    return Layer(to_degrees(shapes, crs or meta["crs"], source), columns), name


def _address(path: Path, source: str) -> str:
    """What GDAL opens: the file, or the one Shapefile inside an archive."""
    ending = Path(source).suffix.lower()
    if ending != ".zip":
        return str(path)
    try:
        with zipfile.ZipFile(path) as archive:
            members = archive.infolist()
    except zipfile.BadZipFile as error:
        raise AwlError("The file is no zip archive", where=source, remedy="Zip the parts of the Shapefile") from error
    if sum(member.file_size for member in members) > MAX_UNPACKED or len(members) > 1000:
        raise AwlError("The archive unpacks to more than Awl takes in", where=source, remedy="Filter it first")
    shapefiles = [member.filename for member in members if member.filename.lower().endswith(".shp")]
    if len(shapefiles) != 1 or ".." in Path(shapefiles[0]).parts:
        raise AwlError(
            f"The archive holds {len(shapefiles)} Shapefiles", where=source, remedy="Zip one Shapefile alone"
        )
    return f"/vsizip/{path}/{shapefiles[0]}"


def _plain(value: Any) -> Any:
    """Absent numbers become None; dates become text."""
    if value is None or value != value:
        return None
    return value if isinstance(value, int | float | str | bool) else str(value)
