"""Reading OSM XML: what is in the file comes in, and hostile files are told off."""

from __future__ import annotations

import bz2
import gzip
import xml.etree.ElementTree as ElementTree

import pytest

from awl.core.errors import AwlError
from awl.io import osm_xml
from tests.conftest import DATA, node, osm, way

SMALL = (
    node(1, -36.2, 41.3)
    + node(2, -36.19, 41.3, barrier="bollard")
    + way(7, [1, 2], highway="residential", name="Curl Lane")
)


def write(tmp_path, content: bytes, name: str = "made.osm"):
    path = tmp_path / name
    path.write_bytes(content)
    return path


def test_it_reads_what_another_parser_reads():
    path = DATA / "cut.osm.bz2"
    raw = osm_xml.read(path)
    tree = ElementTree.fromstring(bz2.decompress(path.read_bytes()))
    ways = tree.findall("way")
    assert raw.way_id.tolist() == [int(w.get("id")) for w in ways]
    assert raw.way_refs.tolist() == [int(nd.get("ref")) for w in ways for nd in w.findall("nd")]
    assert raw.node_lat.tolist() == [float(n.get("lat")) for n in tree.findall("node")]
    for key in ("highway", "name", "oneway", "building"):
        expected = [next((t.get("v") for t in w.findall("tag") if t.get("k") == key), None) for w in ways]
        assert raw.way_column(key).decode() == expected
    multipolygons = [r for r in tree.findall("relation") if r.find("tag[@v='multipolygon']") is not None]
    assert len(raw.relations) == len(multipolygons) > 0


@pytest.mark.parametrize(("pack", "ending"), [(bytes, ".osm"), (gzip.compress, ".osm.gz"), (bz2.compress, ".osm.bz2")])
def test_packings(tmp_path, pack, ending):
    raw = osm_xml.read(write(tmp_path, pack(osm(SMALL).encode()), f"made{ending}"))
    assert raw.way_id.tolist() == [7]
    assert raw.way_column("name").at(0) == "Curl Lane"
    assert raw.node_tags["barrier"].decode() == ["bollard"]


def test_deleted_and_invisible_things_are_left_out(tmp_path):
    body = SMALL + '<way id="8" visible="false"><nd ref="1"/><nd ref="2"/><tag k="highway" v="service"/></way>'
    body += '<way id="9" action="delete"><nd ref="1"/></way>' + way(10, [2, 1], highway="path")
    raw = osm_xml.read(write(tmp_path, osm(body).encode()))
    assert raw.way_id.tolist() == [7, 10]
    assert raw.way_start.tolist() == [0, 2, 4]


HOSTILE = {
    "empty": (b"", "is empty"),
    "no XML": (b"once upon a time", "not well-formed XML"),
    "binary": (bytes(range(256)) * 20, "not well-formed XML"),
    "other XML": (b"<gpx><trk/></gpx>", "first element is <gpx>"),
    "cut short": (osm(SMALL).encode()[:-20], "cut short"),
    "cut in a tag": (osm(SMALL).encode()[:120], "cut short"),
    "no root": (b'<?xml version="1.0"?>\n', "cut short"),
    "entities": (b'<?xml version="1.0"?><!DOCTYPE osm [<!ENTITY a "b">]><osm>&a;</osm>', "document type or entities"),
    "outside entity": (b'<!DOCTYPE osm SYSTEM "file:///etc/passwd"><osm/>', "document type or entities"),
    "no number": (osm('<node id="x" lon="0" lat="0"/>').encode(), "no number"),
    "no coordinate": (osm('<node id="1" lon="0"/>').encode(), "lacks a proper lat"),
    "member without type": (
        osm('<relation id="1"><member ref="1" role="outer"/></relation>').encode(),
        "lacks a proper type",
    ),
}


@pytest.mark.parametrize("kind", HOSTILE)
def test_hostile_files_are_named_with_what_is_wrong(tmp_path, kind):
    content, expected = HOSTILE[kind]
    with pytest.raises(AwlError) as caught:
        osm_xml.read(write(tmp_path, content))
    assert expected in caught.value.detail
    assert "made.osm" in caught.value.detail


def test_the_line_of_a_fault_is_given(tmp_path):
    with pytest.raises(AwlError, match="line 4"):
        osm_xml.read(write(tmp_path, osm(node(1, 0, 0) + '<node id="2" lon="east" lat="0"/>').encode()))


@pytest.mark.parametrize("ending", [".osm.gz", ".osm.bz2"])
def test_damaged_packing(tmp_path, ending):
    whole = (gzip.compress if ending == ".osm.gz" else bz2.compress)(osm(SMALL * 50).encode())
    with pytest.raises(AwlError, match=r"cut short"):
        osm_xml.read(write(tmp_path, whole[:-12], f"made{ending}"))
    with pytest.raises(AwlError, match="damaged"):
        osm_xml.read(write(tmp_path, b"not packed at all", f"made{ending}"))


def test_a_file_that_unpacks_without_end_is_refused(tmp_path, monkeypatch):
    monkeypatch.setattr(osm_xml, "BOMB_BYTES", 1 << 20)
    bomb = gzip.compress(b"<osm>" + b" " * (64 << 20) + b"</osm>")
    with pytest.raises(AwlError, match="unpacks to more than"):
        osm_xml.read(write(tmp_path, bomb, "bomb.osm.gz"))
