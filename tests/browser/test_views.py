"""Each view in the real browser, on the cut of Ferrow: words, points, dragging, closing, undo, keyboard, bad input."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
import shapely
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from awl.study import records, sheet_records
from awl.study.study import Study
from tests.browser.chromium import Page

pytestmark = pytest.mark.browser
VIEW = "const m = window.awlMap.map; return [m.getCenter().lng, m.getCenter().lat, m.getZoom()]"
FAR_AWAY = [-36.3, 41.4, 15]
RESIZE = "window.awlMap.resized = 0; window.awlMap.map.once('resize', () => { window.awlMap.resized = 1 })"
WEST, EAST = (-36.2055, 41.2935), (-36.1935, 41.2905)


@pytest.fixture
def sheet(page: Page, cut: Study) -> Page:
    """The sheet, empty."""
    with cut.writing() as connection:
        sheet_records.save(connection, "main", {"title": "Trial", "blocks": []})
        connection.execute("DELETE FROM awl_answers")
    page.driver.get("about:blank")
    page.open("cut/sheet")
    page.find("h1", "Trial")
    page.settled()
    return page


def pins(page: Page) -> int:
    return len(page.driver.find_elements(By.CSS_SELECTOR, ".pin"))


def block(cut: Study, number: int = 0) -> dict:
    return sheet_records.read(cut.reading, "main")["blocks"][number]


def test_a_route_by_clicking_then_dragging(sheet: Page, cut: Study) -> None:
    sheet.click(".asking .linkish", "By which way")
    sheet.find(".notice", "the start")
    sheet.click_map(*WEST)
    sheet.find(".notice", "next point")
    sheet.click_map(*EAST)
    sheet.find(".block.selected .figure", "quickest way")
    sheet.find(".steps li", "start on")
    named = sheet.find("[data-slot=waypoints]").text
    assert " and " in named and "point" not in named, "points are named by their street"
    sheet.settled()
    sheet.drag_pin(1, -36.1940, 41.2945)
    sheet.wait(lambda: sheet.find("[data-slot=waypoints]").text != named, "the new name")
    sheet.wait(lambda: records.answer(cut.reading, block(cut)["id"])["inputs"] == block(cut)["inputs"], "the new way")
    kept = block(cut)["inputs"]["waypoints"]["features"][1]["geometry"]["coordinates"]
    assert kept == pytest.approx([-36.1940, 41.2945], abs=2e-4)


def test_dragging_an_origin_draws_the_reach_while_it_moves(sheet: Page, cut: Study) -> None:
    sheet.click(".asking .linkish", "How far")
    sheet.find(".block.selected .figure", "km²")
    sheet.click("[data-slot=places]")
    sheet.click(".editor button", "Set a point on the map")
    sheet.click_map(*WEST)
    sheet.wait(lambda: pins(sheet) == 1, "the pin")
    sheet.click("[data-slot=places]")
    sheet.settled()
    before = sheet.script("return window.awlMap.streets()")
    sheet.drag_pin(0, *EAST)
    sheet.wait(lambda: sheet.script("return window.awlMap.streets()") > before + 1, "reaches drawn on the way")
    sheet.wait(
        lambda: block(cut)["inputs"]["places"]["features"][0]["geometry"]["coordinates"][0] > -36.196, "the point kept"
    )
    sheet.settled()
    answer = records.answer(cut.reading, block(cut)["id"])
    assert answer["inputs"] == block(cut)["inputs"]


def test_words_are_changed_by_keyboard_and_undone(sheet: Page, cut: Study) -> None:
    sheet.click(".asking .linkish", "How far")
    sheet.find(".block.selected .figure", "km²")
    word = sheet.find("[data-slot=mode]")
    word.send_keys(Keys.ENTER)
    sheet.find(".editor input:checked").send_keys(Keys.ARROW_RIGHT)
    sheet.find("[data-slot=mode]", "person on wheels")
    sheet.find("[data-slot=mode]").send_keys(Keys.ESCAPE)
    sheet.wait(lambda: not sheet.driver.find_elements(By.CSS_SELECTOR, ".editor"), "the editor to close")
    sheet.wait(
        lambda: (records.answer(cut.reading, block(cut)["id"]) or {}).get("inputs", {}).get("mode") == "wheels",
        "the answer",
    )
    sheet.click("[aria-label=Undo]")
    sheet.find("[data-slot=mode]", "walker")
    sheet.wait(
        lambda: records.answer(cut.reading, block(cut)["id"])["inputs"]["mode"] == "walk", "the former answer anew"
    )


def test_closing_the_footbridge_is_a_word_of_the_question(sheet: Page, cut: Study) -> None:
    line = shapely.union_all(cut.read_layer("streets", "name = 'Heron Footbridge'").geometry)
    middle = line.interpolate(0.5, normalized=True)
    sheet.click(".asking .linkish", "How far")
    sheet.find(".block.selected .figure", "km²")
    sheet.settled()
    sheet.click(".block-tools .linkish", "Close a street")
    sheet.click_map(middle.x, middle.y)
    assert sheet.find("[data-slot=closures]").text == "Heron Footbridge closed"
    sheet.find(".doubt", "closed for this question")
    sheet.click("[data-slot=closures]")
    sheet.click("[aria-label='Remove Heron Footbridge']")
    sheet.wait(lambda: not sheet.driver.find_elements(By.CSS_SELECTOR, "[data-slot=closures]"), "the word to go")


def test_catchment_and_matrix_answer(sheet: Page) -> None:
    sheet.click(".asking .linkish", "Which is nearest")
    sheet.find(".block.selected .figure", "of street shared out")
    sheet.find(".MuiDataGrid-row", "Staithe Hall")
    sheet.find(".legend-row", "Its ground")
    sheet.click(".asking .linkish", "How long")
    sheet.find(".block.selected .figure", "mean time of a pair")
    sheet.find(".results-chart h3", "Pairs by minutes")
    # The same through the day: chart and table by hour, and back to free flow, where hours say nothing.
    sheet.click(".block.selected [data-slot=at]")
    sheet.click(".editor button", "Take")
    sheet.click(".block.selected .linkish", "Through the day")
    sheet.type("[aria-label='Hours of the day']", "7-9, 17" + Keys.ENTER)
    sheet.find(".block.selected [data-slot=hours]", "at 7 to 9 and 17 o'clock")
    sheet.find(".block.selected .figure", "the slowest hour")
    sheet.find(".MuiDataGrid-columnHeader", "17:00")
    sheet.find(".results-chart .linkish, .results-chart [role=tab], .results button", "By hour")
    sheet.click(".block.selected [data-slot=at]")
    sheet.click(".editor button", "In free flow")
    sheet.wait(lambda: not sheet.driver.find_elements(By.CSS_SELECTOR, ".block.selected [data-slot=hours]"), "no hours")
    sheet.find(".results-chart h3", "Pairs by minutes")


def test_the_legend_switches_what_is_drawn(sheet: Page) -> None:
    sheet.click(".asking .linkish", "How far")
    row = sheet.find(".legend-row", "to 10 min")
    sheet.settled()
    assert row.get_attribute("aria-pressed") == "true"
    areas = "return window.awlMap.map.querySourceFeatures('areas').filter(f => f.properties.limit === 10).length"
    assert sheet.wait(lambda: sheet.script(areas), "the band") > 0
    row.click()
    sheet.wait(lambda: sheet.script(areas) == 0, "the band to go")
    sheet.find(".legend-row", "to 10 min").click()


def test_a_sheet_that_somebody_else_changed_is_combined(sheet: Page, cut: Study) -> None:
    sheet.click(".asking .linkish", "How far")
    sheet.find(".block.selected .figure", "km²")
    sheet.settled()
    theirs = sheet_records.read(cut.reading, "main")["blocks"] + [{"id": "x", "kind": "prose", "text": "Their note."}]
    with cut.writing() as connection:
        sheet_records.save(connection, "main", {"title": "Theirs", "blocks": theirs})
    sheet.click(".block.selected [data-slot=limits]")
    sheet.type("[aria-label='Limits in minutes']", "4, 8" + Keys.ENTER)
    sheet.find(".brand small", "Not saved")
    assert sheet_records.read(cut.reading, "main")["blocks"][0]["inputs"]["limits"] != [4, 8], (
        "theirs is not overwritten"
    )
    sheet.click(".conflict .linkish", "Combine both")
    sheet.find("h1", "Theirs")
    sheet.wait(lambda: block(cut)["inputs"]["limits"] == [4, 8], "my change")
    assert sheet_records.read(cut.reading, "main")["blocks"][1]["text"] == "Their note."


@pytest.mark.parametrize("theme", ["dark", "light"])
def test_both_themes(sheet: Page, theme: str) -> None:
    sheet.click(f"[aria-label='Change to the {theme} theme']")
    sheet.wait(lambda: sheet.script("return document.documentElement.dataset.theme") == theme, "the theme")
    sheet.settled()
    ground = sheet.script("return window.awlMap.map.getPaintProperty('ground', 'background-color')").lower()
    assert ground == {"dark": "#0f1518", "light": "#f5f6f1"}[theme]


def test_a_street_tells_why_it_is_not_used(page: Page, cut: Study) -> None:
    line = shapely.union_all(cut.read_layer("streets", "name = 'Heron Footbridge'").geometry)
    middle = line.interpolate(0.5, normalized=True)
    page.open("cut/modes")
    page.click("[role=tab]", "Drive")
    page.settled()
    page.click_map(middle.x, middle.y)
    page.find(".results h2", "Heron Footbridge")
    page.find(".card", "no: the mode does not use this class of street")
    page.click("[role=tab]", "Walk")
    page.settled()
    page.click_map(middle.x, middle.y)
    page.find(".card", "4.8 km/h, from the speed of its class")


def test_bad_input_is_said_where_it_stands(sheet: Page, cut: Study, tmp_path: Path) -> None:
    sheet.click(".asking .linkish", "How far")
    sheet.find(".block.selected .figure", "km²")
    good = records.answer(cut.reading, block(cut)["id"])
    sheet.click("[data-slot=limits]")
    sheet.type("[aria-label='Limits in minutes']", "0, -5" + Keys.ENTER)
    sheet.find(".editor .problem", "above 0")
    assert block(cut)["inputs"]["limits"] == [5, 10, 15]
    sheet.click("[data-slot=places]")
    sheet.type("[aria-label='Filter in CQL2']", "seat > 3" + Keys.ENTER)
    sheet.find(".block .problem", "There is no field 'seat'")
    sheet.find(".stale", "stale")
    sheet.find(".step-line em", "1 failed")
    assert records.answer(cut.reading, block(cut)["id"]) == good, "the former answer stands"
    sheet.click("[aria-label=Undo]")
    sheet.wait(lambda: not sheet.driver.find_elements(By.CSS_SELECTOR, ".block .problem"), "the problem to go")

    sheet.open("cut/sources")
    revision = cut.revision
    for name, content, said in (
        ("broken.osm", "<osm><node", "broken.osm, line 1: The file is cut short"),
        ("empty.osm.gz", "", "empty.osm.gz: The file is empty"),
        ("zones.geojson", '{"type": "Feature"', "zones.geojson: The file is not valid JSON"),
        ("photo.jpg", "x", "'photo.jpg' is not a kind of layer"),
    ):
        (tmp_path / name).write_text(content)
        sheet.choose_file(tmp_path / name)
        sheet.find(".problem", said)
    assert cut.revision == revision


def test_an_unknown_study_says_so(page: Page) -> None:
    page.open("nowhere/sheet")
    page.find(".problem", "There is no study 'nowhere'")
    page.click("a", "All studies")
    page.find(".studies a", "Ferrow, a cut")


@pytest.fixture
def resize(page: Page) -> Iterator[Callable[[int], None]]:
    """Makes the window so much lower than it was, and waits until the map has its new size; put back afterwards."""
    before = page.driver.get_window_size()

    def lower(by: int) -> None:
        page.script(RESIZE)
        page.driver.set_window_size(before["width"], before["height"] - by)
        page.wait(lambda: page.script("return window.awlMap.resized"), "the map to take its new size")

    yield lower
    page.driver.set_window_size(before["width"], before["height"])


def move_to(page: Page, view: list[float]) -> None:
    page.script("window.awlMap.map.jumpTo({center: [arguments[0], arguments[1]], zoom: arguments[2]})", *view)


def test_the_map_goes_to_an_answer_and_stays_where_it_is_taken(sheet: Page, resize: Callable[[int], None]) -> None:
    move_to(sheet, FAR_AWAY)
    sheet.click(".asking .linkish", "How far")
    sheet.find(".block.selected .figure", "km²")
    sheet.find(".linkish", "Back to the earlier view")
    there = sheet.script(VIEW)
    assert there[2] < 15

    resize(160)
    assert sheet.script(VIEW)[2] < there[2], "a smaller map still shows the whole answer"

    elsewhere = [there[0] + 0.01, there[1], 15.5]
    move_to(sheet, elsewhere)
    resize(40)
    view = sheet.script(VIEW)
    assert all(abs(a - b) < 1e-6 for a, b in zip(view, elsewhere, strict=True)), (
        "a place that was looked for stays in view"
    )

    sheet.click(".linkish", "Back to the earlier view")
    assert sheet.script(VIEW)[2] == 15
    assert abs(sheet.script(VIEW)[0] - FAR_AWAY[0]) < 1e-6
