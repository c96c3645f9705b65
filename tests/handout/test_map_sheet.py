"""Map sheets, judged by readers of other makers: pages, fonts, text, scale, inks."""

from __future__ import annotations

import base64
import io
import re
from dataclasses import replace
from pathlib import Path

import numpy as np
import pypdf
import pypdfium2
import pytest
from fontTools.ttLib import TTFont
from hypothesis import given
from hypothesis import strategies as st
from lxml import etree
from PIL import Image
from pydantic import ValidationError

from awl.core.errors import AwlError
from awl.handout import inks
from awl.handout.answers import fresh_content, kept_content
from awl.handout.classing import breaks, class_words, classes_of, natural
from awl.handout.letters import SANS, TITLE, path_of, width_mm, wrapped
from awl.handout.map_sheet import draw_map_sheet
from awl.handout.paper import MapOptions, bar_length, layout_of, scale_for, view_at
from awl.questions import QUESTIONS, question
from awl.questions.kept_answers import keep_under
from awl.questions.run import ask
from awl.study import sheet_records
from tests.questions.test_compare import BRIDGE, PEOPLE
from tests.questions.test_views import ASKED, COMPARED, answered

ROOT = Path(__file__).resolve().parents[2]
SVG = "{http://www.w3.org/2000/svg}"


def sheet(study, process, inputs, ending="pdf", **options):
    answer = ask(study, process, inputs)
    return draw_map_sheet(study, fresh_content(study, process, inputs, answer), MapOptions(**options), ending)


@pytest.fixture(scope="module")
def people_pdf(study):
    return sheet(
        study, "access", PEOPLE, paper="A3", title="Who can walk to a cool room?", credit="The city of Ferrow, 2026"
    )


def test_a_pdf_has_the_size_of_its_paper_text_as_text_and_its_fonts_inside(people_pdf):
    page = pypdf.PdfReader(io.BytesIO(people_pdf)).pages[0]
    size = [float(value) * 25.4 / 72 for value in page.mediabox[2:]]
    assert size == pytest.approx([420, 297], abs=0.2)
    fonts = [entry.get_object() for entry in page["/Resources"]["/Font"].values()]
    assert {re.sub(r"^/[A-Z]+\+", "", str(font["/BaseFont"])) for font in fonts} >= {
        "AwlSans-Regular",
        "AwlSerifItalic-Regular",
    }
    for font in fonts:
        inner = font["/DescendantFonts"][0].get_object() if "/DescendantFonts" in font else font
        assert "/FontFile2" in inner["/FontDescriptor"].get_object(), "the letters are in the file"
    text = pypdfium2.PdfDocument(people_pdf)[0].get_textpage().get_text_range()
    words = (
        "Who can walk to a cool room?", "Who lives near 3 cool rooms", "The city of Ferrow, 2026", "80 to 100%", "Heron Baths",
        "drawn by Awl", "Walks at 4.8 km/h", "Touches the border",
    )  # fmt: skip
    assert [one for one in words if one not in text.replace("\r\n", " ")] == []


def test_an_svg_is_valid_with_text_and_fonts_of_its_own(study):
    data = sheet(
        study, "isochrone", {"places": {"layer": "cool_rooms"}, "limits": [4, 8]}, "svg", orientation="portrait"
    )
    tree = etree.fromstring(data, etree.XMLParser(resolve_entities=False, huge_tree=True))
    assert [float(tree.get(side).removesuffix("pt")) * 25.4 / 72 for side in ("width", "height")] == pytest.approx(
        [210, 297], abs=0.2
    )
    texts = ["".join(element.itertext()).strip() for element in tree.iter(f"{SVG}text")]
    assert {"to 4 min", "to 8 min", "Heron Baths", "4 min"} <= set(texts)
    style = "".join(tree.find(f".//{SVG}style").itertext())
    faces = dict(re.findall(r"font-family:'([^']+)';src:url\(data:font/ttf;base64,([^)]+)\)", style))
    assert {SANS, TITLE} <= set(faces)
    assert TTFont(io.BytesIO(base64.b64decode(faces[SANS])))["name"].getDebugName(1) == SANS
    used = {name.strip("'\" ") for name in re.findall(r"font: [\d.]+px ([^;\"]+?)(?:,|;|\")", data.decode())}
    assert {name for name in used if name.startswith("Awl")} <= set(faces)
    assert "http" not in re.sub(r'xmlns(:\w+)?="[^"]*"|rdf:\w+="[^"]*"', "", data.decode().split("<metadata>")[0]), (
        "nothing is fetched"
    )


