"""The sheet as a page that is written on: questions of every kind, notes, names, order, search, palette, keys."""

from __future__ import annotations

import pytest
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from awl.io.table import Table
from awl.questions.run import ask
from awl.study import records, sheet_records
from awl.study.study import Study
from tests.browser.chromium import Page
from tests.browser.test_views import EAST, WEST, block, sheet  # noqa: F401 - a fixture

pytestmark = pytest.mark.browser


def blocks(cut: Study) -> list[dict]:
    return sheet_records.read(cut.reading, "main")["blocks"]


def press(page: Page, *keys: str) -> None:
    ActionChains(page.driver).send_keys(*keys).perform()


def ask_route(page: Page) -> None:
    """The way between two clicks."""
    page.click(".asking .linkish", "By which way")
    page.find(".notice", "set the start")
    page.click_map(*WEST)
    page.find(".notice", "next point")
    page.click_map(*EAST)
    page.find(".block.selected .figure", "quickest way")
    page.settled()


def drawn(page: Page, source: str) -> int:
    """Features of an overlay of the map."""
    return page.script(f"return window.awlMap.map.getSource('{source}')?.serialize().data?.features?.length ?? 0")


def dots(page: Page) -> int:
    """Dots on the map, which are no features of an overlay."""
    return page.script("return window.awlMap.dots()")


def test_trips_with_their_load_and_the_way_of_one(sheet: Page, cut: Study) -> None:  # noqa: F811
    sheet.click(".asking .linkish", "Which ways")
    sheet.find(".block.selected .figure", "trips with a way")
    sheet.settled()
    expected = ask(cut, "trips", block(cut)["inputs"]).document()
    assert sheet.find(".block.selected .figure b").text == str(expected["summary"]["trips_with_a_way"])
    sheet.wait(lambda: drawn(sheet, "owned") == len(expected["load"]["features"]), "the load on the map")
    assert drawn(sheet, "routes") == 0
    sheet.click(".MuiDataGrid-row [data-field=origin]")
    sheet.wait(lambda: drawn(sheet, "routes") == 1, "the way of the chosen trip")


def test_what_stands_along_the_streets_near_a_click(sheet: Page, cut: Study) -> None:  # noqa: F811
    sheet.click(".asking .linkish", "What stands along")
    sheet.find(".notice", "set the event")
    sheet.click_map(*WEST)
    sheet.find(".block.selected .figure", "km")
    sheet.settled()
    assert "500 m" in sheet.find(".sentence").text
    sheet.click("[data-slot=distance]")
    field = sheet.find(".editor input")
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("200", Keys.ENTER)
    sheet.find("[data-slot=distance]", "200 m")
    sheet.wait(lambda: records.answer(cut.reading, block(cut)["id"])["inputs"]["distance"] == 200, "the new answer")
    sheet.wait(lambda: drawn(sheet, "areas") == 1, "the strip")


def test_a_matrix_as_a_table_of_minutes(sheet: Page) -> None:  # noqa: F811
    sheet.click(".asking .linkish", "How long")
    sheet.find(".block.selected .figure", "longest")
    sheet.click(".results button", "As a table")
    cells = sheet.find(".heat tbody").find_elements(By.TAG_NAME, "td")
    assert all(float(cell.text) > 0 for cell in cells if cell.text != "–")


def test_a_way_of_ones_own_beside_the_best_and_the_heights(sheet: Page, cut: Study) -> None:  # noqa: F811
    ask_route(sheet)
    sheet.click(".block.selected .linkish", "Why not my way?")
    sheet.find(".notice", "your own way")
    sheet.click_map(-36.2, 41.2955)
    sheet.find(".MuiDataGrid-row", "own less quickest")
    assert ", and why not by " in sheet.find(".sentence").text
    sheet.click("[data-slot=order]")
    sheet.click(".editor label", "in the best order")
    sheet.find("[data-slot=order]", "in the best order")


def test_notes_names_copies_and_order_are_kept(sheet: Page, cut: Study) -> None:  # noqa: F811
    sheet.click(".asking .linkish", "Who lives near")
    sheet.find(".block.selected .figure", "people")
    sheet.click(".asking .linkish", "a heading")
    heading = sheet.find(".note .heading")
    heading.click()
    heading.send_keys("For the council", Keys.ENTER)
    sheet.wait(lambda: [b.get("text") for b in blocks(cut)] == [None, "For the council"], "the heading")
    sheet.click(".block .number", "1")
    sheet.click(".block.selected .linkish", "Name")
    name = sheet.find("[aria-label='Name of question 1']")
    name.send_keys("Cool rooms on foot", Keys.ENTER)
    sheet.wait(lambda: blocks(cut)[0].get("title") == "Cool rooms on foot", "the name")
    sheet.find(".results-head h2", "Cool rooms on foot")
    sheet.click(".block.selected .linkish", "Copy")
    sheet.wait(lambda: len(blocks(cut)) == 3, "the copy")
    sheet.find("[data-question] input[value='Cool rooms on foot, copy']")
    sheet.click(".block.selected .linkish", "Down")
    sheet.wait(lambda: [b["kind"] for b in blocks(cut)] == ["question", "heading", "question"], "the order")
    sheet.click("[aria-label=Undo]")
    sheet.wait(lambda: [b["kind"] for b in blocks(cut)] == ["question", "question", "heading"], "the order before")
    sheet.click("[aria-label=Redo]")
    sheet.wait(lambda: [b["kind"] for b in blocks(cut)] == ["question", "heading", "question"], "the order again")


