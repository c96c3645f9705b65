"""How each quarter was built.

Main roads enclose ground, tertiary streets cut it into parts of about 25 hectares, and each part gets the streets of its
kind: bent old lanes, a planned grid, rays from a star, contour streets on a hill, garden
suburbs with dead ends, slab estates with inner ways, the port, villages.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
import shapely
from contourpy import contour_generator
from numpy.random import Generator

from demo.land import CELL_M, COLUMNS, ROWS, SOUTH, VILLAGES, WEST, Land
from demo.names import Names
from demo.roads import QUAY_M, Roads, Street
from demo.shapes import bent, closed_curve, divide

PART_M2 = 235_000.0
STAR = np.array([1890.0, 1700.0])


@dataclass(frozen=True)
class Quarter:
    """A quarter: its name, seed point, kind, and people per hectare of ground."""

    name: str
    x: float
    y: float
    kind: str
    density: float


QUARTERS = (
    Quarter("Old Staithe", 620, -1100, "old", 118), Quarter("Tallowgate", 900, -620, "old", 104),
    Quarter("Weir Holm", 0, 450, "old", 60), Quarter("Netherquay", 1100, -2280, "port", 10),
    Quarter("Saltern", -1900, -2250, "port", 12), Quarter("Quillet", -600, -2050, "old", 88),
    Quarter("Heronside", -480, -1000, "grid", 112), Quarter("Hask Bank", -1700, -620, "grid", 92),
    Quarter("Lorren", 1750, -350, "grid", 96), Quarter("Cordwain", -1750, 560, "grid", 78),
    Quarter("Lantern End", 620, 400, "grid", 98), Quarter("Star Quarter", 1890, 1700, "star", 72),
    Quarter("Curlew Rise", 3450, 1850, "hill", 40), Quarter("Marl Hill", -3300, 1750, "hill", 38),
    Quarter("Withy End", 3650, -900, "garden", 34), Quarter("Gantry", 3450, 300, "estate", 92),
    Quarter("Brindle", -2000, 2250, "garden", 32), Quarter("Copperas", -300, 2350, "garden", 36),
    Quarter("Pell Moor", -3500, 350, "estate", 84), Quarter("Sedge Field", -3300, -1050, "garden", 33),
    Quarter("Teasel Park", 700, 2950, "garden", 31), Quarter("Fallow Green", 2100, 2800, "garden", 29),
    Quarter("Whimbrel", -300, 700, "estate", 88), Quarter("Kiln Fields", 1800, -1020, "estate", 80),
    Quarter("Skein", -1750, -1300, "grid", 84), Quarter("Oakum Wharf", 2500, -2120, "port", 8), Quarter("Rudder Yard", 1750, -2180, "port", 8),
)  # fmt: skip

TOWN = [(4480, -200), (4500, 1000), (4050, 2150), (3000, 2980), (1700, 3780), (400, 3650), (-900, 3900), (-1900, 3160), (-3300, 2500),
        (-4080, 1500), (-4320, 300), (-4280, -700), (-3800, -1850), (-2500, -2400), (-900, -2620), (800, -2680), (2600, -2560), (4000, -2250),
        (4350, -1250)]  # fmt: skip

BLOCK_M2 = {"old": 2500.0, "grid": 7600.0, "star": 6500.0, "hill": 12000.0, "garden": 21000.0, "estate": 19000.0, "port": 30000.0,
            "village": 13000.0}  # fmt: skip
SAG = {
    "old": 0.075,
    "grid": 0.004,
    "star": 0.02,
    "hill": 0.05,
    "garden": 0.06,
    "estate": 0.015,
    "port": 0.012,
    "village": 0.07,
}


@dataclass
class Part:
    """Ground between main and tertiary streets: a zone of the census."""

    ground: shapely.Polygon
    quarter: Quarter


@dataclass
class Town:
    """All streets on the ground, the blocks between them (polygon, quarter), the parts, and green places by name."""

    streets: list[Street] = field(default_factory=list)
    blocks: list[tuple[shapely.Polygon, Quarter]] = field(default_factory=list)
    parts: list[Part] = field(default_factory=list)
    parks: list[tuple[shapely.Polygon, str]] = field(default_factory=list)
    outline: shapely.Geometry = field(default_factory=shapely.Polygon)


def build_town(land: Land, roads: Roads, names: Names, rng: Generator) -> Town:
    """Quarters, villages and quays."""
    town = Town()
    whole = closed_curve([(float(x), float(y)) for x, y in TOWN])
    dry = land.island.buffer(-45).difference(shapely.union_all([
        land.river.buffer(QUAY_M), land.basin.buffer(22), roads.ring.buffer(34), *[line.buffer(13) for line, _ in roads.rails],
    ]))  # fmt: skip
    mains = shapely.union_all([street.line for street in roads.main])
    ground = shapely.union(whole.intersection(dry), land.islet.buffer(-QUAY_M + 8))
    town.outline = ground
    _quays(town, land, ground, names)
    quays = shapely.union_all([street.line for street in town.streets])
    faces = shapely.get_parts(
        shapely.polygonize([shapely.union_all([ground.boundary, mains.intersection(ground), quays])])
    )
    faces = [f for f in faces if f.area > 2500 and ground.contains(f.representative_point())]
    for face in faces:
        parts, cuts = divide(face, PART_M2, 0.03, rng)
        town.streets += [_street(line, "tertiary", names, rng, "main") for _, line in cuts]
        for part in parts:
            middle = part.representative_point()
            quarter = min(QUARTERS, key=lambda q: np.hypot(q.x - middle.x, q.y - middle.y))
            town.parts.append(Part(part, quarter))
    for part in town.parts:
        _lay_out(town, land, part.ground, part.quarter, names, rng)
    _villages(town, roads, dry, names, rng)
    _parks(town, rng)
    return town


def _quays(town: Town, land: Land, ground: shapely.Geometry, names: Names) -> None:
    """Streets along the river and the harbour: driven on the town's side, promenades elsewhere."""
    bank = shapely.union_all([land.river.buffer(QUAY_M + 1), land.basin.buffer(23)])
    for piece in shapely.get_parts(shapely.line_merge(shapely.intersection(ground.boundary, bank))):
        if piece.length < 60 or piece.geom_type != "LineString":
            continue
        port = piece.distance(land.basin) < 60
        highway = "unclassified" if port else "residential" if -2300 < piece.centroid.y < 2300 else "footway"
        tags = {
            "highway": highway,
            "name": names.street("quay"),
            "surface": "sett" if highway == "residential" else "asphalt",
        }
        town.streets.append(Street(piece, tags, "quay"))
    rim = land.islet.buffer(-QUAY_M + 8)
    town.streets.append(
        Street(shapely.LineString(rim.exterior.coords), {"highway": "living_street", "name": "Holm Round"}, "quay")
    )


