"""Demand: how many trips lead from each origin to each destination, sampled trips, and when they begin.

Sources: A. G. Wilson, *A family of spatial interaction models, and associated developments*, Environment and Planning A 3
(1971), singly and doubly constrained models; K. P. Furness, *Time function iteration*, Traffic Engineering and Control 7 (1965),
balancing; G. M. Hyman, *The calibration of trip distribution models*, Environment and Planning 1 (1969), calibration to a mean.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from awl.core.errors import AwlError

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
MOST_ROUNDS = 2_000
CLOSE = 1e-9
"""Balancing ends once no sum is off by a larger share."""
CALIBRATED = 1e-4
"""A mean trip is met to this share."""
MOST_HALVINGS = 200
TINY = 1e-200
"""Balancing factors that run away meet this first, and the sums are never met."""


def singly_constrained(share: Floats, produced: Floats, attraction: Floats) -> Floats:
    """Trips (n, m) of each origin shared out over destinations by their attraction and how much of it counts from there.

    An origin from which nothing counts sends nobody.

    Parameters:
        share: how much of a destination counts from an origin (n, m), such as a decay of the time between them.
        produced: trips that begin at each origin (n,).
        attraction: what each destination offers (m,).
    """
    pull = share * attraction
    total = pull.sum(axis=1, keepdims=True)
    return np.divide(pull * produced[:, None], total, out=np.zeros_like(pull), where=total > 0)


def doubly_constrained(share: Floats, produced: Floats, attracted: Floats) -> Floats:
    """Trips (n, m) of which each origin sends what it produces and each destination receives what it attracts.

    Origins and destinations without a partner stay without trips.

    Parameters:
        share: how much of a destination counts from an origin (n, m).
        produced: trips that begin at each origin (n,).
        attracted: trips that end at each destination (m,), in all as many as begin.

    Raises:
        AwlError: the sums differ, or no table with these partners has such sums.
    """
    rows, columns = (share > 0).any(axis=1), (share > 0).any(axis=0)
    begin, end = np.where(rows, produced, 0.0), np.where(columns, attracted, 0.0)
    if not np.isclose(begin.sum(), end.sum(), rtol=1e-6):
        raise AwlError(
            f"{begin.sum():,.0f} trips begin and {end.sum():,.0f} end",
            remedy="Let as many end as begin, or leave the ends open",
            inputs=("demand",),
        )
    of_origin, of_destination = np.ones(len(begin)), np.ones(len(end))
    for _ in range(MOST_ROUNDS):
        reach = share @ of_destination
        of_origin = np.divide(begin, reach, out=np.zeros_like(begin), where=reach > TINY)
        reach = share.T @ of_origin
        of_destination = np.divide(end, reach, out=np.zeros_like(end), where=reach > TINY)
        sent = of_origin * (share @ of_destination)
        if np.abs(sent - begin).max(initial=0.0) <= CLOSE * max(begin.max(initial=0.0), 1.0):
            return share * of_origin[:, None] * of_destination
    raise AwlError(
        "No table of trips has these sums: some destination cannot receive what it should from the origins that reach it",
        remedy="Leave the ends open, or allow longer trips",
        inputs=("demand",),
    )


def mean_cost(trips: Floats, cost: Floats) -> float:
    """Mean cost of a trip; nan where there is none.

    Parameters:
        trips: trips (n, m).
        cost: what each costs (n, m), not finite where there is no way.
    """
    total = float(trips.sum())
    return float((trips * np.where(np.isfinite(cost), cost, 0.0)).sum() / total) if total > 0 else float("nan")


def calibrated(cost: Floats, wanted: float, distribute: Callable[[Floats], Floats]) -> tuple[float, Floats]:
    """The b of a decay exp(-b cost) under which trips have a mean cost, and those trips.

    Parameters:
        cost: what a trip between each origin and destination costs (n, m), not finite where there is no way.
        wanted: the mean cost.
        distribute: gives the trips of a share (n, m).

    Raises:
        AwlError: no decay gives such a mean: it is less than the least, or more than trips without decay have.
    """
    reached = np.isfinite(cost)
    # The least cost of each origin is left out of the exponent, so that none underflows to nothing: sums are constrained.
    least = np.where(reached, cost, np.inf).min(axis=1, initial=np.inf, keepdims=True)
    more = np.where(reached, cost, 0.0) - np.where(np.isfinite(least), least, 0.0)
    more[~reached] = 0.0

    def trips(b: float) -> Floats:
        return distribute(np.where(reached, np.exp(-b * more), 0.0))

    low, high = 0.0, 1.0 / max(wanted, 1e-9)
    longest = mean_cost(trips(low), cost)
    if not wanted <= longest * (1 + CALIBRATED):
        raise AwlError(
            f"A mean of {wanted:g} cannot be: trips to all places alike have one of {longest:.3g}",
            remedy="Give a shorter mean",
            inputs=("mean",),
        )
    for _ in range(60):
        if mean_cost(trips(high), cost) <= wanted:
            break
        low, high = high, 2 * high
    else:
        raise AwlError(
            f"A mean of {wanted:g} cannot be: trips are longer even where everybody goes to the nearest",
            remedy="Give a longer mean",
            inputs=("mean",),
        )
    for _ in range(MOST_HALVINGS):
        middle = (low + high) / 2
        table = trips(middle)
        mean = mean_cost(table, cost)
        if abs(mean - wanted) <= CALIBRATED * wanted:
            return middle, table
        low, high = (middle, high) if mean > wanted else (low, middle)
    return middle, table


def sampled_pairs(trips: Floats, count: int, rng: np.random.Generator) -> tuple[Ints, Ints]:
    """Origins and destinations (count,) of trips drawn at random, each pair by its share of all trips.

    Parameters:
        trips: trips (n, m), not all zero.
        count: how many are drawn.
        rng: the source of chance.
    """
    cumulative = np.cumsum(trips.ravel())
    drawn = np.searchsorted(cumulative, rng.random(count) * cumulative[-1], side="right")
    # A draw at the very end may fall beyond the last pair that has trips.
    drawn = np.minimum(drawn, int(np.flatnonzero(trips.ravel())[-1]))
    return drawn // trips.shape[1], drawn % trips.shape[1]


def sampled_starts(begin_ms: int, end_ms: int, share: Floats, count: int, rng: np.random.Generator) -> Ints:
    """Starts (count,) of trips in milliseconds, drawn at random over a window.

    Parameters:
        begin_ms, end_ms: the window.
        share: how many begin in each of so many equal parts of the window, in any unit; evenly within a part.
        count: how many are drawn.
        rng: the source of chance.
    """
    cumulative = np.concatenate([[0.0], np.cumsum(share)]) / share.sum()
    where = np.interp(rng.random(count), cumulative, np.linspace(begin_ms, end_ms, len(share) + 1))
    return np.minimum(np.floor(where), end_ms - 1).astype(np.int64)
