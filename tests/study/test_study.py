"""The study file: a GeoPackage any reader opens, changed whole or not at all."""

from __future__ import annotations

import shutil
import sqlite3
import threading

import numpy as np
import pyogrio
import pytest
import shapely

from awl.core.errors import AwlError
from awl.core.graph.street_graph import StreetGraph
from awl.cql2.sql import to_sql
from awl.io import geopackage
from awl.io.geometry_blobs import encode
from awl.io.table import Table
from awl.study import arrays, importing, records, sheet_records
from awl.study.study import Study, slug
from tests.conftest import CUT, EXTRACT, node, osm, way


def test_an_independent_reader_sees_every_layer(study):
    listed = {name: kind for name, kind in pyogrio.list_layers(study.path).tolist() if kind}
    assert {"streets", "nodes", "water", "building", "zones", "cool_rooms"} <= set(listed)
    for layer in study.layers():
        info = pyogrio.read_info(study.path, layer=layer["id"])
        assert info["features"] == layer["count"]
        assert info["crs"] == "EPSG:4326"
        assert set(info["fields"]) == set(layer["fields"])
    meta, _, wkb, columns = pyogrio.raw.read(study.path, layer="streets", columns=["length", "name"])
    ours = study.read_layer("streets")
    assert shapely.equals_exact(shapely.from_wkb(wkb), ours.geometry, 0).all()
    assert columns[meta["fields"].tolist().index("length")].tolist() == ours.columns["length"]


def test_the_index_of_the_standard_answers_boxes(study):
    box = (-36.203, 41.297, -36.2, 41.299)
    _, _, wkb, _ = pyogrio.raw.read(study.path, layer="building", bbox=box)
    layer = study.read_layer("building", bbox=box)
    everything = study.read_layer("building").geometry
    touching = shapely.bounds(everything)
    expected = (
        (touching[:, 0] <= box[2])
        & (touching[:, 2] >= box[0])
        & (touching[:, 1] <= box[3])
        & (touching[:, 3] >= box[1])
    )
    assert len(layer) == expected.sum() > 0
    assert len(wkb) <= len(layer)


def test_the_index_follows_edits_by_plain_sql(own_study):
    with own_study.writing() as connection:
        blob = encode(np.array([shapely.Point(10, 10)]))[0]
        connection.execute("UPDATE cool_rooms SET geom = ? WHERE fid = 1", (blob,))
        connection.execute("DELETE FROM cool_rooms WHERE fid = 2")
    assert own_study.read_layer("cool_rooms", bbox=(9, 9, 11, 11)).columns["fid"] == [1]
    indexed = own_study.reading.execute("SELECT count(*) FROM rtree_cool_rooms_geom").fetchone()[0]
    assert indexed == geopackage.count(own_study.reading, "cool_rooms")


def test_the_graph_comes_back_exactly_from_its_tables(own_study, graph):
    shutil.rmtree(arrays.folder_of(own_study.path), ignore_errors=True)
    again = own_study.graph
    for name in ("node_id", "link_from", "link_to", "link_way", "shape_start", "shape_lon", "shape_lat", "node_border"):
        assert (np.asarray(getattr(again, name)) == getattr(graph, name)).all(), name
    assert again.link_length == pytest.approx(graph.link_length, abs=1e-9)
    assert again.tags.keys() == graph.tags.keys()
    for key in graph.tags:
        assert again.tag(key).decode() == graph.tag(key).decode()


def test_a_damaged_or_outdated_array_folder_is_not_trusted(own_study):
    whole = own_study.graph
    folder = arrays.folder_of(own_study.path) / f"graph-{own_study.revision}"
    for name, harm in (
        ("link_from.npy", lambda f: f.write_bytes(f.read_bytes()[:50])),
        ("tags.json", lambda f: f.write_text("{")),
        ("shape_m.npy", lambda f: f.unlink()),
    ):
        harm(folder / name)
        again = Study(own_study.path).graph
        assert isinstance(again, StreetGraph) and again.link_count == whole.link_count


