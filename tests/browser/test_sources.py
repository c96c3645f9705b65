"""Bringing files in: every layer of a file at once, and what happens to one that does not fit."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pyogrio
import pytest
import shapely
from pyproj import Transformer
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from awl.study.study import Study
from tests.browser.chromium import Page

pytestmark = pytest.mark.browser
DATA = Path(__file__).parents[1] / "data"
ROOMS = shapely.points([(-36.1975, 41.2915), (-36.1925, 41.2905)])


def write(path: Path, layer: str, shapes: np.ndarray, crs: str | None = "EPSG:4326") -> None:
    kind = "Point" if shapes[0].geom_type == "Point" else "Polygon"
    pyogrio.raw.write(
        path, geometry=shapely.to_wkb(shapes), field_data=[np.arange(len(shapes)) * 100], fields=["seats"], layer=layer,
        geometry_type=kind, crs=crs, driver="GPKG",
    )  # fmt: skip


@pytest.fixture
def sources(page: Page) -> Page:
    page.open_afresh("cut/sources")  # forget what an earlier test looked at
    page.find("h1", "Sources")
    return page


def drop(page: Page, path: Path) -> None:
    page.choose_file(path)


def test_all_layers_of_a_file_come_in_at_once_as_what_they_are(sources: Page, cut: Study, tmp_path: Path) -> None:
    write(tmp_path / "more.gpkg", "swimming_baths", ROOMS)
    write(tmp_path / "more.gpkg", "wards", shapely.buffer(ROOMS, 0.001))
    drop(sources, tmp_path / "more.gpkg")
    sources.find("[data-testid=layers-form]", "EPSG:4326")
    Select(sources.find("[aria-label='Use of wards']")).select_by_value("parcels")
    sources.click("button", "Add 2 layers")
    row = sources.find("tr", "Swimming baths")
    assert [cell.text for cell in row.find_elements(By.TAG_NAME, "td")] == ["Swimming baths", "2", "places", "seats"]
    sources.find("tr", "Wards")
    roles = {layer["id"]: layer["role"] for layer in cut.layers()}
    assert (roles["swimming_baths"], roles["wards"]) == ("places", "parcels")


@pytest.mark.filterwarnings("ignore:'crs' was not provided")
def test_a_file_without_a_coordinate_system_is_asked_about(sources: Page, cut: Study, tmp_path: Path) -> None:
    before = [layer["id"] for layer in cut.layers()]
    to = Transformer.from_crs(4326, 32624, always_xy=True)
    grid = shapely.transform(ROOMS, lambda xy: np.column_stack(to.transform(xy[:, 0], xy[:, 1])))
    write(tmp_path / "lost.gpkg", "lost", grid, crs=None)
    drop(sources, tmp_path / "lost.gpkg")
    sources.find(".notice", "The file states no coordinate system")
    assert [layer["id"] for layer in cut.layers()] == before, "nothing lands before it is known where it lies"
    sources.type("[aria-label='Coordinate system']", "EPSG:32624")
    sources.click("button", "Look again")
    sources.click("button", "Add the layer")
    sources.find("tr", "Lost")
    assert shapely.equals_exact(cut.read_layer("lost").geometry, ROOMS, 1e-7).all()
    assert not list(cut.path.parent.glob(".waiting-*")), "nothing is left waiting"


def test_only_the_wanted_classes_and_ground_of_an_extract_are_built(page: Page, served: Path) -> None:
    page.driver.get(f"{page.address}/")
    page.find("h1", "Awl")
    drop(page, DATA / "cut.osm.pbf")
    form = page.find("[data-testid=extract-form]", "turn restrictions")
    assert "residential" in form.text and "km" in form.text
    page.settled()
    colour = "return JSON.stringify(window.awlMap.map.getPaintProperty('streets', 'line-color'))"
    page.click("button", "service")
    page.wait(lambda: '["service"]' in page.script(colour), "the class to fade")
    Select(page.find("[aria-label='Study area']")).select_by_value("box")
    page.find(".notice", "Click two corners")
    west, south, east, north = -36.205, 41.287, -36.195, 41.293
    page.click_map(west, south)
    page.click_map(east, north)
    page.find(".notice", "Only what lies inside is built")
    page.click("button", "Build streets")
    page.find("h1", "Sources")
    page.find(".prose", "Left out by choice: service")
    name = page.driver.current_url.split("#/")[1].split("/")[0]
    graph = Study(served / f"{name}.gpkg").graph
    assert not graph.tag("highway").equals("service").any() and graph.node_border.any()
    assert graph.node_lon.min() == pytest.approx(west, abs=1e-4) and graph.node_lat.max() == pytest.approx(
        north, abs=1e-4
    )
    assert page.log() == ""


def test_a_layer_is_looked_at_selected_computed_kept_and_put_right(sources: Page, cut: Study) -> None:
    sources.click("td button", "Zones")
    sources.find("h1", "Zones")
    sources.settled()
    sources.type("[aria-label='Filter in CQL2']", "population > 900")
    sources.click("button", "Select")
    zones = cut.read_layer("zones")
    many = [fid for fid, people in zip(zones.columns["fid"], zones.columns["population"], strict=True) if people > 900]
    sources.find(".notice", f"{len(many)} of {len(zones)} selected")
    drawn = (
        "return window.awlMap.map.getSource('layer').serialize().data.features.filter(f => f.properties.chosen).length"
    )
    sources.wait(lambda: sources.script(drawn) == len(many), "the selection on the map")
    # Clicking one of them on the map takes it out again, in the table too.
    middle = zones.geometry[zones.columns["fid"].index(many[0])].representative_point()
    sources.click_map(middle.x, middle.y)
    sources.find(".notice", f"{len(many) - 1} of {len(zones)} selected")
    sources.type("[aria-label='Title of the new layer']", "Full zones")
    sources.click("button", "Keep")
    sources.find(".notice", f"{len(many) - 1} features are kept as Full zones")
    assert set(cut.read_layer("full_zones").columns["from_fid"]) == set(many[1:])
    sources.click("button", "Select nothing")
    sources.type("[aria-label='Field']", "share_old")
    sources.type("[aria-label='Expression']", "age_65_plus / population")
    sources.click("button", "Compute")
    sources.find(".notice", "share_old has a value in")
    assert "share_old" in cut.read_layer("zones").columns
    sources.click("button", "Undo the last change")
    sources.find(".notice", "Taken back: share_old = age_65_plus / population")
    assert "share_old" not in cut.read_layer("zones").columns
    sources.type("[aria-label='Filter in CQL2']", "peeple > 900")
    sources.click("button", "Select")
    sources.find("[role=alert]", "There is no field 'peeple'")


def test_a_value_is_changed_where_it_stands_in_the_table(sources: Page, cut: Study) -> None:
    sources.click("button", "Cool rooms")
    before = cut.read_layer("cool_rooms").columns["seats"]
    sources.find(".MuiDataGrid-row")
    # Ticking a row selects its feature; the layer has a field 'id' of its own, which is not the key of the row.
    sources.click(".MuiDataGrid-row input[type=checkbox]")
    sources.find(".notice", "1 of")
    cell = sources.find(".MuiDataGrid-row [data-field=seats]")
    ActionChains(sources.driver).double_click(cell).perform()
    sources.type(".MuiDataGrid-cell--editing input", "77" + Keys.ENTER)
    sources.find("button", "Undo the last change")
    changed = cut.read_layer("cool_rooms").columns["seats"]
    assert changed[0] == 77 and list(changed[1:]) == list(before[1:])
    sources.wait(lambda: "77" in sources.find(".MuiDataGrid-row [data-field=seats]").text, "the new value in the table")
    sources.click("button", "Undo the last change")
    sources.find(".notice", "Taken back")
    assert list(cut.read_layer("cool_rooms").columns["seats"]) == list(before)


def test_new_streets_make_the_answers_stale(sources: Page, cut: Study, served: Path) -> None:
    sources.open("cut/sheet")
    sources.find("h1")
    sources.click(".asking .linkish", "How far")
    sources.find(".block.selected .figure", "km²")
    sources.settled()
    sources.click(".stage", "Sources")
    revision = cut.revision
    drop(sources, DATA / "cut.osm.pbf")
    sources.find("[data-testid=extract-form]", "turn restrictions")
    sources.click("button", "Build streets")
    sources.wait(lambda: Study(cut.path).revision != revision, "the new streets")
    sources.find(".step-line em", "stale")
    sources.click(".stage", "Streets")
    sources.find("h2", "Against the build of")
