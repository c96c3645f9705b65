"""The ground Ferrow stands on: coast, river with two arms, harbour basin, hills, woods and beaches.

All coordinates are metres east and north of the town's middle (`PLANE`). Heights are a raster, sampled between its cells.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.random import Generator
from scipy.ndimage import distance_transform_edt, gaussian_filter, map_coordinates

from awl.core.geodesy import LocalPlane
from demo.shapes import closed_curve, smooth

PLANE = LocalPlane(-36.2, 41.3)
CELL_M = 25.0
WEST, SOUTH, COLUMNS, ROWS = -9200.0, -4600.0, 736, 520
"""Lower left corner and size of the height raster."""

RIVER = [(520, 6100), (300, 5000), (640, 3900), (520, 3000), (60, 2250), (-190, 1500), (-60, 1020)]
LOWER_RIVER = [(20, -60), (190, -560), (40, -1300), (90, -1900), (330, -2600), (480, -3400)]
WEST_ARM = [(-60, 1020), (-190, 700), (-210, 350), (20, -60)]
EAST_ARM = [(-60, 1020), (150, 720), (190, 330), (20, -60)]
HILLS = (
    # x, y, height above its surroundings, reach: Tarn Beacon, the ridge, and the hills that quarters climb.
    (-2500, 5500, 345, 1350), (-900, 5900, 190, 900), (2200, 5700, 260, 1250), (5200, 3900, 180, 1100),
    (-5200, 3300, 165, 1200), (3450, 1850, 128, 620), (-3250, 1750, 96, 560), (2900, -600, 46, 420),
)  # fmt: skip


VILLAGES = (
    ("Tarn Cross", -1260, 4700, 420), ("Upper Orrow", 1480, 4650, 360), ("Fell End", -4700, 3560, 330), ("Westing", -6500, -20, 420),
    ("Sorrel", 5750, 3300, 350), ("Quillhaven", 6700, 1850, 760), ("Rush Cove", 6500, -50, 300), ("Northstrand", -1430, 6350, 380),
)  # fmt: skip
"""Name, middle and radius. Quillhaven is the neighbouring town."""


@dataclass
class Land:
    """Polygons of land and water, the river's middle line, and the height of the ground."""

    island: shapely.Polygon
    skerry: shapely.Polygon
    river: shapely.Geometry
    islet: shapely.Polygon
    basin: shapely.Polygon
    river_lines: list[shapely.LineString]
    beaches: list[shapely.Polygon]
    woods: list[tuple[shapely.Polygon, str]]
    heights: np.ndarray

    @property
    def water(self) -> shapely.Geometry:
        """Inland water and basin."""
        return shapely.union_all([self.river, self.basin])

    def height(self, xy: np.ndarray) -> np.ndarray:
        """Metres above the sea at points (n, 2)."""
        column, row = (xy[:, 0] - WEST) / CELL_M - 0.5, (xy[:, 1] - SOUTH) / CELL_M - 0.5
        return map_coordinates(self.heights, [row, column], order=1, mode="nearest")


def make_land(rng: Generator) -> Land:
    """All of the ground."""
    island = _island(rng)
    skerry = shapely.affinity.translate(
        closed_curve([(320, 0), (120, 170), (-260, 90), (-330, -80), (60, -150)]), 2350, -3650
    )
    upper, lower, west, east = (smooth(line, 30) for line in (RIVER, LOWER_RIVER, WEST_ARM, EAST_ARM))
    arms = [west, east]
    between = shapely.Polygon([*west.coords, *list(east.coords)[::-1]])
    islet = max(shapely.get_parts(shapely.make_valid(between).buffer(-24)), key=lambda part: part.area)
    river = shapely.union_all([_tapered(upper, 9, 38), _tapered(lower, 40, 120), *(arm.buffer(24) for arm in arms)])
    river = river.difference(islet).intersection(island)
    basin = shapely.Polygon(
        [(520, -2900), (560, -2120), (640, -2080), (1350, -2080), (1380, -2190), (700, -2200), (690, -2360), (1400, -2370),
         (1420, -2480), (690, -2480), (700, -2900)]
    )  # fmt: skip
    beaches = _beaches(island)
    heights = _heights(island, skerry, [upper, lower, *arms], rng)
    land = Land(island, skerry, river, islet, basin, [upper, lower, *arms], beaches, [], heights)
    land.woods = _woods(land, rng)
    return land


def _island(rng: Generator) -> shapely.Polygon:
    """A rounded island with capes and bays; the south coast by the town is a shallow bay."""
    turn = np.linspace(0, 2 * np.pi, 900, endpoint=False)
    radius = np.ones(900)
    for waves, size in ((2, 0.05), (3, 0.06), (5, 0.045), (8, 0.028), (13, 0.016), (23, 0.009), (41, 0.005)):
        radius += size * np.sin(waves * turn + rng.uniform(0, 2 * np.pi))
    x, y = 8300 * radius * np.cos(turn), 2300 + 5100 * radius * np.sin(turn)
    # Towards the town the coast is drawn in to a bay about 2.8 km south of its middle.
    pull = np.exp(-((x / 3600) ** 2)) * (y < 0)
    y = y * (1 - pull) + (-2720 - 90 * np.sin(x / 700) - 25 * np.sin(x / 190)) * pull
    return shapely.make_valid(shapely.Polygon(np.column_stack([x, y])))


