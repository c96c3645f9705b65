"""Further hours of a day, as questions ask for them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import datetime
from typing import Any

from awl.core.errors import AwlError
from awl.core.network.network import Network
from awl.core.transit.router import TransitRouter
from awl.questions.context import Context

MOST_HOURS = 16


def checked_hours(hours: Sequence[int], at: Any, measure: str) -> list[int]:
    """Hours in ascending order, each once; raises where they say nothing."""
    if measure != "time":
        raise AwlError("Distances are the same at every hour", remedy="Ask for the quickest way", inputs=("hours",))
    if at is None:
        raise AwlError("Hours need a day", remedy="Say when: 'at' such as 2026-06-03T08:00", inputs=("hours", "at"))
    return sorted(set(hours))


def moments(context: Context, hours: list[int]) -> list[datetime]:
    """The hours on the day of the question."""
    assert context.when is not None
    day = context.when.replace(minute=0)
    return [day.replace(hour=hour) for hour in hours]


def networks_at(context: Context, hours: list[int]) -> list[Network]:
    """The network of each hour."""
    return [context.network_at(when) for when in moments(context, hours)]


def transit_at(context: Context, hours: list[int]) -> Iterator[TransitRouter]:
    """The router by public transport of each hour, in a window as long as that of the question."""
    for when in moments(context, hours):
        router = context.transit_at(when)
        assert router is not None
        yield router
