"""GMNS tables written by Awl, read back, give the same graph; others are read as the specification has them."""

from __future__ import annotations

import numpy as np
import pytest

from awl.cli import DEMO
from awl.core.errors import AwlError
from awl.core.modes.mode import DRIVE
from awl.core.modes.network import Network
from awl.core.streets.build import build_graph
from awl.formats import gmns, gmns_read
from awl.study import intake
from awl.study.study import Study
from tests.oracle import times_between

NODES = "node_id,x_coord,y_coord\n7,-36.2,41.3\n9,-36.199,41.3\n4,-36.199,41.301\n"


def folder(tmp_path, links, nodes=NODES, **more):
    tmp_path.mkdir(exist_ok=True)
    (tmp_path / "node.csv").write_text(nodes)
    (tmp_path / "link.csv").write_text(links)
    for name, text in more.items():
        (tmp_path / f"{name}.csv").write_text(text)
    return tmp_path


def test_what_is_written_reads_back_as_the_same_graph(graph, tmp_path):
    before = Network.of(graph, DRIVE)
    folder(tmp_path, gmns.links(before), gmns.nodes(before))
    after_graph, _ = build_graph(gmns_read.read(tmp_path))
    after = Network.of(after_graph, DRIVE)
    assert after_graph.link_count == before.usable.sum()
    assert (after.forward & after.backward).sum() == (before.forward & before.backward).sum()
    used = np.unique(np.concatenate([graph.link_from[before.usable], graph.link_to[before.usable]]))
    assert sorted(after_graph.node_id.tolist()) == graph.node_number[used].tolist()
    # The same times between the same numbers, by the independent searches.
    picks = np.random.default_rng(3).choice(used, 12, replace=False)
    numbers = graph.node_number[picks]
    rows = [int(np.flatnonzero(after_graph.node_id == n)[0]) for n in numbers]
    found = [times_between(net, at_nodes(net, at)) for net, at in ((before, picks), (after, np.array(rows)))]
    assert found[1] == pytest.approx(found[0], rel=2e-3, abs=0.1)


def at_nodes(network, nodes):
    """Places that stand at nodes."""
    from awl.core.engine.places import Snapper

    graph = network.graph
    return Snapper(network).snap(graph.node_lon[nodes], graph.node_lat[nodes], 5.0)


def test_directed_pairs_one_way_links_and_units(tmp_path):
    links = "from_node_id,to_node_id,directed,free_speed,facility_type,geometry\n"
    links += "7,9,true,30,primary,\n9,7,true,30,primary,\n9,4,true,20,mystery,\n"
    links += '4,7,false,,residential,"LINESTRING (-36.199 41.301, -36.2 41.301, -36.2 41.3)"\n'
    raw = gmns_read.read(folder(tmp_path, links, config="speed\nmph\n"))
    assert raw.way_column("oneway").decode() == [None, "yes", None], "a pair of opposite links is one street"
    assert raw.way_column("maxspeed").decode() == ["48.2803", "32.1869", None]
    assert raw.way_column("highway").decode() == ["primary", "residential", "residential"]
    graph, _ = build_graph(raw)
    assert sorted(graph.node_id.tolist()) == [4, 7, 9] and np.diff(graph.shape_start).max() == 3


def test_the_shipped_tables_become_a_study_with_their_numbers(tmp_path):
    intake.build(DEMO / "data" / "other" / "gmns", tmp_path / "g.gpkg")
    study = Study(tmp_path / "g.gpkg")
    assert (study.graph.node_number == study.graph.node_id).all() and study.graph.link_count > 1000


HEAD = "from_node_id,to_node_id\n"
BAD = {
    "unknown node": (HEAD + "7,9\n7,5\n", NODES, "link.csv, line 3: Node 5 is not in node.csv"),
    "number twice": (HEAD + "7,9\n", NODES + "9,0,0\n", "node.csv, line 3: 1 node number.* the first is 9"),
    "no column": ("from,to\n7,9\n", NODES, "link.csv, line 1: The table has no column 'from_node_id'"),
    "no row": (HEAD, NODES, "link.csv: The table has no row"),
    "no number": (HEAD + "7,nine\n", NODES, "link.csv, line 2: 'nine' is no whole number"),
    "not degrees": (HEAD + "7,9\n", "node_id,x_coord,y_coord\n7,512000,4571000\n9,1,1\n", "not degrees"),
    "lat not finite": (HEAD + "7,9\n", "node_id,x_coord,y_coord\n7,1,nan\n9,1,1\n", "not degrees"),
    "WKT not finite": (
        'from_node_id,to_node_id,geometry\n7,9,"LINESTRING (0 0, nan 1, 1 1)"\n',
        NODES,
        "line 2: A coordinate",
    ),
    "bad WKT": ("from_node_id,to_node_id,geometry\n7,9,LINE 3\n", NODES, "line 2: The geometry is no WKT"),
    "a point": ("from_node_id,to_node_id,geometry\n7,9,POINT (1 1)\n", NODES, "line 2: The geometry is a Point"),
}


@pytest.mark.filterwarnings("ignore:invalid value")
@pytest.mark.parametrize("kind", BAD)
def test_bad_tables_say_which_line(tmp_path, kind):
    links, nodes, expected = BAD[kind]
    with pytest.raises(AwlError, match=expected):
        gmns_read.read(folder(tmp_path, links, nodes))
