"""GMNS tables written by Awl, read back, give the same graph; others are read as the specification has them."""

from __future__ import annotations

import csv
import io
import shutil
import zipfile
from dataclasses import replace

import numpy as np
import pytest

from awl.core.errors import AwlError
from awl.core.graph.turns import TurnRestrictions
from awl.core.modes.mode import DRIVE, SHIPPED, Delays
from awl.core.modes.turning import binding
from awl.core.network.components import KeepParts
from awl.core.network.movements import movements
from awl.core.network.network import Network
from awl.core.routing.dijkstra.plain import matrix
from awl.core.routing.snapping import Snapped
from awl.io import gmns, gmns_read, link_list
from awl.io.units import Units
from awl.questions.run import ask
from awl.shipped import SOURCE
from awl.study import importing
from awl.study.line_fields import BuildOptions
from awl.study.study import Study
from demo.other import TEN_LINKS

NODES = "node_id,x_coord,y_coord\n7,-36.2,41.3\n9,-36.199,41.3\n4,-36.199,41.301\n"


def folder(tmp_path, links, nodes=NODES, **more):
    tmp_path.mkdir(exist_ok=True)
    (tmp_path / "node.csv").write_text(nodes)
    (tmp_path / "link.csv").write_text(links)
    for name, text in more.items():
        (tmp_path / f"{name}.csv").write_text(text)
    return tmp_path


@pytest.mark.parametrize("mode", ["walk", "drive"])
def test_every_field_of_the_tables_is_explained(graph, mode):
    """Against the headers as another reader of CSV has them."""
    tables = gmns.tables(Network.of(graph, SHIPPED[mode]))
    rows = list(csv.DictReader(io.StringIO(tables.pop("fields.csv"))))
    told = {(row["table"], row["field"]): row["unit"] for row in rows}
    assert list(told) == [
        (name.removesuffix(".csv"), field)
        for name, text in tables.items()
        for field in next(csv.reader(io.StringIO(text)))
    ]
    assert all(row["meaning"] for row in rows)
    assert (told["link", "length"], told["link", "free_speed"], told["link", "duration_s"]) == ("m", "km/h", "s")


@pytest.mark.parametrize("mode", ["walk", "drive"])
def test_what_is_written_reads_back_as_the_same_graph(graph, tmp_path, mode):
    before = Network.of(graph, SHIPPED[mode])
    for name, text in gmns.tables(before).items():
        (tmp_path / name).write_text(text, newline="")
    back = gmns_read.read(tmp_path).graph
    links = np.flatnonzero(before.usable)
    graph = before.graph  # where a barrier stands, it has two nodes
    used = np.unique(np.concatenate([graph.link_from[links], graph.link_to[links]]))
    assert sorted(back.node_id.tolist()) == sorted(graph.node_id[used].tolist())
    row = {int(n): i for i, n in enumerate(back.node_id)}
    at = np.array([row[int(n)] for n in graph.node_id[used]])
    assert (back.node_osm_id[at] == graph.node_osm_id[used]).all() and (
        back.node_border[at] == graph.node_border[used]
    ).all()
    for key, column in graph.node_tags.items():
        assert back.node_tag(key).take(at).decode() == column.take(used).decode(), key

    def described(some, rows):
        number = some.node_id
        tags = [some.tag(key).take(rows).decode() for key in sorted(graph.tags)]
        ends = zip(number[some.link_from[rows]].tolist(), number[some.link_to[rows]].tolist(), strict=True)
        ways = [tuple(some.link_ways[some.ways_start[i] : some.ways_start[i + 1]].tolist()) for i in rows]
        size = np.diff(some.shape_start)[rows].tolist()
        return sorted(zip(ends, size, ways, *tags, strict=True), key=str)

    assert described(back, np.arange(back.link_count)) == described(graph, links)
    assert back.link_length.sum() == pytest.approx(graph.link_length[links].sum(), rel=1e-6)
    wanted = [p for p in graph.restrictions.rows() if before.usable[[p.from_link, *p.via_links, p.to_link]].all()]
    assert len(back.restrictions) == len(wanted) and back.restrictions.kind.decode() == [p.kind for p in wanted]
    # The cost that was written is the one the mode computes with, each way.
    after = Network.of(back, SHIPPED[mode])
    both = np.stack(after.directed("time"), axis=1)
    assert np.abs(np.stack(after.directed("duration_s"), axis=1) - both)[both >= 0].max() <= 1


