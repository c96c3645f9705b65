"""A timetable is brought in, looked at, and asked."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from awl.study import sheet_records
from awl.study.study import Study
from tests.browser.chromium import Page, browser, server
from tests.io.gtfs_files import feed_zip
from tests.questions.test_transit import BASE, EAST, FAST, STOPS

pytestmark = pytest.mark.browser


RIDE = {"mode": "transit", "at": "2026-06-01T08:00", "window": 30, "percentile": 10, "snap": 300}
WEST_BANK, EAST_BANK = BASE["places"], EAST
TO_EAST = {"places": EAST_BANK, "direction": "to"}
OVER = {"from": WEST_BANK, "to": EAST_BANK}
ASKED: dict[str, tuple[dict[str, Any], str]] = {
    "access": (
        {**TO_EAST, "zones": {"layer": "zones"}, "fields": ["population"], "limits": [8]},
        "of population, 8 min",
    ),
    "matrix": (OVER, "mean time of a pair"),
    "trips": (OVER, "trips on tram 1, the most"),
    "catchment": ({**TO_EAST, "limit": 8}, "of street shared out"),
    "neighbours": ({"places": WEST_BANK, "others": EAST_BANK, "limits": [8]}, "within 8 min, mean"),
    "centrality": ({"places": {"layer": "zones"}, "measure": "time", "radius": 12}, "reached within 12 min, mean"),
}
"""Further questions about the tram over the river, with words of their answers."""


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory, study_file: Path) -> Path:
    """What is served: the cut of Ferrow."""
    folder = tmp_path_factory.mktemp("transit")
    shutil.copy(study_file, folder / "cut.gpkg")
    return folder


@pytest.fixture(scope="module")
def page(folder: Path) -> Iterator[Page]:
    with server(folder) as address, browser(address) as page:
        yield page


def test_a_timetable_is_brought_in_and_asked(page: Page, tmp_path: Path) -> None:
    page.open("cut/sheet")
    page.click("button", "How far")
    page.click("[data-slot=mode]")
    page.find(".hint", "Public transport needs a timetable")
    assert page.script("return document.querySelector('input[type=radio][value=transit]').disabled")
    page.click("[data-slot=mode]")

    page.open("cut/sources")
    page.choose_file(feed_zip(tmp_path / "orrow_lines.zip", stops=STOPS, stop_times=FAST))
    form = page.find("[data-testid=timetable-form]")
    assert "tram" in form.text and "2 usual" not in form.text
    days = page.script(
        "return [...document.querySelectorAll('.service-calendar rect title')].map((one) => one.textContent)"
    )
    assert len(days) == 14 and "2 trips" in days[0] and "0 trips" in days[2]
    page.find(".stops-joined", "3 of 3 stops can be joined")
    drawn = "return window.awlMap.map.queryRenderedFeatures({layers: ['spots', 'streets']}).length"
    page.wait(lambda: page.script(drawn) == 4, "three stops and a line on the map")
    page.click("[data-testid=timetable-form] button", "Add it")
    page.click("td button", "Orrow lines")
    page.find(".service-calendar")

    page.open("cut/sheet")
    page.click(".block .number", "1")
    page.find("[data-question] .figures, [data-question]", "km²")
    page.click("[data-slot=mode]")
    page.script("document.querySelector('input[type=radio][value=transit]').click()")
    sentence = page.find(".sentence", "over 60 min from then, for 50% of journeys").text
    assert "Monday 1 June 2026, 08:00" in sentence
    page.click("[data-slot=percentile]")
    page.type("[aria-label='% of journeys keep the time']", "10")
    page.click(".editor button", "Take")
    page.find(".sentence", "for 10% of journeys")
    page.click("summary", "How this was found")
    page.find("details", "each minute from 08:00 to 08:59")


def test_an_hour_of_the_timetable_and_its_faults_are_on_the_map(page: Page) -> None:
    """Follows the first test: the timetable is in the study."""
    page.open("cut/sources")
    page.click("td button", "Orrow lines")
    page.find(".headways figcaption", "Departures an hour on")
    page.click(".headways g[aria-label='8:00 to 9:00']")
    page.find(".legend", "Departures an hour, 8:00 to 9:00")
    drawn = "return window.awlMap.map.getSource('owned').serialize().data.features.length"
    page.wait(lambda: page.script(drawn) == 1, "the line of that hour")
    page.find(".hint", "tram 1 every 30 min")
    page.find(".stops-joined", "3 of 3 stops are joined")


def test_departures_are_strips_and_dots_and_a_handle_changes_the_share(page: Page) -> None:
    page.open("cut/sheet")
    page.click("[data-question] .number", "1")
    page.click(".results-chart .switches button", "By departure")
    page.find(".results-chart", "10% of departures keep")
    handle = page.find("[aria-label='Share of departures that keep the time']")
    handle.send_keys(Keys.END)
    page.find(".sentence", "for 100% of journeys")

    page.click("button", "By which way")
    page.click_map(-36.2062, 41.2920)
    page.click_map(-36.1911, 41.2911)
    page.find(".figures", "quickest way")
    page.script("[...document.querySelectorAll('[data-slot=mode]')].pop().click()")
    page.script("document.querySelector('input[type=radio][value=transit]').click()")
    page.find(".itineraries [role=listitem]", "08:03–08:07")
    ride = page.find(".itinerary .ride")
    assert "West Bank: Tram 1 to Hill, 1 stop" in str(ride.get_attribute("title"))


def test_every_question_is_answered_by_public_transport(page: Page, folder: Path) -> None:
    """Follows the first test. Each answer is on the page, with its figure, no problem, and something on the map."""
    study = Study(folder / "cut.gpkg")
    blocks = [
        {"id": name, "kind": "question", "process": name, "inputs": {**RIDE, **inputs}}
        for name, (inputs, _) in ASKED.items()
    ]
    with study.writing() as connection:
        sheet_records.save(connection, "main", {"title": "By tram", "blocks": blocks})
    page.open_afresh("cut/sheet")
    for name, (_, said) in ASKED.items():
        page.click(f"[data-question={name}] .number")
        page.find(f"[data-question={name}]", said)
        assert "over 30 min from then, for 10% of journeys" in page.find(f"[data-question={name}] .sentence").text
    assert not page.driver.find_elements(By.CSS_SELECTOR, ".problem")


def test_a_line_is_drawn_in_a_what_if_and_asked_with(page: Page) -> None:
    page.open("cut/streets")
    page.find("[aria-label='What edits change']").send_keys("a new")
    page.find("[aria-label='Title of the what-if']").send_keys("a new tram ran" + Keys.ENTER)
    page.click(".slip summary")
    page.click(".slip button", "Draw a line of public transport")
    for lon, lat in ((-36.2062, 41.2921), (-36.1980, 41.2915), (-36.1911, 41.2911)):
        page.click_map(lon, lat)
    page.find(".legend", "Line being drawn")
    page.find("body").send_keys(Keys.ENTER)
    page.find(".slip .question", "with 3 stops runs")
    page.find(".legend", "Lines added")
    page.type("[aria-label='Minutes between departures']", "5")
    page.find("[aria-label='Minutes between departures']").send_keys(Keys.ENTER)
    page.find(".slip", "new bus new 1")
