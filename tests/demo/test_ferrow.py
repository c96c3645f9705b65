"""The invented city is what it claims to be, and every fault put into it on purpose is there."""

from __future__ import annotations

import csv
import json
from collections import Counter

import numpy as np
import pyogrio
import pytest
import rasterio
import shapely
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import dijkstra

from awl.core.geodesy import LocalPlane
from awl.core.graph.base_map import base_layers
from awl.core.graph.build import build_graph
from awl.core.graph.edits.apply import apply
from awl.core.graph.raw import RawExtract
from awl.core.graph.street_graph import StreetGraph
from awl.core.modes.mode import SHIPPED
from awl.core.modes.rules import posted_speed
from awl.core.network.network import Network
from awl.io import edit_documents, osm_pbf, vector
from awl.shipped import SOURCE
from tests.io.pbf_peer import PB, unframed

DATA = SOURCE / "demo" / "data"
PLANE = LocalPlane(-36.2, 41.3)


@pytest.fixture(scope="module")
def city() -> RawExtract:
    return osm_pbf.read(DATA / "ferrow.osm.pbf")


@pytest.fixture(scope="module")
def streets(city: RawExtract) -> StreetGraph:
    return build_graph(city)[0]


def test_the_mill_bridge_would_join_two_junctions(streets):
    (edit,) = edit_documents.parsed(json.loads((DATA / "other" / "mill_bridge.geojson").read_text()))
    applied = apply(streets, [edit])
    assert applied.graph.link_count == streets.link_count + 1 and applied.graph.node_count == streets.node_count
    assert applied.graph.tag("name").equals("Mill Bridge").sum() == 1


def test_turn_restrictions_of_all_kinds():
    tags: list[dict[str, str]] = []
    vias: Counter[str] = Counter()
    for _, content in unframed((DATA / "ferrow.osm.pbf").read_bytes())[1:]:
        part = PB["PrimitiveBlock"].FromString(content)
        texts = [text.decode() for text in part.stringtable.s]
        for relation in (relation for group in part.primitivegroup for relation in group.relations):
            mine = {texts[k]: texts[v] for k, v in zip(relation.keys, relation.vals, strict=True)}
            if mine["type"] == "restriction":
                tags.append(mine)
                roles = [texts[sid] for sid in relation.roles_sid]
                vias["node way".split()[relation.types[roles.index("via")]]] += 1
    kinds = Counter(mine.get("restriction", "").split("_")[0] for mine in tags)
    assert kinds["no"] > 50 and kinds["only"] > 5 and vias["way"] >= 3 and vias["node"] > 80
    assert any("except" in mine for mine in tags) and any("restriction:conditional" in mine for mine in tags)


def test_it_is_a_city_of_the_size_asked_for(city, streets):
    assert 35_000 <= streets.link_count <= 60_000
    wanted = "motorway motorway_link trunk primary secondary tertiary unclassified residential living_street pedestrian service"
    wanted += " footway path track steps"
    assert set(wanted.split()) <= set(streets.tag("highway").values)
    for key, values in {
        "oneway": {"yes", "-1"}, "oneway:bicycle": {"no"}, "cycleway": {"opposite_lane", "lane"},
        "junction": {"roundabout"}, "tunnel": {"yes"}, "incline": set(), "foot": {"no"},
        "access": {"private"}, "bridge": {"yes"}, "layer": {"1"}, "sidewalk": {"both"}, "motor_vehicle": {"destination"},
        "bicycle": {"dismount", "designated"}, "surface": {"sett", "gravel"}, "lit": {"yes"}, "width": set(), "lanes": {"2"},
        "service": {"driveway", "parking_aisle"},
    }.items():  # fmt: skip
        assert values <= set(streets.tag(key).values), key
    barriers = {key: set(city.node_tags[key].values) for key in ("barrier", "highway", "railway")}
    assert {"bollard", "gate", "lift_gate"} <= barriers["barrier"]
    assert {"traffic_signals", "crossing"} <= barriers["highway"] and "level_crossing" in barriers["railway"]
    assert {"ferry"} <= set(city.way_column("route").values)


@pytest.mark.parametrize("mode", SHIPPED)
def test_nearly_all_of_it_is_one_net(streets, mode):
    parts = Network.of(streets, SHIPPED[mode]).parts_report
    assert parts.left_out_m < 0.08 * (parts.kept_m + parts.left_out_m)


def test_the_base_map_has_land_and_sea(city):
    layers = base_layers(city)
    assert set(layers) == {"water", "field", "sand", "green", "building", "rail", "river", "place"}
    sea = shapely.union_all(layers["water"].geometry[[kind == "sea" for kind in layers["water"].kind]])
    at = shapely.points(*PLANE.lonlat(np.array([0.0, 0.0, 2350.0]), np.array([-3500.0, 2500.0, -3650.0])))
    assert shapely.contains(sea, at).tolist() == [True, False, False], "sea, town, skerry"
    assert 15_000 < len(layers["building"].geometry) < 25_000


