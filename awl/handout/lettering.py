"""Letters on the map: what comes first stands, what would lie over it is left out."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np
import shapely
from matplotlib.axes import Axes
from numpy.typing import NDArray

from awl.handout.letters import font, width_mm
from awl.handout.paper import Box

Z_LETTERS = 30.0
MM_PER_POINT = 25.4 / 72


@dataclass
class Lettering:
    """Letters of a map at a scale, and the ground that is taken.

    Attributes:
        axes: the map.
        scale: its scale.
        view: what it shows, in metres.
        paper: the ink of the ground behind letters.
        letter: how large letters are, as a multiple of those of A4.
    """

    axes: Axes
    scale: int
    view: Box
    paper: str
    letter: float
    taken: list[shapely.Geometry] = field(default_factory=list)
    names: list[tuple[str, float, float]] = field(default_factory=list)
    """What was lettered, and where."""

    def metres(self, mm: float) -> float:
        """So many mm on the paper in metres on the ground."""
        return mm / 1000 * self.scale

    def _box(
        self, text: str, at: tuple[float, float], family: str, points: float, angle: float = 0.0
    ) -> shapely.Geometry:
        half = self.metres(width_mm(text, family, points)) / 2, self.metres(points * MM_PER_POINT * 0.62)
        box = shapely.box(-half[0], -half[1], half[0], half[1])
        turned = shapely.transform(box, lambda xy: xy @ _turn(angle)) if angle else box
        return shapely.transform(turned, lambda xy: xy + np.array(at))

    def _is_free(self, box: shapely.Geometry) -> bool:
        west, south, east, north = shapely.bounds(box)
        inside = west >= self.view[0] and south >= self.view[1] and east <= self.view[2] and north <= self.view[3]
        return bool(inside and not shapely.intersects(np.array(self.taken, dtype=object), box).any())

    def take(self, xy: NDArray[np.float64], radius_mm: float) -> None:
        """Keep marks free of letters."""
        self.taken += list(shapely.buffer(shapely.points(xy), self.metres(radius_mm), quad_segs=2))

    def at(
        self, text: str, xy: NDArray[np.float64], family: str, points: float, ink: str, beside_mm: float = 0.0
    ) -> bool:
        """Letter a place: in its middle, or so far beside it, to the right or the left; whether it stood."""
        points *= self.letter
        half = self.metres(width_mm(text, family, points)) / 2
        step = half + self.metres(beside_mm)
        for dx in (0.0,) if not beside_mm else (step, -step):
            at = (float(xy[0]) + dx, float(xy[1]))
            box = self._box(text, at, family, points)
            if self._is_free(box):
                self._write(text, at, family, points, ink, 0.0, box)
                return True
        return False

    def along(
        self, text: str, line: shapely.Geometry, family: str, points: float, ink: str, loose: bool = False
    ) -> bool:
        """Letter a line at its middle, in its direction there; it must be long and straight enough unless it is `loose`."""
        points *= self.letter
        parts = [part for part in shapely.get_parts(line) if part.geom_type == "LineString"]
        inside = [part for part in shapely.get_parts(shapely.clip_by_rect(shapely.MultiLineString(parts), *self.view))
                  if part.geom_type == "LineString"]  # fmt: skip
        if not inside:
            return False
        longest = max(inside, key=lambda part: part.length)
        width = self.metres(width_mm(text, family, points))
        if longest.length < width * 1.1:
            return False
        middle = longest.length / 2
        ends = [np.array(longest.interpolate(middle + side * width / 2).coords[0]) for side in (-1, 1)]
        if not loose and np.hypot(*(ends[1] - ends[0])) < 0.97 * width:
            return False
        if ends[1][0] < ends[0][0]:
            ends.reverse()
        angle = math.degrees(math.atan2(ends[1][1] - ends[0][1], ends[1][0] - ends[0][0]))
        x, y = longest.interpolate(middle).coords[0]
        box = self._box(text, (x, y), family, points, angle)
        if not self._is_free(box):
            return False
        self._write(text, (x, y), family, points, ink, angle, box)
        return True

    def _write(
        self,
        text: str,
        at: tuple[float, float],
        family: str,
        points: float,
        ink: str,
        angle: float,
        box: shapely.Geometry,
    ) -> None:
        self.taken.append(box)
        self.names.append((text, at[0], at[1]))
        # Paper behind the letters, not round them: outlines would be drawn in place of text.
        self.axes.text(
            at[0], at[1], text, fontproperties=font(family, points), color=ink, ha="center", va="center", rotation=angle,
            rotation_mode="anchor", zorder=Z_LETTERS, clip_on=True,
            bbox={"boxstyle": "square,pad=0.06", "facecolor": self.paper, "edgecolor": "none", "alpha": 0.62},
        )  # fmt: skip


def _turn(angle: float) -> NDArray[np.float64]:
    cos, sin = math.cos(math.radians(angle)), math.sin(math.radians(angle))
    return np.array([[cos, sin], [-sin, cos]])