def test_a_failed_write_leaves_nothing(own_study, monkeypatch):
    before = own_study.layers()
    layer = Table(np.array([shapely.Point(0, 0)]), {"x": [1]})

    def full(*_: object) -> None:
        raise sqlite3.OperationalError("database or disk is full")

    with monkeypatch.context() as patch, pytest.raises(sqlite3.Error):
        patch.setattr(geopackage, "_write_index", full)
        own_study.add_layer("broken", layer, "Broken", "places", "made.geojson")
    assert own_study.layers() == before
    bad = own_study.path.with_name("bad.osm")
    bad.write_text(osm(node(1, 0, 0))[:-8])
    revision = own_study.revision
    with pytest.raises(AwlError, match="cut short"):
        importing.build(bad, own_study.path)
    assert own_study.revision == revision and own_study.layers() == before


def test_a_failed_first_build_leaves_no_file(tmp_path):
    bad = tmp_path / "bad.osm"
    bad.write_text(osm(way(1, [1, 2], highway="residential")))
    with pytest.raises(AwlError):
        importing.build(bad, tmp_path / "new.gpkg")
    assert [path.name for path in tmp_path.iterdir()] == ["bad.osm"]


def test_building_anew_keeps_layers_and_notes_the_former_build(own_study):
    links, revision = own_study.fact("build")["links"], own_study.revision
    smaller = shapely.box(*(np.array(CUT.bounds) + np.array([0.003, 0.003, -0.003, -0.003])))
    importing.build(EXTRACT, own_study.path, smaller)
    assert own_study.revision != revision
    assert own_study.fact("former_build")["links"] == links > own_study.fact("build")["links"]
    assert {"zones", "cool_rooms"} <= {layer["id"] for layer in own_study.layers()}
    assert own_study.graph.link_count == own_study.fact("build")["links"]


def test_names_that_sql_would_stumble_over(own_study):
    columns = {'a"b': [1], "FID": [2], "fid": [3], "Name": ["x"], "name": ["y"], "": [4], "select": [5]}
    own_study.add_layer("odd", Table(np.array([shapely.Point(0, 0)]), columns), 'Odd "names"', "places", "odd.geojson")
    read = own_study.read_layer("odd")
    assert sorted(str(v[0]) for k, v in read.columns.items() if k != "fid") == ["1", "2", "3", "4", "5", "x", "y"]
    for ident in ("streets", "awl_facts", "a b", "x'; DROP TABLE zones; --", "../etc"):
        with pytest.raises(AwlError):
            own_study.add_layer(ident, Table(np.array([shapely.Point(0, 0)]), {}), "t", "places", "s")


def test_other_files_are_no_study(tmp_path):
    path = tmp_path / "x.gpkg"
    for content in (b"", b"plain text that is no database" * 50):
        path.write_bytes(content)
        with pytest.raises(AwlError, match="no study"):
            Study(path)
    with pytest.raises(AwlError, match="no such study"):
        Study(tmp_path / "none.gpkg")


def test_the_sheet_can_be_undone_step_by_step(own_study):
    def save(title: str) -> None:
        with own_study.writing() as connection:
            sheet_records.save(connection, "main", {"title": title, "blocks": []})

    for title in ("one", "two", "two", "three"):
        save(title)
    seen = []
    while True:
        seen.append(sheet_records.read(own_study.reading, "main")["title"])
        with own_study.writing() as connection:
            if not sheet_records.undo(connection, "main"):
                break
    assert seen == ["three", "two", "one"]


