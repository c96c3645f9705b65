"""Slips of the layout put right before anything is spoilt on purpose, so that what is wrong with Ferrow is known to the last link."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

import numpy as np
import shapely
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from demo.roads import JUNCTIONS, Roads, Street

if TYPE_CHECKING:
    from demo.survey import Survey, Way

GRID_M = 0.05
"""Coordinates are kept to the half decimetre; lines that meet within it share a node."""
RAMP_ROOM_M = 8.0
"""How far from a ramp other streets end."""
OVERLAP_M = 0.6
NODES_APART_M = 0.4
"""Nodes closer than this are one."""
LOOSE_M = 7.0
"""The end of a street this near to another is meant to meet it."""
DRIVEN = (
    "motorway", "motorway_link", "trunk", "primary", "secondary", "tertiary", "unclassified", "residential", "living_street", "service",
    "track",
)  # fmt: skip
Key = tuple[float, float]


def key(x: float, y: float) -> Key:
    """A place to the half decimetre."""
    return round(x / GRID_M), round(y / GRID_M)


def clear_of_ramps(streets: list[Street], roads: Roads) -> list[Street]:
    """Streets on the ground without what lies on a ramp; roads that ramps lead to stay whole."""
    ramps = shapely.union_all([street.line for street in roads.apart if street.tags["highway"] == "motorway_link"])
    room = ramps.buffer(RAMP_ROOM_M)
    shapely.prepare(room)
    cleared = []
    for street in streets:
        if street.tags.get("name") in JUNCTIONS or not room.intersects(street.line):
            cleared.append(street)
            continue
        parts = shapely.get_parts(street.line.difference(room))
        cleared += [Street(part, street.tags, street.quarter) for part in parts if part.length > 4]
    return cleared


def without_overlaps(pieces: np.ndarray, source: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Stretches between nodes without those that lie on a longer one, and the street of each."""
    tree = shapely.STRtree(pieces)
    band = shapely.buffer(pieces, OVERLAP_M, cap_style="flat")
    a, b = tree.query(pieces, predicate="dwithin", distance=OVERLAP_M)
    length = shapely.length(pieces)
    pair = (length[a] < length[b]) | ((length[a] == length[b]) & (a < b))
    a, b = a[pair], b[pair]
    shared = shapely.length(shapely.intersection(pieces[a], band[b]))
    drop = np.zeros(len(pieces), bool)
    drop[a[(shared > 0.4 * length[a]) & (shared > 2.0)]] = True
    return pieces[~drop], source[~drop]


def tidy(made: Survey) -> None:
    """One node where several stand together, no end that just misses a street, nothing that no street leads to."""
    _merge_nodes(made)
    _join_loose_ends(made)
    _merge_nodes(made)
    _drop_islands(made)


def _moving(way: Way) -> bool:
    return "highway" in way.tags or way.tags.get("route") == "ferry"


def _passed(ways: Iterable[Way]) -> dict[Key, int]:
    """How many arms of ways meet at each vertex."""
    arms: dict[Key, int] = {}
    for way in ways:
        for i, (x, y) in enumerate(way.xy):
            place = key(x, y)
            arms[place] = arms.get(place, 0) + (1 if i in (0, len(way.xy) - 1) else 2)
    return arms


