"""Make docs/screenshots anew: each main view of the demo study at 1280x800."""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from awl.demo_study import make_demo
from awl.study import sheet_records
from awl.study.study import Study
from tests.browser.chromium import Page, browser, server

BRIDGE = (-36.19872, 41.29135)
"""The footbridge, about its middle."""
NEW_BRIDGE = (-36.1986121, 41.2962362), (-36.1969644, 41.2962515)
"""Two junctions on either bank of the Orrow."""
STAITHE = (-36.1926, 41.2901)
START, END = (-36.2075, 41.2945), (-36.1905, 41.2875)


def pictures(page: Page, folder: Path) -> None:
    """Walk through the demo as a reader of the README would, with a picture of each view."""
    page.open("ferrow/sources")
    page.settled()
    page.picture(folder / "sources.png")
    page.open("ferrow/modes")
    page.click("[role=tab]", "Drive")
    page.script("window.awlMap.map.jumpTo({center: [-36.1965, 41.2915], zoom: 14.6})")
    page.settled()
    page.click_map(*BRIDGE)
    page.settled()
    page.picture(folder / "modes.png")
    page.click("[role=tab]", "Walk")
    page.open("ferrow/streets")
    page.script("window.awlMap.map.jumpTo({center: [-36.1975, 41.2925], zoom: 15.8})")
    page.settled()
    page.picture(folder / "streets.png")
    page.open("ferrow/sources")
    page.click("td button", "Zones")
    page.find("h1", "Zones")
    page.settled()
    page.type("[aria-label='Filter in CQL2']", "age_65_plus > 300")
    page.click("button", "Select")
    page.find(".notice", "selected")
    page.settled()
    page.picture(folder / "layer.png")
    page.open("ferrow/sheet")
    page.click(".block .number", "1")
    page.script("window.awlMap.map.jumpTo({center: [-36.197, 41.2915], zoom: 13.4})")
    page.click("[data-question=q1] [data-slot=limits]")
    page.find(".editor")
    page.settled()
    page.picture(folder / "sheet.png")
    page.click("[aria-label='Change to the dark theme']")
    page.settled()
    page.picture(folder / "sheet-dark.png")
    page.click("[aria-label='Change to the light theme']")
    page.click("[data-question=q1] [data-slot=limits]")
    page.click(".block .number", "2")
    page.script("window.awlMap.map.jumpTo({center: [-36.2, 41.306], zoom: 12})")
    page.click(".MuiDataGrid-row [data-field=zone]")
    page.settled()
    page.picture(folder / "access.png")
    headline(page, folder)
    page.click(".asking .linkish", "By which way")
    page.find(".notice", "the start")
    page.script("window.awlMap.map.jumpTo({center: [-36.199, 41.291], zoom: 14.2})")
    page.settled()
    page.click_map(*START)
    page.find(".notice", "next point")
    page.click_map(*END)
    page.find(".block.selected .figure", "quickest way")
    page.click(".block.selected [data-slot=mode]")
    page.find(".editor input[value=drive]").send_keys(" ")
    page.find(".block.selected [data-slot=mode]", "driver")
    page.click(".block.selected [data-slot=mode]")
    page.settled()
    page.picture(folder / "route.png")
    page.click(".asking .linkish", "Which ways")
    page.find(".block.selected .figure", "trips with a way")
    page.click(".asking .linkish", "What stands along")
    page.find(".notice", "the event")
    page.script("window.awlMap.map.jumpTo({center: [-36.2, 41.2925], zoom: 14.9})")
    page.settled()
    page.click_map(-36.199, 41.2935)
    page.find(".block.selected .figure", "parcels")
    page.click(".asking .linkish", "How central")
    page.find(".block.selected .figure", "has the highest reach")
    page.click(".block.selected [data-slot=places]")
    page.click(".editor label", "buildings")
    page.find(".block.selected .figure", "building ")
    page.click(".block.selected [data-slot=places]")
    page.script("window.awlMap.map.jumpTo({center: [-36.2, 41.302], zoom: 12.1})")
    page.settled()
    page.picture(folder / "central.png")

    page.click(".asking .linkish", "How long")
    page.settled()
    page.click(".block.selected [data-slot=mode]")
    page.click(".editor label", "driver")
    page.settled()
    page.click(".block.selected [data-slot=at]")
    page.click(".editor button", "Take")
    page.settled()
    page.click(".block.selected .linkish", "Through the day")
    page.click(".editor button", "Take")
    page.settled()
    page.click(".block.selected [data-slot=hours]")
    page.script("window.awlMap.map.jumpTo({center: [-36.2, 41.303], zoom: 12.3})")
    page.settled()
    page.picture(folder / "through-day.png")
    page.open("ferrow/handout")
    page.settled()
    page.click(".left .linkish", "Lay out a map sheet")
    Select(page.find("[aria-label='Answer on the map']")).select_by_visible_text("answer 1")
    page.wait(lambda: not page.script("return !!document.querySelector('.paper-view [role=status]')"), "the sheet")
    page.wait(lambda: page.script("return document.querySelector('.paper-view img').complete"), "its picture")
    page.picture(folder / "handout.png")


