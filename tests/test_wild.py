"""Whatever extract comes in: nothing raises, streets are right, the sea spares the land, areas hold what is reached.

`AWL_WILD=300` tries so many extracts instead of 30.
"""

from __future__ import annotations

import os

import numpy as np
import pytest
import shapely

from awl.core.errors import AwlError
from awl.core.graph.base_map import base_layers
from awl.core.graph.build import build_graph
from awl.io import osm_xml
from awl.questions.run import ask
from awl.study import importing, inspect
from awl.study.study import Study
from tests.wild import Segment, WildExtract, wild_extract

SEEDS = range(int(os.environ.get("AWL_WILD", "30")))


@pytest.fixture(params=SEEDS, scope="module")
def wild(request, tmp_path_factory):
    """An extract with what is true of it, and its file."""
    made = wild_extract(request.param)
    path = tmp_path_factory.mktemp("wild") / "wild.osm"
    path.write_text(made.text)
    return made, path


@pytest.fixture(scope="module")
def built(wild):
    made, path = wild
    raw = osm_xml.read(path)
    return made, raw, *build_graph(raw)


def lengths(segments: set[Segment]) -> float:
    return float(shapely.length(shapely.linestrings(np.array(sorted(segments)))).sum()) if segments else 0.0


def test_streets_are_those_the_extract_holds(built):
    made, _, graph, _ = built
    lon, lat = np.round(graph.shape_lon, 7).tolist(), np.round(graph.shape_lat, 7).tolist()
    found = set()
    for begin, end in zip(graph.shape_start[:-1].tolist(), graph.shape_start[1:].tolist(), strict=True):
        for a, b in zip(range(begin, end - 1), range(begin + 1, end), strict=True):
            found.add((min((lon[a], lat[a]), (lon[b], lat[b])), max((lon[a], lat[a]), (lon[b], lat[b]))))
    assert found == made.segments, made.kinds


def test_what_came_in_is_described_and_previewed(wild, built):
    made, path = wild
    told = inspect.described(path, path.name)["extract"]
    report = built[3]
    assert told["length_km"] == pytest.approx(report.length_m / 1000, abs=0.06)
    assert told["ways"] == report.ways_read and told["streets"] == report.streets_read
    drawn = inspect.preview(built[1])
    assert set(drawn) <= {entry["class"] for entry in told["classes"]}
    degrees = float(shapely.length(np.array(list(drawn.values()))).sum())
    assert degrees >= lengths(made.segments) * 0.999


def test_the_sea_is_where_it_is_and_spares_the_streets(built):
    made, raw, _, report = built
    water = base_layers(raw, report).get("water")
    sea = [g for g, kind in zip(water.geometry, water.kind, strict=True) if kind == "sea"] if water else []
    flooded = shapely.union_all(sea) if sea else shapely.MultiPolygon()
    land = np.array(sorted(made.segments - made.bridges))
    assert shapely.length(shapely.intersection(shapely.linestrings(land), flooded)).sum() < 0.01 * lengths(
        made.segments
    )
    assert not (sea and not made.coast)
    if report.coast_disputed_m:
        return
    hull = shapely.convex_hull(shapely.multipoints(np.array(sorted(made.segments)).reshape(-1, 2)))
    xy = np.random.default_rng(1).uniform(hull.bounds[:2], hull.bounds[2:], (1000, 2))
    xy = xy[shapely.contains_xy(hull, *xy.T)]
    right = shapely.contains_xy(flooded, *xy.T) != shapely.contains_xy(made.land, *xy.T)
    assert right.mean() > 0.9 or not made.coast, made.kinds


def test_areas_hold_the_streets_reached_and_no_others(wild):
    made, path = wild
    study_file = path.with_suffix(".gpkg")
    importing.build(path, study_file)
    study = Study(study_file)
    graph = study.graph
    start = _largest_part(study)
    try:
        answer = ask(study, "isochrone", {"places": {"type": "Point", "coordinates": start}, "limits": [4]}).document()
    except AwlError as error:
        pytest.fail(f"{made.kinds}: {error.detail}")
    area = shapely.buffer(_union(answer["areas"]), 2e-6)
    reached = _union(answer["streets"])
    usable = shapely.union_all(graph.lines()[study.network("walk").usable])
    lost = shapely.difference(reached, area).length / reached.length
    enclosed = max(shapely.intersection(usable, area).length - reached.length, 0) / reached.length
    told = {doubt["code"] for doubt in answer["doubts"]}
    assert lost < 0.01 or (lost < 0.03 and "areas-lose-street" in told), made.kinds
    assert enclosed < 0.02 or "areas-enclose-street" in told, (made.kinds, enclosed)


def _largest_part(study: Study) -> list[float]:
    """A node of a street on which a trip on foot can begin."""
    graph, usable = study.graph, study.network("walk").usable
    node = graph.link_from[np.flatnonzero(usable)[usable.sum() // 2]]
    return [float(graph.node_lon[node]), float(graph.node_lat[node])]


def _union(collection: dict) -> shapely.Geometry:
    shapes = [shapely.geometry.shape(feature["geometry"]) for feature in collection["features"] if feature["geometry"]]
    return shapely.union_all(shapes)


def test_the_extracts_hold_every_kind_of_irregularity():
    kinds = set().union(*(_kinds(seed) for seed in range(30)))
    assert {
        "cut: outline", "cut: box", "island", "strait", "lagoon", "islets", "references to missing nodes", "nodes after ways",
        "unsorted", "repeated", "negative ids", "impossible coordinates", "ferry",
    } <= kinds  # fmt: skip


def _kinds(seed: int) -> set[str]:
    made: WildExtract = wild_extract(seed)
    return made.kinds