def test_a_png_has_its_pixels_per_inch(study):
    image = Image.open(
        io.BytesIO(
            sheet(
                study, "matrix", {"from": {"layer": "cool_rooms"}, "to": {"layer": "zones"}}, "png", paper="A5", dpi=120
            )
        )
    )
    assert image.size == pytest.approx((210 / 25.4 * 120, 148 / 25.4 * 120), abs=1)
    assert image.info["dpi"] == pytest.approx((120, 120), abs=0.1)
    assert len(image.convert("RGB").getcolors(1 << 24) or []) > 50, "something is drawn"


def test_the_scale_that_is_stated_is_the_scale_of_the_map(study):
    data = sheet(
        study, "isochrone", {"places": {"layer": "cool_rooms"}, "limits": [4]}, "svg", scale=10_000, paper="A4"
    )
    tree = etree.fromstring(data, etree.XMLParser(huge_tree=True))
    where = {}
    for element in tree.iter(f"{SVG}text"):
        numbers = [float(number) for number in re.findall(r"-?[\d.]+", element.get("transform", ""))]
        where["".join(element.itertext()).strip()] = numbers
    assert "1:10,000" in where
    # The bar reads 0 at its left end and its length in the middle of the word at its right end.
    rooms = study.read_layer("cool_rooms")
    xy = dict(zip(rooms.columns["name"], study.graph.plane.project(rooms.geometry), strict=True))
    names = [name for name in xy if name in where]
    assert len(names) >= 2
    first, second = names[:2]
    frame = layout_of(MapOptions()).map
    metres = (xy[first].x - xy[second].x) / 10_000 * 1000
    assert abs(metres) < frame[2]
    # Letters stand beside their pin, on either side: so much may be between.
    drawn = (where[first][0] - where[second][0]) * 25.4 / 72
    most = max(width_mm(name, SANS, 9) for name in (first, second)) * 2 + 6
    assert drawn == pytest.approx(metres, abs=most)


@pytest.mark.parametrize("name", [name for name in [*ASKED, *COMPARED] if " " not in name.removeprefix("compare ")])
def test_every_answer_and_comparison_is_drawn(study, name):
    answer, process = answered(study, name), name.split()[0]
    inputs = ASKED[name] if process != "compare" else {"answers": []}
    content = fresh_content(study, process, inputs, answer)
    data = draw_map_sheet(study, content, MapOptions(paper="A5", dpi=50), "png")
    colours = Image.open(io.BytesIO(data)).convert("RGB").getcolors(1 << 24) or []
    assert len(colours) > 40
    grey = Image.open(
        io.BytesIO(draw_map_sheet(study, content, MapOptions(paper="A5", dpi=50, colour="grey"), "png"))
    ).convert("RGB")
    assert np.ptp(np.asarray(grey, int), axis=2).max() <= 1, "no ink has a hue"


def test_in_grey_a_gain_is_hatched_and_a_loss_is_not():
    grey, colour = inks.Inks(grey=True), inks.Inks()
    assert [grey.is_hatched(f"change:{i}/5") for i in range(5)] == [False, False, False, True, True]
    assert not any(colour.is_hatched(f"change:{i}/5") for i in range(5))
    assert grey("change:0/5") != grey("change:2/5")