def test_movements_are_the_turns_left_where_some_are_forbidden(graph):
    drive = Network.of(graph, SHIPPED["drive"])
    rows = list(csv.DictReader(io.StringIO(gmns.movements(drive))))
    assert rows and {row["type"] for row in rows} <= {"left", "right", "thru", "uturn"}
    allowed = {(int(row["ib_link_id"]), int(row["ob_link_id"])) for row in rows}
    bound = [p for p, yes in zip(graph.restrictions.rows(), binding(DRIVE, graph.restrictions), strict=True) if yes]
    simple = [p for p in bound if not p.via_links and p.kind.startswith("no_")]
    assert simple
    for p in simple:
        for a in (2 * p.from_link + 1, 2 * p.from_link + 2):
            assert not {(a, 2 * p.to_link + 1), (a, 2 * p.to_link + 2)} & allowed, p
    on_foot = list(csv.DictReader(io.StringIO(gmns.movements(Network.of(graph, SHIPPED["walk"])))))
    assert on_foot and {float(row["penalty"]) for row in on_foot} == {10.0}, (
        "nobody on foot is bound; signals cost 10 s"
    )
    at_rest = Network.of(graph, replace(SHIPPED["walk"], delays=Delays()))
    assert gmns.movements(at_rest) == "", "without delays no turn needs saying"


def test_directed_pairs_one_way_links_and_units(tmp_path):
    links = "from_node_id,to_node_id,directed,free_speed,facility_type,geometry\n"
    links += "7,9,true,30,primary,\n9,7,true,30,primary,\n9,4,true,20,mystery,\n"
    links += '4,7,false,,residential,"LINESTRING (-36.199 41.301, -36.2 41.301, -36.2 41.3)"\n'
    graph = gmns_read.read(folder(tmp_path, links, config="speed\nmph\n")).graph
    order = np.argsort(graph.link_way)
    assert graph.tag("oneway").take(order).decode() == [None, "yes", None], "a pair of opposite links is one street"
    assert graph.tag("maxspeed").take(order).decode() == ["48.2803", "32.1869", None]
    assert graph.tag("highway").take(order).decode() == ["primary", "residential", "residential"]
    assert sorted(graph.node_id.tolist()) == [4, 7, 9] and np.diff(graph.shape_start).max() == 3


def test_further_numbers_are_costs_each_way(tmp_path):
    links = "from_node_id,to_node_id,directed,effort,note\n7,9,true,3,a\n9,7,true,5,b\n9,4,false,2,c\n4,7,true,,d\n"
    graph = gmns_read.read(folder(tmp_path, links)).graph
    order = np.argsort(graph.link_way)
    assert list(graph.costs) == ["effort"]
    assert np.nan_to_num(graph.costs["effort"][order], nan=-1).tolist() == [[3, 5], [2, 2], [-1, -1]]


def test_metres_are_asked_about_and_then_understood(tmp_path):
    nodes = "node_id,x_coord,y_coord\n7,399555.7,4573133.6\n9,399639.4,4573132.4\n"
    made = folder(tmp_path, HEAD + "7,9\n", nodes)
    with pytest.raises(AwlError, match="State their coordinate system") as caught:
        gmns_read.read(made)
    assert caught.value.kind == "crs-missing"
    graph = gmns_read.read(made, crs="EPSG:32625").graph
    assert graph.link_length[0] == pytest.approx(83.7, abs=0.2) and graph.node_lon[0] == pytest.approx(-34.2, abs=0.01)


