"""Lines of public transport in Ferrow: where they run along the streets, and where they stop."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
import shapely
from shapely.ops import substring

from awl.core.graph.street_graph import StreetGraph
from awl.core.modes.mode import SHIPPED
from awl.core.network.network import Network
from awl.core.routing.router import StreetRouter
from awl.core.routing.snapping import Snapper
from demo.land import PLANE

SHARED_M = 60.0
"""A stop of another line is used where it lies this close and on the same side."""
SIDE_M = 9.0
"""How far stops lie from the middle of the street."""

Spots = list[tuple[float, float]]


@dataclass
class Line:
    """A line as planned: places in plan metres it runs through, the distance between stops, speed and time at stops."""

    id: str
    name: str
    title: str
    kind: int
    color: str
    agency: str
    through: Spots
    ends: tuple[str, str]
    stop_every_m: float = 400.0
    kmh: float = 21.0
    dwell_s: int = 20


LINES = (
    Line("t1", "1", "Gant Avenue tram", 0, "8C2F39", "city", [(-4300, -260), (-2500, -150), (-900, -290), (130, -420), (1120, -480), (2420, 60), (4300, 760)], ("Pell Moor", "Gantry East"), 430, 24, 25),
    Line("t2", "2", "Lanternway tram", 0, "2B5B84", "city", [(1300, 3350), (1160, 1830), (1060, 700), (1120, -480), (878, -1700)], ("Fallow Green", "Harbour Station"), 420, 23, 25),
    Line("b10", "10", "Saltern - Oakum Wharf", 3, "3F6B45", "city", [(-4200, -1700), (-2500, -1790), (-950, -1640), (60, -1690), (880, -1745), (2600, -1500)], ("Sedge Field", "Oakum Wharf"), 380, 22),
    Line("b20", "20", "West Cross", 3, "6A4C93", "city", [(-1230, 3100), (-1160, 2000), (-1010, 700), (-900, -290), (-950, -1640)], ("Brindle", "Quillet"), 380, 22),
    Line("b30", "30", "Star Road", 3, "9A6A1F", "city", [(-2900, 2600), (-1500, 2050), (-120, 1780), (1160, 1830), (1880, 1700), (2420, 1080), (3050, -300)], ("Marl Hill", "Withy End"), 400, 22),
    Line("b40", "40", "Curlew Rise", 3, "4A7C7E", "city", [(3450, 1850), (2430, 1085), (1110, 1130), (1060, 700), (900, -620)], ("Curlew Rise", "Tallowgate"), 360, 19),
    Line("b50", "50", "School bus", 3, "7A7A2A", "city", [(-3300, 1750), (-2650, 1300), (-1080, 1240), (-1010, 700)], ("Marl Hill", "Cordwain Schools"), 600, 25),
    Line("b60", "60", "Harbour shuttle", 3, "56627A", "city", [(878, -1700), (1100, -2200), (1750, -2100)], ("Harbour Station", "Rudder Yard"), 350, 18),
    Line("n1", "N1", "Night circle", 3, "2F2F4F", "city", [(900, -620), (-900, -290), (-1010, 700), (-120, 1780), (1160, 1830), (1060, 700), (1120, -480)], ("Tallowgate", "Lantern End"), 600, 26),
)  # fmt: skip
"""Lines on streets."""
FERRY = Line(
    "f1",
    "Ferry",
    "Rivermouth ferry",
    4,
    "1F6F8B",
    "boats",
    [(-420, -2560), (0, -2760), (480, -2640)],
    ("Saltern Quay", "Netherquay"),
    kmh=9,
    dwell_s=0,
)
TRAIN = Line("r1", "HL", "Harbour Line", 2, "444444", "rail", [(300, -2010), (760, -1930), (1350, -1580), (2100, -900), (3150, -420), (4800, 150), (5850, 330)], ("Harbour Station", "Sorrel Road"), kmh=48, dwell_s=60)  # fmt: skip


@dataclass
class Stop:
    """A stop in plan metres; `heading` in radians."""

    id: str
    name: str
    x: float
    y: float
    heading: float = 0.0


@dataclass
class Course:
    """A line in one direction: its shape in plan metres, the stops, and how far along each of them lies."""

    line: Line
    direction: int
    shape: shapely.LineString
    stops: list[Stop]
    along: list[float]

    @property
    def headsign(self) -> str:
        """Where it goes."""
        return self.line.ends[1 - self.direction]


@dataclass
class Stops:
    """All stops so far, and the names that are taken."""

    graph: StreetGraph
    stops: list[Stop] = field(default_factory=list)

    def at(self, x: float, y: float, heading: float, name: str | None = None) -> Stop:
        """A stop at about this place for vehicles that go that way, one that is there where there is one."""
        for stop in self.stops:
            turned = abs((stop.heading - heading + np.pi) % (2 * np.pi) - np.pi)
            if np.hypot(stop.x - x, stop.y - y) < SHARED_M and turned < np.pi / 3 and name in (None, stop.name):
                return stop
        x, y = x + SIDE_M * np.sin(heading), y - SIDE_M * np.cos(heading)
        stop = Stop(f"s{len(self.stops) + 1:03}", name or self._name(x, y), float(x), float(y), heading)
        self.stops.append(stop)
        return stop

    def _name(self, x: float, y: float) -> str:
        """After a stop on the other side, or the two streets that cross nearest."""
        for stop in self.stops:
            if np.hypot(stop.x - x, stop.y - y) < 2 * SHARED_M:
                return stop.name
        graph, tag = self.graph, self.graph.tag("name")
        lon, lat = PLANE.lonlat(np.array([x]), np.array([y]))
        away = np.hypot((graph.node_lon - lon[0]) * 83_500, (graph.node_lat - lat[0]) * 111_000)
        for node in np.argsort(away)[:40].tolist():
            links = np.flatnonzero((graph.link_from == node) | (graph.link_to == node))
            names = list(dict.fromkeys(text for text in tag.take(links).decode() if text))
            if len(names) > 1:
                name = " / ".join(names[:2])
                taken = {stop.name for stop in self.stops}
                return name if name not in taken else f"{name} {sum(other.startswith(name) for other in taken) + 1}"
        return f"Stop {len(self.stops) + 1}"


def courses(graph: StreetGraph) -> tuple[list[Course], Stops]:
    """All lines in both directions, and their stops."""
    network = Network.of(graph, SHIPPED["drive"])
    router, snapper, stops, made = StreetRouter(network), Snapper(network), Stops(graph), []
    for line in LINES:
        shape = _along_streets(line.through, router, snapper)
        for direction in (0, 1):
            drawn = shape if direction == 0 else shapely.reverse(shape)
            made.append(_course(line, direction, drawn, stops))
    return made, stops


def _along_streets(through: Spots, router: StreetRouter, snapper: Snapper) -> shapely.LineString:
    """The shortest way of a car through places."""
    graph = router.network.graph
    x, y = np.array(through, float).T
    places = snapper.snap(*PLANE.lonlat(x, y), 400.0)
    lines = []
    for nth in range(len(through) - 1):
        path = router.path(places, nth, nth + 1, "distance")
        assert path is not None, through[nth]
        leg = path.legs[0]
        for link, along in zip(leg.links.tolist(), leg.along.tolist(), strict=True):
            rows = slice(int(graph.shape_start[link]), int(graph.shape_start[link + 1]))
            drawn = shapely.LineString(np.column_stack(PLANE.xy(graph.shape_lon[rows], graph.shape_lat[rows])))
            begin = leg.start if link == leg.links[0] else (0.0 if along else 1.0)
            end = leg.end if link == leg.links[-1] else (1.0 if along else 0.0)
            piece = substring(drawn, begin, end, normalized=True)
            lines.append(np.asarray(piece.coords))
    xy = np.concatenate(lines)
    xy = xy[np.concatenate([[True], np.hypot(*np.diff(xy, axis=0).T) > 0.5])]
    return shapely.simplify(shapely.LineString(xy), 1.0)


def _course(line: Line, direction: int, shape: shapely.LineString, stops: Stops) -> Course:
    count = max(round(shape.length / line.stop_every_m), 1)
    along = np.linspace(0.0, shape.length, count + 1)
    chosen: list[Stop] = []
    kept: list[float] = []
    for nth, metres in enumerate(along.tolist()):
        a, b = shape.interpolate(max(metres - 5, 0)), shape.interpolate(min(metres + 5, shape.length))
        at = shape.interpolate(metres)
        end = line.ends[direction] if nth == 0 else line.ends[1 - direction] if nth == count else None
        stop = stops.at(at.x, at.y, float(np.arctan2(b.y - a.y, b.x - a.x)), end)
        if stop not in chosen:
            chosen.append(stop)
            kept.append(metres)
    return Course(line, direction, shape, chosen, kept)
