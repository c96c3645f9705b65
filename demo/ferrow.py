"""Make the data of Ferrow, the invented river port of Awl's demo.

    python -m demo.ferrow demo/data tests/data

writes the map extract (OSM PBF and OSM XML), the neighbouring town's extract, zones, places, buildings and parcels as
GeoPackage, heights and people as GeoTIFF, other street sources in `other/`, and `faults.geojson`, the truth about what was
spoilt on purpose. The same seed gives the same city.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path

import numpy as np
import shapely
from numpy.random import Generator

from awl.io import geojson, vector
from awl.io.table import Table
from demo.country import fill_country
from demo.faults import Fault, add_faults
from demo.land import HILLS, PLANE, VILLAGES, Land, make_land
from demo.layers import write_lots, write_places, write_rasters, write_zones
from demo.lots import Lots, make_lots
from demo.names import Names
from demo.osm import Elements, write_pbf, write_xml
from demo.other import write_other
from demo.quarters import QUARTERS, Town, build_town
from demo.restrictions import add_restrictions
from demo.roads import MAIN, lay_roads
from demo.survey import survey

SEED = 20260619
FERROW_BOX = (-6350.0, -4150.0, 5850.0, 5350.0)
QUILLHAVEN_BOX = (5600.0, 700.0, 8000.0, 2900.0)
"""What the two extracts cover: west, south, east, north in plan metres."""
CUT_BOX = (-800.0, -1750.0, 1000.0, -250.0)
"""The small cut for tests: both banks with Gant Bridge and the footbridge."""
FAULT_GROUND = shapely.box(*FERROW_BOX).buffer(-150).difference(shapely.box(-900, -1850, 1100, -200))
"""Where faults may be: not about the footbridge, for the demo's answers rest on the streets there."""


def add_base_map(
    elements: Elements, land: Land, town: Town, lots: Lots, fields: list[tuple[shapely.Polygon, str]]
) -> None:
    """Coast, water, woods, fields, beaches, parks, buildings and lettering."""
    for coast in (land.island, land.skerry):
        ring = coast.exterior if coast.exterior.is_ccw else shapely.reverse(coast.exterior)
        elements.way(np.asarray(ring.coords), {"natural": "coastline"})  # land on the left
    elements.area(land.river, {"natural": "water", "water": "river", "name": "River Orrow"})
    elements.area(
        land.basin.intersection(land.island), {"natural": "water", "water": "basin", "name": "Netherquay Basin"}
    )
    for line in land.river_lines:
        elements.way(np.asarray(line.coords), {"waterway": "river", "name": "River Orrow"})
    for shape, use in fields:
        elements.area(shape, {"landuse": use})
    for shape, name in land.woods:
        elements.area(shape, {"landuse": "forest", "name": name})
    for shape in land.beaches:
        elements.area(shape, {"natural": "beach"})
    for shape, name in town.parks:
        elements.area(shape, {"leisure": "park", "name": name})
    for shape, use, floors in zip(lots.building, lots.use, lots.floors, strict=True):
        elements.area(shape, {"building": str(use), "building:levels": str(floors)})
    for quarter in QUARTERS:
        elements.point(quarter.x, quarter.y, place="suburb", name=quarter.name)
    for name, x, y, radius in VILLAGES:
        elements.point(x, y + 30, place="town" if radius > 500 else "village", name=name)
    elements.point(330.0, -700.0, place="city", name="Ferrow", population="180000")
    for name, (x, y, *_) in zip(
        ("Tarn Beacon", "Little Tarn", "Orrow Ridge", "Fell Top", "West Fell"), HILLS, strict=False
    ):
        height = float(land.height(np.array([[x, y]]))[0])
        elements.point(x, y, natural="peak", place="locality", name=name, ele=f"{height:.0f}")


def write_faults(path: Path, faults: list[Fault]) -> None:
    """The truth file: one point per fault."""
    lon, lat = PLANE.lonlat(np.array([f.x for f in faults]), np.array([f.y for f in faults]))
    features = [
        {
            "type": "Feature",
            "properties": {"kind": f.kind, "ways": list(f.ways), "size_m": f.size_m, "note": f.note},
            "geometry": {"type": "Point", "coordinates": [round(float(x), 7), round(float(y), 7)]},
        }
        for f, x, y in zip(faults, lon, lat, strict=True)
    ]
    path.write_text(json.dumps({"type": "FeatureCollection", "features": features}, indent=1))


def write_cut(folder: Path, elements: Elements, layers: Path) -> None:
    """The small cut that tests work on: the extract in both formats, and the zones and cool rooms in it."""
    folder.mkdir(parents=True, exist_ok=True)
    extract = elements.extract(CUT_BOX)
    write_pbf(folder / "cut.osm.pbf", extract)
    write_xml(folder / "cut.osm.bz2", extract)
    west, south, east, north = CUT_BOX
    lon, lat = PLANE.lonlat(np.array([west + 50, east - 50]), np.array([south + 50, north - 50]))
    box = shapely.box(lon[0], lat[0], lon[1], lat[1])
    for name in ("zones", "cool_rooms"):
        layer, _ = vector.read(layers, name)
        cut = shapely.intersection(layer.geometry, box)
        rows = np.flatnonzero(
            ~shapely.is_empty(cut) & ((shapely.get_dimensions(cut) == 0) | (shapely.area(cut) > 1e-6))
        )
        kept = Table(cut, layer.columns).take(rows.tolist())
        (folder / f"{name}.geojson").write_bytes(geojson.dumps(geojson.collection(kept)))


def main(folder: Path, cut_folder: Path) -> None:
    """Write all files of the demo to `folder`, and the cut for tests to `cut_folder`."""
    rng: Generator = np.random.default_rng(SEED)
    folder.mkdir(parents=True, exist_ok=True)
    for old in folder.glob("*.gpkg"):
        old.unlink()
    land = make_land(rng)
    roads = lay_roads(land)
    names = Names(rng, {name for name, *_ in MAIN})
    town = build_town(land, roads, names, rng)
    lots = make_lots(town, rng)
    fields = fill_country(land, roads, town, names, rng)
    made = survey(land, roads, town, lots, rng)
    elements = Elements(made.ways, made.points)
    for line, tags in roads.rails:
        elements.way(np.asarray(line.coords), tags)
    add_restrictions(elements, rng)
    faults = add_faults(elements, FAULT_GROUND, rng)
    add_base_map(elements, land, town, lots, fields)
    extract = elements.extract(FERROW_BOX)
    write_pbf(folder / "ferrow.osm.pbf", extract)
    write_xml(folder / "ferrow.osm.bz2", extract)
    write_pbf(folder / "quillhaven.osm.pbf", elements.extract(QUILLHAVEN_BOX))
    write_faults(folder / "faults.geojson", faults)
    write_zones(folder / "layers.gpkg", town, lots, FERROW_BOX, rng)
    write_places(folder / "layers.gpkg", town, lots, made, rng)
    write_lots(folder, lots, town.streets)
    write_rasters(folder, land, lots, FERROW_BOX)
    write_cut(cut_folder, elements, folder / "layers.gpkg")
    write_other(folder / "other", town, roads, cut_folder / "cut.osm.pbf")


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.argv[2]))
