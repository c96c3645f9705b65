"""Regions of chosen size to measure on: towns and villages joined by a hierarchy of roads, as OSM PBF.

    python -m demo.regions 1000000 region.osm.pbf [--barriers]

Everything is made with whole arrays, so that a region of a million graph nodes takes seconds. Towns are turned lattices
with jitter, missing streets, main streets through their middle and dead ends; their sizes follow Zipf's law. Roads along
the Gabriel graph of the towns join them, in classes by the sizes of the towns they join. Every street has bends, so
that there are about three map nodes to each graph node, as in real extracts. The same size and seed give the same file.
"""

from __future__ import annotations

import sys
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.random import Generator
from scipy.spatial import Delaunay

from awl.core.geodesy import LocalPlane
from awl.io.osm_pbf.write import Extract, Tags, write

CLASSES = ("motorway", "primary", "secondary", "tertiary", "unclassified", "residential", "service")
LIMITS = (110, 80, 60, 50, 60, 30, 20)
MOTORWAY, PRIMARY, SECONDARY, TERTIARY, UNCLASSIFIED, RESIDENTIAL, SERVICE = range(7)
STREET_M = 95.0
MISSING = (0.24, 0.35)
"""Share of the small streets that a lattice lacks, in regions without and with barriers."""
BARRIER = 27
"""Streets from one river or railway of a town to the next."""
BRIDGED = 0.4
"""Share of the small streets that cross it."""
TOWN_SHARE = 0.93
"""Share of the graph nodes that lie in towns and villages."""
ROUND_M = 0.05


@dataclass
class Net:
    """Graph nodes (n, 2) in metres and links as pairs of rows with a class each; `bends` vertices within each link."""

    xy: np.ndarray
    a: np.ndarray
    b: np.ndarray
    kind: np.ndarray


def make_region(nodes: int, barriers: bool = False, seed: int = 5) -> Extract:
    """A region of about `nodes` graph nodes (those where streets meet or end).

    With `barriers`, rivers and railways run through its towns, which wide streets cross but few others, and more streets are dead ends.
    """
    rng = np.random.default_rng(seed)
    sides = _town_sides(int(nodes * TOWN_SHARE))
    centre = _places_of_towns(sides, rng)
    town, arms = _towns(sides, centre, barriers, rng)
    road = _roads(town, arms, sides, centre, rng)
    net = Net(*(np.concatenate([getattr(town, name), getattr(road, name)]) for name in ("xy", "a", "b", "kind")))
    return _as_extract(net, rng)


def _town_sides(nodes: int) -> np.ndarray:
    """Lattice sides of the towns: the k-th town has 1 / k of the streets of the first, none less than 5 x 5."""
    first = nodes / 7.0
    sizes = np.maximum(first / np.arange(1, 1 + max(int(nodes / 120), 1)), 25.0)
    count = int(np.searchsorted(np.cumsum(sizes), nodes)) + 1
    return np.maximum(np.sqrt(sizes[:count]).astype(int), 5)


def _places_of_towns(sides: np.ndarray, rng: Generator) -> np.ndarray:
    """Middles of the towns: a jittered lattice of cells, each wide enough; large towns take several cells."""
    cell = 1700.0
    need = np.maximum(np.ceil(sides * STREET_M * 1.6 / cell).astype(int), 1)
    side = int(np.ceil(np.sqrt((need**2).sum() * 1.6)))
    taken = np.zeros((side, side), bool)
    centre = np.zeros((len(sides), 2))
    cells = rng.permutation(side * side)
    cursor = 0
    for row in np.flatnonzero(need > 1):  # few: only towns larger than a cell look for room
        n = min(int(need[row]), side)
        while True:
            x, y = divmod(int(cells[cursor]), side)
            cursor += 1
            if x + n <= side and y + n <= side and not taken[x : x + n, y : y + n].any():
                break
            if cursor == len(cells):
                raise ValueError("the region is too small for its towns")
        taken[x : x + n, y : y + n] = True
        centre[row] = (x + n / 2) * cell, (y + n / 2) * cell
    free = np.argwhere(~taken)
    small = np.flatnonzero(need == 1)
    chosen = free[rng.permutation(len(free))[: len(small)]]
    centre[small] = (chosen + 0.5) * cell + rng.uniform(-0.12, 0.12, (len(small), 2)) * cell
    return centre