def _street(line: shapely.LineString, highway: str, names: Names, rng: Generator, quarter: str) -> Street:
    return Street(line, street_tags(highway, quarter, names, rng), quarter)


LIMITS = {
    "tertiary": ("50", "40"),
    "residential": ("30",),
    "living_street": ("10",),
    "unclassified": ("50", "40"),
    "service": ("20",),
}
ONE_WAY = {
    "old": 0.42,
    "grid": 0.5,
    "star": 0.3,
    "hill": 0.12,
    "garden": 0.03,
    "estate": 0.05,
    "port": 0.04,
    "village": 0.02,
}


def street_tags(highway: str, quarter: str, names: Names, rng: Generator) -> dict[str, str]:
    """Tags as surveyors leave them: often there, often not, not always the same."""
    tags = {"highway": highway}
    driven = highway in ("tertiary", "residential", "living_street", "unclassified")
    if (driven or highway == "pedestrian") and rng.random() < 0.96:
        tags["name"] = names.street(highway)
    if highway in LIMITS and rng.random() < (0.9 if highway == "tertiary" else 0.6):
        tags["maxspeed"] = str(rng.choice(LIMITS[highway]))
    if highway == "residential" and rng.random() < ONE_WAY.get(quarter, 0.0):
        tags["oneway"] = "-1" if rng.random() < 0.08 else "yes"
        if rng.random() < 0.45:
            tags["oneway:bicycle"] = "no"
        elif rng.random() < 0.1:
            tags["cycleway"] = "opposite_lane"
    if driven and rng.random() < 0.55:
        tags["surface"] = str(rng.choice(["asphalt", "sett", "concrete", "paving_stones"], p=[0.75, 0.12, 0.05, 0.08]))
    if driven and rng.random() < 0.6:
        tags["lit"] = "yes"
    if highway in ("residential", "tertiary") and rng.random() < 0.4:
        tags["sidewalk"] = str(rng.choice(["both", "left", "right", "no"], p=[0.7, 0.1, 0.1, 0.1]))
    if highway == "tertiary" and rng.random() < 0.25:
        tags["cycleway"] = "lane"
    if quarter == "old" and highway == "residential" and rng.random() < 0.3:
        tags["width"] = str(rng.choice(["2.8", "3.2", "3.5", "4"]))
    if highway == "residential" and rng.random() < 0.02:
        tags["motor_vehicle"] = "destination"
    if highway == "service" and quarter == "port":
        tags |= {"access": "private"} if rng.random() < 0.45 else {"hgv": "designated"}
    if highway in ("footway", "path") and rng.random() < 0.5:
        tags["surface"] = str(rng.choice(["gravel", "asphalt", "ground", "paving_stones"]))
    if highway == "footway" and rng.random() < 0.15:
        tags["bicycle"] = str(rng.choice(["yes", "no", "designated"]))
    if highway == "steps":
        tags |= {"step_count": str(rng.integers(8, 70)), "handrail": "yes"}
    return tags


