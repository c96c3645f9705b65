"""GDAL with its doors shut: a file is opened by the driver its ending belongs to, by no other, and by nothing on a network.

GDAL chooses a driver by what a file holds, and some drivers only describe where the data is: another file of this machine, an
address, a database. `vector_reader` takes all drivers away but those Awl reads with; rasters are opened with their driver named,
inside `raster_environment`; `check_signature` compares the first bytes of a file with its ending before GDAL sees it.
"""

from __future__ import annotations

import os
import threading
import warnings
from functools import cache
from pathlib import Path
from types import ModuleType
from typing import Any

from awl.core.errors import AwlError

VECTOR_DRIVERS = frozenset({"GPKG", "ESRI Shapefile", "FlatGeobuf", "LIBKML", "GPX", "OpenFileGDB"})
SIGNATURES: dict[str, tuple[tuple[bytes, ...], str]] = {
    ".gpkg": ((b"SQLite format 3\0",), "a GeoPackage"),
    ".fgb": ((b"fgb\x03fgb",), "a FlatGeobuf file"),
    ".shp": ((b"\0\0\x27\x0a",), "a Shapefile"),
    ".zip": ((b"PK\x03\x04",), "a zip archive"),
    ".tif": ((b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"), "a GeoTIFF"),
    ".tiff": ((b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"), "a GeoTIFF"),
}
"""First bytes that files of an ending have, and what such a file is called."""
SETTINGS_PREFIXES = ("GDAL_", "OGR_", "CPL_", "VSI_")
CLOSED: dict[str, str] = {
    "CPL_VSIL_CURL_ALLOWED_EXTENSIONS": "{none}",
    "OGR_SQLITE_ALLOW_EXTERNAL_ACCESS": "NO",
    "OGR_SQLITE_LOAD_EXTENSIONS": "NO",
}
"""Settings of GDAL that keep it from the network and from loading code."""
_first_use = threading.Lock()


def check_signature(head: bytes, ending: str, source: str) -> None:
    """Refuse a file whose first bytes are not those of its ending.

    Parameters:
        head: the first 16 bytes of the file, or more.
        ending: the ending of its name in small letters, such as ".gpkg".
        source: the name of the file for the message.

    Raises:
        AwlError: the file is something else than its name says.
    """
    signatures, kind = SIGNATURES[ending]
    if not head.startswith(signatures):
        raise AwlError(
            f"The file is not {kind}, whatever its name says",
            where=source,
            remedy="Give it the ending of what it is, or export it again",
            kind="wrong-format",
        )


def check_xml(data: bytes, source: str) -> None:
    """Refuse XML that is no UTF-8 text, or that brings a document type or entities of its own.

    Parameters:
        data: the file.
        source: the name of the file, for messages.

    Raises:
        AwlError: the data is something else than XML, or XML that could refer to other files or grow without bound.
    """
    head = data[:1000].removeprefix(b"\xef\xbb\xbf").lstrip()
    if not head.startswith(b"<") or b"\0" in head:
        raise AwlError(
            "The file is not XML in UTF-8, whatever its name says",
            where=source,
            remedy="Give it the ending of what it is, or export it again",
            kind="wrong-format",
        )
    if b"<!DOCTYPE" in data or b"<!ENTITY" in data:
        raise AwlError("The file defines a document type or entities", where=source, remedy="Export it without")


def message(error: Exception, path: Path, source: str) -> str:
    """What GDAL says of a file, at most 120 characters, with the name the user gave in place of the path it was kept under.

    Parameters:
        error: what was raised.
        path: the file.
        source: the name of the file, for messages.
    """
    return str(error).replace(str(path), source).replace(path.name, source)[:120]


def vector_reader() -> ModuleType:
    """The module `pyogrio`, with the drivers of `VECTOR_DRIVERS` alone."""
    with _first_use:
        return _vector_reader()


@cache
def _vector_reader() -> ModuleType:
    _forget_environment()
    import pyogrio  # 0.2 s: only when a file of this kind comes in
    from pyogrio import _ogr

    others = sorted(set(pyogrio.list_drivers()) - VECTOR_DRIVERS)
    pyogrio.set_gdal_config_options({**CLOSED, "GDAL_SKIP": ",".join(others)})
    with warnings.catch_warnings():
        # GDAL looks for each name among its raster drivers too, and warns of those it does not find there.
        warnings.simplefilter("ignore", RuntimeWarning)
        _ogr._register_drivers()
    if open_doors := set(pyogrio.list_drivers()) - VECTOR_DRIVERS:
        raise RuntimeError(f"GDAL keeps drivers that Awl must not open files with: {sorted(open_doors)[:3]}")
    return pyogrio


def raster_environment() -> Any:
    """A context for `rasterio.open(..., driver="GTiff")`: no network, and no look at files beside the one opened."""
    with _first_use:
        _forget_environment()
    import rasterio  # 0.3 s

    return rasterio.Env(**CLOSED, GDAL_DISABLE_READDIR_ON_OPEN="EMPTY_DIR")


def _forget_environment() -> None:
    """Take GDAL's settings out of the environment: plug-ins, loaded code and credentials are nothing a file may use."""
    for name in list(os.environ):
        if name.startswith(SETTINGS_PREFIXES):
            del os.environ[name]
