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


def ask_for_a_drive(page: Page) -> None:
    """Ask by which way a driver gets from START to END."""
    page.click(".asking .linkish", "By which way")
    page.click(".slot", "two points")
    for number, (lat, lon) in enumerate((START, END), 1):
        page.type("[aria-label='Latitude, longitude']", f"{lat}, {lon}" + Keys.ENTER)
        page.find(f".editor li:nth-child({number})")
    page.click(".block.selected [data-slot=mode]")
    page.find(".editor input[value=drive]").send_keys(" ")
    page.find(".block.selected [data-slot=mode]", "driver")
    page.settled()


def test_a_changed_rule_changes_map_card_and_route(page: Page, cut: Study) -> None:
    page.open_afresh("cut/sheet")
    ask_for_a_drive(page)

    def named() -> list[str]:
        return [name for name in streets_passed(page)[1:-1] if "unnamed" not in name]

    road = page.wait(named, "the way, with streets that have a name")[0]
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
    page.click("button", "Reset to default")
    page.find(".notice", "As it was shipped")
    assert Study(cut.path).modes()["drive"][1] == ""
    page.click("button", "Undo the last change")
    page.find("[aria-label='Use of rule 1']")
    page.click("button", "Reset to default")
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


def drawn_anew(page: Page, drawn: int) -> None:
    page.wait(lambda: page.script("return window.awlMap.streets()") > drawn, "the streets to be drawn anew")
    page.settled()


def test_delays_hours_and_costs_are_set_and_a_route_obeys_them(page: Page, cut: Study) -> None:
    page.open_afresh("cut/modes")
    page.click("[role=tab]", "Drive")
    page.type("[aria-label='At the start, seconds']", "120" + Keys.ENTER)
    page.find(".notice", "No street changes by that")
    page.type("[aria-label='At signals, seconds']", "45" + Keys.ENTER)
    page.find(".notice", "time lost changes at")
    # A curve is moved with the keys: at 8 o'clock two steps of five percent down.
    eight = page.find('[aria-label="8 o\'clock"]')
    eight.send_keys(Keys.ARROW_DOWN, Keys.ARROW_DOWN, Keys.TAB)
    page.find("[aria-label=\"8 o'clock\"][aria-valuenow='50']")
    page.wait(lambda: Study(cut.path).mode("drive").curves[0].share[8] == 0.5, "the curve to be kept")
    page.type("[aria-label='Name of a new cost']", "noise")
    page.type("[aria-label='Expression of a new cost']", "lenght * 2" + Keys.ENTER)
    page.find("[role=alert]", "There is no field 'lenght' at character 1")
    page.type("[aria-label='Name of a new cost']", "noise")
    page.type("[aria-label='Expression of a new cost']", "length * 2" + Keys.ENTER)
    page.find("[aria-label='Expression of noise']")
    page.wait(lambda: Study(cut.path).mode("drive").costs, "the cost to be kept")
    mode = Study(cut.path).mode("drive")
    assert (mode.delays.start_s, mode.delays.signals_s, mode.costs[0].along) == (120, 45, "length * 2")

    page.click(".stage", "Sheet")
    ask_for_a_drive(page)
    page.find(".steps", "at the start")
    free = page.find(".block.selected .figure b").text
    page.click(".block.selected [data-slot=measure]")
    page.find(".editor", "least noise")
    page.click(".block.selected [data-slot=at]", "in free flow")
    page.click(".editor button", "Take")
    page.find(".block.selected [data-slot=at]", "on Wednesday 3 June 2026, 08:00")
    page.wait(lambda: page.find(".block.selected .figure b").text != free, "another time at another hour")
    page.settled()

    page.click(".stage", "Modes")
    page.click("[role=tab]", "Drive")
    page.click("button", "Reset to default")
    page.find(".notice", "As it was shipped")


def test_the_map_shows_speed_by_hour_delay_and_two_modes_side_by_side(page: Page, cut: Study) -> None:
    page.open_afresh("cut/modes")
    page.click("[role=tab]", "Drive")
    page.settled()
    for colour, said in (("speed", "Drive, speed"), ("delay", "Drive, lost at its ends"), ("beside", "Drive, used by")):
        drawn = page.script("return window.awlMap.streets()")
        Select(page.find("[aria-label='Colour of the streets']")).select_by_value(colour)
        page.find(".legend h2", said)
        drawn_anew(page, drawn)
    assert "walk alone" in page.find(".legend").text
    drawn = page.script("return window.awlMap.streets()")
    Select(page.find("[aria-label='Day']")).select_by_value("weekday")
    page.find("[aria-label='Hour of the day']")
    drawn_anew(page, drawn)
    graph, drive = cut.graph, cut.network("drive")
    row = int(np.flatnonzero(drive.usable & graph.tag("highway").equals("primary"))[0])
    middle = graph.lines()[row].interpolate(0.5, normalized=True)
    page.script("window.awlMap.map.jumpTo({center: [arguments[0], arguments[1]], zoom: 17})", middle.x, middle.y)
    page.settled()
    page.click_map(middle.x, middle.y)
    page.find(".chain", "Hour: 60% of the free-flow speed at 08:00.")
    Select(page.find("[aria-label='Colour of the streets']")).select_by_value("use")
    Select(page.find("[aria-label='Day']")).select_by_value("")
