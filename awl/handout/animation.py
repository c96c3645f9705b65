"""An animation of people who move: the map picture by picture, as GIF, with the clock and what everybody is doing."""

from __future__ import annotations

import io
import math
from dataclasses import dataclass

import numpy as np
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure
from PIL import Image

from awl.core.errors import AwlError
from awl.core.progress import Progress, raise_if_cancelled
from awl.handout.animation_options import AnimationOptions
from awl.handout.base_map import MapFrame, draw_base
from awl.handout.content import PeopleShown, SheetContent
from awl.handout.inks import Inks
from awl.handout.lettering import Lettering
from awl.handout.letters import MEDIUM, SANS, TITLE, font
from awl.handout.map_sheet import map_frame
from awl.handout.paper import Layout, MapOptions
from awl.handout.people import clock_minute, clock_word, draw_people
from awl.study.study import Study

DPI = 96
MM_PER_PIXEL = 25.4 / DPI
USUAL_PICTURES, MOST_PICTURES = 100, 400
HEAD_PX, FOOT_PX, SHAPE = 30, 40, 0.62
"""Strips above and below the map, and its height as a share of its width."""


@dataclass(frozen=True)
class _Stage:
    """What each picture is drawn on: its size in pixels, and a map like that of the ground."""

    size: tuple[int, int]
    ground: MapFrame
    title: str


def animation_gif(
    study: Study, content: SheetContent, options: AnimationOptions, progress: Progress | None = None
) -> bytes:
    """People who move, as an animated GIF.

    Parameters:
        study: the study of the answer.
        content: what it is of.
        options: from when to when, and how large.
        progress: is told how far the work is, and stops it.

    Raises:
        AwlError: nothing moves in the answer, or not then, or there are too many pictures.
    """
    minutes = _minutes(content, options)
    progress = progress or Progress()
    progress.step(0.0, "Drawing the ground")
    assert content.people is not None
    stage, ground = _ground(study, content, options.width)
    pictures: list[Image.Image] = []
    palette: Image.Image | None = None
    for nth, minute in enumerate(minutes):
        raise_if_cancelled()
        picture = ground.copy()
        picture.alpha_composite(_picture(stage, content.people(minute), minute, (minutes[0], minutes[-1])))
        plain = picture.convert("RGB")
        # One palette for all: that of a picture in the middle, where every ink is likeliest to be.
        palette = palette or _palette(stage, content, ground, minutes)
        pictures.append(plain.quantize(palette=palette, dither=Image.Dither.NONE))
        progress.step((nth + 1) / len(minutes), f"picture {nth + 1} of {len(minutes)}")
    out = io.BytesIO()
    repeat = {"loop": 0} if options.loop else {}
    pictures[0].save(
        out, "GIF", save_all=True, append_images=pictures[1:], duration=round(1000 / options.per_second), **repeat
    )
    return out.getvalue()


def _minutes(content: SheetContent, options: AnimationOptions) -> list[float]:
    moving = content.view.map.moving
    if content.people is None or moving is None:
        raise AwlError("Nothing moves in this answer", remedy="Animate answers of 'simulate'", inputs=("answer",))
    begin = moving.begin if options.begin is None else max(float(clock_minute(options.begin)), moving.begin)
    end = moving.end if options.end is None else min(float(clock_minute(options.end)), moving.end)
    if end <= begin:
        raise AwlError(
            "Nothing moves between these times",
            remedy=f"Choose times between {clock_word(moving.begin)} and {clock_word(moving.end)}",
            inputs=("begin", "end"),
        )
    step = options.step or max(math.ceil((end - begin) / USUAL_PICTURES), 1)
    count = int((end - begin) / step + 1e-9) + 1
    if count > MOST_PICTURES:
        raise AwlError(
            f"{count:,} pictures are more than {MOST_PICTURES}", remedy="Take a longer step", inputs=("step",)
        )
    return [begin + nth * step for nth in range(count)]


