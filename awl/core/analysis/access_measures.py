"""Accessibility measures on times between homes and places, each by its published definition.

`weight` (k,) is what a place offers (seats, jobs), 1 for each where nothing is said; `people` (p,) is how many live at a home.
Sources: W. G. Hansen, *How accessibility shapes land use*, J. Am. Inst. Planners 25 (1959), gravity; K. Geurs, B. van Wee, J.
Transport Geography 12 (2004), the family of measures; W. Luo, F. Wang, Environment and Planning B 30 (2003), two-step floating
catchment areas; W. Luo, Y. Qi, Health & Place 15 (2009), the enhanced form with decay; M. O. Lorenz, Publ. Am. Stat. Assoc. 9
(1905), and C. Gini (1912).
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.travel_times import Times

Floats = NDArray[np.float64]
Decay = Literal["exponential", "power", "gaussian"]


def decayed(time: Floats, kind: Decay, half: float) -> Floats:
    """Share of a place that counts at a time: 1 at once, one half at `half` minutes, 0 where there is no way.

    Exponential exp(-b t), power 1 / (1 + t / half), Gaussian exp(-b t^2).

    Parameters:
        time: minutes (q,).
        kind: how places count less with time.
        half: minutes at which a place counts one half.
    """
    reached = np.isfinite(time)
    t = np.where(reached, time, 0.0)
    if kind == "power":
        share = 1.0 / (1.0 + t / half)
    else:
        share = np.exp(-np.log(2.0) * (t / half) ** (1 if kind == "exponential" else 2))
    return np.where(reached, share, 0.0)


def cumulative(near: Times, weight: Floats) -> Floats:
    """What is near (p,): the weights of the places that are, summed.

    Parameters:
        near: pairs of homes and places within the limit.
        weight: what each place offers (k,).
    """
    return near.per_home(weight[near.place])


def gravity(times: Times, weight: Floats, kind: Decay, half: float) -> Floats:
    """Hansen's potential (p,): weights summed, each by the share that counts at its time.

    Parameters:
        times: minutes between homes and places within reach.
        weight: what each place offers (k,).
        kind: how places count less with time.
        half: minutes at which a place counts one half.
    """
    return times.per_home(decayed(times.minutes, kind, half) * weight[times.place])


def kth_time(times: Times, k: int) -> Floats:
    """Time (p,) to the k-th nearest place, infinity where fewer are reached.

    Parameters:
        times: minutes between homes and places within reach.
        k: which nearest, from 1 on.
    """
    minutes = np.full(times.population_points, np.inf)
    is_kth = times.nth == k - 1
    minutes[times.home[is_kth]] = times.minutes[is_kth]
    return minutes


def two_step(
    times: Times, weight: Floats, people: Floats, limit: float, decay: tuple[Decay, float] | None = None
) -> Floats:
    """Supply per head (p,) by two-step floating catchment areas, within `limit` minutes; enhanced where there is a `decay`.

    First each place shares what it offers among the people within its reach, then each home sums up the shares within its own. A
    place nobody reaches offers nothing.

    Parameters:
        times: minutes between homes and places within reach.
        weight: what each place offers (k,).
        people: people (p,) at each home.
        limit: minutes within which places serve people.
        decay: how places count less with time, and the minutes at which one counts one half; None for all alike.
    """
    near = times.within(limit)
    share = np.ones(len(near.home)) if decay is None else decayed(near.minutes, *decay)
    demand = near.per_place(people[near.home] * share)
    ratio = np.divide(weight, demand, out=np.zeros(len(demand)), where=demand > 0)
    return near.per_home(ratio[near.place] * share)


def lorenz(value: Floats, people: Floats) -> tuple[Floats, Floats]:
    """The Lorenz curve: shares of people, the worst off first, and of what they have; both begin at 0 and end at 1.

    Parameters:
        value: what each home has (p,).
        people: people (p,) at each home.
    """
    order = np.argsort(value, kind="stable")
    held = np.concatenate([[0.0], np.cumsum((value * people)[order])])
    heads = np.concatenate([[0.0], np.cumsum(people[order])])
    return heads / max(heads[-1], 1e-300), held / held[-1] if held[-1] > 0 else heads / max(heads[-1], 1e-300)


def gini(value: Floats, people: Floats) -> float:
    """Gini's coefficient: 0 where all have the same, towards 1 where one has all; twice the area above the Lorenz curve.

    Parameters:
        value: what each home has (p,).
        people: people (p,) at each home.
    """
    heads, held = lorenz(value, people)
    return float(1.0 - np.sum(np.diff(heads) * (held[1:] + held[:-1])))
