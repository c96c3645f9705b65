"""A map sheet: an answer on paper with title, legend, scale, north, sources, method and doubts; as PNG, SVG or PDF.

Everything is vector but for PNG; text is text, in fonts that the file holds.
"""

from __future__ import annotations

import base64
import io
import re
from datetime import datetime

import numpy as np
import shapely
from matplotlib import rcParams
from matplotlib.axes import Axes
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.backends.backend_pdf import FigureCanvasPdf
from matplotlib.backends.backend_svg import FigureCanvasSVG
from matplotlib.figure import Figure
from matplotlib.patches import Polygon, Rectangle

from awl import __version__
from awl.core.errors import AwlError
from awl.handout.answer_layers import DrawnAnswer, draw_answer
from awl.handout.base_map import MapFrame, draw_base
from awl.handout.content import PeopleShown, SheetContent
from awl.handout.inks import Inks
from awl.handout.legend import MM_PER_POINT, LegendDrawer
from awl.handout.lettering import Lettering
from awl.handout.letters import ITALIC, MEDIUM, SANS, SERIF, TITLE, font, path_of, wrapped
from awl.handout.paper import Box, Layout, MapOptions, bar_length, layout_of, scale_for, view_at
from awl.handout.people import clock_minute, clock_word, draw_people
from awl.study.study import Study

FORMATS = {"png": "image/png", "svg": "image/svg+xml", "pdf": "application/pdf"}
FAMILIES = (SANS, MEDIUM, "Awl Sans SemiBold", SERIF, TITLE, ITALIC)
MARGIN = 1.06
"""How much more than the answer the map shows, each way."""
rcParams["svg.fonttype"], rcParams["pdf.fonttype"], rcParams["text.parse_math"] = "none", 42, False
rcParams["svg.hashsalt"], rcParams["text.hinting"] = "awl", "none"
"""Text stays text, and equal sheets are equal files."""


def draw_map_sheet(study: Study, content: SheetContent, options: MapOptions, ending: str) -> bytes:
    """A map sheet as a file.

    Parameters:
        study: the study of the answer.
        content: what it is of.
        options: paper, scale and what stands on it.
        ending: `png`, `svg` or `pdf`.

    Raises:
        AwlError: there is no such format, or the study has no streets on the ground.
    """
    if ending not in FORMATS:
        raise AwlError(
            f"'{ending}' is no format of map sheets", remedy=f"Formats are: {', '.join(FORMATS)}", inputs=("format",)
        )
    if not study.revision or study.graph.drawn:
        raise AwlError("A map sheet needs streets that lie on the ground", remedy="Build the study from an extract")
    layout, inks = layout_of(options), Inks(options.colour == "grey")
    figure = Figure(figsize=(layout.width / 25.4, layout.height / 25.4), facecolor=inks("token:page"))
    page = _page(figure, layout)
    frame = map_frame(figure, study, content, options, layout, inks)
    # At a moment people are drawn in place of what they put on the streets in all.
    summed = {layer.widths.id for layer in content.view.map.layers if layer.widths and options.moment is not None}
    drawn = DrawnAnswer(content.view.map, content.part, content.looks, content.hidden | summed)
    groups = draw_answer(frame, drawn)
    draw_base(frame)
    if options.moment is not None:
        draw_people(frame, people_at(content, options.moment))
    _write_head(page, layout, inks, content, options)
    if options.legend:
        LegendDrawer(page, layout.legend, inks, layout.letter).draw(groups)
    _write_foot(page, layout, inks, frame, content, options)
    return _file(figure, ending, options.dpi, content.view.title)


def people_at(content: SheetContent, clock: str) -> PeopleShown:
    """Who is on the map of an answer at a clock time.

    Parameters:
        content: what the sheet is of.
        clock: the time, such as 13:40.

    Raises:
        AwlError: nothing moves in the answer, or not at that time.
    """
    moving = content.view.map.moving
    if content.people is None or moving is None:
        raise AwlError(
            "Nothing moves in this answer, so it has no moment", remedy="Leave 'moment' out", inputs=("moment",)
        )
    minute = clock_minute(clock)
    if not moving.begin <= minute <= moving.end:
        raise AwlError(
            f"Nothing moves at {clock}",
            remedy=f"Choose a time from {clock_word(moving.begin)} to {clock_word(moving.end)}",
            inputs=("moment",),
        )
    return content.people(minute)


def draw_map_picture(study: Study, content: SheetContent, size_mm: tuple[float, float], dpi: int) -> bytes:
    """The map of an answer with its legend and scale beside it and nothing else, as PNG: for pages that say the rest.

    Parameters:
        study: the study of the answer.
        content: what it is of.
        size_mm: width and height.
        dpi: pixels per inch.
    """
    width, height = size_mm
    side, letter = 44.0, 0.95
    beside = width - side
    boxes = ((0, 0, width, 0), (0.3, 0.3, beside - 4.0, height - 0.6), (beside, 1.0, side, height - 16.0))
    layout = Layout(width, height, *boxes, (beside, height - 13.0, side, 13.0), letter)
    inks = Inks()
    figure = Figure(figsize=(width / 25.4, height / 25.4), facecolor=inks("token:page"))
    page = _page(figure, layout)
    frame = map_frame(figure, study, content, MapOptions.model_validate({}), layout, inks)
    groups = draw_answer(frame, DrawnAnswer(content.view.map, content.part, content.looks, content.hidden))
    draw_base(frame)
    LegendDrawer(page, layout.legend, inks, letter).draw(groups)
    _draw_scale(page, inks, frame, layout.foot, letter)
    return _file(figure, "png", dpi, content.view.title)


