"""What several runs come to: mean, median, and the middle nine tenths."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
LOW, HIGH = 5.0, 95.0
"""Percentiles between which nine tenths of the runs lie."""


@dataclass(frozen=True)
class OverRuns:
    """Of values of several runs: mean, median, and the ends of the middle nine tenths, each of the shape of a run's values."""

    mean: Floats
    median: Floats
    low: Floats
    high: Floats

    def at(self, index: int) -> OverRuns:
        """Those of one row of the values.

        Parameters:
            index: the row.
        """
        return OverRuns(self.mean[index], self.median[index], self.low[index], self.high[index])

    def flat(self) -> OverRuns:
        """The same in one row."""
        return OverRuns(self.mean.ravel(), self.median.ravel(), self.low.ravel(), self.high.ravel())


def over_runs(values: NDArray[np.number]) -> OverRuns:
    """What runs come to; runs without a value (nan) do not count.

    Parameters:
        values: a row for each run (r, ...).
    """
    if len(values) == 1:
        only = values[0].astype(np.float64)
        return OverRuns(only, only, only, only)
    known = np.isfinite(values)
    counts = known.sum(axis=0)
    total = np.where(known, values, 0.0).sum(axis=0)
    mean = np.divide(total, counts, out=np.full(total.shape, np.nan), where=counts > 0)
    filled = np.where(counts > 0, values, 0.0)
    percentile = np.percentile if known.all() else np.nanpercentile
    low, median, high = percentile(filled, [LOW, 50.0, HIGH], axis=0)
    low, median, high = (np.where(counts > 0, one, np.nan) for one in (low, median, high))
    return OverRuns(mean, median, low, high)
