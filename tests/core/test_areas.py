"""Areas around reached streets: what is reached lies inside, what is not lies outside."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from awl.core.analysis.isochrone_areas.contours import contour_area, field_values
from awl.core.analysis.isochrone_areas.field import OFF_STREET_M, field_of
from awl.core.analysis.isochrone_areas.nearby import field_near
from awl.core.graph.shapes import cut_lines
from awl.core.routing.dijkstra.plain import arrivals
from awl.core.routing.reach import reach_of
from tests.oracle import random_places


@pytest.fixture(scope="module")
def drawn(walk):
    """Reach of five places, and the field."""
    places = random_places(walk, 5, 21)
    found = arrivals(walk, places, "time")
    return walk, places, reach_of(walk, places, found), field_of(walk)


def pieces_of(walk, reach, limit):
    """Reached and unreached stretches of street in the plane, found by sampling every link at 200 points."""
    steps = 200
    shares = (np.arange(steps) + 0.5) / steps
    row = np.repeat(np.arange(len(reach.link)), steps)
    at = reach.begin[row] + np.tile(shares, len(reach.link)) * (reach.end - reach.begin)[row]
    inside = reach.at(row, at) <= limit
    begin, end = at - 0.5 / steps * (reach.end - reach.begin)[row], at + 0.5 / steps * (reach.end - reach.begin)[row]
    lines = cut_lines(walk.graph, reach.link[row], np.clip(begin, 0, 1), np.clip(end, 0, 1), in_plane=True)
    return shapely.get_point(lines, 0), shapely.length(lines), inside


@pytest.mark.parametrize("minutes", [2, 4, 7])
def test_at_most_one_percent_of_street_length_is_on_the_wrong_side(drawn, minutes):
    walk, _, reach, field = drawn
    limit = minutes * 60_000
    area = contour_area(field, field_values(field, reach, limit))
    shapely.prepare(area)
    points, length, reached = pieces_of(walk, reach, limit)
    wrong = shapely.contains(area, points) != reached
    assert length[wrong].sum() / length.sum() < 0.01


@pytest.mark.parametrize("owner", [None, 3])
@pytest.mark.parametrize("seconds", [0, 5, 40, 90, 300])
def test_an_area_on_the_part_of_the_field_that_is_near_is_that_on_the_whole_field(walk, seconds, owner):
    field, limit = field_of(walk), seconds * 1000
    places = random_places(walk, 5, 21)
    reach = reach_of(walk, places, arrivals(walk, places, "time", limit=limit + 20_000))
    part, reached = field_near(field, reach), reach.take(reach.is_reached)
    assert seconds > 90 or len(part.triangles) < len(field.triangles) / 2
    near, whole = (
        contour_area(of, field_values(of, pieces, limit, 20_000.0, owner))
        for of, pieces in ((part, reached), (field, reach))
    )
    assert shapely.equals_exact(near, whole) and (seconds < 40 or not whole.is_empty)


def test_areas_grow_with_the_limit_and_stay_near_streets(drawn):
    walk, _, reach, field = drawn
    areas = [contour_area(field, field_values(field, reach, m * 60_000)) for m in (2, 4, 8)]
    for small, large in zip(areas[:-1], areas[1:], strict=True):
        assert small.is_valid and small.area < large.area
        assert shapely.difference(small, large).area < 1e-3 * small.area
    west, south, east, north = areas[-1].bounds
    places = np.stack(np.meshgrid(np.arange(west, east, 9.0), np.arange(south, north, 9.0)), axis=-1).reshape(-1, 2)
    shapely.prepare(areas[-1])
    within = shapely.points(places[shapely.contains_xy(areas[-1], *places.T)])
    streets = shapely.STRtree(walk.graph.lines_xy[walk.usable])
    near = np.unique(streets.query(within, predicate="dwithin", distance=1.3 * OFF_STREET_M)[0])
    assert len(within) > 10_000 and len(near) > 0.998 * len(within)


def test_areas_of_nearest_places_share_out_the_merged_one(drawn):
    _, places, reach, field = drawn
    limit = 6 * 60_000
    merged = contour_area(field, field_values(field, reach, limit))
    own = [contour_area(field, field_values(field, reach, limit, owner=k)) for k in range(len(places.link))]
    overlap = sum(shapely.intersection(own[i], own[j]).area for i in range(5) for j in range(i))
    assert overlap < 1e-3 * merged.area
    assert sum(area.area for area in own) == pytest.approx(merged.area, rel=0.02)


def test_nothing_reached_gives_no_area(drawn):
    _, _, reach, field = drawn
    nobody = reach.take(np.arange(len(reach.link)))
    for arrival in (nobody.at_begin, nobody.at_end, nobody.node_begin, nobody.node_end):
        arrival[:] = np.inf
    assert contour_area(field, field_values(field, nobody, 60_000)).is_empty
