"""Centroids are joined to their nearest streets, which are broken there; nothing else changes, and all of it can be undone."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from awl.core.errors import AwlError
from awl.core.graph.chains import merge_chains
from awl.core.graph.connectors import attach, detach, split_links
from awl.core.graph.street_graph import StreetGraph
from awl.core.modes.mode import WALK
from awl.core.network.network import Network
from tests.oracle import random_places, times_between


@pytest.fixture(scope="module")
def points(graph: StreetGraph):
    rng = np.random.default_rng(5)
    lon = rng.uniform(graph.node_lon.min(), graph.node_lon.max(), 25)
    lat = rng.uniform(graph.node_lat.min(), graph.node_lat.max(), 25)
    return lon, lat, np.arange(900_001, 900_026)


def test_breaking_links_changes_neither_length_nor_times(graph):
    rng = np.random.default_rng(2)
    link = rng.integers(0, graph.link_count, 60)
    fraction = rng.uniform(0, 1, 60)
    broken, joint = split_links(graph, link, fraction)
    assert broken.link_length.sum() == pytest.approx(graph.link_length.sum(), rel=1e-9)
    assert broken.link_count - graph.link_count == broken.node_count - graph.node_count > 40
    spots = shapely.points(broken.node_lon[joint], broken.node_lat[joint])
    metre = 1.2e-5
    assert shapely.distance(graph.lines()[link], spots).max() < metre
    before, after = Network.of(graph, WALK), Network.of(broken, WALK)
    places = random_places(before, 12, 3, alternatives=False)
    again = snapped_alike(before, places, after)
    assert times_between(after, again) == pytest.approx(times_between(before, places), abs=0.5)


def snapped_alike(before, places, after):
    from awl.core.graph.shapes import point_at
    from awl.core.routing.snapping import Snapper

    return Snapper(after).snap(*point_at(before.graph, places.link, places.fraction), 5.0)


@pytest.mark.parametrize("nearest", [1, 3])
def test_each_point_gets_its_nearest_streets(graph, points, nearest):
    lon, lat, number = points
    made, report = attach(graph, lon, lat, number, nearest)
    connector = made.tag("highway").equals("connector")
    assert report.connectors == connector.sum() == nearest * report.centroids
    fit = ~graph.tag("highway").isin(("motorway", "trunk", "ferry", "trunk_link", "motorway_link"))
    spots = shapely.points(*graph.plane.xy(lon, lat))
    for row in range(len(lon)):
        if row in report.too_far:
            continue
        node = int(np.flatnonzero(made.node_id == number[row])[0])
        mine = np.sort(made.link_length[connector & (made.link_from == node)])
        nearest_m = np.sort(shapely.distance(spots[row], graph.lines_xy[fit]))[:nearest]
        assert mine == pytest.approx(nearest_m, abs=1.1)
    assert made.link_length[~connector].sum() == pytest.approx(graph.link_length.sum(), rel=1e-9)


def test_taking_them_out_again_gives_the_former_streets(graph, points):
    made, _ = attach(graph, *points, 2)
    bare, _ = merge_chains(detach(made))
    assert (bare.node_count, bare.link_count) == (graph.node_count, graph.link_count)
    assert np.sort(bare.link_length) == pytest.approx(np.sort(graph.link_length), abs=1e-6)
    assert [p.kind for p in bare.restrictions.rows()] == [p.kind for p in graph.restrictions.rows()]


def test_restrictions_follow_the_pieces(graph, points):
    turns = graph.restrictions.rows()
    link = np.array([i for p in turns for i in (p.from_link, p.to_link)])
    broken, _ = split_links(graph, link, np.full(len(link), 0.5))
    for before, after in zip(turns, broken.restrictions.rows(), strict=True):
        assert before.via_node == after.via_node
        assert before.via_node in (broken.link_from[after.from_link], broken.link_to[after.from_link])
        chain, at = [*after.via_links, after.to_link], after.via_node
        for i in chain:
            assert at in (broken.link_from[i], broken.link_to[i])
            at = broken.link_to[i] if broken.link_from[i] == at else broken.link_from[i]
        ways = {int(broken.link_way[i]) for i in (after.from_link, after.to_link)}
        assert ways == {int(graph.link_way[i]) for i in (before.from_link, before.to_link)}


def test_numbers_that_are_taken_and_points_far_away(graph, points):
    lon, lat, number = points
    with pytest.raises(AwlError, match="numbers of nodes already"):
        attach(graph, lon, lat, graph.node_id[: len(lon)])
    with pytest.raises(AwlError, match="same number"):
        attach(graph, lon[:2], lat[:2], np.array([900_001, 900_001]))
    with pytest.raises(AwlError, match="No zone lies within 5 km"):
        attach(graph, lon[:1] + 2, lat[:1], number[:1])
    _, report = attach(graph, np.append(lon, lon[0] + 2), np.append(lat, lat[0]), np.arange(900_001, 900_027))
    assert report.too_far.tolist() == [25]
