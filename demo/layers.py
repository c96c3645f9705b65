"""What stands beside the map extract: zones, places, buildings and parcels as GeoPackage, heights and people as GeoTIFF."""

from __future__ import annotations

import contextlib
import sqlite3
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
import pyogrio
import rasterio
import shapely
from numpy.random import Generator
from pyproj import Transformer
from rasterio.transform import from_origin

from demo.land import PLANE, Land
from demo.lots import Lots, addresses
from demo.quarters import Town
from demo.roads import Street
from demo.survey import Survey

UTM = "EPSG:32624"
"""WGS 84 / UTM zone 24N, the projected system in which some files come."""
WGS84 = "EPSG:4326"

COOL_ROOMS = (
    # name, kind, seats, about where
    ("Quillet School", "school hall", 120, (-640, -2000)), ("Heron Baths", "baths", 60, (330, -1075)),
    ("Staithe Hall", "town hall", 180, (720, -1390)), ("Hask Bank Clinic", "clinic", 40, (-1650, -560)),
    ("Star House", "community house", 70, (1780, 1620)), ("Lorren Library", "library", 90, (1780, -260)),
    ("Tallowgate Market", "market hall", 200, (780, -640)), ("Lantern Library", "library", 80, (640, 480)),
    ("Gantry Hall", "community house", 60, (3420, 240)), ("Whimbrel Chapel", "chapel", 50, (-470, 720)),
    ("Brindle School", "school hall", 110, (-2080, 2260)), ("Copperas Library", "library", 45, (-320, 2420)),
    ("Pell Moor House", "community house", 55, (-3480, 280)), ("Withy Seamen's Rest", "community house", 35, (3560, -960)),
)  # fmt: skip
CANDIDATES = (
    "Heronside",
    "Cordwain",
    "Sedge Field",
    "Curlew Rise",
    "Marl Hill",
    "Fallow Green",
    "Kiln Fields",
    "Teasel Park",
    "Skein",
)
HOURS = ("Mo-Sa 08:00-20:00", "Mo-Fr 09:00-18:00", "Mo-Su 07:00-22:00", "Tu-Su 10:00-19:00")
SERVICES = (("pharmacy", 31, "Pharmacy"), ("food_shop", 64, "Stores"), ("school", 34, "School"), ("surgery", 22, "Surgery"),
            ("playground", 48, "Playground"), ("library", 9, "Reading Room"), ("bakery", 40, "Bakery"))  # fmt: skip
pyogrio.set_gdal_config_options({"OGR_CURRENT_DATE": "2026-06-19T00:00:00.000Z"})  # the same files from the same seed
LIVED = ("residential", "living_street", "tertiary", "pedestrian", "unclassified")


def write_vector(path: Path, layer: str, shapes: np.ndarray, columns: dict[str, Any], crs: str, **options: Any) -> None:
    """A GeoPackage layer from shapes in plan metres; added to the file when it exists."""
    degrees = shapely.transform(shapes, lambda xy: np.column_stack(PLANE.lonlat(xy[:, 0], xy[:, 1])))
    if crs == UTM:
        to = Transformer.from_crs(4326, 32624, always_xy=True)
        placed = shapely.transform(degrees, lambda xy: np.round(np.column_stack(to.transform(xy[:, 0], xy[:, 1])), 2))
    else:
        placed = shapely.transform(degrees, lambda xy: np.round(xy, 7))
    kind = {0: "Point", 1: "LineString", 3: "Polygon", 6: "MultiPolygon"}[int(shapely.get_type_id(placed[0]))]
    pyogrio.raw.write(
        path, geometry=shapely.to_wkb(placed), field_data=[np.asarray(values) for values in columns.values()], fields=list(columns),
        layer=layer, driver="GPKG", geometry_type=kind, crs=crs, append=False, layer_options={"SPATIAL_INDEX": "NO", **options},
        dataset_options={"VERSION": "1.3"} if not path.exists() else {},
    )  # fmt: skip


