"""OSM PBF against independent readers and writers of the format, and hostile files."""

from __future__ import annotations

import tracemalloc
from importlib import import_module
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from awl.core.errors import AwlError
from awl.core.graph.build import build_graph
from awl.io import osm_pbf, osm_xml
from awl.io.osm_pbf import kernels
from awl.io.osm_pbf.kernel_arrays import Group, MemberRoom, TagRoom
from awl.io.osm_pbf.write import Extract, Tags, _deltas, _varints, _zigzags
from tests.conftest import DATA, EXTRACT
from tests.io.pbf_peer import PB, blob, block, deltas, header, unframed

WAY_TEXTS = ["", "highway", "residential", "name", "Curl Lane"]


def some_nodes(plain: bool) -> bytes:
    """Nodes 10, 12 and 15 near the origin, 12 a bollard."""
    texts = ["", "barrier", "bollard", "source", "survey"]
    if plain:
        nodes = [PB["Node"](id=i, lat=100 * i, lon=-100 * i) for i in (10, 15)]
        nodes.insert(1, PB["Node"](id=12, lat=1200, lon=-1200, keys=[3, 1], vals=[4, 2]))
        return block(texts, PB["PrimitiveGroup"](nodes=nodes))
    dense = PB["DenseNodes"](
        id=deltas([10, 12, 15]), lat=deltas([1000, 1200, 1500]), lon=deltas([-1000, -1200, -1500]),
        keys_vals=[0, 3, 4, 1, 2, 0, 0],
    )  # fmt: skip
    return block(texts, PB["PrimitiveGroup"](dense=dense))


def some_ways() -> bytes:
    way = PB["Way"](id=7, keys=[1, 3], vals=[2, 4], refs=deltas([10, 12, 15, 99]))
    other = PB["Way"](id=8, keys=[3], vals=[4], refs=deltas([10, 15]))
    return block(WAY_TEXTS, PB["PrimitiveGroup"](ways=[way, other]))


def write(tmp_path: Path, *parts: bytes) -> Path:
    path = tmp_path / "made.osm.pbf"
    path.write_bytes(b"".join(parts))
    return path


@pytest.mark.parametrize("plain", [True, False])
@pytest.mark.parametrize("order", ["sorted", "unsorted", "one blob", "raw blobs"])
def test_it_reads_what_another_library_wrote(tmp_path, plain, order):
    nodes, ways = some_nodes(plain), some_ways()
    if order == "sorted":
        parts = [header("Sort.Type_then_ID"), blob("OSMData", nodes), blob("OSMData", ways)]
    elif order == "unsorted":
        parts = [header(), blob("OSMData", ways), blob("Unknown", b"junk"), blob("OSMData", nodes)]
    elif order == "raw blobs":
        parts = [header(), blob("OSMData", nodes, packed=False), blob("OSMData", ways, packed=False)]
    else:
        whole = PB["PrimitiveBlock"].FromString(ways)
        own = PB["PrimitiveBlock"].FromString(some_nodes(plain)).primitivegroup[0]
        texts = [*WAY_TEXTS, "barrier", "bollard"]
        if plain:
            own.nodes[1].keys[:], own.nodes[1].vals[:] = [5], [6]
        else:
            own.dense.keys_vals[:] = [0, 5, 6, 0, 0]
        parts = [header("Sort.Type_then_ID"), blob("OSMData", block(texts, own, whole.primitivegroup[0]))]
    raw = osm_pbf.read(write(tmp_path, *parts))
    assert raw.node_id.tolist() == [10, 12, 15]
    assert raw.node_lat.tolist() == [1e-4, 1.2e-4, 1.5e-4] and raw.node_lon.tolist() == [-1e-4, -1.2e-4, -1.5e-4]
    assert raw.tagged_nodes.tolist() == [1] and raw.node_tags["barrier"].decode() == ["bollard"]
    assert raw.way_id.tolist() == [7] and raw.way_refs.tolist() == [10, 12, 15, 99]
    assert raw.way_column("name").decode() == ["Curl Lane"]


def test_granularity_and_offsets(tmp_path):
    dense = PB["DenseNodes"](id=[10, 5], lat=[5, 1], lon=[7, 1])
    content = block([""], PB["PrimitiveGroup"](dense=dense), granularity=1000, lat_offset=10**9, lon_offset=-2 * 10**9)
    way = block(WAY_TEXTS, PB["PrimitiveGroup"](ways=[PB["Way"](id=1, keys=[1], vals=[2], refs=[10, 5])]))
    raw = osm_pbf.read(write(tmp_path, header(), blob("OSMData", content), blob("OSMData", way)))
    assert raw.node_lat.tolist() == [1.000005, 1.000006] and raw.node_lon.tolist() == [-1.999993, -1.999992]


