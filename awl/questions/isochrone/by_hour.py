"""Reach through the day: how much street lies within the limits at further hours of the same day, all hours at once."""

from __future__ import annotations

from typing import Any

import numpy as np

from awl.core.routing.snapping import Snapped
from awl.questions.base import Column, Figure, Json
from awl.questions.context import Context
from awl.questions.matrix_hours import networks_at


def reach_at(
    context: Context, hours: list[int], snapped: Snapped, direction: str, limits: list[float], units: list[int]
) -> list[Json]:
    """One row for each hour: kilometres of street within each limit."""
    networks = networks_at(context, hours)
    found = context.study.router(context.mode.id).reach_by_hour(networks, snapped, direction)
    rows = []
    for i, (hour, network, (_, reach)) in enumerate(zip(hours, networks, found, strict=True)):
        context.progress.step(0.9 + 0.05 * i / len(hours), f"Reach at {hour}:00")
        km = {
            name_of(limit): round(reach.length_within(unit, network.graph.link_length) / 1000, 3)
            for limit, unit in zip(limits, units, strict=True)
        }
        rows.append({"hour": f"{hour}:00", **km})
    return rows


def name_of(limit: float) -> str:
    """The column of a limit."""
    return f"street_km_{limit:g}"


def hour_columns(limits: list[float]) -> list[Column]:
    """Columns of the table by hour."""
    return [
        Column("hour", "Begin at"),
        *[Column(name_of(limit), f"Street within {limit:g} min", "km", 1) for limit in limits],
    ]


def telling(rows: list[Json], limits: list[float]) -> float:
    """The limit within which the hour matters most: a long one may reach everything at any hour."""

    def steadiness(limit: float) -> float:
        km = [float(row[name_of(limit)]) for row in rows]
        return min(km) / max(km) if max(km) > 0 else 1.0

    return min(reversed(limits), key=steadiness)


def least(rows: list[Json], limits: list[float]) -> Figure:
    """The hour at which the least is reached, if it differs as far as figures show."""
    limit = telling(rows, limits)
    km = [round(float(one[name_of(limit)]), 1) for one in rows]
    when = "at all of these hours" if len(set(km)) == 1 else f"at {rows[int(np.argmin(km))]['hour']}, the least"
    return Figure(min(km), "km", f"within {limit:g} min {when}")


def hours_chart(rows: list[Json], limits: list[float]) -> dict[str, Any]:
    """Street at each hour within the limit for which the hour matters most."""
    limit = telling(rows, limits)
    return {
        "kind": "bars",
        "name": "By hour",
        "title": f"Street within {limit:g} min by the hour at which trips begin, km",
        "x": {"label": "hour", "values": [row["hour"] for row in rows]},
        "series": [{"label": f"Street within {limit:g} min, km", "values": [row[name_of(limit)] for row in rows]}],
    }
