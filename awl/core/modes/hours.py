"""Hours: how speeds change over the day, and when something is open.

A curve gives the share of free-flow speed that is left at each full hour; between them it runs straight. Opening hours and the
hours of turn restrictions are read in the everyday part of the OSM notation: days, times, `24/7`, `off`. What goes beyond it,
holidays among that, is not understood; `is_understood` tells, so that an answer can say so. Source: OpenStreetMap wiki,
*Key:opening_hours/specification*.
"""

from __future__ import annotations

import re
from datetime import datetime

import numpy as np
from numpy.typing import NDArray

from awl.core.graph.street_graph import StreetGraph
from awl.core.modes.mode import Mode

DAYS = ("Mo", "Tu", "We", "Th", "Fr", "Sa", "Su")
DAY_KINDS = {"weekday": range(5), "saturday": range(5, 6), "sunday": range(6, 7), "every day": range(7)}
HOLIDAYS = ("PH", "SH")
"""Days of public and school holidays, of which there is no calendar here."""
_DAY = "(?:Mo|Tu|We|Th|Fr|Sa|Su)"
_RULE = re.compile(
    rf"^(?P<days>{_DAY}(?:-{_DAY})?(?:,\s*{_DAY}(?:-{_DAY})?)*)?\s*(?P<times>(?:\d\d?:\d\d-\d\d?:\d\d(?:,\s*)?)*)(?P<off>off|closed)?$"
)


def hour_pace(mode: Mode, graph: StreetGraph, when: datetime | None) -> NDArray[np.float64]:
    """How many times longer than in free flow each link (m,) takes at a local date and time; 1 where no curve speaks.

    Parameters:
        mode: the mode.
        graph: the street graph.
        when: local date and time; None is free flow.
    """
    pace = np.ones(graph.link_count)
    if when is None:
        return pace
    highway = graph.tag("highway")
    for curve in reversed(mode.curves):
        if when.weekday() in DAY_KINDS[curve.days]:
            in_classes = highway.isin(curve.classes) if curve.classes else np.ones(graph.link_count, bool)
            pace[in_classes] = 1.0 / share_at(curve.share, when.hour + when.minute / 60 + when.second / 3600)
    return pace


def share_at(share: tuple[float, ...], hour: float) -> float:
    """The value of a curve of 24 full hours at an hour of the day; from 23 it runs on to 0.

    Parameters:
        share: shares of free-flow speed at 24 full hours.
        hour: the hour, with its fraction.

    >>> share_at((1.0,) * 8 + (0.5,) + (1.0,) * 15, 7.5)
    0.75
    """
    return float(np.interp(hour % 24, np.arange(25), (*share, share[0])))


def open_at(text: str, when: datetime) -> bool | None:
    """Whether opening hours hold at a local date and time; None where the text is not understood.

    Parameters:
        text: the opening hours.
        when: local date and time; None is free flow.

    >>> open_at("Mo-Fr 07:00-09:00,16:00-18:00; Sa 10:00-12:00", datetime(2026, 6, 5, 8, 0))
    True
    >>> open_at("Fr 22:00-02:00", datetime(2026, 6, 6, 1, 0)), open_at("sunrise-sunset", datetime(2026, 6, 6))
    (True, None)
    """
    state: bool | None = False
    for part in text.strip().strip("()").split(";"):
        rule = part.strip()
        if rule.startswith(HOLIDAYS):
            continue  # no calendar of holidays is known
        if rule in ("24/7", "Mo-Su"):
            state = True
            continue
        match = _RULE.match(rule)
        if not match or not (match["days"] or match["times"] or match["off"]):
            return None
        holds = _holds(match, when)
        # A later rule that speaks of the day goes before an earlier one.
        if holds is not None:
            state = holds and not match["off"]
    return state


def is_understood(text: str) -> bool:
    """Whether opening hours are read in full: no rule is beyond the notation known here or speaks of holidays.

    Parameters:
        text: the opening hours.

    >>> is_understood("Mo-Fr 07:00-19:00; Sa off"), is_understood("Mo-Fr 07:00-19:00; PH off"), is_understood("dawn-dusk")
    (True, False, False)
    """
    rules = [rule.strip() for rule in text.strip().strip("()").split(";")]
    return not any(rule.startswith(HOLIDAYS) for rule in rules) and open_at(text, datetime(2026, 1, 1)) is not None


def _holds(match: re.Match[str], when: datetime) -> bool | None:
    """Whether the times of a rule hold now; None when it does not speak of the day."""
    days = _days(match["days"])
    minute = when.hour * 60 + when.minute
    spans = [_span(text) for text in re.findall(r"\d\d?:\d\d-\d\d?:\d\d", match["times"])] or [(0, 24 * 60)]
    yesterday = (when.weekday() - 1) % 7 in days and any(b > 24 * 60 and minute < b - 24 * 60 for _, b in spans)
    if when.weekday() not in days:
        return True if yesterday else None
    return yesterday or any(a <= minute < b for a, b in spans)


def _span(text: str) -> tuple[int, int]:
    begin, end = ((int(h) * 60 + int(m)) for h, m in (time.split(":") for time in text.split("-")))
    return begin, end if end > begin else end + 24 * 60


def _days(text: str | None) -> set[int]:
    if not text:
        return set(range(7))
    days: set[int] = set()
    for part in text.replace(" ", "").split(","):
        first, _, last = part.partition("-")
        a, b = DAYS.index(first), DAYS.index(last or first)
        days |= {day % 7 for day in range(a, b + 1 if b >= a else b + 8)}
    return days