def test_both_formats_of_ferrow_hold_the_same_streets():
    graphs = [build_graph(reader(DATA / name))[0] for reader, name in
              ((osm_pbf.read, "cut.osm.pbf"), (osm_xml.read, "cut.osm.bz2"))]  # fmt: skip
    a, b = graphs
    assert a.link_count > 1500
    for name in ("node_id", "node_lon", "link_from", "link_to", "link_way", "shape_lon", "shape_lat"):
        assert np.array_equal(getattr(a, name), getattr(b, name)), name
    assert {k: c.decode() for k, c in a.tags.items()} == {k: c.decode() for k, c in b.tags.items()}


def test_another_reader_sees_the_same_city(other_reader):
    ours = osm_pbf.read(EXTRACT)
    pyogrio = other_reader()
    lines, _, _, columns = pyogrio.raw.read(EXTRACT, layer="lines", columns=["osm_id", "highway"])
    theirs = dict(zip(*(column.tolist() for column in columns), strict=True))
    assert lines["fields"].tolist() == ["osm_id", "highway"]
    streets = ours.way_column("highway")
    mine = {str(ident): kind for ident, kind in zip(ours.way_id.tolist(), streets.decode(), strict=True) if kind}
    closed = set(mine) - set(theirs)  # GDAL takes some closed ways as areas
    assert {key: theirs[key] for key in mine if key in theirs} == {k: v for k, v in mine.items() if k not in closed}
    assert len(closed) < 0.05 * len(mine)
    places = pyogrio.raw.read(EXTRACT, layer="points", where="place IS NOT NULL")[2]
    assert len(places) == ours.node_tags["place"].present().sum() > 0


def test_another_library_reads_what_we_write():
    kinds = [kind for kind, _ in unframed(EXTRACT.read_bytes())]
    assert kinds[0] == "OSMHeader" and set(kinds[1:]) == {"OSMData"}
    head = PB["HeaderBlock"].FromString(unframed(EXTRACT.read_bytes())[0][1])
    assert list(head.required_features) == ["OsmSchema-V0.6", "DenseNodes"]
    nodes, refs, restrictions = {}, set(), 0
    for _, content in unframed(EXTRACT.read_bytes())[1:]:
        part = PB["PrimitiveBlock"].FromString(content)
        texts = [text.decode() for text in part.stringtable.s]
        for group in part.primitivegroup:
            dense = group.dense
            ids, lats = np.cumsum(dense.id), np.cumsum(dense.lat)
            nodes |= dict(zip(ids.tolist(), (lats / 1e7).tolist(), strict=True))
            for way in group.ways:
                refs |= set(np.cumsum(way.refs).tolist())
            for relation in group.relations:
                restrictions += "restriction" in [texts[v] for v in relation.vals]
    raw = osm_pbf.read(EXTRACT)
    assert [nodes[i] for i in raw.node_id.tolist()] == pytest.approx(raw.node_lat.tolist(), abs=1e-9)
    assert set(raw.way_refs.tolist()) <= refs and restrictions > 3


@settings(deadline=None)  # the first example loads the kernels
@given(st.lists(st.integers(-(2**60), 2**60), max_size=60))
def test_numbers_survive_the_wire(numbers):
    data = np.frombuffer(_varints(_zigzags(_deltas(np.array(numbers, np.int64)))), np.uint8)
    out = np.empty(len(numbers), np.int64)
    assert kernels.numbers_of(data, 0, len(data), out, True) == len(numbers)
    assert out.tolist() == numbers


@settings(deadline=None)
@given(st.binary(max_size=200))
def test_no_bytes_lead_a_kernel_astray(data):
    """Whatever the bytes, a kernel gives a count or BROKEN, and never writes beyond its arrays."""
    buffer = np.frombuffer(data, np.uint8)
    room = len(buffer) + 1
    key_of, selects = np.zeros(3, np.int16), np.ones(1, bool)
    ints = [np.empty(room, np.int64) for _ in range(8)]
    small = np.empty(room, np.int16)
    nothing, numbers = np.empty((0, 2), np.int64), np.zeros(3, np.int64)
    members = np.zeros(0, np.int64)
    group = Group(buffer, 0, len(buffer), key_of, selects)
    results = [
        *kernels.layout(buffer, nothing, nothing, numbers),
        kernels.dense_nodes(
            buffer, 0, len(buffer), ints[0], ints[1], ints[2], ints[3][:2] if room > 1 else np.empty(2, np.int64)
        ),
        kernels.dense_tags(group, TagRoom(ints[0], small, ints[1])),
        *kernels.plain_nodes(group, *ints[:3], TagRoom(ints[3], small, ints[4])),
        *kernels.ways(group, members, *ints[:3], TagRoom(ints[3], small, ints[4])),
        *kernels.relations(group, ints[0], MemberRoom(*ints[1:5]), TagRoom(ints[5], small, ints[6])),
    ]
    assert all(-1 <= result <= len(buffer) for result in results)


