"""How people of one mode get about: times to places, paths with times, and rides by timetable."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.simulation.filling import MOST_MS
from awl.core.analysis.simulation.moving import TimedPaths, timed_paths
from awl.core.progress import Progress
from awl.core.routing.dijkstra.search import UNREACHED
from awl.core.routing.router import StreetRouter
from awl.core.routing.snapping import Snapped
from awl.questions.context import Context

Ints = NDArray[np.int64]
FAR = MOST_MS >> 2
"""Time in ms to where there is no way: more than any limit."""
HOUR_MS = 3_600_000


@dataclass(frozen=True)
class Hours:
    """The networks on which people set out: one for each hour of the window in which streets change, else one alone.

    Attributes:
        routers: a router for each.
        first: the first hour of the day.
    """

    routers: list[StreetRouter]
    first: int

    def of(self, departs_ms: Ints) -> Ints:
        """Which of them those take who set out at some times of the day (n,)."""
        if len(self.routers) == 1:
            return np.zeros(len(departs_ms), np.int64)
        return np.clip(departs_ms // HOUR_MS - self.first, 0, len(self.routers) - 1)


def hours_of(context: Context, begin_ms: int, end_ms: int) -> Hours:
    """The networks of a window of the day: in free flow there is one."""
    when = context.when
    if when is None:
        return Hours([context.street_router], 0)
    first, last = begin_ms // HOUR_MS, min((end_ms - 1) // HOUR_MS, 23)
    day = datetime(when.year, when.month, when.day)
    routers: list[StreetRouter] = []
    for hour in range(first, last + 1):
        router = context.street_router_at(day.replace(hour=hour))
        same = bool(routers) and np.array_equal(routers[-1].network.duration_ms, router.network.duration_ms)
        routers.append(routers[-1] if same and not context.network.shut_gates else router)
    alike = all(router is routers[0] for router in routers)
    return Hours(routers[:1] if alike else routers, first)


@dataclass
class Mover:
    """People who go by one mode.

    Attributes:
        context: what the question works with in this mode.
        hours: the networks of the window.
        origins: where they may set out from, put on streets (h,).
        goals: where they may go, put on streets (k,).
        speed: share of the usual speed.
        times_ms: time from each origin to each goal at each hour, one hour below the other (hours h, k).
    """

    context: Context
    hours: Hours
    origins: Snapped
    goals: Snapped
    speed: float = 1.0
    times_ms: Ints = field(default_factory=lambda: np.zeros((0, 0), np.int64))
    between_ms: Ints = field(default_factory=lambda: np.zeros((0, 0), np.int64))

    @property
    def mode(self) -> str:
        """The id of the mode."""
        return self.context.mode.id

    @property
    def rides(self) -> bool:
        """Whether they take public transport: their times depend on the minute at which they set out."""
        return self.context.transit is not None

    def find_times(self, needed: NDArray[np.bool_], progress: Progress) -> None:
        """Work out times from the origins that are needed (h,) to all goals, and from goal to goal."""
        rows = np.flatnonzero(needed & self.origins.is_snapped)
        count = len(self.origins.link)
        self.times_ms = np.full((count * len(self.hours.routers), len(self.goals.link)), FAR, np.int64)
        if not self.rides:
            for nth, router in enumerate(dict.fromkeys(self.hours.routers)):
                share = 0.9 / len(self.hours.routers)
                part = progress.part(nth * share, (nth + 1) * share)
                times = costs_between(router, self.origins.take(rows), self.goals, part)
                for hour in (i for i, other in enumerate(self.hours.routers) if other is router):
                    self.times_ms[hour * count + rows] = times
        self.between_ms = costs_between(self.hours.routers[0], self.goals, self.goals, progress.part(0.9, 1.0))

    def rows(self, origin: Ints, departs_ms: Ints) -> Ints:
        """Rows of `times_ms` of people (n,)."""
        return self.hours.of(departs_ms) * len(self.origins.link) + origin

    def paths(self, rows: Ints, goals: Ints, progress: Progress) -> TimedPaths:
        """Paths (p,) from rows of `times_ms` to goals."""
        hour, origin = np.divmod(rows, max(len(self.origins.link), 1))
        return self._paths(self.origins.take(origin), self.goals.take(goals), hour, progress)

    def paths_between(self, begin: Ints, end: Ints, progress: Progress) -> TimedPaths:
        """Paths (p,) from goals to goals."""
        return self._paths(self.goals.take(begin), self.goals.take(end), np.zeros(len(begin), np.int64), progress)

    def _paths(self, sources: Snapped, targets: Snapped, hour: Ints, progress: Progress) -> TimedPaths:
        parts: list[TimedPaths] = []
        order: list[Ints] = []
        for nth, router in enumerate(self.hours.routers):
            in_hour = np.flatnonzero(hour == nth)
            if len(in_hour) or not parts:
                paths = router.trips(sources.take(in_hour), targets.take(in_hour), "time", progress=progress)
                parts.append(timed_paths(router.network, paths))
                order.append(in_hour)
        together = TimedPaths.joined(parts)
        if len(order) > 1:
            together = together.take(np.argsort(np.concatenate(order), kind="stable"))
        return together


def costs_between(router: StreetRouter, sources: Snapped, targets: Snapped, progress: Progress) -> Ints:
    """Times in ms (s, t), `FAR` where there is no way."""
    cost, _ = router.matrix(sources, targets, "time", progress=progress, carrying=False)
    return np.where(cost == UNREACHED, FAR, cost.astype(np.int64))
