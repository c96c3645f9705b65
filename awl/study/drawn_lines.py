"""Lines by public transport that what-ifs add: as they are given from outside, and as a feed."""

from __future__ import annotations

import re
import sqlite3
from typing import Any

import numpy as np

from awl.core.errors import AwlError
from awl.core.transit.drawn_lines import DAYS, DrawnLine, feed_of_lines
from awl.core.transit.feed import KIND_NAMES, Feed
from awl.study import records

FACT = "drawn_lines"
"""The lines of a study with what-ifs, as documents."""
MOST_LINES, MOST_STOPS = 50, 200
ALWAYS = np.datetime64("2000-01-01"), 36_525
"""The calendar of lines in a study that has no other timetable: the first day, and how many."""
CLOCK = re.compile(r"(\d{1,2}):([0-5]\d)$")
MEMBERS = {"name", "kind", "stops", "every_min", "first", "last", "kmh", "both_ways", "days"}
KINDS = {name: number for number, name in KIND_NAMES.items()}


def checked(given: Any) -> list[dict[str, Any]]:
    """Lines from outside, with what was left out; raises `AwlError` naming what is wrong."""
    if not isinstance(given, list) or len(given) > MOST_LINES:
        raise AwlError(f"'lines' is a list of at most {MOST_LINES} lines", inputs=("lines",))
    return [_checked(entry, number) for number, entry in enumerate(given, 1)]


def _checked(entry: Any, number: int) -> dict[str, Any]:
    where = f"lines, line {number}"
    unknown = sorted(set(entry) - MEMBERS) if isinstance(entry, dict) else ["it is no object"]
    if unknown:
        raise _wrong(f"'{unknown[0]}' is no member of a line", where, f"Members: {', '.join(sorted(MEMBERS))}")
    name, kind = str(entry.get("name") or f"new {number}").strip(), entry.get("kind", "bus")
    if not 0 < len(name) <= 40:
        raise _wrong("The name of a line has 1 to 40 characters", where, "Shorten it")
    if kind not in KINDS:
        raise _wrong(f"'{str(kind)[:40]}' is no kind of line", where, f"Kinds: {', '.join(KINDS)}")
    body = {
        "name": name,
        "kind": kind,
        "stops": _places(entry.get("stops"), where),
        "every_min": _number(entry, "every_min", 10, (0.5, 240), where),
        "first": _clock(entry.get("first", "06:00"), where),
        "last": _clock(entry.get("last", "22:00"), where),
        "kmh": _number(entry, "kmh", 20, (3, 300), where),
        "both_ways": entry.get("both_ways", True),
        "days": entry.get("days", "daily"),
    }
    if _seconds(body["last"]) < _seconds(body["first"]):
        raise _wrong(f"The last departure at {body['last']} is before the first", where, "After midnight write 25:30")
    if not isinstance(body["both_ways"], bool) or body["days"] not in DAYS:
        raise _wrong("'both_ways' is true or false, 'days' one word", where, f"Days: {', '.join(DAYS)}")
    return body


def _wrong(what: str, where: str, remedy: str) -> AwlError:
    return AwlError(what, where=where, remedy=remedy, inputs=("lines",), kind="bad-line")


def _places(given: Any, where: str) -> list[list[float]]:
    if not isinstance(given, list) or not 2 <= len(given) <= MOST_STOPS:
        raise _wrong(f"A line has 2 to {MOST_STOPS} stops", where, "Give 'stops' as [[lon, lat], ...]")
    places = []
    for place in given:
        numbers = isinstance(place, list) and len(place) == 2
        if not numbers or any(isinstance(value, bool) or not isinstance(value, int | float) for value in place):
            raise _wrong("A stop is a pair of numbers", where, "Write [lon, lat]")
        lon, lat = float(place[0]), float(place[1])
        if not (-180 <= lon <= 180 and -90 <= lat <= 90):
            raise _wrong(f"The stop {lon:g}, {lat:g} is nowhere on earth", where, "Write longitude, then latitude")
        places.append([lon, lat])
    if any(a == b for a, b in zip(places, places[1:], strict=False)):
        raise _wrong("Two stops after each other are at the same place", where, "Leave one of them out")
    return places


def _number(entry: dict[str, Any], name: str, usual: float, bounds: tuple[float, float], where: str) -> float:
    value = entry.get(name, usual)
    low, high = bounds
    if isinstance(value, bool) or not isinstance(value, int | float) or not low <= value <= high:
        raise _wrong(f"'{name}' is no number from {low:g} to {high:g}", where, f"Write such as {usual:g}")
    return float(value)


def _clock(text: Any, where: str) -> str:
    match = CLOCK.match(text) if isinstance(text, str) else None
    if not match or int(match[1]) > 30:
        raise _wrong(f"'{str(text)[:20]}' is no time of day", where, "Write 06:00; after midnight 25:30")
    return f"{int(match[1]):02}:{match[2]}"


def _seconds(clock: str) -> int:
    hours, minutes = clock.split(":")
    return int(hours) * 3600 + int(minutes) * 60


def add(connection: sqlite3.Connection, lines: list[dict[str, Any]]) -> None:
    """Add lines to a study with what-ifs. Runs inside the caller's transaction."""
    records.set_fact(connection, FACT, [*listed(connection), *lines])


def listed(connection: sqlite3.Connection) -> list[dict[str, Any]]:
    """The lines that what-ifs have added to a study."""
    lines: list[dict[str, Any]] = records.fact(connection, FACT, [])
    return lines


def feed_with(lines: list[dict[str, Any]], base: Feed | None) -> Feed:
    """Lines as a feed with the calendar and the time zone of another; without one they run on every day.

    Parameters:
        lines: checked documents, one at least.
        base: the feed of the study.
    """
    drawn = [
        DrawnLine(
            line["name"], KINDS[line["kind"]], np.array(line["stops"], np.float64), round(line["every_min"] * 60),
            _seconds(line["first"]), _seconds(line["last"]), line["kmh"], line["both_ways"], line["days"],
        )
        for line in lines
    ]  # fmt: skip
    if base is None:
        return feed_of_lines(drawn, *ALWAYS, "UTC")
    return feed_of_lines(drawn, base.first_day, base.active.shape[1], base.timezone)


def in_words(line: dict[str, Any]) -> str:
    """A line in words, for the method of an answer."""
    back = " both ways" if line["both_ways"] else ""
    days = {"daily": "", "weekdays": " on weekdays", "weekend": " at weekends"}[line["days"]]
    return (
        f"With {line['kind']} {line['name']} as drawn: {len(line['stops'])} stops, every {line['every_min']:g} min from"
        f" {line['first']} to {line['last']}{days}{back}, {line['kmh']:g} km/h from stop to stop as the crow flies."
    )
