"""Stage Handout in the real browser: a map sheet is laid out in words and fetched, a report is looked at."""

from __future__ import annotations

import io
import urllib.request

import pypdf
import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from awl.study.study import Study
from tests.browser.chromium import Page
from tests.browser.test_views import sheet  # noqa: F401 - a fixture

pytestmark = pytest.mark.browser


def drawn(page: Page) -> str:
    """The picture of the paper, once it is there; each has an address of its own."""
    page.wait(lambda: not page.script("return !!document.querySelector('.paper-view [role=status]')"), "the sheet")
    return str(page.find(".paper-view img").get_attribute("src"))


def test_a_map_sheet_and_a_report(sheet: Page, cut: Study) -> None:  # noqa: F811
    sheet.click(".asking .linkish", "How far")
    sheet.find(".block.selected .figure", "km²")
    sheet.settled()
    sheet.script("location.hash = '#/cut/handout'")
    sheet.click(".left .linkish", "Lay out a map sheet")
    first = drawn(sheet)
    size = sheet.script("const i = document.querySelector('.paper-view img'); return [i.naturalWidth, i.naturalHeight]")
    assert size[0] / size[1] == pytest.approx(297 / 210, rel=0.01), "the paper has its true proportions"
    Select(sheet.find("[aria-label='How the paper lies']")).select_by_visible_text("portrait")
    Select(sheet.find("[aria-label='Size of the paper']")).select_by_visible_text("A5")
    sheet.type("[aria-label=Scale]", "1:12,500" + Keys.ENTER)
    sheet.type("[aria-label='Title of the map']", "Cool rooms on foot" + Keys.ENTER)
    sheet.wait(lambda: drawn(sheet) != first, "another sheet")
    address = sheet.find(".downloads a", "PDF").get_attribute("href")
    sheet.wait(lambda: "title=Cool" in str(sheet.find(".downloads a", "PDF").get_attribute("href")), "the title")
    address = str(sheet.find(".downloads a", "PDF").get_attribute("href"))
    with urllib.request.urlopen(address) as reply:
        page = pypdf.PdfReader(io.BytesIO(reply.read())).pages[0]
    assert [float(value) * 25.4 / 72 for value in page.mediabox[2:]] == pytest.approx([148, 210], abs=0.2)
    said = page.extract_text()
    assert "Cool rooms on foot" in said and "1:12,500" in said
    sheet.click(".left .linkish", "Put away")
    sheet.find(".map canvas")
    sheet.click(".left .linkish", "Look at the report")
    sheet.wait(lambda: not sheet.script("return !!document.querySelector('.paper-view [role=status]')"), "the report")
    sheet.driver.switch_to.frame(sheet.find(".paper-view iframe"))
    try:
        body = sheet.driver.find_element(By.TAG_NAME, "body").text
    finally:
        sheet.driver.switch_to.default_content()
    assert "within 15 min" in body and "What was assumed" in body and "Streets: " in body
    sheet.script("location.hash = '#/cut/sheet'")
    sheet.find(".map canvas")
    assert not sheet.driver.find_elements(By.CSS_SELECTOR, ".paper-view")
