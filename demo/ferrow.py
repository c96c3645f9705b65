"""Make the data of Ferrow, the invented river port of Awl's demo.

    python -m demo.ferrow demo/data

writes `ferrow.osm.gz` (the map extract), `zones.geojson` (people by quarter part) and `cool_rooms.geojson`. The same
seed gives the same bytes.
"""

from __future__ import annotations

import gzip
import json
import sys
from io import StringIO
from pathlib import Path
from xml.sax.saxutils import quoteattr

import numpy as np
import shapely
from numpy.random import Generator

from awl.core.geodesy import LocalPlane
from demo.network import Way, warp_polygon, ways_of
from demo.plan import DISTRICTS, Plan, lay_out, warp
from demo.shapes import plots

SEED = 20260619
PLANE = LocalPlane(-36.2, 41.3)
CENSUS_TOTAL = 180_000

COOL_ROOMS = (
    ("Quillet School", "school hall", "Quillet", 120), ("Heron Baths", "baths", "Old Staithe", 60),
    ("Staithe Hall", "town hall", "Old Staithe", 180), ("Hask Bank Clinic", "clinic", "Hask Bank", 40),
    ("Star House", "community house", "Star Quarter", 70), ("Lorren Library", "library", "Lorren", 90),
    ("Netherquay Market", "market hall", "Netherquay", 200), ("Lantern Library", "library", "Tallowgate", 80),
    ("Gantry Hall", "community house", "Gantry", 60), ("Withy Chapel", "chapel", "Withy End", 50),
    ("Brindle School", "school hall", "Brindle", 110), ("Copperas Library", "library", "Copperas", 45),
    ("Pell Moor House", "community house", "Pell Moor", 55), ("Saltern Seamen's Rest", "community house", "Saltern", 35),
)  # fmt: skip


class ExtractWriter:
    """Writes OSM XML: nodes are numbered by place, ways and relations in the order given."""

    def __init__(self) -> None:
        self._nodes: dict[tuple[int, int], int] = {}
        self._node_tags: dict[int, dict[str, str]] = {}
        self._ways: list[tuple[int, list[int], dict[str, str]]] = []
        self._relations: list[tuple[int, list[tuple[str, int]], dict[str, str]]] = []
        self.left_out: set[int] = set()

    def node(self, x: float, y: float) -> int:
        """The node at a place, in metres, to the half decimetre."""
        return self._nodes.setdefault((round(x * 20), round(y * 20)), 7_000_000 + len(self._nodes))

    def tag_node(self, x: float, y: float, **tags: str) -> None:
        """A tagged point."""
        self._node_tags[self.node(x, y)] = tags

    def way(self, xy: np.ndarray, tags: dict[str, str], closed: bool = False) -> int:
        """A way through the vertices; returns its id."""
        refs = [self.node(x, y) for x, y in xy]
        refs = [ref for i, ref in enumerate(refs) if i == 0 or ref != refs[i - 1]]
        if closed and refs[0] != refs[-1]:
            refs.append(refs[0])
        ident = 410_000 + len(self._ways)
        self._ways.append((ident, refs, tags))
        return ident

    def area(self, shape: shapely.Geometry, tags: dict[str, str]) -> None:
        """A polygon: a closed way, or a multipolygon relation when it has holes."""
        for part in shapely.get_parts(shape):
            if part.geom_type != "Polygon" or part.area < 20:
                continue
            outer = np.asarray(part.exterior.coords)
            if not part.interiors:
                self.way(outer, tags, closed=True)
                continue
            # The outer ring in two halves, as surveyors often leave them.
            half = len(outer) // 2
            members = [("outer", self.way(outer[: half + 1], {})), ("outer", self.way(outer[half:], {}))]
            members += [("inner", self.way(np.asarray(ring.coords), {}, closed=True)) for ring in part.interiors]
            self._relations.append((90_000 + len(self._relations), members, {"type": "multipolygon", **tags}))

    def text(self) -> str:
        """The document."""
        out = StringIO()
        out.write('<?xml version="1.0" encoding="UTF-8"?>\n<osm version="0.6" generator="Ferrow, invented">\n')
        keys = np.array(list(self._nodes), float) / 20
        lon, lat = PLANE.lonlat(keys[:, 0], keys[:, 1])
        for ident, lo, la in zip(self._nodes.values(), lon, lat, strict=True):
            if ident in self.left_out:
                continue
            tags = self._node_tags.get(ident)
            head = f' <node id="{ident}" lat="{la:.7f}" lon="{lo:.7f}"'
            out.write(head + ("/>\n" if not tags else f">{_tags(tags)}</node>\n"))
        for ident, refs, way_tags in self._ways:
            nodes = "".join(f'<nd ref="{ref}"/>' for ref in refs)
            out.write(f' <way id="{ident}">{nodes}{_tags(way_tags)}</way>\n')
        for ident, members, relation_tags in self._relations:
            rows = "".join(f'<member type="way" ref="{ref}" role="{role}"/>' for role, ref in members)
            out.write(f' <relation id="{ident}">{rows}{_tags(relation_tags)}</relation>\n')
        out.write("</osm>\n")
        return out.getvalue()

    def leave_out_ends(self, ways: list[Way], beyond: float) -> None:
        """Leave nodes far out of town out of the file, as an extract's edge does; ways keep their references."""
        for (kx, ky), ident in self._nodes.items():
            if max(abs(kx), abs(ky)) / 20 > beyond and ident not in self._node_tags:
                self.left_out.add(ident)


