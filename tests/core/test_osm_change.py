"""Change files: applied to the extract by other means and built anew, they give the edited streets; read back, the same edits."""

from __future__ import annotations

import bz2
import xml.etree.ElementTree as ET
from collections import Counter
from collections.abc import Callable
from functools import cache
from pathlib import Path
from random import Random
from typing import NamedTuple

import numpy as np
import pytest

from awl.core.errors import AwlError
from awl.core.graph.build import build_graph
from awl.core.graph.chains import merge_chains
from awl.core.graph.edits.apply import apply
from awl.core.graph.edits.edit import Edit
from awl.core.graph.edits.records import link_record, node_record, turn_records
from awl.core.graph.osm_change.elements import OsmChange, OsmNode, OsmRelation, OsmWay, Wanted, spot_of
from awl.core.graph.osm_change.incoming import incoming, needed
from awl.core.graph.osm_change.outgoing import difference, outgoing
from awl.core.graph.raw import RawExtract
from awl.core.graph.street_graph import StreetGraph
from awl.io import osm_change, osm_xml
from tests.conftest import CUT, EXTRACT, node, osm, way
from tests.io.pbf_peer import PB, blob, block, deltas, header

ReadOsm = Callable[[str], RawExtract]
XML = EXTRACT.with_name("cut.osm.bz2")
DIRECTED = ("oneway", "oneway:bicycle", "oneway:foot", "maxspeed:forward", "maxspeed:backward", "incline")


@pytest.fixture(scope="module")
def town() -> StreetGraph:
    """All of the extract, not cut to an area."""
    return build_graph(osm_xml.read(XML))[0]


class Element(NamedTuple):
    """An element of an extract as it is written, and the nodes it leads over."""

    text: bytes
    nodes: frozenset[str | None]


def as_written(element: ET.Element) -> Element:
    return Element(ET.tostring(element), frozenset(nd.get("ref") for nd in element.iter("nd")))


@cache
def extract_elements() -> dict[tuple[str, str | None], Element]:
    tree = ET.fromstring(bz2.decompress(XML.read_bytes()))
    return {(element.tag, element.get("id")): as_written(element) for element in tree}


def changed_extract(change: bytes, path: Path) -> Path:
    """The extract with a change applied, element by element, by nothing but the XML library."""
    by_key = dict(extract_elements())
    for act in ET.fromstring(change):
        for element in act:
            key = element.tag, element.get("id")
            if act.tag == "create":
                assert key not in by_key and int(str(key[1])) < 0
                by_key[key] = as_written(element)
            elif act.tag == "modify":
                assert key in by_key
                by_key[key] = as_written(element)
            else:
                asks = element.tag == "node" and act.get("if-unused") == "true"
                if not (asks and any(key[1] in other.nodes for other in by_key.values())):
                    del by_key[key]
    order = {"node": 0, "way": 1, "relation": 2}
    ordered = sorted(by_key, key=lambda key: order.get(key[0], -1))
    path.write_bytes(b'<osm version="0.6">' + b"".join(by_key[key].text for key in ordered) + b"</osm>")
    return path


def streets(graph: StreetGraph) -> Counter[object]:
    """Lines with tags, marks of nodes and turn restrictions, by place alone; drawn direction where it matters."""
    graph = merge_chains(graph)[0]
    found: Counter[object] = Counter()
    links = {}
    for row in range(graph.link_count):
        link = link_record(graph, row)
        line = tuple(spot_of(*place) for place in link.line)
        if not any(key in link.tags for key in DIRECTED):
            line = min(line, line[::-1])
        links[link.id] = line
        found["street", line, tuple(sorted(link.tags.items()))] += 1
    spots = {}
    for row in range(graph.node_count):
        node = node_record(graph, row)
        spots[node.id] = spot_of(node.lon, node.lat)
        if node.tags:
            found["node", spots[node.id], tuple(sorted(node.tags.items()))] += 1
    for turn in turn_records(graph):
        between = tuple(links[link] for link in turn.via_links)
        about = links[turn.from_link], spots[turn.via_node], between, links[turn.to_link]
        found["turn", about, turn.kind.split("_")[0], turn.applies_to, turn.exempt, turn.condition] += 1
    return found


