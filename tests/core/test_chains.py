"""Merging chains of like links changes no distance, keeps every vertex and source way, and stops where something happens."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import dijkstra

from awl.core.columns import Categorical
from awl.core.graph.build import build_graph
from awl.core.graph.raw import RawExtract
from awl.core.modes.mode import DRIVE
from awl.core.network.network import Network
from tests.conftest import node, way
from tests.examples import examples

LINE = "".join(node(i, -36.2 + i * 0.001, 41.3) for i in range(1, 6))


def merged(read_osm, body):
    return build_graph(read_osm(LINE + body))


def test_like_links_become_one_with_all_vertices_and_ways(read_osm):
    graph, report = merged(
        read_osm, way(1, [1, 2], highway="path") + way(2, [3, 2], highway="path") + way(3, [3, 4], highway="path")
    )
    assert (graph.node_count, graph.link_count, report.nodes_merged) == (2, 1, 2)
    assert graph.link_ways.tolist() in ([1, 2, 3], [3, 2, 1]) and len(graph.shape_m) == 4
    assert graph.link_length[0] == pytest.approx(report.length_m)


STAYS = {
    "another name": way(1, [1, 2], highway="path", name="A") + way(2, [2, 3], highway="path", name="B"),
    "one-way streets drawn apart": way(1, [1, 2], highway="road", oneway="yes") + way(2, [3, 2], highway="road", oneway="yes"),
    "an incline drawn apart": way(1, [1, 2], highway="road", incline="5%") + way(2, [3, 2], highway="road", incline="5%"),
    "a third street": way(1, [1, 2], highway="path") + way(2, [2, 3], highway="path") + way(3, [2, 4], highway="path"),
    "a barrier": node(9, -36.195, 41.3, barrier="gate") + way(1, [1, 9], highway="path") + way(2, [9, 2], highway="path"),
    "a crossing within a way": node(9, -36.195, 41.3, highway="crossing") + way(1, [1, 9, 2], highway="path"),
}  # fmt: skip


@pytest.mark.parametrize("kind", STAYS)
def test_a_node_where_something_happens_stays(read_osm, kind):
    graph, report = merged(read_osm, STAYS[kind])
    assert report.nodes_merged == 0 and graph.link_count >= 2


def test_one_way_streets_in_line_merge_in_their_direction(read_osm):
    graph, _ = merged(
        read_osm, way(1, [1, 2], highway="road", oneway="yes") + way(2, [2, 3], highway="road", oneway="yes")
    )
    assert (
        graph.link_count == 1
        and graph.node_osm_id[graph.link_from[0]] == 1
        and graph.node_osm_id[graph.link_to[0]] == 3
    )


def test_a_ring_that_hangs_on_nothing_keeps_a_node(read_osm):
    graph, _ = merged(
        read_osm, node(6, -36.1985, 41.301) + way(1, [1, 2], highway="path") + way(2, [2, 6, 1], highway="path")
    )
    assert (graph.node_count, graph.link_count) == (1, 1) and len(graph.shape_m) == 4


@st.composite
def networks(draw):
    """Nodes on a grid, links among neighbours, few attributes: many chains, rings and parallel links."""
    count = draw(st.integers(3, 14))
    pairs = draw(
        st.lists(
            st.tuples(st.integers(0, count - 1), st.integers(0, count - 1)).filter(lambda p: p[0] != p[1]),
            min_size=2,
            max_size=20,
        )
    )
    ways = draw(
        st.lists(
            st.tuples(st.sampled_from(["a", "b"]), st.sampled_from([None, "yes", "no"])),
            min_size=len(pairs),
            max_size=len(pairs),
        )
    )
    return count, pairs, ways


@settings(deadline=None, max_examples=examples(120))
@given(networks())
def test_distances_between_the_nodes_that_stay_do_not_change(drawn):
    count, pairs, ways = drawn
    angle = np.arange(count) * 2.4
    raw = RawExtract(
        node_id=np.arange(1, count + 1),
        node_lon=-36.2 + 0.001 * np.sqrt(np.arange(count) + 1) * np.cos(angle),
        node_lat=41.3 + 0.001 * np.sqrt(np.arange(count) + 1) * np.sin(angle),
        tagged_nodes=np.zeros(0, np.int64),
        node_tags={},
        way_id=np.arange(1, len(pairs) + 1),
        way_start=np.arange(len(pairs) + 1) * 2,
        way_refs=np.array(pairs).ravel() + 1,
        way_tags={"highway": Categorical.of(["residential"] * len(pairs)), "name": Categorical.of([n for n, _ in ways]),
                  "oneway": Categorical.of([w for _, w in ways])},
        relations=(),
    )  # fmt: skip
    apart, whole = (build_graph(raw, merge=merge)[0] for merge in (False, True))
    assert whole.link_length.sum() == pytest.approx(apart.link_length.sum())
    assert set(whole.link_ways.tolist()) == set(range(1, len(pairs) + 1))
    assert distances(whole, whole.node_osm_id) == pytest.approx(distances(apart, whole.node_osm_id), abs=1e-6)
    degree = np.bincount(np.concatenate([whole.link_from, whole.link_to]), minlength=whole.node_count)
    assert (degree > 0).all()


def distances(graph, ids):
    """Metres between nodes for a driver, by SciPy."""
    mode = DRIVE
    try:
        network = Network.of(graph, mode)
    except Exception:  # no connected street for a driver: nothing to compare
        return np.zeros(0)
    use = network.use
    best: dict[tuple[int, int], float] = {}
    for link in range(graph.link_count):
        a, b, metres = int(graph.link_from[link]), int(graph.link_to[link]), float(graph.link_length[link])
        for open_here, pair in ((use.forward[link], (a, b)), (use.backward[link], (b, a))):
            if open_here:
                best[pair] = min(best.get(pair, np.inf), metres)
    tail, head = np.array(list(best)).T
    table = csr_matrix((list(best.values()), (tail, head)), shape=(graph.node_count,) * 2)
    rows = [int(np.flatnonzero(graph.node_osm_id == i)[0]) for i in sorted(ids)]
    found = dijkstra(table, indices=rows)[:, rows]
    np.fill_diagonal(found, 0.0)
    return np.where(np.isfinite(found), found, -1.0)
