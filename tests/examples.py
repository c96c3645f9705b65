"""How many random examples a property test looks at: a share of them in every run (AWL_SHARE), all of them with AWL_LONG=1.

Each run draws others, so that what a short run misses the next ones find.
"""

from __future__ import annotations

import os

SHARE = 1.0 if os.environ.get("AWL_LONG") else float(os.environ.get("AWL_SHARE", "0.25"))
LEAST = 5


def examples(full: int) -> int:
    """The number of examples of this run where a long one has `full`."""
    return min(full, max(LEAST, round(full * SHARE)))