def test_the_ten_nodes_are_a_drawing_routed_by_their_weights(tmp_path):
    importing.build(
        SOURCE / "demo" / "data" / "other" / "ten_nodes", tmp_path / "t.gpkg", options=BuildOptions(weight="weight")
    )
    study = Study(tmp_path / "t.gpkg")
    result = ask(study, "route", {"waypoints": [1, 10], "measure": "weight"}).document()
    route = result["routes"]["features"][0]["properties"]
    assert route["cost"] == 15 and route["node_ids"] == [1, 4, 5, 8, 9, 10]
    lengths = np.sort(study.graph.link_length).tolist()
    assert study.graph.drawn and lengths == pytest.approx(sorted(w for _, _, w in TEN_LINKS))
    # Read again from its tables, without the array folder, it is the same.
    shutil.rmtree(tmp_path / "t.awl")
    again = Study(tmp_path / "t.gpkg").graph
    assert again.drawn and np.sort(again.link_length).tolist() == pytest.approx(lengths)
    with pytest.raises(AwlError, match="no node 11"):
        ask(study, "route", {"waypoints": [1, 11]})
    with pytest.raises(AwlError, match=r"no cost 'toll'.*weight"):
        ask(study, "route", {"waypoints": [1, 10], "measure": "toll"})
    with pytest.raises(AwlError, match=r"no number column 'heft'.*weight"):
        gmns_read.read(SOURCE / "demo" / "data" / "other" / "ten_nodes", weight="heft")


def test_the_shipped_tables_become_a_study_with_their_numbers(tmp_path):
    importing.build(SOURCE / "demo" / "data" / "other" / "gmns", tmp_path / "g.gpkg")
    numbers = {
        int(row["node_id"]) for row in csv.DictReader((SOURCE / "demo" / "data" / "other" / "gmns" / "node.csv").open())
    }
    graph = Study(tmp_path / "g.gpkg").graph
    assert set(graph.node_id.tolist()) == numbers and graph.link_count > 1000 and graph.node_border.any()


def test_tables_come_zipped_too(tmp_path):
    archive = tmp_path / "net.zip"
    with zipfile.ZipFile(archive, "w") as out:
        out.writestr("net/node.csv", NODES)
        out.writestr("net/link.csv", HEAD + "7,9\n9,4\n")
    assert importing.read_graph(archive, "net.zip").graph.link_count == 2
    with zipfile.ZipFile(archive, "a") as out:
        out.writestr("../evil.csv", "never unpacked")
    (tmp_path / "other.zip").write_bytes(archive.read_bytes())
    with pytest.raises(AwlError, match="leads out of it"):
        importing.read_graph(tmp_path / "other.zip", "other.zip")
    assert not (tmp_path.parent / "evil.csv").exists()


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
        gmns_read.read(folder(tmp_path, links, nodes), strict=True)


def test_free_speed_counts_beside_other_columns_and_in_its_unit(tmp_path):
    links = "link_id,from_node_id,to_node_id,free_speed,lanes\n71,7,9,30,2\n"
    assert gmns_read.read(folder(tmp_path, links)).graph.tag("maxspeed").decode() == ["30"]
    graph = gmns_read.read(folder(tmp_path, links), units=Units("mph")).graph
    assert graph.tag("maxspeed").decode() == ["48.2803"] and graph.tag("lanes").decode() == ["2"]
    with pytest.raises(AwlError, match="'furlongs' is no unit of speed"):
        gmns_read.read(folder(tmp_path, links), units=Units("furlongs"))


def test_lengths_of_drawings_have_units(tmp_path):
    made = folder(tmp_path, "link_id,from_node_id,to_node_id,w\n1,7,9,2.5\n")
    miles = gmns_read.read(made, weight="w", units=Units(length="mi")).graph
    assert miles.link_length.tolist() == pytest.approx([2.5 * 1609.344])
    (tmp_path / "list.csv").write_text("from,to,length\na,b,2.5\n")
    assert link_list.read(tmp_path / "list.csv", "list.csv", unit="km").link_length.tolist() == [2500.0]
    with pytest.raises(AwlError, match="'chains' is no unit of length"):
        link_list.read(tmp_path / "list.csv", "list.csv", unit="chains")


