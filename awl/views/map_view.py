"""What the map draws of an answer, and the legend that controls it: layers by part, rows by id, inks by name.

Inks are names, so that each theme and each sheet of paper has colours of its own: `token:NAME` of the theme, `band:i/n` of n
bands from near to far, `share:i/n` and `change:i/n` of ramps, `tint:i` to tell neighbours apart.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

Drawn = Literal["areas", "contours", "zones", "routes", "lines", "shapes", "points", "dots", "pins"]
"""How features are drawn, and so what they can be ordered with on the map:

`areas` filled, `contours` lettered lines, `zones` filled with edges, `routes` strong lines, `lines` along streets, `shapes`
filled with an edge, `points` and `dots` graded circles, `pins` the places of the question.
"""


def token(name: str) -> str:
    """An ink of the theme."""
    return f"token:{name}"


def band(i: int, count: int) -> str:
    """The ink of the i-th of so many bands, near to far."""
    return f"band:{i}/{count}"


@dataclass(frozen=True)
class Swatch:
    """How a row of the legend is marked."""

    kind: Literal["area", "line", "dash", "button", "circle"]
    fill: str | None = None
    line: str | None = None
    width: float | None = None


@dataclass(frozen=True)
class LegendRow:
    """A row of the legend. Its `id` is known to nobody else in the view; looks of one's own are kept by it.

    `fixed` rows cannot be switched off.
    """

    id: str
    label: str
    swatch: Swatch
    count: int | None = None
    fixed: bool = False


@dataclass(frozen=True)
class LegendGroup:
    """Rows of the legend under one title; without a title they stand with those above."""

    id: str
    title: str
    rows: list[LegendRow]
    note: str | None = None


@dataclass(frozen=True)
class Paint:
    """How features of one `row` of the legend are drawn.

    Attributes:
        row: the row.
        fill, line: inks.
        opacity: of the fill.
        width: of lines, as a multiple of what is usual.
        radius: of circles, in pixels.
        second: whether it is drawn as something that does not lead: a route dashed, a pin open.
    """

    row: str
    fill: str | None = None
    line: str | None = None
    opacity: float | None = None
    width: float | None = None
    radius: float | None = None
    second: bool = False


@dataclass(frozen=True)
class Classes:
    """Features told apart by the values of a field: `of` holds the paint of each as text, `*` that of every other one.

    Without a field all features are alike.
    """

    of: dict[str, Paint]
    field: str | None = None


def alike(paint: Paint) -> Classes:
    """All features in one row."""
    return Classes({"*": paint})


@dataclass(frozen=True)
class GradedField:
    """A field of numbers by which features can be graded.

    Attributes:
        field, title, unit: what it is.
        breaks: limits of classes, where fixed ones tell more than those made of the values.
        ramp: `share` from none to much, `change` from loss to gain.
    """

    field: str
    title: str
    unit: str = ""
    breaks: list[float] | None = None
    ramp: Literal["share", "change"] = "share"


@dataclass(frozen=True)
class Frames:
    """A part with a row for each feature and a column for each step, which a cursor on the chart goes through.

    `title` holds `{}` for the step.
    """

    part: str
    key: str
    title: str
    unit: str = "%"


@dataclass(frozen=True)
class Grades:
    """Features graded by a number: fields to choose from, the first leads.

    Attributes:
        id: the id of the legend group; its rows are `ID:0`, `ID:1`, ...
        fields: the fields.
        classing: how limits of classes are made: `equal` steps, as many in each (`quantile`), `natural` breaks, or `counts` of
            whole numbers.
        of: what is coloured, in the plural.
        frames: what a cursor can show instead.
        many: from so many points on they are small and bare.
        note: a sentence below the legend.
    """

    id: str
    fields: list[GradedField]
    classing: Literal["equal", "quantile", "natural", "counts"] = "equal"
    of: str = "zones"
    frames: Frames | None = None
    many: int | None = None
    note: str | None = None


@dataclass(frozen=True)
class Widths:
    """Lines as wide as the number of trips, or of `of`, on them; the legend shows some steps.

    Attributes:
        id: the id of the row that switches them.
        field: the number of trips.
        title: of the legend group.
        ink: of the lines.
        scale: `root` shows small numbers too, `linear` lets them vanish.
        note: a sentence below the legend.
        with_field: drawn only where features of another layer are graded by this field.
        of: what is counted.
        frames: what the time that is played shows instead.
    """

    id: str
    field: str
    title: str
    ink: str
    scale: Literal["root", "linear"] = "root"
    note: str | None = None
    with_field: str | None = None
    of: Literal["trips", "people"] = "trips"
    frames: Frames | None = None


@dataclass(frozen=True)
class MapLayer:
    """A part of the result on the map, told apart by `classes`, `grades` or `widths`.

    Attributes:
        part: the part.
        drawn: how.
        key: the field whose value selects a feature together with its row in the table.
        label: a field that is lettered beside or along features; of contours, the unit of their limit.
        sort: a field in whose order features lie over one another, the smallest on top; of lines, the greatest.
        approach: for routes, the part with the points between which and the ends a dotted line is drawn.
    """

    part: str
    drawn: Drawn
    classes: Classes | None = None
    grades: Grades | None = None
    widths: Widths | None = None
    key: str | None = None
    label: str | None = None
    sort: str | None = None
    approach: str | None = None


@dataclass(frozen=True)
class Streets:
    """How the streets themselves are drawn: `plain`, those a `mode` uses, or coloured by when they are `reach`ed.

    `row` of the legend switches the colours.
    """

    kind: Literal["plain", "mode", "reach"] = "plain"
    limits: list[float] = field(default_factory=list)
    row: str | None = None


@dataclass(frozen=True)
class Drag:
    """Lines that can be taken on the map and dragged to where one would go: their part, and the input that holds the points."""

    part: str
    into: str


@dataclass(frozen=True)
class Moving:
    """People who move on the map as time is played, from one minute of the day to another.

    Attributes:
        begin, end: minutes since midnight.
        row: the row of the legend that switches them.
        inks: the ink of each state; states without one are not drawn.
    """

    begin: float
    end: float
    row: str
    inks: dict[str, str]


@dataclass(frozen=True)
class MapView:
    """Layers, lowest first within what is drawn alike, and groups of the legend from the top.

    `outline` names the parts that can be drawn in outline over another answer, and say where this one lies: the first that has
    features. `drag` is what can be dragged, `moving` what is played.
    """

    layers: list[MapLayer] = field(default_factory=list)
    legend: list[LegendGroup] = field(default_factory=list)
    streets: Streets = Streets()
    outline: list[str] = field(default_factory=list)
    drag: Drag | None = None
    moving: Moving | None = None

    @property
    def parts(self) -> set[str]:
        """Names of the parts that it draws."""
        shown = [layer.grades or layer.widths for layer in self.layers]
        frames = {one.frames.part for one in shown if one and one.frames}
        return {layer.part for layer in self.layers} | set(self.outline) | frames
