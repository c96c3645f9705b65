"""Lines along which rides run: the part of a trip's shape between two stops, or from stop to stop."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.ops import substring

from awl.core.transit.feed import Feed


def track(feed: Feed, trip: int, stops: NDArray[np.integer]) -> shapely.LineString:
    """The line of a ride, in degrees.

    Parameters:
        feed: the feed.
        trip: row of the trip.
        stops: rows (k,) of the stops it calls at, two at least.
    """
    xy = np.column_stack([feed.stops.lon[stops], feed.stops.lat[stops]])
    straight = shapely.LineString(xy)
    shape = int(feed.trips.shape[trip])
    if shape < 0:
        return straight
    part = slice(int(feed.shapes.start[shape]), int(feed.shapes.start[shape + 1]))
    points = np.column_stack([feed.shapes.lon[part], feed.shapes.lat[part]])
    if len(points) < 2:
        return straight
    line = shapely.LineString(points)
    begin, end = (float(shapely.line_locate_point(line, shapely.Point(xy[row]))) for row in (0, -1))
    return substring(line, begin, end) if end > begin else straight
