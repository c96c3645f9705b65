"""Costs as searches see them: whole thousandths of a second, a metre or a unit, so that sums are exact."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from awl.core.errors import AwlError, nearest

EVERY = slice(None)
DIRECTIONS = ("from", "to")
"""Searches run from places to all of the network, or from all of it to places."""
LEAST_TIME = "least time"
"""A measure no cost can be named like: what a link takes at least, at any hour of any day, rounded down."""
BLOCKED = -1
"""Cost of a direction that may not be used."""
NO_WAY = np.int32(2**31 - 1)
"""Cost of a step that may not be made: above every limit."""
MILLI = 1000.0
MOST_COST = 1_000_000.0
"""Largest given cost of one link: sums of thousandths must stay below 2^31."""


def check_direction(direction: str) -> None:
    """Raise `AwlError` for what is no direction of a search.

    Parameters:
        direction: `from` or `to`: trips leave the places or lead to them.
    """
    if direction not in DIRECTIONS:
        raise AwlError(
            f"'{direction}' is no direction of a search.{nearest(direction, DIRECTIONS)}",
            remedy=f"Directions are: {', '.join(DIRECTIONS)}",
            inputs=("direction",),
        )


@dataclass(frozen=True)
class LinkCosts:
    """Cost of a whole link (m,) when a search passes it from its start to its end (`up`) or back (`down`)."""

    up: NDArray[np.int32]
    down: NDArray[np.int32]


@dataclass(frozen=True)
class Entries:
    """Steps by their arcs: those onto arc i are rows `start[i]:start[i + 1]`, from states `tail`, with `delay_ms`."""

    start: NDArray[np.int64]
    tail: NDArray[np.int32]
    delay_ms: NDArray[np.int32]


@dataclass(frozen=True)
class StepCosts:
    """What steps (r,) between states cost: that of their `arc` in `arc_cost` (2m,), and the `delay` (r,) before it if one counts.

    Where none does `delay` is empty. One that is `barred` (r,), or whose arc is, costs more than any limit.
    """

    arc: NDArray[np.int32]
    arc_cost: NDArray[np.int32]
    delay: NDArray[np.int32]
    barred: NDArray[np.bool_]

    def of(self, rows: NDArray[np.integer] | slice = EVERY) -> NDArray[np.int32]:
        """Costs of some steps.

        Parameters:
            rows: numbers (k,) of the steps, or a slice of all.
        """
        cost = self.arc_cost[self.arc[rows]]
        total = cost + self.delay[rows] if len(self.delay) else cost
        return np.where((cost == BLOCKED) | self.barred[rows], NO_WAY, total).astype(np.int32)


def in_thousandths(
    costs: dict[str, NDArray[np.float64]], measure: str, link_id: NDArray[np.int64]
) -> NDArray[np.int32]:
    """Convert a cost of links to whole thousandths.

    Parameters:
        costs: (m, 2) costs by id along and against the drawn direction, NaN where none is given.
        measure: the id of the cost.
        link_id: (m,) ids of the links, for messages.

    Returns:
        Thousandths, `BLOCKED` where none is given.

    Raises:
        AwlError: if there is no such cost, or one is negative or above `MOST_COST`.
    """
    if measure not in costs:
        raise AwlError(
            f"The streets have no cost '{measure}'",
            remedy=f"Costs are: {', '.join(['time', 'distance', *costs])}",
            inputs=("measure",),
            kind="no-such-cost",
        )
    given = costs[measure]
    if np.nanmin(given, initial=0.0) < 0 or np.nanmax(given, initial=0.0) > MOST_COST:
        link = int(np.flatnonzero(((given < 0) | (given > MOST_COST)).any(axis=1))[0])
        raise AwlError(
            f"The cost '{measure}' of link {link_id[link]} is {np.nanmin(given[link]):g}",
            remedy=f"Costs lie between 0 and {MOST_COST:,.0f}",
            inputs=("measure",),
        )
    return np.where(np.isnan(given), BLOCKED, np.rint(np.nan_to_num(given) * MILLI)).astype(np.int32)
