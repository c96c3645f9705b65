"""What a mode by public transport needs of a study: its stops on the streets, walks between them, and the timetable of a day."""

from __future__ import annotations

from collections import OrderedDict, deque
from dataclasses import dataclass
from datetime import date, datetime
from threading import Lock

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.modes.mode import Transit
from awl.core.network.network import Network
from awl.core.progress import Progress
from awl.core.routing.router import StreetRouter
from awl.core.transit.changing import ChangeLimits
from awl.core.transit.feed import KIND_NAMES, Feed
from awl.core.transit.first_mile import FirstMile, Parking
from awl.core.transit.router import TransitRouter
from awl.core.transit.search import TimetableSearch
from awl.core.transit.service_day import seconds_into
from awl.core.transit.stops_on_streets import StopsOnStreets
from awl.core.transit.timetable import Choice, Timetable, timetable_of
from awl.core.transit.window import Bounds, Window
from awl.cql2.rows import matching
from awl.io.table import Table
from awl.study.feeds import feed_of
from awl.study.once import Once
from awl.study.study import Study

DAYS_KEPT = 4
NETWORKS_KEPT = 3
"""Streets, as they are and with closures, on which stops and walks between them are kept."""
MOST_DEPARTURES = 240


@dataclass(frozen=True)
class Asked:
    """What a question asks of public transport.

    Attributes:
        when: local date and time at which the window begins.
        window_min: how long it is, in minutes; there is a departure in each.
        percentile: the share of departures, in percent, that keeps the time which counts.
        most_changes: the most changes, None for any number.
        longest_walk_min: the longest walk to, between and from stops.
        longest_wait_min: the longest wait at a change, None for any.
    """

    when: datetime
    window_min: int = 60
    percentile: float = 50.0
    most_changes: int | None = None
    longest_walk_min: float = 15.0
    longest_wait_min: float | None = None

    @property
    def bounds(self) -> Bounds:
        """The same for a router."""
        rides = None if self.most_changes is None else self.most_changes + 1
        wait_ms = None if self.longest_wait_min is None else round(self.longest_wait_min * 60_000)
        return Bounds(round(self.longest_walk_min * 60_000), ChangeLimits(rides, wait_ms))


def timetables_of(study: Study) -> Feed:
    """All timetables of a study as one; raises `AwlError` (409) where it has none.

    Parameters:
        study: the study.
    """
    feed = feed_of(study)
    if feed is None:
        raise AwlError(
            "The study has no timetable",
            remedy="Add a GTFS feed in stage Sources, or with: awl add FEED.zip --study FILE",
            inputs=("mode",),
            status=409,
            kind="no-timetable",
        )
    return feed