def _lay_out(town: Town, land: Land, ground: shapely.Polygon, quarter: Quarter, names: Names, rng: Generator) -> None:
    """Local streets and blocks of one part."""
    kind = quarter.kind
    lines: list[shapely.LineString] = []
    if kind == "grid":
        lines = _grid(ground, quarter, rng)
    elif kind == "star":
        lines = _star(ground)
    elif kind == "hill":
        lines = _contours(land, ground)
    town.streets += [_street(line, "residential", names, rng, kind) for line in lines]
    pieces = [ground]
    if lines:
        pieces = list(shapely.get_parts(shapely.polygonize([shapely.union_all([ground.boundary, *lines])])))
    for piece in pieces:
        if piece.area < 300:
            continue
        blocks, cuts = divide(piece, BLOCK_M2[kind], SAG[kind], rng)
        for depth, line in cuts:
            highway = _class_of_cut(kind, depth, line, land, rng)
            street = _street(line, highway, names, rng, kind)
            if kind == "hill":
                street.tags |= _incline(line, land, rng)
            town.streets.append(street)
        for block in blocks:
            town.blocks += [(part, quarter) for part in _inside(town, block, kind, names, rng)]


def _incline(line: shapely.LineString, land: Land, rng: Generator) -> dict[str, str]:
    """How steep a street is in the direction in which it is drawn, where somebody measured it."""
    start, end = land.height(np.asarray(line.coords)[[0, -1]])
    percent = round(100 * (end - start) / max(line.length, 1.0))
    return {"incline": f"{percent}%"} if abs(percent) >= 5 and rng.random() < 0.7 else {}


def _class_of_cut(kind: str, depth: int, line: shapely.LineString, land: Land, rng: Generator) -> str:
    draw = rng.random()
    if kind == "port":
        return "unclassified" if depth < 3 or draw < 0.4 else "service"
    if kind == "hill":
        ends = np.asarray(line.coords)[[0, -1]]
        slope = abs(np.subtract(*land.height(ends))) / max(line.length, 1)
        if slope > 0.11:
            return "steps" if draw < 0.5 else "footway"
    if kind == "old":
        return "pedestrian" if draw < 0.2 else "footway" if draw < 0.27 else "steps" if draw < 0.28 else "residential"
    if kind == "grid":
        return "service" if depth >= 1 and draw < 0.5 else "footway" if draw < 0.1 else "residential"
    return "living_street" if draw < 0.08 else "footway" if draw < 0.13 else "residential"


def _grid(ground: shapely.Polygon, quarter: Quarter, rng: Generator) -> list[shapely.LineString]:
    """Straight streets in two directions; the whole quarter shares one angle and one raster."""
    angle = {"Heronside": 6, "Hask Bank": -4, "Lorren": 21, "Cordwain": 3, "Lantern End": -8}.get(quarter.name, 12)
    turned = shapely.affinity.rotate(ground, -angle, origin=(quarter.x, quarter.y))
    west, south, east, north = turned.bounds
    lines = []
    for step, low, high, across in ((78.0, south, north, True), (152.0, west, east, False)):
        origin = quarter.y if across else quarter.x
        first = origin + np.ceil((low - origin) / step) * step
        for at in np.arange(first, high, step):
            ends = [(west - 9, at), (east + 9, at)] if across else [(at, south - 9), (at, north + 9)]
            inside = shapely.intersection(shapely.LineString(ends), turned)
            lines += [part for part in shapely.get_parts(inside) if part.length > 30 and rng.random() > 0.03]
    return [shapely.affinity.rotate(line, angle, origin=(quarter.x, quarter.y)) for line in lines]


