"""Asking in the real browser how central places are: which index the map shows, what each counts for, how far one looks."""

from __future__ import annotations

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import Select

from awl.questions.run import ask
from awl.study.study import Study
from tests.browser.chromium import Page
from tests.browser.test_sheet import drawn
from tests.browser.test_views import block, sheet  # noqa: F401 - a fixture

pytestmark = pytest.mark.browser


def classes(page: Page) -> int:
    """Places in all classes of the legend together."""
    rows = page.find(".legend section").find_elements(By.CSS_SELECTOR, ".legend-row small")
    return sum(int(row.text.replace("\u202f", "").replace(",", "").replace(" ", "")) for row in rows)


def test_how_central_places_are(sheet: Page, cut: Study) -> None:  # noqa: F811
    sheet.click(".asking .linkish", "How central")
    sheet.find(".block.selected .figure", "has the highest reach")
    sheet.settled()
    near = ask(cut, "centrality", block(cut)["inputs"]).document()
    assert drawn(sheet, "graded") == near["summary"]["places"] == classes(sheet)
    sheet.click(".block.selected [data-slot=radius]")
    field = sheet.find("[aria-label='Limit in metres']")
    sheet.script("arguments[0].select()", field)
    field.send_keys("1500\n")
    sheet.find(".block.selected [data-slot=radius]", "1,500 metres")
    sheet.find(".block.selected .figure", "within 1500 m")
    sheet.settled()
    far = ask(cut, "centrality", block(cut)["inputs"]).document()
    assert far["summary"]["mean_reach"] > near["summary"]["mean_reach"]
    assert drawn(sheet, "owned") == 0, "streets are drawn beside betweenness alone"

    Select(sheet.find("[aria-label='What places are coloured by']")).select_by_value("betweenness")
    sheet.find(".legend h2", "Trips between places")
    sheet.settled()
    assert drawn(sheet, "owned") == len(far["streets"]["features"]) > 0
    sheet.click(".block.selected [data-slot=indices]")
    for name in ("gravity", "closeness", "straightness"):
        sheet.click(".editor label", name)
    sheet.find(".block.selected [data-slot=indices]", "reach and betweenness")
    assert sheet.find(".legend section h2").text == "Betweenness", "what the map shows stays"
