"""Parcels and buildings.

Blocks are cut into lots along their length, and each lot carries a building with a use, floors and residents. People add up
to the census total.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.random import Generator

from demo.quarters import Town
from demo.roads import Street
from demo.shapes import divide

CENSUS_TOTAL = 180_000
HALF_STREET = {
    "old": 4.0,
    "grid": 7.5,
    "star": 7.5,
    "hill": 7.0,
    "garden": 7.0,
    "estate": 7.0,
    "port": 8.0,
    "village": 6.0,
}
LOT_M2 = {
    "old": 640.0,
    "grid": 1350.0,
    "star": 1500.0,
    "hill": 2400.0,
    "garden": 2350.0,
    "estate": 4200.0,
    "port": 14000.0,
    "village": 2600.0,
}
FLOORS = {
    "old": (3, 5),
    "grid": (3, 6),
    "star": (2, 5),
    "hill": (1, 3),
    "garden": (1, 3),
    "estate": (5, 12),
    "port": (1, 3),
    "village": (1, 2),
}
HOUSE_M = {"old": (40, 17), "grid": (34, 14), "star": (26, 13), "hill": (17, 11), "garden": (19, 11), "estate": (58, 14), "port": (110, 60),
           "village": (17, 10)}  # fmt: skip
"""Longest front and depth of a building, metres."""


@dataclass
class Lots:
    """Parcels (k,) and buildings (b,) with the row of the parcel each stands on, its use, floors and residents."""

    parcel: np.ndarray
    parcel_quarter: list[str]
    building: np.ndarray
    on_parcel: np.ndarray
    use: np.ndarray
    floors: np.ndarray
    residents: np.ndarray
    kind: np.ndarray


def make_lots(town: Town, rng: Generator) -> Lots:
    """All parcels and buildings of town and villages."""
    tree = shapely.STRtree([street.line for street in town.streets])
    parcels: list[shapely.Polygon] = []
    kinds: list[str] = []
    quarters: list[str] = []
    for block, quarter in town.blocks:
        kind = quarter.kind
        ground = shapely.buffer(block, -HALF_STREET[kind], join_style="mitre")
        if kind in ("garden", "estate", "port"):
            ground = ground.difference(_inner_ways(town.streets, tree, block))
        for piece in shapely.get_parts(ground):
            if piece.geom_type != "Polygon" or piece.area < 160:
                continue
            lots, _ = divide(piece, LOT_M2[kind] * 0.72, 0.0, rng, narrowest=17.0)
            parcels += lots
            kinds += [kind] * len(lots)
            quarters += [quarter.name] * len(lots)
    parcel, kind_of = np.array(parcels, dtype=object), np.array(kinds)
    building, row = _buildings(parcel, kind_of, rng)
    use, floors = _uses(building, kind_of[row], rng)
    town_lots = Lots(parcel, quarters, building, row, use, floors, np.zeros(len(row), np.int64), kind_of[row])
    town_lots.residents = _residents(town_lots, town, rng)
    return town_lots


def addresses(parcels: np.ndarray, streets: list[Street]) -> list[str]:
    """An address for each parcel: the nearest street with a name, numbered along it, odd numbers to its left, even to its right."""
    named = [street for street in streets if "name" in street.tags]
    lines = np.array([street.line for street in named], dtype=object)
    middle = shapely.centroid(parcels)
    parcel, line = shapely.STRtree(lines).query_nearest(middle, all_matches=False)
    along = shapely.line_locate_point(lines[line], middle[parcel])
    here, ahead = (shapely.line_interpolate_point(lines[line], along + step) for step in (-0.5, 0.5))
    (x0, y0), (x1, y1), (x, y) = (shapely.get_coordinates(at).T for at in (here, ahead, middle[parcel]))
    right = (x1 - x0) * (y - y0) - (y1 - y0) * (x - x0) < 0
    names = np.array([named[row].tags["name"] for row in line])
    order = np.lexsort((along, line, right, names))
    key = np.char.add(names[order], np.where(right[order], " r", " l"))
    first = np.flatnonzero(np.concatenate([[True], key[1:] != key[:-1]]))
    nth = np.arange(len(order)) - np.repeat(first, np.diff(np.concatenate([first, [len(order)]])))
    made = [""] * len(parcels)
    for row, number in zip(order, 2 * nth + 1 + right[order], strict=True):
        made[parcel[row]] = f"{names[row]} {number}"
    return made


def _inner_ways(streets: list[Street], tree: shapely.STRtree, block: shapely.Polygon) -> shapely.Geometry:
    inside = shapely.buffer(block, -3)
    rows = tree.query(inside, predicate="intersects")
    return shapely.union_all(
        [streets[i].line.buffer(6.0 if streets[i].tags["highway"] == "residential" else 3.5) for i in rows]
    )


def _buildings(parcel: np.ndarray, kind: np.ndarray, rng: Generator) -> tuple[np.ndarray, np.ndarray]:
    """A rectangle on each lot, along its longer side, set back a little; some lots stay empty."""
    box = shapely.get_coordinates(shapely.oriented_envelope(parcel)).reshape(len(parcel), 5, 2)[:, :4]
    a, b = box[:, 1] - box[:, 0], box[:, 3] - box[:, 0]
    swap = np.hypot(*a.T) < np.hypot(*b.T)
    a[swap], b[swap] = b[swap].copy(), a[swap].copy()
    long, short = np.hypot(*a.T), np.hypot(*b.T)
    middle = shapely.get_coordinates(shapely.point_on_surface(parcel))
    middle = 0.7 * shapely.get_coordinates(shapely.centroid(parcel)) + 0.3 * middle
    most = np.array([HOUSE_M[k] for k in kind])
    share = np.where(kind == "old", 0.9, np.where(kind == "port", 0.72, 0.66))
    front = np.minimum(long * share, most[:, 0]) * rng.uniform(0.8, 1.0, len(parcel))
    depth = np.minimum(short * share, most[:, 1]) * rng.uniform(0.85, 1.0, len(parcel))
    u, v = a / long[:, None] * front[:, None] / 2, b / short[:, None] * depth[:, None] / 2
    shift = rng.uniform(-0.5, 0.5, (len(parcel), 1)) * (b / 2 - v) * np.where(kind == "old", 0.2, 0.8)[:, None]
    middle = middle + shift
    corners = np.stack([middle - u - v, middle + u - v, middle + u + v, middle - u + v], axis=1)
    house = shapely.intersection(shapely.polygons(corners), shapely.buffer(parcel, -0.8, join_style="mitre"))
    good = (shapely.get_type_id(house) == 3) & (shapely.area(house) > 38)
    good &= rng.random(len(parcel)) > np.where(kind == "old", 0.03, np.where(kind == "port", 0.3, 0.1))
    rows = np.flatnonzero(good)
    return shapely.simplify(house[rows], 0.8), rows


def _uses(building: np.ndarray, kind: np.ndarray, rng: Generator) -> tuple[np.ndarray, np.ndarray]:
    """Use and floors of each building by its quarter."""
    chances = {
        "old": {"residential": 0.72, "retail": 0.17, "office": 0.06, "public": 0.03, "church": 0.01, "hotel": 0.01},
        "port": {"industrial": 0.62, "warehouse": 0.33, "office": 0.05},
        "estate": {"residential": 0.9, "retail": 0.05, "school": 0.02, "garage": 0.03},
    }
    usual = {
        "residential": 0.89,
        "retail": 0.05,
        "office": 0.03,
        "school": 0.008,
        "public": 0.012,
        "church": 0.005,
        "garage": 0.005,
    }
    use = np.empty(len(building), object)
    floors = np.empty(len(building), np.int64)
    for name in np.unique(kind):
        mine = np.flatnonzero(kind == name)
        table = chances.get(name, usual)
        share = np.array(list(table.values()))
        use[mine] = rng.choice(list(table), len(mine), p=share / share.sum())
        low, high = FLOORS[name]
        floors[mine] = rng.integers(low, high + 1, len(mine))
    floors[np.isin(use, ["warehouse", "industrial", "garage", "church", "school"])] = 1
    return use, floors


def _residents(lots: Lots, town: Town, rng: Generator) -> np.ndarray:
    """People by building: the density of the quarter shared out by floor space, to the census total exactly."""
    density = {part.quarter.name: part.quarter.density for part in town.parts}
    ground: dict[str, float] = {}
    for part in town.parts:
        ground[part.quarter.name] = ground.get(part.quarter.name, 0.0) + part.ground.area / 1e4
    names = np.array(lots.parcel_quarter, dtype=object)[lots.on_parcel]
    space = shapely.area(lots.building) * lots.floors * (lots.use == "residential") * rng.uniform(0.7, 1.3, len(names))
    space[lots.use == "retail"] = 0.3 * shapely.area(lots.building[lots.use == "retail"])
    people = np.zeros(len(names))
    for name in np.unique(names):
        mine = names == name
        people[mine] = density[name] * ground[name] * space[mine] / max(space[mine].sum(), 1e-9)
    exact = people / people.sum() * CENSUS_TOTAL
    whole = np.floor(exact).astype(np.int64)
    missing = CENSUS_TOTAL - int(whole.sum())
    whole[np.argsort(whole - exact, kind="stable")[:missing]] += 1
    return whole
