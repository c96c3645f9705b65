"""Streets from a street register: fields guessed or named, nodes numbered, nothing built on what does not fit."""

from __future__ import annotations

import json

import numpy as np
import pyogrio
import pytest
import shapely
from click.testing import CliRunner

from awl.cli import main
from awl.core.errors import AwlError
from awl.io import geojson, vector
from awl.io.table import Table
from awl.shipped import SOURCE
from awl.study import importing
from awl.study.line_fields import BuildOptions, LineFields, guess, settings, streets_of
from awl.study.study import Study

OTHER = SOURCE / "demo" / "data" / "other"
LINES, WITH_NODES = OTHER / "lines.gpkg", OTHER / "lines_and_nodes.gpkg"


def layer(geometry=None, **columns) -> Table:
    shapes = geometry or [shapely.LineString([(0, 0), (0.001, 0)])] * len(next(iter(columns.values())))
    return Table(np.array(shapes, dtype=object), columns)


@pytest.mark.parametrize(
    ("columns", "expected"),
    [
        ({"CLASS": ["residential"]}, {"street_class": "CLASS", "direction": None}),
        ({"DIR": ["TF"]}, {"direction": "DIR", "forward": "FT", "backward": "TF"}),
        ({"oneway": ["yes", "-1", "no"]}, {"direction": "oneway", "forward": "yes", "backward": "-1", "both": "no"}),
        ({"direction": [1, 2, 0]}, {"forward": "1", "backward": "2", "both": "0"}),
        ({"direction": ["east"]}, {"direction": "direction", "forward": "F"}),
        ({"colour": ["red"]}, {"street_class": None, "direction": None, "speed": None}),
    ],
)  # fmt: skip
def test_fields_are_guessed_from_names_and_values(columns, expected):
    found = vars(guess(layer(**columns)))
    assert {key: found[key] for key in expected} == expected


def test_values_become_tags():
    columns = {
        "dir": ["F", "T", "B", "?"],
        "v": [30.0, None, 0.0, 50.0],
        "class": ["steps", "alley", None, "primary"],
        "z": [0, 1, None, "x"],
    }
    fields = LineFields(street_class="class", speed="v", direction="dir", level="z")
    streets, notes = streets_of(layer(**columns), fields, "made")
    assert streets.tags["oneway"].decode() == ["yes", "-1", "no", None]
    assert streets.tags["maxspeed"].decode() == ["30", None, None, "50"]
    assert streets.tags["highway"].decode() == ["steps", "residential", "residential", "primary"]
    assert streets.level.tolist() == [0, 1, 0, 0]
    assert (notes.direction_not_understood, notes.without_speed, notes.without_known_class) == (1, 2, 2)


def test_parts_of_a_feature_keep_its_number():
    two = shapely.MultiLineString([[(0, 0), (0.001, 0)], [(0, 0.001), (0.001, 0.001)]])
    streets, notes = streets_of(
        layer([shapely.LineString([(1, 1), (2, 2)]), two, None], a=[1, 2, 3]), LineFields(), "made"
    )
    assert streets.source_row.tolist() == [1, 2, 2] and notes.left_out == 1


def test_the_unbroken_register_of_ferrow_becomes_the_graph_of_the_broken_one(tmp_path):
    options = BuildOptions(nodes=WITH_NODES, nodes_layer="nodes", nodes_field="node_no")
    importing.build(LINES, tmp_path / "a.gpkg", options=options)
    importing.build(WITH_NODES, tmp_path / "b.gpkg", options=BuildOptions(layer="streets", tolerance_m=0.0))
    a, b = Study(tmp_path / "a.gpkg").graph, Study(tmp_path / "b.gpkg").graph
    assert (a.node_count, a.link_count) == (b.node_count, b.link_count)
    assert a.link_length.sum() == pytest.approx(b.link_length.sum(), rel=1e-4)
    numbers, _ = vector.read(WITH_NODES, "nodes")
    assert sorted(a.node_id.tolist()) == sorted(numbers.columns["node_no"])
    # Each number stands where the layer has it, and survives the way through the tables.
    where = dict(zip(numbers.columns["node_no"], shapely.get_coordinates(numbers.geometry).tolist(), strict=True))
    there = np.array([where[n] for n in a.node_id.tolist()])
    assert np.abs(there - np.column_stack([a.node_lon, a.node_lat])).max() < 1e-5
    listed = Study(tmp_path / "a.gpkg").read_layer("streets")
    assert listed.columns["from_node_id"] == a.node_id[a.link_from].tolist()


