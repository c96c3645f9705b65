"""Charts of an answer, as data."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Literal


@dataclass(frozen=True)
class Axis:
    """The horizontal axis: numbers of a curve, or words of bars. With `clock` numbers are minutes since midnight."""

    label: str
    values: Sequence[float | str]
    clock: bool = False


@dataclass(frozen=True)
class Series:
    """A value for each step of the axis; `low` and `high` are the ends of a band around it."""

    label: str
    values: Sequence[float | int | None]
    low: Sequence[float | int | None] | None = None
    high: Sequence[float | int | None] | None = None


@dataclass(frozen=True)
class Chart:
    """A curve, bars, steps of directions, a dot for each departure, itineraries on one axis of time, or several small curves.

    Attributes:
        kind: what it is.
        title: what it shows, with its unit.
        x: its horizontal axis; steps have none.
        series: what is drawn.
        name: what a switch between charts calls it.
        marks: limits marked on the axis.
        part: a part it belongs to: rows of directions or legs, or what a cursor on a curve shows on the map.
        profile: heights below directions.
        handle: for departures, the input whose share of them is marked and can be moved.
        share: for departures, that share in percent.
        more_is_better: for departures, whether a higher value is what one wants.
        from_least: whether its vertical axis begins at the least value in place of zero.
        several: small curves side by side, each with its own title; with a clock one cursor goes through all of them.
    """

    kind: Literal["curve", "bars", "steps", "departures", "itineraries", "several"]
    title: str
    x: Axis | None = None
    series: list[Series] = field(default_factory=list)
    name: str | None = None
    marks: list[float] | None = None
    part: str | None = None
    profile: Chart | None = None
    from_least: bool = False
    handle: str | None = None
    share: float | None = None
    more_is_better: bool = False
    several: list[Chart] | None = None
