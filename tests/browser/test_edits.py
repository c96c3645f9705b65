"""Streets that can be mended: from lines with faults to a bridge that is drawn, kept as a what-if, asked about and undone."""

from __future__ import annotations

import io
import json
from functools import partial
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from awl.core.analysis.health.findings import KINDS, NAMES
from awl.core.analysis.health.sentences import sentences
from awl.study import ledger, records, sheet_records, what_ifs
from awl.study.health import findings_of
from awl.study.importing import build
from awl.study.study import Study
from tests.browser.chromium import Page

pytestmark = pytest.mark.browser
STEP = 0.001
WEST, EAST, ROWS = (0, 1, 2, 3), (5, 6, 7, 8), (0, 1, 2, 3, 4)
OTHER_BANK = (5 * STEP, 1.5 * STEP)
BRIDGE = ((3 * STEP, 2 * STEP), (5 * STEP, 2 * STEP))


def lines() -> dict:
    """Streets of two banks without a bridge, as lines without nodes; three lanes end 3 m short of the street they should meet."""
    drawn = [
        ([[x * STEP, y * STEP] for x in bank], f"{side} {y} Street")
        for side, bank in (("West", WEST), ("East", EAST))
        for y in ROWS
    ]
    drawn += [([[x * STEP, y * STEP] for y in ROWS], f"Lane {x}") for x in (*WEST, *EAST)]
    drawn += [
        ([[(x + 0.5) * STEP, 1.5 * STEP], [(x + 0.5) * STEP, STEP + 0.000027]], f"Short Lane {x}") for x in (0, 1, 6)
    ]
    features = [
        {
            "type": "Feature",
            "geometry": {"type": "LineString", "coordinates": line},
            "properties": {"name": name, "highway": "residential"},
        }
        for line, name in drawn
    ]
    return {"type": "FeatureCollection", "features": features}


@pytest.fixture(scope="module")
def town(served: Path) -> Study:
    source = served / "town.geojson"
    source.write_text(json.dumps(lines()))
    build(source, served / "town.gpkg")
    source.unlink()
    study = Study(served / "town.gpkg")
    inputs = {"places": [[0.5 * STEP, 2 * STEP]], "limits": [5, 10], "mode": "walk"}
    block = {"id": "q1", "kind": "question", "process": "isochrone", "title": "From the west", "inputs": inputs}
    with study.writing() as connection:
        sheet_records.save(connection, "main", {"title": "Bridge", "blocks": [block]})
    return study


@pytest.fixture
def streets(page: Page, town: Study) -> Page:
    page.open_afresh("town/sheet")
    page.find("[data-question] .figure")
    page.open("town/streets")
    page.find("h1", "The street graph")
    page.settled()
    return page


def test_faults_are_listed_by_kind_and_read_one_after_another(streets: Page, town: Study) -> None:
    streets.click("button", "Check the streets")
    findings = findings_of(town)
    for name, count in findings.counts().items():
        assert str(count) in streets.find("[aria-label='Findings by kind'] tr", KINDS[name].title).text
    streets.click("[aria-label='Findings by kind'] button", KINDS["near-miss"].title)
    texts = sentences(town.graph, findings.take(findings.kind == NAMES.index("near-miss")))
    body = streets.find("body")
    for number in (0, 1, 0):
        body.send_keys("k" if number == 0 and streets.find("[data-testid=finding]").text.startswith(texts[1]) else "j")
        assert texts[number] in streets.find("[data-testid=finding]", f"{number + 1} of {len(texts)}").text
    first = findings.take(findings.kind == NAMES.index("near-miss")).take(np.arange(1))
    lon, lat = town.graph.plane.lonlat(first.x, first.y)
    there = (
        "const c = window.awlMap.map.getCenter(); return Math.hypot(c.lng - arguments[0], c.lat - arguments[1]) < 1e-5"
    )
    streets.wait(lambda: streets.script(there, float(lon[0]), float(lat[0])), "the map to go to the finding")


def street_km(page: Page) -> float:
    """Kilometres of street within the largest limit, as the answer on the page says."""
    text = page.find("[data-question] .figure", "of street").find_element("css selector", "b").text
    return float(text.split("\n")[0].replace("km", "").replace(",", ""))


def is_fresh(town: Study) -> bool:
    study = Study(town.path)
    answer = records.answer(study.reading, "q1")
    return answer is not None and records.is_fresh(study.reading, answer, study.revision)


def is_inked(page: Page, lon: float, lat: float) -> bool:
    """Whether a street at a place is drawn in the ink of the second limit."""
    picture = Image.open(io.BytesIO(page.driver.get_screenshot_as_png())).convert("RGB")
    left, top, width = page.script(
        "const b = document.querySelector('.map').getBoundingClientRect(); return [b.x, b.y, innerWidth]"
    )
    x, y = page.at(lon, lat)
    scale = picture.width / width
    middle = round((left + x) * scale), round((top + y) * scale)
    seen = np.asarray(picture.crop((middle[0] - 4, middle[1] - 4, middle[0] + 5, middle[1] + 5)), int).reshape(-1, 3)
    # A narrow line is never quite its ink: gold is what has far more red than blue.
    return bool((seen[:, 0] - seen[:, 2] > 60).any())


