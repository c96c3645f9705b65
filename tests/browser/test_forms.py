"""Forms in the real browser: made of the burst-main sheet, filled in as a colleague would: screen, phone, keyboard."""

from __future__ import annotations

import io
import urllib.request
from collections.abc import Iterator
from typing import Any

import openpyxl
import pypdf
import pytest
import shapely
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from awl.io import vector
from awl.questions.run import ask
from awl.shipped import demo_data
from awl.study import sheet_records
from awl.study.study import Study
from tests.browser.chromium import Page
from tests.conftest import CUT

pytestmark = pytest.mark.browser
BURST = [-36.2062, 41.2913]
QUESTION = {
    "mode": "drive", "events": {"type": "MultiPoint", "coordinates": [BURST]}, "distance": 500, "width": 25,
    "layers": [{"layer": "parcels"}, {"layer": "buildings"}],
}  # fmt: skip
ADDRESS = "/studies/cut/forms/a_burst_water_main"


@pytest.fixture(scope="module")
def burst(page: Page, served: Any) -> Iterator[Page]:
    """The browser at a sheet that asks who stands along a burst main, with the parcels and buildings of the cut."""
    cut = Study(served / "cut.gpkg")
    for name in ("parcels", "buildings"):
        features, _ = vector.read(demo_data() / f"{name}.gpkg")
        inside = features.take(shapely.within(features.geometry, CUT).nonzero()[0].tolist())
        cut.add_layer(name, inside, name.capitalize(), name, f"{name}.gpkg")
    blocks = [{"id": "b1", "kind": "question", "process": "alongside", "inputs": QUESTION}]
    with cut.writing() as connection:
        sheet_records.save(connection, "burst", {"title": "A burst water main", "blocks": blocks})
    page.open("cut/sheet/burst")
    page.find(".block.selected .sentence")
    page.script("document.activeElement.blur()")
    ActionChains(page.driver).send_keys("a").perform()
    page.find(".block.selected .figure", "parcels")
    page.script("location.hash = '#/cut/handout/burst'")
    yield page
    with cut.writing() as connection:
        sheet_records.drop(connection, "burst")
    for entry in cut.layers():
        if entry["id"] in ("parcels", "buildings"):
            cut.drop_layer(entry["id"])


def sheet_of(cut: Study) -> dict[str, Any]:
    return sheet_records.read(cut.reading, "burst") or {}


def fetched(page: Page, link: str) -> bytes:
    with urllib.request.urlopen(str(page.find(".downloads a", link).get_attribute("href"))) as reply:
        return bytes(reply.read())


def outcome(page: Page) -> list[str]:
    """The key figures of an answer, once it is there."""
    page.find("#outcome article")
    return [item.text.split("\n")[0] for item in page.driver.find_elements(By.CSS_SELECTOR, "#outcome .figures li")]