def test_a_place_is_found_by_its_name(sheet: Page, cut: Study) -> None:  # noqa: F811
    layer: Table = cut.read_layer("cool_rooms")
    name = layer.columns["name"][0]
    sheet.click(".asking .linkish", "How far")
    sheet.find(".block.selected .figure", "km²")
    sheet.click("[data-slot=places]")
    sheet.find("input[placeholder='Star Bridge']").send_keys(name[:6])
    sheet.click(".MuiAutocomplete-option", name)
    sheet.find("[data-slot=places]", name)
    kept = block(cut)["inputs"]["places"]["features"][0]["geometry"]["coordinates"]
    assert kept == pytest.approx([layer.geometry[0].x, layer.geometry[0].y], abs=1e-5)


def test_everything_by_keyboard(sheet: Page, cut: Study) -> None:  # noqa: F811
    press(sheet, "?")
    sheet.find(".palette h2", "Keys")
    press(sheet, Keys.ESCAPE)
    ActionChains(sheet.driver).key_down(Keys.CONTROL).send_keys("k").key_up(Keys.CONTROL).perform()
    sheet.find(".palette input").send_keys("how long", Keys.ENTER)
    sheet.find(".block.selected .figure", "longest")
    assert block(cut)["process"] == "matrix"
    press(sheet, "d")
    sheet.wait(lambda: sheet.script("return document.documentElement.dataset.theme") == "dark", "the dark theme")
    press(sheet, "d")
    press(sheet, "m")
    sheet.find(".legend h2", "Measured")
    sheet.click_map(*WEST)
    sheet.click_map(*EAST)
    # 0.0120 degrees of longitude at 41.29 north and 0.0030 of latitude: 1.06 km, give or take a pixel.
    label = sheet.find(".legend .legend-row", " m").text
    assert 1030 < float(label.split(" m")[0].replace(",", "")) < 1090
    press(sheet, Keys.ESCAPE)
    press(sheet, "2")
    sheet.wait(lambda: "/streets" in sheet.driver.current_url, "the stage Streets")


def test_an_answer_feeds_a_question_and_is_drawn_over_it(sheet: Page, cut: Study) -> None:  # noqa: F811
    sheet.click(".asking .linkish", "How far")
    sheet.find(".block.selected .figure", "km²")
    sheet.settled()
    sheet.click("[data-slot=limits]")
    Select(sheet.find("[aria-label='What limits count']")).select_by_value("distance")
    sheet.find("[data-slot=limits]", "400, 800, 1200 metres")
    sheet.click("[data-slot=limits]")
    sheet.click(".asking .linkish", "How long")
    sheet.find(".block.selected .figure", "longest")
    sheet.settled()
    whole = len(ask(cut, "matrix", block(cut, 1)["inputs"]).document()["rows"])
    sheet.click(".block.selected [data-slot=from]")
    Select(sheet.find("[aria-label='Inside which answer']")).select_by_value(block(cut)["id"])
    sheet.find(".block.selected [data-slot=from]", "inside answer 1")
    sheet.wait(
        lambda: records.answer(cut.reading, block(cut, 1)["id"])["inputs"]["from"].get("inside"), "the new answer"
    )
    fewer = len(records.answer(cut.reading, block(cut, 1)["id"])["result"]["rows"])
    assert 0 < fewer < whole
    Select(sheet.find("[aria-label='Another answer beside the selected one']")).select_by_value(block(cut)["id"])
    sheet.find(".legend h2", "The other answer")
    sheet.wait(lambda: drawn(sheet, "overlaid") > 0, "the outline of the first answer")
    order = "return window.awlMap.map.getStyle().layers.map(l => l.id).filter(id => ['water', 'overlaid'].includes(id))"
    assert sheet.script(order) == ["water", "overlaid"]
    # It goes down past everything else with the arrow keys: the word keeps the focus on its way.
    count = len(sheet.driver.find_elements(By.CSS_SELECTOR, ".drawn-order .slot"))
    sheet.find(".drawn-order .slot", "other answer").send_keys(Keys.ARROW_DOWN)
    ActionChains(sheet.driver).send_keys(*[Keys.ARROW_DOWN] * (count - 2)).perform()
    sheet.wait(lambda: sheet.script(order) == ["overlaid", "water"], "the other answer beneath")
    sheet.wait(lambda: block(cut, 1)["order"].index("other") > block(cut, 1)["order"].index("water"), "it to be kept")
    sheet.click(".drawn-order button", "As it was")
    sheet.wait(lambda: sheet.script(order) == ["water", "overlaid"], "the other answer above")
    # A change of the first answer asks what rests on it again.
    made = records.answer(cut.reading, block(cut, 1)["id"])["made"]
    sheet.click(".block .number", "1")
    sheet.click("[data-slot=limits]")
    Select(sheet.find("[aria-label='What limits count']")).select_by_value("time")
    sheet.wait(lambda: records.answer(cut.reading, block(cut, 1)["id"])["made"] > made, "the second asked again")


