"""Small charts that several answers show."""

from __future__ import annotations

from typing import Any

import numpy as np

from awl.questions.inputs import Json

STEPS = (1, 2, 5, 10, 15, 30, 60, 120, 240)


def histogram(minutes: Any, what: str) -> Json | None:
    """Numbers of `what` by minutes in at most twelve classes; None for fewer than two values."""
    if len(minutes) < 2:
        return None
    top = float(minutes.max())
    step = next((s for s in STEPS if top / s <= 12), top / 12)
    edges = np.arange(0, top + step, step)
    counts, _ = np.histogram(minutes, edges)
    return {
        "kind": "bars",
        "title": f"{what} by minutes",
        "x": {"label": "minutes", "values": [f"{a:g} to {a + step:g}" for a in edges[:-1]]},
        "series": [{"label": what, "values": counts.tolist()}],
    }