def test_a_form_is_made_filled_in_and_gives_what_its_author_chose(burst: Page, cut: Study) -> None:
    burst.click(".left .linkish", "Make a form")
    burst.click(".word-to-ask", "500 m")
    burst.click(".word-to-ask", "drawn shape")
    burst.wait(lambda: len(sheet_of(cut).get("blanks", [])) == 2, "two blanks")
    burst.type("[aria-label='Label of events']", "Where did it burst?" + Keys.ENTER)
    burst.type("[aria-label='Least of distance']", "100" + Keys.ENTER)
    burst.type("[aria-label='Most of distance']", "800" + Keys.ENTER)
    burst.type("[aria-label='Who made it']", "Network planning" + Keys.ENTER)
    for part in ("table parcels", "table buildings"):
        burst.click(".shown-row label", part)
    burst.wait(lambda: len(sheet_of(cut)["forms"][0]["shows"][0]["tables"]) == 2, "the tables to be shown")
    form = sheet_of(cut)["forms"][0]
    assert form["id"] == "a_burst_water_main" and form["asks"] == ["distance", "events"]
    burst.driver.switch_to.frame(burst.find(".paper-view iframe"))
    try:
        burst.find(".blank", "Where did it burst?")
    finally:
        burst.driver.switch_to.default_content()

    # A colleague opens its address.
    burst.driver.execute_cdp_cmd("Network.enable", {})
    burst.driver.execute_cdp_cmd("Network.setCacheDisabled", {"cacheDisabled": True})
    burst.driver.get(burst.address + ADDRESS)
    burst.find("#map canvas")
    burst.driver.execute_cdp_cmd("Network.setCacheDisabled", {"cacheDisabled": False})
    loaded = burst.script(
        "return [...performance.getEntriesByType('resource'), ...performance.getEntriesByType('navigation')]"
        ".reduce((sum, one) => sum + one.transferSize, 0)"
    )
    assert 20_000 < loaded < 250_000, "it loads on a slow line"
    burst.click("button", "Answer")
    burst.find("#problem", "'Where did it burst?' is not filled in")
    assert burst.find("[name=events]").get_attribute("aria-invalid") is not None
    burst.type("[name=events]", "Heron Street")
    burst.click("#hits button", "Heron Street")
    burst.find("#map .pin")
    burst.type("[name=distance]", "5000")
    burst.click("button", "Answer")
    burst.find("#problem", "5000 is more than 800")
    burst.type("[name=distance]", "300")
    burst.click("button", "Answer")
    figures = outcome(burst)
    asked = burst.find("#outcome .asked").text
    assert "within 300 m of Heron Street" in asked
    hits = burst.script("return fetch('/studies/cut/search?q=Heron Street').then((r) => r.json())")["hits"]
    point = next([hit["lon"], hit["lat"]] for hit in hits if hit["name"] == "Heron Street")
    direct = ask(cut, "alongside", {**QUESTION, "events": [point], "distance": 300})
    assert figures[0] == f"{len(direct.part('parcels')):,}" and figures[1] == f"{len(direct.part('buildings')):,}"
    assert len(direct.part("parcels")) > 20
    for part in ("parcels", "buildings"):
        sheet = openpyxl.load_workbook(io.BytesIO(fetched(burst, f"{part.capitalize()}, XLSX"))).worksheets[0]
        header, *rows = list(sheet.values)
        table = direct.part(part)
        assert [row[header.index("parcel")] for row in rows] == table.columns["parcel"].tolist()
    reader = pypdf.PdfReader(io.BytesIO(fetched(burst, "Map, PDF")))
    page = reader.pages[0]
    assert [float(value) * 25.4 / 72 for value in page.mediabox[2:]] == pytest.approx([297, 210], abs=0.2)
    assert "within 300 m of Heron Street" in page.extract_text()
    burst.wait(lambda: burst.script("return document.querySelector('#outcome img').naturalWidth > 800"), "the map")
    assert not burst.driver.find_elements(By.PARTIAL_LINK_TEXT, "GeoJSON"), "nothing is given that was not chosen"
    # Its answer has an address of its own.
    burst.driver.refresh()
    assert outcome(burst) == figures


def test_a_form_is_filled_in_on_a_phone_and_by_keyboard(burst: Page, cut: Study) -> None:
    driver = burst.driver
    driver.get(burst.address + ADDRESS)
    phone = {"width": 375, "height": 700, "deviceScaleFactor": 1, "mobile": True}
    driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", phone)
    try:
        burst.find("#map canvas")
        assert burst.script("return document.documentElement.scrollWidth <= innerWidth"), "nothing hangs over the edge"
        heights = "return [...document.querySelectorAll('#form input, #form button')].map((e) => e.offsetHeight).filter(Boolean)"
        assert min(burst.script(heights)) >= 36, "a finger finds every control"
        # By keyboard alone: to the map, closer to its middle, a point there, and the button.
        burst.find("[name=distance]").send_keys(Keys.CONTROL, "a", Keys.NULL, "400", Keys.TAB)
        burst.script("document.getElementById('map').focus()")
        ActionChains(driver).send_keys("+").send_keys(Keys.ENTER).perform()
        burst.find("#map .pin")
        assert burst.find("[name=events]").get_attribute("value")
        burst.find("button[type=submit]").send_keys(Keys.ENTER)
        parcels, *_ = outcome(burst)
        assert int(parcels.replace(",", "")) > 0
        assert burst.script("return document.documentElement.scrollWidth <= innerWidth"), "nor does the answer"
    finally:
        driver.execute_cdp_cmd("Emulation.clearDeviceMetricsOverride", {})


def test_a_form_that_no_longer_fits_tells_its_author_and_its_readers(burst: Page, cut: Study) -> None:
    cut.drop_layer("parcels")
    burst.driver.get(burst.address + ADDRESS)
    burst.find(".problem", "The study has no layer 'parcels'")
    assert not burst.driver.find_elements(By.CSS_SELECTOR, "form")
    burst.open("cut/handout/burst")
    burst.click(".left .linkish", "A burst water main")
    burst.find(".form-editor .problem", "The study has no layer 'parcels'")
