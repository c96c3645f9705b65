"""Units in which the tables of other makers state speeds and lengths."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from awl.core.errors import AwlError

MILE_M, FOOT_M = 1609.344, 0.3048
MPH = MILE_M / 1000
SPEED_UNITS = {"km/h": 1.0, "kmh": 1.0, "kph": 1.0, "mph": MPH, "mi/h": MPH, "miles per hour": MPH, "m/s": 3.6}
"""km/h to one of each."""
LENGTH_UNITS = {"m": 1.0, "km": 1000.0, "mi": MILE_M, "ft": FOOT_M}
"""Metres to one of each."""


class Units(NamedTuple):
    """Units somebody named: of speeds and of lengths; None where the table's own, or km/h and metres, hold."""

    speed: str | None = None
    length: str | None = None


def factor(units: Mapping[str, float], given: str, what: str) -> float:
    """What one of the unit `given` amounts to; `what` is measured, "speed" or "length".

    Parameters:
        units: factors by unit.
        given: the unit.
        what: what is measured: `speed` or `length`.

    Raises:
        AwlError: it is none of `units`.
    """
    if given.lower() not in units:
        raise AwlError(f"'{given}' is no unit of {what}", remedy=f"Choose {', '.join(units)}", inputs=(f"{what}_unit",))
    return units[given.lower()]
