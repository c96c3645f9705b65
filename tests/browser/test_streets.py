"""Stage Streets in the browser: parts and the rule by which they are used, connectors, lettering."""

from __future__ import annotations

import pytest
from selenium.webdriver.support.ui import Select

from awl.study.study import Study
from tests.browser.chromium import Page

pytestmark = pytest.mark.browser


@pytest.fixture
def streets(page: Page) -> Page:
    page.open_afresh("cut/streets")
    page.find("h1", "The street graph")
    page.settled()
    return page


def test_parts_are_listed_coloured_and_used_by_a_rule(streets: Page, cut: Study) -> None:
    streets.click("[role=tab]", "Drive")
    report = cut.network("drive").parts_report
    row = streets.find("[aria-label='Parts by size'] tr", "Largest")
    assert f"{report.length_m[0] / 1000:.2f} km" in row.text and "used" in row.text
    data = "window.awlMap.map.getSource('parts').serialize().data.features"
    colours = f"return new Set({data}.map(f => f.properties.colour)).size"
    assert streets.wait(lambda: streets.script(colours), "the other parts on the map") > 1
    Select(streets.find("[aria-label='Parts that are used']")).select_by_value("all")
    streets.wait(lambda: Study(cut.path).keep_parts.rule == "all", "the rule to be kept")
    streets.wait(lambda: "left out" not in streets.find("[aria-label='Parts by size']").text, "all parts to be used")
    assert Study(cut.path).network("drive").parts_report.left_out_links == 0
    Select(streets.find("[aria-label='Parts that are used']")).select_by_value("largest")
    streets.wait(lambda: Study(cut.path).keep_parts.rule == "largest", "the rule to be put back")


def test_zones_are_joined_and_taken_off_again(streets: Page, cut: Study) -> None:
    before = cut.graph.link_count
    Select(streets.find("[aria-label='Zones to join']")).select_by_value("zones")
    streets.type("[aria-label='Streets per zone']", "2")
    streets.click("button", "Join them")
    zones = len(cut.read_layer("zones"))
    streets.find(".notice", f"{zones} centroids are joined by {2 * zones} connectors")
    graph = Study(cut.path).graph
    assert graph.tag("highway").equals("connector").sum() == 2 * zones
    streets.click("button", "connectors out")
    streets.find(".notice", "The connectors are gone")
    assert Study(cut.path).graph.link_count == before


def test_links_are_lettered_with_any_attribute(streets: Page, cut: Study) -> None:
    Select(streets.find("[aria-label='Lettering of links']")).select_by_value("maxspeed")
    graph = cut.graph
    row = int(graph.tag("maxspeed").present().nonzero()[0][0])
    node = int(graph.link_from[row])
    streets.script(
        "window.awlMap.map.jumpTo({center: [arguments[0], arguments[1]], zoom: 17})",
        float(graph.node_lon[node]), float(graph.node_lat[node]),
    )  # fmt: skip
    streets.settled()
    shown = "return window.awlMap.map.queryRenderedFeatures({layers: ['link-numbers']}).map(f => f.properties.maxspeed)"
    found = streets.wait(lambda: [value for value in streets.script(shown) if value], "posted limits on the map")
    assert set(found) <= set(graph.tag("maxspeed").values)
    streets.find(".legend-row", "Link: maxspeed")
    assert streets.log() == ""
