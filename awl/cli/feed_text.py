"""A timetable in lines: what came in, when it runs, and its faults."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from awl.study.feeds import Entry

EXAMPLES = 3
"""Faults of a kind that are told one by one."""


def feed_lines(entry: Entry) -> list[str]:
    """What is told of a timetable after it was read.

    Parameters:
        entry: the timetable.
    """
    summary: dict[str, Any] = entry.summary
    kinds = ", ".join(f"{kind['routes']} {kind['kind']}" for kind in summary["kinds"])
    lines = [
        f"{entry.id}: timetable, {summary['routes']} routes ({kinds}), {summary['trips']:,} trips, {summary['stops']:,} stops,"
        f" {summary['calls']:,} stop times.",
        f"  It holds from {summary['first_day']} to {summary['last_day']}, in time zone {summary['timezone']}.",
    ]
    for fault in summary["faults"]:
        examples = [item for item in summary["listed"] if item["code"] == fault["code"]][:EXAMPLES]
        lines.append(f"  {fault['grade']}: {fault['title']}, {fault['count']:,}. {fault['effect']}")
        for item in examples:
            where = f"{item['file']}, line {item['line']}: " if item["line"] else f"{item['file']}: "
            lines.append(f"    {where}{item['text']}")
    return lines
