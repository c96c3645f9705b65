"""The layers of an answer on paper: features painted by the rows of its legend, as the browser paints them."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.handout.base_map import Z_AREAS, Z_FOUND, Z_LINES, Z_MARKS, Z_ROUTES, MapFrame
from awl.handout.classing import breaks, class_words, classes_of
from awl.handout.letters import MEDIUM
from awl.handout.pictures import DASHED, HATCH, button, dots, fill, stroke
from awl.io.table import Table
from awl.views.map_view import Classes, Grades, LegendGroup, LegendRow, MapLayer, MapView, Paint, Swatch, Widths
from awl.views.pins import ON_STREET

PINS = MapLayer("places", "pins")
GRADED_OPACITY, AREA_OPACITY = 0.82, 0.94
WIDEST = 6.0
SMALL_PIXELS = 2.2
Look = Mapping[str, Any]
"""The look of a row of one's own: `label`, `colour`, `width`."""
Parts = Callable[[str], Table | None]


@dataclass(frozen=True)
class DrawnAnswer:
    """What of an answer is drawn.

    Attributes:
        map: its layers and legend.
        part: gives a part of it, None where it is not kept.
        looks: looks of rows by their ids.
        hidden: rows that are switched off.
    """

    map: MapView
    part: Parts
    looks: Mapping[str, Look] = field(default_factory=dict)
    hidden: frozenset[str] = frozenset()


def draw_answer(frame: MapFrame, answer: DrawnAnswer) -> list[LegendGroup]:
    """Draw the layers; returns the groups of the legend, graded ones first, as the browser has them."""
    groups: list[LegendGroup] = []
    graded: str | None = None
    for layer in answer.map.layers:
        if layer.grades is not None and (table := answer.part(layer.part)) is not None:
            group, graded = _draw_grades(frame, answer, layer, layer.grades, table)
            groups += [group] if group is not None else []
    for layer in answer.map.layers:
        table = answer.part(layer.part)
        if table is None or not table.has_geometry or not len(table):
            continue
        if layer.classes is not None:
            _draw_classes(frame, answer, layer, layer.classes, table)
        elif layer.widths is not None and layer.widths.with_field in (None, graded):
            groups.append(_draw_widths(frame, answer, layer, layer.widths, table))
    left_out = set(answer.hidden)
    if answer.map.streets.kind == "reach" and not _draw_reached(frame, answer):
        left_out.add(answer.map.streets.row or "")
    _draw_own_places(frame, answer)
    for group in answer.map.legend:
        rows = [_looked(row, answer.looks) for row in group.rows if row.id not in left_out]
        if group.title == "" and groups:
            last = groups[-1]
            groups[-1] = LegendGroup(last.id, last.title, [*last.rows, *rows], last.note)
        elif rows:
            groups.append(LegendGroup(group.id, group.title, rows, group.note))
    return groups


def _draw_reached(frame: MapFrame, answer: DrawnAnswer) -> bool:
    """Streets by the limit within which they are reached, where the answer holds them; whether it does."""
    table, limits = answer.part("streets"), answer.map.streets.limits
    if table is None or "limit" not in table.columns or not len(table):
        return False
    count = len(limits)
    inks = {limit: frame.inks(f"band:{i}/{count}", "street") for i, limit in enumerate(limits)}
    # The nearest lie above: streets of one limit after another are drawn at once.
    order = np.argsort(-table.columns["limit"].numbers(), kind="stable")
    colours = [inks.get(limit, frame.inks("token:ink")) for limit in table.columns["limit"].numbers()[order].tolist()]
    stroke(frame.axes, frame.in_view(table.geometry[order]), colours, frame.width(1.1), Z_LINES - 0.5)
    return True


def _draw_own_places(frame: MapFrame, answer: DrawnAnswer) -> None:
    """Places that are no layer's: pins to drag in the browser, buttons with letters on paper."""
    table = answer.part("places")
    if table is None or not len(table) or any(layer.drawn == "pins" for layer in answer.map.layers):
        return
    if table.kind != "point" or "status" not in table.columns or "places" in answer.map.parts:
        return
    paints = [Paint("places", second=status != ON_STREET) for status in table.columns["status"]]
    letters = [chr(65 + i % 26) if len(table) > 1 else None for i in range(len(table))]
    _paint_points(frame, PINS, frame.in_view(table.geometry), paints, [""] * len(table), letters)