def test_a_graph_read_from_its_tables_keeps_its_numbers(tmp_path):
    path = tmp_path / "a.gpkg"
    importing.build(LINES, path, options=BuildOptions(first_node=1001))
    before = Study(path).graph
    for part in path.with_suffix(".awl").rglob("*.npy"):
        part.unlink()
    after = Study(path).graph
    assert after.node_id.tolist() == list(range(1001, 1001 + before.node_count))
    assert np.array_equal(after.link_from, before.link_from) and np.array_equal(after.link_to, before.link_to)


BAD = {
    "points for streets": ({"layer": "nodes"}, "313 features that are no lines"),
    "which layer": ({}, "Choose one: streets, nodes"),
    "no such field": ({"layer": "streets", "choices": {"speed": "v"}}, "no field 'v'.*str_name"),
    "no such role": ({"layer": "streets", "choices": {"colour": "v"}}, "'colour' is no setting"),
    "no such class": ({"layer": "streets", "choices": {"default_class": "alley"}}, "no class of street"),
    "tolerance": ({"layer": "streets", "tolerance_m": 900.0}, "tolerance of 900 m"),
    "first node": ({"layer": "streets", "first_node": 0}, "numbered from 0"),
    "nodes are lines": ({"layer": "streets", "nodes": LINES, "nodes_field": "class"}, "holds line features"),
    "no number field": ({"layer": "streets", "nodes": WITH_NODES, "nodes_layer": "nodes"}, "Name the field.*node_no"),
}  # fmt: skip


@pytest.mark.parametrize("kind", BAD)
def test_what_does_not_fit_is_said_and_nothing_is_built(tmp_path, kind):
    words, expected = BAD[kind]
    with pytest.raises(AwlError, match=f"(?s){expected}"):
        importing.build(WITH_NODES, tmp_path / "a.gpkg", options=BuildOptions(**words))
    assert list(tmp_path.iterdir()) == []


def test_a_numbering_that_does_not_cover_the_streets_is_refused_with_places(tmp_path):
    numbers, _ = vector.read(WITH_NODES, "nodes")
    part = Table(numbers.geometry[5:], {"no": numbers.columns["node_no"][5:]})
    (tmp_path / "nodes.geojson").write_bytes(geojson.dumps(geojson.collection(part)))
    options = BuildOptions(nodes=tmp_path / "nodes.geojson", nodes_field="no")
    with pytest.raises(AwlError, match=r"5 node\(s\) of the streets have no number \(at -36\.\d+ 41\."):
        importing.build(LINES, tmp_path / "a.gpkg", options=options)
    assert not (tmp_path / "a.gpkg").exists()


def test_the_command_names_fields(tmp_path):
    moved = tmp_path / "moved.gpkg"
    meta, _, wkb, columns = pyogrio.raw.read(LINES)
    names = {"dir": "sense", "str_name": "called"}
    pyogrio.raw.write(
        moved, geometry=wkb, field_data=columns, fields=[names.get(f, f) for f in meta["fields"]], geometry_type="LineString",
        crs=meta["crs"], driver="GPKG",
    )  # fmt: skip
    words = [
        "build",
        str(moved),
        "--study",
        str(tmp_path / "a.gpkg"),
        "--field",
        "direction=sense",
        "--field",
        "name=called",
    ]
    result = CliRunner().invoke(main, [*words, "--first-node", "501", "--json"], catch_exceptions=False)
    report = json.loads(result.output)
    assert report["share_oneway"] > 0.3 and report["share_named"] > 0.9 and report["lines"]["lines"] == len(wkb)
    assert settings(["speed=v", "level=none"]) == {"speed": "v", "level": "none"}
    with pytest.raises(AwlError, match="no setting"):
        settings(["speed"])
