"""Map extracts of OpenStreetMap, in XML or PBF: one file, or several of neighbouring areas."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from awl.core.errors import AwlError
from awl.core.graph.cleaning import combined
from awl.core.graph.raw import RawExtract
from awl.core.progress import Progress
from awl.io import osm_pbf, osm_xml
from awl.io.limits import check_size

ENDINGS = (".osm", ".osm.gz", ".osm.bz2", ".osm.pbf", ".pbf")


def is_extract(name: str) -> bool:
    """Whether a file name is that of a map extract.

    Parameters:
        name: the name of the file.
    """
    return name.lower().endswith(ENDINGS)


def read(paths: Sequence[Path], source: str, progress: Progress | None = None, strict: bool = False) -> RawExtract:
    """One or several extracts as one.

    Parameters:
        paths: the files, one or several.
        source: their names, for messages.
        progress: is told how far the work is, and stops it.
        strict: refuse nodes with impossible coordinates instead of leaving them out.

    Raises:
        AwlError: a file is none, damaged or too large, or holds a faulty node and `strict` is set.
    """
    progress = progress or Progress()
    read_ones = []
    for number, path in enumerate(paths):
        check_size(path)
        reader = osm_pbf.read if path.name.lower().endswith(".pbf") else osm_xml.read
        read_ones.append(reader(path, progress.part(number / len(paths), (number + 1) / len(paths))))
    raw = combined(read_ones)
    if strict and raw.faults.off_earth:
        ident, lon, lat = raw.faults.off_earth_nodes[0]
        more = f", and {raw.faults.off_earth - 1:,} more like it" if raw.faults.off_earth > 1 else ""
        raise AwlError(
            f"Node {ident} lies at lon {lon:g}, lat {lat:g}, which is not on Earth{more}",
            where=source,
            remedy="Repair it, or leave such nodes out by building without --strict",
            kind="faulty-rows",
        )
    return raw