def _tapered(line: shapely.LineString, first: float, last: float) -> shapely.Geometry:
    """A river that widens along its line from half width `first` to `last`."""
    xy = np.asarray(line.coords)
    half = np.linspace(first, last, len(xy))
    discs = shapely.buffer(shapely.points(xy), half, quad_segs=6)
    hulls = shapely.convex_hull(shapely.union(discs[:-1], discs[1:]))
    return shapely.union_all(hulls)


def _beaches(island: shapely.Polygon) -> list[shapely.Polygon]:
    """Sand along two stretches of the coast near the town and one far out."""
    strip = island.difference(island.buffer(-46))
    boxes = [
        shapely.box(-4300, -4000, -2500, -1500),
        shapely.box(2700, -4000, 4300, -1500),
        shapely.box(-8600, 1500, -6500, 3600),
    ]
    return [part for box in boxes for part in shapely.get_parts(strip.intersection(box)) if part.area > 8000]


def _heights(
    island: shapely.Polygon, skerry: shapely.Polygon, river: list[shapely.LineString], rng: Generator
) -> np.ndarray:
    """Hills that fall to the coast and to the river, with some roughness; 0 at sea."""
    x = WEST + (np.arange(COLUMNS) + 0.5) * CELL_M
    y = SOUTH + (np.arange(ROWS) + 0.5) * CELL_M
    gx, gy = np.meshgrid(x, y)
    dry = shapely.contains_xy(shapely.union(island, skerry), gx.ravel(), gy.ravel()).reshape(gx.shape)
    coast = distance_transform_edt(dry) * CELL_M
    cells = np.zeros(gx.shape, bool)
    for line in river:
        xy = np.asarray(shapely.segmentize(line, CELL_M / 2).coords)
        cells[((xy[:, 1] - SOUTH) / CELL_M).astype(int), ((xy[:, 0] - WEST) / CELL_M).astype(int)] = True
    bank = distance_transform_edt(~cells) * CELL_M
    height = 6 + 34 * np.clip(coast / 4200, 0, 1)
    for hx, hy, top, reach in HILLS:
        height += top * np.exp(-((gx - hx) ** 2 + (gy - hy) ** 2) / (2 * reach**2))
    rough = gaussian_filter(rng.normal(0, 1, gx.shape), 14) * 95 + gaussian_filter(rng.normal(0, 1, gx.shape), 5) * 9
    height += rough * np.clip((height - 12) / 60, 0, 1.6)
    height *= (1 - np.exp(-((coast / 520) ** 1.2))) * (0.12 + 0.88 * (1 - np.exp(-((bank / 750) ** 1.5))))
    return np.where(dry, np.maximum(height, 1.2), 0.0)


def _woods(land: Land, rng: Generator) -> list[tuple[shapely.Polygon, str]]:
    """Woods on the slopes around the town, with ragged edges."""
    spots = (
        ("Beacon Wood", -2650, 4500, 900, 420, 12), ("Tarn Wood", -600, 4700, 560, 330, -8), ("Ridge Wood", 1900, 4650, 800, 380, -14),
        ("Fell Hanger", 4900, 3200, 620, 480, 30), ("West Wood", -5200, 2400, 640, 520, 5), ("Plover Copse", 5100, -300, 330, 420, 0),
        ("Sorrel Copse", -5150, -900, 360, 300, 20), ("Long Shaw", -4900, 900, 260, 480, 10), ("Alder Carr", 700, 4250, 230, 300, 0),
    )  # fmt: skip
    woods = []
    population_points = shapely.union_all([shapely.Point(x, y).buffer(radius * 1.2) for _, x, y, radius in VILLAGES])
    for name, x, y, rx, ry, turn in spots:
        count = 90
        at = np.linspace(0, 2 * np.pi, count, endpoint=False)
        ragged = 1 + gaussian_filter(rng.normal(0, 1, count), 2, mode="wrap") * 0.22
        shape = shapely.Polygon(np.column_stack([rx * ragged * np.cos(at), ry * ragged * np.sin(at)]))
        shape = shapely.affinity.translate(shapely.affinity.rotate(shape, turn), x, y)
        cover = (
            shapely.make_valid(shape)
            .intersection(land.island.buffer(-80))
            .difference(land.river.buffer(25).union(population_points))
        )
        woods += [(part, name) for part in shapely.get_parts(cover) if part.geom_type == "Polygon" and part.area > 2e4]
    return woods