class StudyTransit:
    """Public transport of one mode of a study: made once, for a few days at a time.

    Parameters:
        study: the study.
        mode: id of the mode.
        rules: how the mode rides.
    """

    def __init__(self, study: Study, mode: str, rules: Transit) -> None:
        self.feed = timetables_of(study)
        self._study, self._mode, self._rules = study, mode, rules
        self._lock = Lock()
        self._days: OrderedDict[date, Once[Timetable]] = OrderedDict()
        self._stops: deque[StopsOnStreets] = deque(maxlen=NETWORKS_KEPT)
        self._firsts: deque[tuple[StopsOnStreets, int, FirstMile]] = deque(maxlen=NETWORKS_KEPT)

    def router(self, street: StreetRouter, asked: Asked, progress: Progress | None = None) -> TransitRouter:
        """The router of a question.

        Parameters:
            street: finds walks, on the streets as the question has them.
            asked: what the question asks for.
            progress: is told how far the work is, and stops it.
        """
        timetable = self.timetable(asked.when.date())
        first = seconds_into(asked.when, self.feed.timezone)
        if not 1 <= asked.window_min <= MOST_DEPARTURES:
            raise AwlError(
                f"A window of {asked.window_min} minutes cannot be searched",
                remedy=f"Give 1 to {MOST_DEPARTURES} minutes",
                inputs=("window",),
            )
        at_ms = ((first + 60 * np.arange(asked.window_min)) * 1000).astype(np.int32)
        stops = self.stops_on(street)
        walks = stops.walks(asked.bounds.walk_ms, progress)
        search = TimetableSearch(timetable, walks, round(self._rules.slack_s * 1000))
        window, mile = Window(at_ms, asked.percentile), self._first_mile(stops, asked)
        return TransitRouter(street, stops, search, window, asked.bounds, mile)

    def _first_mile(self, stops: StopsOnStreets, asked: Asked) -> FirstMile | None:
        """How one comes to the first stop beside on foot, kept with the stops; None where one walks."""
        rules, walk_ms = self._rules, asked.bounds.walk_ms
        if not rules.first_by:
            return None
        if self._study.mode(rules.first_by).transit is not None or rules.first_by == self._mode:
            raise AwlError(
                f"'{rules.first_by}' cannot lead to the first stop",
                remedy="Name a mode that moves on the streets alone, such as cycle or drive",
                inputs=("mode",),
            )
        with self._lock:
            known = next((first for of, ms, first in self._firsts if of is stops and ms == walk_ms), None)
        if known is None:
            router, limit_ms = self._study.router(rules.first_by), round(rules.first_min * 60_000)
            snappers = self._study.snapper(rules.first_by), self._study.snapper(self._mode)
            known = FirstMile(router, snappers[0], stops, snappers[1], limit_ms, walk_ms, self._parking())
            with self._lock:
                self._firsts.append((stops, walk_ms, known))
        return known

    def _parking(self) -> Parking | None:
        """Where the vehicle of the first mode is left; None for the stops themselves."""
        if not self._rules.park_at:
            return None
        layer = self._study.read_layer(self._rules.park_at)
        points = shapely.point_on_surface(layer.geometry)
        xy = shapely.get_coordinates(points)
        if len(xy) != len(layer) or not len(xy):
            raise AwlError(
                f"'{self._rules.park_at}' has no place to park", remedy="Name a layer of places", inputs=("mode",)
            )
        return Parking(xy[:, 0], xy[:, 1], layer.names("place to park"))

    def stops_on(self, street: StreetRouter) -> StopsOnStreets:
        """The stops on streets; those on other streets on which walks take the same time serve as well.

        Parameters:
            street: finds walks.
        """
        with self._lock:
            known = next((stops for stops in self._stops if _alike(stops.router.network, street.network)), None)
        if known is None:
            snapper = self._study.snapper(self._mode)
            known = StopsOnStreets(self.feed, street, snapper, self._rules.stop_m, self._rules.on_wheels)
            with self._lock:
                self._stops.append(known)
        return known

    def timetable(self, day: date) -> Timetable:
        """The timetable of a day.

        Parameters:
            day: the service day.

        Raises:
            AwlError: nothing runs on it.
        """
        with self._lock:
            once = self._days.pop(day, None) or Once(lambda: self._made(day))
            self._days[day] = once
            while len(self._days) > DAYS_KEPT:
                self._days.popitem(last=False)
        return once.value()

    def _made(self, day: date) -> Timetable:
        if not self.feed.runs_on(np.datetime64(day)).any():
            raise AwlError(
                f"Nothing runs on {day:%A} {day.day} {day:%B %Y}",
                remedy=f"The timetable holds from {self.feed.days[0]} to {self.feed.days[-1]}",
                inputs=("at",),
                kind="no-service",
            )
        choice = Choice(self._routes(), self._shut_stops(), self._rules.on_wheels, self._rules.with_bicycle)
        return timetable_of(self.feed, day, choice)

    def _routes(self) -> NDArray[np.bool_] | None:
        """Which routes the mode uses; None for all."""
        if not self._rules.routes:
            return None
        routes = self.feed.routes
        table = Table(
            None,
            {
                "route_id": routes.id.tolist(),
                "name": routes.name.tolist(),
                "kind": [KIND_NAMES.get(int(kind), f"kind {kind}") for kind in routes.kind],
                "agency": routes.agency.tolist(),
            },
        )
        return matching(table, self._rules.routes)

    def _shut_stops(self) -> NDArray[np.bool_] | None:
        """At which stops the mode neither boards nor alights; None for none."""
        if not self._rules.stops:
            return None
        stops = self.feed.stops
        table = Table(None, {"stop_id": stops.id.tolist(), "name": stops.name.tolist()})
        return ~matching(table, self._rules.stops)


def transit_of(study: Study, mode: str) -> StudyTransit:
    """Public transport of a mode of a study.

    Parameters:
        study: the study.
        mode: id of a mode that rides.
    """
    known = study.mode(mode)
    rules = known.transit
    assert rules is not None, mode
    first = study.mode(rules.first_by) if rules.first_by else None
    return study.cached(("transit", mode), lambda: StudyTransit(study, mode, rules), (known, first))


def _alike(network: Network, other: Network) -> bool:
    """Whether every walk takes as long on one network as on the other."""
    if network is other:
        return True
    if network.graph is not other.graph:
        return False
    same = np.array_equal(network.arc_costs("time"), other.arc_costs("time"))
    return bool(
        same and np.array_equal(network.barred, other.barred) and np.array_equal(network.step_delay, other.step_delay)
    )
