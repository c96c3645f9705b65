"""The benchmark table stands beside the former one."""

from __future__ import annotations

import json

from bench.__main__ import FORMER, beside, keyed
from bench.measure import Row


def test_a_ratio_that_got_worse_beyond_noise_is_told() -> None:
    former = {"search": 4.0}
    told = [beside(Row("search", 1.0, other, "x faster"), former) for other in (4.2, 3.0, 8.0)]
    assert told == ["4.00", "4.00 WORSE", "4.00 better"]
    assert beside(Row("sweep", 1.0, 2.0, "x faster"), former) == "new"


def test_rows_are_known_again_when_their_counts_change() -> None:
    assert keyed("a document, 10 MB") == keyed("a document, 11 MB") != keyed("another, 11 MB")
    assert keyed("Ferrow on foot, 33,281 states: one to all") == keyed("Ferrow on foot, 33,299 states: one to all")
    assert all(key == keyed(key) and ratio > 0 for key, ratio in json.loads(FORMER.read_text()).items())
