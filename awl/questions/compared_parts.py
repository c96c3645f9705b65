"""How answers of a question are compared: each question says it of its own parts."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal


@dataclass(frozen=True)
class ComparedRows:
    """Rows with the same key are set side by side, and their numbers subtracted.

    Attributes:
        part: the part.
        title: what its rows are called together.
        keys: fields that identify a row in every answer.
        names: fields that name it.
        leads: quantities (see `Meaning`) or fields that lead, best first; of those with limits the middle one.
        drawn: how rows are drawn where they lie on the ground.
        more_is_better: whether more of what leads is what people want; None where neither is.
        absent_is_none: whether a row that an answer does not list has nothing there, such as a street without trips.
        sums_up: whether its rows sum up those of another part, so that none of them is a case of its own.
    """

    part: str
    title: str
    keys: tuple[str, ...]
    names: tuple[str, ...] = ("name",)
    leads: tuple[str, ...] = ()
    drawn: Literal["zones", "points", "lines"] | None = None
    more_is_better: bool | None = True
    absent_is_none: bool = False
    sums_up: bool = False


@dataclass(frozen=True)
class ComparedAreas:
    """Areas within the same limit are laid over each other; `key` is the field that holds it."""

    part: str
    key: str


@dataclass(frozen=True)
class ComparedReach:
    """Streets by when they are first reached: `begin` and `end` are the fields with the arrival, in seconds or metres."""

    part: str
    begin: str = "arrival_begin_s"
    end: str = "arrival_end_s"


@dataclass(frozen=True)
class ComparedOwners:
    """Streets that belong to somebody: what goes over from one owner to another."""

    part: str
    owner: str
    places: str
    """The part that names the owners by `id`."""


@dataclass(frozen=True)
class ComparedWays:
    """Ways with the same key: the streets that all take, and those that some take alone, by a field with lists of link ids."""

    part: str
    key: str
    links: str = "link_ids"


@dataclass(frozen=True)
class ComparedFeatures:
    """Features of layers: those in all answers, and those in some alone; parts beside those of a fixed name."""

    fixed: tuple[str, ...]


ComparedPart = ComparedRows | ComparedAreas | ComparedReach | ComparedOwners | ComparedWays | ComparedFeatures


def parts_compared(specs: tuple[ComparedPart, ...]) -> list[str]:
    """Names of the parts that a comparison needs."""
    return [spec.part for spec in specs if not isinstance(spec, ComparedFeatures)]