def _looked(row: LegendRow, looks: Mapping[str, Look]) -> LegendRow:
    """A row with the label, colour and width it was given."""
    look = looks.get(row.id)
    if not look:
        return row
    swatch, lined = row.swatch, row.swatch.kind in ("line", "dash")
    colour = look.get("colour")
    width = (swatch.width or 2.4) * look["width"] if "width" in look else swatch.width
    changed = Swatch(
        swatch.kind,
        colour if colour and not lined else swatch.fill,
        colour if colour and lined else swatch.line,
        width,
    )
    return LegendRow(row.id, look.get("label") or row.label, changed, row.count, row.fixed)


def _draw_classes(frame: MapFrame, answer: DrawnAnswer, layer: MapLayer, classes: Classes, table: Table) -> None:
    rank = list(classes.of)
    keys = [None] * len(table) if classes.field is None else [_key(value) for value in table.columns[classes.field]]
    paints = [classes.of.get(key or "*", classes.of.get("*")) for key in keys]
    rows = [i for i, paint in enumerate(paints) if paint is not None and paint.row not in answer.hidden]
    if layer.sort or layer.drawn == "routes":
        # The nearest band lies on top, and so does the route that leads.
        rows.sort(key=lambda i: -rank.index(keys[i] or "*") if (keys[i] or "*") in rank else 0)
    own: list[Paint] = [paint for i in rows if (paint := paints[i]) is not None]
    shapes = frame.in_view(table.geometry[np.array(rows, np.int64)]) if rows else np.zeros(0, object)
    labels = [table.columns[layer.label][i] if layer.label in table.columns else None for i in rows]
    if layer.drawn == "contours":
        labels = [f"{table.columns['limit'][i]:g} {layer.label or ''}".strip() for i in rows]
    _paint(frame, layer, shapes, own, [answer.looks.get(paint.row, {}) for paint in own], labels)


def _key(value: Any) -> str | None:
    """A value as classes know it."""
    if isinstance(value, float) and value.is_integer():
        return f"{value:.0f}"
    return None if value is None else str(value)


def _paint(
    frame: MapFrame,
    layer: MapLayer,
    shapes: NDArray[np.object_],
    paints: list[Paint],
    looks: list[Look],
    labels: list[Any],
) -> None:
    """Draw features, each by its paint and look."""
    if not len(shapes):
        return
    inks, axes = frame.inks, frame.axes

    def colours(use: str) -> list[str]:
        return [
            inks(look.get("colour") or getattr(paint, "fill" if use == "fill" else "line"), use)  # type: ignore[arg-type]
            for paint, look in zip(paints, looks, strict=True)
        ]

    def widths(usual: float) -> list[float]:
        return [
            frame.width(usual * (paint.width or 1.0) * look.get("width", 1.0))
            for paint, look in zip(paints, looks, strict=True)
        ]

    if layer.drawn in ("areas", "zones"):
        # Each opacity by itself, in the order of the features.
        for shape, colour, paint in zip(shapes, colours("fill"), paints, strict=True):
            one = np.array([shape], dtype=object)
            opacity = AREA_OPACITY if paint.opacity is None else paint.opacity
            hatched = inks.is_hatched(paint.fill)
            fill(
                axes,
                one,
                colour,
                Z_AREAS,
                inks("token:ink") if hatched else "none",
                0,
                opacity,
                HATCH if hatched else None,
            )
    elif layer.drawn == "contours":
        stroke(axes, shapes, colours("line"), frame.width(1.2), Z_LINES)
        for shape, colour, label in sorted(
            zip(shapes, colours("line"), labels, strict=True), key=lambda item: -item[0].length
        ):
            frame.lettering.along(str(label), shape, MEDIUM, 7.0, colour, loose=True)
    elif layer.drawn == "shapes":
        opacity = paints[0].opacity if paints[0].opacity is not None else 1.0
        fill(axes, shapes, colours("fill"), Z_FOUND, colours("line"), frame.width(1.0), opacity)
    elif layer.drawn == "lines":
        thick, dashed = np.array(widths(1.9)), np.array([inks.is_hatched(paint.line) for paint in paints])
        own = np.array(colours("line"))
        for which, dash in ((~dashed, "solid"), (dashed, DASHED)):
            stroke(axes, shapes[which], own[which].tolist(), thick[which], Z_LINES, dash)
    elif layer.drawn == "routes":
        for shape, colour, width, paint in zip(shapes, colours("line"), widths(4.5), paints, strict=True):
            one = np.array([shape], dtype=object)
            stroke(axes, one, inks("token:page"), width + frame.width(3.5), Z_ROUTES)
            stroke(axes, one, colour, width, Z_ROUTES + 0.5, (0, (2, 1.4)) if paint.second else "solid")
    else:
        _paint_points(frame, layer, shapes, paints, colours("fill"), labels)


