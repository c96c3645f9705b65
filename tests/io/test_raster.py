"""Elevation and population grids: read as another program reads them, kept in the study, refused when they cannot be placed."""

from __future__ import annotations

import numpy as np
import pytest
import rasterio
from pyproj import Transformer
from rasterio.transform import from_origin
from scipy.ndimage import map_coordinates

from awl.core.errors import AwlError
from awl.io import raster
from awl.shipped import SOURCE
from awl.study import importing

ELEVATION, POPULATION = (SOURCE / "demo" / "data" / f"{name}.tif" for name in ("elevation", "population"))


def test_values_between_cells_are_those_of_an_independent_interpolation():
    grid = raster.read(ELEVATION, "elevation.tif")
    west, south, east, north = grid.bounds
    rng = np.random.default_rng(1)
    lon, lat = rng.uniform(west + 0.01, east - 0.01, 20), rng.uniform(south + 0.01, north - 0.01, 20)
    with rasterio.open(ELEVATION) as stream:
        x, y = Transformer.from_crs(4326, stream.crs, always_xy=True).transform(lon, lat)
        column, row = ~stream.transform @ (x, y)
        expected = map_coordinates(stream.read(1).astype(float), [row - 0.5, column - 0.5], order=1)
    assert grid.at(lon, lat) == pytest.approx(expected, abs=0.01)
    assert np.isnan(grid.at(np.array([east + 1]), np.array([north]))).all()


def test_people_of_the_grid_are_those_of_its_cells():
    grid = raster.read(POPULATION, "population.tif")
    lon, _, count = grid.centres()
    with rasterio.open(POPULATION) as stream:
        band = stream.read(1, masked=True).filled(0)
    assert count.sum() == band.sum() and len(lon) == (band != 0).sum()


def test_what_a_raster_is_follows_from_name_or_content():
    population, elevation = raster.read(POPULATION, "p"), raster.read(ELEVATION, "e")
    assert (population.role, elevation.role) == ("population", "elevation")
    assert (
        importing.raster_role("dem_2026", population) == "elevation"
        and importing.raster_role("grid", population) == "population"
    )


def test_a_study_keeps_the_file_itself(own_study):
    assert importing.add(ELEVATION, own_study) == "elevation"
    assert importing.add(POPULATION, own_study, role="population", title="People") == "population"
    kept = {entry["id"]: entry for entry in own_study.rasters()}
    assert kept["population"]["title"] == "People" and kept["elevation"]["columns"] == 504
    assert np.array_equal(own_study.raster("elevation").values, raster.read(ELEVATION, "e").values, equal_nan=True)
    own_study.set_layer_role("elevation", "population")
    with pytest.raises(AwlError, match="It can be: elevation, population"):
        own_study.set_layer_role("elevation", "zones")
    own_study.drop_layer("elevation")
    assert [entry["id"] for entry in own_study.rasters()] == ["population"]


def made(path, transform=None, crs="EPSG:32625", values=None, **more):
    values = np.arange(12.0).reshape(3, 4).astype("float32") if values is None else values
    transform = from_origin(399000, 4573500, 25, 25) if transform is None else transform
    with rasterio.open(
        path, "w", driver="GTiff", height=values.shape[0], width=values.shape[1], count=1, dtype=values.dtype, crs=crs,
        transform=transform, **more,
    ) as out:  # fmt: skip
        out.write(values, 1)
    return path


BAD = {
    "no system": ({"crs": None}, "states no coordinate system", "crs-missing"),
    "a wrong system": ({"crs": "EPSG:4326"}, "do not fit the coordinate system", "crs-wrong"),
    "turned": ({"transform": from_origin(399000, 4573500, 25, 25) @ rasterio.Affine.rotation(20)}, "rotated", ""),
    "nothing in it": ({"nodata": 7.0, "values": np.full((3, 4), 7.0, "float32")}, "No cell .* holds a value", ""),
}


@pytest.mark.parametrize("kind", BAD)
def test_a_raster_that_cannot_be_used_says_why(tmp_path, kind):
    settings, expected, code = BAD[kind]
    path = made(tmp_path / "grid.tif", **settings)
    with pytest.raises(AwlError, match=expected) as caught:
        raster.read(path, "grid.tif")
    assert not code or caught.value.kind == code
    if kind == "no system":
        assert raster.read(path, "grid.tif", "EPSG:32625").cell_m == pytest.approx(25, abs=0.5)


def test_no_raster_and_a_raster_that_is_too_large(tmp_path, monkeypatch):
    (tmp_path / "text.tif").write_text("not a picture")
    with pytest.raises(AwlError, match="not a GeoTIFF"):
        raster.read(tmp_path / "text.tif", "text.tif")
    monkeypatch.setattr(raster, "MAX_CELLS", 11)
    with pytest.raises(AwlError, match="4 x 3 cells are more"):
        raster.read(made(tmp_path / "grid.tif"), "grid.tif")
