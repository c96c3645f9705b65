"""Plain lines meet where they should and nowhere else."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from awl.core.columns import Categorical
from awl.core.errors import AwlError
from awl.core.geodesy import LocalPlane
from awl.core.graph.build import build_graph
from awl.core.graph.lines import LineStreets, raw_of_lines
from tests.examples import examples

PLANE = LocalPlane(-36.2, 41.3)


def streets(*lines, level=None, **tags):
    """Lines given in metres, as streets."""
    shapes = PLANE.unproject(np.array([shapely.LineString(line) for line in lines], dtype=object))
    count = len(lines)
    columns = {"highway": Categorical.of(["residential"] * count)}
    columns |= {key: Categorical.of(values) for key, values in tags.items()}
    return LineStreets(shapes, columns, np.array(level or [0] * count), np.arange(1, count + 1))


def graph_of(*lines, tolerance=0.0, **more):
    raw, report = raw_of_lines(streets(*lines, **more), tolerance)
    return build_graph(raw, merge=False)[0], report


def test_a_crossing_at_the_same_level_breaks_both():
    graph, report = graph_of([(-50, 0), (50, 0)], [(0, -50), (0, 50)])
    assert (graph.node_count, graph.link_count) == (5, 4)
    assert report.crossings_broken == 1


def test_levels_keep_a_crossing_apart_but_not_ends():
    bridge = [(-50, 0), (50, 0)]
    graph, report = graph_of(bridge, [(0, -50), (0, 50)], [(50, 0), (90, 0)], level=[1, 0, 0])
    assert (graph.node_count, graph.link_count) == (5, 3)
    assert report.kept_apart == 1


def test_an_end_on_a_line_breaks_it():
    graph, report = graph_of([(-50, 0), (50, 0)], [(10, 0), (10, 40)])
    assert (graph.node_count, graph.link_count) == (4, 3)
    assert report.ends_on_lines == 1
    graph, _ = graph_of([(-50, 0), (50, 0)], [(10, 0), (10, 40)], level=[1, 0])
    assert graph.link_count == 2, "not where levels differ"


@pytest.mark.parametrize(("gap", "tolerance", "nodes"), [(2.0, 0.0, 4), (2.0, 1.5, 4), (2.0, 2.5, 3)])
def test_ends_within_the_tolerance_become_one(gap, tolerance, nodes):
    graph, report = graph_of([(-50, 0), (0, 0)], [(gap, 0), (50, 0)], tolerance=tolerance)
    assert graph.node_count == nodes
    assert report.most_moved_m == pytest.approx(gap / 2 if nodes == 3 else 0, abs=1e-6)


@pytest.mark.parametrize(("gap", "joined"), [(1.5, True), (2.5, False)])
def test_an_end_short_of_a_line_is_joined_within_the_tolerance(gap, joined):
    graph, report = graph_of([(-50, 0), (50, 0)], [(10, gap), (10, 40)], tolerance=2.0)
    assert graph.link_count == (3 if joined else 2)
    assert report.ends_joined == int(joined)


def test_a_line_drawn_a_little_too_far_leaves_no_spur():
    graph, _ = graph_of([(-50, 0), (50, 0)], [(10, -0.3), (10, 40)], tolerance=0.5)
    assert (graph.node_count, graph.link_count) == (4, 3)
    graph, _ = graph_of([(-50, 0), (50, 0)], [(10, -0.3), (10, 40)], tolerance=0.1)
    assert (graph.node_count, graph.link_count) == (5, 4)


def test_the_drawn_direction_and_the_source_row_stay():
    graph, _ = graph_of([(50, 0), (-50, 0)], [(0, -50), (0, 50)], oneway=["yes", None])
    own = np.flatnonzero(graph.link_way == 1)
    x = PLANE.xy(graph.node_lon, graph.node_lat)[0]
    assert len(own) == 2 and (x[graph.link_from[own]] > x[graph.link_to[own]]).all()
    assert graph.tag("oneway").equals("yes")[own].all()


def test_a_line_that_crosses_itself_gets_a_node_there():
    graph, _ = graph_of([(0, 0), (100, 0), (100, 50), (50, 50), (50, -40)])
    assert graph.link_count == 3 and graph.node_count == 3


def test_overlapping_lines_share_the_ends_of_the_stretch():
    graph, _ = graph_of([(0, 0), (100, 0)], [(60, 0), (150, 0)])
    x = np.sort(PLANE.xy(graph.node_lon, graph.node_lat)[0])
    assert x == pytest.approx([0, 60, 100, 150], abs=0.01)


def test_bad_lines_and_tolerances():
    with pytest.raises(AwlError, match="No line has a length"):
        raw_of_lines(streets([(0, 0), (0, 0)]))
    with pytest.raises(AwlError, match="tolerance of -1"):
        raw_of_lines(streets([(0, 0), (9, 0)]), -1.0)


points = st.tuples(st.integers(-40, 40), st.integers(-40, 40))
segments = st.tuples(points, points).filter(lambda pair: pair[0] != pair[1])


@settings(deadline=None, max_examples=examples(60))
@given(st.lists(segments, min_size=1, max_size=12, unique=True))
def test_the_graph_is_the_arrangement_of_the_lines(pairs):
    """Against another noder: the same total of nodes and length when nothing overlaps."""
    shapes = np.array([shapely.LineString(pair) for pair in pairs], dtype=object)
    noded = shapely.node(shapely.multilinestrings(shapes))
    if abs(noded.length - shapely.length(shapes).sum()) > 1e-6:
        return  # overlaps are counted twice by us, as parallel links
    graph, _ = graph_of(*pairs)
    pieces = shapely.get_parts(noded)
    ends = np.concatenate([shapely.get_coordinates(shapely.get_point(pieces, k)) for k in (0, -1)])
    tiny = shapely.length(pieces).min() < 0.01
    if not tiny:
        assert graph.link_count == len(pieces)
        assert graph.node_count == len(np.unique(np.round(ends, 4), axis=0))
    assert graph.link_length.sum() == pytest.approx(noded.length, rel=1e-3)