def _tags(tags: dict[str, str]) -> str:
    return "".join(f"<tag k={quoteattr(k)} v={quoteattr(v)}/>" for k, v in tags.items() if v)


def make_extract(plan: Plan, ways: list[Way], rng: Generator) -> str:
    """The map extract of the plan as OSM XML."""
    writer = ExtractWriter()
    for way in ways:
        writer.way(way.xy, way.tags)
    for line in plan.rail:
        writer.way(warp(np.asarray(shapely.segmentize(line, 55.0).coords)), {"railway": "rail"})
    writer.way(warp(np.asarray(plan.river_line.coords)), {"waterway": "river", "name": "River Orrow"})
    writer.leave_out_ends(ways, 3050.0)
    for shape, tags in plan.water:
        writer.area(warp_polygon(shape), tags)
    for park, name in plan.parks:
        writer.area(warp_polygon(park), {"leisure": "park", "name": name})
    for wood in plan.woods:
        writer.area(warp_polygon(wood), {"landuse": "forest"})
    for block, kind in plan.blocks:
        for home in plots(block, rng, dense=kind in ("old", "port")):
            use = "industrial" if kind == "port" else "residential"
            writer.area(shapely.transform(home, warp), {"building": use})
    for district in DISTRICTS:
        x, y = warp(np.array([[district.x, district.y]]))[0]
        writer.tag_node(x, y, place="suburb", name=district.name)
    x, y = warp(np.array([[120.0, -120.0]]))[0]
    writer.tag_node(x + 0.7, y, place="town", name="Ferrow")
    return writer.text()


def make_zones(plan: Plan, rng: Generator) -> dict[str, object]:
    """Census zones: quarters cut in two or three, with people by group."""
    parts: list[tuple[str, float, shapely.Polygon]] = []
    for district in DISTRICTS:
        cell = plan.cells[district.name]
        west, south, east, north = cell.bounds
        wide = east - west > north - south
        for half, box in enumerate(
            (shapely.box(west, south, (west + east) / 2, north), shapely.box((west + east) / 2, south, east, north))
            if wide
            else (
                shapely.box(west, south, east, (south + north) / 2),
                shapely.box(west, (south + north) / 2, east, north),
            )
        ):
            side = (("west", "east") if wide else ("south", "north"))[half]
            parts.append((f"{district.name}, {side}", district.density, cell.intersection(box)))
    weight = np.array([density * shape.area * rng.uniform(0.8, 1.2) for _, density, shape in parts])
    people = np.floor(weight / weight.sum() * CENSUS_TOTAL).astype(int)
    people[: CENSUS_TOTAL - people.sum()] += 1
    features = []
    for i, ((name, _, shape), count) in enumerate(zip(parts, people, strict=True)):
        old, carless = rng.uniform(0.13, 0.27), rng.uniform(0.2, 0.52)
        features.append(
            _feature(
                warp_polygon(shape),
                {
                    "zone": f"F{i + 1:02d}",
                    "name": name,
                    "population": int(count),
                    "age_65_plus": round(count * old),
                    "no_car": round(count * carless),
                },
            )
        )
    return _collection(features)


def make_cool_rooms(ways: list[Way], plan: Plan, rng: Generator) -> dict[str, object]:
    """Fourteen cool rooms, a few metres off a street of their quarter; one stands far back from the street."""
    lived = [
        way
        for way in ways
        if way.tags["highway"] in ("residential", "tertiary", "pedestrian", "unclassified") and len(way.xy) > 2
    ]
    middles = np.array([way.xy[len(way.xy) // 2] for way in lived])
    taken: list[np.ndarray] = []
    features = []
    for i, (name, kind, quarter, seats) in enumerate(COOL_ROOMS):
        cell = shapely.transform(shapely.segmentize(plan.cells[quarter], 55.0), warp).buffer(-30)
        inside = np.flatnonzero(shapely.contains_xy(cell, middles[:, 0], middles[:, 1]))
        apart = [row for row in inside if all(np.hypot(*(middles[row] - other)) > 450 for other in taken)]
        at = middles[rng.choice(apart or inside)]
        taken.append(at)
        offset = 14.0 if i != 9 else 38.0
        spot = at + offset * np.array([0.8, 0.6])
        features.append(
            _feature(shapely.Point(spot), {"id": f"R{i + 1:02d}", "name": name, "kind": kind, "seats": seats})
        )
    return _collection(features)


def _feature(shape: shapely.Geometry, properties: dict[str, object]) -> dict[str, object]:
    degrees = shapely.transform(shape, lambda xy: np.round(np.column_stack(PLANE.lonlat(xy[:, 0], xy[:, 1])), 7))
    return {"type": "Feature", "properties": properties, "geometry": json.loads(shapely.to_geojson(degrees))}


def _collection(features: list[dict[str, object]]) -> dict[str, object]:
    return {"type": "FeatureCollection", "features": features}


def main(folder: Path) -> None:
    """Write all files of the demo to `folder`."""
    rng = np.random.default_rng(SEED)
    plan = lay_out(rng)
    ways = ways_of(plan)
    folder.mkdir(parents=True, exist_ok=True)
    text = make_extract(plan, ways, rng)
    with gzip.GzipFile(folder / "ferrow.osm.gz", "wb", mtime=0) as packed:
        packed.write(text.encode())
    for name, data in (("zones", make_zones(plan, rng)), ("cool_rooms", make_cool_rooms(ways, plan, rng))):
        (folder / f"{name}.geojson").write_text(json.dumps(data))


if __name__ == "__main__":
    main(Path(sys.argv[1] if len(sys.argv) > 1 else "demo/data"))
