"""The parts of the generator: ground is divided without loss, streets meet in nodes, people add up."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from demo.land import Land, make_land
from demo.lots import CENSUS_TOTAL, make_lots
from demo.names import Names
from demo.osm import Elements
from demo.quarters import QUARTERS, Part, Quarter, Town, street_tags
from demo.roads import Street, lay_roads, with_roundabouts
from demo.shapes import bent, closed_curve, divide, smooth
from demo.survey import Way, _against, _insert, _noded, key
from tests.examples import examples


@pytest.fixture(scope="module")
def land() -> Land:
    return make_land(np.random.default_rng(1))


# -- shapes ----------------------------------------------------------------------------------------------------------------


@settings(deadline=None, max_examples=examples(30))
@given(st.integers(0, 10_000), st.floats(60, 900), st.floats(60, 900), st.floats(500, 40_000), st.floats(0, 0.08))
def test_ground_is_divided_without_loss(seed, width, height, target, sag):
    ground = shapely.box(0, 0, width, height)
    blocks, cuts = divide(ground, target, sag, np.random.default_rng(seed))
    assert sum(block.area for block in blocks) == pytest.approx(ground.area, rel=1e-6)
    assert shapely.union_all(blocks).area == pytest.approx(ground.area, rel=1e-6), "no two blocks overlap"
    assert all(ground.buffer(1e-6).contains(line) for _, line in cuts)
    assert len(cuts) >= len(blocks) - 1


def test_division_goes_on_until_blocks_are_small():
    blocks, _ = divide(shapely.box(0, 0, 1000, 1000), 10_000, 0.0, np.random.default_rng(0))
    assert 40 < len(blocks) < 160
    assert max(block.area for block in blocks) < 3 * 10_000


def test_curves_run_through_their_points():
    points = [(0.0, 0.0), (100.0, 40.0), (230.0, -10.0)]
    curve = smooth(points, 5)
    assert max(curve.distance(shapely.Point(p)) for p in points) < 0.5
    ring = closed_curve([(0, 0), (100, 0), (100, 80), (0, 80)])
    assert ring.is_valid and ring.area > 100 * 80
    line = bent(np.array([0.0, 0.0]), np.array([300.0, 0.0]), 0.05, np.random.default_rng(2))
    assert line.coords[0] == (0.0, 0.0) and line.coords[-1] == pytest.approx((300.0, 0.0))


# -- land ------------------------------------------------------------------------------------------------------------------


def test_water_runs_from_the_hills_to_the_sea(land):
    assert land.river.intersects(land.island.boundary), "the river reaches the coast"
    assert shapely.intersection(land.river, land.islet).area < 1, "the islet is dry"
    both_arms = shapely.LineString([(-400, 500), (400, 500)]).intersection(land.river)
    assert len(shapely.get_parts(both_arms)) == 2
    assert not land.island.intersects(land.skerry)


def test_heights(land):
    assert land.heights.max() > 330
    sea, hill, bank = land.height(np.array([[0.0, -4000.0], [-2500.0, 5500.0], [60.0, 2250.0]]))
    assert sea == 0 and hill > 300 and 0 < bank < 25, "the river lies low"
    assert (land.heights >= 0).all()


def test_main_roads_cross_the_river_where_they_should(land):
    roads = lay_roads(land)
    over = sorted({s.tags["name"] for s in roads.main if s.line.intersects(shapely.union_all([*land.river_lines]))})
    assert {"Gant Avenue", "Saltern Road", "Star Road", "Copperas Lane", "Heron Footbridge"} <= set(over)
    assert not {"Fuller Road", "Lanternway", "West Cross"} & set(over)
    ramps = [s for s in roads.apart if s.tags["highway"] == "motorway_link"]
    assert len(ramps) >= 16 and {s.tags["oneway"] for s in ramps} == {"yes", "-1"}
    ends = {key(*s.line.coords[k]) for s in ramps for k in (0, -1)}
    on_ring = {key(*p) for s in roads.apart if s.tags["highway"] in ("motorway", "trunk") for p in s.line.coords}
    on_main = {key(*p) for s in roads.main for p in s.line.coords}
    assert all(end in on_ring or end in on_main for end in ends), "a ramp ends on the ring or on a road above"


# -- streets ---------------------------------------------------------------------------------------------------------------


def street(*xy, highway="residential", quarter="old", **tags):
    return Street(shapely.LineString(xy), {"highway": highway, **tags}, quarter)


def test_streets_share_a_node_where_they_meet_and_keep_their_direction():
    ways = _noded(
        [
            street((0, 0), (100, 0), name="a", oneway="yes"),
            street((50, 30), (50, -40), name="b"),
            street((20, 0.02), (20, 30), name="c"),
        ]
    )
    named = {tags["name"]: xy for xy, tags, _ in ways}
    assert key(50, 0) in {key(*p) for p in named["a"]} & {key(*p) for p in named["b"]}
    assert key(20, 0) in {key(*p) for p in named["a"]} & {key(*p) for p in named["c"]}, "within half a decimetre"
    assert named["a"][0].tolist() == [0, 0] and named["b"][0].tolist() == [50, 30]


def test_a_spur_is_dropped_but_a_dead_end_is_kept():
    ways = _noded(
        [street((0, 0), (100, 0), name="a"), street((50, -3), (50, 60), name="b"), street((80, 0), (80, 25), name="c")]
    )
    named = {tags["name"]: shapely.LineString(xy) for xy, tags, _ in ways}
    assert named["b"].length == pytest.approx(60, abs=0.1) and named["c"].length == pytest.approx(25, abs=0.1)


def test_a_roundabout_is_driven_anticlockwise_and_joined_by_all_arms():
    x, y = -2650.0, 1300.0
    arms = [
        street((x - 300, y), (x + 300, y), highway="primary", quarter="", name="a"),
        street((x, y - 300), (x, y + 300), highway="secondary", quarter="", name="b"),
    ]
    made = with_roundabouts(arms)
    ring = next(s for s in made if s.tags.get("junction") == "roundabout")
    assert shapely.is_ccw(shapely.LinearRing(ring.line.coords))
    assert sum(s.line.distance(ring.line) < 1e-6 for s in made if s is not ring) == 4
    ways = _noded(made)
    circle = next(xy for xy, tags, _ in ways if tags.get("junction"))
    assert shapely.is_ccw(shapely.LinearRing(circle)) and not _against(circle, ring.line)


def test_new_vertices_lie_on_their_way_in_order():
    way = Way(np.array([[0.0, 0.0], [100.0, 0.0], [100.0, 50.0]]), {})
    spots = _insert([way], np.array([0, 0, 0]), np.array([120.0, 30.0, 60.0]))
    assert spots.tolist() == [[100.0, 20.0], [30.0, 0.0], [60.0, 0.0]]
    assert way.xy.tolist() == [[0, 0], [30, 0], [60, 0], [100, 0], [100, 20], [100, 50]]


def test_names_are_given_once_and_never_those_of_main_roads():
    names = Names(np.random.default_rng(3), {"Curl Street"})
    given_out = [names.street("residential") for _ in range(3000)]
    assert len(set(given_out)) == 3000 and "Curl Street" not in given_out


def test_tags_fit_the_kind_of_street():
    rng = np.random.default_rng(4)
    names = Names(rng, set())
    many = [street_tags("residential", "grid", names, rng) for _ in range(400)]
    one_way = sum("oneway" in tags for tags in many) / len(many)
    assert 0.4 < one_way < 0.6 and any(tags.get("oneway") == "-1" for tags in many)
    assert all("oneway" not in street_tags("footway", "grid", names, rng) for _ in range(50))
    assert "step_count" in street_tags("steps", "hill", names, rng)


# -- people and elements ---------------------------------------------------------------------------------------------------


def test_people_add_up_to_the_census_and_follow_density():
    dense, thin = Quarter("A", 0, 0, "grid", 100), Quarter("B", 600, 0, "grid", 25)
    town = Town()
    for quarter, west in ((dense, 0), (thin, 600)):
        ground = shapely.box(west, 0, west + 400, 400)
        blocks, _ = divide(ground, 9000, 0.0, np.random.default_rng(5))
        town.parts.append(Part(ground, quarter))
        town.blocks += [(block, quarter) for block in blocks]
    lots = make_lots(town, np.random.default_rng(6))
    assert lots.residents.sum() == CENSUS_TOTAL and (lots.residents >= 0).all()
    west = shapely.get_x(shapely.centroid(lots.building)) < 500
    assert lots.residents[west].sum() / lots.residents[~west].sum() == pytest.approx(4, rel=0.01)
    inside = shapely.within(lots.building, shapely.buffer(lots.parcel[lots.on_parcel], 0.1))
    assert inside.all(), "a building stands on its parcel"
    overlaps = shapely.STRtree(lots.parcel).query(shapely.buffer(lots.parcel, -0.5), predicate="overlaps")
    assert overlaps.shape[1] == 0, "parcels do not overlap"


def test_an_extract_keeps_references_beyond_its_edge_and_whole_multipolygons():
    elements = Elements()
    elements.way(np.array([[0.0, 0.0], [50.0, 0.0], [500.0, 0.0]]), {"highway": "residential"})
    elements.way(np.array([[900.0, 0.0], [950.0, 0.0]]), {"highway": "service"})
    ring = shapely.Polygon([(-50, -50), (900, -50), (900, 50), (-50, 50)], [[(10, -10), (20, -10), (20, 10)]])
    elements.area(ring, {"natural": "water"})
    elements.point(5.0, 5.0, place="suburb", name="Lorren")
    elements.point(2000.0, 5.0, place="village", name="Far")
    made = elements.extract((-100, -100, 100, 100))
    known = set(made.node_id.tolist())
    first = made.way_refs[made.way_start[0] : made.way_start[1]].tolist()
    assert [ref in known for ref in first] == [True, True, False]
    assert made.way_id.tolist()[:2] != [410_001, 410_002], "a way wholly outside is left out"
    assert len(made.relations) == 1
    members = {ref for _, ref, _ in made.relations[0][1]}
    for row, ident in enumerate(made.way_id.tolist()):
        if ident in members:
            assert set(made.way_refs[made.way_start[row] : made.way_start[row + 1]].tolist()) <= known
    assert "Lorren" in made.node_tags.texts and "Far" not in made.node_tags.texts


def test_vertices_set_apart_get_nodes_of_their_own():
    elements = Elements()
    elements.way(np.array([[0.0, 0.0], [50.0, 0.0]]), {"highway": "residential"})
    elements.way(np.array([[50.0, 0.0], [50.0, 0.0]]), {"highway": "residential"})
    elements.apart.add((1, 1))
    made = elements.extract((-100, -100, 100, 100))
    a, b, c, d = made.way_refs.tolist()
    assert b == c and d not in (a, b) and len(made.node_id) == 3


def test_quarters_have_names_and_people():
    assert len({quarter.name for quarter in QUARTERS}) == len(QUARTERS)
    assert all(quarter.density > 0 for quarter in QUARTERS)