def headline(page: Page, folder: Path) -> None:
    """The question of the study: people over 65, the best three of nine candidates, and what a closed footbridge changes."""
    page.click(".zone-card button", "Back to the chart")
    page.click(".block.selected [data-slot=fields]")
    for other in ("population", "no car"):
        page.click(".editor label", other)
    page.click(".block.selected [data-slot=fields]")
    page.click(".block-tools button", "Try candidates")
    page.click(".editor label", "candidate rooms")
    page.find(".block.selected .figure", "best 3 of 9")
    page.click(".block.selected [data-slot=candidates]")
    page.click(".legend-row", "beyond 15 min")
    page.click(".results .switches button", "Choices")
    page.settled()
    page.picture(folder / "candidates.png")
    page.click(".legend-row", "beyond 15 min")
    page.click(".block.selected [data-slot=candidates]")
    page.click(".editor button", "No candidates")
    page.settled()
    page.click(".block.selected .block-tools button", "Copy")
    page.settled()
    page.click(".block.selected .block-tools button", "Close a street")
    page.script("window.awlMap.map.jumpTo({center: [-36.2, 41.293], zoom: 13.4})")
    page.settled()
    page.click_map(*BRIDGE)
    page.find(".block.selected [data-slot=closures]", "Heron Footbridge closed")
    page.settled()
    page.click(".block.selected .block-tools button", "Compare")
    page.click(".compare-with .linkish", "answer 2")
    page.find(".block.selected .differing", "Heron Footbridge closed")
    page.settled()
    page.click(".results .switches button", "Most changed")
    page.click(".results-chart .switches button", "Most changed")
    page.script("window.awlMap.map.jumpTo({center: [-36.2, 41.293], zoom: 13.4})")
    page.settled()
    page.picture(folder / "compare.png")


def edit(page: Page, folder: Path) -> None:
    """A footbridge that is drawn as a what-if, with how far people come to the cool rooms."""
    page.open("ferrow/streets")
    page.find("h1", "The street graph")
    page.settled()
    Select(page.find("[aria-label='What the map shows while streets are edited']")).select_by_index(1)
    Select(page.find("[aria-label='What edits change']")).select_by_value("+")
    page.find("[aria-label='Title of the what-if']").send_keys("a mill bridge were built" + Keys.ENTER)
    page.find("[aria-label='What-ifs'] li.chosen")
    west, east = NEW_BRIDGE
    page.script(
        "window.awlMap.map.jumpTo({center: [arguments[0], arguments[1]], zoom: 15})", (west[0] + east[0]) / 2, west[1]
    )
    page.settled()
    Select(page.find("[aria-label='Class of the new street']")).select_by_value("footway")
    Select(page.find("[aria-label='Level of the new street']")).select_by_value("bridge")
    page.type("[aria-label='Name of the new street']", "Mill Bridge")
    page.click("button", "Draw it on the map")
    page.click_map(*west)
    page.click_map(*east)
    page.script("document.querySelector(\"[aria-label='What edits change']\").scrollIntoView({block: 'center'})")
    page.find(".legend-row", "Meets a junction")
    page.settled()  # the reach has grown over what is drawn
    page.picture(folder / "edit.png")
    page.find("body").send_keys(Keys.ESCAPE)