def test_a_street_tells_when_it_is_reached_and_the_way(sheet: Page) -> None:  # noqa: F811
    sheet.click(".asking .linkish", "How far")
    sheet.find(".block.selected .figure", "km²")
    sheet.settled()
    sheet.click_map(*EAST)
    sheet.find(".card dd b", "min")
    sheet.wait(lambda: drawn(sheet, "routes") == 1, "the way to the street")
    sheet.click(".results button", "Close")
    sheet.wait(lambda: drawn(sheet, "routes") == 0, "the way gone")


def test_zones_are_coloured_by_a_further_measure_in_natural_breaks(sheet: Page, cut: Study) -> None:  # noqa: F811
    sheet.click(".asking .linkish", "Who lives near")
    sheet.find(".block.selected .figure", "people")
    sheet.settled()
    sheet.click(".block.selected .linkish", "Measure more")
    sheet.click(".editor label", "potential")
    sheet.find("[data-slot=measures]", "potential")
    sheet.wait(lambda: sheet.driver.find_elements(By.CSS_SELECTOR, ".zone-look option[value=gravity]"), "the measure")
    Select(sheet.find("[aria-label='What zones are coloured by']")).select_by_value("gravity")
    Select(sheet.find("[aria-label='Classes']")).select_by_value("natural")
    sheet.find(".legend h2", "Potential")
    rows = sheet.driver.find_elements(By.CSS_SELECTOR, ".legend section:first-of-type .legend-row small")
    zones = records.answer(cut.reading, block(cut)["id"])["result"]["zones"]["features"]
    # The last row of the group counts the places; those before it hold every zone once.
    assert sum(int(row.text) for row in rows[:-1]) == len(zones)


def test_the_drawn_route_is_dragged_to_the_way_one_would_go(sheet: Page, cut: Study) -> None:  # noqa: F811
    ask_route(sheet)
    best = records.answer(cut.reading, block(cut)["id"])["result"]["routes"]["features"][0]["geometry"]["coordinates"]
    middle = best[len(best) // 2]
    sheet.drag_map((middle[0], middle[1]), (-36.1990, 41.2950))
    sheet.wait(lambda: block(cut)["inputs"].get("expected"), "the point of the own way")
    kept = block(cut)["inputs"]["expected"]["features"]
    assert kept[0]["geometry"]["coordinates"] == pytest.approx([-36.1990, 41.2950], abs=2e-4)
    sheet.find(".MuiDataGrid-row", "own less quickest")
    sheet.settled()
    assert drawn(sheet, "routes") == 3


def test_a_row_of_the_legend_gets_another_colour_and_label(sheet: Page, cut: Study) -> None:  # noqa: F811
    sheet.click(".asking .linkish", "How far")
    sheet.find(".block.selected .figure", "km²")
    sheet.settled()
    sheet.click("[aria-label='Change the look of to 5 min']")
    sheet.type("[aria-label='Label of to 5 min']", "close by" + Keys.ENTER)
    sheet.find(".legend-row", "close by")
    sheet.script(
        "const f = document.querySelector('.row-look-editor input[type=color]'); f.value = '#123456';"
        "f.dispatchEvent(new Event('change', {bubbles: true}))"
    )
    fills = "return window.awlMap.map.getSource('areas').serialize().data.features.map(f => f.properties.fill)"
    sheet.wait(lambda: "#123456" in sheet.script(fills), "the new colour on the map")
    look = list(block(cut)["look"].values())
    assert look == [{"label": "close by", "colour": "#123456"}]
    sheet.click(".row-look-editor .linkish", "As it was")
    sheet.find(".legend-row", "to 5 min")
    sheet.wait(lambda: "look" not in block(cut), "the look to be gone")
