"""What a file holds is said before it is taken in; every format answers bad files in the way an analyst would expect."""

from __future__ import annotations

import json
import zipfile

import numpy as np
import pyogrio
import pytest
import shapely
from pyproj import Transformer

from awl.core.errors import AwlError
from awl.core.geodesy import segment_lengths
from awl.core.graph.build import STREET_CLASSES, build_graph
from awl.shipped import SOURCE
from awl.study import importing, inspect
from awl.study.importing import ReadOptions
from awl.study.line_fields import BuildOptions
from awl.study.study import Study
from tests.conftest import EXTRACT

FORMATS = ("gpkg", "fgb", "zip", "geojson", "csv")
HERE = [(-36.2, 41.29), (-36.199, 41.291), (-36.198, 41.29)]
NEAR = [-36.21, 41.28, -36.19, 41.30]
GRID = "EPSG:32625"


def moved(shapes, crs=GRID):
    to = Transformer.from_crs(4326, crs, always_xy=True)
    return shapely.transform(shapes, lambda xy: np.column_stack(to.transform(xy[:, 0], xy[:, 1])))


def write(folder, ending, shapes, crs="EPSG:4326", fields=1):
    """A file of one layer `things`, in any format."""
    names = [f"f{i}" for i in range(fields)]
    if ending == "csv":
        rows = [",".join([*names, "wkt"])]
        rows += [",".join([*("1" for _ in names), f'"{s.wkt}"' if s else ""]) for s in shapes]
        path = folder / "things.csv"
        path.write_text("\n".join(rows) + "\n")
        return path
    if ending == "geojson":
        features = [
            {
                "type": "Feature",
                "properties": dict.fromkeys(names, 1),
                "geometry": json.loads(shapely.to_geojson(s)) if s else None,
            }
            for s in shapes
        ]
        path = folder / "things.geojson"
        path.write_text(json.dumps({"type": "FeatureCollection", "features": features}))
        return path
    driver, kind = {"gpkg": ("GPKG", "gpkg"), "fgb": ("FlatGeobuf", "fgb"), "zip": ("ESRI Shapefile", "shp")}[ending]
    kinds = {s.geom_type for s in shapes if s}
    path = folder / f"things.{kind}"
    pyogrio.raw.write(
        path, geometry=shapely.to_wkb(np.array(shapes, object)), field_data=[np.ones(len(shapes))] * fields, fields=names,
        geometry_type=kinds.pop() if len(kinds) == 1 else "Unknown", crs=crs, driver=driver,
    )  # fmt: skip
    if ending != "zip":
        return path
    with zipfile.ZipFile(folder / "things.zip", "w") as archive:
        for part in folder.glob("things.*"):
            if part.suffix not in (".zip",):
                archive.write(part, part.name)
    return folder / "things.zip"


POINTS = list(shapely.points(HERE))


@pytest.mark.filterwarnings("ignore:'crs' was not provided")
@pytest.mark.parametrize("ending", FORMATS)
def test_coordinates_without_a_system_are_asked_about(tmp_path, ending):
    path = write(tmp_path, ending, list(moved(np.array(POINTS))), crs=None)
    layer = inspect.described(path, path.name, None, NEAR)["layers"][0]
    assert layer["problem"] and GRID in layer["candidates"], "the zone in which it lies near the streets is offered"
    again = inspect.described(path, path.name, ReadOptions(GRID), NEAR)["layers"][0]
    assert "problem" not in again and again["count"] == 3 and again["role"] == "places"
    study = made_study(tmp_path)
    with pytest.raises(AwlError):
        importing.add(path, study)
    importing.add(path, study, how=ReadOptions(GRID))
    found = shapely.get_coordinates(study.read_layer("things").geometry)
    assert found[np.argsort(found[:, 0])] == pytest.approx(np.array(HERE), abs=1e-6)


