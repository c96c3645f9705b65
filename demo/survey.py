"""From lines to ways as a surveyor would have mapped them.

Streets on the ground share a node wherever they meet, roads on another level do not; sidewalks, crossings and driveways are
added; bridges are broken out.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
import shapely
from numpy.random import Generator

from demo.land import Land
from demo.lots import Lots
from demo.quarters import Town
from demo.roads import Roads, Street, with_roundabouts
from demo.tidy import GRID_M, clear_of_ramps, key, open_traps, tidy, without_overlaps

SIDEWALK_M = 8.5
CROSSING_EVERY_M = 105.0


@dataclass
class Way:
    """A mapped way: vertices (n, 2) in metres and its tags."""

    xy: np.ndarray
    tags: dict[str, str]
    quarter: str = ""


@dataclass
class Survey:
    """All ways, and tags of single points."""

    ways: list[Way] = field(default_factory=list)
    points: dict[tuple[float, float], dict[str, str]] = field(default_factory=dict)

    def tag(self, x: float, y: float, **tags: str) -> None:
        """Tag the node at a place."""
        self.points.setdefault(key(x, y), {}).update(tags)


def survey(land: Land, roads: Roads, town: Town, lots: Lots, rng: Generator) -> Survey:
    """All ways of the island."""
    ground = [*roads.main, *town.streets]
    ground += _sidewalks(roads, town, rng)
    ground = clear_of_ramps(ground, roads)
    ways = [Way(xy, tags, quarter) for xy, tags, quarter in _noded(with_roundabouts(ground))]
    ways = [piece for way in ways for piece in _by_bridge(way, land, roads)]
    made = Survey(ways)
    for x, y, tags in roads.points:
        made.tag(x, y, **tags)
    for street in roads.apart:
        made.ways += _bridges(Way(np.asarray(street.line.coords), dict(street.tags), "ring"), land.water)
    _driveways(made, lots, rng)
    _tie_ferries(made, roads)
    tidy(made)
    _crossings(made, rng)
    _signals(made, rng)
    _barriers(made, rng)
    open_traps(made)
    return made


def _sidewalks(roads: Roads, town: Town, rng: Generator) -> list[Street]:
    """Sidewalks along the main streets of the inner town, tied to the street at their ends and by crossings."""
    inner = town.outline.intersection(shapely.Point(150, -250).buffer(3300)).buffer(-6)
    made = []
    for street in roads.main:
        if street.tags["highway"] not in ("primary", "secondary", "tertiary"):
            continue
        for side in (SIDEWALK_M, -SIDEWALK_M):
            line = shapely.simplify(shapely.offset_curve(street.line, side), 0.4)
            for part in shapely.get_parts(shapely.intersection(line, inner)):
                if part.geom_type != "LineString" or part.length < 60:
                    continue
                xy = [
                    tuple(_onto(street.line, part.coords[0])),
                    *part.coords,
                    tuple(_onto(street.line, part.coords[-1])),
                ]
                made.append(
                    Street(
                        shapely.LineString(xy),
                        {"highway": "footway", "footway": "sidewalk", "surface": "paving_stones"},
                        "sidewalk",
                    )
                )
        along = np.arange(rng.uniform(40, 90), street.line.length, CROSSING_EVERY_M)
        spots = shapely.line_interpolate_point(street.line, along)
        ahead = shapely.get_coordinates(shapely.line_interpolate_point(street.line, along + 1.0))
        here = shapely.get_coordinates(spots)
        inside = shapely.contains(inner.buffer(-25), spots)
        for a, b in zip(here[inside], ahead[inside], strict=True):
            normal = np.array([a[1] - b[1], b[0] - a[0]]) * (SIDEWALK_M + 0.5)
            if np.hypot(*normal) > 1:
                tags = {
                    "highway": "footway",
                    "footway": "crossing",
                    "crossing": str(rng.choice(["traffic_signals", "zebra", "uncontrolled"])),
                }
                made.append(Street(shapely.LineString([a - normal, a, a + normal]), tags, "crossing"))
    return made


def _onto(line: shapely.LineString, point: tuple[float, ...]) -> np.ndarray:
    """A little beyond the nearest point of a line, so that a spur drawn to it surely meets the line."""
    near = np.array(line.interpolate(line.project(shapely.Point(point))).coords[0])
    out = near - np.array(point)
    return near + out / max(np.hypot(*out), 1e-6) * 0.3


def _noded(streets: list[Street]) -> list[tuple[np.ndarray, dict[str, str], str]]:
    """Streets cut where they meet and joined again to ways, each in the direction in which it was drawn."""
    lines = np.array([street.line for street in streets], dtype=object)
    whole = shapely.union_all(lines, grid_size=GRID_M)
    pieces = shapely.get_parts(whole)
    middle = shapely.line_interpolate_point(pieces, 0.5, normalized=True)
    _, source = shapely.STRtree(lines).query_nearest(middle, all_matches=False)
    pieces, source = _without_spurs(*without_overlaps(pieces, source), streets)
    ways = []
    order = np.argsort(source, kind="stable")
    for rows in np.split(order, np.flatnonzero(np.diff(source[order])) + 1):
        street = streets[int(source[rows[0]])]
        for part in shapely.get_parts(shapely.line_merge(shapely.multilinestrings(pieces[rows]))):
            xy = np.asarray(part.coords)
            if _against(xy, street.line):
                xy = xy[::-1]
            ways.append((xy, {k: v for k, v in street.tags.items() if v}, street.quarter))
    return ways


def _against(xy: np.ndarray, drawn: shapely.LineString) -> bool:
    """Whether a way runs against the line it was cut from."""
    if (xy[0] == xy[-1]).all() and drawn.is_closed:
        return bool(shapely.is_ccw(shapely.LinearRing(xy)) != shapely.is_ccw(shapely.LinearRing(drawn)))
    first, last = (drawn.project(shapely.Point(xy[k])) for k in (0, -1))
    return first > last


def _without_spurs(pieces: np.ndarray, source: np.ndarray, streets: list[Street]) -> tuple[np.ndarray, np.ndarray]:
    """Drop what little sticks out where a line was drawn a bit too far."""
    most = np.array(
        [{"crossing": 1.2, "sidewalk": 1.2}.get(s.quarter, 60.0 if s.quarter == "" else 6.0) for s in streets]
    )
    ends = np.stack([shapely.get_coordinates(shapely.get_point(pieces, k)) for k in (0, -1)], axis=1)
    keys = np.round(ends / GRID_M).astype(np.int64)
    _, node = np.unique(keys.reshape(-1, 2), axis=0, return_inverse=True)
    degree = np.bincount(node)[node.reshape(-1, 2)]
    spur = (degree.min(axis=1) == 1) & (shapely.length(pieces) < most[source])
    return pieces[~spur], source[~spur]


def _by_bridge(way: Way, land: Land, roads: Roads) -> list[Way]:
    """Break out the stretches over water, over the ring road, and over or under the railway."""
    xy = way.xy
    segments = shapely.linestrings(np.stack([xy[:-1], xy[1:]], axis=1))
    over = np.zeros(len(segments), bool)
    if way.quarter not in ("quay", "park") or way.tags.get("highway") == "footway":
        over |= shapely.intersects(segments, land.water)
    over |= shapely.intersects(segments, roads.ring.buffer(11))
    level = over.astype(int)
    at_rail = [(spot, tags) for spot, name, tags in roads.at_rail if name == way.tags.get("name")]
    for number, (spot, _) in enumerate(at_rail, 2):
        level[shapely.dwithin(segments, spot, 14)] = number
    cut = np.flatnonzero(np.diff(level)) + 1
    made = []
    for a, b in zip([0, *cut], [*cut, len(over)], strict=True):
        tags = dict(way.tags)
        if level[a] > 1:
            tags |= at_rail[level[a] - 2][1]
        elif over[a]:
            tags |= {"bridge": "yes", "layer": "1"}
            if tags["highway"] in ("primary", "secondary") and land.water.intersects(segments[a]):
                tags["name"] = f"{tags['name'].split()[0]} Bridge"
        made.append(Way(xy[a : b + 1], tags, way.quarter))
    return made


def _bridges(way: Way, water: shapely.Geometry) -> list[Way]:
    """Break out the stretches of a road of its own over water."""
    segments = shapely.linestrings(np.stack([way.xy[:-1], way.xy[1:]], axis=1))
    over = shapely.intersects(segments, water)
    cut = np.flatnonzero(np.diff(over.astype(int))) + 1
    return [
        Way(way.xy[a : b + 1], {**way.tags, **({"bridge": "yes", "layer": "1"} if over[a] else {})}, way.quarter)
        for a, b in zip([0, *cut], [*cut, len(over)], strict=True)
    ]


def _insert(ways: list[Way], row: np.ndarray, along: np.ndarray) -> np.ndarray:
    """Put a vertex into ways (rows) at distances along them; returns the coordinates of the new vertices."""
    out = np.zeros((len(row), 2))
    for one in np.unique(row):
        mine = np.flatnonzero(row == one)
        xy = ways[one].xy
        at = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(xy, axis=0).T))])
        spots = shapely.get_coordinates(shapely.line_interpolate_point(shapely.LineString(xy), along[mine]))
        spots = np.round(spots / GRID_M) * GRID_M
        out[mine] = spots
        order = np.argsort(np.concatenate([at, along[mine]]), kind="stable")
        ways[one].xy = np.concatenate([xy, spots])[order]
    return out


def _driveways(made: Survey, lots: Lots, rng: Generator) -> None:
    """Short private ways from the street to some of the houses, and yards behind shops."""
    wanted = np.flatnonzero(
        np.isin(lots.kind, ["garden", "hill", "village", "estate", "port"]) & (rng.random(len(lots.kind)) < 0.52)
    )
    rows = [
        i
        for i, way in enumerate(made.ways)
        if way.tags["highway"] in ("residential", "living_street", "unclassified", "service")
    ]
    lines = np.array([shapely.LineString(made.ways[i].xy) for i in rows], dtype=object)
    house = lots.building[wanted]
    door = shapely.centroid(house)
    nearest = shapely.STRtree(lines).nearest(door)
    along = shapely.line_locate_point(lines[nearest], door)
    length = shapely.length(lines[nearest])
    spot = shapely.line_interpolate_point(lines[nearest], along)
    path = shapely.difference(
        shapely.linestrings(np.stack([shapely.get_coordinates(spot), shapely.get_coordinates(door)], axis=1)), house
    )
    fits = (shapely.length(path) > 6) & (shapely.length(path) < 45) & (along > 8) & (along < length - 8)
    fits &= shapely.get_type_id(path) == 1
    crowd = shapely.STRtree(lots.building).query(path[fits], predicate="intersects")[0]
    free = np.ones(int(fits.sum()), bool)
    # A driveway touches the house it leads to; one that meets a second house is left out.
    free[np.flatnonzero(np.bincount(crowd, minlength=len(free)) > 1)] = False
    every = np.array([shapely.LineString(way.xy) for way in made.ways], dtype=object)
    met = shapely.STRtree(every).query(shapely.buffer(path[fits], 1.0), predicate="intersects")[0]
    # It meets the street it begins at, and no other.
    free[np.flatnonzero(np.bincount(met, minlength=len(free)) > 1)] = False
    met = shapely.STRtree(path[fits]).query(path[fits], predicate="intersects")
    free[np.max(met, axis=0)[met[0] != met[1]]] = False
    chosen = np.flatnonzero(fits)[free]
    start = _insert(made.ways, np.array(rows)[nearest[chosen]], along[chosen])
    for spot_xy, line in zip(start, path[chosen], strict=True):
        tags = {"highway": "service", "service": "driveway"}
        if rng.random() < 0.7:
            tags["access"] = "private"
        made.ways.append(Way(np.array([spot_xy, line.coords[-1]]), tags, "driveway"))


def _tie_ferries(made: Survey, roads: Roads) -> None:
    """Ferry lines end at the nearest node of a street."""
    ends = np.concatenate([way.xy[[0, -1]] for way in made.ways if way.quarter in ("quay", "port", "country", "old")])
    for ferry in roads.ferries:
        xy = np.asarray(ferry.line.coords).copy()
        for k in (0, -1):
            xy[k] = ends[np.argmin(np.hypot(*(ends - xy[k]).T))]
            made.tag(xy[k, 0], xy[k, 1], amenity="ferry_terminal")
        made.ways.append(Way(xy, dict(ferry.tags), "ferry"))


def _crossings(made: Survey, rng: Generator) -> None:
    """The node at which a crossing meets its street is tagged as one."""
    for way in made.ways:
        if way.quarter == "crossing" and len(way.xy) >= 3:
            made.tag(*way.xy[1], highway="crossing", crossing=way.tags.get("crossing", "uncontrolled"))


def _degree(made: Survey, classes: tuple[str, ...]) -> dict[tuple[float, float], int]:
    count: dict[tuple[float, float], int] = {}
    for way in made.ways:
        if way.tags.get("highway") in classes:
            places = [key(x, y) for x, y in way.xy]
            for i, place in enumerate(places):
                count[place] = count.get(place, 0) + (1 if i in (0, len(places) - 1) else 2)
    return count


def _signals(made: Survey, rng: Generator) -> None:
    """Traffic signals where main roads meet, and at some of the larger street corners."""
    for place, degree in _degree(made, ("primary", "secondary", "tertiary")).items():
        if degree >= 4 and rng.random() < 0.55 and place not in made.points:
            made.points[place] = {"highway": "traffic_signals"}


BARRIERS = (
    ({"barrier": "bollard", "bicycle": "yes", "foot": "yes", "motor_vehicle": "no"}, 46, ("residential", "pedestrian", "living_street")),
    ({"barrier": "gate", "access": "private"}, 30, ("service", "track")),
    ({"barrier": "gate", "foot": "yes", "bicycle": "no", "motor_vehicle": "private"}, 26, ("track", "path")),
    ({"barrier": "lift_gate", "access": "private"}, 18, ("service",)),
    ({"barrier": "cycle_barrier", "bicycle": "yes", "foot": "yes"}, 16, ("footway",)),
    ({"barrier": "gate", "access": "yes", "opening_hours": "Mo-Su 07:00-21:00"}, 9, ("footway",)),
    ({"barrier": "kissing_gate", "foot": "yes", "bicycle": "no"}, 12, ("path", "footway")),
)  # fmt: skip


def _barriers(made: Survey, rng: Generator) -> None:
    """Bollards, gates and their like, in the middle of a stretch."""
    for tags, count, classes in BARRIERS:
        rows = [i for i, way in enumerate(made.ways) if way.tags.get("highway") in classes and way.quarter not in ("crossing", "sidewalk")
                and not {"bridge", "oneway"} & way.tags.keys()]  # fmt: skip
        chosen = np.sort(rng.choice(rows, min(count, len(rows)), replace=False))
        length = np.array([shapely.LineString(made.ways[i].xy).length for i in chosen])
        for x, y in _insert(made.ways, chosen, length * rng.uniform(0.3, 0.7, len(chosen))):
            made.tag(x, y, **tags)