def test_files_are_small_enough_to_ship():
    for path in DATA.rglob("*"):
        assert path.is_dir() or path.stat().st_size < 4_000_000, path


def test_layers_say_their_crs_and_add_up():
    zones, _ = vector.read(DATA / "layers.gpkg", "zones")
    assert 150 <= len(zones) <= 250
    people = {
        key: sum(zones.columns[key])
        for key in ("population", "age_65_plus", "age_under_15", "no_car", "jobs", "households_no_car")
    }
    assert 170_000 < people["population"] <= 180_000
    assert all(0 < value < people["population"] for key, value in people.items() if key != "population")
    counts = {
        name: pyogrio.read_info(DATA / "layers.gpkg", layer=name)["features"]
        for name in ("cool_rooms", "candidate_rooms", "services", "event_sites")
    }
    assert counts["cool_rooms"] == 14 and counts["candidate_rooms"] == 9 and counts["event_sites"] == 3
    services, _ = vector.read(DATA / "layers.gpkg", "services")
    assert {"pharmacy", "food_shop", "school", "surgery", "playground"} <= set(services.columns["kind"])
    for name, fields in (("buildings", {"use", "floors"}), ("parcels", {"parcel", "address"})):
        info = pyogrio.read_info(DATA / f"{name}.gpkg")
        assert info["crs"] == "EPSG:32624" and fields <= set(info["fields"]) and info["features"] > 15_000
    shapes = PLANE.project(zones.geometry)
    assert shapely.area(shapes).sum() == pytest.approx(shapely.area(shapely.union_all(shapes)), rel=1e-5), (
        "none overlap"
    )


def test_rasters():
    with rasterio.open(DATA / "elevation.tif") as source:
        heights = source.read(1)
        assert source.crs.to_epsg() == 32624 and source.res == (25.0, 25.0)
        assert 330 < heights.max() < 460 and heights.min() == 0
    with rasterio.open(DATA / "population.tif") as source:
        assert source.res == (100.0, 100.0)
        zones, _ = vector.read(DATA / "layers.gpkg", "zones")
        assert source.read(1).sum() == pytest.approx(sum(zones.columns["population"]), rel=0.01)


# -- other sources ---------------------------------------------------------------------------------------------------------


def test_lines_with_and_without_nodes():
    lines, _ = vector.read(DATA / "other" / "lines.gpkg")
    broken, _ = vector.read(DATA / "other" / "lines_and_nodes.gpkg", "streets")
    nodes, _ = vector.read(DATA / "other" / "lines_and_nodes.gpkg", "nodes")
    assert len(broken) > 2 * len(lines) and set(lines.columns["dir"]) == {"B", "F", "T"}
    assert min(nodes.columns["node_no"]) == 2001 and len(set(nodes.columns["node_no"])) == len(nodes)
    ends = np.concatenate([PLANE.project(shapely.get_point(broken.geometry, k)) for k in (0, -1)])
    _, away = shapely.STRtree(PLANE.project(nodes.geometry)).query_nearest(
        ends, return_distance=True, all_matches=False
    )
    assert away.max() < 0.05


def test_the_ten_nodes_give_the_answer_worked_by_hand():
    folder = DATA / "other" / "ten_nodes"
    rows = list(csv.DictReader((folder / "link.csv").open()))
    assert len(list(csv.DictReader((folder / "node.csv").open()))) == 10
    a, b, weight = (np.array([int(row[key]) for row in rows]) for key in ("from_node_id", "to_node_id", "weight"))
    peer = csr_matrix((weight, (a, b)), shape=(11, 11))
    assert dijkstra(peer, directed=False, indices=1)[10] == 15


def test_gmns_and_the_neighbouring_town():
    links = list(csv.DictReader((DATA / "other" / "gmns" / "link.csv").open()))
    assert len(links) > 1500 and all(float(row["length"]) > 0 for row in links)
    town, report = build_graph(osm_pbf.read(DATA / "quillhaven.osm.pbf"))
    assert 900 < town.link_count < 4000 and report.references_missing > 0


# -- faults ----------------------------------------------------------------------------------------------------------------


