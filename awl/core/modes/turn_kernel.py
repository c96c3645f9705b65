"""How sharp turns are, looked at one by one: a region has ten million of them."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

STRAIGHT, SHARP = 40.0, 150.0
"""Degrees from straight ahead up to which a turn counts as none, and from which it counts as turning back."""
THRU, LEFT, RIGHT, BACK = 0, 1, 2, 3


@njit(cache=True, nogil=True, inline="always")
def _segment(arc, x, y, start, last):
    """Direction of the last or first segment of an arc as travelled."""
    link, against = arc >> 1, (arc & 1) == 1
    if against != last:
        i, sign = start[link + 1] - 2, -1.0 if against else 1.0
    else:
        i, sign = start[link], -1.0 if against else 1.0
    return (x[i + 1] - x[i]) * sign, (y[i + 1] - y[i]) * sign


@njit(cache=True, nogil=True, inline="always")
def _kind(before, after, x, y, start):
    """Kind of the turn from an arc to another."""
    x0, y0 = _segment(before, x, y, start, True)
    x1, y1 = _segment(after, x, y, start, False)
    angle = math.degrees(math.atan2(x0 * y1 - y0 * x1, x0 * x1 + y0 * y1))
    if abs(angle) >= SHARP or before == after ^ 1:
        return BACK
    if abs(angle) <= STRAIGHT:
        return THRU
    return LEFT if angle > 0 else RIGHT


@njit(cache=True, nogil=True)
def kinds_of_turns(before, after, x, y, start):
    """Kind (k,) of the turn from each arc to another, by the angle between the last segment of one and the first of the other.

    Parameters:
        before: the arc (k,) before each turn.
        after: the arc (k,) after it.
        x: metres to the east of all vertices of links (v,).
        y: metres to the north (v,).
        start: offsets (m + 1,) at which the vertices of links begin.
    """
    kind = np.empty(len(before), np.int8)
    for k in range(len(before)):
        kind[k] = _kind(before[k], after[k], x, y, start)
    return kind


@njit(cache=True, nogil=True)
def ms_of_turns(before, after, node, x, y, start, ms, has_choice, is_bend, gives_way, is_main):
    """What each turn (k,) takes, in ms; nothing where it is not known from which arc one comes, or where there is no choice.

    Parameters:
        before: the arc (k,) before each turn, -1 where it is not known.
        after: the arc (k,) after it.
        node: the node (k,) between.
        x: metres to the east of all vertices of links (v,).
        y: metres to the north (v,).
        start: offsets (m + 1,) at which the vertices of links begin.
        ms: what a turn of each kind takes (4, 2), without and with giving way.
        has_choice: mask (n,) of the nodes at which more than one arc leads on.
        is_bend: mask (n,) of the nodes at which turning back alone is a turn.
        gives_way: mask (n,) of the nodes at which one gives way to main streets.
        is_main: mask (m,) of the links that are main streets.
    """
    lost = np.zeros(len(before), np.int32)
    for k in range(len(before)):
        at = node[k]
        if before[k] < 0 or not has_choice[at]:
            continue
        kind = _kind(before[k], after[k], x, y, start)
        if is_bend[at] and kind != BACK:
            kind = THRU
        lost[k] = ms[kind, 1 if gives_way[at] and not is_main[before[k] >> 1] else 0]
    return lost