def _layout(width: int) -> tuple[tuple[int, int], Layout]:
    """Size in pixels, and where the map stands, in mm."""
    height = round(width * SHAPE)
    size = width, HEAD_PX + height + FOOT_PX
    across, down = (pixels * MM_PER_PIXEL for pixels in size)
    box = (0.0, HEAD_PX * MM_PER_PIXEL, across, height * MM_PER_PIXEL)
    nothing = (0.0, 0.0, 0.0, 0.0)
    return size, Layout(across, down, nothing, box, nothing, nothing, 0.95)


def _ground(study: Study, content: SheetContent, width: int) -> tuple[_Stage, Image.Image]:
    """The base map, drawn once."""
    size, layout = _layout(width)
    figure, inks = _figure(size), Inks()
    figure.set_facecolor(inks("token:page"))
    frame = map_frame(figure, study, content, MapOptions.model_validate({}), layout, inks)
    draw_base(frame)
    figure.text(
        10 / size[0], 1 - 20 / size[1], content.view.title, fontproperties=font(TITLE, 11), color=inks("token:ink")
    )
    return _Stage(size, frame, content.view.title), _image(figure)


def _picture(stage: _Stage, shown: PeopleShown, minute: float, ends: tuple[float, float]) -> Image.Image:
    """What changes from picture to picture, on nothing."""
    figure, inks, ground = _figure(stage.size), stage.ground.inks, stage.ground
    axes = figure.add_axes(ground.axes.get_position().bounds)
    axes.set_xlim(ground.axes.get_xlim())
    axes.set_ylim(ground.axes.get_ylim())
    axes.set_axis_off()
    lettering = Lettering(axes, ground.scale, ground.view, inks("token:ground"), ground.letter)
    frame = MapFrame(axes, ground.study, ground.graph, ground.scale, ground.view, inks, ground.letter, lettering)
    draw_people(frame, shown)
    width, height = stage.size
    figure.text(10 / width, 13 / height, clock_word(minute), fontproperties=font(MEDIUM, 15), color=inks("token:ink"))
    words = "   ".join(f"{state} {count:,}" for state, count in shown.counts.items() if count)
    figure.text(82 / width, 15 / height, words, fontproperties=font(SANS, 8), color=inks("token:ink-2"))
    share = (minute - ends[0]) / max(ends[1] - ends[0], 1e-9)
    bar = figure.add_axes((0, (FOOT_PX - 3) / height, 1, 3 / height))
    bar.set_xlim(0, 1)
    bar.set_axis_off()
    bar.axvspan(0, share, color=inks("token:thread"))
    return _image(figure)


def _palette(stage: _Stage, content: SheetContent, ground: Image.Image, minutes: list[float]) -> Image.Image:
    assert content.people is not None
    middle = minutes[len(minutes) // 2]
    picture = ground.copy()
    picture.alpha_composite(_picture(stage, content.people(middle), middle, (minutes[0], minutes[-1])))
    plain = picture.convert("RGB")
    # Inks of states that happen not to be in that picture stand beside it.
    inks = [stage.ground.inks(ink) for ink in (*content.people(middle).inks.values(), "token:error", "token:thread")]
    swatches = Image.new("RGB", (plain.width, plain.height + 12 * len(inks)))
    swatches.paste(plain)
    for nth, ink in enumerate(inks):
        swatches.paste(ink, (0, plain.height + 12 * nth, plain.width, plain.height + 12 * (nth + 1)))
    return swatches.quantize(colors=255, dither=Image.Dither.NONE)


def _figure(size: tuple[int, int]) -> Figure:
    return Figure(figsize=(size[0] / DPI, size[1] / DPI), dpi=DPI, facecolor="none")


def _image(figure: Figure) -> Image.Image:
    canvas = FigureCanvasAgg(figure)
    canvas.draw()
    return Image.fromarray(np.asarray(canvas.buffer_rgba()).copy())
