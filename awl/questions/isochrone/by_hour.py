"""Reach through the day: how much street lies within the limits at further hours of the same day, all hours at once."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from awl.core.routing.reach import Reach
from awl.core.routing.snapping import Snapped
from awl.io.table import Column, Meaning, Table
from awl.questions.context import Context
from awl.questions.hours import networks_at, transit_at
from awl.views import view
from awl.views.charts import Axis, Chart, Series
from awl.views.view import Figure


def reach_at(
    context: Context, hours: list[int], snapped: Snapped, direction: str, limits: list[float], units: list[int]
) -> Table:
    """A row for each hour: kilometres of street within each limit."""
    km, length = np.zeros((len(limits), len(hours))), context.network.graph.link_length
    for i, (hour, reach) in enumerate(zip(hours, _reaches(context, hours, snapped, direction, units[-1]), strict=True)):
        context.progress.step(0.9 + 0.05 * i / len(hours), f"Reach at {hour}:00")
        km[:, i] = [reach.length_within(unit, length) / 1000 for unit in units]
    columns = {
        hour_field(limit): Column.of(km[level], "km", 3, Meaning("street_within", limit=limit))
        for level, limit in enumerate(limits)
    }
    return Table(None, {"hour": [f"{hour}:00" for hour in hours], **columns})


def _reaches(context: Context, hours: list[int], snapped: Snapped, direction: str, limit: int) -> Iterator[Reach]:
    """The reach at each hour."""
    if context.transit is not None:
        for router in transit_at(context, hours):
            yield router.reach(snapped, "time", direction, limit)[1]
        return
    by_hour = context.study.router(context.mode.id).reach_by_hour(networks_at(context, hours), snapped, direction)
    for _, reach in by_hour:
        yield reach


def hour_field(limit: float) -> str:
    """The column of a limit."""
    return f"street_km_{limit:g}"


def hour_columns(limits: list[float]) -> list[view.Column]:
    """Columns of the table by hour."""
    within = [view.Column(hour_field(limit), f"Street within {limit:g} min", "km", 1) for limit in limits]
    return [view.Column("hour", "Begin at"), *within]


def telling(by_hour: Table, limits: list[float]) -> float:
    """The limit within which the hour matters most: a long one may reach everything at any hour."""

    def steadiness(limit: float) -> float:
        km = by_hour.columns[hour_field(limit)].numbers()
        return float(km.min() / km.max()) if km.max() > 0 else 1.0

    return min(reversed(limits), key=steadiness)


def least(by_hour: Table, limits: list[float]) -> Figure:
    """The hour at which the least is reached, if it differs as far as figures show."""
    limit = telling(by_hour, limits)
    km = np.round(by_hour.columns[hour_field(limit)].numbers(), 1)
    hour = by_hour.columns["hour"][int(np.argmin(km))]
    when = "at all of these hours" if len(np.unique(km)) == 1 else f"at {hour}, the least"
    return Figure(float(km.min()), "km", f"within {limit:g} min {when}")


def hours_chart(by_hour: Table, limits: list[float]) -> Chart:
    """Street at each hour within the limit for which the hour matters most."""
    limit = telling(by_hour, limits)
    return Chart(
        "bars",
        f"Street within {limit:g} min by the hour at which trips begin, km",
        Axis("hour", by_hour.columns["hour"].tolist()),
        [Series(f"Street within {limit:g} min, km", by_hour.columns[hour_field(limit)].shown())],
        name="By hour",
    )