def test_the_sheet_gives_names_and_looks(own_study):
    answer = ask(own_study, "isochrone", {"places": {"layer": "cool_rooms"}, "limits": [4]})
    keep_under(own_study, "q1", question("isochrone"), {"places": {"layer": "cool_rooms"}, "limits": [4]}, answer, 0.1)
    block = {
        "id": "q1", "kind": "question", "process": "isochrone", "inputs": {}, "title": "Cool rooms on foot",
        "look": {"band-0": {"label": "a short walk", "colour": "#00ff00"}},
    }  # fmt: skip
    with own_study.writing() as connection:
        sheet_records.save(connection, "main", {"title": "", "blocks": [block]})
    svg = draw_map_sheet(own_study, kept_content(own_study, "q1"), MapOptions(), "svg").decode()
    assert "Cool rooms on foot" in svg and "a short walk" in svg and "to 4 min" not in svg and "#00ff00" in svg
    keep_under(own_study, "a", question("access"), PEOPLE, ask(own_study, "access", PEOPLE), 0.1)
    closed = {**PEOPLE, "closures": BRIDGE}
    keep_under(own_study, "b", question("access"), closed, ask(own_study, "access", closed), 0.1)
    both = ask(own_study, "compare", {"answers": ["a", "b"]})
    keep_under(own_study, "c", question("compare"), {"answers": ["a", "b"]}, both, 0.1)
    compared = draw_map_sheet(own_study, kept_content(own_study, "c"), MapOptions(), "svg").decode()
    assert "The same question, but the bridges closed for no street closed." in compared


def test_places_of_ones_own_and_reached_streets_are_on_the_paper(study):
    inputs = {"places": [[-36.2040, 41.2905], [-36.1960, 41.2925]], "limits": [4]}
    answer = ask(study, "isochrone", inputs)
    texts = []
    for parts in (set(answer.parts), {"areas", "contours", "places"}):
        content = fresh_content(study, "isochrone", inputs, answer)
        seen = replace(content, part=lambda name, own=content.part, parts=parts: own(name) if name in parts else None)
        tree = etree.fromstring(draw_map_sheet(study, seen, MapOptions(), "svg"), etree.XMLParser(huge_tree=True))
        texts.append(["".join(element.itertext()).strip() for element in tree.iter(f"{SVG}text")])
    assert all({"A", "B", "Point"} <= set(own) for own in texts)
    assert "Reached street" in texts[0] and "Reached street" not in texts[1], "the legend tells what is drawn"


def test_equal_sheets_are_equal_files(study):
    inputs = {"places": {"layer": "cool_rooms"}, "limits": [4]}
    answer = ask(study, "isochrone", inputs)
    content = fresh_content(study, "isochrone", inputs, answer)
    for ending in ("png", "svg"):
        assert len({draw_map_sheet(study, content, MapOptions(paper="A5", dpi=50), ending) for _ in range(2)}) == 1, (
            ending
        )


def test_what_cannot_be_drawn_is_said(study, own_study):
    answer = ask(study, "isochrone", {"places": {"layer": "cool_rooms"}, "limits": [4]})
    content = fresh_content(study, "isochrone", {}, answer)
    with pytest.raises(AwlError, match="'gif' is no format"):
        draw_map_sheet(study, content, MapOptions(), "gif")
    with pytest.raises(AwlError, match="'zz' has no answer"):
        kept_content(own_study, "zz")
    for wrong in (
        {"paper": "A9"},
        {"dpi": 5000},
        {"scale": 3},
        {"paper": "A2", "dpi": 600},
        {"centre": [1]},
        {"colours": 1},
    ):
        with pytest.raises(ValidationError):
            MapOptions(**wrong)


# -- paper, classes, letters, inks -----------------------------------------------------------------------------------------


@given(
    st.floats(10, 1e6),
    st.floats(10, 1e6),
    st.sampled_from(["A5", "A4", "A3", "A2"]),
    st.sampled_from(["landscape", "portrait"]),
)
def test_the_scale_is_the_largest_usual_one_at_which_an_extent_fits(width, height, paper, orientation):
    frame = layout_of(MapOptions(paper=paper, orientation=orientation)).map[2:]
    scale = scale_for((0, 0, width, height), frame)
    view = view_at((width / 2, height / 2), scale, frame)
    assert view[0] <= 1e-6 and view[1] <= 1e-6 and view[2] >= width - 1e-6 and view[3] >= height - 1e-6
    first = float(f"{scale:.2e}".split("e")[0])
    assert any(first == pytest.approx(step, rel=0.005) for step in (1, 1.25, 1.5, 2, 2.5, 3, 4, 5, 6, 7.5))
    smaller = view_at((width / 2, height / 2), scale / 1.34, frame)
    assert scale <= 500 or smaller[2] < width or smaller[3] < height
    length = bar_length(scale, 60)
    assert 60 / 2.6 <= length / scale * 1000 <= 60


