"""Bringing files in: every layer of a file at once, and what happens to one that does not fit."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pyogrio
import pytest
import shapely
from selenium.webdriver.common.by import By

from awl.study.study import Study
from tests.browser.chromium import Page

pytestmark = pytest.mark.browser
ROOMS = shapely.points([(-36.1975, 41.2915), (-36.1925, 41.2905)])


def write(path: Path, layer: str, shapes: np.ndarray, crs: str | None = "EPSG:4326") -> None:
    kind = "Point" if shapes[0].geom_type == "Point" else "Polygon"
    pyogrio.raw.write(
        path, geometry=shapely.to_wkb(shapes), field_data=[np.arange(len(shapes)) * 100], fields=["seats"], layer=layer,
        geometry_type=kind, crs=crs, driver="GPKG",
    )  # fmt: skip


@pytest.fixture
def sources(page: Page) -> Page:
    page.open("cut/sources")
    page.find("h1", "What do we have?")
    return page


def drop(page: Page, path: Path) -> None:
    page.driver.find_element(By.CSS_SELECTOR, "[data-testid=file]").send_keys(str(path))


def test_all_layers_of_a_file_come_in_at_once(sources: Page, cut: Study, tmp_path: Path) -> None:
    write(tmp_path / "more.gpkg", "swimming_baths", ROOMS)
    write(tmp_path / "more.gpkg", "wards", shapely.buffer(ROOMS, 0.001))
    drop(sources, tmp_path / "more.gpkg")
    row = sources.find("tr", "Swimming baths")
    assert [cell.text for cell in row.find_elements(By.TAG_NAME, "td")] == ["Swimming baths", "2", "places", "seats"]
    sources.find("tr", "Wards")
    assert {layer["id"]: layer["role"] for layer in cut.layers()}.items() >= {
        ("swimming_baths", "places"),
        ("wards", "zones"),
    }


@pytest.mark.filterwarnings("ignore:'crs' was not provided")
def test_a_file_without_a_coordinate_system_changes_nothing(sources: Page, cut: Study, tmp_path: Path) -> None:
    before = [layer["id"] for layer in cut.layers()]
    write(tmp_path / "lost.gpkg", "lost", ROOMS, crs=None)
    drop(sources, tmp_path / "lost.gpkg")
    sources.find("[role=alert]", "lost.gpkg: The file states no coordinate system")
    assert [layer["id"] for layer in cut.layers()] == before
    assert not list(cut.path.parent.glob(".waiting-*")), "nothing is left waiting"


def test_new_streets_make_the_answers_stale(sources: Page, cut: Study, served: Path) -> None:
    sources.open("cut/sheet")
    sources.find("h1")
    sources.click(".asking .linkish", "How far")
    sources.find(".block.selected .figure", "km²")
    sources.settled()
    sources.click(".stage", "Sources")
    stamp = cut.stamp
    drop(sources, Path(__file__).parents[1] / "data" / "cut.osm.pbf")
    sources.wait(lambda: Study(cut.path).stamp != stamp, "the new streets")
    sources.find(".stitch em", "stale")
    sources.click(".stage", "Streets")
    sources.find(".notice", "Against the build of")
