"""Places by the thousand: dots on the map that count what the legend counts, and of which one is found by a click."""

from __future__ import annotations

import shutil
from pathlib import Path

import numpy as np
import pytest
import shapely
from selenium.webdriver.common.by import By

from awl.io.table import Table
from awl.questions.run import ask
from awl.study import sheet_records
from awl.study.study import Study
from tests.browser.chromium import Page
from tests.browser.test_centrality import classes
from tests.browser.test_sheet import dots, drawn
from tests.browser.test_whole_job import colour_distance, shown_colours

pytestmark = pytest.mark.browser
HOMES, SEED = 1100, 7
INPUTS = {"places": {"layer": "homes"}, "radius": 300, "indices": ["reach"]}


@pytest.fixture(scope="module")
def homes(served: Path) -> Study:
    """A study of its own with homes along its streets."""
    shutil.copy(served / "cut.gpkg", served / "homes.gpkg")
    study = Study(served / "homes.gpkg")
    random = np.random.default_rng(SEED)
    streets = study.read_layer("streets").geometry
    at = shapely.line_interpolate_point(
        streets[random.integers(len(streets), size=HOMES)], random.random(HOMES), normalized=True
    )
    names = np.array([f"home {i}" for i in range(HOMES)], dtype=object)
    study.add_layer("homes", Table(shapely.force_2d(at), {"name": names}), "Homes", "places", "homes.geojson")
    with study.writing() as connection:
        question = {"id": "q1", "kind": "question", "process": "centrality", "inputs": INPUTS}
        sheet_records.save(connection, "main", {"title": "Homes", "blocks": [question]})
    return study


def test_dots_are_counted_left_out_and_found_by_a_click(page: Page, homes: Study) -> None:
    page.open("homes/sheet")
    page.click("[data-question=q1] .number")
    page.find(".block.selected .figure", "has the highest reach")
    page.settled()
    document = ask(homes, "centrality", INPUTS).document()
    placed = [one for one in document["places"]["features"] if one["geometry"]]
    assert dots(page) == len(placed) == classes(page)
    assert drawn(page, "graded") == 0, "none is chosen"

    # The dot that lies farthest from all others is clicked, and is chosen in the table and ringed on the map.
    xy = np.array([one["geometry"]["coordinates"] for one in placed])
    near = shapely.STRtree(shapely.points(xy))
    pairs = near.query(shapely.points(xy), predicate="dwithin", distance=3e-4)
    alone = int(np.bincount(pairs[0], minlength=len(xy)).argmin())
    page.script("window.awlMap.map.jumpTo({center: [arguments[0], arguments[1]], zoom: 17})", *xy[alone])
    page.settled()
    page.click_map(*xy[alone])
    name = placed[alone]["properties"]["name"]
    page.wait(lambda: drawn(page, "graded") == 1, "the ring")
    ringed = page.script("return window.awlMap.map.getSource('graded').serialize().data.features[0].properties")
    assert (ringed["name"], ringed["chosen"]) == (name, True)
    assert page.find(".MuiDataGrid-row.Mui-selected [data-field=name]").text == name, "its page of the table is opened"
    page.settled()
    assert dots(page) == len(placed), "the others stay as they are"
    assert min(colour_distance(ringed["colour"], seen) for seen in shown_colours(page)) <= 10

    # What the legend leaves out is not drawn.
    row = page.driver.find_elements(By.CSS_SELECTOR, ".legend section .legend-row")[0]
    count = int(row.find_element(By.CSS_SELECTOR, "small").text.replace(",", ""))
    page.click(".legend section .legend-row")
    page.wait(lambda: dots(page) == len(placed) - count, "the first class to go")
    assert page.log() == ""
    order = page.script("return window.awlMap.map.getLayersOrder()")
    assert order.index("selection") < order.index("dots") < order.index("street-names"), "dots lie under the lettering"
