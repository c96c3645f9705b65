"""A renamed file never makes the readers open another file: only the driver of the ending reads it."""

from __future__ import annotations

import http.server
import threading
import zipfile

import numpy as np
import pytest
import shapely

from awl.core.errors import AwlError
from awl.io import gdal, raster, vector

SECRET = "the-secret-of-another-file"


def virtual_layer(source: str) -> bytes:
    """A description of a layer that lies elsewhere, as GDAL's virtual driver reads it."""
    return (
        f"<OGRVRTDataSource><OGRVRTLayer name='secret'><SrcDataSource>{source}</SrcDataSource>"
        "<GeometryType>wkbPoint</GeometryType><LayerSRS>EPSG:4326</LayerSRS>"
        "<GeometryField encoding='PointFromColumns' x='lon' y='lat'/></OGRVRTLayer></OGRVRTDataSource>"
    ).encode()


@pytest.fixture
def secret(tmp_path):
    path = tmp_path / "secret.csv"
    path.write_text(f"name,lon,lat\n{SECRET},-36.2,41.29\n")
    return path


@pytest.fixture
def listener():
    """An address on this machine and the requests that reached it."""
    seen: list[str] = []

    class Handler(http.server.BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            seen.append(self.path)
            self.send_error(404)

        do_HEAD = do_GET  # noqa: N815

        def log_message(self, *_: object) -> None:
            pass

    server = http.server.HTTPServer(("127.0.0.1", 0), Handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield f"http://127.0.0.1:{server.server_port}", seen
    server.shutdown()


def read_anything(path):
    return raster.read(path, path.name) if path.suffix in (".tif", ".tiff") else vector.read(path)


@pytest.mark.parametrize("ending", [".gpkg", ".fgb", ".shp", ".kml", ".gpx", ".tif", ".tiff", ".zip", ".kmz"])
def test_a_renamed_virtual_layer_opens_nothing(tmp_path, secret, listener, ending):
    address, seen = listener
    for source in (str(secret), f"/vsicurl/{address}/x.csv", f"{address}/x.geojson"):
        path = tmp_path / f"innocent{ending}"
        path.write_bytes(virtual_layer(source))
        with pytest.raises(AwlError) as raised:
            read_anything(path)
        assert SECRET not in str(raised.value) and str(tmp_path) not in str(raised.value)
    assert seen == []


@pytest.mark.parametrize("member", ["a.shp", "in/a.shp", "a.kml"])
def test_nor_as_a_member_of_an_archive(tmp_path, secret, member):
    path = tmp_path / "a.zip"
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr(member, virtual_layer(str(secret)))
    with pytest.raises(AwlError):
        vector.read(path)


@pytest.mark.parametrize("ending", [".gpkg", ".fgb", ".shp"])
def test_nor_behind_the_first_bytes_of_the_right_kind(tmp_path, secret, ending):
    path = tmp_path / f"a{ending}"
    path.write_bytes(gdal.SIGNATURES[ending][0][0] + virtual_layer(str(secret)))
    with pytest.raises(AwlError):
        vector.read(path)


def test_only_the_drivers_awl_reads_with_are_left():
    assert set(gdal.vector_reader().list_drivers()) == gdal.VECTOR_DRIVERS


def test_settings_of_the_environment_are_forgotten(tmp_path):
    import subprocess
    import sys

    code = (
        "import os; from awl.io import gdal; gdal.vector_reader(); gdal.raster_environment();"
        "print([name for name in os.environ if name in ('GDAL_DRIVER_PATH', 'OGR_SQLITE_LOAD_EXTENSIONS')])"
    )
    environment = {"GDAL_DRIVER_PATH": str(tmp_path), "OGR_SQLITE_LOAD_EXTENSIONS": "x.so", "PATH": ""}
    printed = subprocess.run([sys.executable, "-c", code], env=environment, capture_output=True, text=True, check=True)
    assert printed.stdout.strip() == "[]"


def test_a_raster_that_names_an_overview_elsewhere_asks_for_nothing(tmp_path, listener):
    import rasterio
    from rasterio.transform import from_origin

    address, seen = listener
    path = tmp_path / "a.tif"
    with rasterio.open(
        path, "w", driver="GTiff", width=4, height=4, count=1, dtype="float32", crs="EPSG:4326",
        transform=from_origin(-36.2, 41.3, 0.01, 0.01),
    ) as out:  # fmt: skip
        out.write(np.ones((1, 4, 4), np.float32))
        out.update_tags(ns="OVERVIEWS", OVERVIEW_FILE=f"/vsicurl/{address}/o.tif")
    (tmp_path / "a.tif.aux.xml").write_text(
        "<PAMDataset><Metadata domain='OVERVIEWS'>"
        f"<MDI key='OVERVIEW_FILE'>/vsicurl/{address}/o.tif</MDI></Metadata></PAMDataset>"
    )
    assert raster.read(path, "a.tif").values.shape == (4, 4)
    assert seen == []


@pytest.mark.parametrize("nasty", ["<!DOCTYPE kml [<!ENTITY a 'b'>]>", "<!ENTITY a SYSTEM 'file:///etc/passwd'>"])
def test_xml_brings_no_entities(tmp_path, nasty):
    path = tmp_path / "a.kml"
    path.write_text(f"<?xml version='1.0'?>{nasty}<kml><Document><name>&a;</name></Document></kml>")
    with pytest.raises(AwlError, match="entities"):
        vector.read(path)


def test_archives_are_bounded_before_they_are_opened(tmp_path):
    path = tmp_path / "bomb.zip"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("a.shp", b"\0" * (100 << 20))
    with pytest.raises(AwlError, match="unpacks to more"):
        vector.read(path)
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("../../a.shp", b"\0\0\x27\x0a")
    with pytest.raises(AwlError, match="leads out"):
        vector.read(path)


def test_points_still_come_in(tmp_path):
    gdal.vector_reader().raw.write(
        tmp_path / "a.fgb", geometry=shapely.to_wkb(shapely.points([(1, 2)])), field_data=[np.array(["A"], object)],
        fields=["name"], geometry_type="Point", crs="EPSG:4326", driver="FlatGeobuf",
    )  # fmt: skip
    assert vector.read(tmp_path / "a.fgb")[0].columns == {"name": ["A"]}
