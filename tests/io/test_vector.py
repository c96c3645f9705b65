"""Vector files of other programs come in with their coordinates moved to WGS 84."""

from __future__ import annotations

import zipfile

import numpy as np
import pyogrio
import pytest
import shapely
from pyproj import Transformer

from awl.core.errors import AwlError
from awl.io import limits, vector
from awl.study import importing

POINTS = shapely.points([(-36.2, 41.29), (-36.19, 41.3)])


def write(path, driver, crs="EPSG:32624", **options):
    """Two points written by GDAL in a projected system."""
    to = Transformer.from_crs(4326, int(crs.split(":")[1]), always_xy=True) if crs else None
    moved = shapely.transform(POINTS, lambda xy: np.column_stack(to.transform(*xy.T))) if to else POINTS
    pyogrio.raw.write(
        path, geometry=shapely.to_wkb(moved), field_data=[np.array(["Bath", "Hall"], object), np.array([60.0, np.nan])],
        fields=["name", "seats"], geometry_type="Point", crs=crs, driver=driver, **options,
    )  # fmt: skip
    return path


@pytest.mark.parametrize(("ending", "driver"), [("gpkg", "GPKG"), ("fgb", "FlatGeobuf")])
def test_projected_layers_come_in_as_degrees(tmp_path, ending, driver):
    layer, _ = vector.read(write(tmp_path / f"rooms.{ending}", driver))
    order = np.argsort(shapely.get_x(layer.geometry))
    assert shapely.get_coordinates(layer.geometry[order]) == pytest.approx(shapely.get_coordinates(POINTS), abs=1e-8)
    assert [layer.columns["name"][i] for i in order] == ["Bath", "Hall"]
    assert [layer.columns["seats"][i] for i in order] == [60.0, None]


@pytest.mark.parametrize("folder", ["", "data/"])
def test_a_zipped_shapefile(tmp_path, folder):
    write(tmp_path / "rooms.shp", "ESRI Shapefile")
    with zipfile.ZipFile(tmp_path / "rooms.zip", "w") as archive:
        for part in tmp_path.glob("rooms.*"):
            if part.suffix != ".zip":
                archive.write(part, folder + part.name)
    layer, name = vector.read(tmp_path / "rooms.zip")
    assert name == "rooms" and layer.columns["name"] == ["Bath", "Hall"]


def test_a_file_of_several_layers_asks_which(tmp_path, own_study):
    path = write(tmp_path / "two.gpkg", "GPKG", layer="a")
    write(path, "GPKG", layer="b", append=True)
    with pytest.raises(AwlError, match=r"holds 2 layers\. Choose one: a, b"):
        vector.read(path)
    with pytest.raises(AwlError, match=r"no layer 'c'\. It has: a, b"):
        vector.read(path, "c")
    assert importing.add(path, own_study, inner="b") == "b"
    assert own_study.require_layer("b")["role"] == "places"


def bomb(path):
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("big.shp", b"\0" * (9 << 20))


BAD = {
    "no CRS": ("rooms.gpkg", lambda p: write(p, "GPKG", crs=None), "states no coordinate system"),
    "rubbish": ("rooms.gpkg", lambda p: p.write_bytes(b"rubbish" * 99), "not a GeoPackage"),
    "cut short": (
        "rooms.fgb",
        lambda p: p.write_bytes(write(p, "FlatGeobuf").read_bytes()[:200]),
        "cannot be read|no layer",
    ),
    "no archive": ("rooms.zip", lambda p: p.write_bytes(b"PK nothing"), "not a zip archive"),
    "no Shapefile": ("rooms.zip", lambda p: zipfile.ZipFile(p, "w").writestr("a.txt", "a"), "holds no Shapefile"),
    "a bomb": ("rooms.zip", bomb, "unpacks to more"),
    "empty": ("rooms.gpkg", lambda p: p.write_bytes(b""), "is empty"),
}


@pytest.mark.filterwarnings("ignore:'crs' was not provided")
@pytest.mark.parametrize("kind", BAD)
def test_bad_files_say_what_is_wrong(tmp_path, kind, monkeypatch):
    name, make, expected = BAD[kind]
    monkeypatch.setattr(limits, "SMALL_BYTES", 1 << 20)
    make(tmp_path / name)
    with pytest.raises(AwlError, match=expected) as caught:
        vector.read(tmp_path / name)
    assert name in caught.value.detail


def test_coordinates_that_do_not_fit_their_system(tmp_path):
    path = tmp_path / "wrong.gpkg"
    far = shapely.points([(512_000.0, 4_571_000.0)])
    pyogrio.raw.write(
        path,
        geometry=shapely.to_wkb(far),
        field_data=[],
        fields=[],
        geometry_type="Point",
        crs="EPSG:4326",
        driver="GPKG",
    )
    with pytest.raises(AwlError, match="do not fit the coordinate system EPSG:4326"):
        vector.read(path)
