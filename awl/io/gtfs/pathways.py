"""How long ways inside stations take: by what the feed says of them, or else by the levels they join."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from awl.core.transit.feed import ESCALATOR, LIFT, STAIRS
from awl.io.gtfs.columns import column_of, number_of, rows_of

INSIDE_MS = 1.2
"""Walking speed inside stations in m/s, where a pathway gives its length alone."""
STEPS_PER_S, STEPS_A_LEVEL = 2.0, 24
"""Steps a second, and those between two levels where nobody counted them."""
LIFT_S, LIFT_S_A_LEVEL, ESCALATOR_S_A_LEVEL, WALK_S = 60, 5, 20, 30
"""What a lift takes by one level, and each further one; an escalator by a level; any way of which nothing is known."""


def levels_of(stops: pa.Table, levels: pa.Table) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """The level (s,) on which each stop lies, 0 the ground, NaN where it is not known; and stops that name one that is not there.

    Parameters:
        stops: `stops.txt` as text.
        levels: `levels.txt` as text.
    """
    named = column_of(stops, "level_id")
    row = rows_of(named, column_of(levels, "level_id"))
    index = np.append(number_of(levels, "level_index"), np.nan)
    wrong = np.flatnonzero((row < 0) & (named.fill_null("").to_numpy(zero_copy_only=False) != ""))
    return index[row], wrong


def pathway_seconds(table: pa.Table, kind: NDArray[np.int64], level_change: NDArray[np.float64]) -> NDArray[np.float64]:
    """Seconds (w,) that each way takes: as stated, or by its steps or length, or else by the levels between its ends.

    Parameters:
        table: `pathways.txt` as text.
        kind: `pathway_mode` (w,) of each way.
        level_change: levels (w,) between the ends of each way, NaN where that is not known.
    """
    stated, length, steps = (number_of(table, name) for name in ("traversal_time", "length", "stair_count"))
    level_change = np.where(level_change == 0, np.nan, np.abs(level_change))
    lift_s = LIFT_S + LIFT_S_A_LEVEL * np.maximum(np.nan_to_num(level_change) - 1, 0)
    by_levels = np.select([kind == LIFT, kind == ESCALATOR], [lift_s, level_change * ESCALATOR_S_A_LEVEL], np.nan)
    steps = np.where(np.isnan(steps), level_change * STEPS_A_LEVEL, np.abs(steps))
    seconds = np.where(kind == STAIRS, steps / STEPS_PER_S, np.where(np.isnan(length), by_levels, length / INSIDE_MS))
    seconds = np.where(np.isnan(seconds), WALK_S, seconds)
    return np.where(np.isnan(stated), seconds, stated)