@pytest.mark.parametrize("unit", ["mph", "km/h"])
def test_the_unit_of_speeds_is_shown_before_it_is_used(tmp_path, unit):
    made = folder(tmp_path, "link_id,from_node_id,to_node_id,free_speed\n1,7,9,30\n")
    (made / "config.csv").write_text(f"speed\n{unit}\n")
    assert gmns_read.speed_unit(made) == unit
    without = folder(tmp_path, "link_id,from_node_id,to_node_id\n1,7,9\n")
    assert gmns_read.speed_unit(without) is None


@pytest.mark.parametrize("key", ["geometry_id", "link_geom_id"])
def test_geometry_of_a_table_of_its_own(tmp_path, key):
    made = folder(tmp_path, f"link_id,from_node_id,to_node_id,{key}\n1,7,9,5\n")
    straight = gmns_read.read(made).graph.link_length[0]
    (made / "geometry.csv").write_text('geometry_id,geometry\n5,"LINESTRING (0 0, 0.5 1, 1 0)"\n')
    graph = gmns_read.read(made).graph
    assert graph.link_length[0] > 1.5 * straight and not graph.costs


def test_links_without_their_node_are_left_out_and_counted(tmp_path):
    found = gmns_read.read(folder(tmp_path, HEAD + "7,9\n7,5\n5,5\n"))
    assert found.graph.link_count == 1 and found.left_out == {"links without their node": 2}


def test_link_ids_survive_a_round_trip(tmp_path):
    links = "link_id,from_node_id,to_node_id,directed\n901,7,9,true\n902,9,7,true\n950,9,4,true\n"
    graph = gmns_read.read(folder(tmp_path, links)).graph
    written = gmns.tables(Network.of(graph, SHIPPED["walk"]))["link.csv"]
    rows = list(csv.DictReader(io.StringIO(written)))
    ends = {int(row["link_id"]): (row["from_node_id"], row["to_node_id"]) for row in rows}
    assert {ident: ends[ident] for ident in (901, 902, 950)} == {901: ("7", "9"), 902: ("9", "7"), 950: ("9", "4")}
    assert len(ends) == len(rows) == 4, "the other direction of link 950 has an id of its own"
    again = tmp_path / "again"
    again.mkdir()
    for name, text in gmns.tables(Network.of(graph, SHIPPED["walk"])).items():
        (again / name).write_text(text)
    twice = gmns.tables(Network.of(gmns_read.read(again).graph, SHIPPED["walk"]))["link.csv"]
    assert {row["link_id"] for row in csv.DictReader(io.StringIO(twice))} == {str(ident) for ident in ends}


MOVEMENTS = "mvmt_id,node_id,ib_link_id,ob_link_id,type,penalty,allowed_uses\n"


def test_turns_that_a_table_does_not_allow_are_barred(tmp_path):
    nodes = "node_id,x_coord,y_coord\n1,0,0\n2,1,0\n3,2,0\n4,1,1\n"
    links = "link_id,from_node_id,to_node_id\n12,1,2\n23,2,3\n24,2,4\n"
    made = folder(tmp_path, links, nodes)
    (made / "movement.csv").write_text(MOVEMENTS + "1,2,12,23,thru,5,all\n2,2,12,99,left,0,all\n")
    found = gmns_read.read(made)
    barred = [(p.from_link, p.to_link) for p in found.graph.restrictions.rows() if p.kind == "no_turn"]
    names = found.graph.tag("gmns_link_id").decode()
    assert [(names[a], names[b]) for a, b in barred] == [("12", "24")]
    assert found.left_out == {"movements between links that are not there": 1}
    (made / "movement.csv").write_text(MOVEMENTS + "1,2,12,23,thru,,none\n")
    assert len(gmns_read.read(made).graph.restrictions) == 2


