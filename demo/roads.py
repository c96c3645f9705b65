"""The roads that were there first: main roads, the ring road with its junctions, the railway, the ferries.

Main roads stand on the ground and join whatever they meet. The ring road and its ramps join nothing but each other and,
at the junctions, the main road that crosses above.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
import shapely
from shapely.ops import substring

from demo.land import Land
from demo.shapes import smooth

QUAY_M = 20.0
RAMP_M = 360.0
JUNCTION_M = 78.0
"""Length of a ramp along the ring, and distance from the ring at which ramps meet the road above."""


@dataclass
class Street:
    """A line with its tags; `quarter` is the kind of quarter it was laid out in."""

    line: shapely.LineString
    tags: dict[str, str]
    quarter: str = ""


@dataclass
class Roads:
    """Main roads on the ground, roads that stand apart (ring, ramps), rails, ferries, and points with node tags."""

    main: list[Street] = field(default_factory=list)
    apart: list[Street] = field(default_factory=list)
    rails: list[tuple[shapely.LineString, dict[str, str]]] = field(default_factory=list)
    ferries: list[Street] = field(default_factory=list)
    points: list[tuple[float, float, dict[str, str]]] = field(default_factory=list)
    ring: shapely.LineString = field(default_factory=shapely.LineString)
    at_rail: list[tuple[shapely.Point, str, dict[str, str]]] = field(default_factory=list)
    """Where a road of a name passes over or under the railway, with the tags of that stretch."""


MAIN = (
    # name, class, posted limit, points
    ("Gant Avenue", "primary", 50, [(-8050, 300), (-6600, -350), (-4700, -260), (-2500, -150), (-900, -290), (130, -420), (1120, -480), (2420, 60), (4650, 900), (6200, 1900), (8000, 2100)]),
    ("Saltern Road", "primary", 50, [(-6350, -500), (-4500, -1780), (-2500, -1790), (-950, -1640), (60, -1690), (880, -1745), (2600, -1500), (4500, -1480), (6200, -300), (7300, 1300)]),
    ("Star Road", "secondary", 50, [(-6000, 4300), (-4400, 3450), (-2900, 2650), (-1500, 2050), (-120, 1780), (1160, 1830), (1880, 1700), (2420, 1080), (3050, -300), (3590, -1590)]),
    ("Lanternway", "primary", 50, [(1900, 7050), (1650, 5400), (1300, 3600), (1160, 1830), (1060, 700), (1120, -480), (878, -1765)]),
    ("West Cross", "primary", 50, [(-1500, 6900), (-1250, 4900), (-1230, 3300), (-1160, 2000), (-1010, 700), (-900, -290), (-950, -1640), (-1080, -2500)]),
    ("Beacon Road", "secondary", 50, [(-2910, 2690), (-2650, 1300), (-2500, -150), (-2500, -1812)]),
    ("Marl Road", "secondary", 50, [(2500, 3050), (2430, 2100), (2420, 1080), (2420, 60), (2602, -1522)]),
    ("Fuller Road", "secondary", 50, [(-4300, 1180), (-2650, 1300), (-1080, 1240), (-370, 1230)]),
    ("Sluice Road", "secondary", 50, [(30, 1155), (1110, 1130), (2430, 1085), (3300, 900), (4350, 1330), (5200, 2600), (5900, 3900)]),
    ("Tallow Street", "secondary", 40, [(424, -430), (560, -900), (480, -1330), (420, -1740)]),
    ("Staithe Street", "tertiary", 30, [(165, -1050), (520, -1010), (1045, -1040)]),
    ("Heron Street", "tertiary", 40, [(-950, -960), (-480, -1000), (48, -932)]),
    ("Quillet Street", "tertiary", 40, [(-2520, -980), (-1700, -930), (-910, -960)]),
    ("Copperas Lane", "tertiary", 40, [(-1250, 3290), (-500, 2960), (180, 2520), (720, 2680), (1260, 2900)]),
)  # fmt: skip
RING = [(-3900, -1720), (-4180, -1250), (-4400, -600), (-4450, 0), (-4250, 1100), (-3500, 2500), (-1900, 3350), (0, 3420), (1900, 3330),
        (3450, 2900), (4350, 1700), (4640, 100), (4600, -900), (4440, -1430)]  # fmt: skip
RAIL = [(8300, 1250), (6500, 450), (4800, 150), (3150, -420), (2100, -900), (1350, -1580), (760, -1930), (300, -2010)]
JUNCTIONS = ("Gant Avenue", "Lanternway", "West Cross", "Star Road")
"""Main roads with ramps where they cross the ring road."""


OVERSHOOT_M = 90.0
UNDERPASS = "Marl Road"
"""The main road that passes under the railway."""
ROUNDABOUTS = (
    (-2650, 1300),
    (-2500, -150),
    (2425, 1083),
    (2600, -1505),
    (-1080, 1240),
    (1130, 1830),
    (1660, 5400),
    (6700, 1930),
)
"""About where main roads meet in a roundabout."""
ROUNDABOUT_M = 21.0


def with_roundabouts(streets: list[Street]) -> list[Street]:
    """The streets on the ground, with a one-way ring in place of some crossings of main roads (driven anticlockwise)."""
    big = [s.line for s in streets if s.tags["highway"] in ("primary", "secondary") and s.quarter == ""]
    discs = []
    for spot in ROUNDABOUTS:
        near = [line for line in big if line.distance(shapely.Point(spot)) < 160]
        crossings = [
            point for i, a in enumerate(near) for b in near[i + 1 :] for point in shapely.get_parts(a.intersection(b))
            if point.geom_type == "Point"
        ]  # fmt: skip
        if crossings:
            middle = min(crossings, key=shapely.Point(spot).distance)
            discs.append(middle.buffer(ROUNDABOUT_M, quad_segs=6))
    ground = shapely.union_all(discs)
    shapely.prepare(ground)
    made = []
    for street in streets:
        if not ground.intersects(street.line):
            made.append(street)
            continue
        outside = shapely.get_parts(street.line.difference(ground))
        made += [Street(part, street.tags, street.quarter) for part in outside if part.length > 4]
    tags = {"highway": "secondary", "junction": "roundabout", "maxspeed": "30", "surface": "asphalt", "lit": "yes"}
    rings = [
        shapely.LineString(disc.exterior if disc.exterior.is_ccw else shapely.reverse(disc.exterior)) for disc in discs
    ]
    return made + [Street(ring, dict(tags), "roundabout") for ring in rings]


def lay_roads(land: Land) -> Roads:
    """All of them."""
    roads = Roads(ring=smooth([(float(x), float(y)) for x, y in RING], 40))
    rail = smooth([(float(x), float(y)) for x, y in RAIL], 40)
    roads.rails = [(rail, {"railway": "rail", "name": "Ferrow Harbour Line", "electrified": "no"})]
    for name, highway, limit, points in MAIN:
        line = smooth([(float(x), float(y)) for x, y in points], 30)
        line = shapely.intersection(line, land.island.buffer(-30))
        tags = {
            "highway": highway,
            "name": name,
            "maxspeed": str(limit),
            "lanes": "2",
            "surface": "asphalt",
            "lit": "yes",
        }
        if highway == "primary":
            tags |= {"ref": f"A{len(name) % 7 + 1}", "lanes": "4" if name == "Gant Avenue" else "3", "width": "14"}
        roads.main += [Street(part, dict(tags)) for part in shapely.get_parts(line) if part.length > 200]
    _trim(roads.main)
    _ring(roads)
    _level_crossings(roads, rail)
    _islet_ways(roads, land)
    _ferries(roads)
    return roads


def _trim(main: list[Street]) -> None:
    """Cut what a road was drawn too far beyond the last road it meets."""
    for street in main:
        others = shapely.union_all([other.line for other in main if other is not street])
        crossings = [p for p in shapely.get_parts(street.line.intersection(others)) if p.geom_type == "Point"]
        along = sorted(street.line.project(point) for point in crossings)
        if not along:
            continue
        start = along[0] - 3 if along[0] < OVERSHOOT_M else 0.0
        end = along[-1] + 3 if along[-1] > street.line.length - OVERSHOOT_M else street.line.length
        street.line = substring(street.line, max(start, 0.0), min(end, street.line.length))


def _ring(roads: Roads) -> None:
    """Two carriageways, and at each junction four ramps that meet the road above at two points."""
    ring = roads.ring
    right, left = shapely.offset_curve(ring, -9.0), shapely.reverse(shapely.offset_curve(ring, 9.0))
    stops: dict[int, list[float]] = {0: [], 1: []}
    ramps = []
    for name in JUNCTIONS:
        for i, street in enumerate(roads.main):
            if street.tags["name"] != name:
                continue
            for cross in shapely.get_parts(shapely.intersection(street.line, ring)):
                if cross.geom_type != "Point":
                    continue
                at, along = ring.project(cross), street.line.project(cross)
                if not RAMP_M + 60 < at < ring.length - RAMP_M - 60:
                    continue
                ends = []
                for step in (-JUNCTION_M, JUNCTION_M):
                    spot = street.line.interpolate(along + step)
                    street.line = _with_vertex(street.line, along + step)
                    ends.append(np.array([spot.x, spot.y]))
                tangent = np.subtract(*(np.array(ring.interpolate(at + d).coords[0]) for d in (5, -5)))
                side = [tangent[0] * (e[1] - cross.y) - tangent[1] * (e[0] - cross.x) for e in ends]
                foot = {"right": ends[int(np.argmin(side))], "left": ends[int(np.argmax(side))]}
                ramps.append((at, foot))
                roads.main[i] = street
    for at, foot in ramps:
        for number, (line, place) in enumerate(((right, foot["right"]), (left, foot["left"]))):
            middle = line.project(ring.interpolate(at))
            for step in (-RAMP_M, RAMP_M):
                stop = round(middle + step, 1)
                stops[number].append(stop)
                top = np.array(line.interpolate(stop).coords[0])
                near = np.array(line.interpolate(middle + step * 0.16).coords[0])
                out = place - np.array(line.interpolate(middle).coords[0])
                curve = smooth_curve(top, near + 0.42 * out, place)
                # One ramp is left as surveyors sometimes leave it: drawn against the traffic, oneway=-1.
                tags = {
                    "highway": "motorway_link",
                    "oneway": "yes",
                    "maxspeed": "50",
                    "surface": "asphalt",
                    "lanes": "1",
                }
                if step > 0:
                    curve = curve[::-1]
                    if number == 1 and len(roads.apart) % 5 == 0:
                        curve, tags["oneway"] = curve[::-1], "-1"
                roads.apart.append(Street(shapely.LineString(curve), tags))
            roads.points.append((place[0], place[1], {"highway": "traffic_signals"}))
    for number, line in enumerate((right, left)):
        along = np.unique(np.concatenate([np.arange(0, line.length, 45.0), [line.length], stops[number]]))
        xy = shapely.get_coordinates(shapely.line_interpolate_point(line, along))
        # Beyond the last junctions the ring is an ordinary trunk road that runs out into the country.
        first, last = np.searchsorted(along, [min(stops[number]) - 300, max(stops[number]) + 300])
        for a, b, highway in ((0, first, "trunk"), (first, last, "motorway"), (last, len(along) - 1, "trunk")):
            tags = {"highway": highway, "name": "Orrow Ring", "ref": "R1", "oneway": "yes", "lanes": "2", "surface": "asphalt", "foot": "no", "bicycle": "no",
                    "maxspeed": "100" if highway == "motorway" else "80"}  # fmt: skip
            roads.apart.append(Street(shapely.LineString(xy[a : b + 1]), tags))
    # At both ends the two carriageways come together on Saltern Road.
    saltern = next(street for street in roads.main if street.tags["name"] == "Saltern Road")
    for into, out in ((left.coords[-1], right.coords[0]), (right.coords[-1], left.coords[0])):
        along = saltern.line.project(shapely.LineString([into, out]).centroid)
        saltern.line = _with_vertex(saltern.line, along)
        foot = saltern.line.interpolate(along).coords[0]
        roads.points.append((foot[0], foot[1], {"highway": "traffic_signals"}))
        tags = {
            "highway": "trunk",
            "name": "Orrow Ring",
            "ref": "R1",
            "oneway": "yes",
            "maxspeed": "60",
            "surface": "asphalt",
        }
        roads.apart += [Street(shapely.LineString(pair), dict(tags)) for pair in ((into, foot), (foot, out))]


def smooth_curve(a: np.ndarray, control: np.ndarray, b: np.ndarray, count: int = 12) -> np.ndarray:
    """Points of a quadratic curve from a to b."""
    t = np.linspace(0, 1, count)[:, None]
    return (1 - t) ** 2 * a + 2 * t * (1 - t) * control + t**2 * b


def _with_vertex(line: shapely.LineString, along: float) -> shapely.LineString:
    """The line with a vertex at a distance along it."""
    xy = np.asarray(line.coords)
    at = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(xy, axis=0).T))])
    row = int(np.searchsorted(at, along))
    spot = np.asarray(line.interpolate(along).coords[0])
    return shapely.LineString(np.insert(xy, row, spot, axis=0))


def _level_crossings(roads: Roads, rail: shapely.LineString) -> None:
    """Where main roads meet the railway: some pass over or under it, others cross at the level and share a node with it."""
    for street in roads.main:
        for cross in shapely.get_parts(shapely.intersection(street.line, rail)):
            if cross.geom_type != "Point":
                continue
            if street.tags["highway"] == "primary":
                roads.at_rail.append((cross, street.tags["name"], {"bridge": "yes", "layer": "1"}))
                continue
            if street.tags["name"] == UNDERPASS:
                roads.at_rail.append((cross, street.tags["name"], {"tunnel": "yes", "layer": "-1", "maxheight": "3.8"}))
                continue
            street.line = _with_vertex(street.line, street.line.project(cross))
            rail = _with_vertex(rail, rail.project(cross))
            roads.points.append((cross.x, cross.y, {"railway": "level_crossing", "crossing:barrier": "full"}))
    roads.rails[0] = (rail, roads.rails[0][1])


def _islet_ways(roads: Roads, land: Land) -> None:
    """Weir Holm has one road bridge to the east bank and a footbridge to the west; the Heron Footbridge lies downstream."""
    bank = QUAY_M + 2
    wet = shapely.buffer(land.river, bank)
    for name, highway, points, more in (
        ("Weir Bridge", "residential", [(30, 560), (430, 620)], {"maxspeed": "20", "maxweight": "7.5", "width": "4.5"}),
        ("Holm Footbridge", "footway", [(-10, 300), (-430, 330)], {"lit": "yes"}),
    ):
        line = shapely.LineString(points).intersection(wet.union(land.islet))
        roads.main.append(
            Street(max(shapely.get_parts(line), key=lambda p: p.length), {"highway": highway, "name": name, **more})
        )
    foot = shapely.LineString([(-120, -905), (330, -1010)]).intersection(wet)
    tags = {
        "highway": "footway",
        "name": "Heron Footbridge",
        "bicycle": "dismount",
        "lit": "yes",
        "surface": "wood",
        "width": "2.5",
    }
    roads.main.append(Street(max(shapely.get_parts(foot), key=lambda p: p.length), tags))


def _ferries(roads: Roads) -> None:
    """A car ferry across the mouth of the river, and a passenger ferry to the skerry."""
    car = {"route": "ferry", "name": "Rivermouth Ferry", "motor_vehicle": "yes", "foot": "yes", "bicycle": "yes", "duration": "00:08",
           "opening_hours": "Mo-Su 06:00-22:00"}  # fmt: skip
    people = {
        "route": "ferry",
        "name": "Skerry Boat",
        "motor_vehicle": "no",
        "foot": "yes",
        "bicycle": "yes",
        "duration": "00:25",
    }
    roads.ferries = [
        Street(shapely.LineString([(-420, -2560), (0, -2760), (480, -2640)]), car, "quay"),
        Street(shapely.LineString([(560, -2500), (900, -2980), (2080, -3600)]), people, "quay"),
    ]
