"""How answers are compared: part by part, each as its question says."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from awl.core.analysis.comparison import percent_change
from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.io.table import Column, Table, Values
from awl.questions.compare.grounds import AreaDifferences, FeatureDifferences, compare_areas, compare_features
from awl.questions.compare.rows import RowDifferences, change_field, compare_rows, value_field
from awl.questions.compare.sides import Side
from awl.questions.compare.streets import (
    OwnerDifferences,
    ReachDifferences,
    WayDifferences,
    compare_owners,
    compare_reach,
    compare_ways,
)
from awl.questions.compare.trust import doubts_of, labels_of, said_differences
from awl.questions.compared_parts import (
    ComparedAreas,
    ComparedFeatures,
    ComparedOwners,
    ComparedPart,
    ComparedReach,
    ComparedRows,
    ComparedWays,
    parts_compared,
)
from awl.questions.inputs import Json
from awl.questions.question import Question
from awl.questions.results import Part, Result
from awl.questions.wording import DifferingWord, differing_words
from awl.study import what_ifs

MOST_PINS = 2000
"""Places of the first answer that are drawn with the differences."""
Differences = (
    RowDifferences | AreaDifferences | ReachDifferences | OwnerDifferences | WayDifferences | FeatureDifferences
)


@dataclass
class CompareResult(Result):
    """What differs between answers.

    Attributes:
        asked: the question they answer.
        sides: the answers, the others set against the first.
        labels: what each is called.
        words: the words in which the questions differ.
        differences: what was found, part by part.
    """

    asked: type[Question]
    sides: list[Side]
    labels: list[str]
    words: list[DifferingWord]
    differences: list[Differences]


def compare(asked: type[Question], sides: list[Side], progress: Progress | None = None) -> CompareResult:
    """Set answers of a question against the first of them.

    Raises:
        AwlError: they have nothing in common.
    """
    progress = progress or Progress()
    if not asked.compared:
        raise AwlError(f"Answers of '{asked.id}' cannot be compared", remedy="Compare those of another question")
    words = differing_words(asked, [side.inputs for side in sides], [side.study for side in sides])
    labels = labels_of(words, sides)
    differences: list[Differences] = []
    for nth, spec in enumerate(asked.compared):
        progress.step(0.7 + 0.25 * nth / len(asked.compared), "Comparing")
        differences += _differences(spec, sides, labels)
    if not differences:
        raise AwlError(
            "The answers have nothing in common that could be compared",
            remedy="Ask both with the same limits and the same kind of places",
            inputs=("answers",),
            kind="nothing-in-common",
        )
    parts: dict[str, Part] = {"key_figures": _figures(sides)}
    for one in differences:
        # Of several parts the first that has them says what changes most.
        parts = _parts(one) | parts
    pins = sides[0].part("places") if "places" in sides[0].parts else None
    if pins is not None and len(pins) <= MOST_PINS:
        parts["pins"] = pins.only({"name", "status"})
    return CompareResult(
        summary={"answers": labels, "question": asked.id} | _summary(differences),
        parts=parts,
        doubts=doubts_of(sides, labels, differences, parts_compared(asked.compared)),
        method=[said_differences(words, sides), *_method(differences, labels)],
        asked=asked,
        sides=sides,
        labels=labels,
        words=words,
        differences=differences,
    )


def _differences(spec: ComparedPart, sides: list[Side], labels: list[str]) -> list[Differences]:
    """What differs in a part; nothing where not all answers have it."""
    if isinstance(spec, ComparedFeatures):
        named = list(dict.fromkeys(name for side in sides for name in side.parts if name not in spec.fixed))
        each = [[side.part(name) for side in sides] for name in named]
        features = [
            compare_features(name, [table for table in tables if table is not None], labels)
            for name, tables in zip(named, each, strict=True)
            if all(table is not None for table in tables)
        ]
        return [one for one in features if one is not None]
    tables = [table for side in sides if (table := side.part(spec.part)) is not None]
    if len(tables) < len(sides) or not any(map(len, tables)):
        return []
    difference: Differences | None
    if isinstance(spec, ComparedRows):
        difference = compare_rows(spec, tables, labels)
    elif isinstance(spec, ComparedAreas):
        difference = compare_areas(spec, tables, sides[0].study.graph.plane, labels)
    elif isinstance(spec, ComparedReach):
        difference = compare_reach(spec, tables)
    elif isinstance(spec, ComparedOwners):
        places = [table for side in sides if (table := side.part(spec.places)) is not None]
        difference = compare_owners(spec, tables, places, labels)
    else:
        assert isinstance(spec, ComparedWays)
        graphs = [what_ifs.variant(side.study, _what_ifs(side.inputs)).graph for side in sides]
        difference = compare_ways(spec, tables, graphs, labels)
    return [] if difference is None else [difference]


def _what_ifs(inputs: Json) -> list[str]:
    wanted = inputs.get("what_if") or []
    return [wanted] if isinstance(wanted, str) else list(wanted)


def _figures(sides: list[Side]) -> Table:
    """Key figures that all answers have, and the differences of the others with the first."""
    each = [{(f["label"], f.get("unit", "")): f.get("value") for f in side.figures} for side in sides]
    shared = [key for key in each[0] if all(key in own for own in each)]
    values = np.array([[_number(own[key]) for key in shared] for own in each]).reshape(len(sides), len(shared))
    columns: dict[str, Values] = {
        "figure": [label for label, _ in shared],
        "unit": [unit for _, unit in shared],
        "label": [f"{label}, {unit}" if unit and unit != "people" else label for label, unit in shared],
    }
    for nth, own in enumerate(each, 1):
        texts = [_text(own[key]) for key in shared]
        columns[value_field("value", nth)] = Column.of(values[nth - 1])
        if any(np.isnan(number) and text for number, text in zip(values[nth - 1], texts, strict=True)):
            columns[value_field("text", nth)] = texts
    for nth, own_values in enumerate(values[1:], 2):
        change = own_values - values[0]
        columns[change_field("value", nth)] = Column.of(change, "", 4)
        columns[change_field("percent", nth)] = Column.of(percent_change(change, values[0]), "%", 1)
    return Table(None, columns)


def _number(value: Any) -> float:
    return float(value) if isinstance(value, int | float) and not isinstance(value, bool) else float("nan")


def _text(value: Any) -> str | None:
    return None if value is None else f"{value:,g}" if isinstance(value, int | float) else str(value)


def _parts(one: Differences) -> dict[str, Part]:
    """Tables of what was found, by the names they go by in the result."""
    if isinstance(one, FeatureDifferences):
        return {one.part: one.table}
    parts: dict[str, Part] = {one.spec.part: one.table}
    if isinstance(one, AreaDifferences):
        parts["ground"] = one.drawn
    if isinstance(one, OwnerDifferences):
        return {"moved": one.table, "streets": one.streets}
    if isinstance(one, RowDifferences):
        extra = {"most_changed": one.most, "groups": one.groups}
        parts |= {name: table for name, table in extra.items() if table is not None and len(table)}
    return parts


def _summary(differences: list[Differences]) -> Json:
    """Key figures by part, for the second answer against the first; lists where more are compared."""
    summary: Json = {}
    for one in differences:
        if isinstance(one, RowDifferences):
            summary[one.spec.part] = _row_summary(one)
        elif isinstance(one, AreaDifferences):
            rows = one.table.only({"value", "against", "ground", "area_km2"})
            summary[one.spec.part] = rows.records()
        elif isinstance(one, ReachDifferences):
            summary[one.spec.part] = {
                "gained_km": [round(km, 3) for km in one.gained_km],
                "lost_km": [round(km, 3) for km in one.lost_km],
                f"mean_change_{one.unit}": [None if np.isnan(value) else round(value, 3) for value in one.mean_change],
            }
        elif isinstance(one, OwnerDifferences):
            summary["moved_km"] = [round(km, 3) for km in one.moved_km]
        elif isinstance(one, WayDifferences):
            summary[one.spec.part] = one.table.only({"way", "taken", "km"}).records()
        else:
            summary[one.part] = {"common": one.common, "counts": one.counts}
    return summary


def _row_summary(one: RowDifferences) -> Json:
    summary: Json = {"rows": len(one.table), "only": one.only}
    if one.groups is not None:
        summary["groups"] = one.groups.records()
    if one.lead is not None:
        known = [change[np.isfinite(change)] for change in one.lead.changes]
        least = 0.5 * 10.0**-one.lead.digits
        summary |= {
            "number": one.lead.field,
            "unit": one.lead.unit,
            "mean_change": [round(float(own.mean()), 4) if len(own) else None for own in known],
            "more": [int((own > least).sum()) for own in known],
            "less": [int((own < -least).sum()) for own in known],
        }
    return summary


def _method(differences: list[Differences], labels: list[str]) -> list[str]:
    lines = [f"Differences are how much more '{label}' has than '{labels[0]}'." for label in labels[1:]]
    for one in differences:
        if isinstance(one, ReachDifferences):
            lines.append(
                "A street counts as reached at the first moment at any point of it; lengths are those reached in all."
            )
        elif isinstance(one, AreaDifferences):
            lines.append("Areas are laid over each other on a grid of one centimetre.")
        elif isinstance(one, OwnerDifferences):
            lines.append("What a place loses along a street goes to those that gain there, in proportion.")
        elif isinstance(one, RowDifferences) and one.groups is not None:
            lines.append("People gained and lost are summed up over zones: within one zone the two are not told apart.")
    return list(dict.fromkeys(lines))