def random_edits(graph: StreetGraph, random: Random, count: int) -> list[Edit]:
    """Edits of all kinds at streets that are there, each fitting what the ones before left."""
    edits: list[Edit] = []
    current = graph
    while len(edits) < count:
        edit = random_edit(current, random)
        if edit is None:
            continue
        applied = apply(current, [edit], strict=False)
        if not applied.misfits:
            current = applied.graph
            edits += applied.edits
    return edits


def random_edit(graph: StreetGraph, random: Random) -> Edit | None:
    link = link_record(graph, random.randrange(graph.link_count))
    kind = random.choice(
        ["add", "delete", "reverse", "change", "reshape", "split", "separate", "move", "node", "restrict", "allow"]
    )
    at = link.line[0]
    near = (round(at[0] + random.uniform(1e-4, 6e-4), 7), round(at[1] + random.uniform(1e-4, 6e-4), 7))
    if kind == "add":
        return Edit("add", points=(at, near), tags={"highway": "footway", "name": "New way"})
    if kind in ("delete", "reverse"):
        return Edit(kind, links=(link.id,))
    if kind == "change":
        return Edit("change", links=(link.id,), tags={"maxspeed": "20", "surface": None})
    if kind == "reshape":
        between = (round(at[0] + 3e-5, 7), round(at[1] + 4e-5, 7))
        return Edit("reshape", links=(link.id,), points=(at, between, link.line[-1]))
    if kind == "split":
        a, b = link.line[:2]
        middle = (round((a[0] + b[0]) / 2, 7), round((a[1] + b[1]) / 2, 7))
        return Edit("split", links=(link.id,), points=(middle,), tags={"barrier": "bollard"})
    if kind == "separate":
        return Edit("separate", links=(link.id,), node=link.tail)
    if kind == "move":
        return Edit("move", node=link.tail, points=(near,))
    if kind == "node":
        return Edit("node", node=link.tail, tags={"barrier": "gate"})
    if kind == "allow":
        turns = turn_records(graph)
        if not turns:
            return None
        turn = random.choice(turns)
        return Edit("allow", links=(turn.from_link, turn.to_link), node=turn.via_node)
    row = int(graph.node_rows([link.tail])[0])
    others = [i for i in range(graph.link_count) if row in (graph.link_from[i], graph.link_to[i])]
    other = int(graph.link_id[random.choice(others)])
    if other == link.id or link.tail == link.head:
        return None
    onward = onward_of(graph, other, link.tail)
    if onward and random.random() < 0.5:
        return Edit("restrict", links=(link.id, other, random.choice(onward)), node=link.tail)
    return Edit("restrict", links=(link.id, other), node=link.tail, tags={"restriction": "no_left_turn"})


def onward_of(graph: StreetGraph, link: int, node: int) -> list[int]:
    """The links one may go on by from the far end of a link, where that is another node."""
    record = link_record(graph, int(graph.link_rows([link])[0]))
    far = record.head if record.tail == node else record.tail
    row = int(graph.node_rows([far])[0])
    touching = np.flatnonzero((graph.link_from == row) | (graph.link_to == row))
    return [] if far == node else [ident for ident in graph.link_id[touching].tolist() if ident != link]


def as_change(graph: StreetGraph, edits: list[Edit]) -> tuple[StreetGraph, OsmChange]:
    applied = apply(graph, edits)
    links = [link.id for link in (*applied.patch.links_before, *applied.patch.links_after)]
    nodes = [node.id for node in (*applied.patch.nodes_before, *applied.patch.nodes_after)]
    told = difference(graph, applied.graph, links, nodes)
    return applied.graph, outgoing(told, osm_change.read_elements(EXTRACT, told.wanted()))


