"""Charts of an answer as pictures: curves and bars in ink, told apart by dashes and tints."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import replace

from matplotlib.axes import Axes
from matplotlib.backends.backend_svg import FigureCanvasSVG
from matplotlib.figure import Figure
from matplotlib.ticker import FuncFormatter, MultipleLocator

from awl.handout.inks import Inks
from awl.handout.letters import SANS, font
from awl.handout.people import clock_word
from awl.views.charts import Chart

DASHES = ("solid", (0, (5, 3)), (0, (1.5, 2.5)), (0, (9, 3, 2, 3)))
DRAWN = ("curve", "bars", "several")
"""Kinds of charts that are pictures; the others are tables of their own."""
LONGEST_WORD = 18
CLOCK_STEPS = (5, 10, 15, 30, 60, 120, 240, 480)
"""Minutes between two ticks of a clock."""
ACROSS = 4
"""Small curves side by side."""


def chart_svg(chart: Chart, size_mm: tuple[float, float]) -> str | None:
    """A chart as the text of an SVG element; None for kinds that are no picture, and for charts without values."""
    small = chart.several or []
    if chart.kind not in DRAWN or chart.x is None or not chart.x.values or not (chart.series or small):
        return None
    inks = Inks()
    rows = max(-(-len(small) // ACROSS), 1)
    high = size_mm[1] if rows < 3 else size_mm[1] * rows / 2
    figure = Figure(figsize=(size_mm[0] / 25.4, high / 25.4), facecolor="none", layout="constrained")
    if chart.kind == "several":
        for nth, one in enumerate(small):
            axes = figure.add_subplot(rows, min(ACROSS, len(small)), nth + 1)
            _curve(axes, replace(one, x=replace(one.x or chart.x, label="")), inks)
            axes.set_title(one.title, fontproperties=font(SANS, 7), color=inks("token:ink"), loc="left")
            _dress(axes, inks, 6)
            axes.locator_params(axis="y", nbins=3)
            if not (one.x or chart.x).clock:
                axes.locator_params(axis="x", nbins=3)
    else:
        axes = figure.add_subplot()
        (_curve if chart.kind == "curve" else _bars)(axes, chart, inks)
        _dress(axes, inks, 7)
        if len(chart.series) > 1:
            axes.legend(prop=font(SANS, 7), frameon=False, labelcolor=inks("token:ink"), loc="best")
    out = io.StringIO()
    FigureCanvasSVG(figure).print_svg(out, metadata={"Date": None, "Creator": None, "Format": None, "Type": None})
    text = out.getvalue()
    return text[text.index("<svg") :]


def _dress(axes: Axes, inks: Inks, points: float) -> None:
    """Axes in ink: a line below, hairlines across."""
    axes.set_facecolor("none")
    for side, spine in axes.spines.items():
        spine.set_visible(side == "bottom")
        spine.set_color(inks("token:ink"))
        spine.set_linewidth(0.6)
    axes.grid(axis="y", color=inks("token:rule"), linewidth=0.6)
    axes.set_axisbelow(True)
    axes.tick_params(colors=inks("token:ink-2"), length=0)
    for label in (*axes.get_xticklabels(), *axes.get_yticklabels()):
        label.set_fontproperties(font(SANS, points))


def _numbers(values: Sequence[float | int | None]) -> list[float]:
    return [float("nan") if value is None else float(value) for value in values]


def _curve(axes: Axes, chart: Chart, inks: Inks) -> None:
    assert chart.x is not None
    x = [float(value) for value in chart.x.values]
    for series, dash in zip(chart.series, DASHES * len(chart.series), strict=False):
        if series.low is not None and series.high is not None:
            low, high = _numbers(series.low), _numbers(series.high)
            axes.fill_between(x, low, high, color=inks("token:ink"), alpha=0.13, linewidth=0)
        axes.plot(
            x, _numbers(series.values), color=inks("token:ink"), linewidth=1.3, linestyle=dash, label=series.label
        )
    axes.set_xlim(min(x), max(x))
    if not chart.from_least:
        axes.set_ylim(bottom=min(0.0, axes.get_ylim()[0]))
    if chart.x.clock:
        wide = axes.get_position().width > 0.5
        step = next((one for one in CLOCK_STEPS if (x[-1] - x[0]) / one <= (6 if wide else 3)), CLOCK_STEPS[-1])
        axes.xaxis.set_major_locator(MultipleLocator(step))
        axes.xaxis.set_major_formatter(FuncFormatter(lambda minute, _: clock_word(minute)))
    axes.set_xlabel(chart.x.label, fontproperties=font(SANS, 7), color=inks("token:ink-2"))
    for mark in chart.marks or []:
        axes.axvline(mark, color=inks("token:rule-2"), linewidth=0.6)


def _bars(axes: Axes, chart: Chart, inks: Inks) -> None:
    assert chart.x is not None
    words = [
        str(word) if len(str(word)) <= LONGEST_WORD else f"{str(word)[: LONGEST_WORD - 1]}…" for word in chart.x.values
    ]
    count = len(chart.series)
    colours = ["token:ink-2"] if count == 1 else [f"band:{i}/{count}" for i in range(count)]
    for i, (series, colour) in enumerate(zip(chart.series, colours, strict=True)):
        at = [row + (i - (count - 1) / 2) * 0.8 / count for row in range(len(words))]
        heights = [0.0 if value is None else float(value) for value in series.values]
        axes.bar(at, heights, width=0.8 / count, color=inks(colour, "street"), label=series.label)
    axes.axhline(0, color=inks("token:ink"), linewidth=0.6)
    axes.set_xticks(range(len(words)), words, rotation=30 if max(map(len, words)) * len(words) > 60 else 0, ha="center")
