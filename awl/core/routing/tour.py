"""The best order of points between a first and a last one: exact for a few, improved step by step for many.

Sources: M. Held, R. M. Karp, *A dynamic programming approach to sequencing problems*, J. SIAM 10 (1962). For many points: begun
by cheapest insertion and by the nearest next, then moves of stretches of up to three points, as they stand and turned round
(Or-opt, I. Or 1976), and turns of any stretch (2-opt, G. A. Croes 1958).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

EXACT = 11
"""Points between the ends up to which the order is exact."""


def best_order(cost: NDArray[np.floating]) -> NDArray[np.int64]:
    """Rows of a cost matrix (k, k), which need not be symmetric, in the order of least total cost; 0 first, k - 1 last.

    Infinite costs are no way; the order is then one with as few of them as were found.

    Parameters:
        cost: costs (k, k) from each point to each; infinite where there is no way.
    """
    count = len(cost)
    # No way costs more than any order with one such step less.
    finite = cost[np.isfinite(cost)]
    bar = float(finite.sum()) + 1.0 if len(finite) else 1.0
    known = np.where(np.isfinite(cost), cost, bar).astype(np.float64)
    if count <= 3:
        return np.arange(count)
    if count - 2 <= EXACT:
        inner = _exact(known)
    else:
        tried = (_improved(known, begun) for begun in (_inserted(known), _nearest_next(known)))
        inner = min(tried, key=lambda order: _total(known, order))
    return np.array([0, *inner, count - 1], np.int64)


def _exact(cost: NDArray[np.float64]) -> list[int]:
    """Held and Karp over sets of inner points, as bit masks."""
    count = len(cost) - 2
    inner = cost[1:-1, 1:-1]
    best = np.full((1 << count, count), np.inf)
    before = np.full((1 << count, count), -1, np.int8)
    best[1 << np.arange(count), np.arange(count)] = cost[0, 1:-1]
    for mask in range(1, 1 << count):
        for last in range(count):
            if not mask >> last & 1 or not np.isfinite(best[mask, last]):
                continue
            onward = best[mask, last] + inner[last]
            for following in range(count):
                grown = mask | 1 << following
                if not mask >> following & 1 and onward[following] < best[grown, following]:
                    best[grown, following], before[grown, following] = onward[following], last
    mask = (1 << count) - 1
    at = int(np.argmin(best[mask] + cost[1:-1, -1]))
    order: list[int] = []
    while at >= 0:
        order.append(at + 1)
        mask, at = mask ^ 1 << at, int(before[mask, at])
    return order[::-1]


def _inserted(cost: NDArray[np.float64]) -> list[int]:
    """Each point in turn where it costs least."""
    last = len(cost) - 1
    order: list[int] = []
    for point in range(1, last):
        stops = [0, *order, last]
        more = [cost[a, point] + cost[point, b] - cost[a, b] for a, b in zip(stops, stops[1:], strict=False)]
        order.insert(int(np.argmin(more)), point)
    return order


def _nearest_next(cost: NDArray[np.float64]) -> list[int]:
    """From each point to the nearest of those that are left."""
    order, left = [0], set(range(1, len(cost) - 1))
    while left:
        order.append(min(sorted(left), key=lambda point: cost[order[-1], point]))
        left.remove(order[-1])
    return order[1:]


def _total(cost: NDArray[np.float64], order: list[int]) -> float:
    stops = [0, *order, len(cost) - 1]
    return float(cost[stops[:-1], stops[1:]].sum())


def _improved(cost: NDArray[np.float64], order: list[int]) -> list[int]:
    """Take the first change that helps until none does."""
    best = _total(cost, order)
    while True:
        for tried in _changed(order):
            total = _total(cost, tried)
            if total < best - 1e-9:
                order, best = tried, total
                break
        else:
            return order


def _changed(order: list[int]):  # type: ignore[no-untyped-def]
    """Orders with one stretch turned round, or a short one moved."""
    count = len(order)
    for a in range(count):
        for b in range(a + 1, count):
            yield [*order[:a], *reversed(order[a : b + 1]), *order[b + 1 :]]
    for size in (1, 2, 3):
        for a in range(count - size + 1):
            moved, rest = order[a : a + size], [*order[:a], *order[a + size :]]
            for at in range(len(rest) + 1):
                yield [*rest[:at], *moved, *rest[at:]]
                yield [*rest[:at], *reversed(moved), *rest[at:]]
