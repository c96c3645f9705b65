"""Areas around reached streets: what is reached lies inside, what is not lies outside."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from scipy.spatial import Delaunay, cKDTree

import awl.core.analysis.isochrone_areas.field as field_module
from awl.core.analysis.isochrone_areas.contours import contour_area, field_values
from awl.core.analysis.isochrone_areas.field import OFF_STREET_M, WIDEST_M, TiledField
from awl.core.analysis.isochrone_areas.nearby import field_near
from awl.core.analysis.isochrone_areas.samples import SPACING_M
from awl.core.analysis.isochrone_areas.triangles import _circles, _shifted
from awl.core.analysis.isochrone_areas.under_tiles import LONG_M, LinksUnderTiles
from awl.core.errors import Cancelled
from awl.core.graph.shapes import cut_lines
from awl.core.progress import Progress
from awl.core.routing.dijkstra.plain import arrivals
from awl.core.routing.reach import reach_of
from tests.oracle import random_places


@pytest.fixture(scope="module", autouse=True)
def small_tiles():
    """Tiles so small that the little town has many."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(field_module, "TILE_M", 230.0)
        yield


@pytest.fixture(scope="module")
def drawn(walk):
    """Reach of five places, and the field."""
    places = random_places(walk, 5, 21)
    found = arrivals(walk, places, "time")
    return walk, places, reach_of(walk, places, found), TiledField(walk).full()


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
    field, limit = TiledField(walk).full(), seconds * 1000
    places = random_places(walk, 5, 21)
    reach = reach_of(walk, places, arrivals(walk, places, "time", limit=limit + 20_000))
    reached, tiles = reach.take(reach.is_reached), TiledField(walk)
    part = field_near(tiles.around(reached.link), reached)
    assert seconds > 5 or len(tiles.cached()) < tiles.tile_count
    assert seconds > 90 or len(part.triangles) < len(field.triangles) / 2
    near, whole = (
        contour_area(of, field_values(of, pieces, limit, 20_000.0, owner))
        for of, pieces in ((part, reached), (field, reach))
    )
    assert shapely.equals_exact(near, whole) and (seconds < 40 or not whole.is_empty)


def triangles_at(field, corners, rows):
    """The triangles with a corner among the first `rows` points, as sets of places."""
    xy = np.column_stack([field.x, field.y])
    return {frozenset(map(tuple, xy[corner])) for corner in corners if (corner < rows).any()}


def test_the_tiles_of_a_field_together_are_the_triangles_of_all_its_points(walk):
    field = TiledField(walk).full()
    points = _shifted(np.column_stack([field.x, field.y]))
    corners = Delaunay(points).simplices
    wide = _circles(points[corners])[1] > WIDEST_M
    assert triangles_at(field, field.triangles, field.samples) == triangles_at(field, corners[~wide], field.samples)
    assert len(np.unique(np.sort(field.triangles, axis=1), axis=0)) == len(field.triangles)


def test_samples_lie_close_along_every_street_and_blank_points_all_around(walk):
    tiles = TiledField(walk)
    field = tiles.full()
    xy = np.column_stack([field.x, field.y])
    assert len(np.unique(xy, axis=0)) == len(xy)
    on_street, graph = cKDTree(xy[: field.samples]), walk.graph
    for share in np.linspace(0, 1, 9):
        along = np.column_stack(
            shapely.get_coordinates(shapely.line_interpolate_point(graph.lines_xy, share, normalized=True)).T
        )
        assert (on_street.query(along[walk.usable])[0] <= SPACING_M / 2 + 0.1).all()
    assert (on_street.query(xy[field.samples :])[0] > OFF_STREET_M).all()
    around = xy[: field.samples : 40] + np.random.default_rng(5).uniform(-OFF_STREET_M, OFF_STREET_M, (1, 2))
    assert (cKDTree(xy).query(around)[0] <= OFF_STREET_M).all()


def test_tiles_follow_a_long_link_and_not_the_box_around_it(walk):
    tiles = LinksUnderTiles.of(walk, 100.0, 10.0)
    low = np.column_stack([tiles.column, tiles.row]) * 100.0
    boxes = shapely.box(*(low - 10).T, *(low + 110).T)
    lines = walk.graph.lines_xy
    tile, link = shapely.STRtree(lines[walk.usable]).query(boxes, predicate="intersects")
    link = np.flatnonzero(walk.usable)[link]
    for at, corner in enumerate(zip(tiles.column.tolist(), tiles.row.tolist(), strict=True)):
        assert np.isin(link[tile == at], tiles.links_of(*corner)).all()
    longest = int(np.argmax(np.where(walk.usable, walk.graph.link_length, 0)))
    near = tiles.tiles_of(np.array([longest]))
    assert (shapely.distance(boxes[near], lines[longest]) < LONG_M).all()
    assert np.isin(np.unique(tile[link == longest]), near).all()


def test_few_tiles_are_held_and_those_let_go_are_made_again(walk, monkeypatch):
    whole = TiledField(walk).full()
    monkeypatch.setattr(field_module, "MOST_POINTS", 4000)
    tiles = TiledField(walk)
    for _ in range(2):
        again = tiles.full()
        assert np.array_equal(again.triangles, whole.triangles) and np.array_equal(again.x, whole.x)
    assert 0 < sum(len(tile.place) for tile in tiles.cached().values()) <= 4000
    edited_twice = TiledField(walk, former=TiledField(walk, former=tiles))
    assert edited_twice._former_tiles == tiles.cached()
    monkeypatch.setattr(field_module, "MOST_POINTS", 2000)
    fewer = TiledField(walk, former=tiles)._former_tiles
    assert 0 < len(fewer) < len(tiles.cached()) and list(fewer)[-1] == list(tiles.cached())[-1]


def test_making_a_field_is_told_and_can_be_stopped(walk):
    told = []
    TiledField(walk).complete(Progress(lambda share, message: told.append(share)))
    assert told == sorted(told) and told[-1] == 1.0
    stopped = Progress()
    stopped.stop()
    tiles = TiledField(walk)
    with pytest.raises(Cancelled), stopped.running():
        tiles.complete(stopped)
    assert len(tiles.cached()) < tiles.tile_count


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
