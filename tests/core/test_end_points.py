"""Lines joined at their end points alone: crossings and shared middles stay apart."""

from __future__ import annotations

import numpy as np
import shapely

from awl.core.columns import Categorical
from awl.core.graph.build import build_graph
from awl.core.graph.lines import LineStreets, raw_of_lines

LINES = [[(0, 0), (2, 0), (4, 0)], [(2, -1), (2, 0), (2, 1)], [(4, 0), (5, 1)], [(1, 1), (1, -1)], [(3, 3), (3, 3)]]


def streets():
    shapes = np.array([shapely.LineString(np.array(line) * 1e-3) for line in LINES], dtype=object)
    count = len(LINES)
    return LineStreets(
        shapes, {"highway": Categorical.of(["residential"] * count)}, np.zeros(count, np.int64), np.arange(1, count + 1)
    )


def graph_of(**options):
    raw, report = raw_of_lines(streets(), 0.5, **options)
    return build_graph(raw, merge=False)[0], report


def test_crossings_are_broken_unless_end_points_alone_meet():
    broken, _ = graph_of()
    apart, report = graph_of(break_crossings=False)
    assert broken.link_count == 8 and apart.link_count == 4
    assert apart.node_count == 7, "the shared end of the first and the third line is one node"
    assert report.crossings_broken == 0 and report.zero_length == 1
    assert abs(broken.link_length.sum() - apart.link_length.sum()) < 1e-6
