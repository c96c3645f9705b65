"""One map of differences: ground that is reached in one answer alone, streets gained and lost, rows graded by their change."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from awl.questions.compare.grounds import BOTH, FIRST, SECOND, AreaDifferences, FeatureDifferences
from awl.questions.compare.rows import RowDifferences, change_field
from awl.questions.compare.run import CompareResult, Differences
from awl.questions.compare.streets import LATER, NOT_AFTER, NOT_BEFORE, SOONER, OwnerDifferences, ReachDifferences
from awl.questions.compare.titles import capitalized, number_title
from awl.views.map_view import (
    Classes,
    GradedField,
    Grades,
    LegendGroup,
    LegendRow,
    MapLayer,
    MapView,
    Paint,
    Swatch,
    alike,
    token,
)
from awl.views.pins import pin_layers, pin_row

LOSS, WORSE, BETTER, GAIN = (f"change:{i}/7" for i in (0, 1, 5, 6))
"""Inks from what is lost to what is gained."""


def map_of(result: CompareResult) -> MapView:
    """Layers of all parts that lie on the ground, and the places of the first answer."""
    layers: list[MapLayer] = []
    groups: list[LegendGroup] = []
    for one in result.differences:
        for layer, group in _shown(one, result.labels):
            layers.append(layer)
            groups += [] if group is None else [group]
    pins = "pins" in result.parts
    if pins:
        layers += pin_layers("Place", "pins")
        groups.append(LegendGroup("pins", "", [pin_row("Place", len(result.part("pins")))]))
    outline = [layer.part for layer in layers if layer.drawn in ("areas", "zones", "lines", "routes")]
    return MapView(layers=layers, legend=groups, outline=outline[:1])


Shown = tuple[MapLayer, LegendGroup | None]


def _shown(one: Differences, labels: list[str]) -> Iterator[Shown]:
    if isinstance(one, AreaDifferences):
        yield _areas(one, labels)
    elif isinstance(one, ReachDifferences):
        yield _reach(labels)
    elif isinstance(one, RowDifferences):
        if one.lead is not None and one.spec.drawn is not None and one.table.has_geometry:
            yield _rows(one, labels), None
    elif isinstance(one, OwnerDifferences):
        row = LegendRow("moved", "To another place", Swatch("line", line=token("thread")))
        layer = MapLayer("streets", "lines", alike(Paint("moved", line=token("thread"))))
        yield layer, LegendGroup("moved-streets", f"Streets in '{labels[1]}'", [row])
    elif isinstance(one, FeatureDifferences):
        if one.table.has_geometry and len(one.table):
            yield _features(one)
    else:
        inks = {"all": token("ink-2"), **{str(nth): f"tint:{nth - 1}" for nth in range(1, len(labels) + 1)}}
        words = {"all": "taken by all", **{str(nth): f"only '{label}'" for nth, label in enumerate(labels, 1)}}
        paints = {taken: Paint(f"way-{taken}", line=ink) for taken, ink in inks.items()}
        rows = [
            LegendRow(f"way-{taken}", words[taken], Swatch("line", line=ink, width=3)) for taken, ink in inks.items()
        ]
        yield MapLayer(one.spec.part, "routes", Classes(paints, "taken")), LegendGroup("ways", "Ways", rows)


def _areas(one: AreaDifferences, labels: list[str]) -> Shown:
    """Ground within the last limit: in both answers, and in either alone."""
    paints = {BOTH: Paint("both", token("rule"), token("rule-2"), 0.35)}
    rows = [LegendRow("both", "In both", Swatch("area", token("rule"), token("rule-2")))]
    for ground, ink, label in ((SECOND, GAIN, labels[1]), (FIRST, LOSS, labels[0])):
        paints[ground] = Paint(f"only-{ground}", ink, ink, 0.55)
        rows.append(LegendRow(f"only-{ground}", f"Only '{label}'", Swatch("area", ink, ink)))
    title = f"Ground within {one.values[-1]:g} {one.unit}"
    return MapLayer("ground", "areas", Classes(paints, "ground")), LegendGroup("ground", title, rows)


def _reach(labels: list[str]) -> Shown:
    words = {
        NOT_BEFORE: ("Reached as well", GAIN),
        SOONER: ("Reached sooner", BETTER),
        LATER: ("Reached later", WORSE),
        NOT_AFTER: ("No longer reached", LOSS),
    }
    paints = {kind: Paint(f"street-{kind}", line=ink, width=1.4) for kind, (_, ink) in words.items()}
    rows = [LegendRow(f"street-{kind}", word, Swatch("line", line=ink, width=3)) for kind, (word, ink) in words.items()]
    title = f"Streets in '{labels[1]}'"
    return MapLayer("streets", "lines", Classes(paints, "change"), key="link_id"), LegendGroup("streets", title, rows)


def _rows(one: RowDifferences, labels: list[str]) -> MapLayer:
    """Rows graded by the change of the number that leads, or of another of the same kind."""
    lead, spec = one.lead, one.spec
    assert lead is not None
    quantity = None if lead.meaning is None else lead.meaning.quantity
    columns = one.table.columns
    alike_fields = [
        name
        for name in one.fields
        if name == lead.field or (columns[name].meaning and columns[name].meaning.quantity == quantity)  # type: ignore[union-attr]
    ]
    fields = []
    for name in alike_fields:
        for nth, label in enumerate(labels[1:], 2):
            changes = columns[change_field(name, nth)].numbers()
            whose = f", {label}" if len(labels) > 2 else ""
            title = f"{capitalized(number_title(columns[name], name))}{whose}"
            fields.append(GradedField(change_field(name, nth), title, columns[name].unit, _breaks(changes), "change"))
    key = next((name for name in spec.names if name in columns), spec.keys[0])
    drawn = spec.drawn or "zones"
    grades = Grades(
        f"change-{spec.part}",
        fields,
        of=spec.title.lower(),
        note=f"Differences: how much more '{labels[1]}' has than '{labels[0]}'.",
    )
    return MapLayer(spec.part, drawn, grades=grades, key=key, label=key if drawn == "points" else None)


def _breaks(changes: NDArray[np.float64]) -> list[float]:
    """Limits of classes of changes, alike to both sides of none; what does not change is a class of its own."""
    size = np.abs(changes[np.isfinite(changes)])
    most = float(size.max(initial=0.0))
    if most == 0:
        return [-1.0, -0.5, 0.5, 1.0]
    top = _round_up(most)
    return [round(value, 6) for value in (-top, -top / 5, -top / 100, top / 100, top / 5, top)]


def _round_up(value: float) -> float:
    """The next number of one leading digit of 1, 2 or 5."""
    power = 10.0 ** np.floor(np.log10(value))
    return float(next(step * power for step in (1, 2, 5, 10) if step * power >= value * (1 - 1e-9)))


def _features(one: FeatureDifferences) -> Shown:
    words = list(dict.fromkeys(one.table.columns["standing"].tolist()))
    paints, rows = {}, []
    for nth, word in enumerate(words):
        ink = (GAIN, LOSS, BETTER, WORSE)[nth % 4]
        paints[str(word)] = Paint(f"{one.part}-{nth}", ink, ink, 0.6)
        rows.append(LegendRow(f"{one.part}-{nth}", str(word).capitalize(), Swatch("area", ink, ink)))
    title = one.part.replace("_", " ").capitalize()
    drawn = "points" if one.table.kind == "point" else "shapes" if one.table.kind == "polygon" else "lines"
    return MapLayer(one.part, drawn, Classes(paints, "standing")), LegendGroup(f"apart-{one.part}", title, rows)  # type: ignore[arg-type]
