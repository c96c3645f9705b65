"""The street graph written as tables is read back the same, by Awl from GeoPackage and GeoJSON, and by an independent reader."""

from __future__ import annotations

import numpy as np
import pyogrio
import pytest
import shapely

from awl.core.errors import AwlError
from awl.core.modes.mode import DRIVE
from awl.core.network.network import Network
from awl.io import geojson, graph_tables
from awl.server.downloads import graph_bytes
from awl.study import importing


def same(back, graph):
    for name in (
        "node_id",
        "node_id",
        "node_border",
        "link_from",
        "link_to",
        "link_ways",
        "ways_start",
        "shape_start",
    ):
        assert np.array_equal(getattr(back, name), getattr(graph, name)), name
    assert back.shape_lon == pytest.approx(graph.shape_lon, abs=1e-7)
    assert back.link_length == pytest.approx(graph.link_length, abs=0.02)
    for mine, theirs in ((back.tags, graph.tags), (back.node_tags, graph.node_tags)):
        assert {k: c.decode() for k, c in mine.items()} == {k: c.decode() for k, c in theirs.items()}
    assert back.restrictions.rows() == graph.restrictions.rows() != []


@pytest.mark.parametrize("ending", ["gpkg", "geojson"])
def test_an_export_reads_back_as_the_same_graph(study, tmp_path, ending):
    path = tmp_path / f"streets.{ending}"
    path.write_bytes(graph_bytes(study, "drive", ending))
    back = importing.read_graph(path, path.name).graph
    assert back is not None
    same(back, study.graph)
    # The costs that were written are those of the mode, each way; barred ways have none.
    drive = study.network("drive")
    seconds = np.stack(drive.directed("time"), axis=1) / 1000
    assert np.array_equal(np.isnan(back.costs["duration_s"]), seconds < 0)
    assert back.costs["duration_s"][seconds >= 0] == pytest.approx(seconds[seconds >= 0])
    # And a study can be built from it.
    report = importing.build(path, tmp_path / "again.gpkg")
    assert report.links == study.graph.link_count and report.restrictions == len(study.graph.restrictions)


def test_another_program_reads_the_tables(study, tmp_path):
    path = tmp_path / "streets.gpkg"
    path.write_bytes(graph_bytes(study, "walk", "gpkg"))
    graph = study.graph
    found = {name: pyogrio.read_info(path, layer=name) for name in pyogrio.list_layers(path)[:, 0]}
    counts = {name: info["features"] for name, info in found.items()}
    assert counts == {"nodes": graph.node_count, "streets": graph.link_count, "restrictions": len(graph.restrictions)}
    assert all("4326" in info["crs"] for info in found.values())
    names = set(found["streets"]["fields"])
    assert {"from_node_id", "to_node_id", "length", "duration_s_forward", "duration_s_backward", "free_speed"} <= names


def tables(graph):
    return graph_tables.node_table(graph), graph_tables.link_table(graph), graph_tables.restriction_table(graph)


BROKEN = {
    "a node twice": ("nodes", "node_id", lambda v: [v[1], *v[1:]], "1 node number.* more than once"),
    "a node that is not there": ("links", "to_node_id", lambda v: [987654321, *v[1:]], "link 1: .*to_node_id 987654321"),
    "ends that do not fit": ("links", "to_node_id", lambda v: [*reversed(v)], "do not end at the node they name"),
    "text for a number": ("links", "from_node_id", lambda v: ["north", *v[1:]], "Not every 'from_node_id' is a whole number"),
    "a restriction without its link": ("turns", "to_link_id", lambda v: [10**9, *v[1:]], "restriction 1: A turn"),
}  # fmt: skip


@pytest.mark.parametrize("kind", BROKEN)
def test_tables_that_do_not_fit_are_told(graph, kind):
    which, field, change, expected = BROKEN[kind]
    nodes, links, turns = tables(graph)
    made = {"nodes": nodes, "links": links, "turns": turns}
    made[which] = made[which].with_columns({field: change(made[which].columns[field].tolist())})
    with pytest.raises(AwlError, match=expected):
        graph_tables.graph_of(*made.values(), "made")


def test_multi_part_links_are_told(graph):
    nodes, links, _ = tables(graph)
    links.geometry[3] = shapely.multilinestrings([links.geometry[3], links.geometry[4]])
    with pytest.raises(AwlError, match=r"link 4: 1 link\(s\) are no single line"):
        graph_tables.graph_of(nodes, links, None, "made")


def test_costs_of_one_direction_bar_the_other(graph):
    nodes, links, _ = tables(graph)
    none = [None] * graph.link_count
    given = links.with_columns({"effort_forward": [2.5] * graph.link_count, "effort_backward": none})
    back = graph_tables.graph_of(nodes, given, None, "made")
    network = Network.of(back, DRIVE)
    forward, backward = network.directed("effort")
    assert set(forward[network.forward].tolist()) == {2500} and (backward == -1).all()
    given = links.with_columns({"effort_forward": [-1.0] * graph.link_count, "effort_backward": none})
    with pytest.raises(AwlError, match="cost 'effort' of link 1 is -1"):
        Network.of(graph_tables.graph_of(nodes, given, None, "made"), DRIVE).directed("effort")


def test_geojson_of_other_things_is_no_graph(tmp_path):
    path = tmp_path / "points.geojson"
    path.write_bytes(geojson.dumps({"type": "FeatureCollection", "features": []}))
    assert importing.read_graph(path, path.name) is None
