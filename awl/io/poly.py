"""Outlines of areas in the `.poly` text format: named sections of coordinates, those that begin with "!" cut out."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import shapely

from awl.core.errors import AwlError
from awl.core.polygons import repaired
from awl.io.crs import not_on_earth
from awl.io.limits import check_size
from awl.io.table import Table

MAX_FILE = 64 << 20


def read(path: Path, source: str) -> Table:
    """The outline as a layer of one polygon, named as in the first line.

    Parameters:
        path: the file.
        source: the name of the file, for messages.

    Raises:
        AwlError: a section is not closed by END, or a line holds no two numbers; the line is named.
    """
    check_size(path, MAX_FILE)
    lines = path.read_text("utf-8", "replace").splitlines()
    name = lines[0].strip() if lines else ""
    solid: list[shapely.Geometry] = []
    holes: list[shapely.Geometry] = []
    ring: list[tuple[float, float]] | None = None
    into = solid
    for number, line in enumerate(lines[1:], 2):
        text = line.strip()
        if not text:
            continue
        if text.upper() == "END":
            if ring is None:
                break
            into.append(_polygon(ring, f"{source}, line {number}"))
            ring = None
        elif ring is None:
            ring, into = [], holes if text.startswith("!") else solid
        else:
            ring.append(_pair(text, f"{source}, line {number}"))
    if ring is not None or not solid:
        raise AwlError(
            "The outline is not closed by END" if ring is not None else "The file holds no outline",
            where=source,
            remedy="Check how it was saved",
        )
    area = shapely.difference(shapely.union_all(solid), shapely.union_all(holes))
    layer = Table(np.array([area], dtype=object), {"name": [name or Path(source).stem]})
    return layer.without(not_on_earth(layer.geometry, "outline"), source)


def _pair(text: str, where: str) -> tuple[float, float]:
    words = text.split()
    try:
        return float(words[0]), float(words[1])
    except (ValueError, IndexError) as error:
        raise AwlError(f"'{text[:40]}' is no longitude and latitude", where=where, remedy="Repair the line") from error


def _polygon(ring: list[tuple[float, float]], where: str) -> shapely.Geometry:
    if len(ring) < 3:
        raise AwlError("A section has fewer than three corners", where=where, remedy="Repair the outline")
    sound = repaired(np.array([shapely.Polygon(ring)], dtype=object)).shapes[0]
    if sound is None:
        raise AwlError("A section encloses nothing", where=where, remedy="Repair the outline")
    return sound
