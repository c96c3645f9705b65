"""Accessibility measures on a table of times, each by its published definition.

`time` (p, k) is the time in minutes between home i and place j, infinity where there is no way; `weight` (k,) is what a place
offers (seats, jobs), 1 for each where nothing is said; `people` (p,) is how many live at a home.
Sources: W. G. Hansen, *How accessibility shapes land use*, J. Am. Inst. Planners 25 (1959), gravity; K. Geurs, B. van Wee, J.
Transport Geography 12 (2004), the family of measures; W. Luo, F. Wang, Environment and Planning B 30 (2003), two-step floating
catchment areas; W. Luo, Y. Qi, Health & Place 15 (2009), the enhanced form with decay; M. O. Lorenz, Publ. Am. Stat. Assoc. 9
(1905), and C. Gini (1912).
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Decay = Literal["exponential", "power", "gaussian"]


def decayed(time: Floats, kind: Decay, half: float) -> Floats:
    """Share of a place that counts at a time: 1 at once, one half at `half` minutes, 0 where there is no way.

    Exponential exp(-b t), power 1 / (1 + t / half), Gaussian exp(-b t^2).
    """
    reached = np.isfinite(time)
    t = np.where(reached, time, 0.0)
    if kind == "power":
        share = 1.0 / (1.0 + t / half)
    else:
        share = np.exp(-np.log(2.0) * (t / half) ** (1 if kind == "exponential" else 2))
    return np.where(reached, share, 0.0)


def cumulative(time: Floats, weight: Floats, limit: float) -> Floats:
    """What is within a limit (p,): the weights of the places that are, summed."""
    return (time <= limit).astype(np.float64) @ weight


def gravity(time: Floats, weight: Floats, kind: Decay, half: float) -> Floats:
    """Hansen's potential (p,): weights summed, each by the share that counts at its time."""
    return decayed(time, kind, half) @ weight


def kth_time(time: Floats, k: int) -> Floats:
    """Time (p,) to the k-th nearest place, infinity where fewer are reached."""
    if k > time.shape[1]:
        return np.full(len(time), np.inf)
    found: Floats = np.partition(time, k - 1, axis=1)[:, k - 1]
    return found


def two_step(
    time: Floats, weight: Floats, people: Floats, limit: float, decay: tuple[Decay, float] | None = None
) -> Floats:
    """Supply per head (p,) by two-step floating catchment areas, within `limit` minutes; enhanced where there is a `decay`.

    First each place shares what it offers among the people within its reach, then each home sums up the shares within its own. A
    place nobody reaches offers nothing.
    """
    within = (time <= limit).astype(np.float64)
    if decay is not None:
        within = within * decayed(time, *decay)
    demand = people @ within
    ratio = np.divide(weight, demand, out=np.zeros_like(weight, dtype=np.float64), where=demand > 0)
    return within @ ratio


def lorenz(value: Floats, people: Floats) -> tuple[Floats, Floats]:
    """The Lorenz curve: shares of people, the worst off first, and of what they have; both begin at 0 and end at 1."""
    order = np.argsort(value, kind="stable")
    held = np.concatenate([[0.0], np.cumsum((value * people)[order])])
    heads = np.concatenate([[0.0], np.cumsum(people[order])])
    return heads / max(heads[-1], 1e-300), held / held[-1] if held[-1] > 0 else heads / max(heads[-1], 1e-300)


def gini(value: Floats, people: Floats) -> float:
    """Gini's coefficient: 0 where all have the same, towards 1 where one has all; twice the area above the Lorenz curve."""
    heads, held = lorenz(value, people)
    return float(1.0 - np.sum(np.diff(heads) * (held[1:] + held[:-1])))