def test_boxes_of_the_layout_stay_on_the_paper_and_off_each_other():
    for paper in ("A5", "A4", "A3", "A2"):
        for orientation in ("landscape", "portrait"):
            for flag in (True, False):
                layout = layout_of(MapOptions(paper=paper, orientation=orientation, legend=flag, method=flag))
                boxes = [layout.title, layout.map, *([layout.legend] if flag else []), layout.foot]
                for x, y, width, height in boxes:
                    assert x >= 0 and y >= 0 and x + width <= layout.width + 1e-9 and y + height <= layout.height + 1e-9
                for i, (ax, ay, aw, ah) in enumerate(boxes):
                    for bx, by, bw, bh in boxes[i + 1 :]:
                        assert (
                            ax + aw <= bx + 1e-9 or bx + bw <= ax + 1e-9 or ay + ah <= by + 1e-9 or by + bh <= ay + 1e-9
                        )


NUMBERS = st.lists(st.floats(-1e4, 1e4).map(lambda value: round(value, 2)), min_size=1, max_size=40)


@given(NUMBERS, st.sampled_from(["equal", "quantile", "natural"]))
def test_every_value_is_in_one_class(values, classing):
    limits = breaks(np.array(values), classing, None)
    assert limits == sorted(limits) and limits[0] == min(values) and limits[-1] == max(values)
    level = classes_of(np.array([*values, np.nan]), limits)
    assert level[-1] == -1 and (level[:-1] >= 0).all() and level.max() <= max(len(limits) - 2, 0)
    for value, own in zip(values, level, strict=False):
        assert limits[own] <= value <= limits[own + 1]
    assert all(class_words(limits, i, "min", False) for i in range(len(limits) - 1))


@given(st.lists(st.integers(0, 60), min_size=5, max_size=12, unique=True))
def test_natural_breaks_leave_the_least_spread(values):
    ordered = np.sort(np.array(values, float))

    def spread(begins):
        edges = [0, *begins, len(ordered)]
        return sum(((ordered[a:b] - ordered[a:b].mean()) ** 2).sum() for a, b in zip(edges, edges[1:], strict=False))

    from itertools import combinations

    best = min(spread(begins) for begins in combinations(range(1, len(ordered)), 4))
    own = [int(np.searchsorted(ordered, limit)) for limit in natural(ordered)]
    assert spread(own) == pytest.approx(best, abs=1e-6)


@given(st.text("abcdefgh ijkl mnop", min_size=1, max_size=120), st.floats(10, 80))
def test_lines_are_no_wider_than_their_room_but_for_single_words(text, most):
    rows = wrapped(text, SANS, 8, most)
    assert " ".join(rows) == " ".join(text.split())
    assert all(width_mm(row, SANS, 8) <= most or " " not in row for row in rows)
    assert len(wrapped(text, SANS, 8, most, 2)) <= 2


def test_inks_are_those_of_the_interface():
    tokens = dict(
        re.findall(
            r"--([\w-]+):\s*(#[0-9A-Fa-f]{6})", (ROOT / "ui/src/tokens.css").read_text().split("[data-theme=dark]")[0]
        )
    )
    assert {name: code.upper() for name, code in inks.TOKENS.items()} == {
        name: tokens[name].upper() for name in inks.TOKENS
    }
    colour = inks.Inks()
    assert (
        colour("band:0/3", "fill") == inks.TOKENS["b1-fill"].lower()
        and colour("band:2/3", "line") == inks.TOKENS["b3-line"].lower()
    )
    assert colour("#ABCDEF") == "#abcdef" and colour(None) == inks.TOKENS["ink"].lower()


def test_fonts_have_the_letters_of_the_interface_and_their_licence():
    for family in (SANS, TITLE):
        letters = TTFont(path_of(family)).getBestCmap()
        assert {ord(letter) for letter in "AZaz09äöüéñçß–−…%²'"} <= set(letters)
    assert "Open Font License" in (path_of(SANS).parent / "README.md").read_text()


def test_questions_that_are_drawn_are_all():
    assert {name.split()[0] for name in [*ASKED, *COMPARED]} == set(QUESTIONS)
