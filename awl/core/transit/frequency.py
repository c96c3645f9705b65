"""How often lines run: departures by hour of a service day."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from awl.core.transit.feed import Feed

HOURS = 30
"""Hours of a service day: trips that begin after midnight belong to the night before."""


def departures_by_hour(feed: Feed, day: np.datetime64) -> NDArray[np.int64]:
    """Departures (r, 30) of each route by the hour in which they leave their first stop, in the direction with more of them.

    Parameters:
        feed: the feed.
        day: the service day.
    """
    trips = feed.trips
    running = (np.diff(feed.trip_start) > 0) & feed.runs_on(day)[trips.service]
    begins = feed.stop_times.departure[np.minimum(feed.trip_start[:-1], max(len(feed.stop_times) - 1, 0))]
    repeating = feed.frequencies
    single = running.copy()
    single[repeating.trip] = False
    often = np.flatnonzero(running[repeating.trip])
    headway = np.maximum(repeating.headway[often], 1)
    count = np.maximum(-(-(repeating.end[often] - repeating.start[often]) // headway), 0)
    nth = np.arange(count.sum()) - np.repeat(np.cumsum(count) - count, count)
    trip = np.concatenate([np.flatnonzero(single), np.repeat(repeating.trip[often], count)]).astype(np.int64)
    at = np.concatenate([begins[single], np.repeat(repeating.start[often], count) + nth * np.repeat(headway, count)])
    hour = np.clip(at // 3600, 0, HOURS - 1)
    both = np.zeros((2, len(feed.routes), HOURS), np.int64)
    np.add.at(both, (np.maximum(trips.direction[trip], 0), trips.route[trip], hour), 1)
    busier: NDArray[np.int64] = both.max(axis=0)
    return busier
