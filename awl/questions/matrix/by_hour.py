"""A matrix through the day: the times of its pairs at further hours of the same day, all hours at once."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from awl.core.routing.dijkstra.search import UNREACHED
from awl.core.routing.snapping import Snapped
from awl.questions.context import Context
from awl.questions.hours import networks_at, transit_at
from awl.views.charts import Axis, Chart, Series
from awl.views.view import Column, Figure


def times_at(context: Context, hours: list[int], sources: Snapped, targets: Snapped) -> NDArray[np.float64]:
    """Seconds (h, s, t) from each source to each target at each hour; NaN where there is no way."""
    progress = context.progress.part(0.5, 0.9)
    if context.transit is not None:
        by_transit = enumerate(transit_at(context, hours))
        costs = [
            router.matrix(sources, targets, "time", progress=progress.part(i / len(hours), (i + 1) / len(hours)))[0]
            for i, router in by_transit
        ]
        cost = np.stack(costs)
    else:
        router = context.study.router(context.mode.id)
        cost = router.matrix_by_hour(networks_at(context, hours), sources, targets, progress=progress)
    return np.where(cost == UNREACHED, np.nan, cost / 1000)


def hour_field(hour: int) -> str:
    """The column of an hour."""
    return f"duration_s_{hour:02}"


def hour_columns(hours: list[int]) -> list[Column]:
    """Columns of the hours in the table."""
    return [Column(hour_field(hour), f"{hour}:00", "s", 0) for hour in hours]


def mean_minutes(times: NDArray[np.float64]) -> list[float | None]:
    """Mean time of the pairs (h, p) at each hour, in minutes, over the pairs that have a way at all of them."""
    served = ~np.isnan(times).any(axis=0)
    return [round(float(row[served].mean()) / 60, 2) if served.any() else None for row in times]


def slowest(hours: list[int], means: list[float | None]) -> list[Figure]:
    """The hour at which a pair takes longest in the mean."""
    known = [(mean, hour) for mean, hour in zip(means, hours, strict=True) if mean is not None]
    if not known:
        return []
    mean, hour = max(known, key=lambda one: one[0])
    return [Figure(round(mean, 1), "min", f"mean at {hour}:00, the slowest hour")]


def hours_chart(hours: list[int], means: list[float | None]) -> Chart:
    """Mean time of a pair at each hour."""
    return Chart(
        "bars",
        "Mean time of a pair by the hour at which trips begin, minutes",
        Axis("hour", [f"{hour}:00" for hour in hours]),
        [Series("Mean time of a pair, min", means)],
        name="By hour",
    )
