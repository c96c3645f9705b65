"""What it costs to freeze the hour: answers whose speeds hold for the whole trip say how far that is from times by the clock."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from awl.core.routing.dijkstra.plain import Arrivals
from awl.core.routing.snapping import Snapped
from awl.core.routing.static_speeds import changes_over_the_day, off_by_the_clock, some_reached
from awl.questions.context import Context

SAMPLE = 10
"""Trips that are timed by the clock as well."""
STATES = 500_000
"""In networks with more states each search takes so long that fewer trips are sampled."""
FEW = 3


def _sample(context: Context) -> int:
    return SAMPLE if context.network.states.count <= STATES else FEW


def of_pairs(
    context: Context,
    measure: str,
    sources: Snapped,
    targets: Snapped,
    pairs: tuple[NDArray[np.integer], NDArray[np.integer]],
) -> list[str]:
    """What to say of trips (k,) between the sources and targets in these rows; nothing where speeds do not change."""
    source, target = pairs
    both = np.flatnonzero(sources.is_snapped[source] & targets.is_snapped[target])
    if measure != "time" or context.transit or not changes_over_the_day(context.network) or len(both) == 0:
        return []
    rows = both[np.unique(np.linspace(0, len(both) - 1, _sample(context)).astype(int))]
    return _said(context, sources.take(source[rows]), targets.take(target[rows]))


def of_reach(context: Context, measure: str, places: Snapped, arrivals: Arrivals, limit: int) -> list[str]:
    """The same for a search from, or to, places."""
    if measure != "time" or context.transit or not changes_over_the_day(context.network):
        return []
    points, owner = some_reached(arrivals, limit, _sample(context))
    ends = places.take(owner), points
    return _said(context, *(ends if arrivals.direction == "from" else ends[::-1]))


def _said(context: Context, sources: Snapped, targets: Snapped) -> list[str]:
    when = context.when
    assert when is not None
    begin = (when.hour * 60 + when.minute) * 60_000 + context.mode.delays.start_s * 1000
    off: NDArray[np.float64] = np.abs(off_by_the_clock(context.street_router, sources, targets, begin)) * 100
    off = off[~np.isnan(off)]
    text = f"Speeds of {when:%H:%M} hold for the whole trip."
    if len(off) == 0:
        return [text]
    trips = f"{len(off):,} sampled trips" if len(off) > 1 else "one sampled trip"
    far = f" and {off.max():.1f} % at most" if len(off) > 1 else ""
    return [f"{text} By the clock, as speeds change on the way, {trips} differ by {off.mean():.1f} % in the mean{far}."]
