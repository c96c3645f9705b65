"""Stage Modes in the browser: a rule is changed, and map, card and route follow."""

from __future__ import annotations

import numpy as np
import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from awl.study.study import Study
from tests.browser.chromium import Page

pytestmark = pytest.mark.browser
START, END = (41.2925, -36.2050), (41.2885, -36.1930)


def streets_passed(page: Page) -> list[str]:
    return [item.text for item in page.driver.find_elements(By.CSS_SELECTOR, ".steps b")]


def test_a_changed_rule_changes_map_card_and_route(page: Page, cut: Study) -> None:
    page.open("cut/sheet")
    page.driver.refresh()
    page.click(".asking .linkish", "By which way")
    page.click(".slot", "two points")
    for number, (lat, lon) in enumerate((START, END), 1):
        page.type("[aria-label='Latitude, longitude']", f"{lat}, {lon}" + Keys.ENTER)
        page.find(f".editor li:nth-child({number})")
    page.click(".block.selected [data-slot=mode]")
    page.find(".editor input[value=drive]").send_keys(" ")
    page.find(".block.selected [data-slot=mode]", "driver")
    page.settled()
    road = next(name for name in streets_passed(page)[1:-1] if "unnamed" not in name)
    where = f"name = '{road}'"

    graph = cut.graph
    drive = cut.network("drive")
    page.click(".stage", "Modes")
    page.click("[role=tab]", "Drive")
    page.settled()
    drawn = page.script("return window.awlMap.streets()")
    page.type("[aria-label='Condition of a new rule']", where)
    page.click("button", "Add the rule")
    page.find(".notice", "can no longer be used")
    page.wait(lambda: page.script("return window.awlMap.streets()") > drawn, "the streets to be drawn anew")
    row = int(np.flatnonzero(drive.usable & graph.tag("name").equals(road))[0])
    middle = graph.lines()[row].interpolate(0.5, normalized=True)
    page.script("window.awlMap.map.jumpTo({center: [arguments[0], arguments[1]], zoom: 17})", middle.x, middle.y)
    page.settled()
    page.click_map(middle.x, middle.y)
    page.find(".card", f"no: a rule of the mode forbids it (rule 1: {where})")

    page.click(".stage", "Sheet")
    page.find(".stale", "stale")
    page.click(".block.selected .linkish", "Ask again")
    page.wait(lambda: streets_passed(page) and road not in streets_passed(page), "another way")

    page.click(".stage", "Modes")
    Select(page.find("[aria-label='Use of rule 1']")).select_by_value("slow")
    page.find(".notice", "can be used now")
    page.click("button", "Put it back as shipped")
    page.find(".notice", "As it was shipped")
    assert Study(cut.path).modes()["drive"][1] == ""
    page.click("button", "Undo the last change")
    page.find("[aria-label='Use of rule 1']")
    page.click("button", "Put it back as shipped")
    page.find(".notice", "As it was shipped")


def test_a_copy_is_offered_in_the_sheet(page: Page, cut: Study) -> None:
    page.open("cut/modes")
    page.click("[role=tab]", "Walk")
    page.click("button", "Copy")
    page.type("[aria-label='Title of the copy']", "Older walker")
    page.click("button", "Make it")
    page.find("[role=tab][aria-selected=true]", "Older walker")
    page.type("[aria-label='Who moves']", "older walker" + Keys.ENTER)
    page.type("[aria-label='Top speed in km/h']", "2.4" + Keys.ENTER)
    page.find(".notice", "have another speed")
    page.click(".stage", "Sheet")
    page.click(".asking .linkish", "How far")
    page.click(".block.selected [data-slot=mode]")
    page.find(".editor", "older walker")
    page.click(".stage", "Modes")
    page.click("[role=tab]", "Older walker")
    page.click("button", "Remove")
    page.find(".notice", "Older walker")
    assert "older_walker" not in Study(cut.path).modes()