@pytest.mark.parametrize("seed", range(20))
def test_the_extract_with_the_change_has_the_edited_streets(town: StreetGraph, tmp_path: Path, seed: int) -> None:
    edited, change = as_change(town, random_edits(town, Random(seed), 1 + seed % 8))
    text = osm_change.dumps(change)
    rebuilt = build_graph(osm_xml.read(changed_extract(text, tmp_path / "changed.osm")))[0]
    assert streets(rebuilt) == streets(edited)


@pytest.mark.parametrize("seed", range(100, 115))
def test_a_change_taken_in_does_to_the_streets_what_it_does_to_the_extract(
    town: StreetGraph, tmp_path: Path, seed: int
) -> None:
    _, change = as_change(town, random_edits(town, Random(seed), 1 + seed % 6))
    path = tmp_path / "edits.osc"
    path.write_bytes(osm_change.dumps(change))
    read = osm_change.read(path)
    known = osm_change.read_elements(EXTRACT, needed(read))
    told = incoming(town, read, known)
    assert told.misfits == ()
    rebuilt = build_graph(osm_xml.read(changed_extract(path.read_bytes(), tmp_path / "changed.osm")))[0]
    assert streets(apply(town, told.edits).graph) == streets(rebuilt)


def test_a_street_cut_at_the_edge_of_the_study_stays_whole_in_the_source(tmp_path: Path) -> None:
    graph = build_graph(osm_xml.read(XML), CUT)[0]
    ends = graph.node_border[graph.link_from] ^ graph.node_border[graph.link_to]
    links = tuple(graph.link_id[ends][:12].tolist())
    _, change = as_change(graph, [Edit("change", links=links, tags={"maxspeed": "7"})])
    path = tmp_path / "edits.osc"
    path.write_bytes(osm_change.dumps(change))
    rebuilt = build_graph(osm_xml.read(changed_extract(path.read_bytes(), tmp_path / "changed.osm")))[0]
    whole = build_graph(osm_xml.read(XML))[0]
    assert float(rebuilt.link_length.sum()) == pytest.approx(float(whole.link_length.sum()), abs=0.01)
    slow = rebuilt.tag("maxspeed").equals("7")
    inside = sum(link_record(graph, int(row)).length for row in graph.link_rows(list(links)))
    assert 0 < float(rebuilt.link_length[slow].sum()) <= inside + 0.01
    known = osm_change.read_elements(EXTRACT, needed(change))
    again = apply(graph, incoming(graph, osm_change.read(path), known).edits).graph
    assert float(again.link_length.sum()) == pytest.approx(float(graph.link_length.sum()), abs=0.01)


def test_xml_and_pbf_tell_the_same_elements() -> None:
    wanted = Wanted(frozenset({7080064}), frozenset({411207, 411242}), frozenset({1, 2, 3}))
    assert osm_change.read_elements(EXTRACT, wanted) == osm_change.read_elements(XML, wanted)


