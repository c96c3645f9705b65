"""Classes of numbers on a map, as the browser makes them: their limits, which one a value is in, and how they are number_text."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

CLASSES = 5
Floats = NDArray[np.float64]


def breaks(values: Floats, classing: str, fixed: list[float] | None) -> list[float]:
    """Limits of classes, from the least value to the greatest, each once.

    Parameters:
        values: the values (n,), NaN where there is none.
        classing: `equal` steps, as many in each (`quantile`), `natural` breaks, or `counts` of whole numbers.
        fixed: limits that hold instead of equal steps.
    """
    known = np.sort(values[np.isfinite(values)])
    if classing == "counts":
        most = float(max(known.max(initial=1.0), 1.0))
        step = max(math.ceil(most / CLASSES), 1)
        return [0.0, *[float(i * step + 1) for i in range(1, CLASSES) if i * step + 1 <= most], most]
    if fixed is not None and classing == "equal":
        return list(fixed)
    if len(known) == 0:
        return [0.0, 1.0]
    low, high = float(known[0]), float(known[-1])
    if low == high:
        return [low, high]
    if classing == "quantile":
        inner = [float(known[min(math.ceil(len(known) * i / CLASSES), len(known) - 1)]) for i in range(1, CLASSES)]
    elif classing == "natural":
        inner = natural(known)
    else:
        inner = [low + (high - low) * i / CLASSES for i in range(1, CLASSES)]
    return sorted({low, *inner, high})


MOST_DISTINCT = 400
"""Natural breaks are looked for among so many values; of more, among as many quantiles."""


def natural(ordered: Floats) -> list[float]:
    """Where classes begin whose values lie closest to their means (Fisher 1958), by dynamic programming.

    Parameters:
        ordered: the values (n,), ascending.
    """
    if len(np.unique(ordered)) > MOST_DISTINCT:
        ordered = np.quantile(ordered, np.linspace(0, 1, MOST_DISTINCT))
    value, weight = np.unique(ordered, return_counts=True)
    count, classes = len(value), min(CLASSES, len(value))
    heads = np.concatenate([[0.0], np.cumsum(weight)])
    sums = np.concatenate([[0.0], np.cumsum(weight * value)])
    squares = np.concatenate([[0.0], np.cumsum(weight * value**2)])

    def spread(begin: NDArray[np.int64], end: int) -> Floats:
        """Sum of squared distances to the mean of the values `begin` to `end`, the end left out."""
        total = sums[end] - sums[begin]
        apart: Floats = squares[end] - squares[begin] - total**2 / (heads[end] - heads[begin])
        return apart

    best = np.array([0.0, *(spread(np.array([0]), end)[0] for end in range(1, count + 1))])
    begins = np.zeros((classes + 1, count + 1), np.int64)
    for nth in range(2, classes + 1):
        former, best = best, np.full(count + 1, np.inf)
        for end in range(nth, count + 1):
            begin = np.arange(nth - 1, end)
            cost = former[begin] + spread(begin, end)
            chosen = int(cost.argmin())
            best[end], begins[nth, end] = cost[chosen], begin[chosen]
    limits, end = [], count
    for nth in range(classes, 1, -1):
        end = int(begins[nth, end])
        limits.append(float(value[end]))
    return limits[::-1]


def classes_of(values: Floats, limits: list[float]) -> NDArray[np.int64]:
    """The class (n,) of each value, -1 where there is none.

    Parameters:
        values: the values (n,), NaN where there is none.
        limits: limits of classes, ascending.
    """
    edges = np.array(limits)
    within = np.isfinite(values) & (values >= edges[0]) & (values <= edges[-1])
    level = np.searchsorted(edges[:-1], np.nan_to_num(values), side="right") - 1
    return np.where(within, np.minimum(level, len(limits) - 2), -1)


def class_words(limits: list[float], i: int, unit: str, counts: bool) -> str:
    """`12.5 to 20 min`."""
    if counts:
        last = i == len(limits) - 2
        low, high = limits[i], limits[i + 1] - (0 if last else 1)
        return f"{low:,.0f}" if low == high else f"{low:,.0f} to {high:,.0f}"
    spread = limits[-1] - limits[0]
    digits = 0 if all(float(limit).is_integer() for limit in limits) else 3 if spread < 1 else 1 if spread < 50 else 0

    def number_text(value: float) -> str:
        own = 1 if digits == 0 and abs(value) < 10 and not float(value).is_integer() else digits
        return f"{value:,.{own}f}".replace("-", "−")

    low_word, high_word = number_text(limits[i]), number_text(limits[i + 1])
    words = low_word if low_word == high_word else f"{low_word} to {high_word}"
    return f"{words}{unit}" if unit == "%" else f"{words} {unit}".strip()
