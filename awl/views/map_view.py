"""What the map draws of an answer, and the legend that controls it: layers by part, rows by id, inks by name.

Inks are names, so that each theme and each sheet of paper has colours of its own: `token:NAME` of the theme, `band:i/n` of n
bands from near to far, `share:i/n` and `change:i/n` of ramps, `tint:i` to tell neighbours apart.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Literal

Json = dict[str, Any]
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
    fill: str = ""
    line: str = ""
    width: float | None = None

    def json(self) -> Json:
        """Plain; what is not said is left out."""
        return {key: value for key, value in vars(self).items() if value not in ("", None)}


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

    def json(self) -> Json:
        """Plain."""
        made: Json = {"id": self.id, "label": self.label, "swatch": self.swatch.json()}
        return (
            made | ({"count": self.count} if self.count is not None else {}) | ({"fixed": True} if self.fixed else {})
        )


@dataclass(frozen=True)
class Paint:
    """How features of one row are drawn."""

    fill: str = ""
    line: str = ""
    opacity: float | None = None
    """Of a fill."""
    width: float | None = None
    radius: float | None = None
    second: bool = False
    """Whether a route is drawn as one that is not the first."""

    def json(self) -> Json:
        """Plain; what is not said is left out."""
        return {key: value for key, value in vars(self).items() if value not in ("", None, False)}


@dataclass(frozen=True)
class Classes:
    """Features told apart by a field: the row and the paint of each value."""

    field: str | None
    """None where all features of the layer are alike."""
    of: dict[str, tuple[str, Paint]]
    """Row and paint by the value as text; `*` is every other one."""

    def json(self) -> Json:
        """Plain."""
        return {
            "field": self.field,
            "of": {value: {"row": row, **paint.json()} for value, (row, paint) in self.of.items()},
        }

    @classmethod
    def alike(cls, row: str, paint: Paint) -> Classes:
        """All features in one row."""
        return cls(None, {"*": (row, paint)})


@dataclass(frozen=True)
class GradedField:
    """A field of numbers by which features can be graded.

    Attributes:
        field, title, unit: what it is.
        breaks: limits of classes, where fixed ones tell more than those made of the values.
        ramp: `share` from none to much, `change` from loss to gain.
        whole: whether it counts, so that classes are of whole numbers.
    """

    field: str
    title: str
    unit: str = ""
    breaks: tuple[float, ...] | None = None
    ramp: Literal["share", "change"] = "share"
    whole: bool = False

    def json(self) -> Json:
        """Plain."""
        made: Json = {
            "field": self.field,
            "title": self.title,
            "unit": self.unit,
            "ramp": self.ramp,
            "whole": self.whole,
        }
        return made | ({"breaks": list(self.breaks)} if self.breaks else {})


@dataclass(frozen=True)
class Frames:
    """A part with a row for each feature and a column for each step, which a cursor on the chart goes through."""

    part: str
    key: str
    title: str
    unit: str = "%"

    def json(self) -> Json:
        """Plain."""
        return vars(self)


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
        choosable: whether the legend offers other fields and classes.
    """

    id: str
    fields: list[GradedField]
    classing: Literal["equal", "quantile", "natural", "counts"] = "equal"
    of: str = "zones"
    frames: Frames | None = None
    many: int | None = None
    note: str = ""
    choosable: bool = True

    def json(self) -> Json:
        """Plain."""
        made = {key: value for key, value in vars(self).items() if value not in ("", None)}
        made["fields"] = [one.json() for one in self.fields]
        return made | ({"frames": self.frames.json()} if self.frames else {})


@dataclass(frozen=True)
class Widths:
    """Lines as wide as a number on them says; the legend shows some steps."""

    id: str
    field: str
    title: str
    ink: str
    one: str = "trip"
    """What is counted, in the singular."""
    scale: Literal["root", "linear"] = "root"
    note: str = ""
    with_field: str | None = None
    """Drawn only where features of the other layers are graded by this field."""

    def json(self) -> Json:
        """Plain; what is not said is left out."""
        return {key: value for key, value in vars(self).items() if value not in ("", None)}


@dataclass(frozen=True)
class Layer:
    """A part of the result on the map.

    Attributes:
        part: the part.
        drawn: how.
        style: how features are told apart.
        key: the field whose value selects a feature together with its row in the table.
        label: a field that is lettered beside or along features.
        sort: a field in whose order features lie over one another, the greatest beneath; with a minus, the least.
        approach: for routes, the part with the points between which and the ends a dotted line is drawn.
    """

    part: str
    drawn: Drawn
    style: Classes | Grades | Widths
    key: str | None = None
    label: str | None = None
    sort: str | None = None
    approach: str | None = None

    def json(self) -> Json:
        """Plain."""
        kinds = {Classes: "classes", Grades: "grades", Widths: "widths"}
        made: Json = {"part": self.part, "drawn": self.drawn, kinds[type(self.style)]: self.style.json()}
        more = {"key": self.key, "label": self.label, "sort": self.sort, "approach": self.approach}
        return made | {key: value for key, value in more.items() if value is not None}


@dataclass(frozen=True)
class LegendGroup:
    """Rows of the legend under one title."""

    id: str
    title: str
    rows: list[LegendRow]
    note: str = ""

    def json(self) -> Json:
        """Plain."""
        made: Json = {"id": self.id, "title": self.title, "rows": [row.json() for row in self.rows]}
        return made | ({"note": self.note} if self.note else {})


@dataclass(frozen=True)
class Streets:
    """How the streets themselves are drawn: `plain`, those a `mode` uses, or coloured by when they are `reach`ed."""

    kind: Literal["plain", "mode", "reach"] = "plain"
    limits: tuple[float, ...] = ()
    row: str | None = None
    """The row of the legend that switches the colours."""

    def json(self) -> Json:
        """Plain."""
        return {"kind": self.kind, "limits": list(self.limits), **({"row": self.row} if self.row else {})}


@dataclass(frozen=True)
class MapView:
    """Layers, lowest first within what is drawn alike, and groups of the legend from the top.

    `outline` names the parts that can be drawn in outline over another answer, the first that has features is.
    """

    layers: list[Layer] = field(default_factory=list)
    legend: list[LegendGroup] = field(default_factory=list)
    streets: Streets = Streets()
    outline: tuple[str, ...] = ()

    def json(self) -> Json:
        """As documents hold it."""
        return {
            "layers": [layer.json() for layer in self.layers],
            "legend": [group.json() for group in self.legend],
            "streets": self.streets.json(),
            "outline": list(self.outline),
        }

    @property
    def parts(self) -> set[str]:
        """Names of the parts that it draws."""
        frames = {
            layer.style.frames.part for layer in self.layers if isinstance(layer.style, Grades) and layer.style.frames
        }
        return {layer.part for layer in self.layers} | set(self.outline) | frames
