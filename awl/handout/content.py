"""What a map sheet is of, apart from how it is drawn: nothing here loads what draws."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from awl.io.table import Table
from awl.questions.simulate.playback import HeldPlace
from awl.views.view import View

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class PeopleShown:
    """Who is on the map at a moment.

    Attributes:
        xy: where each is, degrees (n, 2).
        toward: which way each goes (n, 2); zero for who stands.
        state: the state of each.
        inks: the ink of each state; others are not drawn.
        places: how full places are.
        counts: how many are doing what, in words.
    """

    xy: Floats
    toward: Floats
    state: list[str]
    inks: Mapping[str, str]
    places: list[HeldPlace]
    counts: Mapping[str, int]


@dataclass(frozen=True)
class SheetContent:
    """What a map sheet is of.

    Attributes:
        view: what the answer says and shows.
        part: gives a part of it, None where it is not kept.
        asked: the question as a sentence; empty where there is none.
        mode: the mode whose streets are told apart from those it may not use; None for all alike.
        graded_doubts: what to know before trusting it, with `grade` and `text`, the gravest first.
        made: when it was answered, RFC 3339.
        looks: looks of rows of the legend by their ids.
        hidden: rows that are switched off.
        people: gives who is on the map at a minute of the day, where people move.
    """

    view: View
    part: Callable[[str], Table | None]
    asked: str
    mode: str | None
    graded_doubts: list[dict[str, str]]
    made: str
    looks: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    hidden: frozenset[str] = frozenset({"unserved"})
    people: Callable[[float], PeopleShown] | None = None
