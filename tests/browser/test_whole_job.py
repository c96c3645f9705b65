"""The whole job in the real browser: from dropping the extract to reading the zone figure."""

from __future__ import annotations

import csv
import io
import re
from pathlib import Path

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from awl.study.study import Study
from tests.browser.chromium import Page
from tests.conftest import DATA
from tests.oracle import people_within

pytestmark = pytest.mark.browser


def number(text: str) -> float:
    """A figure as it is read on the screen."""
    return float(re.sub(r"[^\d.−-]", "", text).replace("−", "-"))


def drop(page: Page, path: Path) -> None:
    page.choose_file(path)


def test_from_the_extract_to_the_zone_figure(page: Page, served: Path) -> None:
    page.driver.get(page.address)
    page.find("[data-testid=map], main h1", "Awl")
    drop(page, DATA / "cut.osm.bz2")
    page.find("[data-testid=extract-form]", "ways are streets")
    page.click("button", "Build streets")
    page.find("h1", "Sources")
    name = page.driver.current_url.split("#/")[1].split("/")[0]
    study = Study(served / f"{name}.gpkg")
    streets = len(study.read_layer("streets"))

    # Sources: what came in, and two layers more.
    assert number(page.find(".report-figures .figure", "Ways read").text.split("\n")[0]) > 0
    for file, title in (("zones.geojson", "Zones"), ("cool_rooms.geojson", "Cool rooms")):
        drop(page, DATA / file)
        page.click("button", "Add the layer")
        page.find("table", title)

    # Streets: the report agrees with the file.
    page.click(".stage", "Streets")
    assert number(page.find(".report-figures .figure", "Links").text.replace("Links", "")) == streets
    page.settled()

    # Modes: what a mode may not use is not used.
    page.click(".stage", "Modes")
    page.click("[role=tab]", "Drive")
    page.find("tr.quiet", "footway")
    page.click("[role=tab]", "Walk")

    # Sheet: how far do people come to a cool room?
    page.click(".stage", "Sheet")
    page.click(".asking .linkish", "How far")
    page.find(".block.selected .figure", "km²")
    page.click(".block.selected [data-slot=limits]")
    page.type("[aria-label='Limits in minutes']", "4, 8" + Keys.ENTER)
    page.find(".block.selected [data-slot=limits]", "4, 8 minutes")
    page.find(".block.selected .figure", "within 8 min")
    page.find(".legend-row", "to 8 min")
    # Near enough for streets to be wider than a pixel.
    page.script("window.awlMap.map.jumpTo({center: [-36.194, 41.2904], zoom: 15.2})")
    page.settled()
    seen = shown_colours(page)
    for band in ("#5b1647", "#b67710"):
        assert min(colour_distance(band, colour) for colour in seen) <= 10, f"streets reached are drawn in {band}"

    # Who lives near? The figure is that of an independent count.
    page.click(".asking .linkish", "Who lives near")
    label = page.find(".block.selected .figure", "of population, 10 min")
    share = number(label.text.split("%")[0])
    people = sum(study.read_layer("zones").columns["population"])
    assert share == pytest.approx(100 * people_within(study, 10) / people, abs=1.0)
    page.settled()

    # Table, map and legend are one: a row selects its zone, the legend counts the zones.
    page.click(".MuiDataGrid-row [data-field=zone]")
    page.wait(lambda: page.driver.find_element(By.CSS_SELECTOR, ".MuiDataGrid-row.Mui-selected"), "a selected row")
    assert (
        page.wait(
            lambda: page.script("return window.awlMap.map.querySourceFeatures('selection').length"), "its outline"
        )
        > 0
    )
    counts = [
        number(row.text.split("%")[1])
        for row in page.driver.find_elements(By.CSS_SELECTOR, ".legend-row")
        if "%" in row.text
    ]
    assert sum(counts) == len(study.read_layer("zones"))

    # Handout: the same figure goes out as a table.
    page.click(".stage", "Handout")
    page.find(".downloads a", "GeoPackage")
    zones = page.find(".downloads", "zones").find_element(
        By.XPATH, ".//span[.='zones']/following-sibling::span[1]/a[.='CSV']"
    )
    text = page.script(
        "const r = new XMLHttpRequest(); r.open('GET', arguments[0], false); r.send(); return r.responseText",
        zones.get_attribute("href"),
    )
    within = sum(float(row["population_within_10"]) for row in csv.DictReader(io.StringIO(text)))
    assert 100 * within / people == pytest.approx(share, abs=0.06)
    assert page.log() == ""


def colour_distance(a: str, b: str) -> int:
    """Largest difference of a channel: the edge of a narrow line is never quite its colour."""
    return max(abs(int(a[i : i + 2], 16) - int(b[i : i + 2], 16)) for i in (1, 3, 5))


def shown_colours(page: Page) -> set[str]:
    """Colours of the map's pixels, read from a screenshot by the page itself."""
    picture = page.driver.get_screenshot_as_base64()
    return set(
        page.driver.execute_async_script(
            """
            const done = arguments[1], image = new Image();
            image.onload = () => {
              const box = document.querySelector('.map').getBoundingClientRect();
              const canvas = document.createElement('canvas');
              [canvas.width, canvas.height] = [box.width, box.height];
              const pen = canvas.getContext('2d');
              pen.drawImage(image, -box.x, -box.y);
              const data = pen.getImageData(0, 0, box.width, box.height).data, seen = new Set();
              const hex = (v) => v.toString(16).padStart(2, '0');
              for (let i = 0; i < data.length; i += 4) seen.add('#' + hex(data[i]) + hex(data[i + 1]) + hex(data[i + 2]));
              done([...seen]);
            };
            image.src = 'data:image/png;base64,' + arguments[0];
            """,
            picture,
        )
    )