def test_elements_of_another_writer_are_read_in_full(tmp_path: Path) -> None:
    """Dense and plain nodes, versions and members as Google's library writes them."""
    texts = ["", "highway", "steps", "name", "Stairs", "from", "via"]
    info = PB["Info"](version=7)
    dense = PB["DenseNodes"](
        id=deltas([10, 20]), lat=deltas([412_000_000, 412_000_100]), lon=deltas([-361_000_000, -361_000_200]),
        keys_vals=[0, 3, 4, 0], denseinfo=PB["DenseInfo"](version=[3, 4]),
    )  # fmt: skip
    plain = PB["Node"](id=-5, lat=10, lon=20, keys=[3], vals=[4], info=info)
    way = PB["Way"](id=77, keys=[1, 3], vals=[2, 4], refs=deltas([10, 20, -5]), info=info)
    relation = PB["Relation"](
        id=9, keys=[3], vals=[4], roles_sid=[5, 6], memids=deltas([77, 20]), types=[1, 0], info=info
    )
    groups = [
        PB["PrimitiveGroup"](**part)
        for part in ({"dense": dense}, {"nodes": [plain]}, {"ways": [way]}, {"relations": [relation]})
    ]
    path = tmp_path / "other.osm.pbf"
    path.write_bytes(header() + blob("OSMData", block(texts, *groups)))
    found = osm_change.read_elements(path, Wanted(ways=frozenset({77}), relations=frozenset({9})))
    assert found.nodes == {
        10: OsmNode(10, 3, -36.1, 41.2, {}),
        20: OsmNode(20, 4, -36.10002, 41.20001, {"name": "Stairs"}),
        -5: OsmNode(-5, 7, 20e-7, 10e-7, {"name": "Stairs"}),
    }
    assert found.ways == {77: OsmWay(77, 7, (10, 20, -5), {"highway": "steps", "name": "Stairs"})}
    members = (("from", "way", 77), ("via", "node", 20))
    assert found.relations == {9: OsmRelation(9, 7, members, {"name": "Stairs"})}


def written(tmp_path: Path, body: str, root: str = "osmChange") -> Path:
    path = tmp_path / "hand.osc"
    path.write_text(f'<{root} version="0.6">{body}</{root}>')
    return path


@pytest.mark.parametrize(
    ("body", "words"),
    [
        ('<create><node id="-1" lon="200" lat="1"/></create>', "no number"),
        ('<create><node id="-1" lon="nan" lat="1"/></create>', "no number"),
        ('<create><way id="x"/></create>', "no number"),
        ('<modify><way id="1"><nd/></way></modify>', "lacks"),
        ('<node id="1" lon="1" lat="1"/>', "under none of create"),
        ('<create><node id="-1" lon="1" lat="1">', "well-formed"),
    ],
)
def test_a_faulty_change_file_is_refused_with_its_line(tmp_path: Path, body: str, words: str) -> None:
    with pytest.raises(AwlError, match=words) as caught:
        osm_change.read(written(tmp_path, body))
    assert "hand.osc" in str(caught.value.where)


def test_entities_and_other_files_are_refused(tmp_path: Path) -> None:
    path = tmp_path / "bomb.osc"
    path.write_text('<!DOCTYPE x [<!ENTITY a "aaaa">]><osmChange>&a;</osmChange>')
    with pytest.raises(AwlError, match="document type"):
        osm_change.read(path)
    with pytest.raises(AwlError, match="instead of <osmChange>"):
        osm_change.read(written(tmp_path, "", "osm"))


def test_what_does_not_fit_is_told_and_the_rest_done(town: StreetGraph, tmp_path: Path) -> None:
    body = (
        '<create><node id="-1" lon="-36.2" lat="41.29"/><node id="-2" lon="-36.2001" lat="41.2901"/>'
        '<way id="-3"><nd ref="-1"/><nd ref="-2"/><tag k="highway" v="path"/></way>'
        '<way id="-4"><nd ref="-1"/><nd ref="-99"/><tag k="highway" v="path"/></way>'
        '<way id="-5"><nd ref="-1"/><nd ref="-2"/><tag k="building" v="yes"/></way></create>'
        '<modify><node id="4040404" version="2" lon="1" lat="1"/></modify>'
        '<delete><way id="411242" version="1"/><way id="5" version="1"/></delete>'
    )
    told = incoming(town, osm_change.read(written(tmp_path, body)), None)
    assert [misfit.split(":")[0] for misfit in told.misfits] == ["Node 4040404", "Way -4"]
    assert [edit.kind for edit in told.edits] == ["delete", "add"]
    assert told.passed_over == 2


