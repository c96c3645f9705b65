"""A newcomer takes the unbroken street lines to a numbered street graph, reading nothing but the page."""

from __future__ import annotations

import zipfile
from pathlib import Path

import pytest
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from awl.shipped import SOURCE
from awl.study.study import Study
from demo.other import TEN_LINKS
from tests.browser.chromium import Page

pytestmark = pytest.mark.browser
OTHER = SOURCE / "demo" / "data" / "other"


def drop(page: Page, name: str) -> None:
    page.driver.get(f"{page.address}/")
    page.find("h1", "Awl")
    page.choose_file(OTHER / name)
    page.find("[data-testid=line-form]", "Take")


def build(page: Page) -> None:
    page.click("button", "Build streets")
    page.find("h1", "Sources")


def test_from_plain_lines_to_a_numbered_street_graph(page: Page, served: Path) -> None:
    drop(page, "lines.gpkg")
    form = page.find("[data-testid=line-form]").text
    assert "109 lines" in form and "71% a speed" in form
    assert Select(page.find("[aria-label='Field with the direction']")).first_selected_option.text == "dir"
    assert Select(page.find("[aria-label='Value that means against it']")).first_selected_option.text == "T"
    page.type("[aria-label='First node number']", "1001")
    build(page)
    page.click(".stage", "Streets")
    page.find("h2", "From 109 lines")
    graph = Study(served / "lines.gpkg").graph
    assert (graph.node_count, graph.link_count, int(graph.node_id.min())) == (313, 481, 1001)
    # Numbers on the map: each node shows the number the study knows it by.
    page.click(".legend-row", "Node number")
    page.click(".legend-row", "Link number")
    row = graph.node_count // 2
    page.script(
        "window.awlMap.map.jumpTo({center: [arguments[0], arguments[1]], zoom: 18})",
        float(graph.node_lon[row]),
        float(graph.node_lat[row]),
    )
    page.settled()
    shown = "return window.awlMap.map.queryRenderedFeatures({layers: ['node-numbers']}).map(f => f.properties.number)"
    page.wait(lambda: int(graph.node_id[row]) in page.script(shown), "the number of a node")
    assert page.wait(
        lambda: page.script("return window.awlMap.map.queryRenderedFeatures({layers: ['link-numbers']}).length"),
        "link numbers",
    )
    page.click(".legend-row", "Node number")
    page.click(".legend-row", "Link number")
    assert page.log() == ""


def test_numbers_from_the_node_layer_and_a_refusal(page: Page, served: Path) -> None:
    drop(page, "lines_and_nodes.gpkg")
    Select(page.find("[aria-label='Numbering']")).select_by_visible_text("by nodes, node_no")
    page.type("[aria-label='Tolerance in metres']", "900")
    page.click("button", "Build streets")
    page.find("[role=alert]", "tolerance of 900 m is not sensible")
    page.type("[aria-label='Tolerance in metres']", "0.5")
    build(page)
    graph = Study(served / "lines_and_nodes.gpkg").graph
    assert int(graph.node_id.min()) == 2001


def test_lines_can_be_left(page: Page, served: Path) -> None:
    drop(page, "lines.gpkg")
    page.click("button", "Cancel")
    page.find(".drop", "choose a file")
    page.wait(lambda: not list(served.glob(".waiting-*")), "the waiting file to go")


def test_a_drawing_without_geography_is_lettered_and_routed_by_node_numbers(
    page: Page, served: Path, tmp_path: Path
) -> None:
    archive = tmp_path / "ten.zip"
    with zipfile.ZipFile(archive, "w") as out:
        for part in (OTHER / "ten_nodes").iterdir():
            out.write(part, part.name)
    page.driver.get(f"{page.address}/")
    page.find("h1", "Awl")
    page.choose_file(archive)
    page.find("[data-testid=graph-form]", "a drawing without geography")
    build(page)
    page.click(".stage", "Streets")
    page.settled()
    letters = "return window.awlMap.map.queryRenderedFeatures({layers: ['letters']}).map(f => f.properties.text)"
    assert sorted(page.script(letters)) == sorted(weight for _, _, weight in TEN_LINKS)
    page.click(".stage", "Sheet")
    page.click(".asking .linkish", "By which way")
    page.click(".slot", "two points")
    for number in ("1", "10"):
        page.type("[aria-label='Node number']", number + Keys.ENTER)
        page.find(f".editor li input[value='node {number}']")
    figure = page.find(".figure", "weight")
    assert figure.text.split() == ["15", "weight"]
    page.find("[role=gridcell]", "1, 4, 5, 8, 9, 10")
    assert page.log() == ""
