"""Street sources of other kinds, from the same city.

Plain lines without nodes, the same with a node layer, GMNS tables, a hand-made graph of ten nodes whose answers can be
checked with pencil and paper, and a footbridge as an edit.
"""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import shapely

from awl.core.graph.build import build_graph
from awl.core.graph.edits.edit import Edit
from awl.core.modes.mode import DRIVE
from awl.core.network.network import Network
from awl.io import edit_documents, gmns, osm_pbf
from demo.layers import UTM, write_vector
from demo.quarters import Town
from demo.roads import Roads

BOX = shapely.box(-2400, -1000, -950, -200)
"""Part of Hask Bank and Skein."""
MILL_BRIDGE = (-36.1986121, 41.2962362), (-36.1969644, 41.2962515)
"""Junctions on either bank of the Orrow that the footbridge would join, longitude and latitude."""
MILL_BRIDGE_TAGS = {"highway": "footway", "name": "Mill Bridge", "bridge": "yes", "layer": "1"}
FIRST_NODE = 2001
"""Numbers below stay free for zone centroids."""

TEN_NODES = (
    (1, 0, 200), (2, 100, 260), (3, 220, 250), (4, 60, 120), (5, 160, 160), (6, 290, 150), (7, 30, 20), (8, 150, 40), (9, 250, 50),
    (10, 340, 40),
)  # fmt: skip
TEN_LINKS = (
    (1, 2, 4), (1, 4, 3), (2, 3, 5), (2, 5, 6), (3, 6, 4), (4, 5, 4), (4, 7, 5), (5, 6, 7), (5, 8, 3), (6, 10, 5), (7, 8, 6),
    (8, 9, 2), (9, 6, 6), (9, 10, 3),
)  # fmt: skip
"""From, to, weight both ways. From 1 to 10 the least is 15: 1, 4, 5, 8, 9, 10."""


def write_other(folder: Path, town: Town, roads: Roads, cut: Path) -> None:
    """All of them."""
    (folder / "gmns").mkdir(parents=True, exist_ok=True)
    (folder / "ten_nodes").mkdir(exist_ok=True)
    for old in folder.glob("*.gpkg"):
        old.unlink()
    _plain_lines(folder, town, roads)
    graph, _ = build_graph(osm_pbf.read(cut))
    network = Network.of(graph, DRIVE)
    for name, text in gmns.tables(network).items():
        (folder / "gmns" / name).write_text(text, newline="")
    nodes = ["node_id,x_coord,y_coord", *(f"{i},{x},{y}" for i, x, y in TEN_NODES)]
    links = ["link_id,from_node_id,to_node_id,directed,weight"]
    links += [f"{n},{a},{b},false,{w}" for n, (a, b, w) in enumerate(TEN_LINKS, 1)]
    (folder / "ten_nodes" / "node.csv").write_text("\n".join(nodes) + "\n")
    (folder / "ten_nodes" / "link.csv").write_text("\n".join(links) + "\n")
    bridge = Edit("add", points=MILL_BRIDGE, tags=MILL_BRIDGE_TAGS, note="A footbridge where the mill stood")
    (folder / "mill_bridge.geojson").write_text(json.dumps(edit_documents.collection([bridge]), indent=1))


def _plain_lines(folder: Path, town: Town, roads: Roads) -> None:
    """Lines as drawn, unbroken where they cross; then broken at crossings, with a node layer that numbers every end."""
    streets = [s for s in [*roads.main, *town.streets] if s.tags["highway"] != "footway" and s.line.intersects(BOX)]
    cut = shapely.intersection(np.array([s.line for s in streets], dtype=object), BOX)
    parts, source = shapely.get_parts(cut, return_index=True)
    kept = (shapely.get_type_id(parts) == 1) & (shapely.length(parts) > 5)
    parts, source = parts[kept], source[kept]
    write_vector(folder / "lines.gpkg", "streets", parts, _fields(streets, source), UTM)
    pieces = shapely.get_parts(shapely.union_all(parts, grid_size=0.05))
    middle = shapely.line_interpolate_point(pieces, 0.5, normalized=True)
    origin = source[shapely.STRtree(parts).nearest(middle)]
    write_vector(folder / "lines_and_nodes.gpkg", "streets", pieces, _fields(streets, origin), UTM)
    ends = np.unique(
        np.round(np.concatenate([shapely.get_coordinates(shapely.get_point(pieces, k)) for k in (0, -1)]), 2), axis=0
    )
    numbers = {"node_no": np.arange(FIRST_NODE, FIRST_NODE + len(ends), dtype=np.int64)}
    write_vector(folder / "lines_and_nodes.gpkg", "nodes", shapely.points(ends), numbers, UTM)


def _fields(streets, source: np.ndarray) -> dict[str, np.ndarray]:  # type: ignore[no-untyped-def]
    """Attributes in the words of a city's own street register."""
    tags = [streets[i].tags for i in source]
    way = {"yes": "F", "-1": "T"}
    return {
        "str_name": np.array([t.get("name", "") for t in tags], object),
        "class": np.array([t["highway"] for t in tags], object),
        "v_kmh": np.array([float(t["maxspeed"]) if t.get("maxspeed", "").isdigit() else np.nan for t in tags]),
        "dir": np.array([way.get(t.get("oneway", ""), "B") for t in tags], object),
    }