def transit(page: Page, folder: Path, study: Path) -> None:
    """Who over 65 reaches a large cool room by public transport on a summer Saturday; before it, the timetable."""
    inputs = {
        "mode": "transit", "at": "2026-07-11T13:00", "places": {"layer": "cool_rooms", "where": "seats >= 120"},
        "zones": {"layer": "zones"}, "fields": ["age_65_plus"], "limits": [10, 20, 30], "direction": "to",
        "against": {"mode": "walk", "at": None},
    }  # fmt: skip
    block = {"id": "t1", "kind": "question", "process": "access", "inputs": inputs}
    with Study(study).writing() as connection:
        sheet_records.save(connection, "main", {"title": "By tram to a cool room", "blocks": [block]})
    page.driver.get(f"{page.address}/")
    page.open("ferrow/sources")
    page.click("td button", "Ferrow timetable")
    page.click(".headways g[aria-label='8:00 to 9:00']")
    page.find(".legend", "Departures an hour")
    page.script("document.querySelector('.headways').scrollIntoView({block: 'center'})")
    page.settled()
    page.picture(folder / "timetable.png")
    page.open("ferrow/sheet")
    page.click(".block .number", "1")
    page.find("[data-question=t1]", "change within 20 min")
    page.settled()
    page.click(".results-head .switches button", "Groups")
    page.settled()
    page.picture(folder / "transit.png")


def simulate(page: Page, folder: Path, study: Path) -> None:
    """Who over 65 finds a cool room full at 13:40, and how many seats more would end that."""
    inputs = {
        "mode": "walk", "people": 3000, "fields": ["age_65_plus"], "zones": {"layer": "zones"}, "places": {"layer": "cool_rooms"},
        "capacity": "seats", "runs": 20, "sweep": {"more_seats": [0, 50, 100, 150, 200, 250, 300, 350]},
    }  # fmt: skip
    block = {"id": "m1", "kind": "question", "process": "simulate", "inputs": inputs}
    with Study(study).writing() as connection:
        sheet_records.save(connection, "main", {"title": "When are the cool rooms full?", "blocks": [block]})
    page.driver.get(f"{page.address}/")
    page.open("ferrow/sheet")
    page.click(".block .number", "1")
    page.find("[data-question=m1] .figure", "everybody finds a seat")
    page.find(".fullness")
    page.find(".time-ruler input[type=range]").send_keys(Keys.HOME, *[Keys.PAGE_UP] * 4)
    page.wait(lambda: page.find(".time-ruler output").text == "13:40", "twenty to two")
    page.settled()
    page.picture(folder / "simulate.png")


def form(page: Page, folder: Path) -> None:
    """The form of the burst main as its author sees it in stage Handout, filled in as a colleague would."""
    page.open("ferrow/sheet/a_burst_water_main")
    page.find(".block.selected .figure", "parcels")
    page.settled()
    page.script("location.hash = '#/ferrow/handout/a_burst_water_main'")
    page.click(".left .linkish", "Who is hit")
    page.find(".form-editor .shown-row")
    page.script("document.querySelector('.form-editor').scrollIntoView()")
    page.driver.switch_to.frame(page.find(".paper-view iframe"))
    try:
        page.find("#map canvas")
        page.type("[name=where]", "Heron Lane")
        page.click("#hits button", "Heron Lane")
        page.find("#map .pin")
        page.click("button", "Answer")
        page.find("#outcome article")
        page.wait(lambda: page.script("return document.querySelector('#outcome img').naturalWidth > 0"), "the map")
        page.script("document.querySelector('#outcome .figures').scrollIntoView({block: 'center'})")
    finally:
        page.driver.switch_to.default_content()
    page.picture(folder / "form.png")


def start(page: Page, folder: Path) -> None:
    """The start page."""
    page.driver.get(f"{page.address}/")
    page.find("h1", "Awl")
    page.find(".studies svg path")
    page.driver.execute_script("document.activeElement.blur()")
    page.picture(folder / "home.png")


def main(folder: Path) -> None:
    """Write all pictures to `folder`."""
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as studies:
        make_demo(Path(studies))
        with server(Path(studies)) as address, browser(address, sharp=True) as page:
            pictures(page, folder)
            edit(page, folder)
            simulate(page, folder, Path(studies) / "ferrow.gpkg")
            form(page, folder)
            transit(page, folder, Path(studies) / "ferrow.gpkg")
            start(page, folder)


if __name__ == "__main__":
    main(Path(sys.argv[1] if len(sys.argv) > 1 else "docs/screenshots"))