@pytest.mark.parametrize("ending", ["gpkg", "fgb", "zip"])
def test_a_foreign_system_is_read_shown_and_moved(tmp_path, ending):
    path = write(tmp_path, ending, list(moved(np.array(POINTS))), crs=GRID)
    layer = inspect.described(path, path.name, None, NEAR)["layers"][0]
    assert "32625" in layer["crs"] and "far" not in layer
    study = made_study(tmp_path)
    importing.add(path, study)
    found = shapely.get_coordinates(study.read_layer("things").geometry)
    assert np.sort(found, axis=0) == pytest.approx(np.sort(np.array(HERE), axis=0), abs=1e-6)


@pytest.mark.parametrize("ending", ["gpkg", "fgb", "zip"])
def test_a_wrong_system_shows_by_lying_far_off(tmp_path, ending):
    path = write(tmp_path, ending, list(moved(np.array(POINTS))), crs="EPSG:32626")
    layer = inspect.described(path, path.name, None, NEAR)["layers"][0]
    assert layer["far"] and GRID in layer["candidates"]


def made_study(folder):
    importing.build(EXTRACT, folder / "s.gpkg")
    return Study(folder / "s.gpkg")


@pytest.mark.parametrize("ending", ["gpkg", "fgb", "geojson", "csv"])
def test_mixed_geometry_is_counted_and_refused(tmp_path, ending):
    path = write(tmp_path, ending, [*POINTS, shapely.LineString(HERE)])
    layer = inspect.described(path, path.name)["layers"][0]
    assert "mixes" in layer["unusable"] and "3 point" in layer["unusable"] and "1 line" in layer["unusable"]


@pytest.mark.parametrize("ending", ["fgb", "geojson", "csv"])  # the others hold no more than 2,000 and 255 at all
def test_ten_thousand_fields_are_refused_before_they_hurt(tmp_path, ending):
    path = write(tmp_path, ending, POINTS[:1], fields=10_000)
    with pytest.raises(AwlError, match="fields are more than"):
        inspect.described(path, path.name)


@pytest.mark.parametrize(
    "ending", ["gpkg", "zip", "geojson", "csv"]
)  # FlatGeobuf indexes its features, so each has a place
def test_a_file_without_features_or_places_says_so(tmp_path, ending):
    path = write(tmp_path, ending, [None, None] if ending != "zip" else [None])
    layer = inspect.described(path, path.name)["layers"][0]
    assert "No feature has a geometry" in layer["unusable"] and layer["bounds"] is None


@pytest.mark.parametrize("ending", FORMATS)
def test_broken_polygons_are_counted_and_repaired(tmp_path, ending):
    bow = shapely.Polygon([(-36.2, 41.29), (-36.198, 41.292), (-36.198, 41.29), (-36.2, 41.292)])
    path = write(tmp_path, ending, [bow])
    assert inspect.described(path, path.name)["layers"][0]["invalid"] == 1
    study = made_study(tmp_path)
    importing.add(path, study)
    kept = study.read_layer("things").geometry
    assert shapely.is_valid(kept).all() and shapely.area(kept)[0] == pytest.approx(2e-6, rel=1e-3)


def test_every_layer_of_a_file_is_listed_with_the_role_its_content_suggests():
    roles = {}
    for name in ("layers.gpkg", "parcels.gpkg", "buildings.gpkg", "elevation.tif", "population.tif"):
        for layer in inspect.described(SOURCE / "demo" / "data" / name, name)["layers"]:
            roles[layer["name"] or name] = layer["role"]
    assert roles["zones"] == "zones" and roles["cool_rooms"] == "places"
    assert roles["parcels"] == "parcels" and roles["buildings"] == "buildings"
    assert roles["elevation.tif"] == "elevation" and roles["population.tif"] == "population"


def test_a_zipped_drawing_is_recognised_and_its_weights_offered(tmp_path):
    archive = tmp_path / "ten.zip"
    with zipfile.ZipFile(archive, "w") as out:
        for part in (SOURCE / "demo" / "data" / "other" / "ten_nodes").iterdir():
            out.write(part, part.name)
    told = inspect.described(archive, archive.name)
    assert (
        told["kind"] == "graph" and told["graph"]["weights"] == ["weight"] and "not degrees" in told["graph"]["problem"]
    )
    importing.build(archive, tmp_path / "ten.gpkg", options=BuildOptions(weight="weight"))
    assert Study(tmp_path / "ten.gpkg").graph.drawn


