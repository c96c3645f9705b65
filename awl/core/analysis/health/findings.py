"""What a check found, as arrays: the kind and place of each finding, the links it concerns, and its sentence."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields
from typing import Literal

import numpy as np
from numpy.typing import NDArray

Grade = Literal["error", "warning", "note"]
Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class Kind:
    """A kind of fault.

    Attributes:
        grade: `error` where answers are wrong because of it, `warning` where they may be, `note` where it is worth a look.
        title: what faults of this kind are called, in the plural.
        why: what is wrong and what follows from it, in one sentence.
    """

    grade: Grade
    title: str
    why: str


KINDS: dict[str, Kind] = {
    "near-miss": Kind(
        "error",
        "Ends that just miss a street",
        "The street ends a little short of another: no one can pass from one to the other.",
    ),
    "unjoined-crossing": Kind(
        "error",
        "Crossings that are not joined",
        "Two streets cross at one level without a shared node: no one can turn there.",
    ),
    "joined-levels": Kind(
        "warning",
        "Levels that are joined",
        "A bridge or tunnel shares a node with the street it passes over or under: one can turn where none can be.",
    ),
    "duplicate": Kind(
        "warning",
        "Streets that are drawn twice",
        "Two streets lie on top of each other: lengths and loads count twice.",
    ),
    "no-length": Kind(
        "error",
        "Links of no length",
        "The street begins and ends at one place: it leads nowhere, and was left out where its ends are exactly alike.",
    ),
    "too-long": Kind(
        "warning",
        "Links of absurd length",
        "The link is far longer than any street between two junctions.",
    ),
    "self-crossing": Kind(
        "warning",
        "Streets that cross themselves",
        "The street crosses itself between its ends: its length is wrong, or a junction is missing.",
    ),
    "isolated": Kind(
        "warning",
        "Parts joined to nothing",
        "No street leads here from the rest of the network: no answer uses it.",
    ),
    "no-way-out": Kind(
        "error",
        "One-way streets that cannot be left",
        "One can drive in but not out again.",
    ),
    "no-way-in": Kind(
        "error",
        "One-way streets that cannot be entered",
        "One can drive out but never in.",
    ),
    "facing": Kind(
        "error",
        "One-way streets that face each other",
        "Two one-way streets meet head on, or part without a way in.",
    ),
    "absurd-speed": Kind(
        "error",
        "Posted limits that cannot be",
        "The posted limit is no speed, or one that no street has: the speed of the class is used, or a wrong one.",
    ),
    "odd-speed": Kind(
        "warning",
        "Posted limits that do not suit the street",
        "The posted limit is far from what is usual on streets of this class.",
    ),
    "missing-speed": Kind(
        "note",
        "Main roads without a limit",
        "Other main roads of this class have a posted limit: the speed of the class is used here.",
    ),
    "length-disagrees": Kind(
        "warning",
        "Lengths that do not match the drawing",
        "The stated length is far from that of the line on the map.",
    ),
    "shut-by-restrictions": Kind(
        "error",
        "Streets shut by turn restrictions",
        "Turn restrictions bar every way on: one can come here but not go on.",
    ),
    "lost-restriction": Kind(
        "warning",
        "Turn restrictions without effect",
        "A street or junction that it names is missing, or they do not meet: the turn is not barred.",
    ),
    "odd-level": Kind(
        "warning",
        "Levels that contradict",
        "Bridge, tunnel and level tags contradict each other, or the streets next to it.",
    ),
    "far-from-streets": Kind(
        "note",
        "Places far from any street",
        "The place lies far from any street: answers leave it out.",
    ),
    "covered-by-water": Kind(
        "warning",
        "Streets in the water",
        "The street runs through water without a bridge, ferry or ford: the water or the street is drawn wrong.",
    ),
}
NAMES = tuple(KINDS)


@dataclass(frozen=True)
class Findings:
    """Findings (k,), kind by kind in the order of `KINDS`.

    Attributes:
        kind: (k,) position in `NAMES`.
        x: (k,) where it is in the metric plane of the graph, metres.
        y: (k,) as `x`.
        links: (k, 2) rows of the links it concerns, -1 for none.
        size: (k,) metres or km/h that the sentence names; NaN where there is nothing to measure.
        to_x: (k,) where a gap ends, NaN where there is none.
        to_y: (k,) as `to_x`.
        source: (k,) way or relation of the source it is about where no link is, 0 otherwise.
    """

    kind: NDArray[np.int8]
    x: Floats
    y: Floats
    links: Ints
    size: Floats
    to_x: Floats
    to_y: Floats
    source: Ints

    def __len__(self) -> int:
        return len(self.kind)

    @classmethod
    def of(
        cls,
        kind: str,
        xy: Floats,
        links: Ints,
        size: Floats | None = None,
        to_xy: Floats | None = None,
        source: Ints | None = None,
    ) -> Findings:
        """Findings of one kind.

        Parameters:
            kind: its name.
            xy: places (k, 2) in metres.
            links: rows of links, (k,) or (k, 2).
            size: (k,) what the sentence names.
            to_xy: (k, 2) where gaps end.
            source: (k,) ids of ways or relations.
        """
        count = len(xy)
        pair = np.full((count, 2), -1, np.int64)
        width = 1 if links.ndim == 1 else 2
        pair[:, :width] = links.reshape(count, width)
        nothing = np.full(count, np.nan)
        end = np.column_stack([nothing, nothing]) if to_xy is None else to_xy
        code = np.full(count, NAMES.index(kind), np.int8)
        place = np.asarray(xy, float).reshape(count, 2)
        ids = np.zeros(count, np.int64) if source is None else source
        return cls(code, place[:, 0], place[:, 1], pair, nothing if size is None else size, end[:, 0], end[:, 1], ids)

    @classmethod
    def joined(cls, parts: Sequence[Findings]) -> Findings:
        """All findings of several checks, in the order of `KINDS`, the largest of a kind first.

        Parameters:
            parts: what each found.
        """
        columns = {item.name: np.concatenate([getattr(part, item.name) for part in parts]) for item in fields(cls)}
        order = np.lexsort((-np.nan_to_num(columns["size"]), columns["kind"]))
        return cls(**{name: column[order] for name, column in columns.items()})

    def take(self, rows: NDArray[np.integer] | NDArray[np.bool_]) -> Findings:
        """Some of the findings.

        Parameters:
            rows: numbers (j,) or a mask (k,).
        """
        return Findings(**{item.name: getattr(self, item.name)[rows] for item in fields(self)})

    def counts(self) -> dict[str, int]:
        """How many there are of each kind that was found."""
        numbers = np.bincount(self.kind, minlength=len(NAMES))
        return {name: int(number) for name, number in zip(NAMES, numbers, strict=True) if number}
