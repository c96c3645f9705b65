"""GPX 1.1 (Topografix): lines as tracks."""

from __future__ import annotations

from xml.etree import ElementTree

import shapely

from awl.core.errors import AwlError
from awl.io.table import Table

NAMESPACE = "http://www.topografix.com/GPX/1/1"


def tracks(layer: Table, title: str) -> bytes:
    """One track for each line of a layer; its `title` or `measure` is its name.

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
    for shape, name in zip(layer.geometry, names, strict=True):
        track = ElementTree.SubElement(root, _tag("trk"))
        ElementTree.SubElement(track, _tag("name")).text = str(name)
        for line in shapely.get_parts(shape):
            segment = ElementTree.SubElement(track, _tag("trkseg"))
            for lon, lat in shapely.get_coordinates(line).tolist():
                ElementTree.SubElement(segment, _tag("trkpt"), lat=f"{lat:.7f}", lon=f"{lon:.7f}")
    return bytes(ElementTree.tostring(root, encoding="UTF-8", xml_declaration=True))


def _tag(name: str) -> str:
    return f"{{{NAMESPACE}}}{name}"
