"""Reports: one file that needs nothing else, says what the sheet says, and tells what changed since an earlier one."""

from __future__ import annotations

import base64
import io
import json
import re

import numpy as np
import pytest
from lxml import html
from PIL import Image

from awl.core.errors import AwlError
from awl.handout.report import record_of, report_html
from awl.questions import question
from awl.questions.field_columns import digits_of
from awl.questions.kept_answers import keep_under
from awl.questions.run import ask
from awl.study import sheet_records
from awl.study.study import Study
from tests.questions.test_compare import BRIDGE, PEOPLE
from tests.questions.test_questions import EAST, WEST

HOSTILE = '</script><script>alert("x")</script><img src=x onerror=alert(1)>'
CLOSED = {**PEOPLE, "closures": BRIDGE}
BLOCKS = [
    {"id": "h1", "kind": "heading", "text": "Cool rooms & heat"},
    {"id": "n1", "kind": "prose", "text": HOSTILE},
    {"id": "q1", "kind": "question", "process": "access", "inputs": PEOPLE, "title": "On foot"},
    {"id": "q2", "kind": "question", "process": "access", "inputs": CLOSED},
    {"id": "q3", "kind": "question", "process": "compare", "inputs": {"answers": [{"answer": "q1"}, {"answer": "q2"}]}},
    {"id": "q4", "kind": "question", "process": "route", "inputs": {"waypoints": [WEST, EAST]}},
    {"id": "q5", "kind": "question", "process": "isochrone", "inputs": {"places": {"layer": "gone"}}},
]


def save(study, blocks):
    with study.writing() as connection:
        sheet_records.save(connection, "main", {"title": "Who can walk to a cool room?", "blocks": blocks})


@pytest.fixture(scope="module")
def folder(study_file, tmp_path_factory):
    return tmp_path_factory.mktemp("report")


@pytest.fixture(scope="module")
def written(study_file, folder):
    path = folder / "ferrow.gpkg"
    path.write_bytes(study_file.read_bytes())
    study = Study(path)
    save(study, BLOCKS)
    # One of the answers is kept, the others are asked.
    keep_under(study, "q1", question("access"), PEOPLE, ask(study, "access", PEOPLE), 0.1)
    return study, report_html(study)


def text(element):
    return re.sub(r"\s+", " ", element.text_content()).strip()


def test_a_report_says_what_the_sheet_says(written):
    study, page = written
    tree = html.fromstring(page)
    assert text(tree.find(".//h1")) == "Who can walk to a cool room?"
    assert [text(one) for one in tree.findall(".//h2")][:2] == ["Cool rooms & heat", "On foot"]
    sections = {one.get("id"): one for one in tree.findall(".//section")}
    assert list(sections) == ["q1", "q2", "q3", "q4", "q5", "versions"]
    answer = ask(study, "access", PEOPLE)
    figures = [text(one) for one in sections["q1"].xpath(".//ul[@class='figures']/li")]
    shown = text(sections["q1"])
    assert len(figures) == len(answer.view.figures)
    for figure, said in zip(answer.view.figures, figures, strict=True):
        assert said.endswith(figure.label) and float(said.split()[0].replace(",", "").replace("−", "-")) == figure.value
    assert "Who lives near 3 cool rooms" in shown and "Walks at 4.8 km/h" in shown
    assert all(doubt.text.replace("  ", " ") in shown for doubt in answer.doubts)
    assert "with the bridges closed" in text(sections["q2"])
    assert "The same question, but the bridges closed for no street closed." in text(sections["q3"])
    assert "It cannot be answered" in text(sections["q5"]) and "gone" in text(sections["q5"])
    tables = sections["q1"].findall(".//table")
    zones = answer.part("zones").columns
    assert text(tables[0].find(".//tbody/tr")[0]) == zones["zone"][0]
    assert "Streets: cut.osm.pbf, built" in text(sections["versions"]) and "Awl 0" in text(sections["versions"])


def test_a_report_needs_nothing_else_and_runs_nothing(written):
    _, page = written
    tree = html.fromstring(page)
    for element in tree.iter():
        for name in ("src", "href", "{http://www.w3.org/1999/xlink}href"):
            value = element.get(name)
            assert value is None or value.startswith(("data:", "#")), (element.tag, value)
        assert not any(name.startswith("on") for name in element.keys()), element.tag  # noqa: SIM118
    scripts = tree.findall(".//script")
    assert [one.get("type") for one in scripts] == ["application/json"]
    assert "@import" not in page and "url(http" not in page
    assert HOSTILE not in page and "&lt;/script&gt;" in page
    assert "default-src 'none'" in page


