"""A timetable is brought in, looked at, and asked."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.browser.chromium import Page, browser, server
from tests.io.gtfs_files import feed_zip
from tests.questions.test_transit import FAST, STOPS

pytestmark = pytest.mark.browser


@pytest.fixture(scope="module")
def page(tmp_path_factory: pytest.TempPathFactory, study_file: Path) -> Iterator[Page]:
    folder = tmp_path_factory.mktemp("transit")
    shutil.copy(study_file, folder / "cut.gpkg")
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
