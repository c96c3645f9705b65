"""Ids of nodes and links outlive everything that is done to a graph."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from awl.core.graph.build import build_graph
from awl.core.graph.chains import merge_chains
from awl.core.graph.connectors import attach, detach, split_links, whole_streets
from awl.core.graph.identity import with_ids_of
from awl.core.graph.numbering import numbered_from
from awl.core.graph.street_graph import StreetGraph
from awl.io import osm
from tests.conftest import EXTRACT
from tests.core.test_search import networks
from tests.examples import examples

NO_WHOLE_LINK = 1e-6


def links_by_id(graph: StreetGraph) -> dict[int, tuple]:
    """What tells a link from others, by its id."""
    ends = zip(graph.node_id[graph.link_from].tolist(), graph.node_id[graph.link_to].tolist(), strict=True)
    rows = zip(ends, graph.link_way.tolist(), np.round(graph.link_length, 6).tolist(), strict=True)
    return dict(zip(graph.link_id.tolist(), rows, strict=True))


def shuffled(graph: StreetGraph, seed: int) -> StreetGraph:
    """The same graph in another order, numbered by it, as a new build would give it."""
    rng = np.random.default_rng(seed)
    graph = graph.with_nodes(rng.permutation(graph.node_count))
    order = rng.permutation(graph.link_count)
    place = np.argsort(order).astype(np.int32)
    turns = graph.restrictions.renumbered(place, np.arange(graph.node_count, dtype=np.int32))
    graph = replace(graph, **graph.link_columns(order), restrictions=turns)
    return replace(
        graph,
        node_id=np.arange(1, graph.node_count + 1),
        link_id=np.arange(1, graph.link_count + 1),
        highest_ids=(0, 0),
    )


@settings(max_examples=examples(60), deadline=None)
@given(networks(), st.integers(0, 1000))
def test_a_graph_built_anew_has_the_ids_it_had(network, seed):
    graph = numbered_from(network.graph, 500)
    again = with_ids_of(graph, shuffled(graph, seed))
    assert links_by_id(again) == links_by_id(graph.in_space_order())
    assert np.array_equal(again.node_lon, graph.in_space_order().node_lon)


@settings(max_examples=examples(60), deadline=None)
@given(networks(), st.integers(0, 1000))
def test_what_is_gone_keeps_its_ids_to_itself_and_what_is_new_gets_new_ones(network, seed):
    graph = network.graph
    rng = np.random.default_rng(seed)
    some = np.flatnonzero(rng.random(graph.link_count) < 0.7)
    if len(some) == 0:
        return
    fewer = replace(graph, **graph.link_columns(some), restrictions=graph.restrictions.none())
    former = replace(fewer, highest_ids=(graph.next_node_id - 1, graph.next_link_id + 9))
    again = with_ids_of(former, shuffled(graph, seed))
    assert len(np.unique(again.link_id)) == again.link_count and len(np.unique(again.node_id)) == again.node_count
    new = again.link_id > former.highest_ids[1]
    assert new.sum() == graph.link_count - len(some)
    known = links_by_id(again)
    # Parallel links of one way and one length cannot be told apart; all others are found again.
    assert sorted(map(str, links_by_id(fewer).values())) == sorted(str(known[i]) for i in fewer.link_id.tolist())


def test_a_newer_extract_changes_the_ids_of_what_changed_alone():
    raw = osm.read([EXTRACT], EXTRACT.name)
    former, _ = build_graph(raw)
    # One way is gone, one node has moved by a hand's breadth, the objects come in another order.
    gone = former.link_way[len(former.link_way) // 2]
    rows = np.flatnonzero(raw.way_id != gone)[::-1]
    size = np.diff(raw.way_start)
    start = np.concatenate([[0], np.cumsum(size[rows])])
    refs = np.concatenate([raw.way_refs[raw.way_start[i] : raw.way_start[i + 1]] for i in rows.tolist()])
    tags = {key: column.take(rows) for key, column in raw.way_tags.items()}
    newer, _ = build_graph(
        replace(
            raw, way_id=raw.way_id[rows], way_start=start, way_refs=refs, way_tags=tags, node_lon=raw.node_lon + 1e-9
        )
    )
    again = with_ids_of(former, newer)
    ours, theirs = links_by_id(again), links_by_id(former)
    same = [i for i in ours if i in theirs]
    near = set(former.link_id[former.link_way == gone].tolist())
    for ident in same:
        assert ours[ident][1] == theirs[ident][1] and ours[ident][2] == pytest.approx(theirs[ident][2], rel=0.2)
        if ours[ident][0] != theirs[ident][0]:
            near.add(ident)
    # Where the way is gone, links that met there are one now.
    most = 12 + 2 * int((former.link_way == gone).sum())
    assert len(near) < most and former.link_count - len(same) < most
    assert min((set(ours) - set(theirs)) or {former.next_link_id}) >= former.next_link_id


def test_another_town_keeps_ids_of_its_own(graph):
    raw = osm.read([EXTRACT], EXTRACT.name)
    away, _ = build_graph(
        replace(raw, node_id=raw.node_id + 10**9, way_refs=raw.way_refs + 10**9, node_lon=raw.node_lon + 1)
    )
    assert np.array_equal(with_ids_of(graph, away).link_id, away.link_id)


@settings(max_examples=examples(60), deadline=None)
@given(networks(), st.integers(0, 1000))
def test_a_link_that_is_split_and_whole_again_is_the_same_link(network, seed):
    plain = replace(network.graph, restrictions=network.graph.restrictions.none(), node_tags={})
    graph = merge_chains(plain)[0].in_space_order()
    rng = np.random.default_rng(seed)
    links = rng.choice(graph.link_count, min(5, graph.link_count), replace=False).astype(np.int64)
    split, _ = split_links(graph, links, rng.uniform(0.2, 0.8, len(links)))
    assert len(np.unique(split.link_id)) == split.link_count
    assert set(graph.link_id.tolist()) <= set(split.link_id.tolist())
    again = merge_chains(split)[0]
    known, found = links_by_id(graph), links_by_id(again)
    assert set(known) == set(found)
    for ident, (_, way, metres) in known.items():
        assert found[ident][1] == way and found[ident][2] == pytest.approx(metres, abs=1e-3)
    assert again.next_link_id == split.next_link_id, "ids of pieces are not given again"


def test_connectors_and_their_removal_leave_the_ids_of_streets(graph):
    lon, lat = graph.node_lon[::40] + 2e-4, graph.node_lat[::40] + 2e-4
    joined, _ = attach(graph, lon, lat, graph.next_node_id + np.arange(len(lon)), 2)
    assert len(np.unique(joined.node_id)) == joined.node_count and len(np.unique(joined.link_id)) == joined.link_count
    connector = joined.tag("highway").equals("connector")
    assert set(graph.link_id.tolist()) <= set(joined.link_id[~connector].tolist())
    assert not set(joined.link_id[connector].tolist()) & set(graph.link_id.tolist())
    whole = whole_streets(joined)
    known, found = links_by_id(graph), links_by_id(whole)
    assert set(found) == set(known)
    assert all(found[i][1] == known[i][1] and found[i][2] == pytest.approx(known[i][2], abs=0.01) for i in known)
    assert whole_streets(graph) is graph and detach(joined).next_link_id == joined.next_link_id


def test_rows_are_found_by_id(graph):
    rng = np.random.default_rng(1)
    rows = rng.integers(0, graph.link_count, 50)
    moved = shuffled(graph, 3)
    assert np.array_equal(graph.link_rows(graph.link_id[rows]), rows)
    assert np.array_equal(moved.node_id[moved.node_rows(moved.node_id[::7])], moved.node_id[::7])
    assert graph.link_rows([0, -4, 10**12]).tolist() == [-1, -1, -1]