def _star(ground: shapely.Polygon) -> list[shapely.LineString]:
    """Twelve rays and rings about the star."""
    turns = np.deg2rad(np.arange(12) * 30 + 11)
    rays = [
        shapely.LineString([STAR + 75 * v, STAR + 1500 * v]) for v in np.column_stack([np.cos(turns), np.sin(turns)])
    ]
    rings = [
        shapely.LineString(shapely.Point(STAR).buffer(radius, 24).exterior.coords)
        for radius in (75, 190, 330, 490, 680, 900)
    ]
    inside = shapely.intersection(np.array(rays + rings, dtype=object), ground)
    return [
        part
        for line in inside
        for part in shapely.get_parts(line)
        if part.geom_type == "LineString" and part.length > 25
    ]


def _contours(land: Land, ground: shapely.Polygon) -> list[shapely.LineString]:
    """Streets that follow the slope, one every 13 m of height."""
    x, y = WEST + (np.arange(COLUMNS) + 0.5) * CELL_M, SOUTH + (np.arange(ROWS) + 0.5) * CELL_M
    west, south, east, north = ground.bounds
    columns, rows = (x > west - 99) & (x < east + 99), (y > south - 99) & (y < north + 99)
    heights = land.heights[np.ix_(rows, columns)]
    lines: list[shapely.LineString] = []
    trace = contour_generator(x[columns], y[rows], heights)
    for level in np.arange(np.ceil(heights.min() / 13) * 13, heights.max(), 13.0):
        for ring in trace.lines(level):
            if len(ring) < 4:
                continue
            smoothed = shapely.simplify(shapely.LineString(ring), 4.0)
            lines += [
                p
                for p in shapely.get_parts(smoothed.intersection(ground))
                if p.geom_type == "LineString" and p.length > 90
            ]
    return lines


def _inside(town: Town, block: shapely.Polygon, kind: str, names: Names, rng: Generator) -> list[shapely.Polygon]:
    """Ways inside a block: dead ends and crescents of garden suburbs, inner ways of estates, yards of the port."""
    if kind == "garden" and block.area > 9000:
        return _garden(town, block, names, rng)
    if kind == "estate" and block.area > 8000:
        loop = shapely.buffer(block, -26, join_style="mitre")
        if loop.geom_type == "Polygon" and not loop.is_empty and loop.area > 2500:
            ring = shapely.LineString(shapely.simplify(loop, 2).exterior.coords)
            spur = _spur(block, ring, rng)
            town.streets.append(Street(shapely.LineString([*spur.coords]), {"highway": "service"}, kind))
            town.streets.append(Street(ring, {"highway": "service", "maxspeed": "10"}, kind))
            middle = np.array(ring.centroid.coords[0])
            for spot in shapely.get_coordinates(
                shapely.line_interpolate_point(ring, rng.uniform(0, 1, 3), normalized=True)
            ):
                out = (spot - middle) / max(np.hypot(*(spot - middle)), 1.0)
                aisle = shapely.LineString([spot - 0.3 * out, spot + 15 * out])
                town.streets.append(Street(aisle, {"highway": "service", "service": "parking_aisle"}, kind))
            for share in rng.uniform(0, 1, 2):
                start = block.exterior.interpolate(share, normalized=True)
                middle = loop.representative_point()
                path = bent(np.array(start.coords[0]), np.array(middle.coords[0]), 0.05, rng)
                town.streets.append(Street(path, street_tags("footway", kind, names, rng), kind))
    if kind == "port" and block.area > 12000:
        axis = _axis(block, 0.75, rng)
        town.streets.append(Street(axis, street_tags("service", kind, names, rng), kind))
    return [block]


def _garden(town: Town, block: shapely.Polygon, names: Names, rng: Generator) -> list[shapely.Polygon]:
    """A dead end with a turning place, or a crescent that returns to its own street; a path often leads on."""
    axis = _axis(block, rng.uniform(0.55, 0.8), rng)
    if axis.is_empty:
        return [block]
    draw = rng.random()
    if draw < 0.22:
        loop = shapely.buffer(block, -34)
        if loop.geom_type == "Polygon" and not loop.is_empty and loop.area > 3000:
            ring = shapely.LineString(shapely.simplify(loop, 3).exterior.coords)
            spur = _spur(block, ring, rng)
            tags = street_tags("residential", "garden", names, rng) | {"noexit": ""}
            town.streets += [Street(ring, tags, "garden"), Street(spur, dict(tags), "garden")]
            inner = shapely.Polygon(ring.coords)
            return [part for part in (block.difference(inner.buffer(0.1)), inner) if part.geom_type == "Polygon"]
    tags = street_tags("residential", "garden", names, rng)
    tags.pop("oneway", None)
    town.streets.append(Street(axis, tags, "garden"))
    end = axis.coords[-1]
    if draw > 0.62:
        far = block.exterior.interpolate(block.exterior.project(shapely.Point(end)))
        town.streets.append(
            Street(shapely.LineString([end, (far.x, far.y)]), street_tags("footway", "garden", names, rng), "garden")
        )
    return [block]


