"""Small charts that several answers show."""

from __future__ import annotations

from typing import Any

import numpy as np

from awl.views.charts import Axis, Chart, Series

STEPS = (1, 2, 5, 10, 15, 30, 60, 120, 240)


def histogram(minutes: Any, what: str) -> Chart | None:
    """Numbers of `what` by minutes in at most twelve classes; None for fewer than two values."""
    if len(minutes) < 2:
        return None
    top = float(minutes.max())
    step = next((s for s in STEPS if top / s <= 12), top / 12)
    edges = np.arange(0, top + step, step)
    counts, _ = np.histogram(minutes, edges)
    words = [f"{a:g} to {a + step:g}" for a in edges[:-1]]
    return Chart("bars", f"{what} by minutes", Axis("minutes", words), [Series(what, counts.tolist())])