def _points(shapes: NDArray[np.object_]) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """Coordinates of the shapes that are points in view, and which shapes these are."""
    rows = np.flatnonzero((shapely.get_type_id(shapes) == 0) & ~shapely.is_empty(shapes))
    return shapely.get_coordinates(shapes[rows]), rows


def _paint_points(
    frame: MapFrame,
    layer: MapLayer,
    shapes: NDArray[np.object_],
    paints: list[Paint],
    colours: list[str],
    labels: list[Any],
) -> None:
    inks = frame.inks
    xy, rows = _points(shapes)
    if layer.drawn == "pins":
        for second in (True, False):
            of_kind = np.array([paints[i].second == second for i in rows.tolist()], bool)
            button(frame.axes, xy[of_kind], inks("token:ink"), inks("token:page"), frame.width(5.6), Z_MARKS, second)
        frame.lettering.take(xy, 1.5 * frame.letter)
    else:
        usual = 2.0 if layer.drawn == "dots" else 6.0
        radius = [frame.width(paints[i].radius or usual) for i in rows.tolist()]
        edge = "none" if layer.drawn == "dots" else inks("token:ink")
        dots(frame.axes, xy, [colours[i] for i in rows.tolist()], radius, Z_MARKS, edge, frame.width(1.0))
    for at, i in zip(xy, rows.tolist(), strict=True):
        if labels[i]:
            frame.lettering.at(str(labels[i]), at, MEDIUM, 7.4, inks("token:ink"), 2.1 * frame.letter)


def _draw_grades(
    frame: MapFrame, answer: DrawnAnswer, layer: MapLayer, grades: Grades, table: Table
) -> tuple[LegendGroup | None, str | None]:
    """Draw features graded by the number that leads; returns the group of the legend, and by which field."""
    leading = next((one for one in grades.fields if one.field in table.columns), None)
    if leading is None or not table.has_geometry or not len(table):
        return None, None
    values = table.columns[leading.field].numbers()
    limits = breaks(values, grades.classing, leading.breaks)
    count = len(limits) - 1
    level = classes_of(values, limits)
    ramp = [f"{leading.ramp}:{i}/{count}" for i in range(count)]
    looks = [answer.looks.get(f"{grades.id}:{i}", {}) for i in range(count)]
    names = [look.get("colour") or ink for look, ink in zip(looks, ramp, strict=True)]
    order = np.array(
        [i for i in np.argsort(level, kind="stable").tolist() if f"{grades.id}:{level[i]}" not in answer.hidden],
        np.int64,
    )
    shapes = frame.in_view(table.geometry[order]) if len(order) else np.zeros(0, object)
    colours = [frame.inks(names[k] if k >= 0 else "token:sunk") for k in level[order].tolist()]
    hatched = np.array([k >= 0 and frame.inks.is_hatched(names[k]) for k in level[order].tolist()], bool)
    _paint_graded(frame, layer, grades, shapes, colours, hatched, level[order], table, order)
    kind = {"zones": "area", "lines": "line"}.get(layer.drawn, "circle")
    rows = [
        LegendRow(
            f"{grades.id}:{i}",
            looks[i].get("label") or class_words(limits, i, leading.unit, grades.classing == "counts"),
            Swatch("line", line=names[i], width=3) if kind == "line" else Swatch(kind, names[i], "token:rule-2"),  # type: ignore[arg-type]
            int((level == i).sum()),
        )
        for i in range(count)
        if f"{grades.id}:{i}" not in answer.hidden
    ]
    if (level < 0).any():
        rows.append(
            LegendRow(
                f"{grades.id}:-1", "no value here", Swatch("area", "token:sunk", "token:rule-2"), int((level < 0).sum())
            )
        )
    return LegendGroup(grades.id, leading.title, rows, grades.note), leading.field