def _towns(sides: np.ndarray, centre: np.ndarray, barriers: bool, rng: Generator) -> tuple[Net, np.ndarray]:
    """All towns at once, and the rows (t, 4) of the nodes at the ends of the two main streets: east, north, west, south."""
    size = sides**2
    start = np.concatenate([[0], np.cumsum(size)])
    town = np.repeat(np.arange(len(sides)), size)
    local = np.arange(start[-1]) - start[town]
    side = sides[town]
    i, j = local % side, local // side
    turn = rng.uniform(0, np.pi / 2, len(sides))
    pace = STREET_M * rng.uniform(0.8, 1.2, len(sides))
    u = (i - (side - 1) / 2 + rng.normal(0, 0.11, len(town))) * pace[town]
    v = (j - (side - 1) / 2 + rng.normal(0, 0.11, len(town))) * pace[town]
    cos, sin = np.cos(turn)[town], np.sin(turn)[town]
    xy = centre[town] + np.column_stack([cos * u - sin * v, sin * u + cos * v])
    middle = side // 2
    a, b, kind = [], [], []
    for across, step in ((True, np.ones_like(side)), (False, side)):
        here, line = (i, j) if across else (j, i)
        rows = np.flatnonzero(here < side - 1)
        main = line[rows] == middle[rows]
        broad = (line[rows] - middle[rows]) % 9 == 0
        crosses = barriers & ((here[rows] - middle[rows]) % BARRIER == BARRIER // 4)
        keep = (
            main
            | broad
            | ((rng.random(len(rows)) > MISSING[barriers]) & (~crosses | (rng.random(len(rows)) < BRIDGED)))
        )
        rows, main, broad = rows[keep], main[keep], broad[keep]
        big = side[rows] > 60
        a.append(rows)
        b.append(rows + step[rows])
        local_kind = np.where(rng.random(len(rows)) < 0.12, SERVICE, RESIDENTIAL)
        kind.append(np.where(main, np.where(big, PRIMARY, SECONDARY), np.where(broad, TERTIARY, local_kind)))
    arms = np.column_stack([
        start[:-1] + (sides // 2) * sides + sides - 1, start[:-1] + (sides - 1) * sides + sides // 2,
        start[:-1] + (sides // 2) * sides, start[:-1] + sides // 2,
    ])  # fmt: skip
    return Net(xy, np.concatenate(a), np.concatenate(b), np.concatenate(kind)), arms


def _roads(town: Net, arms: np.ndarray, sides: np.ndarray, centre: np.ndarray, rng: Generator) -> Net:
    """Roads between neighbouring towns, from arm to nearest arm, with a junction or dead-end lane now and then."""
    pairs = _gabriel(centre)
    larger = np.minimum(sides[pairs[:, 0]], sides[pairs[:, 1]])
    ends = []
    for here, there in ((0, 1), (1, 0)):
        gap = town.xy[arms[pairs[:, here]]] - centre[pairs[:, there]][:, None]
        ends.append(arms[pairs[:, here], np.hypot(gap[..., 0], gap[..., 1]).argmin(axis=1)])
    begin, end = town.xy[ends[0]], town.xy[ends[1]]
    kind = np.where(
        larger > 90, MOTORWAY, np.where(larger > 40, PRIMARY, np.where(larger > 12, SECONDARY, UNCLASSIFIED))
    )
    # Junctions with farm lanes split a road into stretches of about 700 m.
    stretches = np.maximum((np.hypot(*(end - begin).T) / 700).astype(int), 1)
    stretches[kind == MOTORWAY] = 1
    inner = stretches - 1
    road = np.repeat(np.arange(len(pairs)), inner)
    nth = np.arange(len(road)) - np.repeat(np.cumsum(inner) - inner, inner) + 1
    share = nth / stretches[road]
    junction = begin[road] * (1 - share)[:, None] + end[road] * share[:, None] + rng.normal(0, 60, (len(road), 2))
    first_row = len(town.xy)
    rows = first_row + np.arange(len(road))
    # Stretch k of a road runs from junction k - 1 (or its begin) to junction k (or its end).
    whole = np.repeat(np.arange(len(pairs)), stretches)
    k = np.arange(len(whole)) - np.repeat(np.cumsum(stretches) - stretches, stretches)
    before = np.cumsum(inner) - inner
    a = np.where(k == 0, ends[0][whole], first_row + before[whole] + k - 1)
    b = np.where(k == stretches[whole] - 1, ends[1][whole], first_row + before[whole] + k)
    lanes = rows[rng.random(len(rows)) < 0.7]
    farm = junction[lanes - first_row] + rng.normal(0, 320, (len(lanes), 2))
    farm_rows = first_row + len(rows) + np.arange(len(lanes))
    return Net(
        np.concatenate([junction, farm]),
        np.concatenate([a, lanes]),
        np.concatenate([b, farm_rows]),
        np.concatenate([kind[whole], np.where(rng.random(len(lanes)) < 0.5, UNCLASSIFIED, SERVICE)]),
    )


def _gabriel(points: np.ndarray) -> np.ndarray:
    """Pairs (p, 2) of neighbours with no third point in the circle between them: connected, and no edge crosses another.

    Source: K. Gabriel, R. Sokal, *A new statistical approach to geographic variation analysis*, Syst. Zool. 18 (1969).
    """
    corners = Delaunay(points).simplices
    rounds = [np.roll(corners, turn, axis=1) for turn in range(3)]
    a, b, opposite = np.concatenate(rounds).T
    free = ((points[a] - points[opposite]) * (points[b] - points[opposite])).sum(axis=1) >= 0
    edges, row = np.unique(np.sort(np.column_stack([a, b]), axis=1), axis=0, return_inverse=True)
    return edges[np.bincount(row, weights=~free) == 0]


def _as_extract(net: Net, rng: Generator) -> Extract:
    """Links become ways with bends; ids ascend in the order of the file."""
    span = net.xy[net.b] - net.xy[net.a]
    length = np.hypot(*span.T)
    bends = np.clip(rng.poisson(1.0, len(length)) + (length / 260).astype(int), 0, 40)
    link = np.repeat(np.arange(len(length)), bends)
    nth = np.arange(len(link)) - np.repeat(np.cumsum(bends) - bends, bends) + 1
    share = nth / (bends[link] + 1)
    aside = np.sin(np.pi * share) * rng.normal(0, 0.05, len(length))[link] + rng.normal(0, 0.008, len(link))
    normal = np.column_stack([-span[link, 1], span[link, 0]])
    vertex = net.xy[net.a[link]] + share[:, None] * span[link] + aside[:, None] * normal
    xy = np.concatenate([net.xy, vertex])
    middle = (xy.min(axis=0) + xy.max(axis=0)) / 2
    lon, lat = LocalPlane(-36.2, 41.3).lonlat(*(xy - middle).T)
    count = bends + 2
    way_start = np.concatenate([[0], np.cumsum(count)])
    refs = np.empty(way_start[-1], np.int64)
    refs[way_start[:-1]], refs[way_start[1:] - 1] = net.a, net.b
    refs[np.repeat(way_start[:-1], bends) + nth] = len(net.xy) + np.arange(len(link))
    ids = 1_000_001 + np.arange(len(xy))
    return Extract(
        node_id=ids,
        node_lon=np.rint(lon * 1e7).astype(np.int64),
        node_lat=np.rint(lat * 1e7).astype(np.int64),
        node_tags=Tags(np.zeros(len(xy) + 1, np.int64), np.zeros(0, np.int64), np.zeros(0, np.int64), ("",)),
        way_id=1 + np.arange(len(length)),
        way_start=way_start,
        way_refs=ids[refs],
        way_tags=_tags(net.kind, rng),
    )


def _tags(kind: np.ndarray, rng: Generator) -> Tags:
    """highway, often maxspeed and name, sometimes oneway."""
    words = ["", "highway", "maxspeed", "oneway", "name", "yes", *CLASSES, *[str(limit) for limit in LIMITS]]
    first_name = len(words)
    words += [
        f"{first} {last}"
        for first in ("Curl", "Tarn", "Fell", "Marl", "Weld", "Osier", "Keel", "Stave")
        for last in ("Road", "Street", "Lane", "Row")
    ]
    local = np.isin(kind, (RESIDENTIAL, SERVICE))
    columns = [
        (np.ones(len(kind), bool), 1, 6 + kind),
        (rng.random(len(kind)) < np.where(local, 0.4, 0.9), 2, 6 + len(CLASSES) + kind),
        ((rng.random(len(kind)) < 0.1) & (kind == RESIDENTIAL), 3, np.full(len(kind), 5)),
        (rng.random(len(kind)) < 0.8, 4, first_name + rng.integers(0, 32, len(kind))),
    ]
    has = np.column_stack([mask for mask, _, _ in columns])
    key = np.tile([number for _, number, _ in columns], (len(kind), 1))[has]
    value = np.column_stack([values for _, _, values in columns])[has]
    return Tags(
        np.concatenate([[0], np.cumsum(has.sum(axis=1))]), key.astype(np.int64), value.astype(np.int64), tuple(words)
    )


if __name__ == "__main__":
    write(Path(sys.argv[2]), make_region(int(sys.argv[1]), "--barriers" in sys.argv[3:]))