def test_maps_and_charts_are_pictures_in_the_file(written):
    tree = html.fromstring(written[1])
    maps = [one.get("src") for one in tree.findall(".//figure/img")]
    assert len(maps) == 4, "two answers, their comparison and a route"
    for source in maps:
        image = Image.open(io.BytesIO(base64.b64decode(source.partition(",")[2])))
        assert image.width > 900 and len(image.convert("RGB").getcolors(1 << 24) or []) > 100
    assert len(tree.findall(".//figure/svg")) >= 3


def test_blocks_are_left_out(written):
    study, _ = written
    page = report_html(study, without=["n1", "q2", "q3", "q4", "q5"])
    tree = html.fromstring(page)
    assert [one.get("id") for one in tree.findall(".//section")] == ["q1", "versions"]
    assert "alert" not in text(tree.find(".//body"))
    with pytest.raises(AwlError, match="no block 'q9'"):
        report_html(study, without=["q9"])
    with pytest.raises(AwlError, match="no sheet 'other'"):
        report_html(study, "other")


def test_a_second_run_says_what_changed(written, own_study):
    _, page = written
    former = record_of(page)
    assert [one["number"] for one in former["questions"]] == [1, 2, 3, 4]
    closed = [{**BLOCKS[2], "inputs": CLOSED}, {**BLOCKS[3], "id": "q9"}]
    save(own_study, closed)
    tree = html.fromstring(report_html(own_study, since=page))
    changes = next(one for one in tree.findall(".//section") if one.get("id") == "changes")
    before = {figure["label"]: figure["value"] for figure in former["questions"][0]["figures"]}
    rows = [[text(cell) for cell in row] for row in changes.findall(".//tbody/tr")]
    now = {figure.label: figure.value for figure in ask(own_study, "access", CLOSED).view.figures}
    assert [row[1].rpartition(", ")[0] for row in rows] == [label for label in now if now[label] != before[label]]
    for _, label, then, later, difference in rows:
        name = label.rpartition(", ")[0]
        assert (float(then.replace(",", "")), float(later.replace(",", ""))) == (
            pytest.approx(before[name]),
            pytest.approx(now[name]),
        )
        assert float(difference.replace(",", "").replace("−", "-")) == pytest.approx(now[name] - before[name], abs=1e-3)
    notes = text(changes)
    for words in ("Question 1 was asked otherwise then.", "Question 2 is new.", "Question 3 of then is gone."):
        assert words in notes
    save(own_study, BLOCKS[2:3])
    same = html.fromstring(report_html(own_study, since=report_html(own_study)))
    assert "Nothing: all key figures are what they were." in text(same)


@pytest.mark.parametrize(
    "page", ["", "<html></html>", '<script type="application/json" id="awl-report">{</script>',
             '<script type="application/json" id="awl-report">{"awl_report": 2, "questions": []}</script>',
             '<script type="application/json" id="awl-report">[]</script>'],
)  # fmt: skip
def test_what_is_no_report_is_refused(own_study, page):
    save(own_study, [])
    with pytest.raises(AwlError, match="none that Awl can read"):
        report_html(own_study, since=page)


def test_the_record_of_a_report_is_json_whatever_it_holds(own_study):
    save(
        own_study,
        [{"id": "q1", "kind": "question", "process": "route", "inputs": {"waypoints": [WEST, EAST]}, "title": HOSTILE}],
    )
    page = report_html(own_study)
    inner = page.partition('id="awl-report">')[2].partition("</script>")[0]
    assert json.loads(inner)["questions"][0]["id"] == "q1"
    assert record_of(page) == json.loads(inner)


@pytest.mark.parametrize(
    ("numbers", "digits"),
    [([1, 2, 300], 0), ([0.29, 0.012], 3), ([12.34, 0.5], 1), ([1234.5], 1), ([1.5, -2.25], 2), ([3e-6], 4), ([], 0)],
)
def test_numbers_of_any_field_are_read_with_digits_that_count(numbers, digits):
    assert digits_of(np.array(numbers, float)) == digits