def _merge_nodes(made: Survey) -> None:
    ends = {key(*way.xy[k]) for way in made.ways for k in (0, -1)}
    nodes = np.array([place for place, arms in _passed(made.ways).items() if arms > 2 or place in ends], float)
    pairs = cKDTree(nodes).query_pairs(NODES_APART_M / GRID_M, output_type="ndarray")
    link = coo_array((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(len(nodes), len(nodes)))
    label = connected_components(link, directed=False)[1]
    first = np.full(label.max() + 1, -1)
    first[label[::-1]] = np.arange(len(nodes))[::-1]
    moved = {tuple(place): tuple(nodes[first[of]]) for place, of in zip(nodes.tolist(), label, strict=True)}
    for way in made.ways:
        xy = np.array([moved.get(key(*point), key(*point)) for point in way.xy.tolist()]) * GRID_M
        apart = np.ones(len(xy), bool)
        apart[1:] = (xy[1:] != xy[:-1]).any(axis=1)
        way.xy = xy[apart]
    made.ways = [way for way in made.ways if len(way.xy) > 1]
    made.points = {moved.get(place, place): tags for place, tags in made.points.items()}


def _join_loose_ends(made: Survey) -> None:
    """Streets that end near another on the ground are led on to it."""
    arms = _passed(made.ways)
    ground = [
        i
        for i, way in enumerate(made.ways)
        if "highway" in way.tags and not {"layer", "bridge", "tunnel"} & way.tags.keys()
    ]
    lines = [shapely.LineString(made.ways[i].xy) for i in ground]
    tree = shapely.STRtree(lines)
    for i in ground:
        way = made.ways[i]
        if way.tags.get("service") in ("driveway", "parking_aisle"):
            continue
        for end in (0, -1):
            if arms[key(*way.xy[end])] != 1:
                continue
            spot = shapely.Point(way.xy[end])
            near = [int(n) for n in tree.query(spot, predicate="dwithin", distance=LOOSE_M) if ground[int(n)] != i]
            near = [
                n for n in near if made.ways[ground[n]].tags["highway"] not in ("motorway", "motorway_link", "trunk")
            ]
            own = {key(*point) for point in way.xy}
            near = [n for n in near if not own & {key(*point) for point in made.ways[ground[n]].xy}]
            if not near:
                continue
            other = made.ways[ground[min(near, key=lambda n: lines[n].distance(spot))]]
            foot = _put_vertex(other, spot)
            way.xy = np.vstack([foot, way.xy]) if end == 0 else np.vstack([way.xy, foot])


def _put_vertex(way: Way, spot: shapely.Point) -> np.ndarray:
    """The point of a way nearest to a place, which becomes one of its vertices."""
    line = shapely.LineString(way.xy)
    along = line.project(spot)
    foot = np.round(np.array(line.interpolate(along).coords[0]) / GRID_M) * GRID_M
    away = np.hypot(*(way.xy - foot).T)
    if away.min() < 1.0:
        vertex: np.ndarray = way.xy[np.argmin(away)]
        return vertex
    at = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(way.xy, axis=0).T))])
    way.xy = np.insert(way.xy, int(np.searchsorted(at, along)), foot, axis=0)
    return foot


def _drop_islands(made: Survey) -> None:
    number: dict[Key, int] = {}
    tail, head, owner = [], [], []
    for i, way in enumerate(made.ways):
        if _moving(way):
            ids = [number.setdefault(key(*point), len(number)) for point in way.xy.tolist()]
            tail += ids[:-1]
            head += ids[1:]
            owner += [i] * (len(ids) - 1)
    link = coo_array((np.ones(len(tail)), (tail, head)), shape=(len(number), len(number)))
    label = connected_components(link, directed=False)[1]
    main = np.bincount(label).argmax()
    lost = {owner[row] for row in np.flatnonzero(label[tail] != main)}
    made.ways = [way for i, way in enumerate(made.ways) if i not in lost]


def open_traps(made: Survey) -> None:
    """One-way streets that cars can enter but not leave, or leave but not enter, become two-way."""
    while trapped := _trapped(made):
        for way in trapped:
            del way.tags["oneway"]
            way.tags.pop("oneway:bicycle", None)


def _trapped(made: Survey) -> list[Way]:
    shut = {place for place, tags in made.points.items() if tags.get("barrier") and _stops_cars(tags)}
    number: dict[Key, int] = {}
    tail, head = [], []
    driven = [
        way
        for way in made.ways
        if way.tags.get("highway") in DRIVEN and way.tags.get("access") not in ("private", "no")
    ]
    for way in driven:
        places = [key(*point) for point in way.xy.tolist()]
        ids = [number.setdefault(place, len(number)) for place in places]
        steps = [
            (a, b)
            for a, b, p, q in zip(ids, ids[1:], places, places[1:], strict=False)
            if p not in shut and q not in shut
        ]
        sense = "yes" if way.tags.get("junction") == "roundabout" else way.tags.get("oneway")
        if sense != "-1":
            tail += [a for a, _ in steps]
            head += [b for _, b in steps]
        if sense in (None, "no", "-1"):
            tail += [b for _, b in steps]
            head += [a for a, _ in steps]
    link = coo_array((np.ones(len(tail)), (tail, head)), shape=(len(number), len(number)))
    label = connected_components(link, directed=True, connection="strong")[1]
    main = np.bincount(label).argmax()
    return [
        way
        for way in driven
        if way.quarter not in ("ring", "roundabout")
        and way.tags.get("oneway")
        and any(label[number[key(*point)]] != main for point in way.xy.tolist())
    ]


def _stops_cars(tags: dict[str, str]) -> bool:
    return (
        tags.get("motor_vehicle") in ("no", "private")
        or tags.get("access") == "private"
        or tags["barrier"] in ("cycle_barrier", "kissing_gate")
    )
