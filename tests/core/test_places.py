"""Places on streets: the nearest usable one, at a fraction along it, or the reason why not."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from awl.core.engine.places import ON_STREET, OUTSIDE, SEPARATE_PART, TOO_FAR, Snapper
from awl.core.modes.mode import WALK
from awl.core.modes.network import Network
from awl.core.streets.build import build_graph
from tests.conftest import CUT, node, way


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
