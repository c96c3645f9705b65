"""How the stops of a study's timetables are joined to its streets by a mode, and which are too far from them."""

from __future__ import annotations

import contextlib
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely

from awl.core.errors import AwlError
from awl.core.modes.mode import Transit
from awl.core.transit.feed import PLATFORM, Feed
from awl.core.transit.stops_on_streets import StopsOnStreets
from awl.io import geojson
from awl.io.table import Column, Table
from awl.study.study import Study
from awl.study.transit import timetables_of, transit_of

FAR_KIND, FAR_GRADE, FAR_TITLE = "stop-far-from-street", "warning", "Stop too far from any street"
"""How stops that cannot be walked to are told among faults."""


@dataclass(frozen=True)
class JoinedStops:
    """The platforms of all timetables.

    Attributes:
        mode: title of the mode.
        within_m: how far a stop may lie from a street.
        stops, joined: how many there are, and how many one can walk to.
        median_m, most_m: how far those that are joined lie from their street; None where none is.
        too_far: the others as points, with the distance to the nearest street.
    """

    mode: str
    within_m: float
    stops: int
    joined: int
    median_m: float | None
    most_m: float | None
    too_far: Table

    def findings(self) -> Table:
        """Stops that are too far as the findings of streets are told: kind, grade, sentence."""
        columns = self.too_far.columns
        names, metres = columns["name"].tolist(), columns["street_m"].tolist()
        far = [f"more than {self.within_m:.0f} m" if away is None else f"{away:.0f} m" for away in metres]
        return Table(
            self.too_far.geometry,
            {
                "kind": [FAR_KIND] * len(names),
                "grade": [FAR_GRADE] * len(names),
                "text": [
                    f"{name} lies {away} from any street of '{self.mode}': nobody can walk to it."
                    for name, away in zip(names, far, strict=True)
                ],
            },
        )

    def document(self) -> dict[str, Any]:
        """The same as JSON."""
        return {**vars(self), "too_far": geojson.collection(self.too_far)}


def first_joined_stops(study: Study) -> JoinedStops | None:
    """The stops on the streets of the first mode that rides and can be used; None where there is no timetable or no such mode.

    Parameters:
        study: the study.
    """
    for ident, (mode, _) in study.modes().items():
        if mode.transit is not None:
            with contextlib.suppress(AwlError):
                return joined_stops(study, ident)
    return None


def joined_stops(study: Study, mode: str, feed: Feed | None = None) -> JoinedStops:
    """The stops on the streets of a mode that rides or walks; raises `AwlError` where it does neither.

    Parameters:
        study: the study.
        mode: id of the mode.
        feed: a timetable that the study does not have yet; the study's where None.
    """
    own = study.mode(mode)
    rules = own.transit
    if rules is None and own.is_on_foot:
        rules = Transit(on_wheels="wheelchair" in own.access_keys)
    if rules is None:
        raise AwlError(
            f"'{mode}' neither walks nor rides", remedy="Name a mode on foot or by public transport", inputs=("mode",)
        )
    if feed is None and own.transit is not None:
        stops = transit_of(study, mode).stops_on(study.router(mode))
    else:
        feed = timetables_of(study) if feed is None else feed
        stops = StopsOnStreets(feed, study.router(mode), study.snapper(mode), rules.stop_m, rules.on_wheels)
    feed = stops.feed
    platforms = np.flatnonzero((feed.stops.kind == PLATFORM) & np.isfinite(feed.stops.lon))
    nearest = np.full(len(feed.stops), np.inf)
    row = stops.row_of_door
    known = row >= 0
    metres = np.where(np.isfinite(stops.snapped.distance_m), stops.snapped.distance_m, np.inf)
    np.minimum.at(nearest, stops.doors.platform[known], metres[row[known]])
    joined = platforms[stops.is_joined[platforms]]
    apart = platforms[~stops.is_joined[platforms]]
    apart = apart[np.argsort(nearest[apart], kind="stable")]
    away = np.where(np.isfinite(nearest[apart]), nearest[apart], np.nan)
    return JoinedStops(
        own.title,
        rules.stop_m,
        len(platforms),
        len(joined),
        round(float(np.median(nearest[joined])), 1) if len(joined) else None,
        round(float(nearest[joined].max()), 1) if len(joined) else None,
        Table(
            np.atleast_1d(shapely.points(feed.stops.lon[apart], feed.stops.lat[apart])),
            {
                "stop_id": feed.stops.id[apart].tolist(),
                "name": feed.stops.name[apart].tolist(),
                "street_m": Column.of(away, "m", 1),
            },
        ),
    )