def dense_blob(**lists: list[int]) -> bytes:
    return blob("OSMData", block([""], PB["PrimitiveGroup"](dense=PB["DenseNodes"](**lists))))


GOOD = [header(), blob("OSMData", some_nodes(False)), blob("OSMData", some_ways())]
CUT_SHORT = b"".join(GOOD)[:-9]
HOSTILE = {
    "empty": (b"", "is empty"),
    "XML": (b"<?xml version='1.0'?><osm/>", "no OSM PBF"),
    "no header first": (GOOD[1], "does not begin with a header"),
    "cut in a blob": (CUT_SHORT, f"byte {len(GOOD[0]) + len(GOOD[1]):,}.*cut short.*lacks 9 bytes"),
    "cut in a blob header": (GOOD[0] + GOOD[1][:9], "cut short within a blob header"),
    "giant header": (GOOD[0] + (1 << 30).to_bytes(4, "big") + b"x" * 50, "declares 1,073,741,824 bytes"),
    "giant blob": (GOOD[0] + blob("OSMData", b"x", raw_size=1 << 30), "declares 1,073,741,824 unpacked bytes"),
    "more than declared": (GOOD[0] + blob("OSMData", some_ways(), raw_size=5), "unpacks to other than the 5 bytes"),
    "less than declared": (GOOD[0] + blob("OSMData", some_ways(), raw_size=5000), "unpacks to other than"),
    "not zlib": (GOOD[0] + blob("OSMData", b"abc", zlib_data=b"rubbish"), "cannot be unpacked"),
    "other packing": (GOOD[0] + blob("OSMData", b"abc", zlib_data=None, lzma_data=b"abc"), "packed with lzma"),
    "no data": (GOOD[0] + blob("OSMData", b"", packed=False, raw=None), "holds no data"),
    "unknown feature": (header(required=("OsmSchema-V0.6", "Telepathy")), "requires the feature 'Telepathy'"),
    "history": (header(required=("HistoricalInformation",)), "without history"),
    "broken block": (GOOD[0] + blob("OSMData", b"\x12\x7f\x01"), "malformed"),
    "string out of range": (
        GOOD[0] + blob("OSMData", block([""], PB["PrimitiveGroup"](ways=[PB["Way"](id=1, keys=[9], vals=[9])]))),
        "malformed",
    ),
    "unequal lists": (GOOD[0] + dense_blob(id=[1, 1], lat=[5]), "malformed"),
}  # fmt: skip


@pytest.mark.parametrize("kind", HOSTILE)
def test_hostile_files_are_named_with_what_is_wrong_and_where(tmp_path, kind):
    content, expected = HOSTILE[kind]
    with pytest.raises(AwlError, match=f"(?s)made.osm.pbf.*{expected}|{expected}.*"):
        osm_pbf.read(write(tmp_path, content))


def test_a_flipped_bit_never_gives_a_stack_trace(tmp_path):
    whole = bytearray(b"".join(GOOD))
    for at in range(0, len(whole)):
        spoilt = whole.copy()
        spoilt[at] ^= 1 << (at % 8)
        path = write(tmp_path, bytes(spoilt))
        try:
            osm_pbf.read(path)
        except AwlError as error:
            assert "made.osm.pbf" in error.detail


def mostly_unwanted(path: Path, n: int) -> None:
    """A file of n nodes and n / 20 power lines around one street."""
    ids, w = np.arange(1, n + 1), n // 20
    extract = Extract(
        node_id=ids,
        node_lon=-362_000_000 + ids % 1000,
        node_lat=413_000_000 + ids // 1000,
        node_tags=Tags.of([{}] * n),
        way_id=np.arange(1, w + 1),
        way_start=np.arange(0, 8 * w + 1, 8),
        way_refs=np.resize(ids, 8 * w),
        way_tags=Tags.of([{"power": "line"}] * (w - 1) + [{"highway": "residential"}]),
    )
    osm_pbf.write(path, extract)


def test_what_is_not_needed_takes_no_memory(tmp_path, monkeypatch):
    osm_pbf.read(EXTRACT)  # compiled and imported
    # One blob at a time: of several, threads are at different places whenever they are measured.
    monkeypatch.setattr(import_module("awl.io.osm_pbf.read"), "AHEAD", 1)
    peaks = []
    for n in (300_000, 1_200_000):
        path = tmp_path / f"{n}.osm.pbf"
        mostly_unwanted(path, n)
        tracemalloc.start()
        raw = osm_pbf.read(path)
        peaks.append(tracemalloc.get_traced_memory()[1])
        tracemalloc.stop()
        assert len(raw.way_id) == 1 and len(raw.node_id) == 8
    assert peaks[1] < 1.25 * peaks[0], "four times the file, the same memory"
