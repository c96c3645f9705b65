"""The question of the study in the real browser: who over 65 has a cool room near, what a closed bridge changes, what to add."""

from __future__ import annotations

import re

import numpy as np
import pytest
import shapely
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from awl.io.table import Table
from awl.questions.run import ask
from awl.study.study import Study
from tests.browser.chromium import Page
from tests.browser.test_sheet import dots
from tests.browser.test_views import block, sheet  # noqa: F401 - a fixture
from tests.oracle import people_within

pytestmark = pytest.mark.browser
BRIDGE = (-36.19872, 41.29135)


@pytest.fixture
def candidates(cut: Study) -> Table:
    """Nine places of which one more room could be made."""
    graph, rng = cut.network("walk").graph, np.random.default_rng(11)
    nodes = rng.choice(np.flatnonzero(~graph.node_border), 9, replace=False)
    layer = Table(
        np.atleast_1d(shapely.points(graph.node_lon[nodes], graph.node_lat[nodes])),
        {"name": [f"Hope {i}" for i in range(9)]},
    )
    cut.add_layer("candidate_rooms", layer, "Candidate rooms", "places", "here")
    return layer


def number(text: str) -> float:
    """The figure before its unit."""
    return float(re.sub(r"[^0-9.-]", "", text.replace("−", "-")))


def figures(page: Page) -> dict[str, float]:
    """Values of the selected question's figures by their labels."""
    found = page.driver.find_elements(By.CSS_SELECTOR, ".block.selected .figure")
    return {
        one.find_element(By.TAG_NAME, "span").text: number(one.find_element(By.TAG_NAME, "b").text) for one in found
    }


def asked(page: Page, cut: Study) -> dict:
    """The answer to the question as it stands, of the server's own library."""
    page.settled()
    return ask(cut, "access", block(cut)["inputs"]).document()


def test_the_headline_question(candidates: Table, sheet: Page, cut: Study) -> None:  # noqa: F811
    sheet.click(".asking .linkish", "Who lives near")
    sheet.find(".block.selected .figure", "beyond")
    sheet.click("[data-slot=limits]")
    sheet.type(".editor [aria-label^='Limits in']", "2, 4, 8")
    sheet.click(".editor button", "Take")
    sheet.click("[data-slot=fields]")
    sheet.click(".editor label", "population")
    sheet.click("[data-slot=fields]")
    answer = asked(sheet, cut)
    sheet.wait(lambda: "of population, 4 min" in figures(sheet), "the figures")
    shown, people = figures(sheet), sum(cut.read_layer("zones").columns["population"])
    # An independent count, by another search and at other points.
    assert shown["of population, 4 min"] == pytest.approx(100 * people_within(cut, 4) / people, abs=2)
    assert shown["beyond 8 min"] == pytest.approx(people - people_within(cut, 8), rel=0.05)
    assert shown["more if measured straight, 4 min"] == round(answer["totals"][0]["overstated_4"]) > 0

    sheet.click(".block-tools button", "Set against")
    sheet.click(".editor button", "Close a street in it")
    sheet.click_map(*BRIDGE)
    sheet.find("[data-slot=against]", "closed")
    answer = asked(sheet, cut)
    change = next(value for label, value in figures(sheet).items() if label.startswith("change within 4 min"))
    assert change == round(answer["totals"][0]["change_within_4"])
    assert sheet.find(".legend h2").text == "Change within 4 min, points"
    sheet.click(".editor button", "Remove comparison")

    sheet.click(".block-tools button", "Try candidates")
    sheet.click(".editor label", "candidate rooms")
    sheet.find(".block.selected .figure", "best 3 of 9")
    answer = asked(sheet, cut)
    assert figures(sheet)["more within 4 min with the best 3 of 9"] == round(answer["choices"][0]["gained"])
    assert len(answer["choices"]) == 10
    sheet.click(".results .switches button", "Choices")
    assert sheet.find(".MuiDataGrid-row [data-field=candidates]").text == answer["choices"][0]["candidates"]


def test_zones_follow_the_cursor_and_tell_of_themselves(sheet: Page, cut: Study) -> None:  # noqa: F811
    sheet.click(".asking .linkish", "Who lives near")
    sheet.find(".block.selected .figure", "beyond")
    answer = asked(sheet, cut)
    cursor = sheet.find("[aria-label='Minute shown on the map']")
    cursor.send_keys(Keys.ARROW_LEFT, Keys.ARROW_LEFT)
    sheet.find(".legend h2", "People within 8 min")
    sheet.click(".series-key button", "back to the limits")
    sheet.find(".legend h2", "People within 10 min")
    assert dots(sheet) == 0
    sheet.click(".legend-row", "beyond 15 min")
    sheet.wait(lambda: dots(sheet) == len(answer["unserved"]["features"]), "the dots")
    # A zone clicked from afar is chosen in the table, and its card tells of it.
    sheet.script("window.awlMap.map.jumpTo({zoom: 13.5})")
    sheet.settled()
    zone = answer["zones"]["features"][0]
    inside = shapely.geometry.shape(zone["geometry"]).representative_point()
    sheet.script("window.awlMap.map.jumpTo({center: [arguments[0], arguments[1]]})", inside.x, inside.y)
    sheet.settled()
    sheet.click_map(inside.x, inside.y)
    name = sheet.find(".zone-card h3 b").text
    assert name == zone["properties"]["zone"]
    assert sheet.find(".MuiDataGrid-row.Mui-selected [data-field=zone]").text == name
    sheet.click(".zone-card button", "Back to the chart")
    Select(sheet.find("[aria-label='Classes']")).select_by_value("own")
    sheet.type("[aria-label='Limits of the classes, ascending']", "0, 50, 100" + Keys.ENTER)
    rows = [row.text for row in sheet.driver.find_elements(By.CSS_SELECTOR, ".legend-row")]
    assert any(row.startswith("0 to 50%") for row in rows) and any(row.startswith("50 to 100%") for row in rows)
