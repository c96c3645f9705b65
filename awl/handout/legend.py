"""The legend of a sheet: groups of rows under their titles, in columns where the box is wide."""

from __future__ import annotations

from matplotlib.axes import Axes
from matplotlib.patches import Circle, Rectangle

from awl.handout.inks import Inks
from awl.handout.letters import SANS, SEMIBOLD, font, width_mm, wrapped
from awl.handout.paper import Box
from awl.handout.pictures import DASHED
from awl.views.map_view import LegendGroup, LegendRow, Swatch

ROW_MM, SWATCH_MM, COLUMN_MM = 4.3, 7.0, 58.0
MM_PER_POINT = 25.4 / 72


class LegendDrawer:
    """Writes a legend into a box of the page, whose axes count in mm from the top left."""

    def __init__(self, page: Axes, box: Box, inks: Inks, letter: float) -> None:
        self.page, self.inks, self.letter = page, inks, letter
        self.left, self.top, self.width, self.height = box
        columns = max(int(self.width // (COLUMN_MM * letter)), 1)
        self.column_mm = self.width / columns - (4 * letter if columns > 1 else 0)
        self.columns, self.column, self.y = columns, 0, self.top
        self.left_out = 0

    def draw(self, groups: list[LegendGroup]) -> int:
        """Write the groups, the first at the top; returns how many rows found no room."""
        for group in groups:
            self._group(group)
        return self.left_out

    @property
    def x(self) -> float:
        """The left edge of the column that is written."""
        return self.left + self.column * self.width / self.columns

    def _has_room(self, mm: float) -> bool:
        if self.y + mm <= self.top + self.height:
            return True
        if self.column + 1 < self.columns:
            self.column, self.y = self.column + 1, self.top
            return True
        return False

    def _group(self, group: LegendGroup) -> None:
        rows = [row for row in group.rows if row.label]
        if not rows:
            return
        size, step = 7.6 * self.letter, ROW_MM * self.letter
        title = wrapped(group.title, SEMIBOLD, size, self.column_mm, 2) if group.title else []
        if not self._has_room(step * (len(title) + 1)):
            self.left_out += len(rows)
            return
        for line in title:
            self._text(self.x, line, SEMIBOLD, size, "token:ink")
            self.y += step * 0.92
        for row in rows:
            self._row(row)
        for line in wrapped(group.note or "", SANS, 6.4 * self.letter, self.column_mm, 3):
            if self._has_room(step * 0.8):
                self._text(self.x, line, SANS, 6.4 * self.letter, "token:ink-3")
                self.y += step * 0.8
        self.y += step * 0.5

    def _row(self, row: LegendRow) -> None:
        size, step = 7.2 * self.letter, ROW_MM * self.letter
        room = self.column_mm - (SWATCH_MM + 2) * self.letter
        count = "" if row.count is None else f"{row.count:,}"
        lines = wrapped(row.label, SANS, size, room - width_mm(count, SANS, size), 2)
        if not self._has_room(step * (0.2 + 0.8 * len(lines))):
            self.left_out += 1
            return
        self._swatch(row.swatch)
        for i, line in enumerate(lines):
            self._text(self.x + (SWATCH_MM + 2) * self.letter, line, SANS, size, "token:ink", i * step * 0.8)
        if count and lines:
            after = (SWATCH_MM + 3.2) * self.letter + width_mm(lines[-1], SANS, size)
            self._text(self.x + after, count, SANS, size, "token:ink-3", (len(lines) - 1) * step * 0.8)
        self.y += step * (0.2 + 0.8 * len(lines))

    def _text(self, x: float, text: str, family: str, points: float, ink: str, down: float = 0.0) -> None:
        self.page.text(
            x, self.y + down + points * MM_PER_POINT * 0.9, text, fontproperties=font(family, points),
            color=self.inks(ink), va="baseline",
        )  # fmt: skip

    def _swatch(self, swatch: Swatch) -> None:
        letter, inks = self.letter, self.inks
        x, width, height = self.x, SWATCH_MM * letter, 2.9 * letter
        middle = self.y + 1.5 * letter
        line = inks(swatch.line, "street")
        if swatch.kind == "area":
            self.page.add_patch(
                Rectangle(
                    (x, middle - height / 2),
                    width,
                    height,
                    facecolor=inks(swatch.fill),
                    edgecolor=line,
                    linewidth=0.5 * letter,
                )
            )
        elif swatch.kind in ("line", "dash"):
            dash = DASHED if swatch.kind == "dash" or inks.is_hatched(swatch.line) else "solid"
            self.page.plot(
                [x, x + width],
                [middle, middle],
                color=line,
                linewidth=(swatch.width or 2.4) * 0.6 * letter,
                linestyle=dash,
            )
        elif swatch.kind == "circle":
            fill = inks(swatch.fill) if swatch.fill else inks("token:page")
            self.page.add_patch(
                Circle(
                    (x + width / 2, middle),
                    1.35 * letter,
                    facecolor=fill,
                    edgecolor=inks("token:ink"),
                    linewidth=0.5 * letter,
                )
            )
        else:
            ink = inks("token:ink")
            self.page.add_patch(
                Circle(
                    (x + width / 2, middle),
                    1.5 * letter,
                    facecolor=inks("token:page"),
                    edgecolor=ink,
                    linewidth=0.7 * letter,
                )
            )
            for side in (-1, 1):
                self.page.add_patch(
                    Circle(
                        (x + width / 2 + side * 0.55 * letter, middle), 0.32 * letter, facecolor=ink, edgecolor="none"
                    )
                )
