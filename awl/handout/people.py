"""People on a map sheet at a moment: short stitches where they are, and a small column on each place that fills."""

from __future__ import annotations

import numpy as np
from matplotlib.collections import LineCollection
from matplotlib.patches import Rectangle
from numpy.typing import NDArray

from awl.handout.base_map import MapFrame
from awl.handout.content import PeopleShown
from awl.handout.letters import MEDIUM, font
from awl.questions.simulate.playback import HeldPlace

Floats = NDArray[np.float64]
Z_PEOPLE, Z_COLUMNS = 30, 31
STITCH_MM, WIDE_MM = 0.9, 0.5
COLUMN_MM = (1.5, 4.6)
"""Width and height of a column, and how far above its place it stands."""
ABOVE_MM = 1.3


def clock_minute(clock: str) -> int:
    """Minutes since midnight of a clock time such as 13:05.

    Parameters:
        clock: the time.
    """
    hours, minutes = clock.split(":")
    return 60 * int(hours) + int(minutes)


def clock_word(minute: float) -> str:
    """A minute of the day as 13:05; of the next day as 25:05.

    Parameters:
        minute: minutes since midnight.
    """
    return f"{int(minute) // 60:02d}:{int(minute) % 60:02d}"


def draw_people(frame: MapFrame, shown: PeopleShown) -> None:
    """Draw people and columns over all else.

    Parameters:
        frame: the map.
        shown: who is where.
    """
    plane = frame.graph.plane
    per_mm = frame.scale / 1000 * frame.letter
    x, y = plane.xy(shown.xy[:, 0], shown.xy[:, 1])
    end_x, end_y = plane.xy(*(shown.xy + shown.toward).T)
    step = np.column_stack([end_x - x, end_y - y])
    length = np.hypot(*step.T)
    half = np.divide(step, length[:, None], out=np.zeros_like(step), where=length[:, None] > 0) * STITCH_MM * per_mm / 2
    # Who stands is a dot: a stitch of hardly any length.
    half[length == 0] = (1e-3 * per_mm, 0.0)
    middle = np.column_stack([x, y])
    segments = np.stack([middle - half, middle + half], axis=1)
    points = 72 / 25.4 * frame.letter
    state = np.array(shown.state, dtype=object)
    for width, edge in ((WIDE_MM + 0.3, True), (WIDE_MM, False)):
        for name, ink in shown.inks.items():
            own = segments[state == name] if len(segments) else segments
            colour = frame.inks("token:page") if edge else frame.inks(ink)
            lines = LineCollection(
                list(own), colors=colour, linewidths=width * points, zorder=Z_PEOPLE, capstyle="round"
            )
            frame.axes.add_collection(lines, autolim=False)
    for place in shown.places:
        _draw_column(frame, place, per_mm)


def _draw_column(frame: MapFrame, place: HeldPlace, per_mm: float) -> None:
    """A column as full as a place, with how many found it full above."""
    (x,), (y,) = frame.graph.plane.xy(np.array([place.lon]), np.array([place.lat]))
    if not (frame.view[0] <= x <= frame.view[2] and frame.view[1] <= y <= frame.view[3]):
        return
    wide, tall = (size * per_mm for size in COLUMN_MM)
    left, foot = x - wide / 2, y + ABOVE_MM * per_mm
    share = min(place.inside / max(place.most if place.room is None else place.room, 1), 1.0)
    is_full = place.room is not None and place.inside >= place.room
    edge = frame.inks("token:error" if is_full else "token:ink")
    page, ink = frame.inks("token:page"), frame.inks("token:b2")
    points = 0.35 * 72 / 25.4 * frame.letter
    axes = frame.axes
    axes.add_artist(
        Rectangle((left, foot), wide, tall, facecolor=page, edgecolor=edge, linewidth=points, zorder=Z_COLUMNS)
    )
    axes.add_artist(Rectangle((left, foot), wide, tall * share, facecolor=ink, linewidth=0, zorder=Z_COLUMNS))
    axes.add_artist(Rectangle((left, foot), wide, tall, fill=False, edgecolor=edge, linewidth=points, zorder=Z_COLUMNS))
    if place.turned_away:
        axes.text(
            x, foot + tall + 0.5 * per_mm, f"{place.turned_away:,}", fontproperties=font(MEDIUM, 5.6 * frame.letter),
            color=frame.inks("token:error"), ha="center", va="bottom", zorder=Z_COLUMNS, clip_on=True,
        )  # fmt: skip