def _page(figure: Figure, layout: Layout) -> Axes:
    """Axes over the whole sheet, in mm from the top left."""
    page = figure.add_axes((0, 0, 1, 1))
    page.set_xlim(0, layout.width)
    page.set_ylim(layout.height, 0)
    page.set_axis_off()
    return page


def map_frame(
    figure: Figure, study: Study, content: SheetContent, options: MapOptions, layout: Layout, inks: Inks
) -> MapFrame:
    """The map: its scale and middle as asked for, or so that the answer fills it.

    Parameters:
        figure: the sheet.
        study: the study of the answer.
        content: what it is of.
        options: scale and middle.
        layout: where things stand.
        inks: the inks.
    """
    x, y, width, height = layout.map
    plane = study.graph.plane
    extent = _extent(study, content)
    grown = _grown(extent)
    scale = options.scale or scale_for(grown, (width, height))
    middle = ((extent[0] + extent[2]) / 2, (extent[1] + extent[3]) / 2)
    if options.centre is not None:
        lon, lat = (np.array([value]) for value in options.centre)
        east, north = plane.xy(lon, lat)
        middle = (float(east[0]), float(north[0]))
    view = view_at(middle, scale, (width, height))
    axes = figure.add_axes(
        (x / layout.width, 1 - (y + height) / layout.height, width / layout.width, height / layout.height)
    )
    axes.set_xlim(view[0], view[2])
    axes.set_ylim(view[1], view[3])
    axes.set_xticks([])
    axes.set_yticks([])
    for spine in axes.spines.values():
        spine.set_color(inks("token:ink"))
        spine.set_linewidth(0.7 * layout.letter)
        spine.set_zorder(50)
    lettering = Lettering(axes, scale, view, inks("token:ground"), layout.letter)
    # Of one network, for somebody may edit the streets while they are drawn.
    network = study.network(content.mode) if content.mode in study.modes() else None
    graph, usable = (study.graph, None) if network is None else (network.graph, network.usable)
    return MapFrame(axes, study, graph, scale, view, inks, layout.letter, lettering, usable)


def _grown(extent: Box) -> Box:
    more = (extent[2] - extent[0]) * (MARGIN - 1) / 2, (extent[3] - extent[1]) * (MARGIN - 1) / 2
    return extent[0] - more[0], extent[1] - more[1], extent[2] + more[0], extent[3] + more[1]


def _extent(study: Study, content: SheetContent) -> Box:
    """West, south, east, north of the answer in the plane; of the streets where it lies nowhere."""
    named = [*content.view.map.outline, *(layer.part for layer in content.view.map.layers)]
    for name in named:
        table = content.part(name)
        if table is not None and table.has_geometry and len(table):
            bounds = shapely.total_bounds(study.graph.plane.project(table.geometry))
            if np.isfinite(bounds).all():
                return tuple(float(value) for value in bounds)  # type: ignore[return-value]
    return tuple(float(value) for value in shapely.total_bounds(study.graph.lines_xy))  # type: ignore[return-value]


class _Writer:
    """Writes lines of text onto the page, downwards."""

    def __init__(self, page: Axes, inks: Inks, x: float, y: float, width: float) -> None:
        self.page, self.inks, self.x, self.y, self.width = page, inks, x, y, width

    def write(self, text: str, family: str, points: float, ink: str, lines: int = 1) -> None:
        for row in wrapped(text, family, points, self.width, lines):
            self.y += points * MM_PER_POINT * 1.18
            self.page.text(
                self.x, self.y, row, fontproperties=font(family, points), color=self.inks(ink), va="baseline"
            )


def _write_head(page: Axes, layout: Layout, inks: Inks, content: SheetContent, options: MapOptions) -> None:
    x, y, width, _ = layout.title
    writer = _Writer(page, inks, x, y - 2 * layout.letter, width)
    moment = f", {options.moment}" if options.moment else ""
    writer.write((options.title or content.view.title) + moment, TITLE, 15 * layout.letter, "token:ink")
    writer.y += 0.6 * layout.letter
    writer.write(content.asked, SERIF, 8.6 * layout.letter, "token:ink-2", 2)


