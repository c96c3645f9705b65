"""Extracts as other makers cut them, made at random: with everything an extract may lack, repeat, turn round or get wrong.

Each comes with the truth about it: where land is, and which street segments a correct reader finds.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any
from xml.sax.saxutils import quoteattr

import numpy as np
import shapely
from shapely import affinity

LON, LAT = -36.2, 41.29
METRE_LAT = 1 / 111_132.0
METRE_LON = METRE_LAT / np.cos(np.radians(LAT))
CLASSES = (
    "residential", "tertiary", "service", "footway", "steps", "path", "unclassified", "living_street", "cycleway", "primary",
)  # fmt: skip
NAMES = ("Heron Lane", "Ὁδὸς Ἐρῳδιοῦ", "鷺通り", "شارع مالك الحزين", "Lane; Row", "O'Hara & <Sons>", "Ж" * 200, "")
ABSURD: tuple[dict[str, str], ...] = (
    {"maxspeed": "-5"}, {"maxspeed": "30;50"}, {"maxspeed": "fast"}, {"oneway": "maybe"}, {"oneway": "yes;no"},
    {"layer": "-99"}, {"layer": "1;2"}, {"width": "1e9"}, {"incline": "up;down"}, {"lanes": "many"}, {"access": "yes;private"},
    {"surface": "asphalt;gravel"}, {"duration": "soon"}, {"smoothness": "9"},
)  # fmt: skip
Segment = tuple[tuple[float, float], tuple[float, float]]


@dataclass
class WildExtract:
    """An extract as OSM XML, and what is true of it."""

    seed: int
    text: str
    segments: set[Segment]
    """Street segments between nodes that are there; degrees, the lower end first."""
    bridges: set[Segment]
    """Those of them that cross water: bridges and ferries."""
    land: shapely.Geometry
    outline: shapely.Geometry
    coast: bool
    kinds: set[str] = field(default_factory=set)
    """What is irregular about it."""


def wild_extract(seed: int) -> WildExtract:
    """The extract of a seed."""
    return _Maker(seed).make()


class _Maker:
    def __init__(self, seed: int) -> None:
        self.seed = seed
        self.rng = np.random.default_rng(seed)
        self.nodes: dict[int, tuple[float, float]] = {}
        self.ways: list[tuple[int, list[int], dict[str, str]]] = []
        self.relations: list[tuple[int, list[tuple[str, int, str]], dict[str, str]]] = []
        self.impossible: set[int] = set()
        self.kinds: set[str] = set()
        self.size = float(self.rng.uniform(700, 1400))

    def chance(self, share: float) -> bool:
        return bool(self.rng.random() < share)

    def node(self, x: float, y: float) -> int:
        """A node at metres from the middle."""
        ident = len(self.nodes) + 1
        self.nodes[ident] = (round(LON + x * METRE_LON, 7), round(LAT + y * METRE_LAT, 7))
        return ident

    def way(self, refs: list[int], **tags: str) -> int:
        ident = 1000 + len(self.ways)
        self.ways.append((ident, refs, tags))
        return ident

    def make(self) -> WildExtract:
        land = self.land()
        self.streets(land)
        self.squares()
        coast = self.coast(land)
        self.faulty_relations()
        if self.chance(0.4):
            self.impossible_vertices()
        outline = self.outline()
        present = self.cut(outline)
        segments, bridges = self.truth(present)
        if self.chance(0.3):
            self.kinds.add("negative ids")
            sign = -1
        else:
            sign = 1
        text = self.written(present, sign)
        degrees = affinity.affine_transform(land, [METRE_LON, 0, 0, METRE_LAT, LON, LAT])
        return WildExtract(self.seed, text, segments, bridges, degrees, outline, coast, self.kinds)

    # -- ground --------------------------------------------------------------------------------------------------------

    def blob(self, x: float, y: float, radius: float) -> shapely.Polygon:
        angle = np.linspace(0, 2 * np.pi, 40, endpoint=False)
        phase = self.rng.uniform(0, 6, 3)
        swing = sum(0.12 * np.sin((k + 2) * angle + p) for k, p in enumerate(phase))
        r = radius * (1 + swing)
        return shapely.Polygon(np.column_stack([x + r * np.cos(angle), y + r * np.sin(angle)]))

    def land(self) -> shapely.Geometry:
        """Land in metres: everywhere, along a coast, an island, with islets and lagoons."""
        size = self.size
        kind = self.rng.choice(["inland", "coast", "coast", "island", "strait"])
        self.kinds.add(str(kind))
        far = shapely.box(-5 * size, -5 * size, 5 * size, 5 * size)
        if kind == "inland":
            return far
        if kind == "island":
            land: shapely.Geometry = self.blob(0, 0, 0.75 * size)
        else:
            x = np.linspace(-5 * size, 5 * size, 400)
            wave = 0.12 * size * np.sin(x / (0.2 * size) + self.rng.uniform(0, 6)) + self.rng.uniform(-0.5, 0.2) * size
            wave += 0.03 * size * np.sin(x / (0.05 * size))
            land = shapely.Polygon([*zip(x, wave, strict=True), (5 * size, 5 * size), (-5 * size, 5 * size)])
            if kind == "strait":
                other = shapely.Polygon(
                    [*zip(x, wave - 0.3 * size, strict=True), (5 * size, -5 * size), (-5 * size, -5 * size)]
                )
                land = shapely.union(land, other)
            land = affinity.rotate(land, float(self.rng.uniform(0, 360)), origin=(0, 0))
        if self.chance(0.5):
            self.kinds.add("lagoon")
            hole = self.blob(*self.rng.uniform(-0.4, 0.4, 2) * size, 0.12 * size)
            if land.contains(hole.buffer(20)):
                land = land.difference(hole)
        if self.chance(0.5):
            self.kinds.add("islets")
            islet = self.blob(*self.rng.uniform(-0.8, 0.8, 2) * size, 0.12 * size)
            if land.disjoint(islet.buffer(20)):
                land = land.union(islet)
        return land

    def coast(self, land: shapely.Geometry) -> bool:
        """Coastlines with land on their left, in pieces that share their ends."""
        count = len(self.ways)
        reach = shapely.box(-2.5 * self.size, -2.5 * self.size, 2.5 * self.size, 2.5 * self.size)
        for polygon in shapely.get_parts(shapely.orient_polygons(land)):
            for ring in (polygon.exterior, *polygon.interiors):
                for line in shapely.get_parts(shapely.line_merge(shapely.intersection(ring, reach))):
                    xy = shapely.get_coordinates(shapely.segmentize(line, 60.0))
                    outer = np.abs(xy).max(axis=1) > 2.49 * self.size
                    if outer.all() or line.length < 1:
                        continue
                    if not self._runs_like(line, ring):
                        xy = xy[::-1]
                    self.coast_ways(xy[~outer] if not line.is_closed else xy)
        return len(self.ways) > count

    @staticmethod
    def _runs_like(line: shapely.LineString, ring: shapely.LinearRing) -> bool:
        a, b = (ring.project(shapely.Point(line.coords[i])) for i in (0, 1))
        return 0 < (b - a) % ring.length < ring.length / 2

    def coast_ways(self, xy: np.ndarray[Any, Any]) -> None:
        closed = bool((xy[0] == xy[-1]).all())
        refs = [self.node(x, y) for x, y in (xy[:-1] if closed else xy)]
        refs += refs[:1] if closed else []
        at = 0
        while at < len(refs) - 1:
            end = min(at + int(self.rng.integers(3, 40)), len(refs) - 1)
            self.way(refs[at : end + 1], natural="coastline")
            at = end

    # -- streets -------------------------------------------------------------------------------------------------------

    def streets(self, land: shapely.Geometry) -> None:
        step, size = 70.0, self.size
        side = np.arange(-size, size + step, step)
        inner = land.buffer(-12)
        shapely.prepare(inner)
        at: dict[tuple[int, int], int] = {}
        where: dict[int, np.ndarray[Any, Any]] = {}
        for i, x in enumerate(side):
            for j, y in enumerate(side):
                spot = np.array([x, y]) + self.rng.uniform(-18, 18, 2)
                if shapely.contains_xy(inner, *spot) and self.chance(0.93):
                    at[i, j] = self.node(*spot)
                    where[at[i, j]] = spot
        for run in [[(i, j) for j in range(len(side))] for i in range(len(side))] + [
            [(i, j) for i in range(len(side))] for j in range(len(side))
        ]:
            self.street_of(run, at, where, inner)
        if self.chance(0.4):
            self.kinds.add("ferry")
            ends = self.rng.choice(list(where), 2, replace=False).tolist()
            self.way(ends, route="ferry", duration="00:10")

    def street_of(self, run: list[Any], at: dict[Any, int], where: dict[int, Any], inner: shapely.Geometry) -> None:
        """Ways along a row of the grid; where it leaves the land, sometimes a bridge to the other side."""
        refs: list[int] = []

        def end(more: dict[str, str] | None = None) -> None:
            if len(refs) > 1:
                tags = {"highway": str(self.rng.choice(CLASSES)), **(more or {})}
                if self.chance(0.5):
                    tags["name"] = str(self.rng.choice(NAMES))
                if self.chance(0.2):
                    tags |= ABSURD[int(self.rng.integers(len(ABSURD)))]
                if self.chance(0.05):
                    tags["layer"] = "1"
                self.way(list(refs), **tags)

        for spot in run:
            ident = at.get(spot)
            if ident is None:
                continue
            if refs:
                line = shapely.LineString([where[refs[-1]], where[ident]])
                if not inner.contains(line):
                    end()
                    before, refs = refs[-1], []
                    if line.length < 260 and self.chance(0.4):
                        refs = [before, ident]
                        end({"bridge": "yes", "layer": "1"})
                    refs = []
                elif len(refs) > self.rng.integers(2, 9) or self.chance(0.1):
                    end()
                    refs = [refs[-1]]
            refs.append(ident)
            if self.chance(0.04):
                end()
                refs = []
        end()

    def squares(self) -> None:
        """Closed areas tagged as streets: walked across, not streets; and a ring that is a street."""
        some = self.rng.choice(list(self.nodes), 2, replace=False).tolist()
        corners = [self.node(*(self.rng.uniform(-0.5, 0.5, 2) * self.size)) for _ in range(3)]
        self.way([some[0], *corners[:2], some[0]], highway="pedestrian", area="yes")

    def faulty_relations(self) -> None:
        refs = [ident for ident, _, _ in self.ways[:3]]
        forest, water = {"type": "multipolygon", "landuse": "forest"}, {"type": "multipolygon", "natural": "water"}
        turn = {"type": "restriction", "restriction": "no_left_turn"}
        self.relations.append((1, [("way", refs[0], "outer"), ("way", 999_999, "outer")], water))
        self.relations.append((2, [("way", refs[0], "from"), ("node", 888_888, "via")], turn))
        self.relations.append((3, [("relation", 3, "")], forest))

    def impossible_vertices(self) -> None:
        """Vertices nowhere on Earth in the middle of some ways."""
        self.kinds.add("impossible coordinates")
        bad = [(999.0, 41.0), (-36.2, 91.5), (-180.5, -95.0)]
        for row in self.rng.choice(len(self.ways), min(6, len(self.ways)), replace=False).tolist():
            _, refs, tags = self.ways[row]
            if "highway" not in tags:
                continue
            ident = len(self.nodes) + 1
            self.nodes[ident] = bad[int(self.rng.integers(len(bad)))]
            self.impossible.add(ident)
            refs.insert(1, ident)

    # -- the cut -------------------------------------------------------------------------------------------------------

    def outline(self) -> shapely.Geometry:
        size = self.size
        kind = self.rng.choice(["box", "outline", "outline", "whole"])
        self.kinds.add(f"cut: {kind}")
        if kind == "whole":
            shape: shapely.Geometry = shapely.box(-9 * size, -9 * size, 9 * size, 9 * size)
        elif kind == "box":
            shape = shapely.box(*(-self.rng.uniform(0.6, 0.9, 2) * size), *(self.rng.uniform(0.6, 0.9, 2) * size))
        else:
            shape = self.blob(0, 0, 0.8 * size)
        return affinity.affine_transform(shape, [METRE_LON, 0, 0, METRE_LAT, LON, LAT])

    def cut(self, outline: shapely.Geometry) -> set[int]:
        """The nodes that are in the extract; ways lose references, or keep those to nodes that are not there."""
        shapely.prepare(outline)
        inside = {i for i, (x, y) in self.nodes.items() if i in self.impossible or shapely.contains_xy(outline, x, y)}
        keeps_refs = self.chance(0.6)
        self.kinds.add("references to missing nodes" if keeps_refs else "ways cut short")
        ways = []
        for ident, refs, tags in self.ways:
            here = [ref for ref in refs if ref in inside]
            if not here and not self.chance(0.05):
                continue
            if keeps_refs or len(here) == len(refs):
                ways.append((ident, refs, tags))
            else:
                # Cut by a program that keeps whole stretches: each becomes a way of its own.
                stretch: list[int] = []
                for ref in [*refs, None]:
                    if ref in inside:
                        stretch.append(ref)  # type: ignore[arg-type]
                    elif stretch:
                        ways.append((ident if len(stretch) == len(here) else 100_000 + len(ways), stretch, tags))
                        stretch = []
        self.ways = ways
        return inside

    def truth(self, present: set[int]) -> tuple[set[Segment], set[Segment]]:
        """Street segments, and those of them that cross water."""
        segments: set[Segment] = set()
        bridges: set[Segment] = set()
        for _, refs, tags in self.ways:
            if tags.get("highway") not in CLASSES and tags.get("route") != "ferry":
                continue
            refs = [ref for ref in refs if ref not in self.impossible]
            for a, b in zip(refs, refs[1:], strict=False):
                if a in present and b in present and self.nodes[a] != self.nodes[b]:
                    segment = min(self.nodes[a], self.nodes[b]), max(self.nodes[a], self.nodes[b])
                    segments.add(segment)
                    if "bridge" in tags or "route" in tags:
                        bridges.add(segment)
        return segments, bridges

    # -- the file ------------------------------------------------------------------------------------------------------

    def written(self, present: set[int], sign: int) -> str:
        def tags_of(tags: dict[str, str]) -> str:
            return "".join(f"<tag k={quoteattr(k)} v={quoteattr(v)}/>" for k, v in tags.items())

        nodes = [f'<node id="{sign * i}" lon="{x}" lat="{y}"/>' for i, (x, y) in self.nodes.items() if i in present]
        ways = [
            f'<way id="{sign * i}">' + "".join(f'<nd ref="{sign * ref}"/>' for ref in refs) + tags_of(tags) + "</way>"
            for i, refs, tags in self.ways
        ]
        relations = [
            f'<relation id="{sign * i}">'
            + "".join(f'<member type="{kind}" ref="{sign * ref}" role="{role}"/>' for kind, ref, role in members)
            + tags_of(tags)
            + "</relation>"
            for i, members, tags in self.relations
        ]
        parts = [nodes, ways, relations]
        if self.chance(0.3):
            self.kinds.add("nodes after ways")
            parts = [relations, ways, nodes]
        objects = [one for part in parts for one in part]
        if self.chance(0.4):
            self.kinds.add("unsorted")
            self.rng.shuffle(objects)
        if self.chance(0.4):
            self.kinds.add("repeated")
            objects += [objects[i] for i in self.rng.choice(len(objects), len(objects) // 10, replace=False)]
        bounds = '<bounds minlat="41.28" minlon="-36.21" maxlat="41.30" maxlon="-36.19"/>' if self.chance(0.5) else ""
        return (
            f'<?xml version="1.0" encoding="UTF-8"?>\n<osm version="0.6">{bounds}\n' + "\n".join(objects) + "\n</osm>\n"
        )
