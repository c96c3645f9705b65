"""The base map of an extract: multipolygons are assembled however their rings are split."""

from __future__ import annotations

import pytest
import shapely

from awl.core.graph.base_map import base_layers
from tests.conftest import node, way


def member(ref: int, role: str) -> str:
    return f'<member type="way" ref="{ref}" role="{role}"/>'


def test_a_multipolygon_of_split_rings_with_an_island(read_osm):
    corners = [(0, 0), (4, 0), (4, 4), (0, 4), (1, 1), (2, 1), (2, 2), (1, 2)]
    body = "".join(node(i + 1, x / 100, y / 100) for i, (x, y) in enumerate(corners))
    # The outer ring in two ways, one of them running the other way round; the inner one closed.
    body += way(1, [1, 2, 3]) + way(2, [1, 4, 3]) + way(3, [5, 6, 7, 8, 5])
    body += '<relation id="1">' + member(1, "outer") + member(2, "outer") + member(3, "inner")
    body += '<tag k="type" v="multipolygon"/><tag k="natural" v="water"/><tag k="name" v="Tarn"/></relation>'
    water = base_layers(read_osm(body))["water"]
    assert water.name == ["Tarn"]
    assert shapely.area(water.geometry[0]) == pytest.approx(15e-4)
    assert not shapely.contains(water.geometry[0], shapely.Point(0.015, 0.015))


def test_the_kinds_of_the_base_map(raw):
    layers = base_layers(raw)
    assert {"water", "building", "river", "place"} <= set(layers)
    river = layers["water"].geometry[layers["water"].name.index("River Orrow")]
    assert len(river.interiors if river.geom_type == "Polygon" else river.geoms[0].interiors) >= 1
    assert "Heronside" in layers["place"].name
    assert {"residential", "retail"} <= set(layers["building"].kind)


def test_open_or_broken_areas_are_left_out(read_osm):
    body = node(1, 0, 0) + node(2, 1, 0) + node(3, 1, 1)
    body += way(1, [1, 2, 3], natural="water") + way(2, [1, 2, 99, 1], leisure="park")
    body += (
        '<relation id="1">'
        + member(77, "outer")
        + '<tag k="type" v="multipolygon"/><tag k="natural" v="water"/></relation>'
    )
    layers = base_layers(read_osm(body))
    assert "water" not in layers and "green" not in layers