def _write_foot(
    page: Axes, layout: Layout, inks: Inks, frame: MapFrame, content: SheetContent, options: MapOptions
) -> None:
    x, y, width, height = layout.foot
    letter = layout.letter
    side = 62.0 * letter
    _draw_scale(page, inks, frame, (x, y + 1.5 * letter, side, 0.0), letter)
    _draw_north(page, inks, (x + side - 5 * letter, y + 1.0 * letter), letter)
    writer = _Writer(page, inks, x, y + 11.0 * letter, side)
    day = datetime.fromisoformat(content.made)
    writer.write(f"Answered {day.day} {day:%B %Y}, drawn by Awl {__version__}", SANS, 6.2 * letter, "token:ink-3", 2)
    writer.write(options.credit or _credit(frame.study), SANS, 6.2 * letter, "token:ink-3", 3)
    if options.method:
        writer = _Writer(page, inks, x + side + 6 * letter, y - 0.6 * letter, width - side - 6 * letter)
        most = int((height - 1) / (6.4 * letter * MM_PER_POINT * 1.18))
        doubts = " ".join(doubt["text"] for doubt in content.graded_doubts)
        for_doubts = min(most // 2, len(wrapped(doubts, MEDIUM, 6.4 * letter, writer.width))) if doubts else 0
        if doubts:
            writer.write(doubts, MEDIUM, 6.4 * letter, "token:ink", for_doubts)
        writer.write(" ".join(content.view.method), SANS, 6.4 * letter, "token:ink-2", max(most - for_doubts, 1))


def _credit(study: Study) -> str:
    """Whose data it is, as far as the study knows: the files that it was made from."""
    build = study.fact("build") or {}
    files = dict.fromkeys(
        entry["source"] for entry in study.layers() if entry["role"] not in ("base", "answer") and entry["source"]
    )
    streets = build.get("source")
    others = [name for name in files if name != streets]
    text = f"Streets: {streets}." if streets else ""
    return f"{text} Layers: {', '.join(others)}." if others else text


def _draw_scale(page: Axes, inks: Inks, frame: MapFrame, box: Box, letter: float) -> None:
    """A bar of a round length in four parts, and the scale as a number."""
    x, y, width, _ = box
    length = bar_length(frame.scale, width - 18 * letter)
    mm, ink, size = length / frame.scale * 1000, inks("token:ink"), 6.6 * letter
    bar = 1.3 * letter
    for i in range(4):
        face = ink if i % 2 == 0 else inks("token:page")
        page.add_patch(
            Rectangle((x + mm * i / 4, y), mm / 4, bar, facecolor=face, edgecolor=ink, linewidth=0.5 * letter)
        )
    unit, per = ("km", 1000) if length >= 2000 else ("m", 1)
    for share in (0.0, 0.5, 1.0):
        text = f"{length * share / per:,g}" + (f" {unit}" if share == 1.0 else "")
        page.text(
            x + mm * share,
            y + bar + 3.0 * letter,
            text,
            fontproperties=font(SANS, size),
            color=ink,
            ha="left" if share == 0 else "center",
        )
    page.text(x, y + bar + 6.6 * letter, f"1:{frame.scale:,}", fontproperties=font(MEDIUM, 7.2 * letter), color=ink)


def _draw_north(page: Axes, inks: Inks, at: tuple[float, float], letter: float) -> None:
    """A needle that points up: the plane of a study is not turned."""
    x, y = at
    tall, wide, ink = 8.5 * letter, 1.5 * letter, inks("token:ink")
    page.add_patch(
        Polygon(
            [(x, y), (x - wide, y + tall), (x, y + tall * 0.8)], facecolor=ink, edgecolor=ink, linewidth=0.4 * letter
        )
    )
    page.add_patch(
        Polygon(
            [(x, y), (x + wide, y + tall), (x, y + tall * 0.8)],
            facecolor=inks("token:page"),
            edgecolor=ink,
            linewidth=0.4 * letter,
        )
    )
    page.text(x + wide + 1.2 * letter, y + 3.2 * letter, "N", fontproperties=font(MEDIUM, 7.5 * letter), color=ink)


def _file(figure: Figure, ending: str, dpi: int, title: str) -> bytes:
    out = io.BytesIO()
    if ending == "png":
        figure.set_dpi(dpi)
        FigureCanvasAgg(figure).print_png(out, metadata={"Title": title, "Software": f"Awl {__version__}"})
    elif ending == "pdf":
        FigureCanvasPdf(figure).print_pdf(
            out, metadata={"Title": title, "Creator": f"Awl {__version__}", "CreationDate": None}
        )
    else:
        FigureCanvasSVG(figure).print_svg(
            out, metadata={"Title": title, "Creator": [f"Awl {__version__}"], "Date": None}
        )
        return _with_fonts(out.getvalue().decode()).encode()
    return out.getvalue()


def _with_fonts(svg: str) -> str:
    """An SVG that holds the fonts it uses."""
    faces = []
    for family in FAMILIES:
        if f"'{family}'" in svg or f'"{family}"' in svg or re.search(rf"{family}[,;]", svg):
            data = base64.b64encode(path_of(family).read_bytes()).decode()
            faces.append(
                f"@font-face{{font-family:'{family}';src:url(data:font/ttf;base64,{data}) format('truetype')}}"
            )
    # A reader of XML may fetch the type of a document; pictures need none.
    svg = re.sub(r"<!DOCTYPE[^>]*>\s*", "", svg, count=1)
    return svg.replace("<defs>", f"<defs><style>{''.join(faces)}</style>", 1)
