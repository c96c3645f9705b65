"""GPX 1.1 (Topografix): lines as tracks."""

from __future__ import annotations

import json
from collections.abc import Iterator
from datetime import datetime, timedelta
from xml.etree import ElementTree

import shapely

from awl.core.errors import AwlError
from awl.io.table import Table

NAMESPACE = "http://www.topografix.com/GPX/1/1"


def tracks(layer: Table, title: str) -> bytes:
    """One track for each line of a layer; its `title` or `measure` is its name.

    Where lines have `times_s`, lists of seconds after midnight of the `day` beside, each point has its local time.

    Parameters:
        layer: the layer.
        title: what it is called.

    Raises:
        AwlError: the layer holds no line.
    """
    if not len(layer) or layer.kind != "line":
        raise AwlError("GPX holds lines, and there is none", remedy="Choose another format", inputs=("format",))
    ElementTree.register_namespace("", NAMESPACE)
    root = ElementTree.Element(f"{{{NAMESPACE}}}gpx", version="1.1", creator="Awl")
    ElementTree.SubElement(ElementTree.SubElement(root, _tag("metadata")), _tag("name")).text = title
    names = layer.columns.get("title") or layer.columns.get("measure") or [title] * len(layer)
    times = layer.columns.get("times_s") or [None] * len(layer)
    days = layer.columns.get("day") or [None] * len(layer)
    for shape, name, moments, day in zip(layer.geometry, names, times, days, strict=True):
        clock = _clock(moments, day)
        track = ElementTree.SubElement(root, _tag("trk"))
        ElementTree.SubElement(track, _tag("name")).text = str(name)
        for line in shapely.get_parts(shape):
            segment = ElementTree.SubElement(track, _tag("trkseg"))
            for lon, lat in shapely.get_coordinates(line).tolist():
                point = ElementTree.SubElement(segment, _tag("trkpt"), lat=f"{lat:.7f}", lon=f"{lon:.7f}")
                if clock is not None:
                    ElementTree.SubElement(point, _tag("time")).text = next(clock)
    return bytes(ElementTree.tostring(root, encoding="UTF-8", xml_declaration=True))


def _clock(moments: str | None, day: str | None) -> Iterator[str] | None:
    """The time of each point of a track, None where it has none."""
    if moments is None or day is None:
        return None
    midnight = datetime.fromisoformat(day)
    return ((midnight + timedelta(seconds=second)).isoformat(timespec="milliseconds") for second in json.loads(moments))


def _tag(name: str) -> str:
    return f"{{{NAMESPACE}}}{name}"
