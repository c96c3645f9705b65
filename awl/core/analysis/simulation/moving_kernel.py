"""The kernel of moving: when each street of many paths is entered and left."""

from __future__ import annotations

from typing import Any

from awl.core.kernels import njit_no_refcount

BEFORE, AFTER = 0, 1


@njit_no_refcount
def time_paths(
    start: Any, arc: Any, delay: Any, ends: Any, cost: Any, access_ms: Any, set_out: float, duration: Any, link: Any,
    fractions: Any, times: Any,
) -> None:  # fmt: skip
    """Fill in the streets of paths and their times.

    Parameters:
        start: offsets (k + 1,) of the arcs of each path.
        arc: arcs in order of travel (a,).
        delay: ms lost before each (a,).
        ends: fractions of the first and last link at which each path begins and ends (2, k).
        cost: time of each path, ms (k,), below 0 where there is none.
        access_ms: time to the first link and from the last where these are not the nearest, ms (2, k).
        set_out: time before each sets out, ms.
        duration: time along and against each link, ms (m, 2).
        link: the link of each arc (a,), filled here.
        fractions: where it is entered and left (2, a), filled here.
        times: when, ms since setting out (2, a), filled here.
    """
    for path in range(len(cost)):
        first, last = start[path], start[path + 1] - 1
        spent = 0.0
        for i in range(first, last + 1):
            back = arc[i] & 1
            link[i] = arc[i] >> 1
            begin = ends[0, path] if i == first else float(back)
            end = ends[1, path] if i == last else 1.0 - back
            fractions[0, i], fractions[1, i] = begin, end
            spent += delay[i] + abs(end - begin) * max(duration[link[i], 1 if end < begin else 0], 0)
        # Costs of links are whole ms: what rounding leaves over is spread over the path.
        along = max(cost[path], 0) - access_ms[BEFORE, path] - access_ms[AFTER, path]
        stretch = along / spent if spent > 0 else 1.0
        now = set_out + access_ms[BEFORE, path]
        for i in range(first, last + 1):
            begin, end = fractions[0, i], fractions[1, i]
            now += delay[i] * stretch
            times[0, i] = round(now)
            now += abs(end - begin) * max(duration[link[i], 1 if end < begin else 0], 0) * stretch
            times[1, i] = round(now)