def test_mend_draw_try_ask_and_undo(streets: Page, town: Study) -> None:
    page, body = streets, streets.find("body")
    # Mend all near misses at once, seen before they are done.
    page.click("button", "Check the streets")
    page.click("[aria-label='Findings by kind'] button", KINDS["near-miss"].title)
    body.send_keys("j")
    page.click("[aria-label='Ways to mend it'] button", "all 3")
    page.find("[aria-label='What would change']", "3 findings would be mended so.")
    ghosts = "return window.awlMap.map.getSource('selection').serialize().data.features.length"
    page.wait(lambda: page.script(ghosts) >= 3, "the ghosts on the map")
    assert not ledger.steps(town.reading)
    page.click("[aria-label='What would change'] button", "Join them")
    page.find("[aria-label='Steps'] li", "Joined streets, 3 edits")
    assert "near-miss" not in findings_of(Study(town.path)).counts()

    # Draw a bridge as a what-if, with the reach of the question on the map.
    Select(page.find("[aria-label='What the map shows while streets are edited']")).select_by_value("q1")
    Select(page.find("[aria-label='What edits change']")).select_by_value("+")
    page.find("[aria-label='Title of the what-if']").send_keys("a bridge were built" + Keys.ENTER)
    page.find("[aria-label='What-ifs'] li.chosen")
    page.settled()
    page.find(".legend-row", "to 10 min")
    page.script("window.awlMap.map.jumpTo({center: [arguments[0], arguments[1]], zoom: 16})", 4 * STEP, 2 * STEP)
    page.settled()
    Select(page.find("[aria-label='Level of the new street']")).select_by_value("bridge")
    page.click("button", "Draw it on the map")
    page.click_map(*BRIDGE[0])
    page.settled()
    assert not is_inked(page, *OTHER_BANK), "the other bank is out of reach"
    page.click_map(*BRIDGE[1])
    page.find(".legend-row", "Meets a junction")
    # The reach grows over the bridge while it is drawn, before anything is stored.
    page.wait(lambda: is_inked(page, *OTHER_BANK), "the reach to grow over the bridge")
    assert not ledger.steps(Study(town.path).reading, what_ifs.listed(Study(town.path).reading)[0].id)
    body.send_keys(Keys.BACKSPACE)
    page.wait(lambda: not is_inked(page, *OTHER_BANK), "the reach to go back with the corner")
    page.click_map(*BRIDGE[1])
    body.send_keys(Keys.ENTER)
    page.find("[aria-label='Steps'] li", "Drew residential")
    (idea,) = what_ifs.listed(Study(town.path).reading)
    (step,) = ledger.steps(Study(town.path).reading, idea.id)
    assert step.edits[0].points == BRIDGE and step.edits[0].tags["bridge"] == "yes"
    assert Study(town.path).graph.tag("bridge").present().sum() == 0, "the streets themselves are as they were"
    # The reach on the map has grown onto the bridge, while nothing was asked again.
    page.settled()

    # Ask who gains.
    page.open("town/sheet")
    page.settled()
    page.click("[data-question] .number")
    page.find("[data-question] .stale", "stale")  # lanes were mended since
    page.click("[data-question] button", "Ask again")
    page.settled()
    page.wait(lambda: is_fresh(town), "the new answer")
    page.settled()
    before = street_km(page)
    page.click("[data-question] button", "Over what-ifs")
    table = "[aria-label='Over what-ifs']"
    page.wait(
        lambda: len(page.find(f"{table} tbody tr").text.split()) >= 3 and "Asking" not in page.find(table).text,
        "the figures",
    )
    figures = [
        float(cell.text.replace(",", ""))
        for cell in page.find(f"{table} tbody", "of street").find_elements("css selector", "tr:last-child td.n")
    ]
    assert len(figures) == 2 and figures[1] > figures[0] == pytest.approx(before, abs=0.06)
    page.click(f"{table} button", "Close")
    page.click("[data-question] .block-tools button", "What if")
    page.click("[aria-label='What if'] label", "a bridge were built")
    page.find("[data-question]", "with a bridge were built")
    page.wait(lambda: street_km(page) > before, "the answer with the bridge")

    # Undo: the answer is stale, and the same as before once it is asked again.
    page.open("town/streets")
    page.find("h1", "The street graph")
    page.find("[aria-label='Steps'] li", "Drew residential")
    page.click(".block-tools button", "Undo")
    page.find("[aria-label='Steps'] li.quiet", "taken back")
    page.open("town/sheet")
    page.find("[data-question] .stale", "stale")
    page.click("[data-question] .number")
    page.click("[data-question] button", "Ask again")
    page.wait(lambda: street_km(page) == before, "the answer without the bridge")
    assert page.log() == ""


