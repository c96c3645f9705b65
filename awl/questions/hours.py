"""Further hours of a day, as questions ask for them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from awl.core.errors import AwlError
from awl.core.network.network import Network
from awl.questions.context import Context

MOST_HOURS = 16


def checked_hours(hours: Sequence[int], at: Any, measure: str) -> list[int]:
    """Hours in ascending order, each once; raises where they say nothing."""
    if measure != "time":
        raise AwlError("Distances are the same at every hour", remedy="Ask for the quickest way", inputs=("hours",))
    if at is None:
        raise AwlError("Hours need a day", remedy="Say when: 'at' such as 2026-06-03T08:00", inputs=("hours", "at"))
    return sorted(set(hours))


def networks_at(context: Context, hours: list[int]) -> list[Network]:
    """The network of each hour."""
    context.streets_alone("Further hours")
    assert context.when is not None
    day = context.when.replace(minute=0)
    return [context.network_at(day.replace(hour=hour)) for hour in hours]
