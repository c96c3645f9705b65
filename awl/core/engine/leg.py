"""A way between two places, and the cost that is carried along one that is minimised."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


def carried_with(measure: str) -> str:
    """The cost that is carried along when one is minimised."""
    return "time" if measure == "distance" else "distance"


@dataclass(frozen=True)
class Leg:
    """The best way between two places.

    `links` in travel order, `along` True where a link is passed in its drawn direction; `start` and `end` are the
    fractions of the first and last link at which the trip begins and ends; `delay_ms` is lost before each link. Cost in ms or mm,
    carried likewise, both without what a trip costs at its ends. `passing_ms` is the time on each link where the hour matters.
    `off` is the way to the first link and from the last where these are not the nearest ones, as shares of their lengths: costs
    count it.
    """

    links: NDArray[np.int32]
    along: NDArray[np.bool_]
    delay_ms: NDArray[np.int32]
    start: float
    end: float
    cost: int
    carried: int
    passing_ms: NDArray[np.float64] | None = None
    off: tuple[float, float] = (0.0, 0.0)
