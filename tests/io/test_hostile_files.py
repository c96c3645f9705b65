"""Damaged and hostile files of every format: read, or refused in words, and never anything else."""

from __future__ import annotations

import bz2
import errno
import gzip
import random
import sqlite3
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import shapely

from awl.core.errors import AwlError
from awl.io import limits, omx, osm_change, vector
from awl.io.table import Table
from awl.study import inspect
from awl.study.export import layer_bytes
from tests.conftest import DATA, EXTRACT, inside_cut, node, osm
from tests.fuzz.nasties import files, zipped

EACH = 24
"""Files made of each sound one."""


def _tif() -> bytes:
    import rasterio
    from rasterio.transform import from_origin

    options = {"driver": "GTiff", "width": 40, "height": 30, "count": 1, "dtype": "float32", "crs": "EPSG:4326"}
    with rasterio.MemoryFile() as memory:
        with memory.open(**options, transform=from_origin(-36.21, 41.3, 5e-4, 5e-4)) as stream:
            stream.write(np.arange(1200, dtype=np.float32).reshape(30, 40), 1)
        return bytes(memory.read())


def _by_gdal(layer: Table, driver: str, ending: str, folder: Path) -> bytes:
    import geopandas

    path = folder / f"sound{ending}"
    frame = geopandas.GeoDataFrame({"name": ["a", "b", "c"]}, geometry=list(layer.geometry[:3]), crs="EPSG:4326")
    frame.to_file(path, driver=driver)
    if ending != ".shp":
        return path.read_bytes()
    return zipped({part.name: part.read_bytes() for part in folder.glob("sound.*")})


def sound_files(folder: Path) -> dict[str, bytes]:
    """A sound file of each format by name."""
    rooms = inside_cut("cool_rooms")
    way = '<way id="5"><nd ref="1"/><nd ref="2"/><tag k="highway" v="path"/></way>'
    xml = osm(node(1, -36.2, 41.29) + node(2, -36.199, 41.291) + way)
    change = "<osmChange version='0.6'><modify>" + node(1, -36.2, 41.29) + "</modify></osmChange>"
    table = b"origin,destination,time_min\n" + b"".join(b"%d,%d,4.5\n" % (a, b) for a in range(9) for b in range(9))
    links = b"link_id,from_node_id,to_node_id\n7,1,2\n"
    gmns = {"node.csv": b"node_id,x_coord,y_coord\n1,-36.2,41.29\n2,-36.21,41.3\n", "link.csv": links}
    feed = {
        "agency.txt": b"agency_id,agency_name,agency_url,agency_timezone\na,A,https://a.example,UTC\n",
        "stops.txt": b"stop_id,stop_name,stop_lat,stop_lon\np,P,41.29,-36.2\nq,Q,41.291,-36.197\n",
        "routes.txt": b"route_id,route_short_name,route_type\nr,1,3\n", "trips.txt": b"route_id,service_id,trip_id\nr,s,t\n",
        "stop_times.txt": b"trip_id,stop_id,stop_sequence,arrival_time,departure_time\n"
        b"t,p,1,8:00:00,8:00:00\nt,q,2,8:05:00,8:05:00\n",
        "calendar_dates.txt": b"service_id,date,exception_type\ns,20260603,1\n",
    }  # fmt: skip
    ends = {"origin_id": ["a", "a", "b", "b"], "destination_id": ["a", "b", "a", "b"]}
    skims = Table(None, {**ends, "time_min": [0.0, 1.0, 2.0, 0.0]})
    points = b'<wpt lat="41.29" lon="-36.2"><name>x</name></wpt>'
    gpx = b'<?xml version="1.0"?><gpx version="1.1" xmlns="http://www.topografix.com/GPX/1/1">' + points + b"</gpx>"
    return {
        **{f"sound.{ending}": layer_bytes(rooms, "rooms", ending) for ending in ("geojson", "csv", "xlsx", "parquet", "gpkg")},
        "sound.fgb": _by_gdal(rooms, "FlatGeobuf", ".fgb", folder), "sound.kml": _by_gdal(rooms, "LIBKML", ".kml", folder),
        "sound.shp.zip": _by_gdal(rooms, "ESRI Shapefile", ".shp", folder), "sound.gpx": gpx, "sound.tif": _tif(),
        "sound.osm": xml.encode(), "sound.osm.gz": gzip.compress(xml.encode()), "sound.osm.bz2": bz2.compress(xml.encode()),
        "sound.osm.pbf": EXTRACT.read_bytes(), "gmns.zip": zipped(gmns), "feed.zip": zipped(feed), "trips.csv": table,
        "skims.omx": omx.of_table(skims), "change.osc": change.encode(), "zones.geojson": (DATA / "zones.geojson").read_bytes(),
    }  # fmt: skip


def spoilt(data: bytes, random_: random.Random) -> bytes:
    """A file with something wrong with it."""
    kind, size = random_.randrange(6), len(data)
    at = random_.randrange(size)
    if kind == 0:
        return data[:at]
    if kind == 1:
        return data[:at] + bytes(random_.randrange(256) for _ in range(8)) + data[at + 8 :]
    if kind == 2:
        changed = bytearray(data)
        for _ in range(20):
            changed[random_.randrange(size)] ^= 1 << random_.randrange(8)
        return bytes(changed)
    if kind == 3:
        return data[:at] + data[max(at - 500, 0) : at] * 20 + data[at:]
    if kind == 4:
        return data[:at] + b"\xff\xfe\x00\xed\xa0\x80" + data[at:]
    return data[at:] + data[:at]