def test_many_threads_read_and_write(own_study):
    faults = []

    def work(number: int) -> None:
        try:
            for turn in range(5):
                with own_study.writing() as connection:
                    records.set_fact(connection, f"t{number}", turn)
                assert own_study.fact(f"t{number}") == turn
                assert len(own_study.read_layer("zones")) > 0
        except Exception as error:
            faults.append(error)

    threads = [threading.Thread(target=work, args=(k,)) for k in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert not faults


FIELDS = ["kind", "seats", "name"]


@pytest.fixture(scope="module")
def rooms():
    connection = sqlite3.connect(":memory:")
    connection.execute('CREATE TABLE r (fid INTEGER, "kind" TEXT, "seats" INTEGER, "name" TEXT)')
    rows = [
        (1, "library", 90, "Lorren"),
        (2, "baths", 60, "Heron"),
        (3, "library", 45, "Copperas"),
        (4, None, 7, "A'b"),
    ]
    connection.executemany("INSERT INTO r VALUES (?,?,?,?)", rows)
    return connection


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("kind = 'library' AND seats > 40", [1, 3]),
        ("kind = 'library' AND NOT seats > 50", [3]),
        ("seats BETWEEN 45 AND 60", [2, 3]),
        ("kind IN ('baths', 'chapel') OR seats < 10", [2, 4]),
        ("name LIKE '%er%'", [2, 3]),
        ("kind IS NULL", [4]),
        ("kind IS NOT NULL AND seats / 2 > 25.4", [1, 2]),
        ("seats * 2 + 10 = 100", [3]),
        ("seats / 2 = 22.5", [3]),
        ("name = 'A''b'", [4]),
        ("fid <> 1 AND seats >= 60", [2]),
    ],
)
def test_cql2_filters(rooms, text, expected):
    sql, parameters = to_sql(text, FIELDS)
    found = [row[0] for row in rooms.execute(f"SELECT fid FROM r WHERE {sql} ORDER BY fid", parameters)]
    assert found == expected


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("kind = ", "character"),
        ("seats >> 3", "character"),
        ("colour = 'red'", "no field 'colour'.*kind"),
        ("1=1; DROP TABLE r", "character"),
        ("S_INTERSECTS(geom, POINT(1 1))", "character 28.*no spatial"),
        ("x" * 5000, "longer"),
    ],
)
def test_bad_filters_say_where(text, expected):
    with pytest.raises(AwlError, match=expected) as caught:
        to_sql(text, FIELDS)
    assert caught.value.inputs == ("filter",)


def test_ids_from_free_text():
    assert slug("Cool rooms, 2026!") == "cool_rooms_2026"
    assert slug("9 rooms") == "s_9_rooms" and slug("…") == "s_study"


def test_all_layers_of_a_file_are_added_or_none(own_study, tmp_path):
    def write(layer, shapes):
        pyogrio.raw.write(
            tmp_path / "two.gpkg", geometry=shapely.to_wkb(shapes), field_data=[], fields=[], layer=layer, geometry_type="Point",
            crs="EPSG:4326", driver="GPKG",
        )  # fmt: skip

    before = [layer["id"] for layer in own_study.layers()]
    write("doctors", shapely.points([(-36.2, 41.29)]))
    write("water", shapely.points([(-36.2, 41.29)]))
    with pytest.raises(AwlError, match="'water' is a name that Awl uses itself"):
        importing.add_all(tmp_path / "two.gpkg", own_study)
    assert [layer["id"] for layer in own_study.layers()] == before
    (tmp_path / "two.gpkg").unlink()
    write("doctors", shapely.points([(-36.2, 41.29)]))
    write("clinics", shapely.points([(-36.21, 41.29)]))
    assert importing.add_all(tmp_path / "two.gpkg", own_study) == ["doctors", "clinics"]


def test_a_study_can_be_built_where_an_older_one_left_arrays(tmp_path):
    path = tmp_path / "made.gpkg"
    for _ in range(2):
        importing.build(EXTRACT, path, CUT)
        path.unlink()
    importing.build(EXTRACT, path, CUT)
    assert Study(path).graph.link_count > 1000