def write_zones(path: Path, town: Town, lots: Lots, box: tuple[float, float, float, float], rng: Generator) -> int:
    """Census zones within a box, with people by group, households and jobs; residents come from the buildings in each."""
    parts = [part for part in town.parts if shapely.within(shapely.centroid(part.ground), shapely.box(*box))]
    shapes = np.array([part.ground for part in parts], dtype=object)
    middle = shapely.centroid(lots.building)
    row, zone = shapely.STRtree(shapes).query(middle, predicate="within")
    population = np.bincount(zone, weights=lots.residents[row], minlength=len(shapes)).astype(int)
    floor_space = (shapely.area(lots.building) * lots.floors)[row]
    per_job = {
        "office": 24.0,
        "retail": 38.0,
        "industrial": 110.0,
        "warehouse": 240.0,
        "public": 45.0,
        "school": 60.0,
        "hotel": 70.0,
    }
    space_per_job = np.array([per_job.get(use, np.inf) for use in lots.use[row]])
    jobs = np.bincount(zone, weights=floor_space / space_per_job, minlength=len(shapes)).astype(int)
    kind = np.array([part.quarter.kind for part in parts])
    old = rng.uniform(0.12, 0.22, len(shapes)) + 0.07 * np.isin(kind, ["old", "hill"]) + 0.03 * (kind == "village")
    young = rng.uniform(0.11, 0.2, len(shapes)) + 0.03 * np.isin(kind, ["garden", "estate"])
    without = np.clip(
        rng.normal(0.27, 0.07, len(shapes))
        + 0.2 * np.isin(kind, ["old", "estate"])
        - 0.12 * np.isin(kind, ["garden", "village"]),
        0.05,
        0.7,
    )
    households = np.round(population / rng.uniform(1.9, 2.6, len(shapes))).astype(int)
    number: dict[str, int] = {}
    names = []
    for part in parts:
        number[part.quarter.name] = number.get(part.quarter.name, 0) + 1
        names.append(f"{part.quarter.name} {number[part.quarter.name]}")
    columns = {
        "zone": np.array([f"F{i + 1:03d}" for i in range(len(shapes))], object),
        "name": np.array(names, object),
        "quarter": np.array([part.quarter.name for part in parts], object),
        "population": population,
        "age_65_plus": np.round(population * old).astype(int),
        "age_under_15": np.round(population * young).astype(int),
        "no_car": np.round(population * without).astype(int),
        "households": households,
        "households_no_car": np.round(households * without).astype(int),
        "jobs": jobs,
    }
    write_vector(path, "zones", shapes, columns, WGS84)
    return len(shapes)