def taken_in(path: Path) -> Any:
    """What is in a file, as the server looks at it."""
    if path.name.endswith(".osc"):
        return osm_change.read(path)
    return inspect.described(path, path.name, None, None)


NAMES = [
    "sound.geojson", "sound.csv", "sound.xlsx", "sound.parquet", "sound.gpkg", "sound.fgb", "sound.kml",
    "sound.shp.zip", "sound.gpx", "sound.tif", "sound.osm", "sound.osm.gz", "sound.osm.bz2", "sound.osm.pbf",
    "gmns.zip", "feed.zip", "trips.csv", "skims.omx", "change.osc", "zones.geojson",
]  # fmt: skip


@pytest.fixture(scope="module")
def sound(tmp_path_factory: pytest.TempPathFactory) -> dict[str, bytes]:
    return sound_files(tmp_path_factory.mktemp("sound"))


def test_every_format_is_there(sound: dict[str, bytes]) -> None:
    assert list(sound) and set(sound) == set(NAMES) and len(NAMES) * (EACH + 1) >= 500


@pytest.mark.parametrize("name", NAMES)
def test_a_spoilt_file_is_read_or_refused_in_words(sound: dict[str, bytes], tmp_path: Path, name: str) -> None:
    random_ = random.Random(name)
    refused = 0
    for number in range(EACH):
        folder = tmp_path / str(number)
        folder.mkdir()
        path = folder / name
        path.write_bytes(spoilt(sound[name], random_))
        try:
            taken_in(path)
        except AwlError as error:
            refused += 1
            assert error.what and str(tmp_path) not in error.detail, error.detail
            assert error.status < 500
    assert refused or name.endswith((".csv", ".zip")), "damage is noticed"


@pytest.mark.parametrize("name", sorted(files()))
def test_a_hostile_file_is_refused_in_words(tmp_path: Path, name: str) -> None:
    path = tmp_path / name.replace("/", "_")
    path.write_bytes(files()[name])
    before = set(tmp_path.parent.iterdir())
    try:
        found = taken_in(path)
    except AwlError as error:
        assert error.what and str(tmp_path) not in error.detail and "root:" not in error.detail
    else:
        assert "root:x" not in str(found)
    assert set(tmp_path.parent.iterdir()) == before, "nothing is written elsewhere"


@pytest.mark.parametrize("wrong", [".gpkg", ".fgb", ".tif", ".zip", ".shp"])
def test_a_file_of_another_format_than_its_ending_says_is_refused(
    sound: dict[str, bytes], tmp_path: Path, wrong: str
) -> None:
    for name in ("sound.geojson", "sound.osm", "sound.kml"):
        path = tmp_path / f"a{wrong}"
        path.write_bytes(sound[name])
        with pytest.raises(AwlError, match=r"whatever its name says|damaged, cut short"):
            taken_in(path)


def test_a_raster_that_claims_more_than_its_bytes_hold_is_refused(tmp_path: Path) -> None:
    import rasterio

    path = tmp_path / "claims.tif"
    options = {"driver": "GTiff", "width": 9000, "height": 9000, "count": 1, "dtype": "float32", "crs": "EPSG:4326"}
    with rasterio.open(path, "w", **options, sparse_ok=True, tiled=True, compress="deflate"):
        pass
    with pytest.raises(AwlError, match="claims 81,000,000 cells"):
        taken_in(path)


def test_a_view_without_end_is_refused(
    sound: dict[str, bytes], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(vector, "VIEWS_S", 0.2)
    path = tmp_path / "view.gpkg"
    path.write_bytes(sound["sound.gpkg"])
    connection = sqlite3.connect(path)
    endless = "WITH RECURSIVE n(x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM n)"
    connection.execute(f"CREATE VIEW v AS {endless} SELECT x AS fid FROM n")
    connection.commit()
    connection.close()
    with pytest.raises(AwlError, match="a view that takes too long"):
        taken_in(path)


def test_a_full_disk_is_not_blamed_on_the_archive(sound: dict[str, bytes], tmp_path: Path) -> None:
    path = tmp_path / "gmns.zip"
    path.write_bytes(sound["gmns.zip"])
    with pytest.raises(OSError, match="full"), limits.opened_archive(path, path.name):
        raise OSError(errno.ENOSPC, "full")


def test_an_element_without_end_is_refused_before_all_of_it_is_read(tmp_path: Path) -> None:
    path = tmp_path / "long.osm.gz"
    path.write_bytes(gzip.compress(b'<osm version="0.6"><node id="1" lon="' + b"1" * (12 << 20)))
    with pytest.raises(AwlError, match="An element is longer than 4 MB"):
        taken_in(path)


def test_shapes_that_cross_themselves_hundreds_of_times_are_settled(tmp_path: Path) -> None:
    rng = np.random.default_rng(5)
    ring = np.stack([rng.uniform(-36.21, -36.19, 3000), rng.uniform(41.28, 41.3, 3000)], axis=1)
    path = tmp_path / "star.geojson"
    path.write_text(
        f'{{"type": "Feature", "properties": {{}}, "geometry": {shapely.to_geojson(shapely.Polygon(ring))}}}'
    )
    (layer,) = taken_in(path)["layers"]
    assert layer["count"] == 1
