"""Areas leave water out but hold every street that is reached; what they put on the wrong side is measured."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from awl.core.analysis.isochrone_areas.contours import contour_area, field_values
from awl.core.analysis.isochrone_areas.error import area_error
from awl.core.analysis.isochrone_areas.field import TiledField
from awl.core.analysis.isochrone_areas.over_water import Water, without_water
from awl.core.graph.shapes import cut_lines
from awl.core.routing.dijkstra.plain import arrivals
from awl.core.routing.reach import reach_of, reached_parts
from tests.oracle import random_places

LIMIT = 5 * 60_000


@pytest.fixture(scope="module")
def drawn(walk):
    """Reach of three places, its area and the streets reached, as one geometry in the plane."""
    places = random_places(walk, 3, 4)
    reach = reach_of(walk, places, arrivals(walk, places, "time"))
    field = TiledField(walk).full()
    parts = reached_parts(reach, LIMIT)
    lines = cut_lines(walk.graph, parts.link, parts.begin, parts.end, in_plane=True)
    return walk, reach, contour_area(field, field_values(field, reach, LIMIT)), lines


def lost(area, lines):
    return shapely.length(shapely.difference(lines, area.buffer(0.5))).sum() / shapely.length(lines).sum()


def test_a_sea_over_half_the_town_takes_no_reached_street(drawn):
    walk, reach, area, lines = drawn
    west, south, east, north = area.bounds
    flood = shapely.box(west, south, (west + east) / 2, north)
    water = Water(flood)
    dry = without_water(area, water, walk.graph, water.links_over(walk.graph), reach, LIMIT)
    assert lost(shapely.difference(area, flood), lines) > 0.1, "the flood covers streets"
    assert lost(dry, lines) < 0.01 and dry.area < 0.9 * area.area


def test_water_in_parts_is_taken_as_the_whole_of_it(drawn):
    walk, reach, area, _ = drawn
    west, south, east, north = area.bounds
    rng = np.random.default_rng(3)
    discs = shapely.points(rng.uniform(west - 500, east + 500, 60), rng.uniform(south - 500, north + 500, 60))
    whole = shapely.union_all(shapely.buffer(discs, 60))
    water = Water(whole)
    assert len(water.parts) > 30
    assert np.array_equal(water.links_over(walk.graph), shapely.intersects(whole, walk.graph.lines_xy))
    corner = shapely.box(west, south, west + 300, south + 300)
    near = water.around(np.array([corner]))
    assert shapely.get_num_geometries(near) < len(water.parts) / 2
    assert shapely.equals(shapely.intersection(near, corner), shapely.intersection(whole, corner))
    dry = without_water(corner, water, walk.graph, np.zeros(walk.graph.link_count, bool), reach, LIMIT)
    assert shapely.equals(dry, shapely.difference(corner, whole))
    assert water.around(np.array([shapely.MultiPolygon()])).is_empty and Water(shapely.MultiPolygon()).is_empty
    assert not Water(shapely.MultiPolygon()).links_over(walk.graph).any()


def test_strips_belong_to_the_place_that_owns_the_street(drawn):
    walk, reach, area, _ = drawn
    water = Water(area)
    mask = water.links_over(walk.graph)
    strips = [without_water(shapely.MultiPolygon(), water, walk.graph, mask, reach, LIMIT, owner=k) for k in range(3)]
    assert all(strip.area > 0 for strip in strips)
    whole = without_water(shapely.MultiPolygon(), water, walk.graph, mask, reach, LIMIT)
    assert sum(strip.area for strip in strips) == pytest.approx(whole.area, rel=0.03)


def test_the_measured_error_is_the_share_of_street_on_the_wrong_side(drawn):
    walk, reach, area, lines = drawn
    assert area_error(walk, reach, LIMIT, np.array([area], object)).lost < 0.01
    west, south, east, north = area.bounds
    half = shapely.difference(area, shapely.box(west, south, (west + east) / 2, north))
    error = area_error(walk, reach, LIMIT, np.array([half], object))
    assert error.lost == pytest.approx(lost(half, lines), abs=0.02)
    disc = shapely.Point(area.centroid).buffer(2 * (east - west))
    usable = walk.graph.lines_xy[walk.usable]
    unreached = shapely.length(shapely.intersection(usable, disc)).sum() - shapely.length(lines).sum()
    error = area_error(walk, reach, LIMIT, np.array([disc], object))
    assert error.lost == 0 and error.enclosed == pytest.approx(unreached / shapely.length(lines).sum(), rel=0.03)


def test_areas_of_owners_are_measured_each_for_itself(drawn):
    walk, reach, area, _ = drawn
    assert area_error(walk, reach, LIMIT, np.array([area] * 3, object), by_owner=True).lost < 0.01
    elsewhere = shapely.Point(0, 1e7).buffer(1)
    assert area_error(walk, reach, LIMIT, np.array([elsewhere] * 3, object), by_owner=True).lost == 1
    assert area_error(walk, reach, LIMIT, np.array([area, None, area], object), by_owner=True).lost < 0.01