def test_a_restriction_over_ways_and_one_of_several_ways_are_taken_in(read_osm: ReadOsm, tmp_path: Path) -> None:
    """As building the extract with the change reads them; a way drawn by the change itself is the one between."""
    places = {1: (0.0, 0.0), 2: (0.001, 0.0), 3: (0.0, 0.001), 4: (-0.001, 0.0), 5: (0.002, 0.0), 6: (0.0, 0.002)}
    nodes = "".join(node(ident, *place) for ident, place in places.items())
    before = nodes + "".join(way(10 + end, [1, end], highway="residential") for end in (2, 3, 4))
    before += way(15, [2, 5], highway="residential") + way(16, [3, 6], highway="residential")
    drawn = way(-1, [2, 3], highway="residential")
    turns = (
        '<relation id="-2"><member type="way" ref="12" role="from"/><member type="way" ref="13" role="from"/>'
        '<member type="node" ref="1" role="via"/><member type="way" ref="14" role="to"/>'
        '<tag k="type" v="restriction"/><tag k="restriction" v="no_entry"/></relation>'
        '<relation id="-3"><member type="way" ref="15" role="from"/><member type="way" ref="-1" role="via"/>'
        '<member type="way" ref="16" role="to"/><tag k="type" v="restriction"/><tag k="restriction" v="no_right_turn"/>'
        "</relation>"
    )
    graph = build_graph(read_osm(before))[0]
    change = osm_change.read(written(tmp_path, f"<create>{drawn}{turns}</create>"))
    (tmp_path / "before.osm").write_text(osm(before))
    known = osm_change.read_elements(tmp_path / "before.osm", needed(change))
    told = incoming(graph, change, known)
    rebuilt = build_graph(read_osm(before + drawn + turns))[0]
    assert told.misfits == () and streets(apply(graph, told.edits).graph) == streets(rebuilt)
    assert sorted(len(edit.links) for edit in told.edits if edit.kind == "restrict") == [2, 2, 3]
    far = turns.replace('ref="16"', 'ref="14"')
    told = incoming(graph, osm_change.read(written(tmp_path, f"<create>{drawn}{far}</create>")), known)
    assert [misfit.split(":")[0] for misfit in told.misfits] == ["Relation -3"]


def test_a_way_whose_nodes_are_unknown_is_left_as_it_is_without_the_extract(town: StreetGraph, tmp_path: Path) -> None:
    elements = osm_change.read_elements(EXTRACT, Wanted(ways=frozenset({411207})))
    refs = "".join(f'<nd ref="{ref}"/>' for ref in elements.ways[411207].refs)
    body = f'<modify><way id="411207" version="1">{refs}<tag k="highway" v="cycleway"/></way></modify>'
    change = osm_change.read(written(tmp_path, body))
    told = incoming(town, change, None)
    assert told.edits == () and "not known where node" in told.misfits[0]
    told = incoming(town, change, elements)
    assert {edit.kind for edit in told.edits} == {"change"} and told.misfits == ()


def test_what_an_edit_does_to_a_way_is_all_that_changes(town: StreetGraph) -> None:
    """A limit on one link of a way parts it in three; the longest keeps the id, and every tag the study does not keep."""
    graph, counts = town, Counter(town.link_way.tolist())
    way = next(ident for ident, number in counts.most_common() if number >= 4 and ident > 0)
    rows = np.flatnonzero(graph.link_way == way)
    _, change = as_change(graph, [Edit("change", links=(int(graph.link_id[rows[1]]),), tags={"maxspeed": "7"})])
    ways = [*change.of_kind("modify", OsmWay), *change.of_kind("create", OsmWay)]
    assert way in {one.id for one in ways} and change.delete == () and not change.of_kind("create", OsmNode)
    old = osm_change.read_elements(EXTRACT, Wanted(ways=frozenset({way}))).ways[way]
    assert sorted(pair for one in ways for pair in zip(one.refs, one.refs[1:], strict=False)) == sorted(
        zip(old.refs, old.refs[1:], strict=False)
    )
    assert [one.tags for one in ways if one.tags.get("maxspeed") != "7"] == [old.tags] * (len(ways) - 1)
    assert any("now" in note and "ways" in note for note in change.notes)