def test_penalties_of_movements_are_what_turns_take(tmp_path):
    nodes = "node_id,x_coord,y_coord\n1,0,0\n2,0.001,0\n3,0.002,0\n4,0.001,0.001\n"
    links = "link_id,from_node_id,to_node_id,directed\n12,1,2,false\n23,2,3,false\n24,2,4,false\n"
    made = folder(tmp_path, links, nodes)
    turns = [f"{n},2,{a},{b},thru,{s},all" for n, (a, b, s) in enumerate(
        [("12", "23", 20), ("12", "24", ""), ("23", "12", "x"), ("23", "24", 0), ("24", "12", 12.5), ("24", "23", "")], 1
    )]  # fmt: skip
    (made / "movement.csv").write_text(MOVEMENTS + "\n".join(turns) + "\n")
    read = gmns_read.read(made)
    assert read.left_out == {"penalties of movements that are no number of seconds": 1}
    plain = replace(SHIPPED["drive"], delays=Delays(back_s=600))
    network = Network.of(read.graph, plain)
    stated = {(m.arc_in >> 1, m.arc_out >> 1): m.delay_s for m in movements(network) if m.arc_in >> 1 != m.arc_out >> 1}
    names = [int(name.split(";")[0]) for name in read.graph.tag("gmns_link_id").decode()]
    assert {(names[a], names[b]): s for (a, b), s in stated.items() if s} == {(12, 23): 20, (24, 12): 12.5}
    # They stand in place of the mode's own delays, and whoever walks loses none.
    own = {(m.arc_in >> 1, m.arc_out >> 1): m.delay_s for m in movements(Network.of(read.graph, SHIPPED["drive"]))}
    assert own[names.index(12), names.index(23)] == 20
    assert all(m.delay_s == 0 for m in movements(Network.of(read.graph, SHIPPED["walk"])))
    # A search loses them, and they survive the study file and the way out.
    places = on_links(read.graph, [names.index(12), names.index(23)])
    untold = Network.of(read.graph.with_restrictions(TurnRestrictions.none()), plain)
    assert (matrix(network, places, places, "time")[0] - matrix(untold, places, places, "time")[0]).tolist() == [
        [0, 20_000],
        [0, 0],
    ]
    again = tmp_path / "again"
    again.mkdir()
    for name, text in gmns.tables(network).items():
        (again / name).write_text(text)
    assert sorted(p.delay_s for p in gmns_read.read(again).graph.restrictions.rows()) == [12.5, 20]
    (again / "restriction.csv").unlink()
    assert {12.5, 20} <= {p.delay_s for p in gmns_read.read(again).graph.restrictions.rows()}


def on_links(graph, links):
    """Places in the middle of links."""
    nothing = np.zeros(len(links))
    return Snapped(
        np.array(links, np.int32), np.full(len(links), 0.5), nothing, np.zeros(len(links), np.int8), nothing, nothing
    )


def test_a_node_at_which_every_turn_is_barred_says_so(tmp_path):
    nodes = "node_id,x_coord,y_coord\n1,0,0\n2,0.001,0\n3,0.002,0\n4,0.003,0\n"
    links = "link_id,from_node_id,to_node_id,directed,oneway\n12,1,2,true,yes\n23,2,3,true,yes\n34,3,4,false,\n42,4,1,false,\n"
    made = folder(tmp_path, links, nodes)
    (made / "movement.csv").write_text(MOVEMENTS + "1,2,12,23,thru,,none\n")
    network = Network.of(gmns_read.read(made).graph, SHIPPED["drive"], KeepParts("all"))
    rows = list(csv.DictReader(io.StringIO(gmns.tables(network)["movement.csv"])))
    at_two = [row for row in rows if row["node_id"] == "2"]
    assert at_two and {row["allowed_uses"] for row in at_two} == {"none"}


def test_a_list_of_links_alone_is_a_drawing(tmp_path):
    path = tmp_path / "net.csv"
    path.write_text("from;to;length\nA;B;2,5\nB;C;4\nC;A;9\nC;D;1\n")
    graph = importing.read_graph(path, "net.csv").graph
    assert graph.drawn and graph.link_count == 4 and sorted(graph.link_length.round(3).tolist()) == [1, 2.5, 4, 9]
    assert len({*zip(graph.node_lon.round(6).tolist(), graph.node_lat.round(6).tolist(), strict=True)}) == 4
    path.write_text("source,target,toll\n1,2,3\n2,2,1\n")
    with pytest.raises(AwlError, match="names no length"):
        importing.read_graph(path, "net.csv")
    with pytest.raises(AwlError, match="line 3: The row has no two ends"):
        importing.read_graph(path, "net.csv", BuildOptions(weight="toll"))
