"""From raw ways to a street graph."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from pyproj import Geod

from awl.core.errors import AwlError
from awl.core.graph.build import build_graph
from awl.core.graph.shapes import cut_lines
from awl.core.graph.street_graph import StreetGraph, hilbert_order
from tests.conftest import CUT, node, way

CROSS = node(1, 0, 0.001) + node(2, 0.002, 0.001) + node(3, 0.001, 0) + node(4, 0.001, 0.002) + node(5, 0.001, 0.001)


def ends(graph: StreetGraph) -> set[tuple[int, int]]:
    """Links as pairs of OSM node ids."""
    return {
        (int(graph.node_osm_id[a]), int(graph.node_osm_id[b]))
        for a, b in zip(graph.link_from, graph.link_to, strict=True)
    }


def test_links_are_broken_at_a_shared_node(read_osm):
    raw = read_osm(CROSS + way(10, [1, 5, 2], highway="residential") + way(11, [3, 5, 4], highway="residential"))
    graph, report = build_graph(raw)
    assert ends(graph) == {(1, 5), (5, 2), (3, 5), (5, 4)}
    assert report.nodes == 5


def test_a_crossing_without_a_shared_node_never_joins(read_osm):
    raw = read_osm(
        CROSS + way(10, [1, 2], highway="primary", bridge="yes", layer="1") + way(11, [3, 4], highway="residential")
    )
    graph, _ = build_graph(raw)
    assert ends(graph) == {(1, 2), (3, 4)}
    assert len(np.intersect1d(graph.link_from, graph.link_to)) == 0


def test_a_vertex_of_one_way_only_stays_a_vertex(read_osm):
    graph, _ = build_graph(read_osm(CROSS + way(10, [1, 5, 2], highway="residential")))
    assert graph.link_count == 1
    assert np.diff(graph.shape_start).tolist() == [3]


def test_loops_parallel_links_and_a_way_that_meets_itself(read_osm):
    body = CROSS + way(10, [1, 3, 2, 4, 1], highway="residential") + way(11, [1, 5, 2], highway="path")
    body += way(12, [3, 5, 4, 5], highway="path")
    graph, _ = build_graph(read_osm(body))
    pairs = [tuple(sorted(p)) for p in ends(graph)]
    assert (1, 5) in pairs and (2, 5) in pairs and (4, 5) in pairs
    # Way 12 runs back over its own segment: both passes are links.
    both = [(graph.node_osm_id[a], graph.node_osm_id[b]) for a, b in zip(graph.link_from, graph.link_to, strict=True)]
    assert sum({int(a), int(b)} == {4, 5} for a, b in both) == 2


def test_doubled_references_and_dead_spots_are_dropped(read_osm):
    body = node(1, 0, 0) + node(2, 0.001, 0) + node(3, 0.001, 0) + node(4, 0.002, 0)
    graph, report = build_graph(read_osm(body + way(10, [1, 1, 2, 3, 3, 4], highway="service")))
    assert graph.link_count == 1 and report.zero_length_dropped == 0
    _, report = build_graph(read_osm(body + way(10, [1, 2], highway="service") + way(11, [2, 3], highway="service")))
    assert report.zero_length_dropped == 1


def test_missing_nodes_cut_a_street_and_mark_the_border(read_osm):
    body = node(1, 0, 0) + node(2, 0.001, 0) + node(5, 0.004, 0) + node(6, 0.005, 0)
    graph, report = build_graph(read_osm(body + way(10, [1, 2, 3, 4, 5, 6], highway="tertiary")))
    assert ends(graph) == {(1, 2), (5, 6)}
    assert report.references_missing == 2
    assert sorted(graph.node_osm_id[graph.node_border].tolist()) == [2, 5]


def test_cutting_puts_border_nodes_exactly_on_the_edge(read_osm):
    body = node(1, -0.001, 0.0005) + node(2, 0.0005, 0.0005) + node(3, 0.003, 0.0005)
    area = shapely.box(0, 0, 0.001, 0.001)
    graph, report = build_graph(read_osm(body + way(10, [1, 2, 3], highway="residential")), area)
    assert graph.link_count == 1 and report.border_nodes == 2
    assert np.sort(graph.node_lon).tolist() == pytest.approx([0.0, 0.001])
    assert graph.shape_lon.tolist() == pytest.approx([0.0, 0.0005, 0.001])


def test_a_street_that_leaves_and_comes_back_gives_two_links_in_order(read_osm):
    body = node(1, 0.0002, 0.0002) + node(2, 0.0002, 0.002) + node(3, 0.0008, 0.002) + node(4, 0.0008, 0.0002)
    graph, _ = build_graph(
        read_osm(body + way(10, [1, 2, 3, 4], highway="residential")), shapely.box(0, 0, 0.001, 0.001)
    )
    assert graph.link_count == 2
    assert sorted(graph.node_osm_id.tolist()) == [0, 0, 1, 4]


def test_a_concave_area_cuts_one_segment_twice(read_osm):
    area = shapely.Polygon([(0, 0), (3, 0), (3, 1), (2, 1), (2, 0.4), (1, 0.4), (1, 1), (0, 1)])
    raw = read_osm(node(1, 0.2, 0.7) + node(2, 2.8, 0.7) + way(10, [1, 2], highway="track"))
    graph, report = build_graph(raw, area)
    assert graph.link_count == 2 and report.border_nodes == 2


def test_nothing_left_is_said(read_osm):
    with pytest.raises(AwlError, match="holds no street"):
        build_graph(read_osm(node(1, 0, 0) + node(2, 1, 1) + way(1, [1, 2], railway="rail")))
    raw = read_osm(node(1, 0, 0) + node(2, 0.1, 0.1) + way(1, [1, 2], highway="service"))
    with pytest.raises(AwlError, match="No street lies inside"):
        build_graph(raw, shapely.box(5, 5, 6, 6))


def test_lengths_are_geodesic(graph):
    geod = Geod(ellps="WGS84")
    for link in range(0, graph.link_count, 37):
        a, b = graph.shape_start[link], graph.shape_start[link + 1]
        expected = geod.line_length(graph.shape_lon[a:b], graph.shape_lat[a:b])
        assert graph.link_length[link] == pytest.approx(expected, abs=1e-6)


def test_every_shape_begins_and_ends_at_its_nodes(graph):
    first, last = graph.shape_start[:-1], graph.shape_start[1:] - 1
    assert (graph.shape_lon[first] == graph.node_lon[graph.link_from]).all()
    assert (graph.shape_lat[last] == graph.node_lat[graph.link_to]).all()
    assert (np.diff(graph.shape_m)[np.setdiff1d(np.arange(len(graph.shape_m) - 1), last)] >= 0).all()


def test_the_cut_lies_inside_and_keeps_the_length(raw, graph):
    assert shapely.covers(CUT.buffer(1e-9), graph.lines()).all()
    whole, _ = build_graph(raw)
    inside = shapely.intersection(whole.lines(), CUT)
    assert shapely.length(graph.lines()).sum() == pytest.approx(shapely.length(inside).sum(), rel=1e-6)


def test_cut_lines_agree_with_shapely(graph):
    rng = np.random.default_rng(4)
    link = rng.integers(0, graph.link_count, 200).astype(np.int32)
    begin, end = np.sort(rng.uniform(0, 1, (2, 200)), axis=0)
    begin[:5], end[:5] = 0.0, 0.0
    begin[5:10], end[5:10] = 1.0, 1.0
    pieces = cut_lines(graph, link, begin, end, in_plane=True)
    share = shapely.length(pieces) / shapely.length(graph.lines_xy[link])
    assert share == pytest.approx(end - begin, abs=2e-4)
    starts = shapely.line_locate_point(graph.lines_xy[link], shapely.get_point(pieces, 0), normalized=True)
    assert starts[10:] == pytest.approx(begin[10:], abs=2e-3)


def test_hilbert_order_keeps_neighbours_together():
    rng = np.random.default_rng(0)
    x, y = rng.uniform(0, 1, (2, 4000))
    order = hilbert_order(x, y)
    assert sorted(order.tolist()) == list(range(4000))
    jumps = np.hypot(np.diff(x[order]), np.diff(y[order]))
    assert np.median(jumps) < 0.03 < np.median(np.hypot(np.diff(x), np.diff(y)))