def _paint_graded(
    frame: MapFrame, layer: MapLayer, grades: Grades, shapes: NDArray[np.object_], colours: list[str],
    hatched: NDArray[np.bool_], level: NDArray[np.int64], table: Table, order: NDArray[np.int64],
) -> None:  # fmt: skip
    inks = frame.inks
    if layer.drawn in ("zones", "lines"):
        coloured = np.array(colours, dtype=object)
        for which, strokes in ((~hatched, False), (hatched, True)):
            if layer.drawn == "zones":
                edge = inks("token:ink") if strokes else inks("token:page")
                fill(
                    frame.axes, shapes[which], coloured[which].tolist(), Z_AREAS, edge, frame.width(0.3 if strokes else 1.4),
                    GRADED_OPACITY, HATCH if strokes else None,
                )  # fmt: skip
            else:
                stroke(
                    frame.axes,
                    shapes[which],
                    coloured[which].tolist(),
                    frame.width(2.6),
                    Z_LINES,
                    DASHED if strokes else "solid",
                )
    else:
        xy, rows = _points(shapes)
        many = grades.many is not None and len(table) > grades.many
        own = [colours[i] for i in rows.tolist()]
        pixels = np.full(len(rows), SMALL_PIXELS) if many else 4.0 + np.maximum(level[rows], 0)
        dots(
            frame.axes,
            xy,
            own,
            frame.width(1.0) * pixels,
            Z_MARKS,
            "none" if many else inks("token:ink"),
            0 if many else frame.width(1.0),
        )
        if layer.label in table.columns and not many:
            frame.lettering.take(xy, 1.6 * frame.letter)
            labels = table.columns[layer.label]
            for at, i in zip(xy, rows.tolist(), strict=True):
                if labels[int(order[i])]:
                    frame.lettering.at(
                        str(labels[int(order[i])]), at, MEDIUM, 7.4, inks("token:ink"), 2.4 * frame.letter
                    )


def _draw_widths(frame: MapFrame, answer: DrawnAnswer, layer: MapLayer, widths: Widths, table: Table) -> LegendGroup:
    """Lines as wide as a number on them says."""
    numbers = np.nan_to_num(table.columns[widths.field].numbers())
    most = float(max(numbers.max(initial=1.0), 1.0))
    look = answer.looks.get(widths.id, {})
    thick, ink = float(look.get("width", 1.0)), look.get("colour") or widths.ink
    order = np.argsort(numbers, kind="stable")
    if widths.id not in answer.hidden:
        own = [frame.width(1.9 * thick * _width(float(number), most, widths.scale)) for number in numbers[order]]
        stroke(frame.axes, frame.in_view(table.geometry[order]), frame.inks(ink, "line"), own, Z_LINES)
    rows = []
    for i, step in enumerate(load_steps(most)):
        width = 1.4 * thick * _width(step, most, widths.scale)
        words = f"{step:,} {'trip' if step == 1 and widths.of == 'trips' else widths.of}"
        rows.append(LegendRow(f"{widths.id}:{i}", words, Swatch("line", line=ink, width=width)))
    return LegendGroup(widths.id, widths.title, rows, widths.note)


def _width(number: float, most: float, scale: str) -> float:
    return 0.25 + 5 * number / most if scale == "linear" else 0.8 + (WIDEST - 0.8) * float(np.sqrt(number / most))


def load_steps(most: float) -> list[int]:
    """Numbers of trips that the legend shows: few, half of most, most, each round."""
    digits = max(len(str(int(most))) - 1, 0)
    step = 10**digits
    top = int(most // step * step) or 1
    return sorted({1, max(top // 3, 1), top})
