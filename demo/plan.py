"""The plan of Ferrow: land and water, districts, blocks and streets, in metres around the town's middle.

Everything is laid out on a plain sheet first and bent by a smooth warp at the end, so that no street is straight for
long. The same seed gives the same town.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
import shapely
from numpy.random import Generator

from demo.names import Names
from demo.shapes import divide, smooth

QUAY_M = 20.0
"""Distance from the bank to the street along it."""


@dataclass(frozen=True)
class District:
    """A quarter of the town: its seed point, how it was built, and how many people live there per hectare."""

    name: str
    x: float
    y: float
    kind: str
    density: float


DISTRICTS = (
    District("Old Staithe", 470, -560, "old", 190),
    District("Tallowgate", 980, 120, "old", 165),
    District("Netherquay", 250, -1430, "port", 95),
    District("Lorren", 1560, -450, "grid", 150),
    District("Star Quarter", 1500, 980, "suburb", 110),
    District("Curlew Rise", 820, 1560, "suburb", 90),
    District("Withy End", 1430, -1350, "suburb", 100),
    District("Heronside", -260, 620, "grid", 160),
    District("Quillet", -1080, 560, "grid", 150),
    District("Hask Bank", -900, -520, "old", 140),
    District("Saltern", -640, -1480, "port", 90),
    District("Pell Moor", -1830, -60, "suburb", 85),
    District("Brindle", -1500, 1330, "suburb", 95),
    District("Copperas", -330, 1560, "suburb", 105),
    District("Marl Hill", -1640, -1080, "suburb", 80),
    District("Gantry", 2130, 260, "suburb", 75),
)

BLOCK_M2 = {"old": 3300.0, "grid": 6200.0, "suburb": 8600.0, "port": 15000.0}
SAG = {"old": 0.07, "grid": 0.006, "suburb": 0.06, "port": 0.015}


@dataclass
class Street:
    """A line of the plan with its tags; `layer` other than 0 keeps it from joining what it crosses."""

    line: shapely.LineString
    tags: dict[str, str]
    district: str = ""


@dataclass
class Plan:
    """All of the town before it is written: streets, blocks and land cover, in plan metres."""

    streets: list[Street] = field(default_factory=list)
    blocks: list[tuple[shapely.Polygon, str]] = field(default_factory=list)
    parks: list[tuple[shapely.Polygon, str]] = field(default_factory=list)
    woods: list[shapely.Polygon] = field(default_factory=list)
    water: list[tuple[shapely.Polygon, dict[str, str]]] = field(default_factory=list)
    river_line: shapely.LineString = field(default_factory=shapely.LineString)
    rail: list[shapely.LineString] = field(default_factory=list)
    cells: dict[str, shapely.Polygon] = field(default_factory=dict)
    apart: list[Street] = field(default_factory=list)
    edges: list[shapely.LineString] = field(default_factory=list)


def warp(xy: np.ndarray) -> np.ndarray:
    """The smooth bend laid over the whole plan."""
    x, y = xy[:, 0], xy[:, 1]
    dx = 46 * np.sin(y / 310 + 0.6) + 26 * np.sin(x / 240 + y / 420) + 9 * np.sin(y / 95 + x / 130)
    dy = 42 * np.sin(x / 350 - 0.9) + 24 * np.sin(x / 500 - y / 230) + 9 * np.sin(x / 105 - y / 120)
    return np.column_stack([x + dx, y + dy])


def lay_out(rng: Generator) -> Plan:
    """The whole plan."""
    plan = Plan()
    names = Names(rng)
    river_line = smooth(
        [(1500, 3400), (1130, 2300), (640, 1450), (560, 820), (240, 180), (-330, -260), (-390, -900), (-160, -1700),
         (-260, -2300), (-300, -3400)]
    )  # fmt: skip
    islet = shapely.Point(425, 530).buffer(1.0)
    islet = shapely.affinity.rotate(shapely.affinity.scale(islet, 60, 190), -24)
    river = river_line.buffer(62).union(islet.buffer(58))
    sea = shapely.Polygon(
        [*smooth([(-4200, -1900), (-2600, -2010), (-1300, -2120), (-300, -2060), (600, -2130), (1900, -1980), (4200, -2200)])
         .coords, (4200, -4500), (-4200, -4500)]
    )  # fmt: skip
    basin = shapely.Polygon(
        [(60, -2200), (70, -1720), (150, -1700), (620, -1720), (640, -1800), (170, -1800), (190, -2200)]
    )
    water = shapely.union_all([river, sea, basin])
    plan.river_line = river_line
    plan.water = [
        (river.difference(islet).difference(sea), {"natural": "water", "water": "river", "name": "River Orrow"}),
        (sea.union(basin), {"natural": "water", "water": "bay", "name": "Ferrow Roads"}),
    ]
    outline = smooth(
        [(2550, 150), (2300, 1150), (1650, 1950), (500, 2230), (-900, 2150), (-2000, 1650), (-2500, 600), (-2450, -500),
         (-2150, -1350), (-1500, -1840), (-300, -2200), (900, -2150), (1850, -1750), (2450, -900), (2550, 150)], 60
    )  # fmt: skip
    town = shapely.Polygon(outline.coords).difference(water.buffer(QUAY_M))
    banks = sorted((part for part in shapely.get_parts(town) if part.area > 2e5), key=lambda part: part.centroid.x)
    _main_streets(plan, names, banks, islet, rng)
    _quarters(plan, names, banks, rng)
    _islet(plan, names, islet)
    _outskirts(plan, water, outline, rng)
    _skerry(plan)
    return plan


def _main_streets(
    plan: Plan, names: Names, banks: list[shapely.Polygon], islet: shapely.Polygon, rng: Generator
) -> None:
    """Roads that cross the town, the bridges on them, and the footbridge."""
    roads = (
        ("Gant Avenue", "primary", [(-3400, 250), (-1900, 330), (-700, 150), (0, -40), (420, -120), (1250, -150), (3400, 350)]),
        ("Saltern Road", "primary", [(-3200, -1100), (-1900, -720), (-900, -960), (-250, -1010), (600, -1010), (1500, -900), (3300, -1300)]),
        ("Star Road", "secondary", [(-2600, 2900), (-1200, 1500), (-300, 1180), (400, 1120), (1000, 980), (1700, 500), (2300, -600), (2900, -1700)]),
        ("Lanternway", "secondary", [(1800, 3300), (1200, 1700), (1180, 500), (1100, -800), (1000, -1650)]),
        ("West Cross", "secondary", [(-900, 3300), (-760, 1700), (-820, 400), (-1150, -600), (-1000, -1780)]),
    )  # fmt: skip
    for name, highway, points in roads:
        tags = {"highway": highway, "name": name, "maxspeed": "50", "lanes": "2", "surface": "asphalt", "lit": "yes"}
        plan.streets.append(Street(smooth([(float(x), float(y)) for x, y in points], 60), tags))
    # The footbridge reaches from quay to quay, north of Gant Avenue.
    river = plan.water[0][0].union(islet)
    foot = shapely.LineString([(30, 340), (390, 60)]).intersection(shapely.buffer(river, QUAY_M))
    plan.streets.append(
        Street(foot, {"highway": "footway", "name": "Heron Footbridge", "bicycle": "dismount", "lit": "yes"})
    )
    for bank in banks:
        for ring in [bank.exterior]:
            tags = {"highway": "tertiary", "name": names.street("tertiary"), "maxspeed": "40", "surface": "asphalt"}
            plan.streets.append(Street(shapely.LineString(ring.coords), tags))
    # The relief road passes over every street it meets; ramps tie it to the ground in two places.
    relief = smooth(
        [(-3300, 1750), (-2450, 1300), (-1000, 1930), (300, 1750), (1500, 1350), (2150, 650), (3300, 900)], 60
    )
    trunk = {"highway": "trunk", "name": "Orrow Relief Road", "maxspeed": "80", "layer": "1", "bridge": "yes", "foot": "no",
             "bicycle": "no"}  # fmt: skip
    plan.apart.append(Street(relief, trunk))


def _quarters(plan: Plan, names: Names, banks: list[shapely.Polygon], rng: Generator) -> None:
    """Cells of the districts, cut by the main streets, divided into blocks with a street on every cut."""
    mains = shapely.union_all([street.line for street in plan.streets])
    for bank in banks:
        # Quarters do not straddle the river: each bank is shared out among the districts that lie on it.
        here = [d for d in DISTRICTS if bank.contains(shapely.Point(d.x, d.y))]
        seeds = shapely.MultiPoint([(d.x, d.y) for d in here])
        cells = shapely.get_parts(shapely.voronoi_polygons(seeds, extend_to=shapely.box(-4000, -4000, 4000, 4000)))
        for district in here:
            cell = next(c for c in cells if c.contains(shapely.Point(district.x, district.y)))
            _quarter(plan, names, district, cell, bank, mains, rng)
    _parks(plan, rng)


def _quarter(
    plan: Plan,
    names: Names,
    district: District,
    cell: shapely.Polygon,
    bank: shapely.Polygon,
    mains: shapely.Geometry,
    rng: Generator,
) -> None:
    whole = cell.intersection(bank)
    plan.cells[district.name] = whole
    tags = {"highway": "tertiary", "name": names.street("tertiary"), "maxspeed": "40", "surface": "asphalt"}
    # The edge between two quarters is one street, drawn with the first of them.
    drawn = shapely.buffer(shapely.union_all([shapely.LineString(), *plan.edges]), 0.5)
    edges = shapely.get_parts(shapely.line_merge(cell.boundary.intersection(bank).difference(drawn)))
    plan.edges += list(edges)
    for piece in edges:
        if piece.length > 60:
            plan.streets.append(Street(piece, dict(tags), district.name))
    pieces = shapely.get_parts(shapely.polygonize([shapely.union_all([whole.boundary, mains.intersection(whole)])]))
    for piece in pieces:
        if piece.area < 400 or not whole.contains(piece.representative_point()):
            continue
        blocks, cuts = divide(piece, BLOCK_M2[district.kind], SAG[district.kind], rng)
        plan.blocks += [(block, district.kind) for block in blocks]
        for depth, line in cuts:
            plan.streets.append(Street(line, _cut_tags(district.kind, depth, names, rng), district.name))


def _cut_tags(kind: str, depth: int, names: Names, rng: Generator) -> dict[str, str]:
    """Class and rules of a street by the quarter it lies in and how early it was cut."""
    draw = rng.random()
    if kind == "port":
        highway = "unclassified" if depth < 3 or draw < 0.5 else "service"
    elif depth < 2:
        highway = "tertiary" if kind != "old" else "residential"
    elif kind == "old":
        highway = (
            "pedestrian" if draw < 0.22 else "footway" if draw < 0.27 else "steps" if draw < 0.29 else "residential"
        )
    else:
        highway = "living_street" if draw < 0.08 else "footway" if draw < 0.12 else "residential"
    tags = {"highway": highway}
    if highway not in ("steps", "service") and rng.random() < 0.93:
        tags["name"] = names.street(highway)
    if highway in ("tertiary", "residential", "unclassified") and rng.random() < 0.55:
        tags["maxspeed"] = {"tertiary": "40", "residential": "30", "unclassified": "40"}[highway]
    if highway == "residential" and rng.random() < (0.38 if kind in ("old", "grid") else 0.06):
        tags["oneway"] = "-1" if rng.random() < 0.15 else "yes"
        if rng.random() < 0.4:
            tags["oneway:bicycle"] = "no"
    if highway == "service":
        tags["access"] = "private" if rng.random() < 0.4 else "destination"
    if rng.random() < 0.3:
        tags["surface"] = str(rng.choice(["asphalt", "sett", "concrete"]))
    return tags


PARK_NAMES = ("Hask Park", "Quillet Green", "Tansy Gardens", "Lode Meadow", "Rowan Park", "Star Common", "Withy Green",
              "Beacon Gardens", "Mallow Park", "Sedge Field")  # fmt: skip


def _parks(plan: Plan, rng: Generator) -> None:
    """Some large blocks become parks with paths across them; the rest is built up."""
    sizes = np.array([block.area for block, _ in plan.blocks])
    roomy = [i for i in np.argsort(-sizes) if plan.blocks[i][1] in ("suburb", "grid", "old")][:90]
    chosen = rng.choice(roomy, len(PARK_NAMES), replace=False)
    for name, i in zip(PARK_NAMES, chosen, strict=True):
        park = plan.blocks[i][0]
        plan.parks.append((park, name))
        rim = park.exterior
        at = rng.uniform(0, 0.2)
        ends = [rim.interpolate(share, normalized=True) for share in (at, at + 0.26, at + 0.5, at + 0.76)]
        middle = park.representative_point()
        for end in ends:
            path = shapely.LineString([end, middle])
            plan.streets.append(Street(path, {"highway": "footway", "surface": "gravel"}))
    keep = set(range(len(plan.blocks))) - {int(i) for i in chosen}
    plan.blocks = [plan.blocks[i] for i in sorted(keep)]


def _islet(plan: Plan, names: Names, islet: shapely.Polygon) -> None:
    """Weir Holm, in the river: one bridge, a loop and a few lanes."""
    ring = islet.buffer(-14)
    plan.streets.append(
        Street(
            shapely.LineString(ring.exterior.coords), {"highway": "residential", "name": "Holm Round", "maxspeed": "20"}
        )
    )
    blocks, cuts = divide(ring, 4200, 0.03, np.random.default_rng(5))
    plan.blocks += [(block, "old") for block in blocks]
    for _, line in cuts:
        plan.streets.append(Street(line, {"highway": "residential", "name": names.street("residential")}))
    bridge = shapely.LineString([ring.exterior.interpolate(ring.exterior.project(shapely.Point(700, 640))), (830, 770)])
    plan.streets.append(Street(bridge, {"highway": "residential", "name": "Weir Bridge", "maxspeed": "20"}))


def _outskirts(plan: Plan, water: shapely.Geometry, outline: shapely.LineString, rng: Generator) -> None:
    """Woods around the town, a railway to the port, and lanes that run out of the extract."""
    town = shapely.Polygon(outline.coords)
    for x, y, rx, ry, turn in ((-2900, 1300, 560, 420, 20), (2750, 1750, 620, 420, -30), (2850, -900, 380, 520, 10),
                               (-2800, -1250, 360, 420, 0), (-300, 2800, 760, 300, 5)):  # fmt: skip
        wood = shapely.affinity.rotate(shapely.affinity.scale(shapely.Point(x, y).buffer(1, 12), rx, ry), turn)
        rim = np.asarray(wood.exterior.coords)
        rim[:-1] += rng.normal(0, 26, rim[:-1].shape)
        rim[-1] = rim[0]
        cover = shapely.make_valid(shapely.Polygon(rim)).difference(town.buffer(20)).difference(water.buffer(20))
        plan.woods += [p for p in shapely.get_parts(cover) if p.geom_type == "Polygon" and p.area > 1e4]
    plan.rail.append(smooth([(3400, -250), (2300, -300), (1720, -1100), (900, -1330), (520, -1640)], 40))
    lanes = (
        ("Fell Lane", [(-2520, 560), (-2800, 760), (-3300, 700)]),
        ("Tarn Lane", [(2480, 640), (2800, 500), (3350, 620)]),
        ("Beacon Lane", [(150, 2235), (60, 2600), (240, 3300)]),
        ("Rush Drove", [(2420, -980), (2700, -1450), (3300, -1750)]),
        ("Kiln Lane", [(-2350, -800), (-2700, -700), (-3300, -640)]),
    )
    for name, points in lanes:
        line = smooth([(float(x), float(y)) for x, y in points], 50)
        start = town.exterior.interpolate(town.exterior.project(shapely.Point(line.coords[0])))
        line = shapely.LineString([(start.x, start.y), *line.coords[1:]])
        plan.streets.append(Street(line, {"highway": "unclassified", "name": name, "maxspeed": "60"}))


def _skerry(plan: Plan) -> None:
    """An island in the bay that no bridge reaches: a part of its own."""
    for points in (
        [(1700, -2650), (1850, -2580), (2010, -2610), (2090, -2700)],
        [(1850, -2580), (1890, -2690), (1990, -2760)],
    ):
        line = shapely.LineString(points)
        plan.apart.append(Street(line, {"highway": "track", "name": "Skerry Track", "surface": "gravel"}))
    rim = shapely.Point(1900, -2660).buffer(1, 10)
    rim = shapely.affinity.scale(rim, 300, 160)
    sea, tags = plan.water[1]
    plan.water[1] = (sea.difference(rim), tags)