def has_undone(town: Study, count: int) -> bool:
    return sum(step.undone for step in ledger.steps(Study(town.path).reading)) == count


def test_a_street_that_is_clicked_is_changed_split_and_taken_out(streets: Page, town: Study) -> None:
    page = streets
    Select(page.find("[aria-label='What edits change']")).select_by_value("")
    page.script("window.awlMap.map.jumpTo({center: [arguments[0], arguments[1]], zoom: 17})", 2.5 * STEP, 3 * STEP)
    page.settled()
    place = 2.5 * STEP, 3 * STEP

    def tags() -> dict:
        graph = Study(town.path).graph
        return {key: column.decode() for key, column in graph.tags.items()}

    page.click_map(*place)
    Select(page.find("[aria-label='Direction']")).select_by_value("yes")
    page.wait(lambda: "yes" in tags().get("oneway", []), "the one-way street")
    page.settled()
    count = Study(town.path).graph.link_count
    page.click_map(*place)
    page.click("[aria-label='The street that was clicked'] button", "Split it")
    page.wait(lambda: Study(town.path).graph.link_count == count + 1, "the two halves")
    page.settled()
    page.click_map(2.3 * STEP, 3 * STEP)
    page.click("[aria-label='The street that was clicked'] button", "Take it out")
    page.wait(lambda: Study(town.path).graph.link_count == count, "the street to be gone")
    page.settled()
    for undone in (1, 2, 3):
        page.find("body").send_keys("u")
        page.wait(partial(has_undone, town, undone), "the step to be undone")
        page.settled()
    assert "oneway" not in tags() and Study(town.path).graph.link_count == count
    assert page.log() == ""


def test_two_clicks_move_a_junction_for_a_what_if_alone(streets: Page, town: Study) -> None:
    page, graph = streets, town.graph
    idea = what_ifs.save(town, {"title": "the corner were wider"})
    page.driver.refresh()
    Select(page.find("[aria-label='What edits change']")).select_by_value(idea.id)
    row = int(np.argmin(np.hypot(graph.node_lon - STEP, graph.node_lat - 2 * STEP)))
    lon, lat = float(graph.node_lon[row]), float(graph.node_lat[row])
    page.settled()
    page.script("window.awlMap.map.jumpTo({center: [arguments[0], arguments[1]], zoom: 16.5})", lon, lat)
    page.settled()
    page.click("button", "Begin")
    page.find("[role=status]", "Click the junction that is to move")
    page.click_map(lon, lat)
    page.find("[role=status]", "Click where it is to stand")
    page.click_map(lon + 0.0004, lat + 0.0003)
    page.find("[aria-label='Steps'] li", "Moved a junction")
    (step,) = ledger.steps(Study(town.path).reading, idea.id)
    assert step.edits[0].kind == "move" and step.edits[0].node == int(graph.node_id[row])
    assert step.edits[0].points[0] == pytest.approx((lon + 0.0004, lat + 0.0003), abs=2e-5)
    # What it changes is hatched, and is gone while the key is held.
    hatched = "return window.awlMap.map.getSource('changes').serialize().data.features.length"
    changed = len(what_ifs.changes(Study(town.path), idea.id)[1])
    page.wait(lambda: page.script(hatched) == changed > 0, "the hatched streets")
    ActionChains(page.driver).key_down("b").perform()
    page.wait(lambda: page.script(hatched) == 0, "the streets as they are")
    ActionChains(page.driver).key_up("b").perform()
    page.wait(lambda: page.script(hatched) == changed, "the hatched streets again")
    what_ifs.drop(Study(town.path), idea.id)


def test_a_street_is_drawn_by_keys_alone(streets: Page, town: Study) -> None:
    page, graph = streets, town.graph
    before = len(ledger.edits_of(town.reading))
    row = int(np.argmin(np.hypot(graph.node_lon - STEP, graph.node_lat - 2 * STEP)))
    place = float(graph.node_lon[row]), float(graph.node_lat[row])
    page.find("body").send_keys(Keys.TAB)
    page.click("button", "Draw it on the map")
    canvas = page.find(".maplibregl-canvas")
    page.script("arguments[0].focus()", canvas)
    for lon, lat in (place, (place[0] + 0.0005, place[1] + 0.0004)):
        page.script("window.awlMap.map.jumpTo({center: [arguments[0], arguments[1]], zoom: 17})", lon, lat)
        page.settled()
        canvas.send_keys(Keys.SPACE)
    canvas.send_keys(Keys.ENTER)
    page.find("[aria-label='Steps'] li", "Drew residential")
    edits = ledger.edits_of(Study(town.path).reading)
    assert len(edits) == before + 1
    first, last = edits[-1].points
    assert first == pytest.approx(place, abs=1e-7) and last == pytest.approx(
        (place[0] + 0.0005, place[1] + 0.0004), abs=2e-5
    )
    page.find("body").send_keys("u")
    page.wait(lambda: len(ledger.edits_of(Study(town.path).reading)) == before, "the street to go")