# -- extracts --------------------------------------------------------------------------------------------------------------


def test_an_extract_is_counted_by_class_as_ways_have_it(raw):
    told = inspect.described(EXTRACT, EXTRACT.name)
    assert told["kind"] == "extract"
    where = {int(i): k for k, i in enumerate(raw.node_id)}
    highway = raw.way_column("highway").decode()
    metres: dict[str, float] = {}
    for i in range(len(raw.way_id)):
        refs = raw.way_refs[raw.way_start[i] : raw.way_start[i + 1]].tolist()
        for a, b in zip(refs, refs[1:], strict=False):
            if a in where and b in where and highway[i]:
                step = segment_lengths(*(np.array([v[where[n]]]) for n in (a, b) for v in (raw.node_lon, raw.node_lat)))
                metres[highway[i]] = metres.get(highway[i], 0.0) + float(step[0])
    for entry in told["extract"]["classes"]:
        assert entry["length_km"] == pytest.approx(metres[entry["class"]] / 1000, abs=0.06), entry["class"]
    assert told["extract"]["restrictions"] == len(raw.restrictions) > 0


def test_the_preview_draws_every_street_once(raw):
    shown = inspect.preview(raw)
    known = set(raw.node_id.tolist())
    drawn: dict[str, int] = {}
    for i, name in enumerate(raw.way_column("highway").decode()):
        refs = raw.way_refs[raw.way_start[i] : raw.way_start[i + 1]].tolist()
        text = "".join("k" if ref in known else " " for ref in refs)
        stretches = sum(len(stretch) > 1 for stretch in text.split())
        if name in STREET_CLASSES and stretches:
            drawn[name] = drawn.get(name, 0) + stretches
    assert {name: len(lines.geoms) for name, lines in shown.items()} == drawn


def test_classes_left_out_are_gone_for_good(tmp_path):
    report = importing.build(EXTRACT, tmp_path / "s.gpkg", options=BuildOptions(without=("service", "footway")))
    graph = Study(tmp_path / "s.gpkg").graph
    assert not graph.tag("highway").isin(("service", "footway")).any()
    assert set(report.classes_left_out) == {"service", "footway"}
    with pytest.raises(AwlError, match="Every class of street is left out"):
        build_graph(
            inspect.read_extract(EXTRACT, EXTRACT.name),
            without=[*report.length_by_class_m, "service", "footway"],
        )


# -- where lines meet ------------------------------------------------------------------------------------------------------


def test_what_either_way_of_joining_lines_makes_of_them_is_said_first(tmp_path):
    """A cross of two lines and one that ends on another: by end points alone nothing meets."""
    cross = [
        shapely.LineString([(-36.2, 41.29), (-36.19, 41.29)]),
        shapely.LineString([(-36.195, 41.285), (-36.195, 41.295)]),
        shapely.LineString([(-36.192, 41.29), (-36.192, 41.295)]),
        shapely.LineString([(-36.2, 41.28), (-36.2, 41.28)]),
    ]
    path = write(tmp_path, "gpkg", cross)
    (layer,) = inspect.described(path, path.name)["layers"]
    crossings, ends = layer["joins"]["crossings"], layer["joins"]["ends"]
    assert crossings["broken"] == 2 and crossings["connected"] == 1
    assert ends["broken"] == 0 and ends["connected"] < 0.5
    assert crossings["zero_length"] == ends["zero_length"] == 1
    joined = importing.build(path, tmp_path / "a.gpkg", options=BuildOptions(break_crossings=True))
    apart = importing.build(path, tmp_path / "b.gpkg", options=BuildOptions(break_crossings=False))
    assert joined.links == 6 and apart.links == 3