class Ways:
    """Ways of the extract with their nodes in metres."""

    def __init__(self, raw: RawExtract) -> None:
        self.raw = raw
        self.row = {int(ident): row for row, ident in enumerate(raw.way_id)}
        self.xy = dict(
            zip(raw.node_id.tolist(), np.column_stack(PLANE.xy(raw.node_lon, raw.node_lat)).tolist(), strict=True)
        )
        street = raw.way_column("highway").present()
        self.users = Counter(ref for row in np.flatnonzero(street) for ref in set(self.refs(int(raw.way_id[row]))))

    def refs(self, ident: int) -> list[int]:
        row = self.row[ident]
        return self.raw.way_refs[self.raw.way_start[row] : self.raw.way_start[row + 1]].tolist()

    def line(self, ident: int) -> shapely.LineString:
        return shapely.LineString([self.xy[ref] for ref in self.refs(ident) if ref in self.xy])

    def tag(self, ident: int, key: str) -> str | None:
        return self.raw.way_column(key).at(self.row[ident])


@pytest.fixture(scope="module")
def ways(city: RawExtract) -> Ways:
    return Ways(city)


def near_miss(ways, ids, spot, size):
    a, b = ids
    end = ways.refs(a)[-1]
    away = ways.line(b).distance(shapely.Point(ways.xy[end]))
    return ways.users[end] == 1 and 0.3 < away <= size + 0.1 and not set(ways.refs(a)[-1:]) & set(ways.refs(b))


def unjoined_crossing(ways, ids, spot, size):
    a, b = (ways.line(ident) for ident in ids)
    shared = [
        ref for ref in set(ways.refs(ids[0])) & set(ways.refs(ids[1])) if spot.distance(shapely.Point(ways.xy[ref])) < 1
    ]
    return (
        a.intersection(b).distance(spot) < 0.3 and not shared and ways.tag(ids[0], "layer") == ways.tag(ids[1], "layer")
    )


def duplicate(ways, ids, spot, size):
    return ways.refs(ids[0]) == ways.refs(ids[1])[::-1] or set(ways.refs(ids[0])) == set(ways.refs(ids[1]))


def zero_length(ways, ids, spot, size):
    return len(set(ways.refs(ids[0]))) == 2 and ways.line(ids[0]).length == 0


def self_crossing(ways, ids, spot, size):
    return not ways.line(ids[0]).is_simple and len(set(ways.refs(ids[0]))) == len(ways.refs(ids[0]))


def island(ways, ids, spot, size):
    refs = {ref for ident in ids for ref in ways.refs(ident)}
    own = Counter(ref for ident in ids for ref in set(ways.refs(ident)))
    return all(ways.users[ref] == own[ref] for ref in refs)


def locked_oneway(ways, ids, spot, size):
    refs = ways.refs(ids[0])
    return ways.tag(ids[0], "oneway") == "yes" and ways.users[refs[-1]] == 1 and ways.users[refs[0]] > 1


def odd_speed(ways, ids, spot, size):
    text = ways.tag(ids[0], "maxspeed")
    kmh = posted_speed(ways.raw.way_column("maxspeed"))[ways.row[ids[0]]]
    return text is not None and (np.isnan(kmh) or not 7 <= kmh <= 130)


def missing_speed(ways, ids, spot, size):
    return ways.tag(ids[0], "maxspeed") is None and ways.tag(ids[0], "highway") in ("primary", "secondary")


def cut_bridge(ways, ids, spot, size):
    end = ways.refs(ids[0])[-1]
    others = [
        ref
        for ref, users in ways.users.items()
        if ref in ways.xy and ref != end and np.hypot(*np.subtract(ways.xy[ref], ways.xy[end])) < 12
    ]
    return ways.tag(ids[0], "bridge") == "yes" and ways.users[end] == 1 and len(others) > 0


def outside(ways, ids, spot, size):
    return np.hypot(spot.x, spot.y) > 5500 and island(ways, ids, spot, size)


CHECKS = [
    near_miss,
    unjoined_crossing,
    duplicate,
    zero_length,
    self_crossing,
    island,
    locked_oneway,
    odd_speed,
    missing_speed,
    cut_bridge,
    outside,
]
TRUTH = json.loads((DATA / "faults.geojson").read_text())["features"]


def test_every_kind_of_fault_is_there():
    kinds = Counter(fault["properties"]["kind"] for fault in TRUTH)
    assert set(kinds) == {check.__name__ for check in CHECKS}
    assert kinds["near_miss"] >= 10 and kinds["unjoined_crossing"] >= 5 and kinds["island"] >= 5


@pytest.mark.parametrize("check", CHECKS, ids=lambda check: check.__name__)
def test_every_recorded_fault_is_present(ways, check):
    for fault in TRUTH:
        if fault["properties"]["kind"] == check.__name__:
            lon, lat = fault["geometry"]["coordinates"]
            spot = shapely.Point(*(float(v) for v in PLANE.xy(lon, lat)))
            ids = fault["properties"]["ways"]
            assert check(ways, ids, spot, fault["properties"]["size_m"]), fault
            assert min(ways.line(ident).distance(spot) for ident in ids) < 1.0, "the place is on the way"
