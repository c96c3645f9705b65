"""Places on streets: the nearest usable one, at a fraction along it, or the reason why not."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from awl.core.graph.build import build_graph
from awl.core.modes.mode import SHIPPED, WALK
from awl.core.network.network import Network
from awl.core.routing.access_points import NO_STAND, AccessPoints
from awl.core.routing.snapping import ON_STREET, OUTSIDE, SEPARATE_PART, TOO_FAR, Snapped, Snapper
from tests.conftest import CUT, node, way
from tests.oracle import random_places


def test_the_nearest_usable_street_is_found(walk):
    rng = np.random.default_rng(2)
    west, south, east, north = CUT.bounds
    lon, lat = rng.uniform(west, east, 80), rng.uniform(south, north, 80)
    snapped = Snapper(walk, CUT).snap(lon, lat, 5000)
    points = shapely.points(*walk.graph.plane.xy(lon, lat))
    usable = np.flatnonzero(walk.usable)
    away = np.array([shapely.distance(walk.graph.lines_xy[usable], point) for point in points])
    assert snapped.distance_m == pytest.approx(away.min(axis=1), abs=1e-6)
    on_street = shapely.points(*walk.graph.plane.xy(snapped.lon, snapped.lat))
    assert shapely.distance(points, on_street) == pytest.approx(snapped.distance_m, abs=0.01)


def test_reasons(read_osm):
    body = node(1, 0, 0) + node(2, 0.01, 0) + node(3, 0.01, 0.01) + node(8, 0.02, 0.02) + node(9, 0.021, 0.02)
    body += (
        way(1, [1, 2, 3], highway="residential")
        + way(2, [8, 9], highway="footway")
        + way(3, [3, 8], highway="motorway")
    )
    graph, _ = build_graph(read_osm(body))
    network = Network.of(graph, WALK)
    assert network.in_small_part.sum() == 1 and network.parts_report.left_out_m == pytest.approx(111, abs=1)
    snapped = Snapper(network, shapely.box(-0.01, -0.01, 0.03, 0.03)).snap(
        np.array([0.005, 0.005, 0.0205, 0.5]), np.array([0.0001, 0.003, 0.0201, 0.5]), 50.0
    )
    assert snapped.status.tolist() == [ON_STREET, TOO_FAR, SEPARATE_PART, OUTSIDE]
    assert snapped.link.tolist()[1:] == [-1, -1, -1]
    assert snapped.distance_m[1] == pytest.approx(332, abs=2)
    assert snapped.fraction[0] == pytest.approx(0.25, abs=0.01)


def test_a_place_on_a_one_way_street_stands_on_those_it_lies_alongside_too(graph):
    network = Network.of(graph, SHIPPED["drive"])
    rng = np.random.default_rng(3)
    west, south, east, north = CUT.bounds
    lon, lat = rng.uniform(west, east, 300), rng.uniform(south, north, 300)
    within = 45.0
    snapped = Snapper(network, CUT).snap(lon, lat, within)
    one_way = network.forward != network.backward
    usable = np.flatnonzero(network.usable)
    lines = graph.lines_xy
    found = 0
    for row, point in enumerate(shapely.points(*graph.plane.xy(lon, lat))):
        mine = snapped.alternatives.take(snapped.alternatives.place == row)
        nearest = snapped.link[row]
        expected = []
        if nearest >= 0 and one_way[nearest] and 0 < snapped.fraction[row] < 1:
            away = shapely.distance(lines[usable], point)
            for link, metres in sorted(zip(usable.tolist(), away.tolist(), strict=True), key=lambda pair: pair[1]):
                foot = lines[link].project(point)
                alongside = 0.02 < foot < lines[link].length - 0.02
                if link == nearest or not alongside or metres > min(snapped.distance_m[row] + 30, within):
                    continue
                expected.append((link, foot / lines[link].length, metres - snapped.distance_m[row]))
                if len(expected) == 3 or not one_way[link]:
                    break
        assert mine.link.tolist() == [link for link, _, _ in expected]
        assert mine.fraction == pytest.approx([at for _, at, _ in expected])
        assert mine.access_share * graph.link_length[mine.link] == pytest.approx(
            [metres for _, _, metres in expected], abs=1e-6
        )
        found += len(expected)
    assert found > 40


def test_a_street_beside_that_is_shut_or_costs_too_much_is_not_used(graph):
    drive = Network.of(graph, SHIPPED["drive"])
    links = np.flatnonzero(drive.usable)[:4].astype(np.int32)
    access_points = AccessPoints(np.zeros(4, np.int32), links, np.full(4, 0.5), np.array([0.0, 0.25, 0.25, 20.0]))
    closed = np.zeros(graph.link_count, bool)
    closed[links[:2]] = True
    toll = {"toll": np.full((graph.link_count, 2), 10_000.0)}
    shut = Network.of(graph, SHIPPED["drive"], own=lambda _: toll).with_closed(closed)
    # The nearest stays what it is; at a cost of 10,000 twenty times over sums might not hold.
    assert access_points.access_costs(shut, "toll").tolist() == [0, NO_STAND, 2_500_000, NO_STAND]
    least = np.minimum(*(np.where(one < 0, 2**31 - 1, one) for one in drive.directed("time")))[links]
    assert access_points.access_costs(drive, "time").tolist() == np.rint(access_points.access_share * least).tolist()


def test_places_keep_their_streets_when_some_are_taken_or_several_joined(graph):
    places = random_places(Network.of(graph, SHIPPED["drive"]), 40, 1)
    whole = {row: streets_of(places, row) for row in range(40)}
    taken = places.take(np.array([30, 2, 30, 11]))
    assert [streets_of(taken, row) for row in range(4)] == [whole[row] for row in (30, 2, 30, 11)]
    some = places.take(places.fraction > 0.5)
    assert [streets_of(some, i) for i in range(len(some.link))] == [
        whole[row] for row in np.flatnonzero(places.fraction > 0.5)
    ]
    both = Snapped.joined([taken, places])
    assert [streets_of(both, row) for row in range(44)] == [whole[row] for row in (30, 2, 30, 11, *range(40))]


def streets_of(places: Snapped, row: int) -> list[tuple[int, float, float]]:
    mine = places.access_points.take(places.access_points.place == row)
    return list(zip(mine.link.tolist(), mine.fraction.tolist(), mine.access_share.tolist(), strict=True))
