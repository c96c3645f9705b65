"""Comparison in the real browser: the footbridge open and closed, who gains and who loses, two maps, an answer from before."""

from __future__ import annotations

import pytest
import shapely
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from awl.questions.run import ask
from awl.study import sheet_records
from awl.study.study import Study
from tests.browser.chromium import Page
from tests.browser.test_access import figures
from tests.browser.test_views import block, sheet  # noqa: F401 - a fixture

pytestmark = pytest.mark.browser
CAMERA = "return window.awlMaps.map(({map}) => [map.getZoom(), map.getCenter().lng, map.getCenter().lat])"


def blocks(cut: Study) -> list[dict]:
    return sheet_records.read(cut.reading, "main")["blocks"]


def show_as(page: Page, way: str) -> None:
    Select(page.find("[aria-label='How the answers stand on the map']")).select_by_visible_text(way)


def close_footbridge(page: Page, cut: Study) -> None:
    line = shapely.union_all(cut.read_layer("streets", "name = 'Heron Footbridge'").geometry)
    middle = line.interpolate(0.5, normalized=True)
    page.click(".block.selected .block-tools .linkish", "Close a street")
    page.settled()
    page.click_map(middle.x, middle.y)
    page.find(".block.selected [data-slot=closures]", "Heron Footbridge closed")
    page.find(".block.selected .doubt", "closed for this question")


def test_walking_with_the_footbridge_open_and_closed(sheet: Page, cut: Study) -> None:  # noqa: F811
    sheet.click(".asking .linkish", "Who lives near")
    sheet.find(".block.selected .figure", "beyond")
    sheet.click("[data-slot=limits]")
    sheet.type(".editor [aria-label^='Limits in']", "4, 8, 12")
    sheet.click(".editor button", "Take")
    sheet.settled()
    sheet.click(".block-tools .linkish", "Copy")
    sheet.wait(lambda: len(blocks(cut)) == 2, "the copy")
    close_footbridge(sheet, cut)
    sheet.settled()
    sheet.click(".block.selected .block-tools .linkish", "Compare")
    sheet.click(".compare-with .linkish", "answer 1")
    sheet.find(".block.selected .differing", "Heron Footbridge closed for no street closed")
    sheet.settled()
    # What the page says is what two answers of the library come to, zone by zone.
    zones = []
    for number in (0, 1):
        document = ask(cut, "access", block(cut, number)["inputs"]).document()
        zones.append({f["properties"]["zone_id"]: f["properties"] for f in document["zones"]["features"]})
    field = next(name for name in next(iter(zones[0].values())) if name.endswith("_within_8"))
    changes = {zone: zones[1][zone][field] - zones[0][zone][field] for zone in zones[0]}
    lost = sum(-change for change in changes.values() if change < 0)
    told = figures(sheet)
    lose = next(value for label, value in told.items() if label.startswith("lose it"))
    gain = next(value for label, value in told.items() if label.startswith("gain it"))
    assert lose == pytest.approx(lost, abs=1) and lost > 10
    assert gain == pytest.approx(sum(change for change in changes.values() if change > 0), abs=1)
    worst = min(changes, key=lambda zone: changes[zone])
    sheet.click(".results-head .linkish", "Most changed")
    sheet.find(".MuiDataGrid-row", zones[0][worst]["zone"])
    # Two maps move as one, each with its own answer, and each shows where the pointer is on the other.
    show_as(sheet, "two maps")
    sheet.wait(lambda: sheet.script("return window.awlMaps.length === 2"), "two maps")
    assert [name.text for name in sheet.driver.find_elements(By.CSS_SELECTOR, ".side-name")] == [
        "no street closed",
        "Heron Footbridge closed",
    ]
    sheet.script("window.awlMaps[0].map.jumpTo({zoom: 15.5, center: [-36.199, 41.2915]})")
    one, other = sheet.script(CAMERA)
    assert one == other and one[0] == 15.5
    sheet.script("window.awlMaps[1].map.panBy([40, 10], {animate: false})")
    one, other = sheet.script(CAMERA)
    assert one == other and one[1] != -36.199
    canvas = sheet.driver.find_elements(By.CSS_SELECTOR, ".two-maps canvas.maplibregl-canvas")[0]
    ActionChains(sheet.driver).move_to_element(canvas).perform()
    sheet.wait(lambda: len(sheet.driver.find_elements(By.CSS_SELECTOR, ".side:nth-child(2) .twin")) == 1, "the twin")
    # One over the other, with a line between that moves by the keyboard too.
    show_as(sheet, "one over the other")
    divide = sheet.find(".divide")
    before = int(divide.get_attribute("aria-valuenow") or 0)
    divide.send_keys(Keys.ARROW_LEFT, Keys.ARROW_LEFT)
    sheet.wait(lambda: int(divide.get_attribute("aria-valuenow") or 0) == before - 4, "the line to move")
    show_as(sheet, "their difference")
    sheet.wait(lambda: sheet.script("return window.awlMaps.length === 1"), "one map")


def test_an_answer_is_kept_and_compared_with_what_became_of_it(sheet: Page, cut: Study) -> None:  # noqa: F811
    sheet.click(".asking .linkish", "How far")
    sheet.find(".block.selected .figure", "km²")
    sheet.settled()
    ActionChains(sheet.driver).send_keys("c").perform()
    sheet.type("[aria-label='Name of the kept answer']", "Before" + Keys.ENTER)
    sheet.find(".compare-with .notice", "Kept")
    sheet.click(".compare-with .linkish", "Close")
    close_footbridge(sheet, cut)
    sheet.settled()
    ActionChains(sheet.driver).send_keys("c").perform()
    sheet.click(".compare-with .linkish", "'Before'")
    sheet.find(".block.selected [data-slot=answers]", "'Before' and answer 1")
    sheet.find(".block.selected .differing", "Heron Footbridge closed")
    sheet.settled()
    sheet.find(".legend-row", "No longer reached")
    # The palette compares too: the numbers are those of the sheet.
    sheet.click("[data-question] .number", "1")
    sheet.click(".block.selected .block-tools .linkish", "Copy")
    sheet.settled()
    ActionChains(sheet.driver).key_down(Keys.CONTROL).send_keys("k").key_up(Keys.CONTROL).perform()
    sheet.type(".palette input", "compare" + Keys.ENTER)
    sheet.find(".block.selected .differing", "The same question")
    sheet.settled()
    sheet.click(".block.selected [data-slot=answers]")
    sheet.find(".editor label", "Before")