def write_places(path: Path, town: Town, lots: Lots, made: Survey, rng: Generator) -> None:
    """Cool rooms, candidates, services and event sites, each a few metres off a street of its quarter."""
    ways = [
        way for way in made.ways if way.tags.get("highway") in LIVED and len(way.xy) > 2 and "bridge" not in way.tags
    ]
    middle = np.array([way.xy[len(way.xy) // 2] for way in ways])
    quarter = {part.quarter.name: [] for part in town.parts}  # type: ignore[var-annotated]
    for part in town.parts:
        quarter[part.quarter.name].append(part.ground)
    taken: list[np.ndarray] = []

    def beside(at: np.ndarray, off: float) -> shapely.Point:
        taken.append(at)
        return shapely.Point(at + off * np.array([0.8, 0.6]))

    def spot(name: str, off: float = 13.0) -> shapely.Point:
        ground = shapely.union_all(quarter[name]).buffer(-15)
        inside = np.flatnonzero(shapely.contains_xy(ground, middle[:, 0], middle[:, 1]))
        apart = [row for row in inside if all(np.hypot(*(middle[row] - other)) > 480 for other in taken)]
        return beside(middle[rng.choice(apart or inside)], off)

    # One room stands far back from its street.
    rooms = [
        beside(middle[np.argmin(np.hypot(*(middle - where).T))], 46.0 if name == "Whimbrel Chapel" else 13.0)
        for name, *_, where in COOL_ROOMS
    ]
    columns = {
        "id": [f"R{i + 1:02d}" for i in range(len(rooms))],
        "name": [name for name, *_ in COOL_ROOMS],
        "kind": [kind for _, kind, *_ in COOL_ROOMS],
        "seats": [seats for _, _, seats, _ in COOL_ROOMS],
        "opening_hours": [HOURS[i % 4] for i in range(len(rooms))],
    }
    write_vector(path, "cool_rooms", np.array(rooms, dtype=object), _objects(columns), WGS84)
    hopes = [spot(name) for name in CANDIDATES]
    columns = {
        "id": [f"C{i + 1}" for i in range(len(hopes))],
        "name": [f"{name} Hall" for name in CANDIDATES],
        "seats": rng.integers(40, 160, len(hopes)).tolist(),
        "cost": (rng.integers(18, 90, len(hopes)) * 1000).tolist(),
    }
    write_vector(path, "candidate_rooms", np.array(hopes, dtype=object), _objects(columns), WGS84)
    homes = np.flatnonzero(lots.residents > 0)
    kinds, names, points = [], [], []
    for kind, count, word in SERVICES:
        for n, row in enumerate(
            rng.choice(homes, count, replace=False, p=lots.residents[homes] / lots.residents[homes].sum())
        ):
            kinds.append(kind)
            names.append(f"{lots.parcel_quarter[int(lots.on_parcel[row])]} {word} {n + 1}")
            points.append(shapely.centroid(lots.building[row]))
    columns = {"id": [f"S{i + 1:03d}" for i in range(len(points))], "name": names, "kind": kinds}
    write_vector(path, "services", np.array(points, dtype=object), _objects(columns), WGS84)
    events = [spot(name, 1.5) for name in ("Heronside", "Old Staithe", "Gantry")]
    columns = {
        "id": ["E1", "E2", "E3"],
        "name": ["Burst water main, Heronside", "Gas smell, Old Staithe", "Fallen tree, Gantry"],
        "since": ["2026-08-04T06:40", "2026-08-11T21:15", "2026-09-02T17:05"],
    }
    write_vector(path, "event_sites", np.array(events, dtype=object), _objects(columns), WGS84)


def _objects(columns: Mapping[str, Any]) -> dict[str, Any]:
    return {
        name: np.array(values, object if isinstance(values[0], str) else np.int64) for name, values in columns.items()
    }


def without_boxes(path: Path, layer: str) -> None:
    """Take the bounding box out of the head of each geometry: GeoPackage 1.3, 2.1.3, leaves it open, and a file is a fifth smaller."""
    with contextlib.closing(sqlite3.connect(path, isolation_level=None)) as connection:
        (column,) = connection.execute(
            "SELECT column_name FROM gpkg_geometry_columns WHERE table_name = ?", (layer,)
        ).fetchone()
        for fid, blob in connection.execute(f'SELECT fid, "{column}" FROM "{layer}"').fetchall():
            box = (0, 32, 48, 48, 64)[blob[3] >> 1 & 7]
            slim = blob[:3] + bytes([blob[3] & 0b11110001]) + blob[4:8] + blob[8 + box :]
            connection.execute(f'UPDATE "{layer}" SET "{column}" = ? WHERE fid = ?', (slim, fid))
        connection.execute("VACUUM")


def write_lots(folder: Path, lots: Lots, streets: list[Street]) -> None:
    """Buildings and parcels with their address, in the projected system."""
    write_vector(
        folder / "buildings.gpkg", "buildings", lots.building,
        {"use": lots.use.astype(object), "floors": lots.floors.astype(np.int32), "parcel": lots.on_parcel.astype(np.int32) + 1}, UTM,
    )  # fmt: skip
    write_vector(
        folder / "parcels.gpkg", "parcels", shapely.simplify(lots.parcel, 1.5),
        {
            "parcel": np.arange(1, len(lots.parcel) + 1, dtype=np.int32),
            "address": np.array(addresses(lots.parcel, streets), dtype=object),
        }, UTM,
    )  # fmt: skip
    without_boxes(folder / "parcels.gpkg", "parcels")


def write_rasters(folder: Path, land: Land, lots: Lots, box: tuple[float, float, float, float]) -> None:
    """Elevation (25 m, whole metres) and population (100 m, people per cell)."""
    to = Transformer.from_crs(4326, 32624, always_xy=True)
    x, y = to.transform(*PLANE.lonlat(np.array(box)[[0, 2, 0, 2]], np.array(box)[[1, 1, 3, 3]]))
    west, east, south, north = (
        np.floor(min(x) / 100) * 100,
        np.ceil(max(x) / 100) * 100,
        np.floor(min(y) / 100) * 100,
        np.ceil(max(y) / 100) * 100,
    )
    cells_x, cells_y = np.meshgrid(np.arange(west + 12.5, east, 25), np.arange(north - 12.5, south, -25))
    lon, lat = to.transform(cells_x.ravel(), cells_y.ravel(), direction="INVERSE")
    heights = land.height(np.column_stack(PLANE.xy(np.asarray(lon), np.asarray(lat)))).reshape(cells_x.shape)
    _write_raster(
        folder / "elevation.tif", np.rint(heights * 10) / 10, west, north, 25.0, "float32", "Metres above the sea"
    )
    middle = shapely.get_coordinates(shapely.centroid(lots.building))
    px, py = to.transform(*PLANE.lonlat(middle[:, 0], middle[:, 1]))
    people = np.zeros((int((north - south) / 100), int((east - west) / 100)))
    row, column = ((north - py) / 100).astype(int), ((px - west) / 100).astype(int)
    inside = (row >= 0) & (row < people.shape[0]) & (column >= 0) & (column < people.shape[1])
    np.add.at(people, (row[inside], column[inside]), lots.residents[inside])
    _write_raster(folder / "population.tif", people, west, north, 100.0, "int32", "Residents per cell")


def _write_raster(
    path: Path, values: np.ndarray, west: float, north: float, cell: float, dtype: str, what: str
) -> None:
    with rasterio.open(
        path, "w", driver="GTiff", width=values.shape[1], height=values.shape[0], count=1, dtype=dtype, crs=UTM,
        transform=from_origin(west, north, cell, cell), compress="deflate", predictor=3 if dtype == "float32" else 2, tiled=True,
        blockxsize=256, blockysize=256,
    ) as out:  # fmt: skip
        out.write(values.astype(dtype), 1)
        out.set_band_description(1, what)
