"""Study areas, as a command or a form gives them."""

from __future__ import annotations

from pathlib import Path

import shapely

from awl.core.errors import AwlError
from awl.core.polygons import repaired
from awl.io.table import Table
from awl.study.importing import features


def area_from(bbox: str | None, clip: Path | None) -> shapely.Geometry | None:
    """The study area of a command: `W,S,E,N` in degrees, or the polygons of a file."""
    if bbox and clip:
        raise AwlError("Both a box and a clip file are given", remedy="Give one of them")
    if bbox:
        try:
            west, south, east, north = (float(part) for part in bbox.split(","))
        except ValueError as error:
            raise AwlError(f"'{bbox}' is no box", remedy="Write W,S,E,N in degrees", inputs=("bbox",)) from error
        inside = -180 <= west < east <= 180 and -90 <= south < north <= 90
        if not inside:
            raise AwlError(f"The box {bbox} is empty or off the Earth", remedy="Write W,S,E,N", inputs=("bbox",))
        return shapely.box(west, south, east, north)
    if clip:
        layer = features(clip, clip.name, None)[0]
        if layer.kind != "polygon":
            raise AwlError("The clip file holds no polygon", where=clip.name, remedy="Give a file of polygons")
        return area_of(layer)
    return None


def area_of(layer: Table) -> shapely.Geometry:
    """All polygons of a layer as one area."""
    return shapely.union_all(repaired(layer.geometry).shapes)
