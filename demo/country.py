"""Outside the town: lanes between villages, fields with tracks, paths over the hills, the skerry."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.random import Generator

from demo.land import VILLAGES, Land
from demo.names import Names
from demo.quarters import Town, street_tags
from demo.roads import QUAY_M, Roads, Street
from demo.shapes import bent, divide, smooth

FIELD_M2 = 82_000.0
LANES = (
    ("Fell Lane", [(-4700, 3560), (-5300, 4600), (-4900, 5600), (-3300, 6500), (-1430, 6350), (400, 6500), (1820, 6300)]),
    ("Rush Drove", [(6500, -50), (5600, 300), (5000, -350), (4480, -560)]),
    ("Kiln Lane", [(-6500, -20), (-6900, 1300), (-6600, 2700), (-5900, 3700), (-5310, 3820)]),
    ("Tarn Lane", [(-1260, 4700), (-2600, 4120), (-3700, 3900), (-4690, 3570)]),
    ("Orrow Lane", [(1480, 4650), (2900, 4750), (4300, 5050), (5700, 4200), (5750, 3300), (6250, 2500), (6700, 1880)]),
    ("Sorrel Lane", [(5750, 3300), (5000, 2900), (4480, 2500)]),
    ("Skerry View", [(6500, -50), (6950, 700), (6760, 1840)]),
)  # fmt: skip
PATHS = (
    ("Beacon Path", [(-1260, 4700), (-1700, 5200), (-2300, 5350), (-2500, 5520), (-2900, 5650), (-3500, 6420)]),
    ("Tarn Steps Path", [(-2610, 4110), (-2450, 4700), (-2560, 5180), (-2480, 5500)]),
    ("Ridge Path", [(1480, 4650), (1800, 5200), (2250, 5650), (2700, 6100), (2750, 6500)]),
    ("Riverside Path", [(760, 3520), (700, 3900), (560, 4400), (430, 5000), (420, 5600), (560, 6480)]),
)  # fmt: skip


def fill_country(
    land: Land, roads: Roads, town: Town, names: Names, rng: Generator
) -> list[tuple[shapely.Polygon, str]]:
    """Add lanes, tracks and paths to the town's streets; returns the fields with their use."""
    for name, points in LANES:
        line = smooth([(float(x), float(y)) for x, y in points], 40).intersection(land.island.buffer(-60))
        tags = {"highway": "unclassified", "name": name, "maxspeed": "60"}
        town.streets += [Street(part, dict(tags), "country") for part in shapely.get_parts(line) if part.length > 80]
    for name, points in PATHS:
        line = smooth([(float(x), float(y)) for x, y in points], 30)
        tags = {"highway": "path", "name": name, "surface": "ground"}
        town.streets.append(Street(line, tags, "country"))
    fields = _fields(land, roads, town, names, rng)
    _skerry(town, land)
    return fields


def _fields(land: Land, roads: Roads, town: Town, names: Names, rng: Generator) -> list[tuple[shapely.Polygon, str]]:
    """Farmland in large fields; a third of the hedges between them carry a track."""
    built = shapely.union_all(
        [town.outline.buffer(120), *[shapely.Point(x, y).buffer(r * 1.05) for _, x, y, r in VILLAGES]]
    )
    keep_off = [built, land.river.buffer(QUAY_M), roads.ring.buffer(45), *[wood.buffer(5) for wood, _ in land.woods]]
    keep_off += [line.buffer(14) for line, _ in roads.rails]
    high = [
        shapely.Point(x, y).buffer(reach * 0.95)
        for x, y, top, reach in ((-2500, 5500, 345, 1350), (2200, 5700, 260, 1250))
    ]
    ground = land.island.buffer(-110).difference(shapely.union_all(keep_off + high))
    lanes = shapely.union_all([s.line for s in roads.main] + [s.line for s in town.streets if s.quarter == "country"])
    faces = shapely.get_parts(shapely.polygonize([shapely.union_all([ground.boundary, lanes.intersection(ground)])]))
    fields: list[tuple[shapely.Polygon, str]] = []
    for face in faces:
        if face.area < 9000 or not ground.contains(face.representative_point()):
            continue
        blocks, cuts = divide(face, FIELD_M2, 0.05, rng)
        uses = rng.choice(["farmland", "meadow", "orchard", "farmland"], len(blocks), p=[0.45, 0.25, 0.08, 0.22])
        fields += [(shapely.simplify(block.buffer(-4), 3), str(use)) for block, use in zip(blocks, uses, strict=True)]
        for depth, line in cuts:
            draw = rng.random()
            if depth < 2 and draw < 0.45:
                town.streets.append(Street(line, street_tags("unclassified", "country", names, rng), "country"))
            elif draw < 0.33:
                tags = {"highway": "track", "surface": "gravel", "tracktype": f"grade{rng.integers(1, 5)}"}
                town.streets.append(Street(line, tags, "country"))
            elif draw < 0.42:
                town.streets.append(Street(line, street_tags("path", "country", names, rng), "country"))
    for wood, _ in land.woods:
        _wood_paths(town, wood, rng)
    return [(f, use) for f, use in fields if f.geom_type == "Polygon" and not f.is_empty]


def _wood_paths(town: Town, wood: shapely.Polygon, rng: Generator) -> None:
    """Paths that cross a wood and meet within it."""
    rim = wood.exterior
    starts = (rng.uniform(0, 1) + np.arange(5) / 5) % 1
    for a, b in zip(starts, np.roll(starts, 2), strict=True):
        ends = [np.array(rim.interpolate(share, normalized=True).coords[0]) for share in (a, b)]
        line = bent(ends[0], ends[1], 0.08, rng).intersection(wood.buffer(1))
        town.streets += [
            Street(part, {"highway": "path", "surface": "ground"}, "country")
            for part in shapely.get_parts(line)
            if part.geom_type == "LineString" and part.length > 60
        ]


def _skerry(town: Town, land: Land) -> None:
    """Tracks on the island that only the boat reaches."""
    x, y = land.skerry.centroid.coords[0]
    ring = shapely.LineString(land.skerry.buffer(-55).exterior.coords)
    landing = shapely.LineString(
        [(2080, -3600), tuple(ring.interpolate(ring.project(shapely.Point(2080, -3600))).coords[0]), (x, y)]
    )
    for line in (ring, landing):
        town.streets.append(Street(line, {"highway": "track", "name": "Skerry Track", "surface": "gravel"}, "country"))
