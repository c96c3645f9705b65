"""What a comparison rests on: what differs between the questions, word by word, and what may come from the data instead."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any

from awl.questions.compare.rows import RowDifferences
from awl.questions.compare.sides import Side
from awl.questions.results import Doubt, counted
from awl.questions.wording import DifferingWord

LONGEST_LABEL = 60
MOVED_M = 1.0
"""A place whose distance to its street differs by more stands on another spot of the streets."""


def labels_of(words: list[DifferingWord], sides: list[Side]) -> list[str]:
    """What each answer is called: the words in which its question differs, else its study, else when it was made."""
    labels = [", ".join(word.texts[i] for word in words) for i in range(len(sides))]
    if len({side.study.path for side in sides}) > 1:
        names = [side.study.path.stem for side in sides]
        labels = [f"{name}, {label}" if label else name for name, label in zip(names, labels, strict=True)]
    if len(set(labels)) < len(sides):
        labels = [f"{label}, {_day(side.made)}".removeprefix(", ") for label, side in zip(labels, sides, strict=True)]
    labels = [label if len(label) <= LONGEST_LABEL else f"{label[: LONGEST_LABEL - 1]}…" for label in labels]
    return [label if labels.count(label) == 1 else f"{label} ({i})" for i, label in enumerate(labels, 1)]


def _day(made: str) -> str:
    when = datetime.fromisoformat(made)
    return f"of {when.day} {when:%B %Y, %H:%M:%S}"


def said_differences(words: list[DifferingWord], sides: list[Side]) -> str:
    """What differs between the questions, as a sentence."""
    if len({side.study.path for side in sides}) > 1:
        names = [f"'{side.study.path.stem}'" for side in sides]
        where = f", asked of {' and of '.join(names)}"
    else:
        where = ""
    if not words:
        return f"The same question{where or ', asked at different times'}."
    clauses = []
    for nth in range(1, len(sides)):
        pairs = [f"{word.texts[nth]} for {word.texts[0]}" for word in words if word.texts[nth] != word.texts[0]]
        clauses.append(" and ".join(pairs) or "nothing else")
    return f"The same question{where}, but {'; or '.join(clauses)}."


def doubts_of(
    sides: list[Side], labels: list[str], differences: Sequence[Any], parts: Sequence[str] = ()
) -> list[Doubt]:
    """What of the difference may come from the data and not from the question, and the doubts of the answers themselves."""
    doubts = [
        *_other_streets(sides, labels),
        *_not_kept(sides, labels, parts),
        *_left_out(sides, labels),
        *_snapped_elsewhere(sides, labels),
    ]
    for one in differences:
        if isinstance(one, RowDifferences) and any(one.only):
            each = [
                f"{counted(count, 'row')} only in '{label}'"
                for count, label in zip(one.only, labels, strict=True)
                if count
            ]
            text = (
                f"{one.spec.title} are not the same: {', '.join(each)}. They have no difference, and count in no sum."
            )
            doubts.append(Doubt("rows-in-some", "warning", sum(one.only), text))
    return doubts + _own_doubts(sides, labels)


def _other_streets(sides: list[Side], labels: list[str]) -> list[Doubt]:
    first = sides[0].streets
    others = [label for side, label in zip(sides[1:], labels[1:], strict=True) if side.streets != first]
    if not others:
        return []
    names = ", ".join(f"'{label}'" for label in others)
    text = f"The streets are others than those of '{labels[0]}' in {names}: some of the difference may come from there."
    return [Doubt("other-streets", "warning", len(others), text)]


def _not_kept(sides: list[Side], labels: list[str], parts: Sequence[str]) -> list[Doubt]:
    """Parts that are not compared, because an answer was kept without them and what it rests on has changed since."""
    doubts = []
    for side, label in zip(sides, labels, strict=True):
        lacking = [part for part in parts if part not in side.parts and any(part in other.parts for other in sides)]
        if side.is_stale and lacking:
            names = " and ".join(name.replace("_", " ") for name in lacking)
            text = (
                f"Not compared: {names}. '{label}' was kept without, and what it rests on has changed since; "
                "keep answers before such changes."
            )
            doubts.append(Doubt("not-kept", "warning", len(lacking), text))
    return doubts


def _left_out(sides: list[Side], labels: list[str]) -> list[Doubt]:
    """Places that one answer leaves out and another uses."""
    status = [_by_place(side, "status") for side in sides]
    shared = set(status[0]).intersection(*status[1:])
    doubts = []
    for own, label in zip(status, labels, strict=True):
        out = [
            place for place in shared if own[place] != "on street" and any(one[place] == "on street" for one in status)
        ]
        if out:
            text = f"'{label}' leaves out {counted(len(out), 'place')} that others use: the difference holds that too."
            doubts.append(Doubt("places-left-out-in-one", "warning", len(out), text))
    return doubts


def _snapped_elsewhere(sides: list[Side], labels: list[str]) -> list[Doubt]:
    """Places that stand on another spot of the streets than in the first answer."""
    away = [_by_place(side, "street_distance_m") for side in sides]
    doubts = []
    for own, label in zip(away[1:], labels[1:], strict=True):
        moved = [
            place
            for place in set(own) & set(away[0])
            if own[place] is not None and away[0][place] is not None and abs(own[place] - away[0][place]) > MOVED_M
        ]
        if moved:
            subject = "1 place stands" if len(moved) == 1 else f"{len(moved):,} places stand"
            text = f"In '{label}' {subject} on another spot of the streets than in '{labels[0]}'."
            doubts.append(Doubt("snapped-elsewhere", "note", len(moved), text))
    return doubts


def _by_place(side: Side, field: str) -> dict[str, Any]:
    table = side.part("places") if "places" in side.parts else None
    if table is None or not {"id", field} <= set(table.columns):
        return {}
    return {str(ident): value for ident, value in zip(table.columns["id"], table.columns[field], strict=True)}


def _own_doubts(sides: list[Side], labels: list[str]) -> list[Doubt]:
    """Doubts of the answers: those of all once, others with whose they are; spots are told with the answers themselves."""
    texts = [[doubt["text"] for doubt in side.doubts] for side in sides]
    by_text: dict[str, Doubt] = {}
    for side, label in zip(sides, labels, strict=True):
        for doubt in side.doubts:
            text = doubt["text"] if all(doubt["text"] in own for own in texts) else f"'{label}': {doubt['text']}"
            by_text.setdefault(text, Doubt(doubt["code"], doubt["grade"], doubt["count"], text))
    return sorted(by_text.values(), key=lambda doubt: doubt.grade == "note")
