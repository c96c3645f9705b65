"""Many set out in the real browser: time is played and paused, and the map holds who the core says at 13:40."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from awl.questions.run import ask
from awl.study.study import Study
from tests.browser.chromium import Page
from tests.questions.test_simulate import seconds

pytestmark = pytest.mark.browser
AT = "13:40"


ANSWERED = """
return (async () => {
  const get = async (address) => (await fetch(`/studies/cut/${address}`)).json();
  const { id, inputs } = (await get("sheets/main")).blocks.find(({ process }) => process === "simulate");
  const [wanted, given] = [inputs, (await get(`answers/${id}`)).inputs].map(({ capacity }) => JSON.stringify(capacity));
  return wanted === given && wanted.includes("25");
})();
"""
"""Whether the answer the server has is that to the question as it stands."""


def test_time_is_played_paused_and_read_at_twenty_to_two(page: Page, served: Path) -> None:
    page.open("cut/sheet")
    page.settled()
    page.click(".asking .linkish", "What happens if many")
    page.find(".block.selected .figure", "came in")
    page.click(".block.selected [data-slot=capacity]")
    page.type("[aria-label='Room of each place']", "25" + Keys.ENTER)
    page.find(".block.selected [data-slot=capacity]", "25 each")
    page.click(".block.selected [data-slot=capacity]")
    page.find(".block.selected .figure", "found no seat")
    page.wait(lambda: page.script(ANSWERED), "the answer with 25 each")
    page.wait(
        lambda: page.script("return !!window.awlPeople && !document.querySelector('.block.selected .running')"),
        "people",
    )

    # Played by its button, paused by the space bar.
    page.click("[aria-label=Play]:not([disabled])")
    page.wait(lambda: page.find(".time-ruler output").text > "13:02", "time that passes")
    page.script("document.activeElement.blur()")
    page.driver.find_element(By.TAG_NAME, "body").send_keys(Keys.SPACE)
    page.find("[aria-label=Play]")
    assert not page.script("return document.querySelector('.time-ruler .play').ariaPressed === 'true'")

    # From the begin, forty minutes on: ten with each press of the key.
    slider = page.driver.find_element(By.CSS_SELECTOR, ".time-ruler input[type=range]")
    slider.send_keys(Keys.HOME, *[Keys.PAGE_UP] * 4)
    page.wait(lambda: page.find(".time-ruler output").text == AT, "twenty to two")
    inputs = page.script(
        "return fetch(`/studies/cut/sheets/main`).then((one) => one.json()).then((sheet) =>"
        " sheet.blocks.find(({process}) => process === 'simulate').inputs)"
    )
    answer = ask(Study(served / "cut.gpkg"), "simulate", inputs)
    inside = {row["place"]: row["inside"] for row in answer.part("occupancy").records() if row["clock"] == AT}
    assert any(inside.values()) and max(inside.values()) == 25
    shown = page.wait(lambda: columns(page), "columns on the map")
    assert shown == {name: (count, 25) for name, count in inside.items()}

    # Who is seen is who walks or waits; those who gave up are seen for five minutes more.
    now = seconds(f"{AT}:00")
    seen = 0
    for row in answer.part("trips").records():
        if row["outcome"] == "no way" or now < seconds(row["sets_out"]):
            continue
        gone = seconds(row["enters"]) if row["outcome"] == "came in" else seconds(row["arrives"]) + 300
        seen += now < gone
    page.settled()
    told = page.script("return window.awlPeople.seen")
    assert abs(told - seen) <= 2 and seen > 20, "clock times of rows are whole seconds"
    travelling = page.find(".time-ruler [data-doing=travelling]").text
    (told_states,) = [row for row in answer.part("states").records() if row["clock"] == AT]
    assert int(re.sub(r"\D", "", travelling)) == told_states["travelling"]
    small = page.find(".small figcaption b").text
    assert re.fullmatch(r"\d+ of 25", small), "the curves tell the same moment"

    # A sweep over seats: how many more would end it?
    page.click(".block.selected .block-tools .linkish", "Sweep")
    page.click(".block.selected .editor .linkish", "seats more in each")
    page.type("[aria-label='Values: seats more in each']", "0, 50, 1000" + Keys.ENTER)
    figure = page.find(".block.selected .figure", "then everybody finds a seat")
    assert figure.text.split("\n")[0] in ("50", "1,000")
    page.find(".small figcaption", "Found no seat")


def columns(page: Page) -> dict[str, tuple[int, int]] | None:
    """Who is inside each place and how many it holds, as the columns on the map say; None before there are any."""
    titles = page.script("return [...document.querySelectorAll('.fullness')].map(({title}) => title)")
    found = [re.match(r"(.*): ([\d,]+) of (\d+) inside", title) for title in titles]
    return {one.group(1): (int(one.group(2)), int(one.group(3))) for one in found if one} or None
