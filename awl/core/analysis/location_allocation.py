"""Which of several candidate places to add, so that most people come within a limit who were not before.

The maximal covering problem of R. Church, C. ReVelle, *The maximal covering location problem*, Papers in Regional Science 32
(1974). Every choice is compared where there are few enough; else places are taken one after the other, each the best beside
those before.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import combinations
from math import comb

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.travel_times import Times

Floats = NDArray[np.float64]
MOST_CHOICES = 20_000
"""Choices that are all compared."""
MOST_CANDIDATES = 62
"""Candidates whose reach is held as bits of one number."""
RANKED = 10


@dataclass(frozen=True)
class Sites:
    """People gained by each candidate `alone` (k,), and the best choices, best first, each with what it gains.

    `exact`: whether all choices were compared.
    """

    alone: Floats
    choices: list[tuple[tuple[int, ...], float]]
    exact: bool

    @property
    def best(self) -> tuple[int, ...]:
        """The best choice, rows of candidates in ascending order."""
        return self.choices[0][0]


def best_sites(times: Times, limit: float, people: Floats, served: NDArray[np.bool_], choose: int) -> Sites:
    """Choose `choose` of the candidates of `times`; `people` (p,) live at homes of which some are `served` (p,) already.

    Parameters:
        times: minutes between homes and places within reach.
        limit: minutes within which a place serves a home.
        people: people (p,) at each home.
        served: mask (p,) of the homes that are served already.
        choose: how many to choose.
    """
    near = times.within(limit)
    unserved = np.where(served, 0.0, people)
    alone = near.per_place(unserved[near.home])
    choose = min(choose, times.places)
    if times.places > MOST_CANDIDATES or comb(times.places, choose) > MOST_CHOICES:
        return Sites(alone, [_one_by_one(near, unserved, choose)], False)
    within = np.zeros(times.population_points, np.int64)
    np.bitwise_or.at(within, near.home, np.left_shift(1, near.place))
    pattern, row = np.unique(within, return_inverse=True)
    heads = np.bincount(row, unserved)
    choices = list(combinations(range(times.places), choose))
    masks = np.array([sum(1 << place for place in choice) for choice in choices])
    gained = np.array([heads[(pattern & mask) != 0].sum() for mask in masks])
    order = np.argsort(-np.round(gained, 6), kind="stable")[:RANKED]
    return Sites(alone, [(choices[i], float(gained[i])) for i in order], True)


def _one_by_one(near: Times, unserved: Floats, choose: int) -> tuple[tuple[int, ...], float]:
    left = unserved.copy()
    chosen: list[int] = []
    for _ in range(choose):
        gain = near.per_place(left[near.home])
        gain[chosen] = -1.0
        chosen.append(int(np.argmax(gain)))
        left[near.home[near.place == chosen[-1]]] = 0.0
    return tuple(sorted(chosen)), float(unserved.sum() - left.sum())
