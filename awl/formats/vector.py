"""Vector files through GDAL (pyogrio): GeoPackage, FlatGeobuf, zipped Shapefile. Everything comes out in WGS 84.

An archive is looked through before it is opened.
"""

from __future__ import annotations

import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import shapely
from pyproj import CRS, Transformer
from pyproj.exceptions import ProjError

from awl.core.errors import AwlError
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


def read(path: Path, name: str | None = None, source: str | None = None) -> tuple[Layer, str]:
    """A layer and its name; `name` may be left out where the file holds one layer only."""
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
    return Layer(to_degrees(shapes, meta["crs"], source), columns), name


def to_degrees(shapes: Any, crs: str | None, source: str) -> Any:
    """Shapes moved from the stated coordinate system to WGS 84."""
    if crs is None:
        raise AwlError("The file states no coordinate system", where=source, remedy="Export it with its CRS")
    try:
        stated = CRS.from_user_input(crs)
        if stated != CRS.from_epsg(4326):
            transformer = Transformer.from_crs(stated, 4326, always_xy=True)
            shapes = shapely.transform(shapes, lambda xy: np.column_stack(transformer.transform(xy[:, 0], xy[:, 1])))
    except ProjError as error:
        raise AwlError(
            f"The coordinate system '{crs[:60]}' is not known", where=source, remedy="Reproject it"
        ) from error
    xy = shapely.get_coordinates(shapes)
    if not np.isfinite(xy).all() or (len(xy) and (np.abs(xy[:, 0]).max() > 180 or np.abs(xy[:, 1]).max() > 90)):
        raise AwlError(
            f"The coordinates do not fit the stated system {crs[:60]}", where=source, remedy="State the right system"
        )
    return shapes


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