def _axis(block: shapely.Polygon, share: float, rng: Generator) -> shapely.LineString:
    """A line from the middle of a short side into the block along its length."""
    corner = np.asarray(shapely.oriented_envelope(block).exterior.coords)[:4]
    sides = np.hypot(*(np.roll(corner, -1, axis=0) - corner).T)
    short = int(np.argmin(sides))
    a = (corner[short] + corner[(short + 1) % 4]) / 2
    b = (corner[(short + 2) % 4] + corner[(short + 3) % 4]) / 2
    if rng.random() < 0.5:
        a, b = b, a
    inside = shapely.intersection(bent(a - (b - a) * 0.05, a + (b - a) * share, 0.05, rng), block)
    return max(shapely.get_parts(inside), key=lambda part: part.length)


def _spur(block: shapely.Polygon, ring: shapely.LineString, rng: Generator) -> shapely.LineString:
    """A short way from the edge of a block to a ring within it."""
    start = ring.interpolate(rng.random(), normalized=True)
    edge = block.exterior.interpolate(block.exterior.project(start))
    return shapely.LineString([(edge.x, edge.y), (start.x, start.y)])


def _villages(town: Town, roads: Roads, dry: shapely.Geometry, names: Names, rng: Generator) -> None:
    """Villages around a main road; the neighbouring town is a larger one with an old middle."""
    mains = shapely.union_all([street.line for street in roads.main])
    for name, x, y, radius in VILLAGES:
        turn = np.linspace(0, 2 * np.pi, 11)[:-1]
        reach = radius * rng.uniform(0.75, 1.15, 10)
        ground = closed_curve(list(zip(x + reach * np.cos(turn), y + reach * np.sin(turn), strict=True))).intersection(
            dry
        )
        quarter = Quarter(name, x, y, "village", 22)
        for piece in shapely.get_parts(
            shapely.polygonize([shapely.union_all([ground.boundary, mains.intersection(ground)])])
        ):
            if piece.area < 3000:
                continue
            old = name == "Quillhaven" and piece.centroid.distance(shapely.Point(x, y)) < 420
            blocks, cuts = divide(piece, 5200 if old else BLOCK_M2["village"], SAG["village"], rng)
            for depth, line in cuts:
                highway = "unclassified" if depth == 0 else "footway" if rng.random() < 0.1 else "residential"
                town.streets.append(_street(line, highway, names, rng, "village"))
            town.blocks += [(block, quarter) for block in blocks if rng.random() < 0.85]
            town.parts.append(Part(piece, quarter))


PARK_NAMES = ("Hask Park", "Quillet Green", "Tansy Gardens", "Lode Meadow", "Rowan Park", "Star Common", "Withy Green", "Beacon Gardens",
              "Mallow Park", "Sedge Common", "Cooper's Ground", "Whimbrel Field", "Gantry Green", "Curlew Top", "Teasel Ground",
              "Holm Garden")  # fmt: skip


def _parks(town: Town, rng: Generator) -> None:
    """Some large blocks become parks with paths across them."""
    kinds = np.array([quarter.kind for _, quarter in town.blocks])
    sizes = np.array([block.area for block, _ in town.blocks])
    chosen: list[int] = []
    for kind, count in (("grid", 4), ("garden", 5), ("estate", 3), ("hill", 2), ("star", 1), ("old", 1)):
        rows = np.flatnonzero(kinds == kind)
        roomy = rows[np.argsort(-sizes[rows])][: count * 12]
        chosen += rng.choice(roomy, count, replace=False).tolist()
    for name, i in zip(PARK_NAMES, chosen, strict=True):
        park = town.blocks[i][0]
        town.parks.append((park, name))
        middle = park.representative_point()
        start = rng.uniform(0, 0.2)
        for share in start + np.arange(5) * 0.2:
            end = park.exterior.interpolate(share % 1, normalized=True)
            path = bent(np.array(end.coords[0]), np.array(middle.coords[0]), 0.06, rng)
            town.streets.append(Street(path, {"highway": "footway", "surface": "gravel", "name": ""}, "park"))
    keep = sorted(set(range(len(town.blocks))) - set(chosen))
    town.blocks = [town.blocks[i] for i in keep]
